//! Formulas as trees with resolved names, and their careful evaluation.
//!
//! Flat code is generated from the tree. The tree is also the slow, careful evaluator: it checks every operation and
//! can report every value that it read, so it is used for traces, explanations and errors, while the flat code only
//! computes results.

use std::ops::Range;

use super::Program;
use super::eval::Frame;
use super::fault::FaultReason;
use super::ids::{CurveId, PoolId, SiteId, Slot};
use super::layout::pool_slot;
use super::memory::Memory;
use super::ops::{BinaryOp, UnaryOp, lerp, truth};

/// The combatant whose number is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    /// The caster, or the combatant whose own attribute this is.
    Caster,
    /// The target.
    Target,
}

/// A number of a pool.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PoolPart {
    /// The amount.
    Amount,
    /// The cap.
    Max,
    /// The difference to the cap.
    Missing,
    /// The share of the cap; 0 if the cap is 0.
    Share,
}

/// The combatants that are counted, relative to the caster.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Counted {
    /// All other sides.
    Enemies,
    /// Its own side, including itself.
    Allies,
    /// Its own side without itself.
    Others,
    /// All sides.
    Everyone,
}

/// A value that a formula reads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Read {
    /// An attribute or the level: the numbers that modifiers and `set_base` can change.
    Attribute(Role, Slot),
    /// A per-type attribute for the current damage type.
    Typed(Role, Slot),
    /// Another number of the block, which changes without a change of an attribute.
    Standing(Role, Slot),
    /// A pool.
    Pool(Role, PoolId, PoolPart),
    /// The amount of the hit, a mark, or an argument.
    Local(u16),
    /// Seconds since the start of the fight.
    Now,
    /// The distance between caster and target in metres.
    Distance,
    /// The position of the caster relative to the direction in which the target faces, in degrees.
    Angle,
    /// The threat of the target for the caster.
    Threat,
}

/// A node of the tree.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Tree {
    /// The operation.
    pub kind: TreeKind,
    /// Its range in the text of the formula.
    pub range: Range<u32>,
    /// Whether `range` refers to the text of a called `[formula.*]` instead of the formula itself.
    pub called: bool,
}

/// The operation of a node.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub(crate) enum TreeKind {
    Constant(f64),
    Read(Read),
    Unary(UnaryOp, Box<Tree>),
    Binary(BinaryOp, Box<Tree>, Box<Tree>),
    And(Box<Tree>, Box<Tree>),
    Or(Box<Tree>, Box<Tree>),
    If(Box<[Tree; 3]>),
    Lerp(Box<[Tree; 3]>),
    Curve(CurveId, Box<Tree>),
    Near(Counted, Box<Tree>),
    Roll(SiteId, Box<Tree>),
    Streak(u16, Box<Tree>),
    Between(SiteId, Box<Tree>, Box<Tree>),
    Dice(SiteId, Box<Tree>, Box<Tree>),
    Let(u16, Box<Tree>, Box<Tree>),
    /// A value given by the game, with the last part as default; its arguments are in locals.
    Game(GameCall, Box<Tree>),
}

/// A call of a function of the game.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct GameCall {
    /// Its index among the functions of the game.
    pub function: u16,
    /// The local of its first argument, followed by the others.
    pub first: u16,
    /// It gives a condition.
    pub truth: bool,
}

/// The maximum number of dice, and the maximum number of sides.
pub(super) const MAX_DICE: f64 = 1_000.0;

impl Tree {
    /// The parts, in the order of evaluation.
    pub(crate) fn parts(&self) -> Vec<&Tree> {
        match &self.kind {
            TreeKind::Constant(_) | TreeKind::Read(_) => Vec::new(),
            TreeKind::Unary(_, a)
            | TreeKind::Curve(_, a)
            | TreeKind::Near(_, a)
            | TreeKind::Roll(_, a)
            | TreeKind::Streak(_, a)
            | TreeKind::Game(_, a) => {
                vec![a]
            }
            TreeKind::Binary(_, a, b)
            | TreeKind::And(a, b)
            | TreeKind::Or(a, b)
            | TreeKind::Between(_, a, b)
            | TreeKind::Dice(_, a, b)
            | TreeKind::Let(_, a, b) => vec![a, b],
            TreeKind::If(parts) | TreeKind::Lerp(parts) => parts.iter().collect(),
        }
    }

    /// Whether this node or any part of it satisfies `test`.
    pub(crate) fn any(&self, test: &mut impl FnMut(&Tree) -> bool) -> bool {
        test(self) || self.parts().into_iter().any(|part| part.any(test))
    }

    /// Evaluates with every operation checked. It makes no draws, but reuses those that the code has just made.
    ///
    /// # Errors
    /// Returns the first operation without a finite result.
    pub(crate) fn read(
        &self,
        program: &Program,
        memory: &Memory,
        frame: &Frame,
        draws: &[f64],
    ) -> Result<Reading, Stumble> {
        let mut walk = Walk { program, memory: memory.clone(), frame: *frame, draws, leaves: Vec::new() };
        let value = walk.value(self)?;
        Ok(Reading { value, leaves: walk.leaves })
    }
}

/// A value with everything that was read for it.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Reading {
    /// The value.
    pub value: f64,
    /// The values that were read, in order.
    pub leaves: Vec<LeafValue>,
}

/// One value that was read, and its range in the text of the formula.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct LeafValue {
    /// The range.
    pub range: Range<u32>,
    /// The value.
    pub value: f64,
    /// Whether it is a condition, stored as 1 or 0.
    pub truth: bool,
    /// Whether it was drawn by chance.
    pub drawn: bool,
}

/// Where and why an evaluation failed.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Stumble {
    /// The reason.
    pub reason: FaultReason,
    /// The failing part of the formula.
    pub range: Range<u32>,
    /// Whether that part is in a called `[formula.*]`.
    pub called: bool,
    /// The values read before that.
    pub leaves: Vec<LeafValue>,
}

struct Walk<'a> {
    program: &'a Program,
    memory: Memory,
    frame: Frame,
    draws: &'a [f64],
    leaves: Vec<LeafValue>,
}

impl Walk<'_> {
    fn value(&mut self, tree: &Tree) -> Result<f64, Stumble> {
        let value = match &tree.kind {
            TreeKind::Constant(value) => *value,
            TreeKind::Read(read) => self.leaf(tree, *read),
            TreeKind::Unary(op, a) => op.apply(self.value(a)?),
            TreeKind::Binary(op, a, b) => self.binary(tree, *op, a, b)?,
            TreeKind::And(a, b) => truth(self.value(a)? != 0.0 && self.value(b)? != 0.0),
            TreeKind::Or(a, b) => truth(self.value(a)? != 0.0 || self.value(b)? != 0.0),
            TreeKind::If(parts) => {
                let branch = if self.value(&parts[0])? != 0.0 { 1 } else { 2 };
                self.value(&parts[branch])?
            }
            TreeKind::Lerp(parts) => lerp(self.value(&parts[0])?, self.value(&parts[1])?, self.value(&parts[2])?),
            TreeKind::Near(counted, metres) => {
                let metres = self.value(metres)?;
                self.near(tree, *counted, metres)
            }
            TreeKind::Curve(curve, x) => self.program.curves[curve.index()].at(self.value(x)?),
            TreeKind::Roll(_, chance) => {
                self.value(chance)?;
                self.draw(tree)
            }
            TreeKind::Streak(streak, chance) => {
                let chance = self.value(chance)?;
                if !self.program.streaks[usize::from(*streak)].allows(chance) {
                    return Err(self.stumble(tree, FaultReason::StreakTooShort));
                }
                self.draw(tree)
            }
            TreeKind::Between(_, low, high) => self.between(tree, low, high)?,
            TreeKind::Dice(_, number, sides) => self.dice(tree, number, sides)?,
            TreeKind::Let(local, bound, body) => {
                let bound = self.value(bound)?;
                self.memory.set_local(*local, bound);
                self.value(body)?
            }
            // The game's value is stored with the draws; without it, the default has no value, for this reason.
            TreeKind::Game(_, stand_in) if self.draws.is_empty() => self.value(stand_in)?,
            TreeKind::Game(..) => self.draw(tree),
        };
        if value.is_finite() { Ok(value) } else { Err(self.stumble(tree, FaultReason::NotFinite)) }
    }

    fn stumble(&self, tree: &Tree, reason: FaultReason) -> Stumble {
        Stumble { reason, range: tree.range.clone(), called: tree.called, leaves: self.leaves.clone() }
    }

    fn binary(&mut self, tree: &Tree, op: BinaryOp, a: &Tree, b: &Tree) -> Result<f64, Stumble> {
        let before = self.leaves.len();
        let (a, b) = (self.value(a)?, self.value(b)?);
        if op == BinaryOp::Divide && b == 0.0 {
            return Err(self.stumble(tree, FaultReason::DividesByZero));
        }
        let value = op.apply(a, b);
        // `has(…)`, `casting(…)` and `cooldown(…)` compute with a number that represents the call as a whole: the
        // result is shown.
        let parts = &self.leaves[before..];
        if !parts.is_empty() && parts.iter().all(|part| part.range == tree.range) {
            self.leaves.truncate(before);
            let range = tree.range.clone();
            self.leaves.push(LeafValue { range, value, truth: op == BinaryOp::Greater, drawn: false });
        }
        Ok(value)
    }

    fn between(&mut self, tree: &Tree, low: &Tree, high: &Tree) -> Result<f64, Stumble> {
        let (low, high) = (self.value(low)?, self.value(high)?);
        if low > high {
            return Err(self.stumble(tree, FaultReason::BoundsReversed));
        }
        Ok(self.draw(tree))
    }

    fn dice(&mut self, tree: &Tree, number: &Tree, sides: &Tree) -> Result<f64, Stumble> {
        let (number, sides) = (self.value(number)?, self.value(sides)?);
        if !dice_possible(number, sides) {
            return Err(self.stumble(tree, FaultReason::NotDice));
        }
        Ok(self.draw(tree))
    }

    fn leaf(&mut self, tree: &Tree, read: Read) -> f64 {
        let value = read.value(self.program, &self.memory, &self.frame);
        if !tree.called {
            let truth = matches!(read, Read::Local(local) if self.program.is_mark(local));
            self.leaves.push(LeafValue { range: tree.range.clone(), value, truth, drawn: false });
        }
        value
    }

    fn near(&mut self, tree: &Tree, counted: Counted, metres: f64) -> f64 {
        let value = self.memory.near(&self.program.layout, &self.frame, counted, metres);
        if !tree.called {
            self.leaves.push(LeafValue { range: tree.range.clone(), value, truth: false, drawn: false });
        }
        value
    }

    fn draw(&mut self, tree: &Tree) -> f64 {
        let (value, rest) = self.draws.split_first().map_or((0.0, self.draws), |(value, rest)| (*value, rest));
        self.draws = rest;
        if !tree.called {
            let truth = match &tree.kind {
                TreeKind::Game(call, _) => call.truth,
                kind => matches!(kind, TreeKind::Roll(..) | TreeKind::Streak(..)),
            };
            self.leaves.push(LeafValue { range: tree.range.clone(), value, truth, drawn: true });
        }
        value
    }
}

/// Whether a number of dice with a number of sides is valid.
pub(crate) fn dice_possible(number: f64, sides: f64) -> bool {
    let whole = |x: f64, least: f64| x.fract() == 0.0 && (least..=MAX_DICE).contains(&x);
    whole(number, 0.0) && whole(sides, 1.0)
}

impl Read {
    /// Reads the number.
    pub(crate) fn value(self, program: &Program, memory: &Memory, frame: &Frame) -> f64 {
        match self {
            Self::Attribute(role, slot) | Self::Standing(role, slot) => memory.at(frame.block(role) + slot.index()),
            Self::Typed(role, slot) => memory.at(frame.typed(role) + slot.index()),
            Self::Pool(role, pool, part) => {
                let first = frame.block(role) + program.layout.pool(pool).index();
                match part {
                    PoolPart::Amount => memory.pool_amount(first, frame.now),
                    PoolPart::Max => memory.at(first + usize::from(pool_slot::CAP)),
                    PoolPart::Missing => memory.pool_missing(first, frame.now),
                    PoolPart::Share => memory.pool_share(first, frame.now),
                }
            }
            Self::Local(local) => memory.at(usize::from(local)),
            Self::Now => frame.now_seconds(),
            Self::Threat => memory.threat.between(frame.pair),
            Self::Angle => memory.angle(frame.block(Role::Caster), frame.block(Role::Target), frame.now),
            Self::Distance => memory.distance(frame.block(Role::Caster), frame.block(Role::Target), frame.now),
        }
    }
}
