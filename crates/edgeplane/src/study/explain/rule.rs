//! Explains named rules other than characters, abilities and statuses, from zones to tags.

use std::sync::Arc;

use serde::Serialize;

use super::ability::{AlsoLine, effect_line};
use super::character::{UseLine, use_line};
use super::origins::users;
use super::status::{control, forbids, hit_steps, modifiers};
use super::steps::{self, Of};
use super::{functions, levels, quantity, tags};
use crate::error::Error;
use crate::fight::{Fight, Likely};
use crate::numbers::Extremes;
use crate::program::{
    CharacterPlan, CombatantId, Effect, EffectPlan, EncounterId, FormulaId, GearId, JoinPlan, MomentEffect, PolicyPlan,
    PoolId, Program, Setup, StatusId, Time, WornStatus, ZoneId, plain,
};
use crate::rules::Moves;

/// Identical members of an encounter.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct MemberLine {
    /// Their side.
    pub side: String,
    /// Their character.
    pub character: String,
    /// Their number.
    pub count: u32,
    /// The character's level.
    pub level: f64,
    /// Their initial amounts of pools.
    pub pools: Vec<(String, f64)>,
    /// When they join: "at the start", "after 12 s", "when called".
    pub joins: String,
    /// Their initial statuses in addition to those of their character.
    pub begins_with: Vec<String>,
}

/// A rule in words.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct RuleExplanation {
    /// Its kind, which precedes its name if several rules have that name: "zone", "gear", "gear_set", "policy",
    /// "encounter", "cause", "attribute", "pool", "damage_type", "hit_step", "heal_step", "formula", "curve", "point",
    /// "gauntlet", "tag".
    pub kind: &'static str,
    /// Its name.
    pub name: String,
    /// Its `about` text.
    pub about: String,
    /// Its keys and the rules that refer to it, in order: ("lasts", "6 s").
    pub facts: Vec<(&'static str, String)>,
    /// Its effects, each with the key that causes it: "enters".
    pub effects: Vec<(&'static str, AlsoLine)>,
    /// The lines of a policy, in order of priority.
    pub policy: Vec<UseLine>,
    /// The members of an encounter, by side.
    pub members: Vec<MemberLine>,
}

/// Explains a rule by name, or by kind and name if several rules have the same name: `zone.mire`, `pools.health`.
/// [`RuleExplanation::kind`] lists the kinds.
///
/// ```
/// use edgeplane::{Game, study::explain::explain_rule};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let duel = explain_rule(game.program(), "encounter.duel")?;
/// assert_eq!((duel.kind, duel.members.len()), ("encounter", 2));
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// [`Error::Unknown`] if no rule has that name; [`Error::Fight`] if an encounter cannot begin.
pub fn explain_rule(program: &Arc<Program>, name: &str) -> Result<RuleExplanation, Error> {
    let all = every_rule(program);
    // With its kind, or with the section of its kind: `pools.health`.
    let is_meant = |kind: &str, of: &str| {
        let rest = name.strip_prefix(kind).map(|rest| rest.strip_prefix('s').unwrap_or(rest));
        of == name || rest.and_then(|rest| rest.strip_prefix('.')) == Some(of)
    };
    let mut meant = all.iter().filter(|(kind, of, _)| is_meant(kind, of));
    let Some((kind, _, index)) = meant.next() else {
        let known = all.iter().map(|(_, name, _)| name.clone()).collect();
        return Err(Error::Unknown { what: "rule", name: name.to_owned(), known });
    };
    let mut explained = match *kind {
        "zone" => zone(program, ZoneId(*index as u16)),
        "gear" => gear(program, GearId(*index as u16)),
        "gear_set" => gear_set(program, *index),
        "policy" => policy(program, &program.policies[*index]),
        "encounter" => encounter(program, EncounterId(*index as u16))?,
        "attribute" => quantity::attribute(program, &program.attributes()[*index]),
        "pool" => quantity::pool(program, PoolId(*index as u16)),
        "damage_type" => steps::damage_type(program, *index),
        "hit_step" => steps::step(program, Of::Hits, *index),
        "heal_step" => steps::step(program, Of::Heals, *index),
        "formula" => functions::formula(program, *index),
        "curve" => functions::curve(program, *index),
        "point" => levels::point(program, &program.statuses[*index]),
        "gauntlet" => levels::gauntlet(program, &program.gauntlets[*index]),
        "tag" => tags::tag(program, *index),
        _ => cause(program, *index),
    };
    let others: Vec<String> = meant.map(|(kind, name, _)| format!("{kind}.{name}")).collect();
    explained.add("same name", others.join(", "));
    Ok(explained)
}

/// Each with its kind and its index.
fn every_rule(program: &Program) -> Vec<(&'static str, String, usize)> {
    let mut all = Vec::new();
    let mut add = |kind, names: Vec<&String>| {
        all.extend(names.into_iter().enumerate().map(|(index, name)| (kind, name.clone(), index)));
    };
    add("zone", program.zones.iter().map(|plan| &plan.name).collect());
    add("gear", program.gear.iter().map(|plan| &plan.name).collect());
    add("gear_set", program.gear_set_names.iter().collect());
    add("policy", program.policies.iter().map(|plan| &plan.name).collect());
    add("encounter", program.encounters().iter().map(|plan| &plan.name).collect());
    add("cause", program.causes.iter().map(|plan| &plan.name).collect());
    add("attribute", program.attributes().iter().map(|plan| &plan.name).collect());
    add("pool", program.pools().iter().map(|plan| &plan.name).collect());
    add("damage_type", program.damage_types().iter().map(|plan| &plan.name).collect());
    add("hit_step", program.hit_steps().iter().map(|plan| &plan.name).collect());
    add("heal_step", program.heal_steps().iter().map(|plan| &plan.name).collect());
    add("formula", program.functions.iter().map(|plan| &plan.name).collect());
    add("curve", program.curves.iter().map(|plan| &plan.name).collect());
    add("gauntlet", program.gauntlets().iter().map(|plan| &plan.name).collect());
    add("tag", tags::all(program));
    let points = program.statuses().iter().enumerate().filter(|(_, plan)| plan.point);
    all.extend(points.map(|(index, plan)| ("point", plan.name.clone(), index)));
    all
}

impl RuleExplanation {
    pub(super) fn of(kind: &'static str, name: &str, about: &str) -> Self {
        let (name, about) = (name.to_owned(), about.to_owned());
        Self { kind, name, about, facts: Vec::new(), effects: Vec::new(), policy: Vec::new(), members: Vec::new() }
    }

    /// Adds a fact unless it is empty.
    pub(super) fn add(&mut self, what: &'static str, text: impl Into<String>) {
        let text = text.into();
        if !text.is_empty() {
            self.facts.push((what, text));
        }
    }

    fn add_effects(&mut self, program: &Program, upon: &'static str, effects: &[EffectPlan]) {
        self.effects.extend(effects.iter().map(|effect| (upon, effect_line(program, effect))));
    }
}

pub(super) fn text(program: &Program, formula: Option<FormulaId>, unit: &str) -> String {
    formula.map_or_else(String::new, |formula| format!("{}{unit}", program.formula(formula).source.text))
}

pub(super) fn names<'a>(names: impl Iterator<Item = &'a String>) -> String {
    names.map(String::as_str).collect::<Vec<_>>().join(", ")
}

fn zone(program: &Program, id: ZoneId) -> RuleExplanation {
    let plan = program.zone(id);
    let mut zone = RuleExplanation::of("zone", &plan.name, &plan.about);
    let grows = text(program, plan.grows, " m a second");
    let grows = if grows.is_empty() { grows } else { format!(", grows by {grows}") };
    zone.add("radius", format!("{}{grows}", text(program, plan.radius, " m")));
    let lasts = text(program, plan.lasts, " s");
    zone.add("lasts", if lasts.is_empty() { "until something ends it".to_owned() } else { lasts });
    zone.add("ends after", plan.uses.map_or_else(String::new, |uses| format!("{uses} entries")));
    let owner = if plan.owner { ", its owner too" } else { "" };
    zone.add("affects", format!("{}{owner}", plan.affects.name()));
    zone.add(
        "lies",
        if plan.carried { "around the combatant on whom it was placed, moving with it" } else { "where it was placed" },
    );
    if plan.max_instances != u32::MAX {
        zone.add("at once", format!("{} of an owner at most", plan.max_instances));
    }
    zone.add("tags", names(plan.tags.iter()));
    zone.add("statuses", names(plan.statuses.iter().map(|status| &program.status(*status).name)));
    zone.add_effects(program, "enters", &plan.enters);
    zone.add_effects(program, "leaves", &plan.leaves);
    zone.add("placed by", users(program, &|effect| matches!(effect, Effect::Zone(zone) if *zone == id)).join(", "));
    let avoids = program.policies.iter().filter(|policy| policy.avoid.contains(&id));
    zone.add("avoided by", names(avoids.map(|policy| &policy.name)));
    zone
}

/// The effect of a worn status, without its name if that is the name of the piece.
fn worn(program: &Program, worn: &WornStatus, own: &str) -> String {
    let plan = program.status(worn.status);
    let mut parts: Vec<String> = modifiers(program, plan)
        .iter()
        .map(|line| format!("{} {} {}", line.attribute, line.kind.name(), line.formula))
        .collect();
    parts.extend(hit_steps(program, worn.status).into_iter().map(|step| format!("step {step}")));
    parts.extend(forbids(program, plan).into_iter().map(|what| format!("forbids {what}")));
    parts.extend(plan.abilities.iter().map(|ability| format!("brings {}", program.ability(*ability).name)));
    parts.extend(control(plan));
    parts.extend(plan.triggers.iter().map(|trigger| format!("triggers on {}", trigger.event.name())));
    let stacks = if worn.stacks == 1 { String::new() } else { format!(", {} stacks", worn.stacks) };
    let lasts = text(program, worn.duration, " s");
    let lasts = if lasts.is_empty() { lasts } else { format!(", for {lasts}") };
    match (plan.name == own, parts.is_empty()) {
        (true, _) => parts.join("; "),
        (false, true) => format!("{}{stacks}{lasts}", plan.name),
        (false, false) => format!("{}{stacks}{lasts} ({})", plan.name, parts.join("; ")),
    }
}

fn gear(program: &Program, id: GearId) -> RuleExplanation {
    let plan = &program.gear[id.index()];
    let mut gear = RuleExplanation::of("gear", &plan.name, "");
    gear.add("slot", plan.slot.clone().unwrap_or_default());
    gear.add("set", plan.set.map_or_else(String::new, |set| program.gear_set_names[set].clone()));
    for status in &plan.statuses {
        gear.add("gives", worn(program, status, &plan.name));
    }
    gear.add("worn by", names(wearers(program, id).map(|character| &character.name)));
    gear.add("put on by", users(program, &|effect| matches!(effect, Effect::Wear(piece) if *piece == id)).join(", "));
    gear.add(
        "taken off by",
        users(program, &|effect| matches!(effect, Effect::TakeOff(piece) if *piece == id)).join(", "),
    );
    gear
}

/// Characters that wear a piece initially, always or by chance.
fn wearers(program: &Program, id: GearId) -> impl Iterator<Item = &CharacterPlan> {
    let wears = move |plan: &&CharacterPlan| {
        !plan.template && (plan.pieces.contains(&id) || plan.chancy.iter().any(|chancy| chancy.piece == id))
    };
    program.characters().iter().filter(wears)
}

fn gear_set(program: &Program, number: usize) -> RuleExplanation {
    let mut set = RuleExplanation::of("gear_set", &program.gear_set_names[number], "");
    set.add("pieces", names(program.gear.iter().filter(|piece| piece.set == Some(number)).map(|piece| &piece.name)));
    for (pieces, statuses) in &program.gear_sets[number] {
        let given: Vec<String> = statuses.iter().map(|status| worn(program, status, "")).collect();
        set.add("gives", format!("from {pieces} on: {}", given.join(", ")));
    }
    let has = |character: &&CharacterPlan| {
        let pieces = character.pieces.iter().filter(|piece| program.gear[piece.index()].set == Some(number)).count();
        !character.template && program.gear_sets[number].iter().any(|(needed, _)| *needed as usize <= pieces)
    };
    set.add("owners", names(program.characters().iter().filter(has).map(|character| &character.name)));
    set
}

fn policy(program: &Program, plan: &PolicyPlan) -> RuleExplanation {
    let mut policy = RuleExplanation::of("policy", &plan.name, "");
    if plan.reaction > Time::ZERO {
        policy.add("reaction", format!("{} s", plain(plan.reaction.seconds())));
    }
    policy.add("score", text(program, plan.target, ", the target with most"));
    policy.add(
        "moves",
        match plan.moves {
            Moves::Approach => "until an ability that it wants is in reach".to_owned(),
            Moves::Hold => "nowhere".to_owned(),
            Moves::KeepDistance(metres) => format!("away from enemies within {} m", plain(metres)),
        },
    );
    policy.add("avoids", names(plan.avoid.iter().map(|zone| &program.zone(*zone).name)));
    policy.policy = plan.uses.iter().map(|line| use_line(program, line)).collect();
    let follows = |character: &&CharacterPlan| !character.template && character.policy.name == plan.name;
    policy.add("used by", names(program.characters().iter().filter(follows).map(|character| &character.name)));
    policy
}

fn cause(program: &Program, index: usize) -> RuleExplanation {
    let plan = &program.causes[index];
    let mut cause = RuleExplanation::of("cause", &plan.name, &plan.about);
    cause.add("caused", "by the game, with an amount");
    cause.add_effects(program, "happens", &plan.does);
    cause
}

fn encounter(program: &Arc<Program>, id: EncounterId) -> Result<RuleExplanation, Error> {
    let plan = &program.encounters()[id.index()];
    let mut encounter = RuleExplanation::of("encounter", &plan.name, &plan.about);
    let setup = Arc::new(Setup::of(program, id));
    let mut fight = Fight::with_chance(Arc::clone(&setup), Likely, 0);
    fight.begin()?;
    encounter.members = members(&setup, &fight, &plan.begins.iter().map(|begin| &*begin.statuses).collect::<Vec<_>>());
    let script = &plan.script;
    let limit = script.at_limit.map_or_else(String::new, |side| format!(", then {} wins", plan.sides[side.index()].0));
    let has_limit = plan.time_limit < Time::NEVER;
    let seconds = || format!("{} s{limit}", plain(plan.time_limit.seconds()));
    encounter.add("time limit", if has_limit { seconds() } else { "none".to_owned() });
    encounter.add("ground", apart(&setup, &plan.places));
    let label = |who: &CombatantId| &setup.combatants[who.index()].label;
    encounter.add("vital", names(script.vital.iter().map(label)));
    for moment in &script.moments {
        let MomentEffect::Bring(ability, of) = &moment.does else { continue };
        let again = if moment.every == Time::NEVER || moment.times < 2 {
            String::new()
        } else {
            format!(", every {} s", plain(moment.every.seconds()))
        };
        let at = plain(moment.at.seconds());
        let who = names(of.iter().map(label));
        encounter.add("script", format!("at {at} s{again}: {} of {who}", program.ability(*ability).name));
    }
    for rule in program.expectations().iter().filter(|rule| rule.encounter.text == plan.name) {
        let bounds = match (rule.at_least, rule.at_most) {
            (Some(least), Some(most)) => format!("from {} to {}", plain(least), plain(most)),
            (Some(least), None) => format!("at least {}", plain(least)),
            (None, Some(most)) => format!("at most {}", plain(most)),
            (None, None) => String::new(),
        };
        encounter.add("expectations", format!("{} {bounds}", rule.that.text));
    }
    Ok(encounter)
}

/// The distance between the sides, if they have positions.
fn apart(setup: &Setup, places: &[[f64; 2]]) -> String {
    if places.is_empty() {
        return "without positions: everyone is in reach".to_owned();
    }
    let mut least = f64::INFINITY;
    for (one, from) in setup.combatants.iter().zip(places) {
        for (_, to) in setup.combatants.iter().zip(places).filter(|(other, _)| other.side != one.side) {
            least = least.smaller(libm::hypot(from[0] - to[0], from[1] - to[1]));
        }
    }
    format!("on the ground, {} m between the nearest members of two sides", plain((least * 100.0).round() / 100.0))
}

fn members(setup: &Setup, fight: &Fight<Likely>, begins: &[&[StatusId]]) -> Vec<MemberLine> {
    let program = setup.program();
    let mut lines: Vec<MemberLine> = Vec::new();
    for (who, combatant) in setup.ids().zip(&setup.combatants) {
        let plan = &program.characters()[combatant.character.index()];
        let pools = (0..program.pools().len()).filter(|pool| plan.pools[*pool]);
        let amount = |pool: usize| (program.pools()[pool].name.clone(), fight.pool(who, PoolId(pool as u16)));
        let statuses = begins.get(who.index()).copied().unwrap_or_default();
        let line = MemberLine {
            side: setup.sides[combatant.side.index()].clone(),
            character: plan.name.clone(),
            count: 1,
            level: plan.level,
            pools: pools.map(amount).collect(),
            joins: match setup.script.joins(who) {
                JoinPlan::AtStart => "at the start".to_owned(),
                JoinPlan::At(time) => format!("after {} s", plain(time.seconds())),
                JoinPlan::Called => "when called".to_owned(),
                JoinPlan::Spawned => "when the game says so".to_owned(),
            },
            begins_with: statuses.iter().map(|status| program.status(*status).name.clone()).collect(),
        };
        match lines.iter_mut().find(|other| MemberLine { count: 1, ..(**other).clone() } == line) {
            Some(other) => other.count += 1,
            None => lines.push(line),
        }
    }
    lines
}
