//! Many fights of one encounter, counted together.

use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;
use serde::Serialize;

use super::idle::Idle;
use super::parts::Forest;
use super::statistics::{Estimate, Proportion, Quantile, quantile, share_of};
use super::stop::Stop;
use super::tally::{Sum, Tally};
use crate::error::Error;
use crate::fight::{Fight, Prevention, Sampler, Source, UnavailableReason, seed_of_trial};
use crate::program::{AbilityId, CombatantId, Setup, SideId, StatusId};

/// Fights that are counted together before their sums are joined. The size is fixed, so that the
/// order of all additions, and with it the last bit of every sum, does not depend on the threads.
pub(super) const BATCH: u64 = 256;
/// Batches between two joins: bounds the memory however many trials there are.
const ROUND: u64 = 128;

/// How many fights, and from which seed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TrialsPlan {
    /// How many fights.
    pub trials: u64,
    /// The seed of the study; trial `i` runs with [`seed_of_trial`]`(seed, i)`.
    pub seed: u64,
    /// Threads; `None` for one on each core.
    pub threads: Option<usize>,
    /// Ends the study early, with what is known by then.
    pub stop: Option<Stop>,
}

impl TrialsPlan {
    pub(super) fn is_stopped(&self) -> bool {
        self.stop.is_some_and(Stop::is_raised)
    }
}

impl Default for TrialsPlan {
    fn default() -> Self {
        Self { trials: 10_000, seed: 1, threads: None, stop: None }
    }
}

/// What the trials of an encounter add up to.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Trials {
    /// The encounter.
    pub encounter: String,
    /// How many fights.
    pub trials: u64,
    /// The seed of the study.
    pub seed: u64,
    /// The sides in the order of the encounter.
    pub sides: Vec<SideFigures>,
    /// Fights that nobody won.
    pub draws: Proportion,
    /// Of these: the last were defeated at the same moment.
    pub all_defeated: Proportion,
    /// Of these: the time limit came first.
    pub time_limit: Proportion,
    /// Of these: nothing could ever happen again.
    pub stalemate: Proportion,
    /// Several sides won at the same moment.
    pub drawn: Proportion,
    /// Mean duration in seconds.
    pub duration: Estimate,
    /// Quantiles of the duration in seconds.
    pub duration_quantiles: Vec<Quantile>,
    /// How many fights lasted how long.
    pub duration_bins: Vec<Bin>,
    /// Every combatant.
    pub combatants: Vec<CombatantFigures>,
}

/// Durations that are drawn one by one.
const FEW_DURATIONS: usize = 16;

/// A stretch of durations, or a single one.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Bin {
    /// Seconds, included.
    pub from: f64,
    /// Seconds, not included; the same as `from` for a single duration.
    pub to: f64,
    /// Fights that lasted so long.
    pub count: u64,
}

/// The figures of a side.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct SideFigures {
    /// Its name.
    pub side: String,
    /// Share of fights won.
    pub win_rate: Proportion,
    /// Of these: it held out until the time was up.
    pub held_out: Proportion,
}

/// The figures of a combatant.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct CombatantFigures {
    /// Its label.
    pub combatant: String,
    /// Its side.
    pub side: String,
    /// Share of fights at the end of which it is defeated.
    pub defeated: Proportion,
    /// Damage dealt to pools, per second of a fight.
    pub damage_per_second: Estimate,
    /// Healing done, per second of a fight.
    pub healing_per_second: Estimate,
    /// Share of its time on its feet in which it was free to act and could use nothing.
    pub idle: f64,
    /// Every ability.
    pub abilities: Vec<AbilityFigures>,
    /// What its statuses did, on whomever they were: those that ticked, hurt or healed.
    pub by_status: Vec<StatusSourceFigures>,
    /// Statuses that it had.
    pub statuses: Vec<StatusFigures>,
}

/// What the statuses did that a combatant is answerable for; everything per fight.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StatusSourceFigures {
    /// The status.
    pub status: String,
    /// How often it ticked.
    pub ticks: f64,
    /// Damage dealt.
    pub damage: f64,
    /// Its share of all damage of the combatant.
    pub damage_share: f64,
    /// Damage that found nothing left to take.
    pub overkill: f64,
    /// Healing done.
    pub healing: f64,
    /// Healing that found no room.
    pub overheal: f64,
}

/// A status on a combatant.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StatusFigures {
    /// Its name.
    pub status: String,
    /// Applications per fight that came to something.
    pub applied: f64,
    /// Share of the time of all fights with at least one stack.
    pub uptime: f64,
    /// Mean stacks while there is one.
    pub mean_stacks: f64,
    /// Applications per fight that came to nothing, by reason; reasons that never came up are left out.
    pub prevented: Vec<(String, f64)>,
}

/// The figures of an ability of a combatant; everything per fight but for shares.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AbilityFigures {
    /// Its name.
    pub ability: String,
    /// How often it was started.
    pub uses: f64,
    /// Hits that it sent out.
    pub hits: f64,
    /// Share of these hits that a step stopped.
    pub stopped: f64,
    /// Damage dealt.
    pub damage: f64,
    /// Its share of all damage of the combatant.
    pub damage_share: f64,
    /// Damage that found nothing left to take.
    pub overkill: f64,
    /// Healing done.
    pub healing: f64,
    /// Healing that found no room.
    pub overheal: f64,
    /// Share of its owner's time free to act in which it was unavailable, by reason; reasons that never came up are
    /// left out.
    pub unavailable: Vec<(String, f64)>,
}

/// Runs the trials on as many threads as the plan says. `progress` is called with the number of
/// fights done so far, from any thread.
///
/// # Errors
/// [`Error::Fight`] for the first trial (by number) that could not go on; [`Error::Stopped`].
pub fn run_trials(setup: &Arc<Setup>, plan: &TrialsPlan, progress: &(dyn Fn(u64) + Sync)) -> Result<Trials, Error> {
    let forest = count_batches(setup, plan, 0..plan.trials.div_ceil(BATCH), progress)?;
    let total = forest.total(setup);
    if total.fights == 0 { Err(Error::Stopped) } else { Ok(figures(setup, plan, &total)) }
}

/// Counts some of the batches, on as many threads as the plan says.
pub(super) fn count_batches(
    setup: &Arc<Setup>,
    plan: &TrialsPlan,
    batches: Range<u64>,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Forest, Error> {
    let pool = rayon::ThreadPoolBuilder::new().num_threads(plan.threads.unwrap_or(0)).build();
    match pool {
        Ok(pool) => pool.install(|| all_batches(setup, plan, batches, progress)),
        // No thread could be started: this one can do it all.
        Err(_) => all_batches(setup, plan, batches, progress),
    }
}

fn all_batches(
    setup: &Arc<Setup>,
    plan: &TrialsPlan,
    batches: Range<u64>,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Forest, Error> {
    let done = AtomicU64::new(0);
    let mut all = Forest::default();
    let (first, fights) = (Fight::with_chance(Arc::clone(setup), Sampler::default(), 0), Idle::default());
    // Found out once for all threads.
    for round in batches.clone().step_by(ROUND as usize) {
        // A batch that is not begun any more leaves a gap, and nothing after it counts.
        let tallies: Vec<Option<Result<(bool, Tally), Error>>> = (round..batches.end.min(round + ROUND))
            .into_par_iter()
            .map(|batch| {
                if plan.is_stopped() {
                    return None;
                }
                let trials = batch * BATCH..plan.trials.min((batch + 1) * BATCH);
                let count = trials.end - trials.start;
                let tally = fights.lend(|| first.clone(), |fight| one_batch(fight, plan, trials));
                progress(done.fetch_add(count, Ordering::Relaxed) + count);
                Some(tally.map(|tally| (tally.fights == count, tally)))
            })
            .collect();
        for (batch, tally) in (round..).zip(tallies) {
            let Some(tally) = tally else { return Ok(all) };
            let (is_whole, tally) = tally?;
            if tally.fights > 0 {
                all.push_batch(batch, tally);
            }
            if !is_whole {
                return Ok(all);
            }
        }
    }
    Ok(all)
}

/// A batch of long fights takes seconds: one that is stopped ends with the fights that are over.
fn one_batch(fight: &mut Fight, plan: &TrialsPlan, trials: Range<u64>) -> Result<Tally, Error> {
    let mut tally = Tally::new(fight.setup());
    for trial in trials.take_while(|_| !plan.is_stopped()) {
        fight.restart(seed_of_trial(plan.seed, trial));
        let ending = fight.run(&mut tally).map_err(Error::from)?;
        tally.close(ending, fight.now());
    }
    Ok(tally)
}

pub(super) fn figures(setup: &Setup, plan: &TrialsPlan, tally: &Tally) -> Trials {
    let share = |count| share_of(count, tally.fights);
    let quantiles = [0.05, 0.25, 0.5, 0.75, 0.95];
    let at_limit = setup.script.at_limit.map(SideId::index);
    let side = |(index, (name, wins)): (usize, (&String, &u64))| SideFigures {
        side: name.clone(),
        win_rate: share(*wins),
        held_out: share(if at_limit == Some(index) { tally.held_out } else { 0 }),
    };
    Trials {
        encounter: setup.name.clone(),
        trials: tally.fights,
        seed: plan.seed,
        sides: setup.sides.iter().zip(&tally.wins).enumerate().map(side).collect(),
        draws: share(tally.all_fell + tally.time_limit + tally.stalemate + tally.drawn),
        all_defeated: share(tally.all_fell),
        time_limit: share(tally.time_limit),
        stalemate: share(tally.stalemate),
        drawn: share(tally.drawn),
        duration: tally.duration.estimate(),
        duration_quantiles: quantiles
            .map(|at| quantile(&tally.durations, tally.fights, at, Tally::GRAIN_SECONDS))
            .to_vec(),
        duration_bins: bins(&tally.durations),
        combatants: (0..setup.combatants.len()).map(|index| combatant(setup, tally, index)).collect(),
    }
}

/// A bin for each duration where there are few of them; else at most forty stretches of 1, 2 or 5 times a power of ten
/// milliseconds.
fn bins(durations: &BTreeMap<u64, u64>) -> Vec<Bin> {
    let (Some((first, _)), Some((last, _))) = (durations.first_key_value(), durations.last_key_value()) else {
        return Vec::new();
    };
    if durations.len() <= FEW_DURATIONS {
        let value = |(at, count): (&u64, &u64)| {
            let at = *at as f64 * Tally::GRAIN_SECONDS;
            Bin { from: at, to: at, count: *count }
        };
        return durations.iter().map(value).collect();
    }
    let widths = (0..12).flat_map(|power| [1, 2, 5].map(|digit| digit * 10u64.pow(power)));
    let width = widths.into_iter().find(|width| last / width - first / width < 40).unwrap_or(u64::MAX);
    let bin = |index: u64| {
        let counts = durations.range(index * width..(index + 1) * width);
        let seconds = |index: u64| (index * width) as f64 * Tally::GRAIN_SECONDS;
        Bin { from: seconds(index), to: seconds(index + 1), count: counts.map(|(_, count)| count).sum() }
    };
    (first / width..=last / width).map(bin).collect()
}

fn combatant(setup: &Setup, tally: &Tally, index: usize) -> CombatantFigures {
    let plan = &setup.combatants[index];
    let program = setup.program();
    let abilities = &program.characters()[plan.character.index()].abilities;
    let who = CombatantId(index as u16);
    let statuses = || (0..program.statuses().len() as u16).map(StatusId);
    let sources = abilities.iter().map(|id| Source::Ability(*id)).chain(statuses().map(Source::Status));
    let damage: f64 = sources.map(|source| tally.row(who, source)[Sum::Damage as usize]).sum();
    // What only a status or a piece brings is listed where it came to something.
    let own = abilities.len() - program.characters()[plan.character.index()].brought;
    let figures = abilities.iter().enumerate().filter_map(|(place, ability)| {
        let figures = ability_figures(setup, tally, who, *ability, damage);
        (place < own || figures.uses > 0.0 || !figures.unavailable.is_empty()).then_some(figures)
    });
    CombatantFigures {
        combatant: plan.label.clone(),
        side: setup.sides[plan.side.index()].clone(),
        defeated: share_of(tally.defeated[index], tally.fights),
        damage_per_second: tally.damage_rate[index].estimate(),
        healing_per_second: tally.healing_rate[index].estimate(),
        idle: share(tally.free(who), tally.alive(who)),
        abilities: figures.collect(),
        by_status: statuses().filter_map(|status| status_source(setup, tally, who, status, damage)).collect(),
        statuses: statuses().filter_map(|status| status_figures(setup, tally, who, status)).collect(),
    }
}

fn share(part: f64, whole: f64) -> f64 {
    if whole == 0.0 { 0.0 } else { part / whole }
}

fn ability_figures(
    setup: &Setup,
    tally: &Tally,
    who: CombatantId,
    ability: AbilityId,
    all_damage: f64,
) -> AbilityFigures {
    let sums = tally.row(who, Source::Ability(ability));
    let fights = tally.fights.max(1) as f64;
    let each = |sum: Sum| sums[sum as usize] / fights;
    let (free, seconds) = tally.unavailable(who, ability);
    let unavailable = UnavailableReason::NAMES.iter().zip(seconds).filter(|(_, seconds)| *seconds > 0.0);
    AbilityFigures {
        ability: setup.program().ability(ability).name.clone(),
        uses: each(Sum::Uses),
        hits: each(Sum::Hits),
        stopped: share(sums[Sum::Stopped as usize], sums[Sum::Hits as usize]),
        damage: each(Sum::Damage),
        damage_share: share(sums[Sum::Damage as usize], all_damage),
        overkill: each(Sum::Overkill),
        healing: each(Sum::Healing),
        overheal: each(Sum::Overheal),
        unavailable: unavailable.map(|(name, seconds)| ((*name).to_owned(), share(seconds, free))).collect(),
    }
}

/// What a status did in the name of a combatant, if it did anything.
fn status_source(
    setup: &Setup,
    tally: &Tally,
    who: CombatantId,
    status: StatusId,
    all_damage: f64,
) -> Option<StatusSourceFigures> {
    let sums = tally.row(who, Source::Status(status));
    let each = |sum: Sum| sums[sum as usize] / tally.fights.max(1) as f64;
    sums.iter().any(|sum| *sum != 0.0).then(|| StatusSourceFigures {
        status: setup.program().status(status).name.clone(),
        ticks: each(Sum::Uses),
        damage: each(Sum::Damage),
        damage_share: share(sums[Sum::Damage as usize], all_damage),
        overkill: each(Sum::Overkill),
        healing: each(Sum::Healing),
        overheal: each(Sum::Overheal),
    })
}

/// A status on a combatant, if it was ever applied or prevented. What gear does is no news.
fn status_figures(setup: &Setup, tally: &Tally, who: CombatantId, status: StatusId) -> Option<StatusFigures> {
    let sums = tally.held(who, status);
    let fights = tally.fights.max(1) as f64;
    let prevented = Prevention::NAMES.iter().zip(&sums.prevented).filter(|(_, count)| **count > 0);
    let prevented: Vec<(String, f64)> =
        prevented.map(|(name, count)| ((*name).to_owned(), *count as f64 / fights)).collect();
    let listed = !setup.program().status(status).worn && (sums.applied > 0 || !prevented.is_empty());
    listed.then(|| StatusFigures {
        status: setup.program().status(status).name.clone(),
        applied: sums.applied as f64 / fights,
        uptime: share(sums.uptime as f64 * 1e-6, tally.duration.sum()),
        mean_stacks: share(sums.stack_time as f64, sums.uptime as f64),
        prevented,
    })
}
