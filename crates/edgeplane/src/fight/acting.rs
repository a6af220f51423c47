//! Using an ability: paying, casting, releasing, and acting by hand.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::hits::By;
use super::state::Doing;
use super::timeline::{Phase, Timer};
use crate::program::{AbilityId, BaseChange, CombatantId, FormulaId, Frame, Known, OutcomePlan, PoolId, Slot, Time};
use crate::rules::Receiver;

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    /// Carries a choice out: the cost is paid and the cast starts.
    pub(super) fn start(&mut self, who: CombatantId, id: AbilityId, place: u32) -> Outcome<()> {
        let hand = &self.state.in_hand[place as usize];
        let (cast, price, from, more) = (hand.cast, hand.price, hand.price_from as usize, hand.more_prices);
        let release = self.state.now + self.known_time(who, cast)?;
        self.state.last_used = (who, Some(id));
        let rank = self.state.rank[who.index()];
        let actor = &mut self.state.actors[who.index()];
        actor.doing = Doing::Casting { ability: id, place };
        actor.until = release;
        let (target, targets) = if actor.many {
            (actor.targets.first().copied().unwrap_or(who), actor.targets.len() as u16)
        } else {
            (actor.target, 1)
        };
        self.state.timeline.set(rank, Timer::Act, release, Phase::Release);
        self.tell(Event::Used { caster: who, ability: id, target, targets, release });
        match price {
            None => {}
            Some((pool, Known::Is(cost))) if !more => self.pay(who, id, pool, from, cost),
            _ => self.pay_all(who, id)?,
        }
        Ok(())
    }

    #[inline]
    fn pay(&mut self, who: CombatantId, id: AbilityId, pool: PoolId, from: usize, amount: f64) {
        let left = self.take_at(from, who, pool, amount).left;
        self.tell(Event::Spent { who, ability: id, pool, amount, left });
    }

    /// All costs are computed before any is paid: a cost may read the pools.
    #[cold]
    #[inline(never)]
    fn pay_all(&mut self, who: CombatantId, id: AbilityId) -> Outcome<()> {
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

    #[inline(always)]
    fn known_time(&mut self, who: CombatantId, known: Known<Time>) -> Outcome<Time> {
        match known {
            Known::Is(time) => Ok(time),
            Known::Ask(formula) => self.asked_time(who, formula),
        }
    }

    #[inline(never)]
    fn asked_time(&mut self, who: CombatantId, formula: FormulaId) -> Outcome<Time> {
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        Ok(Time::from_seconds(self.positive(formula, &frame)?))
    }

    /// An ability takes effect.
    pub(super) fn release(&mut self, who: CombatantId, id: AbilityId, place: usize) -> Outcome<()> {
        let program = self.program;
        let (cooldown, recovery) = (self.state.in_hand[place].cooldown, self.state.in_hand[place].recovery);
        let ready = self.state.now + self.known_time(who, cooldown)?;
        self.state.ready[place] = ready;
        self.tell(Event::Released { caster: who, ability: id, ready });
        let (target, many) = (self.state.actors[who.index()].target, self.state.actors[who.index()].many);
        if many {
            self.release_on_many(who, id, place)?;
        } else if self.state.actors[target.index()].stands {
            for (number, outcome) in program.ability(id).does.iter().enumerate() {
                let target = if outcome.to() == Receiver::Caster { who } else { target };
                self.bring(By { caster: who, ability: id, place, number }, target, outcome)?;
            }
        } else {
            self.tell(Event::Lost { caster: who, ability: id });
        }
        self.recover(who, recovery)
    }

    #[inline(never)]
    fn release_on_many(&mut self, who: CombatantId, id: AbilityId, place: usize) -> Outcome<()> {
        let program = self.program;
        if !self.any_target_stands(who) {
            self.tell(Event::Lost { caster: who, ability: id });
            return Ok(());
        }
        let targets = self.state.actors[who.index()].targets.len();
        for (number, outcome) in program.ability(id).does.iter().enumerate() {
            if outcome.to() == Receiver::Caster {
                self.bring(By { caster: who, ability: id, place, number }, who, outcome)?;
                continue;
            }
            for index in 0..targets {
                let target = self.state.actors[who.index()].targets[index];
                if self.state.actors[target.index()].stands {
                    self.bring(By { caster: who, ability: id, place, number }, target, outcome)?;
                }
            }
        }
        Ok(())
    }

    #[inline]
    fn any_target_stands(&self, who: CombatantId) -> bool {
        self.state.actors[who.index()].targets.iter().any(|target| self.state.actors[target.index()].stands)
    }

    #[inline]
    fn recover(&mut self, who: CombatantId, recovery: Known<Time>) -> Outcome<()> {
        let recovery = self.known_time(who, recovery)?;
        if recovery == Time::ZERO {
            self.ready(who);
            return Ok(());
        }
        let until = self.state.now + recovery;
        let rank = self.state.rank[who.index()];
        let actor = &mut self.state.actors[who.index()];
        actor.doing = Doing::Recovering;
        actor.until = until;
        self.state.timeline.set(rank, Timer::Act, until, Phase::Ready);
        Ok(())
    }

    #[inline]
    fn bring(&mut self, by: By, target: CombatantId, outcome: &OutcomePlan) -> Outcome<()> {
        match outcome {
            OutcomePlan::Hit(effect) => self.hit(by, target, effect),
            OutcomePlan::Heal(effect) => self.heal(by, target, effect),
            OutcomePlan::Pool(effect) => self.pool_effect(by.caster, target, by.ability, effect),
        }
    }

    pub(super) fn bring_about(&mut self, who: CombatantId, id: AbilityId, target: CombatantId) -> Outcome<()> {
        let program = self.program;
        let place = self.state.ready_index(self.setup, who, id).unwrap_or(usize::MAX);
        for (number, outcome) in program.ability(id).does.iter().enumerate() {
            let target = if outcome.to() == Receiver::Caster { who } else { target };
            self.bring(By { caster: who, ability: id, place, number }, target, outcome)?;
        }
        Ok(())
    }

    pub(super) fn why_not(&mut self, who: CombatantId, ability: AbilityId) -> Outcome<Option<Refusal>> {
        let actor = &self.state.actors[who.index()];
        if !actor.stands || self.state.ending.is_some() {
            return Ok(Some(Refusal::OutOfTheFight));
        }
        if actor.doing != Doing::Idle {
            return Ok(Some(Refusal::Busy { until: actor.until }));
        }
        let Some(ready) = self.state.ready_index(self.setup, who, ability) else { return Ok(Some(Refusal::NotIts)) };
        self.possible(who, ability, ready, true)
    }

    pub(super) fn use_by_hand(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        target: Option<CombatantId>,
    ) -> Outcome<Result<(), Refusal>> {
        if let Some(refusal) = self.why_not(who, id)? {
            self.tell(Event::Refused { who, ability: id, reason: refusal });
            return Ok(Err(refusal));
        }
        if let Some(target) = target {
            if !self.state.actors[target.index()].stands {
                self.tell(Event::Refused { who, ability: id, reason: Refusal::NoTarget });
                return Ok(Err(Refusal::NoTarget));
            }
            self.state.scratch.picked.clear();
            self.state.scratch.picked.push(target);
        }
        self.aim(who);
        let Some(place) = self.state.ready_index(self.setup, who, id) else { return Ok(Err(Refusal::NotIts)) };
        self.start(who, id, place as u32)?;
        Ok(Ok(()))
    }

    /// Takes over whom the scratch room holds as the caster's targets.
    pub(super) fn aim(&mut self, who: CombatantId) {
        let actor = &mut self.state.actors[who.index()];
        match self.state.scratch.picked.as_slice() {
            [one] => (actor.target, actor.many) = (*one, false),
            several => {
                actor.many = true;
                actor.targets.clear();
                actor.targets.extend_from_slice(several);
            }
        }
    }

    pub(super) fn set_base(&mut self, who: CombatantId, slot: Slot, base: f64) -> Outcome<()> {
        if slot == crate::program::Layout::LEVEL {
            self.state.memory.set(self.program.place(who, slot), base);
        } else {
            self.state.base_changes.retain(|change| !change.is_of(who, slot));
            self.state.base_changes.push(BaseChange { combatant: who, slot, base });
        }
        let program = self.program;
        let plan = &program.characters[self.setup.combatants[who.index()].character.index()];
        let before = self.amounts(who);
        let computed = program.compute_attributes(plan, &mut self.state.memory, who, &self.state.base_changes);
        computed.map_err(|fault| self.fault(fault))?;
        let first = self.setup.linked[who.index()].first as usize;
        let in_hand = program.in_hand(&self.setup.combatants[who.index()], who, &mut self.state.memory);
        self.state.in_hand[first..first + in_hand.len()].clone_from_slice(&in_hand);
        let hits = program.link_hits(&self.setup.combatants, &mut self.state.memory);
        self.state.relinked = Some(Box::new(hits));
        self.follow_caps(who, plan, &before)
    }
}
