//! Maps the names of one ruleset to another one, for fights that continue under edited rules.

use std::sync::Arc;

use super::Program;
use super::encounters::{CombatantPlan, EncounterPlan, Setup};
use super::ids::{AbilityId, CauseId, CharacterId, GearId, PoolId, Slot, StatusId, ZoneId};
use super::names::NameTable;
use super::script::MomentEffect;

/// For each rule of one ruleset, the rule with the same name in another one, if there is one.
#[derive(Clone, Debug)]
pub(crate) struct Counterparts {
    pub(crate) statuses: Vec<Option<StatusId>>,
    pub(crate) abilities: Vec<Option<AbilityId>>,
    pub(crate) pools: Vec<Option<PoolId>>,
    pub(crate) zones: Vec<Option<ZoneId>>,
    pub(crate) gear: Vec<Option<GearId>>,
    pub(crate) causes: Vec<Option<CauseId>>,
    pub(crate) characters: Vec<Option<CharacterId>>,
    /// The values of each attribute.
    pub(crate) attributes: Vec<AttributeSlots>,
    /// Diminishing tags, by their index.
    pub(crate) diminish: Vec<Option<usize>>,
    /// The slots of numbers of abilities that formulas read, and of streak counters, before and now.
    pub(crate) asked: Vec<(Slot, Slot)>,
    /// The files are identical.
    pub(crate) is_same_text: bool,
}

/// The slot of an attribute value.
#[derive(Clone, Debug)]
pub(crate) struct AttributeSlots {
    /// With its damage type, for per-type attributes.
    pub(crate) name: String,
    pub(crate) before: Slot,
    pub(crate) now: Option<Slot>,
}

impl Counterparts {
    pub(crate) fn between(old: &Program, new: &Program) -> Self {
        macro_rules! by_name {
            ($list:ident, $id:path) => {{
                let place = |name: &String| new.$list.iter().position(|other| other.name == *name);
                old.$list.iter().map(|one| place(&one.name).map(|index| $id(index as u16))).collect()
            }};
        }
        let mut names = Self {
            statuses: by_name!(statuses, StatusId),
            abilities: by_name!(abilities, AbilityId),
            pools: by_name!(pools, PoolId),
            zones: by_name!(zones, ZoneId),
            gear: by_name!(gear, GearId),
            causes: by_name!(causes, CauseId),
            characters: by_name!(characters, CharacterId),
            attributes: attributes(old, new),
            diminish: Vec::new(),
            asked: Vec::new(),
            is_same_text: files(old).eq(files(new)) && forced(old).eq(forced(new)),
        };
        let tag = |program: &Program, tag: u16| program.tags[usize::from(tag)].clone();
        let group = |name: &String| new.diminish.iter().position(|group| tag(new, group.tag) == *name);
        names.diminish = old.diminish.iter().map(|one| group(&tag(old, one.tag))).collect();
        for watch in &old.watches {
            let ability = watch.ability.map(|ability| names.abilities[ability.index()]);
            let same = new.watches.iter().find(|other| other.kind == watch.kind && other.ability.map(Some) == ability);
            names.asked.extend(same.map(|other| (watch.slot, other.slot)));
        }
        for streak in &old.streaks {
            let site = &old.site_names[streak.site.index()];
            let same = new.streaks.iter().find(|other| new.site_names[other.site.index()] == *site);
            names.asked.extend(same.into_iter().flat_map(|other| streak.slots().zip(other.slots())));
        }
        names
    }
}

fn files(program: &Program) -> impl Iterator<Item = (&str, &str)> {
    program.sources.files().iter().map(|file| (file.name(), file.text()))
}

/// Forcing an ability changes policies and is not in any file.
fn forced(program: &Program) -> impl Iterator<Item = u16> {
    let lines = program.characters.iter().flat_map(|plan| &plan.policy.uses);
    lines.map(|line| line.place)
}

fn attributes(old: &Program, new: &Program) -> Vec<AttributeSlots> {
    let mut now = NameTable::default();
    for (name, slot, _) in new.attribute_slots() {
        now.insert(&name, slot);
    }
    let of = |(name, before, _): (String, _, _)| AttributeSlots { now: now.get(&name), name, before };
    old.attribute_slots().map(of).collect()
}

impl Setup {
    /// The setup of the same fight under different rules, with the combatants of this one.
    ///
    /// If the new rules have the encounter with the same sides and members and the same ground, its time limit and
    /// script are used; otherwise those of this setup continue, without abilities that no longer exist.
    pub(crate) fn under(&self, program: &Arc<Program>, names: &Counterparts, combatants: Vec<CombatantPlan>) -> Self {
        let base = self.spawned_from();
        let members = |plan: &EncounterPlan| {
            let sides = plan.sides.iter().zip(0..).flat_map(|((_, who), side)| who.iter().map(move |one| (*one, side)));
            let same_sides = plan.sides.iter().map(|(name, _)| name).eq(&self.sides);
            same_sides && sides.eq(combatants[..base].iter().map(|one| (one.character, one.side.0)))
        };
        let fits = |plan: &EncounterPlan| members(plan) && plan.places.is_empty() != self.is_placed;
        let encounter = program.find_encounter(&self.name).filter(|id| fits(&program.encounters[id.index()]));
        let mut setup = match encounter {
            Some(id) => Self::of(program, id),
            None => self.without_encounter(program, names, combatants[..base].to_vec()),
        };
        setup.name.clone_from(&self.name);
        if combatants.len() > base {
            let more: Vec<_> = combatants[base..].iter().map(|one| (one.character, one.side)).collect();
            setup = setup.extended(&more);
            // Labels are kept, because random streams are named by them.
            setup.combatants = combatants;
            setup.name_streams();
        }
        setup.is_endless = self.is_endless;
        setup
    }

    fn without_encounter(&self, program: &Arc<Program>, names: &Counterparts, combatants: Vec<CombatantPlan>) -> Self {
        let mut setup = Self::among(program, self.sides.clone(), combatants, self.is_placed);
        setup.time_limit = self.time_limit;
        setup.script.clone_from(&self.script);
        setup.script.joins.truncate(setup.combatants.len());
        let there = setup.combatants.len();
        for moment in &mut setup.script.moments {
            moment.by.character = moment.by.character.and_then(|character| names.characters[character.index()]);
            if let MomentEffect::Bring(ability, who) = &mut moment.does {
                match names.abilities[ability.index()] {
                    Some(same) => *ability = same,
                    None => (*who, moment.by) = Default::default(),
                }
                who.retain(|one| one.index() < there);
            }
        }
        setup.count_heads();
        setup
    }
}
