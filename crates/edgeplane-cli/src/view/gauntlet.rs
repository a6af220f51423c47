//! Shows a gauntlet.

use edgeplane::study::{Estimate, Gauntlet, Member, Proportion, Stage};

use super::table::{self, Column};
use super::text;

pub(crate) fn draw(found: &Gauntlet) -> String {
    let cleared = format!(
        " {} clear all of it: {} ({})\n",
        found.side,
        text::percent(found.cleared.value),
        range(&found.cleared)
    );
    let mut pages = vec![cleared, stages(found)];
    pages.extend(found.stages.iter().filter(|stage| stage.won.count > 0).map(|stage| members(found, stage)));
    pages.join("\n")
}

fn range(share: &Proportion) -> String {
    text::percent_range(share.low, share.high)
}

fn stages(found: &Gauntlet) -> String {
    let row = |(index, stage): (usize, &Stage)| {
        vec![
            format!("{} {}", index + 1, stage.encounter),
            text::percent(stage.reached.value),
            if stage.reached.count > 0 { text::percent(stage.won.value) } else { "–".to_owned() },
            if stage.reached.count > 0 { range(&stage.won) } else { "–".to_owned() },
            when(stage.reached.count, stage.duration.mean),
            when(stage.won.count, stage.members.iter().map(|member| member.stood.value).sum()),
            when(stage.won.count, stage.level.mean),
        ]
    };
    let columns = [
        Column::Words("encounter"),
        Column::Numbers("reached"),
        Column::Numbers("won of those"),
        Column::Numbers("95 % interval"),
        Column::Numbers("seconds"),
        Column::Numbers("standing"),
        Column::Numbers("level"),
    ];
    table::draw(&columns, found.stages.iter().enumerate().map(row).collect())
}

/// A mean over runs, of which there may be none.
fn when(runs: u64, value: f64) -> String {
    if runs > 0 { text::tenth(value) } else { "–".to_owned() }
}

fn members(found: &Gauntlet, stage: &Stage) -> String {
    let mut header = vec![format!("after {}", stage.encounter), "stand".to_owned()];
    header.extend(found.keeps.iter().map(|pool| format!("{pool} left")));
    header.extend(["experience", "level"].map(str::to_owned));
    let row = |member: &Member| {
        let mut row = vec![member.member.clone(), text::percent(member.stood.value)];
        let left = |left: &Option<Estimate>| {
            left.as_ref().map_or_else(
                || "–".to_owned(),
                |left| if stage.won.count > 0 { text::percent(left.mean) } else { "–".to_owned() },
            )
        };
        row.extend(member.left.iter().map(left));
        row.extend([&member.experience, &member.level].map(|mean| when(stage.won.count, mean.mean)));
        row
    };
    table::draw_named(&header, stage.members.iter().map(row).collect())
}

/// One row for each number, with the ends of its interval.
pub(crate) fn rows(found: &Gauntlet) -> Vec<Vec<String>> {
    let header = ["stage", "encounter", "member", "figure", "value", "low", "high"].map(str::to_owned).to_vec();
    let mut rows = vec![header];
    for (index, stage) in found.stages.iter().enumerate() {
        let start = |member: &str, figure: &str| {
            vec![(index + 1).to_string(), stage.encounter.clone(), member.to_owned(), figure.to_owned()]
        };
        let mut push = |mut row: Vec<String>, [value, low, high]: [f64; 3]| {
            row.extend(
                [value, low, high].map(|number| if number.is_finite() { number.to_string() } else { String::new() }),
            );
            rows.push(row);
        };
        push(start("", "reached"), share(&stage.reached));
        push(start("", "won"), share(&stage.won));
        push(start("", "duration"), mean(&stage.duration));
        push(start("", "level"), mean(&stage.level));
        for member in &stage.members {
            push(start(&member.member, "stood"), share(&member.stood));
            push(start(&member.member, "level"), mean(&member.level));
            push(start(&member.member, "experience"), mean(&member.experience));
            for (pool, left) in found.keeps.iter().zip(&member.left) {
                let Some(left) = left else { continue };
                push(start(&member.member, &format!("{pool} left")), mean(left));
            }
        }
    }
    rows
}

fn share(share: &Proportion) -> [f64; 3] {
    [share.value, share.low, share.high]
}

fn mean(estimate: &Estimate) -> [f64; 3] {
    [estimate.mean, estimate.low, estimate.high]
}
