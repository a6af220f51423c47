//! A character's numbers.

use edgeplane::program::plain;
use edgeplane::study::explain::{AbilityLine, CharacterSheet, Line};

use super::table::{self, Column};
use super::text;

pub(crate) fn draw(sheet: &CharacterSheet) -> String {
    let about = if sheet.about.is_empty() { String::new() } else { format!(" · {}", sheet.about) };
    let mut out = format!("{} · level {}{about}\n\n", text::bold(&sheet.character), plain(sheet.level));
    out.push_str(&table::draw(
        &[Column::Words("attribute"), Column::Numbers("value"), Column::Words("because"), Column::Words("about")],
        sheet
            .attributes
            .iter()
            .map(|line| vec![line.name.clone(), plain(line.value), because(line), line.about.clone()])
            .collect(),
    ));
    out.push('\n');
    let pool = |pool: &edgeplane::study::explain::PoolLine| {
        let defeat = if pool.defeat { "falls when it empties" } else { "" };
        vec![
            pool.cap.name.clone(),
            plain(pool.cap.value),
            plain(pool.start),
            pool.flow.clone(),
            because(&pool.cap),
            defeat.to_owned(),
        ]
    };
    out.push_str(&table::draw(
        &[
            Column::Words("pool"),
            Column::Numbers("cap"),
            Column::Numbers("start"),
            Column::Words("flow"),
            Column::Words("cap because"),
            Column::Words(""),
        ],
        sheet.pools.iter().map(pool).collect(),
    ));
    if !sheet.abilities.is_empty() {
        out.push('\n');
        out.push_str(&abilities(&sheet.abilities));
    }
    out.push_str(&policy(sheet));
    out
}

fn because(line: &Line) -> String {
    let worked = if line.worked.is_empty() {
        String::new()
    } else if line.worked == line.formula {
        line.formula.clone()
    } else {
        format!("{} = {}", line.formula, line.worked)
    };
    if !line.statuses.is_empty() {
        let base = if worked.is_empty() { line.formula.clone() } else { worked };
        let parts = format!("{base} {}", line.statuses.join(" "));
        return if line.limited.is_empty() { parts } else { format!("{parts}, {}", line.limited) };
    }
    match (worked.is_empty(), line.limited.is_empty()) {
        (_, true) => worked,
        (true, false) => format!("{}, {}", line.formula, line.limited),
        (false, false) => format!("{worked}, {}", line.limited),
    }
}

pub(crate) fn abilities(list: &[AbilityLine]) -> String {
    let row = |line: &AbilityLine| {
        let name = if line.unlocked { line.name.clone() } else { format!("{} (locked)", line.name) };
        vec![
            name,
            cost(line),
            seconds(line.cast),
            seconds(line.recovery),
            seconds(line.cooldown),
            line.targets.clone(),
            line.about.clone(),
        ]
    };
    table::draw(
        &[
            Column::Words("ability"),
            Column::Words("cost"),
            Column::Numbers("cast s"),
            Column::Numbers("recovery s"),
            Column::Numbers("cooldown s"),
            Column::Words("on"),
            Column::Words("about"),
        ],
        list.iter().map(row).collect(),
    )
}

fn cost(line: &AbilityLine) -> String {
    line.cost.iter().map(|(pool, amount)| format!("{} {pool}", plain(*amount))).collect::<Vec<_>>().join(", ")
}

fn seconds(value: f64) -> String {
    if value == 0.0 { "–".to_owned() } else { plain(value) }
}

fn policy(sheet: &CharacterSheet) -> String {
    if sheet.policy.is_empty() {
        return String::new();
    }
    let line = |(index, (ability, when)): (usize, &(String, String))| {
        let when = if when.is_empty() { String::new() } else { format!(" when {when}") };
        format!("   {}. {ability}{when}\n", index + 1)
    };
    let lines: String = sheet.policy.iter().enumerate().map(line).collect();
    format!("\n {}\n{lines}", text::bold("chooses the first that it can of"))
}

pub(crate) fn rows(sheet: &CharacterSheet) -> Vec<Vec<String>> {
    let mut rows =
        vec![["kind", "name", "value", "formula", "worked", "statuses", "limited"].map(str::to_owned).to_vec()];
    let row = |kind: &str, line: &Line| {
        vec![
            kind.to_owned(),
            line.name.clone(),
            line.value.to_string(),
            line.formula.clone(),
            line.worked.clone(),
            line.statuses.join(" "),
            line.limited.clone(),
        ]
    };
    rows.extend(sheet.attributes.iter().map(|line| row("attribute", line)));
    rows.extend(sheet.pools.iter().map(|pool| row("pool cap", &pool.cap)));
    rows
}
