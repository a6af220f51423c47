//! Which values are wanted: a search for the smallest change that meets goals.

use std::collections::BTreeMap;

use serde::Serialize;

use super::goals::Goal;
use super::ledger::Figure;
use super::samples::{Crew, Running};
use super::statistics::Confidence;
use super::trials::TrialsPlan;
use super::vary::Vary;
use crate::error::Error;
use crate::game::Game;

/// Fights for a first look at a point, and at each finer stage of the search. The last stage is as long as the
/// goals are narrow.
const STAGES: [u64; 3] = [1_000, 4_000, 16_000];
/// Fewest fights by which a point is judged.
const FEWEST: u64 = 256;
/// Most fights of the last stage.
const MOST: u64 = 400_000;
/// Points that the search begins with, besides the values of now.
const SCATTERED: usize = 24;
/// Lattice points between the ends of a range without a step.
const FINENESS: f64 = 400.0;
/// How many times finer the lattice becomes where no point of it meets the goals.
const FINEST: i64 = 100;
/// Most fights of the proof, which is one study and may be longer.
const MOST_OF_PROOF: u64 = 2_000_000;
/// How often an answer is corrected by its proof and proven again.
const PROOFS: u64 = 3;
/// Seeds of the proof are other ones than those of the search.
const PROOF_SEED: u64 = 0x5eed_0fa1_1970_0f01;

/// How a search goes about it.
#[derive(Clone, Copy, Debug)]
pub struct TuningPlan {
    /// The seed, the threads and the stop signal; its number of trials is the least of the proof.
    pub study: TrialsPlan,
    /// Fights after which the search ends with the best that it has found. What is under way is finished, and the proof
    /// comes on top.
    pub fights: u64,
}

impl Default for TuningPlan {
    fn default() -> Self {
        TrialsPlan::default().into()
    }
}

impl From<TrialsPlan> for TuningPlan {
    fn from(study: TrialsPlan) -> Self {
        Self { study, fights: 4_000_000 }
    }
}

/// How a search ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum SearchEnd {
    /// It came to its own end.
    Complete,
    /// Its fights were used up: there may be a smaller change, or one that meets the goals.
    UsedUp,
    /// It was stopped: the figures are the search's own, and nothing is proven.
    Stopped,
}

/// What a search came to.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Tuning {
    /// The encounter.
    pub encounter: String,
    /// The goals as they were written.
    pub goals: Vec<String>,
    /// Whether all of them are met.
    pub met: bool,
    /// The numbers, and what they should be.
    pub numbers: Vec<TunedNumber>,
    /// Each goal's figure with the numbers of now.
    pub before: Vec<Figure>,
    /// Each goal's figure with the numbers found: an independent study on other seeds.
    pub after: Vec<Figure>,
    /// For each goal, whether it is met.
    pub goals_met: Vec<bool>,
    /// Fights of that study.
    pub trials: u64,
    /// Points that were looked at.
    pub points: u64,
    /// Fights of the search.
    pub searched: u64,
    /// How the search ended.
    pub end: SearchEnd,
}

/// A number that is tuned.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct TunedNumber {
    /// Where it stands.
    pub path: String,
    /// Whether the value is a factor.
    pub scales: bool,
    /// What stands there now.
    pub now: String,
    /// What should stand there, or the factor.
    pub value: f64,
}

/// Looks for values of the varied numbers, within their ranges, that meet all goals; of those, the ones that
/// change the least, each change taken by the width of its range. When nothing meets them, the
/// numbers are those that come nearest.
///
/// All points are looked at on the same seeds, which makes the search a smooth one; the answer is then
/// proven on other seeds. `progress` is called with the number of fights.
///
/// # Errors
/// As [`Game::variant`] and [`super::run_measures`]; [`Error::Stopped`] if it is stopped before anything is known.
pub fn run_tuning(
    game: &Game,
    encounter: &str,
    varied: &[Vary],
    goals: &[Goal],
    plan: &TuningPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Tuning, Error> {
    let TuningPlan { study: plan, fights } = plan;
    let measures: Vec<&str> = goals.iter().map(|goal| goal.measure.as_str()).collect();
    // What is wrong with a measure is said before any search.
    game.measured(encounter, &measures)?;
    let crew = Crew::new(plan, progress);
    let mut search = Search {
        game,
        encounter,
        varied,
        goals,
        measures,
        crew,
        looked: BTreeMap::new(),
        start: Vec::new(),
        last: STAGES[2],
        proof: STAGES[2],
        points: 0,
        finer: 1,
        fights: *fights,
        best: None,
    };
    search.start = search.now()?;
    if let Some(tuning) = search.already_met(plan)? {
        return Ok(tuning);
    }
    let mut found = search.run()?;
    while search.finer < FINEST
        && !search.is_over()
        && search.worth(STAGES.len(), &found)?.missed > 0.0
        && search.can_be_finer()
    {
        found = search.refine(&found)?;
    }
    if search.crew.is_stopped() {
        return search.so_far();
    }
    let end = if search.is_over() { SearchEnd::UsedUp } else { SearchEnd::Complete };
    let trials = plan.trials.max(search.proof);
    let mut after = search.prove(&found, trials, plan, 0)?;
    for again in 1..PROOFS {
        if search.is_over() {
            break;
        }
        let Some(better) = search.corrected(&found, &after)? else { break };
        found = better;
        after = search.prove(&found, trials, plan, again)?;
    }
    let before = search.figures_of(game, STAGES[2])?;
    let goals_met: Vec<bool> = goals.iter().zip(&after).map(|(goal, figure)| goal.holds(figure)).collect();
    let number = |(vary, place): (&Vary, &i64)| {
        let value = search.value(vary, *place);
        Ok(TunedNumber { path: vary.path.clone(), scales: vary.scales, now: vary.now(game)?, value })
    };
    Ok(Tuning {
        encounter: encounter.to_owned(),
        goals: goals.iter().map(|goal| goal.text.clone()).collect(),
        met: goals_met.iter().all(|met| *met),
        numbers: varied.iter().zip(&found).map(number).collect::<Result<_, Error>>()?,
        before,
        after,
        goals_met,
        trials,
        points: search.points,
        searched: search.crew.done(),
        end,
    })
}

/// A point of the lattice: for each number how many steps from the lower end of its range.
type Point = Vec<i64>;

/// How good a point is: how far the goals are missed, then how far the numbers are moved.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
struct Worth {
    missed: f64,
    moved: f64,
}

struct Search<'a> {
    game: &'a Game,
    encounter: &'a str,
    varied: &'a [Vary],
    goals: &'a [Goal],
    measures: Vec<&'a str>,
    crew: Crew<'a>,
    /// What has been looked at, by stage.
    looked: BTreeMap<(usize, Point), f64>,
    start: Point,
    /// Fights of the last stage.
    last: u64,
    /// Fights of the proof.
    proof: u64,
    /// Points that were looked at.
    points: u64,
    /// How many times finer the lattice is than at first, for ranges without a step.
    finer: i64,
    /// Fights after which it ends.
    fights: u64,
    /// The best point so far by its values, with its figures and their fights.
    best: Option<Best>,
}

/// The best point so far.
struct Best {
    worth: Worth,
    values: Vec<f64>,
    figures: Vec<Figure>,
    fights: u64,
}

impl Search<'_> {
    fn step(&self, vary: &Vary) -> f64 {
        let (low, high) = vary.bounds();
        vary.step.unwrap_or_else(|| tidy((high - low) / FINENESS) / self.finer as f64)
    }

    fn steps(&self, vary: &Vary) -> i64 {
        let (low, high) = vary.bounds();
        ((high - low) / self.step(vary) + 1e-9).floor() as i64
    }

    fn value(&self, vary: &Vary, place: i64) -> f64 {
        let value = vary.bounds().0 + self.step(vary) * place as f64;
        super::vary::plain(value).parse().unwrap_or(value)
    }

    /// The numbers of now, or the nearest to them within the ranges; the middle for formulas.
    fn now(&self) -> Result<Point, Error> {
        let place = |vary: &Vary| {
            let (low, high) = vary.bounds();
            let now = vary.value_now(self.game)?.unwrap_or((low + high) / 2.0).clamp(low, high);
            Ok((((now - low) / self.step(vary)).round() as i64).clamp(0, self.steps(vary)))
        };
        self.varied.iter().map(place).collect()
    }

    fn changes(&self, point: &Point) -> Result<Vec<crate::text::Override>, Error> {
        let set = |(vary, place): (&Vary, &i64)| vary.at(self.game, self.value(vary, *place));
        self.varied.iter().zip(point).map(set).collect()
    }

    fn moved(&self, point: &Point) -> f64 {
        let shares = self.varied.iter().zip(point.iter().zip(&self.start));
        let squares = shares.map(|(vary, (to, from))| {
            let share = (to - from) as f64 / self.steps(vary).max(1) as f64;
            share * share
        });
        squares.sum::<f64>().sqrt()
    }

    fn worth(&mut self, stage: usize, point: &Point) -> Result<Worth, Error> {
        self.race(stage, point, Worth { missed: f64::INFINITY, moved: f64::INFINITY })
    }

    /// The same beside a point that is known: fights end as soon as it is clear that this one is not better, or that it
    /// meets the goals. All points fight on the same seeds, so that what chance does to both hardly matters.
    fn race(&mut self, stage: usize, point: &Point, rival: Worth) -> Result<Worth, Error> {
        let moved = self.moved(point);
        if let Some(missed) = self.looked.get(&(stage, point.clone())) {
            return Ok(Worth { missed: *missed, moved });
        }
        // Whatever it meets, the other one meets with less change.
        if rival.missed == 0.0 && moved >= rival.moved {
            return Ok(Worth { missed: 0.0, moved });
        }
        if self.is_over() {
            return Ok(Worth { missed: f64::INFINITY, moved });
        }
        let trials = STAGES.get(stage).copied().unwrap_or(self.last);
        let variant = self.game.variant(&self.changes(point)?)?.measured(self.encounter, &self.measures)?;
        let mut running = Running::new(&variant);
        let mut missed = f64::INFINITY;
        for part in [16, 4, 1] {
            let fights = (trials / part).max(FEWEST).min(trials);
            running.run_to(&self.crew, fights)?;
            if self.crew.is_stopped() {
                return Ok(Worth { missed: f64::INFINITY, moved });
            }
            let figures = running.figures(Confidence::default());
            let pairs = || self.goals.iter().zip(&figures);
            missed = pairs().map(|(goal, figure)| goal.miss(figure)).sum();
            let at_least: f64 = pairs().map(|(goal, figure)| goal.misses_at_least(figure)).sum();
            let is_met = pairs().all(|(goal, figure)| goal.is_surely_met(figure));
            let worth = Worth { missed, moved };
            if self.best.as_ref().is_none_or(|best| worth < best.worth || (worth == best.worth && fights > best.fights))
            {
                let values = self.varied.iter().zip(point).map(|(vary, place)| self.value(vary, *place)).collect();
                self.best = Some(Best { worth, values, figures, fights });
            }
            if is_met || at_least > rival.missed {
                break;
            }
        }
        self.points += u64::from(stage == 0 || !self.looked.contains_key(&(0, point.clone())));
        self.looked.insert((stage, point.clone()), missed);
        Ok(Worth { missed, moved })
    }

    /// Whether the search has to end with what it has: it was stopped, or has used its fights up.
    fn is_over(&self) -> bool {
        self.crew.is_stopped() || self.crew.done() >= self.fights
    }

    /// The best so far, by the search's own figures, without a proof.
    fn so_far(self) -> Result<Tuning, Error> {
        let Some(best) = self.best else { return Err(Error::Stopped) };
        let goals_met: Vec<bool> =
            self.goals.iter().zip(&best.figures).map(|(goal, figure)| goal.holds(figure)).collect();
        let number = |(vary, value): (&Vary, &f64)| {
            Ok(TunedNumber { path: vary.path.clone(), scales: vary.scales, now: vary.now(self.game)?, value: *value })
        };
        Ok(Tuning {
            encounter: self.encounter.to_owned(),
            goals: self.goals.iter().map(|goal| goal.text.clone()).collect(),
            met: false,
            numbers: self.varied.iter().zip(&best.values).map(number).collect::<Result<_, Error>>()?,
            before: best.figures.clone(),
            after: best.figures,
            goals_met,
            trials: best.fights,
            points: self.points,
            searched: self.crew.done(),
            end: SearchEnd::Stopped,
        })
    }

    fn figures(&self, point: &Point, trials: u64) -> Result<Vec<Figure>, Error> {
        self.figures_of(&self.game.variant(&self.changes(point)?)?, trials)
    }

    fn figures_of(&self, game: &Game, trials: u64) -> Result<Vec<Figure>, Error> {
        let variant = game.measured(self.encounter, &self.measures)?;
        let mut running = Running::new(&variant);
        running.run_to(&self.crew, trials)?;
        if self.crew.is_stopped() {
            return Err(Error::Stopped);
        }
        Ok(running.figures(Confidence::default()))
    }

    /// How many fights it takes to know the figures as exactly as the goals want, for the last stage and for the proof.
    fn needed(&self, point: &Point) -> Result<(u64, u64), Error> {
        let figures = self.figures(point, STAGES[2])?;
        let times =
            self.goals.iter().zip(&figures).filter(|(_, figure)| figure.value.is_some()).map(|(goal, figure)| {
                let times = figure.half_width() / goal.precision(figure.unit);
                // An open interval says nothing of how many it takes.
                if times.is_finite() { times * times } else { 1.0 }
            });
        let times = times.fold(1.0, f64::max);
        let fights = (STAGES[2] as f64 * times) as u64;
        Ok((fights.clamp(STAGES[2], MOST), fights.clamp(STAGES[2], MOST_OF_PROOF)))
    }

    /// From where things are, and from the best of what is scattered over the ranges: the one that meets the goals and
    /// changes less is the answer.
    fn run(&mut self) -> Result<Point, Error> {
        let mut scattered = (self.start.clone(), Worth { missed: f64::INFINITY, moved: f64::INFINITY });
        for index in 0..SCATTERED {
            let point = self.scattered(index);
            let worth = self.race(0, &point, scattered.1)?;
            if worth < scattered.1 {
                scattered = (point, worth);
            }
        }
        let stage = STAGES.len() - 1;
        let mut best = self.descend_to_last(self.start.clone())?;
        if self.worth(stage, &best)?.missed > 0.0 {
            let far = self.descend_to_last(scattered.0)?;
            best = if self.worth(stage, &far)? < self.worth(stage, &best)? { far } else { best };
        }
        if self.varied.len() > 1 && !self.is_over() {
            best = self.slide(stage, best)?;
        }
        if self.is_over() {
            return Ok(self.best_point().unwrap_or(best));
        }
        (self.last, self.proof) = self.needed(&best)?;
        if self.last > STAGES[2] {
            best = self.descend(STAGES.len(), best, 256)?;
        }
        Ok(best)
    }

    /// The best so far as a point of the lattice of now.
    fn best_point(&self) -> Option<Point> {
        let place = |(vary, value): (&Vary, &f64)| {
            (((value - vary.bounds().0) / self.step(vary)).round() as i64).clamp(0, self.steps(vary))
        };
        self.best.as_ref().map(|best| self.varied.iter().zip(&best.values).map(place).collect())
    }

    fn descend_to_last(&mut self, from: Point) -> Result<Point, Error> {
        let mut best = from;
        for (stage, part) in [4, 16, 64].into_iter().enumerate() {
            best = self.descend(stage, best, part)?;
        }
        Ok(best)
    }

    /// An independent study of an answer, on seeds of its own.
    fn prove(&self, found: &Point, trials: u64, plan: &TrialsPlan, number: u64) -> Result<Vec<Figure>, Error> {
        let seed = (plan.seed ^ PROOF_SEED).wrapping_add(number);
        let crew = Crew::new(&TrialsPlan { seed, ..*plan }, &|_| {});
        let variant = self.game.variant(&self.changes(found)?)?.measured(self.encounter, &self.measures)?;
        let mut running = Running::new(&variant);
        running.run_to(&crew, trials)?;
        running.something(&crew)?;
        Ok(running.figures(Confidence::default()))
    }

    /// The point at which one goal of one number would be met, going by its proof, if that misses it: the search has other
    /// seeds and fewer fights, and so another error.
    fn corrected(&mut self, found: &Point, proof: &[Figure]) -> Result<Option<Point>, Error> {
        let ([goal], [figure], [vary]) = (self.goals, proof, self.varied) else { return Ok(None) };
        let Some(value) = figure.value.filter(|_| !goal.holds(figure) && vary.step.is_none()) else { return Ok(None) };
        let stride = (self.steps(vary) / 64).max(1);
        let aside = |by: i64| vec![(found[0] + by).clamp(0, self.steps(vary))];
        let (below, above) = (aside(-stride), aside(stride));
        let at = |point: &Point| Ok::<_, Error>(self.figures(point, STAGES[2])?[0].value);
        let (Some(low), Some(high)) = (at(&below)?, at(&above)?) else { return Ok(None) };
        let slope = (high - low) / (above[0] - below[0]).max(1) as f64;
        let middle = (goal.least.max(f64::MIN) + goal.most.min(f64::MAX)) / 2.0;
        // Far from the goal the search has found that it cannot be met.
        let by = (middle - value) / slope;
        if !by.is_finite() || by.abs() > stride as f64 {
            return Ok(None);
        }
        let places = (FINEST / self.finer) as f64;
        let place = ((found[0] as f64 + by) * places).round() as i64;
        (self.start[0], self.finer) = ((self.start[0] as f64 * places) as i64, FINEST);
        self.looked.clear();
        Ok(Some(vec![place.clamp(0, self.steps(vary))]))
    }

    fn can_be_finer(&self) -> bool {
        self.varied.iter().any(|vary| vary.step.is_none())
    }

    /// The same point and its neighbourhood on a lattice ten times as fine.
    fn refine(&mut self, found: &Point) -> Result<Point, Error> {
        const TIMES: i64 = 10;
        let finer = |point: &Point| {
            let place = |(vary, place): (&Vary, &i64)| if vary.step.is_none() { place * TIMES } else { *place };
            self.varied.iter().zip(point).map(place).collect::<Point>()
        };
        let (start, found) = (finer(&self.start), finer(found));
        (self.start, self.finer) = (start, self.finer * TIMES);
        self.looked.clear();
        self.descend(STAGES.len(), found, FINENESS as i64 * self.finer / TIMES)
    }

    /// Along a ridge, on which several numbers make up for one another, to where they are changed least: each goal is taken
    /// as a plane through what is measured nearby, and the point of all planes that is nearest to the start is tried.
    fn slide(&mut self, stage: usize, from: Point) -> Result<Point, Error> {
        let (mut best, mut worth) = (from.clone(), self.worth(stage, &from)?);
        let trials = STAGES.get(stage).copied().unwrap_or(self.last);
        for part in [16, 32, 64] {
            if self.is_over() {
                break;
            }
            let Some(point) = self.nearest_on_planes(&best, trials, part)? else { break };
            // The planes are not quite where the measures are: a little farther and nearer is tried too.
            for reach in [1.0, 1.03, 0.97, 1.07] {
                let place = |(to, from): (&i64, &i64)| from + ((to - from) as f64 * reach).round() as i64;
                let tried = point.iter().zip(&self.start).map(place);
                let tried: Point = tried.zip(self.varied).map(|(to, vary)| to.clamp(0, self.steps(vary))).collect();
                let other = self.race(stage, &tried, worth)?;
                if other < worth {
                    (best, worth) = (tried, other);
                }
            }
        }
        Ok(best)
    }

    fn nearest_on_planes(&mut self, at: &Point, trials: u64, part: i64) -> Result<Option<Point>, Error> {
        let shares = |point: &Point| -> Vec<f64> {
            let moved = self.varied.iter().zip(point.iter().zip(&self.start));
            moved.map(|(vary, (to, from))| (to - from) as f64 / self.steps(vary).max(1) as f64).collect()
        };
        let here = shares(at);
        let values =
            |figures: Vec<Figure>| figures.into_iter().map(|figure| figure.value).collect::<Option<Vec<f64>>>();
        let Some(now) = values(self.figures(at, trials)?) else { return Ok(None) };
        // One row for each goal: how it changes with each number, over the whole of that number's range.
        let mut slopes = vec![vec![0.0; self.varied.len()]; self.goals.len()];
        for (number, vary) in self.varied.iter().enumerate() {
            let stride = (self.steps(vary) / part).max(1);
            let mut aside = at.clone();
            aside[number] =
                if at[number] + stride <= self.steps(vary) { at[number] + stride } else { at[number] - stride };
            let over = shares(&aside)[number] - here[number];
            let Some(there) = values(self.figures(&aside, trials)?) else { return Ok(None) };
            for (row, (there, now)) in slopes.iter_mut().zip(there.iter().zip(&now)) {
                row[number] = (there - now) / over;
            }
        }
        let wanted: Vec<f64> = self
            .goals
            .iter()
            .zip(&now)
            .zip(&slopes)
            .map(|((goal, now), row)| {
                let middle =
                    if goal.least.is_finite() && goal.most.is_finite() { (goal.least + goal.most) / 2.0 } else { *now };
                middle - now + row.iter().zip(&here).map(|(slope, share)| slope * share).sum::<f64>()
            })
            .collect();
        let Some(shares) = least_change(&slopes, &wanted) else { return Ok(None) };
        let place = |((vary, share), start): ((&Vary, &f64), &i64)| {
            let steps = self.steps(vary);
            (start + (share * steps as f64).round() as i64).clamp(0, steps)
        };
        Ok(Some(self.varied.iter().zip(&shares).zip(&self.start).map(place).collect()))
    }

    /// Nothing needs to be changed, if the goals are met as things are.
    fn already_met(&mut self, plan: &TrialsPlan) -> Result<Option<Tuning>, Error> {
        let now = self.varied.iter().map(|vary| vary.value_now(self.game)).collect::<Result<Option<Vec<f64>>, _>>()?;
        let within = |(vary, value): (&Vary, &f64)| (vary.bounds().0..=vary.bounds().1).contains(value);
        let Some(now) = now.filter(|now| self.varied.iter().zip(now).all(within)) else { return Ok(None) };
        let mut running_goals = self.figures_of(self.game, STAGES[0])?;
        let mut trials = STAGES[0];
        for longer in [STAGES[2], plan.trials.max(STAGES[2])] {
            // What is clearly missed need not be looked at more closely.
            let missed = |(goal, figure): (&Goal, &Figure)| {
                figure.high.is_some_and(|high| high < goal.least) || figure.low.is_some_and(|low| low > goal.most)
            };
            if self.goals.iter().zip(&running_goals).any(missed) {
                return Ok(None);
            }
            (running_goals, trials) = (self.figures_of(self.game, longer)?, longer);
        }
        if !self.goals.iter().zip(&running_goals).all(|(goal, figure)| goal.holds(figure)) {
            return Ok(None);
        }
        let number = |(vary, value): (&Vary, f64)| {
            Ok(TunedNumber { path: vary.path.clone(), scales: vary.scales, now: vary.now(self.game)?, value })
        };
        Ok(Some(Tuning {
            encounter: self.encounter.to_owned(),
            goals: self.goals.iter().map(|goal| goal.text.clone()).collect(),
            met: true,
            numbers: self.varied.iter().zip(now).map(number).collect::<Result<_, Error>>()?,
            before: running_goals.clone(),
            after: running_goals,
            goals_met: vec![true; self.goals.len()],
            trials,
            points: 1,
            searched: self.crew.done(),
            end: SearchEnd::Complete,
        }))
    }

    /// Spread evenly over the ranges: multiples of the golden ratio and its kin (a Kronecker sequence).
    fn scattered(&self, index: usize) -> Point {
        const TURNS: [f64; 4] =
            [0.618_033_988_749_895, 0.754_877_666_246_693, 0.569_840_290_998_053, 0.819_172_513_396_164];
        let place = |(number, vary): (usize, &Vary)| {
            let share = ((index + 1) as f64 * TURNS[number % TURNS.len()]).fract();
            (share * self.steps(vary) as f64).round() as i64
        };
        self.varied.iter().enumerate().map(place).collect()
    }

    /// Walks to whichever neighbour is better, along each number and along the way back to the start, with
    /// shorter and shorter steps.
    fn descend(&mut self, stage: usize, from: Point, part: i64) -> Result<Point, Error> {
        let mut best = from;
        let mut worth = self.worth(stage, &best)?;
        let mut strides: Vec<i64> = self.varied.iter().map(|vary| (self.steps(vary) / part).max(1)).collect();
        // The first stages need not find more than where to go on.
        let parts = [64, 200].get(stage).copied().unwrap_or(i64::MAX);
        let least: Vec<i64> = self.varied.iter().map(|vary| (self.steps(vary) / parts).max(1)).collect();
        loop {
            let mut moved = false;
            for point in self.neighbours(&best, &strides) {
                let other = self.race(stage, &point, worth)?;
                if other < worth {
                    (best, worth, moved) = (point, other, true);
                }
            }
            if self.is_over() {
                return Ok(best);
            }
            if !moved {
                if strides.iter().zip(&least).all(|(stride, least)| stride <= least) {
                    return Ok(best);
                }
                strides.iter_mut().zip(&least).for_each(|(stride, least)| *stride = (*stride / 2).max(*least));
            }
        }
    }

    fn neighbours(&self, point: &Point, strides: &[i64]) -> Vec<Point> {
        let mut found = Vec::new();
        let mut push = |other: Point| {
            if other != *point && !found.contains(&other) {
                found.push(other);
            }
        };
        let home = point.iter().zip(&self.start).zip(strides);
        push(home.map(|((at, start), stride)| at + (start - at).clamp(-stride, *stride)).collect());
        for (number, vary) in self.varied.iter().enumerate() {
            for way in [-1, 1] {
                let mut other = point.clone();
                other[number] = (point[number] + way * strides[number]).clamp(0, self.steps(vary));
                push(other);
            }
        }
        found
    }
}

/// The next greater of 1, 2 or 5 times a power of ten.
fn tidy(value: f64) -> f64 {
    let power = libm::pow(10.0, libm::floor(libm::log10(value)));
    [1.0, 2.0, 5.0, 10.0]
        .into_iter()
        .map(|digit| digit * power)
        .find(|one| *one >= value * (1.0 - 1e-9))
        .unwrap_or(value)
}

/// The least x (by its squares) with `rows · x = wanted`: x = Aᵀ (A Aᵀ)⁻¹ wanted, the inverse by elimination with pivots.
/// Nothing where the rows depend on one another.
fn least_change(rows: &[Vec<f64>], wanted: &[f64]) -> Option<Vec<f64>> {
    let inner = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    let mut left: Vec<Vec<f64>> = rows.iter().map(|a| rows.iter().map(|b| inner(a, b)).collect()).collect();
    let mut right = wanted.to_vec();
    let size = right.len();
    for column in 0..size {
        let pivot = (column..size).max_by(|a, b| left[*a][column].abs().total_cmp(&left[*b][column].abs()))?;
        left.swap(column, pivot);
        right.swap(column, pivot);
        if left[column][column].abs() < 1e-12 {
            return None;
        }
        for row in (0..size).filter(|row| *row != column) {
            let factor = left[row][column] / left[column][column];
            let pivot = left[column].clone();
            left[row].iter_mut().zip(&pivot).for_each(|(one, above)| *one -= factor * above);
            right[row] -= factor * right[column];
        }
    }
    let weights: Vec<f64> = (0..size).map(|row| right[row] / left[row][row]).collect();
    let numbers = rows.first().map_or(0, Vec::len);
    Some((0..numbers).map(|number| rows.iter().zip(&weights).map(|(row, weight)| row[number] * weight).sum()).collect())
}
