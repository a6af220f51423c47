//! Possible targets for each side. Targets are looked up far more often than combatants are defeated or join, so the
//! candidates are kept as lists.

use super::Combatant;
use crate::program::{CombatantId, Setup, SideId};
use crate::rules::{SideRule, Untargetable};

/// The lists of one side in order: enemies, allies, everyone; first those who stand, then those who are defeated.
const LISTS: usize = 6;

/// The possible targets of each side, in the order of the encounter. They are derived from the state of the combatants,
/// so snapshots do not keep them.
#[derive(Clone, Debug, Default, PartialEq)]
pub(in crate::fight) struct Rosters {
    lists: Vec<Vec<CombatantId>>,
    /// The standing combatants, one list of one or no element for each.
    single: Vec<Option<CombatantId>>,
    /// For each combatant the other members of its side, first standing, then defeated; empty if no rule asks for them.
    others: Vec<Vec<CombatantId>>,
}

impl Rosters {
    /// Computes all lists anew.
    pub(in crate::fight) fn refresh(&mut self, setup: &Setup, combatants: &[Combatant]) {
        self.lists.resize_with(setup.sides.len() * LISTS, Vec::new);
        self.lists.iter_mut().for_each(Vec::clear);
        self.single.clear();
        for (who, combatant) in setup.ids().zip(combatants) {
            self.single.push(combatant.stands.then_some(who));
            for (side, lists) in self.lists.chunks_exact_mut(LISTS).enumerate() {
                if is_seen(setup, combatant, who, side) {
                    let state = if combatant.stands { 0 } else { LISTS / 2 };
                    lists[state + usize::from(side == combatant.side.index())].push(who);
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

    /// Updates the lists after one combatant has been defeated, has joined or has left.
    pub(in crate::fight) fn place(&mut self, setup: &Setup, combatants: &[Combatant], who: CombatantId) {
        let Some(combatant) = combatants.get(who.index()) else { return };
        let own = combatant.side.index();
        if let Some(single) = self.single.get_mut(who.index()) {
            *single = combatant.stands.then_some(who);
        }
        let state = if combatant.stands { 0 } else { LISTS / 2 };
        for (side, lists) in self.lists.chunks_exact_mut(LISTS).enumerate() {
            let is_seen = is_seen(setup, combatant, who, side);
            for (index, list) in lists.iter_mut().enumerate() {
                let kind = index.wrapping_sub(state);
                let is_in = is_seen && (kind == usize::from(side == own) || kind == 2);
                set_in(list, who, is_in);
            }
        }
        let is_seen = is_seen(setup, combatant, who, own);
        for (index, others) in self.others.iter_mut().enumerate() {
            let (other, defeated) = (index / 2, index % 2 == 1);
            if other == who.index() {
                let allies = &self.lists[own * LISTS + index % 2 * (LISTS / 2) + 1];
                others.clear();
                others.extend(allies.iter().filter(|other| **other != who));
            } else {
                let is_ally = combatants[other].side == combatant.side;
                set_in(others, who, is_seen && is_ally && combatant.stands != defeated);
            }
        }
    }

    /// The possible targets of a combatant on a given side: standing or defeated ones.
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

/// Whether members of a side can target a combatant: scenery can be targeted by its allies only.
fn is_seen(setup: &Setup, combatant: &Combatant, who: CombatantId, side: usize) -> bool {
    let ally = side == combatant.side.index();
    let hidden_from = if ally { Untargetable::Everyone } else { Untargetable::Enemies };
    !combatant.absent && (ally || setup.can_be_defeated(who)) && combatant.untargetable < hidden_from
}

/// Inserts a combatant into a list in the order of the encounter, or removes it.
fn set_in(list: &mut Vec<CombatantId>, who: CombatantId, is_in: bool) {
    match list.binary_search(&who) {
        Ok(at) if !is_in => {
            list.remove(at);
        }
        Err(at) if is_in => list.insert(at, who),
        _ => {}
    }
}
