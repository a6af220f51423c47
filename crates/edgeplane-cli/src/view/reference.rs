//! The reference: all keys, effects, events, functions and measures, from the tables by which rulesets are read.

use std::fmt::Write as _;

use edgeplane::formula::Builtin;
use edgeplane::measures::Quantity;
use edgeplane::program::TriggerEvent;
use edgeplane::rules::shape::{Key, RULESET, Shape, TableShape, effects};

use crate::args::Page;

/// One page, in Markdown.
pub(crate) fn page(page: Page) -> String {
    match page {
        Page::Keys => keys(),
        Page::Effects => every_effect(),
        Page::Events => events(),
        Page::Functions => functions(),
        Page::Measures => measures(),
    }
}

fn row(out: &mut String, cells: &[&str]) {
    let cells: Vec<String> = cells.iter().map(|cell| cell.replace('|', "\\|")).collect();
    let _ = writeln!(out, "| {} |", cells.join(" | "));
}

fn head(out: &mut String, cells: &[&str]) {
    row(out, cells);
    let _ = writeln!(out, "|{}", "---|".repeat(cells.len()));
}

/// The value of a key, in words.
fn takes(shape: &Shape) -> String {
    match shape {
        Shape::Text => "text".to_owned(),
        Shape::Flag => "`true` or `false`".to_owned(),
        Shape::Formula => "number or formula".to_owned(),
        Shape::Condition => "condition".to_owned(),
        Shape::FormulaWithin(least, most) if most.is_finite() => format!("number or formula, {least} to {most}"),
        Shape::FormulaWithin(least, _) => format!("number or formula, at least {least}"),
        Shape::Number(least, most) if *least == f64::MIN && *most == f64::MAX => "number".to_owned(),
        Shape::Number(least, most) => format!("number, {least} to {most}"),
        Shape::Whole(least, most) => format!("whole number, {least} to {most}"),
        Shape::Choice(words) => words.iter().map(|word| format!("`\"{word}\"`")).collect::<Vec<_>>().join(", "),
        Shape::Place => "`[x, y]`".to_owned(),
        Shape::Anything => "any table".to_owned(),
        Shape::List(Shape::Text) => "list of names".to_owned(),
        Shape::List(items) => format!("list of: {}", takes(items)),
        Shape::ByName(each) => format!("by name: {}", takes(each)),
        Shape::Table(table) => format!("[{0}](#{0})", table.name),
        Shape::Either(shapes) if is_effect(shapes) => "an [effect](effects.md)".to_owned(),
        Shape::Either(shapes) => shapes.iter().map(takes).collect::<Vec<_>>().join(", or "),
    }
}

fn is_effect(shapes: &[Shape]) -> bool {
    matches!(shapes.first(), Some(Shape::Table(table)) if table.name.starts_with("effect_"))
}

fn table(out: &mut String, table: &TableShape) {
    head(out, &["key", "takes", "meaning"]);
    for Key { name, takes: shape, about } in table.keys {
        let required = if table.needs.contains(name) { " Required." } else { "" };
        row(out, &[&format!("`{name}`"), &takes(shape), &format!("{about}{required}")]);
    }
}

/// All tables of a ruleset, each after the first one that refers to it.
fn tables(shape: &'static TableShape, found: &mut Vec<&'static TableShape>) {
    if found.iter().any(|known| known.name == shape.name) || shape.name.starts_with("effect_") {
        return;
    }
    found.push(shape);
    shape.keys.iter().for_each(|key| tables_in(&key.takes, found));
}

fn tables_in(shape: &'static Shape, found: &mut Vec<&'static TableShape>) {
    match shape {
        Shape::Table(table) => tables(table, found),
        Shape::List(inner) | Shape::ByName(inner) => tables_in(inner, found),
        Shape::Either(shapes) => shapes.iter().for_each(|shape| tables_in(shape, found)),
        _ => {}
    }
}

fn keys() -> String {
    let mut found = Vec::new();
    tables(&RULESET, &mut found);
    let mut out = String::from("# Keys\n\nEvery table of a ruleset, with its keys.\n");
    for shape in found {
        let _ = write!(out, "\n## {}\n\n{}\n\n", shape.name, shape.about);
        table(&mut out, shape);
    }
    out
}

fn every_effect() -> String {
    let mut out = String::from(
        "# Effects\n\nThe effects of abilities, ticks, triggers, `at_max` and zones. The first key names the effect.\n",
    );
    for shape in effects() {
        let name = shape.keys.first().map_or("", |key| key.name);
        let _ = write!(out, "\n## {name}\n\n{}\n\n", shape.about);
        table(&mut out, shape);
    }
    // The tables inside them.
    let mut found = Vec::new();
    effects().flat_map(|shape| shape.keys).for_each(|key| tables_in(&key.takes, &mut found));
    for shape in found {
        let _ = write!(out, "\n## {}\n\n{}\n\n", shape.name, shape.about);
        table(&mut out, shape);
    }
    out
}

fn events() -> String {
    let mut out = String::from(
        "# Events\n\nThe events of triggers (`on`). The subject is the owner of the status, or the combatants selected by `of`; with \
         an `of` other than `\"self\"`, `other` is the subject.\n\n",
    );
    head(&mut out, &["event", "happens when", "`other`", "keys of its own"]);
    for event in TriggerEvent::all() {
        let keys: Vec<String> = event.own_keys().iter().map(|key| format!("`{key}`")).collect();
        row(&mut out, &[&format!("`{}`", event.name()), event.about(), event.other(), &keys.join(", ")]);
    }
    out
}

fn functions() -> String {
    let mut out =
        String::from("# Functions\n\nThe functions of formulas, in addition to `[curve.*]` and `[formula.*]`.\n\n");
    head(&mut out, &["function", "value"]);
    for builtin in Builtin::all() {
        row(&mut out, &[&format!("`{}`", builtin.usage()), builtin.about()]);
    }
    out
}

fn measures() -> String {
    let mut out = String::from(
        "# Measures\n\nFigures over many fights. `who` is a combatant, all combatants of a character, or a side; arguments \
         in brackets may be left out.\n\n",
    );
    head(&mut out, &["measure", "unit", "meaning"]);
    for quantity in Quantity::ALL {
        let unit = quantity.unit().name();
        row(&mut out, &[&format!("`{}`", quantity.shape()), unit, quantity.about()]);
    }
    out
}
