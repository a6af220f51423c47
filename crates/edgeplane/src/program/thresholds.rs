//! Thresholds of pools in the conditions of policies.
//!
//! Pools change with every hit, and many conditions compare one with a number: `target.health.share < 40%`. While that
//! comparison fails for the changed pool, the line stays closed, whatever else holds, and no decision is needed. A
//! change that crosses no threshold therefore costs one comparison.

use super::Program;
use super::abilities::{AbilityPlan, Area, PickPlan};
use super::characters::UsePlan;
use super::flow::{self, PoolNumbers};
use super::ids::{FormulaId, PoolId};
use super::layout::pool_slot;
use super::ops::BinaryOp;
use super::tree::{PoolPart, Read, Role, Tree, TreeKind};
use crate::rules::SideRule;

/// A comparison of a pool with a number, without which a line stays closed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Threshold {
    pub(super) role: Role,
    pub(crate) pool: PoolId,
    part: PoolPart,
    op: BinaryOp,
    number: f64,
    /// The number is a multiple of the pool's cap.
    of_cap: bool,
}

impl Threshold {
    /// Whether the comparison fails, and continues to fail while only the flow changes the pool.
    #[inline]
    pub(crate) fn fails(&self, pool: &PoolNumbers, now: f64) -> bool {
        let value = if self.part == PoolPart::Share { flow::share(pool, now) } else { flow::amount(pool, now) };
        let rate = pool[usize::from(pool_slot::RATE)];
        let number = if self.of_cap { self.number * pool[usize::from(pool_slot::CAP)] } else { self.number };
        let fails = match self.op {
            BinaryOp::Less => value >= number,
            BinaryOp::AtMost => value > number,
            BinaryOp::Greater => value <= number,
            _ => value < number,
        };
        fails && if matches!(self.op, BinaryOp::Less | BinaryOp::AtMost) { rate >= 0.0 } else { rate <= 0.0 }
    }

    /// The comparison of a tree, if it is one.
    fn of(tree: &Tree) -> Option<Self> {
        let TreeKind::Binary(op, a, b) = &tree.kind else { return None };
        let (op, read, other) = match (&a.kind, &b.kind) {
            (TreeKind::Read(read), _) => (*op, *read, b),
            (_, TreeKind::Read(read)) => (mirrored(*op), *read, a),
            _ => return None,
        };
        let Read::Pool(role, pool, part @ (PoolPart::Amount | PoolPart::Share)) = read else { return None };
        let (number, of_cap) = match &other.kind {
            TreeKind::Constant(number) => (*number, false),
            TreeKind::Binary(BinaryOp::Multiply, a, b) => match (&a.kind, &b.kind) {
                (TreeKind::Constant(number), TreeKind::Read(cap))
                | (TreeKind::Read(cap), TreeKind::Constant(number))
                    if *cap == Read::Pool(role, pool, PoolPart::Max) =>
                {
                    (*number, true)
                }
                _ => return None,
            },
            _ => return None,
        };
        let compares = matches!(op, BinaryOp::Less | BinaryOp::AtMost | BinaryOp::Greater | BinaryOp::AtLeast);
        (compares && number.is_finite()).then_some(Self { role, pool, part, op, number, of_cap })
    }
}

/// The same comparison with its sides exchanged.
fn mirrored(op: BinaryOp) -> BinaryOp {
    match op {
        BinaryOp::Less => BinaryOp::Greater,
        BinaryOp::AtMost => BinaryOp::AtLeast,
        BinaryOp::Greater => BinaryOp::Less,
        BinaryOp::AtLeast => BinaryOp::AtMost,
        other => other,
    }
}

impl Program {
    /// The thresholds of a line: each of them can keep it closed.
    ///
    /// Empty if the line is evaluated periodically anyway, at times that depend on its last evaluation.
    pub(super) fn thresholds(&self, line: &UsePlan) -> Vec<Threshold> {
        let Some(when) = line.when.filter(|_| line.draws.is_none()) else { return Vec::new() };
        let ability = self.ability(line.ability);
        let formula = self.formula(when);
        if formula.draws() || (line.aims && self.picks_anew(ability) && self.decisive(line).is_none()) {
            return Vec::new();
        }
        let mut parts = Vec::new();
        conjuncts(&formula.tree, &mut parts);
        let found: Vec<Option<Threshold>> = parts.iter().map(|part| Threshold::of(part)).collect();
        if parts.iter().zip(&found).any(|(part, found)| found.is_none() && self.moves(part)) {
            return Vec::new();
        }
        // Gates evaluated before the condition must not depend on the pool.
        let before = ability.unlock.into_iter().chain(ability.after.and_then(|(_, within)| within));
        let before = before.fold(0, |pools, formula| {
            let inputs = self.inputs(formula);
            pools | inputs.own.pools | inputs.other.pools
        });
        let counts = |one: &Threshold| match one.role {
            Role::Caster => before >> one.pool.0 & 1 == 0,
            Role::Target => !picks_by(ability, one.pool) || self.decisive(line).is_some(),
        };
        found.into_iter().flatten().filter(counts).collect()
    }

    /// The threshold of a line without other conditions, if its ability picks by shares of the same pool.
    ///
    /// A change of one share can bring another combatant to the front, whose share then lies between the old and the
    /// new share of the first one. If the comparison fails for both of these, it fails for all values between them.
    fn decisive(&self, line: &UsePlan) -> Option<Threshold> {
        let one = Threshold::of(&self.formula(line.when?).tree)?;
        let ability = self.ability(line.ability);
        let is_share = one.role == Role::Target && one.part == PoolPart::Share;
        (is_share && picks_by(ability, one.pool) && !around_caster(ability)).then_some(one)
    }

    /// A threshold of the target without which a condition is false.
    pub(super) fn closes(&self, when: FormulaId) -> Option<Threshold> {
        let mut parts = Vec::new();
        conjuncts(&self.formula(when).tree, &mut parts);
        parts.into_iter().filter_map(Threshold::of).find(|one| one.role == Role::Target)
    }

    /// Whether the target picked by an ability changes by itself, or depends on more than one pool.
    pub(super) fn picks_anew(&self, ability: &AbilityPlan) -> bool {
        match ability.pick {
            _ if ability.side == SideRule::Caster => false,
            _ if around_caster(ability) => true,
            PickPlan::First => false,
            PickPlan::Weakest(pool) | PickPlan::Strongest(pool) => {
                pool.is_none_or(|pool| self.pools[pool.index()].flows())
            }
            PickPlan::Nearest | PickPlan::Farthest | PickPlan::Random(_) | PickPlan::Lowest(_) | PickPlan::Policy => {
                true
            }
        }
    }

    /// Whether a part of a condition may change with time.
    fn moves(&self, part: &Tree) -> bool {
        part.any(&mut |part| match &part.kind {
            TreeKind::Read(Read::Pool(_, pool, _)) => self.pools[pool.index()].flows(),
            TreeKind::Read(Read::Now | Read::Distance | Read::Angle) => true,
            TreeKind::Read(
                Read::Attribute(..) | Read::Typed(..) | Read::Standing(..) | Read::Local(_) | Read::Threat,
            ) => false,
            TreeKind::Near(..)
            | TreeKind::Roll(..)
            | TreeKind::Streak(..)
            | TreeKind::Between(..)
            | TreeKind::Dice(..)
            | TreeKind::Game(..) => true,
            TreeKind::Constant(_)
            | TreeKind::Unary(..)
            | TreeKind::Binary(..)
            | TreeKind::And(..)
            | TreeKind::Or(..)
            | TreeKind::If(_)
            | TreeKind::Lerp(_)
            | TreeKind::Curve(..)
            | TreeKind::Let(..) => false,
        })
    }
}

/// Whether an ability targets everyone around its caster, the nearest first.
fn around_caster(ability: &AbilityPlan) -> bool {
    matches!(ability.area, Area::Circle { around_caster: true, .. })
}

/// Whether an ability picks by shares of a pool.
fn picks_by(ability: &AbilityPlan, pool: PoolId) -> bool {
    match ability.pick {
        _ if ability.side == SideRule::Caster => false,
        PickPlan::Weakest(by) | PickPlan::Strongest(by) => by == Some(pool),
        PickPlan::First
        | PickPlan::Nearest
        | PickPlan::Farthest
        | PickPlan::Random(_)
        | PickPlan::Lowest(_)
        | PickPlan::Policy => false,
    }
}

/// The conjuncts of a condition.
fn conjuncts<'a>(tree: &'a Tree, found: &mut Vec<&'a Tree>) {
    match &tree.kind {
        TreeKind::And(a, b) => {
            conjuncts(a, found);
            conjuncts(b, found);
        }
        _ => found.push(tree),
    }
}
