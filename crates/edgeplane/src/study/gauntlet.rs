//! Gauntlets: encounters fought in a row by the same combatants.

use std::ops::Range;
use std::sync::Arc;

use rayon::prelude::*;
use serde::Serialize;

use super::idle::Idle;
use super::moments::Values;
use super::statistics::{Estimate, Proportion, share_of};
use super::trials::{BATCH, TrialsPlan};
use crate::error::Error;
use crate::fight::{Carried, Fight, Silent, Uses, seed_of_trial};
use crate::game::Game;
use crate::program::{CombatantId, GauntletPlan, Setup, SideId};

/// Batches between two joins, to bound the memory whatever the number of trials.
const ROUND: u64 = 64;

/// The figures of many runs of a gauntlet.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Gauntlet {
    /// Its name.
    pub gauntlet: String,
    /// The side that continues.
    pub side: String,
    /// The number of runs.
    pub trials: u64,
    /// The seed of the study; run `i` uses [`seed_of_trial`]`(seed, i)`, and its fights are seeded from that in the
    /// same way.
    pub seed: u64,
    /// The share of runs in which every encounter was won.
    pub cleared: Proportion,
    /// Pools that keep their amounts.
    pub keeps: Vec<String>,
    /// The encounters in order.
    pub stages: Vec<Stage>,
}

/// One encounter of a gauntlet.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Stage {
    /// The encounter.
    pub encounter: String,
    /// Runs that reached it.
    pub reached: Proportion,
    /// Of these: won.
    pub won: Proportion,
    /// Its duration in seconds.
    pub duration: Estimate,
    /// Of those won: each member that continues or was defeated.
    pub members: Vec<Member>,
    /// Of those won: the mean level of all members at the end.
    pub level: Estimate,
}

/// A member of the side at the end of an encounter that was won.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Member {
    /// Its label.
    pub member: String,
    /// The share in which it stood.
    pub stood: Proportion,
    /// The remaining share of each pool that is kept; `None` for a defeated member, and no figure for a pool that it
    /// does not have.
    pub left: Vec<Option<Estimate>>,
    /// Its level.
    pub level: Estimate,
    /// The experience that it gained in this encounter.
    pub experience: Estimate,
}

#[derive(Clone, Debug, Default)]
struct MemberSums {
    stood: u64,
    left: Vec<Values>,
    level: Values,
    experience: Values,
}

#[derive(Clone, Debug, Default)]
struct StageSums {
    reached: u64,
    won: u64,
    duration: Values,
    level: Values,
    members: Vec<MemberSums>,
}

impl StageSums {
    fn join(&mut self, other: &Self) {
        self.reached += other.reached;
        self.won += other.won;
        self.duration.join(&other.duration);
        self.level.join(&other.level);
        for (mine, other) in self.members.iter_mut().zip(&other.members) {
            mine.stood += other.stood;
            mine.level.join(&other.level);
            mine.experience.join(&other.experience);
            mine.left.iter_mut().zip(&other.left).for_each(|(mine, other)| mine.join(other));
        }
    }
}

/// Everything that is equal in all runs.
struct Course<'a> {
    plan: &'a GauntletPlan,
    setups: Vec<Arc<Setup>>,
    /// The members in each encounter.
    crews: Vec<Vec<CombatantId>>,
}

/// Buffers for one run after the other.
struct Runner {
    fights: Vec<Fight>,
    carried: Vec<Carried>,
}

impl Course<'_> {
    fn runner(&self) -> Runner {
        let fights = self.setups.iter().map(|setup| Fight::with_chance(Arc::clone(setup), Default::default(), 0));
        let members = self.crews.first().map_or(0, Vec::len);
        Runner { fights: fights.collect(), carried: vec![Carried::default(); members] }
    }

    fn no_sums(&self) -> Vec<StageSums> {
        let member = || MemberSums { left: vec![Values::default(); self.plan.keeps.len()], ..MemberSums::default() };
        let stage = |crew: &Vec<CombatantId>| StageSums {
            members: crew.iter().map(|_| member()).collect(),
            ..StageSums::default()
        };
        self.crews.iter().map(stage).collect()
    }

    /// The number of runs and their sums; if stopped, only finished runs are included.
    fn batch(
        &self,
        runner: &mut Runner,
        plan: &TrialsPlan,
        trials: Range<u64>,
    ) -> Result<(u64, Vec<StageSums>), Error> {
        let (mut runs, mut sums) = (0, self.no_sums());
        for trial in trials.take_while(|_| !plan.is_stopped()) {
            self.run(runner, seed_of_trial(plan.seed, trial), &mut sums)?;
            runs += 1;
        }
        Ok((runs, sums))
    }

    /// One run, until an encounter is not won.
    fn run(&self, runner: &mut Runner, seed: u64, sums: &mut [StageSums]) -> Result<(), Error> {
        for (stage, sum) in sums.iter_mut().enumerate().take(self.setups.len()) {
            let fight = &mut runner.fights[stage];
            fight.restart(seed_of_trial(seed, stage as u64));
            let of_fight = Error::from;
            if stage > 0 {
                self.bring(fight, stage, &runner.carried).map_err(of_fight)?;
            }
            let ending = fight.run(&mut Silent).map_err(of_fight)?;
            let won = ending.winner() == Some(self.plan.stages[stage].1);
            sum.reached += 1;
            sum.won += u64::from(won);
            sum.duration.add(fight.now().seconds());
            if !won {
                break;
            }
            self.settle(fight, stage, &mut runner.carried, sum)?;
        }
        Ok(())
    }

    fn bring(&self, fight: &mut Fight, stage: usize, carried: &[Carried]) -> Result<(), crate::fight::FightError> {
        let crew = &self.crews[stage];
        let mut brought = Vec::with_capacity(crew.len());
        for (who, carried) in crew.iter().zip(carried) {
            if carried.stood || self.plan.defeated_return {
                brought.push((*who, carried));
            } else {
                fight.keep_out(*who)?;
            }
        }
        fight.begin_with(&brought, &self.plan.rests, &mut Silent)
    }

    /// Records the state that everyone carries over, including levels.
    fn settle(
        &self,
        fight: &mut Fight,
        stage: usize,
        carried: &mut [Carried],
        sums: &mut StageSums,
    ) -> Result<(), Error> {
        let uses = if self.plan.keeps_uses { Uses::Kept } else { Uses::Renewed };
        let mut levels = 0.0;
        for (index, who) in self.crews[stage].iter().enumerate() {
            let stood = fight.stands(*who);
            let (level, toward, experience) = (carried[index].level, carried[index].toward, fight.experience(*who));
            let was_out = stage > 0 && !carried[index].stood && !self.plan.defeated_return;
            fight.carry_over(*who, &self.plan.keeps, uses, &mut carried[index]);
            if was_out {
                (carried[index].level, carried[index].toward) = (level, toward);
            }
            let reached = fight.level_after(*who, carried[index].level, carried[index].toward);
            let (level, rest) = reached.map_err(Error::from)?;
            (carried[index].level, carried[index].toward) = (level, rest);
            levels += level;
            let member = &mut sums.members[index];
            member.stood += u64::from(stood);
            member.level.add(level);
            member.experience.add(experience);
            for (left, pool) in member.left.iter_mut().zip(&self.plan.keeps) {
                let cap = fight.cap(*who, *pool);
                left.add(if stood && cap > 0.0 { fight.pool(*who, *pool) / cap } else { 0.0 });
            }
        }
        sums.level.add(levels / self.crews[stage].len().max(1) as f64);
        Ok(())
    }
}

/// Runs a gauntlet many times, on the number of threads in the plan; the result has the same bytes on any number of
/// them. `progress` is called with the number of runs done so far.
///
/// # Errors
/// [`Error::Unknown`] for an unknown gauntlet; [`Error::Fight`] for the first run that failed; [`Error::Stopped`].
pub fn run_gauntlet(
    game: &Game,
    name: &str,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Gauntlet, Error> {
    let gauntlet = game.gauntlet(name)?;
    let setups: Vec<Arc<Setup>> =
        gauntlet.stages.iter().map(|(encounter, _)| Arc::new(Setup::of(game.program(), *encounter))).collect();
    let crew = |(setup, (_, side)): (&Arc<Setup>, &(_, SideId))| -> Vec<CombatantId> {
        setup.ids().filter(|who| setup.combatants[who.index()].side == *side).collect()
    };
    let crews = setups.iter().zip(&gauntlet.stages).map(crew).collect();
    let course = Course { plan: gauntlet, setups, crews };
    let pool = rayon::ThreadPoolBuilder::new().num_threads(plan.threads.unwrap_or(0)).build();
    let (runs, sums) = match pool {
        Ok(pool) => pool.install(|| all_runs(&course, plan, progress))?,
        // If no thread can be started, this one does everything.
        Err(_) => all_runs(&course, plan, progress)?,
    };
    if runs == 0 {
        return Err(Error::Stopped);
    }
    Ok(figures(game, &course, &TrialsPlan { trials: runs, ..*plan }, &sums))
}

/// The number of runs and their sums.
fn all_runs(
    course: &Course<'_>,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<(u64, Vec<StageSums>), Error> {
    let (mut runs, mut total) = (0, course.no_sums());
    let batches = plan.trials.div_ceil(BATCH);
    let (done, runners) = (std::sync::atomic::AtomicU64::new(0), Idle::default());
    for round in (0..batches).step_by(ROUND as usize) {
        let one = |batch: u64| {
            if plan.is_stopped() {
                return None;
            }
            let first = batch * BATCH;
            let trials = first..plan.trials.min(first + BATCH);
            let count = trials.end - trials.start;
            let sums = runners.lend(|| course.runner(), |runner| course.batch(runner, plan, trials));
            progress(done.fetch_add(count, std::sync::atomic::Ordering::Relaxed) + count);
            Some((count, sums))
        };
        let range = round..batches.min(round + ROUND);
        let found: Vec<_> = range.into_par_iter().map(one).collect();
        // In order, so that the first failing run is reported and the rounding does not depend on threads.
        for sums in found {
            let Some((count, sums)) = sums else { return Ok((runs, total)) };
            let (over, sums) = sums?;
            runs += over;
            total.iter_mut().zip(&sums).for_each(|(total, sums)| total.join(sums));
            if over < count {
                return Ok((runs, total));
            }
        }
    }
    Ok((runs, total))
}

fn figures(game: &Game, course: &Course<'_>, plan: &TrialsPlan, sums: &[StageSums]) -> Gauntlet {
    let program = game.program();
    let stage = |(index, sums): (usize, &StageSums)| {
        let setup = &course.setups[index];
        let has = |who: CombatantId| {
            let character = &program.characters()[setup.combatants[who.index()].character.index()];
            course.plan.keeps.iter().map(|pool| character.pools[pool.index()]).collect::<Vec<_>>()
        };
        let member = |(who, sum): (&CombatantId, &MemberSums)| Member {
            member: setup.combatants[who.index()].label.clone(),
            stood: share_of(sum.stood, sums.won),
            left: sum.left.iter().zip(has(*who)).map(|(sum, has)| has.then(|| sum.estimate())).collect(),
            level: sum.level.estimate(),
            experience: sum.experience.estimate(),
        };
        Stage {
            encounter: setup.name.clone(),
            reached: share_of(sums.reached, plan.trials),
            won: share_of(sums.won, sums.reached),
            duration: sums.duration.estimate(),
            members: course.crews[index].iter().zip(&sums.members).map(member).collect(),
            level: sums.level.estimate(),
        }
    };
    Gauntlet {
        gauntlet: course.plan.name.clone(),
        side: course.plan.side.clone(),
        trials: plan.trials,
        seed: plan.seed,
        cleared: share_of(sums.last().map_or(0, |last| last.won), plan.trials),
        keeps: course.plan.keeps.iter().map(|pool| program.pools()[pool.index()].name.clone()).collect(),
        stages: sums.iter().enumerate().map(stage).collect(),
    }
}
