//! From moment to moment.
//!
//! There is no fixed step: the fight jumps to the next thing due. Within a moment, first everything
//! due happens (what takes effect, then pools that run empty, then readiness), then defeats are
//! settled, then whoever is ready chooses, all of them looking at the same state. What a choice
//! brings about at once makes another wave of the same moment.

use super::event::{Ending, Event, Observer};
use super::filled::FilledHits;
use super::inflict::Dose;
use super::leading::Leader;
use super::limits::{FightError, FightErrorKind, Limits};
use super::outcomes::By;
use super::state::{Doing, State};
use super::timeline::{Due, Phase, Timer};
use super::triggers::Circumstance;
use super::zones::IN_USE;
use crate::program::{
    Chance, CharacterPlan, CombatantId, Fault, FormulaId, Frame, Layout, LostReason, PoolId, Program, Setup, SideId,
    StatusId, Time, TriggerEvent, pool_slot,
};

/// Errors are boxed within the engine: a result that is nearly always good should be small.
pub(super) type Outcome<T> = Result<T, Box<FightError>>;

/// The parts of a fight, borrowed for as long as a call lasts.
pub(super) struct Engine<'a, C, O> {
    pub(super) program: &'a Program,
    pub(super) setup: &'a Setup,
    pub(super) state: &'a mut State,
    pub(super) chance: &'a mut C,
    pub(super) observer: &'a mut O,
    pub(super) limits: Limits,
    /// Who chooses for combatants that are led.
    pub(super) leader: Option<&'a mut dyn Leader>,
    pub(super) filled: &'a mut FilledHits,
    /// The statuses that combatants have from the start are coming: caps are told when all are there.
    pub(super) dressing: bool,
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    #[inline]
    pub(super) fn tell(&mut self, event: Event) {
        self.observer.event(self.state.now, event);
    }

    #[cold]
    pub(super) fn fault(&self, fault: Box<Fault>) -> Box<FightError> {
        Box::new(FightError { at: self.state.now, kind: FightErrorKind::Fault(fault) })
    }

    /// Evaluates a formula, and tells of it where that is asked for.
    #[inline(always)]
    pub(super) fn number(&mut self, formula: FormulaId, frame: &Frame) -> Outcome<f64> {
        let State { memory, scratch, .. } = &mut *self.state;
        match self.program.number(formula, memory, frame, self.chance, &mut scratch.draws) {
            Ok(value) => {
                if O::DETAIL {
                    self.tell_formula(formula, frame);
                }
                Ok(value)
            }
            Err(fault) => Err(self.fault(fault)),
        }
    }

    /// The same without telling: for what is only looked at.
    #[inline]
    pub(super) fn quiet_number(&mut self, formula: FormulaId, frame: &Frame) -> Outcome<f64> {
        let State { memory, scratch, .. } = &mut *self.state;
        self.program.number(formula, memory, frame, self.chance, &mut scratch.draws).map_err(|fault| self.fault(fault))
    }

    fn tell_formula(&mut self, formula: FormulaId, frame: &Frame) {
        let draws = self.state.scratch.draws.all();
        if let Ok(reading) = self.program.formula(formula).tree.read(self.program, &self.state.memory, frame, draws) {
            self.observer.formula(self.state.now, formula, &reading);
        }
    }

    /// A number that cannot be below zero: a time, a cost.
    #[inline(always)]
    pub(super) fn positive(&mut self, formula: FormulaId, frame: &Frame) -> Outcome<f64> {
        let value = self.number(formula, frame)?;
        if value >= 0.0 { Ok(value) } else { Err(self.below_zero(formula, value, frame)) }
    }

    #[cold]
    fn below_zero(&mut self, formula: FormulaId, value: f64, frame: &Frame) -> Box<FightError> {
        let State { memory, scratch, .. } = &*self.state;
        let fault = self.program.negative_fault(formula, value, memory, frame, &scratch.draws);
        self.fault(Box::new(fault))
    }

    pub(super) fn run(&mut self) -> Outcome<Ending> {
        match self.advance(Time::NEVER)? {
            Some(ending) => Ok(ending),
            // Only hand-controlled combatants are left, and nobody's hand is here.
            None => Ok(self.end(Ending::Stalemate)),
        }
    }

    pub(super) fn advance(&mut self, until: Time) -> Outcome<Option<Ending>> {
        if !self.state.began {
            self.begin()?;
        }
        // Something may have been done by hand since.
        while self.state.ending.is_none() && std::mem::take(&mut self.state.attention) {
            self.attend()?;
        }
        // Courses too: whom that concerns looks again before anything else happens.
        if self.state.moved && self.state.ending.is_none() {
            self.choose_again()?;
        }
        let last = until.min(self.setup.time_limit);
        let mut due = self.state.timeline.next();
        while self.state.ending.is_none() {
            if due.at() > last {
                self.pass_until(due, until);
                break;
            }
            self.state.now = due.at();
            due = self.moment(due)?;
        }
        Ok(self.state.ending)
    }

    pub(super) fn begin(&mut self) -> Outcome<()> {
        self.tell(Event::Began);
        self.dressing = true;
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if self.state.actors[who].stands {
                self.dress(who)?;
            }
        }
        self.dressing = false;
        for rank in 0..self.state.order.len() {
            self.raise(TriggerEvent::FightBegan, self.state.order[rank], Circumstance::default());
        }
        self.answer()?;
        self.state.began = true;
        if self.state.timeline.has_empty_timers() {
            self.setup.ids().for_each(|who| self.schedule_empty(who));
        }
        Ok(())
    }

    /// A combatant gets the statuses that it has from the start, and its pools follow.
    pub(super) fn dress(&mut self, who: CombatantId) -> Outcome<()> {
        let character = &self.program.characters[self.setup.combatants[who.index()].character.index()];
        for status in &character.statuses {
            let by = By::of_status(who, *status, who, who);
            self.inflict(&by, who, *status, Dose { stacks: 1, duration: Some(f64::INFINITY) })?;
        }
        let setup = self.setup;
        if let Some(begin) = setup.begins.get(who.index()) {
            for status in &begin.statuses {
                let by = By::of_status(who, *status, who, who);
                self.inflict(&by, who, *status, Dose { stacks: 1, duration: None })?;
            }
        }
        if !character.spends.is_empty() {
            self.spend_points(who, &character.spends)?;
        }
        self.wear_by_chance(who)?;
        self.fill_pools(who)?;
        self.start_pools(who)
    }

    /// Pools of which the encounter says what is in them; no event tells that, since nothing has happened yet.
    fn start_pools(&mut self, who: CombatantId) -> Outcome<()> {
        let setup = self.setup;
        for (pool, amount) in setup.begins.get(who.index()).into_iter().flat_map(|begin| &begin.pools) {
            let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
            let amount = self.positive(*amount, &frame)?;
            let first = self.program.place(who, self.program.layout.pool(*pool));
            let cap = self.state.memory.at(first + usize::from(pool_slot::CAP));
            self.state.memory.set_pool(first, amount.min(cap), self.state.now.micros());
        }
        Ok(())
    }

    /// What a combatant has bought for the points of its level: one after the other, over and over.
    fn spend_points(&mut self, who: CombatantId, spends: &[StatusId]) -> Outcome<()> {
        let points = self.program.points_of(&mut self.state.memory, who).map_err(|fault| self.fault(fault))?;
        for (index, point) in (0..).zip(spends) {
            let among = spends.len() as u32;
            let stacks = points / among + u32::from(index < points % among);
            if stacks > 0 {
                let by = By::of_status(who, *point, who, who);
                self.inflict(&by, who, *point, Dose { stacks, duration: Some(f64::INFINITY) })?;
            }
        }
        Ok(())
    }

    /// Pools begin as they would have with the statuses that their owner has from the start.
    fn fill_pools(&mut self, who: CombatantId) -> Outcome<()> {
        let program = self.program;
        let plan = &program.characters[self.setup.combatants[who.index()].character.index()];
        let level = program.place(who, Layout::LEVEL);
        let as_ever = self.state.memory.at(level) == self.setup.memory.at(level);
        let begins = self.setup.begins.get(who.index()).is_some_and(|begin| !begin.statuses.is_empty());
        let bare = plan.statuses.is_empty() && plan.spends.is_empty() && plan.chancy.is_empty();
        if bare && !begins && as_ever {
            return Ok(());
        }
        for pool in (0..program.pools.len()).filter(|pool| plan.pools[*pool]) {
            let pool = PoolId(pool as u16);
            let now = self.state.now.micros();
            program.fill_pool(pool, &mut self.state.memory, who, now).map_err(|fault| self.fault(fault))?;
            let place = program.place(who, program.layout.pool(pool)) + usize::from(pool_slot::CAP);
            let (cap, left) = (self.state.memory.at(place), self.amount(who, pool));
            if cap != self.setup.memory.at(place) {
                self.tell(Event::CapChanged { who, pool, cap, left });
            }
        }
        Ok(())
    }

    /// Nothing is due any more before `until` or the time limit.
    pub(super) fn pass_until(&mut self, due: Due, until: Time) {
        let limit = self.setup.time_limit;
        let can_be_moved = self.state.actors.all().iter().any(|actor| actor.by_hand && actor.stands);
        if due == Due::NOTHING && !can_be_moved {
            self.end(Ending::Stalemate);
        } else if limit <= until && limit < Time::NEVER {
            self.state.now = limit;
            self.end(self.setup.script.at_limit.map_or(Ending::TimeLimit, Ending::HeldOut));
        } else if until < Time::NEVER {
            self.state.now = self.state.now.max(until);
        }
    }

    pub(super) fn end(&mut self, ending: Ending) -> Ending {
        self.state.ending = Some(ending);
        // Nobody looks any more at what has changed.
        (self.state.changed, self.state.chooser) = (0, CombatantId(0));
        self.state.actors.all_mut().iter_mut().for_each(|actor| actor.changed = 0);
        self.tell(Event::Ended { ending });
        ending
    }

    /// Everything that happens at one moment; gives what is due next.
    #[inline]
    fn moment(&mut self, mut due: Due) -> Outcome<Due> {
        let mut waves = 0;
        self.state.answers = 0;
        loop {
            due = self.wave(due)?;
            if self.state.conditions {
                self.look_at_conditions()?;
                self.answer()?;
                due = self.state.timeline.next();
            }
            loop {
                if self.state.moved && self.has_zones() {
                    self.heed_zones()?;
                    due = self.state.timeline.next();
                }
                if !std::mem::take(&mut self.state.attention) {
                    break;
                }
                self.attend()?;
                if self.state.ending.is_some() {
                    return Ok(Due::NOTHING);
                }
                due = self.state.timeline.next();
            }
            if self.state.moved {
                self.nudge();
            }
            if self.state.choosers == 0 {
                return Ok(due);
            }
            self.choose_all()?;
            self.answer()?;
            if self.state.moved {
                self.choose_again()?;
            }
            due = self.state.timeline.next();
            if due.at() > self.state.now {
                return Ok(due);
            }
            waves += 1;
            if waves >= self.limits.waves {
                return Err(self.endless(waves));
            }
        }
    }

    /// Courses have changed: whom that concerns chooses again, until nobody does.
    #[cold]
    fn choose_again(&mut self) -> Outcome<()> {
        while self.state.moved {
            if self.has_zones() {
                self.heed_zones()?;
            }
            self.nudge();
            if self.state.choosers > 0 {
                self.choose_all()?;
                self.answer()?;
            }
        }
        Ok(())
    }

    /// Settles what a wave has left: who falls, and who looks again.
    fn attend(&mut self) -> Outcome<()> {
        if self.state.someone_hurt {
            self.settle_defeats()?;
            if self.state.ending.is_some() {
                return Ok(());
            }
        }
        if let Some(decided) = self.state.decided {
            self.settle_decision(decided);
            return Ok(());
        }
        self.wake_watchers()
    }

    #[cold]
    pub(super) fn endless(&self, waves: u32) -> Box<FightError> {
        let (who, ability) = self.state.last_used;
        Box::new(FightError { at: self.state.now, kind: FightErrorKind::Endless { waves, who, ability } })
    }

    #[cold]
    pub(super) fn too_long(&self) -> Box<FightError> {
        Box::new(FightError { at: self.state.now, kind: FightErrorKind::TooLong { steps: self.limits.steps } })
    }

    /// Everything that is due now; gives what is due next.
    #[inline]
    fn wave(&mut self, mut due: Due) -> Outcome<Due> {
        loop {
            self.state.steps_taken += 1;
            if self.state.steps_taken > self.limits.steps {
                return Err(self.too_long());
            }
            let (who, phase) = (due.who(), due.phase());
            if phase == Phase::Ready {
                self.state.timeline.clear(who, Timer::Act);
                if !self.state.holds.is_empty() {
                    self.let_go(IN_USE, who)?;
                }
                let actor = &self.state.actors[who];
                if actor.polls && actor.doing == Doing::Idle { self.poll(who)? } else { self.ready(who) }
            } else if phase == Phase::Release {
                self.state.timeline.clear(who, Timer::Act);
                if let Doing::Casting(place) = self.state.actors[who].doing {
                    self.release(who, place as usize)?;
                }
            } else {
                self.rarer_timer(who, phase)?;
            }
            self.answer()?;
            due = self.state.timeline.next();
            if due.at() > self.state.now {
                return Ok(due);
            }
        }
    }

    #[inline(never)]
    fn rarer_timer(&mut self, who: CombatantId, phase: Phase) -> Outcome<()> {
        if phase == Phase::Empty {
            self.state.timeline.clear(who, Timer::Empty);
            (self.state.someone_hurt, self.state.attention) = (true, true);
            return Ok(());
        }
        if phase == Phase::Arrival {
            return self.arrive(who);
        }
        if phase == Phase::Script {
            return self.run_script();
        }
        if phase == Phase::Zone {
            self.state.timeline.clear(who, Timer::Zone);
            return self.heed_zones();
        }
        self.state.timeline.clear(who, Timer::Status);
        self.status_timer(who, phase)
    }

    /// Nothing keeps a combatant from acting any more.
    pub(super) fn ready(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who];
        actor.doing = Doing::Idle;
        if !actor.by_hand {
            self.will_choose(who);
        }
    }

    /// A combatant chooses before this moment is over.
    #[inline]
    pub(super) fn will_choose(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who];
        if !std::mem::replace(&mut actor.chooses, true) {
            self.state.choosers += 1;
            self.state.chooser = who;
        }
    }

    /// Those whose pool ran empty fall, all at once.
    #[inline(never)]
    pub(super) fn settle_defeats(&mut self) -> Outcome<()> {
        self.state.someone_hurt = false;
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if self.state.actors[who].stands && self.is_empty(who) {
                self.fall(who)?;
                if self.plan_of(who).worth.is_some() {
                    self.state.scratch.worthy.push(who);
                }
            }
        }
        if self.state.someone_fell {
            self.give_experience()?;
            self.settle_ending();
            // What answers to a fall may still hurt others, but brings nobody back.
            if self.state.ending.is_none() {
                self.answer()?;
            }
        }
        Ok(())
    }

    pub(super) fn plan_of(&self, who: CombatantId) -> &CharacterPlan {
        &self.program.characters[self.setup.combatants[who.index()].character.index()]
    }

    fn fall(&mut self, who: CombatantId) -> Outcome<()> {
        let actor = &mut self.state.actors[who];
        actor.stands = false;
        if std::mem::take(&mut actor.chooses) {
            self.state.choosers -= 1;
        }
        actor.doing = Doing::Idle;
        let by = actor.hurt_by;
        self.state.memory.set(self.program.place(who, Layout::STANDS), 0.0);
        self.stand_still(who);
        self.state.timeline.clear(who, Timer::Act);
        self.state.timeline.clear(who, Timer::Empty);
        self.state.someone_fell = true;
        self.state.moved |= self.has_zones();
        self.state.holds.retain(|hold| hold.who != who);
        // Conditions may count who stands.
        self.setup.ids().for_each(|other| self.forget_conditions(other));
        let side = self.setup.combatants[who.index()].side;
        for (index, other) in self.setup.combatants.iter().enumerate() {
            let slot = if other.side == side { Layout::ALLIES } else { Layout::ENEMIES };
            let place = self.program.place(CombatantId(index as u16), slot);
            self.state.memory.set(place, self.state.memory.at(place) - 1.0);
            self.state.new_version(CombatantId(index as u16));
        }
        self.tell(Event::Fell { who, by });

        self.state.timeline.clear(who, Timer::Status);
        let how = Circumstance { other: by.map(|(caster, _)| caster), ..Circumstance::default() };
        self.raise(TriggerEvent::Fell, who, how);
        for other in 0..self.state.order.len() {
            let other = self.state.order[other];
            if other == who {
                continue;
            }
            let ally = self.setup.combatants[other.index()].side == side;
            let event = if ally { TriggerEvent::AllyFell } else { TriggerEvent::EnemyFell };
            self.raise(event, other, Circumstance { other: Some(who), ..Circumstance::default() });
        }
        while !self.state.statuses[who.index()].is_empty() {
            self.lose(who, 0, LostReason::OwnerFell)?;
        }
        Ok(())
    }

    fn settle_ending(&mut self) {
        let mut sides = (0..self.setup.sides.len() as u16).map(SideId).filter(|side| self.holds_out(*side));
        match (sides.next(), sides.next()) {
            (None, _) => self.end(Ending::AllFell),
            (Some(side), None) => self.end(Ending::Won(side)),
            _ => return,
        };
    }
}
