//! Attributes, ordered by dependency.

use super::Program;
use super::dirty;
use super::functions::find_circle;
use super::ids::{FormulaId, Slot};
use super::layout::Layout;
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use super::tree::Read;
use crate::rules::{AttributeRule, CharacterRule, Formula, Named, Ruleset, Word};
use crate::text::{Code, Diagnostic, Span};

/// An attribute of the ruleset.
#[derive(Clone, Debug)]
pub struct AttributeInfo {
    /// Its name.
    pub name: String,
    /// First slot.
    pub slot: Slot,
    /// It has one value for each damage type.
    pub per_type: bool,
    /// For readers.
    pub about: String,
    /// The base given by the ruleset; `None` only while a broken ruleset is checked.
    pub(crate) base: Option<FormulaId>,
    pub(crate) min: Option<FormulaId>,
    pub(crate) max: Option<FormulaId>,
    span: Span,
}

/// How one attribute value of a character is computed.
#[derive(Clone, Copy, Debug)]
pub struct AttributePlan {
    /// The slot of the value.
    pub slot: Slot,
    /// The damage type with which its formulas are evaluated.
    pub damage_type: u16,
    /// The base.
    pub base: FormulaId,
    /// The minimum of the final value.
    pub min: Option<FormulaId>,
    /// The maximum of the final value.
    pub max: Option<FormulaId>,
    /// Its own bit, and the attributes that its formulas read; see [`super::dirty`].
    pub(crate) concerned_by: u64,
    /// The base, minimum and maximum, if they are plain numbers.
    pub(crate) numbers: [Option<f64>; 3],
}

impl Program {
    /// The values of all attributes with their names (`resist.silt` for per-type attributes), in the order of their
    /// slots.
    pub(crate) fn attribute_slots(&self) -> impl Iterator<Item = (String, Slot, &AttributeInfo)> {
        self.attributes.iter().flat_map(move |info| {
            let types = if info.per_type { self.layout.types } else { 1 };
            (0..types).map(move |of| {
                let name = match info.per_type {
                    true => format!("{}.{}", info.name, self.damage_types[usize::from(of)].name),
                    false => info.name.clone(),
                };
                (name, info.slot.plus(of), info)
            })
        })
    }
}

impl Compiler<'_> {
    /// Compiles the attributes of a ruleset.
    pub(crate) fn attributes(&mut self, rules: &Ruleset) {
        let mut slot = Layout::ATTRIBUTES;
        for Named { name, span, rule } in &rules.attributes {
            let info = self.attribute(name, *span, rule, slot);
            slot = slot.plus(if rule.per_type { self.program.layout.types } else { 1 });
            self.program.attributes.push(info);
        }
        let plain: Option<Vec<AttributePlan>> = self.plans(&[]);
        if let Some(plans) = plain {
            self.ordered(plans);
        }
    }

    fn attribute(&mut self, name: &str, span: Span, rule: &AttributeRule, slot: Slot) -> AttributeInfo {
        let scope = if rule.per_type { Scope::TYPED_ATTRIBUTE } else { Scope::ATTRIBUTE };
        let mut compile = |formula: &Option<Formula>| formula.as_ref().and_then(|formula| self.number(formula, scope));
        AttributeInfo {
            name: name.to_owned(),
            slot,
            per_type: rule.per_type,
            about: rule.about.clone(),
            base: compile(&rule.base),
            min: compile(&rule.min),
            max: compile(&rule.max),
            span,
        }
    }

    /// One plan for every slot, with the bases of a character where it has its own.
    pub(super) fn plans(&self, own: &[(Slot, FormulaId)]) -> Option<Vec<AttributePlan>> {
        let mut plans = Vec::new();
        for info in &self.program.attributes {
            for damage_type in 0..if info.per_type { self.program.layout.types } else { 1 } {
                let slot = info.slot.plus(damage_type);
                // The last one is used: that of the character itself, and of a single damage type.
                let base = own.iter().rev().find(|(at, _)| *at == slot).map(|(_, base)| *base);
                let base = base.or(info.base)?;
                let formulas = [Some(base), info.min, info.max].into_iter().flatten();
                plans.push(AttributePlan {
                    slot,
                    damage_type,
                    base,
                    min: info.min,
                    max: info.max,
                    concerned_by: formulas.fold(dirty::bit(slot), |bits, one| bits | self.program.dirty_reads(one)),
                    numbers: [Some(base), info.min, info.max].map(|one| self.program.formula(one?).as_number()),
                });
            }
        }
        Some(plans)
    }

    /// The plans of a character, each after those whose values it reads.
    pub(crate) fn character_attributes(&mut self, lineage: &[&CharacterRule]) -> Option<Vec<AttributePlan>> {
        let mut own = Vec::new();
        let mut fine = true;
        for rule in lineage.iter().rev() {
            // A value for one damage type takes precedence over one for all types, whichever is written first.
            let of_one = |(word, _): &&(Word, Formula)| word.text.contains('.');
            let (special, general): (Vec<_>, Vec<_>) = rule.attributes.iter().partition(of_one);
            for (word, base) in general.into_iter().chain(special) {
                match self.own_base(word, base) {
                    Some(slots) => own.extend(slots),
                    None => fine = false,
                }
            }
        }
        if !fine {
            return None;
        }
        let plans = self.plans(&own)?;
        if own.iter().all(|(_, base)| self.program.formula(*base).as_number().is_some()) {
            // Without formulas of its own, a character adds no cycle to those reported for the ruleset's attributes.
            return self.sorted(&plans).ok();
        }
        self.ordered(plans)
    }

    fn own_base(&mut self, word: &Word, base: &Formula) -> Option<Vec<(Slot, FormulaId)>> {
        let (name, of) = word.text.split_once('.').map_or((word.text.as_str(), None), |(name, of)| (name, Some(of)));
        let attribute = self.names.attribute(name, word.span, self.out)?;
        let types = match (attribute.per_type, of) {
            (false, None) => 0..1,
            (true, None) => 0..self.program.layout.types,
            (true, Some(of)) => {
                let id = look_up(&self.names.damage_types, of, word.span, "damage type", self.out)?;
                id.0..id.0 + 1
            }
            (false, Some(of)) => {
                let message = format!("`{name}` is one number; it has no part `{of}`");
                self.out.push(Diagnostic::at(Code::UnknownName, word.span, message));
                return None;
            }
        };
        let scope = if attribute.per_type { Scope::TYPED_ATTRIBUTE } else { Scope::ATTRIBUTE };
        let base = self.number(base, scope)?;
        Some(types.map(|of| (attribute.slot.plus(of), base)).collect())
    }

    /// Sorts by dependency, or reports a cycle.
    pub(super) fn ordered(&mut self, plans: Vec<AttributePlan>) -> Option<Vec<AttributePlan>> {
        match self.sorted(&plans) {
            Ok(sorted) => Some(sorted),
            Err(circle) => {
                self.report_circle(&plans, &circle);
                None
            }
        }
    }

    pub(super) fn sorted(&self, plans: &[AttributePlan]) -> Result<Vec<AttributePlan>, Vec<usize>> {
        let reads: Vec<Vec<usize>> = plans.iter().map(|plan| self.read_by(plan, plans)).collect();
        let mut placed = vec![false; plans.len()];
        let mut sorted = Vec::with_capacity(plans.len());
        while sorted.len() < plans.len() {
            let before = sorted.len();
            for index in 0..plans.len() {
                if !placed[index] && reads[index].iter().all(|read| placed[*read]) {
                    placed[index] = true;
                    sorted.push(plans[index]);
                }
            }
            if sorted.len() == before {
                return Err(find_circle(&reads).unwrap_or_default());
            }
        }
        Ok(sorted)
    }

    fn read_by(&self, plan: &AttributePlan, plans: &[AttributePlan]) -> Vec<usize> {
        let mut slots = Vec::new();
        let modifiers = self.program.statuses.iter().flat_map(|status| &status.modifiers);
        let of_statuses = modifiers.filter(|one| (one.slot.0..one.slot.0 + one.slots).contains(&plan.slot.0));
        let own = [Some(plan.base), plan.min, plan.max].into_iter().flatten();
        for formula in own.chain(of_statuses.map(|modifier| modifier.amount)) {
            self.program.formula(formula).each_read(|read| match read {
                Read::Attribute(_, slot) => slots.push(slot),
                Read::Typed(_, slot) => slots.push(slot.plus(plan.damage_type)),
                _ => {}
            });
        }
        plans.iter().enumerate().filter(|(_, other)| slots.contains(&other.slot)).map(|(index, _)| index).collect()
    }

    fn report_circle(&mut self, plans: &[AttributePlan], circle: &[usize]) {
        let name_of = |index: &usize| {
            let slot = plans[*index].slot;
            let infos = &self.program.attributes;
            let info = infos.iter().rev().find(|info| info.slot <= slot).map(|info| (info.name.clone(), info.span));
            info.unwrap_or_else(|| (String::new(), self.program.formula(plans[*index].base).source.span))
        };
        let mut names: Vec<String> = circle.iter().map(|index| format!("`{}`", name_of(index).0)).collect();
        let Some(first) = circle.first() else { return };
        names.push(names[0].clone());
        let span = self.program.formula(plans[*first].base).source.span;
        let message = format!("attributes depend on each other in a circle: {}", names.join(" → "));
        let mut diagnostic =
            Diagnostic::at(Code::AttributeCycle, span, message).saying(format!("{} reads {}", names[0], names[1]));
        for (step, index) in circle.iter().enumerate().skip(1) {
            let span = self.program.formula(plans[*index].base).source.span;
            diagnostic = diagnostic.label(span, format!("{} reads {}", names[step], names[step + 1]));
        }
        self.out.push(diagnostic);
    }
}
