//! Ranks numbers by their effect when each is raised and lowered a little, and rules by their effect when each is
//! removed.

use std::sync::Arc;

use super::book::said;
use super::compare::{Pairs, pair_up};
use super::effect::{ChangeEffect, Direction, Effect, Sensitivity, sort};
use super::factorial::{Asked, CHANGED, Found};
use super::ledger::{Figure, Ledger};
use super::race::{Race, Tried, Way, spread};
use super::samples::{Crew, Samples};
use super::screening::{self, Screened};
use super::statistics::Confidence;
use super::trials::{TrialsPlan, run_trials};
use super::vary::scaled;
use crate::error::Error;
use crate::game::Game;
use crate::numbers::Extremes;
use crate::program::{Setup, StepPlan};
use crate::rules::{NumberAt, Statistic};
use crate::text::Override;

/// Pairs of fights in the first look at each number, in both directions together; numbers without any effect in it are
/// not examined further. With long fights there are fewer, down to a minimum.
const FIRST: u64 = 128;
const LEAST: u64 = 32;
/// The maximum number of steps in all fights of the first look at all numbers, which take about a second, and in those
/// of all further looks.
const OF_FIRST: f64 = 1e6;
const OF_FURTHER: f64 = 3e6;
/// The number of steps of fights that take as long as building a ruleset, for each value in its files.
const OF_A_VALUE: f64 = 4.5;
/// The share of unchanged fights if numbers are changed together.
const AS_IS: u64 = 10;
/// A condition that is never true.
const NEVER: &str = "0 > 1";
/// The growth of the number of fights from look to look.
const MORE: u64 = 3;
/// The fights of all looks except the first, as a multiple of the maximum for a single change: at most this many, and
/// fewer if fights are long and numbers are many; at least as many as the first look used.
const BUDGET: u64 = 3;
/// The share of the further fights for a screening, if there is one.
const SCREENING: (u64, u64) = (2, 5);

/// Raises and lowers every number on which the encounter can depend by a share such as 0.05, one at a time on the same
/// seeds, and ranks them by their effect on a measure. `progress` is called with the number of fights done and the
/// maximum number.
///
/// Changes are examined with increasing numbers of pairs of fights, those with the largest possible effects first,
/// until an effect is known well enough or certainly small compared with the largest one; the number of trials in the
/// plan is the maximum for one change. All intervals hold simultaneously for all changes and all looks (Bonferroni).
///
/// If pairs carry hardly more information than independent fights and there are many numbers, this would leave hardly
/// anything known of each. Two fifths of the further fights then change all numbers together, as in [`run_together`];
/// the others examine the few numbers with the largest apparent effects, each changed alone and on different seeds, and
/// finally the rest. Numbers that were not examined further are in [`Sensitivity::behind`].
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
    rank(game, encounter, measure, How::Alone(by), &numbers(game, encounter, by)?, plan, progress)
}

/// The same with many numbers changed at once: in many rulesets every number is randomly raised in a tenth of the cases
/// and lowered in another tenth, and the effects are separated by least squares. Every fight thus contributes to every
/// number, and with about as many fights in total as the plan says, more is known in encounters in which any small
/// change leads to a completely different fight.
///
/// The effect is that of a change averaged over the changes of the others. It can differ from the effect of the change
/// alone: if the timing of abilities happens to be aligned in the unchanged ruleset, a single change can have twice the
/// effect.
///
/// In a first look each number is changed alone; numbers without any effect in it are not tried further. Quantiles and
/// rules without chance are handled as by [`run_sensitivity`] ([`Sensitivity::together`] states which way was used).
///
/// # Errors
/// As [`super::run_measures`].
pub fn run_together(
    game: &Game,
    encounter: &str,
    measure: &str,
    by: f64,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    rank(game, encounter, measure, How::Together(by), &numbers(game, encounter, by)?, plan, progress)
}

/// Every number of an encounter, with its raised and lowered values.
fn numbers(game: &Game, encounter: &str, by: f64) -> Result<Vec<Subject>, Error> {
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
    Ok(game.numbers_of(encounter)?.into_iter().map(both).collect())
}

/// Removes every ability, status, hit step and heal step that occurs in the encounter, one at a time on the same seeds,
/// and ranks them by their effect on a measure: the contribution of each to a side's wins. `progress` as for
/// [`run_sensitivity`].
///
/// An ability is never unlocked, a status ends as soon as it begins, and a step is skipped. What a status does in the
/// moment in which it begins remains: a first tick at the start, and reactions to its application. Two rules that can
/// replace each other each show a small effect.
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
    rank(game, encounter, measure, How::Without, &subjects, plan, progress)
}

/// What is changed, and in which ways.
struct Subject {
    path: String,
    now: String,
    ways: Vec<Way>,
}

/// The way in which changes are made.
#[derive(Clone, Copy)]
enum How {
    /// One number at a time, by this share.
    Alone(f64),
    /// Many numbers at once.
    Together(f64),
    /// Abilities, statuses and steps are removed, one at a time.
    Without,
}

fn rank(
    game: &Game,
    encounter: &str,
    measure: &str,
    how: How,
    subjects: &[Subject],
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Sensitivity, Error> {
    // Durations show whether a number changes fights at all.
    let measures = [measure, "duration"];
    let base = game.measured(encounter, &measures)?;
    let crew = Crew::new(plan, &|_| {});
    let ways = subjects.iter().map(|subject| subject.ways.len()).max().unwrap_or(1) as u64;
    let by = match how {
        How::Alone(by) | How::Together(by) => Some(by),
        How::Without => None,
    };
    let least = if by.is_some() { LEAST / ways } else { FIRST / ways };
    let mut before = crew.samples(&base, 0..least.min(plan.trials))?;
    if crew.is_stopped() {
        return Err(Error::Stopped);
    }
    let changes = subjects.iter().map(|subject| subject.ways.len()).sum::<usize>();
    let fights = |things: f64| (things / crew.work()) as u64;
    let (budget, first) = match how {
        How::Alone(_) => {
            let budget = fights(OF_FURTHER) / plan.trials.max(1);
            (budget.clamp(1, BUDGET), fights(OF_FIRST) / (changes as u64).max(1))
        }
        How::Together(_) => (1, least),
        How::Without => (BUDGET, least),
    };
    let first = first.clamp(least, FIRST / ways);
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
    // One more for the figure without changes, which limits the effects.
    let sure = Confidence::default().shared_by(changes * looks.len() + 1);
    let all_first = first.saturating_mul(changes as u64 + 1);
    let further = plan.trials.saturating_mul(budget).max(all_first);
    let most = all_first.saturating_add(further);
    // A first look is too short to be shared by threads: each thread takes a change.
    let ways: Vec<(usize, &Way)> =
        subjects.iter().enumerate().flat_map(|(index, one)| one.ways.iter().map(move |way| (index, way))).collect();
    let mut looked = crew
        .each(&ways, |_, way| {
            progress(crew.done(), most);
            first_look(&crew, game, encounter, &measures, *way, &before, sure)
        })
        .into_iter();
    let (mut tried, mut left_out) = (Vec::new(), Vec::new());
    for subject in subjects {
        let mut reasons = Vec::new();
        for look in looked.by_ref().take(subject.ways.len()) {
            match look {
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
        behind: Vec::new(),
        behind_at_most: None,
        screening_fights: 0,
        left_out,
    };
    let is_mean = !matches!(base.measures()[0].statistic, Statistic::Quantile(_));
    let cost = game.value_count() as f64 * OF_A_VALUE / crew.work();
    let changes: Vec<(usize, Override)> = tried
        .iter()
        .filter(|one| one.is_seen)
        .filter_map(|one| Some((one.subject, one.way.change.as_ref().ok()?.clone())))
        .collect();
    let can_be_mixed = is_mean && !is_all && !base.is_certain() && !crew.is_stopped();
    if matches!(how, How::Together(_)) && can_be_mixed {
        let (from, as_is) = (known.trials(), plan.trials / AS_IS);
        let fights = plan.trials.saturating_sub(crew.done() + as_is).max(plan.trials / 2);
        let most = crew.done() + as_is + fights;
        for samples in crew.samples(&base, from..from + as_is)?.into_iter().take(1) {
            samples.into_iter().for_each(|sample| known.add(sample));
        }
        let (from, sure) = (from + as_is, Confidence::default().shared_by(changes.len()));
        let asked = Asked { crew: &crew, game, encounter, base: &base, plan, cost, from, fights, most, sure };
        let found = asked.play(&changes, progress)?;
        let before = known.figure(&base.measures()[0], Confidence::default(), false);
        let effects = effects_together(subjects, &tried, &before, &found);
        return Ok(Sensitivity { fights: crew.done(), together: Some(CHANGED), before, effects, ..first_look });
    }
    let mut budget = further;
    let spreads = tried.iter().filter(|one| one.is_seen).map(|one| one.spread);
    let all_spreads = spreads.sum::<f64>() / spread(before[0].iter().filter_map(said));
    let of_before = sure;
    let (mut sure, mut of_picked, mut screened) = (sure, sure, None);
    if matches!(how, How::Alone(_)) && can_be_mixed && screening::pays(all_spreads) {
        let by_itself: Vec<f64> = tried.iter().filter(|one| one.is_seen).map(Tried::likely).collect();
        let (from, done) = (screening::SEEDS, crew.done());
        let fights = further / SCREENING.1 * SCREENING.0;
        // Half of the error probability is for those that are picked, a quarter for all others, and a quarter for the
        // statement about those that are not examined further.
        let of_all = Confidence::default().shared_by(4 * changes.len());
        let asked = Asked { crew: &crew, game, encounter, base: &base, plan, cost, from, fights, most, sure: of_all };
        let found = asked.play(&changes, progress)?;
        let fights = crew.done() - done;
        budget = further.saturating_sub(fights).max(further / 4);
        let one = Screened::of(&changes, &by_itself, found, budget, fights);
        let picked = changes.iter().filter(|(subject, _)| one.is_picked(*subject)).count();
        of_picked = Confidence::default().shared_by(2 * picked.max(1) * looks.len());
        sure = Confidence::default().shared_by(4 * tried.len() * looks.len());
        tried.iter_mut().for_each(|one| one.judge(sure));
        screened = Some(one);
    }
    let race = Race { crew: &crew, base: &base, looks: &looks, screened: screened.as_ref(), sure, of_picked, most };
    race.run(&mut tried, &mut known, budget, progress)?;
    let before = known.figure(&base.measures()[0], of_before, base.is_certain());
    let effect = |one: &Tried<'_>| if screened.is_some() { one.effect() } else { one.effect_within(&before) };
    let (mut effects, mut elsewhere) = (Vec::new(), Vec::new());
    let mut elsewhere_fights = u64::MAX;
    let (mut behind, mut behind_at_most) = (Vec::new(), 0.0_f64);
    for (index, subject) in subjects.iter().enumerate() {
        let of_it: Vec<&Tried<'_>> = tried.iter().filter(|one| one.subject == index).collect();
        let mut seen = of_it.iter().filter(|one| one.is_seen).peekable();
        let is_behind = |one: &&Tried<'_>| one.pairs == first && !one.difference.is_certain();
        if screened.is_some() && seen.peek().is_some() && seen.all(is_behind) {
            behind.push(subject.path.clone());
            let at_most = screened.as_ref().map_or(f64::INFINITY, |some| some.at_most(index));
            behind_at_most = behind_at_most.larger(at_most);
        } else if of_it.iter().any(|one| one.pairs_that_differ() > 0.0) {
            let changes = of_it.into_iter().map(effect).collect();
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
        behind,
        behind_at_most: Some(behind_at_most).filter(|most| most.is_finite() && *most > 0.0),
        screening_fights: screened.map_or(0, |screened| screened.fights),
        ..first_look
    })
}

/// Numbers that changed no fight in the first look, in any direction that could be tried.
fn unseen(subjects: &[Subject], tried: &[Tried<'_>]) -> Vec<String> {
    let is_unseen = |index: usize| {
        let mut of_it = tried.iter().filter(|one| one.subject == index).peekable();
        of_it.peek().is_some() && of_it.all(|one| !one.is_seen)
    };
    let all = subjects.iter().enumerate();
    all.filter(|(index, _)| is_unseen(*index)).map(|(_, subject)| subject.path.clone()).collect()
}

/// The effects of changes among others, each with its unchanged figure.
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

/// The first fights with one change, or the reason why it cannot be tried.
fn first_look<'a>(
    crew: &Crew<'_>,
    game: &Game,
    encounter: &str,
    measures: &[&str],
    (subject, way): (usize, &'a Way),
    before: &Samples,
    sure: Confidence,
) -> Result<Tried<'a>, String> {
    // Half of the trials could make it appear to have no effect.
    let not_any_more = || Err("was not tried any more".to_owned());
    if crew.is_stopped() {
        return not_any_more();
    }
    // A name that looks like a formula, or a count that must be whole: not a number that can be changed.
    let variant = game.variant(std::slice::from_ref(way.change.as_ref()?)).map_err(|error| reason(&error))?;
    let variant = variant.measured(encounter, measures).map_err(|error| reason(&error))?;
    let samples = crew.samples(&variant, 0..before[0].len() as u64).map_err(|error| reason(&error))?;
    if samples[0].len() < before[0].len() {
        return not_any_more();
    }
    let mut sums = vec![Pairs::new(&variant.measures()[0])];
    pair_up(&mut sums, before, &samples);
    let difference = sums[0].difference(&variant.measures()[0], sure);
    let (pairs, is_seen) = (before[0].len() as u64, samples != *before);
    let apart = before[0].iter().zip(&samples[0]).filter_map(|(before, after)| Some(said(after)? - said(before)?));
    let spread = spread(apart);
    Ok(Tried { subject, way, variant, sums, pairs, is_seen, spread, difference })
}

fn reason(error: &Error) -> String {
    match error {
        Error::Ruleset { diagnostics, .. } => diagnostics.first().map_or_else(String::new, |one| one.message.clone()),
        other => other.to_string(),
    }
}
