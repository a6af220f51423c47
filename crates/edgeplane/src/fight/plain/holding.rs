//! Statuses in a plain fight: applied, ticking, ending.
//!
//! The same as the engine does in `inflict` and `statuses`, for statuses that do nothing but change numbers and tick.

use super::NOTHING;
use super::choosing::will_choose;
use super::lane::{Does, Held, Lane};
use super::outcomes::Dose;
use super::plan::{MOST_FIGHTERS, NO_STRIKE, PlainPlan};
use super::settled::{MOST_CURSORS, MOST_STATUSES};
use super::statuses::{MOST_ENDS, Renewal, SettledStatus, Span};
use super::strike::{at, bring_all, strike};
use crate::fight::event::{Applied, Event, Observer, Source, StatusRefusal};
use crate::fight::held::Beat;
use crate::fight::timeline::Phase;
use crate::program::{Chance, CombatantId, LostReason, Time};

impl Held {
    /// Sets stacks one by one, or all, to end at a moment, as [`Instance`](crate::fight::held::Instance) does.
    fn renew_stacks(&mut self, more: u32, most: u32, ends: Time) {
        for _ in 0..more.min(most) {
            let there = &mut self.stack_ends[..(self.stacks as usize).min(MOST_ENDS)];
            if self.stacks >= most {
                if let Some(first) = there.iter_mut().min() {
                    *first = ends;
                }
            } else {
                self.stack_ends[self.stacks as usize % MOST_ENDS] = ends;
                self.stacks += 1;
            }
        }
        self.ends = self.each_end().iter().copied().max().unwrap_or(ends);
    }

    #[inline(always)]
    fn begin(&mut self, of: &SettledStatus, (now, ends): (Time, Time), stacks: u32, span: &Span) {
        (self.started, self.rhythm, self.ends) = (now, now, ends);
        (self.beats, self.ticks_made) = (0, 0);
        (self.period, self.ticks, self.tick_at) = (span.period, span.ticks, now + span.period);
        if of.ends_apart {
            self.renew_stacks(stacks, of.most, ends);
        } else {
            self.stacks = stacks.min(of.most);
        }
    }

    /// When each stack ends, where each ends on its own.
    pub(super) fn each_end(&self) -> &[Time] {
        &self.stack_ends[..(self.stacks as usize).min(MOST_ENDS)]
    }

    /// When something happens to it next.
    #[inline(always)]
    pub(super) fn next(&self, of: &SettledStatus) -> Beat {
        let end = if of.ends_apart { self.each_end().iter().copied().min() } else { None };
        let next = Beat::of(end.unwrap_or(self.ends), Phase::Expire);
        let ticks = self.period != Time::ZERO && self.tick_at <= self.ends && self.tick_at < Time::NEVER;
        if ticks { next.min(Beat::of(self.tick_at, Phase::Tick)) } else { next }
    }
}

/// Applies a status.
#[inline(never)]
pub(super) fn inflict<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    (caster, target): (CombatantId, CombatantId),
    Dose { status, span, stacks, resist }: Dose,
) {
    let (status, span) = (usize::from(status), plan.spans[at(lane, span)]);
    let (now, of) = (lane.now, &plan.statuses[status]);
    if span.resist > 0.0 && chance.chance(resist, span.resist) {
        let (status, reason) = (of.id, StatusRefusal::Resisted);
        return observer.event(now, Event::StatusRefused { caster, target, status, reason });
    }
    let held = &mut lane.held[target.index() % MOST_FIGHTERS][status % MOST_STATUSES];
    let (before, ends) = (held.stacks, now + span.duration);
    let mut moves = true;
    let applied = match of.again {
        _ if before == 0 => {
            held.begin(of, (now, ends), stacks, &span);
            (held.caster, held.serial) = (caster, lane.next_serial);
            lane.next_serial += 1;
            Applied::New
        }
        Renewal::Nothing => {
            let (status, reason) = (of.id, StatusRefusal::There);
            return observer.event(now, Event::StatusRefused { caster, target, status, reason });
        }
        Renewal::Refresh => {
            held.ends = ends;
            Applied::Renewed
        }
        Renewal::Extend => {
            held.ends = (held.ends + span.duration).max(held.ends);
            Applied::Extended
        }
        Renewal::Stack => {
            held.stacks = before.saturating_add(stacks).min(of.most);
            held.ends = ends;
            Applied::Stacked
        }
        Renewal::StackUp => {
            held.stacks = before.saturating_add(stacks).min(of.most);
            moves = of.restarts;
            Applied::Stacked
        }
        Renewal::StackApart => {
            held.renew_stacks(stacks, of.most, ends);
            Applied::Stacked
        }
    };
    held.full = span.duration;
    if before != 0 && of.restarts {
        (held.rhythm, held.beats, held.tick_at) = (now, 0, now + held.period);
    }
    let (total, until) = (held.stacks, (held.ends < Time::NEVER).then_some(held.ends));
    let next = if moves { held.next(of) } else { Beat::NEVER };
    observer.event(now, Event::StatusGained { caster, target, status: of.id, stacks: total, total, until, applied });
    changed(plan, lane, target, status, total.wrapping_sub(before));
    if moves {
        lane.beats[target.index() % MOST_FIGHTERS][status % MOST_STATUSES] = next;
        schedule(plan, lane, target);
    }
}

/// What is due now to the statuses of a combatant, ticks or ends, in the order in which they came.
#[inline(never)]
pub(super) fn status_timer<C: Chance, O: Observer, const TWO: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    (who, phase): (CombatantId, Phase),
) {
    let now = Beat::of(lane.now, phase);
    let all = plan.statuses.len().min(MOST_STATUSES);
    let mut due = 0_u32;
    for (status, next) in lane.beats[who.index() % MOST_FIGHTERS][..all].iter().enumerate() {
        due |= u32::from(*next <= now) << status;
    }
    while due != 0 {
        let mut first = due.trailing_zeros() as usize;
        if due & (due - 1) != 0 {
            first = oldest(lane, who, due);
        }
        if phase == Phase::Tick {
            tick::<C, O, TWO>(plan, lane, chance, observer, (who, first));
        } else {
            end(plan, lane, observer, (who, first));
        }
        due &= !(1 << (first % MOST_STATUSES));
    }
    schedule(plan, lane, who);
}

/// Which of some statuses, one bit each, came first.
#[cold]
fn oldest(lane: &Lane, who: CombatantId, due: u32) -> usize {
    let serial = |status: &usize| lane.held[who.index() % MOST_FIGHTERS][*status].serial;
    (0..MOST_STATUSES).filter(|status| due >> status & 1 == 1).min_by_key(serial).unwrap_or(0)
}

#[inline(never)]
fn tick<C: Chance, O: Observer, const TWO: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    (who, status): (CombatantId, usize),
) {
    let of = &plan.statuses[status];
    let now = lane.now;
    let held = &mut lane.held[who.index() % MOST_FIGHTERS][status % MOST_STATUSES];
    held.beats += 1;
    held.ticks_made += 1;
    held.tick_at = held.tick_at + held.period;
    let (caster, tick) = (held.caster, held.ticks_made);
    lane.beats[who.index() % MOST_FIGHTERS][status % MOST_STATUSES] = held.next(of);
    observer.event(now, Event::StatusTicked { target: who, caster, status: of.id, tick });
    let ticks = &plan.ticks[who.index() % MOST_FIGHTERS][status % MOST_STATUSES][caster.index() % MOST_FIGHTERS];
    let source = Source::Status(of.id);
    if ticks.strike == NO_STRIKE {
        bring_all::<C, O, TWO>(plan, lane, chance, observer, (caster, source), ticks.does);
    } else if TWO || lane.bodies[who.index() % MOST_FIGHTERS].stands {
        strike(plan, lane, chance, observer, (caster, who, source), at(lane, ticks.strike));
    }
}

/// An end is due: of some stacks, or of all of it.
#[inline(never)]
fn end<O: Observer>(plan: &PlainPlan, lane: &mut Lane, observer: &mut O, (who, status): (CombatantId, usize)) {
    let of = &plan.statuses[status];
    let now = lane.now;
    let held = &mut lane.held[who.index() % MOST_FIGHTERS][status % MOST_STATUSES];
    let (before, caster) = (held.stacks, held.caster);
    if held.ends > now {
        let mut left = 0;
        for at in 0..(before as usize).min(MOST_ENDS) {
            if held.stack_ends[at] > now {
                held.stack_ends[left] = held.stack_ends[at];
                left += 1;
            }
        }
        held.stacks = left as u32;
        lane.beats[who.index() % MOST_FIGHTERS][status % MOST_STATUSES] = held.next(of);
        let stacks = held.stacks;
        observer.event(now, Event::StatusStacks { target: who, status: of.id, stacks, total: stacks });
        changed(plan, lane, who, status, stacks.wrapping_sub(before));
        return;
    }
    held.stacks = 0;
    lane.beats[who.index() % MOST_FIGHTERS][status % MOST_STATUSES] = Beat::NEVER;
    let reason = LostReason::Expired;
    observer.event(now, Event::StatusLost { target: who, caster, status: of.id, stacks: before, total: 0, reason });
    changed(plan, lane, who, status, before.wrapping_neg());
}

/// After stacks have changed: numbers that hang on them stand elsewhere, and who waits with conditions looks again if
/// its attributes have changed.
#[inline(always)]
fn changed(plan: &PlainPlan, lane: &mut Lane, who: CombatantId, status: usize, by: u32) {
    if by == 0 {
        return;
    }
    let looks = plan.looks_at[who.index() % MOST_FIGHTERS].map(|cursor| usize::from(cursor) % MOST_CURSORS);
    let before = looks.map(|cursor| lane.cursors[cursor]);
    lane.shift(plan, who.index(), status, by);
    let (Some(cursor), Some(before)) = (looks, before) else { return };
    let look = |at: u32| plan.looks.get(at as usize);
    let body = &lane.bodies[who.index() % MOST_FIGHTERS];
    if look(before) != look(lane.cursors[cursor]) && body.does == Does::NOTHING && body.stands {
        will_choose(lane, who);
    }
}

/// Sets the timer for what happens next to the statuses of a combatant.
#[inline(always)]
fn schedule(plan: &PlainPlan, lane: &mut Lane, who: CombatantId) {
    let place = who.index() % MOST_FIGHTERS;
    let all = plan.statuses.len().min(MOST_STATUSES);
    let next = lane.beats[place][..all].iter().fold(Beat::NEVER, |next, one| next.min(*one));
    let lot = lane.bodies[place].lot;
    lane.keys[MOST_FIGHTERS + place] = if next.at() < Time::NEVER { next.due(lot) } else { NOTHING };
}
