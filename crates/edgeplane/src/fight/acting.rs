//! Using an ability: paying, casting, releasing, and acting by hand.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::outcomes::By;
use super::state::Doing;
use super::timeline::{Phase, Timer};
use super::triggers::Circumstance;
use crate::program::{
    AbilityId, BaseChange, Chance, CombatantId, FormulaId, Frame, InHand, Layout, OutcomePlan, PoolId, Slot, Time,
    TriggerEvent, dirty,
};
use crate::rules::Receiver;

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Carries a choice out: the cost is paid and the cast starts.
    pub(super) fn start(&mut self, who: CombatantId, place: usize) -> Outcome<()> {
        let hand = &self.state.in_hand[place];
        let (id, cast) = (hand.ability, hand.cast);
        let (cost, from, pool) = (hand.cost, hand.cost_from as usize, hand.cost_pool);
        let (free, simply_paid, special) = (hand.free, hand.simply_paid, hand.special);
        let actor = &self.state.actors[who];
        let aim = if actor.many { self.aimed_at(who) } else { (actor.target, 1) };
        self.wind_up(who, place, id, cast, aim)?;
        if special {
            return self.special_start(who, place);
        }
        if !simply_paid {
            return self.pay_all(who, id);
        }
        if !free {
            self.pay(who, id, pool, from, cost);
        }
        Ok(())
    }

    /// The same for an ability that needs no further look: it has one target, and its one cost, if it
    /// has one, is known to be covered.
    #[inline]
    pub(super) fn start_at_once(
        &mut self,
        who: CombatantId,
        place: usize,
        target: CombatantId,
        before: f64,
    ) -> Outcome<()> {
        let hand = &self.state.in_hand[place];
        let (id, cast, free) = (hand.ability, hand.cast, hand.free);
        let (cost, first, pool) = (hand.cost, hand.cost_from as usize, hand.cost_pool);
        let actor = &mut self.state.actors[who];
        (actor.target, actor.many) = (target, false);
        self.wind_up(who, place, id, cast, (target, 1))?;
        if !free {
            let left = before - cost;
            if cost > 0.0 {
                self.put(who, pool, first, left);
            }
            self.tell(Event::Spent { who, ability: id, pool, amount: cost, left });
        }
        Ok(())
    }

    /// The cast starts, aimed at so many of whom this is the first.
    #[inline(always)]
    fn wind_up(
        &mut self,
        who: CombatantId,
        place: usize,
        id: AbilityId,
        cast: Time,
        (target, targets): (CombatantId, u16),
    ) -> Outcome<()> {
        let cast = if cast == InHand::ASK { self.asked_time(who, self.program.ability(id).cast)? } else { cast };
        let release = self.state.now + cast;
        if self.setup.is_placed {
            self.stand_still(who);
        }
        self.state.last_used = (who, Some(id));
        let actor = &mut self.state.actors[who];
        actor.doing = Doing::Casting(place as u32);
        actor.until = release;
        let rank = actor.rank;
        self.state.timeline.set(who, rank, Timer::Act, release, Phase::Release);
        self.tell(Event::Used { caster: who, ability: id, target, targets, release });
        if self.listens(who) {
            let how = Circumstance { other: Some(target), ability: Some(id), ..Circumstance::default() };
            self.raise(TriggerEvent::AbilityUsed, who, how);
        }
        if targets > 1 || self.listens(target) {
            self.raise_targeted(who, id, (target, targets));
        }
        Ok(())
    }

    /// Statuses of those whom an ability is aimed at may answer.
    #[cold]
    #[inline(never)]
    fn raise_targeted(&mut self, who: CombatantId, id: AbilityId, (target, targets): (CombatantId, u16)) {
        let how = Circumstance { other: Some(who), ability: Some(id), ..Circumstance::default() };
        let many = self.state.actors[who].many;
        for index in 0..usize::from(targets) {
            let target = if many { self.state.aimed[who.index()][index] } else { target };
            if target != who {
                self.raise(TriggerEvent::Targeted, target, how);
            }
        }
    }

    /// The first of several targets, and how many there are.
    #[cold]
    fn aimed_at(&self, who: CombatantId) -> (CombatantId, u16) {
        let aimed = &self.state.aimed[who.index()];
        (aimed.first().copied().unwrap_or(who), aimed.len() as u16)
    }

    #[inline(always)]
    fn pay(&mut self, who: CombatantId, id: AbilityId, pool: PoolId, from: usize, amount: f64) {
        let left = self.take_at(from, who, pool, amount).left;
        self.tell(Event::Spent { who, ability: id, pool, amount, left });
    }

    /// All costs are computed before any is paid: a cost may read the pools.
    #[cold]
    #[inline(never)]
    pub(super) fn pay_all(&mut self, who: CombatantId, id: AbilityId) -> Outcome<()> {
        let program = self.program;
        let ability = program.ability(id);
        let frame = Frame::new(program, who, who, 0, self.state.now.micros());
        self.state.scratch.costs.clear();
        for (_, amount) in &ability.cost {
            let cost = self.positive(*amount, &frame)?;
            self.state.scratch.costs.push(cost);
        }
        for (index, (pool, _)) in ability.cost.iter().enumerate() {
            let from = program.place(who, program.layout.pool(*pool));
            self.pay(who, id, *pool, from, self.state.scratch.costs[index]);
        }
        Ok(())
    }

    /// One of the times of an ability that has to be evaluated each time.
    #[cold]
    #[inline(never)]
    pub(super) fn asked_time(&mut self, who: CombatantId, formula: Option<FormulaId>) -> Outcome<Time> {
        let Some(formula) = formula else { return Ok(Time::ZERO) };
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        Ok(Time::from_seconds(self.positive(formula, &frame)?))
    }

    /// An ability takes effect.
    pub(super) fn release(&mut self, who: CombatantId, place: usize) -> Outcome<()> {
        let program = self.program;
        let hand = &self.state.in_hand[place];
        if hand.special {
            return self.special_release(who, place);
        }
        let (id, cooldown, recovery) = (hand.ability, hand.cooldown, hand.recovery);
        let cooldown =
            if cooldown == InHand::ASK { self.asked_time(who, self.program.ability(id).cooldown)? } else { cooldown };
        let ready = self.state.now + cooldown;
        self.state.in_hand[place].ready = ready;
        self.tell(Event::Released { caster: who, ability: id, ready });
        let actor = &self.state.actors[who];
        let target = actor.target;
        if actor.many {
            self.release_on_many(who, id)?;
        } else if self.state.actors[target].stands {
            self.bring_ability(&By::of_ability(who, id), target, &program.ability(id).does)?;
        } else {
            self.tell(Event::Lost { caster: who, ability: id });
        }
        self.recover(who, recovery, id)
    }

    #[inline(never)]
    pub(super) fn release_on_many(&mut self, who: CombatantId, id: AbilityId) -> Outcome<()> {
        let program = self.program;
        if !self.any_target_stands(who) {
            self.tell(Event::Lost { caster: who, ability: id });
            return Ok(());
        }
        self.bring_to_aimed(&By::of_ability(who, id), &program.ability(id).does)
    }

    /// Brings each outcome about for all that an ability is aimed at.
    pub(super) fn bring_to_aimed(&mut self, by: &By, outcomes: &[OutcomePlan]) -> Outcome<()> {
        let who = by.caster;
        for outcome in outcomes {
            if outcome.to != Receiver::Target {
                self.bring_all(by, who, std::slice::from_ref(outcome))?;
                continue;
            }
            for index in 0..self.state.aimed[who.index()].len() {
                let target = self.state.aimed[who.index()][index];
                if self.state.actors[target].stands {
                    self.state.memory.set_local(Layout::ORDER, (index + 1) as f64);
                    self.bring(by, target, outcome)?;
                }
            }
        }
        self.state.memory.set_local(Layout::ORDER, 1.0);
        Ok(())
    }

    #[inline]
    pub(super) fn any_target_stands(&self, who: CombatantId) -> bool {
        self.state.aimed[who.index()].iter().any(|target| self.state.actors[*target].stands)
    }

    #[inline(always)]
    pub(super) fn recover(&mut self, who: CombatantId, recovery: Time, id: AbilityId) -> Outcome<()> {
        let recovery =
            if recovery == InHand::ASK { self.asked_time(who, self.program.ability(id).recovery)? } else { recovery };
        if recovery == Time::ZERO {
            self.ready(who);
            return Ok(());
        }
        let until = self.state.now + recovery;
        let actor = &mut self.state.actors[who];
        actor.doing = Doing::Recovering;
        actor.until = until;
        let rank = actor.rank;
        self.state.timeline.set(who, rank, Timer::Act, until, Phase::Ready);
        Ok(())
    }

    pub(super) fn bring_about(&mut self, who: CombatantId, id: AbilityId, target: CombatantId) -> Outcome<()> {
        let plan = self.program.ability(id);
        let by = By::of_ability(who, id);
        self.bring_all(&by, target, &plan.does)?;
        if let Some(sustain) = &plan.sustain {
            self.tell(Event::Sustained { caster: who, ability: id });
            self.bring_all(&by, target, &sustain.does)?;
        }
        self.answer()
    }

    pub(super) fn why_not(&mut self, who: CombatantId, ability: AbilityId) -> Outcome<Option<Refusal>> {
        let actor = &self.state.actors[who];
        if !actor.stands || self.state.ending.is_some() {
            return Ok(Some(Refusal::OutOfTheFight));
        }
        if actor.doing != Doing::Idle {
            return Ok(Some(Refusal::Busy { until: actor.until }));
        }
        let Some(ready) = self.state.ready_index(self.setup, who, ability) else { return Ok(Some(Refusal::NotIts)) };
        self.possible(who, ready, true)
    }

    pub(super) fn use_by_hand(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        target: Option<CombatantId>,
    ) -> Outcome<Result<(), Refusal>> {
        if let Some(refusal) = self.why_not(who, id)? {
            self.refuse(who, id, refusal);
            self.answer()?;
            return Ok(Err(refusal));
        }
        if let Some(target) = target {
            if !self.state.actors[target].stands {
                self.tell(Event::Refused { who, ability: id, reason: Refusal::NoTarget });
                return Ok(Err(Refusal::NoTarget));
            }
            self.state.scratch.picked.clear();
            self.state.scratch.picked.push(target);
        }
        self.aim(who);
        let Some(place) = self.state.ready_index(self.setup, who, id) else { return Ok(Err(Refusal::NotIts)) };
        self.start(who, place)?;
        self.answer()?;
        Ok(Ok(()))
    }

    /// Tells that an ability was wanted and cannot be used.
    #[inline]
    pub(super) fn refuse(&mut self, who: CombatantId, ability: AbilityId, reason: Refusal) {
        self.tell(Event::Refused { who, ability, reason });
        if self.listens(who) {
            let how = Circumstance { ability: Some(ability), ..Circumstance::default() };
            self.raise(TriggerEvent::AbilityRefused, who, how);
        }
    }

    /// Takes over whom the scratch room holds as the caster's targets.
    pub(super) fn aim(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who];
        match self.state.scratch.picked.as_slice() {
            [one] => (actor.target, actor.many) = (*one, false),
            several => {
                actor.many = true;
                let aimed = &mut self.state.aimed[who.index()];
                aimed.clear();
                aimed.extend_from_slice(several);
            }
        }
    }

    pub(super) fn set_base(&mut self, who: CombatantId, slot: Slot, base: f64) -> Outcome<()> {
        if slot == Layout::LEVEL {
            self.state.memory.set(self.program.place(who, slot), base);
            self.state.new_version(who);
        } else {
            self.state.base_changes.retain(|change| !change.is_of(who, slot));
            self.state.base_changes.push(BaseChange { combatant: who, slot, base });
        }
        self.refresh_attributes(who, dirty::bit(slot))
    }
}
