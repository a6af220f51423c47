//! `does = [...]`: lists of effects.

use super::reader::{Fields, Formula, Selector, Word, formula, list};
use super::shape::{self, TableShape};
use super::statuses::StatusKind;
use super::steps::{Skips, skips};
use crate::text::diagnostic::listed;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span, Table, Value};

/// One effect.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct EffectRule {
    /// The path of this effect: `ability.sluice.does.0`.
    pub path: String,
    /// Its kind, with its amount.
    pub kind: EffectKind,
    /// Its receiver, if given.
    pub to: Option<Receiver>,
    /// For a side: only combatants within this many metres of the caster, or of the owner.
    pub within: Option<Formula>,
    /// A condition.
    pub when: Option<Formula>,
    /// A chance.
    pub chance: Option<Formula>,
    /// The span of the whole effect in the file.
    pub span: Span,
    /// The span of its receiver.
    pub to_span: Span,
}

/// The receiver of an effect.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Receiver {
    /// Each target of the ability.
    #[default]
    Target,
    /// The combatant that used the ability or applied the status.
    Caster,
    /// The combatant that has the status.
    Owner,
    /// The other combatant of a trigger: the attacker, or the one hit.
    Other,
    /// All standing combatants on the side of the caster, or of the owner.
    Allies,
    /// The same without the caster, or the owner.
    Others,
    /// All standing combatants on other sides.
    Enemies,
    /// All standing combatants.
    Everyone,
}

const RECEIVERS: &[(&str, Receiver)] = &[
    ("target", Receiver::Target),
    ("caster", Receiver::Caster),
    ("owner", Receiver::Owner),
    ("other", Receiver::Other),
    ("allies", Receiver::Allies),
    ("others", Receiver::Others),
    ("enemies", Receiver::Enemies),
    ("everyone", Receiver::Everyone),
];

impl Receiver {
    /// Whether it is a side.
    pub fn is_side(self) -> bool {
        matches!(self, Self::Allies | Self::Others | Self::Enemies | Self::Everyone)
    }

    /// As written.
    pub fn name(self) -> &'static str {
        RECEIVERS.iter().find(|(_, receiver)| *receiver == self).map_or("", |(name, _)| name)
    }
}

/// The order in which statuses are cleansed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CleansePick {
    /// The oldest.
    #[default]
    Oldest,
    /// The newest.
    Newest,
    /// The one with the longest remaining time.
    Longest,
}

/// The statuses selected by a filter.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct StatusFilter {
    /// Only this one.
    pub status: Option<Word>,
    /// Only of this kind.
    pub kind: Option<StatusKind>,
    /// Only with one of these tags.
    pub tags: Vec<Word>,
    /// The maximum number; `u32::MAX` for all.
    pub count: u32,
    /// The order of selection.
    pub pick: CleansePick,
}

/// The kinds of effect.
#[derive(Clone, Debug)]
pub enum EffectKind {
    /// A hit.
    Damage {
        /// The amount that enters the first hit step.
        amount: Formula,
        /// `0.1` draws from 90 % to 110 % of the amount, uniformly.
        spread: Option<Formula>,
        /// The damage type.
        damage_type: Option<Word>,
        /// Hit steps that this hit skips.
        skips: Skips,
        /// For hit steps that refer to tags.
        tags: Vec<Word>,
        /// The pool that it takes from; `None` for the pool that defeats.
        pool: Option<Word>,
    },
    /// A heal.
    Heal {
        /// The amount that enters the first heal step.
        amount: Formula,
        /// As for damage.
        spread: Option<Formula>,
        /// Heal steps that this heal skips.
        skips: Skips,
        /// For heal steps that refer to tags.
        tags: Vec<Word>,
        /// The pool that it adds to; `None` for the pool that defeats.
        pool: Option<Word>,
    },
    /// Adds to a pool, without steps.
    Restore {
        /// The pool.
        pool: Word,
        /// The amount.
        amount: Formula,
    },
    /// Takes from a pool, without steps.
    Drain {
        /// The pool.
        pool: Word,
        /// The amount.
        amount: Formula,
        /// The share of the taken amount that the caster gains in its own pool of that name.
        to_caster: Option<Formula>,
    },
    /// Applies a status.
    Apply {
        /// The status.
        status: Word,
        /// The number of stacks; one if not given.
        stacks: Option<Formula>,
        /// Seconds that replace the status's own duration.
        duration: Option<Formula>,
    },
    /// Removes statuses.
    Cleanse(StatusFilter),
    /// Transfers statuses of the receiver to the caster.
    Transfer(StatusFilter),
    /// Consumes stacks of statuses.
    Consume {
        /// The statuses.
        status: Selector,
        /// The number of stacks; all if not given.
        stacks: Option<Formula>,
    },
    /// Extends or shortens statuses.
    Lengthen {
        /// The statuses.
        status: Selector,
        /// Seconds.
        by: Formula,
        /// Whether it shortens.
        shorter: bool,
    },
    /// Moves the caster instantly to within this many metres of the receiver.
    Leap(Formula),
    /// Applies a status if it is absent, and removes it if it is present.
    Toggle(Word),
    /// Changes the threat of the caster for the receiver.
    Threat(Formula),
    /// Interrupts the current cast; only of these abilities, if given.
    Interrupt(Option<Selector>),
    /// The caster's side wins.
    Win,
    /// Revives a defeated receiver, with these amounts in its pools.
    Revive(Vec<(Word, Formula)>),
    /// Gives experience to the receiver.
    Experience(Formula),
    /// Sends a named report to the game, with numbers.
    Report(Word, Vec<Formula>),
    /// Puts a piece of gear on the receiver.
    Wear(Word),
    /// Takes a piece of gear off the receiver.
    TakeOff(Word),
    /// Gives an ability to the receiver.
    Give(Word),
    /// Takes these abilities from the receiver.
    Take(Selector),
    /// Moves the receiver instantly.
    Shift {
        /// The distance in metres.
        metres: Formula,
        /// Toward the caster instead of away.
        nearer: bool,
    },
    /// Places a zone around the receiver.
    Zone(Word),
    /// Lets members that wait to be called join the caster's side.
    Call {
        /// Their character.
        character: Word,
        /// Their number; one if not given.
        count: Option<Formula>,
    },
}

/// The maximum number of numbers in a report.
pub(crate) const MOST_NUMBERS: usize = 4;

/// The kinds of effects: the key that names each, and the table.
fn kinds() -> impl Iterator<Item = (&'static str, &'static TableShape)> {
    shape::effects().map(|table| (table.needs[0], table))
}

/// Reads the list under `does`.
pub(super) fn read_list(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<EffectRule> {
    let Some(items) = list(node, path, out) else { return Vec::new() };
    let read = |(index, item)| read_one(item, &format!("{path}.{index}"), out);
    items.iter().enumerate().filter_map(read).collect()
}

/// Reports an effect with no known kind, or with several.
fn not_one(table: &Table, span: Span, path: &str, said: &[&str]) -> Diagnostic {
    if !said.is_empty() {
        let message = format!("`{path}` has several kinds of effect");
        return Diagnostic::at(Code::KeyConflict, span, message).help(format!("exactly one of {}", listed(said)));
    }
    let known: Vec<&str> = kinds().map(|(name, _)| name).collect();
    let belongs_to_some = |key: &str| kinds().any(|(_, table)| table.names().contains(&key));
    match table.entries.iter().find(|entry| !belongs_to_some(&entry.key)) {
        Some(entry) => {
            let message = format!("no effect is called `{}`", entry.key);
            Diagnostic::at(Code::UnknownKey, entry.key_span, message).nearest(&entry.key, known)
        }
        None => {
            let message = format!("`{path}` has no kind of effect");
            Diagnostic::at(Code::MissingKey, span, message).help(format!("exactly one of {}", listed(&known)))
        }
    }
}

/// Whether an effect has this name.
pub(super) fn is_effect(name: &str) -> bool {
    kinds().any(|(kind, _)| kind == name)
}

fn read_one(node: &Node, path: &str, out: &mut Diagnostics) -> Option<EffectRule> {
    let Value::Table(table) = &node.value else {
        out.push(super::reader::wrong_type(node, "a table such as { damage = 10 }", path));
        return None;
    };
    let given: Vec<_> = kinds().filter(|(name, _)| table.get(name).is_some()).collect();
    let [(name, shape)] = given.as_slice() else {
        out.push(not_one(table, node.span, path, &given.iter().map(|(name, _)| *name).collect::<Vec<_>>()));
        return None;
    };
    let fields = Fields::open(node, path, shape, out)?;
    let kind = match *name {
        "damage" => damage(&fields, out),
        "heal" => heal(&fields, out),
        "restore" => restore(&fields, out),
        "drain" => drain(&fields, out),
        "apply" => apply(&fields, out),
        "cleanse" => filter(&fields, "cleanse", out).map(EffectKind::Cleanse),
        "transfer" => filter(&fields, "transfer", out).map(EffectKind::Transfer),
        "consume" => consume(&fields, out),
        "zone" => fields.text("zone", out).map(EffectKind::Zone),
        "call" => call(&fields, out),
        "leap" => fields.formula("leap", out).map(EffectKind::Leap),
        "toggle" => fields.text("toggle", out).map(EffectKind::Toggle),
        "threat" => fields.formula("threat", out).map(EffectKind::Threat),
        "interrupt" => interrupt(&fields, out),
        "win" => yes(&fields, "win", out).map(|()| EffectKind::Win),
        "wear" => fields.text("wear", out).map(EffectKind::Wear),
        "take_off" => fields.text("take_off", out).map(EffectKind::TakeOff),
        "give" => fields.text("give", out).map(EffectKind::Give),
        "take" => fields.selector("take", out).map(EffectKind::Take),
        "revive" => Some(EffectKind::Revive(fields.amounts("revive", "amounts by pool, such as { health = 20 }", out))),
        "experience" => fields.formula("experience", out).map(EffectKind::Experience),
        "report" => report(&fields, out),
        key @ ("push" | "pull") => {
            fields.formula(key, out).map(|metres| EffectKind::Shift { metres, nearer: key == "pull" })
        }
        key => lengthen(&fields, key, out),
    };
    let to = fields.choice("to", RECEIVERS, out);
    let of_side = to.is_some_and(Receiver::is_side);
    if let Some(node) = fields.get("within").filter(|_| !of_side) {
        let message = format!("`{path}.within` has no effect: it restricts the receivers of a side");
        let help = "it requires `to = \"enemies\"`, \"allies\", \"others\" or \"everyone\"";
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message).help(help));
    }
    Some(EffectRule {
        path: path.to_owned(),
        to,
        within: fields.formula("within", out).filter(|_| of_side),
        when: fields.formula("when", out),
        chance: fields.formula("chance", out),
        kind: kind?,
        span: node.span,
        to_span: fields.get("to").map_or(node.span, |node| node.span),
    })
}

fn apply(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let (stacks, duration) = (fields.formula("stacks", out), fields.formula("duration", out));
    Some(EffectKind::Apply { status: fields.text("apply", out)?, stacks, duration })
}

fn call(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let count = fields.formula("count", out);
    Some(EffectKind::Call { character: fields.text("call", out)?, count })
}

fn consume(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let stacks = fields.formula("stacks", out);
    Some(EffectKind::Consume { status: fields.selector("consume", out)?, stacks })
}

/// `true`; any other value has no effect.
fn yes(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Option<()> {
    if !fields.flag(key, out) {
        if let Some(Node { value: Value::Flag(false), span }) = fields.get(key) {
            let message = format!("`{} = false` has no effect", fields.path_of(key));
            out.push(Diagnostic::at(Code::BadValue, *span, message).help("leave the effect out"));
        }
        return None;
    }
    Some(())
}

/// Any cast, or casts of an ability, or of abilities with a tag.
fn interrupt(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let node = fields.get("interrupt")?;
    let Value::Table(_) = node.value else {
        return yes(fields, "interrupt", out).map(|()| EffectKind::Interrupt(None));
    };
    let inner = Fields::open(node, &fields.path_of("interrupt"), &shape::CASTS, out)?;
    if inner.get("ability").or(inner.get("tag")).is_none() && inner.all_known() {
        inner.missing("tag", "interrupt = { tag = \"spell\" }", out);
    }
    inner.name_or_tag("ability", out).map(|which| EffectKind::Interrupt(Some(which)))
}

fn lengthen(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Option<EffectKind> {
    if fields.get("by").is_none() {
        fields.missing("by", "by = 2", out);
    }
    let (status, by) = (fields.selector(key, out), fields.formula("by", out));
    Some(EffectKind::Lengthen { status: status?, by: by?, shorter: key == "shorten" })
}

/// A status by name, or a filter.
fn filter(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Option<StatusFilter> {
    let node = fields.get(key)?;
    if let Value::Text(text, _) = &node.value {
        let status = Some(Word { text: text.clone(), span: node.span });
        return Some(StatusFilter { status, count: u32::MAX, ..StatusFilter::default() });
    }
    let inner = Fields::open(node, &fields.path_of(key), &shape::STATUS_FILTER, out)?;
    let kinds = [("buff", StatusKind::Buff), ("debuff", StatusKind::Debuff), ("neutral", StatusKind::Neutral)];
    let picks = [("oldest", CleansePick::Oldest), ("newest", CleansePick::Newest), ("longest", CleansePick::Longest)];
    let count = match inner.get("count").map(|node| &node.value) {
        Some(Value::Text(text, _)) if text == "all" => Some(u32::MAX),
        _ => inner.whole("count", out),
    };
    Some(StatusFilter {
        status: None,
        kind: inner.choice("kind", &kinds, out),
        tags: inner.words("tags", out).unwrap_or_default(),
        count: count.unwrap_or(1),
        pick: inner.choice("pick", &picks, out).unwrap_or_default(),
    })
}

fn damage(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    Some(EffectKind::Damage {
        spread: fields.formula("spread", out),
        damage_type: fields.text("type", out),
        skips: skips(fields, out),
        tags: fields.words("tags", out).unwrap_or_default(),
        pool: fields.text("pool", out),
        amount: fields.formula("damage", out)?,
    })
}

fn heal(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    Some(EffectKind::Heal {
        spread: fields.formula("spread", out),
        skips: skips(fields, out),
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

fn restore(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let (pool, amount) = (fields.text("restore", out), amount(fields, out));
    Some(EffectKind::Restore { pool: pool?, amount: amount? })
}

fn drain(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let (pool, amount) = (fields.text("drain", out), amount(fields, out));
    let to_caster = fields.formula("to_caster", out);
    Some(EffectKind::Drain { pool: pool?, amount: amount?, to_caster })
}

fn report(fields: &Fields, out: &mut Diagnostics) -> Option<EffectKind> {
    let name = fields.text("report", out)?;
    let path = fields.path_of("numbers");
    let numbers = match fields.get("numbers") {
        Some(node) => {
            let items = list(node, &path, out)?;
            if items.len() > MOST_NUMBERS {
                let message = format!("`{path}` has {} numbers; at most {MOST_NUMBERS} are allowed", items.len());
                out.push(Diagnostic::at(Code::BadValue, node.span, message));
                return None;
            }
            let numbers = items.iter().zip(0..).map(|(item, index)| formula(item, format!("{path}.{index}"), out));
            numbers.collect::<Option<Vec<_>>>()?
        }
        None => Vec::new(),
    };
    Some(EffectKind::Report(name, numbers))
}
