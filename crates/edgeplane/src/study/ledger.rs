//! Sums over trials, from which estimates with their intervals are made.

use serde::Serialize;

use super::book::Sample;
use super::distribution::Distribution;
use super::statistics::{Confidence, Interval, wilson_at};
use crate::measures::{Measure, Unit};
use crate::rules::Statistic;

/// A measure's estimate with its interval.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Figure {
    /// The measure as it was written.
    pub measure: String,
    /// What the values are counted in.
    pub unit: Unit,
    /// How many fights.
    pub trials: u64,
    /// The estimate; nothing where no fight had anything to say.
    pub value: Option<f64>,
    /// Lower end of the interval.
    pub low: Option<f64>,
    /// Upper end of the interval.
    pub high: Option<f64>,
}

impl Figure {
    pub(super) fn new(measure: &Measure, trials: u64, interval: Option<Interval>) -> Self {
        // What is too large to be counted with has no value.
        let interval = interval.filter(|one| one.value.is_finite() && !one.low.is_nan() && !one.high.is_nan());
        Self {
            measure: measure.text.clone(),
            unit: measure.unit(),
            trials,
            value: interval.map(|one| one.value),
            low: interval.map(|one| one.low),
            high: interval.map(|one| one.high),
        }
    }

    /// Half the width of the interval; infinite where there is none.
    pub fn half_width(&self) -> f64 {
        match (self.low, self.high) {
            (Some(low), Some(high)) => (high - low) / 2.0,
            _ => f64::INFINITY,
        }
    }
}

/// Means and products of deviations of `N` numbers that come together (Welford 1962): nothing is lost when
/// the means are large beside the deviations.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Moments<const N: usize> {
    pub(super) count: f64,
    pub(super) mean: [f64; N],
    products: [[f64; N]; N],
}

impl<const N: usize> Default for Moments<N> {
    fn default() -> Self {
        Self { count: 0.0, mean: [0.0; N], products: [[0.0; N]; N] }
    }
}

impl<const N: usize> Moments<N> {
    pub(super) fn add(&mut self, values: [f64; N]) {
        self.count += 1.0;
        let before: [f64; N] = std::array::from_fn(|i| values[i] - self.mean[i]);
        let means = self.mean.iter_mut().zip(&before);
        for ((mean, shift), (value, products)) in means.zip(values.iter().zip(&mut self.products)) {
            *mean += shift / self.count;
            let after = value - *mean;
            products.iter_mut().zip(before).for_each(|(product, before)| *product += after * before);
        }
    }

    /// Standard error of the mean of a weighted sum of the numbers.
    pub(super) fn error_of(&self, weights: [f64; N]) -> f64 {
        if self.count < 2.0 {
            return f64::INFINITY;
        }
        let mut variance = 0.0;
        for i in 0..N {
            for j in 0..N {
                variance += weights[i] * weights[j] * self.products[i][j];
            }
        }
        (variance.max(0.0) / (self.count - 1.0) / self.count).sqrt()
    }
}

/// What the trials of one variant come to, for one measure.
#[derive(Clone, Debug)]
pub(super) struct Ledger {
    moments: Moments<2>,
    values: Option<Distribution>,
}

impl Ledger {
    pub(super) fn new(measure: &Measure) -> Self {
        let wanted = matches!(measure.statistic, Statistic::Quantile(_));
        Self { moments: Moments::default(), values: wanted.then(Distribution::default) }
    }

    pub(super) fn add(&mut self, sample: Sample) {
        self.moments.add(sample);
        if let Some(values) = &mut self.values
            && sample[1] > 0.0
        {
            values.add(sample[0] / sample[1]);
        }
    }

    pub(super) fn figure(&self, measure: &Measure, sure: Confidence) -> Figure {
        let trials = self.moments.count as u64;
        Figure::new(measure, trials, self.interval(measure, sure))
    }

    fn interval(&self, measure: &Measure, sure: Confidence) -> Option<Interval> {
        if let (Statistic::Quantile(at), Some(values)) = (measure.statistic, &self.values) {
            return values.quantile(at, sure.tail());
        }
        let Moments { count, mean: [value, over], .. } = self.moments;
        if measure.quantity.is_share_of_fights() {
            return (count > 0.0).then(|| wilson_at(value, count, sure.z()));
        }
        if over == 0.0 {
            return None;
        }
        // A mean of quotients' sums: the error of a quotient by its first-order expansion, which for a plain
        // mean (`over` always 1) is the usual standard error.
        let ratio = value / over;
        let error = self.moments.error_of([1.0, -ratio]) / over;
        let reach = sure.t(count) * error;
        Some(Interval { value: ratio, low: within(measure, ratio - reach), high: within(measure, ratio + reach) })
    }
}

/// Shares stay within 0 and 1, and nothing that is measured can be negative.
fn within(measure: &Measure, value: f64) -> f64 {
    let most = if measure.unit() == Unit::Share { 1.0 } else { f64::INFINITY };
    value.clamp(0.0, most)
}
