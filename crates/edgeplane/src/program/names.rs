//! All names that formulas and rules can use, and what they refer to.

use std::collections::BTreeMap;

use super::ids::{AbilityId, CharacterId, CurveId, DamageTypeId, PolicyId, PoolId, Slot, StatusId, ZoneId};
use super::layout::Layout;
use crate::formula::Builtin;
use crate::rules::{Named, Ruleset};
use crate::text::{Code, Diagnostic, Diagnostics, Span};

/// The slots of an attribute.
#[derive(Clone, Copy, Debug)]
pub(crate) struct AttributeName {
    pub(crate) slot: Slot,
    pub(crate) per_type: bool,
}

/// The names of one kind. All kinds share one map type, because separate instances were a tenth of the runtime's code.
#[derive(Clone, Debug)]
pub(crate) struct NameTable<T> {
    places: BTreeMap<String, usize>,
    values: Vec<T>,
}

impl<T> Default for NameTable<T> {
    fn default() -> Self {
        Self { places: BTreeMap::new(), values: Vec::new() }
    }
}

impl<T: Copy> NameTable<T> {
    fn numbered<R>(list: &[Named<R>], id: impl Fn(u16) -> T) -> Self {
        let mut table = Self::default();
        for (index, named) in list.iter().enumerate() {
            table.insert(&named.name, id(index as u16));
        }
        table
    }

    /// If two rules have the same name, the later one is used.
    pub(crate) fn insert(&mut self, name: &str, value: T) {
        self.places.insert(name.to_owned(), self.values.len());
        self.values.push(value);
    }

    pub(crate) fn get(&self, name: &str) -> Option<T> {
        self.places.get(name).map(|place| self.values[*place])
    }

    pub(crate) fn contains(&self, name: &str) -> bool {
        self.places.contains_key(name)
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.places.is_empty()
    }

    pub(crate) fn len(&self) -> usize {
        self.places.len()
    }

    /// In alphabetical order.
    pub(crate) fn names(&self) -> impl Iterator<Item = &String> {
        self.places.keys()
    }

    /// In alphabetical order.
    pub(crate) fn iter(&self) -> impl Iterator<Item = (&String, T)> {
        self.places.iter().map(|(name, place)| (name, self.values[*place]))
    }
}

/// The name tables of a ruleset.
#[derive(Clone, Debug, Default)]
pub struct Names {
    pub(crate) attributes: NameTable<AttributeName>,
    pub(crate) pools: NameTable<PoolId>,
    pub(crate) damage_types: NameTable<DamageTypeId>,
    pub(crate) curves: NameTable<CurveId>,
    pub(crate) functions: NameTable<usize>,
    pub(crate) statuses: NameTable<StatusId>,
    /// Tags of statuses.
    pub(crate) tags: NameTable<u16>,
    /// Tags of abilities that some status forbids.
    pub(crate) forbidden: Vec<String>,
    pub(crate) abilities: NameTable<AbilityId>,
    pub(crate) policies: NameTable<PolicyId>,
    pub(crate) characters: NameTable<CharacterId>,
    pub(crate) zones: NameTable<ZoneId>,
    pub(crate) gear: NameTable<usize>,
    pub(crate) gear_sets: NameTable<usize>,
    pub(crate) marks: Vec<String>,
}

/// The damage type of a ruleset that declares none.
pub(crate) const ONLY_TYPE: &str = "damage";

impl Names {
    /// Collects all names of a ruleset, and reports names that are used twice.
    pub(crate) fn of(rules: &Ruleset, out: &mut Diagnostics) -> Self {
        let mut names = Self {
            pools: NameTable::numbered(&rules.pools, PoolId),
            damage_types: NameTable::numbered(&rules.damage_types, DamageTypeId),
            curves: NameTable::numbered(&rules.curves, CurveId),
            functions: NameTable::numbered(&rules.functions, usize::from),
            statuses: NameTable::numbered(&rules.statuses, StatusId),
            abilities: NameTable::numbered(&rules.abilities, AbilityId),
            policies: NameTable::numbered(&rules.policies, PolicyId),
            characters: NameTable::numbered(&rules.characters, CharacterId),
            zones: NameTable::numbered(&rules.zones, ZoneId),
            gear: NameTable::numbered(&rules.gear, usize::from),
            gear_sets: NameTable::numbered(&rules.gear_sets, usize::from),
            ..Self::default()
        };
        if names.damage_types.is_empty() {
            names.damage_types.insert(ONLY_TYPE, DamageTypeId(0));
        }
        let types = names.damage_types.len() as u16;
        let mut slot = Layout::ATTRIBUTES;
        for attribute in &rules.attributes {
            let per_type = attribute.rule.per_type;
            names.attributes.insert(&attribute.name, AttributeName { slot, per_type });
            slot = slot.plus(if per_type { types } else { 1 });
        }
        for status in &rules.statuses {
            for tag in &status.rule.tags {
                let next = names.tags.len() as u16;
                if !names.tags.contains(&tag.text) {
                    names.tags.insert(&tag.text, next);
                }
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

    /// The number of slots of attributes.
    pub(crate) fn attribute_slots(&self) -> u16 {
        let types = self.damage_types.len() as u16;
        self.attributes.iter().map(|(_, attribute)| if attribute.per_type { types } else { 1 }).sum()
    }

    /// Looks an attribute up, or reports it; a pool is not one.
    pub(crate) fn attribute(&self, name: &str, span: Span, out: &mut Diagnostics) -> Option<AttributeName> {
        if self.pools.get(name).is_some() && self.attributes.get(name).is_none() {
            let help = "its cap can depend on an attribute: `max = \"…\"`";
            out.push(
                Diagnostic::at(Code::UnknownName, span, format!("`{name}` is a pool, not an attribute")).help(help),
            );
            return None;
        }
        look_up(&self.attributes, name, span, "attribute", out)
    }

    /// Names of all functions other than the built-in ones.
    pub(crate) fn callable(&self) -> impl Iterator<Item = &str> + '_ {
        self.curves
            .names()
            .chain(self.functions.names())
            .map(String::as_str)
            .chain(Builtin::names().map(|name| -> &str { name }))
    }
}

/// Looks a name up, or reports it with the nearest known name.
pub(crate) fn look_up<T: Copy>(
    table: &NameTable<T>,
    name: &str,
    span: Span,
    what: &str,
    out: &mut Diagnostics,
) -> Option<T> {
    let found = table.get(name);
    if found.is_none() {
        let message = format!("no {what} is called `{name}`");
        let diagnostic = Diagnostic::at(Code::UnknownName, span, message);
        out.push(if table.is_empty() {
            diagnostic.help(format!("the ruleset has none yet: `{}`", declaration(what, name)))
        } else {
            diagnostic.nearest(name, table.names().map(String::as_str))
        });
    }
    found
}

/// The head of the table in which a rule of this kind is declared.
fn declaration(what: &str, name: &str) -> String {
    let section = match what {
        "attribute" => "attributes",
        "pool" => "pools",
        "damage type" => "damage_types",
        "gear set" => "gear_set",
        "piece of gear" => "gear",
        other => other,
    };
    format!("[{section}.{name}]")
}

fn report_shared<A, B>(first: &[Named<A>], second: &[Named<B>], what: &str, out: &mut Diagnostics) {
    for a in first {
        if let Some(b) = second.iter().find(|b| b.name == a.name) {
            let (early, late) = if a.span < b.span { (a.span, b.span) } else { (b.span, a.span) };
            out.push(
                Diagnostic::at(Code::DuplicateName, late, format!("{what} are both called `{}`", a.name))
                    .saying("again here")
                    .label(early, "first here")
                    .help("they could not be distinguished in formulas"),
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
