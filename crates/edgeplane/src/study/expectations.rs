//! Whether what is expected of a ruleset holds.

use std::sync::Arc;

use serde::Serialize;

use super::ledger::Figure;
use super::samples::{Crew, Running, Variant};
use super::statistics::Confidence;
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::program::{Program, Setup};
use crate::rules::ExpectRule;

/// Fights that are asked at first.
const FIRST: u64 = 250;
/// How many looks there are, each at four times as many fights, before it is called too close.
const LOOKS: u32 = 6;

/// What came of an expectation.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Expectation {
    /// The measure.
    pub that: String,
    /// The encounter.
    pub encounter: String,
    /// The least value that is right.
    pub at_least: Option<f64>,
    /// The greatest value that is right.
    pub at_most: Option<f64>,
    /// Why it should be so.
    pub because: String,
    /// The estimate that decided.
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
    /// The estimate lies within the bounds, but so near to one of them that chance may have put it there.
    HoldsBarely,
    /// The estimate lies outside, but so near that chance may have put it there.
    FailsBarely,
    /// The whole interval lies outside of the bounds.
    Fails,
    /// No fight had anything to say.
    NoValue,
}

impl Verdict {
    /// Whether it counts as held.
    pub fn holds(self) -> bool {
        matches!(self, Self::Holds | Self::HoldsBarely)
    }

    /// Whether more fights could still turn it.
    pub fn is_close(self) -> bool {
        matches!(self, Self::HoldsBarely | Self::FailsBarely)
    }
}

/// Asks fights until it is clear whether an expectation holds: first 250 (or what it says itself), then four
/// times as many, up to 256,000. All looks at all expectations of the ruleset together are 99 % sure (Bonferroni),
/// so that at most once in a hundred times any of them that holds is called [`Verdict::Fails`], or the other way round. A mean
/// is not judged before enough of its samples differ: what is rare and large may not have come yet. What is too close to
/// call after the last look is decided by the estimate, and reported as such.
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
    // Sums of decimal fractions miss a bound by the last bits.
    let slack = |bound: f64| if bound.is_finite() { 1e-9 * bound.abs() } else { 0.0 };
    let within = |value: f64| value >= least - slack(least) && value <= most + slack(most);
    match (within(value), within(low) && within(high), high < least || low > most) {
        (true, true, _) => Verdict::Holds,
        (true, false, _) => Verdict::HoldsBarely,
        (false, _, true) => Verdict::Fails,
        (false, _, false) => Verdict::FailsBarely,
    }
}
