//! Fights of several encounters with the same values, whose figures are needed together.

use std::sync::Arc;

use super::goals::Goal;
use super::ledger::Figure;
use super::luck::Streams;
use super::samples::{Crew, Running, Variant};
use super::statistics::Confidence;
use crate::error::Error;
use crate::game::Game;

/// The measures of each encounter, in order.
pub(super) struct Agenda<'a> {
    encounters: Vec<(&'a str, Vec<&'a str>)>,
    /// For each goal, its encounter and its index among the measures of that encounter.
    order: Vec<(usize, usize)>,
    /// For each encounter the streams whose luck is recorded, once they are known.
    noted: Vec<Arc<Streams>>,
}

impl<'a> Agenda<'a> {
    /// For goals; those without an encounter refer to this one.
    pub(super) fn of(goals: &'a [Goal], encounter: &'a str) -> Self {
        let mut agenda = Self { encounters: Vec::new(), order: Vec::new(), noted: Vec::new() };
        for goal in goals {
            let name = goal.encounter.as_deref().unwrap_or(encounter);
            let known = agenda.encounters.iter().position(|(known, _)| *known == name);
            let index = known.unwrap_or_else(|| {
                agenda.encounters.push((name, Vec::new()));
                agenda.noted.push(Arc::default());
                agenda.encounters.len() - 1
            });
            let measures = &mut agenda.encounters[index].1;
            agenda.order.push((index, measures.len()));
            measures.push(&goal.measure);
        }
        agenda
    }

    /// Checks the measures and bounds of the goals.
    pub(super) fn check(&self, game: &Game, goals: &[Goal]) -> Result<(), Error> {
        let variants = self.variants(game)?;
        for (goal, (variant, measure)) in goals.iter().zip(&self.order) {
            let checked = variants[*variant].measures()[*measure].check_bounds(goal.least, goal.most);
            checked.map_err(|fault| Error::Measure { text: goal.text.clone(), fault })?;
        }
        Ok(())
    }

    /// All variants of a ruleset that are measured.
    pub(super) fn variants(&self, game: &Game) -> Result<Vec<Variant>, Error> {
        self.encounters.iter().map(|(encounter, measures)| game.measured(encounter, measures)).collect()
    }
}

/// Equally many fights of each encounter.
pub(super) struct Together {
    studies: Vec<Running>,
    order: Vec<(usize, usize)>,
}

impl Together {
    /// The trials from this one on.
    pub(super) fn starting_at(agenda: &Agenda<'_>, game: &Game, first: u64) -> Result<Self, Error> {
        let variants = agenda.variants(game)?;
        let study = |(variant, noted)| Running::starting_at(variant, first).without_luck(noted);
        let studies = variants.iter().zip(&agenda.noted).map(study).collect();
        Ok(Self { studies, order: agenda.order.clone() })
    }

    /// Fights of each encounter.
    pub(super) fn trials(&self) -> u64 {
        self.studies.iter().map(Running::trials).min().unwrap_or(0)
    }

    /// Runs until there is a number of each, or it is stopped.
    pub(super) fn run_to(&mut self, crew: &Crew<'_>, trials: u64) -> Result<(), Error> {
        self.studies.iter_mut().try_for_each(|study| study.run_to(crew, trials))
    }

    /// A figure for each goal.
    pub(super) fn figures(&self) -> Vec<Figure> {
        let figures: Vec<Vec<Figure>> = self.studies.iter().map(|study| study.figures(Confidence::default())).collect();
        self.order.iter().map(|(study, measure)| figures[*study][*measure].clone()).collect()
    }
}
