//! Reviving defeated combatants.

use super::super::engine::{Engine, FightResult, emit};
use super::super::state::EffectContext;
use crate::numbers::Extremes;
use crate::program::{CombatantId, FormulaId, PoolId, pool_slot};

impl Engine<'_> {
    /// Revives a defeated combatant at its position, with its permanent statuses and those of its gear, the given
    /// amounts in some pools and the remaining amounts in all others. Cooldowns have continued meanwhile. Nothing
    /// happens to a combatant that stands.
    pub(super) fn revive(
        &mut self,
        by: &EffectContext,
        who: CombatantId,
        amounts: &[(PoolId, FormulaId)],
    ) -> FightResult<()> {
        if self.state.stands(who) {
            return Ok(());
        }
        let combatant = self.state.who_mut(who);
        (combatant.stands, combatant.hurt_by) = (true, None);
        self.initialising = true;
        self.hold_own_statuses(who)?;
        let spends = &self.plan_of(who).spends;
        if !spends.is_empty() {
            self.spend_points(who, spends)?;
        }
        self.initialising = false;
        self.stop_or_start_flows(who)?;
        for (pool, amount) in amounts {
            let amount = self.positive(*amount, &self.frame(by.caster, who))?;
            let first = self.program.place(who, self.program.layout.pool(*pool));
            let cap = self.state.numbers.at(first + usize::from(pool_slot::CAP));
            self.put(who, *pool, first, amount.smaller(cap));
        }
        self.update_head_counts(who, 1.0);
        emit!(self, Revived { target: who, caster: by.caster, source: by.source });
        // A combatant revived with an empty pool is defeated again.
        self.state.may_be_defeated(who);
        self.check_all_edges();
        if self.setup.is_placed {
            self.set_place(who, self.place_of(who), [0.0; 2]);
        }
        self.touch_all(who);
        Ok(())
    }
}
