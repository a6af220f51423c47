//! Shows numbers ranked by the effect of a small change.

use edgeplane::measures::Unit;
use edgeplane::study::{ChangeEffect, Direction, Effect, Sensitivity};

use super::table::{self, Column};
use super::{differences, figures, text};

/// The number of rows shown unless all are requested.
const MOST: usize = 15;
/// The maximum length of a bar to either side, in characters.
const BAR: usize = 8;

pub(crate) fn draw(found: &Sensitivity, all: bool) -> String {
    let certain = found.effects.iter().filter(|effect| effect.is_certain()).count();
    let shown = if all { found.effects.len() } else { certain.min(MOST) };
    let now = format!(
        " {} is {} without changes; all intervals hold simultaneously\n",
        text::bold(&found.measure),
        figures::of(&found.before)
    );
    let most = found.effects.iter().map(Effect::size).fold(0.0, f64::max);
    let rows: Vec<_> = found.effects.iter().take(shown).map(|effect| row(found, effect, most)).collect();
    let table = if rows.is_empty() { String::new() } else { format!("\n{}", table::draw(&columns(found), rows)) };
    format!("{now}{}{table}\n{}", saturated(found), rest(found, certain, shown, all))
}

fn columns(found: &Sensitivity) -> Vec<Column> {
    let span = Column::Numbers("95 %");
    match found.by {
        Some(_) => vec![
            Column::Words("number"),
            Column::Words("now"),
            Column::Numbers("raised"),
            span,
            Column::Numbers("lowered"),
            span,
            Column::Words("▒ lowered  █ raised"),
        ],
        None => vec![Column::Words("without"), Column::Numbers("change"), span, Column::Words("")],
    }
}

fn row(found: &Sensitivity, effect: &Effect, most: f64) -> Vec<String> {
    let cells = |direction| match effect.change(direction) {
        Some(ChangeEffect { difference, .. }) => [differences::change(difference), differences::span(difference)],
        None => ["–", "–"].map(str::to_owned),
    };
    let bar = if effect.is_certain() { bar(effect, most) } else { "  within chance".to_owned() };
    let first = match found.by {
        Some(_) => [vec![short(&effect.now)], cells(Direction::Raised).to_vec(), cells(Direction::Lowered).to_vec()],
        None => [cells(Direction::Without).to_vec(), Vec::new(), Vec::new()],
    };
    [vec![effect.path.clone()], first.concat(), vec![bar]].concat()
}

/// A share near 0 or 1 hardly changes, whatever is changed.
fn saturated(found: &Sensitivity) -> String {
    let is_at_an_end = |value: f64| !(0.02..=0.98).contains(&value);
    match found.before.value {
        Some(value) if found.before.unit == Unit::Share && is_at_an_end(value) => {
            " This is so close to its limit that effects hardly show; use `-m duration` or `-m 'left_share(WHO, POOL)'`.\n"
                .to_owned()
        }
        _ => String::new(),
    }
}

/// A bar to the right for more and to the left for less: one for each certain change, the longer one if both have the
/// same direction.
fn bar(effect: &Effect, most: f64) -> String {
    let (mut left, mut right) = (String::new(), String::new());
    for ChangeEffect { direction, difference, .. } in &effect.changes {
        let change = difference.difference.filter(|_| difference.is_certain() && most > 0.0).unwrap_or_default();
        if change == 0.0 {
            continue;
        }
        let length = ((change.abs() / most) * BAR as f64).round().max(1.0) as usize;
        let drawn = if *direction == Direction::Lowered { "▒" } else { "█" }.repeat(length);
        let side = if change < 0.0 { &mut left } else { &mut right };
        if side.chars().count() < length {
            *side = drawn;
        }
    }
    format!("{left:>BAR$}│{right}")
}

fn short(written: &str) -> String {
    const LENGTH: usize = 18;
    if written.chars().count() <= LENGTH {
        return written.to_owned();
    }
    written.chars().take(LENGTH - 1).chain(['…']).collect()
}

fn rest(found: &Sensitivity, certain: usize, shown: usize, all: bool) -> String {
    let mut lines = Vec::new();
    if certain > shown {
        lines.push(format!(" {} more change it for certain; --all shows them", certain - shown));
    }
    let close = found.effects.len() - certain;
    if close > 0 {
        let numbers = counted(found, close, "changes", "change");
        let open = found.effects.iter().filter(|effect| !effect.is_certain()).flat_map(|effect| &effect.changes);
        let ends = open.map(|change| change.difference.low.zip(change.difference.high));
        let most = ends.map(|ends| ends.map_or(f64::INFINITY, |(low, high)| high.max(-low))).fold(0.0, f64::max);
        let most = Some(most).filter(|most| most.is_finite());
        let by = most.map_or_else(String::new, |most| {
            format!(
                " (at most {}; more fights, with -n, detect smaller effects)",
                differences::signed(found.before.unit, Some(most), most / 10.0).trim_start_matches('+')
            )
        });
        lines.push(format!(" {numbers} some fights, but the measure only within chance{by}"));
    }
    if !found.behind.is_empty() {
        let numbers = counted(found, found.behind.len(), "changes", "change");
        let fights = text::grouped(found.screening_fights);
        let by = found.behind_at_most.map_or_else(String::new, |most| {
            let most = differences::signed(found.before.unit, Some(most), most / 10.0);
            format!(", each by at most {}", most.trim_start_matches('+'))
        });
        lines.push(format!(
            " {numbers} some fights, and had smaller apparent effects in {fights} fights with all of them changed together{by}"
        ));
        if all {
            lines.extend(found.behind.iter().map(|path| format!("   {path}")));
        }
    }
    let mut count = |list: &[String], says: &str| {
        if !list.is_empty() {
            let numbers = counted(found, list.len(), "changes", "change");
            lines.push(format!(" {numbers} {says}"));
            if all {
                lines.extend(list.iter().map(|path| format!("   {path}")));
            }
        }
    };
    let none = text::grouped(found.elsewhere_fights);
    count(&found.elsewhere, &format!("the course of fights, but the measure in none of {none}"));
    count(&found.without_effect, "neither the measure nor the duration of any fight");
    let few = text::grouped(found.unseen_fights);
    count(
        &found.unseen,
        &match found.unseen.len() {
            1 => format!("nothing in {few} fights and was not tried further: rarer effects are unknown"),
            _ => format!("nothing in {few} fights each and were not tried further: rarer effects are unknown"),
        },
    );
    if certain == 0 && found.by.is_some() && close > 0 {
        let together = if found.together.is_none() { ", `--together`" } else { "" };
        lines.push(format!(" More fights (`-n`), a larger change (`--by`){together} or another measure may show more"));
    }
    if !found.left_out.is_empty() {
        let how = if all { ":" } else { ", since they are 0 or cannot be changed" };
        lines.push(format!(" {}{how}", counted(found, found.left_out.len(), "left out", "left out")));
    }
    if all {
        lines.extend(found.left_out.iter().map(|(path, reason)| format!("   {path}: {reason}")));
    }
    lines.join("\n") + "\n"
}

/// `12 numbers change`, or for removed rules `12 of them change`.
fn counted(found: &Sensitivity, count: usize, one: &str, many: &str) -> String {
    let what = match (found.by, count) {
        (Some(_), 1) => "number",
        (Some(_), _) => "numbers",
        (None, _) => "of them",
    };
    format!("{} {what} {}", text::grouped(count as u64), if count == 1 { one } else { many })
}

/// One row for each change.
pub(crate) fn rows(found: &Sensitivity) -> Vec<Vec<String>> {
    let header = ["path", "now", "tried", "fights", "change", "low", "high", "certain"].map(str::to_owned).to_vec();
    let row = |effect: &Effect, change: &ChangeEffect| {
        let one = &change.difference;
        vec![
            effect.path.clone(),
            effect.now.clone(),
            change.tried.clone(),
            change.fights.to_string(),
            figures::cell(one.difference),
            figures::cell(one.low),
            figures::cell(one.high),
            one.is_certain().to_string(),
        ]
    };
    let rows = found.effects.iter().flat_map(|effect| effect.changes.iter().map(move |change| row(effect, change)));
    std::iter::once(header).chain(rows).collect()
}
