//! Abilities that are kept up: beat by beat, until something ends it.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, StopReason};
use super::outcomes::By;
use super::state::Doing;
use super::timeline::{Phase, Timer};
use crate::program::{AbilityId, Chance, CombatantId, Frame, InHand, SustainPlan, Time};
use crate::rules::UseMoment;

/// Shortest time between two beats.
const LEAST_BEAT: Time = Time(1_000);

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// An ability has been released and goes on from here.
    pub(super) fn begin_sustaining(&mut self, who: CombatantId, id: AbilityId, plan: &SustainPlan) -> Outcome<()> {
        let longest = match plan.longest {
            Some(longest) => self.state.now + self.asked_time(who, Some(longest))?,
            None => Time::NEVER,
        };
        let actor = &mut self.state.actors[who];
        actor.sustains = true;
        actor.releases_left = 1;
        actor.sustains_until = longest;
        self.schedule_beat(who, id, plan)
    }

    /// The next beat, or the end if that comes first.
    fn schedule_beat(&mut self, who: CombatantId, id: AbilityId, plan: &SustainPlan) -> Outcome<()> {
        let every = self.asked_time(who, Some(plan.every))?.max(LEAST_BEAT);
        // What its outcomes set off can have broken it.
        let Doing::Casting(_) = self.state.actors[who].doing else { return Ok(()) };
        let (next, until) = (self.state.now + every, self.state.actors[who].sustains_until);
        if next > until && until <= self.state.now {
            return self.stop_sustaining(who, id, StopReason::Longest);
        }
        let actor = &mut self.state.actors[who];
        actor.until = next.min(until);
        actor.beat_at = next;
        let (rank, until) = (actor.rank, actor.until);
        self.state.timeline.set(who, rank, Timer::Act, until, Phase::Release);
        Ok(())
    }

    /// A beat is due, or the longest time is over.
    pub(super) fn beat_of(&mut self, who: CombatantId, id: AbilityId, plan: &SustainPlan) -> Outcome<()> {
        if self.state.actors[who].beat_at > self.state.now {
            return self.stop_sustaining(who, id, StopReason::Longest);
        }
        if let Some(reason) = self.why_stop(who, id, plan)? {
            return self.stop_sustaining(who, id, reason);
        }
        for index in 0..plan.cost.len() {
            let (pool, _) = plan.cost[index];
            let cost = self.state.scratch.costs[index];
            let left = self.take(who, pool, cost).left;
            self.tell(Event::Spent { who, ability: id, pool, amount: cost, left });
        }
        self.tell(Event::Sustained { caster: who, ability: id });
        let by = By::of_ability(who, id);
        if self.state.actors[who].many {
            self.bring_to_aimed(&by, &plan.does)?;
        } else {
            self.bring_all(&by, self.state.actors[who].target, &plan.does)?;
        }
        self.schedule_beat(who, id, plan)
    }

    /// What ends it now, if anything does; the costs of a beat lie in the scratch room then.
    fn why_stop(&mut self, who: CombatantId, id: AbilityId, plan: &SustainPlan) -> Outcome<Option<StopReason>> {
        let (target, many) = (self.state.actors[who].target, self.state.actors[who].many);
        let first = if many {
            self.state.aimed[who.index()].iter().copied().find(|aimed| self.state.actors[*aimed].stands)
        } else {
            Some(target).filter(|target| self.state.actors[*target].stands)
        };
        let Some(first) = first else { return Ok(Some(StopReason::NoTarget)) };
        if let Some(holds) = plan.holds_while {
            let frame = Frame::new(self.program, who, first, 0, self.state.now.micros());
            if self.number(holds, &frame)? == 0.0 {
                return Ok(Some(StopReason::Unwanted));
            }
        }
        if self.setup.is_placed {
            let reach = self.reach_of(who, self.program.ability(id).reach)?;
            if !self.within(who, first, reach) {
                return Ok(Some(StopReason::OutOfReach));
            }
        }
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        self.state.scratch.costs.clear();
        for (pool, amount) in &plan.cost {
            let cost = self.positive(*amount, &frame)?;
            if self.amount(who, *pool) < cost {
                return Ok(Some(StopReason::CannotAfford));
            }
            self.state.scratch.costs.push(cost);
        }
        Ok(None)
    }

    pub(super) fn stop_by_hand(&mut self, who: CombatantId) -> Outcome<bool> {
        let actor = &self.state.actors[who];
        let Doing::Casting(place) = actor.doing else { return Ok(false) };
        if !actor.sustains {
            return Ok(false);
        }
        self.stop_sustaining(who, self.state.in_hand[place as usize].ability, StopReason::ByHand)?;
        Ok(true)
    }

    /// It ends, and its caster recovers.
    pub(super) fn stop_sustaining(&mut self, who: CombatantId, id: AbilityId, reason: StopReason) -> Outcome<()> {
        let Doing::Casting(place) = self.state.actors[who].doing else { return Ok(()) };
        let place = place as usize;
        self.tell(Event::Stopped { caster: who, ability: id, reason });
        let plan = self.program.ability(id);
        let recovery = self.state.in_hand[place].recovery;
        let recovery = if recovery == InHand::ASK { self.asked_time(who, plan.recovery)? } else { recovery };
        if plan.cooldown_from == UseMoment::End {
            self.count_use(who, place, self.state.now + recovery)?;
        }
        let actor = &mut self.state.actors[who];
        (actor.sustains, actor.releases_left) = (false, 0);
        self.recover_from(who, recovery, id)
    }
}
