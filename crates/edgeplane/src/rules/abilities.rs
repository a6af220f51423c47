//! `[ability.*]`: what a combatant can choose to do.

use super::outcomes::{self, OutcomeRule};
use super::reader::{Fields, Formula, Word, choose, formula, wrong_type};
use crate::text::{Diagnostics, Node, Value};

/// One ability.
#[derive(Clone, Debug, Default)]
pub struct AbilityRule {
    /// For readers.
    pub about: String,
    /// For hit steps that look at tags.
    pub tags: Vec<Word>,
    /// What it spends, pool by pool, when the cast starts.
    pub cost: Vec<(Word, Formula)>,
    /// Seconds from the release until it is ready again.
    pub cooldown: Option<Formula>,
    /// Seconds of wind-up before it takes effect.
    pub cast: Option<Formula>,
    /// Seconds of lock-out afterwards.
    pub recovery: Option<Formula>,
    /// Share of its cost that an interrupted cast pays back.
    pub refund: Option<Formula>,
    /// It is locked unless this is true.
    pub unlock: Option<Formula>,
    /// Whom it may be used on.
    pub targets: TargetRule,
    /// What it brings about, in order.
    pub does: Vec<OutcomeRule>,
}

/// Whom an ability is used on.
#[derive(Clone, Debug)]
pub struct TargetRule {
    /// From whose ranks.
    pub side: SideRule,
    /// Which of them.
    pub pick: Pick,
    /// How many at most; `u32::MAX` for all.
    pub count: u32,
}

impl Default for TargetRule {
    fn default() -> Self {
        Self { side: SideRule::Enemies, pick: Pick::First, count: 1 }
    }
}

/// Whose ranks, seen from the caster.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SideRule {
    /// All other sides.
    Enemies,
    /// The caster's side, the caster included.
    Allies,
    /// The caster.
    Caster,
    /// Everyone.
    Everyone,
}

/// Which of those who can be targeted.
#[derive(Clone, Debug)]
pub enum Pick {
    /// In the order of the encounter.
    First,
    /// Least share of the pool that defeats.
    Weakest,
    /// Greatest share of the pool that defeats.
    Strongest,
    /// Any, all alike likely.
    Random,
    /// Least value of a formula.
    Lowest(Formula),
}

const KEYS: &[&str] = &["about", "tags", "cost", "cooldown", "cast", "recovery", "refund", "unlock", "targets", "does"];
const SIDES: &[(&str, SideRule)] = &[
    ("enemies", SideRule::Enemies),
    ("allies", SideRule::Allies),
    ("self", SideRule::Caster),
    ("everyone", SideRule::Everyone),
];

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> AbilityRule {
    let Some(fields) = Fields::open(node, path, KEYS, out) else { return AbilityRule::default() };
    if fields.get("does").is_none() {
        fields.missing("does", "does = [{ damage = 10 }]", out);
    }
    AbilityRule {
        about: fields.about(out),
        tags: fields.words("tags", out).unwrap_or_default(),
        cost: cost(&fields, out),
        cooldown: fields.formula("cooldown", out),
        cast: fields.formula("cast", out),
        recovery: fields.formula("recovery", out),
        refund: fields.formula("refund", out),
        unlock: fields.formula("unlock", out),
        targets: targets(&fields, out),
        does: fields
            .get("does")
            .map(|node| outcomes::read_list(node, &fields.path_of("does"), out))
            .unwrap_or_default(),
    }
}

fn cost(fields: &Fields<'_>, out: &mut Diagnostics) -> Vec<(Word, Formula)> {
    let Some(node) = fields.get("cost") else { return Vec::new() };
    let Value::Table(table) = &node.value else {
        out.push(wrong_type(node, "amounts by pool, such as { breath = 4 }", &fields.path_of("cost")));
        return Vec::new();
    };
    let read = |entry: &crate::text::Entry| {
        let path = format!("{}.cost.{}", fields.path, entry.key);
        Some((Word { text: entry.key.clone(), span: entry.key_span }, formula(&entry.node, path, out)?))
    };
    table.entries.iter().filter_map(read).collect()
}

fn targets(fields: &Fields<'_>, out: &mut Diagnostics) -> TargetRule {
    let mut rule = TargetRule::default();
    let Some(node) = fields.get("targets") else { return rule };
    let path = fields.path_of("targets");
    if let Value::Text(text, _) = &node.value {
        let word = Word { text: text.clone(), span: node.span };
        rule.side = choose(&word, &path, SIDES, out).unwrap_or(rule.side);
        return rule;
    }
    let Some(inner) = Fields::open(node, &path, &["side", "pick", "count"], out) else { return rule };
    rule.side = inner.choice("side", SIDES, out).unwrap_or(rule.side);
    rule.pick = pick(&inner, out).unwrap_or(rule.pick);
    rule.count = match inner.get("count").map(|node| &node.value) {
        Some(Value::Text(text, _)) if text == "all" => u32::MAX,
        _ => inner.whole("count", 1..=1_000, out).unwrap_or(1),
    };
    rule
}

fn pick(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<Pick> {
    let node = fields.get("pick")?;
    let path = fields.path_of("pick");
    if let Value::Table(_) = node.value {
        let inner = Fields::open(node, &path, &["lowest"], out)?;
        if inner.get("lowest").is_none() {
            inner.missing("lowest", "pick = { lowest = \"target.health\" }", out);
        }
        return inner.formula("lowest", out).map(Pick::Lowest);
    }
    let picks = ["first", "weakest", "strongest", "random"];
    let index = fields.choice("pick", &[(picks[0], 0), (picks[1], 1), (picks[2], 2), (picks[3], 3)], out)?;
    Some(match index {
        0 => Pick::First,
        1 => Pick::Weakest,
        2 => Pick::Strongest,
        _ => Pick::Random,
    })
}
