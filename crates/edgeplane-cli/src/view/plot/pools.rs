//! One fight: the health of each combatant, and its statuses as strips.

use std::fmt::Write as _;

use edgeplane::program::StatusKind;
use edgeplane::{CombatantId, Event, Setup, StatusId, Time};
use plotters::element::Polygon;
use plotters::style::Color;
use plotters::style::text_anchor::HPos;

use super::{FAINT, colour, fill, fitting, font, line, picture, placed, plain, put, quiet};
use crate::command::Failure;
use crate::view::pools::end_of;
use crate::view::recorder::Entry;
use crate::view::timeline::{self, Story};
use crate::view::xml;

const LEFT: i32 = 150;
const WIDTH: i32 = 1000;
const BAND: i32 = 54;
const STRIP: i32 = 14;
/// The maximum number of strips of a combatant.
const MOST_STRIPS: usize = 5;

/// A status over its lifetime: start, end, and its maximum of stacks.
struct Strip {
    status: StatusId,
    from: f64,
    to: f64,
    stacks: u32,
}

/// The space above the bands in [`picture`].
const HEADING: i32 = 58;

/// A band for each combatant: its line of health, marks for events, and its statuses below. Each mark and each strip
/// has its own tooltip.
pub(crate) fn pools(story: &Story<'_>) -> Result<String, Failure> {
    let Story { setup, entries, charts, ref title, .. } = *story;
    let mut marks = String::new();
    let last = end_of(entries);
    let end = last.seconds().max(1e-3);
    // Changes within less than two pixels are drawn as continuous.
    let least = Time((last.0 / (WIDTH - LEFT) as u64 * 2).max(1));
    let pool = setup.program().pools().iter().position(|pool| pool.defeat);
    let strips: Vec<Vec<Vec<Strip>>> = setup.ids().map(|who| strips(setup, entries, who, end)).collect();
    let heights: Vec<i32> = strips.iter().map(|rows| BAND + STRIP * rows.len() as i32 + 14).collect();
    let size = (WIDTH as u32, (58 + heights.iter().sum::<i32>() + 40) as u32);
    let place = |seconds: f64| LEFT + (seconds / end * f64::from(WIDTH - LEFT - 30)) as i32;
    let below = "Filled: the pool that defeats. ▾ damage, + healing, × defeat. Strips: statuses with their maximum of stacks; ▲ good, \
                 ▼ bad for their owner.";
    let tops: Vec<i32> = heights.iter().scan(0, |top, height| Some(std::mem::replace(top, *top + height))).collect();
    let drawn = picture(size, title, below, |area| {
        for (who, combatant) in setup.combatants.iter().enumerate() {
            let top = tops[who];
            let ink = colour(combatant.side.index());
            put(area, &fitting(&combatant.label, LEFT - 16), (LEFT - 10, top + 14), placed(font(13), HPos::Right))?;
            put(area, &setup.sides[combatant.side.index()], (LEFT - 10, top + 32), placed(quiet(12), HPos::Right))?;
            let base = top + BAND;
            if let Some(chart) = charts[who].iter().find(|chart| Some(chart.pool.index()) == pool) {
                let height = |left: f64| (left / chart.cap.max(1e-9) * f64::from(BAND - 8)) as i32;
                let mut shape: Vec<(i32, i32)> = chart
                    .corners(last, least)
                    .into_iter()
                    .map(|(at, left)| (place(at.seconds()), base - height(left)))
                    .collect();
                if let (Some(first), Some(last)) = (shape.first().copied(), shape.last().copied()) {
                    shape.extend([(last.0, base), (first.0, base)]);
                    shape.dedup();
                    area.draw(&Polygon::new(shape, ink.mix(0.75))).map_err(|error| super::broken(&error))?;
                }
            }
            line(area, (LEFT, base), (WIDTH - 30, base), FAINT.stroke_width(1))?;
            for (row, strips_of_row) in strips[who].iter().enumerate() {
                let y = base + 3 + STRIP * row as i32;
                let plan = setup.program().status(strips_of_row[0].status);
                let sign = match plan.kind {
                    StatusKind::Buff => "▲",
                    StatusKind::Debuff => "▼",
                    StatusKind::Neutral => "·",
                };
                let is_good = plan.kind != StatusKind::Debuff;
                let label = format!("{sign} {}", plan.name);
                put(area, &fitting(&label, LEFT - 16), (LEFT - 10, y + STRIP / 2), placed(quiet(11), HPos::Right))?;
                for strip in strips_of_row {
                    let (from, to) = (place(strip.from), place(strip.to).max(place(strip.from) + 2));
                    fill(area, (from, y + 2), (to, y + STRIP - 2), ink.mix(if is_good { 0.3 } else { 0.12 }).filled())?;
                    // Debuffs are hollow.
                    if !is_good {
                        let corners = [(from, y + 2), (to, y + 2), (to, y + STRIP - 2), (from, y + STRIP - 2)];
                        for (index, corner) in corners.iter().enumerate() {
                            line(area, *corner, corners[(index + 1) % 4], ink.stroke_width(1))?;
                        }
                    }
                    let stacks =
                        if strip.stacks > 1 { format!(", × {} at most", strip.stacks) } else { String::new() };
                    let says =
                        format!("{} on {}, {:.2} – {:.2} s{stacks}", plan.name, combatant.label, strip.from, strip.to);
                    let shape = format!("M{from} {}H{to}V{}H{from}Z", HEADING + y + 2, HEADING + y + STRIP - 2);
                    mark(&mut marks, "strip", &shape, &says);
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
        }
        let step = round_step(end / 6.0);
        let ticks = std::iter::successors(Some(0.0), |at| Some(at + step)).take_while(|at| *at <= end * 1.000_001);
        for at in ticks {
            put(
                area,
                &format!("{} s", plain(at)),
                (place(at), heights.iter().sum::<i32>() + 12),
                placed(quiet(12), HPos::Center),
            )?;
        }
        Ok(())
    })?;
    for (logged, says) in timeline::event_lines(story) {
        let (who, kind) = match logged.event {
            Event::Hit { target, .. } => (target, "hit"),
            Event::Healed { target, .. } => (target, "heal"),
            Event::Defeated { who, .. } => (who, "defeat"),
            _ => continue,
        };
        let (x, y) = (place(logged.at.seconds()), HEADING + tops[who.index()] + BAND);
        let shape = match kind {
            "hit" => format!("M{} {}h8l-4 7z", x - 4, y - BAND + 1),
            "heal" => format!("M{x} {}v8m-4 -4h8", y - BAND + 12),
            _ => format!("M{} {}l8 8m0 -8l-8 8", x - 4, y - 12),
        };
        mark(&mut marks, kind, &shape, &says);
    }
    Ok(drawn.replacen("</svg>", &format!("{marks}</svg>"), 1))
}

/// A shape with a tooltip.
fn mark(marks: &mut String, kind: &str, shape: &str, says: &str) {
    // Inside the picture, because it may be used alone.
    let style = match kind {
        "hit" => "fill=\"#a33d17\" stroke=\"#fcfbf6\" stroke-width=\"0.7\"",
        "heal" => "fill=\"none\" stroke=\"#2f6b2a\" stroke-width=\"2.4\"",
        "defeat" => "fill=\"none\" stroke=\"#262e34\" stroke-width=\"2.2\"",
        _ => "fill=\"#ffffff\" fill-opacity=\"0\"",
    };
    let says = xml::escaped(says);
    let _ = writeln!(
        marks,
        "<path class=\"mark\" d=\"{shape}\" {style} pointer-events=\"all\"><title>{says}</title></path>"
    );
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

/// The smallest of 1, 2 and 5 times a power of ten that is at least this long.
fn round_step(least: f64) -> f64 {
    let unit = 10_f64.powf(least.max(1e-3).log10().floor());
    [1.0, 2.0, 5.0].map(|factor| factor * unit).into_iter().find(|step| *step >= least).unwrap_or(10.0 * unit)
}
