//! The two characters with which an ability or a status is explained if none are named.

use crate::program::{AbilityId, CharacterId, Effect, EffectPlan, Program, StatusId};
use crate::rules::{Receiver, SideRule};

/// A caster and a target of an ability: the first character that has it unless `from` is given, and the first of its
/// opponents, or of its allies for an ability on these, in the first encounter in which it takes part.
///
/// `None` if the ruleset has no characters.
///
/// ```
/// use edgeplane::Game;
/// use edgeplane::study::explain::{explain_ability, pair_for_ability};
/// let game = Game::from_text("weir.toml", edgeplane::example_text())?;
/// let swing = game.ability("swing")?;
/// let (from, on) = pair_for_ability(game.program(), swing, None).expect("it has characters");
/// let explained = explain_ability(game.program(), swing, from, on)?;
/// assert_eq!((&*explained.from, &*explained.on), ("lockhand", "silt_crab"));
/// # Ok::<(), edgeplane::Error>(())
/// ```
pub fn pair_for_ability(
    program: &Program,
    ability: AbilityId,
    from: Option<CharacterId>,
) -> Option<(CharacterId, CharacterId)> {
    let has_it = |id: &CharacterId| program.characters()[id.index()].abilities.contains(&ability);
    let from = from.or_else(|| characters(program).find(has_it)).or_else(|| characters(program).next())?;
    let on = match program.ability(ability).side {
        SideRule::Caster => None,
        SideRule::Allies | SideRule::Others => ally(program, from),
        SideRule::Enemies | SideRule::Everyone => opponent(program, from),
    };
    Some((from, on.unwrap_or(from)))
}

/// The caster and the owner of a status: those of the first ability that applies it, or else a character that has it
/// from the start of a fight.
///
/// `None` if the ruleset has no characters.
pub fn pair_for_status(program: &Program, status: StatusId) -> Option<(CharacterId, CharacterId)> {
    let applies = |plan: &&EffectPlan| match &plan.effect {
        Effect::Apply(id, ..) | Effect::Toggle(id) => *id == status,
        _ => false,
    };
    for (index, plan) in program.abilities().iter().enumerate() {
        let ability = AbilityId(index as u16);
        let is_used = characters(program).any(|id| program.characters()[id.index()].abilities.contains(&ability));
        let effects = plan.does.iter().chain(plan.sustain.iter().flat_map(|sustain| &sustain.does));
        if let Some(effect) = effects.filter(|_| is_used).find(applies) {
            let (from, on) = pair_for_ability(program, ability, None)?;
            return Some((from, if effect.to == Receiver::Caster { from } else { on }));
        }
    }
    let has_it = |id: &CharacterId| program.characters()[id.index()].statuses.contains(&status);
    if let Some(owner) = characters(program).find(has_it) {
        return Some((owner, owner));
    }
    let from = characters(program).next()?;
    Some((from, opponent(program, from).unwrap_or(from)))
}

fn characters(program: &Program) -> impl Iterator<Item = CharacterId> {
    let all = program.characters().iter().enumerate();
    all.filter(|(_, plan)| !plan.template).map(|(index, _)| CharacterId(index as u16))
}

fn opponent(program: &Program, of: CharacterId) -> Option<CharacterId> {
    let met = program.encounters().iter().filter(|plan| plan.sides.iter().any(|(_, side)| side.contains(&of)));
    let others = met.flat_map(|plan| plan.sides.iter().filter(|(_, side)| !side.contains(&of)));
    others.filter_map(|(_, side)| side.first().copied()).next().or_else(|| characters(program).find(|id| *id != of))
}

fn ally(program: &Program, of: CharacterId) -> Option<CharacterId> {
    let mut sides = program.encounters().iter().flat_map(|plan| &plan.sides).filter(|(_, side)| side.contains(&of));
    sides.find_map(|(_, side)| side.iter().copied().find(|id| *id != of))
}
