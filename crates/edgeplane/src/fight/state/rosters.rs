//! Who stands, as each side sees it. Targets are looked for far more often than anybody falls or joins, so those
//! who can be meant are kept as lists.

use super::Combatant;
use crate::program::{CombatantId, Setup, SideId};
use crate::rules::SideRule;

/// The lists of a side, one after the other: enemies, allies, everyone.
const LISTS: usize = 3;

/// Who can be targeted by whom, each list in the order of the encounter. It follows from who stands, so no
/// snapshot keeps it.
#[derive(Clone, Debug, Default, PartialEq)]
pub(in crate::fight) struct Rosters {
    lists: Vec<Vec<CombatantId>>,
    /// Those who stand: each by itself, or nobody.
    single: Vec<Option<CombatantId>>,
}

impl Rosters {
    /// Anew, after somebody has fallen or joined.
    pub(in crate::fight) fn refresh(&mut self, setup: &Setup, combatants: &[Combatant]) {
        self.lists.resize_with(setup.sides.len() * LISTS, Vec::new);
        self.lists.iter_mut().for_each(Vec::clear);
        self.single.clear();
        for (who, (plan, combatant)) in setup.ids().zip(setup.combatants.iter().zip(combatants)) {
            self.single.push(combatant.stands.then_some(who));
            if !combatant.stands {
                continue;
            }
            // Of scenery only its allies know.
            let can_fall = setup.can_be_defeated(who);
            for (side, lists) in self.lists.chunks_exact_mut(LISTS).enumerate() {
                let ally = side == plan.side.index();
                if ally || can_fall {
                    lists[usize::from(ally)].push(who);
                    lists[2].push(who);
                }
            }
        }
    }

    /// Those who stand and can be meant by somebody of a side.
    #[inline]
    pub(in crate::fight) fn of(&self, who: CombatantId, side: SideId, rule: SideRule) -> &[CombatantId] {
        let list = match rule {
            SideRule::Enemies => 0,
            SideRule::Allies => 1,
            SideRule::Everyone => 2,
            SideRule::Caster => return self.single.get(who.index()).map_or(&[], |one| one.as_slice()),
        };
        self.lists.get(side.index() * LISTS + list).map_or(&[], Vec::as_slice)
    }
}
