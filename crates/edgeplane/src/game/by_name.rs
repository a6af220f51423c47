//! Lookups by name.

use super::{Game, unknown};
use crate::error::Error;
use crate::fight::Fight;
use crate::program::{
    AbilityId, CauseId, CharacterId, CombatantId, EncounterId, GauntletPlan, GearId, PoolId, StatusId,
};

impl Game {
    /// An encounter by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let encounter = game.encounter("shore")?;
    /// let error = game.encounter("shor").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `shore`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn encounter(&self, name: &str) -> Result<EncounterId, Error> {
        let known = || self.program.encounters().iter().map(|encounter| encounter.name.clone()).collect();
        self.program.find_encounter(name).ok_or_else(|| unknown("encounter", name, known()))
    }

    /// A gauntlet by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// assert!(game.gauntlet("long_day").is_err(), "this ruleset has none");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn gauntlet(&self, name: &str) -> Result<&GauntletPlan, Error> {
        let known = || self.program.gauntlets().iter().map(|gauntlet| gauntlet.name.clone()).collect();
        self.program.find_gauntlet(name).ok_or_else(|| unknown("gauntlet", name, known()))
    }

    /// A character by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let character = game.character("bog_pike")?;
    /// let error = game.character("bog_pik").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `bog_pike`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn character(&self, name: &str) -> Result<CharacterId, Error> {
        let known = || self.program.characters().iter().map(|character| character.name.clone()).collect();
        self.program.find_character(name).ok_or_else(|| unknown("character", name, known()))
    }

    /// An ability by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let ability = game.ability("sickle")?;
    /// let error = game.ability("sickl").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `sickle`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn ability(&self, name: &str) -> Result<AbilityId, Error> {
        let known = || self.program.abilities().iter().map(|ability| ability.name.clone()).collect();
        self.program.find_ability(name).ok_or_else(|| unknown("ability", name, known()))
    }

    /// A status by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let status = game.status("muddy")?;
    /// let error = game.status("mudd").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `muddy`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn status(&self, name: &str) -> Result<StatusId, Error> {
        let known = || self.program.statuses().iter().map(|status| status.name.clone()).collect();
        self.program.find_status(name).ok_or_else(|| unknown("status", name, known()))
    }

    /// A pool by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let pool = game.pool("health")?;
    /// let error = game.pool("healt").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `health`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn pool(&self, name: &str) -> Result<PoolId, Error> {
        let known = || self.program.pools().iter().map(|pool| pool.name.clone()).collect();
        self.program.find_pool(name).ok_or_else(|| unknown("pool", name, known()))
    }

    /// A combatant of a fight by its label.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// assert_eq!(game.combatant(&fight, "bog_pike")?, pike);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn combatant(&self, fight: &Fight, label: &str) -> Result<CombatantId, Error> {
        let known = || fight.setup().combatants.iter().map(|combatant| combatant.label.clone()).collect();
        fight.setup().find_combatant(label).ok_or_else(|| unknown("combatant", label, known()))
    }

    /// A cause by name, for [`Fight::bring_about`].
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let cause = game.cause("fall")?;
    /// let error = game.cause("fal").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `fall`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn cause(&self, name: &str) -> Result<CauseId, Error> {
        let known = || self.program.causes.iter().map(|cause| cause.name.clone()).collect();
        let found = self.program.causes.iter().position(|cause| cause.name == name);
        found.map(|index| CauseId(index as u16)).ok_or_else(|| unknown("cause", name, known()))
    }

    /// A piece of gear by name.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let gear = game.gear("waders")?;
    /// let error = game.gear("wader").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `waders`?"), "{error}");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn gear(&self, name: &str) -> Result<GearId, Error> {
        let known = || self.program.gear.iter().map(|piece| piece.name.clone()).collect();
        let found = self.program.gear.iter().position(|piece| piece.name == name);
        found.map(|index| GearId(index as u16)).ok_or_else(|| unknown("gear", name, known()))
    }
}
