//! Slots for combatants that are spawned and despawned: adding slots, and resetting a slot to its initial state.

use super::{
    AbilityState, Charges, Cold, Combatant, Doing, EffectContext, LineState, State, Walk, lines_of, reaches_of,
};
use crate::program::{BaseChange, CombatantId, Layout, Setup, Slot, Time};

impl State {
    /// Extends the state for a fight with more combatants, none of which is present yet.
    pub(in crate::fight) fn grow(&mut self, old: &Setup, new: &Setup) {
        let before = old.combatants.len();
        let mut edge_times = Vec::with_capacity(self.edge_times.len() / before.max(1) * new.combatants.len());
        for row in self.edge_times.chunks(before.max(1)) {
            edge_times.extend_from_slice(row);
            edge_times.resize(edge_times.len() + new.combatants.len() - before, Time::NEVER);
        }
        self.edge_times = edge_times;
        self.numbers.grow(&new.memory);
        self.timers.grow(new, before);
        for who in new.ids().skip(before) {
            self.combatants.push(Combatant { rank: u32::from(who.0), ..Combatant::new(new, who) });
            self.order.push(who);
            self.put_on_pieces(new, who);
        }
        for (who, combatant) in new.ids().zip(&mut self.combatants) {
            combatant.listen_to_pools(new, who);
        }
        self.abilities.extend((self.abilities.len()..new.abilities.len()).map(|index| AbilityState::new(new, index)));
        self.derived.extend(new.varied.iter().skip(self.derived.len()).map(|index| new.derived[*index as usize]));
        self.charges.extend(Charges::all(new).skip(self.charges.len()));
        self.lines.resize(lines_of(new), LineState::NEW);
        self.reaches.resize(reaches_of(new), 0.0);
        if !self.cold.is_empty() {
            self.cold.resize(new.combatants.len(), Cold::NONE);
        }
        self.statuses.make_room(new.combatants.len());
        self.diminished.resize(new.combatants.len() * new.program.diminish.len(), (0, Time::ZERO));
        let mut aimed = vec![CombatantId(0); new.aim_room.last().map_or(0, |last| *last as usize)];
        for (to, from) in new.aim_room.iter().zip(old.aim_room.windows(2)) {
            let (to, from) = (*to as usize, from[0] as usize..from[1] as usize);
            aimed[to..to + from.len()].copy_from_slice(&self.aimed[from]);
        }
        self.aimed = aimed;
        if new.is_placed {
            self.walks.resize(new.combatants.len(), Walk::NOWHERE);
        }
        self.rosters.refresh(new, &self.combatants);
        self.count_heads(new);
    }

    /// The numbers of standing allies and enemies of each combatant.
    pub(in crate::fight) fn count_heads(&mut self, setup: &Setup) {
        for me in setup.ids() {
            let (mut allies, mut enemies) = (0.0, 0.0);
            for other in setup.ids().filter(|other| self.stands(*other)) {
                if self.who(other).side == self.who(me).side {
                    allies += 1.0;
                } else if setup.can_be_defeated(other) {
                    enemies += 1.0;
                }
            }
            self.numbers.set(setup.program.place(me, Layout::ALLIES), allies);
            self.numbers.set(setup.program.place(me, Layout::ENEMIES), enemies);
        }
    }

    /// Whether a loaded state fits a fight with this initial state: all lists have the required lengths.
    pub(in crate::fight) fn fits(&self, first: &Self) -> bool {
        let lengths = |state: &Self| {
            let lists = [state.combatants.len(), state.abilities.len(), state.lines.len(), state.order.len()];
            let others =
                [state.charges.len(), state.diminished.len(), state.aimed.len(), state.walks.len(), state.script.len()];
            (
                lists,
                others,
                [state.reaches.len(), state.derived.len()],
                state.numbers.numbers().len(),
                state.statuses.combatants(),
            )
        };
        let cold = self.cold.len();
        let times = if first.walks.is_empty() { 0 } else { self.zones.len() * self.combatants.len() };
        lengths(self) == lengths(first)
            && (cold == 0 || cold == self.combatants.len())
            && self.edge_times.len() == times
    }

    /// Records a value set by the game: the base of an attribute or, before the fight begins, the initial amount of a
    /// pool.
    pub(in crate::fight) fn set_by_game(&mut self, who: CombatantId, slot: Slot, base: f64) {
        self.base_changes.retain(|change| !change.is_of(who, slot));
        self.base_changes.push(BaseChange { combatant: who, slot, base });
    }

    /// Resets a slot for the next occupant.
    pub(in crate::fight) fn reset_slot(&mut self, setup: &Setup, who: CombatantId) {
        let (program, policy) = (&setup.program, &setup.policies[who.index()]);
        let block = program.place(who, Slot(0));
        self.numbers.begin_block(block, usize::from(program.layout.stride), &setup.memory);
        self.numbers.threat.forget(who.index());
        self.base_changes.retain(|change| change.combatant != who);
        let Combatant { rank, .. } = *self.who(who);
        *self.who_mut(who) = Combatant { rank, absent: true, stands: false, ..Combatant::new(setup, who) };
        let cold = self.cold_mut(who);
        *cold = Cold { generation: cold.generation + 1, ..Cold::NONE };
        self.who_mut(who).listen_to_pools(setup, who);
        for index in policy.first as usize..(policy.first + policy.count) as usize {
            self.abilities[index] = AbilityState::new(setup, index);
            if let Some(place) = setup.abilities[index].varies {
                self.derived[place as usize] = setup.derived[index];
            }
            let most = program.ability(setup.abilities[index].ability).charges;
            if let (Some(charges), Some(most)) = (self.charges_mut(setup, index), most) {
                *charges = Charges::full(most);
            }
        }
        let first = policy.first_line as usize;
        self.lines[first..first + policy.lines.len()].fill(LineState::NEW);
        if let Some(reaches) = self.reaches.get_mut(first..first + policy.lines.len()) {
            reaches.fill(0.0);
        }
        let groups = program.diminish.len();
        self.diminished[who.index() * groups..(who.index() + 1) * groups].fill((0, Time::ZERO));
        if let Some(walk) = self.walks.get_mut(who.index()) {
            *walk = Walk::NOWHERE;
        }
        self.worn.retain(|(other, _)| *other != who);
        self.put_on_pieces(setup, who);
    }

    /// Whether anything still refers to a combatant: a status that it applied, an ability in flight, a zone, or a
    /// target list.
    pub(in crate::fight) fn is_meant(&self, setup: &Setup, who: CombatantId) -> bool {
        let aims = |one: CombatantId| {
            matches!(self.who(one).doing, Doing::Casting(_))
                && (0..self.aimed_count(one)).any(|number| self.aimed_at(setup, one, number) == who)
        };
        let of = |by: &EffectContext| by.caster == who || by.owner == who || by.applier == who || by.other == Some(who);
        self.statuses.is_of(who)
            || self.zones.iter().any(|zone| of(&zone.by) || zone.carrier == Some(who))
            || self.flights.iter().any(|flight| flight.caster == who || flight.target == who)
            || setup.ids().any(aims)
    }

    pub(super) fn put_on_pieces(&mut self, setup: &Setup, who: CombatantId) {
        let character = setup.combatants[who.index()].character;
        let pieces = &setup.program.characters[character.index()].pieces;
        self.worn.extend(pieces.iter().map(|piece| (who, *piece)));
    }
}
