//! The commonest ways of a hit through its steps, as a short list of operations on numbers that lie
//! in memory as they are.
//!
//! The operations and their order are the same as in the formulas, so the results are the same to
//! the last bit. As soon as a number is out of the ordinary, the engine goes on with the formulas.

use super::Program;
use super::code::{CONSTANTS, Operand, Shape};
use super::ids::{CombatantId, DamageTypeId, FormulaId, PoolId, SiteId};
use super::layout::{Layout, pool_slot};
use super::ops::BinaryOp;
use super::outcomes::StepCode;
use super::tree::Role;

/// One operation of a hit on its way.
#[derive(Clone, Copy, Debug)]
pub(crate) enum HitOp {
    /// What follows, so many operations, happens only if `a` is above zero.
    If(Operand, u16),
    /// What follows, so many operations, happens only with the chance `a`.
    Roll(SiteId, Operand, u16),
    /// The same with the chance `a - b`.
    RollLess(SiteId, Operand, Operand, u16),
    /// Marks are set.
    Mark(u64),
    /// `amount * a`
    Scale(Operand),
    /// `amount * a / b`
    ScaleOver(Operand, Operand),
    /// A pool, and where it begins in the target's block, takes what it can.
    Soak(PoolId, u16),
    /// The way ends.
    Stop,
}

/// An operation, and which of the effect's steps it belongs to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct QuickOp {
    pub(crate) op: HitOp,
    pub(crate) step: u16,
}

/// The way of one effect.
#[derive(Clone, Debug)]
pub(crate) struct QuickHit {
    /// Which of the program's quick hits it is.
    pub(crate) number: u32,
    /// The amount that enters the first step, if it lies in memory.
    pub(crate) amount: Option<Operand>,
    /// How far chance spreads it.
    pub(crate) spread: Option<(Operand, SiteId)>,
    pub(crate) ops: Vec<QuickOp>,
}

impl QuickHit {
    /// Every number that it reads.
    pub(crate) fn operands(&self) -> impl Iterator<Item = Operand> {
        let of_op = |op: &QuickOp| match op.op {
            HitOp::If(a, _) | HitOp::Roll(_, a, _) | HitOp::Scale(a) => [Some(a), None],
            HitOp::RollLess(_, a, b, _) | HitOp::ScaleOver(a, b) => [Some(a), Some(b)],
            HitOp::Mark(_) | HitOp::Soak(..) | HitOp::Stop => [None, None],
        };
        let spread = self.spread.map(|(spread, _)| spread);
        self.amount.into_iter().chain(spread).chain(self.ops.iter().flat_map(of_op).flatten())
    }
}

/// Where the numbers of those involved begin, by the region of an operand.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bases {
    at: [u32; 4],
}

impl Bases {
    #[inline(always)]
    pub(crate) fn new(program: &Program, caster: CombatantId, target: CombatantId) -> Self {
        let block = |who: CombatantId| program.layout.blocks + u32::from(who.0) * u32::from(program.layout.stride);
        Self { at: [0, u32::from(program.layout.locals), block(caster), block(target)] }
    }

    #[inline(always)]
    pub(crate) fn index(&self, operand: Operand) -> usize {
        (self.at[usize::from(operand.region & 3)] + u32::from(operand.at)) as usize
    }

    /// Index of a number of the target.
    #[inline(always)]
    pub(crate) fn of_target(&self, at: u16) -> usize {
        (self.at[3] + u32::from(at)) as usize
    }
}

/// An operand that is no local, with the damage type settled.
fn settled(operand: Operand, damage_type: DamageTypeId) -> Option<Operand> {
    match operand.region {
        CONSTANTS..=3 => Some(operand),
        4 | 5 => Some(Operand { region: operand.region - 2, at: operand.at + damage_type.0 }),
        _ => None,
    }
}

impl Layout {
    /// Whether a number changes with attributes and stacks only, and not as pools do.
    pub(crate) fn lasting(&self, operand: Operand) -> bool {
        let in_pools = operand.region > CONSTANTS && (self.pools..self.statuses).contains(&operand.at);
        !in_pools || (operand.at - self.pools) % pool_slot::WIDTH == pool_slot::CAP
    }

    /// Whether a number of a combatant's block changes only with attributes and stacks: neither as pools do, nor with who
    /// stands where.
    pub(crate) fn is_steady_at(&self, at: u16) -> bool {
        let of_owner = at >= Self::ATTRIBUTES.0 || at == Self::LEVEL.0;
        of_owner && self.lasting(Operand { region: CONSTANTS + 1, at })
    }

    /// The same for an operand; constants are as steady as can be, locals are not.
    pub(crate) fn is_steady(&self, operand: Operand) -> bool {
        operand.region == CONSTANTS || operand.region > CONSTANTS && self.is_steady_at(operand.at)
    }
}

impl Program {
    /// The way through steps as operations, if all of them are of the commonest kinds.
    pub(crate) fn quick_hit(
        &mut self,
        amount: FormulaId,
        spread: Option<(FormulaId, SiteId)>,
        damage_type: DamageTypeId,
        steps: &[StepCode],
    ) -> Option<QuickHit> {
        let value = |formula: FormulaId| match self.shapes[formula.index()] {
            Shape::Value(operand) => settled(operand, damage_type),
            _ => None,
        };
        let spread = match spread {
            Some((spread, site)) => Some((value(spread)?, site)),
            None => None,
        };
        let mut ops = Vec::new();
        for (number, step) in steps.iter().enumerate() {
            let step_ops = self.step_ops(step, damage_type)?;
            let skip = step_ops.len() as u16;
            let condition = match step.when {
                None => None,
                Some(when) => Some(self.quick_chance(when, damage_type, skip)?),
            };
            let gate = step.owned.map(|(role, status)| {
                let region = if role == Role::Caster { 2 } else { 3 };
                let stacks = Operand { region, at: self.layout.stacks(status).0 };
                HitOp::If(stacks, skip + u16::from(condition.is_some()))
            });
            let all = gate.into_iter().chain(condition).chain(step_ops);
            ops.extend(all.map(|op| QuickOp { op, step: number as u16 }));
        }
        let amount = value(amount);
        self.quick_hits += 1;
        Some(QuickHit { number: self.quick_hits - 1, amount, spread, ops })
    }

    fn quick_chance(&self, when: FormulaId, damage_type: DamageTypeId, skip: u16) -> Option<HitOp> {
        match self.shapes[when.index()] {
            Shape::Roll(site, None, a) => Some(HitOp::Roll(site, settled(a, damage_type)?, skip)),
            Shape::Roll(site, Some((BinaryOp::Subtract, b)), a) => {
                Some(HitOp::RollLess(site, settled(a, damage_type)?, settled(b, damage_type)?, skip))
            }
            _ => None,
        }
    }

    fn quick_amount(&self, amount: FormulaId, damage_type: DamageTypeId) -> Option<HitOp> {
        let is_amount = |operand: Operand| operand.region == 0 && operand.at == Layout::AMOUNT;
        match self.shapes[amount.index()] {
            Shape::Two(BinaryOp::Multiply, first, a) if is_amount(first) => {
                Some(HitOp::Scale(settled(a, damage_type)?))
            }
            Shape::Three(BinaryOp::Multiply, BinaryOp::Divide, [first, a, b]) if is_amount(first) => {
                Some(HitOp::ScaleOver(settled(a, damage_type)?, settled(b, damage_type)?))
            }
            _ => None,
        }
    }

    fn step_ops(&self, step: &StepCode, damage_type: DamageTypeId) -> Option<Vec<HitOp>> {
        let mut ops = Vec::new();
        ops.extend(step.mark.map(|mark| HitOp::Mark(1 << mark)));
        if let Some(amount) = step.amount {
            ops.push(self.quick_amount(amount, damage_type)?);
        }
        ops.extend(step.soak.map(|pool| HitOp::Soak(pool, self.layout.pool(pool).0)));
        ops.extend(step.stops.then_some(HitOp::Stop));
        Some(ops)
    }
}
