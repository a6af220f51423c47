//! How values are spread: counts of values, from which quantiles are read.

use std::collections::BTreeMap;

use super::statistics::{Interval, ranks};
use crate::numbers::Extremes;

/// Most values that are distinguished. What repeats (durations, amounts of damage) has far fewer, and its quantiles are exact;
/// of what varies freely, neighbours are joined when there are more, so that the memory is bounded.
const MOST: usize = 65_536;
/// Bits of a number's mantissa that are always kept: one part in 65,536.
const KEPT: u32 = 16;

/// Counted values, none of them negative.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Distribution {
    counts: BTreeMap<u64, u64>,
    trials: u64,
    /// Bits of the mantissa that are not distinguished.
    dropped: u32,
}

impl Distribution {
    pub(super) fn add(&mut self, value: f64) {
        *self.counts.entry(self.key(value.larger(0.0).to_bits())).or_default() += 1;
        self.trials += 1;
        while self.counts.len() > MOST && self.dropped < 52 - KEPT {
            self.dropped += 1;
            let finer = std::mem::take(&mut self.counts);
            for (bits, count) in finer {
                *self.counts.entry(self.key(bits)).or_default() += count;
            }
        }
    }

    /// Positive floats are ordered as their bits are; half a step is added to round to the nearest.
    fn key(&self, bits: u64) -> u64 {
        if self.dropped == 0 { bits } else { (bits + (1 << (self.dropped - 1))) >> self.dropped << self.dropped }
    }

    /// The value that a share of all values stays below, with bounds by order statistics: the number of
    /// values below the true quantile is binomial, whatever their distribution (Thompson 1936). Where there are too few
    /// values to bound it, the interval is open: it begins at 0, or has no upper end.
    pub(super) fn quantile(&self, at: f64, tail: f64) -> Option<Interval> {
        if self.trials == 0 {
            return None;
        }
        let rank = (self.trials as f64 * at).ceil() as u64;
        let (low, high) = ranks(self.trials, at, tail);
        let low = low.map_or(0.0, |rank| self.nth(rank));
        let high = high.map_or(f64::INFINITY, |rank| self.nth(rank));
        Some(Interval { value: self.nth(rank), low, high })
    }

    /// The value of a rank, from 1.
    fn nth(&self, rank: u64) -> f64 {
        let mut seen = 0;
        let mut found = 0;
        for (bits, count) in &self.counts {
            found = *bits;
            seen += count;
            if seen >= rank {
                break;
            }
        }
        f64::from_bits(found)
    }
}
