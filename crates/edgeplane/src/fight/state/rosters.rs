//! Who can be meant, as each side sees it. Targets are looked for far more often than anybody is defeated or
//! joins, so those who can be meant are kept as lists.

use super::Combatant;
use crate::program::{CombatantId, Setup, SideId};
use crate::rules::{SideRule, Untargetable};

/// The lists of a side, one after the other: enemies, allies, everyone; first those who stand, then those who are
/// defeated.
const LISTS: usize = 6;

/// Who can be targeted by whom, each list in the order of the encounter. It follows from the state of the
/// combatants, so no snapshot keeps it.
#[derive(Clone, Debug, Default, PartialEq)]
pub(in crate::fight) struct Rosters {
    lists: Vec<Vec<CombatantId>>,
    /// Those who stand: each by itself, or nobody.
    single: Vec<Option<CombatantId>>,
    /// For each combatant the others of its side, those who stand and then those who are defeated; nothing in a
    /// ruleset that never asks for them.
    others: Vec<Vec<CombatantId>>,
}

impl Rosters {
    /// Anew, after somebody has been defeated or has joined, has changed sides or can be targeted by others than
    /// before.
    pub(in crate::fight) fn refresh(&mut self, setup: &Setup, combatants: &[Combatant]) {
        self.lists.resize_with(setup.sides.len() * LISTS, Vec::new);
        self.lists.iter_mut().for_each(Vec::clear);
        self.single.clear();
        for (who, combatant) in setup.ids().zip(combatants) {
            self.single.push(combatant.stands.then_some(who));
            if combatant.absent {
                continue;
            }
            // Of scenery only its allies know.
            let can_fall = setup.can_be_defeated(who);
            let state = if combatant.stands { 0 } else { LISTS / 2 };
            for (side, lists) in self.lists.chunks_exact_mut(LISTS).enumerate() {
                let ally = side == combatant.side.index();
                let hidden_from = if ally { Untargetable::Everyone } else { Untargetable::Enemies };
                if (ally || can_fall) && combatant.untargetable < hidden_from {
                    lists[state + usize::from(ally)].push(who);
                    lists[state + 2].push(who);
                }
            }
        }
        if setup.program.means_others {
            self.others.resize_with(2 * combatants.len(), Vec::new);
            for (index, others) in self.others.iter_mut().enumerate() {
                let (who, state) = (index / 2, index % 2 * (LISTS / 2));
                let allies = &self.lists[combatants[who].side.index() * LISTS + state + 1];
                others.clear();
                others.extend(allies.iter().filter(|other| other.index() != who));
            }
        }
    }

    /// Those who can be meant by somebody who is on a side now: of those who stand, or of the defeated.
    #[inline]
    pub(in crate::fight) fn of(
        &self,
        who: CombatantId,
        side: SideId,
        rule: SideRule,
        defeated: bool,
    ) -> &[CombatantId] {
        let list = match rule {
            SideRule::Enemies => 0,
            SideRule::Allies => 1,
            SideRule::Everyone => 2,
            SideRule::Caster => return self.single.get(who.index()).map_or(&[], |one| one.as_slice()),
            SideRule::Others => {
                return self.others.get(2 * who.index() + usize::from(defeated)).map_or(&[], Vec::as_slice);
            }
        };
        let state = if defeated { LISTS / 2 } else { 0 };
        self.lists.get(side.index() * LISTS + state + list).map_or(&[], Vec::as_slice)
    }
}
