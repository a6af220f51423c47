//! Warnings about combatants out of reach of all targets: in an encounter in which nobody walks, or because a policy
//! keeps a greater distance than any reach.

use super::Program;
use super::characters::CharacterPlan;
use super::encounters::EncounterPlan;
use super::ids::{AbilityId, CharacterId};
use crate::numbers::Extremes;
use crate::rules::{EffectKind, Moves, Ruleset, SideRule};
use crate::text::{Code, Diagnostic, Diagnostics};

/// Reports encounters in which a combatant is too far from every enemy and stays there.
pub(super) fn nowhere_near(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    let moves = |kind: &EffectKind| matches!(kind, EffectKind::Shift { .. } | EffectKind::Leap(_));
    if rules.effects().any(|effect| moves(&effect.kind)) {
        return;
    }
    for (named, encounter) in rules.encounters.iter().zip(&program.encounters) {
        let members = members(encounter);
        if members.iter().any(|one| walks(program, &program.characters[one.character.index()])) {
            continue;
        }
        let apart = |one: &Member| {
            let enemies = members.iter().filter(|other| other.side != one.side);
            enemies.map(|other| gap(program, one, other)).min_by(f64::total_cmp)
        };
        let far =
            |one: &&Member| apart(one).is_some_and(|gap| farthest_reach(program, one).is_some_and(|reach| reach < gap));
        let Some(one) = members.iter().find(far) else { continue };
        let (Some(gap), Some(reach)) = (apart(one), farthest_reach(program, one)) else { continue };
        let message = format!(
            "in `{}` nobody walks, and `{}` is {} m from the nearest enemy: its abilities reach {} m",
            named.name,
            program.characters[one.character.index()].name,
            short(gap),
            short(reach)
        );
        let help = if program.find_attribute("speed").is_some() {
            "everyone in it has a `speed` of 0; it is the walking speed in metres per second"
        } else {
            "the attribute `speed` is the walking speed in metres per second; without it only a game can move combatants"
        };
        out.push(Diagnostic::warning(Code::NowhereNear, named.span, message).help(help));
    }
}

/// Reports policies that keep a greater distance from enemies than the reach of any ability that they use on them.
pub(super) fn keeps_too_far(rules: &Ruleset, program: &Program, out: &mut Diagnostics) {
    for named in &rules.policies {
        let Moves::KeepDistance(metres) = named.rule.moves else { continue };
        let followers = program.characters.iter().filter(|plan| plan.policy.name == named.name);
        let lines = followers.flat_map(|plan| &plan.policy.uses).map(|line| program.ability(line.ability));
        let reaches = lines.filter(|ability| ability.side == SideRule::Enemies).map(|ability| ability.fixed_reach);
        let farthest = reaches.reduce(|one, other| Some(one?.larger(other?))).flatten();
        let Some(reach) = farthest.filter(|reach| *reach < metres) else { continue };
        let message = format!(
            "`{}` keeps {} m away from enemies, but its abilities reach {} m",
            named.name,
            short(metres),
            short(reach)
        );
        let help = "it can use them only on enemies that come closer by themselves";
        out.push(Diagnostic::warning(Code::NowhereNear, named.span, message).help(help));
    }
}

/// A participant and its position.
struct Member {
    side: usize,
    character: CharacterId,
    place: [f64; 2],
}

/// Empty if the encounter has no positions.
fn members(encounter: &EncounterPlan) -> Vec<Member> {
    let sides = encounter.sides.iter().enumerate();
    let all = sides.flat_map(|(side, (_, members))| members.iter().map(move |character| (side, *character)));
    all.zip(&encounter.places).map(|((side, character), place)| Member { side, character, place: *place }).collect()
}

/// Whether it walks, or may once its speed changes.
fn walks(program: &Program, plan: &CharacterPlan) -> bool {
    let Some(slot) = program.find_attribute("speed") else { return false };
    let index = slot.index();
    plan.block.get(index).is_none_or(|speed| *speed > 0.0) || !program.modifiers_of(slot).is_empty()
}

/// The distance between two bodies in metres.
fn gap(program: &Program, one: &Member, other: &Member) -> f64 {
    let body = |member: &Member| program.characters[member.character.index()].body;
    libm::hypot(one.place[0] - other.place[0], one.place[1] - other.place[1]) - body(one) - body(other)
}

/// The longest reach of the abilities that a combatant uses on enemies; `None` if there are none, or if it is not a
/// plain number.
fn farthest_reach(program: &Program, member: &Member) -> Option<f64> {
    let plan = &program.characters[member.character.index()];
    let on_enemies =
        |ability: &&AbilityId| matches!(program.ability(**ability).side, SideRule::Enemies | SideRule::Everyone);
    let reaches = plan.abilities.iter().filter(on_enemies).map(|ability| program.ability(*ability).fixed_reach);
    let reaches: Option<Vec<f64>> = reaches.collect();
    reaches?.into_iter().max_by(f64::total_cmp)
}

/// Rounded to a centimetre.
fn short(metres: f64) -> f64 {
    (metres * 100.0).round() / 100.0
}
