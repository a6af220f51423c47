//! The time for which each ability was unavailable while its owner was free to act, by reason.
//!
//! A combatant is free to act from the time at which it waits to its next use. The reason why an ability is unavailable
//! is reported when it changes, and holds until then.

use serde::{Deserialize, Serialize};

use crate::program::{AbilityId, CombatantId, Setup, Time};

/// Follows the fights of one setup, one after the other.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct FreeTime {
    /// The first ability of each combatant; the last element is their total number.
    first: Vec<u32>,
    ids: Vec<AbilityId>,
    /// The reason why each is unavailable, by number, and how long its owner had been free to act when that reason
    /// began.
    reasons: Vec<Option<u8>>,
    since: Vec<Time>,
    /// How long each combatant had been free to act before it started to wait, and when it started.
    free: Vec<Time>,
    waits: Vec<Option<Time>>,
}

/// A completed time interval.
#[derive(Clone, Copy, Debug)]
pub(super) enum Stretch {
    /// A combatant was free to act.
    Free(CombatantId, Time),
    /// The same while an ability, given by its index among all abilities of all combatants, was unavailable for a
    /// reason.
    Unavailable(CombatantId, usize, AbilityId, u8, Time),
}

impl FreeTime {
    pub(super) fn new(setup: &Setup) -> Self {
        let first = setup.policies.iter().map(|policy| policy.first).chain([setup.abilities.len() as u32]).collect();
        let ids: Vec<AbilityId> = setup.abilities.iter().map(|table| table.ability).collect();
        Self {
            first,
            reasons: vec![None; ids.len()],
            since: vec![Time::ZERO; ids.len()],
            ids,
            free: vec![Time::ZERO; setup.combatants.len()],
            waits: vec![None; setup.combatants.len()],
        }
    }

    /// The total number of abilities of all combatants.
    pub(super) fn rows(&self) -> usize {
        self.ids.len()
    }

    /// The row of an ability of a combatant.
    #[inline]
    pub(super) fn row(&self, who: CombatantId, ability: AbilityId) -> Option<usize> {
        self.own(who).find(|row| self.ids[*row] == ability)
    }

    fn own(&self, who: CombatantId) -> std::ops::Range<usize> {
        self.first[who.index()] as usize..self.first[who.index() + 1] as usize
    }

    /// An ability becomes unavailable for a reason, or available; `add` receives the interval that ends with that.
    #[inline]
    pub(super) fn turn(
        &mut self,
        at: Time,
        who: CombatantId,
        ability: AbilityId,
        reason: Option<u8>,
        add: &mut impl FnMut(Stretch),
    ) {
        let Some(row) = self.row(who, ability) else { return };
        let now = self.free_until(at, who);
        let since = std::mem::replace(&mut self.since[row], now);
        if let Some(reason) = std::mem::replace(&mut self.reasons[row], reason) {
            add(Stretch::Unavailable(who, row, ability, reason, now - since));
        }
    }

    /// A combatant becomes free to act.
    pub(super) fn waits(&mut self, at: Time, who: CombatantId) {
        self.waits[who.index()] = Some(at);
    }

    /// A combatant is no longer free to act.
    #[inline]
    pub(super) fn stops(&mut self, at: Time, who: CombatantId) {
        self.free[who.index()] = self.free_until(at, who);
        self.waits[who.index()] = None;
    }

    /// How long a combatant has been free to act, up to a given time.
    #[inline]
    fn free_until(&self, at: Time, who: CombatantId) -> Time {
        let free = self.free[who.index()];
        self.waits[who.index()].map_or(free, |since| free + (at - since))
    }

    /// A combatant uses an ability.
    pub(super) fn uses(&mut self, at: Time, who: CombatantId, ability: AbilityId, add: &mut impl FnMut(Stretch)) {
        self.turn(at, who, ability, None, add);
        self.stops(at, who);
    }

    /// The fight is over.
    pub(super) fn close(&mut self, at: Time, add: &mut impl FnMut(Stretch)) {
        for who in (0..self.waits.len() as u16).map(CombatantId) {
            self.stops(at, who);
            let free = std::mem::take(&mut self.free[who.index()]);
            add(Stretch::Free(who, free));
            for row in self.own(who) {
                let since = std::mem::take(&mut self.since[row]);
                if let Some(reason) = self.reasons[row].take() {
                    add(Stretch::Unavailable(who, row, self.ids[row], reason, free - since));
                }
            }
        }
    }
}
