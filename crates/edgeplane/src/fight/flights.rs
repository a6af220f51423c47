//! What is on its way: abilities that take time to get from the caster to a target.
//!
//! It is aimed at where the target will be if that one goes on as it does, and arrives then. Whoever turns aside meanwhile
//! is hit all the same; who has fallen is not.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::outcomes::By;
use super::timeline::{Phase, Timer};
use crate::program::{AbilityId, Chance, CombatantId, FormulaId, Frame, Layout, Time};
use crate::rules::Receiver;

/// One thing that is on its way.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Flight {
    at: Time,
    caster: CombatantId,
    ability: AbilityId,
    target: CombatantId,
    order: u32,
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// An ability is released and on its way to its targets; whether any of them stands. What it does to others than its
    /// targets, it does now.
    pub(super) fn send_out(&mut self, who: CombatantId, id: AbilityId, speed: FormulaId) -> Outcome<bool> {
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        let speed = self.positive(speed, &frame)?;
        let (one, many) = (self.state.actors[who].target, self.state.actors[who].many);
        let aimed = if many { self.state.aimed[who.index()].len() } else { 1 };
        let mut sent = false;
        for index in 0..aimed {
            let target = if many { self.state.aimed[who.index()][index] } else { one };
            if self.state.actors[target].stands {
                // Nothing moves at no speed: it is there at once, like what has no `travel`.
                let at = if speed > 0.0 { self.arrival(who, target, speed) } else { self.state.now };
                self.state.flights.push(Flight { at, caster: who, ability: id, target, order: index as u32 + 1 });
                self.tell(Event::Flies { caster: who, ability: id, target, arrives: at });
                sent = true;
            }
        }
        if !sent {
            self.tell(Event::Lost { caster: who, ability: id });
            return Ok(false);
        }
        let by = By::of_ability(who, id);
        for outcome in self.program.ability(id).does.iter().filter(|outcome| outcome.to != Receiver::Target) {
            self.bring_all(&by, who, std::slice::from_ref(outcome))?;
        }
        self.schedule_flight(who);
        Ok(true)
    }

    fn schedule_flight(&mut self, who: CombatantId) {
        let next = self.state.flights.iter().filter(|flight| flight.caster == who).map(|flight| flight.at).min();
        let rank = self.state.actors[who].rank;
        match next {
            Some(at) => self.state.timeline.set(who, rank, Timer::Flight, at, Phase::Arrival),
            None => self.state.timeline.clear(who, Timer::Flight),
        }
    }

    /// What a combatant has sent out arrives, whether it still stands itself or not.
    pub(super) fn arrive(&mut self, who: CombatantId) -> Outcome<()> {
        let now = self.state.now;
        while let Some(index) = self.state.flights.iter().position(|flight| flight.caster == who && flight.at <= now) {
            let Flight { ability, target, order, .. } = self.state.flights.remove(index);
            if !self.state.actors[target].stands {
                self.tell(Event::Lost { caster: who, ability });
                continue;
            }
            let by = By::of_ability(who, ability);
            self.state.memory.set_local(Layout::ORDER, f64::from(order));
            for outcome in self.program.ability(ability).does.iter().filter(|one| one.to == Receiver::Target) {
                self.bring(&by, target, outcome)?;
            }
            self.state.memory.set_local(Layout::ORDER, 1.0);
        }
        self.schedule_flight(who);
        Ok(())
    }
}
