//! Which number matters most: every number is raised and lowered a little, one at a time. What a win rests on: every ability,
//! status and step is taken away, one at a time.

use std::sync::Arc;

use serde::Serialize;

use super::book::Sample;
use super::compare::{Difference, Pairs, pair_up};
use super::factorial::{Asked, CHANGED, Design, Found, of_each, variance, variance_of_difference};
use super::ledger::{Figure, Ledger};
use super::samples::{Crew, Samples, Variant};
use super::statistics::{Confidence, Interval};
use super::trials::{TrialsPlan, run_trials};
use super::vary::scaled;
use crate::error::Error;
use crate::game::Game;
use crate::measures::Unit;
use crate::program::{Setup, StepPlan};
use crate::rules::{NumberAt, Statistic};
use crate::text::Override;

/// Pairs of fights in the first look at each number, in both directions together; what has changed nothing in them is left
/// alone. Where fights are long there are fewer, as many as take about as long as to make the changed ruleset, but not fewer
/// than the least.
const FIRST: u64 = 128;
const LEAST: u64 = 32;
/// How many things happen in fights that take as long as to make a ruleset, for each byte of its files.
const OF_A_BYTE: f64 = 1.0 / 6.0;
/// Changing many numbers at once shows as much as pairs do where the variances of the differences of all pairs come to so many
/// times the variance of a fight: each change then has a tenth of all fights, against the four fifths without, and the
/// errors are a little larger for being told apart.
const TOGETHER: f64 = 18.0;
/// A condition that never holds.
const NEVER: &str = "0 > 1";
/// How many times as many there are at the next look.
const MORE: u64 = 3;
/// Fights of all looks but the first, in multiples of what a single change may take: at most so many, and fewer of numbers
/// where fights are long, of which there are many. At least as many as the first look took.
const BUDGET: u64 = 3;
/// An effect of which the interval reaches less than half of it to either side is known well enough.
const KNOWN: f64 = 0.5;
/// What is surely smaller than this part of the greatest effect is not looked at more closely.
const SMALL: f64 = 0.25;

/// Changes of the ruleset, ranked by what each does to a measure: numbers that are raised and lowered, or abilities, statuses
/// and steps that are taken away.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Sensitivity {
    /// The encounter.
    pub encounter: String,
    /// The measure.
    pub measure: String,
    /// Fights in all where numbers were changed together, else the most pairs of fights for one change.
    pub trials: u64,
    /// Fights in all.
    pub fights: u64,
    /// The seed.
    pub seed: u64,
    /// By what share each number was raised and lowered; nothing where abilities, statuses and steps were taken away instead.
    pub by: Option<f64>,
    /// In what share of the fights of each change every other number was changed as well, up or down; nothing where each
    /// was changed alone.
    pub together: Option<f64>,
    /// The measure as things are.
    pub before: Figure,
    /// Numbers that change the measure, those with the greatest effect first.
    pub effects: Vec<Effect>,
    /// Numbers that changed neither the measure nor the duration of any fight.
    pub without_effect: Vec<String>,
    /// Numbers that changed neither in the first fights, and were not tried in the others: an effect that is rarer was not
    /// looked for.
    pub unseen: Vec<String>,
    /// How many fights those were, for each change.
    pub unseen_fights: u64,
    /// Numbers that changed fights and how long they last, and not the measure in any of them.
    pub elsewhere: Vec<String>,
    /// How many fights those were, at least.
    pub elsewhere_fights: u64,
    /// Numbers that are 0, or cannot be changed, with the reason.
    pub left_out: Vec<(String, String)>,
}

/// What changing one number does.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Effect {
    /// Where the number stands, or the path of what is taken away: `ability.boathook`.
    pub path: String,
    /// As it is written; empty for what is taken away.
    pub now: String,
    /// What each change of it does that could be tried.
    pub changes: Vec<ChangeEffect>,
}

impl Effect {
    /// Whether any change of it changes the measure beyond chance.
    pub fn is_certain(&self) -> bool {
        self.changes.iter().any(|change| change.difference.is_certain())
    }

    /// The greatest difference that a change of it makes; of the certain ones, if there are any.
    pub fn size(&self) -> f64 {
        let is_certain = self.is_certain();
        let counted = self.changes.iter().filter(|change| !is_certain || change.difference.is_certain());
        counted.filter_map(|change| change.difference.difference).fold(0.0, |size, one| one.abs().max(size))
    }

    /// The change in one direction, if it could be tried.
    pub fn change(&self, direction: Direction) -> Option<&ChangeEffect> {
        self.changes.iter().find(|change| change.direction == direction)
    }
}

/// How something is changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// A number is raised.
    Raised,
    /// A number is lowered.
    Lowered,
    /// An ability, a status or a step is taken away.
    Without,
}

/// What one change does.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ChangeEffect {
    /// How the number is changed.
    pub direction: Direction,
    /// As it was tried; empty for what is taken away.
    pub tried: String,
    /// Fights with the change by which its effect is known.
    pub fights: u64,
    /// What it does to the measure: against the same fights without it, or on average over the changes of the others. The
    /// intervals hold all at once (Bonferroni).
    pub difference: Difference,
}

/// Raises and lowers every number that the encounter can depend on by a share such as 0.05, and ranks them by what that does to
/// a measure. `progress` is called with the number of fights done, and of how many at most.
///
/// In a first look each is changed alone, on the same seeds as without: what changes nothing there is not tried further. Then
/// there are two ways, of which the better one for these rules is taken (see [`Sensitivity::together`]):
///
/// - Where a fight goes another way altogether after a small change, many numbers are changed at once: in each of many rulesets
///   every number is, by chance, raised in a tenth of the cases and lowered in another, and what each does is told apart by
///   least squares. So each fight says something of all numbers. The effect is that of the change on average over the changes
///   of the others, and all fights together are about as many as the plan says.
/// - Where pairs of fights mostly stay alike, each number is changed alone, and looked at again with more and more pairs, those
///   first that may have the greatest effect, until that is known well enough or surely small beside the greatest one; the
///   plan's number of trials is the most for one change. Quantiles and rules without chance are always looked at so.
///
/// The intervals hold for all changes and all looks at once (Bonferroni).
///
/// ```
/// use edgeplane::study::{Direction, run_sensitivity};
/// use edgeplane::{Game, TrialsPlan};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let plan = TrialsPlan { trials: 200, ..TrialsPlan::default() };
/// let found = run_sensitivity(&game, "duel", "duration", 0.05, &plan, &|_, _| {})?;
/// let first = &found.effects[0];
/// println!("{}: {:?}", first.path, first.change(Direction::Lowered));
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// As [`super::run_measures`].
pub fn run_sensitivity(
    game: &Game,
    encounter: &str,
    measure: &str,
    by: f64,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    let both = |number: NumberAt| {
        let is_none = number.value == Some(0.0);
        let tried = |direction, factor| {
            let tried = scaled(&number.text, factor);
            let change = Override { path: number.path.clone(), value: tried.clone() };
            Way { direction, tried, change: if is_none { Err("is 0".to_owned()) } else { Ok(change) } }
        };
        let ways = vec![tried(Direction::Raised, 1.0 + by), tried(Direction::Lowered, 1.0 - by)];
        Subject { path: number.path.clone(), now: number.text.clone(), ways }
    };
    let subjects: Vec<Subject> = game.numbers_of(encounter)?.into_iter().map(both).collect();
    rank(game, encounter, measure, Some(by), &subjects, plan, progress)
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
    let mut subjects: Vec<Subject> = Vec::new();
    for (path, key) in parts {
        if subjects.iter().all(|subject| subject.path != path) {
            let change = Override { path: format!("{path}.{key}"), value: NEVER.to_owned() };
            let ways = vec![Way { direction: Direction::Without, tried: String::new(), change: Ok(change) }];
            subjects.push(Subject { path, now: String::new(), ways });
        }
    }
    rank(game, encounter, measure, None, &subjects, plan, progress)
}

/// What is changed, and in which ways.
struct Subject {
    path: String,
    now: String,
    ways: Vec<Way>,
}

/// One change of the ruleset, or why there is none to try.
struct Way {
    direction: Direction,
    tried: String,
    change: Result<Override, String>,
}

fn rank(
    game: &Game,
    encounter: &str,
    measure: &str,
    by: Option<f64>,
    subjects: &[Subject],
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    // Durations show whether a number changes fights at all.
    let measures = [measure, "duration"];
    let base = game.measured(encounter, &measures)?;
    let crew = Crew::new(plan, &|_| {});
    let ways = subjects.iter().map(|subject| subject.ways.len()).max().unwrap_or(1) as u64;
    let least = if by.is_some() { LEAST / ways } else { FIRST / ways };
    let mut before = crew.samples(&base, 0..least.min(plan.trials))?;
    if crew.is_stopped() {
        return Err(Error::Stopped);
    }
    let cost = game.sources().bytes() as f64 * OF_A_BYTE / crew.work();
    let budget = if by.is_some() { ((cost / 10.0) as u64).clamp(1, BUDGET) } else { BUDGET };
    let first = (cost as u64).clamp(least, FIRST / ways);
    let looks: Vec<u64> = std::iter::successors(Some(first), |last| (*last < plan.trials).then_some(last * MORE))
        .map(|look| look.min(plan.trials))
        .collect();
    let first = looks[0];
    let rest = crew.samples(&base, before[0].len() as u64..first)?;
    before.iter_mut().zip(rest).for_each(|(before, rest)| before.extend(rest));
    if crew.is_stopped() {
        return Err(Error::Stopped);
    }
    let mut known = Ledger::new(&base.measures()[0]);
    before[0].iter().for_each(|sample| known.add(*sample));
    let changes = subjects.iter().map(|subject| subject.ways.len()).sum::<usize>();
    let sure = Confidence::default().shared_by(changes * looks.len());
    let all_first = first.saturating_mul(changes as u64 + 1);
    let further = plan.trials.saturating_mul(budget).max(all_first);
    let most = all_first.saturating_add(further);
    let (mut tried, mut left_out) = (Vec::new(), Vec::new());
    for (index, subject) in subjects.iter().enumerate() {
        let mut reasons = Vec::new();
        for way in &subject.ways {
            progress(crew.done(), most);
            match first_look(&crew, game, encounter, &measures, (index, way), &before, sure) {
                Ok(one) => tried.push(one),
                Err(reason) => reasons.push(reason),
            }
        }
        if reasons.len() == subject.ways.len() {
            left_out.push((subject.path.clone(), reasons.swap_remove(0)));
        }
    }
    let is_all = first >= plan.trials;
    let unseen = unseen(subjects, &tried);
    let first_look = Sensitivity {
        encounter: encounter.to_owned(),
        measure: measure.to_owned(),
        trials: plan.trials,
        fights: crew.done(),
        seed: plan.seed,
        by,
        together: None,
        before: known.figure(&base.measures()[0], Confidence::default(), base.is_certain()),
        effects: Vec::new(),
        without_effect: if is_all { unseen.clone() } else { Vec::new() },
        unseen: if is_all { Vec::new() } else { unseen },
        unseen_fights: first,
        elsewhere: Vec::new(),
        elsewhere_fights: 0,
        left_out,
    };
    let could_be_together = by.is_some() && !is_all && !base.is_certain() && !crew.is_stopped();
    if could_be_together && are_better_together(&base, &before[0], &tried, cost, plan) {
        let seen = tried.iter().filter(|one| one.is_seen);
        let changes: Vec<(usize, Override)> =
            seen.filter_map(|one| Some((one.subject, one.way.change.as_ref().ok()?.clone()))).collect();
        let asked = Asked { crew: &crew, game, encounter, base: &base, plan, cost };
        let found = asked.play(&mut known, &changes, progress)?;
        let before = known.figure(&base.measures()[0], Confidence::default(), false);
        let effects = effects_together(subjects, &tried, &before, &found);
        return Ok(Sensitivity { fights: crew.done(), together: Some(CHANGED), before, effects, ..first_look });
    }
    let mut budget = further;
    for look in looks.windows(2) {
        let greatest = tried.iter().map(Tried::surely).fold(0.0, f64::max);
        let mut next: Vec<&mut Tried<'_>> =
            tried.iter_mut().filter(|one| one.pairs == look[0] && !one.is_settled(first, greatest)).collect();
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
    let (mut effects, mut elsewhere) = (Vec::new(), Vec::new());
    let mut elsewhere_fights = u64::MAX;
    for (index, subject) in subjects.iter().enumerate() {
        let of_it: Vec<&Tried<'_>> = tried.iter().filter(|one| one.subject == index).collect();
        if of_it.iter().any(|one| one.pairs_that_differ() > 0.0) {
            let changes = of_it.into_iter().map(Tried::effect).collect();
            effects.push(Effect { path: subject.path.clone(), now: subject.now.clone(), changes });
        } else if of_it.iter().any(|one| one.is_seen) {
            let seen = of_it.iter().filter(|one| one.is_seen);
            elsewhere_fights = seen.map(|one| one.pairs).fold(elsewhere_fights, u64::min);
            elsewhere.push(subject.path.clone());
        }
    }
    sort(&mut effects);
    Ok(Sensitivity {
        fights: crew.done(),
        before: known.figure(&base.measures()[0], Confidence::default(), base.is_certain()),
        effects,
        elsewhere_fights: if elsewhere.is_empty() { 0 } else { elsewhere_fights },
        elsewhere,
        ..first_look
    })
}

/// Those with the greatest effects first, and before them those that are certain.
fn sort(effects: &mut [Effect]) {
    effects.sort_by(|a, b| b.is_certain().cmp(&a.is_certain()).then(b.size().total_cmp(&a.size())));
}

/// What has changed no fight in the first look, in no direction that could be tried.
fn unseen(subjects: &[Subject], tried: &[Tried<'_>]) -> Vec<String> {
    let is_unseen = |index: usize| {
        let mut of_it = tried.iter().filter(|one| one.subject == index).peekable();
        of_it.peek().is_some() && of_it.all(|one| !one.is_seen)
    };
    let all = subjects.iter().enumerate();
    all.filter(|(index, _)| is_unseen(*index)).map(|(_, subject)| subject.path.clone()).collect()
}

/// Whether in the same time more is known where many numbers are changed at once, by how fights and pairs of fights vary in the
/// first look. To make a ruleset costs as much as so many fights.
fn are_better_together(base: &Variant, before: &[Sample], tried: &[Tried<'_>], cost: f64, plan: &TrialsPlan) -> bool {
    if let Statistic::Quantile(_) = base.measures()[0].statistic {
        return false;
    }
    let seen: Vec<&Tried<'_>> = tried.iter().filter(|one| one.is_seen).collect();
    let pairs: f64 = seen.iter().map(|one| variance_of_difference(before, &one.first)).sum();
    let fights = plan.trials as f64;
    let times = 1.0 + Design::rulesets(seen.len(), fights / of_each(cost)) as f64 * cost / fights;
    let single = tried.iter().map(|one| variance(&one.first)).sum::<f64>() / tried.len().max(1) as f64;
    pairs > TOGETHER * times * single
}

/// What changes do among others: each with its figure as things are.
fn effects_together(
    subjects: &[Subject],
    tried: &[Tried<'_>],
    figure: &Figure,
    found: &[Option<Found>],
) -> Vec<Effect> {
    let seen: Vec<(&Tried<'_>, Option<Found>)> =
        tried.iter().filter(|one| one.is_seen).zip(found.iter().copied()).collect();
    let mut effects: Vec<Effect> = Vec::new();
    for (index, subject) in subjects.iter().enumerate() {
        let of_it = seen.iter().filter(|(one, _)| one.subject == index);
        let changes: Vec<ChangeEffect> = of_it.map(|(one, found)| one.together(figure, *found)).collect();
        if !changes.is_empty() {
            effects.push(Effect { path: subject.path.clone(), now: subject.now.clone(), changes });
        }
    }
    sort(&mut effects);
    effects
}

/// The first fights with one change; the reason if it cannot be tried.
fn first_look<'a>(
    crew: &Crew<'_>,
    game: &Game,
    encounter: &str,
    measures: &[&str],
    (subject, way): (usize, &'a Way),
    before: &Samples,
    sure: Confidence,
) -> Result<Tried<'a>, String> {
    // Half of the trials could make it look as if it had no effect.
    let not_any_more = || Err("was not tried any more".to_owned());
    if crew.is_stopped() {
        return not_any_more();
    }
    // A name that looks like a formula, a count that must be whole: no number that can be changed.
    let variant = game.variant(std::slice::from_ref(way.change.as_ref()?)).map_err(|error| reason(&error))?;
    let variant = variant.measured(encounter, measures).map_err(|error| reason(&error))?;
    let samples = crew.samples(&variant, 0..before[0].len() as u64);
    if crew.is_stopped() {
        return not_any_more();
    }
    let samples = samples.map_err(|error| reason(&error))?;
    let mut sums = vec![Pairs::new(&variant.measures()[0])];
    pair_up(&mut sums, before, &samples);
    let difference = sums[0].difference(&variant.measures()[0], sure);
    let (pairs, is_seen) = (before[0].len() as u64, samples != *before);
    let first = samples.into_iter().next().unwrap_or_default();
    Ok(Tried { subject, way, variant, sums, first, pairs, is_seen, difference })
}

fn reason(error: &Error) -> String {
    match error {
        Error::Ruleset { diagnostics, .. } => diagnostics.first().map_or_else(String::new, |one| one.message.clone()),
        other => other.to_string(),
    }
}

/// A change, and what is known of its effect.
struct Tried<'a> {
    /// Of what it is a change, by its index.
    subject: usize,
    way: &'a Way,
    variant: Variant,
    sums: Vec<Pairs>,
    /// What the first fights with it have said.
    first: Vec<Sample>,
    pairs: u64,
    /// It has changed a fight.
    is_seen: bool,
    difference: Difference,
}

impl Tried<'_> {
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

    /// Whether more fights than the first so many would show nothing that matters beside the greatest effect.
    fn is_settled(&self, first: u64, greatest: f64) -> bool {
        let (low, high) = self.ends();
        let size = self.difference.difference.map_or(0.0, f64::abs);
        let is_known = self.difference.is_certain() && (high - low) / 2.0 <= KNOWN * size;
        let is_nowhere = self.pairs_that_differ() == 0.0 && self.pairs > first;
        !self.is_seen || is_known || is_nowhere || self.at_most() <= SMALL * greatest
    }

    fn effect(&self) -> ChangeEffect {
        let Way { direction, tried, .. } = self.way;
        ChangeEffect {
            direction: *direction,
            tried: tried.clone(),
            fights: self.pairs,
            difference: self.difference.clone(),
        }
    }

    /// The effect among changes of other numbers.
    fn together(&self, before: &Figure, found: Option<Found>) -> ChangeEffect {
        let interval = found.map(|found| found.interval);
        let value = interval.map(|one| one.value);
        // No share changes by more than the whole.
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
