//! Shows the effects of an edit: the changed numbers and measures.

use edgeplane::Edit;
use edgeplane::measures::Unit;
use edgeplane::study::Difference;

use super::figures;
use super::table::{self, Column};
use super::text;

/// The maximum number of edits listed; the rest is counted.
const MOST_EDITS: usize = 20;

pub(crate) fn draw(edits: &[Edit], differences: &[Difference]) -> String {
    format!("{}\n{}\n{}", edited(edits), table(differences), reading(differences))
}

pub(super) fn edited(edits: &[Edit]) -> String {
    if edits.is_empty() {
        return " The two rulesets are equal.\n".to_owned();
    }
    let side = |value: &Option<String>| value.clone().unwrap_or_else(|| "–".to_owned());
    let row = |edit: &Edit| vec![edit.path.clone(), side(&edit.before), side(&edit.after)];
    let columns = [Column::Words("what differs"), Column::Words("before"), Column::Words("after")];
    let mut drawn = table::draw(&columns, edits.iter().take(MOST_EDITS).map(row).collect());
    if edits.len() > MOST_EDITS {
        drawn.push_str(&format!(" and {} more\n", edits.len() - MOST_EDITS));
    }
    drawn
}

fn table(differences: &[Difference]) -> String {
    let row = |one: &Difference| {
        let word = match (one.is_certain(), one.difference) {
            (_, None) => "no value",
            _ if one.trials_that_differ == 0.0 => "no fight differs",
            (true, _) => "changed",
            (false, _) => "within chance",
        };
        vec![
            one.measure.clone(),
            figures::of(&one.before),
            figures::of(&one.after),
            change(one),
            span(one),
            one.detectable.map_or_else(|| "–".to_owned(), |size| unsigned(one.unit, size)),
            if one.is_certain() { text::strong(word) } else { word.to_owned() },
        ]
    };
    let columns = [
        Column::Words("measure"),
        Column::Numbers("before"),
        Column::Numbers("after"),
        Column::Numbers("change"),
        Column::Numbers("95 % interval"),
        Column::Numbers("would show"),
        Column::Words(""),
    ];
    table::draw(&columns, differences.iter().map(row).collect())
}

fn reach(one: &Difference) -> f64 {
    match (one.low, one.high) {
        (Some(low), Some(high)) => (high - low) / 2.0,
        _ => f64::INFINITY,
    }
}

/// A signed value; differences of shares are in percentage points.
pub(crate) fn signed(unit: Unit, value: Option<f64>, reach: f64) -> String {
    let Some(number) = value else { return "–".to_owned() };
    let drawn = figures::value(unit, value, reach).replace(" %", " pp");
    if number > 0.0 { format!("+{drawn}") } else { drawn.replacen('-', "−", 1) }
}

/// The size of a difference.
fn unsigned(unit: Unit, size: f64) -> String {
    signed(unit, Some(size), size / 10.0).trim_start_matches('+').to_owned()
}

pub(crate) fn change(one: &Difference) -> String {
    signed(one.unit, one.difference, reach(one))
}

pub(crate) fn span(one: &Difference) -> String {
    match (one.low, one.high) {
        (Some(_), Some(_)) if reach(one).is_finite() => {
            let low = signed(one.unit, one.low, reach(one));
            let bare = low.split(' ').next().unwrap_or_default().to_owned();
            format!("{bare} … {}", signed(one.unit, one.high, reach(one)))
        }
        _ => "–".to_owned(),
    }
}

fn reading(differences: &[Difference]) -> String {
    let savings = differences.iter().filter_map(|one| one.saving).filter(|saving| saving.is_finite());
    let mut savings: Vec<f64> = savings.collect();
    savings.sort_by(f64::total_cmp);
    let saved = savings.get(savings.len() / 2).map_or_else(String::new, |times| {
        format!(" Two independent studies would need about {times:.0} times as many fights for this.\n")
    });
    format!(
        " pp: percentage points. `changed` means that the interval excludes 0; of {} measures without any change, one in twenty would\n still appear changed. `would show`: at least four of five comparisons with as many fights detect a change of this size; half\n of it requires four times as many.\n{saved}",
        differences.len()
    )
}

/// One row for each measure.
pub(crate) fn rows(differences: &[Difference]) -> Vec<Vec<String>> {
    let header = ["measure", "unit", "before", "after", "change", "low", "high", "trials that differ", "detectable"];
    let row = |one: &Difference| {
        vec![
            one.measure.clone(),
            figures::unit(one.unit).to_owned(),
            figures::cell(one.before.value),
            figures::cell(one.after.value),
            figures::cell(one.difference),
            figures::cell(one.low),
            figures::cell(one.high),
            one.trials_that_differ.to_string(),
            figures::cell(one.detectable),
        ]
    };
    std::iter::once(header.map(str::to_owned).to_vec()).chain(differences.iter().map(row)).collect()
}
