//! The common path: open a ruleset, run fights, ask questions.

use std::path::Path;
use std::sync::Arc;

use crate::error::Error;
use crate::fight::{Ending, Fight, Log, Sampler};
use crate::program::{AbilityId, CharacterId, CombatantId, EncounterId, PoolId, Program, Setup, StatusId};
use crate::study::{Trials, TrialsPlan, run_trials};
use crate::text::{Override, Sources};

/// A ruleset that is ready to be played. Cheap to clone, and shared by all its fights.
#[derive(Clone, Debug)]
pub struct Game {
    program: Arc<Program>,
}

impl Game {
    /// Opens a ruleset: a file, or a folder of files.
    ///
    /// # Errors
    /// [`Error::Ruleset`] with everything that is wrong.
    pub fn open(path: impl AsRef<Path>) -> Result<Self, Error> {
        Self::open_with(path, &[])
    }

    /// Opens a ruleset with some of its values replaced.
    ///
    /// # Errors
    /// [`Error::Ruleset`] with everything that is wrong.
    pub fn open_with(path: impl AsRef<Path>, overrides: &[Override]) -> Result<Self, Error> {
        let sources = Sources::read(path.as_ref())
            .map_err(|diagnostics| Error::Ruleset { sources: Sources::default(), diagnostics })?;
        Self::from_sources(sources, overrides)
    }

    /// A ruleset in a text, for rulesets that live within a program.
    ///
    /// # Errors
    /// [`Error::Ruleset`] with everything that is wrong.
    pub fn from_text(name: &str, text: &str) -> Result<Self, Error> {
        Self::from_sources(Sources::from_text(name, text), &[])
    }

    /// A ruleset in texts, with some of its values replaced.
    ///
    /// # Errors
    /// [`Error::Ruleset`] with everything that is wrong.
    pub fn from_sources(sources: Sources, overrides: &[Override]) -> Result<Self, Error> {
        match Program::load(sources, overrides) {
            Ok(program) => Ok(Self { program: Arc::new(program) }),
            Err((sources, diagnostics)) => Err(Error::Ruleset { sources, diagnostics }),
        }
    }

    /// The compiled rules.
    pub fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// An encounter by name.
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn encounter(&self, name: &str) -> Result<EncounterId, Error> {
        let known = || self.program.encounters().iter().map(|encounter| encounter.name.clone()).collect();
        self.program.find_encounter(name).ok_or_else(|| unknown("encounter", name, known()))
    }

    /// A character by name.
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn character(&self, name: &str) -> Result<CharacterId, Error> {
        let known = || self.program.characters().iter().map(|character| character.name.clone()).collect();
        self.program.find_character(name).ok_or_else(|| unknown("character", name, known()))
    }

    /// An ability by name.
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn ability(&self, name: &str) -> Result<AbilityId, Error> {
        let known = || self.program.abilities().iter().map(|ability| ability.name.clone()).collect();
        self.program.find_ability(name).ok_or_else(|| unknown("ability", name, known()))
    }

    /// A status by name.
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn status(&self, name: &str) -> Result<StatusId, Error> {
        let known = || self.program.statuses().iter().map(|status| status.name.clone()).collect();
        self.program.find_status(name).ok_or_else(|| unknown("status", name, known()))
    }

    /// A pool by name.
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn pool(&self, name: &str) -> Result<PoolId, Error> {
        let known = || self.program.pools().iter().map(|pool| pool.name.clone()).collect();
        self.program.find_pool(name).ok_or_else(|| unknown("pool", name, known()))
    }

    /// A combatant of a fight by its label.
    ///
    /// # Errors
    /// [`Error::Unknown`].
    pub fn combatant(&self, fight: &Fight, label: &str) -> Result<CombatantId, Error> {
        let known = || fight.setup().combatants.iter().map(|combatant| combatant.label.clone()).collect();
        fight.setup().find_combatant(label).ok_or_else(|| unknown("combatant", label, known()))
    }

    /// The same game in which a character uses nothing but one ability, whenever it can: to see what that
    /// ability does on its own.
    ///
    /// # Errors
    /// [`Error::Unknown`] when there is no such character, or it does not have the ability.
    pub fn forced(&self, character: &str, ability: &str) -> Result<Self, Error> {
        let id = self.character(character)?;
        let plan = &self.program.characters()[id.index()];
        let names = plan.abilities.iter().map(|ability| self.program.ability(*ability).name.clone());
        let names: Vec<String> = names.collect();
        let Some(place) = names.iter().position(|name| name == ability) else {
            return Err(unknown("ability of that character", ability, names));
        };
        let mut program = Program::clone(&self.program);
        program.force(id, place);
        Ok(Self { program: Arc::new(program) })
    }

    /// A fight of an encounter, not yet begun.
    ///
    /// # Errors
    /// [`Error::Unknown`] when there is no such encounter.
    pub fn fight(&self, encounter: &str, seed: u64) -> Result<Fight, Error> {
        Ok(Fight::new(&self.program, self.encounter(encounter)?, seed))
    }

    /// A fight between two characters, without an encounter.
    ///
    /// # Errors
    /// [`Error::Unknown`] when there is no such character.
    pub fn duel(&self, one: &str, other: &str, seed: u64) -> Result<Fight, Error> {
        let sides =
            [("one".to_owned(), vec![self.character(one)?]), ("other".to_owned(), vec![self.character(other)?])];
        let setup = Arc::new(Setup::between(&self.program, &sides));
        Ok(Fight::with_chance(setup, Sampler::default(), seed))
    }

    /// Runs a fight to its end and gives all that happened.
    ///
    /// # Errors
    /// [`Error::Unknown`] or [`Error::Fight`].
    pub fn play(&self, encounter: &str, seed: u64) -> Result<(Ending, Log), Error> {
        let mut fight = self.fight(encounter, seed)?;
        let mut log = Log::default();
        let ending = fight.run(&mut log).map_err(|error| Error::of_fight(&error, fight.setup()))?;
        Ok((ending, log))
    }

    /// Runs many fights and adds up what happened.
    ///
    /// # Errors
    /// [`Error::Unknown`], or [`Error::Fight`] for the first trial that could not go on.
    pub fn trials(&self, encounter: &str, plan: &TrialsPlan) -> Result<Trials, Error> {
        let setup = Arc::new(Setup::of(&self.program, self.encounter(encounter)?));
        run_trials(&setup, plan, &|_| {})
    }
}

fn unknown(what: &'static str, name: &str, known: Vec<String>) -> Error {
    Error::Unknown { what, name: name.to_owned(), known }
}
