//! The compiled steps of hits and heals.
//!
//! An operand of a step is a constant, a number in memory, or a formula. Most are one of the first two, because parts
//! that read only one combatant's attributes are computed when those change (see [`super::hoist`]). There is one
//! interpreter for steps; the trace uses the same one.

use super::Program;
use super::code::{CONSTANTS, Operand, Shape};
use super::ids::{DamageTypeId, FormulaId, PoolId, SiteId, StepId};
use super::layout::Layout;
use super::ops::BinaryOp;
use super::steps::StepPlan;
use super::tree::{Read, Role};

/// A hit or a heal: an amount that passes through steps into a pool.
#[derive(Clone, Debug)]
pub struct StepsEffect {
    /// The amount that enters the first step.
    pub amount: FormulaId,
    /// The spread of the amount, and its random stream.
    pub spread: Option<(FormulaId, SiteId)>,
    /// The damage type; the first for a heal.
    pub damage_type: DamageTypeId,
    /// The steps that apply to it. Types, tags and skips are already resolved.
    pub steps: Vec<StepCode>,
    /// The pool that it changes.
    pub pool: PoolId,
    /// A formula of a step reads the initial amount or a mark of the hit.
    pub(crate) reads_hit: bool,
}

/// What a step does.
#[derive(Clone, Copy, Debug)]
pub struct StepCode {
    /// The step.
    pub id: StepId,
    /// A condition; the step is skipped if it is false.
    pub when: Option<FormulaId>,
    /// The new amount.
    pub amount: Option<FormulaId>,
    /// This pool soaks as much as it holds.
    pub soak: Option<PoolId>,
    /// The mark that it sets.
    pub mark: Option<u16>,
    /// The hit ends here.
    pub stops: bool,
    /// Skipped without a report unless this combatant has this status.
    pub(crate) owned: Option<(Role, u16)>,
    pub(crate) gate: StepGate,
    pub(crate) change: StepChange,
}

/// When a step applies.
#[derive(Clone, Copy, Debug)]
pub(crate) enum StepGate {
    /// Always.
    Open,
    /// With the chance given by an operand.
    Roll(SiteId, Operand),
    /// With the chance `a - b`.
    RollDifference(SiteId, Operand, Operand),
    /// If a formula is true.
    Formula(FormulaId),
}

/// How a step changes the amount.
#[derive(Clone, Copy, Debug)]
pub(crate) enum StepChange {
    /// Not at all.
    Keep,
    /// `amount * a`
    Scale(Operand),
    /// `amount * a / b`
    Ratio(Operand, Operand),
    /// By a formula.
    Formula,
}

/// An operand that is not a local, with the damage type resolved.
fn settled(operand: Operand, damage_type: DamageTypeId) -> Option<Operand> {
    match operand.region {
        CONSTANTS..=3 => Some(operand),
        4 | 5 => Some(Operand { region: operand.region - 2, at: operand.at + damage_type.0 }),
        _ => None,
    }
}

impl Program {
    /// The steps of an effect, as far as they are known before the fight.
    pub(crate) fn steps_effect(
        &self,
        amount: FormulaId,
        spread: Option<(FormulaId, SiteId)>,
        damage_type: DamageTypeId,
        through: &[(StepId, &StepPlan)],
        pool: PoolId,
    ) -> StepsEffect {
        let code = |(id, step): &(StepId, &StepPlan)| StepCode {
            id: *id,
            when: step.when,
            amount: step.amount,
            soak: step.soak,
            mark: step.mark,
            stops: step.stop.is_some(),
            owned: step.owned.and_then(|(role, status)| Some((role, self.stack_slots[status.index()]?.0))),
            gate: step.when.map_or(StepGate::Open, |when| self.gate(when, damage_type)),
            change: step.amount.map_or(StepChange::Keep, |amount| self.change(amount, damage_type)),
        };
        let steps: Vec<StepCode> = through.iter().map(code).collect();
        let mut reads_hit = false;
        for formula in steps.iter().flat_map(|step| [step.when, step.amount]).flatten() {
            self.formula(formula).each_read(|read| {
                reads_hit |= matches!(read, Read::Local(Layout::INITIAL | Layout::MARKS..));
            });
        }
        StepsEffect { amount, spread, damage_type, steps, pool, reads_hit }
    }

    fn gate(&self, when: FormulaId, damage_type: DamageTypeId) -> StepGate {
        let known = match self.shapes[when.index()] {
            Shape::Roll(site, None, a) => settled(a, damage_type).map(|a| StepGate::Roll(site, a)),
            Shape::Roll(site, Some((BinaryOp::Subtract, b)), a) => {
                settled(a, damage_type).zip(settled(b, damage_type)).map(|(a, b)| StepGate::RollDifference(site, a, b))
            }
            _ => None,
        };
        known.unwrap_or(StepGate::Formula(when))
    }

    fn change(&self, amount: FormulaId, damage_type: DamageTypeId) -> StepChange {
        let is_amount = |operand: Operand| operand.region == 0 && operand.at == Layout::AMOUNT;
        let known = match self.shapes[amount.index()] {
            Shape::Two(BinaryOp::Multiply, first, a) if is_amount(first) => {
                settled(a, damage_type).map(StepChange::Scale)
            }
            Shape::Three(BinaryOp::Multiply, BinaryOp::Divide, [first, a, b]) if is_amount(first) => {
                settled(a, damage_type).zip(settled(b, damage_type)).map(|(a, b)| StepChange::Ratio(a, b))
            }
            _ => None,
        };
        known.unwrap_or(StepChange::Formula)
    }
}
