//! `[zone.*]`: an area on the ground, and what it does to those inside.

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
    /// Metres from its middle to its edge.
    pub radius: Option<Formula>,
    /// Metres by which its radius grows each second; below zero it shrinks, down to nothing.
    pub grows: Option<Formula>,
    /// Seconds that it lasts; as long as the fight, or as whoever carries it stands, if it is not said.
    pub lasts: Option<Formula>,
    /// Whom it is about.
    pub affects: ZoneSide,
    /// Its owner too.
    pub owner: bool,
    /// It goes with the one whom it was placed on.
    pub carried: bool,
    /// Most of its kind that one owner has at once; the oldest ends for a new one.
    pub max_instances: u32,
    /// Words by which policies avoid it.
    pub tags: Vec<Word>,
    /// It ends after so many entries.
    pub uses: Option<u32>,
    /// Statuses held by those inside.
    pub apply: Vec<Word>,
    /// What happens to those who enter.
    pub enters: Vec<EffectRule>,
    /// What happens to those who leave.
    pub leaves: Vec<EffectRule>,
}

/// Whom a zone is about, as its owner sees it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ZoneSide {
    /// Those of the owner's side.
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
    let Some(fields) = Fields::open(node, path, &shape::own(&shape::ZONE), out) else { return ZoneRule::default() };
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
        max_instances: fields.whole("max_instances", 1..=100, out).unwrap_or(1),
        tags: fields.words("tags", out).unwrap_or_default(),
        uses: fields.whole("uses", 1..=1_000_000, out),
        apply: fields.words("apply", out).unwrap_or_default(),
        enters: does("enters", out),
        leaves: does("leaves", out),
    }
}
