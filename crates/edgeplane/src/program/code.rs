//! Compiles trees to flat code for one accumulator.
//!
//! Each instruction takes the accumulator and at most one operand, which consists of a region and an offset. Sums are
//! never regrouped and left operands stay on the left, so the code gives the tree's result to the last bit. Formulas
//! that are a single value or one operation on two values are recognised as shapes and need no instructions.

use super::Program;
use super::ids::{PoolId, SiteId};
use super::layout::pool_slot;
use super::ops::{BinaryOp, UnaryOp};
use super::tree::{Counted, PoolPart, Read, Role, Tree, TreeKind};

/// The region of an operand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Operand {
    pub(super) region: u8,
    pub(super) at: u16,
}

/// Regions; see [`super::eval::Frame`].
const LOCALS: u8 = 0;
pub(super) const CONSTANTS: u8 = 1;

/// The operation of an instruction.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum OpCode {
    Load,
    Store,
    Unary(UnaryOp),
    Binary(BinaryOp),
    Reversed(BinaryOp),
    Jump,
    JumpIfFalse,
    JumpIfTrue,
    PoolAmount,
    PoolMissing,
    PoolShare,
    Now,
    Distance,
    Angle,
    Threat,
    Near(Counted),
    Curve,
    Lerp,
    Roll,
    Streak,
    Between,
    Dice,
    /// Calls the game, and skips the default if it answers.
    AskGame(u16),
    /// Records the default as the answer.
    StoodIn,
}

/// One instruction.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Op {
    pub(super) code: OpCode,
    pub(super) operand: Operand,
    /// The target of a jump, a curve, or a random stream.
    pub(super) aux: u32,
}

/// How a formula is evaluated.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Shape {
    /// A single value.
    Value(Operand),
    /// One operation on two values.
    Two(BinaryOp, Operand, Operand),
    /// One operation on the result of another one: `(a first b) second c`.
    Three(BinaryOp, BinaryOp, [Operand; 3]),
    /// A comparison of the share of a pool.
    Share(BinaryOp, Operand, Operand),
    /// A draw with the chance of one value, or of an operation on two.
    Roll(SiteId, Option<(BinaryOp, Operand)>, Operand),
    /// Instructions, as a range of the program's code.
    Code {
        /// The first instruction.
        start: u32,
        /// One past the last instruction.
        end: u32,
    },
}

/// Emits the code of one formula.
pub(crate) struct Emitter<'a> {
    program: &'a mut Program,
    start: usize,
    /// The next free local; increases with nesting.
    next_local: u16,
}

impl<'a> Emitter<'a> {
    /// Compiles a tree whose own locals end before `first_local`.
    pub(crate) fn compile(program: &'a mut Program, tree: &Tree, first_local: u16) -> Shape {
        let start = program.code.len();
        let mut emitter = Self { program, start, next_local: first_local };
        if let Some(shape) = emitter.whole(tree) {
            return shape;
        }
        emitter.emit(tree);
        Shape::Code { start: start as u32, end: emitter.program.code.len() as u32 }
    }

    /// The shapes that need no instructions.
    fn whole(&mut self, tree: &Tree) -> Option<Shape> {
        if let Some(operand) = self.operand(tree) {
            return Some(Shape::Value(operand));
        }
        match &tree.kind {
            TreeKind::Binary(op, a, b) => {
                let c = self.operand(b)?;
                if let Some(a) = self.operand(a) {
                    return Some(Shape::Two(*op, a, c));
                }
                match &a.kind {
                    TreeKind::Binary(first, a, b) => {
                        Some(Shape::Three(*first, *op, [self.operand(a)?, self.operand(b)?, c]))
                    }
                    TreeKind::Read(Read::Pool(role, pool, PoolPart::Share)) => {
                        Some(Shape::Share(*op, self.pool(*role, *pool), c))
                    }
                    _ => None,
                }
            }
            TreeKind::Roll(site, p) => match &p.kind {
                TreeKind::Binary(op, a, b) => Some(Shape::Roll(*site, Some((*op, self.operand(b)?)), self.operand(a)?)),
                _ => Some(Shape::Roll(*site, None, self.operand(p)?)),
            },
            _ => None,
        }
    }

    fn pool(&self, role: Role, pool: PoolId) -> Operand {
        Operand { region: if role == Role::Caster { 2 } else { 3 }, at: self.program.layout.pool(pool).0 }
    }

    fn push(&mut self, code: OpCode, operand: Operand, aux: u32) {
        self.program.code.push(Op { code, operand, aux });
    }

    fn plain(&mut self, code: OpCode) {
        self.push(code, Operand { region: LOCALS, at: 0 }, 0);
    }

    fn here(&self) -> u32 {
        (self.program.code.len() - self.start) as u32
    }

    fn jump(&mut self, code: OpCode) -> usize {
        self.plain(code);
        self.program.code.len() - 1
    }

    fn land(&mut self, jump: usize) {
        self.program.code[jump].aux = self.here();
    }

    fn local(&mut self) -> u16 {
        let local = self.next_local;
        self.next_local += 1;
        self.program.layout.locals = self.program.layout.locals.max(self.next_local);
        local
    }

    fn store(&mut self) -> Operand {
        let operand = Operand { region: LOCALS, at: self.local() };
        self.push(OpCode::Store, operand, 0);
        operand
    }

    /// The operand of a tree that is a plain value in memory.
    fn operand(&mut self, tree: &Tree) -> Option<Operand> {
        let role = |role, caster, target| if role == Role::Caster { caster } else { target };
        Some(match &tree.kind {
            TreeKind::Constant(value) => Operand { region: CONSTANTS, at: self.constant(*value) },
            TreeKind::Read(read) => match *read {
                Read::Attribute(of, slot) | Read::Standing(of, slot) => Operand { region: role(of, 2, 3), at: slot.0 },
                Read::Typed(of, slot) => Operand { region: role(of, 4, 5), at: slot.0 },
                Read::Local(local) => Operand { region: LOCALS, at: local },
                Read::Pool(of, pool, part) => {
                    let at = self.program.layout.pool(pool).0;
                    let flows = self.program.pools[pool.index()].flows();
                    match part {
                        PoolPart::Max => Operand { region: role(of, 2, 3), at: at + pool_slot::CAP },
                        PoolPart::Amount if !flows => Operand { region: role(of, 2, 3), at: at + pool_slot::AMOUNT },
                        _ => return None,
                    }
                }
                Read::Now | Read::Distance | Read::Angle | Read::Threat => return None,
            },
            _ => return None,
        })
    }

    fn constant(&mut self, value: f64) -> u16 {
        let constants = &mut self.program.constants;
        let known = constants.iter().position(|known| known.to_bits() == value.to_bits());
        let index = known.unwrap_or_else(|| {
            constants.push(value);
            constants.len() - 1
        });
        // Formulas that exceed the limit are counted and reported after compilation.
        u16::try_from(index).unwrap_or(u16::MAX)
    }

    /// Emits code that leaves the value of the tree in the accumulator.
    fn emit(&mut self, tree: &Tree) {
        if let Some(operand) = self.operand(tree) {
            return self.push(OpCode::Load, operand, 0);
        }
        match &tree.kind {
            TreeKind::Constant(_) => {}
            TreeKind::Read(read) => self.read(*read),
            TreeKind::Unary(op, a) => {
                self.emit(a);
                self.plain(OpCode::Unary(*op));
            }
            TreeKind::Binary(op, a, b) => self.binary(*op, a, b),
            TreeKind::And(a, b) => self.short_cut(a, b, OpCode::JumpIfFalse),
            TreeKind::Or(a, b) => self.short_cut(a, b, OpCode::JumpIfTrue),
            TreeKind::If(parts) => self.branch(parts),
            TreeKind::Lerp(parts) => self.lerp(parts),
            TreeKind::Curve(curve, x) => {
                self.emit(x);
                self.push(OpCode::Curve, Operand { region: LOCALS, at: 0 }, u32::from(curve.0));
            }
            TreeKind::Near(counted, metres) => {
                self.emit(metres);
                self.plain(OpCode::Near(*counted));
            }
            TreeKind::Roll(site, p) => {
                self.emit(p);
                self.push(OpCode::Roll, Operand { region: LOCALS, at: 0 }, site.0);
            }
            TreeKind::Streak(streak, p) => {
                self.emit(p);
                let slot = self.program.streaks[usize::from(*streak)].slot;
                self.push(OpCode::Streak, Operand { region: 2, at: slot.0 }, u32::from(*streak));
            }
            TreeKind::Between(site, low, high) => self.drawn(OpCode::Between, *site, low, high),
            TreeKind::Dice(site, number, sides) => self.drawn(OpCode::Dice, *site, number, sides),
            TreeKind::Let(local, bound, body) => {
                self.emit(bound);
                self.push(OpCode::Store, Operand { region: LOCALS, at: *local }, 0);
                self.emit(body);
            }
            TreeKind::Game(call, stand_in) => {
                self.push(OpCode::AskGame(call.function), Operand { region: LOCALS, at: call.first }, 0);
                let asked = self.program.code.len() - 1;
                self.emit(stand_in);
                self.plain(OpCode::StoodIn);
                self.land(asked);
            }
        }
    }

    fn read(&mut self, read: Read) {
        let Read::Pool(of, pool, part) = read else {
            return self.plain(match read {
                Read::Distance => OpCode::Distance,
                Read::Angle => OpCode::Angle,
                Read::Threat => OpCode::Threat,
                _ => OpCode::Now,
            });
        };
        let code = match part {
            PoolPart::Missing => OpCode::PoolMissing,
            PoolPart::Share => OpCode::PoolShare,
            PoolPart::Amount | PoolPart::Max => OpCode::PoolAmount,
        };
        let operand = self.pool(of, pool);
        self.push(code, operand, 0);
    }

    fn binary(&mut self, op: BinaryOp, a: &Tree, b: &Tree) {
        if let Some(operand) = self.operand(b) {
            self.emit(a);
            self.push(OpCode::Binary(op), operand, 0);
        } else if let Some(operand) = self.operand(a) {
            self.emit(b);
            self.push(OpCode::Reversed(op), operand, 0);
        } else {
            let left = self.aside(a);
            self.emit(b);
            self.push(OpCode::Reversed(op), left, 0);
            self.next_local -= 1;
        }
    }

    /// Emits a tree and stores its value in a local, which the caller frees.
    fn aside(&mut self, tree: &Tree) -> Operand {
        self.emit(tree);
        self.store()
    }

    fn short_cut(&mut self, a: &Tree, b: &Tree, jump: OpCode) {
        self.emit(a);
        let jump = self.jump(jump);
        self.emit(b);
        self.land(jump);
    }

    fn branch(&mut self, parts: &[Tree; 3]) {
        self.emit(&parts[0]);
        let otherwise = self.jump(OpCode::JumpIfFalse);
        self.emit(&parts[1]);
        let done = self.jump(OpCode::Jump);
        self.land(otherwise);
        self.emit(&parts[2]);
        self.land(done);
    }

    fn lerp(&mut self, parts: &[Tree; 3]) {
        // The instruction reads `a` and `b` from two adjacent locals.
        let (first, second) = (self.local(), self.local());
        for (local, part) in [(first, &parts[0]), (second, &parts[1])] {
            self.emit(part);
            self.push(OpCode::Store, Operand { region: LOCALS, at: local }, 0);
        }
        self.emit(&parts[2]);
        self.push(OpCode::Lerp, Operand { region: LOCALS, at: first }, 0);
        self.next_local -= 2;
    }

    fn drawn(&mut self, code: OpCode, site: SiteId, first: &Tree, second: &Tree) {
        let operand = self.aside(first);
        self.emit(second);
        self.push(code, operand, site.0);
        self.next_local -= 1;
    }
}
