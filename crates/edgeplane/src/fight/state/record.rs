//! One status on one combatant: a record of fixed size, and the moments that follow from it.

use super::timers::Due;
use crate::program::{CombatantId, SideId, StatusId, StatusPlan, Time};

/// No record, no word, no end.
pub(in crate::fight) const NONE: u32 = u32::MAX;

/// One status on one combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Record {
    /// When something happens to it next.
    pub(in crate::fight) due: Due,
    /// Unique in the fight; they come in this order.
    pub(in crate::fight) serial: u32,
    pub(in crate::fight) stacks: u32,
    pub(in crate::fight) status: StatusId,
    pub(in crate::fight) owner: CombatantId,
    /// Who applied it.
    pub(in crate::fight) caster: CombatantId,
    /// The side that the one who applied it was on then.
    pub(in crate::fight) side: SideId,
    /// Its end has been announced.
    pub(in crate::fight) warned: bool,
    /// Its owner has it; false while it only waits for what is triggered by its loss.
    pub(in crate::fight) attached: bool,
    /// How many zones, or uses, hold it: while any does, it does not end by itself.
    pub(in crate::fight) holds: u32,
    /// Ticks so far, and periods since the rhythm began.
    pub(in crate::fight) ticks_made: u32,
    pub(in crate::fight) since_rhythm: u32,
    pub(in crate::fight) started: Time,
    /// Its full duration, as of the last application.
    pub(in crate::fight) full: Time,
    pub(in crate::fight) ends: Time,
    /// Where the rhythm of its ticks begins.
    pub(in crate::fight) rhythm: Time,
    /// When its condition may turn, with nothing else happening.
    pub(in crate::fight) turns: Time,
    /// Microseconds between ticks, as exact as they were computed; zero for a status without ticks.
    pub(in crate::fight) period: f64,
    /// Ticks from start to end, as of its application.
    pub(in crate::fight) ticks: f64,
    pub(in crate::fight) rank: f64,
    pub(super) words: u32,
    pub(super) word_count: u32,
    /// The stack that ends first, for stacks that end each on its own.
    pub(super) first_end: u32,
    pub(super) next_held: u32,
    pub(super) previous_held: u32,
    pub(super) next_same: u32,
    /// In the oldest of a status: the youngest.
    pub(super) last_same: u32,
}

impl Default for Record {
    fn default() -> Self {
        Self {
            due: Due::NOTHING,
            serial: 0,
            stacks: 0,
            status: StatusId(0),
            owner: CombatantId(0),
            caster: CombatantId(0),
            side: SideId(0),
            warned: false,
            attached: false,
            holds: 0,
            ticks_made: 0,
            since_rhythm: 0,
            started: Time::ZERO,
            full: Time::ZERO,
            ends: Time::NEVER,
            rhythm: Time::ZERO,
            turns: Time::NEVER,
            period: 0.0,
            ticks: 0.0,
            rank: 0.0,
            words: NONE,
            word_count: 0,
            first_end: NONE,
            next_held: NONE,
            previous_held: NONE,
            next_same: NONE,
            last_same: NONE,
        }
    }
}

/// An instance that may be gone by the time somebody looks.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct StatusRef {
    pub(in crate::fight) index: u32,
    pub(in crate::fight) serial: u32,
}

impl Record {
    /// When it ends by itself.
    #[inline]
    pub(in crate::fight) fn end(&self) -> Time {
        if self.holds > 0 { Time::NEVER } else { self.ends }
    }

    /// The moment of a tick of its rhythm, by its number from 1: rounded once, so that ticks never drift.
    #[inline]
    fn tick_at(&self, number: u32) -> Time {
        let micros = self.period * f64::from(number) + 0.5;
        if micros < Time::NEVER.micros() { self.rhythm + Time(micros as u64) } else { Time::NEVER }
    }

    /// The next tick of its rhythm, if that is not after its end.
    #[inline]
    pub(in crate::fight) fn next_tick(&self) -> Option<Time> {
        if self.period == 0.0 {
            return None;
        }
        let at = self.tick_at(self.since_rhythm + 1);
        (at <= self.end() && at < Time::NEVER).then_some(at)
    }

    /// The part of a tick for what is left of a period at its end, and when that is.
    #[inline]
    pub(in crate::fight) fn part_tick(&self, plan: &StatusPlan) -> Option<(Time, f64)> {
        let has_part = plan.every.as_ref().is_some_and(|every| every.part_tick) && self.end() < Time::NEVER;
        if !has_part || self.period == 0.0 || self.next_tick().is_some() {
            return None;
        }
        let part = (self.ends - self.tick_at(self.since_rhythm)).micros() / self.period;
        (part > 1e-9 && part < 1.0).then_some((self.ends, part))
    }
}

/// Ticks within a duration: the last of them may come at its very end.
pub(in crate::fight) fn ticks_within(first_now: bool, duration: Time, period: f64) -> f64 {
    if duration >= Time::NEVER {
        return f64::INFINITY;
    }
    let whole = ((duration.micros() + 0.5) / period).floor();
    let last = (whole * period + 0.5).floor();
    let whole = if last > duration.micros() { whole - 1.0 } else { whole };
    if first_now { whole + 1.0 } else { whole }
}

/// Seconds until an end; infinite for one that does not come by itself.
pub(in crate::fight) fn seconds_left(ends: Time, now: Time) -> f64 {
    if ends >= Time::NEVER { f64::INFINITY } else { (ends - now).seconds() }
}
