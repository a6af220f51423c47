//! Gear and gear sets: which statuses a character has for what it wears.

use super::ids::StatusId;
use super::names::look_up;
use super::resolve::Compiler;
use crate::rules::{CharacterRule, Named, Ruleset, Word};
use crate::text::{Code, Diagnostic};

/// A piece of gear that a character wears.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WornPlan {
    /// Its name; what it does while it is worn is a status of that name.
    pub name: String,
    /// What the ruleset says about it.
    pub about: String,
    /// Where it is worn.
    pub slot: Option<String>,
    /// The set that it belongs to, and how many pieces of it the character wears.
    pub set: Option<(String, u32)>,
}

impl Compiler<'_> {
    /// Looks up the names in gear and gear sets, worn or not.
    pub(crate) fn gear(&mut self, rules: &Ruleset) {
        for piece in &rules.gear {
            if let Some(set) = &piece.rule.set {
                look_up(&self.names.gear_sets, &set.text, set.span, "gear set", self.out);
            }
            self.known_statuses(&piece.rule.statuses);
        }
        for set in &rules.gear_sets {
            set.rule.worn.iter().for_each(|(_, statuses)| self.known_statuses(statuses));
        }
    }

    fn known_statuses(&mut self, words: &[Word]) {
        for word in words {
            look_up(&self.names.statuses, &word.text, word.span, "status", self.out);
        }
    }

    /// What a character wears, and the statuses that it has for that: those of each piece in order,
    /// then those of the sets.
    pub(crate) fn worn(
        &mut self,
        own: &CharacterRule,
        lineage: &[&CharacterRule],
        rules: &Ruleset,
    ) -> (Vec<WornPlan>, Vec<StatusId>) {
        for word in own.gear.iter().flatten() {
            look_up(&self.names.gear, &word.text, word.span, "piece of gear", self.out);
        }
        self.check_slots(own, rules);
        let words = lineage.iter().find_map(|rule| rule.gear.as_deref()).unwrap_or_default();
        let pieces: Vec<_> = words.iter().filter_map(|word| find(&rules.gear, &word.text)).collect();
        let of_set = |set: &str| {
            let same = pieces.iter().filter(|piece| piece.rule.set.as_ref().is_some_and(|word| word.text == set));
            same.count() as u32
        };
        let mut statuses: Vec<&str> = Vec::new();
        for piece in &pieces {
            statuses.push(&piece.name);
            statuses.extend(piece.rule.statuses.iter().map(|word| word.text.as_str()));
        }
        for set in &rules.gear_sets {
            let worn = of_set(&set.name);
            let reached = set.rule.worn.iter().rfind(|(pieces, _)| *pieces <= worn);
            statuses.extend(reached.iter().flat_map(|(_, words)| words).map(|word| word.text.as_str()));
        }
        let plan = |piece: &&Named<crate::rules::GearRule>| WornPlan {
            name: piece.name.clone(),
            about: piece.rule.about.clone(),
            slot: piece.rule.slot.as_ref().map(|slot| slot.text.clone()),
            set: piece.rule.set.as_ref().map(|set| (set.text.clone(), of_set(&set.text))),
        };
        let ids = statuses.iter().filter_map(|name| self.names.statuses.get(*name).copied());
        (pieces.iter().map(plan).collect(), ids.collect())
    }

    /// No piece is worn twice, and no two in the same slot.
    fn check_slots(&mut self, own: &CharacterRule, rules: &Ruleset) {
        let words: Vec<&Word> = own.gear.iter().flatten().collect();
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

fn find<'a, T>(list: &'a [Named<T>], name: &str) -> Option<&'a Named<T>> {
    list.iter().find(|one| one.name == name)
}
