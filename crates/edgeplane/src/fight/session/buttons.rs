//! Abilities as a game shows them: buttons, and reasons why they are disabled.

use super::super::Fight;
use super::super::events::{Observer, UnavailableReason};
use super::super::limits::FightError;
use super::super::random::RandomSource;
use super::super::state::{Doing, EffectContext};
use crate::program::{AbilityId, CombatantId, Frame, GearId, PoolId, Time};

/// The data of a button for an ability of a combatant.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Button {
    /// The ability.
    pub ability: AbilityId,
    /// Whether the combatant has it now, itself or through a status or gear.
    pub is_known: bool,
    /// When its cooldown ends; a time in the past if none is running.
    pub ready_at: Time,
    /// The current and the maximum number of charges; `None` for an ability without charges.
    pub charges: Option<(u32, u32)>,
    /// When the next charge is regained; `None` if none is missing.
    pub next_charge: Option<Time>,
    /// The remaining uses in this fight; `None` without a limit.
    pub uses_left: Option<u32>,
    /// Its current cost, for each pool.
    pub costs: Vec<(PoolId, f64)>,
}

impl<C: RandomSource> Fight<C> {
    /// The abilities that a combatant has now, in the order of the ruleset.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// assert_eq!(fight.abilities(pike).collect::<Vec<_>>(), [game.ability("sickle")?]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn abilities(&self, who: CombatantId) -> impl Iterator<Item = AbilityId> + '_ {
        let policy = &self.setup.policies[who.index()];
        let own = policy.first as usize..(policy.first + policy.count) as usize;
        own.filter(|index| self.state.abilities[*index].known).map(|index| self.setup.abilities[index].ability)
    }

    /// The data of an ability's button; `None` if the combatant can never have it.
    ///
    /// ```
    /// use edgeplane::{Game, Silent};
    ///
    /// let game = Game::from_text("small.toml", edgeplane::example_text())?;
    /// let mut fight = game.fight("duel", 1)?;
    /// let who = game.combatant(&fight, &fight.setup().combatants[0].label)?;
    /// let ability = fight.abilities(who).next().expect("one at least");
    /// let button = fight.button(who, ability)?.expect("it has it");
    /// assert!(button.is_known && button.ready_at <= fight.now());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, or a cost has no value.
    pub fn button(&mut self, who: CombatantId, ability: AbilityId) -> Result<Option<Button>, FightError> {
        self.check_combatant(who)?;
        let Some(index) = self.state.ability_index(&self.setup, who, ability) else { return Ok(None) };
        let setup = std::sync::Arc::clone(&self.setup);
        let plan = setup.program.ability(ability);
        let frame = Frame::new(&setup.program, who, who, 0, self.state.now.micros());
        let cost = |(pool, cost): &(PoolId, _)| Ok((*pool, self.formula_value(*cost, &frame)?));
        let costs = plan.cost.iter().map(cost).collect::<Result<_, FightError>>()?;
        let state = self.state.abilities[index];
        // A copy, because reading charges must not change them.
        let mut kept = self.state.charges_mut(&setup, index).copied();
        let charges = plan.charges.zip(kept.as_mut());
        let charges = charges.map(|((most, _), kept)| (kept.refill(most, self.state.now), most));
        Ok(Some(Button {
            ability,
            is_known: state.known,
            ready_at: state.ready,
            charges,
            next_charge: kept.filter(|_| charges.is_some_and(|(now, most)| now < most)).map(|kept| kept.next),
            uses_left: plan.uses.map(|uses| uses.saturating_sub(state.used)),
            costs,
        }))
    }

    /// The reason why an ability cannot be used now with a combatant as its first target, under the rules of the
    /// ability; `None` if it can.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// let sickle = game.ability("sickle")?;
    /// let pike = fight.spawn(game.character("bog_pike")?, SideId(1), [3.0, 40.0], &mut Silent)?;
    /// let pike = fight.combatant(pike)?;
    /// assert!(fight.why_unavailable_on(who, sickle, pike)?.is_some(), "it is 36 m away");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::why_unavailable`].
    pub fn why_unavailable_on(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
        target: CombatantId,
    ) -> Result<Option<UnavailableReason>, FightError> {
        self.check_combatant(who)?;
        self.check_combatant(target)?;
        self.ask(|engine| match engine.callable(who, ability) {
            Err(reason) => Ok(Some(reason)),
            Ok(index) => engine.unavailable_on(who, index, Some(target)),
        })
    }

    /// The gear of a combatant, in the order in which it was put on.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// assert_eq!(fight.worn(cutter).collect::<Vec<_>>(), [game.gear("waders")?]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn worn(&self, who: CombatantId) -> impl Iterator<Item = GearId> + '_ {
        self.state.worn.iter().filter(move |(other, _)| *other == who).map(|(_, piece)| *piece)
    }

    /// Cancels what a combatant casts or sustains, as if it had interrupted itself. Returns whether there was anything
    /// to cancel.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.take_control(cutter)?;
    /// assert!(!fight.cancel(cutter, &mut Silent)?, "it does nothing");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::use_ability`].
    pub fn cancel<O: Observer>(&mut self, who: CombatantId, observer: &mut O) -> Result<bool, FightError> {
        self.check_combatant(who)?;
        let Doing::Casting(index) = self.state.who(who).doing else { return Ok(false) };
        let by = EffectContext::of_ability(who, self.setup.abilities[index as usize].ability);
        self.try_with_engine(observer, |engine| {
            engine.interrupt(who, &by)?;
            engine.respond().map(|()| true)
        })
    }

    /// Puts a piece of gear on a combatant, replacing the piece in the same slot. Before the fight has begun, it
    /// becomes part of the initial state.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let waders = game.gear("waders")?;
    /// fight.wear(pike, waders, &mut Silent)?;
    /// assert_eq!(fight.worn(pike).collect::<Vec<_>>(), [waders]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant or piece, and as for [`Fight::run`].
    pub fn wear<O: Observer>(&mut self, who: CombatantId, piece: GearId, observer: &mut O) -> Result<(), FightError> {
        self.change_gear_of(who, piece, true, observer)
    }

    /// Takes a piece of gear off; nothing happens if it is not worn.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.take_off(cutter, game.gear("waders")?, &mut Silent)?;
    /// assert_eq!(fight.worn(cutter).count(), 0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Fight::wear`].
    pub fn take_off<O: Observer>(
        &mut self,
        who: CombatantId,
        piece: GearId,
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.change_gear_of(who, piece, false, observer)
    }

    fn change_gear_of<O: Observer>(
        &mut self,
        who: CombatantId,
        piece: GearId,
        comes: bool,
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.check_combatant(who)?;
        if piece.index() >= self.setup.program.gear.len() {
            return Err(self.call_error(format!("there is no gear {}", piece.0)));
        }
        self.try_with_engine(observer, |engine| {
            if !engine.state.began {
                engine.change_worn(who, piece, comes);
                return Ok(());
            }
            if comes {
                engine.wear(who, piece)?
            } else {
                engine.take_off(who, piece)?
            }
            engine.respond()
        })
    }
}
