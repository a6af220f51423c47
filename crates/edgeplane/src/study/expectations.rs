//! Verification of expectations.

use std::sync::Arc;

use serde::Serialize;

use super::ledger::Figure;
use super::samples::{Crew, Running, Variant};
use super::statistics::Confidence;
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::program::{Program, Setup};
use crate::rules::ExpectRule;

/// The initial number of fights.
const FIRST: u64 = 250;
/// The number of looks, each with four times as many fights, before the result is called too close.
const LOOKS: u32 = 6;

/// The result for an expectation.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Expectation {
    /// The measure.
    pub that: String,
    /// The encounter.
    pub encounter: String,
    /// The minimum.
    pub at_least: Option<f64>,
    /// The maximum.
    pub at_most: Option<f64>,
    /// The reason given with it.
    pub because: String,
    /// The estimate on which the verdict is based.
    pub figure: Figure,
    /// Whether it holds.
    pub verdict: Verdict,
}

/// Whether an expectation holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// The whole interval lies within the bounds.
    Holds,
    /// The estimate lies within the bounds, but the interval does not.
    HoldsBarely,
    /// The estimate lies outside the bounds, but the interval does not.
    FailsBarely,
    /// The whole interval lies outside the bounds.
    Fails,
    /// No fight had a value.
    NoValue,
}

impl Verdict {
    /// Whether it counts as met.
    pub fn holds(self) -> bool {
        matches!(self, Self::Holds | Self::HoldsBarely)
    }

    /// Whether more fights could change it.
    pub fn is_close(self) -> bool {
        matches!(self, Self::HoldsBarely | Self::FailsBarely)
    }
}

/// Runs fights until it is clear whether an expectation holds: first 250 (or the number given with it), then four times
/// as many, up to 256,000. All looks at all expectations of the ruleset together have a confidence of 99 %
/// (Bonferroni): in at most one of a hundred verifications is any expectation that holds reported as
/// [`Verdict::Fails`], or the other way round. A mean is not judged before enough of its samples differ, because rare,
/// large values may not have occurred yet. If the result is too close after the last look, the estimate decides, and
/// this is reported.
///
/// # Errors
/// [`Error::Measure`], [`Error::Unknown`], [`Error::Fight`] or [`Error::Stopped`].
pub fn run_expectation(
    program: &Arc<Program>,
    rule: &ExpectRule,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Expectation, Error> {
    let name = &rule.encounter.text;
    let encounter = program.find_encounter(name).ok_or_else(|| Error::Unknown {
        what: "encounter",
        name: name.clone(),
        known: program.encounters().iter().map(|encounter| encounter.name.clone()).collect(),
    })?;
    let variant = Variant::new(Arc::new(Setup::of(program, encounter)), &[&rule.that.text])?;
    let expected = program.expectations().len();
    let sure = Confidence(0.99).shared_by(LOOKS as usize * expected);
    let crew = Crew::new(plan, progress);
    let mut running = Running::new(&variant);
    let mut trials = rule.trials.map_or(FIRST, u64::from);
    let mut look = 1;
    loop {
        running.run_to(&crew, trials)?;
        if crew.is_stopped() {
            return Err(Error::Stopped);
        }
        let figure = running.figures(sure).remove(0);
        let verdict = judge(rule, &figure);
        let decided = !verdict.is_close() && running.is_settled();
        if decided || look == LOOKS {
            return Ok(judged(rule, figure, verdict));
        }
        (look, trials) = (look + 1, trials * 4);
    }
}

fn judged(rule: &ExpectRule, figure: Figure, verdict: Verdict) -> Expectation {
    Expectation {
        that: rule.that.text.clone(),
        encounter: rule.encounter.text.clone(),
        at_least: rule.at_least,
        at_most: rule.at_most,
        because: rule.because.clone(),
        figure,
        verdict,
    }
}

fn judge(rule: &ExpectRule, figure: &Figure) -> Verdict {
    let Some(value) = figure.value else { return Verdict::NoValue };
    let (low, high) = (figure.low.unwrap_or(f64::NEG_INFINITY), figure.high.unwrap_or(f64::INFINITY));
    let least = rule.at_least.unwrap_or(f64::NEG_INFINITY);
    let most = rule.at_most.unwrap_or(f64::INFINITY);
    // Sums of decimal fractions can miss a bound by the last bits.
    let slack = |bound: f64| if bound.is_finite() { 1e-9 * bound.abs() } else { 0.0 };
    let within = |value: f64| value >= least - slack(least) && value <= most + slack(most);
    match (within(value), within(low) && within(high), high < least || low > most) {
        (true, true, _) => Verdict::Holds,
        (true, false, _) => Verdict::HoldsBarely,
        (false, _, true) => Verdict::Fails,
        (false, _, false) => Verdict::FailsBarely,
    }
}
