//! What changes hands in a fight: gear that is put on and taken off, abilities that are given and taken; and sides that win by
//! something else than the fall of all others.

use super::engine::{Engine, Outcome};
use super::event::{Ending, Event, Observer, Refusal};
use super::inflict::Dose;
use super::outcomes::By;
use super::state::Doing;
use crate::program::{AbilityId, Chance, CombatantId, Frame, GearId, LostReason, SideId, StatusId};

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Puts a piece on, in place of what is worn in its slot.
    pub(super) fn wear(&mut self, who: CombatantId, piece: GearId) -> Outcome<()> {
        if self.state.worn[who.index()].contains(&piece) {
            return Ok(());
        }
        let program = self.program;
        let slot = |piece: GearId| program.gear[piece.index()].slot.as_ref();
        self.change_gear(who, |worn| {
            worn.retain(|other| slot(piece).is_none() || slot(*other) != slot(piece));
            worn.push(piece);
        })
    }

    /// Takes a piece off; nothing happens if it is not worn.
    pub(super) fn take_off(&mut self, who: CombatantId, piece: GearId) -> Outcome<()> {
        self.change_gear(who, |worn| worn.retain(|other| *other != piece))
    }

    /// Pieces that are worn with some chance are put on as the fight begins.
    pub(super) fn wear_by_chance(&mut self, who: CombatantId) -> Outcome<()> {
        let program = self.program;
        let character = self.setup.combatants[who.index()].character;
        for chancy in &program.characters[character.index()].chancy {
            let frame = Frame::new(program, who, who, 0, self.state.now.micros());
            let (chance, site) = chancy.chance;
            let chance = self.number(chance, &frame)?;
            if self.chance.chance(frame.stream(site), chance) {
                self.wear(who, chancy.piece)?;
            }
        }
        Ok(())
    }

    /// What hung on a piece that goes is gone at once, what hangs on one that comes is there at once; sets included.
    fn change_gear(&mut self, who: CombatantId, change: impl FnOnce(&mut Vec<GearId>)) -> Outcome<()> {
        let scratch = &mut self.state.scratch;
        let (mut before, mut after) =
            (std::mem::take(&mut scratch.gear_before), std::mem::take(&mut scratch.gear_after));
        let worn = &mut self.state.worn[who.index()];
        self.program.statuses_of_gear(worn, &mut before);
        change(worn);
        self.program.statuses_of_gear(worn, &mut after);
        for status in without(&before, &after) {
            self.drop_worn(who, status)?;
        }
        for status in without(&after, &before) {
            let by = By::of_status(who, status, who, who);
            self.inflict(&by, who, status, Dose { stacks: 1, duration: Some(f64::INFINITY) })?;
        }
        (self.state.scratch.gear_before, self.state.scratch.gear_after) = (before, after);
        Ok(())
    }

    fn drop_worn(&mut self, who: CombatantId, status: StatusId) -> Outcome<()> {
        let of_gear = |one: &super::held::Instance| {
            one.status == status && one.held == 0 && one.ends >= crate::program::Time::NEVER
        };
        match self.state.statuses[who.index()].iter().position(of_gear) {
            Some(index) => self.lose(who, index, LostReason::NotHolding),
            None => Ok(()),
        }
    }

    /// Somebody has an ability from now on; what it had in the same slot goes. Who could never have it refuses.
    pub(super) fn give(&mut self, by: &By, who: CombatantId, ability: AbilityId) {
        let Some(place) = self.state.ready_index(self.setup, who, ability) else {
            self.refuse(who, ability, Refusal::NotIts);
            return;
        };
        if self.state.in_hand[place].had {
            return;
        }
        let program = self.program;
        if let Some(slot) = &program.ability(ability).slot {
            let first = self.setup.linked[who.index()].first as usize;
            let character = self.setup.combatants[who.index()].character;
            for other in first..first + program.characters[character.index()].abilities.len() {
                let hand = self.state.in_hand[other];
                if hand.had && program.ability(hand.ability).slot.as_ref() == Some(slot) {
                    self.hand_over(by, who, other, false);
                }
            }
        }
        self.hand_over(by, who, place, true);
        let actor = &self.state.actors[who];
        if actor.doing == Doing::Idle && !actor.by_hand && actor.stands {
            self.will_choose(who);
        }
    }

    /// Somebody has an ability no more. A cast that is under way goes on.
    pub(super) fn take_back(&mut self, by: &By, who: CombatantId, ability: AbilityId) {
        let place = self.state.ready_index(self.setup, who, ability);
        if let Some(place) = place.filter(|place| self.state.in_hand[*place].had) {
            self.hand_over(by, who, place, false);
        }
    }

    fn hand_over(&mut self, by: &By, who: CombatantId, place: usize, has: bool) {
        self.state.in_hand[place].had = has;
        let ability = self.state.in_hand[place].ability;
        let By { caster, source, .. } = *by;
        self.tell(if has {
            Event::Given { caster, target: who, source, ability }
        } else {
            Event::Taken { caster, target: who, source, ability }
        });
    }

    /// The side of the one who acts has won. It is settled with the defeats of the moment, so that nobody wins by being
    /// asked first.
    pub(super) fn decide_for(&mut self, by: &By) {
        let side = self.setup.combatants[by.caster.index()].side;
        self.state.decided = Some(match self.state.decided {
            Some(other) if other != Some(side) => None,
            _ => Some(side),
        });
        self.state.attention = true;
    }

    pub(super) fn settle_decision(&mut self, decided: Option<SideId>) {
        self.end(decided.map_or(Ending::Drawn, Ending::Won));
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
