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

/// The number of fights counted together before their sums are joined. It is fixed, so that the order of all additions,
/// and with it the last bit of every sum, does not depend on the threads.
pub(super) const BATCH: u64 = 256;
/// Batches between two joins, to bound the memory whatever the number of trials.
const ROUND: u64 = 128;

/// The number of fights, their seed, and the threads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TrialsPlan {
    /// The number of fights.
    pub trials: u64,
    /// The seed of the study; trial `i` runs with [`seed_of_trial`]`(seed, i)`.
    pub seed: u64,
    /// The number of threads; `None` for one on each core.
    pub threads: Option<usize>,
    /// Stops the study early, with the results so far.
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

/// The figures of the trials of an encounter.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Trials {
    /// The encounter.
    pub encounter: String,
    /// The number of fights.
    pub trials: u64,
    /// The seed of the study.
    pub seed: u64,
    /// The sides in the order of the encounter.
    pub sides: Vec<SideFigures>,
    /// The share of fights that nobody won.
    pub draws: Proportion,
    /// Of these: the last combatants were defeated in the same moment.
    pub all_defeated: Proportion,
    /// Of these: the time limit was reached.
    pub time_limit: Proportion,
    /// Of these: nothing more could happen.
    pub stalemate: Proportion,
    /// Several sides won in the same moment.
    pub drawn: Proportion,
    /// Mean duration in seconds.
    pub duration: Estimate,
    /// Quantiles of the duration in seconds.
    pub duration_quantiles: Vec<Quantile>,
    /// The distribution of the duration.
    pub duration_bins: Vec<Bin>,
    /// Every combatant.
    pub combatants: Vec<CombatantFigures>,
}

/// The maximum number of durations drawn individually.
const FEW_DURATIONS: usize = 16;

/// A range of durations, or a single one.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Bin {
    /// Seconds, inclusive.
    pub from: f64,
    /// Seconds, exclusive; equal to `from` for a single duration.
    pub to: f64,
    /// Fights with such a duration.
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
    /// Of these: it held out until the time limit.
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
    /// The share of fights at the end of which it is defeated.
    pub defeated: Proportion,
    /// Damage dealt to pools, per second of a fight.
    pub damage_per_second: Estimate,
    /// Healing done, per second of a fight.
    pub healing_per_second: Estimate,
    /// The share of its standing time in which it was free to act and could use nothing.
    pub idle: f64,
    /// Every ability.
    pub abilities: Vec<AbilityFigures>,
    /// The effects of its statuses on any combatant: those that ticked, hurt or healed.
    pub by_status: Vec<StatusSourceFigures>,
    /// The statuses that it had.
    pub statuses: Vec<StatusFigures>,
}

/// The effects of a status applied by a combatant, per fight.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StatusSourceFigures {
    /// The status.
    pub status: String,
    /// The number of ticks.
    pub ticks: f64,
    /// Damage dealt.
    pub damage: f64,
    /// Its share of the total damage of the combatant.
    pub damage_share: f64,
    /// Damage in excess of what was left.
    pub overkill: f64,
    /// Healing done.
    pub healing: f64,
    /// Healing in excess of the cap.
    pub overheal: f64,
}

/// A status on a combatant.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct StatusFigures {
    /// Its name.
    pub status: String,
    /// Successful applications per fight.
    pub applied: f64,
    /// The share of the time of all fights with at least one stack.
    pub uptime: f64,
    /// The mean number of stacks while there is one.
    pub mean_stacks: f64,
    /// Failed applications per fight, by reason; reasons that never occurred are left out.
    pub prevented: Vec<(String, f64)>,
}

/// The figures of an ability of a combatant, per fight except for shares.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct AbilityFigures {
    /// Its name.
    pub ability: String,
    /// The number of uses.
    pub uses: f64,
    /// The number of its hits.
    pub hits: f64,
    /// The share of these hits that a step stopped.
    pub stopped: f64,
    /// Damage dealt.
    pub damage: f64,
    /// Its share of the total damage of the combatant.
    pub damage_share: f64,
    /// Damage in excess of what was left.
    pub overkill: f64,
    /// Healing done.
    pub healing: f64,
    /// Healing in excess of the cap.
    pub overheal: f64,
    /// The share of its owner's free time in which it was unavailable, by reason; reasons that never occurred are left
    /// out.
    pub unavailable: Vec<(String, f64)>,
}

/// Runs the trials on the number of threads in the plan. `progress` is called with the number of fights done so far,
/// from any thread.
///
/// # Errors
/// [`Error::Fight`] for the first trial (by number) that failed; [`Error::Stopped`].
pub fn run_trials(setup: &Arc<Setup>, plan: &TrialsPlan, progress: &(dyn Fn(u64) + Sync)) -> Result<Trials, Error> {
    let forest = count_batches(setup, plan, 0..plan.trials.div_ceil(BATCH), progress)?;
    let total = forest.total(setup);
    if total.fights == 0 { Err(Error::Stopped) } else { Ok(figures(setup, plan, &total)) }
}

/// Counts some of the batches, on the number of threads in the plan.
pub(super) fn count_batches(
    setup: &Arc<Setup>,
    plan: &TrialsPlan,
    batches: Range<u64>,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Forest, Error> {
    let pool = rayon::ThreadPoolBuilder::new().num_threads(plan.threads.unwrap_or(0)).build();
    match pool {
        Ok(pool) => pool.install(|| all_batches(setup, plan, batches, progress)),
        // If no thread can be started, this one does everything.
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
    // Determined once for all threads.
    for round in batches.clone().step_by(ROUND as usize) {
        // A batch that was not started leaves a gap, and nothing after it counts.
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

/// A batch of long fights takes seconds: after a stop, it ends with the finished fights.
fn one_batch(fight: &mut Fight, plan: &TrialsPlan, trials: Range<u64>) -> Result<Tally, Error> {
    let mut tally = Tally::new(fight.setup());
    for trial in trials.take_while(|_| !plan.is_stopped()) {
        let seed = seed_of_trial(plan.seed, trial);
        fight.restart(seed);
        let ending = fight.run(&mut tally).map_err(|error| error.of_trial(fight.setup(), seed))?;
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

/// A bin for each duration if there are few of them; otherwise at most forty ranges of 1, 2 or 5 times a power of ten
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
    // Abilities granted only by a status or a piece are listed if they had an effect.
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

/// The effects of a status applied by a combatant, if it had any.
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

/// A status on a combatant, if it was ever applied or prevented. Statuses of gear are omitted.
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
