//! Sums over trials, from which estimates with their intervals are made.

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
    /// What the values are counted in.
    pub unit: Unit,
    /// How many fights.
    pub trials: u64,
    /// The estimate; nothing where no fight had anything to say.
    pub value: Option<f64>,
    /// Lower end of the interval; nothing where too little is known to give one.
    pub low: Option<f64>,
    /// Upper end of the interval, likewise.
    pub high: Option<f64>,
}

impl Figure {
    pub(super) fn new(measure: &Measure, trials: u64, interval: Option<Interval>) -> Self {
        // What is too large to be counted with has no value.
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

    /// How far the interval reaches from the estimate, on the side on which it reaches further; infinite where it is open.
    pub fn half_width(&self) -> f64 {
        match (self.low, self.value, self.high) {
            (Some(low), Some(value), Some(high)) => (high - value).larger(value - low),
            _ => f64::INFINITY,
        }
    }
}

/// What the trials of one variant come to, for one measure.
#[derive(Clone, Debug)]
pub(super) struct Ledger {
    moments: Moments<2>,
    values: Option<Distribution>,
    variety: Variety,
}

/// Samples that have to differ from the commonest before a mean is distinguished from something else by its interval: with fewer,
/// what is rare and large may have been missed altogether.
const ENOUGH: u64 = 30;

/// The same before luck is taken out of a mean, or of a share of fights.
const MANY: u64 = 100;

/// How many trials differ from the commonest one in what they say, their quotient: the commonest is one of the first two that
/// differ, or nearly all do.
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

    /// `certain` says that no chance was drawn, so that every further trial would be like those.
    pub(super) fn figure(&self, measure: &Measure, sure: Confidence, certain: bool) -> Figure {
        let trials = self.moments.count as u64;
        let mut interval = self.interval(measure, sure);
        if let Some(one) = interval.as_mut().filter(|_| self.is_mean(measure) && self.variety.others() == 0) {
            // Without variation nothing is known of what is rare.
            (one.low, one.high) = match (certain, measure.unit()) {
                (true, _) => (one.value, one.value),
                // So rare are fights that differ, and none of them can be off by more than a whole.
                (false, Unit::Share) => {
                    let rare = 1.0 - libm::pow(sure.tail(), 1.0 / self.variety.all.max(1) as f64);
                    (one.value * (1.0 - rare), one.value + (1.0 - one.value) * rare)
                }
                (false, _) => (f64::NEG_INFINITY, f64::INFINITY),
            };
        }
        Figure::new(measure, trials, interval)
    }

    /// What of the figure was luck, where that is known well enough for the interval to hold without it.
    pub(super) fn luck(&self, sums: &LuckSums, index: usize) -> Option<Luck> {
        let is_usual = self.values.is_none() && self.variety.others() >= MANY;
        sums.of(index, &self.moments).filter(|_| is_usual)
    }

    /// The figure with luck taken out of it. Its interval is the usual one of a mean, also for a share of fights.
    pub(super) fn figure_without_luck(&self, measure: &Measure, sure: Confidence, luck: Luck) -> Figure {
        let Moments { count, mean: [value, over], .. } = self.moments;
        let ratio = value / over;
        let weights = [1.0 / over, -ratio / over];
        let (error, skewness) = (self.moments.error_of(weights) * luck.left.sqrt(), self.moments.skewness_of(weights));
        let Interval { value, low, high } = mean_interval(ratio - luck.part, error, skewness, count, sure);
        let [value, low, high] = [value, low, high].map(|one| within(measure, one));
        Figure::new(measure, count as u64, Some(Interval { value, low, high }))
    }

    /// Whether the interval can be relied on to distinguish the value from another one. Shares and quantiles have exact intervals;
    /// that of a mean follows from how the samples vary, of which enough have to be seen.
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
        // A mean of quotients' sums: the error of a quotient by its first-order expansion, which for a plain
        // mean (`over` always 1) is the usual standard error.
        let ratio = value / over;
        let weights = [1.0 / over, -ratio / over];
        let (error, skewness) = (self.moments.error_of(weights), self.moments.skewness_of(weights));
        let Interval { value, low, high } = mean_interval(ratio, error, skewness, count, sure);
        Some(Interval { value, low: within(measure, low), high: within(measure, high) })
    }
}

/// Shares stay within 0 and 1, and nothing that is measured can be negative.
fn within(measure: &Measure, value: f64) -> f64 {
    let most = if measure.unit() == Unit::Share { 1.0 } else { f64::INFINITY };
    value.clamp(0.0, most)
}
