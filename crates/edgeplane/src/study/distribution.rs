//! How values are spread: counts of values to five digits, from which quantiles are read.

use std::collections::BTreeMap;

use super::statistics::{Interval, ranks};

/// Bits of a number's mantissa that are kept: values are told apart to one part in 65,536, so the memory is
/// bounded whatever is counted and however often.
const KEPT: u32 = 16;
const DROPPED: u32 = 52 - KEPT;

/// Counted values, none of them negative.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Distribution {
    counts: BTreeMap<u64, u64>,
    trials: u64,
}

impl Distribution {
    pub(super) fn add(&mut self, value: f64) {
        // Positive floats are ordered as their bits are; half a step is added to round to the nearest.
        let key = (value.max(0.0).to_bits() + (1 << (DROPPED - 1))) >> DROPPED;
        *self.counts.entry(key).or_default() += 1;
        self.trials += 1;
    }

    /// The value that a share of all values stays below, with bounds by order statistics: the number of
    /// values below the true quantile is binomial, whatever their distribution (Thompson 1936).
    pub(super) fn quantile(&self, at: f64, tail: f64) -> Option<Interval> {
        if self.trials == 0 {
            return None;
        }
        let rank = (self.trials as f64 * at).ceil() as u64;
        let (low, high) = ranks(self.trials, at, tail);
        Some(Interval { value: self.nth(rank), low: self.nth(low), high: self.nth(high) })
    }

    /// The value of a rank, from 1.
    fn nth(&self, rank: u64) -> f64 {
        let mut seen = 0;
        let mut found = 0;
        for (key, count) in &self.counts {
            found = *key;
            seen += count;
            if seen >= rank {
                break;
            }
        }
        f64::from_bits(found << DROPPED)
    }
}
