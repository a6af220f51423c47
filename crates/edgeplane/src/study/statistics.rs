//! Estimates with their intervals, for 95 % confidence unless another is asked for.

use std::collections::BTreeMap;

use crate::numbers::Extremes;
use serde::Serialize;
use statrs::distribution::{Beta, Binomial, ContinuousCDF, DiscreteCDF, Normal, StudentsT};

/// How sure an interval is: the share of studies in which it covers the truth.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Confidence(pub f64);

impl Default for Confidence {
    fn default() -> Self {
        Self(0.95)
    }
}

impl Confidence {
    /// The same for each of so many statements, so that all of them hold together (Bonferroni).
    pub fn shared_by(self, statements: usize) -> Self {
        Self(1.0 - (1.0 - self.0) / statements.max(1) as f64)
    }

    pub(super) fn tail(self) -> f64 {
        (1.0 - self.0) / 2.0
    }

    /// The point of the standard normal distribution beyond which the tail lies.
    pub(super) fn z(self) -> f64 {
        Normal::standard().inverse_cdf(1.0 - self.tail())
    }

    /// The same of Student's distribution, for errors that are estimated from so many values.
    pub(super) fn t(self, values: f64) -> f64 {
        StudentsT::new(0.0, 1.0, (values - 1.0).larger(1.0))
            .map_or_else(|_| self.z(), |t| t.inverse_cdf(1.0 - self.tail()))
    }
}

/// A share of trials.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Proportion {
    /// How many trials it was so.
    pub count: u64,
    /// The share, 0 to 1.
    pub value: f64,
    /// Lower end of the interval.
    pub low: f64,
    /// Upper end of the interval.
    pub high: f64,
}

/// A mean over trials. Its interval is that of Student's distribution, and wider on the side on which values are skewed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Estimate {
    /// The mean.
    pub mean: f64,
    /// Lower end of the interval.
    pub low: f64,
    /// Upper end of the interval.
    pub high: f64,
    /// Standard deviation from trial to trial.
    pub deviation: f64,
}

/// A quantile over trials.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Quantile {
    /// Which, 0 to 1.
    pub at: f64,
    /// The value.
    pub value: f64,
    /// Lower end of the interval.
    pub low: f64,
    /// Upper end of the interval.
    pub high: f64,
}

/// A value with the ends of its interval.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Interval {
    pub(super) value: f64,
    pub(super) low: f64,
    pub(super) high: f64,
}

/// The share that `count` is of `trials`, with the limits that hold at least nineteen times in twenty, however rare or
/// common it is (Clopper and Pearson 1934).
///
/// ```
/// let half = edgeplane::study::share_of(50, 100);
/// assert!((half.low - 0.3983).abs() < 1e-4 && (half.high - 0.6017).abs() < 1e-4);
/// ```
pub fn share_of(count: u64, trials: u64) -> Proportion {
    if trials == 0 {
        return Proportion { count, value: 0.0, low: 0.0, high: 1.0 };
    }
    let (low, high) = exact_limits(count as f64, trials as f64, Confidence::default());
    Proportion { count, value: count as f64 / trials as f64, low, high }
}

/// The same of a mean of zeros and ones, for another confidence.
pub(super) fn share_interval(value: f64, trials: f64, sure: Confidence) -> Interval {
    let (low, high) = exact_limits((value * trials).round(), trials, sure);
    Interval { value, low, high }
}

/// The interval of a mean with its standard error: Student's, and beyond it that of a mean of skewed values where that
/// reaches further (Hall 1992). Student's leaves out too often what is rare and large; the other one, where values are few,
/// what is common and small.
pub(super) fn mean_interval(mean: f64, error: f64, skewness: f64, count: f64, sure: Confidence) -> Interval {
    let t = sure.t(count);
    let lean = skewness / count.sqrt();
    let straightened = |at: f64| {
        if lean.abs() < 1e-9 { at } else { 3.0 / lean * (libm::cbrt(1.0 + lean * (at - lean / 6.0)) - 1.0) }
    };
    let (low, high) = (straightened(t).larger(t), straightened(-t).smaller(-t));
    Interval { value: mean, low: mean - error * low, high: mean - error * high }
}

/// Limits of a share that are never too narrow (Clopper and Pearson 1934).
fn exact_limits(count: f64, trials: f64, sure: Confidence) -> (f64, f64) {
    let limit = |successes: f64, failures: f64, at: f64| {
        Beta::new(successes, failures).map_or(f64::NAN, |beta| beta.inverse_cdf(at))
    };
    let low = if count <= 0.0 { 0.0 } else { limit(count, trials - count + 1.0, sure.tail()) };
    let high = if count >= trials { 1.0 } else { limit(count + 1.0, trials - count, 1.0 - sure.tail()) };
    (low, high)
}

/// The share of trials that went up less the share that went down, where no trial does both: each with its exact limits, which
/// are combined like errors that hinder one another (Zou and Donner 2008). It holds its coverage also when hardly any trial
/// goes either way.
pub(super) fn share_difference(up: f64, down: f64, trials: f64, sure: Confidence) -> Interval {
    let (up_limits, down_limits) = (exact_limits(up, trials, sure), exact_limits(down, trials, sure));
    let (up, down) = (up / trials, down / trials);
    let together = (up * down / ((1.0 - up) * (1.0 - down)).larger(f64::MIN_POSITIVE)).sqrt().smaller(1.0);
    let apart = |a: f64, b: f64| (a * a + b * b + 2.0 * together * a * b).sqrt();
    let value = up - down;
    Interval {
        value,
        low: value - apart(up - up_limits.0, down_limits.1 - down),
        high: value + apart(up_limits.1 - up, down - down_limits.0),
    }
}

/// A quantile from counted values, with its order-statistic bounds.
pub(super) fn quantile(counts: &BTreeMap<u64, u64>, trials: u64, at: f64, unit: f64) -> Quantile {
    let value = |rank: u64| nth(counts, rank) as f64 * unit;
    let (low, high) = ranks(trials, at, Confidence::default().tail());
    let (low, high) = (low.map_or(0.0, value), high.map_or(f64::INFINITY, value));
    Quantile { at, value: value((trials as f64 * at).ceil() as u64), low, high }
}

/// The value of a rank, from 1.
fn nth(counts: &BTreeMap<u64, u64>, rank: u64) -> u64 {
    let mut seen = 0;
    for (value, count) in counts {
        seen += count;
        if seen >= rank {
            return *value;
        }
    }
    counts.last_key_value().map_or(0, |(value, _)| *value)
}

/// The ranks between which the quantile lies, with at most `tail` on either side: how many values are below the true
/// quantile is binomial, whatever their distribution (Thompson 1936). None where that many values bound it on no side.
pub(super) fn ranks(trials: u64, at: f64, tail: f64) -> (Option<u64>, Option<u64>) {
    let Ok(below) = Binomial::new(at, trials) else { return (None, None) };
    let low = below.inverse_cdf(tail);
    let high = below.inverse_cdf(1.0 - tail) + 1;
    (Some(low).filter(|rank| *rank >= 1), Some(high).filter(|rank| *rank <= trials))
}
