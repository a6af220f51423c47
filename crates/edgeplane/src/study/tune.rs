//! Searches for the smallest change of some numbers that meets goals.
//!
//! Fights are expensive and noisy, so all fights so far, at any values, are used to fit one model for each goal
//! ([`super::surrogate`]). The models predict which values are the smallest change that meets the goals, and which
//! smaller changes are still possible; fights are spent on those, more where more precision is needed. Once no smaller
//! change is likely, the answer is proven by a study on different seeds. A failed proof is another observation.

use std::sync::Arc;

use super::goals::Goal;
use super::ledger::Figure;
use super::outlook::{Known, Outlook, Prospect, spare, to_spare};
use super::ranges::{Place, Ranges, apart};
use super::samples::Crew;
use super::statistics::Confidence;
use super::together::{Agenda, Together};
use super::trials::TrialsPlan;
use super::tuning::{SearchEnd, TradeOff, TunedNumber, Tuning, TuningPlan};
use super::vary::Vary;
use crate::error::Error;
use crate::game::Game;
use crate::numbers::Extremes;

/// Fights of the first look at a point, and of the first study of the current values.
pub(super) const FIRST: u64 = 128;
const NOW: u64 = 1_000;
/// The refinement of the lattice if no point of it meets the goals.
pub(super) const FINEST: f64 = 100.0;
/// The maximum number of fights of a proof, and of proofs.
const MOST_OF_PROOF: u64 = 2_000_000;
pub(super) const PROOFS: u64 = 12;
/// Seeds of proofs differ from those of the search.
const PROOF_SEED: u64 = 0x5eed_0fa1_1970_0f01;
/// Changes that differ by less than this count as equal, in shares of a range.
const AS_GOOD: f64 = 0.006;
/// The minimum expected improvement of a point before it is examined, weighted by its probability. It increases with
/// the length of the search, relative to the length of its proof.
const SMALL: f64 = 0.0003;
/// The minimum probability that the goals can be met anywhere, for the search to continue.
const HOPELESS: f64 = 0.002;
/// The shapes of models are fitted again after one more look in this many.
const ANEW: usize = 8;
/// The number of points beyond which the model would cost more than the fights.
const MOST_POINTS: usize = 240;
/// Looks just below answers, to check for a smaller change.
const CHECKS: usize = 8;
/// The maximum number of fights at one point, relative to its proof.
const ENOUGH: u64 = 4;

/// The fights at one point.
pub(super) struct Seen {
    pub(super) place: Place,
    pub(super) study: Together,
    pub(super) figures: Vec<Figure>,
}

/// Results from smaller parts of the ranges: values with their fights, and the number of their points.
#[derive(Default)]
pub(super) struct Earlier {
    pub(super) seen: Vec<(Vec<f64>, Seen)>,
    pub(super) points: u64,
}

/// An answer and its independent study.
pub(super) struct Proof {
    place: Place,
    figures: Vec<Figure>,
    trials: u64,
}

/// An answer and the end of its search. If there is no answer: compromises, and the points of a jump.
struct Found {
    proof: Option<Proof>,
    end: SearchEnd,
    trade_offs: Vec<TradeOff>,
    jump: Vec<TradeOff>,
}

impl Found {
    fn answer(proof: Proof, end: SearchEnd) -> Self {
        Self { proof: Some(proof), end, trade_offs: Vec::new(), jump: Vec::new() }
    }
}

/// The task, for any part of the ranges.
#[derive(Clone, Copy)]
pub(super) struct Task<'a> {
    pub(super) game: &'a Game,
    pub(super) encounter: &'a str,
    pub(super) agenda: &'a Agenda<'a>,
    pub(super) goals: &'a [Goal],
    pub(super) crew: &'a Crew<'a>,
    pub(super) plan: &'a TuningPlan,
    /// Whether all current values lie within the ranges.
    pub(super) is_within: bool,
}

/// A search of a part of the ranges.
pub(super) struct Search<'a> {
    pub(super) task: Task<'a>,
    pub(super) ranges: Ranges<'a>,
    pub(super) seen: Vec<Seen>,
    /// The figures of all goals with the current values.
    before: Vec<Figure>,
    pub(super) proofs: u64,
    /// The number of looks at points, and a model fitted to as many.
    looks: usize,
    model: Option<(usize, Arc<Outlook>)>,
}

impl Search<'_> {
    /// The answer, given results of smaller parts of the ranges. A part without an answer adds to these results.
    pub(super) fn run(
        task: Task<'_>,
        ranges: Ranges<'_>,
        is_part: bool,
        earlier: &mut Earlier,
    ) -> Result<Option<Tuning>, Error> {
        let mut search =
            Search { task, ranges, seen: Vec::new(), before: Vec::new(), proofs: 0, looks: 0, model: None };
        let found = search.search(is_part, earlier)?;
        earlier.points += search.seen.len() as u64 - search.proofs;
        let answer = found.map(|found| search.report(found, earlier.points)).transpose()?;
        let ranges = &search.ranges;
        earlier.seen.extend(search.seen.into_iter().map(|seen| (ranges.values(&seen.place), seen)));
        Ok(answer)
    }

    fn search(&mut self, is_part: bool, earlier: &mut Earlier) -> Result<Option<Found>, Error> {
        if let Some(met) = self.look_at_now()? {
            return Ok(Some(Found::answer(met, SearchEnd::Complete)));
        }
        let numbers = self.ranges.numbers();
        let around: Vec<Place> = match numbers {
            1 => (0..5).map(|index| vec![f64::from(index) / 4.0]).collect(),
            _ => (0..4 + 6 * numbers).map(|index| self.ranges.scattered(index)).collect(),
        };
        self.look_around(around)?;
        let (mut is_spread_out, mut checks) = (false, 0);
        while !self.is_over() && self.seen.len() < MOST_POINTS && self.proofs < PROOFS {
            let outlook = self.outlook();
            let (answer, merit) = self.best(&|place| outlook.merit(place, self.ranges.moved(place)));
            let is_ready = merit > 0.0;
            let reach = if is_ready { self.ranges.moved(&answer) - AS_GOOD } else { self.ranges.farthest() + 0.25 };
            let (next, gain) = self.best(&|place| outlook.gain(place, reach - self.ranges.moved(place)));
            // What this many fights have not settled, more will not settle.
            let gain = if self.fights_of(&next) < ENOUGH * self.proof_length() { gain } else { 0.0 };
            let spent = self.task.crew.done() as f64 / self.proof_length() as f64;
            if is_ready && gain < SMALL * (1.0 + 3.0 * (spent - 0.75).larger(0.0)) {
                let doubted = || Some((self.doubted(&answer)?, 4 * FIRST));
                let check = doubted().or_else(|| Some((self.not_looked_at_before(&answer)?, FIRST)));
                if let Some((place, fights)) = check.filter(|_| checks < CHECKS) {
                    checks += 1;
                    self.look(&place, fights)?;
                    continue;
                }
                if let Some(proof) = self.prove_shown(answer)? {
                    return Ok(Some(Found::answer(proof, SearchEnd::Complete)));
                }
            } else if !is_ready && self.fights_of(&next) >= self.proof_length() / 2 && self.is_too_coarse(&outlook) {
                self.ranges.finer *= 10.0;
            } else if is_ready || gain >= HOPELESS {
                self.look(&next, outlook.fights_at(&next).min(self.proof_length() / 2).max(FIRST))?;
            } else if self.is_too_coarse(&outlook) {
                self.ranges.finer *= 10.0;
            } else if !is_spread_out {
                is_spread_out = true;
                let first = self.seen.len();
                self.look_around((first..first + 8 + 8 * numbers).map(|index| self.ranges.scattered(index)).collect())?;
            } else if is_part {
                return Ok(None);
            } else if let Some(proof) = self.prove_unexpected()? {
                return Ok(Some(Found::answer(proof, SearchEnd::Complete)));
            } else {
                let jump = self.jump();
                self.take_in(earlier)?;
                let nearest = self.nearest()?;
                let trade_offs = self.trade_offs()?;
                let end = if self.is_over() { SearchEnd::UsedUp } else { SearchEnd::Complete };
                let proof = self.prove(nearest)?;
                return Ok(Some(Found { proof, end, trade_offs, jump }));
            }
        }
        if is_part && !self.is_over() {
            return Ok(None);
        }
        if let Some(proof) = self.prove_unexpected()? {
            return Ok(Some(Found::answer(proof, SearchEnd::UsedUp)));
        }
        let outlook = self.outlook();
        let (answer, _) = self.best(&|place| outlook.merit(place, self.ranges.moved(place)));
        let proof = self.prove(answer)?;
        Ok(Some(Found { proof, end: SearchEnd::UsedUp, trade_offs: Vec::new(), jump: self.jump() }))
    }

    /// Whether the search has to end with what it has: it was stopped, or its fights are used up.
    pub(super) fn is_over(&self) -> bool {
        self.task.crew.is_stopped() || self.task.crew.done() >= self.task.plan.fights
    }

    pub(super) fn is_met(&self, figures: &[Figure]) -> bool {
        self.task.goals.iter().zip(figures).all(|(goal, figure)| goal.holds(figure))
    }

    /// Whether figures keep a margin of a number of their errors to the bounds of all goals.
    fn is_shown(&self, figures: &[Figure], errors: f64) -> bool {
        let is_shown = |(goal, figure): (&Goal, &Figure)| {
            let away = to_spare(goal, figure.unit, errors * error_of(figure));
            figure.value.is_some_and(|value| (goal.least + away..=goal.most - away).contains(&value))
        };
        self.task.goals.iter().zip(figures).all(is_shown)
    }

    /// Starts with the current values if they are within the ranges, otherwise with the nearest ones. No change is
    /// needed if the goals are already met.
    fn look_at_now(&mut self) -> Result<Option<Proof>, Error> {
        if !self.task.is_within {
            self.ranges.start = self.ranges.snapped(&self.ranges.start, self.ranges.finer);
            let mut study = Together::starting_at(self.task.agenda, self.task.game, 0)?;
            study.run_to(self.task.crew, NOW)?;
            if study.trials() == 0 {
                return Err(Error::Stopped);
            }
            self.before = study.figures();
            self.look(&self.ranges.start.clone(), FIRST)?;
            return Ok(None);
        }
        let mut fights = NOW;
        for part in [4, 1, 0] {
            self.look(&self.ranges.start.clone(), fights)?;
            let Some(now) = self.seen.first() else { return Err(Error::Stopped) };
            self.before.clone_from(&now.figures);
            // Clearly missed goals need no further precision.
            let is_missed = |(goal, figure): (&Goal, &Figure)| {
                figure.value.is_none()
                    || figure.high.is_some_and(|high| high < goal.least)
                    || figure.low.is_some_and(|low| low > goal.most)
            };
            if self.is_over() || part == 0 || self.task.goals.iter().zip(&now.figures).any(is_missed) {
                break;
            }
            fights = (self.proof_length() / part).saturating_sub(now.study.trials());
        }
        let Some(now) = self.seen.first() else { return Err(Error::Stopped) };
        let is_proven = now.study.trials() >= self.proof_length() && self.is_met(&now.figures);
        let proof = || Proof { place: now.place.clone(), figures: now.figures.clone(), trials: now.study.trials() };
        Ok((is_proven && !self.task.crew.is_stopped()).then(proof))
    }

    fn look_around(&mut self, places: Vec<Place>) -> Result<(), Error> {
        for place in places {
            if !self.is_over() {
                self.look(&self.ranges.snapped(&place, self.ranges.finer), FIRST)?;
            }
        }
        Ok(())
    }

    /// More fights at a point. Different points use different seeds, so that the model averages out chance.
    pub(super) fn look(&mut self, place: &Place, fights: u64) -> Result<(), Error> {
        let index = match self.seen.iter().position(|seen| seen.place == *place) {
            Some(index) => index,
            None => {
                let first = (self.seen.len() as u64) << 32;
                let study = Together::starting_at(self.task.agenda, &self.variant(place)?, first)?;
                self.seen.push(Seen { place: place.clone(), study, figures: Vec::new() });
                self.seen.len() - 1
            }
        };
        self.looks += 1;
        let seen = &mut self.seen[index];
        // A few more would hardly matter.
        let fights = fights.max(seen.study.trials() / 2);
        seen.study.run_to(self.task.crew, seen.study.trials() + fights)?;
        seen.figures = seen.study.figures();
        if seen.study.trials() == 0 {
            self.seen.remove(index);
        }
        Ok(())
    }

    pub(super) fn fights_of(&self, place: &Place) -> u64 {
        self.seen.iter().find(|seen| seen.place == *place).map_or(0, |seen| seen.study.trials())
    }

    fn variant(&self, place: &Place) -> Result<Game, Error> {
        let set = |(vary, value): (&Vary, f64)| vary.at(self.task.game, value);
        let changes = self.ranges.varied.iter().zip(self.ranges.values(place)).map(set);
        let changes = changes.collect::<Result<Vec<_>, Error>>()?;
        self.task.game.variant(&changes)
    }

    /// The current knowledge about all goals.
    pub(super) fn outlook(&mut self) -> Arc<Outlook> {
        let proof = (self.proof_length() as f64, self.next_proof() as f64, spare(self.proofs as usize));
        // Fitting the shape of a model takes many times as long as the model, and the shape changes slowly.
        let model = self.model.as_ref().filter(|(looks, _)| self.looks - looks <= looks / ANEW);
        let prospect = |(index, goal): (usize, &Goal)| {
            let mut known = Vec::with_capacity(self.seen.len());
            for Seen { place, figures, .. } in &self.seen {
                known.push(Known { place, figure: &figures[index], error: error_of(&figures[index]) });
            }
            let one = nearest_to(goal, index, &self.seen).map_or(0.0, |nearest| variance_of_one(nearest, index));
            Prospect::of(goal, &known, one, proof, model.map(|(_, model)| &model.prospects()[index]))
        };
        let prospects = self.task.goals.iter().enumerate().map(prospect).collect();
        let looks = model.map_or(self.looks, |(looks, _)| *looks);
        let outlook = Arc::new(Outlook::new(prospects, self.seen.len()));
        self.model = Some((looks, Arc::clone(&outlook)));
        outlook
    }

    /// Fights until the interval of each goal's figure is no wider than the goal allows. A goal with one bound allows
    /// any width, but an answer keeps a distance from the bound of the precision of the proof.
    pub(super) fn proof_length(&self) -> u64 {
        let (z, least) = (Confidence::default().z(), self.task.plan.study.trials);
        let needed = |(index, goal): (usize, &Goal)| {
            if !(goal.most - goal.least).is_finite() {
                return 2.0 * least as f64;
            }
            let Some(nearest) = nearest_to(goal, index, &self.seen) else { return 0.0 };
            let times = z / goal.tolerance(nearest.figures[index].unit);
            variance_of_one(nearest, index) * times * times
        };
        let needed = self.task.goals.iter().enumerate().map(needed).fold(0.0, f64::larger);
        (needed as u64).max(least).min(MOST_OF_PROOF)
    }

    /// The number of fights of the next proof: more after a failed one, since the goals are then nearly met or missed.
    fn next_proof(&self) -> u64 {
        if self.proofs == 0 { self.proof_length() } else { (2 * self.proof_length()).min(MOST_OF_PROOF) }
    }

    /// A smaller change than an answer that meets the goals by its own few fights, though not by the model, which
    /// cannot represent steps.
    fn doubted(&self, answer: &Place) -> Option<Place> {
        let (reach, most) = (self.ranges.moved(answer) - AS_GOOD, self.proof_length() / 4);
        let is_doubted = |seen: &&Seen| {
            self.ranges.moved(&seen.place) < reach && seen.study.trials() < most && self.is_met(&seen.figures)
        };
        self.seen.iter().find(is_doubted).map(|seen| seen.place.clone())
    }

    /// The midpoint between an answer and the nearest smaller change that was seen to miss a goal, unless they are
    /// close: with steps it may meet the goals, which a smooth model does not predict.
    fn not_looked_at_before(&self, answer: &Place) -> Option<Place> {
        let ranges = &self.ranges;
        let moved = ranges.moved(answer);
        if moved == 0.0 {
            return None;
        }
        let smaller = self.seen.iter().filter(|seen| ranges.moved(&seen.place) < moved && !self.is_met(&seen.figures));
        let near = smaller.map(|seen| apart(answer, &seen.place)).fold(f64::INFINITY, f64::smaller);
        let part = 0.5 * near.smaller(moved) / moved;
        let between: Place = answer.iter().zip(&ranges.start).map(|(at, start)| at + part * (start - at)).collect();
        let between = ranges.snapped(&between, ranges.finer);
        (near > 0.01 && self.seen.iter().all(|seen| seen.place != between) && between != *answer).then_some(between)
    }

    /// The lattice point with the highest score.
    pub(super) fn best(&self, score: &(dyn Fn(&Place) -> f64 + Sync)) -> (Place, f64) {
        self.best_of(self.ranges.finer, score)
    }

    fn best_of(&self, finer: f64, score: &(dyn Fn(&Place) -> f64 + Sync)) -> (Place, f64) {
        let known: Vec<Place> = self.seen.iter().map(|seen| seen.place.clone()).collect();
        self.ranges.best(self.task.crew, &known, finer, score)
    }

    /// Whether a finer lattice has a point that meets the goals.
    fn is_too_coarse(&self, outlook: &Outlook) -> bool {
        self.ranges.finer < FINEST
            && self.ranges.varied.iter().any(|vary| vary.step.is_none())
            && self.best_of(FINEST, &|place| outlook.merit(place, self.ranges.moved(place))).1 > 0.0
    }

    /// A proof that shows an answer; a failed one counts as fights of the search.
    pub(super) fn prove_shown(&mut self, answer: Place) -> Result<Option<Proof>, Error> {
        let failed = self.proofs as usize;
        let Some(proof) = self.prove(answer)? else { return Ok(None) };
        if self.is_shown(&proof.figures, spare(failed)) {
            return Ok(Some(proof));
        }
        self.task.crew.count(proof.trials);
        Ok(None)
    }

    /// An independent study of an answer on different seeds; it ends early if it certainly fails. The search uses its
    /// result. `None` if it is stopped before anything is known.
    fn prove(&mut self, place: Place) -> Result<Option<Proof>, Error> {
        let seed = (self.task.plan.study.seed ^ PROOF_SEED).wrapping_add(self.proofs);
        let crew = Crew::new(&TrialsPlan { seed, ..self.task.plan.study }, &|_| {});
        let mut study = Together::starting_at(self.task.agenda, &self.variant(&place)?, 0)?;
        let length = self.next_proof();
        for part in [4, 2, 1] {
            study.run_to(&crew, (length / part).max(1))?;
            if study.trials() == 0 {
                return Ok(None);
            }
            let figures = study.figures();
            let surely_fails = |(goal, figure): (&Goal, &Figure)| {
                let half = 1.5 * figure.half_width();
                figure.value.is_none_or(|value| value + half < goal.least || value - half > goal.most)
            };
            if crew.is_stopped() || self.task.goals.iter().zip(&figures).any(surely_fails) {
                break;
            }
        }
        (self.proofs, self.looks) = (self.proofs + 1, self.looks + 1);
        let (figures, trials) = (study.figures(), study.trials());
        self.seen.push(Seen { place: place.clone(), study, figures: figures.clone() });
        Ok(Some(Proof { place, figures, trials }))
    }

    /// The proven answer; if it was stopped before, the best one seen.
    fn report(&self, found: Found, points: u64) -> Result<Tuning, Error> {
        let Found { proof, end, trade_offs, jump } = found;
        let end = if self.task.crew.is_stopped() || proof.is_none() { SearchEnd::Stopped } else { end };
        let miss = |seen: &Seen| misses(self.task.goals, &seen.figures);
        let better = |a: &&Seen, b: &&Seen| {
            miss(a).total_cmp(&miss(b)).then(self.ranges.moved(&a.place).total_cmp(&self.ranges.moved(&b.place)))
        };
        let best = || {
            let best = self.seen.iter().min_by(better)?;
            Some(Proof { place: best.place.clone(), figures: best.figures.clone(), trials: best.study.trials() })
        };
        let is_proven = end != SearchEnd::Stopped;
        let Some(answer) = (if is_proven { proof } else { best() }) else { return Err(Error::Stopped) };
        let number = |(vary, value): (&Vary, f64)| {
            let (path, now) = (vary.path.clone(), vary.text_now(self.task.game)?);
            Ok(TunedNumber { path, scales: vary.scales, now, value })
        };
        let goals_met: Vec<bool> =
            self.task.goals.iter().zip(&answer.figures).map(|(goal, figure)| goal.holds(figure)).collect();
        let is_met = is_proven && goals_met.iter().all(|met| *met);
        Ok(Tuning {
            encounter: self.task.encounter.to_owned(),
            goals: self.task.goals.iter().map(|goal| goal.text.clone()).collect(),
            met: is_met,
            numbers: self
                .ranges
                .varied
                .iter()
                .zip(self.ranges.values(&answer.place))
                .map(number)
                .collect::<Result<_, Error>>()?,
            before: if self.before.is_empty() { answer.figures.clone() } else { self.before.clone() },
            after: answer.figures,
            goals_met,
            trials: answer.trials,
            points,
            searched: self.task.crew.done(),
            end,
            trade_offs,
            jump: if is_met { Vec::new() } else { jump },
        })
    }
}

/// The total miss of all goals.
pub(super) fn misses(goals: &[Goal], figures: &[Figure]) -> f64 {
    each_miss(goals, figures).iter().sum()
}

pub(super) fn each_miss(goals: &[Goal], figures: &[Figure]) -> Vec<f64> {
    let miss = |(goal, figure): (&Goal, &Figure)| figure.value.map_or(1e6, |value| goal.miss(value, figure.unit));
    goals.iter().zip(figures).map(miss).collect()
}

/// The observation nearest to a goal, whose variance predicts that of the proof.
fn nearest_to<'a>(goal: &Goal, index: usize, seen: &'a [Seen]) -> Option<&'a Seen> {
    let miss = |seen: &Seen| {
        let figure = &seen.figures[index];
        figure.value.filter(|_| figure.half_width().is_finite()).map(|value| goal.miss(value, figure.unit))
    };
    let known = seen.iter().filter_map(|seen| Some((miss(seen)?, seen)));
    known.min_by(|a, b| a.0.total_cmp(&b.0).then(b.1.study.trials().cmp(&a.1.study.trials()))).map(|(_, seen)| seen)
}

/// The contribution of a single fight to the variance of a figure.
fn variance_of_one(seen: &Seen, index: usize) -> f64 {
    let error = error_of(&seen.figures[index]);
    error * error * seen.study.trials() as f64
}

/// The standard error of a figure, from its interval.
pub(super) fn error_of(figure: &Figure) -> f64 {
    let half = figure.low.zip(figure.high).map_or(f64::INFINITY, |(low, high)| (high - low) / 2.0);
    half / Confidence::default().z()
}
