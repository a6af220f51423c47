//! Evaluates flat code over the numbers of a fight.

use std::sync::Arc;

use super::Program;
use super::code::{CONSTANTS, Op, OpCode, Operand, Shape};
use super::fault::Fault;
use super::game_functions::GameFunctions;
use super::ids::{AbilityId, CharacterId, CombatantId, FormulaId, SiteId, Slot};
use super::layout::Layout;
use super::memory::Memory;
use super::ops::{BinaryOp, lerp, truth};
use super::tables::QuickCondition;
use super::tree::{Counted, Role, dice_possible};

/// A random stream: one for each combatant and position in the rules.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct StreamId(pub u32);

/// The interface through which the engine draws chance. Its implementation decides whether fights are sampled, replayed
/// or enumerated.
pub trait Chance {
    /// True with probability `p`; values outside 0 to 1 are limited to that range.
    fn chance(&mut self, stream: StreamId, p: f64) -> bool;
    /// True with probability `now`, which was computed from previous misses so that the long-run share is `p`.
    /// Implementations for explanations use `p`.
    fn chance_in_streak(&mut self, stream: StreamId, p: f64, now: f64) -> bool {
        let _ = p;
        self.chance(stream, now)
    }
    /// A whole number from 0 to `n` − 1 with equal probabilities; `n` is at least 1.
    fn pick(&mut self, stream: StreamId, n: u32) -> u32;
    /// A uniform number from 0 (inclusive) to 1 (exclusive).
    fn uniform(&mut self, stream: StreamId) -> f64;
}

/// For formulas that cannot draw. Returns false, the minimum and the midpoint.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct NoChance;

impl Chance for NoChance {
    fn chance(&mut self, _: StreamId, _: f64) -> bool {
        false
    }
    fn pick(&mut self, _: StreamId, _: u32) -> u32 {
        0
    }
    fn uniform(&mut self, _: StreamId) -> f64 {
        0.5
    }
}

/// The draws of the current evaluation, to be reported afterwards.
#[derive(Clone, Debug, Default)]
pub(crate) struct Draws {
    pub(super) values: Vec<f64>,
    /// The functions of the game.
    pub(crate) game: Option<Arc<GameFunctions>>,
}

impl Draws {
    /// The draws, in order.
    pub(crate) fn all(&self) -> &[f64] {
        &self.values
    }
}

impl Memory {
    /// The number of combatants within a distance of the caster; all of them without positions.
    pub(crate) fn near(&self, layout: &Layout, frame: &Frame, counted: Counted, metres: f64) -> f64 {
        let me = frame.block(Role::Caster);
        let side = |block: usize| self.numbers()[block + Layout::SIDE.index()];
        let counts = |block: &usize| {
            let fits = match counted {
                Counted::Enemies => side(*block) != side(me),
                Counted::Allies => side(*block) == side(me),
                Counted::Others => side(*block) == side(me) && *block != me,
                Counted::Everyone => true,
            };
            let stands = self.numbers()[block + Layout::STANDS.index()] == 1.0;
            fits && stands && self.distance(me, *block, frame.now) <= metres + self.body(*block) + super::layout::HAIR
        };
        let blocks = (layout.blocks as usize..self.numbers().len()).step_by(usize::from(layout.stride));
        blocks.filter(counts).count() as f64
    }

    /// A condition that needs no lookup; NaN for any other condition and for values that are not finite.
    #[inline(always)]
    pub(crate) fn condition(&self, quick: QuickCondition, now: f64) -> f64 {
        match quick {
            QuickCondition::Ask => f64::NAN,
            QuickCondition::Share(op, pool, limit) => {
                guarded(op, self.pool_share(pool as usize, now), self.at(limit as usize))
            }
            QuickCondition::Two(op, a, b) => guarded(op, self.at(a as usize), self.at(b as usize)),
        }
    }
}

/// The context of an evaluation: caster, target and time, which determine the location of every operand.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Frame {
    bases: [u32; 8],
    /// Microseconds since the start of the fight.
    pub(crate) now: f64,
    /// The caster's first stream.
    streams: u32,
    /// Caster and target.
    pub(crate) pair: [CombatantId; 2],
    /// Which shapes are evaluated: the hoisted ones, or the complete ones.
    form: u32,
}

impl Frame {
    #[inline]
    pub(crate) fn new(program: &Program, caster: CombatantId, target: CombatantId, damage_type: u16, now: f64) -> Self {
        let first = program.layout.blocks;
        let stride = u32::from(program.layout.stride);
        let caster_base = first + u32::from(caster.0) * stride;
        let target_base = first + u32::from(target.0) * stride;
        let of_type = u32::from(damage_type);
        Self {
            bases: [
                0,
                u32::from(program.layout.locals),
                caster_base,
                target_base,
                caster_base + of_type,
                target_base + of_type,
                0,
                0,
            ],
            now,
            streams: u32::from(caster.0) * program.sites.len() as u32,
            pair: [caster, target],
            form: 0,
        }
    }

    /// The same for formulas of an ability that the caster may not have.
    #[inline]
    pub(crate) fn in_form(self, form: u32) -> Self {
        Self { form, ..self }
    }

    /// The first number of a combatant's block.
    #[inline]
    pub(crate) fn block(&self, role: Role) -> usize {
        self.bases[if role == Role::Caster { 2 } else { 3 }] as usize
    }

    #[inline]
    pub(crate) fn typed(&self, role: Role) -> usize {
        self.bases[if role == Role::Caster { 4 } else { 5 }] as usize
    }

    #[inline]
    pub(crate) fn now_seconds(&self) -> f64 {
        self.now / 1e6
    }

    #[inline(always)]
    pub(crate) fn index(&self, operand: Operand) -> usize {
        self.bases[usize::from(operand.region & 7)] as usize + usize::from(operand.at)
    }

    #[inline]
    pub(crate) fn stream(&self, site: SiteId) -> StreamId {
        StreamId(self.streams + site.0)
    }
}

impl Program {
    /// The value of a formula that is a single number of one combatant or a constant; not negative.
    #[inline]
    pub(crate) fn plain_value(&self, formula: FormulaId, who: CombatantId, memory: &Memory) -> Option<f64> {
        let Shape::Value(operand) = self.shapes[formula.index()] else { return None };
        let base = match operand.region {
            CONSTANTS => usize::from(self.layout.locals),
            2 | 3 => self.place(who, Slot(0)),
            _ => return None,
        };
        Some(memory.at(base + usize::from(operand.at))).filter(|value| value.is_finite() && *value >= 0.0)
    }

    /// Evaluates a formula to a finite number (conditions are 1 or 0).
    ///
    /// # Errors
    /// Returns the part of the formula without a value, with the numbers that led to it.
    #[inline(always)]
    pub(crate) fn number(
        &self,
        formula: FormulaId,
        memory: &mut Memory,
        frame: &Frame,
        chance: &mut dyn Chance,
        draws: &mut Draws,
    ) -> Result<f64, Box<Fault>> {
        let value = self.evaluate(formula, memory, frame, chance, draws);
        if value.is_finite() { Ok(value) } else { self.look_closer(formula, memory, frame, draws) }
    }

    /// The fast path failed: the careful one determines where and why. It may also find a value after all, since the
    /// fast one checks more coarsely.
    #[cold]
    #[inline(never)]
    fn look_closer(
        &self,
        formula: FormulaId,
        memory: &Memory,
        frame: &Frame,
        draws: &Draws,
    ) -> Result<f64, Box<Fault>> {
        match self.formula(formula).tree.read(self, memory, frame, draws.all()) {
            Ok(reading) => Ok(reading.value),
            Err(stumble) => Err(Box::new(Fault::new(self, formula, stumble))),
        }
    }

    /// How a formula is evaluated.
    #[inline(always)]
    pub(crate) fn shape(&self, formula: FormulaId, frame: &Frame) -> Shape {
        self.shapes[formula.index() + frame.form as usize]
    }

    /// The form with complete formulas for [`Frame::in_form`], without hoisted parts that not every combatant has.
    pub(crate) fn whole_form(&self) -> u32 {
        self.formulas.len() as u32
    }

    /// The form in which a combatant of a character evaluates the formulas of an ability.
    pub(crate) fn form_of(&self, ability: AbilityId, character: CharacterId) -> u32 {
        if self.ability(ability).users.contains(character) { 0 } else { self.whole_form() }
    }

    /// Evaluates a formula; NaN or infinite if it has no value.
    ///
    /// A plain value is read in place; other shapes are a call that returns in a register.
    #[inline(always)]
    pub(crate) fn evaluate(
        &self,
        formula: FormulaId,
        memory: &mut Memory,
        frame: &Frame,
        chance: &mut dyn Chance,
        draws: &mut Draws,
    ) -> f64 {
        match self.shape(formula, frame) {
            Shape::Value(operand) => memory.at(frame.index(operand)),
            shape => self.evaluate_shape(shape, memory, frame, chance, draws),
        }
    }

    #[inline(never)]
    pub(crate) fn evaluate_shape(
        &self,
        shape: Shape,
        memory: &mut Memory,
        frame: &Frame,
        chance: &mut dyn Chance,
        draws: &mut Draws,
    ) -> f64 {
        let at = |operand| memory.at(frame.index(operand));
        match shape {
            Shape::Value(a) => at(a),
            Shape::Two(op, a, b) => guarded(op, at(a), at(b)),
            Shape::Three(first, second, [a, b, c]) => guarded(second, guarded(first, at(a), at(b)), at(c)),
            Shape::Share(op, pool, limit) => guarded(op, memory.pool_share(frame.index(pool), frame.now), at(limit)),
            Shape::Roll(site, None, p) => self.roll(site, at(p), frame, chance, draws),
            Shape::Roll(site, Some((op, b)), a) => self.roll(site, guarded(op, at(a), at(b)), frame, chance, draws),
            Shape::Code { start, end } => self.run(start, end, memory, frame, chance, draws),
        }
    }

    #[inline]
    fn roll(&self, site: SiteId, p: f64, frame: &Frame, chance: &mut dyn Chance, draws: &mut Draws) -> f64 {
        if !p.is_finite() {
            return f64::NAN;
        }
        let value = truth(chance.chance(frame.stream(site), p));
        draws.values.clear();
        draws.values.push(value);
        value
    }

    #[inline(never)]
    fn run(
        &self,
        start: u32,
        end: u32,
        memory: &mut Memory,
        frame: &Frame,
        chance: &mut dyn Chance,
        draws: &mut Draws,
    ) -> f64 {
        draws.values.clear();
        let code = &self.code[start as usize..end as usize];
        let mut acc = 0.0;
        let mut at = 0;
        while let Some(op) = code.get(at) {
            at += 1;
            match op.code {
                OpCode::Load => acc = memory.at(frame.index(op.operand)),
                OpCode::Store => memory.set_local(op.operand.at, acc),
                OpCode::Binary(binary) => acc = guarded(binary, acc, memory.at(frame.index(op.operand))),
                OpCode::Reversed(binary) => acc = guarded(binary, memory.at(frame.index(op.operand)), acc),
                OpCode::Unary(unary) => {
                    if !acc.is_finite() {
                        return f64::NAN;
                    }
                    acc = unary.apply(acc);
                }
                OpCode::Jump => at = op.aux as usize,
                OpCode::AskGame(function) => {
                    if let Some(value) = self.ask_game(function, op, memory, frame, draws) {
                        if !value.is_finite() {
                            return f64::NAN;
                        }
                        (acc, at) = (value, op.aux as usize);
                    }
                }
                OpCode::JumpIfFalse | OpCode::JumpIfTrue => {
                    if !acc.is_finite() {
                        return f64::NAN;
                    }
                    if (acc != 0.0) == (op.code == OpCode::JumpIfTrue) {
                        at = op.aux as usize;
                    }
                }
                OpCode::PoolAmount
                | OpCode::PoolMissing
                | OpCode::PoolShare
                | OpCode::Now
                | OpCode::Distance
                | OpCode::Angle
                | OpCode::Threat => acc = at_this_moment(op, memory, frame),
                _ => {
                    acc = self.rare(op, acc, memory, frame, chance, draws);
                    if acc.is_nan() {
                        return acc;
                    }
                }
            }
        }
        acc
    }

    /// Curves, chance, and counts within a distance. Not inlined, because its setup would precede every formula that
    /// only adds and multiplies.
    #[inline(never)]
    fn rare(
        &self,
        op: &Op,
        acc: f64,
        memory: &mut Memory,
        frame: &Frame,
        chance: &mut dyn Chance,
        draws: &mut Draws,
    ) -> f64 {
        let operand = || memory.at(frame.index(op.operand));
        let value = match op.code {
            _ if !acc.is_finite() => return f64::NAN,
            OpCode::Near(counted) => return memory.near(&self.layout, frame, counted, acc),
            OpCode::Curve => return self.curves[op.aux as usize].at(acc),
            OpCode::Lerp => {
                let next = Operand { at: op.operand.at + 1, ..op.operand };
                return lerp(operand(), memory.at(frame.index(next)), acc);
            }
            OpCode::StoodIn => acc,
            OpCode::Roll => truth(chance.chance(frame.stream(SiteId(op.aux)), acc)),
            OpCode::Streak => {
                let streak = &self.streaks[op.aux as usize];
                let (misses, slot) = (operand(), frame.index(op.operand));
                if memory.at(slot + 1) != acc {
                    if !streak.allows(acc) {
                        return f64::NAN;
                    }
                    memory.set(slot + 1, acc);
                    memory.set(slot + 2, streak.chance_for(acc));
                }
                let now = if misses >= f64::from(streak.most) && acc > 0.0 { 1.0 } else { memory.at(slot + 2) };
                let hit = chance.chance_in_streak(frame.stream(streak.site), acc, now);
                if acc > 0.0 {
                    memory.set(slot, if hit { 0.0 } else { misses + 1.0 });
                }
                truth(hit)
            }
            OpCode::Between => {
                let low = operand();
                if !low.is_finite() || low > acc {
                    return f64::NAN;
                }
                lerp(low, acc, chance.uniform(frame.stream(SiteId(op.aux))))
            }
            OpCode::Dice => {
                let (number, sides) = (operand(), acc);
                if !dice_possible(number, sides) {
                    return f64::NAN;
                }
                let stream = frame.stream(SiteId(op.aux));
                let throw = |_| f64::from(chance.pick(stream, sides as u32) + 1);
                (0..number as u32).map(throw).sum()
            }
            _ => f64::NAN,
        };
        draws.values.push(value);
        value
    }
}

/// Values that change with time and need no accumulator. Not inlined, for the same reason as [`Program::rare`].
#[inline(never)]
fn at_this_moment(op: &Op, memory: &Memory, frame: &Frame) -> f64 {
    match op.code {
        OpCode::PoolAmount => memory.pool_amount(frame.index(op.operand), frame.now),
        OpCode::PoolMissing => memory.pool_missing(frame.index(op.operand), frame.now),
        OpCode::PoolShare => memory.pool_share(frame.index(op.operand), frame.now),
        OpCode::Now => frame.now_seconds(),
        OpCode::Distance => memory.distance(frame.block(Role::Caster), frame.block(Role::Target), frame.now),
        OpCode::Angle => memory.angle(frame.block(Role::Caster), frame.block(Role::Target), frame.now),
        OpCode::Threat => memory.threat.between(frame.pair),
        _ => f64::NAN,
    }
}

#[cold]
#[inline(never)]
fn power(a: f64, b: f64) -> f64 {
    if a.is_finite() && b.is_finite() { BinaryOp::Power.apply(a, b) } else { f64::NAN }
}

/// A quotient; NaN if there is none.
#[inline(always)]
fn over(a: f64, b: f64) -> f64 {
    if b == 0.0 || !b.is_finite() { f64::NAN } else { a / b }
}

/// An operation that must not hide an invalid operand: if it could, the result is NaN.
#[inline]
pub(crate) fn guarded(op: BinaryOp, a: f64, b: f64) -> f64 {
    match op {
        BinaryOp::Add => a + b,
        BinaryOp::Subtract => a - b,
        BinaryOp::Multiply => a * b,
        BinaryOp::Divide => over(a, b),
        BinaryOp::Power => power(a, b),
        // Comparisons and choices would hide an invalid operand.
        _ if !(a - b).is_finite() => f64::NAN,
        BinaryOp::Less => truth(a < b),
        BinaryOp::AtMost => truth(a <= b),
        BinaryOp::Greater => truth(a > b),
        BinaryOp::AtLeast => truth(a >= b),
        BinaryOp::Equal => truth(a == b),
        BinaryOp::Unequal => truth(a != b),
        BinaryOp::Min | BinaryOp::Max => op.apply(a, b),
    }
}
