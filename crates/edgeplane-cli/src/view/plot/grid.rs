//! Grids of shaded cells with numbers.

use edgeplane::measures::Unit;
use edgeplane::study::{Matrix, Sweep};
use plotters::style::text_anchor::HPos;
use plotters::style::{Color, RGBColor, WHITE};

use super::{INK, PAPER, colour, fill, fitting, font, picture, placed, put, quiet};
use crate::command::Failure;
use crate::view::{figures, text};

const LABELS: i32 = 190;
const ROW: i32 = 40;

struct Grid {
    heading: String,
    below: String,
    /// Above the column labels.
    across: String,
    rows: Vec<String>,
    columns: Vec<String>,
    /// Row by row: the shade, 0 to 1, and the text.
    cells: Vec<(f64, String)>,
}

fn draw(grid: &Grid) -> Result<String, Failure> {
    let columns = grid.columns.len() as i32;
    let cell = (800 / columns.max(1)).clamp(58, 130);
    let size = (LABELS + cell * columns + 40, 58 + 50 + ROW * grid.rows.len() as i32 + 20);
    picture((size.0.max(720) as u32, size.1 as u32), &grid.heading, &grid.below, |area| {
        put(area, &grid.across, (LABELS + 8, 8), placed(quiet(12), HPos::Left))?;
        for (index, name) in grid.columns.iter().enumerate() {
            let middle = LABELS + cell * index as i32 + cell / 2;
            put(area, &fitting(name, cell), (middle, 34), placed(font(12), HPos::Center))?;
        }
        for (index, name) in grid.rows.iter().enumerate() {
            let top = 50 + ROW * index as i32;
            put(area, &fitting(name, LABELS - 12), (LABELS - 10, top + ROW / 2), placed(font(12), HPos::Right))?;
            for column in 0..grid.columns.len() {
                // A study that was stopped lacks some cells.
                let Some((dark, text)) = grid.cells.get(index * grid.columns.len() + column) else { continue };
                let left = LABELS + cell * column as i32;
                fill(area, (left, top), (left + cell - 2, top + ROW - 2), shade(*dark).filled())?;
                let ink: &RGBColor = if *dark > 0.55 { &WHITE } else { &INK };
                put(area, text, (left + cell / 2 - 1, top + ROW / 2), placed(font(13).color(ink), HPos::Center))?;
            }
        }
        Ok(())
    })
}

/// From white to the main colour: darker is more, also in greyscale.
fn shade(dark: f64) -> RGBColor {
    let mix = |from: u8, to: u8| (f64::from(from) + (f64::from(to) - f64::from(from)) * (0.06 + dark * 0.94)) as u8;
    let to = colour(0);
    RGBColor(mix(PAPER.0, to.0), mix(PAPER.1, to.1), mix(PAPER.2, to.2))
}

/// The win rates of all pairs.
pub(crate) fn matrix(found: &Matrix) -> Result<String, Failure> {
    let count = found.characters.len();
    let cell = |index: usize| {
        let (duel, swapped) = found.duel(index / count, index % count);
        let wins = if swapped { &duel.loss_rate } else { &duel.win_rate };
        let value = wins.value.unwrap_or_default();
        (value, format!("{:.0} %", value * 100.0))
    };
    draw(&Grid {
        heading: "Who wins against whom, one against one".to_owned(),
        below: format!(
            "{} fights a pair; the rest to 100 % are draws; duels end after {} s",
            text::grouped(found.trials),
            found.time_limit
        ),
        across: "share of fights that the row wins against".to_owned(),
        rows: found.characters.clone(),
        columns: found.characters.clone(),
        cells: (0..count * count).map(cell).collect(),
    })
}

/// One measure over two varied numbers.
pub(crate) fn sweep_grid(sweep: &Sweep, measure: usize) -> Result<String, Failure> {
    let (rows, columns) = (&sweep.varied[0], &sweep.varied[1]);
    let values = || sweep.points.iter().filter_map(|point| point.figures[measure].value);
    let (low, high) =
        values().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), one| (low.min(one), high.max(one)));
    let unit = sweep.points.first().map_or(Unit::Amount, |point| point.figures[measure].unit);
    let dark = |value: f64| if high > low { (value - low) / (high - low) } else { 0.0 };
    let widest = sweep.points.iter().map(|point| point.figures[measure].half_width()).fold(0.0, f64::max);
    let cell = |point: &edgeplane::study::SweepPoint| {
        let figure = &point.figures[measure];
        (figure.value.map_or(0.0, dark), figures::value(figure.unit, figure.value, widest))
    };
    let names = |number: &edgeplane::study::VariedNumber| {
        let factor = if number.scales { "× " } else { "" };
        number.values.iter().map(|value| format!("{factor}{value}")).collect::<Vec<_>>()
    };
    draw(&Grid {
        heading: sweep.measures[measure].clone(),
        below: format!(
            "{} down (now {}), {} fights a point; lightest {}, darkest {}",
            rows.path,
            fitting(&rows.now, 160),
            text::grouped(sweep.trials),
            figures::value(unit, Some(low).filter(|low| low.is_finite()), widest),
            figures::value(unit, Some(high).filter(|high| high.is_finite()), widest),
        ),
        across: format!("{} across (now {})", columns.path, fitting(&columns.now, 160)),
        rows: names(rows),
        columns: names(columns),
        cells: sweep.points.iter().map(cell).collect(),
    })
}
