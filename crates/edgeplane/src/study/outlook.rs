//! Predictions of the goals of a search at any values of its numbers.

use std::f64::consts::FRAC_1_SQRT_2;

use statrs::function::erf::erfc;

use super::goals::Goal;
use super::ledger::Figure;
use super::statistics::Confidence;
use super::surrogate::{Observation, Shape, Surrogate};
use crate::measures::Unit;
use crate::numbers::Extremes;

/// The margin of an answer to the bounds of its goals, in standard errors of the proof: nine of ten proofs succeed.
const AWAY: f64 = 1.28;
/// The maximum share of a goal's tolerance used as a margin.
const MOST_AWAY: f64 = 0.75;
/// The probability of success that a proof requires before it is started. A failed proof is not lost, so waiting for
/// more would cost more.
const READY: f64 = 0.6;
/// The same if an answer is nearer to the bounds.
const SURE: f64 = 0.75;
/// The same after a failed proof, because the model's expectations were too high.
const AGAIN: f64 = 0.85;
/// The precision beyond which a figure need not be known better, in errors of the first proof.
const KNOWN: f64 = 0.7;
/// The logarithm of a probability below which distances are used instead.
const UNLIKELY: f64 = -27.0;

/// A figure at a point, given as shares of the ranges, with its standard error.
pub(super) struct Known<'a> {
    pub(super) place: &'a [f64],
    pub(super) figure: &'a Figure,
    pub(super) error: f64,
}

/// The predictions of all goals.
pub(super) struct Outlook {
    prospects: Vec<Prospect>,
    /// For each goal, an earlier goal with which its errors correlate most.
    partners: Vec<Option<Partner>>,
}

/// A goal with correlated errors: what one side wins more often, the other wins less often.
#[derive(Clone, Copy, Debug)]
struct Partner {
    goal: usize,
    /// The share of their probability that is due to a common error, and whether it has the same or the opposite sign.
    shared: f64,
    sign: f64,
}

/// The prediction of one goal. Shares are modelled by the logarithm of their odds, on which effects are additive.
pub(super) struct Prospect {
    goal: Goal,
    unit: Unit,
    /// `None` if no fight had a value.
    figure: Option<Surrogate>,
    /// The probability that there is a figure at all, if only some points have one.
    presence: Option<Surrogate>,
    /// The variance of one fight, of the next proof, and of the first.
    one: f64,
    proof: f64,
    first_proof: f64,
    /// The margin of the figure to the bounds, in errors of the proof.
    spare: f64,
}

/// The margin that a proof must have after a number of failures, in standard errors: among many attempts, a lucky one
/// would meet goals that are missed. At a bound the first proof succeeds in half of all cases, the second in a quarter,
/// any other in a sixth.
pub(super) fn spare(failed: usize) -> f64 {
    const SPARE: [f64; 3] = [0.0, 0.67, 1.0];
    SPARE[failed.min(SPARE.len() - 1)]
}

/// The same in the units of a goal.
pub(super) fn to_spare(goal: &Goal, unit: Unit, errors: f64) -> f64 {
    errors.smaller(MOST_AWAY * goal.tolerance(unit))
}

impl Prospect {
    /// Computes predictions from the figures of one goal, the variance of one fight, and the numbers of fights of the
    /// first and the next proof with its margin; reuses the shapes of models of nearly as many figures.
    pub(super) fn of(
        goal: &Goal,
        known: &[Known<'_>],
        one: f64,
        (first, fights, spare): (f64, f64, f64),
        shapes: Option<&Prospect>,
    ) -> Self {
        let unit = known.first().map_or(Unit::Share, |known| known.figure.unit);
        let seen = |known: &Known<'_>| {
            let Figure { value: Some(value), low, high, trials, .. } = *known.figure else { return None };
            // Certainty is represented by the greatest distance.
            let end = if known.error > 0.0 { 0.5 / (trials as f64 + 1.0) } else { 1e-9 };
            let on_scale = |value: f64| if unit == Unit::Share { odds(value.clamp(end, 1.0 - end)) } else { value };
            let at = on_scale(value);
            let half = low.zip(high).map(|(low, high)| (on_scale(high) - on_scale(low)) / 2.0);
            let error = half.map_or(10.0 * goal.size(unit), |half| half / Confidence::default().z());
            Some(Observation { place: known.place.to_vec(), value: at, variance: error * error })
        };
        let observations: Vec<Observation> = known.iter().filter_map(seen).collect();
        let is_present = |known: &Known<'_>| Observation {
            place: known.place.to_vec(),
            value: if known.figure.value.is_some() { 1.0 } else { 0.0 },
            variance: 0.01,
        };
        let is_partial = observations.len() < known.len() && !observations.is_empty();
        let shape = |of: fn(&Prospect) -> &Option<Surrogate>| -> Option<&Shape> {
            shapes.and_then(|before| of(before).as_ref()).map(Surrogate::shape)
        };
        let presence: Vec<Observation> = if is_partial { known.iter().map(is_present).collect() } else { Vec::new() };
        Self {
            goal: goal.clone(),
            unit,
            figure: Surrogate::fit(&observations, shape(|before| &before.figure)),
            presence: Surrogate::fit(&presence, shape(|before| &before.presence)),
            one,
            proof: one / fights,
            first_proof: one / first,
            spare,
        }
    }

    /// The deviation of each figure from the prediction without it, in standard errors; `None` for a missing figure.
    fn surprises(&self, points: usize) -> Vec<f64> {
        let surprises = self.figure.as_ref().map_or_else(Vec::new, Surrogate::left_out);
        if surprises.len() == points { surprises } else { Vec::new() }
    }

    /// The value of the model's scale for a value of the figure.
    fn on_scale(&self, value: f64) -> f64 {
        match self.unit {
            Unit::Share if value <= 0.0 => f64::NEG_INFINITY,
            Unit::Share if value >= 1.0 => f64::INFINITY,
            Unit::Share => odds(value),
            _ => value,
        }
    }

    fn off_scale(&self, value: f64) -> f64 {
        if self.unit == Unit::Share { 1.0 / (1.0 + libm::exp(-value)) } else { value }
    }

    /// The factor by which an error of the figure is scaled on the model's scale.
    fn slope(&self, value: f64) -> f64 {
        if self.unit != Unit::Share {
            return 1.0;
        }
        let share = self.off_scale(value).clamp(1e-6, 1.0 - 1e-6);
        1.0 / (share * (1.0 - share))
    }

    /// The bounds that the proof has to meet, and those with its margin.
    fn bounds(&self) -> ((f64, f64), (f64, f64)) {
        let Goal { least, most, .. } = self.goal;
        let away = to_spare(&self.goal, self.unit, AWAY * self.proof.sqrt());
        let spare = to_spare(&self.goal, self.unit, self.spare * self.proof.sqrt());
        let kept = |away: f64| (self.on_scale(least + away), self.on_scale(most - away));
        (kept(spare), kept(away))
    }

    fn is_present(&self, place: &[f64]) -> f64 {
        let Some(presence) = &self.presence else { return 1.0 };
        let (value, variance) = presence.at(place);
        below((value - 0.5) / variance.sqrt())
    }
}

/// The range of a goal's figure in errors from its prediction, and the probability that there is a figure.
#[derive(Clone, Copy, Debug)]
struct Window {
    low: f64,
    high: f64,
    present: f64,
}

/// The probability of an error between two bounds.
fn between(low: f64, high: f64) -> f64 {
    (below(high) - below(low)).larger(0.0)
}

/// The same, with a lower limit for close bounds: the density of each, if there is anything between them.
fn possible(low: f64, high: f64) -> f64 {
    if low < high { below(high) * below(-low) } else { 0.0 }
}

impl Outlook {
    /// Predictions of all goals at a number of points.
    pub(super) fn new(prospects: Vec<Prospect>, points: usize) -> Self {
        let alone = prospects.len() < 2;
        let surprises: Vec<Vec<f64>> =
            prospects.iter().map(|one| if alone { Vec::new() } else { one.surprises(points) }).collect();
        let partner = |goal: usize| {
            let with = (0..goal).map(|other| (other, surely_together(&surprises[other], &surprises[goal])));
            let (goal, together) = with.max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()).then(b.0.cmp(&a.0)))?;
            // Exact if both signs are equally likely (Sheppard 1899).
            let shared = libm::asin(together.abs()) * std::f64::consts::FRAC_2_PI;
            (shared > 0.0).then_some(Partner { goal, shared, sign: together.signum() })
        };
        let partners = (0..prospects.len()).map(partner).collect();
        Self { prospects, partners }
    }

    pub(super) fn prospects(&self) -> &[Prospect] {
        &self.prospects
    }

    /// The probability that all figures meet their goals. Each goal is taken given the one with which its errors
    /// correlate: partly as if they had the same error, partly as if they were independent.
    fn together(&self, windows: &[Window], chance: fn(f64, f64) -> f64) -> f64 {
        let mut all = 1.0;
        for (window, partner) in windows.iter().zip(&self.partners) {
            let mut likely = chance(window.low, window.high);
            if let Some(Partner { goal, shared, sign }) = *partner {
                let other = windows[goal];
                let given = chance(other.low, other.high);
                let (low, high) = if sign > 0.0 { (other.low, other.high) } else { (-other.high, -other.low) };
                let both = chance(window.low.larger(low), window.high.smaller(high));
                likely = (1.0 - shared) * likely + if given > 0.0 { shared * both / given } else { 0.0 };
            }
            all *= likely * window.present;
        }
        all
    }

    /// Positive if the goals are expected to be met and a proof would show it, and larger for smaller changes; negative
    /// values are the logarithm of the probability of a successful proof.
    pub(super) fn merit(&self, place: &[f64], moved: f64) -> f64 {
        let (mut is_inside, mut far) = (true, 0.0);
        let mut windows = Vec::with_capacity(self.prospects.len());
        for prospect in &self.prospects {
            let Some((value, variance)) = prospect.figure.as_ref().map(|figure| figure.at(place)) else {
                return 2.0 * UNLIKELY;
            };
            let ((least, most), (low, high)) = prospect.bounds();
            is_inside &= (low..=high).contains(&value);
            let slope = prospect.slope(value);
            let error = (variance + prospect.proof * slope * slope).sqrt();
            let (low, high) = ((least - value) / error, (most - value) / error);
            windows.push(Window { low, high, present: prospect.is_present(place) });
            let beyond = (least - value).larger(value - most).larger(0.0) / error;
            far += beyond * beyond;
        }
        let passes = self.together(&windows, between);
        let has_failed = self.prospects.iter().any(|prospect| prospect.spare > 0.0);
        if passes
            >= if has_failed {
                AGAIN
            } else if is_inside {
                READY
            } else {
                SURE
            }
        {
            return 100.0 - moved;
        }
        let likely = libm::log(passes);
        if likely > UNLIKELY { likely.smaller(0.0) } else { UNLIKELY - far }
    }

    /// The expected improvement: by how much the change becomes smaller with a point, weighted by the probability that
    /// it meets the goals; `by` is its gain.
    pub(super) fn gain(&self, place: &[f64], by: f64) -> f64 {
        if by <= 0.0 {
            return by;
        }
        let mut windows = Vec::with_capacity(self.prospects.len());
        for prospect in &self.prospects {
            let Some((value, variance)) = prospect.figure.as_ref().map(|figure| figure.at(place)) else {
                windows.push(Window { low: f64::NEG_INFINITY, high: f64::INFINITY, present: 1.0 });
                continue;
            };
            let (_, (low, high)) = prospect.bounds();
            let error = variance.sqrt();
            // Chance in the proof decides what remains in doubt.
            let is_known = error < KNOWN * prospect.first_proof.sqrt() * prospect.slope(value);
            if is_known && !(low..=high).contains(&value) {
                return 0.0;
            }
            let (low, high) = ((low - value) / error, (high - value) / error);
            windows.push(Window { low, high, present: prospect.is_present(place) });
        }
        self.together(&windows, possible) * by
    }

    /// The miss of each goal in large steps, if a number of errors of the model are in its favour.
    pub(super) fn misses(&self, place: &[f64], errors: f64) -> impl Iterator<Item = f64> {
        self.prospects.iter().map(move |prospect| {
            let Some((value, variance)) = prospect.figure.as_ref().map(|figure| figure.at(place)) else { return 10.0 };
            let favour = errors * variance.sqrt();
            let (low, high) = (prospect.off_scale(value - favour), prospect.off_scale(value + favour));
            let nearest = prospect.goal.least.larger(low).smaller(high).smaller(prospect.goal.most.larger(low));
            prospect.goal.miss(nearest, prospect.unit) + 10.0 * (1.0 - prospect.is_present(place))
        })
    }

    /// The number of fights that would double the information at a point about goals in doubt.
    pub(super) fn fights_at(&self, place: &[f64]) -> u64 {
        let fights = |prospect: &Prospect| {
            let (value, variance) = prospect.figure.as_ref()?.at(place);
            let (_, (low, high)) = prospect.bounds();
            let error = variance.sqrt();
            let inside = below((value - low) / error).smaller(below((high - value) / error));
            let slope = prospect.slope(value);
            let is_in_doubt = (0.02..0.98).contains(&inside);
            is_in_doubt.then_some(2.0 * prospect.one * slope * slope / variance)
        };
        self.prospects.iter().filter_map(fights).fold(0.0, f64::larger) as u64
    }
}

/// The correlation of two lists, reduced toward 0 by one standard error (Fisher 1915).
fn surely_together(one: &[f64], other: &[f64]) -> f64 {
    let count = one.len().min(other.len());
    if count < 6 {
        return 0.0;
    }
    let product = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    let squares = product(one, one) * product(other, other);
    let found = if squares > 0.0 { product(one, other) / squares.sqrt() } else { 0.0 };
    let surely = libm::atanh(found.abs().smaller(1.0 - 1e-9)) - 1.0 / (count as f64 - 3.0).sqrt();
    libm::tanh(surely.larger(0.0)).copysign(found)
}

fn odds(share: f64) -> f64 {
    libm::log(share / (1.0 - share))
}

/// The standard normal distribution.
fn below(value: f64) -> f64 {
    erfc(-value * FRAC_1_SQRT_2) / 2.0
}
