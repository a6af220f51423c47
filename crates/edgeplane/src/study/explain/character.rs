//! Explains the numbers of a character.

use std::sync::Arc;

use serde::Serialize;

use super::beforehand::Beforehand;
use crate::error::Error;
use crate::fight::{Contribution, Fight, Likely};
use crate::numbers::Extremes;
use crate::program::{
    AbilityId, AbilityPlan, Area, ChancyPiece, CharacterId, CombatantId, FlowPlan, FormulaId, Memory, ModifierKind,
    PickPlan, PoolId, Program, Setup, StartPlan, StatusId, UsePlan, WornPlan, plain,
};
use crate::rules::{SideRule, UseMoment};

/// A number and its origin.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Line {
    /// Its name.
    pub name: String,
    /// Its value.
    pub value: f64,
    /// The text of its formula, or the digits of a plain number.
    pub formula: String,
    /// The formula with values in place of names; empty for a plain number.
    pub worked: String,
    /// The contributions of statuses in order of application: "+35 braced".
    pub statuses: Vec<String>,
    /// Why the value differs from that: "at least 0".
    pub limited: String,
    /// Its `about` text.
    pub about: String,
}

/// A pool of a character.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct PoolLine {
    /// Its cap.
    pub cap: Line,
    /// The initial amount.
    pub start: f64,
    /// Its gain or (negative) loss over time: "+3 per second".
    pub flow: String,
    /// Whether its owner is defeated when it becomes empty.
    pub defeat: bool,
}

/// The numbers of an ability for its owner.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AbilityLine {
    /// Its name.
    pub name: String,
    /// Its `about` text.
    pub about: String,
    /// Its costs by pool.
    pub cost: Vec<(String, f64)>,
    /// The cast time in seconds.
    pub cast: f64,
    /// The recovery in seconds.
    pub recovery: f64,
    /// The cooldown in seconds.
    pub cooldown: f64,
    /// Its other limits: "2 charges, one every 8 s", "open for 2 s after boathook".
    pub limits: Vec<String>,
    /// Whether it is unlocked.
    pub unlocked: bool,
    /// Its targets: "enemies, first".
    pub targets: String,
}

/// A line of a policy.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct UseLine {
    /// The ability.
    pub ability: String,
    /// Its condition; empty for none.
    pub when: String,
    /// The weight with which chance chooses it within its group; empty for a line without a group.
    pub weight: String,
    /// The number of its group; `None` for a line that is tried by itself.
    pub group: Option<u32>,
}

/// The numbers of a character.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct CharacterSheet {
    /// Its name.
    pub character: String,
    /// Its `about` text.
    pub about: String,
    /// Its level.
    pub level: f64,
    /// Every attribute in the order of the ruleset.
    pub attributes: Vec<Line>,
    /// Every pool that it has.
    pub pools: Vec<PoolLine>,
    /// Every ability that it has.
    pub abilities: Vec<AbilityLine>,
    /// Its gear: "oilskin (body, 2 of weirguard)".
    pub gear: Vec<String>,
    /// The lines of its policy in order of priority: an ability and the condition, if any.
    pub policy: Vec<UseLine>,
    /// The name of the policy; empty if the character tries its abilities in order.
    pub policy_name: String,
}

/// Explains a character: every number and its origin.
///
/// # Errors
/// As for [`explain_character_with`].
pub fn explain_character(program: &Arc<Program>, id: CharacterId) -> Result<CharacterSheet, Error> {
    explain_character_with(program, id, &[])
}

/// Explains a character with some statuses, each with a number of stacks, applied by itself.
///
/// # Errors
/// [`Error::Fight`] if an attribute has no value with them; [`Error::NotApplied`] for one that it cannot have.
pub fn explain_character_with(
    program: &Arc<Program>,
    id: CharacterId,
    with: &[(StatusId, u32)],
) -> Result<CharacterSheet, Error> {
    let plan = &program.characters()[id.index()];
    let setup = Arc::new(Setup::between(program, &[("one".to_owned(), vec![id])]));
    let me = CombatantId(0);
    let mut fight = Fight::with_chance(Arc::clone(&setup), Likely, 0);
    let fail = Error::from;
    Beforehand { caster: with.to_vec(), target: Vec::new() }.begin(&mut fight, me)?;
    let mut attributes = Vec::new();
    for (name, slot, info) in program.attribute_slots() {
        let Some(plan) = plan.attributes.iter().find(|plan| plan.slot == slot) else { continue };
        let mut line = line(setup.program(), fight.memory(), name, plan.base, plan.damage_type, &info.about);
        let value = fight.attribute(me, plan.slot);
        let parts = fight.contributions(me, plan.slot).map_err(fail)?;
        let unbound = parts_applied(line.value, &parts);
        line.statuses = parts.iter().map(|part| part_text(program, part)).collect();
        let bound =
            |of_plan: Option<FormulaId>| of_plan.map_or_else(String::new, |id| program.formula(id).source.text.clone());
        if value > unbound {
            line.limited = format!("at least {}", bound(plan.min));
        } else if value < unbound {
            line.limited = format!("at most {}", bound(plan.max));
        }
        line.value = value;
        attributes.push(line);
    }
    let pools = (0..program.pools().len()).filter(|pool| plan.pools[*pool]);
    let shown = Shown { setup: &setup, memory: fight.memory() };
    Ok(CharacterSheet {
        character: plan.name.clone(),
        about: plan.about.clone(),
        level: plan.level,
        attributes,
        pools: pools.map(|pool| pool_line(&shown, PoolId(pool as u16))).collect(),
        abilities: plan.abilities.iter().map(|ability| ability_line(&shown, me, *ability)).collect(),
        gear: plan.gear.iter().map(worn).chain(plan.chancy.iter().map(|chancy| by_chance(program, chancy))).collect(),
        policy: plan.policy.uses.iter().map(|line| use_line(program, line)).collect(),
        policy_name: plan.policy.name.clone(),
    })
}

pub(super) fn use_line(program: &Program, line: &UsePlan) -> UseLine {
    let text = |formula: FormulaId| program.formula(formula).source.text.clone();
    UseLine {
        ability: program.ability(line.ability).name.clone(),
        when: line.when.map_or_else(String::new, text),
        group: line.draws.map(|site| site.0),
        weight: if line.draws.is_some() { line.weight.map_or_else(|| "1".to_owned(), text) } else { String::new() },
    }
}

/// The numbers of a fight that is examined.
pub(super) struct Shown<'a> {
    pub(super) setup: &'a Setup,
    pub(super) memory: &'a Memory,
}

/// The value with all contributions but without the attribute's own bounds.
fn parts_applied(base: f64, parts: &[Contribution]) -> f64 {
    let of = |kind: ModifierKind| parts.iter().filter(move |part| part.kind == kind).map(|part| part.amount);
    let (add, percent): (f64, f64) = (of(ModifierKind::Add).sum(), of(ModifierKind::Percent).sum());
    let times: f64 = of(ModifierKind::Times).product();
    let mut value = (base + add) * (1.0 + percent / 100.0) * times;
    value = of(ModifierKind::Set).next_back().unwrap_or(value);
    value = of(ModifierKind::AtLeast).fold(value, f64::larger);
    of(ModifierKind::AtMost).fold(value, f64::smaller)
}

/// `+35 braced`
pub(super) fn part_text(program: &Program, part: &Contribution) -> String {
    let amount = plain(part.amount.abs());
    let sign = if part.amount < 0.0 { "-" } else { "+" };
    let parts = match part.kind {
        ModifierKind::Add => format!("{sign} {amount}"),
        ModifierKind::Percent => format!("{sign} {amount} %"),
        ModifierKind::Times => format!("× {}", plain(part.amount)),
        ModifierKind::AtLeast => format!("at least {}", plain(part.amount)),
        ModifierKind::AtMost => format!("at most {}", plain(part.amount)),
        ModifierKind::Set => format!("set to {}", plain(part.amount)),
    };
    format!("{parts} {}", program.status(part.status).name)
}

fn line(program: &Program, memory: &Memory, name: String, formula: FormulaId, damage_type: u16, about: &str) -> Line {
    let compiled = program.formula(formula);
    let reading = program.own_reading(formula, memory, CombatantId(0), damage_type);
    let worked = match &reading {
        Some(reading) if !compiled.is_plain_number() => compiled.with_values(reading),
        _ => String::new(),
    };
    Line {
        name,
        value: reading.map_or(0.0, |reading| reading.value),
        formula: compiled.source.text.clone(),
        worked,
        statuses: Vec::new(),
        limited: String::new(),
        about: about.to_owned(),
    }
}

fn pool_line(shown: &Shown<'_>, id: PoolId) -> PoolLine {
    let (program, memory) = (shown.setup.program(), shown.memory);
    let plan = &program.pools()[id.index()];
    let me = CombatantId(0);
    let number = |formula| program.own_value(formula, memory, me).unwrap_or(0.0);
    let flow = |flow: Option<FlowPlan>, sign: &str| {
        let flow = flow?;
        let every =
            flow.every.map_or_else(|| "per second".to_owned(), |every| format!("every {} s", plain(number(every))));
        Some(format!("{sign}{} {every}", plain(number(flow.amount))))
    };
    let flows: Vec<String> = [flow(plan.regen, "+"), flow(plan.decay, "-")].into_iter().flatten().collect();
    let cap = plan.cap.map(|cap| line(program, memory, plan.name.clone(), cap, 0, &plan.about));
    let start = match plan.start {
        StartPlan::Full => cap.as_ref().map_or(0.0, |cap| cap.value),
        StartPlan::Empty => 0.0,
        StartPlan::Amount(_) => memory.pool_amount(program.place(me, program.layout.pool(id)), 0.0),
    };
    let missing = Line {
        name: plan.name.clone(),
        value: 0.0,
        formula: String::new(),
        worked: String::new(),
        statuses: Vec::new(),
        limited: String::new(),
        about: String::new(),
    };
    PoolLine { cap: cap.unwrap_or(missing), start, flow: flows.join(", "), defeat: plan.defeat }
}

pub(super) fn ability_line(shown: &Shown<'_>, who: CombatantId, id: AbilityId) -> AbilityLine {
    let program = shown.setup.program();
    let plan = program.ability(id);
    let number = |formula: Option<FormulaId>| {
        formula.and_then(|formula| program.own_value(formula, shown.memory, who)).unwrap_or(0.0)
    };
    AbilityLine {
        name: plan.name.clone(),
        about: plan.about.clone(),
        cost: plan
            .cost
            .iter()
            .map(|(pool, cost)| (program.pools()[pool.index()].name.clone(), number(Some(*cost))))
            .collect(),
        cast: number(plan.cast),
        recovery: number(plan.recovery),
        cooldown: number(plan.cooldown),
        limits: by_hand(shown, who, id)
            .into_iter()
            .chain(limits(program, plan, &|formula| number(Some(formula))))
            .collect(),
        unlocked: plan.unlock.is_none_or(|unlock| number(Some(unlock)) != 0.0),
        targets: targets(program, plan),
    }
}

/// The slot of an ability, and whether it has to be given first.
fn by_hand(shown: &Shown<'_>, who: CombatantId, id: AbilityId) -> Vec<String> {
    let program = shown.setup.program();
    let character = &program.characters()[shown.setup.combatants[who.index()].character.index()];
    let had = character.abilities.len() - character.can_learn;
    let brought = character.abilities[character.abilities.len() - character.brought..].contains(&id);
    let can_learn = character.abilities[had..].contains(&id);
    let slot = program.ability(id).slot.as_ref().map(|slot| format!("slot {slot}"));
    let only = match (can_learn, brought) {
        (_, true) => Some("only while a status or a piece grants it".to_owned()),
        (true, false) => Some("only after it was given".to_owned()),
        (false, false) => None,
    };
    only.into_iter().chain(slot).collect()
}

/// A piece that is not always worn; the numbers are those of the more likely case.
fn by_chance(program: &Program, chancy: &ChancyPiece) -> String {
    let plan = &program.gear[chancy.piece.index()];
    let chance = format!("with the chance {}", program.formula(chancy.chance.0).source.text);
    let parts: Vec<String> = plan.slot.iter().cloned().chain([chance]).collect();
    format!("{} ({})", plan.name, parts.join(", "))
}

fn worn(piece: &WornPlan) -> String {
    let slot = piece.slot.iter().cloned();
    let set = piece.set.iter().map(|(set, pieces)| format!("{pieces} of {set}"));
    let parts: Vec<String> = slot.chain(set).collect();
    if parts.is_empty() { piece.name.clone() } else { format!("{} ({})", piece.name, parts.join(", ")) }
}

/// The limits of an ability other than its times, cost and targets.
fn limits(program: &Program, plan: &AbilityPlan, number: &dyn Fn(FormulaId) -> f64) -> Vec<String> {
    let seconds = |formula: FormulaId| format!("{} s", plain(number(formula)));
    let metres = |formula: FormulaId| format!("{} m", plain(number(formula)));
    let mut limits = Vec::new();
    limits.extend(plan.reach.map(|reach| format!("reach {}", metres(reach))));
    let text = |formula: FormulaId| program.formula(formula).source.text.as_str();
    limits.extend(match plan.area {
        Area::None => None,
        Area::Circle { radius, around_caster } => {
            let middle = if around_caster { "itself" } else { "the target" };
            Some(format!("within {} of {middle}", metres(radius)))
        }
        Area::Cone { degrees, length } => Some(format!("a cone of {}°, {} long", text(degrees), metres(length))),
        Area::Line { width, length } => Some(format!("a line {} wide, {} long", metres(width), metres(length))),
        Area::Chain { within } => Some(format!("from one to the next within {}", metres(within))),
    });
    limits.extend(plan.travel.map(|speed| format!("travels {}/s", metres(speed))));
    limits.extend(plan.charges.map(|(most, regain)| format!("{most} charges, one every {}", seconds(regain))));
    limits.extend(
        plan.uses.map(|uses| if uses == 1 { "once a fight".to_owned() } else { format!("{uses} uses a fight") }),
    );
    limits.extend(plan.releases.map(|(count, every)| format!("{count} releases, one every {}", seconds(every))));
    limits.extend(plan.sustain.as_ref().map(|sustain| {
        let longest = sustain.longest.map_or(String::new(), |longest| format!(", at most {}", seconds(longest)));
        let costs = sustain
            .cost
            .iter()
            .map(|(pool, cost)| format!(", {} {} each", plain(number(*cost)), program.pools()[pool.index()].name));
        format!("sustained: a tick every {}{}{longest}", seconds(sustain.every), costs.collect::<String>())
    }));
    limits.extend(plan.after.map(|(after, within)| {
        let after = &program.ability(after).name;
        within.map_or(format!("only after {after}"), |within| format!("for {} after {after}", seconds(within)))
    }));
    limits.extend(plan.shared_cooldown.map(|(shared, time)| {
        let sharing = |other: &&AbilityPlan| other.shared_cooldown.is_some_and(|(number, _)| number == shared);
        let others = program.abilities().iter().filter(sharing).filter(|other| other.name != plan.name);
        let others: Vec<&str> = others.map(|other| other.name.as_str()).collect();
        let time = time.map_or(String::new(), |time| format!(" for {}", seconds(time)));
        format!("keeps {} waiting{time}", others.join(", "))
    }));
    limits.extend(plan.mobile.then(|| "cast while walking".to_owned()));
    limits.extend((plan.cost_at == UseMoment::Release).then(|| "paid when released".to_owned()));
    match plan.cooldown_from {
        UseMoment::Start => limits.push("cooldown from the start".to_owned()),
        UseMoment::End => limits.push("cooldown from the end".to_owned()),
        UseMoment::Release => {}
    }
    limits
}

fn targets(program: &Program, plan: &AbilityPlan) -> String {
    let (side, pick, count) = (plan.side, plan.pick, plan.count);
    let side = match side {
        SideRule::Enemies => "enemies",
        SideRule::Allies => "allies",
        SideRule::Others => "the others of its side",
        SideRule::Caster => return "itself".to_owned(),
        SideRule::Everyone => "everyone",
    };
    let pick = match pick {
        PickPlan::First => "first".to_owned(),
        PickPlan::Nearest => "nearest".to_owned(),
        PickPlan::Farthest => "farthest".to_owned(),
        PickPlan::Weakest(_) => "weakest".to_owned(),
        PickPlan::Strongest(_) => "strongest".to_owned(),
        PickPlan::Random(_) => "random".to_owned(),
        PickPlan::Policy => "preferred".to_owned(),
        PickPlan::Lowest(formula) => format!("lowest {}", program.formula(formula).source.text),
    };
    let side = if plan.defeated { format!("defeated {side}") } else { side.to_owned() };
    match count {
        1 => format!("{pick} of {side}"),
        u32::MAX => format!("all {side}"),
        count => format!("{pick} {count} of {side}"),
    }
}
