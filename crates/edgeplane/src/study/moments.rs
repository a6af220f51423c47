//! Means, and products and triple products of deviations, from which the variance and skewness of sums follow.

use crate::numbers::Extremes;
use serde::{Deserialize, Serialize};

use super::statistics::{Confidence, Estimate, mean_interval};

/// The moments of `N` joint numbers around their means (Welford 1962, Pébay 2008): no precision is lost if the means
/// are large compared with the deviations.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Moments<const N: usize> {
    pub(super) count: f64,
    pub(super) mean: [f64; N],
    products: [[f64; N]; N],
    triples: [[[f64; N]; N]; N],
}

impl<const N: usize> Default for Moments<N> {
    fn default() -> Self {
        Self { count: 0.0, mean: [0.0; N], products: [[0.0; N]; N], triples: [[[0.0; N]; N]; N] }
    }
}

impl<const N: usize> Moments<N> {
    pub(super) fn add(&mut self, values: [f64; N]) {
        self.join(&Self { count: 1.0, mean: values, ..Self::default() });
    }

    /// Adds the moments of another sample.
    pub(super) fn join(&mut self, other: &Self) {
        let (a, b) = (self.count, other.count);
        if b == 0.0 {
            return;
        }
        let all = a + b;
        let apart: [f64; N] = std::array::from_fn(|i| bounded(other.mean[i] - self.mean[i]));
        let (pairs, cubes) = (a * b / all, a * b * (a - b) / (all * all));
        for i in 0..N {
            for j in 0..N {
                let both = bounded(apart[i] * apart[j]);
                for k in 0..N {
                    let shifted = |m: &Self| {
                        apart[i] * m.products[j][k] + apart[j] * m.products[i][k] + apart[k] * m.products[i][j]
                    };
                    let shift = bounded(a * shifted(other) / all) - bounded(b * shifted(self) / all);
                    let triple = self.triples[i][j][k] + other.triples[i][j][k];
                    self.triples[i][j][k] = bounded(triple + bounded(both * apart[k]) * cubes + shift);
                }
            }
        }
        for i in 0..N {
            for j in 0..N {
                let sum = self.products[i][j] + other.products[i][j] + bounded(apart[i] * apart[j]) * pairs;
                self.products[i][j] = bounded(sum);
            }
            self.mean[i] += apart[i] * (b / all);
        }
        self.count = all;
    }

    /// The estimated variance of a weighted sum of the numbers.
    fn variance_of(&self, weights: [f64; N]) -> f64 {
        let mut sum = 0.0;
        for i in 0..N {
            for j in 0..N {
                sum += weights[i] * weights[j] * self.products[i][j];
            }
        }
        sum.larger(0.0) / (self.count - 1.0)
    }

    /// The standard error of the mean of a weighted sum; infinite for fewer than two values.
    pub(super) fn error_of(&self, weights: [f64; N]) -> f64 {
        if self.count < 2.0 { f64::INFINITY } else { (self.variance_of(weights) / self.count).sqrt() }
    }

    /// The skewness of a weighted sum, corrected for the sample size (Joanes and Gill 1998); 0 if nothing varies.
    pub(super) fn skewness_of(&self, weights: [f64; N]) -> f64 {
        let n = self.count;
        let spread = self.variance_of(weights) * (n - 1.0) / n;
        if n < 3.0 || spread <= 0.0 {
            return 0.0;
        }
        let mut sum = 0.0;
        for i in 0..N {
            for j in 0..N {
                for k in 0..N {
                    sum += weights[i] * weights[j] * weights[k] * self.triples[i][j][k];
                }
            }
        }
        sum / n / (spread * spread.sqrt()) * (n * (n - 1.0)).sqrt() / (n - 2.0)
    }
}

/// A sum that remains a number, whatever is added: a study with one number that is far too large still has figures for
/// all others, and can be stored in a file.
pub(super) fn bounded(sum: f64) -> f64 {
    sum.clamp(-f64::MAX, f64::MAX)
}

/// Values whose mean is wanted with an interval.
///
/// ```
/// let mut values = edgeplane::study::Values::default();
/// [2.0, 3.0, 4.0].into_iter().for_each(|value| values.add(value));
/// let estimate = values.estimate();
/// assert_eq!((estimate.mean, estimate.deviation), (3.0, 1.0));
/// assert!((estimate.high - 5.484).abs() < 1e-3);
/// ```
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "[f64; 4]", into = "[f64; 4]")]
pub struct Values(Moments<1>);

impl Values {
    /// Adds a value.
    pub fn add(&mut self, value: f64) {
        self.0.add([value]);
    }

    /// Adds all values of another sample. The rounding of the result depends on the order in which values are added and
    /// joined.
    pub fn join(&mut self, other: &Self) {
        self.0.join(&other.0);
    }

    /// Their sum.
    pub fn sum(&self) -> f64 {
        bounded(self.0.mean[0] * self.0.count)
    }

    /// Their mean, with a 95 % interval (see [`Estimate`]).
    ///
    /// One value has no interval, and an empty sample has no mean: unknown values are infinite.
    pub fn estimate(&self) -> Estimate {
        let Moments { count, mean: [mean], .. } = self.0;
        let open = f64::INFINITY;
        if count < 2.0 {
            let mean = if count < 1.0 { open } else { mean };
            return Estimate { mean, low: -open, high: open, deviation: open };
        }
        let (error, skewness) = (self.0.error_of([1.0]), self.0.skewness_of([1.0]));
        let interval = mean_interval(mean, error, skewness, count, Confidence::default());
        Estimate { mean, low: interval.low, high: interval.high, deviation: self.0.variance_of([1.0]).sqrt() }
    }
}

impl From<[f64; 4]> for Values {
    fn from([count, mean, product, triple]: [f64; 4]) -> Self {
        Self(Moments { count, mean: [mean], products: [[product]], triples: [[[triple]]] })
    }
}

impl From<Values> for [f64; 4] {
    fn from(Values(Moments { count, mean: [mean], products: [[product]], triples: [[[triple]]] }): Values) -> Self {
        [count, mean, product, triple]
    }
}
