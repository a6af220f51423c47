//! Searches for values, outward from the current values.

use super::goals::Goal;
use super::ranges::Ranges;
use super::samples::Crew;
use super::together::Agenda;
use super::tune::{Earlier, Search, Task};
use super::tuning::{SearchEnd, TunedNumber, Tuning, TuningPlan};
use super::vary::Vary;
use crate::error::Error;
use crate::game::Game;
use crate::numbers::Extremes;

/// A range is searched outward from the current value if it is more than sixteen times as wide as that value: first up
/// to twice the value on either side, and sixteen times as far each time that nothing meets the goals.
const REACH: f64 = 2.0;
const OUTWARD: f64 = 16.0;
const WIDE: f64 = 0.125;
/// The smallest part, limited by the digits of a range.
const LEAST: f64 = 1e-12;

/// Searches for values of the varied numbers, within their ranges, that meet all goals with the smallest change, where
/// each change is relative to the width of its range. If none do, the result contains the nearest values and, if
/// several goals conflict, compromises between them.
///
/// Goals without an encounter refer to this one.
///
/// The answer is proven on different seeds from those of the search. `progress` is called with the number of fights.
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
    let agenda = Agenda::of(goals, encounter);
    // Errors in goals are reported before any search.
    agenda.check(game, goals)?;
    let now = varied.iter().map(|vary| vary.value_now(game)).collect::<Result<Vec<_>, _>>()?;
    // For a formula, the search starts in the middle of the range.
    let start = |(vary, now): (&Vary, &Option<f64>)| now.unwrap_or((vary.bounds().0 + vary.bounds().1) / 2.0);
    let starts: Vec<f64> = varied.iter().zip(&now).map(start).collect();
    let within = |(vary, now): (&Vary, &Option<f64>)| {
        let (low, high) = vary.bounds();
        now.is_some_and(|now| (low..=high).contains(&now))
    };
    let is_within = varied.iter().zip(&now).all(within);
    let crew = Crew::new(&plan.study, progress);
    let task = Task { game, encounter, agenda: &agenda, goals, crew: &crew, plan, is_within };
    // As shares of the whole ranges.
    let changed_by = |tuning: &Tuning| {
        let share = |((vary, start), number): ((&Vary, &f64), &TunedNumber)| {
            let (low, high) = vary.bounds();
            if high > low { (number.value - start) / (high - low) } else { 0.0 }
        };
        let shares = varied.iter().zip(&starts).zip(&tuning.numbers).map(share);
        shares.map(|share| share * share).sum::<f64>().sqrt()
    };
    let (mut found, mut earlier): (Option<Tuning>, Earlier) = (None, Earlier::default());
    let parts = if is_within { parts_to_search(varied, &starts) } else { vec![1.0] };
    for part in parts {
        let narrowed: Vec<Vary> = varied.iter().zip(&starts).map(|(vary, at)| narrowed(vary, *at, part)).collect();
        let ranges = Ranges::part_of(varied, &narrowed, &starts);
        let Some(answer) = Search::run(task, ranges, part < 1.0, &mut earlier)? else { continue };
        // No point beyond this part is a smaller change.
        let is_least = answer.met && changed_by(&answer) <= part * (1.0 + 1e-9);
        let is_better = |before: &Tuning| answer.met && changed_by(&answer) < changed_by(before);
        let found_now = match found.take() {
            Some(before) if !is_better(&before) => {
                Tuning { points: earlier.points, searched: answer.searched, ..before }
            }
            _ => answer,
        };
        if is_least || found_now.end != SearchEnd::Complete {
            return Ok(found_now);
        }
        found = Some(found_now);
    }
    found.ok_or(Error::Stopped)
}

/// The parts of the ranges that are searched one after the other, as shares to either side of the current values. A
/// range that is much wider than its value is searched outward: points spread over all of it would miss what happens in
/// a hundredth of it.
fn parts_to_search(varied: &[Vary], starts: &[f64]) -> Vec<f64> {
    let of = |(vary, start): (&Vary, &f64)| {
        let (low, high) = vary.bounds();
        (*start != 0.0).then(|| start.abs() * REACH / (high - low))
    };
    let least = varied.iter().zip(starts).filter_map(of).fold(1.0, f64::smaller).larger(LEAST);
    let mut parts: Vec<f64> =
        std::iter::successors(Some(least), |part| Some(part * OUTWARD)).take_while(|part| *part < WIDE).collect();
    parts.push(1.0);
    parts
}

/// A part of a range around a value; its steps start at the lower end of the whole range.
fn narrowed(vary: &Vary, start: f64, part: f64) -> Vary {
    if part >= 1.0 {
        return vary.clone();
    }
    let (low, high) = vary.bounds();
    let half = part * (high - low);
    let (mut from, mut to) = ((start - half).larger(low), (start + half).smaller(high));
    if let Some(step) = vary.step {
        from = low + ((from - low) / step).floor() * step;
        to = low + ((to - low) / step).ceil() * step;
    }
    Vary { values: vec![from, to.smaller(high)], ..vary.clone() }
}
