//! Sums over trials, from which estimates with intervals are computed.

use serde::Serialize;

use super::book::Sample;
use super::distribution::Distribution;
use super::luck::{Luck, LuckSums};
use super::moments::Moments;
use super::statistics::{Confidence, Interval, mean_interval, share_interval};
use crate::measures::{Measure, Unit};
use crate::numbers::Extremes;
use crate::rules::Statistic;

/// A measure's estimate with its interval.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Figure {
    /// The measure as it was written.
    pub measure: String,
    /// The unit of the values.
    pub unit: Unit,
    /// The number of fights.
    pub trials: u64,
    /// The estimate; `None` if no fight had a value.
    pub value: Option<f64>,
    /// The lower end of the interval; `None` if the data are insufficient.
    pub low: Option<f64>,
    /// The upper end of the interval, likewise.
    pub high: Option<f64>,
}

impl Figure {
    pub(super) fn new(measure: &Measure, trials: u64, interval: Option<Interval>) -> Self {
        // A value that is too large to compute with is `None`.
        let interval = interval.filter(|one| one.value.is_finite());
        let end = |end: fn(&Interval) -> f64| interval.as_ref().map(end).filter(|end| end.is_finite());
        Self {
            measure: measure.text.clone(),
            unit: measure.unit(),
            trials,
            value: interval.map(|one| one.value),
            low: end(|one| one.low),
            high: end(|one| one.high),
        }
    }

    /// The larger distance of an end of the interval from the estimate; infinite if it is open.
    pub fn half_width(&self) -> f64 {
        match (self.low, self.value, self.high) {
            (Some(low), Some(value), Some(high)) => (high - value).larger(value - low),
            _ => f64::INFINITY,
        }
    }
}

/// The sums of the trials of one variant, for one measure.
#[derive(Clone, Debug)]
pub(super) struct Ledger {
    moments: Moments<2>,
    values: Option<Distribution>,
    variety: Variety,
}

/// The minimum number of samples that differ from the most frequent one for a mean to be distinguished from another
/// value: with fewer, rare and large values may have been missed.
const ENOUGH: u64 = 30;

/// The same for removing luck from a mean or a share of fights.
const MANY: u64 = 100;

/// The number of trials that differ from the most frequent quotient, which is one of the first two distinct ones,
/// unless nearly all differ.
#[derive(Clone, Copy, Debug, Default)]
struct Variety {
    known: [Option<f64>; 2],
    seen: [u64; 2],
    all: u64,
}

impl Variety {
    fn add(&mut self, [value, over]: Sample) {
        if over == 0.0 {
            return;
        }
        let sample = value / over;
        self.all += 1;
        for (known, seen) in self.known.iter_mut().zip(&mut self.seen) {
            if *known.get_or_insert(sample) == sample {
                *seen += 1;
                return;
            }
        }
    }

    fn others(&self) -> u64 {
        self.all - self.seen[0].max(self.seen[1])
    }
}

impl Ledger {
    pub(super) fn new(measure: &Measure) -> Self {
        let wanted = matches!(measure.statistic, Statistic::Quantile(_));
        Self { moments: Moments::default(), values: wanted.then(Distribution::default), variety: Variety::default() }
    }

    pub(super) fn add(&mut self, sample: Sample) {
        self.moments.add(sample);
        self.variety.add(sample);
        if let Some(values) = &mut self.values
            && sample[1] > 0.0
        {
            values.add(sample[0] / sample[1]);
        }
    }

    pub(super) fn trials(&self) -> u64 {
        self.moments.count as u64
    }

    /// `certain` means that no chance was drawn, so that all further trials would be equal.
    pub(super) fn figure(&self, measure: &Measure, sure: Confidence, certain: bool) -> Figure {
        let trials = self.moments.count as u64;
        let mut interval = self.interval(measure, sure);
        if let Some(one) = interval.as_mut().filter(|_| self.is_mean(measure) && self.variety.others() == 0) {
            // Without variation nothing is known about rare values.
            (one.low, one.high) = match (certain, measure.unit()) {
                (true, _) => (one.value, one.value),
                // Deviating fights are that rare, and none of them can deviate by more than 1.
                (false, Unit::Share) => {
                    let rare = 1.0 - libm::pow(sure.tail(), 1.0 / self.variety.all.max(1) as f64);
                    (one.value * (1.0 - rare), one.value + (1.0 - one.value) * rare)
                }
                (false, _) => (f64::NEG_INFINITY, f64::INFINITY),
            };
        }
        Figure::new(measure, trials, interval)
    }

    /// The luck contained in the figure, if it is known well enough for the interval to hold without it.
    pub(super) fn luck(&self, sums: &LuckSums, index: usize) -> Option<Luck> {
        let is_usual = self.values.is_none() && self.variety.others() >= MANY;
        sums.of(index, &self.moments).filter(|_| is_usual)
    }

    /// The figure without luck. Its interval is the usual one of a mean, also for a share of fights.
    pub(super) fn figure_without_luck(&self, measure: &Measure, sure: Confidence, luck: Luck) -> Figure {
        let Moments { count, mean: [value, over], .. } = self.moments;
        let ratio = value / over;
        let weights = [1.0 / over, -ratio / over];
        let (error, skewness) = (self.moments.error_of(weights) * luck.left.sqrt(), self.moments.skewness_of(weights));
        let Interval { value, low, high } = mean_interval(ratio - luck.part, error, skewness, count, sure);
        let [value, low, high] = [value, low, high].map(|one| within(measure, one));
        Figure::new(measure, count as u64, Some(Interval { value, low, high }))
    }

    /// Whether the interval is reliable enough to distinguish the value from another one. Shares and quantiles have
    /// exact intervals; that of a mean follows from the variation of the samples, of which enough have to differ.
    pub(super) fn is_settled(&self, measure: &Measure, certain: bool) -> bool {
        let others = self.variety.others();
        let bounded = others == 0 && measure.unit() == Unit::Share;
        !self.is_mean(measure) || certain || bounded || others >= ENOUGH
    }

    fn is_mean(&self, measure: &Measure) -> bool {
        self.values.is_none() && !measure.quantity.is_share_of_fights()
    }

    fn interval(&self, measure: &Measure, sure: Confidence) -> Option<Interval> {
        if let (Statistic::Quantile(at), Some(values)) = (measure.statistic, &self.values) {
            return values.quantile(at, sure.tail());
        }
        let Moments { count, mean: [value, over], .. } = self.moments;
        if measure.quantity.is_share_of_fights() {
            return (count > 0.0).then(|| share_interval(value, count, sure));
        }
        if over == 0.0 {
            return None;
        }
        // A quotient of sums: its error by first-order expansion, which for a plain mean (`over` always 1) is the usual
        // standard error.
        let ratio = value / over;
        let weights = [1.0 / over, -ratio / over];
        let (error, skewness) = (self.moments.error_of(weights), self.moments.skewness_of(weights));
        let Interval { value, low, high } = mean_interval(ratio, error, skewness, count, sure);
        Some(Interval { value, low: within(measure, low), high: within(measure, high) })
    }
}

/// Shares stay within 0 and 1, and no measure is negative.
fn within(measure: &Measure, value: f64) -> f64 {
    let most = if measure.unit() == Unit::Share { 1.0 } else { f64::INFINITY };
    value.clamp(0.0, most)
}
