//! Facing, and abilities used at positions.

use super::super::Fight;
use super::super::events::{Observer, Silent, UnavailableReason};
use super::super::limits::FightError;
use super::super::random::RandomSource;
use crate::numbers::Extremes;
use crate::program::{AbilityId, CombatantId, Slot, toward};

impl<C: RandomSource> Fight<C> {
    /// The radius of a combatant's body in metres; reach and areas are measured to its edge.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// assert_eq!(fight.body(who), 0.0, "a point, where the ruleset says nothing of its body");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn body(&self, who: CombatantId) -> f64 {
        self.state.numbers.body(self.setup.program.place(who, Slot(0)))
    }

    /// The velocity of a combatant in metres per second along each axis, until it turns or is moved.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.set_motion(who, [3.0, 4.0], [0.0, 1.5])?;
    /// assert_eq!(fight.velocity(who), [0.0, 1.5]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn velocity(&self, who: CombatantId) -> [f64; 2] {
        self.state.numbers.course(self.setup.program.place(who, Slot(0)))
    }

    /// The combatant to which one is walking; `None` if it stands, retreats, leaves a zone, or is controlled by the game.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.advance(Time::from_seconds(0.1), &mut Silent)?;
    /// assert_eq!(fight.walks_to(cutter), Some(pike));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn walks_to(&self, who: CombatantId) -> Option<CombatantId> {
        assert!(who.index() < self.setup.combatants.len(), "no such combatant");
        self.state.walks.get(who.index()).and_then(|walk| walk.toward)
    }

    /// The direction in which a combatant faces, of length 1: that of its last course or of the target of its last
    /// ability. Zeros before either.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.set_facing(who, [0.0, -2.0])?;
    /// assert_eq!(fight.facing(who), [0.0, -1.0]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn facing(&self, who: CombatantId) -> [f64; 2] {
        toward(self.state.numbers.facing(self.setup.program.place(who, Slot(0))), 1.0)
    }

    /// Turns a combatant to a direction. A combatant that the game moves keeps it until the game changes it; others
    /// turn by themselves when they walk or use an ability. Combatants that depend on an `angle` react. Nothing happens
    /// in a fight without positions.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.set_facing(who, [1.0, 0.0])?;
    /// assert!(fight.set_facing(who, [0.0, 0.0]).is_err(), "that is no direction");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, a number is not finite, or both are zero.
    pub fn set_facing(&mut self, who: CombatantId, direction: [f64; 2]) -> Result<(), FightError> {
        self.check_combatant(who)?;
        direction.iter().try_for_each(|part| self.check_number("a direction", *part))?;
        if direction == [0.0; 2] {
            return Err(self.call_error("a direction must not have a length of 0".to_owned()));
        }
        if self.setup.is_placed {
            // However long or short it is: its square might overflow or vanish.
            let longest = direction[0].abs().larger(direction[1].abs());
            let direction = direction.map(|part| part / longest);
            self.with_engine(&mut Silent, |engine| engine.face(who, direction));
        }
        Ok(())
    }

    /// Starts an ability at a position on the ground, in metres, instead of a target: a circle is centred on it, a cone
    /// or a line points toward it, and a zone is placed there. Every possible target inside when the use begins becomes
    /// a target; there may be none. Cost, cast and cooldown are as for [`Fight::use_ability`].
    ///
    /// ```
    /// use edgeplane::{Game, Log, Time};
    ///
    /// let rules = r#"
    ///     [pools]
    ///     health = { max = 30, defeat = true }
    ///     [ability.pour]
    ///     reach = 8
    ///     cooldown = 3
    ///     targets = { radius = 2 }
    ///     does = [{ damage = 5 }]
    ///     [character.crew]
    ///     abilities = ["pour"]
    ///     [encounter.yard]
    ///     sides = { wall = [{ character = "crew", at = [0, 0] }], reeds = [{ character = "crew", at = [6, 0] }] }
    /// "#;
    /// let game = Game::from_text("rules.toml", rules)?;
    /// let mut fight = game.fight("yard", 1)?;
    /// let (crew, pour) = (game.combatant(&fight, "crew (wall)")?, game.ability("pour")?);
    /// fight.take_control(crew)?;
    /// fight.advance(Time::ZERO, &mut Log::default())?;
    /// let far = fight.use_ability_at(crew, pour, [9.0, 0.0], &mut Log::default())?;
    /// assert!(far.is_err(), "the place is out of reach");
    /// fight.use_ability_at(crew, pour, [7.0, 1.0], &mut Log::default())?.expect("it can be used");
    /// fight.advance(Time::ZERO, &mut Log::default())?;
    /// assert_eq!(fight.pool(game.combatant(&fight, "crew (reeds)")?, game.pool("health")?), 25.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// `Ok(Err(reason))` is the reason why it cannot be used now. An error is as for [`Fight::run`], or there is no
    /// such combatant, the fight has no positions, a number is not finite or beyond 1e9, or the ability can only be
    /// used on combatants: it has no area except around its caster, and places no zone.
    pub fn use_ability_at<O: Observer>(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        place: [f64; 2],
        observer: &mut O,
    ) -> Result<Result<(), UnavailableReason>, FightError> {
        self.check_combatant(who)?;
        self.check_plane("a place", place)?;
        let plan = self.setup.program.abilities.get(ability.index());
        let Some(name) = plan.map(|plan| plan.name.clone()) else {
            return Err(self.call_error(format!("there is no ability {}", ability.0)));
        };
        if !self.setup.is_placed {
            return Err(self.call_error(format!("`{name}` cannot be used at a position: this fight has no positions")));
        }
        if !self.with_engine(&mut Silent, |engine| engine.can_aim_at_position(ability)) {
            let what = format!("`{name}` can only be used on combatants: it has no area to aim, and places no zone");
            return Err(self.call_error(what));
        }
        self.try_with_engine(observer, |engine| engine.use_at_place(who, ability, place))
    }
}
