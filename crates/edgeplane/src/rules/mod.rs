//! The rules as written by the designer, with one file for each part of a ruleset.
//!
//! A [`Ruleset`] is the TOML tree converted to types: keys are known, values have the right type and formulas are
//! parsed. Names are still words with spans; they are resolved in [`crate::program`].

mod abilities;
mod attributes;
mod causes;
mod characters;
mod curves;
mod data;
mod effects;
mod encounters;
mod expectations;
mod extends;
mod gear;
mod levels;
mod measures;
#[cfg(feature = "study")]
mod numbers;
mod policies;
mod pools;
mod reader;
pub mod shape;
mod statuses;
mod steps;
mod threat;
mod triggers;
mod zones;

pub use abilities::{
    AbilityRule, AfterRule, AreaRule, ChargesRule, Pick, ReleasesRule, SharedCooldownRule, SideRule, SustainRule,
    TargetRule, UseMoment,
};
pub use attributes::AttributeRule;
pub use causes::CauseRule;
pub use characters::{CharacterRule, PieceRule};
pub use curves::{CurveRule, FunctionRule};
pub(crate) use effects::MOST_NUMBERS;
pub use effects::{CleansePick, EffectKind, EffectRule, Receiver, StatusFilter};
pub use encounters::{EncounterRule, Joins, MemberRule, MomentRule, SideMembers};
pub use expectations::ExpectRule;
pub use gear::{GearRule, GearSetRule, SetStatusRule};
pub use levels::{GauntletRule, LevelsRule, PointRule};
pub use measures::{MeasureFault, MeasureText, Part, Statistic};
#[cfg(feature = "study")]
pub use numbers::NumberAt;
#[cfg(feature = "study")]
pub(crate) use numbers::numbers_of;
pub use policies::{Choose, GroupRule, Moves, PolicyRule, UseRule};
pub use pools::{CapChange, FlowRule, PoolRule, StartRule};
pub(crate) use reader::RESERVED;
pub use reader::{Formula, Named, Selector, Word};
pub(crate) use shape::{LEAST_PERIOD, MAX_COMBATANTS, MOST_KEPT_APART};
pub use statuses::{
    DiminishRule, DurationRule, EveryRule, ModifierKind, ModifierRule, PaceRule, Reapply, StackTimer, StatusKind,
    StatusRule, Untargetable,
};
pub use steps::{DamageTypeRule, OwnedStep, Skips, StepRule};
pub use threat::ThreatRule;
pub use triggers::{LostReason, Subject, TriggerEvent, TriggerRule};
pub use zones::{ZoneRule, ZoneSide};

use crate::numbers::Whole;
use crate::text::{Code, Diagnostic, Diagnostics, Document, Node, Value};
use reader::{Fields, section, wrong_type};

/// The version of the format that this library reads.
pub const FORMAT: u32 = 1;

/// Rounding of the amounts that reach a pool.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Rounding {
    /// None.
    #[default]
    None,
    /// Down to a whole number.
    Floor,
    /// To the nearest whole number; halves are rounded up.
    Nearest,
    /// Up to a whole number.
    Ceil,
}

impl Rounding {
    /// Rounds an amount, which is never negative.
    #[inline]
    pub fn apply(self, amount: f64) -> f64 {
        match self {
            Self::None => amount,
            Self::Floor => amount.whole_below(),
            Self::Nearest => amount.nearest_whole(),
            Self::Ceil => amount.whole_above(),
        }
    }
}

/// The contents of a ruleset.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Ruleset {
    /// The name of the game or of this variant.
    pub name: String,
    /// How amounts are rounded when they reach a pool.
    pub rounding: Rounding,
    /// `[attributes]`
    pub attributes: Vec<Named<AttributeRule>>,
    /// `[pools]`
    pub pools: Vec<Named<PoolRule>>,
    /// `[damage_types]`
    pub damage_types: Vec<Named<DamageTypeRule>>,
    /// `[[hit_steps]]`
    pub hit_steps: Vec<Named<StepRule>>,
    /// `[[heal_steps]]`
    pub heal_steps: Vec<Named<StepRule>>,
    /// `[curve.*]`
    pub curves: Vec<Named<CurveRule>>,
    /// `[formula.*]`
    pub functions: Vec<Named<FunctionRule>>,
    /// `[status.*]`
    pub statuses: Vec<Named<StatusRule>>,
    /// `[diminish.*]`, named by tag
    pub diminish: Vec<Named<DiminishRule>>,
    /// `[ability.*]`
    pub abilities: Vec<Named<AbilityRule>>,
    /// `[zone.*]`
    pub zones: Vec<Named<ZoneRule>>,
    /// `[cause.*]`
    pub causes: Vec<Named<CauseRule>>,
    /// `[policy.*]`
    pub policies: Vec<Named<PolicyRule>>,
    /// Gear.
    pub gear: Vec<Named<GearRule>>,
    /// Gear sets.
    pub gear_sets: Vec<Named<GearSetRule>>,
    /// `[levels]`
    pub levels: Option<LevelsRule>,
    /// `[point.*]`
    pub points: Vec<Named<PointRule>>,
    /// `[gauntlet.*]`
    pub gauntlets: Vec<Named<GauntletRule>>,
    /// `[threat]`
    pub threat: Option<ThreatRule>,
    /// `[character.*]`
    pub characters: Vec<Named<CharacterRule>>,
    /// `[encounter.*]`
    pub encounters: Vec<Named<EncounterRule>>,
    /// Content for the game only, by path.
    pub data: std::collections::BTreeMap<String, crate::text::Data>,
    /// `[[expect]]`
    pub expectations: Vec<ExpectRule>,
}

impl Ruleset {
    /// Reads a document; errors are added to `out`, and the rest is read all the same.
    pub fn read(document: &Document, out: &mut Diagnostics) -> Self {
        let root = &extends::settled(&document.root, out);
        let sections = shape::RULESET.names();
        for entry in root.entries.iter().filter(|entry| !sections.contains(&entry.key.as_str())) {
            let message = format!("a ruleset has no section `{}`", entry.key);
            let diagnostic = Diagnostic::at(Code::UnknownKey, entry.key_span, message);
            out.push(diagnostic.nearest(&entry.key, sections.iter().copied()));
        }
        let mut ruleset = Self::default();
        if let Some(node) = root.get("ruleset") {
            ruleset.read_head(node, out);
        }
        ruleset.attributes = read_all(section(root, "attributes", out), "attributes", out, attributes::read);
        ruleset.pools = read_all(section(root, "pools", out), "pools", out, pools::read);
        ruleset.damage_types =
            read_all(section(root, "damage_types", out), "damage_types", out, steps::read_damage_type);
        ruleset.hit_steps = steps::read_list(root.get("hit_steps"), "hit_steps", out);
        ruleset.heal_steps = steps::read_list(root.get("heal_steps"), "heal_steps", out);
        ruleset.curves = read_all(section(root, "curve", out), "curve", out, curves::read_curve);
        ruleset.functions = read_all(section(root, "formula", out), "formula", out, curves::read_function);
        ruleset.statuses = read_all(section(root, "status", out), "status", out, statuses::read);
        ruleset.diminish = read_all(section(root, "diminish", out), "diminish", out, statuses::read_diminish);
        ruleset.abilities = read_all(section(root, "ability", out), "ability", out, abilities::read);
        ruleset.gear = read_all(section(root, "gear", out), "gear", out, gear::read);
        ruleset.gear_sets = read_all(section(root, "gear_set", out), "gear_set", out, gear::read_set);
        ruleset.wear(out);
        ruleset.levels = root.get("levels").and_then(|node| levels::read_levels(node, out));
        ruleset.points = read_all(section(root, "point", out), "point", out, levels::read_point);
        ruleset.spend(out);
        ruleset.zones = read_all(section(root, "zone", out), "zone", out, zones::read);
        ruleset.causes = read_all(section(root, "cause", out), "cause", out, causes::read);
        ruleset.policies = read_all(section(root, "policy", out), "policy", out, policies::read);
        ruleset.threat = root.get("threat").and_then(|node| threat::read(node, out));
        ruleset.characters = read_all(section(root, "character", out), "character", out, characters::read);
        ruleset.encounters = read_all(section(root, "encounter", out), "encounter", out, encounters::read);
        ruleset.gauntlets = read_all(section(root, "gauntlet", out), "gauntlet", out, levels::read_gauntlet);
        ruleset.expectations = expectations::read_list(root.get("expect"), out);
        ruleset.data = data::read_all(root, out);
        ruleset
    }

    /// Effects of worn gear are stored among the statuses.
    fn wear(&mut self, out: &mut Diagnostics) {
        for Named { name, span, rule } in &self.gear {
            if let Some(status) = self.statuses.iter().find(|status| status.name == *name) {
                let message = format!("`{name}` is a status and a piece of gear");
                let help = "give one of them another name";
                out.push(
                    Diagnostic::at(Code::DuplicateName, *span, message).label(status.span, "the status").help(help),
                );
                continue;
            }
            self.statuses.push(Named { name: name.clone(), span: *span, rule: rule.worn.clone() });
        }
    }

    /// Every hit step, including those of statuses.
    pub fn all_hit_steps(&self) -> impl Iterator<Item = &Named<StepRule>> {
        self.hit_steps.iter().chain(self.statuses.iter().flat_map(|status| &status.rule.hit_steps))
    }

    /// Every effect in the ruleset.
    pub fn effects(&self) -> impl Iterator<Item = &EffectRule> {
        // A list, because a chain of nine iterators would be compiled again for every caller.
        let mut all: Vec<&EffectRule> = Vec::new();
        for Named { rule, .. } in &self.abilities {
            all.extend(&rule.does);
            all.extend(rule.sustain.iter().flat_map(|sustain| &sustain.does));
        }
        for Named { rule, .. } in &self.statuses {
            all.extend(rule.every.iter().flat_map(|every| &every.does));
            all.extend(rule.on.iter().flat_map(|on| &on.does));
            all.extend(&rule.at_max);
        }
        for Named { rule, .. } in &self.zones {
            all.extend(rule.enters.iter().chain(&rule.leaves));
        }
        all.extend(self.causes.iter().flat_map(|cause| &cause.rule.does));
        all.into_iter()
    }

    fn read_head(&mut self, node: &Node, out: &mut Diagnostics) {
        let Some(fields) = Fields::open(node, "ruleset", &shape::HEAD, out) else { return };
        fields.about(out);
        self.name = fields.text("name", out).map(|word| word.text).unwrap_or_default();
        let roundings = [
            ("none", Rounding::None),
            ("floor", Rounding::Floor),
            ("nearest", Rounding::Nearest),
            ("ceil", Rounding::Ceil),
        ];
        self.rounding = fields.choice("rounding", &roundings, out).unwrap_or_default();
        match fields.get("format") {
            Some(Node { value: Value::Number(format), span }) if *format != f64::from(FORMAT) => {
                let message = format!("this ruleset is written in format {format}; this version reads format {FORMAT}");
                out.push(Diagnostic::at(Code::FormatVersion, *span, message));
            }
            Some(Node { value: Value::Number(_), .. }) | None => {}
            Some(node) => out.push(wrong_type(node, "a number", "ruleset.format")),
        }
    }
}

/// Reads every entry of a section. A rule that cannot be read keeps its name with a default value, so that references
/// to it are not reported, too.
fn read_all<T>(
    entries: &[crate::text::Entry],
    section: &str,
    out: &mut Diagnostics,
    read: impl Fn(&Node, &str, &mut Diagnostics) -> T,
) -> Vec<Named<T>> {
    let named = entries.iter().map(|entry| {
        let path = format!("{section}.{}", entry.key);
        Named { name: entry.key.clone(), span: entry.key_span, rule: read(&entry.node, &path, out) }
    });
    named.collect()
}
