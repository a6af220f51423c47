//! What changes hands in a fight: gear that is put on and taken off, abilities that are given and taken; and
//! sides that win by something else than the defeat of all others.

use super::super::engine::{Engine, Outcome, emit};
use super::super::events::UnavailableReason;
use super::super::state::EffectContext;
use super::super::statuses::apply::Dose;
use crate::program::{AbilityId, Chance, CombatantId, GearId, LostReason, StatusId, Time};

impl<C: Chance> Engine<'_, C> {
    /// Puts a piece on, in place of what is worn in its slot.
    pub(super) fn wear(&mut self, who: CombatantId, piece: GearId) -> Outcome<()> {
        if self.state.worn.contains(&(who, piece)) {
            return Ok(());
        }
        let program = self.program;
        let slot = |piece: GearId| program.gear[piece.index()].slot.as_ref();
        self.change_gear(who, |worn| {
            worn.retain(|(other, there)| *other != who || slot(piece).is_none() || slot(*there) != slot(piece));
            worn.push((who, piece));
        })
    }

    /// Takes a piece off; nothing happens if it is not worn.
    pub(super) fn take_off(&mut self, who: CombatantId, piece: GearId) -> Outcome<()> {
        self.change_gear(who, |worn| worn.retain(|one| *one != (who, piece)))
    }

    /// Pieces that are worn with some chance are put on as the fight begins.
    pub(in crate::fight) fn wear_by_chance(&mut self, who: CombatantId) -> Outcome<()> {
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

    /// What depends on a piece that goes is gone at once, what depends on one that comes is there at once; sets
    /// included.
    fn change_gear(&mut self, who: CombatantId, change: impl FnOnce(&mut Vec<(CombatantId, GearId)>)) -> Outcome<()> {
        let (mut before, mut after) =
            (std::mem::take(&mut self.scratch.gear_before), std::mem::take(&mut self.scratch.gear_after));
        self.statuses_of_gear(who, &mut before);
        change(&mut self.state.worn);
        self.statuses_of_gear(who, &mut after);
        for status in without(&before, &after) {
            self.drop_worn(who, status)?;
        }
        for status in without(&after, &before) {
            let by = EffectContext::of_status(who, status, who, who);
            self.apply(&by, who, status, Dose { stacks: 1, duration: Some(f64::INFINITY) })?;
        }
        (self.scratch.gear_before, self.scratch.gear_after) = (before, after);
        Ok(())
    }

    fn statuses_of_gear(&mut self, who: CombatantId, into: &mut Vec<StatusId>) {
        let pieces = &mut self.scratch.pieces;
        pieces.clear();
        pieces.extend(self.state.worn.iter().filter(|(other, _)| *other == who).map(|(_, piece)| *piece));
        self.program.statuses_of_gear(pieces, into);
    }

    fn drop_worn(&mut self, who: CombatantId, status: StatusId) -> Outcome<()> {
        let statuses = &self.state.statuses;
        let of_gear = |index: &u32| {
            let record = statuses.get(*index);
            record.holds == 0 && record.ends >= Time::NEVER
        };
        let found = statuses.of_kind(who, status).find(of_gear);
        found.map_or(Ok(()), |index| self.lose(index, LostReason::ConditionEnded))
    }

    /// Somebody has an ability from now on; what it had in the same slot goes. Who could never have it does not
    /// get it, and that is reported.
    pub(super) fn give(&mut self, by: &EffectContext, who: CombatantId, ability: AbilityId) {
        let Some(index) = self.state.ability_index(self.setup, who, ability) else {
            emit!(self, Unavailable { who, ability, reason: UnavailableReason::NotKnown });
            return;
        };
        if self.state.abilities[index].known {
            return;
        }
        let program = self.program;
        if let Some(slot) = &program.ability(ability).slot {
            let policy = &self.setup.policies[who.index()];
            for other in policy.first as usize..(policy.first + policy.count) as usize {
                let in_slot = program.ability(self.setup.abilities[other].ability).slot.as_ref() == Some(slot);
                if in_slot && self.state.abilities[other].known {
                    self.hand_over(by, who, other, false);
                }
            }
        }
        self.hand_over(by, who, index, true);
    }

    /// Somebody has an ability no more. A cast that is under way goes on.
    pub(super) fn take_back(&mut self, by: &EffectContext, who: CombatantId, ability: AbilityId) {
        let index = self.state.ability_index(self.setup, who, ability);
        if let Some(index) = index.filter(|index| self.state.abilities[*index].known) {
            self.hand_over(by, who, index, false);
        }
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
    }

    /// The side of the one who acts has won. It is settled with the defeats of the moment, so that nobody wins by
    /// being asked first.
    pub(super) fn decide_for(&mut self, by: &EffectContext) {
        let side = self.setup.combatants[by.caster.index()].side;
        self.state.decided = Some(match self.state.decided {
            Some(other) if other != Some(side) => None,
            _ => Some(side),
        });
    }
}

/// What of one list is not in another, one for one.
fn without(list: &[StatusId], other: &[StatusId]) -> Vec<StatusId> {
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
