//! The numbers of one combatant: attributes computed, pools filled.

use super::Program;
use super::attributes::AttributePlan;
use super::characters::CharacterPlan;
use super::eval::{Draws, Frame, Memory, NoChance};
use super::fault::Fault;
use super::ids::{CombatantId, FormulaId, PoolId, Slot};
use super::layout::{Layout, pool_slot};
use super::ops::BinaryOp;
use super::steps::{FlowPlan, StartPlan};

type Computed<T> = Result<T, Box<Fault>>;

/// A base that has been changed while the fight runs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BaseChange {
    /// Whose.
    pub combatant: CombatantId,
    /// Which attribute.
    pub slot: Slot,
    /// The new base.
    pub base: f64,
}

/// What a pool gains or loses over time.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Flow {
    pub(crate) rate: f64,
    pub(crate) every: f64,
}

impl Program {
    /// The numbers with which a character enters a fight.
    pub(crate) fn entry_block(&self, plan: &CharacterPlan) -> Computed<Vec<f64>> {
        let mut numbers = vec![0.0; self.layout.blocks as usize + usize::from(self.layout.stride)];
        numbers[usize::from(self.layout.locals)..self.layout.blocks as usize].copy_from_slice(&self.constants);
        let mut memory = Memory::new(numbers);
        let me = CombatantId(0);
        memory.set(self.place(me, Layout::LEVEL), plan.level);
        self.compute_attributes(plan, &mut memory, me, &[])?;
        for (index, has) in plan.pools.iter().enumerate() {
            if *has {
                self.fill_pool(PoolId(index as u16), &mut memory, me)?;
            }
        }
        Ok(memory.numbers()[self.layout.blocks as usize..].to_vec())
    }

    /// Index of a combatant's number.
    #[inline]
    pub(crate) fn place(&self, combatant: CombatantId, slot: Slot) -> usize {
        self.layout.blocks as usize + combatant.index() * usize::from(self.layout.stride) + slot.index()
    }

    /// A formula over a combatant's own attributes.
    pub(crate) fn own_number(&self, formula: FormulaId, memory: &mut Memory, of: CombatantId) -> Computed<f64> {
        let frame = Frame::new(self, of, of, 0, 0.0);
        self.number(formula, memory, &frame, &mut NoChance, &mut Draws::default())
    }

    fn own_positive(&self, formula: FormulaId, memory: &mut Memory, of: CombatantId) -> Computed<f64> {
        let value = self.own_number(formula, memory, of)?;
        if value >= 0.0 {
            return Ok(value);
        }
        let frame = Frame::new(self, of, of, 0, 0.0);
        Err(Box::new(self.negative_fault(formula, value, memory, &frame, &Draws::default())))
    }

    /// The fault of a value below zero, with what it was computed from.
    pub(crate) fn negative_fault(
        &self,
        formula: FormulaId,
        value: f64,
        memory: &Memory,
        frame: &Frame,
        draws: &Draws,
    ) -> Fault {
        let leaves = self.formula(formula).tree.read(self, memory, frame, draws.all()).map(|reading| reading.leaves);
        Fault::negative(self, formula, value, &leaves.unwrap_or_default())
    }

    /// Computes all attributes of a combatant, then the hidden ones.
    pub(crate) fn compute_attributes(
        &self,
        plan: &CharacterPlan,
        memory: &mut Memory,
        of: CombatantId,
        changes: &[BaseChange],
    ) -> Computed<()> {
        for attribute in &plan.attributes {
            let changed = changes.iter().rev().find(|change| change.is_of(of, attribute.slot));
            let value = self.attribute(attribute, changed.map(|change| change.base), memory, of)?;
            memory.set(self.place(of, attribute.slot), value);
        }
        self.compute_hidden(memory, of);
        Ok(())
    }

    fn attribute(
        &self,
        plan: &AttributePlan,
        base: Option<f64>,
        memory: &mut Memory,
        of: CombatantId,
    ) -> Computed<f64> {
        let frame = Frame::new(self, of, of, plan.damage_type, 0.0);
        let mut number = |formula| self.number(formula, memory, &frame, &mut NoChance, &mut Draws::default());
        let mut value = base.map_or_else(|| number(plan.base), Ok)?;
        if let Some(min) = plan.min {
            value = BinaryOp::Max.apply(value, number(min)?);
        }
        if let Some(max) = plan.max {
            value = BinaryOp::Min.apply(value, number(max)?);
        }
        Ok(value)
    }

    fn compute_hidden(&self, memory: &mut Memory, of: CombatantId) {
        let mut draws = Draws::default();
        for hidden in &self.hidden {
            for damage_type in 0..if hidden.typed { self.layout.types } else { 1 } {
                let frame = Frame::new(self, of, of, damage_type, 0.0);
                let value = self.evaluate_shape(hidden.shape, memory, &frame, &mut NoChance, &mut draws);
                memory.set(self.place(of, hidden.slot.plus(damage_type)), value);
            }
        }
    }

    fn fill_pool(&self, pool: PoolId, memory: &mut Memory, of: CombatantId) -> Computed<()> {
        let cap = self.pool_cap(pool, memory, of)?;
        let start = match self.pools[pool.index()].start {
            StartPlan::Full => cap,
            StartPlan::Empty => 0.0,
            StartPlan::Amount(formula) => self.own_positive(formula, memory, of)?.min(cap),
        };
        let flow = self.pool_flow(pool, memory, of)?;
        let first = self.place(of, self.layout.pool(pool));
        for (slot, value) in [
            (pool_slot::AMOUNT, start),
            (pool_slot::CAP, cap),
            (pool_slot::RATE, flow.rate),
            (pool_slot::SINCE, 0.0),
            (pool_slot::EVERY, flow.every),
        ] {
            memory.set(first + usize::from(slot), value);
        }
        Ok(())
    }

    pub(crate) fn pool_cap(&self, pool: PoolId, memory: &mut Memory, of: CombatantId) -> Computed<f64> {
        self.pools[pool.index()].cap.map_or(Ok(0.0), |cap| self.own_positive(cap, memory, of))
    }

    pub(crate) fn pool_flow(&self, pool: PoolId, memory: &mut Memory, of: CombatantId) -> Computed<Flow> {
        let plan = &self.pools[pool.index()];
        let regen = self.flow(plan.regen, memory, of)?;
        let decay = self.flow(plan.decay, memory, of)?;
        Ok(Flow { rate: regen.rate - decay.rate, every: regen.every.max(decay.every) })
    }

    fn flow(&self, plan: Option<FlowPlan>, memory: &mut Memory, of: CombatantId) -> Computed<Flow> {
        let Some(plan) = plan else { return Ok(Flow::default()) };
        let rate = self.own_positive(plan.amount, memory, of)?;
        let every = match plan.every {
            Some(every) => (self.own_positive(every, memory, of)? * 1e6).round().max(1.0),
            None => 0.0,
        };
        Ok(Flow { rate, every })
    }
}
