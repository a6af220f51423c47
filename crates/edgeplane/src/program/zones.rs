//! Compiled zones: areas on the ground, and their effects on combatants inside.

use super::effects::{EffectPlan, Place};
use super::ids::{FormulaId, StatusId};
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use crate::rules::{Named, Ruleset, ZoneRule, ZoneSide};

/// A kind of zone.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct ZonePlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The radius in metres.
    pub radius: Option<FormulaId>,
    /// The growth of its radius in metres per second.
    pub grows: Option<FormulaId>,
    /// Its duration in seconds, if it ends by itself.
    pub lasts: Option<FormulaId>,
    /// The combatants that it affects, relative to its owner.
    pub affects: ZoneSide,
    /// It also affects its owner.
    pub owner: bool,
    /// It moves with the combatant on whom it was placed.
    pub carried: bool,
    /// The maximum number of this kind per owner.
    pub max_instances: u32,
    /// Tags by which policies avoid it.
    pub tags: Vec<String>,
    /// It ends after this many entries.
    pub uses: Option<u32>,
    /// Statuses held by those inside.
    pub statuses: Vec<StatusId>,
    /// Effects on combatants that enter.
    pub enters: Vec<EffectPlan>,
    /// Effects on combatants that leave.
    pub leaves: Vec<EffectPlan>,
}

impl Compiler<'_> {
    pub(super) fn zones(&mut self, rules: &Ruleset) {
        for Named { name, rule, .. } in &rules.zones {
            let plan = self.zone(name, rule, rules);
            self.program.zones.push(plan);
        }
    }

    fn zone(&mut self, name: &str, rule: &ZoneRule, rules: &Ruleset) -> ZonePlan {
        let radius = rule.radius.as_ref().and_then(|radius| self.number(radius, Scope::EFFECT));
        let grows = rule.grows.as_ref().and_then(|grows| self.number(grows, Scope::EFFECT));
        let lasts = rule.lasts.as_ref().and_then(|lasts| self.number(lasts, Scope::EFFECT));
        let status =
            |word: &crate::rules::Word| look_up(&self.names.statuses, &word.text, word.span, "status", self.out);
        let statuses = rule.apply.iter().filter_map(status).collect();
        let enters = self.effects(&rule.enters, &[], &Place::ABILITY, rules);
        let leaves = self.effects(&rule.leaves, &[], &Place::ABILITY, rules);
        ZonePlan {
            name: name.to_owned(),
            about: rule.about.clone(),
            radius,
            grows,
            lasts,
            affects: rule.affects,
            owner: rule.owner,
            carried: rule.carried,
            max_instances: rule.max_instances,
            tags: super::abilities::texts(&rule.tags),
            uses: rule.uses,
            statuses,
            enters,
            leaves,
        }
    }
}
