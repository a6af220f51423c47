//! Every name that formulas and rules can use, and what it stands for.

use std::collections::BTreeMap;

use super::ids::{AbilityId, CharacterId, CurveId, DamageTypeId, PolicyId, PoolId, Slot, StatusId, ZoneId};
use super::layout::Layout;
use crate::formula::Builtin;
use crate::rules::{Named, Ruleset};
use crate::text::{Code, Diagnostic, Diagnostics, Span};

/// An attribute's place.
#[derive(Clone, Copy, Debug)]
pub(crate) struct AttributeName {
    pub(crate) slot: Slot,
    pub(crate) per_type: bool,
}

/// The tables of names of a ruleset.
#[derive(Clone, Debug, Default)]
pub struct Names {
    pub(crate) attributes: BTreeMap<String, AttributeName>,
    pub(crate) pools: BTreeMap<String, PoolId>,
    pub(crate) damage_types: BTreeMap<String, DamageTypeId>,
    pub(crate) curves: BTreeMap<String, CurveId>,
    pub(crate) functions: BTreeMap<String, usize>,
    pub(crate) statuses: BTreeMap<String, StatusId>,
    /// Tags that statuses have.
    pub(crate) tags: BTreeMap<String, u16>,
    /// Tags of abilities that some status forbids.
    pub(crate) forbidden: Vec<String>,
    pub(crate) abilities: BTreeMap<String, AbilityId>,
    pub(crate) policies: BTreeMap<String, PolicyId>,
    pub(crate) characters: BTreeMap<String, CharacterId>,
    pub(crate) zones: BTreeMap<String, ZoneId>,
    pub(crate) gear: BTreeMap<String, usize>,
    pub(crate) gear_sets: BTreeMap<String, usize>,
    pub(crate) marks: Vec<String>,
}

/// The damage type of a ruleset that declares none.
pub(crate) const ONLY_TYPE: &str = "damage";

impl Names {
    /// Gathers all names of a ruleset; reports those that two things share.
    pub(crate) fn of(rules: &Ruleset, out: &mut Diagnostics) -> Self {
        let mut names = Self {
            pools: numbered(&rules.pools, PoolId),
            damage_types: numbered(&rules.damage_types, DamageTypeId),
            curves: numbered(&rules.curves, CurveId),
            functions: rules.functions.iter().enumerate().map(|(i, named)| (named.name.clone(), i)).collect(),
            statuses: numbered(&rules.statuses, StatusId),
            abilities: numbered(&rules.abilities, AbilityId),
            policies: numbered(&rules.policies, PolicyId),
            characters: numbered(&rules.characters, CharacterId),
            zones: numbered(&rules.zones, ZoneId),
            gear: rules.gear.iter().enumerate().map(|(i, named)| (named.name.clone(), i)).collect(),
            gear_sets: rules.gear_sets.iter().enumerate().map(|(i, named)| (named.name.clone(), i)).collect(),
            ..Self::default()
        };
        if names.damage_types.is_empty() {
            names.damage_types.insert(ONLY_TYPE.to_owned(), DamageTypeId(0));
        }
        let types = names.damage_types.len() as u16;
        let mut slot = Layout::ATTRIBUTES;
        for attribute in &rules.attributes {
            let per_type = attribute.rule.per_type;
            names.attributes.insert(attribute.name.clone(), AttributeName { slot, per_type });
            slot = slot.plus(if per_type { types } else { 1 });
        }
        for status in &rules.statuses {
            for tag in &status.rule.tags {
                let next = names.tags.len() as u16;
                names.tags.entry(tag.text.clone()).or_insert(next);
            }
            let of_abilities = status.rule.forbids.iter().filter(|word| !["act", "move"].contains(&word.text.as_str()));
            for tag in of_abilities {
                if !names.forbidden.contains(&tag.text) {
                    names.forbidden.push(tag.text.clone());
                }
            }
        }
        for step in rules.all_hit_steps().chain(&rules.heal_steps) {
            if let Some(mark) = step.rule.mark.as_ref().filter(|mark| !names.marks.contains(&mark.text)) {
                names.marks.push(mark.text.clone());
            }
        }
        report_shared(&rules.attributes, &rules.pools, "an attribute and a pool", out);
        report_shared(&rules.curves, &rules.functions, "a curve and a formula", out);
        report_builtin(&rules.curves, out);
        report_builtin(&rules.functions, out);
        names
    }

    /// How many slots attributes take.
    pub(crate) fn attribute_slots(&self) -> u16 {
        let types = self.damage_types.len() as u16;
        self.attributes.values().map(|attribute| if attribute.per_type { types } else { 1 }).sum()
    }

    /// Names of all that can be called besides the built-in functions.
    pub(crate) fn callable(&self) -> impl Iterator<Item = &str> + '_ {
        let own = self.curves.keys().chain(self.functions.keys()).map(|name| -> &str { name });
        own.chain(Builtin::names().map(|name| -> &str { name }))
    }
}

fn numbered<T, I>(list: &[Named<T>], id: impl Fn(u16) -> I) -> BTreeMap<String, I> {
    list.iter().enumerate().map(|(index, named)| (named.name.clone(), id(index as u16))).collect()
}

/// Looks a name up, or reports it with the nearest known one.
pub(crate) fn look_up<T: Copy>(
    table: &BTreeMap<String, T>,
    name: &str,
    span: Span,
    what: &str,
    out: &mut Diagnostics,
) -> Option<T> {
    let found = table.get(name).copied();
    if found.is_none() {
        let message = format!("no {what} is called `{name}`");
        out.push(Diagnostic::at(Code::UnknownName, span, message).nearest(name, table.keys().map(String::as_str)));
    }
    found
}

fn report_shared<A, B>(first: &[Named<A>], second: &[Named<B>], what: &str, out: &mut Diagnostics) {
    for a in first {
        if let Some(b) = second.iter().find(|b| b.name == a.name) {
            let (early, late) = if a.span < b.span { (a.span, b.span) } else { (b.span, a.span) };
            out.push(
                Diagnostic::at(Code::DuplicateName, late, format!("{what} are both called `{}`", a.name))
                    .saying("again here")
                    .label(early, "first here")
                    .help("in a formula they would look the same"),
            );
        }
    }
}

fn report_builtin<T>(list: &[Named<T>], out: &mut Diagnostics) {
    for named in list.iter().filter(|named| Builtin::named(&named.name).is_some()) {
        let message = format!("`{}` is the name of a built-in function", named.name);
        out.push(Diagnostic::at(Code::BadName, named.span, message));
    }
}
