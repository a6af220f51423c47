//! Estimates with intervals, by default with 95 % confidence.

use std::collections::BTreeMap;

use crate::numbers::Extremes;
use serde::Serialize;
use statrs::distribution::{Beta, Binomial, ContinuousCDF, DiscreteCDF, Normal, StudentsT};

/// The confidence of an interval: the share of studies in which it contains the true value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Confidence(pub f64);

impl Default for Confidence {
    fn default() -> Self {
        Self(0.95)
    }
}

impl Confidence {
    /// The same for each of a number of statements, so that all hold together (Bonferroni).
    pub fn shared_by(self, statements: usize) -> Self {
        Self(1.0 - (1.0 - self.0) / statements.max(1) as f64)
    }

    pub(super) fn tail(self) -> f64 {
        (1.0 - self.0) / 2.0
    }

    /// The quantile of the standard normal distribution with this upper tail.
    pub(super) fn z(self) -> f64 {
        Normal::standard().inverse_cdf(1.0 - self.tail())
    }

    /// The same of Student's distribution, for errors estimated from a number of values.
    pub(super) fn t(self, values: f64) -> f64 {
        StudentsT::new(0.0, 1.0, (values - 1.0).larger(1.0))
            .map_or_else(|_| self.z(), |t| t.inverse_cdf(1.0 - self.tail()))
    }
}

/// A share of trials.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Proportion {
    /// The number of trials with the property.
    pub count: u64,
    /// The share, 0 to 1.
    pub value: f64,
    /// Lower end of the interval.
    pub low: f64,
    /// Upper end of the interval.
    pub high: f64,
}

/// A mean over trials. Its interval is that of Student's distribution, wider on the side on which values are skewed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Estimate {
    /// The mean.
    pub mean: f64,
    /// Lower end of the interval.
    pub low: f64,
    /// Upper end of the interval.
    pub high: f64,
    /// The standard deviation of single trials.
    pub deviation: f64,
}

/// A quantile over trials.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Quantile {
    /// The probability, 0 to 1.
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

/// A share with limits that hold at least nineteen times in twenty, however rare or frequent it is (Clopper and Pearson
/// 1934).
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

/// The same for a mean of zeros and ones, with another confidence.
pub(super) fn share_interval(value: f64, trials: f64, sure: Confidence) -> Interval {
    let (low, high) = exact_limits((value * trials).round(), trials, sure);
    Interval { value, low, high }
}

/// The interval of a mean with its standard error: Student's, extended to that of a mean of skewed values where the
/// latter is wider (Hall 1992). Student's misses rare, large values too often; the other one, in small samples,
/// frequent, small ones.
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

/// The share of trials that went up minus the share that went down, where no trial does both: the exact limits of each
/// are combined like dependent errors (Zou and Donner 2008). The coverage holds even if hardly any trial goes either
/// way.
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

/// A quantile from counted values, with bounds by order statistics.
pub(super) fn quantile(counts: &BTreeMap<u64, u64>, trials: u64, at: f64, unit: f64) -> Quantile {
    let value = |rank: u64| nth(counts, rank) as f64 * unit;
    let (low, high) = ranks(trials, at, Confidence::default().tail());
    let (low, high) = (low.map_or(0.0, value), high.map_or(f64::INFINITY, value));
    Quantile { at, value: value((trials as f64 * at).ceil() as u64), low, high }
}

/// The value with a rank, from 1.
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

/// The ranks between which the quantile lies, with at most `tail` on either side: the number of values below the true
/// quantile is binomial, whatever their distribution (Thompson 1936). `None` if the sample is too small to bound it on
/// a side.
pub(super) fn ranks(trials: u64, at: f64, tail: f64) -> (Option<u64>, Option<u64>) {
    let Ok(below) = Binomial::new(at, trials) else { return (None, None) };
    let low = below.inverse_cdf(tail);
    let high = below.inverse_cdf(1.0 - tail) + 1;
    (Some(low).filter(|rank| *rank >= 1), Some(high).filter(|rank| *rank <= trials))
}
