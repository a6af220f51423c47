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
/// Most fights of the last stage.
const MOST: u64 = 400_000;
/// Points that the search begins with, besides the values of now.
const SCATTERED: usize = 24;
/// Lattice points between the ends of a range without a step.
const FINENESS: f64 = 400.0;
/// Seeds of the proof are other ones than those of the search.
const PROOF_SEED: u64 = 0x5eed_0fa1_1970_0f01;

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
/// As [`Game::variant`] and [`super::run_measures`]; [`Error::Stopped`] if it is stopped before the search is over.
pub fn run_tuning(
    game: &Game,
    encounter: &str,
    varied: &[Vary],
    goals: &[Goal],
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Tuning, Error> {
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
    };
    search.start = search.now()?;
    let found = search.run()?;
    let changes = search.changes(&found)?;
    let trials = plan.trials.max(search.last);
    let proof = TrialsPlan { seed: plan.seed ^ PROOF_SEED, ..*plan };
    let proof = Crew::new(&proof, &|_| {});
    let figures = |game: &Game| {
        let variant = game.measured(encounter, &search.measures)?;
        let mut running = Running::new(&variant);
        running.run_to(&proof, trials)?;
        running.something(&proof)?;
        Ok::<_, Error>(running.figures(Confidence::default()))
    };
    let (before, after) = (figures(game)?, figures(&game.variant(&changes)?)?);
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
        points: search.looked.len() as u64,
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
}

impl Search<'_> {
    fn step(vary: &Vary) -> f64 {
        let (low, high) = vary.bounds();
        vary.step.unwrap_or_else(|| tidy((high - low) / FINENESS))
    }

    fn steps(vary: &Vary) -> i64 {
        let (low, high) = vary.bounds();
        ((high - low) / Self::step(vary) + 1e-9).floor() as i64
    }

    fn value(&self, vary: &Vary, place: i64) -> f64 {
        let value = vary.bounds().0 + Self::step(vary) * place as f64;
        super::vary::plain(value).parse().unwrap_or(value)
    }

    /// The numbers of now, or the nearest to them within the ranges; the middle for formulas.
    fn now(&self) -> Result<Point, Error> {
        let place = |vary: &Vary| {
            let (low, high) = vary.bounds();
            let now = vary.value_now(self.game)?.unwrap_or((low + high) / 2.0).clamp(low, high);
            Ok((((now - low) / Self::step(vary)).round() as i64).clamp(0, Self::steps(vary)))
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
            let share = (to - from) as f64 / Self::steps(vary).max(1) as f64;
            share * share
        });
        squares.sum::<f64>().sqrt()
    }

    fn worth(&mut self, stage: usize, point: &Point) -> Result<Worth, Error> {
        let moved = self.moved(point);
        if let Some(missed) = self.looked.get(&(stage, point.clone())) {
            return Ok(Worth { missed: *missed, moved });
        }
        let figures = self.figures(point, STAGES.get(stage).copied().unwrap_or(self.last))?;
        let missed = self.goals.iter().zip(&figures).map(|(goal, figure)| goal.miss(figure)).sum();
        self.looked.insert((stage, point.clone()), missed);
        Ok(Worth { missed, moved })
    }

    fn figures(&self, point: &Point, trials: u64) -> Result<Vec<Figure>, Error> {
        let variant = self.game.variant(&self.changes(point)?)?.measured(self.encounter, &self.measures)?;
        let mut running = Running::new(&variant);
        running.run_to(&self.crew, trials)?;
        if self.crew.is_stopped() {
            return Err(Error::Stopped);
        }
        Ok(running.figures(Confidence::default()))
    }

    /// How many fights it takes to know the figures as exactly as the goals want.
    fn needed(&self, point: &Point) -> Result<u64, Error> {
        let figures = self.figures(point, STAGES[2])?;
        let times =
            self.goals.iter().zip(&figures).filter(|(_, figure)| figure.value.is_some()).map(|(goal, figure)| {
                let times = figure.half_width() / goal.precision(figure.unit);
                times * times
            });
        let times = times.fold(1.0, f64::max);
        Ok(((STAGES[2] as f64 * times) as u64).clamp(STAGES[2], MOST))
    }

    fn run(&mut self) -> Result<Point, Error> {
        let mut best = self.start.clone();
        let mut worth = self.worth(0, &best)?;
        for index in 0..SCATTERED {
            let point = self.scattered(index);
            let other = self.worth(0, &point)?;
            if other < worth {
                (best, worth) = (point, other);
            }
        }
        let reach = [4, 16, 64];
        for (stage, part) in reach.into_iter().enumerate() {
            best = self.descend(stage, best, part)?;
        }
        self.last = self.needed(&best)?;
        if self.last > STAGES[2] {
            best = self.descend(STAGES.len(), best, 256)?;
        }
        Ok(best)
    }

    /// Spread evenly over the ranges: multiples of the golden ratio and its kin (a Kronecker sequence).
    fn scattered(&self, index: usize) -> Point {
        const TURNS: [f64; 4] =
            [0.618_033_988_749_895, 0.754_877_666_246_693, 0.569_840_290_998_053, 0.819_172_513_396_164];
        let place = |(number, vary): (usize, &Vary)| {
            let share = ((index + 1) as f64 * TURNS[number % TURNS.len()]).fract();
            (share * Self::steps(vary) as f64).round() as i64
        };
        self.varied.iter().enumerate().map(place).collect()
    }

    /// Walks to whichever neighbour is better, along each number and along the way back to the start, with
    /// shorter and shorter steps.
    fn descend(&mut self, stage: usize, from: Point, part: i64) -> Result<Point, Error> {
        let mut best = from;
        let mut worth = self.worth(stage, &best)?;
        let mut strides: Vec<i64> = self.varied.iter().map(|vary| (Self::steps(vary) / part).max(1)).collect();
        loop {
            let mut moved = false;
            for point in self.neighbours(&best, &strides) {
                let other = self.worth(stage, &point)?;
                if other < worth {
                    (best, worth, moved) = (point, other, true);
                }
            }
            if !moved {
                if strides.iter().all(|stride| *stride == 1) {
                    return Ok(best);
                }
                strides.iter_mut().for_each(|stride| *stride = (*stride / 2).max(1));
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
                other[number] = (point[number] + way * strides[number]).clamp(0, Self::steps(vary));
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
