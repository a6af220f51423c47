//! `does = [...]`: what an ability brings about.

use super::reader::{Fields, Formula, Word, list};
use super::shape;
use super::statuses::StatusKind;
use crate::text::diagnostic::listed;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span, Table, Value};

/// One effect.
#[derive(Clone, Debug)]
pub struct EffectRule {
    /// The path of this effect: `ability.sluice.does.0`.
    pub path: String,
    /// What kind, with its amount.
    pub kind: EffectKind,
    /// Who receives it, if it says so.
    pub to: Option<Receiver>,
    /// Only when this is true.
    pub when: Option<Formula>,
    /// Only with this chance.
    pub chance: Option<Formula>,
    /// The whole effect in the file.
    pub span: Span,
    /// Where it says who receives it.
    pub to_span: Span,
}

/// Who receives an effect.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Receiver {
    /// Each target of the ability.
    #[default]
    Target,
    /// The one who used the ability, or applied the status.
    Caster,
    /// The one who has the status.
    Owner,
    /// The other one in what a trigger triggers on: who hit, who was hit.
    Other,
    /// Everyone who stands on the side of the caster, or of the owner.
    Allies,
    /// Everyone who stands on another side.
    Enemies,
}

const RECEIVERS: &[(&str, Receiver)] = &[
    ("target", Receiver::Target),
    ("caster", Receiver::Caster),
    ("owner", Receiver::Owner),
    ("other", Receiver::Other),
    ("allies", Receiver::Allies),
    ("enemies", Receiver::Enemies),
];

impl Receiver {
    /// As it is written.
    pub fn name(self) -> &'static str {
        RECEIVERS.iter().find(|(_, receiver)| *receiver == self).map_or("", |(name, _)| name)
    }
}

/// Which of several statuses is cleansed first.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CleansePick {
    /// The one that has lasted longest.
    #[default]
    Oldest,
    /// The one that came last.
    Newest,
    /// The one that has most time left.
    Longest,
}

/// Which statuses are meant.
#[derive(Clone, Debug, Default)]
pub struct StatusFilter {
    /// Only this one.
    pub status: Option<Word>,
    /// Only of this kind.
    pub kind: Option<StatusKind>,
    /// Only with one of these tags.
    pub tags: Vec<Word>,
    /// How many at most; `u32::MAX` for all.
    pub count: u32,
    /// Which first.
    pub pick: CleansePick,
}

/// The kinds of effect.
#[derive(Clone, Debug)]
pub enum EffectKind {
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
    /// Applies a status.
    Apply {
        /// The status.
        status: Word,
        /// How many stacks; one if not given.
        stacks: Option<Formula>,
        /// Seconds in place of the status's own duration.
        duration: Option<Formula>,
    },
    /// Takes statuses away.
    Cleanse(StatusFilter),
    /// Gives statuses of the receiver's to the caster.
    Transfer(StatusFilter),
    /// Uses up stacks of a status.
    Consume {
        /// The status.
        status: Word,
        /// How many; all if not given.
        stacks: Option<Formula>,
    },
    /// Makes a status last longer, or shorter.
    Lengthen {
        /// The status.
        status: Word,
        /// Seconds.
        by: Formula,
        /// Shorter.
        shorter: bool,
    },
    /// The one who acts moves to within so many metres of the receiver, at once.
    Leap(Formula),
    /// Applies a status that is not there, and takes it away if it is.
    Toggle(Word),
    /// The one who acts becomes so much more of a threat in the eyes of the receiver.
    Threat(Formula),
    /// Breaks the cast that is under way.
    Interrupt,
    /// The side of the one who acts has won.
    Win,
    /// The receiver puts a piece of gear on.
    Wear(Word),
    /// The receiver takes a piece of gear off.
    TakeOff(Word),
    /// The receiver has an ability from now on.
    Give(Word),
    /// The receiver has an ability no more.
    Take(Word),
    /// The receiver is moved at once.
    Shift {
        /// How far, in metres.
        metres: Formula,
        /// Toward the caster instead of away.
        nearer: bool,
    },
    /// A zone comes about around the receiver.
    Zone(Word),
    /// Those who wait to be called join the side of the one who acts.
    Call {
        /// Which of them.
        character: Word,
        /// How many; one if not given.
        count: Option<Formula>,
    },
}

const DAMAGE: &[&str] = &["damage", "spread", "type", "skips", "tags", "pool"];
const HEAL: &[&str] = &["heal", "spread", "skips", "tags", "pool"];
const RESTORE: &[&str] = &["restore", "amount"];
const DRAIN: &[&str] = &["drain", "amount", "to_caster"];
const APPLY: &[&str] = &["apply", "stacks", "duration"];
const CLEANSE: &[&str] = &["cleanse"];
const TRANSFER: &[&str] = &["transfer"];
const CONSUME: &[&str] = &["consume", "stacks"];
const EXTEND: &[&str] = &["extend", "by"];
const SHORTEN: &[&str] = &["shorten", "by"];
const INTERRUPT: &[&str] = &["interrupt"];
const PUSH: &[&str] = &["push"];
const PULL: &[&str] = &["pull"];
const CALL: &[&str] = &["call", "count"];
const ZONE: &[&str] = &["zone"];
const THREAT: &[&str] = &["threat"];
const LEAP: &[&str] = &["leap"];
const TOGGLE: &[&str] = &["toggle"];
const WIN: &[&str] = &["win"];
const WEAR: &[&str] = &["wear"];
const TAKE_OFF: &[&str] = &["take_off"];
const GIVE: &[&str] = &["give"];
const TAKE: &[&str] = &["take"];
/// Kinds that are about the side of the one who acts: nobody receives them.
const OF_SIDES: &[&str] = &["call", "win"];
const COMMON: &[&str] = &["to", "when", "chance"];
const KINDS: &[(&str, &[&str])] = &[
    ("damage", DAMAGE),
    ("heal", HEAL),
    ("restore", RESTORE),
    ("drain", DRAIN),
    ("apply", APPLY),
    ("cleanse", CLEANSE),
    ("transfer", TRANSFER),
    ("consume", CONSUME),
    ("extend", EXTEND),
    ("shorten", SHORTEN),
    ("interrupt", INTERRUPT),
    ("push", PUSH),
    ("pull", PULL),
    ("call", CALL),
    ("zone", ZONE),
    ("threat", THREAT),
    ("leap", LEAP),
    ("toggle", TOGGLE),
    ("win", WIN),
    ("wear", WEAR),
    ("take_off", TAKE_OFF),
    ("give", GIVE),
    ("take", TAKE),
];

/// Reads the list under `does`.
pub(super) fn read_list(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<EffectRule> {
    let Some(items) = list(node, path, out) else { return Vec::new() };
    let read = |(index, item)| read_one(item, &format!("{path}.{index}"), out);
    items.iter().enumerate().filter_map(read).collect()
}

/// An effect that says nothing that is known, or several things at once.
fn not_one(table: &Table, span: Span, path: &str, said: &[&str]) -> Diagnostic {
    if !said.is_empty() {
        let message = format!("`{path}` does several things at once");
        return Diagnostic::at(Code::KeyConflict, span, message).help(format!("exactly one of {}", listed(said)));
    }
    let known: Vec<&str> = KINDS.iter().map(|(name, _)| *name).collect();
    let belongs_to_some = |key: &str| COMMON.contains(&key) || KINDS.iter().any(|(_, keys)| keys.contains(&key));
    match table.entries.iter().find(|entry| !belongs_to_some(&entry.key)) {
        Some(entry) => {
            let message = format!("no effect is called `{}`", entry.key);
            Diagnostic::at(Code::UnknownKey, entry.key_span, message).nearest(&entry.key, known)
        }
        None => {
            let message = format!("`{path}` does not say what it does");
            Diagnostic::at(Code::MissingKey, span, message).help(format!("exactly one of {}", listed(&known)))
        }
    }
}

fn read_one(node: &Node, path: &str, out: &mut Diagnostics) -> Option<EffectRule> {
    let Value::Table(table) = &node.value else {
        out.push(super::reader::wrong_type(node, "a table such as { damage = 10 }", path));
        return None;
    };
    let kinds: Vec<_> = KINDS.iter().filter(|(name, _)| table.get(name).is_some()).collect();
    let [(name, keys)] = kinds.as_slice() else {
        out.push(not_one(table, node.span, path, &kinds.iter().map(|(name, _)| *name).collect::<Vec<_>>()));
        return None;
    };
    let common = COMMON.iter().filter(|key| !OF_SIDES.contains(name) || **key != "to");
    let keys: Vec<&str> = keys.iter().chain(common).copied().collect();
    let fields = Fields::open(node, path, &keys, out)?;
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
        "interrupt" => fields.flag("interrupt", out).then_some(EffectKind::Interrupt),
        "win" => fields.flag("win", out).then_some(EffectKind::Win),
        "wear" => fields.text("wear", out).map(EffectKind::Wear),
        "take_off" => fields.text("take_off", out).map(EffectKind::TakeOff),
        "give" => fields.text("give", out).map(EffectKind::Give),
        "take" => fields.text("take", out).map(EffectKind::Take),
        key @ ("push" | "pull") => {
            fields.formula(key, out).map(|metres| EffectKind::Shift { metres, nearer: key == "pull" })
        }
        key => lengthen(&fields, key, out),
    };
    Some(EffectRule {
        path: path.to_owned(),
        to: fields.choice("to", RECEIVERS, out),
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
    Some(EffectKind::Consume { status: fields.text("consume", out)?, stacks })
}

fn lengthen(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Option<EffectKind> {
    if fields.get("by").is_none() {
        fields.missing("by", "by = 2", out);
    }
    let (status, by) = (fields.text(key, out), fields.formula("by", out));
    Some(EffectKind::Lengthen { status: status?, by: by?, shorter: key == "shorten" })
}

/// A status by name, or a table that says which.
fn filter(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Option<StatusFilter> {
    let node = fields.get(key)?;
    if let Value::Text(text, _) = &node.value {
        let status = Some(Word { text: text.clone(), span: node.span });
        return Some(StatusFilter { status, count: u32::MAX, ..StatusFilter::default() });
    }
    let inner = Fields::open(node, &fields.path_of(key), &shape::STATUS_FILTER.names(), out)?;
    let kinds = [("buff", StatusKind::Buff), ("debuff", StatusKind::Debuff), ("neutral", StatusKind::Neutral)];
    let picks = [("oldest", CleansePick::Oldest), ("newest", CleansePick::Newest), ("longest", CleansePick::Longest)];
    let count = match inner.get("count").map(|node| &node.value) {
        Some(Value::Text(text, _)) if text == "all" => Some(u32::MAX),
        _ => inner.whole("count", 1..=1_000, out),
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
        skips: fields.words("skips", out).unwrap_or_default(),
        tags: fields.words("tags", out).unwrap_or_default(),
        pool: fields.text("pool", out),
        amount: fields.formula("damage", out)?,
    })
}

fn heal(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    Some(EffectKind::Heal {
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

fn restore(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let (pool, amount) = (fields.text("restore", out), amount(fields, out));
    Some(EffectKind::Restore { pool: pool?, amount: amount? })
}

fn drain(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EffectKind> {
    let (pool, amount) = (fields.text("drain", out), amount(fields, out));
    let to_caster = fields.formula("to_caster", out);
    Some(EffectKind::Drain { pool: pool?, amount: amount?, to_caster })
}
