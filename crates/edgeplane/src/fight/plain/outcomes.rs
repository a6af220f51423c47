//! What moves and ticks bring about, with their numbers.

use super::plan::PlainPlan;
use super::settled::{Reads, Settling};
use super::statuses::Span;
use crate::fight::filled::{Filled, FilledOp, Meeting};
use crate::fight::held::ticks_within;
use crate::fight::inflict::LEAST_PERIOD;
use crate::program::{
    CombatantId, DamageTypeId, Draws, Effect, FormulaId, Frame, Layout, Memory, NoChance, OutcomePlan, PoolEffect,
    PoolEffectKind, PoolId, Setup, SiteId, StatusId, StepId, StepsEffect, StreamId, Time,
};
use crate::rules::Receiver;

/// Amounts are kept so far from the largest number that none can become infinite.
const LARGEST: f64 = 1e280;

/// Something that a move or a tick brings about.
#[derive(Clone, Copy, Debug)]
pub(super) struct SettledOutcome {
    /// Who receives it.
    pub(super) receiver: CombatantId,
    /// How likely it is, and where that is drawn.
    pub(super) chance: f64,
    pub(super) stream: StreamId,
    pub(super) what: SettledEffect,
}

/// An application: of which status, how many stacks, and its span by its cursor.
#[derive(Clone, Copy, Debug)]
pub(super) struct Dose {
    pub(super) status: u16,
    pub(super) span: u16,
    pub(super) stacks: u32,
    /// Where it is drawn whether it is resisted.
    pub(super) resist: StreamId,
}

impl SettledOutcome {
    pub(super) const NOTHING: Self =
        Self { receiver: CombatantId(0), chance: 0.0, stream: StreamId(0), what: SettledEffect::Hit(0) };
}

/// Numbers that hang on stacks stand where a cursor says.
#[derive(Clone, Copy, Debug)]
pub(super) enum SettledEffect {
    /// A hit, by its cursor.
    Hit(u16),
    /// A pool gains an amount, by its cursor.
    Restore(u16, u16),
    /// A status is applied.
    Inflict(Dose),
}

/// What becomes of an amount.
#[derive(Clone, Debug)]
pub(super) enum Way {
    /// In the commonest order: no jump hangs on what a step is.
    Common(CommonSteps),
    /// One operation after the other.
    Steps(Vec<FilledOp>),
}

/// Steps in their commonest order, each of which may not be there.
#[derive(Clone, Debug, Default)]
pub(super) struct CommonSteps {
    pub(super) avoid: Option<Avoid>,
    pub(super) perhaps: Option<Perhaps>,
    /// Times the first, over the second; so many of them.
    pub(super) scales: [(f64, f64); 2],
    pub(super) scaled: u8,
    pub(super) soak: Option<(PoolId, StepId)>,
}

/// A way around the hit, perhaps.
#[derive(Clone, Copy, Debug)]
pub(super) struct Avoid {
    pub(super) p: f64,
    pub(super) stream: StreamId,
    pub(super) step: StepId,
}

/// A factor and its marks, perhaps.
#[derive(Clone, Copy, Debug)]
pub(super) struct Perhaps {
    pub(super) p: f64,
    pub(super) factor: f64,
    pub(super) marks: u64,
    pub(super) stream: StreamId,
}

impl Way {
    fn of(ops: &[FilledOp]) -> Self {
        CommonSteps::of(ops).map_or_else(|| Self::Steps(ops.to_vec()), Self::Common)
    }
}

/// Whether something is neither certain nor out of the question.
fn is_open(p: f64) -> bool {
    p > 0.0 && p < 1.0
}

impl CommonSteps {
    fn of(mut ops: &[FilledOp]) -> Option<Self> {
        let mut steps = Self::default();
        if let [FilledOp::Avoid { stream, p, step }, rest @ ..] = ops
            && *p < 1.0
        {
            steps.avoid = is_open(*p).then_some(Avoid { p: *p, stream: *stream, step: *step });
            ops = rest;
        }
        if let [FilledOp::Perhaps { stream, p, marks, factor, .. }, rest @ ..] = ops
            && *p < 1.0
        {
            let perhaps = Perhaps { p: *p, factor: *factor, marks: *marks, stream: *stream };
            steps.perhaps = is_open(*p).then_some(perhaps);
            ops = rest;
        }
        for scale in &mut steps.scales {
            match ops {
                [FilledOp::Scale { factor, .. }, rest @ ..] => (*scale, ops) = ((*factor, 1.0), rest),
                [FilledOp::ScaleOver { factor, divisor, .. }, rest @ ..] => (*scale, ops) = ((*factor, *divisor), rest),
                _ => continue,
            }
            steps.scaled += 1;
        }
        if let [FilledOp::Soak { pool, step, .. }, rest @ ..] = ops {
            (steps.soak, ops) = (Some((*pool, *step)), rest);
        }
        ops.is_empty().then_some(steps)
    }
}

/// A hit of one on another.
#[derive(Clone, Debug)]
pub(super) struct Hit {
    pub(super) amount: f64,
    /// How far chance of which stream spreads it.
    pub(super) spread: Option<(f64, StreamId)>,
    pub(super) way: Way,
    pub(super) damage_type: DamageTypeId,
    pub(super) pool: usize,
    /// How much of a threat each point makes of the one who hits.
    pub(super) threat: f64,
}

impl Hit {
    /// The pools that it may change, one bit each.
    pub(super) fn pools(&self) -> u64 {
        let soaks = match &self.way {
            Way::Common(steps) => steps.soak.map_or(0, |(pool, _)| 1 << pool.0),
            Way::Steps(ops) => ops.iter().fold(0, |pools, op| match op {
                FilledOp::Soak { pool, .. } => pools | 1 << pool.0,
                _ => pools,
            }),
        };
        soaks | 1 << self.pool
    }
}

/// A status that ticks, and on whom.
pub(super) type Ticking = Option<(CombatantId, usize)>;

impl PlainPlan {
    /// Takes on what an ability or a tick (of the status that is `ticking`) brings about; gives where that stands.
    pub(super) fn take_outcomes(
        &mut self,
        settling: &mut Settling,
        does: &[OutcomePlan],
        caster: CombatantId,
        target: CombatantId,
        ticking: Ticking,
    ) -> Option<(u16, u16)> {
        let first = self.outcomes.len();
        for outcome in does {
            let receiver = receiver_of(outcome, caster, target, ticking.is_some())?;
            let meeting = Reads { caster, target: receiver, of: [0; 2] };
            let what = match &outcome.effect {
                Effect::Hit(effect) => SettledEffect::Hit(self.take_hit(settling, effect, meeting, ticking)?),
                Effect::Pool(PoolEffect { kind: PoolEffectKind::Restore, pool, amount }) => {
                    let (reads, rounding) = (meeting.and(&settling.setup.program, *amount)?, self.rounding);
                    let cursor = settling.settle(&mut self.amounts, reads, ticking, |setup, memory, stacks| {
                        let amount = number(setup, memory, *amount, caster, receiver, stacks)?;
                        Some(rounding.apply(amount.max(0.0)))
                    })?;
                    SettledEffect::Restore(pool.index() as u16, cursor)
                }
                Effect::Inflict(status, stacks, duration) if ticking.is_none() => {
                    let stacks = match stacks {
                        Some(stacks) => fixed(settling, *stacks, meeting)?.min(f64::from(u32::MAX)) as u32,
                        None => 1,
                    };
                    if stacks == 0 {
                        continue;
                    }
                    let place = settling.statuses.iter().position(|known| known == status)? as u16;
                    let span = self.take_span(settling, *status, *duration, meeting, stacks)?;
                    let site = settling.setup.program.status(*status).resist.map_or(SiteId::LOT, |(_, site)| site);
                    let resist = Frame::new(&settling.setup.program, caster, receiver, 0, 0.0).stream(site);
                    SettledEffect::Inflict(Dose { status: place, span, stacks, resist })
                }
                _ => return None,
            };
            let (chance, site) = match outcome.chance {
                Some((chance, site)) => (fixed(settling, chance, meeting)?, site),
                None => (1.0, SiteId::LOT),
            };
            let stream = Frame::new(&settling.setup.program, caster, receiver, 0, 0.0).stream(site);
            self.outcomes.push(SettledOutcome { receiver, chance, stream, what })?;
        }
        Some((u16::try_from(first).ok()?, u16::try_from(self.outcomes.len()).ok()?))
    }

    fn take_hit(
        &mut self,
        settling: &mut Settling,
        effect: &StepsEffect,
        meeting: Reads,
        ticking: Ticking,
    ) -> Option<u16> {
        let program = &settling.setup.program;
        let quick = effect.quick.as_ref()?;
        if !quick.operands().all(|operand| program.layout.is_steady(operand)) {
            return None;
        }
        let mut reads = quick.operands().fold(meeting, Reads::and_operand);
        if quick.amount.is_none() {
            reads = reads.and(program, effect.amount)?;
        }
        let threat = program.threat.and_then(|threat| threat.damage);
        if let Some(factor) = threat {
            reads = reads.and(program, factor)?;
        }
        let Reads { caster, target, .. } = meeting;
        settling.settle(&mut self.hits, reads, ticking, |setup, memory, stacks| {
            let note = Filled::with(&Meeting { caster, target, effect, quick }, memory, setup)?;
            let amount = match quick.amount {
                Some(_) => note.amount,
                None => number(setup, memory, effect.amount, caster, target, stacks)?,
            };
            let ops = note.ops.get(..note.len)?.to_vec();
            let threat = match threat {
                Some(factor) => number(setup, memory, factor, caster, target, 0)?,
                None => 0.0,
            };
            stays_finite(amount, note.spread, &ops).then(|| Hit {
                amount,
                spread: quick.spread.map(|_| (note.spread, note.stream)),
                way: Way::of(&ops),
                damage_type: effect.damage_type,
                pool: effect.pool.index(),
                threat,
            })
        })
    }

    /// How long an application lasts and how it ticks.
    fn take_span(
        &mut self,
        settling: &mut Settling,
        status: StatusId,
        duration: Option<FormulaId>,
        meeting: Reads,
        stacks: u32,
    ) -> Option<u16> {
        let program = &settling.setup.program;
        let plan = program.status(status);
        let Reads { caster, target, .. } = meeting;
        let resist = plan.resist.map(|(resist, _)| resist);
        let period = plan.every.as_ref().map(|every| every.period);
        let formulas = [duration.or(plan.duration), period, resist];
        let reads = formulas.into_iter().flatten().try_fold(meeting, |reads, formula| reads.and(program, formula))?;
        settling.settle(&mut self.spans, reads, None, |setup, memory, _| {
            let mut number = |formula| number(setup, memory, formula, caster, target, stacks);
            let resist = match resist {
                Some(resist) => number(resist)?,
                None => 0.0,
            };
            let mut time = |formula| {
                let seconds = number(formula)?;
                (seconds >= 0.0).then(|| Time::from_seconds(seconds))
            };
            let duration = match duration.or(plan.duration) {
                Some(formula) => time(formula)?,
                None => Time::NEVER,
            };
            let Some(every) = &plan.every else {
                return Some(Span { duration, period: Time::ZERO, ticks: 0.0, resist });
            };
            let period = time(every.period)?.max(LEAST_PERIOD);
            Some(Span { duration, period, ticks: ticks_within(every, duration, period), resist })
        })
    }
}

/// Who receives an outcome, if that is one who is known and nothing else decides whether it happens.
pub(super) fn receiver_of(
    outcome: &OutcomePlan,
    caster: CombatantId,
    target: CombatantId,
    ticks: bool,
) -> Option<CombatantId> {
    match outcome.to {
        _ if outcome.when.is_some() => None,
        Receiver::Target => Some(target),
        Receiver::Caster => Some(caster),
        // A status is its owner's, an ability its caster's.
        Receiver::Owner => Some(if ticks { target } else { caster }),
        _ => None,
    }
}

/// The value of a formula, with the stacks of the status at hand.
fn number(
    setup: &Setup,
    memory: &mut Memory,
    formula: FormulaId,
    caster: CombatantId,
    target: CombatantId,
    stacks: u32,
) -> Option<f64> {
    let frame = Frame::new(&setup.program, caster, target, 0, 0.0);
    for (local, value) in [(Layout::STACKS, f64::from(stacks)), (Layout::TICK, 0.0), (Layout::ELAPSED, 0.0)] {
        memory.set_local(local, value);
    }
    let value = setup.program.number(formula, memory, &frame, &mut NoChance, &mut Draws::default());
    value.ok().filter(|value| value.is_finite())
}

/// The value of a formula that no status can change; nothing below zero.
fn fixed(settling: &Settling, formula: FormulaId, meeting: Reads) -> Option<f64> {
    let setup = settling.setup;
    let Reads { caster, target, of } = meeting.and(&setup.program, formula)?;
    let changes = settling.may_change(caster, of[0]) || settling.may_change(target, of[1]);
    let value = number(setup, &mut setup.memory.clone(), formula, caster, target, 0)?;
    (!changes && value >= 0.0).then_some(value)
}

/// Whether no amount can grow beyond all numbers on its way.
fn stays_finite(amount: f64, spread: f64, ops: &[FilledOp]) -> bool {
    let mut most = amount.abs() * (1.0 + spread.abs());
    let mut times = |factor: f64| {
        most *= factor.abs().max(1.0);
        most < LARGEST
    };
    let ops = ops.iter().all(|op| match *op {
        FilledOp::Perhaps { factor, .. } | FilledOp::Scale { factor, .. } => times(factor),
        FilledOp::ScaleOver { factor, divisor, .. } => times(factor) && times(1.0 / divisor),
        FilledOp::Avoid { .. } | FilledOp::Soak { .. } => true,
    });
    ops && most < LARGEST
}
