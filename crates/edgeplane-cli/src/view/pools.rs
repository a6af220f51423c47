//! Shows the pools of a fight: those that defeat over time, and the final amounts of all.

use edgeplane::Time;
use edgeplane::program::PoolId;

use super::recorder::{Chart, Entry};
use super::timeline::Story;
use super::{chart, table, text};

const WIDTH: usize = 60;

/// The pools that defeat over the fight, and the final amount of every pool.
pub(crate) fn draw(story: &Story<'_>) -> String {
    let end = end_of(story.entries);
    let pools = story.setup.program().pools().iter().enumerate();
    let over_time = pools.filter(|(_, pool)| pool.defeat).map(|(index, _)| over_time(story, PoolId(index as u16), end));
    over_time.chain([at_the_end(story, end)]).collect()
}

/// The time of the last event.
pub(crate) fn end_of(entries: &[Entry]) -> Time {
    let last = entries.iter().rev().find_map(|entry| match entry {
        Entry::Event(logged) => Some(logged.at),
        Entry::Formula(..) => None,
    });
    last.unwrap_or_default()
}

fn over_time(story: &Story<'_>, pool: PoolId, end: Time) -> String {
    let names = story.setup.combatants.iter().map(|combatant| combatant.label.chars().count()).max().unwrap_or(0);
    let mut out =
        format!("\n{}\n", text::bold(&format!("{} over time", story.setup.program().pools()[pool.index()].name)));
    let charts = story.charts.iter().flatten().filter(|chart| chart.pool == pool);
    for chart in charts {
        let amount = |moment| chart.at(moment).map_or_else(|| "–".to_owned(), text::tenth);
        let first = chart.from.map_or_else(|| "–".to_owned(), |_| text::tenth(chart.start));
        let values: Vec<f64> =
            (0..WIDTH).map(|column| chart.at(end_of_column(end, column)).unwrap_or(f64::NAN)).collect();
        let bars = chart::bars(&values, chart.cap);
        let label = &story.setup.combatants[chart.who.index()].label;
        out.push_str(&format!("  {label:<names$} {first:>6} {bars} {:>6}\n", amount(end)));
    }
    out.push_str(&text::dim(&format!("  {:<names$} {:>6} {}\n", "", "", chart::axis(end.seconds(), WIDTH))));
    out
}

fn end_of_column(end: Time, column: usize) -> Time {
    Time(end.0 * (column as u64 + 1) / WIDTH as u64)
}

/// The final amount of every pool of every combatant, with its cap at that time.
fn at_the_end(story: &Story<'_>, end: Time) -> String {
    let has = |pool: &PoolId| story.charts.iter().flatten().any(|chart| chart.pool == *pool);
    let all = story.setup.program().pools();
    let pools: Vec<PoolId> = (0..all.len() as u16).map(PoolId).filter(has).collect();
    if pools.is_empty() {
        return String::new();
    }
    let mut header = vec!["left at the end".to_owned()];
    header.extend(pools.iter().map(|pool| all[pool.index()].name.clone()));
    let cell = |charts: &[Chart], pool: &PoolId| {
        let chart = charts.iter().find(|chart| chart.pool == *pool);
        let left = chart.and_then(|chart| Some((chart.at(end)?, chart.flows.last()?.cap())));
        match left {
            Some((left, cap)) if cap.is_finite() => format!("{} of {}", text::tenth(left), text::tenth(cap)),
            Some((left, _)) => text::tenth(left),
            None => "–".to_owned(),
        }
    };
    let rows = story.charts.iter().zip(&story.setup.combatants).map(|(charts, combatant)| {
        std::iter::once(combatant.label.clone()).chain(pools.iter().map(|pool| cell(charts, pool))).collect()
    });
    format!("\n{}", table::draw_named(&header, rows.collect()))
}
