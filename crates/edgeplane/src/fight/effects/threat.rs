//! Threat, and the targets that taunts enforce.

use super::super::engine::{Engine, FightResult, emit};
use super::super::state::EffectContext;
use crate::program::CombatantId;
use crate::rules::SideRule;

impl Engine<'_> {
    /// Raises the threat of the attacker for the combatant that was hurt.
    pub(super) fn threaten_by_hit(&mut self, by: &EffectContext, target: CombatantId, dealt: f64) -> FightResult<()> {
        let Some(factor) = self.program.threat.and_then(|threat| threat.damage).filter(|_| dealt > 0.0) else {
            return Ok(());
        };
        let factor = self.quiet_number(factor, &self.frame(by.caster, target))?;
        self.raise_threat(target, by.caster, factor * dealt);
        Ok(())
    }

    /// Raises the threat of the healer for all its enemies.
    pub(super) fn threaten_by_heal(&mut self, by: &EffectContext, healed: f64) -> FightResult<()> {
        let Some(factor) = self.program.threat.and_then(|threat| threat.healing).filter(|_| healed > 0.0) else {
            return Ok(());
        };
        for eyes in self.setup.ids() {
            if !self.is_enemy_of(by.caster, eyes) {
                continue;
            }
            let factor = self.quiet_number(factor, &self.frame(by.caster, eyes))?;
            self.raise_threat(eyes, by.caster, factor * healed);
        }
        Ok(())
    }

    /// Changes threat by the amount of an effect.
    pub(super) fn threaten(&mut self, by: &EffectContext, target: CombatantId, amount: f64) {
        let threat = self.raise_threat(target, by.caster, amount);
        emit!(self, Threatened { caster: by.caster, target, source: by.source, amount, threat });
    }

    fn raise_threat(&mut self, eyes: CombatantId, whom: CombatantId, amount: f64) -> f64 {
        let lines = self.setup.policies[eyes.index()].threat;
        if lines != 0 {
            self.touch(eyes, lines);
        }
        self.state.numbers.threat.add(eyes.index(), whom.index(), amount)
    }

    /// The combatant that has to be picked first: the latest taunter that stands and can be targeted.
    #[inline]
    pub(in crate::fight) fn taunter(&self, who: CombatantId, side: SideRule) -> Option<CombatantId> {
        if self.state.who(who).taunted { self.latest_taunter(who, side) } else { None }
    }

    #[inline(never)]
    fn latest_taunter(&self, who: CombatantId, side: SideRule) -> Option<CombatantId> {
        let statuses = &self.state.statuses;
        let held = statuses.latest_of(who).map(|index| statuses.get(index));
        let taunts = held.filter(|record| self.program.status(record.status).taunts).map(|record| record.caster);
        taunts.into_iter().find(|caster| {
            self.can_be_targeted(who, *caster, side) && self.can_be_targeted(who, *caster, SideRule::Enemies)
        })
    }
}
