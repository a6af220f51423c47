//! `does = [...]`: what an ability brings about.

use super::reader::{Fields, Formula, Word, list};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One outcome.
#[derive(Clone, Debug)]
pub struct OutcomeRule {
    /// The path of this outcome: `ability.sluice.does.0`.
    pub path: String,
    /// What kind, with its amount.
    pub kind: OutcomeKind,
    /// Who receives it.
    pub to: Receiver,
    /// The whole outcome in the file.
    pub span: crate::text::Span,
}

/// Who receives an outcome.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Receiver {
    /// Each target of the ability.
    #[default]
    Target,
    /// The one who used the ability.
    Caster,
}

/// The kinds of outcome.
#[derive(Clone, Debug)]
pub enum OutcomeKind {
    /// A hit.
    Damage {
        /// Amount that enters the first hit step.
        amount: Formula,
        /// `0.1` draws from 90 % to 110 % of the amount, all alike likely.
        spread: Option<Formula>,
        /// The damage type.
        damage_type: Option<Word>,
        /// Hit steps that this hit passes by.
        skips: Vec<Word>,
        /// For hit steps that look at tags.
        tags: Vec<Word>,
        /// The pool that is hurt; `None` for the pool that defeats.
        pool: Option<Word>,
    },
    /// A heal.
    Heal {
        /// Amount that enters the first heal step.
        amount: Formula,
        /// As for damage.
        spread: Option<Formula>,
        /// Heal steps that this heal passes by.
        skips: Vec<Word>,
        /// For heal steps that look at tags.
        tags: Vec<Word>,
        /// The pool that is healed; `None` for the pool that defeats.
        pool: Option<Word>,
    },
    /// Fills a pool, past all steps.
    Restore {
        /// The pool.
        pool: Word,
        /// How much.
        amount: Formula,
    },
    /// Takes from a pool, past all steps.
    Drain {
        /// The pool.
        pool: Word,
        /// How much.
        amount: Formula,
        /// The share of what was taken that the caster gains in its own pool of that name.
        to_caster: Option<Formula>,
    },
}

const DAMAGE: &[&str] = &["damage", "spread", "type", "skips", "tags", "pool", "to"];
const HEAL: &[&str] = &["heal", "spread", "skips", "tags", "pool", "to"];
const RESTORE: &[&str] = &["restore", "amount", "to"];
const DRAIN: &[&str] = &["drain", "amount", "to_caster", "to"];
const KINDS: &[(&str, &[&str])] = &[("damage", DAMAGE), ("heal", HEAL), ("restore", RESTORE), ("drain", DRAIN)];

/// Reads the list under `does`.
pub(super) fn read_list(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<OutcomeRule> {
    let Some(items) = list(node, path, out) else { return Vec::new() };
    let read = |(index, item)| read_one(item, &format!("{path}.{index}"), out);
    items.iter().enumerate().filter_map(read).collect()
}

fn read_one(node: &Node, path: &str, out: &mut Diagnostics) -> Option<OutcomeRule> {
    let Value::Table(table) = &node.value else {
        out.push(super::reader::wrong_type(node, "a table such as { damage = 10 }", path));
        return None;
    };
    let kinds: Vec<_> = KINDS.iter().filter(|(name, _)| table.get(name).is_some()).collect();
    let [(name, keys)] = kinds.as_slice() else {
        let (message, names) = if kinds.is_empty() {
            (format!("`{path}` does not say what it does"), KINDS.iter().map(|(name, _)| *name).collect::<Vec<_>>())
        } else {
            (format!("`{path}` does several things at once"), kinds.iter().map(|(name, _)| *name).collect())
        };
        let diagnostic = Diagnostic::at(Code::KeyConflict, node.span, message);
        let near = table.entries.iter().find_map(|entry| crate::text::diagnostic::nearest(&entry.key, &names));
        out.push(diagnostic.help(match near {
            Some(name) if kinds.is_empty() => format!("did you mean `{name}`?"),
            _ => format!("exactly one of {}", crate::text::diagnostic::listed(&names)),
        }));
        return None;
    };
    let fields = Fields::open(node, path, keys, out)?;
    let kind = match *name {
        "damage" => damage(&fields, out),
        "heal" => heal(&fields, out),
        "restore" => restore(&fields, out),
        _ => drain(&fields, out),
    };
    let to = fields.choice("to", &[("target", Receiver::Target), ("caster", Receiver::Caster)], out);
    Some(OutcomeRule { path: path.to_owned(), kind: kind?, to: to.unwrap_or_default(), span: node.span })
}

fn damage(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<OutcomeKind> {
    Some(OutcomeKind::Damage {
        spread: fields.formula("spread", out),
        damage_type: fields.text("type", out),
        skips: fields.words("skips", out).unwrap_or_default(),
        tags: fields.words("tags", out).unwrap_or_default(),
        pool: fields.text("pool", out),
        amount: fields.formula("damage", out)?,
    })
}

fn heal(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<OutcomeKind> {
    Some(OutcomeKind::Heal {
        spread: fields.formula("spread", out),
        skips: fields.words("skips", out).unwrap_or_default(),
        tags: fields.words("tags", out).unwrap_or_default(),
        pool: fields.text("pool", out),
        amount: fields.formula("heal", out)?,
    })
}

fn amount(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<Formula> {
    if fields.get("amount").is_none() {
        fields.missing("amount", "amount = 5", out);
    }
    fields.formula("amount", out)
}

fn restore(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<OutcomeKind> {
    let (pool, amount) = (fields.text("restore", out), amount(fields, out));
    Some(OutcomeKind::Restore { pool: pool?, amount: amount? })
}

fn drain(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<OutcomeKind> {
    let (pool, amount) = (fields.text("drain", out), amount(fields, out));
    let to_caster = fields.formula("to_caster", out);
    Some(OutcomeKind::Drain { pool: pool?, amount: amount?, to_caster })
}
