//! Shows the explanation of a rule other than characters, abilities and statuses.

use edgeplane::program::plain;
use edgeplane::study::explain::{AlsoLine, MemberLine, RuleExplanation};

use super::table::{self, Column};
use super::{sheet, text};

/// The width of a fact in columns.
const WIDTH: usize = 100;

pub(crate) fn draw(explained: &RuleExplanation) -> String {
    let about = if explained.about.is_empty() { String::new() } else { format!(" · {}", explained.about) };
    let title = text::bold(&format!("{} ({})", explained.name, explained.kind.replace('_', " ")));
    let facts = explained.facts.iter();
    let fact = |(what, says): &(&str, String)| {
        let what = format!("{what:<14}");
        let lines = wrapped(says);
        format!("   {}{}\n", text::dim(&what), lines.join(&format!("\n   {:14}", "")))
    };
    let facts: String = facts.map(fact).collect();
    let mut out = format!("{title}{about}\n\n{facts}");
    if !explained.members.is_empty() {
        out.push('\n');
        out.push_str(&members(&explained.members));
    }
    if !explained.effects.is_empty() {
        out.push('\n');
        out.push_str(&effects(&explained.effects));
    }
    out.push_str(&sheet::policy(&explained.policy, ""));
    out
}

/// A list that is longer than a line continues in the next one.
pub(super) fn wrapped(list: &str) -> Vec<String> {
    let mut lines = vec![String::new()];
    for part in list.split_inclusive(", ") {
        match lines.last_mut() {
            Some(line) if line.is_empty() || line.chars().count() + part.trim_end().chars().count() <= WIDTH => {
                line.push_str(part);
            }
            _ => lines.push(part.to_owned()),
        }
    }
    lines.iter().map(|line| line.trim_end().to_owned()).collect()
}

fn members(members: &[MemberLine]) -> String {
    let pools = |line: &MemberLine| {
        let pool = |(pool, amount): &(String, f64)| format!("{} {pool}", plain((amount * 100.0).round() / 100.0));
        line.pools.iter().map(pool).collect::<Vec<_>>().join(", ")
    };
    // Values that are equal for all members need no column.
    let all_join = members.iter().all(|line| line.joins == members[0].joins);
    let none_has = members.iter().all(|line| line.begins_with.is_empty());
    let row = |line: &MemberLine| {
        let (count, level) = (line.count.to_string(), plain(line.level));
        let mut row = vec![line.side.clone(), count, line.character.clone(), level, pools(line)];
        row.extend((!all_join).then(|| line.joins.clone()));
        row.extend((!none_has).then(|| line.begins_with.join(", ")));
        row
    };
    let mut columns = vec![
        Column::Words("side"),
        Column::Numbers("count"),
        Column::Words("character"),
        Column::Numbers("level"),
        Column::Words("begins with"),
    ];
    columns.extend((!all_join).then_some(Column::Words("joins")));
    columns.extend((!none_has).then_some(Column::Words("and has")));
    table::draw(&columns, members.iter().map(row).collect())
}

fn effects(effects: &[(&'static str, AlsoLine)]) -> String {
    let row = |(upon, line): &(&'static str, AlsoLine)| {
        vec![(*upon).to_owned(), line.effect.to_owned(), line.what.clone(), line.to.to_owned(), line.only.clone()]
    };
    let names = ["on", "effect", "what", "to", "only"].map(Column::Words);
    table::draw(&names, effects.iter().map(row).collect())
}

/// One row for each fact and effect.
pub(crate) fn rows(explained: &RuleExplanation) -> Vec<Vec<String>> {
    let mut rows = vec![["what", "says"].map(str::to_owned).to_vec()];
    rows.extend(explained.facts.iter().map(|(what, says)| vec![(*what).to_owned(), says.clone()]));
    rows.extend(
        explained.members.iter().map(|line| vec![line.side.clone(), format!("{} {}", line.count, line.character)]),
    );
    rows.extend(
        explained.effects.iter().map(|(upon, line)| vec![(*upon).to_owned(), format!("{} {}", line.effect, line.what)]),
    );
    rows.extend(explained.policy.iter().map(|line| vec![line.ability.clone(), line.when.clone()]));
    rows
}
