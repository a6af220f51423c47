//! The statuses that combatants have: what is kept of each, and when something happens to it next.

use std::ops::{Deref, DerefMut};

use super::timeline::{Due, Lot, PHASE_BITS, Phase};
use crate::program::{
    CombatantId, EveryPlan, Holding, Layout, Memory, Program, StackTimer, StatusId, StatusPlan, Time,
};

/// One status on one combatant. What is asked of all statuses of a combatant stands side by side; the rest, which is
/// asked of one at a time, lies apart, so that walking over fifty statuses reads a page and not ten.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Instance {
    /// When something happens to it next.
    pub(super) next: Beat,
    /// Tells it apart from all others of the fight.
    pub(super) serial: u32,
    pub(super) stacks: u32,
    pub(super) status: StatusId,
    /// Who inflicted it.
    pub(super) caster: CombatantId,
    course: Box<Course>,
}

/// What is kept of one status besides.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Course {
    pub(super) rank: f64,
    pub(super) started: Time,
    /// Its full duration, as of the last application.
    pub(super) full: Time,
    pub(super) ends: Time,
    /// How many zones hold it: while any does, it does not end by itself.
    pub(super) held: u32,
    /// Its end has been announced.
    pub(super) warned: bool,
    /// Where the rhythm of its ticks begins, and how many beats there have been since.
    pub(super) rhythm: Time,
    pub(super) beats: u64,
    /// Zero for a status without ticks.
    pub(super) period: Time,
    pub(super) ticks_made: u32,
    /// Ticks from start to end, as they stood when it was applied.
    pub(super) ticks: f64,
    /// When each stack ends, for stacks that end each on its own.
    pub(super) stack_ends: Vec<Time>,
    /// Values kept from when it was applied.
    pub(super) kept: Vec<f64>,
    /// For each trigger: when it can answer again, and how often still.
    pub(super) triggers: Vec<(Time, u32)>,
}

impl Deref for Instance {
    type Target = Course;

    fn deref(&self) -> &Course {
        &self.course
    }
}

impl DerefMut for Instance {
    fn deref_mut(&mut self) -> &mut Course {
        &mut self.course
    }
}

/// A moment and a phase of it, in one number that is the less the sooner it comes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Beat(u64);

impl Beat {
    /// Later than anything that happens.
    pub(super) const NEVER: Self = Self(u64::MAX);

    pub(super) fn of(at: Time, phase: Phase) -> Self {
        Self(at.0 << PHASE_BITS | phase as u64)
    }

    pub(super) fn at(self) -> Time {
        Time(self.0 >> PHASE_BITS)
    }

    /// The same as somebody's timer.
    pub(super) fn due(self, lot: Lot) -> Due {
        lot.on(self.0)
    }

    pub(super) fn phase(self) -> Phase {
        Phase::of(self.0)
    }
}

/// How often a status that holds only under a condition looks at it, besides after every change.
const LOOK: Time = Time(100_000);

impl Instance {
    /// One with room for whatever the statuses of a ruleset keep, so that it can be used again for any.
    pub(super) fn roomy(program: &Program) -> Self {
        let most = |count: fn(&StatusPlan) -> usize| program.statuses().iter().map(count).max().unwrap_or(0);
        let stacks =
            most(|plan| if plan.stack_timer == StackTimer::Each { plan.max_stacks.min(32) as usize } else { 0 });
        Self {
            course: Box::new(Course {
                kept: Vec::with_capacity(most(|plan| plan.kept.len())),
                triggers: Vec::with_capacity(most(|plan| plan.triggers.len())),
                stack_ends: Vec::with_capacity(stacks),
                ..Course::default()
            }),
            ..Self::default()
        }
    }

    /// The next beat of its rhythm, if that is not after its end.
    pub(super) fn next_beat(&self) -> Option<Time> {
        if self.period == Time::ZERO {
            return None;
        }
        let at = self.rhythm + Time(self.period.0.saturating_mul(self.beats + 1));
        (at <= self.end() && at < Time::NEVER).then_some(at)
    }

    /// When it ends by itself.
    pub(super) fn end(&self) -> Time {
        if self.held > 0 { Time::NEVER } else { self.ends }
    }

    /// A zone that has held it holds it no more: it goes on until then, or for as long as others have given it.
    pub(super) fn linger(&mut self, until: Time) {
        let keeps = |end: Time| if end < Time::NEVER { end.max(until) } else { until };
        self.ends = keeps(self.ends);
        self.stack_ends.iter_mut().for_each(|end| *end = keeps(*end));
        self.warned = false;
    }

    /// When the first of its stacks, or all of it, ends.
    pub(super) fn next_end(&self) -> Time {
        if self.held > 0 {
            return Time::NEVER;
        }
        self.stack_ends.iter().copied().min().unwrap_or(self.ends)
    }

    /// Finds out when something happens to it next.
    pub(super) fn schedule(&mut self, plan: &StatusPlan, now: Time) {
        let mut next = Beat::of(self.next_end(), Phase::Expire);
        if let Some(beat) = self.next_beat() {
            next = next.min(Beat::of(beat, Phase::Tick));
        }
        if let Some(warn) = plan.warn.filter(|_| !self.warned && self.end() < Time::NEVER) {
            next = next.min(Beat::of((self.ends - warn).max(now), Phase::Tick));
        }
        if plan.holds_while.is_some() {
            next = next.min(Beat::of(now + LOOK, Phase::Expire));
        }
        self.next = next;
    }

    /// Sets stacks one by one, or all, to end at a moment.
    pub(super) fn renew_stacks(&mut self, more: u32, most: u32, ends: Time) {
        for _ in 0..more.min(most) {
            if self.stack_ends.len() as u32 >= most {
                // There is no room: the stack that would end first is renewed.
                if let Some(first) = self.stack_ends.iter_mut().min() {
                    *first = ends;
                }
            } else {
                self.stack_ends.push(ends);
            }
        }
        self.stacks = self.stack_ends.len() as u32;
        self.ends = self.stack_ends.iter().copied().max().unwrap_or(ends);
    }

    /// The share of a period that has passed since the last beat.
    pub(super) fn part(&self) -> f64 {
        let last = self.rhythm + Time(self.period.0.saturating_mul(self.beats));
        let passed = self.ends - last;
        if self.period == Time::ZERO { 0.0 } else { passed.0 as f64 / self.period.0 as f64 }
    }

    /// Puts what formulas ask of it where they find it.
    pub(super) fn load(&self, memory: &mut Memory, now: Time) {
        memory.set_local(Layout::STACKS, f64::from(self.stacks));
        memory.set_local(Layout::TICK, f64::from(self.ticks_made));
        memory.set_local(Layout::TICKS, self.ticks);
        memory.set_local(Layout::ELAPSED, (now - self.started).seconds());
        memory.set_local(Layout::REMAINING, seconds_left(self.end(), now));
        for (kept, value) in self.kept.iter().enumerate() {
            memory.set_local(Layout::KEPT + kept as u16, *value);
        }
    }
}

/// Seconds until an end; infinite for one that does not come by itself.
pub(super) fn seconds_left(ends: Time, now: Time) -> f64 {
    if ends >= Time::NEVER { f64::INFINITY } else { (ends - now).seconds() }
}

/// Ticks within a duration.
pub(super) fn ticks_within(every: &EveryPlan, duration: Time, period: Time) -> f64 {
    if duration >= Time::NEVER {
        return f64::INFINITY;
    }
    let whole = (duration.0 / period.0.max(1)) as f64;
    if every.first_now { whole + 1.0 } else { whole }
}

/// The statuses of one combatant at a moment.
pub(super) struct Held<'a> {
    pub(super) instances: &'a [Instance],
    pub(super) now: Time,
}

impl Holding for Held<'_> {
    fn count(&self) -> usize {
        self.instances.len()
    }

    fn status(&self, index: usize) -> StatusId {
        self.instances[index].status
    }

    fn load(&self, index: usize, memory: &mut Memory) {
        self.instances[index].load(memory, self.now);
    }
}
