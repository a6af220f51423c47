//! Time and moments; see the drawing in the documentation of [`super`].

use super::engine::{Engine, FightResult, emit};
use super::events::Ending;
use super::limits::FightErrorKind;
use super::space::zones::IN_USE;
use super::state::Doing;
use super::state::timers::{Due, Phase, Timer};
use super::statuses::triggers::TriggerContext;
use crate::program::{CombatantId, Layout, LostReason, SideId, StreamId, Time, TriggerEvent};

impl Engine<'_> {
    /// Draws tie-breaks and sets the first timers. Each combatant draws from its own stream, so the order depends on
    /// the seed and the participants, not on the order of the list.
    pub(super) fn reset(&mut self) {
        self.state.reset(self.setup);
        let sites = self.program.sites.len() as u32;
        let drawn = &mut self.scratch.tie_breaks;
        drawn.clear();
        for who in self.setup.ids() {
            drawn.push((self.chance.pick(StreamId(u32::from(who.0) * sites), u32::MAX), who));
        }
        drawn.sort_unstable_by_key(|(drawn, who)| (*drawn, *who));
        for (rank, (_, who)) in drawn.iter().enumerate() {
            self.state.order[rank] = *who;
            self.state.combatants[who.index()].rank = rank as u32;
        }
        for who in self.setup.ids() {
            if self.state.stands(who) {
                self.set_act(who, Time::ZERO, Phase::Ready);
            }
        }
        self.schedule_script();
    }

    pub(super) fn run(&mut self) -> FightResult<Ending> {
        match self.advance(Time::NEVER)? {
            Some(ending) => Ok(ending),
            // Only combatants controlled by individual calls are left, and no call can come.
            None => Ok(self.end(Ending::Stalemate)),
        }
    }

    pub(super) fn advance(&mut self, until: Time) -> FightResult<Option<Ending>> {
        if !self.state.began {
            self.begin()?;
        }
        if self.setup.is_endless {
            // An endless world may take more steps than any fight; an endless loop is detected within one call.
            self.state.steps_taken = 0;
        }
        if self.state.ending.is_none() {
            // Calls of the game may have changed something: triggers of that come first.
            self.respond()?;
            self.moment()?;
        }
        let last = until.min(self.setup.time_limit);
        while self.state.ending.is_none() {
            let due = self.next_due();
            if due.at() > last {
                self.pass_time(due, until);
                break;
            }
            self.state.now = due.at();
            self.moment()?;
        }
        Ok(self.state.ending)
    }

    /// The earliest timer.
    #[inline]
    pub(super) fn next_due(&self) -> Due {
        self.state.timers.next().min(self.state.statuses.next())
    }

    /// Nothing more is due before `until` or the time limit.
    fn pass_time(&mut self, due: Due, until: Time) {
        let limit = self.setup.time_limit;
        let by_hand = |one: &super::state::Combatant| one.control == super::state::Control::Hand && one.stands;
        let can_be_moved = self.state.combatants.iter().any(by_hand);
        if due == Due::NOTHING && !can_be_moved && !self.setup.is_endless {
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
        while let Some(who) = self.state.deciders.pop() {
            self.state.who_mut(who).decides = false;
        }
        emit!(self, Ended { ending });
        ending
    }

    /// Plays everything that happens in one moment.
    fn moment(&mut self) -> FightResult<()> {
        let mut waves = 0;
        self.state.triggered = 0;
        self.scratch.choosers.clear();
        // Whether anything has happened since goals were chosen.
        let mut is_later = false;
        loop {
            let (steps, has_chosen) = (self.state.steps_taken, !self.scratch.choosers.is_empty());
            self.run_due_timers()?;
            is_later |= has_chosen && self.state.steps_taken != steps;
            self.settle()?;
            if self.state.ending.is_some() {
                return Ok(());
            }
            if !self.state.deciders.is_empty() {
                is_later |= !self.scratch.choosers.is_empty();
                self.decide_together()?;
                self.respond()?;
                // Consequences of decisions are settled before the decided abilities take effect.
                self.settle()?;
                if self.state.ending.is_some() {
                    return Ok(());
                }
            }
            if self.is_over() {
                if !std::mem::take(&mut is_later) {
                    return Ok(());
                }
                self.choose_goals_again();
                self.settle()?;
                if self.is_over() || self.state.ending.is_some() {
                    return Ok(());
                }
            }
            waves += 1;
            if waves >= self.limits.waves {
                return Err(self.endless(waves));
            }
        }
    }

    /// Whether nothing more is due in this moment.
    #[inline]
    fn is_over(&self) -> bool {
        self.state.deciders.is_empty() && self.next_due().at() > self.state.now
    }

    #[cold]
    fn endless(&self, waves: u32) -> Box<super::limits::FightError> {
        let (who, ability) = self.state.last_used;
        self.error(FightErrorKind::Endless { waves, who, ability })
    }

    /// Runs all due timers in the order of their phases, each followed by its triggers; timers that become due in the
    /// meantime are included in order.
    fn run_due_timers(&mut self) -> FightResult<()> {
        loop {
            let due = self.state.statuses.next();
            let timer = self.state.timers.next();
            let first = due.min(timer);
            let later = first.at() > self.state.now;
            if self.state.edges && (later || first.phase() > Phase::Crossing) {
                self.state.edges = false;
                self.cross_edges()?;
                continue;
            }
            if later {
                return Ok(());
            }
            self.state.steps_taken += 1;
            if self.state.steps_taken > self.limits.steps {
                return Err(self.error(FightErrorKind::TooLong { steps: self.limits.steps }));
            }
            if due < timer {
                self.status_timer(self.state.statuses.next_one(), due.phase())?;
            } else {
                self.timer(timer)?;
            }
            self.respond()?;
        }
    }

    fn timer(&mut self, due: Due) -> FightResult<()> {
        let who = due.who();
        match due.phase() {
            Phase::Ready => {
                self.state.timers.clear(Timer::Act, who);
                if !self.state.holds.is_empty() {
                    self.release_holds(IN_USE, who)?;
                }
                if self.only_walks_on(who) {
                    self.plan_way(who);
                } else {
                    self.ready(who);
                    self.note_abilities(who);
                }
                Ok(())
            }
            Phase::Release => {
                self.state.timers.clear(Timer::Act, who);
                match self.state.who(who).doing {
                    Doing::Casting(index) => {
                        self.release(who, index as usize)?;
                        self.note_abilities(who);
                        Ok(())
                    }
                    Doing::Idle | Doing::Recovering => Ok(()),
                }
            }
            Phase::Empty => {
                self.state.timers.clear(Timer::Empty, who);
                self.state.may_be_defeated(who);
                Ok(())
            }
            Phase::Regain => {
                self.state.timers.clear(Timer::Regain, who);
                self.note_abilities(who);
                Ok(())
            }
            Phase::Walk => {
                self.state.timers.clear(Timer::Walk, who);
                self.plan_way(who);
                Ok(())
            }
            Phase::Arrival => self.arrive(who),
            Phase::Script => self.run_script(),
            Phase::ZoneEnd => self.end_zones(),
            Phase::Crossing => {
                self.state.timers.clear(Timer::Crossing, CombatantId(0));
                self.state.edges = true;
                Ok(())
            }
            // Timers of statuses are kept separately.
            Phase::Tick | Phase::Expire => Ok(()),
        }
    }

    /// Settles the consequences of events until nothing is left: crossed edges, conditions that no longer hold,
    /// defeats, and the paths of combatants that cannot act.
    #[inline]
    fn settle(&mut self) -> FightResult<()> {
        let state = &*self.state;
        let unsettled = state.edges | state.check_conditions | state.check_defeats | !state.planners.is_empty();
        if unsettled || state.decided.is_some() { self.settle_all() } else { Ok(()) }
    }

    #[inline(never)]
    fn settle_all(&mut self) -> FightResult<()> {
        loop {
            if std::mem::take(&mut self.state.edges) {
                self.cross_edges()?;
            } else if std::mem::take(&mut self.state.check_conditions) {
                self.check_conditions()?;
                self.respond()?;
            } else if std::mem::take(&mut self.state.check_defeats) {
                self.settle_defeats()?;
            } else if let Some(decided) = self.state.decided {
                self.end(decided.map_or(Ending::Drawn, Ending::Won));
            } else if !self.state.planners.is_empty() {
                self.plan_ways()?;
            } else {
                return Ok(());
            }
            if self.state.ending.is_some() {
                return Ok(());
            }
        }
    }

    #[inline]
    pub(super) fn set_act(&mut self, who: CombatantId, at: Time, phase: Phase) {
        let combatant = self.state.who_mut(who);
        combatant.until = at;
        let due = Due::new(at, phase, combatant.rank, who);
        self.state.timers.set(Timer::Act, due, who);
    }

    /// Defeats all combatants whose pool has become empty, at once.
    #[inline(never)]
    fn settle_defeats(&mut self) -> FightResult<()> {
        let mut any = false;
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            let combatant = self.state.who_mut(who);
            if !std::mem::take(&mut combatant.may_be_defeated) || !combatant.stands {
                continue;
            }
            if self.setup.is_empty(&self.state.numbers, who, self.state.now.micros()) {
                self.defeat(who)?;
                any = true;
                if self.plan_of(who).reward.is_some() {
                    self.scratch.rewarding.push(who);
                }
            }
        }
        if any {
            self.give_experience()?;
            // A combatant that is revived at once does not count as missing from its side.
            if self.revival_waits() {
                self.respond()?;
            }
            self.settle_ending();
            // Triggers of a defeat may still hurt others, but revive nobody.
            if self.state.ending.is_none() {
                self.respond()?;
            }
        }
        Ok(())
    }

    fn defeat(&mut self, who: CombatantId) -> FightResult<()> {
        let combatant = self.state.who_mut(who);
        combatant.stands = false;
        combatant.waits = false;
        if std::mem::take(&mut combatant.decides) {
            self.state.deciders.retain(|other| *other != who);
        }
        let combatant = self.state.who_mut(who);
        combatant.doing = Doing::Idle;
        combatant.mobile = false;
        let by = combatant.hurt_by;
        self.stand_still(who);
        self.state.timers.clear(Timer::Act, who);
        self.state.timers.clear(Timer::Empty, who);
        self.state.timers.clear(Timer::Walk, who);
        self.note_abilities(who);
        self.check_all_edges();
        self.state.holds.retain(|hold| hold.who != who);
        self.update_head_counts(who, -1.0);
        emit!(self, Defeated { who, by });
        self.stop_or_start_flows(who)?;
        let how = TriggerContext { other: by.map(|(caster, _)| caster), ..TriggerContext::default() };
        self.raise(TriggerEvent::Defeated, who, how);
        let side = self.side_of(who);
        for other in 0..self.state.order.len() {
            let other = self.state.order[other];
            if other == who {
                continue;
            }
            let ally = self.side_of(other) == side;
            let event = if ally { TriggerEvent::AllyDefeated } else { TriggerEvent::EnemyDefeated };
            self.raise(event, other, TriggerContext { other: Some(who), ..TriggerContext::default() });
        }
        while let Some(first) = self.state.statuses.first_of(who) {
            self.lose(first, LostReason::OwnerDefeated)?;
        }
        Ok(())
    }

    /// Updates the counts of standing combatants, and everything that depends on them, after a change.
    pub(super) fn update_head_counts(&mut self, who: CombatantId, change: f64) {
        let program = self.program;
        self.state.rosters.place(self.setup, &self.state.combatants, who);
        let stands = program.place(who, Layout::STANDS);
        self.state.numbers.set(stands, if change > 0.0 { 1.0 } else { 0.0 });
        let side = self.side_of(who);
        for other in self.setup.ids() {
            let ally = self.side_of(other) == side;
            if ally || self.setup.can_be_defeated(who) {
                let slot = if ally { Layout::ALLIES } else { Layout::ENEMIES };
                let place = program.place(other, slot);
                self.state.numbers.set(place, self.state.numbers.at(place) + change);
            }
            let heads = self.setup.policies[other.index()].heads;
            if self.setup.is_placed && (self.state.who(other).waits || self.state.who(other).mobile) {
                self.reconsider_goal(other);
            }
            // A combatant that joins may be the first possible target of an ability.
            self.touch(other, if change > 0.0 || self.has_controller(other) { u64::MAX } else { heads });
        }
        self.state.check_conditions |= !self.state.statuses.conditional.is_empty();
        self.state.combatants.iter_mut().for_each(|one| one.conditions_changed = true);
    }

    /// Removes a combatant without a defeat.
    pub(super) fn leave(&mut self, who: CombatantId) -> FightResult<()> {
        let stood = self.state.stands(who);
        if !self.state.holds.is_empty() {
            self.release_holds(IN_USE, who)?;
        }
        self.stand_still(who);
        let combatant = self.state.who_mut(who);
        (combatant.stands, combatant.absent, combatant.vacant) = (false, true, true);
        (combatant.waits, combatant.mobile, combatant.doing) = (false, false, Doing::Idle);
        if std::mem::take(&mut combatant.decides) {
            self.state.deciders.retain(|other| *other != who);
        }
        for timer in [Timer::Act, Timer::Empty, Timer::Walk, Timer::Regain] {
            self.state.timers.clear(timer, who);
        }
        self.check_all_edges();
        self.state.holds.retain(|hold| hold.who != who);
        let forgets = |one: &mut super::state::Combatant| {
            one.hurt_by = one.hurt_by.filter(|(by, _)| *by != who);
        };
        self.state.combatants.iter_mut().for_each(forgets);
        self.state.walks.iter_mut().for_each(|walk| {
            walk.goal = walk.goal.filter(|(other, _)| *other != who);
            walk.toward = walk.toward.filter(|other| *other != who);
        });
        if stood {
            self.update_head_counts(who, -1.0);
        } else {
            self.state.rosters.place(self.setup, &self.state.combatants, who);
        }
        while let Some(first) = self.state.statuses.first_of(who) {
            self.lose(first, LostReason::OwnerLeft)?;
        }
        emit!(self, Despawned { who });
        self.respond()?;
        if self.state.ending.is_none() {
            self.settle_ending();
        }
        Ok(())
    }

    fn settle_ending(&mut self) {
        if self.setup.is_endless {
            return;
        }
        let mut sides = (0..self.setup.sides.len() as u16).map(SideId).filter(|side| self.holds_out(*side));
        match (sides.next(), sides.next()) {
            (None, _) => self.end(Ending::AllDefeated),
            (Some(side), None) => self.end(Ending::Won(side)),
            _ => return,
        };
    }
}
