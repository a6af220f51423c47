//! Which number matters most: every number is raised a little, one at a time.

use serde::Serialize;

use super::compare::{Difference, Pairs, pair_up};
use super::samples::{Crew, Samples, Variant};
use super::statistics::Confidence;
use super::trials::TrialsPlan;
use super::vary::scaled;
use crate::error::Error;
use crate::game::Game;
use crate::rules::NumberAt;
use crate::text::Override;

/// Trials after which a number that has changed nothing at all is left alone.
const FIRST: u64 = 256;

/// Numbers of the ruleset, ranked by what a small change of each does to a measure.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Sensitivity {
    /// The encounter.
    pub encounter: String,
    /// The measure.
    pub measure: String,
    /// Fights for each number.
    pub trials: u64,
    /// The seed.
    pub seed: u64,
    /// By what share each number was raised.
    pub raised_by: f64,
    /// Numbers that change the measure, those with the greatest effect first.
    pub effects: Vec<Effect>,
    /// Numbers that changed neither the measure nor the duration of any fight.
    pub without_effect: Vec<String>,
    /// Numbers that changed neither in the first fights, and were not tried in the others: an effect that is rarer was not
    /// looked for.
    pub unseen: Vec<String>,
    /// How many fights those were.
    pub unseen_fights: u64,
    /// Numbers that changed fights and how long they last, and not the measure in any of them.
    pub elsewhere: Vec<String>,
    /// Numbers that are 0, or cannot be raised, with the reason.
    pub left_out: Vec<(String, String)>,
}

/// What raising one number does.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Effect {
    /// Where the number stands.
    pub path: String,
    /// As it is written.
    pub now: String,
    /// As it was tried.
    pub tried: String,
    /// What it does to the measure. The intervals hold all at once (Bonferroni).
    pub difference: Difference,
}

/// Raises every number that the encounter can depend on by a share such as 0.05, one at a time and each on the same
/// seeds, and ranks them by what that does to a measure. `progress` is called with the number
/// of numbers done, and of how many.
///
/// # Errors
/// As [`super::run_measures`].
pub fn run_sensitivity(
    game: &Game,
    encounter: &str,
    measure: &str,
    raised_by: f64,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    // Durations show whether a number changes fights at all.
    let measures = [measure, "duration"];
    let base = game.measured(encounter, &measures)?;
    let numbers = game.numbers_of(encounter)?;
    let crew = Crew::new(plan, &|_| {});
    let first = plan.trials.min(FIRST);
    let before = [crew.samples(&base, 0..first)?, crew.samples(&base, first..plan.trials)?];
    if crew.is_stopped() {
        return Err(Error::Stopped);
    }
    let sure = Confidence::default().shared_by(numbers.len());
    let mut found = Sensitivity {
        encounter: encounter.to_owned(),
        measure: measure.to_owned(),
        trials: plan.trials,
        seed: plan.seed,
        raised_by,
        effects: Vec::new(),
        without_effect: Vec::new(),
        unseen: Vec::new(),
        unseen_fights: first,
        elsewhere: Vec::new(),
        left_out: Vec::new(),
    };
    for (done, number) in numbers.iter().enumerate() {
        progress(done as u64, numbers.len() as u64);
        if crew.is_stopped() {
            found.left_out.push((number.path.clone(), "was not tried any more".to_owned()));
            continue;
        }
        if number.value == Some(0.0) {
            found.left_out.push((number.path.clone(), "is 0".to_owned()));
            continue;
        }
        let tried = scaled(&number.text, 1.0 + raised_by);
        let change = Override { path: number.path.clone(), value: tried.clone() };
        // A name that looks like a formula, a count that must be whole: no number that can be raised.
        let variant = match game.variant(&[change]) {
            Ok(variant) => variant.measured(encounter, &measures)?,
            Err(error) => {
                found.left_out.push((number.path.clone(), reason(&error)));
                continue;
            }
        };
        match effect(&crew, &base, &before, &variant, plan.trials, sure) {
            // Half of the trials could make it look as if it had no effect.
            _ if crew.is_stopped() => found.left_out.push((number.path.clone(), "was not tried any more".to_owned())),
            Ok(Seen::Change(difference)) => found.effects.push(effect_of(number, tried, *difference)),
            Ok(Seen::Elsewhere) => found.elsewhere.push(number.path.clone()),
            Ok(Seen::Nothing) if first == plan.trials => found.without_effect.push(number.path.clone()),
            Ok(Seen::Nothing) => found.unseen.push(number.path.clone()),
            Err(error) => found.left_out.push((number.path.clone(), reason(&error))),
        }
    }
    let size = |effect: &Effect| effect.difference.difference.map_or(0.0, f64::abs);
    found.effects.sort_by(|a, b| {
        let certain = b.difference.is_certain().cmp(&a.difference.is_certain());
        certain.then(size(b).total_cmp(&size(a)))
    });
    Ok(found)
}

fn effect_of(number: &NumberAt, tried: String, difference: Difference) -> Effect {
    Effect { path: number.path.clone(), now: number.text.clone(), tried, difference }
}

fn reason(error: &Error) -> String {
    match error {
        Error::Ruleset { diagnostics, .. } => diagnostics.first().map_or_else(String::new, |one| one.message.clone()),
        other => other.to_string(),
    }
}

/// What raising a number was seen to do.
enum Seen {
    Change(Box<Difference>),
    /// Fights go another way, with the same value of the measure.
    Elsewhere,
    Nothing,
}

fn effect(
    crew: &Crew<'_>,
    base: &Variant,
    before: &[Samples; 2],
    after: &Variant,
    trials: u64,
    sure: Confidence,
) -> Result<Seen, Error> {
    let measure = &base.measures()[0];
    let mut pairs = vec![Pairs::new(measure)];
    let first = before[0][0].len() as u64;
    let begun = crew.samples(after, 0..first)?;
    if begun == before[0] {
        return Ok(Seen::Nothing);
    }
    pair_up(&mut pairs, &before[0], &begun);
    let rest = crew.samples(after, first..trials)?;
    if begun[0] == before[0][0] && rest[0] == before[1][0] {
        return Ok(Seen::Elsewhere);
    }
    pair_up(&mut pairs, &before[1], &rest);
    Ok(Seen::Change(Box::new(pairs[0].difference(measure, sure))))
}
