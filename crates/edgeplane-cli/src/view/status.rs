//! Shows the explanation of a status.

use edgeplane::program::plain;
use edgeplane::study::explain::{AlsoLine, StackLine, StatusExplanation};

use super::table::{self, Column};
use super::text;

pub(crate) fn draw(explained: &StatusExplanation) -> String {
    let title = format!("{} from {} on {}", explained.status, explained.from, explained.on);
    let about = if explained.about.is_empty() { String::new() } else { format!(" · {}", explained.about) };
    let mut out = format!("{}{about}\n\n{}", text::bold(&title), facts(explained));
    for part in [modifiers(explained), stacks(explained), ticks(explained), triggers(explained)] {
        if !part.is_empty() {
            out.push('\n');
            out.push_str(&part);
        }
    }
    out
}

fn facts(explained: &StatusExplanation) -> String {
    let tags = if explained.tags.is_empty() { String::new() } else { format!(", {}", explained.tags.join(", ")) };
    let lasts = explained.lasts.map_or_else(|| "until something ends it".to_owned(), |s| format!("{} s", plain(s)));
    let ticks = explained.period.map_or_else(String::new, |period| format!(", ticks every {} s", plain(period)));
    let facts = [
        ("initially", explained.beforehand.join("; ")),
        ("is", format!("{}{tags}", explained.kind.name())),
        ("lasts", format!("{lasts}{ticks}")),
        ("condition", explained.holds_while.clone()),
        ("resisted", explained.resist.clone()),
        ("each tick", effects(&explained.each_tick)),
        ("at max", effects(&explained.at_max)),
        ("reapplied", explained.reapply.clone()),
        ("forbids", explained.forbids.join(", ")),
        ("control", explained.control.join(", ")),
        ("grants", explained.brings.join(", ")),
        ("immune to", explained.immune.join(", ")),
        ("hit steps", explained.hit_steps.join("; ")),
        ("sources", explained.applied_by.join(", ")),
        ("amounts", if explained.ticks.is_empty() { String::new() } else { "most likely case".to_owned() }),
    ];
    let shown = facts.iter().filter(|(_, what)| !what.is_empty());
    shown.map(|(name, what)| format!("   {}{what}\n", text::dim(&format!("{name:<14}")))).collect()
}

/// `hits health for 5 of silt (other)`
fn effects(all: &[AlsoLine]) -> String {
    let one = |line: &AlsoLine| {
        let only = if line.only.is_empty() { String::new() } else { format!(", {}", line.only) };
        format!("{} {} ({}{only})", line.effect, line.what, line.to)
    };
    all.iter().map(one).collect::<Vec<_>>().join("; ")
}

fn modifiers(explained: &StatusExplanation) -> String {
    if explained.modifiers.is_empty() {
        return String::new();
    }
    let row = |line: &edgeplane::study::explain::ModifierLine| {
        vec![line.attribute.clone(), line.kind.name().to_owned(), line.formula.clone()]
    };
    let columns = [Column::Words("changes"), Column::Words("by"), Column::Words("formula")];
    table::draw(&columns, explained.modifiers.iter().map(row).collect())
}

/// One row for each number of stacks: attributes, and the total effect.
fn stacks(explained: &StatusExplanation) -> String {
    let all = |line: &StackLine| [line.damage, line.healing, line.restored, line.drained];
    let names = ["total damage", "total healing", "total restored", "total drained"];
    let there = |index: &usize| explained.stacks.iter().any(|line| all(line)[*index] > 0.0);
    let sums: Vec<usize> = (0..names.len()).filter(there).collect();
    if explained.attributes.is_empty() && sums.is_empty() {
        return String::new();
    }
    let mut header = vec!["stacks".to_owned()];
    header.extend(explained.attributes.iter().cloned());
    header.extend(sums.iter().map(|index| names[*index].to_owned()));
    let dashes = sums.iter().map(|_| "–".to_owned());
    let without = std::iter::once("none".to_owned()).chain(explained.without.iter().map(|value| plain(*value)));
    let mut rows = vec![without.chain(dashes).collect::<Vec<_>>()];
    for line in &explained.stacks {
        let values = line.values.iter().map(|value| plain(*value));
        let in_all = sums.iter().map(|index| plain(all(line)[*index]));
        rows.push(std::iter::once(line.stacks.to_string()).chain(values).chain(in_all).collect());
    }
    table::draw_named(&header, rows)
}

fn ticks(explained: &StatusExplanation) -> String {
    if explained.ticks.is_empty() {
        return String::new();
    }
    let row = |line: &edgeplane::study::explain::TickLine| {
        vec![
            line.tick.to_string(),
            format!("{:.2}", line.at),
            line.effect.to_owned(),
            line.pool.clone(),
            plain(line.amount),
            plain(line.left),
        ]
    };
    let columns = [
        Column::Numbers("tick"),
        Column::Numbers("at s"),
        Column::Words("does"),
        Column::Words("to"),
        Column::Numbers("amount"),
        Column::Numbers("left"),
    ];
    table::draw(&columns, explained.ticks.iter().map(row).collect())
}

fn triggers(explained: &StatusExplanation) -> String {
    if explained.triggers.is_empty() {
        return String::new();
    }
    let row = |line: &edgeplane::study::explain::TriggerLine| {
        vec![line.event.name().to_owned(), line.only.clone(), effects(&line.does)]
    };
    let columns = [Column::Words("trigger"), Column::Words("only"), Column::Words("does")];
    table::draw(&columns, explained.triggers.iter().map(row).collect())
}

pub(crate) fn rows(explained: &StatusExplanation) -> Vec<Vec<String>> {
    let mut header: Vec<String> = vec!["stacks".to_owned()];
    header.extend(explained.attributes.iter().cloned());
    header.extend(["damage", "healing", "restored", "drained"].map(str::to_owned));
    let row = |line: &StackLine| {
        let sums = [line.damage, line.healing, line.restored, line.drained];
        let values = line.values.iter().chain(&sums).map(f64::to_string);
        std::iter::once(line.stacks.to_string()).chain(values).collect::<Vec<_>>()
    };
    std::iter::once(header).chain(explained.stacks.iter().map(row)).collect()
}
