//! Experience and levels during a fight.

use super::super::engine::{Engine, FightResult, emit};
use crate::program::{CombatantId, Layout};

impl Engine<'_> {
    /// Gives experience to a combatant, and raises its level if levels rise during fights.
    pub(in crate::fight) fn learn(&mut self, who: CombatantId, from: CombatantId, amount: f64) -> FightResult<()> {
        if amount == 0.0 {
            return Ok(());
        }
        let cold = self.state.cold_mut(who);
        cold.experience += amount;
        cold.toward += amount;
        let (total, toward) = (cold.experience, cold.toward);
        emit!(self, Learned { who, from, amount, total });
        if !self.program.levels.in_fight {
            return Ok(());
        }
        let before = self.state.numbers.at(self.program.place(who, Layout::LEVEL));
        let risen = self.program.level_after(&mut self.state.numbers, who, before, toward);
        let (level, toward) = risen.map_err(|fault| self.fault(fault))?;
        self.state.cold_mut(who).toward = toward;
        if level > before { self.rise(who, level) } else { Ok(()) }
    }

    /// Sets the level of a combatant, with the points of that level.
    pub(in crate::fight) fn rise(&mut self, who: CombatantId, level: f64) -> FightResult<()> {
        self.set_base(who, Layout::LEVEL, level)?;
        emit!(self, LevelGained { who, level });
        let spends = &self.plan_of(who).spends;
        if spends.is_empty() || !self.state.stands(who) {
            return Ok(());
        }
        self.spend_points(who, spends)
    }
}
