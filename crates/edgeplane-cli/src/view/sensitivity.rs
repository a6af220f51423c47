//! Numbers ranked by what a small change of each does.

use edgeplane::measures::Unit;
use edgeplane::study::{Effect, Sensitivity};

use super::table::{self, Column};
use super::{differences, figures, text};

/// Numbers that are shown unless all are asked for.
const MOST: usize = 15;
/// Characters of the longest bar, to either side.
const BAR: usize = 10;

pub(crate) fn draw(found: &Sensitivity, all: bool) -> String {
    let certain = found.effects.iter().filter(|effect| effect.difference.is_certain()).count();
    let shown = if all { found.effects.len() } else { certain.min(MOST) };
    let now = format!(" {} is {} as things are\n", text::bold(&found.measure), figures::of(&found.before));
    let most = found
        .effects
        .iter()
        .filter_map(|effect| effect.difference.difference)
        .fold(0.0, |most: f64, one| most.max(one.abs()));
    let row = |effect: &Effect| {
        let change = effect.difference.difference.unwrap_or_default();
        let first = [Some(effect.path.clone()), found.raised_by.map(|_| short(&effect.now))];
        let rest = [
            differences::change(&effect.difference),
            differences::span(&effect.difference),
            text::grouped(effect.pairs),
            if effect.difference.is_certain() { bar(change, most) } else { "  within chance".to_owned() },
        ];
        first.into_iter().flatten().chain(rest).collect()
    };
    let what = match found.raised_by {
        Some(_) => vec![Column::Words("number"), Column::Words("now")],
        None => vec![Column::Words("without")],
    };
    let rest_of =
        [Column::Numbers("change"), Column::Numbers("95 %, all at once"), Column::Numbers("pairs"), Column::Words("")];
    let columns: Vec<Column> = what.into_iter().chain(rest_of).collect();
    let rows: Vec<_> = found.effects.iter().take(shown).map(row).collect();
    let table = if rows.is_empty() { String::new() } else { format!("\n{}", table::draw(&columns, rows)) };
    format!("{now}{}{table}\n{}", saturated(found), rest(found, certain, shown, all))
}

/// A share at one of its ends hardly moves, whatever is changed.
fn saturated(found: &Sensitivity) -> String {
    let is_at_an_end = |value: f64| !(0.02..=0.98).contains(&value);
    match found.before.value {
        Some(value) if found.before.unit == Unit::Share && is_at_an_end(value) => {
            " That is so near to its end that little can show; `-m duration` or `-m 'left_share(WHO, POOL)'` can.\n"
                .to_owned()
        }
        _ => String::new(),
    }
}

/// A bar to the right for more, to the left for less.
fn bar(change: f64, most: f64) -> String {
    let length = if most > 0.0 { ((change.abs() / most) * BAR as f64).round().max(1.0) as usize } else { 0 };
    if change < 0.0 {
        format!("{:>BAR$}│", "█".repeat(length))
    } else {
        format!("{:>BAR$}│{}", "", "█".repeat(length))
    }
}

fn short(written: &str) -> String {
    const LENGTH: usize = 28;
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
        let open = found.effects.iter().filter(|effect| !effect.difference.is_certain());
        let ends = open.map(|effect| effect.difference.low.zip(effect.difference.high));
        let most = ends.map(|ends| ends.map_or(f64::INFINITY, |(low, high)| high.max(-low))).fold(0.0, f64::max);
        let most = Some(most).filter(|most| most.is_finite());
        let by = most.map_or_else(String::new, |most| {
            format!(
                " (at most {})",
                differences::signed(found.before.unit, Some(most), most / 10.0).trim_start_matches('+')
            )
        });
        lines.push(format!(" {numbers} some fights, and the measure within chance{by}"));
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
    count(&found.elsewhere, &format!("how fights go, and the measure in none of {none}"));
    count(&found.without_effect, "neither the measure nor the duration of any fight");
    let few = text::grouped(found.unseen_fights);
    count(&found.unseen, &format!("nothing in {few} fights, and were not tried further: rarer effects are not known"));
    if !found.left_out.is_empty() {
        let how = if all { ":" } else { ", since they are 0 or cannot be changed" };
        lines.push(format!(" {}{how}", counted(found, found.left_out.len(), "left out", "left out")));
    }
    if all {
        lines.extend(found.left_out.iter().map(|(path, reason)| format!("   {path}: {reason}")));
    }
    lines.join("\n") + "\n"
}

/// `12 numbers change`, or of what is taken away `12 of them change`.
fn counted(found: &Sensitivity, count: usize, one: &str, many: &str) -> String {
    let what = match (found.raised_by, count) {
        (Some(_), 1) => "number",
        (Some(_), _) => "numbers",
        (None, _) => "of them",
    };
    format!("{} {what} {}", text::grouped(count as u64), if count == 1 { one } else { many })
}

/// One number to a row.
pub(crate) fn rows(found: &Sensitivity) -> Vec<Vec<String>> {
    let header = ["path", "now", "tried", "pairs", "change", "low", "high", "certain"].map(str::to_owned).to_vec();
    let row = |effect: &Effect| {
        let one = &effect.difference;
        vec![
            effect.path.clone(),
            effect.now.clone(),
            effect.tried.clone(),
            effect.pairs.to_string(),
            figures::cell(one.difference),
            figures::cell(one.low),
            figures::cell(one.high),
            one.is_certain().to_string(),
        ]
    };
    std::iter::once(header).chain(found.effects.iter().map(row)).collect()
}
