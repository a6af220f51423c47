//! Gear that is put on and taken off, abilities that are given and taken, and sides that win by an effect.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::UnavailableReason;
use super::super::state::EffectContext;
use super::super::statuses::apply::Dose;
use crate::program::{AbilityId, CombatantId, GearId, LostReason, StatusId, Time, WornStatus};

impl Engine<'_> {
    /// Puts a piece on, replacing the piece in its slot.
    pub(in crate::fight) fn wear(&mut self, who: CombatantId, piece: GearId) -> FightResult<()> {
        self.change_gear(who, piece, true)
    }

    /// Takes a piece off; nothing happens if it is not worn.
    pub(in crate::fight) fn take_off(&mut self, who: CombatantId, piece: GearId) -> FightResult<()> {
        self.change_gear(who, piece, false)
    }

    /// Changes the worn gear only, without its consequences.
    pub(in crate::fight) fn change_worn(&mut self, who: CombatantId, piece: GearId, comes: bool) {
        let program = self.program;
        let worn = &mut self.state.worn;
        if !comes {
            worn.retain(|one| *one != (who, piece));
        } else if !worn.contains(&(who, piece)) {
            let slot = |piece: GearId| program.gear[piece.index()].slot.as_ref();
            worn.retain(|(other, there)| *other != who || slot(piece).is_none() || slot(*there) != slot(piece));
            worn.push((who, piece));
        }
    }

    /// Pieces with a chance are put on when the fight begins.
    pub(in crate::fight) fn wear_by_chance(&mut self, who: CombatantId) -> FightResult<()> {
        let program = self.program;
        let character = self.setup.combatants[who.index()].character;
        for chancy in &program.characters[character.index()].chancy {
            let frame = self.frame(who, who);
            let (chance, site) = chancy.chance;
            let chance = self.number(chance, &frame)?;
            if self.chance.chance(frame.stream(site), chance) {
                self.wear(who, chancy.piece)?;
            }
        }
        Ok(())
    }

    /// Ends what depends on a removed piece and starts what depends on a new one at once, sets included.
    fn change_gear(&mut self, who: CombatantId, piece: GearId, comes: bool) -> FightResult<()> {
        let (mut before, mut after) =
            (std::mem::take(&mut self.scratch.gear_before), std::mem::take(&mut self.scratch.gear_after));
        self.statuses_of_gear(who, &mut before);
        self.change_worn(who, piece, comes);
        self.statuses_of_gear(who, &mut after);
        for worn in without(&before, &after).into_iter().filter(|worn| worn.duration.is_none()) {
            self.drop_worn(who, worn.status)?;
        }
        for worn in without(&after, &before) {
            self.apply_worn(who, worn)?;
        }
        (self.scratch.gear_before, self.scratch.gear_after) = (before, after);
        Ok(())
    }

    pub(in crate::fight) fn statuses_of_gear(&mut self, who: CombatantId, into: &mut Vec<WornStatus>) {
        let pieces = &mut self.scratch.pieces;
        pieces.clear();
        pieces.extend(self.state.worn.iter().filter(|(other, _)| *other == who).map(|(_, piece)| *piece));
        self.program.statuses_of_gear(pieces, into);
    }

    /// A status that a combatant has through its gear.
    pub(in crate::fight) fn apply_worn(&mut self, who: CombatantId, worn: WornStatus) -> FightResult<()> {
        let duration = match worn.duration {
            Some(duration) => self.positive(duration, &self.frame(who, who))?,
            None => f64::INFINITY,
        };
        let by = EffectContext::of_status(who, worn.status, who, who);
        self.apply(&by, who, worn.status, Dose { stacks: worn.stacks, duration: Some(duration) })?;
        Ok(())
    }

    pub(in crate::fight) fn drop_worn(&mut self, who: CombatantId, status: StatusId) -> FightResult<()> {
        if self.plan_of(who).statuses.contains(&status) {
            return Ok(());
        }
        let statuses = &self.state.statuses;
        let of_gear = |index: &u32| {
            let record = statuses.get(*index);
            !record.is_held() && record.ends >= Time::NEVER
        };
        let found = statuses.of_kind(who, status).find(of_gear);
        found.map_or(Ok(()), |index| self.lose(index, LostReason::ConditionEnded))
    }

    /// Gives a combatant an ability, replacing the one in the same slot. A combatant that cannot learn it does not get
    /// it, which is reported.
    pub(super) fn give(&mut self, by: &EffectContext, who: CombatantId, ability: AbilityId) {
        let Some(index) = self.state.ability_index(self.setup, who, ability) else {
            emit!(self, Unavailable { who, ability, reason: UnavailableReason::NotKnown });
            return;
        };
        for other in self.in_slot(who, index) {
            self.state.abilities[other].own = other == index;
        }
        self.settle_slot(by, who, index);
    }

    /// Takes an ability from a combatant, unless a status grants it. A cast under way continues.
    pub(super) fn take_back(&mut self, by: &EffectContext, who: CombatantId, ability: AbilityId) {
        if let Some(index) = self.state.ability_index(self.setup, who, ability) {
            self.state.abilities[index].own = false;
            self.settle_slot(by, who, index);
        }
    }

    /// A status that grants abilities has been gained or lost.
    pub(in crate::fight) fn grant_abilities_of(&mut self, who: CombatantId, status: StatusId) {
        let program = self.program;
        let by = EffectContext::of_status(who, status, who, who);
        for ability in &program.status(status).abilities {
            if let Some(index) = self.state.ability_index(self.setup, who, *ability) {
                self.settle_slot(&by, who, index);
            }
        }
    }

    /// The abilities of a combatant in the same slot as one of them; only that one if it has no slot.
    fn in_slot(&self, who: CombatantId, index: usize) -> Vec<usize> {
        let policy = &self.setup.policies[who.index()];
        let slot = |index: usize| self.program.ability(self.setup.abilities[index].ability).slot.as_ref();
        if slot(index).is_none() {
            return vec![index];
        }
        let own = policy.first as usize..(policy.first + policy.count) as usize;
        own.filter(|other| slot(*other) == slot(index)).collect()
    }

    /// In each slot, a combatant has the ability that was granted last, otherwise its own.
    fn settle_slot(&mut self, by: &EffectContext, who: CombatantId, index: usize) {
        let slot = self.in_slot(who, index);
        // Statuses are in order of application: the last one that grants an ability of the slot decides.
        let mut brought = None;
        for held in self.state.statuses.of(who) {
            for ability in &self.program.status(self.state.statuses.get(held).status).abilities {
                let brings = |index: &&usize| self.setup.abilities[**index].ability == *ability;
                brought = slot.iter().find(brings).or(brought);
            }
        }
        let has = brought.or(slot.iter().find(|index| self.state.abilities[**index].own)).copied();
        for other in slot.iter().filter(|other| Some(**other) != has) {
            if self.state.abilities[*other].known {
                self.hand_over(by, who, *other, false);
            }
        }
        if let Some(index) = has.filter(|index| !self.state.abilities[*index].known) {
            self.hand_over(by, who, index, true);
        }
    }

    /// The same after an edit of the rules.
    pub(in crate::fight) fn settle_by_rules(&mut self, who: CombatantId, index: usize) {
        let by = EffectContext::of_ability(who, self.setup.abilities[index].ability);
        self.settle_slot(&by, who, index);
    }

    fn hand_over(&mut self, by: &EffectContext, who: CombatantId, index: usize, known: bool) {
        self.state.abilities[index].known = known;
        let table = &self.setup.abilities[index];
        let (ability, lines) = (table.ability, table.lines);
        let EffectContext { caster, source, .. } = *by;
        if known {
            emit!(self, Given { caster, target: who, source, ability });
        } else {
            emit!(self, Taken { caster, target: who, source, ability });
        }
        self.reopen(who, if self.has_controller(who) { u64::MAX } else { lines });
        if self.setup.is_placed {
            // The goal of its path may change.
            self.plan_way(who);
        }
    }

    /// The side of the caster has won. This is settled with the defeats of the moment, so the order of evaluation gives
    /// no advantage.
    pub(super) fn decide_for(&mut self, by: &EffectContext) {
        let side = self.side_of(by.caster);
        self.state.decided = Some(match self.state.decided {
            Some(other) if other != Some(side) => None,
            _ => Some(side),
        });
    }
}

/// The elements of one list that are not in another, counting duplicates.
fn without(list: &[WornStatus], other: &[WornStatus]) -> Vec<WornStatus> {
    let mut left = other.to_vec();
    let mut rest = Vec::new();
    for status in list {
        match left.iter().position(|one| one == status) {
            Some(at) => {
                left.swap_remove(at);
            }
            None => rest.push(*status),
        }
    }
    rest
}
