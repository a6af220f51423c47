//! Explains a status applied by one character to another: its effect at each number of stacks, each tick, and its
//! total.

use std::sync::Arc;

use serde::Serialize;

use super::ability::{AlsoLine, effect_line};
use super::beforehand::Beforehand;
use super::origins::origins;
use crate::error::Error;
use crate::fight::{Event, Fight, Likely, Log, Logged, Source};
use crate::program::{
    CharacterId, CombatantId, EffectPlan, EveryPlan, FormulaId, Pace, Program, Reapply, Setup, StackTimer, StatusId,
    StatusKind, StatusPlan, Time, TriggerEvent,
};
use crate::rules::{MOST_KEPT_APART, Subject, Untargetable};

/// The maximum number of stacks listed separately.
const MOST_LISTED: u32 = 10;
/// The time for which an endless status is examined, in seconds.
const LOOKED_AT: f64 = 60.0;

/// A modifier.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ModifierLine {
    /// The attribute.
    pub attribute: String,
    /// The kind of change: "add", "percent" and so on.
    pub kind: crate::program::ModifierKind,
    /// The text of the formula.
    pub formula: String,
}

/// The effect of the status with a number of stacks.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StackLine {
    /// The number of stacks.
    pub stacks: u32,
    /// The attributes of the owner that it changes, in the order of [`StatusExplanation::attributes`].
    pub values: Vec<f64>,
    /// Total damage.
    pub damage: f64,
    /// Total healing.
    pub healing: f64,
    /// Total gains of other pools without steps, including the excess.
    pub restored: f64,
    /// Total losses of other pools without steps, including the excess.
    pub drained: f64,
}

/// An effect of a tick.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TickLine {
    /// The number of the tick.
    pub tick: u32,
    /// Seconds since the status was applied.
    pub at: f64,
    /// "damage", "heal", "restore", "drain".
    pub effect: &'static str,
    /// The pool.
    pub pool: String,
    /// The amount after the last step.
    pub amount: f64,
    /// The amount left in the pool.
    pub left: f64,
}

/// A trigger.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TriggerLine {
    /// The event.
    pub event: TriggerEvent,
    /// Its restrictions, as written.
    pub only: String,
    /// Its effects.
    pub does: Vec<AlsoLine>,
}

/// A status, explained.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StatusExplanation {
    /// Its name.
    pub status: String,
    /// Its `about` text.
    pub about: String,
    /// Its kind: good or bad.
    pub kind: StatusKind,
    /// Its tags.
    pub tags: Vec<String>,
    /// The combatant that applies it.
    pub from: String,
    /// Its owner.
    pub on: String,
    /// Initial statuses: "lockhand has braced".
    pub beforehand: Vec<String>,
    /// Its duration in seconds; `None` if it does not end by itself.
    pub lasts: Option<f64>,
    /// Seconds between ticks.
    pub period: Option<f64>,
    /// The effect of a further application, in words.
    pub reapply: String,
    /// Tags of statuses to which it makes immune.
    pub immune: Vec<String>,
    /// What its owner cannot do.
    pub forbids: Vec<String>,
    /// Abilities that it grants to its owner.
    pub brings: Vec<String>,
    /// Its other effects on its owner, in words.
    pub control: Vec<String>,
    /// Its modifiers.
    pub modifiers: Vec<ModifierLine>,
    /// Attributes that it changes, including dependent ones.
    pub attributes: Vec<String>,
    /// Their values without it.
    pub without: Vec<f64>,
    /// With one stack, two, and so on.
    pub stacks: Vec<StackLine>,
    /// The effects of its ticks with one stack.
    pub ticks: Vec<TickLine>,
    /// Steps that it adds to hits: "padding, hits taken: amount * (1 - 0.25 * stacks)".
    pub hit_steps: Vec<String>,
    /// Its triggers.
    pub triggers: Vec<TriggerLine>,
    /// Its condition; empty for none.
    pub holds_while: String,
    /// The chance to resist it; empty for none.
    pub resist: String,
    /// The effects of its ticks.
    pub each_tick: Vec<AlsoLine>,
    /// The effects of reaching the maximum of stacks.
    pub at_max: Vec<AlsoLine>,
    /// Its sources: abilities, statuses, zones and causes by name, then "during dig_in", "inside mire", "wearing
    /// oilskin", "2 pieces of ferry", "warden from the start", "the start of breach".
    pub applied_by: Vec<String>,
}

/// Explains the effects of a status applied by one character to another, while nobody does anything else.
///
/// # Errors
/// [`Error::Fight`] if a formula has no value.
pub fn explain_status(
    program: &Arc<Program>,
    status: StatusId,
    from: CharacterId,
    on: CharacterId,
) -> Result<StatusExplanation, Error> {
    explain_status_with(program, status, from, on, &Beforehand::default())
}

/// The same with initial statuses.
///
/// # Errors
/// As for [`explain_status`]; [`Error::NotApplied`] for a status that one of them cannot have.
pub fn explain_status_with(
    program: &Arc<Program>,
    status: StatusId,
    from: CharacterId,
    on: CharacterId,
    with: &Beforehand,
) -> Result<StatusExplanation, Error> {
    let sides = [("one".to_owned(), vec![from]), ("other".to_owned(), vec![on])];
    let setup = Arc::new(Setup::between(program, &sides));
    let plan = program.status(status);
    let most = if plan.reapply == Reapply::Stack { plan.max_stacks.min(MOST_LISTED) } else { 1 };
    let mut lives = Vec::new();
    for stacks in 1..=most {
        lives.push(Life::run(&setup, status, stacks, with)?);
    }
    let attributes = changed_attributes(program, &lives);
    let values = |all: &[f64]| attributes.iter().map(|(index, _)| all[*index]).collect::<Vec<f64>>();
    let first = lives.first();
    let name = |id: CharacterId| program.characters()[id.index()].name.clone();
    let (from, on) = (name(from), name(on));
    let text = |formula: FormulaId| program.formula(formula).source.text.clone();
    Ok(StatusExplanation {
        beforehand: with.in_words(program, &from, &on),
        status: plan.name.clone(),
        about: plan.about.clone(),
        kind: plan.kind,
        tags: plan.tags.clone(),
        from,
        on,
        lasts: first.and_then(|life| life.lasts),
        period: plan.every.as_ref().and_then(|every| period_of(program, plan, every)),
        reapply: again(plan),
        immune: plan.immune.iter().map(|tag| program.tags[usize::from(*tag)].clone()).collect(),
        forbids: forbids(program, plan),
        brings: plan.abilities.iter().map(|ability| program.ability(*ability).name.clone()).collect(),
        control: control(plan),
        modifiers: modifiers(program, plan),
        without: first.map_or_else(Vec::new, |life| values(&life.before)),
        stacks: lives.iter().map(|life| life.line(values(&life.after))).collect(),
        ticks: first.map_or_else(Vec::new, |life| life.ticks(program)),
        attributes: attributes.into_iter().map(|(_, name)| name).collect(),
        hit_steps: hit_steps(program, status),
        holds_while: plan.holds_while.map_or_else(String::new, text),
        resist: plan.resist.map_or_else(String::new, |(resist, _)| text(resist)),
        each_tick: plan.every.as_ref().map_or_else(Vec::new, |every| lines(program, &every.does)),
        at_max: lines(program, &plan.at_max),
        triggers: plan.triggers.iter().map(|trigger| trigger_line(program, trigger)).collect(),
        applied_by: origins(program, status),
    })
}

fn lines(program: &Program, effects: &[EffectPlan]) -> Vec<AlsoLine> {
    effects.iter().map(|effect| effect_line(program, effect)).collect()
}

/// One application from start to end.
struct Life {
    stacks: u32,
    lasts: Option<f64>,
    before: Vec<f64>,
    after: Vec<f64>,
    status: StatusId,
    events: Vec<Logged>,
}

const OWNER: CombatantId = CombatantId(1);

impl Life {
    fn run(setup: &Arc<Setup>, status: StatusId, stacks: u32, with: &Beforehand) -> Result<Self, Error> {
        let fail = Error::from;
        let mut fight = Fight::with_chance(Arc::clone(setup), Likely, 0);
        setup.ids().try_for_each(|who| fight.take_control(who)).map_err(fail)?;
        let mut log = Log::default();
        with.begin(&mut fight, OWNER)?;
        fight.advance(Time::ZERO, &mut log).map_err(fail)?;
        let before = all_attributes(setup, &fight);
        fight.apply_status(status, CombatantId(0), OWNER, stacks, &mut log).map_err(fail)?;
        let after = all_attributes(setup, &fight);
        let until = log.events.iter().rev().find_map(|logged| match logged.event {
            Event::StatusGained { status: gained, until, .. } if gained == status => Some(until),
            _ => None,
        });
        let lasts = until.flatten().map(Time::seconds);
        let end = Time::from_seconds(lasts.unwrap_or(LOOKED_AT));
        fight.advance(end, &mut log).map_err(fail)?;
        Ok(Self { stacks, lasts, before, after, status, events: log.events })
    }

    fn line(&self, values: Vec<f64>) -> StackLine {
        let sum = |wanted: &str| -> f64 {
            self.effects()
                .filter(|(_, what, ..)| *what == wanted)
                .map(|(_, _, _, amount, _)| amount)
                .fold(0.0, |all, one| all + one)
        };
        StackLine {
            stacks: self.stacks,
            values,
            damage: sum("damage"),
            healing: sum("heal"),
            restored: sum("restore"),
            drained: sum("drain"),
        }
    }

    /// The effects of the status: the time, the kind, the pool, the amount, and the amount left.
    fn effects(&self) -> impl Iterator<Item = (f64, &'static str, crate::program::PoolId, f64, f64)> {
        let mine = Source::Status(self.status);
        self.events.iter().filter_map(move |logged| {
            let (what, source, pool, amount, left) = match logged.event {
                Event::Hit { source, pool, amount, left, .. } => ("damage", source, pool, amount, left),
                Event::Healed { source, pool, amount, left, .. } => ("heal", source, pool, amount, left),
                Event::Restored { source, pool, gained, over, left, .. } => {
                    ("restore", source, pool, gained + over, left)
                }
                Event::Drained { source, pool, taken, over, left, .. } => ("drain", source, pool, taken + over, left),
                _ => return None,
            };
            (source == mine).then_some((logged.at.seconds(), what, pool, amount, left))
        })
    }

    fn ticks(&self, program: &Program) -> Vec<TickLine> {
        let mut moments: Vec<f64> = Vec::new();
        let mut lines = Vec::new();
        for (at, effect, pool, amount, left) in self.effects() {
            if moments.last() != Some(&at) {
                moments.push(at);
            }
            let pool = program.pools()[pool.index()].name.clone();
            lines.push(TickLine { tick: moments.len() as u32, at, effect, pool, amount, left });
        }
        lines
    }
}

fn all_attributes(setup: &Setup, fight: &Fight<Likely>) -> Vec<f64> {
    let program = setup.program();
    program.attribute_slots().map(|(_, slot, _)| fight.attribute(OWNER, slot)).collect()
}

/// Attributes that differ with some number of stacks, with their indices in the list of all.
fn changed_attributes(program: &Program, lives: &[Life]) -> Vec<(usize, String)> {
    let names = program.attribute_slots().map(|(name, _, _)| name);
    let changed = |index: usize| lives.iter().any(|life| life.before[index].to_bits() != life.after[index].to_bits());
    names.enumerate().filter(|(index, _)| changed(*index)).collect()
}

pub(super) fn modifiers(program: &Program, plan: &StatusPlan) -> Vec<ModifierLine> {
    let line = |modifier: &crate::program::ModifierPlan| {
        let info = program.attributes().iter().rev().find(|info| info.slot <= modifier.slot);
        let one_type = info.is_some_and(|info| info.per_type && modifier.slots == 1);
        let name = info.map_or_else(String::new, |info| info.name.clone());
        let of = info.map_or(0, |info| usize::from(modifier.slot.0 - info.slot.0));
        ModifierLine {
            attribute: if one_type { format!("{name}.{}", program.damage_types()[of].name) } else { name },
            kind: modifier.kind,
            formula: program.formula(modifier.amount).source.text.clone(),
        }
    };
    plan.modifiers.iter().map(line).collect()
}

pub(super) fn hit_steps(program: &Program, status: StatusId) -> Vec<String> {
    let line = |step: &crate::program::StepPlan| {
        let (role, _) = step.owned.filter(|(_, owner)| *owner == status)?;
        let hits = if role == crate::program::Role::Caster { "hits dealt" } else { "hits taken" };
        let text = |formula| program.formula(formula).source.text.clone();
        let amount = step.amount.map(|amount| format!(": {}", text(amount)));
        let when = step.when.map(|when| format!(", when {}", text(when)));
        let stop = step.stop.as_ref().map(|stop| format!(": {stop}"));
        let parts = [amount, stop, when].into_iter().flatten().collect::<String>();
        Some(format!("{}, {hits}{parts}", step.name))
    };
    program.hit_steps().iter().filter_map(line).collect()
}

/// Seconds between ticks, if they are known without a fight.
fn period_of(program: &Program, plan: &StatusPlan, every: &EveryPlan) -> Option<f64> {
    match every.pace {
        Pace::Period(period) => program.formula(period).as_number(),
        Pace::Ticks(ticks) => Some(program.formula(plan.duration?).as_number()? / f64::from(ticks)),
    }
}

fn again(plan: &StatusPlan) -> String {
    let per = if plan.per_caster { ", one instance for each caster" } else { "" };
    let words = match plan.reapply {
        Reapply::Keep => "has no effect while it lasts".to_owned(),
        Reapply::Refresh => "renews its time".to_owned(),
        Reapply::Extend => "adds its time".to_owned(),
        Reapply::Replace => "replaces the existing one".to_owned(),
        Reapply::Strongest => "is kept if its rank is higher".to_owned(),
        Reapply::Longest => "is kept if it ends later".to_owned(),
        Reapply::Separate if plan.max_instances == MOST_KEPT_APART => "is a separate instance".to_owned(),
        Reapply::Separate => format!("is a separate instance, up to {}", plan.max_instances),
        Reapply::Stack => {
            let timer = match plan.stack_timer {
                StackTimer::Refresh => "all share a renewed time",
                StackTimer::Keep => "the first time runs on",
                StackTimer::Each => "each ends on its own",
            };
            let most = if plan.max_stacks == u32::MAX { String::new() } else { format!(", up to {}", plan.max_stacks) };
            format!("stacks{most}; {timer}")
        }
    };
    format!("{words}{per}")
}

pub(super) fn control(plan: &StatusPlan) -> Vec<String> {
    let mut words = Vec::new();
    words.extend(plan.interrupts.then(|| "breaks a cast".to_owned()));
    words.extend(plan.taunts.then(|| "its owner picks the one that applied it first".to_owned()));
    words.extend(plan.turns.then(|| "its owner is on the side of the one that applied it".to_owned()));
    words.extend(match plan.untargetable {
        Untargetable::No => None,
        Untargetable::Enemies => Some("enemies cannot target its owner".to_owned()),
        Untargetable::Everyone => Some("nobody else can target its owner".to_owned()),
    });
    words
}

pub(super) fn forbids(program: &Program, plan: &StatusPlan) -> Vec<String> {
    let mut words = Vec::new();
    words.extend(plan.forbids_act.then(|| "any ability".to_owned()));
    words.extend(plan.forbids_move.then(|| "moving".to_owned()));
    let abilities = program.abilities().iter().filter(|ability| ability.forbidden_by & plan.forbids_tags != 0);
    words.extend(abilities.map(|ability| ability.name.clone()));
    words
}

fn trigger_line(program: &Program, trigger: &crate::program::TriggerPlan) -> TriggerLine {
    let text = |formula| program.formula(formula).source.text.clone();
    let mut only: Vec<String> = Vec::new();
    only.extend(trigger.crossing.map(|(pool, share)| {
        format!("{} at {} %", program.pools()[pool.index()].name, crate::program::plain(share * 100.0))
    }));
    only.extend((trigger.of != Subject::Owner).then(|| format!("of {}", trigger.of.name())));
    only.extend(trigger.status.as_ref().map(|statuses| program.name_statuses(statuses)));
    only.extend(trigger.ability.as_ref().map(|abilities| program.name_abilities(abilities)));
    only.extend(trigger.reason.map(|reason| reason.name().to_owned()));
    only.extend((trigger.event == TriggerEvent::StacksReached).then(|| format!("{} stacks", trigger.stacks)));
    only.extend(trigger.when.map(|when| format!("when {}", text(when))));
    only.extend(trigger.chance.map(|(chance, _)| format!("chance {}", text(chance))));
    only.extend(trigger.cooldown.map(|cooldown| format!("cooldown {} s", text(cooldown))));
    only.extend(trigger.uses.map(|uses| if uses == 1 { "once".to_owned() } else { format!("{uses} times") }));
    TriggerLine { event: trigger.event, only: only.join(", "), does: lines(program, &trigger.does) }
}
