//! Distributions: counts of values, from which quantiles are computed.

use std::collections::BTreeMap;

use super::statistics::{Interval, ranks};
use crate::numbers::Extremes;

/// The maximum number of distinct values. Repeating values (durations, amounts of damage) are far fewer, so their
/// quantiles are exact; continuous values are merged with their neighbours beyond this number, to bound the memory.
const MOST: usize = 65_536;
/// Bits of the mantissa that are always kept: a relative resolution of 1 / 65,536.
const KEPT: u32 = 16;

/// Counts of values, none of which is negative.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Distribution {
    counts: BTreeMap<u64, u64>,
    trials: u64,
    /// The number of mantissa bits that are dropped.
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

    /// Positive floats are ordered like their bits; half a step is added to round to the nearest.
    fn key(&self, bits: u64) -> u64 {
        if self.dropped == 0 { bits } else { (bits + (1 << (self.dropped - 1))) >> self.dropped << self.dropped }
    }

    /// A quantile with bounds by order statistics: the number of values below the true quantile is binomial, whatever
    /// their distribution (Thompson 1936). If there are too few values to bound it, the interval is open: it starts at
    /// 0, or has no upper end.
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

    /// The value with a rank, from 1.
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
