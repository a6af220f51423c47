//! Compares two variants trial by trial on the same random numbers, so that chance that affects both alike cancels out.

use serde::Serialize;

use super::book::Sample;
use super::ledger::{Figure, Ledger};
use super::moments::Moments;
use super::samples::{Crew, Samples, Variant};
use super::statistics::{Confidence, Interval, mean_interval, share_difference};
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::measures::{Measure, Unit};
use crate::numbers::Extremes;
use crate::rules::Statistic;

/// The 80 % quantile of the standard normal distribution.
const POWER: f64 = 0.8416;

/// The minimum number of differing trials for a closed interval of a difference of means.
const FEW: f64 = 15.0;

/// The effect of a change on a measure.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Difference {
    /// The measure as it was written.
    pub measure: String,
    /// The unit of the values.
    pub unit: Unit,
    /// In the first variant.
    pub before: Figure,
    /// In the second.
    pub after: Figure,
    /// The second minus the first; `None` if one of them has no value.
    pub difference: Option<f64>,
    /// The lower end of the paired interval; `None` if it is open.
    pub low: Option<f64>,
    /// The upper end, likewise.
    pub high: Option<f64>,
    /// The share of trials in which the variants differ; 1 if they were not paired.
    pub trials_that_differ: f64,
    /// How many times as many trials two independent studies would need for an interval of the same width.
    pub saving: Option<f64>,
    /// The power of the comparison: a change of this size would be detected by at least four of five comparisons with
    /// the same number of trials and the same variance. Half of it requires four times as many. `None` if the interval
    /// is open or nothing varies.
    pub detectable: Option<f64>,
}

impl Difference {
    /// Whether the interval excludes 0: the change exceeds chance and the rounding of sums.
    pub fn is_certain(&self) -> bool {
        let least = 1e-9 * self.before.value.map_or(0.0, f64::abs);
        self.low.is_some_and(|low| low > least) || self.high.is_some_and(|high| high < -least)
    }
}

/// Paired samples of one measure.
pub(super) struct Pairs {
    before: Ledger,
    after: Ledger,
    moments: Moments<4>,
    /// Trials that changed from 0 to 1, and from 1 to 0; for other values: up, and down.
    up: f64,
    down: f64,
}

impl Pairs {
    pub(super) fn new(measure: &Measure) -> Self {
        Self {
            before: Ledger::new(measure),
            after: Ledger::new(measure),
            moments: Moments::default(),
            up: 0.0,
            down: 0.0,
        }
    }

    fn is_empty(&self) -> bool {
        self.moments.count == 0.0
    }

    pub(super) fn add(&mut self, before: Sample, after: Sample) {
        self.before.add(before);
        self.after.add(after);
        self.moments.add([before[0], before[1], after[0], after[1]]);
        let (was, is) = (before[0] * after[1], after[0] * before[1]);
        self.up += f64::from(u8::from(is > was));
        self.down += f64::from(u8::from(is < was));
    }

    pub(super) fn difference(&self, measure: &Measure, sure: Confidence) -> Difference {
        let figures = |sure: Confidence| [&self.before, &self.after].map(|one| one.figure(measure, sure, false));
        let [before, after] = figures(sure);
        let interval = self.interval(measure, &before, &after, sure);
        let apart = libm::hypot(before.half_width(), after.half_width());
        let reach = interval.map_or(0.0, |one| (one.high - one.low) / 2.0);
        Difference {
            measure: measure.text.clone(),
            unit: measure.unit(),
            difference: interval.map(|one| one.value),
            low: interval.map(|one| one.low).filter(|end| end.is_finite()),
            high: interval.map(|one| one.high).filter(|end| end.is_finite()),
            trials_that_differ: (self.up + self.down) / self.moments.count.larger(1.0),
            saving: (reach > 0.0 && apart.is_finite()).then(|| (apart / reach) * (apart / reach)),
            detectable: (reach > 0.0 && reach.is_finite()).then(|| reach * (sure.z() + POWER) / sure.z()),
            before,
            after,
        }
    }

    fn interval(&self, measure: &Measure, before: &Figure, after: &Figure, sure: Confidence) -> Option<Interval> {
        let value = after.value? - before.value?;
        if let Statistic::Quantile(_) = measure.statistic {
            return Some(self.quantiles(measure, value, sure));
        }
        if measure.quantity.is_share_of_fights() {
            let interval = share_difference(self.up, self.down, self.moments.count, sure);
            return Some(Interval { value, ..interval });
        }
        // With few differing trials no error can be estimated: rare, large values may not have occurred yet.
        let open = Interval { value, low: f64::NEG_INFINITY, high: f64::INFINITY };
        Some(if self.up + self.down < FEW { open } else { self.means(value, sure) })
    }

    /// Each quantile within its own interval, with the requested joint confidence: wider than necessary if the trials
    /// are correlated, but correct on lattices, where quantiles jump and their error cannot be estimated from their
    /// variation.
    fn quantiles(&self, measure: &Measure, value: f64, sure: Confidence) -> Interval {
        let sure = sure.shared_by(2);
        let [before, after] = [&self.before, &self.after].map(|one| one.figure(measure, sure, false));
        let apart = |to: Option<f64>, from: Option<f64>| to.zip(from).map(|(to, from)| to - from);
        Interval {
            value,
            low: apart(after.low, before.high).unwrap_or(f64::NEG_INFINITY),
            high: apart(after.high, before.low).unwrap_or(f64::INFINITY),
        }
    }

    fn means(&self, value: f64, sure: Confidence) -> Interval {
        let [a, over_a, b, over_b] = self.moments.mean;
        let (before, after) = (a / over_a, b / over_b);
        let weights = [-1.0 / over_a, before / over_a, 1.0 / over_b, -after / over_b];
        let (error, skewness) = (self.moments.error_of(weights), self.moments.skewness_of(weights));
        mean_interval(value, error, skewness, self.moments.count, sure)
    }
}

/// Adds the samples of two variants.
pub(super) fn pair_up(pairs: &mut [Pairs], before: &Samples, after: &Samples) {
    for ((pairs, before), after) in pairs.iter_mut().zip(before).zip(after) {
        before.iter().zip(after).for_each(|(before, after)| pairs.add(*before, *after));
    }
}

/// Pairs of trials between two checks of the stop signal.
const STRETCH: u64 = 8_192;

/// Runs both variants on the same seeds and returns the effect on each measure. The two must have the same measures.
///
/// ```
/// use std::sync::Arc;
/// use edgeplane::study::{Variant, run_comparison};
/// use edgeplane::{Game, Override, Setup, TrialsPlan};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let harder = game.variant(&[Override::parse("character.silt_crab.attributes.heft=20").unwrap()])?;
/// let variant = |game: &Game| {
///     let setup = Arc::new(Setup::of(game.program(), game.encounter("duel")?));
///     Variant::new(setup, &["duration"])
/// };
/// let plan = TrialsPlan { trials: 500, ..TrialsPlan::default() };
/// let differences = run_comparison(&variant(&game)?, &variant(&harder)?, &plan, &|_| {})?;
/// assert!(differences[0].difference < Some(0.0), "harder hits, shorter fights");
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// [`Error::Fight`] for the first trial that failed; [`Error::Stopped`].
pub fn run_comparison(
    before: &Variant,
    after: &Variant,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Vec<Difference>, Error> {
    let crew = Crew::new(plan, progress);
    let mut pairs: Vec<Pairs> = before.measures().iter().map(Pairs::new).collect();
    for first in (0..plan.trials).step_by(STRETCH as usize) {
        let stretch = first..plan.trials.min(first + STRETCH);
        let [before, after] = crew.samples_of_each([before, after], stretch)?;
        pair_up(&mut pairs, &before, &after);
        if crew.is_stopped() {
            break;
        }
    }
    if crew.is_stopped() && pairs.first().is_some_and(Pairs::is_empty) {
        return Err(Error::Stopped);
    }
    let sure = Confidence::default();
    Ok(pairs.iter().zip(before.measures()).map(|(pairs, measure)| pairs.difference(measure, sure)).collect())
}
