//! Shows the result of a search for values.

use edgeplane::Figure;
use edgeplane::study::{Goal, SearchEnd, TradeOff, TunedNumber, Tuning};

use super::table::{self, Column};
use super::{figures, text};

pub(crate) fn draw(found: &Tuning, goals: &[Goal]) -> String {
    let verdict = match (found.met, found.end) {
        (true, SearchEnd::Complete) => "The smallest change found that meets all goals:".to_owned(),
        (true, _) => "The smallest change that meets all goals, found within these fights:".to_owned(),
        (false, SearchEnd::Complete) => {
            text::strong("No values within these ranges were found that meet the goals. The nearest:")
        }
        (false, SearchEnd::UsedUp) => {
            text::strong("No values were found within these fights that meet the goals. The nearest:")
        }
        (false, SearchEnd::Stopped) => {
            text::strong("Stopped before the search was complete. The best values so far, not proven:")
        }
    };
    let number = |number: &TunedNumber| {
        let now = if number.scales { format!("1 × ({})", number.now) } else { number.now.clone() };
        let value =
            if number.scales { format!("{} × ({})", number.value, number.now) } else { number.value.to_string() };
        vec![number.path.clone(), now, value]
    };
    let numbers = table::draw(
        &[Column::Words("number"), Column::Words("now"), Column::Words("value")],
        found.numbers.iter().map(number).collect(),
    );
    let goal = |(index, goal): (usize, &Goal)| {
        let (before, after) = (&found.before[index], &found.after[index]);
        vec![
            goal.text.clone(),
            figures::of(before),
            figures::of(after),
            figures::range(after.unit, after.low, after.high),
            verdict_on(goal, after, found.goals_met[index]),
        ]
    };
    let columns = [
        Column::Words("goal"),
        Column::Numbers("now"),
        Column::Numbers("then"),
        Column::Numbers("95 % interval"),
        Column::Words(""),
    ];
    let proof = table::draw(&columns, goals.iter().enumerate().map(goal).collect());
    let (trials, points) = (text::grouped(found.trials), text::grouped(found.points));
    let searched = text::grouped(found.searched);
    let from = match found.end {
        SearchEnd::Stopped => format!("{trials} fights on the seeds of the search"),
        _ => format!("{trials} fights on different seeds from the search"),
    };
    let (trade_offs, jump) = (trade_offs(found, goals), jump(found, goals));
    format!(
        " {verdict}\n\n{numbers}\n{proof}{trade_offs}{jump}\n The figures are from {from}.\n The influence of luck on shares and means has been removed. The search examined {points} points in {searched} fights.\n"
    )
}

/// "Barely" is what the estimate says where the interval extends to the other side of a bound, as in `verify`.
fn verdict_on(goal: &Goal, figure: &Figure, is_met: bool) -> String {
    let (low, high) = (figure.low.unwrap_or(f64::NEG_INFINITY), figure.high.unwrap_or(f64::INFINITY));
    let is_clear = if is_met { goal.least <= low && high <= goal.most } else { high < goal.least || goal.most < low };
    let verdict = if is_met { "met" } else { "not met" };
    let verdict = if is_clear { verdict.to_owned() } else { format!("{verdict}, barely") };
    if is_met { verdict } else { text::strong(&verdict) }
}

/// Compromises between conflicting goals.
fn trade_offs(found: &Tuning, goals: &[Goal]) -> String {
    let Some(first) = found.trade_offs.first() else { return String::new() };
    let fights = text::grouped(first.figures.first().map_or(0, |figure| figure.trials));
    format!(
        "\n The goals conflict. None of these is better for one goal without being worse for another ({fights} fights \
         each, 95 % intervals):\n\n{}",
        points(found, &found.trade_offs, goals)
    )
}

/// Close values on both sides of the goals.
fn jump(found: &Tuning, goals: &[Goal]) -> String {
    if found.jump.is_empty() {
        return String::new();
    }
    let goal = if goals.len() == 1 { "goal" } else { "goals" };
    let table = points(found, &found.jump, goals);
    format!("\n At these close values, the estimates are on opposite sides of the {goal} (95 % intervals):\n\n{table}")
}

/// A table of values with the figures of the goals.
fn points(found: &Tuning, points: &[TradeOff], goals: &[Goal]) -> String {
    let numbers = found.numbers.iter().map(|number| number.path.clone());
    let header: Vec<String> =
        std::iter::once(String::new()).chain(numbers).chain(goals.iter().map(measure_of)).collect();
    let cell =
        |figure: &Figure| format!("{} ({})", figures::of(figure), figures::range(figure.unit, figure.low, figure.high));
    let row = |(index, one): (usize, &TradeOff)| {
        let values = one.values.iter().map(f64::to_string);
        std::iter::once((index + 1).to_string()).chain(values).chain(one.figures.iter().map(cell)).collect()
    };
    table::draw_named(&header, points.iter().enumerate().map(row).collect())
}

/// The measure of a goal, with its encounter if it names one.
fn measure_of(goal: &Goal) -> String {
    let encounter = goal.encounter.as_ref().map_or_else(String::new, |name| format!("{name}: "));
    format!("{encounter}{}", goal.measure)
}

/// The numbers, then the goals.
pub(crate) fn rows(found: &Tuning) -> Vec<Vec<String>> {
    let mut rows = vec![["kind", "what", "before", "after", "low", "high", "met"].map(str::to_owned).to_vec()];
    for number in &found.numbers {
        let mut row = vec!["number".to_owned(), number.path.clone(), number.now.clone(), number.value.to_string()];
        row.extend(std::iter::repeat_n(String::new(), 3));
        rows.push(row);
    }
    for (index, goal) in found.goals.iter().enumerate() {
        let after = &found.after[index];
        rows.push(vec![
            "goal".to_owned(),
            goal.clone(),
            figures::cell(found.before[index].value),
            figures::cell(after.value),
            figures::cell(after.low),
            figures::cell(after.high),
            found.goals_met[index].to_string(),
        ]);
    }
    for (index, one) in found.trade_offs.iter().enumerate() {
        let kind = format!("trade_off {}", index + 1);
        for (number, value) in found.numbers.iter().zip(&one.values) {
            let mut row = vec![kind.clone(), number.path.clone(), number.now.clone(), value.to_string()];
            row.extend(std::iter::repeat_n(String::new(), 3));
            rows.push(row);
        }
        for ((goal, before), figure) in found.goals.iter().zip(&found.before).zip(&one.figures) {
            let cells = [before.value, figure.value, figure.low, figure.high].map(figures::cell);
            rows.push([vec![kind.clone(), goal.clone()], cells.to_vec(), vec![String::new()]].concat());
        }
    }
    rows
}
