//! Estimates with their intervals, for 95 % confidence unless another is asked for.

use std::collections::BTreeMap;

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
        StudentsT::new(0.0, 1.0, (values - 1.0).max(1.0))
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

/// A mean over trials.
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

/// The Wilson score interval of `count` among `trials` (Wilson 1927): it stays within 0 and 1 and
/// holds its coverage also near the ends, where the usual one does not.
///
/// ```
/// let half = edgeplane::study::wilson(50, 100);
/// assert!((half.low - 0.4038).abs() < 1e-4 && (half.high - 0.5962).abs() < 1e-4);
/// ```
pub fn wilson(count: u64, trials: u64) -> Proportion {
    if trials == 0 {
        return Proportion { count, value: 0.0, low: 0.0, high: 1.0 };
    }
    let Interval { value, low, high } =
        wilson_at(count as f64 / trials as f64, trials as f64, Confidence::default().z());
    Proportion { count, value, low, high }
}

/// The same for a share of `trials` and another confidence.
pub(super) fn wilson_at(value: f64, trials: f64, z: f64) -> Interval {
    let middle = value + z * z / (2.0 * trials);
    let spread = z * (value * (1.0 - value) / trials + z * z / (4.0 * trials * trials)).sqrt();
    let scale = 1.0 + z * z / trials;
    // At the ends the bound is the end itself, which the formula meets only up to rounding.
    let low = if value <= 0.0 { 0.0 } else { (middle - spread) / scale };
    let high = if value >= 1.0 { 1.0 } else { (middle + spread) / scale };
    Interval { value, low, high }
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
    let together = (up * down / ((1.0 - up) * (1.0 - down)).max(f64::MIN_POSITIVE)).sqrt().min(1.0);
    let apart = |a: f64, b: f64| (a * a + b * b + 2.0 * together * a * b).sqrt();
    let value = up - down;
    Interval {
        value,
        low: value - apart(up - up_limits.0, down_limits.1 - down),
        high: value + apart(up_limits.1 - up, down - down_limits.0),
    }
}

/// A mean and its interval from the sum and the sum of squares of `trials` values.
///
/// One value has no interval, and none has no mean either: what is not known is infinite.
pub fn mean_estimate(sum: f64, squares: f64, trials: u64) -> Estimate {
    if trials == 0 {
        let none = f64::INFINITY;
        return Estimate { mean: none, low: -none, high: none, deviation: none };
    }
    let n = trials as f64;
    let mean = sum / n;
    if trials == 1 {
        return Estimate { mean, low: f64::NEG_INFINITY, high: f64::INFINITY, deviation: f64::INFINITY };
    }
    let variance = ((squares - sum * mean) / (n - 1.0)).max(0.0);
    let error = Confidence::default().t(n) * (variance / n).sqrt();
    Estimate { mean, low: mean - error, high: mean + error, deviation: variance.sqrt() }
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
