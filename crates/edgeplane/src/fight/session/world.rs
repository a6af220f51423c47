//! Combatants that are spawned, despawned, and moved by the game.

use std::sync::Arc;

use super::super::Fight;
use super::super::engine::{Engine, FightResult};
use super::super::events::{Observer, Silent};
use super::super::limits::FightError;
use super::super::random::RandomSource;
use super::super::state::Control;
use crate::program::{CharacterId, CombatantId, JoinPlan, Motion, SideId, Slot};

/// Identifies a spawned combatant, and not a later one in the same slot.
///
/// A [`CombatantId`] is a slot of the fight and refers to its current occupant; in events, it refers to the occupant at
/// the time of the event.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Handle {
    who: CombatantId,
    generation: u32,
}

/// The maximum number of slots in one fight.
const MOST: usize = 1_000;
/// The minimum number of slots added at once.
const AT_ONCE: usize = 4;

impl<C: RandomSource> Fight<C> {
    /// From now on, the fight continues whoever is left: no side wins by being the last one, and the fight does not end
    /// when nothing can happen. It still ends at its time limit.
    ///
    /// ```
    /// # use edgeplane::{Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let mut fight = game.fight("shore", 1)?.endless();
    /// fight.advance(Time::from_seconds(50.0), &mut Silent)?;
    /// assert_eq!(fight.ending(), None, "whoever is left");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    #[must_use]
    pub fn endless(mut self) -> Self {
        Arc::make_mut(&mut self.setup).is_endless = true;
        self
    }

    /// Spawns a combatant at a position in metres, which is ignored in a fight without positions. This begins the fight
    /// if it has not begun.
    ///
    /// Slots of spawned combatants are reused once nothing refers to the previous occupant: no status that it applied,
    /// no zone, no ability in flight. Memory is therefore bounded by the combatants present at once, by character and
    /// side.
    ///
    /// ```
    /// use edgeplane::{Game, SideId, Silent, Time};
    ///
    /// let game = Game::from_text("small.toml", edgeplane::example_text())?;
    /// let mut fight = game.world(&["wall", "reeds"], 7);
    /// let crab = game.character("silt_crab")?;
    /// let handle = fight.spawn(crab, SideId(1), [0.0, 0.0], &mut Silent)?;
    /// fight.advance(Time::from_seconds(1.0), &mut Silent)?;
    /// let who = fight.combatant(handle)?;
    /// assert!(fight.stands(who));
    /// fight.despawn(handle, &mut Silent)?;
    /// assert!(fight.combatant(handle).is_err(), "it is gone");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such character or side, the character is a template, a number is not finite or beyond 1e9, all
    /// 1,000 slots are taken, and as for [`Fight::run`].
    pub fn spawn<O: Observer>(
        &mut self,
        character: CharacterId,
        side: SideId,
        place: [f64; 2],
        observer: &mut O,
    ) -> Result<Handle, FightError> {
        self.check_plane("a place", place)?;
        let plan = self.setup.program.characters.get(character.index());
        if plan.is_none_or(|plan| plan.template) || side.index() >= self.setup.sides.len() {
            let what = match plan {
                None => format!("there is no character {}", character.0),
                Some(plan) if plan.template => format!("`{}` is a template, and cannot fight", plan.name),
                Some(_) => format!("there is no side {}: the fight has {}", side.0, self.setup.sides.len()),
            };
            return Err(self.call_error(what));
        }
        self.begin_now(observer)?;
        let who = match self.vacancy(character, side) {
            Some(who) => who,
            None => self.make_room(character, side)?,
        };
        self.try_with_engine(observer, |engine| engine.spawn(who, place))?;
        Ok(self.handle(who))
    }

    /// Removes a combatant from the fight: it is not defeated, and nothing is triggered by a defeat. Its statuses and
    /// its current action end; its statuses on others, abilities in flight and zones continue. Its handles become
    /// stale.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.despawn(handle, &mut Silent)?;
    /// assert!(fight.despawn(handle, &mut Silent).is_err(), "the handle is stale");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the handle is stale, and as for [`Fight::run`].
    pub fn despawn<O: Observer>(&mut self, handle: Handle, observer: &mut O) -> Result<(), FightError> {
        let who = self.combatant(handle)?;
        self.begin_now(observer)?;
        self.try_with_engine(observer, |engine| engine.leave(who))
    }

    /// The handle of the current occupant of a slot.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// assert_eq!(fight.handle(who), handle);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn handle(&self, who: CombatantId) -> Handle {
        Handle { who, generation: self.state.cold(who).generation }
    }

    /// The current slot of a spawned combatant.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// assert_eq!(fight.combatant(handle)?, who);
    /// fight.despawn(handle, &mut Silent)?;
    /// assert!(fight.combatant(handle).is_err());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If it has been despawned, even if the slot is occupied again.
    pub fn combatant(&self, handle: Handle) -> Result<CombatantId, FightError> {
        self.check_combatant(handle.who)?;
        let one = self.state.who(handle.who);
        if one.vacant || self.state.cold(handle.who).generation != handle.generation {
            let label = &self.setup.combatants[handle.who.index()].label;
            return Err(self.call_error(format!("`{label}` has been despawned: its handle is stale")));
        }
        Ok(handle.who)
    }

    /// The current participants, including defeated ones.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// assert_eq!(fight.present().collect::<Vec<_>>(), [who]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn present(&self) -> impl Iterator<Item = CombatantId> + '_ {
        self.setup.ids().filter(|who| !self.state.who(*who).absent)
    }

    pub(in crate::fight) fn begin_now<O: Observer>(&mut self, observer: &mut O) -> Result<(), FightError> {
        if self.state.began {
            return Ok(());
        }
        self.try_with_engine(observer, |engine| engine.begin())
    }

    fn vacancy(&self, character: CharacterId, side: SideId) -> Option<CombatantId> {
        // The slot of a member of the encounter has that member's settings: when it joins and its initial state.
        let spawned = |who: CombatantId| self.setup.script.joins(who) == JoinPlan::Spawned;
        let fits = |who: &CombatantId| {
            let plan = &self.setup.combatants[who.index()];
            let alike = plan.character == character && plan.side == side;
            alike && self.state.who(*who).vacant && spawned(*who)
        };
        self.setup.ids().find(|who| fits(who) && !self.state.is_meant(&self.setup, *who))
    }

    /// Adds slots for a character, doubling their number.
    fn make_room(&mut self, character: CharacterId, side: SideId) -> Result<CombatantId, FightError> {
        let before = self.setup.combatants.len();
        let same = self.setup.combatants.iter().filter(|plan| plan.character == character && plan.side == side).count();
        let more = same.max(AT_ONCE).min(MOST.saturating_sub(before));
        if more == 0 {
            return Err(self.call_error(format!("there is no room for more than {MOST} combatants in one fight")));
        }
        let larger = Arc::new(self.setup.extended(&vec![(character, side); more]));
        self.state.grow(&self.setup, &larger);
        self.chance.grow(&larger.streams);
        self.setup = larger;
        Ok(CombatantId(before as u16))
    }

    /// From now on, the game moves this combatant through [`Fight::set_motion`]; the engine never does, whatever its
    /// policy says. Until the first call, it stands still.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.move_by_game(who)?;
    /// fight.set_motion(who, [3.0, 4.0], [0.0, 1.0])?;
    /// fight.advance(Time::from_seconds(2.0), &mut Silent)?;
    /// assert_eq!(fight.place(who), [3.0, 6.0], "whatever its policy wants");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant.
    pub fn move_by_game(&mut self, who: CombatantId) -> Result<(), FightError> {
        self.set_moved(who, true)
    }

    /// From now on, the engine moves this combatant again, as its policy says.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.move_by_game(who)?;
    /// fight.move_by_policy(who)?;
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant.
    pub fn move_by_policy(&mut self, who: CombatantId) -> Result<(), FightError> {
        self.set_moved(who, false)
    }

    fn set_moved(&mut self, who: CombatantId, is_moved: bool) -> Result<(), FightError> {
        self.check_combatant(who)?;
        if self.state.who(who).is_moved == is_moved {
            return Ok(());
        }
        self.state.who_mut(who).is_moved = false;
        if self.setup.is_placed {
            // The motion set by the game does not continue.
            self.with_engine(&mut Silent, |engine| engine.stand_still(who));
        }
        self.state.who_mut(who).is_moved = is_moved;
        if self.setup.is_placed {
            self.with_engine(&mut Silent, |engine| engine.touch_all(who));
        }
        Ok(())
    }

    /// Sets the position of a combatant in metres and its velocity in metres per second. Everything affected reacts:
    /// edges of zones, reach, conditions. Nothing happens in a fight without positions.
    ///
    /// A combatant that walks by itself continues its own path from there, at once or, while it is busy, as soon as it
    /// is free; one that never walks keeps moving until it acts. See [`Fight::move_by_game`].
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.move_by_game(who)?;
    /// fight.set_motion(who, [10.0, 0.0], [-1.0, 0.0])?;
    /// fight.advance(Time::from_seconds(4.0), &mut Silent)?;
    /// assert_eq!(fight.place(who), [6.0, 0.0]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, or a number is not finite or beyond 1e9.
    pub fn set_motion(&mut self, who: CombatantId, place: [f64; 2], velocity: [f64; 2]) -> Result<(), FightError> {
        self.set_motions(&[Motion { who, place, velocity }])
    }

    /// The same for many combatants at once, for each frame of a game.
    ///
    /// ```
    /// # use edgeplane::fight::Motion;
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// let motions: Vec<Motion> =
    ///     fight.present().map(|who| Motion { who, place: [1.0, 2.0], velocity: [0.0, 0.0] }).collect();
    /// fight.set_motions(&motions)?;
    /// assert_eq!(fight.place(who), [1.0, 2.0]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::set_motion`]; nobody is moved then.
    pub fn set_motions(&mut self, motions: &[Motion]) -> Result<(), FightError> {
        for Motion { who, place, velocity } in motions {
            self.check_combatant(*who)?;
            self.check_plane("a place", *place)?;
            self.check_plane("a velocity", *velocity)?;
        }
        if self.setup.is_placed {
            self.with_engine(&mut Silent, |engine| engine.set_places(motions));
        }
        Ok(())
    }

    /// The standing combatants whose edges are within a distance in metres of a position, in the order of the fight.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// assert_eq!(fight.within([0.0, 0.0], 5.0).collect::<Vec<_>>(), [who]);
    /// assert_eq!(fight.within([0.0, 0.0], 4.9).count(), 0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn within(&self, place: [f64; 2], metres: f64) -> impl Iterator<Item = CombatantId> + '_ {
        self.present().filter(move |who| {
            let [x, y] = self.place(*who);
            let (dx, dy, metres) = (x - place[0], y - place[1], metres + self.body(*who));
            self.stands(*who) && dx * dx + dy * dy <= metres * metres
        })
    }

    /// Returns a combatant to its policy, which decides at once, without its reaction time: ends
    /// [`Fight::take_control`] and [`Fight::set_controller`].
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.take_control(pike)?;
    /// fight.advance(Time::from_seconds(10.0), &mut Silent)?;
    /// fight.release_control(pike)?;
    /// fight.run(&mut Silent)?;
    /// assert!(fight.pool(cutter, game.pool("health")?) < 60.0, "it fights again");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant.
    pub fn release_control(&mut self, who: CombatantId) -> Result<(), FightError> {
        self.check_combatant(who)?;
        if self.state.who(who).control == Control::Hand {
            self.with_engine(&mut Silent, |engine| engine.stand_still(who));
        }
        self.give_control(who, Control::Policy);
        if self.stands(who) {
            self.with_engine(&mut Silent, |engine| engine.touch_all(who));
        }
        Ok(())
    }
}

impl Engine<'_> {
    fn spawn(&mut self, who: CombatantId, place: [f64; 2]) -> FightResult<()> {
        self.state.reset_slot(self.setup, who);
        if self.setup.is_placed {
            let block = self.program.place(who, Slot(0));
            self.state.numbers.set_place(block, place, [0.0; 2], self.state.now.micros());
        }
        self.join(who, None)?;
        self.respond()
    }
}
