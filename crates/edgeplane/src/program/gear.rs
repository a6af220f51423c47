//! Gear and gear sets: the statuses that a character has through its gear.

use super::Program;
use super::ids::{FormulaId, GearId, SiteId, StatusId};
use super::names::look_up;
use super::resolve::Compiler;
use super::scope::Scope;
use crate::rules::{CharacterRule, Named, Ruleset, SetStatusRule, Word};
use crate::text::{Code, Diagnostic};

/// A piece of gear that a character wears.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WornPlan {
    /// Its name; while it is worn, it works as a status of that name.
    pub name: String,
    /// Its description in the ruleset.
    pub about: String,
    /// Its slot.
    pub slot: Option<String>,
    /// Its set, and the number of pieces of the set that the character wears.
    pub set: Option<(String, u32)>,
}

/// A piece of gear.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct GearPlan {
    /// Its name.
    pub name: String,
    /// Its slot; one piece can be worn in each slot.
    pub slot: Option<String>,
    /// Its set, by number.
    pub set: Option<usize>,
    /// The statuses of its wearer, its own status first.
    pub statuses: Vec<WornStatus>,
}

/// A gear set: the statuses for each threshold of pieces.
pub type GearSetPlan = Vec<(u32, Vec<WornStatus>)>;

/// A status that a combatant has through its gear.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WornStatus {
    /// The status.
    pub status: StatusId,
    /// How many stacks.
    pub stacks: u32,
    /// Its duration in seconds; without one, it lasts while the pieces are worn.
    pub duration: Option<FormulaId>,
}

impl WornStatus {
    fn one(status: StatusId) -> Self {
        Self { status, stacks: 1, duration: None }
    }
}

/// A piece that a character may wear.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ChancyPiece {
    /// The piece.
    pub piece: GearId,
    /// The chance that it is worn, and its random stream.
    pub chance: (FormulaId, SiteId),
}

impl Program {
    /// The statuses for a list of worn pieces: those of each piece in order, then those of the sets.
    pub(crate) fn statuses_of_gear(&self, worn: &[GearId], into: &mut Vec<WornStatus>) {
        into.clear();
        for piece in worn {
            into.extend_from_slice(&self.gear[piece.index()].statuses);
        }
        for (number, set) in self.gear_sets.iter().enumerate() {
            let pieces = worn.iter().filter(|piece| self.gear[piece.index()].set == Some(number)).count() as u32;
            let reached = set.iter().rfind(|(needed, _)| *needed <= pieces);
            into.extend(reached.iter().flat_map(|(_, statuses)| statuses));
        }
        // A status that several pieces give is held once, so that the result does not depend on what was worn before.
        let mut index = 0;
        while let Some(one) = into.get(index).copied() {
            let first =
                into[..index].iter_mut().find(|other| other.status == one.status && other.duration == one.duration);
            match first {
                Some(first) => {
                    first.stacks = first.stacks.max(one.stacks);
                    into.remove(index);
                }
                None => index += 1,
            }
        }
    }
}

impl Compiler<'_> {
    pub(super) fn piece_named(&mut self, word: &Word) -> Option<GearId> {
        let index = look_up(&self.names.gear, &word.text, word.span, "piece of gear", self.out);
        index.map(|index| GearId(index as u16))
    }

    /// Pieces and sets for fights in which gear changes.
    fn gear_plans(&mut self, rules: &Ruleset) {
        let named = |word: &Word| self.names.statuses.get(&word.text);
        let plan = |piece: &Named<crate::rules::GearRule>| GearPlan {
            name: piece.name.clone(),
            slot: piece.rule.slot.as_ref().map(|slot| slot.text.clone()),
            set: piece.rule.set.as_ref().and_then(|set| self.names.gear_sets.get(&set.text)),
            statuses: self
                .names
                .statuses
                .get(&piece.name)
                .into_iter()
                .chain(piece.rule.statuses.iter().filter_map(named))
                .map(WornStatus::one)
                .collect(),
        };
        let gear = rules.gear.iter().map(plan).collect();
        let mut sets: Vec<GearSetPlan> = Vec::new();
        for set in &rules.gear_sets {
            let mut plan = GearSetPlan::new();
            for (pieces, given) in &set.rule.worn {
                plan.push((*pieces, given.iter().filter_map(|one| self.set_status(one)).collect()));
            }
            sets.push(plan);
        }
        (self.program.gear, self.program.gear_sets) = (gear, sets);
        self.program.gear_set_names = rules.gear_sets.iter().map(|set| set.name.clone()).collect();
    }

    fn set_status(&mut self, rule: &SetStatusRule) -> Option<WornStatus> {
        let duration = self.optional(&rule.duration, Scope::WEAR);
        let status = self.names.statuses.get(&rule.status.text)?;
        Some(WornStatus { status, stacks: rule.stacks, duration })
    }

    /// Resolves the names in gear and gear sets, worn or not.
    pub(crate) fn gear(&mut self, rules: &Ruleset) {
        for piece in &rules.gear {
            if let Some(set) = &piece.rule.set {
                look_up(&self.names.gear_sets, &set.text, set.span, "gear set", self.out);
            }
            self.known_statuses(&piece.rule.statuses);
        }
        for set in &rules.gear_sets {
            for one in set.rule.worn.iter().flat_map(|(_, given)| given) {
                self.known_statuses(std::slice::from_ref(&one.status));
            }
        }
        self.gear_plans(rules);
    }

    fn known_statuses(&mut self, words: &[Word]) {
        for word in words {
            look_up(&self.names.statuses, &word.text, word.span, "status", self.out);
        }
    }

    /// The gear of a character and its statuses: those of each piece in order, then those of the sets.
    pub(super) fn worn(
        &mut self,
        name: &str,
        own: &CharacterRule,
        lineage: &[&CharacterRule],
        rules: &Ruleset,
    ) -> Worn {
        for word in own.gear.iter().flatten() {
            look_up(&self.names.gear, &word.piece.text, word.piece.span, "piece of gear", self.out);
        }
        self.check_slots(own, rules);
        let listed = lineage.iter().find_map(|rule| rule.gear.as_deref()).unwrap_or_default();
        let mut chancy = Vec::new();
        for (index, one) in listed.iter().enumerate() {
            let Some(chance) = &one.chance else { continue };
            let piece = self.names.gear.get(&one.piece.text).map(|index| GearId(index as u16));
            let chance = self.number(chance, Scope::WEAR);
            let site = self.site(&format!("character.{name}.gear.{index}.chance"));
            chancy.extend(piece.zip(chance).map(|(piece, chance)| ChancyPiece { piece, chance: (chance, site) }));
        }
        let certain = listed.iter().filter(|one| one.chance.is_none()).map(|one| &one.piece);
        let pieces: Vec<_> = certain.filter_map(|word| find(&rules.gear, &word.text)).collect();
        let of_set = |set: &str| {
            let same = pieces.iter().filter(|piece| piece.rule.set.as_ref().is_some_and(|word| word.text == set));
            same.count() as u32
        };
        let gear = |piece: &&Named<crate::rules::GearRule>| self.names.gear.get(&piece.name);
        let ids: Vec<GearId> = pieces.iter().filter_map(gear).map(|index| GearId(index as u16)).collect();
        let mut statuses = Vec::new();
        self.program.statuses_of_gear(&ids, &mut statuses);
        let plan = |piece: &&Named<crate::rules::GearRule>| WornPlan {
            name: piece.name.clone(),
            about: piece.rule.about.clone(),
            slot: piece.rule.slot.as_ref().map(|slot| slot.text.clone()),
            set: piece.rule.set.as_ref().map(|set| (set.text.clone(), of_set(&set.text))),
        };
        Worn { plans: pieces.iter().map(plan).collect(), pieces: ids, chancy, statuses }
    }

    /// No piece is worn twice, and no two in the same slot.
    fn check_slots(&mut self, own: &CharacterRule, rules: &Ruleset) {
        let words: Vec<&Word> = own.gear.iter().flatten().map(|one| &one.piece).collect();
        for (index, word) in words.iter().enumerate() {
            let slot = |word: &Word| find(&rules.gear, &word.text)?.rule.slot.as_ref().map(|slot| slot.text.clone());
            let earlier = words[..index]
                .iter()
                .find(|other| other.text == word.text || (slot(other).is_some() && slot(other) == slot(word)));
            let Some(other) = earlier else { continue };
            let message = match slot(word) {
                _ if other.text == word.text => format!("`{}` is worn twice", word.text),
                slot => {
                    let slot = slot.unwrap_or_default();
                    format!("`{}` and `{}` are both worn in the slot `{slot}`", other.text, word.text)
                }
            };
            self.out.push(Diagnostic::at(Code::KeyConflict, word.span, message).label(other.span, "worn already"));
        }
    }
}

/// The gear of a character.
pub(super) struct Worn {
    pub(super) plans: Vec<WornPlan>,
    pub(super) pieces: Vec<GearId>,
    pub(super) chancy: Vec<ChancyPiece>,
    pub(super) statuses: Vec<WornStatus>,
}

fn find<'a, T>(list: &'a [Named<T>], name: &str) -> Option<&'a Named<T>> {
    list.iter().find(|one| one.name == name)
}
