//! Numbers of abilities that formulas read.

use super::super::engine::Engine;
use super::super::state::Doing;
use super::super::state::timers::{Due, Phase, Timer};
use crate::program::{CombatantId, Time, WatchKind, dirty};

impl Engine<'_> {
    /// Updates the numbers that formulas read after a change of a combatant's abilities.
    #[inline]
    pub(in crate::fight) fn note_abilities(&mut self, who: CombatantId) {
        if !self.program.watches.is_empty() {
            self.note_watches(who);
        }
    }

    #[inline(never)]
    fn note_watches(&mut self, who: CombatantId) {
        let (program, now) = (self.program, self.state.now);
        let mut changed = 0;
        let mut next = Time::NEVER;
        let casts = match self.state.who(who).doing {
            Doing::Casting(index) => Some(self.setup.abilities[index as usize].ability),
            Doing::Idle | Doing::Recovering => None,
        };
        for watch in &program.watches {
            let index = watch.ability.and_then(|ability| self.state.ability_index(self.setup, who, ability));
            let value = match (watch.kind, index) {
                (WatchKind::Casting, _) => {
                    let same = casts.is_some_and(|ability| watch.ability.is_none_or(|only| only == ability));
                    f64::from(u8::from(same))
                }
                (_, None) => continue,
                (WatchKind::Ready, Some(index)) => self.state.abilities[index].ready.seconds(),
                (WatchKind::Uses, Some(index)) => watch.at_first(program) - f64::from(self.state.abilities[index].used),
                (WatchKind::Charges, Some(index)) => {
                    let most = watch.at_first(program) as u32;
                    let charges = self.state.charges_mut(self.setup, index);
                    charges.map_or(0.0, |charges| {
                        if charges.refill(most, now) < most {
                            next = next.min(charges.next);
                        }
                        f64::from(charges.left)
                    })
                }
            };
            let place = program.place(who, watch.slot);
            if self.state.numbers.at(place) != value {
                self.state.numbers.set(place, value);
                changed |= dirty::bit(watch.slot);
            }
        }
        if self.state.timers.has(Timer::Regain) {
            let due = Due::new(next, Phase::Regain, self.state.who(who).rank, who);
            self.state.timers.set(Timer::Regain, due, who);
        }
        if changed != 0 {
            self.slots_changed(who, changed);
        }
    }
}
