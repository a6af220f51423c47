//! Fights in which nothing changes but pools, cooldowns, who stands, and stacks of statuses that only change numbers.
//!
//! Nobody has places, charges or triggers there, so every attribute, cost, time and step of a hit is a number
//! that is known when the fight is set up, or one for each number of stacks. [`PlainPlan`] has them all side by side,
//! [`Lane`] what changes, a page at most for a duel, and [`Run`] plays it: the same events in the same order as the
//! engine, from the same chances. Defeats and the end are the engine's own; it takes the state over for that.
//!
//! Of most duels even that is done only once: chance decides how much hits take and little else, so what happens when is
//! rehearsed ([`Rehearsal`]), and the fights to come follow it ([`follow`]) until a condition turns or somebody falls.
//!
//! This is what a study of millions runs. It is a shortcut, not a second meaning: `tests/shortcuts.rs`,
//! `tests/settled.rs`, `tests/rehearsed.rs` and the laws over random rulesets hold it to the engine, event by event.

mod choosing;
mod ending;
mod following;
mod handing;
mod holding;
mod lane;
mod live;
mod outcomes;
mod plan;
mod rehearsing;
mod run;
mod settled;
mod snapshots;
mod statuses;
mod strike;
mod when;

use std::sync::Arc;

use super::engine::{Engine, Outcome};
use super::event::{Ending, Event, Observer};
use super::state::{Actor, State};
use super::timeline::Due;
use crate::program::{Chance, Setup, Time};
use following::follow;
use lane::Lane;
use plan::PlainPlan;
use rehearsing::Rehearsal;
use run::{Pause, Run, Start};

/// A plain fight: what is known of it, and room to play it in.
#[derive(Debug)]
pub(super) struct Plain {
    plan: Arc<PlainPlan>,
    lane: Box<Lane>,
    /// How many fights were played, as far as that is counted, and what was rehearsed since there were some.
    played: u32,
    rehearsal: Option<Box<Rehearsal>>,
    /// What the engine keeps of each fighter, as it begins.
    first: Arc<[Actor]>,
}

/// A few fights are played in less time than they are rehearsed in.
const REHEARSED_FROM: u32 = 32;

impl Clone for Plain {
    fn clone(&self) -> Self {
        let (plan, lane, first) = (Arc::clone(&self.plan), self.lane.clone(), Arc::clone(&self.first));
        Self { plan, lane, first, played: 0, rehearsal: None }
    }
}

impl Plain {
    /// If the fights of a setup are plain.
    pub(super) fn of(setup: &Setup) -> Option<Self> {
        let plan = PlainPlan::of(setup)?;
        let lane = Box::new(Lane::of(&plan));
        let first = setup.ids().map(|who| Actor::new(setup, who)).collect();
        Some(Self { plan: Arc::new(plan), lane, first, played: 0, rehearsal: None })
    }

    pub(super) fn rehearsed_waves(&self) -> usize {
        self.rehearsal.as_ref().map_or(0, |rehearsal| rehearsal.len())
    }

    /// Begins a fight anew that was played on this way, and that nothing else was done with: what does not change there is
    /// as it was. Everything that [`Lane::store`] writes, and that changes with defeats and endings.
    pub(super) fn begin_anew(&self, setup: &Setup, state: &mut State, chance: &mut impl Chance) {
        if self.plan.statuses.len() > 0 {
            return state.reset(setup, chance);
        }
        state.now = Time::ZERO;
        state.memory.copy_from(&setup.memory);
        state.actors.all_mut().copy_from_slice(&self.first);
        for (hand, first) in state.in_hand.iter_mut().zip(&setup.in_hand) {
            hand.ready = first.ready;
        }
        // Of so few, a loop is quicker than a call.
        for gained in state.experience.iter_mut().filter(|gained| **gained != 0.0) {
            *gained = 0.0;
        }
        state.begin_at_once(setup, chance);
    }

    /// Whether nobody chooses by hand.
    pub(super) fn suits(&self, state: &State) -> bool {
        state.actors.all().iter().all(|actor| !actor.by_hand && !actor.led)
    }
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Plays a plain fight from its beginning to its end.
    pub(super) fn run_plain(&mut self, plain: &mut Plain) -> Outcome<Ending> {
        let Plain { plan, lane, played, rehearsal, .. } = plain;
        let last = self.setup.time_limit;
        self.tell(Event::Began);
        lane.begin(plan, self.state, self.limits);
        let mut start = Start::Moment;
        if plan.is_rehearsed && *played >= REHEARSED_FROM {
            let rehearsal = rehearsal.get_or_insert_with(|| Box::new(Rehearsal::of(plan, self.limits)));
            let followed = rehearsal.suits(self.limits)
                && follow(plan, lane, &mut *self.chance, &mut *self.observer, rehearsal, last);
            start = if followed { Start::Wave } else { start };
        }
        *played = played.saturating_add(1);
        loop {
            let pause = self.play(plan, lane, last, start);
            lane.store(plan, self.state);
            if plan.statuses.len() > 0 {
                self.hand_back(plan, lane, start == Start::Defeats)?;
            }
            match pause {
                Pause::Over(due) => {
                    self.pass_until(due, Time::NEVER);
                    return Ok(self.state.ending.unwrap_or(Ending::Stalemate));
                }
                Pause::Empty if plan.ends_at_once => return self.end_at_once(plan, lane),
                Pause::Empty => {
                    self.settle_defeats()?;
                    if let Some(ending) = self.state.ending {
                        return Ok(ending);
                    }
                    lane.load(plan, self.state);
                    start = Start::Defeats;
                }
                Pause::TooLong => return Err(self.too_long()),
                Pause::Endless(waves) => return Err(self.endless(waves)),
            }
        }
    }

    /// Only for an engine of its own is it worth compiling a way for each number of fighters.
    fn play(&mut self, plan: &PlainPlan, lane: &mut Lane, last: Time, start: Start) -> Pause {
        let (chance, observer) = (&mut *self.chance, &mut *self.observer);
        let (two, held) = (plan.duel, plan.statuses.len() > 0);
        match (two, held) {
            (true, false) if O::OWN_ENGINE => Run::<C, O, true, false> { plan, lane, chance, observer }.go(last, start),
            (true, true) if O::OWN_ENGINE => Run::<C, O, true, true> { plan, lane, chance, observer }.go(last, start),
            _ => Run::<C, O, false, true> { plan, lane, chance, observer }.go(last, start),
        }
    }
}

/// Nothing is due.
const NOTHING: Due = Due::NOTHING;
