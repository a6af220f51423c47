//! A model of a figure over the ranges of the varied numbers, fitted to the fights at some points: Gaussian process
//! regression.
//!
//! The figure is a plane plus a smooth deviation (Matérn, ν = 5/2, with a length scale for each number) plus a
//! roughness at each point, for steps. Their sizes maximise the likelihood of the observations. Source: Rasmussen and
//! Williams, Gaussian Processes for Machine Learning (2006), equations 2.25, 2.26, 2.30 and 4.17.

use super::cholesky::{Lower, inner_product};
use crate::numbers::Extremes;

/// A figure at a point: the point as shares of the ranges, the estimate, and the square of its standard error.
#[derive(Clone, Debug)]
pub(super) struct Observation {
    pub(super) place: Vec<f64>,
    pub(super) value: f64,
    pub(super) variance: f64,
}

/// The sizes of the components, as shares of the spread of the observations.
#[derive(Clone, Debug)]
pub(super) struct Shape {
    smooth: f64,
    lengths: Vec<f64>,
    rough: f64,
}

/// Sizes that are tried, starting with the first.
const SMOOTH: [f64; 6] = [0.1, 0.01, 0.001, 0.3, 1.0, 3.0];
const LENGTHS: [f64; 7] = [1.0, 2.0, 0.5, 0.25, 0.12, 0.06, 0.03];
const ROUGH: [f64; 5] = [0.0, 1e-4, 1e-3, 1e-2, 0.1];
/// The prior of a length scale and of the squared deviations, and the usual factor of variation (as a logarithm). With
/// few observations a rough model is the cautious choice: it is less certain between them.
const USUAL_LENGTH: (f64, f64) = (0.35, 1.0);
const USUAL_SMOOTH: (f64, f64) = (1.0, 1.5);
/// Variances of the plane: its height in the middle, and its slope over a whole range.
const HEIGHT: f64 = 9.0;
const SLOPE: f64 = 16.0;

/// The model.
#[derive(Debug)]
pub(super) struct Surrogate {
    places: Vec<Vec<f64>>,
    shape: Shape,
    /// The origin and the unit of the observations.
    centre: f64,
    spread: f64,
    lower: Lower,
    weights: Vec<f64>,
}

impl Surrogate {
    /// The most likely model of some observations, or one with a known shape.
    pub(super) fn fit(observations: &[Observation], known: Option<&Shape>) -> Option<Self> {
        let count = observations.len() as f64;
        let numbers = observations.first()?.place.len();
        let centre = observations.iter().map(|one| one.value).sum::<f64>() / count;
        let squares = observations.iter().map(|one| (one.value - centre) * (one.value - centre)).sum::<f64>() / count;
        let spread = if squares > 0.0 { squares.sqrt() } else { centre.abs().larger(1.0) * 1e-3 };
        let problem = Problem {
            places: observations.iter().map(|one| one.place.clone()).collect(),
            values: observations.iter().map(|one| (one.value - centre) / spread).collect(),
            noise: observations.iter().map(|one| one.variance / (spread * spread)).collect(),
        };
        let shape = known.cloned().unwrap_or_else(|| problem.likeliest(numbers));
        let lower = problem.lower(&shape)?;
        let weights = lower.solve(&problem.values);
        Some(Self { places: problem.places, shape, centre, spread, lower, weights })
    }

    /// The prediction at a point: the expected value and its variance.
    pub(super) fn at(&self, place: &[f64]) -> (f64, f64) {
        let near: Vec<f64> = self.places.iter().map(|other| self.shape.covariance(place, other)).collect();
        let value = inner_product(&near, &self.weights);
        let known = self.lower.forward(&near);
        let known = inner_product(&known, &known);
        let variance = (self.shape.covariance(place, place) - known).larger(1e-12);
        (self.centre + value * self.spread, variance * self.spread * self.spread)
    }

    pub(super) fn shape(&self) -> &Shape {
        &self.shape
    }

    /// How far each observation is from what a model of all others expects, in standard errors (the same, equations 5.10 to
    /// 5.12).
    pub(super) fn left_out(&self) -> Vec<f64> {
        let precision = self.lower.diagonal_of_inverse();
        self.weights.iter().zip(precision).map(|(weight, precision)| weight / precision.sqrt()).collect()
    }
}

impl Shape {
    fn covariance(&self, a: &[f64], b: &[f64]) -> f64 {
        let (mut along, mut squares, mut same) = (0.0, 0.0, true);
        for ((a, b), length) in a.iter().zip(b).zip(&self.lengths) {
            along += (a - 0.5) * (b - 0.5);
            let apart = (a - b) / length;
            squares += apart * apart;
            same &= a == b;
        }
        let far = (5.0 * squares).sqrt();
        let smooth = self.smooth * (1.0 + far + far * far / 3.0) * libm::exp(-far);
        HEIGHT + SLOPE * along + smooth + if same { self.rough } else { 0.0 }
    }
}

struct Problem {
    places: Vec<Vec<f64>>,
    values: Vec<f64>,
    noise: Vec<f64>,
}

impl Problem {
    fn lower(&self, shape: &Shape) -> Option<Lower> {
        let row = |(index, place): (usize, &Vec<f64>)| {
            let mut row: Vec<f64> = self.places[..=index].iter().map(|other| shape.covariance(place, other)).collect();
            row[index] += self.noise[index] + 1e-9;
            row
        };
        Lower::of(self.places.iter().enumerate().map(row).collect())
    }

    fn likeliest(&self, numbers: usize) -> Shape {
        let mut shape = Shape { smooth: SMOOTH[0], lengths: vec![LENGTHS[0]; numbers], rough: ROUGH[0] };
        let mut best = self.likelihood(&shape);
        for _ in 0..2 {
            for number in 0..numbers {
                self.choose(&mut best, &mut shape, &LENGTHS, |shape, value| shape.lengths[number] = value);
            }
            self.choose(&mut best, &mut shape, &SMOOTH, |shape, value| shape.smooth = value);
            self.choose(&mut best, &mut shape, &ROUGH, |shape, value| shape.rough = value);
        }
        shape
    }

    /// The logarithm of the posterior probability of the sizes: likelihood times prior.
    fn likelihood(&self, shape: &Shape) -> f64 {
        let Some(lower) = self.lower(shape) else { return f64::NEG_INFINITY };
        let shares = lower.forward(&self.values);
        let fit: f64 = shares.iter().map(|one| one * one).sum();
        let size: f64 = lower.diagonal().map(libm::log).sum();
        let away = |value: f64, (usual, width): (f64, f64)| {
            let far = libm::log(value / usual) / width;
            far * far / 2.0
        };
        let lengths: f64 = shape.lengths.iter().map(|length| away(*length, USUAL_LENGTH)).sum();
        let rough = if shape.rough > 0.0 { 1.0 } else { 0.0 };
        -fit / 2.0 - size - lengths - away(shape.smooth, USUAL_SMOOTH) - rough
    }

    fn choose(&self, best: &mut f64, shape: &mut Shape, values: &[f64], set: impl Fn(&mut Shape, f64)) {
        for value in values {
            let mut other = shape.clone();
            set(&mut other, *value);
            let likelihood = self.likelihood(&other);
            if likelihood > *best + 1e-9 {
                (*best, *shape) = (likelihood, other);
            }
        }
    }
}
