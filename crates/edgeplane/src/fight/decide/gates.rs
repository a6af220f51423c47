//! The gates of a line, evaluated in order.

use super::super::engine::{Engine, FightResult};
use super::super::events::UnavailableReason;
use super::super::state::{Doing, Gate, LineState};
use crate::program::{
    AbilityId, AbilityPlan, Area, CombatantId, CompiledLine, FormulaId, POLL, PoolId, QuickCondition, StatusId, Time,
    flow,
};

impl Engine<'_> {
    /// Evaluates a line: its state then holds the first closed gate and the time until which it stays closed.
    #[inline]
    pub(super) fn examine(&mut self, who: CombatantId, line: &CompiledLine, at: usize, bit: u64) -> FightResult<Gate> {
        let index = line.ability_index as usize;
        let table = &self.setup.abilities[index];
        let (ready, known) = (self.state.abilities[index].ready, self.state.abilities[index].known);
        let now = self.state.now;
        let combatant = self.state.who_mut(who);
        combatant.cooling &= !bit;
        combatant.far &= !bit;
        let free = combatant.forbids_act.is_none() && combatant.forbids_tags & table.forbidden_by == 0;
        if ready > now && known && free && table.unlock.is_none() {
            // The most frequent gate. Changes of other gates do not matter until the cooldown ends.
            combatant.cooling |= bit;
            self.state.lines[at] = LineState { until: ready, gate: Gate::Cooldown, only_distance: false };
            if let Some(reach) = self.state.reaches.get_mut(at) {
                *reach = 0.0;
            }
            return Ok(Gate::Cooldown);
        }
        self.until = Time::NEVER;
        self.reach = 0.0;
        self.only_distance = false;
        let gate = self.first_closed(who, line, index)?;
        self.state.lines[at] = LineState { until: self.until, gate, only_distance: self.only_distance };
        if let Some(reach) = self.state.reaches.get_mut(at) {
            *reach = self.reach;
        }
        if gate == Gate::Reach || self.reach > 0.0 {
            self.state.who_mut(who).far |= bit;
        }
        Ok(gate)
    }

    fn first_closed(&mut self, who: CombatantId, line: &CompiledLine, index: usize) -> FightResult<Gate> {
        let gate = self.before_condition(who, index)?;
        if gate != Gate::Open {
            return Ok(gate);
        }
        let watches_closing = self.setup.policies[who.index()].watches_closing;
        // A combatant that only chooses where to walk makes no draws: a line decided by chance may be wanted.
        let only_looks = self.only_looks;
        if let Some(when) = line.when.filter(|_| !(only_looks && line.chance)) {
            if line.aims {
                let plan = self.program.ability(line.ability);
                self.pick_targets(who, plan)?;
                if self.scratch.chosen.is_none() {
                    // A combatant may come into the circle.
                    if matches!(plan.area, Area::Circle { around_caster: true, .. }) {
                        self.gate_of_reach(who, plan)?;
                    }
                    return Ok(Gate::Target);
                }
            }
            if !self.condition_holds(who, line, when)? {
                self.until = self.until.min(self.condition_turns(who, line, when)?);
                return Ok(Gate::Condition);
            }
            if (line.time || line.aims) && watches_closing {
                self.until = self.until.min(self.condition_turns(who, line, when)?);
            }
        }
        let gate = self.after_condition(who, index)?;
        if let Some(when) = line.when.filter(|_| self.only_distance && !watches_closing && (line.time || line.aims))
            && self.ever_walks(who)
        {
            // A combatant stops walking toward a target that it no longer wants.
            self.until = self.until.min(self.condition_turns(who, line, when)?);
        }
        if gate == Gate::Open && watches_closing {
            self.until = self.until.min(self.reach_turns(who, self.program.ability(line.ability))?);
        }
        Ok(gate)
    }

    /// The reason for a closed gate with all details.
    #[inline(never)]
    pub(super) fn reason_of(
        &mut self,
        who: CombatantId,
        line: &CompiledLine,
        gate: Gate,
    ) -> FightResult<UnavailableReason> {
        let index = line.ability_index as usize;
        Ok(match gate {
            Gate::NotKnown | Gate::Forbidden | Gate::Locked | Gate::Cooldown | Gate::Stock => {
                self.reason_before_condition(who, index, gate)?
            }
            Gate::Condition => UnavailableReason::Condition,
            Gate::Target | Gate::Unknown | Gate::Open => UnavailableReason::NoTarget,
            Gate::Reach => {
                let plan = self.program.ability(line.ability);
                match self.pick_first(who, plan)? {
                    (Some(first), reach) => self.too_far(who, first, reach),
                    (None, _) => UnavailableReason::NoTarget,
                }
            }
            Gate::Cost => {
                let plan = self.program.ability(line.ability);
                self.affordable(who, plan)?.unwrap_or(UnavailableReason::NoTarget)
            }
        })
    }

    pub(super) fn reason_before_condition(
        &mut self,
        who: CombatantId,
        index: usize,
        gate: Gate,
    ) -> FightResult<UnavailableReason> {
        let combatant = self.state.who(who);
        Ok(match gate {
            Gate::Forbidden => {
                let tags = self.setup.abilities[index].forbidden_by;
                let by = combatant.forbids_act.or_else(|| self.forbidding(who, tags));
                UnavailableReason::Forbidden { by: by.unwrap_or_default() }
            }
            Gate::Locked => UnavailableReason::Locked,
            Gate::Cooldown => UnavailableReason::OnCooldown { until: self.state.abilities[index].ready },
            Gate::Stock => self.out_of_stock(who, index)?.unwrap_or(UnavailableReason::UsedUp),
            _ => UnavailableReason::NotKnown,
        })
    }

    fn condition_holds(&mut self, who: CombatantId, line: &CompiledLine, when: FormulaId) -> FightResult<bool> {
        if let (false, false, QuickCondition::Share(..) | QuickCondition::Two(..)) =
            (line.aims, self.wants.detail(), line.quick)
        {
            let value = self.state.numbers.condition(line.quick, self.state.now.micros());
            if value.is_finite() {
                return Ok(value != 0.0);
            }
        }
        let target = if line.aims { self.scratch.chosen.unwrap_or(who) } else { who };
        let frame = self.frame(who, target);
        let holds = self.quiet_number(when, &frame)? != 0.0;
        if self.wants.detail() {
            let reported = self.state.abilities[line.ability_index as usize].reported;
            // Shown when it has changed, and before its consequences.
            if holds || reported != Some(Gate::Condition) {
                self.report_formula(when, &frame);
            }
        }
        Ok(holds)
    }

    /// The earliest time at which a condition may change without an event.
    fn condition_turns(&mut self, who: CombatantId, line: &CompiledLine, when: FormulaId) -> FightResult<Time> {
        if line.chance {
            return Ok(self.state.now + POLL);
        }
        let mut turns = Time::NEVER;
        if line.time {
            let target = if line.aims { self.scratch.chosen.unwrap_or(who) } else { who };
            let frame = self.frame(who, target);
            turns = self.program.next_change(when, &mut self.state.numbers, &frame);
        }
        if line.aims { Ok(turns.min(self.pick_turns(who, line)?)) } else { Ok(turns) }
    }

    /// Known, not forbidden, unlocked, off cooldown, in stock.
    pub(super) fn before_condition(&mut self, who: CombatantId, index: usize) -> FightResult<Gate> {
        let table = &self.setup.abilities[index];
        let ability = &self.state.abilities[index];
        if !ability.known {
            return Ok(Gate::NotKnown);
        }
        let ready = ability.ready;
        let combatant = self.state.who(who);
        if combatant.forbids_act.is_some() || combatant.forbids_tags & table.forbidden_by != 0 {
            return Ok(Gate::Forbidden);
        }
        if let Some(unlock) = table.unlock {
            let frame = self.frame(who, who);
            if self.number(unlock, &frame)? == 0.0 {
                if table.unlock_time {
                    self.until = self.program.next_change(unlock, &mut self.state.numbers, &frame);
                }
                return Ok(Gate::Locked);
            }
        }
        if ready > self.state.now {
            self.until = ready;
            return Ok(Gate::Cooldown);
        }
        if table.special
            && let Some(reason) = self.out_of_stock(who, index)?
        {
            self.until = self.until.min(reason.until().unwrap_or(Time::NEVER));
            return Ok(Gate::Stock);
        }
        Ok(Gate::Open)
    }

    /// A target, in reach, and the cost.
    fn after_condition(&mut self, who: CombatantId, index: usize) -> FightResult<Gate> {
        let setup = self.setup;
        let table = &setup.abilities[index];
        let plan = self.program.ability(table.ability);
        if self.candidates(who, plan).is_empty() {
            return Ok(Gate::Target);
        }
        if table.by_place {
            let gate = self.gate_of_reach(who, plan)?;
            if gate != Gate::Open {
                self.only_distance = gate == Gate::Reach && self.gate_of_cost(who, index)? == Gate::Open;
                return Ok(gate);
            }
        }
        self.gate_of_cost(who, index)
    }

    /// Whether an ability can be paid for.
    #[inline]
    fn gate_of_cost(&mut self, who: CombatantId, index: usize) -> FightResult<Gate> {
        let table = &self.setup.abilities[index];
        match table.costs {
            0 => Ok(Gate::Open),
            1 if self.state.derived(self.setup, index).cost.is_finite() => {
                let cost = self.state.derived(self.setup, index).cost;
                if self.can_afford(who, table.cost_pool, cost) {
                    return Ok(Gate::Open);
                }
                let holds = self.when_it_holds(who, table.cost_pool, cost).unwrap_or(Time::NEVER);
                self.until = self.until.min(holds);
                Ok(Gate::Cost)
            }
            _ => match self.affordable(who, self.program.ability(table.ability))? {
                None => Ok(Gate::Open),
                Some(reason) => {
                    self.until = self.until.min(reason.until().unwrap_or(Time::NEVER));
                    Ok(Gate::Cost)
                }
            },
        }
    }

    /// The reason why an ability of a combatant cannot be used now, whatever its policy says, or `None` if it can. With
    /// `pick`, targets are picked first; otherwise they have been picked already.
    pub(in crate::fight) fn unavailable(
        &mut self,
        who: CombatantId,
        index: usize,
        pick: bool,
    ) -> FightResult<Option<UnavailableReason>> {
        let gate = self.before_condition(who, index)?;
        let table = &self.setup.abilities[index];
        if gate != Gate::Open {
            return self.reason_before_condition(who, index, gate).map(Some);
        }
        let plan = self.program.ability(table.ability);
        if pick {
            self.pick_targets(who, plan)?;
        }
        let Some(first) = self.scratch.chosen else { return Ok(Some(UnavailableReason::NoTarget)) };
        if table.reaches {
            let reach = self.reach_of_ability(who, plan)?;
            if !self.within(who, first, reach) {
                return Ok(Some(self.too_far(who, first, reach)));
            }
        }
        self.affordable(who, plan)
    }

    /// The same for a call: a combatant that is busy or out of the fight cannot use anything.
    pub(in crate::fight) fn why_unavailable(
        &mut self,
        who: CombatantId,
        ability: AbilityId,
    ) -> FightResult<Option<UnavailableReason>> {
        match self.callable(who, ability) {
            Err(reason) => Ok(Some(reason)),
            Ok(index) => self.unavailable(who, index, true),
        }
    }

    /// The index of an ability, if its owner is free to use abilities at all.
    pub(in crate::fight) fn callable(&self, who: CombatantId, ability: AbilityId) -> Result<usize, UnavailableReason> {
        let combatant = self.state.who(who);
        if !combatant.stands || self.state.ending.is_some() {
            return Err(UnavailableReason::OutOfTheFight);
        }
        if combatant.doing != Doing::Idle {
            return Err(UnavailableReason::Busy { until: combatant.until });
        }
        self.state.ability_index(self.setup, who, ability).ok_or(UnavailableReason::NotKnown)
    }

    pub(in crate::fight) fn affordable(
        &mut self,
        who: CombatantId,
        ability: &AbilityPlan,
    ) -> FightResult<Option<UnavailableReason>> {
        for (pool, amount) in &ability.cost {
            let cost = self.positive(*amount, &self.frame(who, who))?;
            if !self.can_afford(who, *pool, cost) {
                let (has, until) = (self.amount(who, *pool), self.when_it_holds(who, *pool, cost));
                return Ok(Some(UnavailableReason::CannotAfford { pool: *pool, cost, has, until }));
            }
        }
        Ok(None)
    }

    #[inline]
    fn can_afford(&self, who: CombatantId, pool: PoolId, cost: f64) -> bool {
        let has = self.amount(who, pool);
        has >= cost || cost - has <= self.dust(who, pool)
    }

    /// The status that forbids abilities with one of these tags.
    fn forbidding(&self, who: CombatantId, tags: u64) -> Option<StatusId> {
        let mut held = self.state.statuses.of(who).map(|index| self.state.statuses.get(index).status);
        held.find(|status| self.program.status(*status).forbids_tags & tags != 0)
    }

    /// The first time at which a pool with a flow will hold `wanted`, to the microsecond.
    #[inline(never)]
    fn when_it_holds(&self, who: CombatantId, pool: PoolId, wanted: f64) -> Option<Time> {
        let first = self.program.place(who, self.program.layout.pool(pool));
        let pool_numbers = self.state.numbers.pool_numbers(first)?;
        flow::when_it_holds(pool_numbers, wanted, self.dust(who, pool), self.state.now.micros())
    }
}
