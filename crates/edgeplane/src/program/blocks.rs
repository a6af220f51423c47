//! The numbers of one combatant: computing attributes, filling pools.

use super::Program;
use super::attributes::AttributePlan;
use super::characters::CharacterPlan;
use super::dirty;
use super::eval::{Draws, Frame, NoChance};
use super::fault::Fault;
use super::ids::{CombatantId, FormulaId, PoolId, Slot, StatusId};
use super::layout::{Layout, pool_slot};
use super::memory::Memory;
use super::modifiers::SlotModifier;
use super::ops::BinaryOp;
use super::statuses::ModifierPlan;
use super::steps::{FlowPlan, StartPlan};
use crate::numbers::{Extremes, Whole};
use crate::rules::ModifierKind;

type Computed<T> = Result<T, Box<Fault>>;

/// A value set by the game: the base of an attribute, or the initial amount of a pool.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(crate) struct BaseChange {
    /// The combatant.
    pub combatant: CombatantId,
    /// The attribute, or the first slot of the pool.
    pub slot: Slot,
    /// The new base, or the amount.
    pub base: f64,
}

/// The flow of a pool.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Flow {
    pub(crate) rate: f64,
    pub(crate) every: f64,
}

/// The statuses of one combatant, as far as attributes depend on them.
pub(crate) trait Held {
    /// The oldest instance of a status.
    fn first(&self, status: StatusId) -> Option<u32>;
    /// The next younger instance of the same status.
    fn next(&self, instance: u32) -> Option<u32>;
    /// The order of application.
    fn serial(&self, instance: u32) -> u32;
    /// Stores the numbers of an instance (its stacks, its kept values) where formulas read them.
    fn load(&self, instance: u32, numbers: &mut Memory);
}

/// No statuses.
pub(crate) struct NothingHeld;

impl Held for NothingHeld {
    fn first(&self, _: StatusId) -> Option<u32> {
        None
    }

    fn next(&self, _: u32) -> Option<u32> {
        None
    }

    fn serial(&self, _: u32) -> u32 {
        0
    }

    fn load(&self, _: u32, _: &mut Memory) {}
}

impl ModifierPlan {
    /// Whether it changes this slot.
    pub(crate) fn covers(&self, slot: Slot) -> bool {
        (self.slot.0..self.slot.0 + self.slots).contains(&slot.0)
    }
}

impl Program {
    /// The initial numbers of a character.
    pub(crate) fn entry_block(&self, plan: &CharacterPlan) -> Computed<Vec<f64>> {
        let mut memory = self.memory_of(&vec![0.0; usize::from(self.layout.stride)]);
        let me = CombatantId(0);
        memory.set(self.place(me, Layout::LEVEL), plan.level);
        memory.set(self.place(me, Layout::BODY), plan.body);
        self.compute_attributes(plan, &mut memory, me, &[], &NothingHeld, u64::MAX)?;
        // Values that are zero have not changed, but are read all the same.
        self.compute_hidden(plan, &mut memory, me, u64::MAX);
        for (index, has) in plan.pools.iter().enumerate() {
            if *has {
                self.fill_pool(PoolId(index as u16), &mut memory, me, 0.0)?;
            }
        }
        Ok(memory.numbers()[self.layout.blocks as usize..].to_vec())
    }

    /// The numbers of a single combatant.
    pub(super) fn memory_of(&self, block: &[f64]) -> Memory {
        let mut numbers = vec![0.0; usize::from(self.layout.locals)];
        numbers.extend_from_slice(&self.constants);
        numbers.resize(self.layout.blocks as usize, 0.0);
        numbers.extend_from_slice(block);
        Memory::new(numbers, self.layout.locals)
    }

    /// The index of a combatant's number.
    #[inline]
    pub(crate) fn place(&self, combatant: CombatantId, slot: Slot) -> usize {
        self.layout.blocks as usize + combatant.index() * usize::from(self.layout.stride) + slot.index()
    }

    /// Evaluates a formula over a combatant's own attributes.
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

    /// The fault of a negative value, with the numbers from which it was computed.
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

    /// Computes the attributes of a combatant that depend on the `dirty` ones, then the hidden ones. Returns the
    /// changed ones as bits.
    pub(crate) fn compute_attributes(
        &self,
        plan: &CharacterPlan,
        memory: &mut Memory,
        of: CombatantId,
        changes: &[BaseChange],
        held: &impl Held,
        mut dirty: u64,
    ) -> Computed<u64> {
        let mut all_changed = 0;
        for attribute in &plan.attributes {
            if dirty & attribute.concerned_by == 0
                && (dirty & self.modifiers_read == 0 || dirty & self.modifiers_read(attribute.slot, held) == 0)
            {
                continue;
            }
            let changed = changes.iter().rev().find(|change| change.is_of(of, attribute.slot));
            let value = self.attribute(attribute, changed.map(|change| change.base), memory, of, held)?;
            let place = self.place(of, attribute.slot);
            if memory.at(place).to_bits() != value.to_bits() {
                memory.set(place, value);
                let bit = dirty::bit(attribute.slot);
                all_changed |= bit;
                dirty |= bit;
            }
        }
        // A level is not an attribute, but is read like one.
        self.compute_hidden(plan, memory, of, all_changed | dirty & dirty::bit(Layout::LEVEL));
        Ok(all_changed)
    }

    /// The attributes read by the active modifiers of an attribute.
    fn modifiers_read(&self, slot: Slot, held: &impl Held) -> u64 {
        let there = |one: &&SlotModifier| one.reads != 0 && held.first(one.status).is_some();
        self.modifiers_of(slot).iter().filter(there).fold(0, |reads, one| reads | one.reads)
    }

    fn attribute(
        &self,
        plan: &AttributePlan,
        base: Option<f64>,
        memory: &mut Memory,
        of: CombatantId,
        held: &impl Held,
    ) -> Computed<f64> {
        let frame = Frame::new(self, of, of, plan.damage_type, 0.0);
        let number = |known: Option<f64>, formula, memory: &mut Memory| match known {
            Some(number) => Ok(number),
            None => self.number(formula, memory, &frame, &mut NoChance, &mut Draws::default()),
        };
        let [of_base, least, most] = plan.numbers;
        let mut value = number(base.or(of_base), plan.base, memory)?;
        value = self.modified(plan, value, memory, &frame, held)?;
        if let Some(min) = plan.min {
            value = BinaryOp::Max.apply(value, number(least, min, memory)?);
        }
        if let Some(max) = plan.max {
            value = BinaryOp::Min.apply(value, number(most, max, memory)?);
        }
        Ok(value)
    }

    /// `(base + sum of add) × (1 + sum of percent / 100) × product of times`, or the latest `set`; then `at_least` and
    /// `at_most`.
    ///
    /// Modifiers are added in the order of the names of their statuses, whatever their order of application, so that
    /// the same statuses give the same number to the last bit.
    fn modified(
        &self,
        plan: &AttributePlan,
        base: f64,
        memory: &mut Memory,
        frame: &Frame,
        held: &impl Held,
    ) -> Computed<f64> {
        // The initial values are neutral, so an unmodified attribute stays the same to the last bit.
        let (mut add, mut percent, mut times, mut set) = (-0.0, -0.0, 1.0, None);
        let (mut least, mut most) = (f64::NEG_INFINITY, f64::INFINITY);
        for modifier in self.modifiers_of(plan.slot) {
            let mut next = held.first(modifier.status);
            while let Some(instance) = next {
                next = held.next(instance);
                let amount = match modifier.fixed {
                    Some(amount) => amount,
                    None => {
                        held.load(instance, memory);
                        self.number(modifier.amount, memory, frame, &mut NoChance, &mut Draws::default())?
                    }
                };
                match modifier.kind {
                    ModifierKind::Add => add += amount,
                    ModifierKind::Percent => percent += amount,
                    ModifierKind::Times => times *= amount,
                    ModifierKind::AtLeast => least = least.larger(amount),
                    ModifierKind::AtMost => most = most.smaller(amount),
                    ModifierKind::Set => {
                        let came = held.serial(instance);
                        set = set.filter(|(latest, _)| *latest > came).or(Some((came, amount)));
                    }
                }
            }
        }
        let value = (base + add) * (1.0 + percent / 100.0) * times;
        // NaN stays NaN and is reported by the formula that reads it.
        Ok(BinaryOp::Min.apply(BinaryOp::Max.apply(set.map_or(value, |(_, set)| set), least), most))
    }

    fn compute_hidden(&self, plan: &CharacterPlan, memory: &mut Memory, of: CombatantId, dirty: u64) {
        if dirty & plan.hidden_reads == 0 {
            return;
        }
        let mut draws = Draws::default();
        let hidden = plan.hidden.iter().map(|index| &self.hidden[*index as usize]);
        for hidden in hidden.filter(|hidden| hidden.reads & dirty != 0) {
            for damage_type in 0..if hidden.typed { self.layout.types } else { 1 } {
                let frame = Frame::new(self, of, of, damage_type, 0.0);
                let value = self.evaluate_shape(hidden.shape, memory, &frame, &mut NoChance, &mut draws);
                memory.set(self.place(of, hidden.slot.plus(damage_type)), value);
            }
        }
    }

    /// The initial amount and flow of a pool at a given time.
    pub(crate) fn fill_pool(&self, pool: PoolId, memory: &mut Memory, of: CombatantId, now: f64) -> Computed<()> {
        let cap = self.pool_cap(pool, memory, of)?;
        let start = match self.pools[pool.index()].start {
            StartPlan::Full => cap,
            StartPlan::Empty => 0.0,
            StartPlan::Amount(formula) => self.own_positive(formula, memory, of)?.smaller(cap),
        };
        let flow = self.pool_flow(pool, memory, of)?;
        let first = self.place(of, self.layout.pool(pool));
        for (slot, value) in [
            (pool_slot::AMOUNT, start),
            (pool_slot::CAP, cap),
            (pool_slot::RATE, flow.rate),
            (pool_slot::SINCE, now),
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
        Ok(Flow { rate: regen.rate - decay.rate, every: regen.every.larger(decay.every) })
    }

    fn flow(&self, plan: Option<FlowPlan>, memory: &mut Memory, of: CombatantId) -> Computed<Flow> {
        let Some(plan) = plan else { return Ok(Flow::default()) };
        let rate = self.own_positive(plan.amount, memory, of)?;
        let every = match plan.every {
            Some(every) => (self.own_positive(every, memory, of)? * 1e6).nearest_whole().larger(1.0),
            None => 0.0,
        };
        Ok(Flow { rate, every })
    }
}
