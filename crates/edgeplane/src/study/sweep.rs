//! The same study along one or two varied numbers.

use serde::Serialize;

use super::ledger::Figure;
use super::samples::{Crew, Running};
use super::statistics::Confidence;
use super::trials::TrialsPlan;
use super::vary::Vary;
use crate::error::Error;
use crate::game::Game;

/// A study along varied numbers.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Sweep {
    /// The encounter.
    pub encounter: String,
    /// Fights at each point.
    pub trials: u64,
    /// The seed, the same at each point.
    pub seed: u64,
    /// The varied numbers: one or two.
    pub varied: Vec<VariedNumber>,
    /// The measures.
    pub measures: Vec<String>,
    /// The points; the last number varies fastest. There are fewer than all combinations if the study was stopped.
    pub points: Vec<SweepPoint>,
}

/// A varied number.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct VariedNumber {
    /// Its path.
    pub path: String,
    /// Whether the values are factors.
    pub scales: bool,
    /// Its current value, or `not given`.
    pub now: String,
    /// The values.
    pub values: Vec<f64>,
}

/// One point of a sweep.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct SweepPoint {
    /// The value of each varied number.
    pub at: Vec<f64>,
    /// The figure of each measure.
    pub figures: Vec<Figure>,
}

/// Runs the study at every combination of values, each time on the same seeds, so that differences along the sweep are
/// caused by the numbers and not by chance.
///
/// ```
/// use edgeplane::study::{Vary, run_sweep};
/// use edgeplane::{Game, TrialsPlan};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let heft = Vary::parse("character.silt_crab.attributes.heft=10..20:5").unwrap();
/// let plan = TrialsPlan { trials: 200, ..TrialsPlan::default() };
/// let sweep = run_sweep(&game, "duel", &[heft], &["duration"], &plan, &|_| {})?;
/// assert!(sweep.points[0].figures[0].value > sweep.points[2].figures[0].value);
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// As [`Game::variant`] and [`super::run_measures`], for any of the values. If it is stopped, points that were not
/// reached are left out.
pub fn run_sweep(
    game: &Game,
    encounter: &str,
    varied: &[Vary],
    measures: &[impl AsRef<str>],
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Sweep, Error> {
    let crew = Crew::new(plan, progress);
    let mut points = Vec::new();
    for at in combinations(varied) {
        if crew.is_stopped() && !points.is_empty() {
            break;
        }
        let changes =
            varied.iter().zip(&at).map(|(vary, value)| vary.at(game, *value)).collect::<Result<Vec<_>, _>>()?;
        let variant = game.variant(&changes)?.measured(encounter, measures)?;
        let mut running = Running::new(&variant);
        running.run_to(&crew, plan.trials)?;
        if points.is_empty() {
            running.something(&crew)?;
        }
        points.push(SweepPoint { at, figures: running.figures(Confidence::default()) });
    }
    let described = |vary: &Vary| {
        let now = vary.text_now(game)?;
        Ok(VariedNumber { path: vary.path.clone(), scales: vary.scales, now, values: vary.values.clone() })
    };
    Ok(Sweep {
        encounter: encounter.to_owned(),
        trials: plan.trials,
        seed: plan.seed,
        varied: varied.iter().map(described).collect::<Result<_, Error>>()?,
        measures: measures.iter().map(|measure| measure.as_ref().to_owned()).collect(),
        points,
    })
}

/// Every combination of values; the last number varies fastest.
fn combinations(varied: &[Vary]) -> Vec<Vec<f64>> {
    varied.iter().fold(vec![Vec::new()], |points, vary| {
        let longer = |point: &Vec<f64>, value: &f64| [point.as_slice(), &[*value]].concat();
        points.iter().flat_map(|point| vary.values.iter().map(move |value| longer(point, value))).collect()
    })
}
