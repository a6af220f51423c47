//! Controllers: code of a game that decides instead of a policy.

use super::super::Fight;
use super::super::engine::{Engine, FightResult};
use super::super::events::{Ending, Observer, UnavailableReason};
use super::super::limits::FightError;
use super::super::random::RandomSource;
use super::super::state::{Control, State};
use crate::program::{
    AbilityId, CombatantId, Plane, PoolFlow, PoolId, Setup, Slot, StatusId, Time, is_on_the_plane, pool_slot,
};

/// Decides for combatants instead of their policies.
///
/// It is asked when a combatant that it controls is free to act, and again when the pools or statuses of that combatant
/// have changed, a combatant has been defeated, or the time for which it wanted to wait is over. It sees the current
/// state of the fight and is bound by the same rules as a policy: an impossible use is unavailable, with a reason. To
/// keep fights reproducible, it should decide only by what it sees.
pub trait Controller {
    /// Chooses the next action of a combatant.
    fn choose(&mut self, view: &View<'_>, who: CombatantId) -> Decision;

    /// The chosen ability is not possible now. The controller is asked again when the reason is gone or something else
    /// has changed.
    fn unavailable(&mut self, who: CombatantId, ability: AbilityId, reason: UnavailableReason) {
        let _ = (who, ability, reason);
    }
}

/// The next action of a combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Decision {
    /// Use an ability on a given target, or on the target that the ability picks itself.
    Use(AbilityId, Option<CombatantId>),
    /// Use an ability at a position on the ground, in metres, like [`Fight::use_ability_at`]. An ability that can only
    /// be used on combatants has no target there, and neither has any ability in a fight without positions. Combatants
    /// do not walk to bring a position in reach.
    UseAt(AbilityId, [f64; 2]),
    /// Nothing for now; asked again at the given time at the latest or, without one, when the next cooldown ends or
    /// after a tenth of a second.
    Wait(Option<Time>),
}

/// When a combatant that waits without a given time is asked again.
const SOON: Time = Time(100_000);

/// A read-only view of a fight at one moment.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    pub(in crate::fight) setup: &'a Setup,
    pub(in crate::fight) state: &'a State,
}

impl<'a> View<'a> {
    /// The current time.
    pub fn now(&self) -> Time {
        self.state.now
    }

    /// The participants and everything that is fixed.
    pub fn setup(&self) -> &'a Setup {
        self.setup
    }

    /// Whether a combatant stands.
    pub fn stands(&self, who: CombatantId) -> bool {
        self.state.stands(who)
    }

    /// The standing enemies of a combatant, in the order of the encounter.
    pub fn enemies(&self, who: CombatantId) -> impl Iterator<Item = CombatantId> + use<'a> {
        self.of_side(who, false)
    }

    /// The standing members of a combatant's side, including itself.
    pub fn allies(&self, who: CombatantId) -> impl Iterator<Item = CombatantId> + use<'a> {
        self.of_side(who, true)
    }

    fn of_side(&self, who: CombatantId, same: bool) -> impl Iterator<Item = CombatantId> + use<'a> {
        let Self { setup, state } = *self;
        let side = state.who(who).side;
        setup.ids().filter(move |other| (state.who(*other).side == side) == same && state.stands(*other))
    }

    /// The amount of a pool.
    pub fn pool(&self, who: CombatantId, pool: PoolId) -> f64 {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.numbers.pool_amount(first, self.state.now.micros())
    }

    /// The course of a pool from now on, until something changes it.
    pub fn pool_flow(&self, who: CombatantId, pool: PoolId) -> PoolFlow {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        PoolFlow::new(self.state.numbers.pool_numbers(first).copied().unwrap_or_default())
    }

    /// A pool's cap.
    pub fn cap(&self, who: CombatantId, pool: PoolId) -> f64 {
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.numbers.at(first + usize::from(pool_slot::CAP))
    }

    /// The amount of a pool as a share of its cap; 0 if the cap is 0.
    pub fn share(&self, who: CombatantId, pool: PoolId) -> f64 {
        let cap = self.cap(who, pool);
        if cap > 0.0 { self.pool(who, pool) / cap } else { 0.0 }
    }

    /// The final value of an attribute.
    pub fn attribute(&self, who: CombatantId, slot: Slot) -> f64 {
        self.state.numbers.at(self.setup.program.place(who, slot))
    }

    /// The stacks of a status on a combatant; 0 without it.
    pub fn stacks(&self, who: CombatantId, status: StatusId) -> u32 {
        self.state.statuses.stacks(who, status)
    }

    /// The position of a combatant in metres; the origin in an encounter without positions.
    pub fn place(&self, who: CombatantId) -> [f64; 2] {
        self.state.numbers.place(self.setup.program.place(who, Slot(0)), self.state.now.micros())
    }

    /// The distance between two combatants in metres.
    pub fn distance(&self, one: CombatantId, other: CombatantId) -> f64 {
        let block = |who| self.setup.program.place(who, Slot(0));
        self.state.numbers.distance(block(one), block(other), self.state.now.micros())
    }

    /// The threat of `whom` for `eyes`.
    pub fn threat(&self, eyes: CombatantId, whom: CombatantId) -> f64 {
        self.state.numbers.threat.between([eyes, whom])
    }

    /// When an ability's cooldown ends; a time in the past if none is running, `None` if the combatant does not have
    /// the ability.
    pub fn ready_at(&self, who: CombatantId, ability: AbilityId) -> Option<Time> {
        self.state.ability_index(self.setup, who, ability).map(|index| self.state.abilities[index].ready)
    }
}

impl<C: RandomSource> Fight<C> {
    /// From now on, a controller decides for this combatant in [`Fight::run_controlled`] and
    /// [`Fight::advance_controlled`]. In other calls it follows its policy.
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
    /// If there is no such combatant.
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

    /// Advances up to and including a time, with a controller.
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
    /// The controller chooses; availability is checked as for every combatant.
    pub(in crate::fight) fn ask_controller(&mut self, who: CombatantId) -> FightResult<Option<u32>> {
        let soon = self.next_ready(who).min(self.state.now + SOON);
        let combatant = self.state.who_mut(who);
        combatant.changed_lines = 0;
        (combatant.wake, combatant.reacts_at) = (soon, Time::NEVER);
        let goal = self.state.walks.get_mut(who.index()).and_then(|walk| walk.goal.take());
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
            |place: Plane| self.setup.is_placed && self.can_aim_at_position(ability) && is_on_the_plane(place);
        let reason = match (index, place) {
            (None, _) => Some(UnavailableReason::NotKnown),
            (Some(index), Some(place)) if is_place(place) => self.unavailable_at(who, index, place)?,
            (Some(index), None) if known => self.unavailable_on(who, index, target)?,
            _ => Some(UnavailableReason::NoTarget),
        };
        let Some(reason) = reason else {
            if self.program.ability(ability).mobile
                && let Some(walk) = self.state.walks.get_mut(who.index())
            {
                // It keeps walking to what was out of reach.
                walk.goal = goal;
            }
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
