//! `[zone.*]`: areas on the ground, and their effects on combatants inside.

use super::effects::{EffectRule, read_list};
use super::reader::{Fields, Formula, Word};
use super::shape;
use crate::text::{Diagnostics, Node, Value};

/// One kind of zone.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct ZoneRule {
    /// For readers.
    pub about: String,
    /// The radius in metres.
    pub radius: Option<Formula>,
    /// The growth of its radius in metres per second; if negative it shrinks, down to 0.
    pub grows: Option<Formula>,
    /// The duration in seconds; if not given, as long as the fight, or as its carrier stands.
    pub lasts: Option<Formula>,
    /// The combatants that it affects.
    pub affects: ZoneSide,
    /// It also affects its owner.
    pub owner: bool,
    /// It moves with the combatant on whom it was placed.
    pub carried: bool,
    /// The maximum number of this kind per owner; a new one replaces the oldest.
    pub max_instances: u32,
    /// Tags by which policies avoid it.
    pub tags: Vec<Word>,
    /// It ends after this many entries.
    pub uses: Option<u32>,
    /// Statuses held by those inside.
    pub apply: Vec<Word>,
    /// Effects on combatants that enter.
    pub enters: Vec<EffectRule>,
    /// Effects on combatants that leave.
    pub leaves: Vec<EffectRule>,
}

/// The combatants that a zone affects, relative to its owner.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ZoneSide {
    /// The owner's side.
    Allies,
    /// Those of all other sides.
    #[default]
    Enemies,
    /// All of them.
    Everyone,
}

impl ZoneSide {
    /// As it is written.
    pub fn name(self) -> &'static str {
        SIDES.iter().find(|(_, side)| *side == self).map_or("", |(name, _)| name)
    }
}

const SIDES: &[(&str, ZoneSide)] =
    &[("allies", ZoneSide::Allies), ("enemies", ZoneSide::Enemies), ("everyone", ZoneSide::Everyone)];

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> ZoneRule {
    let Some(fields) = Fields::open_own(node, path, &shape::ZONE, out) else { return ZoneRule::default() };
    for (key, example) in [("radius", "radius = 3"), ("affects", "affects = \"allies\"")] {
        if fields.get(key).is_none() {
            fields.missing(key, example, out);
        }
    }
    let endless =
        matches!(fields.get("lasts"), Some(Node { value: Value::Number(lasts), .. }) if *lasts == f64::INFINITY);
    let does = |key: &str, out: &mut Diagnostics| {
        fields.get(key).map(|node| read_list(node, &fields.path_of(key), out)).unwrap_or_default()
    };
    ZoneRule {
        about: fields.about(out),
        radius: fields.formula("radius", out),
        grows: fields.formula("grows", out),
        lasts: if endless { None } else { fields.formula("lasts", out) },
        affects: fields.choice("affects", SIDES, out).unwrap_or_default(),
        owner: fields.flag("owner", out),
        carried: fields.flag("carried", out),
        max_instances: fields.whole("max_instances", out).unwrap_or(1),
        tags: fields.words("tags", out).unwrap_or_default(),
        uses: fields.whole("uses", out),
        apply: fields.words("apply", out).unwrap_or_default(),
        enters: does("enters", out),
        leaves: does("leaves", out),
    }
}
