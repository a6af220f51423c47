//! How long a condition keeps its value if no event happens.
//!
//! A condition whose only changing parts are linear (a pool with a flow, the time, a distance between combatants on
//! straight courses) is solved for the time at which a comparison in it changes. If only a bound on the rate of change
//! of a part is known, the condition is evaluated again at the earliest time at which the comparison can have changed.
//! Parts without a bound are evaluated again after [`POLL`].

use super::Program;
use super::eval::Frame;
use super::flow;
use super::ids::{FormulaId, PoolId, Slot};
use super::layout::{HAIR, Layout};
use super::memory::Memory;
use super::motion::{Plane, is_nowhere, length, meeting, minus, parting};
use super::ops::{BinaryOp, UnaryOp};
use super::time::Time;
use super::tree::{Counted, PoolPart, Read, Role, Tree, TreeKind};
use crate::numbers::{Extremes, Whole};

/// The interval at which conditions are evaluated that change with time and cannot be solved, and the maximum delay
/// with which bounded ones are noticed: a tenth of a second.
pub(crate) const POLL: Time = Time(100_000);

/// A value that follows a straight line for a while, or deviates from it at most by a drift. Times are in microseconds.
/// NaN means unknown: a draw, or a quotient that is guarded by the rest of the condition.
#[derive(Clone, Copy, Debug)]
pub(super) struct Course {
    pub(super) value: f64,
    /// The change per microsecond.
    pub(super) slope: f64,
    /// The maximum deviation from the line per microsecond.
    pub(super) drift: f64,
    /// The time until which this holds.
    pub(super) until: f64,
}

impl Course {
    fn still(value: f64) -> Self {
        Self { value, slope: 0.0, drift: 0.0, until: f64::INFINITY }
    }

    /// The same value until a given time; unknown afterwards.
    fn stays(value: f64, until: f64) -> Self {
        Self { until, ..Self::still(value) }
    }

    /// An unknown value that may change after a given time.
    fn unknown(until: f64) -> Self {
        Self::stays(f64::NAN, until)
    }

    fn is_known(self) -> bool {
        !self.value.is_nan()
    }

    fn moves(self) -> bool {
        self.slope != 0.0 || self.drift != 0.0
    }

    /// The maximum change per microsecond.
    fn rate(self) -> f64 {
        self.slope.abs() + self.drift
    }

    pub(super) fn times(self, factor: f64) -> Self {
        Self { value: self.value * factor, slope: self.slope * factor, drift: self.drift * factor.abs(), ..self }
    }
}

/// The evaluation of a condition at one moment.
pub(super) struct Outlook<'a> {
    program: &'a Program,
    numbers: &'a mut Memory,
    frame: Frame,
    /// How long a value that cannot be solved is assumed to stay.
    poll: f64,
}

/// The first whole microsecond after now that is not before a given time.
pub(super) fn moment_after(now: f64, until: f64) -> Time {
    if until < Time::NEVER.micros() {
        // Rounding errors must not cost a whole microsecond, and time has to advance.
        Time((until - 1e-4).whole_above().larger(now + 1.0) as u64)
    } else {
        Time::NEVER
    }
}

impl Program {
    /// The first time after now at which a condition may have a different value without an event; [`Time::NEVER`] if it
    /// does not change with time.
    pub(crate) fn next_change(&self, condition: FormulaId, numbers: &mut Memory, frame: &Frame) -> Time {
        let until = Outlook::new(self, numbers, *frame).course(&self.formula(condition).tree).until;
        moment_after(frame.now, until)
    }
}

impl<'a> Outlook<'a> {
    pub(super) fn new(program: &'a Program, numbers: &'a mut Memory, frame: Frame) -> Self {
        Self { program, numbers, frame, poll: frame.now + POLL.micros() }
    }

    pub(super) fn course(&mut self, tree: &Tree) -> Course {
        match &tree.kind {
            TreeKind::Constant(value) => Course::still(*value),
            TreeKind::Read(read) => self.read(*read),
            TreeKind::Unary(op, a) => {
                let a = self.course(a);
                match op {
                    UnaryOp::Negate => Course { value: -a.value, slope: -a.slope, ..a },
                    UnaryOp::Abs => Course { value: a.value.abs(), slope: 0.0, drift: a.rate(), ..a },
                    UnaryOp::Not if !a.is_known() => a,
                    op => self.steady(op.apply(a.value), &[a]),
                }
            }
            TreeKind::Binary(op, a, b) => self.binary(*op, a, b),
            TreeKind::And(a, b) => self.both(a, b, 0.0),
            TreeKind::Or(a, b) => self.both(a, b, 1.0),
            TreeKind::If(parts) => {
                let condition = self.course(&parts[0]);
                if !condition.is_known() {
                    let branches = parts[1..].iter().map(|branch| self.course(branch).until);
                    return Course::unknown(branches.fold(condition.until, f64::smaller));
                }
                let branch = self.course(&parts[if condition.value != 0.0 { 1 } else { 2 }]);
                Course { until: branch.until.smaller(condition.until), ..branch }
            }
            TreeKind::Let(local, bound, body) => {
                let bound = self.course(bound);
                self.numbers.set_local(*local, bound.value);
                let body = self.course(body);
                let until = if bound.moves() { self.poll } else { f64::INFINITY };
                Course { until: body.until.smaller(bound.until).smaller(until), ..body }
            }
            TreeKind::Curve(curve, x) => {
                let x = self.course(x);
                self.steady(self.program.curves[curve.index()].at(x.value), &[x])
            }
            TreeKind::Lerp(parts) => {
                let [a, b, share] = parts.each_ref().map(|part| self.course(part));
                self.steady(super::ops::lerp(a.value, b.value, share.value), &[a, b, share])
            }
            TreeKind::Near(counted, metres) => {
                let metres = self.course(metres);
                let value = self.numbers.near(&self.program.layout, &self.frame, *counted, metres.value);
                if !metres.is_known() {
                    return Course::unknown(metres.until);
                }
                let until = if metres.moves() { self.poll } else { self.next_crossing(*counted, metres.value) };
                Course::stays(value, until.smaller(metres.until))
            }
            // Drawn or requested again for each evaluation.
            TreeKind::Roll(..)
            | TreeKind::Streak(..)
            | TreeKind::Between(..)
            | TreeKind::Dice(..)
            | TreeKind::Game(..) => Course::unknown(self.poll),
        }
    }

    /// Two conditions, either of which decides the result alone if it has this value: while a deciding one lasts, the
    /// other does not matter.
    fn both(&mut self, a: &Tree, b: &Tree, decides: f64) -> Course {
        let (a, b) = (self.course(a), self.course(b));
        let sure = |one: Course| one.is_known() && (one.value != 0.0) == (decides != 0.0);
        match (sure(a), sure(b)) {
            (true, true) => Course::stays(decides, a.until.larger(b.until)),
            (true, false) => Course::stays(decides, a.until),
            (false, true) => Course::stays(decides, b.until),
            (false, false) => {
                let value = if a.is_known() && b.is_known() { 1.0 - decides } else { f64::NAN };
                Course::stays(value, a.until.smaller(b.until))
            }
        }
    }

    /// A value that is not linear in its parts: known while none of them changes.
    fn steady(&self, value: f64, parts: &[Course]) -> Course {
        let until = parts.iter().fold(f64::INFINITY, |until, part| until.smaller(part.until));
        let moves = parts.iter().any(|part| part.moves());
        Course::stays(value, if moves { until.smaller(self.poll) } else { until })
    }

    /// A value divided by a changing one: while the divisor is at least half of its current value, the result changes
    /// at most twice as fast as it does now.
    fn divide(&self, a: Course, b: Course) -> Course {
        let (value, size, until) = (a.value / b.value, b.value.abs(), a.until.smaller(b.until));
        if !value.is_finite() {
            return self.steady(f64::NAN, &[a, b]);
        }
        let drift = 2.0 * (a.rate() + value.abs() * b.rate()) / size;
        let half = (self.frame.now + size / (2.0 * b.rate())).larger(self.poll);
        Course { value, slope: 0.0, drift, until: until.smaller(half) }
    }

    fn binary(&mut self, op: BinaryOp, a: &Tree, b: &Tree) -> Course {
        if let Some(course) = self.distance_against(op, a, b) {
            return course;
        }
        let (a, b) = (self.course(a), self.course(b));
        let until = a.until.smaller(b.until);
        match op {
            BinaryOp::Add => {
                Course { value: a.value + b.value, slope: a.slope + b.slope, drift: a.drift + b.drift, until }
            }
            BinaryOp::Subtract => {
                Course { value: a.value - b.value, slope: a.slope - b.slope, drift: a.drift + b.drift, until }
            }
            BinaryOp::Multiply if !a.moves() => Course { until, ..b.times(a.value) },
            BinaryOp::Multiply if !b.moves() => Course { until, ..a.times(b.value) },
            BinaryOp::Divide if !b.moves() && b.value != 0.0 => {
                Course { value: a.value / b.value, slope: a.slope / b.value, drift: a.drift / b.value.abs(), until }
            }
            BinaryOp::Divide => self.divide(a, b),
            BinaryOp::Multiply | BinaryOp::Power => self.steady(op.apply(a.value, b.value), &[a, b]),
            BinaryOp::Min | BinaryOp::Max if a.drift + b.drift > 0.0 => {
                Course { value: op.apply(a.value, b.value), slope: 0.0, drift: a.rate().larger(b.rate()), until }
            }
            BinaryOp::Min | BinaryOp::Max => {
                let first = (op.apply(a.value, b.value) == a.value) == (a.value != b.value || a.slope <= b.slope);
                let course = if first { a } else { b };
                Course { until: until.smaller(self.crossing(a, b)), ..course }
            }
            BinaryOp::Less
            | BinaryOp::AtMost
            | BinaryOp::Greater
            | BinaryOp::AtLeast
            | BinaryOp::Equal
            | BinaryOp::Unequal
                if a.is_known() && b.is_known() =>
            {
                Course::stays(op.apply(a.value, b.value), until.smaller(self.crossing(a, b)))
            }
            _ => Course::unknown(until),
        }
    }

    /// When two values are next equal or cease to be equal; if they drift, the earliest possible time, but not before
    /// the next poll.
    fn crossing(&self, a: Course, b: Course) -> f64 {
        let slope = a.slope - b.slope;
        let drift = a.drift + b.drift;
        if drift > 0.0 {
            return (self.frame.now + (b.value - a.value).abs() / (slope.abs() + drift)).larger(self.poll);
        }
        if slope == 0.0 {
            return f64::INFINITY;
        }
        let micros = (b.value - a.value) / slope;
        // Already past: the difference only grows.
        if micros < -0.5 { f64::INFINITY } else { self.frame.now + micros.larger(0.0) }
    }

    /// A distance compared with a known constant.
    fn distance_against(&mut self, op: BinaryOp, a: &Tree, b: &Tree) -> Option<Course> {
        let is_distance = |tree: &Tree| matches!(tree.kind, TreeKind::Read(Read::Distance));
        let (distance_first, other) = match (is_distance(a), is_distance(b)) {
            (true, false) => (true, b),
            (false, true) => (false, a),
            _ => return None,
        };
        let compares = !matches!(
            op,
            BinaryOp::Add
                | BinaryOp::Subtract
                | BinaryOp::Multiply
                | BinaryOp::Divide
                | BinaryOp::Power
                | BinaryOp::Min
                | BinaryOp::Max
        );
        if !compares {
            return None;
        }
        let limit = self.course(other);
        if !limit.is_known() || limit.moves() {
            return None;
        }
        let (me, you) = (self.frame.block(Role::Caster), self.frame.block(Role::Target));
        let distance = self.numbers.distance(me, you, self.frame.now);
        let holds = if distance_first { op.apply(distance, limit.value) } else { op.apply(limit.value, distance) };
        Some(Course::stays(holds, self.pair_crossing(me, you, limit.value).smaller(limit.until)))
    }

    /// When two combatants are next at a given distance.
    fn pair_crossing(&self, me: usize, you: usize, metres: f64) -> f64 {
        let now = self.frame.now;
        let away = minus(self.numbers.place(you, now), self.numbers.place(me, now));
        let closing = self.closing(me, you);
        let apart = (away[0] * away[0] + away[1] * away[1]).sqrt();
        if (apart - metres).abs() <= HAIR && !is_nowhere(closing) {
            // At the edge, up to rounding errors, a later moment decides: the next one, unless the distance hardly changes.
            return now + (HAIR / length(closing) * 1e6).larger(1.0);
        }
        let inside = away[0] * away[0] + away[1] * away[1] <= metres * metres;
        let seconds =
            if inside { parting(away, closing, 0.0, metres + 2.0 * HAIR) } else { meeting(away, closing, 0.0, metres) };
        seconds.map_or(f64::INFINITY, |seconds| now + seconds * 1e6)
    }

    fn closing(&self, me: usize, you: usize) -> Plane {
        minus(self.numbers.course(you), self.numbers.course(me))
    }

    /// When a combatant next enters or leaves a distance around the caster.
    fn next_crossing(&self, counted: Counted, metres: f64) -> f64 {
        let layout = &self.program.layout;
        let me = self.frame.block(Role::Caster);
        let side = |block: usize| self.numbers.at(block + Layout::SIDE.index());
        let blocks = (layout.blocks as usize..self.numbers.numbers().len()).step_by(usize::from(layout.stride));
        let concerned = blocks.filter(|block| match counted {
            Counted::Enemies => side(*block) != side(me),
            Counted::Allies | Counted::Others => side(*block) == side(me),
            Counted::Everyone => true,
        });
        concerned.filter(|block| *block != me && self.numbers.at(block + Layout::STANDS.index()) == 1.0).fold(
            f64::INFINITY,
            |until, block| {
                let metres = metres + self.numbers.body(block);
                until.smaller(self.pair_crossing(me, block, metres))
            },
        )
    }

    fn read(&self, read: Read) -> Course {
        let slot = |role: Role, slot: Slot| self.numbers.at(self.frame.block(role) + slot.index());
        match read {
            Read::Attribute(role, at) | Read::Standing(role, at) => Course::still(slot(role, at)),
            Read::Typed(role, at) => Course::still(self.numbers.at(self.frame.typed(role) + at.index())),
            Read::Local(local) => Course::still(self.numbers.at(usize::from(local))),
            Read::Now => Course { slope: 1e-6, ..Course::still(self.frame.now_seconds()) },
            Read::Threat => Course::still(self.numbers.threat.between(self.frame.pair)),
            Read::Angle => {
                let (me, you) = (self.frame.block(Role::Caster), self.frame.block(Role::Target));
                let value = self.numbers.angle(me, you, self.frame.now);
                if is_nowhere(self.closing(me, you)) { Course::still(value) } else { Course::stays(value, self.poll) }
            }
            Read::Distance => {
                let (me, you) = (self.frame.block(Role::Caster), self.frame.block(Role::Target));
                let value = self.numbers.distance(me, you, self.frame.now);
                Course { drift: length(self.closing(me, you)) * 1e-6, ..Course::still(value) }
            }
            Read::Pool(role, pool, part) => {
                self.pool(self.frame.block(role) + self.program.layout.pool(pool).index(), part)
            }
        }
    }

    /// A pool of the target.
    pub(super) fn pool_of_target(&self, pool: PoolId, part: PoolPart) -> Course {
        self.pool(self.frame.block(Role::Target) + self.program.layout.pool(pool).index(), part)
    }

    fn pool(&self, first: usize, part: PoolPart) -> Course {
        let now = self.frame.now;
        let Some(pool) = self.numbers.pool_numbers(first) else { return Course::still(f64::NAN) };
        let [_, cap, rate, _, every] = *pool;
        let value = flow::amount(pool, now);
        let full = if rate > 0.0 { value >= cap } else { value <= 0.0 };
        let amount = if rate == 0.0 || full {
            Course::still(value)
        } else if every == 0.0 {
            let slope = rate / 1e6;
            let room = if rate > 0.0 { cap - value } else { value };
            Course { slope, ..Course::stays(value, now + room / slope.abs()) }
        } else {
            Course::stays(value, ((now / every).whole_below() + 1.0) * every)
        };
        match part {
            PoolPart::Amount => amount,
            PoolPart::Max => Course::still(cap),
            PoolPart::Missing => Course { value: cap - value, slope: -amount.slope, ..amount },
            PoolPart::Share if cap == 0.0 => Course::still(0.0),
            PoolPart::Share => Course { value: value / cap, slope: amount.slope / cap, ..amount },
        }
    }
}
