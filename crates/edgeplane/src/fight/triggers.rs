//! What statuses answer to. Answers wait in a queue until whatever is under way is done, so that no
//! outcome is cut in two by what answers to it.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::limits::{FightError, FightErrorKind};
use super::outcomes::By;
use super::state::State;
use crate::program::{AbilityId, Chance, CombatantId, Frame, Layout, LostReason, PoolId, StatusId, Time, TriggerEvent};

/// What waits to be done for a status.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Cause {
    /// A tick at the very start.
    Tick,
    /// Its stacks are complete.
    AtMax,
    /// One of its triggers.
    Trigger(u16),
}

/// An answer that waits.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Pending {
    owner: CombatantId,
    serial: u32,
    cause: Cause,
    other: Option<CombatantId>,
    amount: f64,
    marks: u64,
    /// How many answers led to this one.
    depth: u32,
}

impl Pending {
    /// Something that concerns the owner alone.
    pub(super) fn own(owner: CombatantId, serial: u32, cause: Cause) -> Self {
        Self::of(owner, serial, cause, None)
    }

    /// Something that another takes part in.
    pub(super) fn of(owner: CombatantId, serial: u32, cause: Cause, other: Option<CombatantId>) -> Self {
        Self { owner, serial, cause, other, amount: 0.0, marks: 0, depth: 0 }
    }
}

/// What narrows a trigger down, as it happened.
#[derive(Clone, Copy, Default)]
pub(super) struct Circumstance {
    pub(super) other: Option<CombatantId>,
    pub(super) amount: f64,
    pub(super) marks: u64,
    pub(super) status: Option<StatusId>,
    pub(super) reason: Option<LostReason>,
    pub(super) ability: Option<AbilityId>,
    /// A pool, and the shares between which it has moved.
    pub(super) moved: Option<(PoolId, f64, f64)>,
}

/// At one moment there may be so many times more answers than one may follow from another.
const BREADTH: u64 = 100;

/// How many statuses that answered last are remembered, to name those of an endless chain.
const REMEMBERED: usize = 16;

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Whether the statuses of a combatant answer to anything.
    #[inline(always)]
    pub(super) fn listens(&self, who: CombatantId) -> bool {
        self.state.actors[who].listens != 0
    }

    /// Something happened to `owner` or by it: its statuses may answer.
    pub(super) fn raise(&mut self, event: TriggerEvent, owner: CombatantId, how: Circumstance) {
        if self.state.actors[owner].listens & event.bit() != 0 {
            self.raise_all(event, owner, how);
        }
    }

    #[cold]
    fn raise_all(&mut self, event: TriggerEvent, owner: CombatantId, how: Circumstance) {
        let State { statuses, queue, now, depth, waiting, .. } = &mut *self.state;
        for one in &statuses[owner.index()] {
            let plan = self.program.status(one.status);
            if plan.listens & event.bit() == 0 {
                continue;
            }
            for (number, trigger) in plan.triggers.iter().enumerate() {
                let (ready, left) = one.triggers[number];
                let crosses = trigger.crossing.is_none_or(|(pool, share)| {
                    how.moved.is_some_and(|(moved, from, to)| {
                        let (from, to) = if event == TriggerEvent::PoolBelow { (from, to) } else { (to, from) };
                        moved == pool && to <= share && share < from
                    })
                });
                let fits = trigger.event == event
                    && left > 0
                    && ready <= *now
                    && trigger.status.is_none_or(|only| how.status == Some(only))
                    && trigger.reason.is_none_or(|only| how.reason == Some(only))
                    && trigger.ability.is_none_or(|only| how.ability == Some(only))
                    && crosses;
                if fits {
                    let (other, amount, marks) = (how.other, how.amount, how.marks);
                    let cause = Cause::Trigger(number as u16);
                    let serial = one.serial;
                    queue.push_back(Pending { owner, serial, cause, other, amount, marks, depth: *depth });
                    *waiting = true;
                }
            }
        }
    }

    /// Something happened to one status itself.
    pub(super) fn raise_of(
        &mut self,
        event: TriggerEvent,
        owner: CombatantId,
        serial: u32,
        other: Option<CombatantId>,
        reason: Option<LostReason>,
    ) {
        let Some(index) = self.state.held(owner, serial) else { return };
        let plan = self.program.status(self.state.statuses[owner.index()][index].status);
        for (number, trigger) in plan.triggers.iter().enumerate() {
            if trigger.event == event && trigger.reason.is_none_or(|only| reason == Some(only)) {
                self.state.enqueue(Pending::of(owner, serial, Cause::Trigger(number as u16), other));
            }
        }
    }

    /// A combatant gained or lost a status.
    pub(super) fn raise_status(
        &mut self,
        event: TriggerEvent,
        owner: CombatantId,
        status: StatusId,
        caster: CombatantId,
        reason: Option<LostReason>,
    ) {
        let how = Circumstance { other: Some(caster), status: Some(status), reason, ..Circumstance::default() };
        self.raise(event, owner, how);
    }

    /// Gives all answers that wait, and those that they bring about.
    #[inline]
    pub(super) fn answer(&mut self) -> Outcome<()> {
        if self.state.waiting { self.answer_all() } else { Ok(()) }
    }

    #[cold]
    #[inline(never)]
    fn answer_all(&mut self) -> Outcome<()> {
        while let Some(pending) = self.state.queue.pop_front() {
            self.state.depth = pending.depth + 1;
            self.answer_one(pending)?;
        }
        self.state.depth = 0;
        self.state.waiting = false;
        let State { leaving, spare, .. } = &mut *self.state;
        spare.append(leaving);
        Ok(())
    }

    fn answer_one(&mut self, pending: Pending) -> Outcome<()> {
        let Pending { owner, serial, cause, .. } = pending;
        let index = self.state.held(owner, serial);
        match (cause, index) {
            (Cause::Tick, Some(index)) => self.tick(owner, index, 1.0),
            (Cause::AtMax, Some(index)) => {
                let one = &self.state.statuses[owner.index()][index];
                let (status, caster) = (one.status, one.caster);
                let plan = self.program.status(status);
                self.remember(status)?;
                self.load(owner, serial);
                self.bring_all(&By::of_status(owner, status, owner, caster), owner, &plan.at_max)?;
                match self.state.held(owner, serial).filter(|_| plan.consume) {
                    Some(index) => self.lose(owner, index, LostReason::Consumed),
                    None => Ok(()),
                }
            }
            (Cause::Trigger(number), _) => self.answer_trigger(pending, number as usize),
            _ => Ok(()),
        }
    }

    fn answer_trigger(&mut self, pending: Pending, number: usize) -> Outcome<()> {
        let Pending { owner, serial, other, amount, marks, .. } = pending;
        let Some(one) = self.state.anywhere(owner, serial) else { return Ok(()) };
        let (status, caster, (ready, left)) = (one.status, one.caster, one.triggers[number]);
        let program = self.program;
        let trigger = &program.status(status).triggers[number];
        let now = self.state.now;
        if left == 0 || ready > now {
            return Ok(());
        }
        self.load(owner, serial);
        self.state.memory.set_local(Layout::AMOUNT, amount);
        self.state.memory.set_local(Layout::INITIAL, amount);
        for mark in 0..program.marks.len() as u16 {
            let set = if marks >> mark & 1 == 1 { 1.0 } else { 0.0 };
            self.state.memory.set_local(Layout::MARKS + mark, set);
        }
        let frame = Frame::new(program, owner, other.unwrap_or(owner), 0, now.micros());
        if let Some(when) = trigger.when
            && self.number(when, &frame)? == 0.0
        {
            return Ok(());
        }
        if let Some((chance, site)) = trigger.chance {
            let chance = self.number(chance, &frame)?;
            if !self.chance.chance(self.stream_of(owner, site), chance) {
                return Ok(());
            }
        }
        let ready = match trigger.cooldown {
            Some(cooldown) => now + Time::from_seconds(self.positive(cooldown, &frame)?),
            None => Time::ZERO,
        };
        if let Some(one) = self.state.anywhere_mut(owner, serial) {
            let left = &mut one.triggers[number];
            *left = (ready, left.1 - 1);
        }
        self.remember(status)?;
        self.tell(Event::Triggered { who: owner, status, event: trigger.event });
        let by = By { other, ..By::of_status(owner, status, owner, caster) };
        self.bring_all(&by, owner, &trigger.does)
    }

    /// Puts what a status says of itself where formulas find it.
    fn load(&mut self, owner: CombatantId, serial: u32) {
        let index = self.state.held(owner, serial);
        let State { statuses, leaving, memory, now, .. } = &mut *self.state;
        let one = match index {
            Some(index) => statuses[owner.index()].get(index),
            None => leaving.iter().find(|one| one.serial == serial),
        };
        if let Some(one) = one {
            one.load(memory, *now);
        }
    }

    /// Counts an answer; too many without time passing are an endless chain.
    fn remember(&mut self, status: StatusId) -> Outcome<()> {
        let state = &mut *self.state;
        if state.recent.len() == REMEMBERED {
            state.recent.remove(0);
        }
        state.recent.push(status);
        state.answers += 1;
        // An endless chain is deep; one that branches is wide before it is deep.
        if state.depth < self.limits.chain && state.answers <= u64::from(self.limits.chain) * BREADTH {
            return Ok(());
        }
        let mut statuses = state.recent.clone();
        statuses.sort();
        statuses.dedup();
        let kind = FightErrorKind::Chain { limit: self.limits.chain, statuses };
        Err(Box::new(FightError { at: state.now, kind }))
    }
}

impl State {
    /// Lets an answer wait for its turn.
    pub(super) fn enqueue(&mut self, pending: Pending) {
        self.queue.push_back(Pending { depth: self.depth, ..pending });
        self.waiting = true;
    }

    /// A status of a combatant, or one that is about to leave.
    fn anywhere(&self, owner: CombatantId, serial: u32) -> Option<&super::held::Instance> {
        match self.held(owner, serial) {
            Some(index) => self.statuses[owner.index()].get(index),
            None => self.leaving.iter().find(|one| one.serial == serial),
        }
    }

    fn anywhere_mut(&mut self, owner: CombatantId, serial: u32) -> Option<&mut super::held::Instance> {
        match self.held(owner, serial) {
            Some(index) => self.statuses[owner.index()].get_mut(index),
            None => self.leaving.iter_mut().find(|one| one.serial == serial),
        }
    }
}
