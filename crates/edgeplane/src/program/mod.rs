//! The compiled form of rules. Names become dense ids, formulas become flat code, and attributes are ordered by
//! dependency.
//!
//! A [`Program`] is immutable once it is built and is shared by all fights.

mod abilities;
mod attributes;
mod blocks;
mod build;
mod causes;
mod characters;
mod code;
mod counterparts;
pub(crate) mod dirty;
mod effects;
mod encounters;
mod eval;
mod fault;
pub(crate) mod flow;
mod functions;
mod game_functions;
mod gear;
mod hit_code;
mod hoist;
mod horizon;
mod idle;
mod ids;
mod inputs;
mod layout;
mod lead;
mod levels;
mod lints;
mod memory;
mod modifiers;
mod motion;
mod names;
mod never_used;
mod nowhere_near;
mod ops;
mod reports;
mod resolve;
mod resolve_names;
mod resolve_statuses;
mod scope;
mod script;
pub(crate) mod status_words;
mod statuses;
mod steps;
mod tables;
mod threat;
mod thresholds;
mod time;
mod tree;
mod watches;
mod worked;
mod zones;

pub use abilities::{AbilityPlan, Area, PickPlan, SustainPlan};
pub use attributes::{AttributeInfo, AttributePlan};
pub(crate) use blocks::{BaseChange, Flow, Held};
pub use causes::CausePlan;
pub use characters::{CharacterPlan, PolicyPlan, UsePlan};
pub(crate) use code::{Operand, Shape};

pub(crate) use counterparts::Counterparts;
pub use effects::{Effect, EffectPlan, FilterPlan, PoolEffect, PoolEffectKind};
pub use encounters::{CombatantPlan, EncounterPlan, Setup};
pub use eval::{Chance, StreamId};
pub(crate) use eval::{Draws, Frame};
pub use fault::{Fault, FaultReason};
pub use flow::PoolFlow;
pub(crate) use game_functions::GameFunctions;
pub use game_functions::{GameFunctionPlan, Question};
pub use gear::{ChancyPiece, GearPlan, GearSetPlan, WornPlan, WornStatus};
pub(crate) use hit_code::{StepChange, StepGate};
pub use hit_code::{StepCode, StepsEffect};
pub(crate) use horizon::POLL;
pub use ids::*;
pub(crate) use inputs::{Inputs, Reads};
pub(crate) use layout::{HAIR, LEAST_REACH};
pub use layout::{Layout, pool_slot};
pub(crate) use lead::{Score, nearer_after};
#[cfg(feature = "study")]
pub(crate) use levels::MOST_POINTS;
pub use levels::{GauntletPlan, LevelsPlan};
pub(crate) use memory::{Memory, Spot};
pub use motion::Motion;
pub(crate) use motion::{
    FARTHEST, FASTEST, Plane, inner, is_nowhere, is_on_the_plane, is_same, length, meeting, minus, onto_the_plane,
    parting, toward,
};
pub(crate) use names::NameTable;
pub use names::Names;
pub use resolve::CompiledFormula;
#[cfg(feature = "serde")]
pub(crate) use resolve::stable_hash;
pub use script::{JoinPlan, MomentEffect, MomentPlan, ScriptPlan};
pub use statuses::{DiminishPlan, EveryPlan, ModifierPlan, Pace, StatusPlan, TextPart, TriggerPlan};
pub use steps::{DamageTypeInfo, FlowPlan, PoolPlan, StartPlan, StepPlan};
pub(crate) use tables::{CompiledLine, CompiledPolicy, Derived, LineThreshold, Listener, QuickCondition};
pub use threat::ThreatPlan;
pub(crate) use thresholds::Threshold;
pub use time::Time;
pub use tree::{LeafValue, Reading};
#[cfg(feature = "study")]
pub(crate) use tree::{Read, Role};
pub(crate) use watches::{Streak, Watch, WatchKind};
pub use zones::ZonePlan;

pub use crate::numbers::plain;
pub(crate) use crate::rules::LEAST_PERIOD;
pub use crate::rules::{LostReason, ModifierKind, Reapply, Rounding, StackTimer, StatusKind, TriggerEvent};

use crate::text::{Diagnostic, Sources};

/// A ruleset, compiled.
#[derive(Clone, Debug, Default)]
pub struct Program {
    pub(crate) sources: Sources,
    pub(crate) warnings: Vec<Diagnostic>,
    pub(crate) data: std::collections::BTreeMap<String, crate::text::Data>,
    pub(crate) name: String,
    pub(crate) rounding: Rounding,
    pub(crate) layout: Layout,
    pub(crate) formulas: Vec<CompiledFormula>,
    /// The shape of each formula, followed by the shape of each complete formula, see [`hoist`]; stored separately
    /// because fights need nothing else.
    pub(crate) shapes: Vec<Shape>,
    pub(crate) code: Vec<code::Op>,
    pub(crate) constants: Vec<f64>,
    pub(crate) curves: Vec<ops::Curve>,
    /// The designer's own formulas as written; each call is inlined.
    pub(crate) functions: Vec<crate::rules::Named<crate::rules::FunctionRule>>,
    pub(crate) sites: Vec<u64>,
    pub(crate) site_names: Vec<String>,
    pub(crate) hidden: Vec<hoist::Hidden>,
    pub(crate) shared_slots: Vec<hoist::SharedSlot>,
    pub(crate) attributes: Vec<AttributeInfo>,
    pub(crate) pools: Vec<PoolPlan>,
    pub(crate) damage_types: Vec<DamageTypeInfo>,
    pub(crate) hit_steps: Vec<StepPlan>,
    pub(crate) heal_steps: Vec<StepPlan>,
    pub(crate) marks: Vec<String>,
    pub(crate) statuses: Vec<StatusPlan>,
    pub(crate) slot_modifiers: modifiers::SlotModifiers,
    /// The slots of stack counts and tag counts that formulas read.
    pub(crate) stack_slots: Vec<Option<Slot>>,
    pub(crate) tag_slots: Vec<Option<Slot>>,
    pub(crate) zones: Vec<ZonePlan>,
    pub(crate) causes: Vec<CausePlan>,
    pub(crate) game_functions: Vec<GameFunctionPlan>,
    /// The names of reports to the game.
    pub(crate) reports: Vec<String>,
    /// The attributes read by modifiers; see [`dirty`].
    pub(crate) modifiers_read: u64,
    pub(crate) diminish: Vec<DiminishPlan>,
    pub(crate) tags: Vec<String>,
    /// Tags of abilities that statuses forbid, see [`StatusPlan::forbids_tags`].
    pub(crate) forbidden: Vec<String>,
    pub(crate) gear: Vec<GearPlan>,
    pub(crate) gear_sets: Vec<GearSetPlan>,
    pub(crate) gear_set_names: Vec<String>,
    pub(crate) abilities: Vec<AbilityPlan>,
    pub(crate) policies: Vec<PolicyPlan>,
    pub(crate) threat: Option<ThreatPlan>,
    pub(crate) levels: LevelsPlan,
    /// Some rule refers to `others`.
    pub(crate) means_others: bool,
    /// A trigger can revive a combatant.
    pub(crate) revives: bool,
    /// Numbers of abilities that formulas read, and their slots.
    pub(crate) watches: Vec<Watch>,
    /// Chances with a limited streak of misses.
    pub(crate) streaks: Vec<Streak>,
    pub(crate) gauntlets: Vec<GauntletPlan>,
    pub(crate) characters: Vec<CharacterPlan>,
    pub(crate) encounters: Vec<EncounterPlan>,
    pub(crate) expectations: Vec<crate::rules::ExpectRule>,
}

impl Program {
    /// The name of the ruleset.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The files from which this was compiled.
    pub fn sources(&self) -> &Sources {
        &self.sources
    }

    /// Warnings about a valid ruleset, in the order of the files.
    pub fn warnings(&self) -> &[Diagnostic] {
        &self.warnings
    }

    /// Data for the game by the path of its rule: `ability.boathook`.
    pub fn data(&self, path: &str) -> Option<&crate::text::Data> {
        self.data.get(path)
    }

    /// All attributes.
    pub fn attributes(&self) -> &[AttributeInfo] {
        &self.attributes
    }

    /// All pools.
    pub fn pools(&self) -> &[PoolPlan] {
        &self.pools
    }

    /// All damage types.
    pub fn damage_types(&self) -> &[DamageTypeInfo] {
        &self.damage_types
    }

    /// The hit steps in order.
    pub fn hit_steps(&self) -> &[StepPlan] {
        &self.hit_steps
    }

    /// The heal steps in order.
    pub fn heal_steps(&self) -> &[StepPlan] {
        &self.heal_steps
    }

    /// All statuses.
    pub fn statuses(&self) -> &[StatusPlan] {
        &self.statuses
    }

    /// One status.
    pub fn status(&self, id: StatusId) -> &StatusPlan {
        &self.statuses[id.index()]
    }

    /// A kind of zone.
    pub fn zone(&self, id: ZoneId) -> &ZonePlan {
        &self.zones[id.index()]
    }

    /// Every kind of zone.
    pub fn zones(&self) -> &[ZonePlan] {
        &self.zones
    }

    /// Every cause.
    pub fn causes(&self) -> &[CausePlan] {
        &self.causes
    }

    /// The names of reports to the game, by [`ReportId`].
    pub fn reports(&self) -> &[String] {
        &self.reports
    }

    /// Finds a status by name.
    pub fn find_status(&self, name: &str) -> Option<StatusId> {
        position(self.statuses.iter().map(|status| status.name.as_str()), name).map(StatusId)
    }

    /// All abilities.
    pub fn abilities(&self) -> &[AbilityPlan] {
        &self.abilities
    }

    /// One ability.
    pub fn ability(&self, id: AbilityId) -> &AbilityPlan {
        &self.abilities[id.index()]
    }

    /// All policies.
    pub fn policies(&self) -> &[PolicyPlan] {
        &self.policies
    }

    /// All characters, templates included.
    pub fn characters(&self) -> &[CharacterPlan] {
        &self.characters
    }

    /// All encounters.
    pub fn encounters(&self) -> &[EncounterPlan] {
        &self.encounters
    }

    /// The expectations of the ruleset, in the order of the files.
    pub fn expectations(&self) -> &[crate::rules::ExpectRule] {
        &self.expectations
    }

    /// One compiled formula.
    pub fn formula(&self, id: FormulaId) -> &CompiledFormula {
        &self.formulas[id.index()]
    }

    /// The pool that defeats, if there is exactly one.
    pub fn defeat_pool(&self) -> Option<PoolId> {
        let mut defeating = self.pools.iter().enumerate().filter(|(_, pool)| pool.defeat);
        match (defeating.next(), defeating.next()) {
            (Some((index, _)), None) => Some(PoolId(index as u16)),
            _ => None,
        }
    }

    /// Whether a local is the mark of a hit.
    pub(crate) fn is_mark(&self, local: u16) -> bool {
        (Layout::MARKS..Layout::MARKS + self.marks.len() as u16).contains(&local)
    }

    /// The names of the marks that steps set, by bit.
    pub fn marks(&self) -> &[String] {
        &self.marks
    }

    /// Finds an ability by name.
    pub fn find_ability(&self, name: &str) -> Option<AbilityId> {
        position(self.abilities.iter().map(|ability| ability.name.as_str()), name).map(AbilityId)
    }

    /// Finds a character by name.
    pub fn find_character(&self, name: &str) -> Option<CharacterId> {
        position(self.characters.iter().map(|character| character.name.as_str()), name).map(CharacterId)
    }

    /// Finds a pool by name.
    pub fn find_pool(&self, name: &str) -> Option<PoolId> {
        position(self.pools.iter().map(|pool| pool.name.as_str()), name).map(PoolId)
    }

    /// Finds an attribute by name, or one of its damage types: `resist.silt`.
    pub fn find_attribute(&self, name: &str) -> Option<Slot> {
        let (name, damage_type) = name.split_once('.').map_or((name, None), |(name, of)| (name, Some(of)));
        let attribute = self.attributes.iter().find(|attribute| attribute.name == name)?;
        match damage_type {
            None if !attribute.per_type => Some(attribute.slot),
            Some(of) if attribute.per_type => position(self.damage_types.iter().map(|kind| kind.name.as_str()), of)
                .map(|kind| attribute.slot.plus(kind)),
            _ => None,
        }
    }

    /// Finds an encounter by name.
    pub fn find_encounter(&self, name: &str) -> Option<EncounterId> {
        position(self.encounters.iter().map(|encounter| encounter.name.as_str()), name).map(EncounterId)
    }
}

fn position<'a>(mut names: impl Iterator<Item = &'a str>, wanted: &str) -> Option<u16> {
    names.position(|name| name == wanted).map(|index| index as u16)
}
