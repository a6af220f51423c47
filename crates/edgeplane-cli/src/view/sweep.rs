//! Shows a sweep as a table with a strip chart, or as a grid for two numbers.

use edgeplane::study::{Sweep, SweepPoint, VariedNumber};

use super::table;
use super::{figures, text};

/// The width of the strip in characters.
const WIDTH: usize = 40;

pub(crate) fn draw(sweep: &Sweep) -> String {
    let mut parts: Vec<String> = sweep.varied.iter().map(|number| format!(" {}\n", described(number))).collect();
    match sweep.varied.as_slice() {
        [one] => parts.extend((0..sweep.measures.len()).map(|measure| format!("\n{}", strip(sweep, one, measure)))),
        [rows, columns] => {
            parts.extend((0..sweep.measures.len()).map(|measure| format!("\n{}", grid(sweep, rows, columns, measure))));
        }
        _ => {}
    }
    parts.concat()
}

fn described(number: &VariedNumber) -> String {
    let what = if number.scales { "times a factor; as written" } else { "now" };
    format!("{}, {what} {}", text::bold(&number.path), number.now)
}

fn is_now(number: &VariedNumber, value: f64) -> bool {
    if number.scales { value == 1.0 } else { number.now.parse() == Ok(value) }
}

/// The value, with an arrow at the current one.
fn label(number: &VariedNumber, value: f64) -> String {
    format!("{}{value}", if is_now(number, value) { "now → " } else { "" })
}

fn strip(sweep: &Sweep, number: &VariedNumber, measure: usize) -> String {
    let ends =
        sweep.points.iter().flat_map(|point| [point.figures[measure].low, point.figures[measure].high]).flatten();
    let (low, high) = ends.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), end| (low.min(end), high.max(end)));
    let row = |point: &SweepPoint| {
        let figure = &point.figures[measure];
        let mark = match (figure.low, figure.value, figure.high) {
            (Some(from), Some(value), Some(to)) => drawn(&[from, value, to], low, high),
            _ => String::new(),
        };
        vec![
            label(number, point.at[0]),
            figures::of(figure),
            figures::range(figure.unit, figure.low, figure.high),
            mark,
        ]
    };
    let header = [number.path.rsplit('.').next().unwrap_or_default(), &sweep.measures[measure], "95 % interval"];
    let columns: Vec<String> =
        header.iter().map(|name| (*name).to_owned()).chain([axis(sweep, measure, low, high)]).collect();
    table::draw_under(&columns, sweep.points.iter().map(row).collect())
}

/// The labels of the ends of the strip.
fn axis(sweep: &Sweep, measure: usize, low: f64, high: f64) -> String {
    let unit = sweep.points[0].figures[measure].unit;
    if !(low.is_finite() && high.is_finite()) {
        return String::new();
    }
    let (low, high) =
        (figures::value(unit, Some(low), (high - low) / 10.0), figures::value(unit, Some(high), (high - low) / 10.0));
    let rest = WIDTH.saturating_sub(low.chars().count());
    format!("{low}{high:>rest$}")
}

/// A line for the interval and a dot for the estimate.
fn drawn([from, value, to]: &[f64; 3], low: f64, high: f64) -> String {
    let place = |at: f64| {
        let share = if high > low { (at - low) / (high - low) } else { 0.5 };
        ((share * (WIDTH - 1) as f64).round() as usize).min(WIDTH - 1)
    };
    let (from, dot, to) = (place(*from), place(*value), place(*to));
    let mark = |at: usize| match at {
        at if at == dot => '●',
        at if (from..=to).contains(&at) => '─',
        _ => ' ',
    };
    (0..WIDTH).map(mark).collect::<String>().trim_end().to_owned()
}

fn grid(sweep: &Sweep, rows: &VariedNumber, columns: &VariedNumber, measure: usize) -> String {
    let width = columns.values.len();
    let corner = format!("{} ↓  {} →", last(&rows.path), last(&columns.path));
    let header: Vec<String> =
        std::iter::once(corner).chain(columns.values.iter().map(|value| label(columns, *value))).collect();
    let line = |(points, value): (&[SweepPoint], &f64)| {
        let cells = points.iter().map(|point| figures::of(&point.figures[measure]));
        let missing = std::iter::repeat_n(String::new(), width - points.len());
        std::iter::once(label(rows, *value)).chain(cells).chain(missing).collect()
    };
    let drawn = table::draw_named(&header, sweep.points.chunks(width).zip(&rows.values).map(line).collect());
    let widest = sweep.points.iter().map(|point| point.figures[measure].half_width()).fold(0.0, f64::max);
    let unit = sweep.points[0].figures[measure].unit;
    let reach = figures::value(unit, Some(widest), widest).replace(" %", " pp");
    format!(" {}, each ± {reach} at most\n{drawn}", text::bold(&sweep.measures[measure]))
}

fn last(path: &str) -> &str {
    path.rsplit('.').next().unwrap_or(path)
}

/// One row for each figure.
pub(crate) fn rows(sweep: &Sweep) -> Vec<Vec<String>> {
    let mut header: Vec<String> = sweep.varied.iter().map(|number| number.path.clone()).collect();
    header.extend(["measure", "value", "low", "high", "fights"].map(str::to_owned));
    let of = |point: &SweepPoint| {
        let rows = point.figures.iter().map(|figure| {
            let mut row: Vec<String> = point.at.iter().map(f64::to_string).collect();
            row.push(figure.measure.clone());
            row.extend([figure.value, figure.low, figure.high].map(figures::cell));
            row.push(figure.trials.to_string());
            row
        });
        rows.collect::<Vec<_>>()
    };
    std::iter::once(header).chain(sweep.points.iter().flat_map(of)).collect()
}
