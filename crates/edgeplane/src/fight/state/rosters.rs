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
    /// The lists of all sides, each with room for everybody.
    seen: Vec<CombatantId>,
    /// How many there are in each.
    counts: Vec<u16>,
    /// Those who stand: each by itself, or nobody.
    single: Vec<Option<CombatantId>>,
    /// For each combatant the others of its side, those who stand and then those who are defeated; nothing in a
    /// ruleset that never asks for them.
    others: Vec<Vec<CombatantId>>,
}

impl Rosters {
    /// All of them anew.
    pub(in crate::fight) fn refresh(&mut self, setup: &Setup, combatants: &[Combatant]) {
        let lists = setup.sides.len() * LISTS;
        self.seen.resize(lists * combatants.len(), CombatantId(0));
        self.counts.clear();
        self.counts.resize(lists, 0);
        self.single.clear();
        for (who, combatant) in setup.ids().zip(combatants) {
            self.single.push(combatant.stands.then_some(who));
            for side in (0..setup.sides.len()).filter(|side| is_seen(setup, combatant, who, *side)) {
                let first = side * LISTS + if combatant.stands { 0 } else { LISTS / 2 };
                for list in [first + usize::from(side == combatant.side.index()), first + 2] {
                    self.seen[list * combatants.len() + usize::from(self.counts[list])] = who;
                    self.counts[list] += 1;
                }
            }
        }
        if setup.program.means_others {
            self.others.resize_with(2 * combatants.len(), Vec::new);
            for index in 0..self.others.len() {
                let (who, state) = (index / 2, index % 2 * (LISTS / 2));
                self.refresh_others(index, combatants[who].side.index() * LISTS + state + 1);
            }
        }
    }

    fn refresh_others(&mut self, index: usize, list: usize) {
        let room = self.room();
        let mut others = std::mem::take(&mut self.others[index]);
        others.clear();
        let allies = &self.seen[list * room..][..usize::from(self.counts[list])];
        others.extend(allies.iter().filter(|other| other.index() != index / 2));
        self.others[index] = others;
    }

    /// For how many there is room in a list: for everybody.
    #[inline]
    fn room(&self) -> usize {
        self.single.len()
    }

    /// The same where this one alone has been defeated, has joined or is gone.
    pub(in crate::fight) fn place(&mut self, setup: &Setup, combatants: &[Combatant], who: CombatantId) {
        let Some(combatant) = combatants.get(who.index()) else { return };
        let own = combatant.side.index();
        if let Some(single) = self.single.get_mut(who.index()) {
            *single = combatant.stands.then_some(who);
        }
        let (room, state) = (self.room(), if combatant.stands { 0 } else { LISTS / 2 });
        for (index, (list, count)) in self.seen.chunks_exact_mut(room.max(1)).zip(&mut self.counts).enumerate() {
            let (side, kind) = (index / LISTS, (index % LISTS).wrapping_sub(state));
            let is_in = is_seen(setup, combatant, who, side) && (kind == usize::from(side == own) || kind == 2);
            set_in_first(list, count, who, is_in);
        }
        let is_seen = is_seen(setup, combatant, who, own);
        for index in 0..self.others.len() {
            let (other, defeated) = (index / 2, index % 2 == 1);
            if other == who.index() {
                self.refresh_others(index, own * LISTS + index % 2 * (LISTS / 2) + 1);
            } else {
                let is_ally = combatants[other].side == combatant.side;
                set_in(&mut self.others[index], who, is_seen && is_ally && combatant.stands != defeated);
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
        let list = side.index() * LISTS + list + if defeated { LISTS / 2 } else { 0 };
        let Some(count) = self.counts.get(list) else { return &[] };
        self.seen.get(list * self.room()..).and_then(|seen| seen.get(..usize::from(*count))).unwrap_or(&[])
    }
}

/// Whether a combatant can be meant by those of a side: of scenery only its allies know.
fn is_seen(setup: &Setup, combatant: &Combatant, who: CombatantId, side: usize) -> bool {
    let ally = side == combatant.side.index();
    let hidden_from = if ally { Untargetable::Everyone } else { Untargetable::Enemies };
    !combatant.absent && (ally || setup.can_be_defeated(who)) && combatant.untargetable < hidden_from
}

/// Puts a combatant into a list that is in the order of the encounter, or takes it out.
fn set_in(list: &mut Vec<CombatantId>, who: CombatantId, is_in: bool) {
    match list.binary_search(&who) {
        Ok(at) if !is_in => {
            list.remove(at);
        }
        Err(at) if is_in => list.insert(at, who),
        _ => {}
    }
}

/// The same in the first so many of a list that has room for everybody.
fn set_in_first(list: &mut [CombatantId], count: &mut u16, who: CombatantId, is_in: bool) {
    let end = usize::from(*count);
    match list[..end].binary_search(&who) {
        Ok(at) if !is_in => {
            list.copy_within(at + 1..end, at);
            *count -= 1;
        }
        Err(at) if is_in => {
            list.copy_within(at..end, at + 1);
            list[at] = who;
            *count += 1;
        }
        _ => {}
    }
}
