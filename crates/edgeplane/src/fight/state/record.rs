//! One instance of a status on one combatant: a record of fixed size, and the times derived from it.

use crate::numbers::Whole;
use crate::program::status_words::RHYTHM_WORDS;
use crate::program::{CombatantId, SideId, StatusId, StatusPlan, Time};

/// No record, no words, no end time.
pub(in crate::fight) const NONE: u32 = u32::MAX;

/// The maximum number of records, and of end times of single stacks.
pub(in crate::fight) const MOST: usize = u16::MAX as usize;

/// The index of another record or end time in two bytes, or none.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct Link(u16);

impl Link {
    pub(super) const NONE: Self = Self(u16::MAX);

    #[inline]
    pub(super) fn to(index: u32) -> Self {
        Self(index as u16)
    }

    /// The index or [`NONE`].
    #[inline]
    pub(super) fn index(self) -> u32 {
        if self == Self::NONE { NONE } else { u32::from(self.0) }
    }

    /// The index; for none, a value beyond all valid indices.
    #[inline]
    pub(super) fn at(self) -> usize {
        usize::from(self.0)
    }
}

/// Its end has been announced.
const WARNED: u16 = 1 << 15;

/// Its owner has it.
const ATTACHED: u16 = 1 << 14;

/// The number of holders.
const HOLDS: u16 = ATTACHED - 1;

/// One status on one combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Record {
    /// Unique in the fight, in order of application.
    pub(in crate::fight) serial: u32,
    pub(in crate::fight) stacks: u32,
    pub(in crate::fight) status: StatusId,
    pub(in crate::fight) owner: CombatantId,
    /// The combatant that applied it.
    pub(in crate::fight) caster: CombatantId,
    /// The side of that combatant at the time of application.
    pub(in crate::fight) side: SideId,
    /// The number of zones or uses that hold it, whether its end has been announced, and whether its owner has it.
    pub(super) marks: u16,
    pub(super) next_held: Link,
    pub(super) previous_held: Link,
    pub(super) next_same: Link,
    /// In the oldest instance of a status: the youngest one.
    pub(super) last_same: Link,
    /// The stack that ends first, for stacks with individual end times.
    pub(super) first_end: Link,
    pub(super) words: u32,
    pub(in crate::fight) started: Time,
    /// Its full duration, as of the last application.
    pub(in crate::fight) full: Time,
    pub(in crate::fight) ends: Time,
}

impl Default for Record {
    fn default() -> Self {
        Self {
            serial: 0,
            stacks: 0,
            status: StatusId(0),
            owner: CombatantId(0),
            caster: CombatantId(0),
            side: SideId(0),
            marks: 0,
            next_held: Link::NONE,
            previous_held: Link::NONE,
            next_same: Link::NONE,
            last_same: Link::NONE,
            first_end: Link::NONE,
            words: NONE,
            started: Time::ZERO,
            full: Time::ZERO,
            ends: Time::NEVER,
        }
    }
}

/// A reference to an instance that may have ended in the meantime.
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
        if self.is_held() { Time::NEVER } else { self.ends }
    }

    /// Whether zones or uses hold it: while any does, it does not end by itself.
    #[inline]
    pub(in crate::fight) fn is_held(&self) -> bool {
        self.marks & HOLDS != 0
    }

    /// Adds a holder.
    pub(in crate::fight) fn hold(&mut self) {
        self.marks += u16::from(self.marks & HOLDS < HOLDS);
    }

    /// Removes a holder.
    pub(in crate::fight) fn remove_hold(&mut self) {
        self.marks -= u16::from(self.is_held());
    }

    /// Whether its end has been announced.
    #[inline]
    pub(in crate::fight) fn is_warned(&self) -> bool {
        self.marks & WARNED != 0
    }

    pub(in crate::fight) fn set_warned(&mut self, warned: bool) {
        self.marks = if warned { self.marks | WARNED } else { self.marks & !WARNED };
    }

    /// Whether its owner has it; otherwise it only waits for triggers of its loss.
    #[inline]
    pub(in crate::fight) fn is_attached(&self) -> bool {
        self.marks & ATTACHED != 0
    }

    pub(super) fn set_attached(&mut self, attached: bool) {
        self.marks = if attached { self.marks | ATTACHED } else { self.marks & !ATTACHED };
    }
}

/// The ticks of one status on one combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(in crate::fight) struct Rhythm {
    /// The start of the first period.
    pub(in crate::fight) begins: Time,
    /// Microseconds between ticks, unrounded; 0 if it does not tick.
    pub(in crate::fight) period: f64,
    /// The number of ticks from start to end, as of its application.
    pub(in crate::fight) ticks: f64,
    /// The number of ticks so far, and of periods since the start.
    pub(in crate::fight) made: u32,
    pub(in crate::fight) passed: u32,
}

impl Rhythm {
    #[inline]
    pub(super) fn from_words(&[begins, period, ticks, counts]: &[u64; RHYTHM_WORDS as usize]) -> Self {
        let (period, ticks) = (f64::from_bits(period), f64::from_bits(ticks));
        Self { begins: Time(begins), period, ticks, made: counts as u32, passed: (counts >> 32) as u32 }
    }

    #[inline]
    pub(super) fn words(self) -> [u64; RHYTHM_WORDS as usize] {
        let counts = u64::from(self.passed) << 32 | u64::from(self.made);
        [self.begins.0, self.period.to_bits(), self.ticks.to_bits(), counts]
    }

    /// The time of a tick, given its number from 1; rounded once, so that ticks do not drift.
    #[inline]
    fn tick_at(&self, number: u32) -> Time {
        let micros = self.period * f64::from(number) + 0.5;
        if micros < Time::NEVER.micros() { self.begins + Time(micros as u64) } else { Time::NEVER }
    }

    /// The next tick, if it is not after the end of the status.
    #[inline]
    pub(in crate::fight) fn next_tick(&self, record: &Record) -> Option<Time> {
        if self.period == 0.0 {
            return None;
        }
        let at = self.tick_at(self.passed + 1);
        (at <= record.end() && at < Time::NEVER).then_some(at)
    }

    /// The share and the time of the partial tick for the rest of a period at the end of the status.
    #[inline]
    pub(in crate::fight) fn part_tick(&self, record: &Record, plan: &StatusPlan) -> Option<(Time, f64)> {
        let has_part = plan.every.as_ref().is_some_and(|every| every.part_tick) && record.end() < Time::NEVER;
        if !has_part || self.period == 0.0 || self.next_tick(record).is_some() {
            return None;
        }
        let part = (record.ends - self.tick_at(self.passed)).micros() / self.period;
        (part > 1e-9 && part < 1.0).then_some((record.ends, part))
    }
}

/// The number of ticks within a duration; the last one may coincide with its end.
pub(in crate::fight) fn ticks_within(first_now: bool, duration: Time, period: f64) -> f64 {
    if duration >= Time::NEVER {
        return f64::INFINITY;
    }
    let whole = ((duration.micros() + 0.5) / period).whole_below();
    let last = (whole * period + 0.5).whole_below();
    let whole = if last > duration.micros() { whole - 1.0 } else { whole };
    if first_now { whole + 1.0 } else { whole }
}

/// Seconds until an end time; infinite if it does not end by itself.
pub(in crate::fight) fn seconds_left(ends: Time, now: Time) -> f64 {
    if ends >= Time::NEVER { f64::INFINITY } else { (ends - now).seconds() }
}
