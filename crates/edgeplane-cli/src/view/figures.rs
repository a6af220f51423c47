//! Figures with their intervals and units.

use edgeplane::Figure;
use edgeplane::measures::Unit;

use super::table::{self, Column};

/// A value with the digits that its interval makes meaningful, plus one.
pub(crate) fn value(unit: Unit, value: Option<f64>, reach: f64) -> String {
    let Some(value) = value else { return "–".to_owned() };
    match unit {
        Unit::Share => format!("{:.*} %", digits(reach * 100.0).min(2), value * 100.0 + 0.0),
        Unit::Seconds => format!("{:.*} s", digits(reach), value + 0.0),
        Unit::PerSecond => format!("{:.*} /s", digits(reach), value + 0.0),
        Unit::Count | Unit::Amount => format!("{:.*}", digits(reach), value + 0.0),
    }
}

/// The number of useful decimals.
fn digits(reach: f64) -> usize {
    if !reach.is_finite() || reach <= 0.0 {
        return 2;
    }
    (1.0 - reach.log10().floor()).clamp(1.0, 5.0) as usize
}

pub(crate) fn of(figure: &Figure) -> String {
    value(figure.unit, figure.value, figure.half_width())
}

pub(crate) fn range(unit: Unit, low: Option<f64>, high: Option<f64>) -> String {
    let (low, high) = match (low, high) {
        (Some(low), Some(high)) => (low, high),
        // An open end: too few fights, or too little variation, to bound it.
        (Some(low), None) => return format!("≥ {}", value(unit, Some(low), 0.0)),
        (None, Some(high)) => return format!("≤ {}", value(unit, Some(high), 0.0)),
        (None, None) => return "–".to_owned(),
    };
    let reach = (high - low) / 2.0;
    let bare = |end: f64| value(unit, Some(end), reach).split(' ').next().unwrap_or_default().to_owned();
    format!("{} – {}", bare(low), value(unit, Some(high), reach))
}

/// A table of figures.
pub(crate) fn draw(figures: &[Figure]) -> String {
    let row = |figure: &Figure| vec![figure.measure.clone(), of(figure), range(figure.unit, figure.low, figure.high)];
    let columns = [Column::Words("measure"), Column::Numbers("estimate"), Column::Numbers("95 % interval")];
    table::draw(&columns, figures.iter().map(row).collect())
}

/// One row for each figure.
pub(crate) fn rows(figures: &[Figure]) -> Vec<Vec<String>> {
    let header = ["measure", "unit", "value", "low", "high", "fights"].map(str::to_owned).to_vec();
    let row = |figure: &Figure| {
        vec![
            figure.measure.clone(),
            unit(figure.unit).to_owned(),
            cell(figure.value),
            cell(figure.low),
            cell(figure.high),
            figure.trials.to_string(),
        ]
    };
    std::iter::once(header).chain(figures.iter().map(row)).collect()
}

/// A number for a spreadsheet; empty if there is none.
pub(crate) fn cell(value: Option<f64>) -> String {
    value.map_or_else(String::new, |value| value.to_string())
}

pub(crate) fn unit(unit: Unit) -> &'static str {
    match unit {
        Unit::Share => "share",
        Unit::Seconds => "seconds",
        Unit::Count => "count",
        Unit::Amount => "amount",
        Unit::PerSecond => "per second",
    }
}
