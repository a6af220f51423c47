//! One fight: what is left of each combatant, and its statuses as strips.

use edgeplane::{CombatantId, Event, Setup, StatusId};
use plotters::style::Color;
use plotters::style::text_anchor::HPos;

use super::{FAINT, colour, fill, fitting, font, line, picture, placed, put, quiet};
use crate::command::Failure;
use crate::view::recorder::{Chart, Entry};

const LEFT: i32 = 150;
const WIDTH: i32 = 1000;
const BAND: i32 = 54;
const STRIP: i32 = 14;
/// Most strips of one combatant.
const MOST_STRIPS: usize = 5;

/// A status while it was there: from, to, and its most stacks.
struct Strip {
    status: StatusId,
    from: f64,
    to: f64,
    stacks: u32,
}

/// A band for each combatant: its line of health, and below it the statuses that it had.
pub(crate) fn pools(setup: &Setup, entries: &[Entry], charts: &[Chart], title: &str) -> Result<String, Failure> {
    let end = entries.iter().rev().find_map(|entry| match entry {
        Entry::Event(logged) => Some(logged.at.seconds()),
        Entry::Formula(..) => None,
    });
    let end = end.unwrap_or(0.0).max(1e-3);
    let strips: Vec<Vec<Vec<Strip>>> = setup.ids().map(|who| strips(setup, entries, who, end)).collect();
    let heights: Vec<i32> = strips.iter().map(|rows| BAND + STRIP * rows.len() as i32 + 14).collect();
    let size = (WIDTH as u32, (58 + heights.iter().sum::<i32>() + 40) as u32);
    let place = |seconds: f64| LEFT + (seconds / end * f64::from(WIDTH - LEFT - 30)) as i32;
    let below = "Filled: what is left of the pool that defeats. Strips: statuses, as long as they lasted, with their most stacks.";
    picture(size, title, below, |area| {
        let mut top = 0;
        for (who, combatant) in setup.combatants.iter().enumerate() {
            let ink = colour(combatant.side.index());
            put(area, &fitting(&combatant.label, LEFT - 16), (LEFT - 10, top + 14), placed(font(13), HPos::Right))?;
            put(area, &setup.sides[combatant.side.index()], (LEFT - 10, top + 32), placed(quiet(12), HPos::Right))?;
            let base = top + BAND;
            for (index, (at, left)) in charts[who].points.iter().enumerate() {
                let until = charts[who].points.get(index + 1).map_or(end, |(next, _)| next.seconds());
                let height = (left / charts[who].cap.max(1e-9) * f64::from(BAND - 8)) as i32;
                let (from, to) = (place(at.seconds()), place(until));
                if to > from && height > 0 {
                    fill(area, (from, base - height), (to, base), ink.mix(0.75).filled())?;
                }
            }
            line(area, (LEFT, base), (WIDTH - 30, base), FAINT.stroke_width(1))?;
            for (row, strips_of_row) in strips[who].iter().enumerate() {
                let y = base + 3 + STRIP * row as i32;
                let name = &setup.program().status(strips_of_row[0].status).name;
                put(area, &fitting(name, LEFT - 16), (LEFT - 10, y + STRIP / 2), placed(quiet(11), HPos::Right))?;
                for strip in strips_of_row {
                    let (from, to) = (place(strip.from), place(strip.to).max(place(strip.from) + 2));
                    fill(area, (from, y + 2), (to, y + STRIP - 2), ink.mix(0.3).filled())?;
                    if strip.stacks > 1 && to - from > 24 {
                        put(
                            area,
                            &format!("× {}", strip.stacks),
                            (from + 4, y + STRIP / 2),
                            placed(font(10), HPos::Left),
                        )?;
                    }
                }
            }
            top += heights[who];
        }
        for tick in 0..=5 {
            let at = end * f64::from(tick) / 5.0;
            put(area, &format!("{at:.1} s"), (place(at), top + 12), placed(quiet(12), HPos::Center))?;
        }
        Ok(())
    })
}

/// A row for each status, those that lasted longest first.
fn strips(setup: &Setup, entries: &[Entry], who: CombatantId, end: f64) -> Vec<Vec<Strip>> {
    let statuses = setup.program().statuses();
    let mut rows: Vec<Vec<Strip>> = statuses.iter().map(|_| Vec::new()).collect();
    let mut open: Vec<Option<(f64, u32)>> = vec![None; statuses.len()];
    for entry in entries {
        let Entry::Event(logged) = entry else { continue };
        let (Event::StatusGained { target, status, total, .. }
        | Event::StatusStacks { target, status, total, .. }
        | Event::StatusLost { target, status, total, .. }) = logged.event
        else {
            continue;
        };
        if target != who || statuses[status.index()].hidden {
            continue;
        }
        let at = logged.at.seconds();
        match (open[status.index()], total) {
            (Some((from, stacks)), 0) => {
                rows[status.index()].push(Strip { status, from, to: at, stacks });
                open[status.index()] = None;
            }
            (Some((from, stacks)), total) => open[status.index()] = Some((from, stacks.max(total))),
            (None, 0) => {}
            (None, total) => open[status.index()] = Some((at, total)),
        }
    }
    for (index, left) in open.into_iter().enumerate() {
        if let Some((from, stacks)) = left {
            rows[index].push(Strip { status: StatusId(index as u16), from, to: end, stacks });
        }
    }
    rows.retain(|row| !row.is_empty());
    rows.sort_by(|a, b| length(b).total_cmp(&length(a)));
    rows.truncate(MOST_STRIPS);
    rows
}

fn length(row: &[Strip]) -> f64 {
    row.iter().map(|strip| strip.to - strip.from).sum()
}
