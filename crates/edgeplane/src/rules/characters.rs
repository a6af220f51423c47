//! `[character.*]`: the templates of combatants.

use super::reader::{Fields, Formula, Word, formula, list, word, wrong_type};
use super::shape;
use super::statuses::{Untargetable, untargetable};
use crate::text::{Diagnostics, Node, Value};

/// One character. `None` means inherited, or the default.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct CharacterRule {
    /// For readers.
    pub about: String,
    /// It can only be extended.
    pub template: bool,
    /// The character whose keys it inherits.
    pub extends: Option<Word>,
    /// Level; 1 by default.
    pub level: Option<f64>,
    /// Bases of attributes; `resist.silt` for one damage type.
    pub attributes: Vec<(Word, Formula)>,
    /// The pools that it has; all of the ruleset by default.
    pub pools: Option<Vec<Word>>,
    /// Its abilities.
    pub abilities: Option<Vec<Word>>,
    /// Its initial statuses, which last for the whole fight.
    pub statuses: Option<Vec<Word>>,
    /// Abilities that it has only when they are given to it.
    pub can_learn: Option<Vec<Word>>,
    /// Its gear.
    pub gear: Option<Vec<PieceRule>>,
    /// Tags of statuses to which it is immune.
    pub immune: Option<Vec<Word>>,
    /// The sides whose abilities cannot target it.
    pub untargetable: Option<Untargetable>,
    /// The radius of its body in metres; 0 by default.
    pub body: Option<f64>,
    /// Experience given to each standing enemy when it is defeated.
    pub reward: Option<Formula>,
    /// What it spends its points on, repeated in this order.
    pub spends: Option<Vec<Word>>,
    /// Its policy; without one, abilities are tried in the order listed.
    pub policy: Option<Word>,
}

/// A piece of gear that a character wears.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct PieceRule {
    /// The piece.
    pub piece: Word,
    /// The chance that it is worn at the beginning of a fight; always if not given.
    pub chance: Option<Formula>,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> CharacterRule {
    let Some(fields) = Fields::open(node, path, &shape::CHARACTER, out) else {
        return CharacterRule::default();
    };
    CharacterRule {
        about: fields.about(out),
        template: fields.flag("template", out),
        extends: fields.text("extends", out),
        level: fields.number("level", out),
        attributes: attributes(&fields, out),
        pools: fields.words("pools", out),
        abilities: fields.words("abilities", out),
        can_learn: fields.words("can_learn", out),
        gear: gear(&fields, out),
        statuses: fields.words("statuses", out),
        immune: fields.words("immune", out),
        untargetable: fields.get("untargetable").map(|_| untargetable(&fields, out)),
        body: fields.number("body", out),
        policy: fields.text("policy", out),
        reward: fields.formula("reward", out),
        spends: fields.words("spends", out),
    }
}

/// Names of pieces, or `{ piece = "oilskin", chance = 30% }`.
fn gear(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<Vec<PieceRule>> {
    let path = fields.path_of("gear");
    let mut pieces = Vec::new();
    for (index, item) in list(fields.get("gear")?, &path, out)?.iter().enumerate() {
        let path = format!("{path}.{index}");
        if let Value::Table(_) = item.value {
            let Some(inner) = Fields::open(item, &path, &shape::PIECE, out) else { continue };
            if inner.get("piece").is_none() {
                inner.missing("piece", "{ piece = \"oilskin\", chance = 0.3 }", out);
            }
            let chance = inner.formula("chance", out);
            pieces.extend(inner.text("piece", out).map(|piece| PieceRule { piece, chance }));
        } else {
            pieces.extend(word(item, &path, out).map(|piece| PieceRule { piece, chance: None }));
        }
    }
    Some(pieces)
}

fn attributes(fields: &Fields<'_>, out: &mut Diagnostics) -> Vec<(Word, Formula)> {
    let Some(node) = fields.get("attributes") else { return Vec::new() };
    let path = fields.path_of("attributes");
    let mut bases = Vec::new();
    match &node.value {
        Value::Table(table) => flatten(table, "", &path, &mut bases, out),
        _ => out.push(wrong_type(node, "a table such as { heft = 14 }", &path)),
    }
    bases
}

/// `"resist.silt" = 0.2` and `resist.silt = 0.2` and `resist = { silt = 0.2 }` are the same.
fn flatten(
    table: &crate::text::Table,
    prefix: &str,
    path: &str,
    bases: &mut Vec<(Word, Formula)>,
    out: &mut Diagnostics,
) {
    for entry in &table.entries {
        let name = format!("{prefix}{}", entry.key);
        match &entry.node.value {
            Value::Table(inner) if prefix.is_empty() => flatten(inner, &format!("{name}."), path, bases, out),
            _ => {
                let Some(base) = formula(&entry.node, format!("{path}.{name}"), out) else { continue };
                bases.push((Word { text: name, span: entry.key_span }, base));
            }
        }
    }
}
