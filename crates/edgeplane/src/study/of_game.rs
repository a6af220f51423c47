//! Studies as methods of a game.

use std::sync::Arc;

use super::ledger::Figure;
use super::samples::{Variant, run_measures};
use super::trials::{Trials, TrialsPlan, run_trials};
use crate::error::Error;
use crate::game::Game;
use crate::program::Setup;

impl Game {
    /// Runs many fights and computes their figures.
    ///
    /// # Errors
    /// [`Error::Unknown`], or [`Error::Fight`] for the first trial that failed.
    pub fn trials(&self, encounter: &str, plan: &TrialsPlan) -> Result<Trials, Error> {
        let setup = Arc::new(Setup::of(self.program(), self.encounter(encounter)?));
        run_trials(&setup, plan, &|_| {})
    }

    /// An encounter with measures, for the studies of [`crate::study`].
    ///
    /// # Errors
    /// [`Error::Unknown`] or [`Error::Measure`].
    pub fn measured(&self, encounter: &str, measures: &[impl AsRef<str>]) -> Result<Variant, Error> {
        Variant::new(Arc::new(Setup::of(self.program(), self.encounter(encounter)?)), measures)
    }

    /// Runs many fights and estimates measures: `duration.p50`, `win_rate(keepers)`.
    ///
    /// # Errors
    /// [`Error::Unknown`], [`Error::Measure`] or [`Error::Fight`].
    pub fn measure(
        &self,
        encounter: &str,
        measures: &[impl AsRef<str>],
        plan: &TrialsPlan,
    ) -> Result<Vec<Figure>, Error> {
        run_measures(&self.measured(encounter, measures)?, plan, &|_| {})
    }
}
