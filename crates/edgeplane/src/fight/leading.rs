//! Code of a game that chooses in place of a policy.

use super::engine::{Engine, Outcome};
use super::event::{Ending, Observer, Refusal};
use super::limits::FightError;
use super::pointed::with_engine;
use super::state::{Choice, State};
use super::{Fight, Provider};
use crate::program::{AbilityId, Chance, CombatantId, PoolId, Setup, Slot, StatusId, Time, pool_slot};

/// Chooses for combatants in place of their policies.
///
/// It is asked when one of those it leads has nothing to do, and again when its pools or statuses have changed, somebody has
/// fallen, or the time is up for which it wanted to wait. It sees the fight as it is at
/// that moment, and is bound by the same rules as a policy: what is not possible is refused, with a reason. To keep a
/// fight repeatable, let it decide by nothing but what it sees.
pub trait Leader {
    /// What a combatant does next.
    fn choose(&mut self, sight: &Sight<'_>, who: CombatantId) -> Intent;

    /// What it wanted is not possible now. It is asked again when the reason is gone, or something else has changed.
    fn refused(&mut self, who: CombatantId, ability: AbilityId, reason: Refusal) {
        let _ = (who, ability, reason);
    }
}

/// What somebody wants to do.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Intent {
    /// Use an ability, on somebody or on whom the ability itself picks.
    Use(AbilityId, Option<CombatantId>),
    /// Nothing for now; asked again at a moment at the latest, or, if none is given, when the next cooldown ends or a tenth of
    /// a second has passed.
    Wait(Option<Time>),
}

/// How soon one who waits for nothing in particular is asked again.
const SOON: Time = Time(100_000);

/// What there is to see of a fight at a moment.
#[derive(Clone, Copy, Debug)]
pub struct Sight<'a> {
    pub(super) setup: &'a Setup,
    pub(super) state: &'a State,
}

impl<'a> Sight<'a> {
    /// The moment.
    pub fn now(&self) -> Time {
        self.state.now
    }

    /// Who fights, and what is fixed.
    pub fn setup(&self) -> &'a Setup {
        self.setup
    }

    /// Whether a combatant stands.
    pub fn stands(&self, who: CombatantId) -> bool {
        self.state.actors[who].stands
    }

    /// Enemies of a combatant that stand, in the order of the encounter.
    pub fn enemies(&self, who: CombatantId) -> impl Iterator<Item = CombatantId> + use<'a> {
        self.of_side(who, false)
    }

    /// Those of a combatant's own side that stand, itself included.
    pub fn allies(&self, who: CombatantId) -> impl Iterator<Item = CombatantId> + use<'a> {
        self.of_side(who, true)
    }

    fn of_side(&self, who: CombatantId, same: bool) -> impl Iterator<Item = CombatantId> + use<'a> {
        let Self { setup, state } = *self;
        let side = setup.combatants[who.index()].side;
        setup
            .ids()
            .filter(move |other| (setup.combatants[other.index()].side == side) == same && state.actors[*other].stands)
    }

    /// What a pool holds.
    pub fn pool(&self, who: CombatantId, pool: PoolId) -> f64 {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.memory.pool_amount(first, self.state.now.micros())
    }

    /// A pool's cap.
    pub fn cap(&self, who: CombatantId, pool: PoolId) -> f64 {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.memory.at(first + usize::from(pool_slot::CAP))
    }

    /// What a pool holds as a share of its cap; 0 where the cap is 0.
    pub fn share(&self, who: CombatantId, pool: PoolId) -> f64 {
        let cap = self.cap(who, pool);
        if cap > 0.0 { self.pool(who, pool) / cap } else { 0.0 }
    }

    /// The final value of an attribute.
    pub fn attribute(&self, who: CombatantId, slot: Slot) -> f64 {
        self.state.memory.at(self.setup.program.place(who, slot))
    }

    /// Stacks of a status on a combatant; 0 without it.
    pub fn stacks(&self, who: CombatantId, status: StatusId) -> u32 {
        self.state.stack_counts(who, status) as u32
    }

    /// Where a combatant is, in metres; the middle of the plane in an encounter without places.
    pub fn place(&self, who: CombatantId) -> [f64; 2] {
        self.state.memory.place(self.setup.program.place(who, Slot(0)), self.state.now.micros())
    }

    /// Metres between two.
    pub fn distance(&self, one: CombatantId, other: CombatantId) -> f64 {
        let block = |who| self.setup.program.place(who, Slot(0));
        self.state.memory.distance(block(one), block(other), self.state.now.micros())
    }

    /// How much of a threat `whom` is in the eyes of `eyes`.
    pub fn threat(&self, eyes: CombatantId, whom: CombatantId) -> f64 {
        let block = |who| self.setup.program.place(who, Slot(0));
        self.state.memory.threat.between(block(eyes), block(whom))
    }

    /// When an ability's cooldown ends; a moment in the past if it has none running, nothing for who does not have it.
    pub fn ready_at(&self, who: CombatantId, ability: AbilityId) -> Option<Time> {
        self.state.ready_index(self.setup, who, ability).map(|index| self.state.in_hand[index].ready)
    }
}

impl<C: Provider> Fight<C> {
    /// From now on a leader chooses for this combatant in [`Fight::run_led`] and [`Fight::advance_led`]. Elsewhere it follows
    /// its policy.
    pub fn lead(&mut self, who: CombatantId) {
        self.state.actors[who].be_led();
    }

    /// Runs to the end with a leader.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn run_led<O: Observer>(&mut self, leader: &mut dyn Leader, observer: &mut O) -> Result<Ending, FightError> {
        let ended = with_engine!(self, observer, O, |engine, _| {
            engine.leader = Some(leader);
            engine.run()
        });
        ended.map_err(|error| *error)
    }

    /// Lets time pass up to and including a moment, with a leader.
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn advance_led<O: Observer>(
        &mut self,
        until: Time,
        leader: &mut dyn Leader,
        observer: &mut O,
    ) -> Result<Option<Ending>, FightError> {
        let ended = with_engine!(self, observer, O, |engine, _| {
            engine.leader = Some(leader);
            engine.advance(until)
        });
        ended.map_err(|error| *error)
    }
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// The leader says what to do; whether that is possible is asked as for everybody.
    #[cold]
    #[inline(never)]
    pub(super) fn led_look(&mut self, who: CombatantId) -> Outcome<Choice> {
        self.begin_look(who);
        let sight = Sight { setup: self.setup, state: &*self.state };
        let intent = self.leader.as_mut().map_or(Intent::Wait(None), |leader| leader.choose(&sight, who));
        let soon = self.next_ready(who).min(self.state.now + SOON);
        let (ability, target) = match intent {
            Intent::Use(ability, target) => (ability, target),
            Intent::Wait(until) => {
                let wake = self.plan_course(who, until.filter(|until| *until > self.state.now).unwrap_or(soon))?;
                self.note_wake(who, wake, false);
                return Ok(None);
            }
        };
        let place = self.state.ready_index(self.setup, who, ability);
        let refusal = match (place, target) {
            (None, _) => Some(Refusal::NotIts),
            (Some(_), Some(target)) if !self.can_be_chosen(who, ability, target) => Some(Refusal::NoTarget),
            (Some(place), Some(target)) => {
                self.state.scratch.picked.clear();
                self.state.scratch.picked.push(target);
                self.possible(who, place, false)?
            }
            (Some(place), None) => self.possible(who, place, true)?,
        };
        let Some(reason) = refusal else {
            self.aim(who);
            return Ok(place.map(|place| place as u32));
        };
        self.refuse(who, ability, reason);
        self.note_far(who, reason);
        if let Some(leader) = self.leader.as_mut() {
            leader.refused(who, ability, reason);
        }
        let wake = self.plan_course(who, reason.until().unwrap_or(soon).min(soon))?;
        self.note_wake(who, wake, false);
        Ok(None)
    }

    /// When the next cooldown of a combatant ends.
    fn next_ready(&self, who: CombatantId) -> Time {
        let first = self.setup.linked[who.index()].first as usize;
        let character = self.setup.combatants[who.index()].character;
        let number = self.program.characters[character.index()].abilities.len();
        let ready = self.state.in_hand[first..first + number].iter().map(|hand| hand.ready);
        ready.filter(|ready| *ready > self.state.now).min().unwrap_or(Time::NEVER)
    }

    /// Whether an ability can be used on somebody at all: it stands, and is of the side that the ability is for.
    fn can_be_chosen(&self, who: CombatantId, ability: AbilityId, target: CombatantId) -> bool {
        target.index() < self.setup.combatants.len()
            && self.can_be_targeted(who, target, self.program.ability(ability).side)
    }
}
