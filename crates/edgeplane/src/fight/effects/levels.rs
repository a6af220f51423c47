//! Experience and levels as they rise during a fight.

use super::super::engine::{Engine, FightResult, emit};
use super::super::state::EffectContext;
use super::super::statuses::apply::Dose;
use crate::program::{CombatantId, Layout};

impl Engine<'_> {
    /// Somebody gains experience. Where levels rise during a fight, it may have risen with that.
    pub(in crate::fight) fn learn(&mut self, who: CombatantId, from: CombatantId, amount: f64) -> FightResult<()> {
        if amount == 0.0 {
            return Ok(());
        }
        let combatant = self.state.who_mut(who);
        combatant.experience += amount;
        combatant.toward += amount;
        let (total, toward) = (combatant.experience, combatant.toward);
        emit!(self, Learned { who, from, amount, total });
        if !self.program.levels.in_fight {
            return Ok(());
        }
        let before = self.state.numbers.at(self.program.place(who, Layout::LEVEL));
        let risen = self.program.level_after(&mut self.state.numbers, who, before, toward);
        let (level, toward) = risen.map_err(|fault| self.fault(fault))?;
        self.state.who_mut(who).toward = toward;
        if level > before { self.rise(who, level) } else { Ok(()) }
    }

    /// Somebody has another level from now on, with the points of that level.
    pub(in crate::fight) fn rise(&mut self, who: CombatantId, level: f64) -> FightResult<()> {
        self.set_base(who, Layout::LEVEL, level)?;
        emit!(self, LevelGained { who, level });
        let spends = &self.plan_of(who).spends;
        if spends.is_empty() || !self.state.stands(who) {
            return Ok(());
        }
        let points = self.program.points_of(&mut self.state.numbers, who).map_err(|fault| self.fault(fault))?;
        for (index, point) in (0..).zip(spends) {
            let among = spends.len() as u32;
            let wanted = points / among + u32::from(index < points % among);
            let held = self.state.statuses.stacks(who, *point);
            if wanted > held {
                let by = EffectContext::of_status(who, *point, who, who);
                self.apply(&by, who, *point, Dose { stacks: wanted - held, duration: Some(f64::INFINITY) })?;
            }
        }
        Ok(())
    }
}
