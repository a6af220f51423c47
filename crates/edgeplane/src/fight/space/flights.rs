//! Abilities in flight from the caster to a target.
//!
//! They are aimed at the position that the target will reach on its current course, and arrive at that time. A target
//! that changes course is still hit; a defeated target is not.

use super::super::engine::{Engine, FightResult, emit};
use super::super::state::timers::{Due, Phase, Timer};
use super::super::state::{EffectContext, Flight};
use crate::program::{AbilityId, CombatantId, FormulaId, Layout, length, minus};
use crate::rules::Receiver;

impl Engine<'_> {
    /// Sends an ability to its targets; returns whether any of them stands. Effects on others than the targets happen
    /// now.
    pub(in crate::fight) fn send_out(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        speed: FormulaId,
    ) -> FightResult<bool> {
        let speed = self.positive(speed, &self.frame(who, who))?;
        let place = self.place_aimed_at(who);
        let mut sent = false;
        if let Some(place) = place {
            let far = length(minus(place, self.place_of(who)));
            let at = if speed > 0.0 && far > 0.0 { self.after(far / speed) } else { self.state.now };
            self.state.flights.push(Flight { at, caster: who, ability: id, target: who, order: 0, place: Some(place) });
            sent = true;
        }
        for number in 0..self.state.aimed_count(who) {
            let target = self.state.aimed_at(self.setup, who, number);
            if self.state.stands(target) {
                // A travel speed of 0 means an instant arrival, like no `travel`.
                let at = if speed > 0.0 { self.arrival(who, target, speed) } else { self.state.now };
                let order = number as u32 + 1;
                self.state.flights.push(Flight { at, caster: who, ability: id, target, order, place });
                emit!(self, Flies { caster: who, ability: id, target, arrives: at });
                sent = true;
            }
        }
        if !sent {
            emit!(self, Lost { caster: who, ability: id });
            return Ok(false);
        }
        let by = EffectContext::of_ability(who, id);
        for effect in self.program.ability(id).does.iter().filter(|effect| effect.to != Receiver::Target) {
            self.effects(&by, who, std::slice::from_ref(effect))?;
        }
        self.schedule_flight(who);
        Ok(true)
    }

    fn schedule_flight(&mut self, who: CombatantId) {
        let next = self.state.flights.iter().filter(|flight| flight.caster == who).map(|flight| flight.at).min();
        let rank = self.state.who(who).rank;
        let due = next.map_or(Due::NOTHING, |at| Due::new(at, Phase::Arrival, rank, who));
        self.state.timers.set(Timer::Flight, due, who);
    }

    /// Flights of a combatant arrive, whether or not it still stands.
    pub(in crate::fight) fn arrive(&mut self, who: CombatantId) -> FightResult<()> {
        let now = self.state.now;
        let is_due = |flight: &Flight| flight.caster == who && flight.at <= now;
        while let Some(index) = self.state.flights.iter().position(is_due) {
            let flight = self.state.flights.remove(index);
            self.in_form_of(who, flight.ability, |engine| engine.flight_arrives(&flight))?;
        }
        self.schedule_flight(who);
        Ok(())
    }

    fn flight_arrives(&mut self, flight: &Flight) -> FightResult<()> {
        let Flight { caster: who, ability, target, order, place, .. } = *flight;
        let by = EffectContext::of_ability(who, ability);
        let on_target = self.program.ability(ability).does.iter().filter(|one| one.to == Receiver::Target);
        if let (0, Some(_)) = (order, place) {
            for effect in on_target {
                self.placed_at_position(&by, effect, place)?;
            }
            return Ok(());
        }
        if self.state.stands(target) == self.program.ability(ability).defeated {
            emit!(self, Lost { caster: who, ability });
            return Ok(());
        }
        self.state.numbers.set_local(Layout::ORDER, f64::from(order));
        for effect in on_target {
            if place.is_none() || self.zone_on_ground(effect).is_none() {
                self.effect(&by, target, effect)?;
            }
        }
        self.state.numbers.set_local(Layout::ORDER, 1.0);
        Ok(())
    }
}
