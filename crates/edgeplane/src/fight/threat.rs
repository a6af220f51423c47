//! Threat, and whom a taunt makes somebody pick.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::outcomes::By;
use crate::program::{Chance, CombatantId, Frame, Slot};
use crate::rules::SideRule;

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Whoever was hurt makes more of the one who did it.
    #[cold]
    #[inline(never)]
    pub(super) fn threaten_by_hit(&mut self, by: &By, target: CombatantId, dealt: f64) -> Outcome<()> {
        let Some(factor) = self.program.threat.and_then(|threat| threat.damage).filter(|_| dealt > 0.0) else {
            return Ok(());
        };
        let frame = Frame::new(self.program, by.caster, target, 0, self.state.now.micros());
        let factor = self.quiet_number(factor, &frame)?;
        self.raise_threat(target, by.caster, factor * dealt);
        Ok(())
    }

    /// All enemies of the one who healed make more of it.
    #[cold]
    #[inline(never)]
    pub(super) fn threaten_by_heal(&mut self, by: &By, healed: f64) -> Outcome<()> {
        let Some(factor) = self.program.threat.and_then(|threat| threat.healing).filter(|_| healed > 0.0) else {
            return Ok(());
        };
        for eyes in self.setup.ids() {
            if self.can_be_targeted(by.caster, eyes, SideRule::Enemies) {
                let frame = Frame::new(self.program, by.caster, eyes, 0, self.state.now.micros());
                let factor = self.quiet_number(factor, &frame)?;
                self.raise_threat(eyes, by.caster, factor * healed);
            }
        }
        Ok(())
    }

    /// An outcome says by how much.
    pub(super) fn threaten(&mut self, by: &By, target: CombatantId, amount: f64) {
        let threat = self.raise_threat(target, by.caster, amount);
        self.tell(Event::Threatened { caster: by.caster, target, source: by.source, amount, threat });
    }

    fn raise_threat(&mut self, eyes: CombatantId, whom: CombatantId, amount: f64) -> f64 {
        let block = |who| self.program.place(who, Slot(0));
        self.state.memory.threat.add(block(eyes), block(whom), amount)
    }

    /// Whom a combatant has to pick first: the last one who taunted it, stands and can be picked at all.
    pub(super) fn taunter(&self, who: CombatantId, side: SideRule) -> Option<CombatantId> {
        if !self.state.actors[who].taunted {
            return None;
        }
        let taunts = self.state.statuses[who.index()].iter().rev().filter(|one| self.program.status(one.status).taunts);
        taunts.map(|one| one.caster).find(|caster| {
            self.can_be_targeted(who, *caster, side) && self.can_be_targeted(who, *caster, SideRule::Enemies)
        })
    }
}
