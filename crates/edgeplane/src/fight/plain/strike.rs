//! What moves and ticks do to pools.

use super::holding::inflict;
use super::lane::{Does, Lane, Part};
use super::live::{Live, Step, rehearse, rehearse_outcome};
use super::outcomes::{CommonSteps, SettledEffect, SettledOutcome, Way};
use super::plan::{Fighter, MOST_FIGHTERS, MOST_LINES, MOST_POOLS, PlainPlan};
use super::settled::MOST_CURSORS;
use crate::fight::event::{Event, Observer, Source};
use crate::fight::filled::FilledOp;
use crate::program::{Chance, CombatantId, PoolId, StepId, flow, pool_slot};

/// What came of adding to a pool or taking from it.
struct Change {
    moved: f64,
    over: f64,
    left: f64,
}

/// Everything that a move or a tick brings about for those who stand.
#[inline(always)]
pub(super) fn bring_all<C: Chance, O: Observer, const TWO: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    (caster, source): (CombatantId, Source),
    (first, end): (u16, u16),
) {
    for place in first..end {
        let outcome = &plan.outcomes[usize::from(place)];
        if lane.part == Part::Rehearsing && rehearse_outcome(plan, lane, observer, (caster, source), outcome) {
            continue;
        }
        let stands = TWO || lane.bodies[outcome.receiver.index() % MOST_FIGHTERS].stands;
        if !stands || outcome.chance < 1.0 && !happens(chance, outcome) {
            continue;
        }
        let between = (caster, outcome.receiver, source);
        match outcome.what {
            SettledEffect::Hit(cursor) => strike(plan, lane, chance, observer, between, at(lane, cursor)),
            SettledEffect::Restore(pool, cursor) => {
                let amount = at(lane, cursor);
                restore(plan, lane, observer, between, pool, amount);
            }
            SettledEffect::Inflict(dose) => inflict(plan, lane, chance, observer, (caster, outcome.receiver), dose),
        }
    }
}

#[inline(never)]
fn happens<C: Chance>(chance: &mut C, outcome: &SettledOutcome) -> bool {
    chance.chance(outcome.stream, outcome.chance)
}

/// Where a cursor stands.
#[inline(always)]
pub(super) fn at(lane: &Lane, cursor: u16) -> usize {
    lane.cursors[usize::from(cursor) % MOST_CURSORS] as usize
}

/// A hit, out of line: so nothing of it is made ready for a next one, which seldom comes.
#[inline(never)]
pub(super) fn strike<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    between: (CombatantId, CombatantId, Source),
    hit: usize,
) {
    strike_here(plan, lane, chance, observer, between, hit);
}

/// A hit.
#[inline(always)]
pub(super) fn strike_here<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    (caster, target, source): (CombatantId, CombatantId, Source),
    hit: usize,
) {
    if lane.part == Part::Rehearsing {
        return rehearse(plan, lane, observer, Step::certain((caster, target, source), Live::Hit(hit)));
    }
    let hit = &plan.hits[hit];
    let mut initial = hit.amount;
    if let Some((spread, stream)) = hit.spread {
        initial *= 1.0 + spread * (2.0 * chance.uniform(stream) - 1.0);
    }
    let initial = initial.max(0.0);
    let (amount, marks, stopped) = match &hit.way {
        Way::Common(steps) => steps_in_a_row(plan, lane, chance, observer, target, (steps, initial)),
        Way::Steps(ops) => step_by_step(plan, lane, chance, observer, target, (ops, initial)),
    };
    let amount = plan.rounding.apply(amount);
    let Change { moved: dealt, over, left } = take(plan, lane, target, hit.pool, amount);
    if dealt > 0.0 {
        lane.bodies[target.index() % MOST_FIGHTERS].hurt_by = Some((caster, source));
        if plan.threatens {
            let threat = &mut lane.bodies[target.index() % MOST_FIGHTERS].threat[caster.index() % MOST_FIGHTERS];
            *threat = (*threat + hit.threat * dealt).max(0.0);
        }
    }
    let (damage_type, pool) = (hit.damage_type, PoolId(hit.pool as u16));
    observer.event(
        lane.now,
        Event::Hit { caster, target, source, damage_type, pool, initial, amount, dealt, over, left, stopped, marks },
    );
}

/// What is left of an amount, its marks, and where it ended before its time.
type Left = (f64, u64, Option<StepId>);

#[inline(always)]
fn steps_in_a_row<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    target: CombatantId,
    (steps, initial): (&CommonSteps, f64),
) -> Left {
    let CommonSteps { avoid, perhaps, scales, scaled, soak } = steps;
    if let Some(avoid) = avoid
        && chance.perhaps(avoid.stream, avoid.p)
    {
        return (0.0, 0, Some(avoid.step));
    }
    let (mut amount, mut marks) = (initial, 0);
    if let Some(perhaps) = perhaps
        && chance.perhaps(perhaps.stream, perhaps.p)
    {
        (amount, marks) = ((amount * perhaps.factor).max(0.0), perhaps.marks);
    }
    if *scaled > 0 {
        amount = (amount * scales[0].0 / scales[0].1).max(0.0);
        if *scaled > 1 {
            amount = (amount * scales[1].0 / scales[1].1).max(0.0);
        }
    }
    if let Some((pool, step)) = soak {
        amount = self::soak(plan, lane, observer, target, *pool, *step, amount);
    }
    (amount, marks, None)
}

#[inline(never)]
fn step_by_step<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    target: CombatantId,
    (ops, initial): (&[FilledOp], f64),
) -> Left {
    let (mut amount, mut marks) = (initial, 0);
    for op in ops {
        match *op {
            FilledOp::Avoid { stream, p, step } => {
                if chance.chance(stream, p) {
                    return (0.0, marks, Some(step));
                }
            }
            FilledOp::Perhaps { stream, p, marks: more, factor, .. } => {
                if chance.chance(stream, p) {
                    marks |= more;
                    amount = (amount * factor).max(0.0);
                }
            }
            FilledOp::Scale { factor, .. } => amount = (amount * factor).max(0.0),
            FilledOp::ScaleOver { factor, divisor, .. } => amount = (amount * factor / divisor).max(0.0),
            FilledOp::Soak { pool, step, .. } => amount = soak(plan, lane, observer, target, pool, step, amount),
        }
    }
    (amount, marks, None)
}

#[inline(always)]
fn soak<O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    observer: &mut O,
    target: CombatantId,
    pool: PoolId,
    step: StepId,
    amount: f64,
) -> f64 {
    let [held, _, rate, ..] = lane.bodies[target.index() % MOST_FIGHTERS].pools[pool.index() % MOST_POOLS];
    if held <= 0.0 && rate <= 0.0 {
        return amount;
    }
    let Change { moved, over, left } = take(plan, lane, target, pool.index(), amount);
    if moved > 0.0 {
        observer.event(lane.now, Event::Soaked { target, step, pool, amount: moved, left });
    }
    over
}

#[inline(never)]
pub(super) fn restore<O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    observer: &mut O,
    (caster, target, source): (CombatantId, CombatantId, Source),
    pool: u16,
    amount_at: usize,
) {
    let more = plan.amounts[amount_at];
    let place = usize::from(pool) % MOST_POOLS;
    let before = amount(lane, target, place);
    let cap = lane.bodies[target.index() % MOST_FIGHTERS].pools[place][usize::from(pool_slot::CAP)];
    let fits = before + more < cap;
    let (gained, left) = if fits { (more, before + more) } else { (cap - before, cap) };
    if gained > 0.0 {
        put(plan, lane, target, place, left);
    }
    let (pool, over) = (PoolId(pool), more - gained);
    observer.event(lane.now, Event::Restored { caster, target, source, pool, gained, over, left });
}

/// What a pool holds now.
#[inline(always)]
pub(super) fn amount(lane: &Lane, who: CombatantId, pool: usize) -> f64 {
    flow::amount(&lane.bodies[who.index() % MOST_FIGHTERS].pools[pool % MOST_POOLS], lane.micros)
}

#[inline(always)]
fn take(plan: &PlainPlan, lane: &mut Lane, who: CombatantId, pool: usize, most: f64) -> Change {
    let before = amount(lane, who, pool);
    if before == 0.0 {
        return Change { moved: 0.0, over: most, left: 0.0 };
    }
    let moved = if most < before { most } else { before };
    let left = before - moved;
    if moved > 0.0 {
        put(plan, lane, who, pool, left);
    }
    Change { moved, over: most - moved, left }
}

#[inline(always)]
pub(super) fn put(plan: &PlainPlan, lane: &mut Lane, who: CombatantId, pool: usize, amount: f64) {
    let micros = lane.micros;
    let body = &mut lane.bodies[who.index() % MOST_FIGHTERS];
    let numbers = &mut body.pools[pool % MOST_POOLS];
    numbers[usize::from(pool_slot::AMOUNT)] = amount;
    numbers[usize::from(pool_slot::SINCE)] = micros;
    let (low, high) = body.calm;
    let calm = body.calm_pool == pool as u32 && low <= amount && amount < high;
    if !calm && body.alert >> (pool % MOST_POOLS) & 1 == 1 {
        note(plan, lane, who, pool);
    }
}

impl Fighter {
    /// From which amount to below which of a pool, around what it holds, no condition turns and nobody is defeated.
    pub(super) fn calm(&self, defeating: u64, pool: usize, amount: f64) -> (f64, f64) {
        let above = if defeating >> pool & 1 == 0 { f64::NEG_INFINITY } else { f64::from_bits(1) };
        let mut calm = (above, f64::INFINITY);
        let mut lines = self.readers[pool % MOST_POOLS];
        while lines != 0 {
            let (low, high) = self.lines[lines.trailing_zeros() as usize % MOST_LINES].when.calm(pool, amount);
            lines &= lines - 1;
            calm = (calm.0.max(low), calm.1.min(high));
        }
        calm
    }
}

/// A pool has changed that defeats, or that its owner's policy reads or waits for: whether somebody has to look again.
#[inline(never)]
fn note(plan: &PlainPlan, lane: &mut Lane, who: CombatantId, pool: usize) {
    let (fighter, micros) = (&plan.fighters[who], lane.micros);
    let body = &mut lane.bodies[who.index() % MOST_FIGHTERS];
    let pool = pool % MOST_POOLS;
    let (bit, amount) = (1_u64 << pool, body.pools[pool][usize::from(pool_slot::AMOUNT)]);
    body.changed |= bit;
    // Where a rehearsed fight is followed, it is not known here what its owner does.
    lane.noted = true;
    let free = body.does == Does::NOTHING && !body.chooses;
    if (fighter.own | plan.defeating) & bit == 0 {
        // It only waits for what it pays from.
        lane.attention |= free;
        return;
    }
    let mut lines = fighter.readers[pool];
    while lines != 0 {
        let line = lines.trailing_zeros();
        lines &= lines - 1;
        let holds = fighter.lines[line as usize % MOST_LINES].when.holds(&body.pools, micros);
        body.wanted = body.wanted & !(1 << line) | u64::from(holds) << line;
    }
    (body.calm, body.calm_pool) = (fighter.calm(plan.defeating, pool, amount), pool as u32);
    if body.short {
        body.be_restless();
    }
    let turns = body.watch & bit != 0 && free && (body.short || body.wanted != body.seen);
    let empty = amount <= 0.0 && plan.defeating & bit != 0;
    lane.hurt |= empty;
    lane.attention |= turns | empty;
}
