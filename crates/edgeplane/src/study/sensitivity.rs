//! Which number matters most: every number is raised a little, one at a time. What a win rests on: every ability, status and
//! step is taken away, one at a time.

use std::sync::Arc;

use serde::Serialize;

use super::compare::{Difference, Pairs, pair_up};
use super::ledger::{Figure, Ledger};
use super::samples::{Crew, Samples, Variant};
use super::statistics::Confidence;
use super::trials::{TrialsPlan, run_trials};
use super::vary::scaled;
use crate::error::Error;
use crate::game::Game;
use crate::program::{Setup, StepPlan};
use crate::rules::NumberAt;
use crate::text::Override;

/// Pairs of fights in the first look at each number; one that has changed nothing in them is left alone.
const FIRST: u64 = 128;
/// A condition that never holds.
const NEVER: &str = "0 > 1";
/// How many times as many there are at the next look.
const MORE: u64 = 3;
/// Fights of all looks but the first, in multiples of what a single number may take; at least as many as the first took.
const BUDGET: u64 = 3;
/// An effect of which the interval reaches less than half of it to either side is known well enough.
const KNOWN: f64 = 0.5;
/// What is surely smaller than this part of the greatest effect is not looked at more closely.
const SMALL: f64 = 0.25;

/// Changes of the ruleset, ranked by what each does to a measure: numbers that are raised, or abilities, statuses and steps
/// that are taken away.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Sensitivity {
    /// The encounter.
    pub encounter: String,
    /// The measure.
    pub measure: String,
    /// The most pairs of fights for one number.
    pub trials: u64,
    /// Fights in all.
    pub fights: u64,
    /// The seed.
    pub seed: u64,
    /// By what share each number was raised; nothing where abilities, statuses and steps were taken away instead.
    pub raised_by: Option<f64>,
    /// The measure as things are.
    pub before: Figure,
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
    /// How many fights those were, at least.
    pub elsewhere_fights: u64,
    /// Numbers that are 0, or cannot be raised, with the reason.
    pub left_out: Vec<(String, String)>,
}

/// What raising one number does.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Effect {
    /// Where the number stands, or the path of what is taken away: `ability.boathook`.
    pub path: String,
    /// As it is written; empty for what is taken away.
    pub now: String,
    /// As it was tried; empty likewise.
    pub tried: String,
    /// Pairs of fights by which its effect is known.
    pub pairs: u64,
    /// What it does to the measure. The intervals hold all at once (Bonferroni).
    pub difference: Difference,
}

/// Raises every number that the encounter can depend on by a share such as 0.05, one at a time and each on the same
/// seeds, and ranks them by what that does to a measure. `progress` is called with the number
/// of fights done, and of how many at most.
///
/// Numbers are looked at again with more and more pairs of fights, those first that may have the greatest effect, until that is
/// known well enough or surely small beside the greatest one; the plan's number of trials is the most for one number. The
/// intervals hold for all numbers and all looks at once (Bonferroni).
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
    let raised = |number: NumberAt| {
        let tried = scaled(&number.text, 1.0 + raised_by);
        let change = Override { path: number.path.clone(), value: tried.clone() };
        let is_none = number.value == Some(0.0);
        Change {
            path: number.path,
            now: number.text,
            tried,
            overrides: if is_none { Err("is 0".to_owned()) } else { Ok(change) },
        }
    };
    let changes: Vec<Change> = game.numbers_of(encounter)?.into_iter().map(raised).collect();
    rank(game, encounter, measure, Some(raised_by), &changes, plan, progress)
}

/// Takes every ability, status, hit step and heal step that occurs in the encounter away, one at a time and each on the
/// same seeds, and ranks them by what that does to a measure: what a side's win rests on. `progress` as for
/// [`run_sensitivity`].
///
/// An ability is never unlocked, a status ends as it begins, and a step is passed by. What a status does at the very moment
/// at which it begins is left: a first tick at once, and what reacts to its coming. Two that make up for one another are each
/// worth little alone.
///
/// # Errors
/// As [`super::run_measures`].
pub fn run_without(
    game: &Game,
    encounter: &str,
    measure: &str,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    let setup = Arc::new(Setup::of(game.program(), game.encounter(encounter)?));
    let looked = run_trials(&setup, &TrialsPlan { trials: FIRST.min(plan.trials), ..*plan }, &|_| {})?;
    let program = game.program();
    let abilities =
        looked.combatants.iter().flat_map(|one| one.abilities.iter().map(|ability| ability.ability.as_str()));
    let statuses = looked.combatants.iter().flat_map(|one| one.statuses.iter().map(|status| status.status.as_str()));
    let steps = |folder: &'static str, steps: &[StepPlan]| -> Vec<(String, &'static str)> {
        steps.iter().map(|step| (format!("{folder}.{}", step.name), "when")).collect()
    };
    let mut parts: Vec<(String, &str)> = abilities.map(|name| (format!("ability.{name}"), "unlock")).collect();
    parts.extend(statuses.map(|name| (format!("status.{name}"), "while")));
    parts.extend(steps("hit_steps", program.hit_steps()));
    parts.extend(steps("heal_steps", program.heal_steps()));
    let mut changes: Vec<Change> = Vec::new();
    for (path, key) in parts {
        if changes.iter().all(|change| change.path != path) {
            let change = Override { path: format!("{path}.{key}"), value: NEVER.to_owned() };
            changes.push(Change { path, now: String::new(), tried: String::new(), overrides: Ok(change) });
        }
    }
    rank(game, encounter, measure, None, &changes, plan, progress)
}

/// One change of the ruleset, or why there is none to try.
struct Change {
    path: String,
    now: String,
    tried: String,
    overrides: Result<Override, String>,
}

fn rank(
    game: &Game,
    encounter: &str,
    measure: &str,
    raised_by: Option<f64>,
    changes: &[Change],
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    // Durations show whether a number changes fights at all.
    let measures = [measure, "duration"];
    let base = game.measured(encounter, &measures)?;
    let crew = Crew::new(plan, &|_| {});
    let looks: Vec<u64> = std::iter::successors(Some(FIRST), |last| (*last < plan.trials).then_some(last * MORE))
        .map(|look| look.min(plan.trials))
        .collect();
    let first = looks[0];
    let mut before = crew.samples(&base, 0..first)?;
    if crew.is_stopped() {
        return Err(Error::Stopped);
    }
    let mut known = Ledger::new(&base.measures()[0]);
    before[0].iter().for_each(|sample| known.add(*sample));
    let sure = Confidence::default().shared_by(changes.len() * looks.len());
    let all_first = first.saturating_mul(changes.len() as u64 + 1);
    let further = plan.trials.saturating_mul(BUDGET).max(all_first);
    let most = all_first.saturating_add(further);
    let (mut open, mut unseen, mut left_out) = (Vec::new(), Vec::new(), Vec::new());
    for change in changes {
        progress(crew.done(), most);
        if crew.is_stopped() {
            left_out.push((change.path.clone(), "was not tried any more".to_owned()));
            continue;
        }
        // A name that looks like a formula, a count that must be whole: no number that can be raised.
        let variant = match &change.overrides {
            Ok(one) => game.variant(std::slice::from_ref(one)).map_err(|error| reason(&error)),
            Err(reason) => Err(reason.clone()),
        };
        let variant = match variant {
            Ok(variant) => variant.measured(encounter, &measures)?,
            Err(reason) => {
                left_out.push((change.path.clone(), reason));
                continue;
            }
        };
        match crew.samples(&variant, 0..first) {
            // Half of the trials could make it look as if it had no effect.
            _ if crew.is_stopped() => left_out.push((change.path.clone(), "was not tried any more".to_owned())),
            Err(error) => left_out.push((change.path.clone(), reason(&error))),
            Ok(samples) if samples == before => unseen.push(change.path.clone()),
            Ok(samples) => open.push(Tried::new(change, variant, &before, &samples, sure)),
        }
    }
    let mut budget = further;
    for look in looks.windows(2) {
        let greatest = open.iter().map(Tried::surely).fold(0.0, f64::max);
        let mut next: Vec<&mut Tried<'_>> =
            open.iter_mut().filter(|one| one.pairs == look[0] && !one.is_settled(greatest)).collect();
        next.sort_by(|a, b| b.at_most().total_cmp(&a.at_most()));
        next.truncate((budget / (look[1] - look[0])) as usize);
        if next.is_empty() || crew.is_stopped() {
            break;
        }
        budget -= next.len() as u64 * (look[1] - look[0]);
        before = crew.samples(&base, look[0]..look[1])?;
        before[0].iter().for_each(|sample| known.add(*sample));
        for one in next {
            progress(crew.done(), most);
            if !crew.is_stopped() {
                let after = crew.samples(&one.variant, look[0]..look[1])?;
                if !crew.is_stopped() {
                    one.add(&before, &after, sure);
                }
            }
        }
    }
    let (elsewhere, effects): (Vec<_>, Vec<_>) = open.into_iter().partition(|one| one.pairs_that_differ() == 0.0);
    let mut effects: Vec<Effect> = effects.into_iter().map(Tried::effect).collect();
    let size = |effect: &Effect| effect.difference.difference.map_or(0.0, f64::abs);
    effects.sort_by(|a, b| {
        let certain = b.difference.is_certain().cmp(&a.difference.is_certain());
        certain.then(size(b).total_cmp(&size(a)))
    });
    let is_all = first >= plan.trials;
    Ok(Sensitivity {
        encounter: encounter.to_owned(),
        measure: measure.to_owned(),
        trials: plan.trials,
        fights: crew.done(),
        seed: plan.seed,
        raised_by,
        before: known.figure(&base.measures()[0], Confidence::default(), base.is_certain()),
        effects,
        without_effect: if is_all { unseen.clone() } else { Vec::new() },
        unseen: if is_all { Vec::new() } else { unseen },
        unseen_fights: first,
        elsewhere_fights: elsewhere.iter().map(|one| one.pairs).min().unwrap_or(0),
        elsewhere: elsewhere.into_iter().map(|one| one.change.path.clone()).collect(),
        left_out,
    })
}

fn reason(error: &Error) -> String {
    match error {
        Error::Ruleset { diagnostics, .. } => diagnostics.first().map_or_else(String::new, |one| one.message.clone()),
        other => other.to_string(),
    }
}

/// A change that changes fights, and what is known of its effect.
struct Tried<'a> {
    change: &'a Change,
    variant: Variant,
    sums: Vec<Pairs>,
    pairs: u64,
    difference: Difference,
}

impl<'a> Tried<'a> {
    fn new(change: &'a Change, variant: Variant, before: &Samples, after: &Samples, sure: Confidence) -> Self {
        let measure = &variant.measures()[0];
        let mut sums = vec![Pairs::new(measure)];
        pair_up(&mut sums, before, after);
        let difference = sums[0].difference(measure, sure);
        Self { change, pairs: before[0].len() as u64, sums, difference, variant }
    }

    fn add(&mut self, before: &Samples, after: &Samples, sure: Confidence) {
        pair_up(&mut self.sums, before, after);
        self.pairs += before[0].len() as u64;
        self.difference = self.sums[0].difference(&self.variant.measures()[0], sure);
    }

    fn pairs_that_differ(&self) -> f64 {
        self.difference.trials_that_differ
    }

    fn ends(&self) -> (f64, f64) {
        (self.difference.low.unwrap_or(f64::NEG_INFINITY), self.difference.high.unwrap_or(f64::INFINITY))
    }

    /// How great the effect is at least, and at most.
    fn surely(&self) -> f64 {
        let (low, high) = self.ends();
        low.max(-high).max(0.0)
    }

    fn at_most(&self) -> f64 {
        let (low, high) = self.ends();
        high.max(-low)
    }

    /// Whether more fights would show nothing that matters beside the greatest effect.
    fn is_settled(&self, greatest: f64) -> bool {
        let (low, high) = self.ends();
        let size = self.difference.difference.map_or(0.0, f64::abs);
        let is_known = self.difference.is_certain() && (high - low) / 2.0 <= KNOWN * size;
        let is_nowhere = self.pairs_that_differ() == 0.0 && self.pairs > FIRST;
        is_known || is_nowhere || self.at_most() <= SMALL * greatest
    }

    fn effect(self) -> Effect {
        let Change { path, now, tried, .. } = self.change;
        let (path, now, tried) = (path.clone(), now.clone(), tried.clone());
        Effect { path, now, tried, pairs: self.pairs, difference: self.difference }
    }
}
