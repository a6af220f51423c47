//! Hits with their numbers filled in.
//!
//! Between the same two combatants a hit asks for the same chances and multiplies by the same
//! numbers, for as long as nobody's attributes or stacks change. So the second time that two meet
//! as they were, the operations of a hit are noted with their numbers, and what cannot happen (a
//! step without a chance, a factor of one, a pool that cannot hold anything) is left out. A note is
//! good for one version of both; a version is never used twice in a fight.

use super::state::State;
use crate::program::{
    Bases, CombatantId, HitOp, Memory, Operand, PoolId, QuickHit, QuickOp, Setup, SiteId, StepId, StepsEffect,
    StreamId, pool_slot,
};

/// Most notes that are kept; larger fights do without.
const MOST: usize = 1024;
/// Most operations of a noted hit.
const OPS: usize = 8;

/// An operation with its numbers.
#[derive(Clone, Copy, Debug)]
pub(super) enum FilledOp {
    /// With a chance the way ends at a step.
    Avoid { stream: StreamId, p: f64, step: StepId },
    /// With a chance marks are set and the amount is multiplied.
    Perhaps { stream: StreamId, p: f64, marks: u64, factor: f64, step: u16 },
    /// `amount * factor`
    Scale { factor: f64, step: u16 },
    /// `amount * factor / divisor`
    ScaleOver { factor: f64, divisor: f64, step: u16 },
    /// A pool of the target, by the index of its first number, takes what it can.
    Soak { pool: PoolId, first: usize, step: StepId },
}

/// What is known of one hit between two.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Known {
    /// They have met like this once, or never.
    Seen,
    /// The operations stand there.
    Filled,
    /// It cannot be noted.
    Unfit,
}

/// One hit of one combatant on another.
#[derive(Clone, Debug)]
pub(super) struct Filled {
    /// The fight's version at which it was last found to be good; none of them, if it is not.
    good_at: u64,
    versions: [u64; 2],
    known: Known,
    pub(super) len: usize,
    /// The amount that enters the first step, and how far chance of which stream spreads it.
    pub(super) amount: f64,
    pub(super) spread: f64,
    pub(super) stream: StreamId,
    /// One of these two has to be asked each time.
    pub(super) asks: bool,
    /// Index of the first number of the pool at the end of the way.
    pub(super) first: usize,
    pub(super) ops: [FilledOp; OPS],
}

/// Which combatant, as it is: told apart whenever an attribute or a number of stacks changes. Two
/// fights that are alike may count differently, so versions are no part of what makes them equal.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Version(pub(super) u64);

impl PartialEq for Version {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

/// All notes of a fight.
#[derive(Clone, Debug)]
pub(super) struct FilledHits {
    notes: Vec<Filled>,
    combatants: usize,
}

impl FilledHits {
    pub(super) fn of(setup: &Setup) -> Self {
        let combatants = setup.combatants.len();
        let all = setup.program.quick_hits as usize * combatants * combatants;
        Self { notes: if all <= MOST { vec![Filled::nothing(); all] } else { Vec::new() }, combatants }
    }

    /// Forgets everything: versions may begin to mean something else.
    pub(super) fn forget(&mut self) {
        for note in &mut self.notes {
            (note.good_at, note.versions) = (u64::MAX, [u64::MAX; 2]);
        }
    }

    #[inline(always)]
    pub(super) fn get(&self, place: usize) -> Option<&Filled> {
        self.notes.get(place)
    }

    /// Where the note of a hit is kept.
    #[inline(always)]
    pub(super) fn place(&self, hit: &Meeting) -> usize {
        (hit.quick.number as usize * self.combatants + hit.caster.index()) * self.combatants + hit.target.index()
    }

    /// Whether the note of a hit is good; if it is not, but could be, it is made.
    #[inline(always)]
    pub(super) fn holds(&mut self, place: usize, hit: &Meeting, state: &State, setup: &Setup) -> bool {
        match self.notes.get_mut(place) {
            Some(note) if note.good_at == state.version.0 => true,
            Some(note) => note.meet(hit, state, setup),
            None => false,
        }
    }
}

/// Who hits whom, and how.
pub(super) struct Meeting<'a> {
    pub(super) caster: CombatantId,
    pub(super) target: CombatantId,
    pub(super) effect: &'a StepsEffect,
    pub(super) quick: &'a QuickHit,
}

impl Filled {
    fn nothing() -> Self {
        Self {
            good_at: u64::MAX,
            versions: [u64::MAX; 2],
            known: Known::Seen,
            len: 0,
            amount: f64::NAN,
            spread: f64::NAN,
            stream: StreamId(0),
            asks: true,
            first: 0,
            ops: [FilledOp::Scale { factor: 1.0, step: 0 }; OPS],
        }
    }

    /// A hit with certain numbers, if nothing but its amount has to be asked each time.
    pub(super) fn with(hit: &Meeting, memory: &Memory, setup: &Setup) -> Option<Self> {
        let mut filled = Self::nothing();
        filled.fill(hit, memory, setup)?;
        (!filled.spread.is_nan()).then_some(filled)
    }

    #[inline(never)]
    fn meet(&mut self, hit: &Meeting, state: &State, setup: &Setup) -> bool {
        let versions = [state.actors[hit.caster].version.0, state.actors[hit.target].version.0];
        if self.versions != versions {
            (self.good_at, self.versions, self.known) = (u64::MAX, versions, Known::Seen);
            return false;
        }
        if self.known == Known::Seen {
            let filled = self.fill(hit, &state.memory, setup).is_some();
            self.known = if filled { Known::Filled } else { Known::Unfit };
        }
        let good = self.known == Known::Filled;
        self.good_at = if good { state.version.0 } else { u64::MAX };
        good
    }

    /// Notes all operations with their numbers, if that can be done.
    fn fill(&mut self, hit: &Meeting, memory: &Memory, setup: &Setup) -> Option<()> {
        let program = &setup.program;
        let bases = Bases::new(program, hit.caster, hit.target);
        let number = |operand| {
            let value = program.layout.lasting(operand).then(|| memory.at(bases.index(operand)))?;
            value.is_finite().then_some(value)
        };
        let streams = u32::from(hit.caster.0) * program.sites.len() as u32;
        let quick = hit.quick;
        self.amount = quick.amount.and_then(number).unwrap_or(f64::NAN);
        self.spread = quick.spread.map_or(Some(0.0), |(spread, _)| number(spread)).unwrap_or(f64::NAN);
        self.asks = self.amount.is_nan() || self.spread.is_nan();
        self.stream = StreamId(streams + quick.spread.map_or(0, |(_, site)| site.0));
        self.first = program.place(hit.target, program.layout.pool(hit.effect.pool));
        self.len = 0;
        let mut next = 0;
        while let Some(QuickOp { op, step }) = quick.ops.get(next).copied() {
            next += 1;
            let id = hit.effect.steps[usize::from(step)].id;
            match op {
                HitOp::If(a, skip) => next += if number(a)? <= 0.0 { usize::from(skip) } else { 0 },
                HitOp::Roll(site, a, skip) => {
                    next +=
                        self.roll(site, number(a)?, streams, (step, id), &quick.ops[next..][..skip.into()], number)?;
                }
                HitOp::RollLess(site, a, b, skip) => {
                    let p = number(a)? - number(b)?;
                    next += self.roll(site, p, streams, (step, id), &quick.ops[next..][..skip.into()], number)?;
                }
                HitOp::Mark(_) | HitOp::Stop => {
                    let always = &quick.ops[next - 1..next];
                    self.push(perhaps(StreamId(0), 1.0, (step, id), always, number)?)?;
                }
                HitOp::Scale(a) => {
                    let factor = number(a)?;
                    if factor != 1.0 {
                        self.push(FilledOp::Scale { factor, step })?;
                    }
                }
                HitOp::ScaleOver(a, b) => {
                    self.push(FilledOp::ScaleOver { factor: number(a)?, divisor: number(b)?, step })?;
                }
                HitOp::Soak(pool, first) => {
                    let first = bases.of_target(first);
                    if memory.at(first + usize::from(pool_slot::CAP)) > 0.0 {
                        self.push(FilledOp::Soak { pool, first, step: id })?;
                    }
                }
            }
        }
        Some(())
    }

    /// Notes what happens with a chance, if there is one; gives how many operations that is about.
    fn roll(
        &mut self,
        site: SiteId,
        p: f64,
        streams: u32,
        step: (u16, StepId),
        body: &[QuickOp],
        number: impl Fn(Operand) -> Option<f64>,
    ) -> Option<usize> {
        if p > 0.0 {
            self.push(perhaps(StreamId(streams + site.0), p, step, body, number)?)?;
        }
        Some(body.len())
    }

    fn push(&mut self, op: FilledOp) -> Option<()> {
        *self.ops.get_mut(self.len)? = op;
        self.len += 1;
        Some(())
    }
}

/// What happens with a chance, if it is of the commonest kinds: the end, or marks and a factor.
fn perhaps(
    stream: StreamId,
    p: f64,
    (step, id): (u16, StepId),
    body: &[QuickOp],
    number: impl Fn(Operand) -> Option<f64>,
) -> Option<FilledOp> {
    let (mut marks, mut factor) = (0, 1.0);
    for (at, one) in body.iter().enumerate() {
        match one.op {
            HitOp::Mark(more) => marks |= more,
            HitOp::Scale(a) if at + 1 == body.len() => factor = number(a)?,
            HitOp::Stop if body.len() == 1 => return Some(FilledOp::Avoid { stream, p, step: id }),
            _ => return None,
        }
    }
    Some(FilledOp::Perhaps { stream, p, marks, factor, step })
}
