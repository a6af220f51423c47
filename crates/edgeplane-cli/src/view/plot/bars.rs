//! Bars to the right and left of a line, with labels beside them.

use edgeplane::Trials;
use edgeplane::study::{AbilityFigures, ChangeEffect, Direction, Effect, Sensitivity, StatusSourceFigures};
use plotters::style::Color;
use plotters::style::text_anchor::HPos;

use super::{FAINT, INK, colour, fill, fitting, font, line, picture, placed, put, quiet};
use crate::command::Failure;
use crate::view::{differences, text};

const ROW: i32 = 26;
const LABELS: i32 = 330;
const WIDTH: i32 = 1000;
/// The maximum number of rows of a picture.
const MOST: usize = 25;

struct Bar {
    label: String,
    value: f64,
    /// The ends of its interval, if it has one.
    ends: Option<(f64, f64)>,
    label_of: String,
    colour: usize,
}

fn bars(heading: &str, below: &str, rows: &[Bar]) -> Result<String, Failure> {
    let ends = rows.iter().flat_map(|row| {
        let (low, high) = row.ends.unwrap_or((row.value, row.value));
        [low, high, row.value]
    });
    let (low, high) = ends.fold((0.0f64, 0.0f64), |(low, high), end| (low.min(end), high.max(end)));
    let span = if high > low { high - low } else { 1.0 };
    let room = f64::from(WIDTH - LABELS - 150);
    let place = |value: f64| LABELS + 30 + ((value - low) / span * room) as i32;
    let height = 58 + ROW * rows.len() as i32 + 20;
    picture((WIDTH as u32, height as u32), heading, below, |area| {
        for (index, row) in rows.iter().enumerate() {
            let top = index as i32 * ROW;
            let middle = top + ROW / 2;
            put(area, &fitting(&row.label, LABELS), (LABELS, middle), placed(font(13), HPos::Right))?;
            let (from, to) = (place(0.0).min(place(row.value)), place(0.0).max(place(row.value)));
            fill(area, (from, top + 5), (to.max(from + 1), top + ROW - 5), colour(row.colour).mix(0.85).filled())?;
            let mut last = to;
            if let Some((low, high)) = row.ends {
                line(area, (place(low), middle), (place(high), middle), INK.stroke_width(1))?;
                for end in [low, high] {
                    line(area, (place(end), middle - 4), (place(end), middle + 4), INK.stroke_width(1))?;
                }
                last = last.max(place(high));
            }
            put(area, &row.label_of, (last + 8, middle), placed(quiet(13), HPos::Left))?;
        }
        line(area, (place(0.0), 0), (place(0.0), ROW * rows.len() as i32), FAINT.stroke_width(1))
    })
}

/// Numbers by the effects of their changes: one bar for each change, one above the other.
pub(crate) fn sensitivity(found: &Sensitivity) -> Result<String, Failure> {
    let certain = found.effects.iter().filter(|effect| effect.is_certain());
    let bar = |(index, effect): (usize, &Effect), change: &ChangeEffect| {
        let one = &change.difference;
        let is_changed = one.trials_that_differ > 0.0;
        let few = if is_changed { String::new() } else { format!(", in {} fights", text::grouped(change.fights)) };
        let (how, colour) = match change.direction {
            Direction::Raised => (" raised", 0),
            Direction::Lowered => (" lowered", 1),
            Direction::Without => ("", 0),
        };
        Bar {
            label: if index == 0 { effect.path.clone() } else { String::new() },
            value: one.difference.unwrap_or_default(),
            // If no fight has changed, an interval only shows how few fights there were, and hides all others.
            ends: one.low.zip(one.high).filter(|_| is_changed),
            label_of: format!("{}{how}{few}", differences::change(one)),
            colour,
        }
    };
    let of = |effect: &Effect| -> Vec<Bar> {
        effect.changes.iter().enumerate().map(|(index, change)| bar((index, effect), change)).collect()
    };
    let rows: Vec<Bar> = certain.flat_map(of).take(MOST + 1).collect();
    let heading = match found.by {
        Some(by) => format!("How {} changes with a number raised or lowered by {}", found.measure, text::percent(by)),
        None => format!("How {} changes without each ability, status and step", found.measure),
    };
    let behind = match found.behind.len() {
        0 => String::new(),
        more => format!("; {} more had smaller apparent effects", text::grouped(more as u64)),
    };
    let below = format!(
        "{}, {} fights in all; lines are simultaneous intervals (95 %){behind}",
        found.encounter,
        text::grouped(found.fights)
    );
    bars(&heading, &below, &rows)
}

/// Damage by combatant and source.
pub(crate) fn damage(trials: &Trials) -> Result<Option<String>, Failure> {
    sources(trials, "Damage in a fight", |one| one.damage, |one| one.damage)
}

/// Healing by combatant and source; `None` if there is none.
pub(crate) fn healing(trials: &Trials) -> Result<Option<String>, Failure> {
    sources(trials, "Healing in a fight", |one| one.healing, |one| one.healing)
}

fn sources(
    trials: &Trials,
    heading: &str,
    of_ability: fn(&AbilityFigures) -> f64,
    of_status: fn(&StatusSourceFigures) -> f64,
) -> Result<Option<String>, Failure> {
    let mut rows = Vec::new();
    for combatant in &trials.kinds_together().combatants {
        let side = trials.sides.iter().position(|side| side.side == combatant.side).unwrap_or(0);
        let abilities = combatant.abilities.iter().map(|one| (&one.ability, of_ability(one)));
        let statuses = combatant.by_status.iter().map(|one| (&one.status, of_status(one)));
        for (source, value) in abilities.chain(statuses).filter(|(_, value)| *value > 0.05) {
            let label = format!("{} · {source}", combatant.combatant);
            rows.push(Bar { label, value, ends: None, label_of: format!("{value:.1}"), colour: side });
        }
    }
    if rows.is_empty() {
        return Ok(None);
    }
    rows.sort_by(|a, b| b.value.total_cmp(&a.value));
    rows.truncate(MOST);
    let sides: Vec<&str> = trials.sides.iter().map(|side| side.side.as_str()).collect();
    let below = format!(
        "{}, mean of {} fights{}; one colour per side: {}",
        trials.encounter,
        text::grouped(trials.trials),
        if trials.has_many_of_a_kind() { ", several of one kind as an average" } else { "" },
        sides.join(", ")
    );
    bars(heading, &below, &rows).map(Some)
}
