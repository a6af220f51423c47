//! Shows expectations and whether they hold: as a table, and as JUnit XML for build servers.

use edgeplane::rules::ExpectRule;
use edgeplane::study::{Expectation, Verdict};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};

use super::table::{self, Column};
use super::xml::allowed;
use super::{figures, text};
use crate::command::Failure;

pub(crate) fn draw(found: &[Expectation], asked: usize) -> String {
    let row = |one: &Expectation| {
        vec![
            word(one.verdict).to_owned(),
            one.that.clone(),
            one.encounter.clone(),
            wanted(one),
            figures::of(&one.figure),
            figures::range(one.figure.unit, one.figure.low, one.figure.high),
            text::grouped(one.figure.trials),
        ]
    };
    let columns = [
        Column::Words(""),
        Column::Words("expected of"),
        Column::Words("in"),
        Column::Numbers("wanted"),
        Column::Numbers("found"),
        Column::Numbers("99 %, simultaneous"),
        Column::Numbers("fights"),
    ];
    let table = table::draw(&columns, found.iter().map(row).collect());
    let table: String = table.lines().map(standing_out).collect();
    format!("{table}\n{}", summary(found, asked))
}

/// A line of the table, with a bad verdict in bold, applied last because styles would count as width.
fn standing_out(line: &str) -> String {
    let bad = [Verdict::FailsBarely, Verdict::Fails, Verdict::NoValue].map(word);
    match bad.iter().find(|word| line.trim_start().starts_with(**word)) {
        Some(word) => format!("{}\n", line.replacen(word, &text::strong(word), 1)),
        None => format!("{line}\n"),
    }
}

pub(crate) fn word(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Holds => "holds",
        Verdict::HoldsBarely => "holds, barely",
        Verdict::FailsBarely => "FAILS, barely",
        Verdict::Fails => "FAILS",
        Verdict::NoValue => "NO VALUE",
    }
}

pub(crate) fn wanted(one: &Expectation) -> String {
    let unit = one.figure.unit;
    match (one.at_least, one.at_most) {
        (Some(_), Some(_)) => figures::range(unit, one.at_least, one.at_most),
        (Some(_), None) => format!("≥ {}", figures::value(unit, one.at_least, 0.1)),
        (None, Some(_)) => format!("≤ {}", figures::value(unit, one.at_most, 0.1)),
        (None, None) => String::new(),
    }
}

fn summary(found: &[Expectation], asked: usize) -> String {
    let unknown = match asked - found.len() {
        0 => String::new(),
        left => format!(" {left} of {asked} were not checked.\n"),
    };
    let failed: Vec<&Expectation> = found.iter().filter(|one| !one.verdict.holds()).collect();
    if failed.is_empty() {
        let all = match (found.len(), unknown.is_empty()) {
            (1, true) => "The expectation holds.".to_owned(),
            (count, true) => format!("All {count} hold."),
            (count, false) => format!("{count} of {asked} hold."),
        };
        return format!(" {all}\n{unknown}");
    }
    let verb = if failed.len() == 1 { "fails" } else { "fail" };
    let mut lines = format!(" {} of {} {verb}:\n", failed.len(), found.len());
    for one in failed {
        let because = if one.because.is_empty() { String::new() } else { format!(" — {}", one.because) };
        lines.push_str(&format!("   {} in {}{because}\n", one.that, one.encounter));
    }
    lines + &unknown
}

/// The same for build servers: one test for each expectation; those that were not checked are skipped.
pub(crate) fn junit(title: &str, found: &[Expectation], skipped: &[&ExpectRule]) -> Result<String, Failure> {
    let mut report = Report::new(allowed(&format!("expectations of {title}")));
    let mut suite = TestSuite::new(allowed(title));
    for one in found {
        let figure = format!(
            "{} in {}: found {} ({}), wanted {}",
            one.that,
            one.encounter,
            figures::of(&one.figure),
            figures::range(one.figure.unit, one.figure.low, one.figure.high),
            wanted(one)
        );
        let mut status = TestCaseStatus::success();
        if !one.verdict.holds() {
            status = TestCaseStatus::non_success(NonSuccessKind::Failure);
            status.set_message(allowed(&figure));
            if !one.because.is_empty() {
                status.set_description(allowed(&one.because));
            }
        }
        let mut case = TestCase::new(allowed(&one.that), status);
        case.set_classname(allowed(&one.encounter));
        case.set_system_out(allowed(&format!("{figure}, {} fights", one.figure.trials)));
        suite.add_test_case(case);
    }
    for rule in skipped {
        let mut status = TestCaseStatus::skipped();
        status.set_message("stopped before it was checked");
        let mut case = TestCase::new(allowed(&rule.that.text), status);
        case.set_classname(allowed(&rule.encounter.text));
        suite.add_test_case(case);
    }
    report.add_test_suite(suite);
    report.to_string().map_err(|error| Failure::Message(error.to_string()))
}

/// One row for each expectation.
pub(crate) fn rows(found: &[Expectation]) -> Vec<Vec<String>> {
    let header = ["that", "in", "at least", "at most", "value", "low", "high", "fights", "verdict"];
    let row = |one: &Expectation| {
        let figure = &one.figure;
        let mut row = vec![one.that.clone(), one.encounter.clone()];
        row.extend([one.at_least, one.at_most, figure.value, figure.low, figure.high].map(figures::cell));
        row.extend([figure.trials.to_string(), word(one.verdict).to_lowercase()]);
        row
    };
    std::iter::once(header.map(str::to_owned).to_vec()).chain(found.iter().map(row)).collect()
}
