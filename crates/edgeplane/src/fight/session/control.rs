//! Code of a game that decides in place of a policy.

use super::super::Fight;
use super::super::engine::{Engine, FightResult};
use super::super::events::{Ending, Observer, UnavailableReason};
use super::super::limits::FightError;
use super::super::random::RandomSource;
use super::super::state::{Control, State};
use crate::program::{
    AbilityId, CombatantId, Plane, PoolFlow, PoolId, Setup, Slot, StatusId, Time, is_on_the_plane, pool_slot,
};

/// Decides for combatants in place of their policies.
///
/// It is asked when a combatant that it controls is free to act, and again when the pools or statuses of that combatant have
/// changed, somebody has been defeated, or the time is up for which it wanted to wait. It sees the fight as it is at that
/// moment, and is bound by the same rules as a policy: what is not possible is unavailable, with a reason. To keep a fight
/// repeatable, let it decide by nothing but what it sees.
pub trait Controller {
    /// What a combatant does next.
    fn choose(&mut self, view: &View<'_>, who: CombatantId) -> Decision;

    /// What it wanted is not possible now. It is asked again when the reason is gone, or something else has changed.
    fn unavailable(&mut self, who: CombatantId, ability: AbilityId, reason: UnavailableReason) {
        let _ = (who, ability, reason);
    }
}

/// What a combatant does next.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Decision {
    /// Use an ability, on somebody or on whom the ability itself picks.
    Use(AbilityId, Option<CombatantId>),
    /// Use an ability at a place of the ground, in metres, as [`Fight::use_ability_at`] does. An ability that can be used on
    /// somebody alone, and any where nobody has a place, has no target there. Nobody walks to where a place is in reach.
    UseAt(AbilityId, [f64; 2]),
    /// Nothing for now; asked again at a moment at the latest, or, if none is given, when the next cooldown ends or a tenth of
    /// a second has passed.
    Wait(Option<Time>),
}

/// How soon one who waits for nothing in particular is asked again.
const SOON: Time = Time(100_000);

/// A fight at a moment, read-only.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    pub(in crate::fight) setup: &'a Setup,
    pub(in crate::fight) state: &'a State,
}

impl<'a> View<'a> {
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
        self.state.stands(who)
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
        let side = state.who(who).side;
        setup.ids().filter(move |other| (state.who(*other).side == side) == same && state.stands(*other))
    }

    /// What a pool holds.
    pub fn pool(&self, who: CombatantId, pool: PoolId) -> f64 {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.numbers.pool_amount(first, self.state.now.micros())
    }

    /// A pool from now on, until something changes it.
    pub fn pool_flow(&self, who: CombatantId, pool: PoolId) -> PoolFlow {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        PoolFlow::new(self.state.numbers.pool_numbers(first).copied().unwrap_or_default())
    }

    /// A pool's cap.
    pub fn cap(&self, who: CombatantId, pool: PoolId) -> f64 {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.numbers.at(first + usize::from(pool_slot::CAP))
    }

    /// What a pool holds as a share of its cap; 0 where the cap is 0.
    pub fn share(&self, who: CombatantId, pool: PoolId) -> f64 {
        let cap = self.cap(who, pool);
        if cap > 0.0 { self.pool(who, pool) / cap } else { 0.0 }
    }

    /// The final value of an attribute.
    pub fn attribute(&self, who: CombatantId, slot: Slot) -> f64 {
        self.state.numbers.at(self.setup.program.place(who, slot))
    }

    /// Stacks of a status on a combatant; 0 without it.
    pub fn stacks(&self, who: CombatantId, status: StatusId) -> u32 {
        self.state.statuses.stacks(who, status)
    }

    /// Where a combatant is, in metres; the middle of the plane in an encounter without places.
    pub fn place(&self, who: CombatantId) -> [f64; 2] {
        self.state.numbers.place(self.setup.program.place(who, Slot(0)), self.state.now.micros())
    }

    /// Metres between two.
    pub fn distance(&self, one: CombatantId, other: CombatantId) -> f64 {
        let block = |who| self.setup.program.place(who, Slot(0));
        self.state.numbers.distance(block(one), block(other), self.state.now.micros())
    }

    /// How much of a threat `whom` is in the eyes of `eyes`.
    pub fn threat(&self, eyes: CombatantId, whom: CombatantId) -> f64 {
        self.state.numbers.threat.between([eyes, whom])
    }

    /// When an ability's cooldown ends; a moment in the past if it has none running, nothing for who does not have it.
    pub fn ready_at(&self, who: CombatantId, ability: AbilityId) -> Option<Time> {
        self.state.ability_index(self.setup, who, ability).map(|index| self.state.abilities[index].ready)
    }
}

impl<C: RandomSource> Fight<C> {
    /// From now on a controller decides for this combatant in [`Fight::run_controlled`] and
    /// [`Fight::advance_controlled`]. Elsewhere it follows its policy.
    ///
    /// ```
    /// # use edgeplane::fight::{Controller, Decision, View};
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// /// Has nobody do anything.
    /// struct Waits;
    ///
    /// impl Controller for Waits {
    ///     fn choose(&mut self, _: &View<'_>, _: CombatantId) -> Decision {
    ///         Decision::Wait(None)
    ///     }
    /// }
    ///
    /// fight.set_controller(pike)?;
    /// fight.run_controlled(&mut Waits, &mut Silent)?;
    /// assert_eq!(fight.pool(cutter, game.pool("health")?), 60.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// When there is no such combatant.
    pub fn set_controller(&mut self, who: CombatantId) -> Result<(), FightError> {
        self.check_combatant(who)?;
        self.give_control(who, Control::Controller);
        Ok(())
    }

    /// Runs to the end with a controller.
    ///
    /// ```
    /// # use edgeplane::fight::{Controller, Decision, View};
    /// # use edgeplane::{CombatantId, Ending, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// /// Has nobody do anything.
    /// struct Waits;
    ///
    /// impl Controller for Waits {
    ///     fn choose(&mut self, _: &View<'_>, _: CombatantId) -> Decision {
    ///         Decision::Wait(None)
    ///     }
    /// }
    ///
    /// fight.set_controller(cutter)?;
    /// fight.set_controller(pike)?;
    /// assert_eq!(fight.run_controlled(&mut Waits, &mut Silent)?, Ending::TimeLimit);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn run_controlled<O: Observer>(
        &mut self,
        controller: &mut dyn Controller,
        observer: &mut O,
    ) -> Result<Ending, FightError> {
        self.try_with_controller(controller, observer, |engine| engine.run())
    }

    /// Lets time pass up to and including a moment, with a controller.
    ///
    /// ```
    /// # use edgeplane::fight::{Controller, Decision, View};
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// /// Has nobody do anything.
    /// struct Waits;
    ///
    /// impl Controller for Waits {
    ///     fn choose(&mut self, _: &View<'_>, _: CombatantId) -> Decision {
    ///         Decision::Wait(None)
    ///     }
    /// }
    ///
    /// fight.set_controller(pike)?;
    /// assert_eq!(fight.advance_controlled(Time::from_seconds(1.0), &mut Waits, &mut Silent)?, None);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::run`].
    pub fn advance_controlled<O: Observer>(
        &mut self,
        until: Time,
        controller: &mut dyn Controller,
        observer: &mut O,
    ) -> Result<Option<Ending>, FightError> {
        self.try_with_controller(controller, observer, |engine| engine.advance(until))
    }
}

impl Engine<'_> {
    /// The controller says what to do; whether that is possible is asked as for everybody.
    pub(in crate::fight) fn ask_controller(&mut self, who: CombatantId) -> FightResult<Option<u32>> {
        let soon = self.next_ready(who).min(self.state.now + SOON);
        let combatant = self.state.who_mut(who);
        combatant.changed_lines = 0;
        (combatant.wake, combatant.reacts_at) = (soon, Time::NEVER);
        if let Some(walk) = self.state.walks.get_mut(who.index()) {
            walk.goal = None;
        }
        let view = View { setup: self.setup, state: &*self.state };
        let decision =
            self.controller.as_mut().map_or(Decision::Wait(None), |controller| controller.choose(&view, who));
        let (ability, target, place) = match decision {
            Decision::Use(ability, target) => (ability, target, None),
            Decision::UseAt(ability, place) => (ability, None, Some(place)),
            Decision::Wait(until) => {
                let until = until.filter(|until| *until > self.state.now);
                self.state.who_mut(who).wake = until.unwrap_or(soon);
                return Ok(None);
            }
        };
        let known = target.is_none_or(|target| target.index() < self.setup.combatants.len());
        let index = self.state.ability_index(self.setup, who, ability);
        let is_place =
            |place: Plane| self.setup.is_placed && self.can_be_used_at_a_place(ability) && is_on_the_plane(place);
        let reason = match (index, place) {
            (None, _) => Some(UnavailableReason::NotKnown),
            (Some(index), Some(place)) if is_place(place) => self.unavailable_at(who, index, place)?,
            (Some(index), None) if known => self.unavailable_on(who, index, target)?,
            _ => Some(UnavailableReason::NoTarget),
        };
        let Some(reason) = reason else {
            match place {
                Some(place) => self.aim_at_place(who, ability, place)?,
                None => self.aim(who),
            }
            return Ok(index.map(|index| index as u32));
        };
        if let Some(index) = index {
            self.report_unavailable(who, index, reason);
        }
        if let (UnavailableReason::OutOfReach { target: Some(target), reach, .. }, Some(walk)) =
            (reason, self.state.walks.get_mut(who.index()))
        {
            walk.goal = Some((target, reach));
        }
        if let Some(controller) = self.controller.as_mut() {
            controller.unavailable(who, ability, reason);
        }
        self.state.who_mut(who).wake = reason.until().unwrap_or(soon).min(soon);
        Ok(None)
    }

    /// When the next cooldown of a combatant ends.
    fn next_ready(&self, who: CombatantId) -> Time {
        let policy = &self.setup.policies[who.index()];
        let own = policy.first as usize..(policy.first + policy.count) as usize;
        let ready = self.state.abilities[own].iter().map(|ability| ability.ready);
        ready.filter(|ready| *ready > self.state.now).min().unwrap_or(Time::NEVER)
    }
}
