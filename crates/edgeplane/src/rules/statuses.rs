//! `[status.*]` and `[diminish.*]`: temporary conditions of combatants.

use super::effects::{self, EffectRule};
use super::reader::{Fields, Formula, Named, Word, list, wrong_type};
use super::shape::{self, MOST_KEPT_APART};
use super::steps::{self, StepRule};
use super::triggers::{self, TriggerRule};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span, Value};

/// Whether a status is good for its owner.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum StatusKind {
    /// Good.
    Buff,
    /// Bad.
    Debuff,
    /// Neither.
    #[default]
    Neutral,
}

impl StatusKind {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Self::Buff => "buff",
            Self::Debuff => "debuff",
            Self::Neutral => "neutral",
        }
    }
}

/// The sides whose abilities cannot target a combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub enum Untargetable {
    /// None.
    #[default]
    No,
    /// Its enemies.
    Enemies,
    /// Everyone else.
    Everyone,
}

/// Reads `untargetable`.
pub(super) fn untargetable(fields: &Fields<'_>, out: &mut Diagnostics) -> Untargetable {
    let choices = [("enemies", Untargetable::Enemies), ("everyone", Untargetable::Everyone)];
    fields.choice("untargetable", &choices, out).unwrap_or_default()
}

/// The effect of a further application while the first lasts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Reapply {
    /// None.
    Keep,
    /// The remaining time becomes the full duration.
    #[default]
    Refresh,
    /// The duration is added.
    Extend,
    /// The old one ends, and a new one begins.
    Replace,
    /// The one with the higher rank is kept.
    Strongest,
    /// The one with the later end is kept.
    Longest,
    /// More stacks.
    Stack,
    /// A separate instance.
    Separate,
}

/// The words for [`Reapply`].
pub(crate) const REAPPLY: &[(&str, Reapply)] = &[
    ("keep", Reapply::Keep),
    ("refresh", Reapply::Refresh),
    ("extend", Reapply::Extend),
    ("replace", Reapply::Replace),
    ("strongest", Reapply::Strongest),
    ("longest", Reapply::Longest),
    ("stack", Reapply::Stack),
    ("separate", Reapply::Separate),
];

/// The effect of a further stack on the time of existing ones.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum StackTimer {
    /// All share a renewed timer.
    #[default]
    Refresh,
    /// The first timer continues.
    Keep,
    /// Every stack ends individually.
    Each,
}

/// How a modifier changes an attribute.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum ModifierKind {
    /// Added to the base.
    Add,
    /// A percentage of the base plus additions.
    Percent,
    /// A factor.
    Times,
    /// A minimum of the value.
    AtLeast,
    /// A maximum of the value.
    AtMost,
    /// A fixed value; the latest is used.
    Set,
}

impl ModifierKind {
    /// As it is written.
    pub fn name(self) -> &'static str {
        MODIFIERS.iter().find(|(_, kind)| *kind == self).map_or("", |(name, _)| name)
    }
}

/// The words for [`ModifierKind`].
const MODIFIERS: &[(&str, ModifierKind)] = &[
    ("add", ModifierKind::Add),
    ("percent", ModifierKind::Percent),
    ("times", ModifierKind::Times),
    ("at_least", ModifierKind::AtLeast),
    ("at_most", ModifierKind::AtMost),
    ("set", ModifierKind::Set),
];

/// A change of an attribute while the status lasts.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct ModifierRule {
    /// The attribute, with or without a damage type: `resist.silt`.
    pub attribute: Word,
    /// The kind of change.
    pub kind: ModifierKind,
    /// The amount.
    pub amount: Formula,
}

/// Periodic effects.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct EveryRule {
    /// The interval of ticks.
    pub pace: PaceRule,
    /// One additional tick at the start.
    pub first_now: bool,
    /// The rest of a period at the end gives a partial tick.
    pub part_tick: bool,
    /// A renewal restarts the rhythm.
    pub restart: bool,
    /// The effects of a tick.
    pub does: Vec<EffectRule>,
}

/// The interval of ticks.
#[derive(Clone, Debug)]
pub enum PaceRule {
    /// A period in seconds.
    Period(Formula),
    /// A number of ticks, evenly over the duration.
    Ticks(u32),
}

/// The duration of a status.
#[derive(Clone, Debug, Default)]
pub enum DurationRule {
    /// Until something removes it.
    #[default]
    Endless,
    /// A number of seconds.
    Seconds(Formula),
}

/// One status.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct StatusRule {
    /// For readers.
    pub about: String,
    /// The name under which a game finds its icon.
    pub icon: Option<Word>,
    /// The text for players, with values in braces.
    pub text: Option<Word>,
    /// The values in `text`.
    pub values: Vec<(Word, Formula)>,
    /// Good or bad.
    pub kind: StatusKind,
    /// For immunities, cleansing and formulas.
    pub tags: Vec<Word>,
    /// The duration.
    pub duration: DurationRule,
    /// It ends as soon as this is false.
    pub holds_while: Option<Formula>,
    /// The effect of a further application.
    pub reapply: Reapply,
    /// A separate record for each caster instead of one per target.
    pub per_caster: bool,
    /// The effect of further stacks on the time.
    pub stack_timer: StackTimer,
    /// The maximum number of stacks.
    pub max_stacks: Option<u32>,
    /// The maximum number of instances, for `separate`.
    pub max_instances: Option<u32>,
    /// The maximum remaining seconds after an extension.
    pub longest: Option<Formula>,
    /// The rank for `strongest`.
    pub rank: Option<Formula>,
    /// Its modifiers.
    pub modify: Vec<ModifierRule>,
    /// Its ticks.
    pub every: Option<EveryRule>,
    /// Steps added to hits of its owner.
    pub hit_steps: Vec<Named<StepRule>>,
    /// Its triggers.
    pub on: Vec<TriggerRule>,
    /// `act`, `move`, or tags of abilities.
    pub forbids: Vec<Word>,
    /// Abilities that it grants to its owner.
    pub abilities: Vec<Word>,
    /// Its owner is on the side of the combatant that applied it.
    pub turns: bool,
    /// The sides whose abilities cannot target its owner.
    pub untargetable: Untargetable,
    /// It interrupts a cast.
    pub interrupts: bool,
    /// Its owner picks the combatant that applied it before all others.
    pub taunts: bool,
    /// Tags of statuses to which its owner is immune.
    pub immune: Vec<Word>,
    /// The chance that the target resists it.
    pub resist: Option<Formula>,
    /// It is hidden from players.
    pub hidden: bool,
    /// It cannot be cleansed.
    pub cleansable: bool,
    /// Seconds before its end at which this is announced.
    pub warn: Option<f64>,
    /// The effects of reaching the maximum of stacks.
    pub at_max: Vec<EffectRule>,
    /// The stacks are consumed then.
    pub consume: bool,
    /// It represents a worn piece of gear, or a point.
    pub worn: bool,
    /// It represents a point.
    pub point: bool,
}

/// Diminishing durations of repeated statuses with a tag.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct DiminishRule {
    /// Seconds without such a status after which durations are full again.
    pub window: f64,
    /// The factors of the duration in order; the last one stays.
    pub steps: Vec<f64>,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> StatusRule {
    let Some(fields) = Fields::open_own(node, path, &shape::STATUS, out) else { return StatusRule::default() };
    let kinds = [("buff", StatusKind::Buff), ("debuff", StatusKind::Debuff), ("neutral", StatusKind::Neutral)];
    let timers = [("refresh", StackTimer::Refresh), ("keep", StackTimer::Keep), ("each", StackTimer::Each)];
    let rule = StatusRule {
        about: fields.about(out),
        icon: fields.text("icon", out),
        text: fields.text("text", out),
        values: fields.amounts("values", "formulas by name, such as { slow = \"8 * stacks\" }", out),
        kind: fields.choice("kind", &kinds, out).unwrap_or_default(),
        tags: fields.words("tags", out).unwrap_or_default(),
        duration: duration(&fields, out),
        holds_while: fields.formula("while", out),
        reapply: fields.choice("reapply", REAPPLY, out).unwrap_or_default(),
        per_caster: fields.choice("per", &[("target", false), ("caster", true)], out).unwrap_or_default(),
        stack_timer: fields.choice("stack_timer", &timers, out).unwrap_or_default(),
        max_stacks: fields.whole("max_stacks", out),
        max_instances: fields.whole("max_instances", out),
        longest: fields.formula("longest", out),
        rank: fields.formula("rank", out),
        modify: modifiers(&fields, out),
        every: every(&fields, out),
        hit_steps: steps::read_owned(fields.get("hit_steps"), &fields.path_of("hit_steps"), out),
        on: fields.get("on").map(|node| triggers::read_list(node, &fields.path_of("on"), out)).unwrap_or_default(),
        forbids: fields.words("forbids", out).unwrap_or_default(),
        abilities: fields.words("abilities", out).unwrap_or_default(),
        turns: fields.choice("side", &[("caster", ())], out).is_some(),
        untargetable: untargetable(&fields, out),
        interrupts: fields.flag("interrupts", out),
        taunts: fields.flag("taunts", out),
        immune: fields.words("immune", out).unwrap_or_default(),
        resist: fields.formula("resist", out),
        hidden: fields.flag("hidden", out),
        cleansable: fields.get("cleansable").is_none() || fields.flag("cleansable", out),
        warn: fields.number("warn", out),
        at_max: does(&fields, "at_max", out),
        consume: fields.flag("consume", out),
        worn: false,
        point: false,
    };
    check(&fields, &rule, out);
    rule
}

/// The effects of a worn piece of gear.
pub(super) fn worn(fields: &Fields<'_>, about: String, out: &mut Diagnostics) -> StatusRule {
    let rule = StatusRule {
        about,
        duration: DurationRule::Endless,
        modify: modifiers(fields, out),
        every: every(fields, out),
        hit_steps: steps::read_owned(fields.get("hit_steps"), &fields.path_of("hit_steps"), out),
        on: fields.get("on").map(|node| triggers::read_list(node, &fields.path_of("on"), out)).unwrap_or_default(),
        immune: fields.words("immune", out).unwrap_or_default(),
        abilities: fields.words("abilities", out).unwrap_or_default(),
        untargetable: untargetable(fields, out),
        hidden: true,
        cleansable: false,
        worn: true,
        ..StatusRule::default()
    };
    check(fields, &rule, out);
    rule
}

/// Keys that require other keys.
fn check(fields: &Fields<'_>, rule: &StatusRule, out: &mut Diagnostics) {
    let stacks = rule.reapply == Reapply::Stack;
    let needs = [
        ("max_stacks", stacks, "reapply = \"stack\""),
        ("stack_timer", stacks, "reapply = \"stack\""),
        ("at_max", stacks && rule.max_stacks.is_some(), "reapply = \"stack\" and `max_stacks`"),
        ("consume", stacks && rule.max_stacks.is_some(), "reapply = \"stack\" and `max_stacks`"),
        ("max_instances", rule.reapply == Reapply::Separate, "reapply = \"separate\""),
        ("longest", rule.reapply == Reapply::Extend, "reapply = \"extend\""),
        ("rank", rule.reapply == Reapply::Strongest, "reapply = \"strongest\""),
        ("values", rule.text.is_some(), "a `text` that shows them"),
    ];
    for (key, fits, wanted) in needs {
        if let Some(node) = fields.get(key).filter(|_| !fits) {
            let message = format!("`{}` has no meaning without {wanted}", fields.path_of(key));
            out.push(Diagnostic::at(Code::KeyConflict, node.span, message));
        }
    }
    let apart = rule.stack_timer == StackTimer::Each && rule.max_stacks.is_some_and(|most| most > MOST_KEPT_APART);
    if let Some(node) = fields.get("max_stacks").filter(|_| apart) {
        let message = format!("there can be at most {MOST_KEPT_APART} stacks with individual end times");
        out.push(Diagnostic::at(Code::BadValue, node.span, message));
    }
    for step in rule.hit_steps.iter().filter(|step| step.rule.owned.is_none()) {
        let message = format!("`{}` has no `of`", step.name);
        out.push(
            Diagnostic::at(Code::MissingKey, step.span, message).help("`of = \"hits_dealt\"` or `of = \"hits_taken\"`"),
        );
    }
    if rule.reapply == Reapply::Strongest && fields.get("rank").is_none() {
        fields.missing("rank", "rank = \"caster.craft\"", out);
    }
}

fn is_endless(node: &&Node) -> bool {
    matches!(node.value, Value::Number(seconds) if seconds == f64::INFINITY)
}

fn duration(fields: &Fields<'_>, out: &mut Diagnostics) -> DurationRule {
    match fields.get("duration") {
        Some(node) if is_endless(&node) => DurationRule::Endless,
        Some(_) => fields.formula("duration", out).map_or(DurationRule::Endless, DurationRule::Seconds),
        None => {
            if fields.get("while").is_none() {
                fields.missing("duration", "duration = 6, or inf for one that does not end by itself", out);
            }
            DurationRule::Endless
        }
    }
}

pub(super) fn does(fields: &Fields<'_>, key: &str, out: &mut Diagnostics) -> Vec<EffectRule> {
    fields.get(key).map(|node| effects::read_list(node, &fields.path_of(key), out)).unwrap_or_default()
}

fn modifiers(fields: &Fields<'_>, out: &mut Diagnostics) -> Vec<ModifierRule> {
    let Some(node) = fields.get("modify") else { return Vec::new() };
    let path = fields.path_of("modify");
    let items = list(node, &path, out).unwrap_or_default();
    items.iter().enumerate().filter_map(|(index, item)| modifier(item, &format!("{path}.{index}"), out)).collect()
}

fn modifier(node: &Node, path: &str, out: &mut Diagnostics) -> Option<ModifierRule> {
    let fields = Fields::open(node, path, &shape::MODIFIER, out)?;
    if fields.get("attribute").is_none() {
        fields.missing("attribute", "{ attribute = \"guard\", add = 35 }", out);
    }
    let given: Vec<_> = MODIFIERS.iter().filter(|(name, _)| fields.get(name).is_some()).collect();
    let [(key, kind)] = given.as_slice() else {
        let names: Vec<&str> = MODIFIERS.iter().map(|(name, _)| *name).collect();
        if given.is_empty() && !fields.all_known() {
            return None;
        }
        let what = if given.is_empty() { "no kind" } else { "several kinds" };
        let message = format!("`{path}` has {what} of change");
        let help = format!("exactly one of {}", crate::text::diagnostic::listed(&names));
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message).help(help));
        return None;
    };
    let (attribute, amount) = (fields.text("attribute", out), fields.formula(key, out));
    Some(ModifierRule { attribute: attribute?, kind: *kind, amount: amount? })
}

fn every(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<EveryRule> {
    let node = fields.get("every")?;
    if node.table().is_none() {
        out.push(wrong_type(node, "a table such as { period = 1, does = [{ damage = 2 }] }", &fields.path_of("every")));
        return None;
    }
    let inner = Fields::open(node, &fields.path_of("every"), &shape::EVERY, out)?;
    let first_now = inner.choice("first_tick", &[("later", false), ("now", true)], out).unwrap_or_default();
    let restart = inner.choice("rhythm", &[("keep", false), ("restart", true)], out).unwrap_or_default();
    Some(EveryRule {
        part_tick: inner.flag("part_tick", out),
        does: does(&inner, "does", out),
        pace: pace(fields, &inner, first_now, out)?,
        first_now,
        restart,
    })
}

/// A period, or a number of ticks in the duration.
fn pace(status: &Fields<'_>, fields: &Fields<'_>, first_now: bool, out: &mut Diagnostics) -> Option<PaceRule> {
    let Some(node) = fields.get("ticks") else {
        if fields.get("period").is_none() {
            fields.missing("period", "every = { period = 1, does = [ … ] }, or ticks = 3", out);
        }
        return fields.formula("period", out).map(PaceRule::Period);
    };
    let ticks = fields.whole("ticks", out);
    let other = ["period", "part_tick"].into_iter().find(|key| fields.get(key).is_some());
    let other = other.or_else(|| first_now.then_some("first_tick"));
    if let Some(other) = other {
        let message = format!("`{}` divides the duration evenly, so `{other}` has no effect", fields.path_of("ticks"));
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message));
    }
    if status.get("duration").is_none_or(|lasts| is_endless(&lasts)) {
        let message = format!("`{}` divides the duration, but this status has none", fields.path_of("ticks"));
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message));
    }
    ticks.map(PaceRule::Ticks)
}

pub(super) fn read_diminish(node: &Node, path: &str, out: &mut Diagnostics) -> DiminishRule {
    let Some(fields) = Fields::open(node, path, &shape::DIMINISH, out) else {
        return DiminishRule::default();
    };
    fields.about(out);
    let window = fields.number("window", out);
    if fields.get("window").is_none() {
        fields.missing("window", "window = 15", out);
    }
    let mut rule = DiminishRule { window: window.unwrap_or_default(), steps: vec![1.0, 0.5, 0.25, 0.0] };
    if let Some(node) = fields.get("steps") {
        let items = list(node, &fields.path_of("steps"), out).unwrap_or_default();
        rule.steps = items.iter().filter_map(|item| factor(item, &fields, out)).collect();
        if rule.steps.is_empty() {
            out.push(bad_steps(node.span, &fields));
        }
    }
    rule
}

fn factor(item: &Node, fields: &Fields<'_>, out: &mut Diagnostics) -> Option<f64> {
    match item.value {
        Value::Number(factor) if (0.0..=1.0).contains(&factor) => Some(factor),
        _ => {
            out.push(bad_steps(item.span, fields));
            None
        }
    }
}

fn bad_steps(span: Span, fields: &Fields<'_>) -> Diagnostic {
    let message = format!("`{}` takes factors from 0 to 1, such as [1, 0.5, 0.25, 0]", fields.path_of("steps"));
    Diagnostic::at(Code::BadValue, span, message)
}
