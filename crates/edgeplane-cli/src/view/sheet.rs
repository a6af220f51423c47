//! Shows the numbers of a character.

use edgeplane::program::plain;
use edgeplane::study::explain::{AbilityLine, CharacterSheet, Line, UseLine};

use super::table::{self, Column};
use super::text;

pub(crate) fn draw(sheet: &CharacterSheet) -> String {
    let about = if sheet.about.is_empty() { String::new() } else { format!(" · {}", sheet.about) };
    let mut out = format!("{} · level {}{about}\n\n", text::bold(&sheet.character), plain(sheet.level));
    let attributes: Vec<Vec<String>> = sheet
        .attributes
        .iter()
        .map(|line| vec![line.name.clone(), plain(line.value), because(line), line.about.clone()])
        .collect();
    if !attributes.is_empty() {
        out.push_str(&table::draw(
            &[Column::Words("attribute"), Column::Numbers("value"), Column::Words("because"), Column::Words("about")],
            attributes,
        ));
    }
    let pool = |pool: &edgeplane::study::explain::PoolLine| {
        let defeat = if pool.defeat { "defeated when it empties" } else { "" };
        vec![
            pool.cap.name.clone(),
            plain(pool.cap.value),
            plain(pool.start),
            pool.flow.clone(),
            because(&pool.cap),
            defeat.to_owned(),
        ]
    };
    if !sheet.pools.is_empty() {
        let between = if sheet.attributes.is_empty() { "" } else { "\n" };
        let pools = table::draw(
            &[
                Column::Words("pool"),
                Column::Numbers("cap"),
                Column::Numbers("start"),
                Column::Words("flow"),
                Column::Words("cap because"),
                Column::Words(""),
            ],
            sheet.pools.iter().map(pool).collect(),
        );
        out.push_str(&format!("{between}{pools}"));
    }
    if !sheet.abilities.is_empty() {
        out.push('\n');
        out.push_str(&abilities(&sheet.abilities));
    }
    if !sheet.gear.is_empty() {
        out.push_str(&format!("\n {}\n   {}\n", text::bold("wears"), sheet.gear.join(", ")));
    }
    out.push_str(&policy(&sheet.policy, &sheet.policy_name));
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
    let columns = [
        Column::Words("ability"),
        Column::Words("cost"),
        Column::Numbers("cast s"),
        Column::Numbers("recovery s"),
        Column::Numbers("cooldown s"),
        Column::Words("on"),
        Column::Words("about"),
    ];
    table::draw(&columns, list.iter().map(row).collect()) + &limits(list)
}

fn limits(list: &[AbilityLine]) -> String {
    let limited = list.iter().filter(|line| !line.limits.is_empty());
    let rows: Vec<Vec<String>> = limited.map(|line| vec![line.name.clone(), line.limits.join("; ")]).collect();
    if rows.is_empty() {
        return String::new();
    }
    format!("\n{}", table::draw(&[Column::Words("limited"), Column::Words("by")], rows))
}

fn cost(line: &AbilityLine) -> String {
    line.cost.iter().map(|(pool, amount)| format!("{} {pool}", plain(*amount))).collect::<Vec<_>>().join(", ")
}

fn seconds(value: f64) -> String {
    if value == 0.0 { "–".to_owned() } else { plain(value) }
}

/// The policy of a character, and its name where it matters.
pub(super) fn policy(policy: &[UseLine], name: &str) -> String {
    let heading = |how: &str| {
        let of = if name.is_empty() { String::new() } else { format!(" · policy.{name}") };
        format!("{}{of}", text::bold(how))
    };
    if policy.is_empty() {
        return String::new();
    }
    let said = |line: &UseLine| {
        let when = if line.when.is_empty() { String::new() } else { format!(" when {}", line.when) };
        let weight = if line.weight.is_empty() { String::new() } else { format!(" · weight {}", line.weight) };
        format!("{}{when}{weight}", line.ability)
    };
    let groups: Vec<&[UseLine]> =
        policy.chunk_by(|one, other| one.group.is_some() && one.group == other.group).collect();
    let one_group = groups.len() == 1 && policy[0].group.is_some();
    if one_group {
        let lines: String = policy.iter().enumerate().map(|(index, line)| numbered(index, &said(line))).collect();
        return format!("\n {}\n{lines}", heading("chooses by weight among the available lines of"));
    }
    let mut lines = String::new();
    for (index, group) in groups.iter().enumerate() {
        if group[0].group.is_none() {
            lines.push_str(&numbered(index, &said(&group[0])));
            continue;
        }
        lines.push_str(&numbered(index, "by weight one of"));
        group.iter().for_each(|line| lines.push_str(&format!("        {}\n", said(line))));
    }
    format!("\n {}\n{lines}", heading("uses the first available line of"))
}

fn numbered(index: usize, line: &str) -> String {
    format!("   {}. {line}\n", index + 1)
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
