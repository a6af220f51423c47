//! `[ability.*]`: actions of combatants.

use super::effects::{self, EffectRule};
use super::reader::{Fields, Formula, Word, choose, wrong_type};
use super::shape::{self, TableShape};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One ability.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct AbilityRule {
    /// For readers.
    pub about: String,
    /// Its slot: a combatant has at most one ability of each slot at a time.
    pub slot: Option<Word>,
    /// The caster keeps walking during cast and recovery.
    pub mobile: bool,
    /// For hit steps that refer to tags.
    pub tags: Vec<Word>,
    /// The cost by pool, paid when the cast starts.
    pub cost: Vec<(Word, Formula)>,
    /// Seconds from the release until it is ready again.
    pub cooldown: Option<Formula>,
    /// The cast time in seconds.
    pub cast: Option<Formula>,
    /// The recovery in seconds.
    pub recovery: Option<Formula>,
    /// The share of its cost that an interrupted cast refunds.
    pub refund: Option<Formula>,
    /// Statuses that the caster has from the start of the cast to the end of the recovery.
    pub during: Vec<Word>,
    /// A condition without which it is locked.
    pub unlock: Option<Formula>,
    /// Its charges.
    pub charges: Option<ChargesRule>,
    /// The maximum number of uses in one fight.
    pub uses: Option<u32>,
    /// Its shared cooldown.
    pub shared_cooldown: Option<SharedCooldownRule>,
    /// When its cost is paid.
    pub cost_at: UseMoment,
    /// When its cooldown starts; a charge and a use are spent then, too.
    pub cooldown_from: UseMoment,
    /// It has several releases.
    pub releases: Option<ReleasesRule>,
    /// It is sustained after its release.
    pub sustain: Option<SustainRule>,
    /// It is available only after another ability.
    pub after: Option<AfterRule>,
    /// The maximum distance to the picked target in metres; unlimited if not given.
    pub reach: Option<Formula>,
    /// The travel speed in metres per second; instantaneous if not given.
    pub travel: Option<Formula>,
    /// Its targets.
    pub targets: TargetRule,
    /// Its effects, in order.
    pub does: Vec<EffectRule>,
}

/// Charges.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct ChargesRule {
    /// The maximum; all are available at the beginning of a fight.
    pub max: u32,
    /// Seconds until one is regained, one after the other.
    pub regain: Formula,
}

/// A cooldown shared by several abilities.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SharedCooldownRule {
    /// Its name.
    pub name: Word,
    /// Seconds for which a use puts all of them on cooldown; the ability's own cooldown if not given.
    pub time: Option<Formula>,
}

/// Several releases of one use.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct ReleasesRule {
    /// The number of releases.
    pub count: u32,
    /// Seconds between two of them.
    pub every: Formula,
}

/// An ability that is sustained after its release.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SustainRule {
    /// Seconds between ticks; the first tick comes one interval after the release.
    pub every: Formula,
    /// The cost of each tick by pool.
    pub cost: Vec<(Word, Formula)>,
    /// The maximum time in seconds.
    pub longest: Option<Formula>,
    /// It ends at the first tick at which this is false.
    pub holds_while: Option<Formula>,
    /// The effects of each tick.
    pub does: Vec<EffectRule>,
}

/// An ability that is available only after another one.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct AfterRule {
    /// The other ability.
    pub ability: Word,
    /// The time window after its release in seconds; unlimited if not given.
    pub within: Option<Formula>,
}

/// A moment of a use.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UseMoment {
    /// The cast starts.
    #[default]
    Start,
    /// The first release.
    Release,
    /// The end of the recovery.
    End,
}

/// The targets of an ability.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct TargetRule {
    /// Their side.
    pub side: SideRule,
    /// Whether the file gives it; the default is enemies.
    pub names_side: bool,
    /// Defeated combatants instead of standing ones.
    pub defeated: bool,
    /// The order in which they are picked.
    pub pick: Pick,
    /// The maximum number; `u32::MAX` for all.
    pub count: u32,
    /// Additional targets by position.
    pub area: AreaRule,
}

/// Additional targets around the picked one, by position. Lengths are in metres.
#[derive(Clone, Debug, Default)]
pub enum AreaRule {
    /// None.
    #[default]
    None,
    /// Everyone within a radius of the centre: the picked target, or the caster.
    Circle {
        /// The radius.
        radius: Formula,
        /// The centre is the caster.
        around_caster: bool,
    },
    /// Everyone in a sector from the caster, centred on the direction of the picked target.
    Cone {
        /// The angle in degrees.
        degrees: Formula,
        /// The length.
        length: Formula,
    },
    /// Everyone in a strip from the caster toward the picked target.
    Line {
        /// The width.
        width: Formula,
        /// The length.
        length: Formula,
    },
    /// The picked target, then repeatedly the nearest combatant to the last one that was not hit yet.
    Chain {
        /// The maximum distance from one to the next.
        within: Formula,
    },
}

impl Default for TargetRule {
    fn default() -> Self {
        Self {
            side: SideRule::Enemies,
            names_side: false,
            defeated: false,
            pick: Pick::First,
            count: 1,
            area: AreaRule::None,
        }
    }
}

/// A side, relative to the caster.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SideRule {
    /// All other sides.
    Enemies,
    /// The caster's side, including the caster.
    Allies,
    /// The caster's side without the caster.
    Others,
    /// The caster.
    Caster,
    /// Everyone.
    Everyone,
}

/// The order in which targets are picked.
#[derive(Clone, Debug)]
pub enum Pick {
    /// In the order of the encounter.
    First,
    /// The smallest distance from the caster.
    Nearest,
    /// The greatest distance from the caster.
    Farthest,
    /// The smallest share of the pool that defeats.
    Weakest,
    /// The greatest share of the pool that defeats.
    Strongest,
    /// By chance, with equal probabilities.
    Random,
    /// The smallest value of a formula.
    Lowest(Formula),
    /// The highest score of the caster's policy.
    Policy,
}
const COST_MOMENTS: &[(&str, UseMoment)] = &[("start", UseMoment::Start), ("release", UseMoment::Release)];
const COOLDOWN_MOMENTS: &[(&str, UseMoment)] =
    &[("start", UseMoment::Start), ("release", UseMoment::Release), ("end", UseMoment::End)];
/// The maximum number of charges, uses and releases.
const SIDES: &[(&str, SideRule)] = &[
    ("enemies", SideRule::Enemies),
    ("allies", SideRule::Allies),
    ("others", SideRule::Others),
    ("self", SideRule::Caster),
    ("everyone", SideRule::Everyone),
];

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> AbilityRule {
    let Some(fields) = Fields::open_own(node, path, &shape::ABILITY, out) else {
        return AbilityRule::default();
    };
    if fields.get("does").is_none() && fields.get("sustain").is_none() {
        fields.missing("does", "does = [{ damage = 10 }]", out);
    }
    AbilityRule {
        about: fields.about(out),
        slot: fields.text("slot", out),
        mobile: fields.flag("mobile", out),
        tags: fields.words("tags", out).unwrap_or_default(),
        cost: cost(&fields, out),
        cooldown: fields.formula("cooldown", out),
        cast: fields.formula("cast", out),
        recovery: fields.formula("recovery", out),
        refund: fields.formula("refund", out),
        during: fields.words("during", out).unwrap_or_default(),
        unlock: fields.formula("unlock", out),
        charges: charges(&fields, out),
        uses: fields.whole("uses", out),
        shared_cooldown: shared_cooldown(&fields, out),
        cost_at: fields.choice("cost_at", COST_MOMENTS, out).unwrap_or(UseMoment::Start),
        cooldown_from: fields.choice("cooldown_from", COOLDOWN_MOMENTS, out).unwrap_or(UseMoment::Release),
        releases: releases(&fields, out),
        sustain: sustain(&fields, out),
        after: after(&fields, out),
        reach: fields.formula("reach", out),
        travel: fields.formula("travel", out),
        targets: targets(&fields, out),
        does: fields.get("does").map(|node| effects::read_list(node, &fields.path_of("does"), out)).unwrap_or_default(),
    }
}

fn cost(fields: &Fields<'_>, out: &mut Diagnostics) -> Vec<(Word, Formula)> {
    fields.amounts("cost", "amounts by pool, such as { breath = 4 }", out)
}

/// The table under a key, if there is one.
fn inner<'a>(
    fields: &Fields<'a>,
    key: &str,
    shape: &'static TableShape,
    takes: &str,
    out: &mut Diagnostics,
) -> Option<Fields<'a>> {
    let node = fields.get(key)?;
    if !matches!(node.value, Value::Table(_)) {
        out.push(wrong_type(node, takes, &fields.path_of(key)));
        return None;
    }
    Fields::open(node, &fields.path_of(key), shape, out)
}

fn charges(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<ChargesRule> {
    let inner = inner(fields, "charges", &shape::ABILITY_CHARGES, "a table such as { max = 2, regain = 8 }", out)?;
    for key in ["max", "regain"].into_iter().filter(|key| inner.get(key).is_none()) {
        inner.missing(key, "charges = { max = 2, regain = 8 }", out);
    }
    Some(ChargesRule { max: inner.whole("max", out)?, regain: inner.formula("regain", out)? })
}

fn shared_cooldown(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<SharedCooldownRule> {
    if let Some(Value::Text(..)) = fields.get("shared_cooldown").map(|node| &node.value) {
        return Some(SharedCooldownRule { name: fields.text("shared_cooldown", out)?, time: None });
    }
    let inner = inner(
        fields,
        "shared_cooldown",
        &shape::ABILITY_SHARED,
        "a name, or a table such as { name = \"bells\", time = 1.5 }",
        out,
    )?;
    if inner.get("name").is_none() {
        inner.missing("name", "shared_cooldown = { name = \"bells\", time = 1.5 }", out);
    }
    Some(SharedCooldownRule { name: inner.text("name", out)?, time: inner.formula("time", out) })
}

fn releases(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<ReleasesRule> {
    let inner = inner(fields, "releases", &shape::ABILITY_RELEASES, "a table such as { count = 3, every = 0.4 }", out)?;
    for key in ["count", "every"].into_iter().filter(|key| inner.get(key).is_none()) {
        inner.missing(key, "releases = { count = 3, every = 0.4 }", out);
    }
    Some(ReleasesRule { count: inner.whole("count", out)?, every: inner.formula("every", out)? })
}

fn sustain(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<SustainRule> {
    let takes = "a table such as { every = 0.5, longest = 4, does = [ … ] }";
    let inner = inner(fields, "sustain", &shape::ABILITY_SUSTAIN, takes, out)?;
    for key in ["every", "does"].into_iter().filter(|key| inner.get(key).is_none()) {
        inner.missing(key, "sustain = { every = 0.5, longest = 4, does = [ … ] }", out);
    }
    if let Some(node) = fields.get("releases") {
        let message = format!("`{}` cannot both be sustained and have several releases", fields.path);
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message).help("remove `releases` or `sustain`"));
    }
    let does = inner.get("does").map(|node| effects::read_list(node, &inner.path_of("does"), out));
    Some(SustainRule {
        cost: cost(&inner, out),
        longest: inner.formula("longest", out),
        holds_while: inner.formula("while", out),
        does: does.unwrap_or_default(),
        every: inner.formula("every", out)?,
    })
}

fn after(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<AfterRule> {
    if let Some(Value::Text(..)) = fields.get("after").map(|node| &node.value) {
        return Some(AfterRule { ability: fields.text("after", out)?, within: None });
    }
    let inner = inner(
        fields,
        "after",
        &shape::ABILITY_AFTER,
        "an ability, or a table such as { ability = \"boathook\", within = 2 }",
        out,
    )?;
    if inner.get("ability").is_none() {
        inner.missing("ability", "after = { ability = \"boathook\", within = 2 }", out);
    }
    Some(AfterRule { ability: inner.text("ability", out)?, within: inner.formula("within", out) })
}

fn targets(fields: &Fields<'_>, out: &mut Diagnostics) -> TargetRule {
    let mut rule = TargetRule::default();
    let Some(node) = fields.get("targets") else { return rule };
    let path = fields.path_of("targets");
    if let Value::Text(text, _) = &node.value {
        let word = Word { text: text.clone(), span: node.span };
        rule.side = match more_than_a_side(text) {
            Some(help) => {
                let message = format!("`{path}` cannot be `{text}`: a text here names a side");
                out.push(Diagnostic::at(Code::BadValue, node.span, message).help(help));
                rule.side
            }
            None => choose(&word, &path, SIDES, out).unwrap_or(rule.side),
        };
        rule.names_side = true;
        return rule;
    }
    let Some(inner) = Fields::open(node, &path, &shape::ABILITY_TARGETS, out) else {
        return rule;
    };
    rule.side = inner.choice("side", SIDES, out).unwrap_or(rule.side);
    rule.names_side = inner.get("side").is_some();
    rule.defeated = inner.choice("state", &[("standing", false), ("defeated", true)], out).unwrap_or_default();
    rule.pick = pick(&inner, out).unwrap_or(rule.pick);
    rule.count = match inner.get("count").map(|node| &node.value) {
        Some(Value::Text(text, _)) if text == "all" => u32::MAX,
        None if ["radius", "cone", "line"].iter().any(|key| inner.get(key).is_some()) => u32::MAX,
        _ => inner.whole("count", out).unwrap_or(1),
    };
    rule.area = area(&inner, out).unwrap_or_default();
    rule
}

const PICKS: &[(&str, u8)] =
    &[("first", 0), ("weakest", 1), ("strongest", 2), ("random", 3), ("nearest", 4), ("farthest", 5), ("policy", 6)];

/// The correct form of a text that names a pick, or a side with a number, instead of a side.
fn more_than_a_side(text: &str) -> Option<String> {
    if PICKS.iter().any(|(pick, _)| *pick == text) {
        return Some(format!("write `targets = {{ side = \"enemies\", pick = \"{text}\" }}`"));
    }
    let side = text.strip_prefix("all_")?;
    let is_side = SIDES.iter().any(|(name, _)| *name == side);
    is_side.then(|| format!("write `targets = {{ side = \"{side}\", count = \"all\" }}`"))
}

/// Keys that determine the kind of area.
const AREAS: &[&str] = &["radius", "cone", "line", "chain"];

fn area(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<AreaRule> {
    let around_caster = fields.choice("around", &[("target", false), ("caster", true)], out).unwrap_or(false);
    if let Some(around) = fields.get("around").filter(|_| fields.get("radius").is_none()) {
        let message = format!("`{}` has `around`, but no radius", fields.path);
        out.push(Diagnostic::at(Code::KeyConflict, around.span, message).help("add `radius = 3`"));
    }
    let mut areas = AREAS.iter().filter(|key| fields.get(key).is_some());
    let kind = areas.next()?;
    if let Some(node) = areas.next().and_then(|other| fields.get(other)) {
        let message = format!("`{}` has several shapes", fields.path);
        let help = format!("exactly one of {}", crate::text::diagnostic::listed(AREAS));
        out.push(Diagnostic::at(Code::KeyConflict, node.span, message).help(help));
        return None;
    }
    let long = ["cone", "line"].contains(kind);
    match fields.get("length") {
        None if long => fields.missing("length", "length = 6", out),
        Some(node) if !long => {
            let message = format!("`{}` has no meaning without a cone or a line", fields.path_of("length"));
            out.push(Diagnostic::at(Code::KeyConflict, node.span, message));
        }
        _ => {}
    }
    if *kind == "chain" && fields.get("count").is_none() {
        fields.missing("count", "count = 3", out);
    }
    let size = fields.formula(kind, out);
    let length = fields.formula("length", out);
    Some(match *kind {
        "radius" => AreaRule::Circle { radius: size?, around_caster },
        "cone" => AreaRule::Cone { degrees: size?, length: length? },
        "line" => AreaRule::Line { width: size?, length: length? },
        _ => AreaRule::Chain { within: size? },
    })
}

fn pick(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<Pick> {
    let node = fields.get("pick")?;
    let path = fields.path_of("pick");
    if let Value::Table(_) = node.value {
        let inner = Fields::open(node, &path, &shape::PICK_LOWEST, out)?;
        if inner.get("lowest").is_none() {
            inner.missing("lowest", "pick = { lowest = \"target.health\" }", out);
        }
        return inner.formula("lowest", out).map(Pick::Lowest);
    }
    let index = fields.choice("pick", PICKS, out)?;
    Some(match index {
        0 => Pick::First,
        1 => Pick::Weakest,
        2 => Pick::Strongest,
        3 => Pick::Random,
        4 => Pick::Nearest,
        5 => Pick::Farthest,
        _ => Pick::Policy,
    })
}
