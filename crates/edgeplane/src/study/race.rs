//! Examines many changes of a ruleset with increasing numbers of pairs of fights: first those that may have the largest
//! effects, each until its effect is known well enough.

use super::compare::{Difference, Pairs, pair_up};
use super::effect::{ChangeEffect, Direction};
use super::factorial::Found;
use super::ledger::{Figure, Ledger};
use super::samples::{Crew, Samples, Variant};
use super::screening::Screened;
use super::statistics::{Confidence, Interval};
use crate::error::Error;
use crate::measures::Unit;
use crate::numbers::Extremes;
use crate::text::Override;

/// An effect is known well enough if its interval extends by less than half of it to either side.
const KNOWN: f64 = 0.5;
/// Effects that are certainly smaller than this share of the largest one are not examined further.
const SMALL: f64 = 0.25;

/// Changes that compete for fights.
pub(super) struct Race<'a, 'b> {
    pub(super) crew: &'a Crew<'b>,
    /// The unchanged variant.
    pub(super) base: &'a Variant,
    /// The number of pairs of fights at the end of each look, except the first, which is over.
    pub(super) looks: &'a [u64],
    pub(super) screened: Option<&'a Screened>,
    /// The confidence of changes picked by a screening, and of all others.
    pub(super) of_picked: Confidence,
    pub(super) sure: Confidence,
    /// The fights of the whole study, for its progress.
    pub(super) most: u64,
}

impl Race<'_, '_> {
    /// Spends a number of fights: on changes picked by a screening, then on those with an effect of their own, then on
    /// all.
    pub(super) fn run(
        &self,
        tried: &mut [Tried<'_>],
        known: &mut Ledger,
        mut budget: u64,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<(), Error> {
        let rank_of = |one: &Tried<'_>| self.screened.map_or(0, |screened| screened.rank(one.subject));
        let mut as_is: Vec<Option<Samples>> = self.looks.iter().map(|_| None).collect();
        for stage in 0..if self.screened.is_some() { 3 } else { 1 } {
            for (look, before) in self.looks.windows(2).zip(&mut as_is) {
                let greatest = tried.iter().map(Tried::surely).fold(0.0, f64::larger);
                let goes_on = |one: &&mut Tried<'_>| {
                    one.pairs == look[0] && rank_of(one) <= stage && !one.is_settled(self.looks[0], greatest)
                };
                let mut next: Vec<&mut Tried<'_>> = tried.iter_mut().filter(goes_on).collect();
                next.sort_by(|a, b| rank_of(a).cmp(&rank_of(b)).then(b.at_most().total_cmp(&a.at_most())));
                next.truncate((budget / (look[1] - look[0])) as usize);
                if next.is_empty() {
                    continue;
                }
                if self.crew.is_stopped() {
                    return Ok(());
                }
                budget -= next.len() as u64 * (look[1] - look[0]);
                let before = match before {
                    Some(before) => &*before,
                    None => {
                        let samples = self.crew.samples(self.base, look[0]..look[1])?;
                        samples[0].iter().for_each(|sample| known.add(*sample));
                        &*before.insert(samples)
                    }
                };
                let played = self.crew.each(&next, |_, one| {
                    progress(self.crew.done(), self.most);
                    self.crew.samples(&one.variant, look[0]..look[1])
                });
                for (one, after) in next.into_iter().zip(played) {
                    let after = after?;
                    if after[0].len() == before[0].len() {
                        let is_picked = self.screened.is_some_and(|screened| screened.is_picked(one.subject));
                        one.add(before, &after, if is_picked { self.of_picked } else { self.sure });
                    }
                }
            }
        }
        Ok(())
    }
}

/// One change of the ruleset, or the reason why it cannot be tried.
pub(super) struct Way {
    pub(super) direction: Direction,
    pub(super) tried: String,
    pub(super) change: Result<Override, String>,
}

/// A change, and what is known of its effect.
pub(super) struct Tried<'a> {
    /// The index of the changed number or rule.
    pub(super) subject: usize,
    pub(super) way: &'a Way,
    pub(super) variant: Variant,
    pub(super) sums: Vec<Pairs>,
    pub(super) pairs: u64,
    /// Whether it has changed a fight.
    pub(super) is_seen: bool,
    /// The variance of a fight's sample with it and without it, in the first look.
    pub(super) spread: f64,
    pub(super) difference: Difference,
}

impl Tried<'_> {
    fn add(&mut self, before: &Samples, after: &Samples, sure: Confidence) {
        pair_up(&mut self.sums, before, after);
        self.pairs += before[0].len() as u64;
        self.judge(sure);
    }

    /// Recomputes the effect of its pairs with another confidence.
    pub(super) fn judge(&mut self, sure: Confidence) {
        self.difference = self.sums[0].difference(&self.variant.measures()[0], sure);
    }

    pub(super) fn pairs_that_differ(&self) -> f64 {
        self.difference.trials_that_differ
    }

    fn ends(&self) -> (f64, f64) {
        (self.difference.low.unwrap_or(f64::NEG_INFINITY), self.difference.high.unwrap_or(f64::INFINITY))
    }

    /// A plausible lower bound of its size, not for claims.
    pub(super) fn likely(&self) -> f64 {
        let difference = self.sums[0].difference(&self.variant.measures()[0], Confidence::default());
        difference.low.zip(difference.high).map_or(0.0, |(low, high)| low.larger(-high).larger(0.0))
    }

    /// The lower and the upper bound of the size of the effect.
    fn surely(&self) -> f64 {
        let (low, high) = self.ends();
        low.larger(-high).larger(0.0)
    }

    fn at_most(&self) -> f64 {
        let (low, high) = self.ends();
        high.larger(-low)
    }

    /// Whether further fights would show nothing that matters beside the largest effect.
    fn is_settled(&self, first: u64, greatest: f64) -> bool {
        let (low, high) = self.ends();
        let size = self.difference.difference.map_or(0.0, f64::abs);
        let is_known = self.difference.is_certain() && (high - low) / 2.0 <= KNOWN * size;
        let is_nowhere = self.pairs_that_differ() == 0.0 && self.pairs > first;
        !self.is_seen || is_known || is_nowhere || self.at_most() <= SMALL * greatest
    }

    pub(super) fn effect(&self) -> ChangeEffect {
        let Way { direction, tried, .. } = self.way;
        ChangeEffect {
            direction: *direction,
            tried: tried.clone(),
            fights: self.pairs,
            difference: self.difference.clone(),
        }
    }

    /// The effect, limited to what the figure without changes leaves possible: that is known from more fights, and a
    /// share stays between 0 and 1. An impossible effect is replaced by the difference from that figure.
    pub(super) fn effect_within(&self, before: &Figure) -> ChangeEffect {
        let mut effect = self.effect();
        if let (Unit::Share, Some(value), Some(low), Some(high)) = (before.unit, before.value, before.low, before.high)
        {
            let difference = &mut effect.difference;
            difference.low = difference.low.map(|end| end.clamp(-high, 1.0 - low));
            difference.high = difference.high.map(|end| end.clamp(-high, 1.0 - low));
            let is_possible = |change: f64| (-value..=1.0 - value).contains(&change);
            if !difference.difference.is_none_or(is_possible) {
                difference.difference = difference.after.value.map(|after| after - value);
                difference.before = before.clone();
            }
        }
        effect
    }

    /// The effect among changes of other numbers.
    pub(super) fn together(&self, before: &Figure, found: Option<Found>) -> ChangeEffect {
        let interval = found.map(|found| found.interval);
        let value = interval.map(|one| one.value);
        // No share changes by more than 1.
        let most = if before.unit == Unit::Share { 1.0 } else { f64::INFINITY };
        let within = |end: f64| end.clamp(-most, most);
        let end = |end: fn(&Interval) -> f64| interval.as_ref().map(end).filter(|end| end.is_finite()).map(within);
        let after = before.value.zip(value).map(|(before, change)| before + change);
        ChangeEffect {
            fights: found.map_or(0, |found| found.fights),
            difference: Difference {
                before: before.clone(),
                after: Figure { value: after, low: None, high: None, ..before.clone() },
                difference: value,
                low: end(|one| one.low),
                high: end(|one| one.high),
                trials_that_differ: 1.0,
                saving: None,
                detectable: None,
                ..self.difference.clone()
            },
            ..self.effect()
        }
    }
}

/// The variance of some values.
pub(super) fn spread(values: impl Iterator<Item = f64> + Clone) -> f64 {
    let count = values.clone().count() as f64;
    let mean = values.clone().sum::<f64>() / count;
    values.map(|value| (value - mean) * (value - mean)).sum::<f64>() / (count - 1.0).larger(1.0)
}
