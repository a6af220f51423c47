//! Everything of a plain fight that does not change.

use crate::fight::event::Source;
use crate::fight::filled::{Filled, FilledOp, Meeting};
use crate::fight::seats::Seats;
use crate::program::flow::{self, PoolNumbers};
use crate::program::{
    AbilityId, Aim, BinaryOp, CombatantId, DamageTypeId, Draws, Effect, FormulaId, Frame, InHand, JoinPlan, Layout,
    NoChance, OutcomePlan, PoolEffect, PoolEffectKind, PoolId, QuickCondition, Read, Rounding, Setup, SideId, Slot,
    StepId, StepsEffect, StreamId, Time, guarded, pool_slot,
};
use crate::rules::Receiver;

/// More than that are played by the engine alone.
pub(super) const MOST_FIGHTERS: usize = 8;
pub(super) const MOST_POOLS: usize = 8;
pub(super) const MOST_MOVES: usize = 32;
pub(super) const MOST_LINES: usize = 16;
/// Amounts are kept so far from the largest number that none can become infinite.
const LARGEST: f64 = 1e280;

/// A condition of a policy.
#[derive(Clone, Copy, Debug)]
pub(super) enum When {
    Fixed(bool),
    /// A pool that does not flow holds less than that.
    Below(usize, f64),
    /// A pool's share against a limit.
    Share(BinaryOp, usize, f64),
    /// What a pool that does not flow holds, against a limit; the other way round.
    Holds(BinaryOp, usize, f64),
    HeldBy(BinaryOp, f64, usize),
}

impl When {
    #[inline(always)]
    pub(super) fn holds(self, pools: &[PoolNumbers; MOST_POOLS], now: f64) -> bool {
        match self {
            Self::Fixed(holds) => holds,
            Self::Below(pool, limit) => pools[pool % MOST_POOLS][usize::from(pool_slot::AMOUNT)] < limit,
            Self::Share(op, pool, limit) => guarded(op, flow::share(&pools[pool % MOST_POOLS], now), limit) != 0.0,
            Self::Holds(op, pool, limit) => guarded(op, flow::amount(&pools[pool % MOST_POOLS], now), limit) != 0.0,
            Self::HeldBy(op, limit, pool) => guarded(op, limit, flow::amount(&pools[pool % MOST_POOLS], now)) != 0.0,
        }
    }
}

/// A line of a policy.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line {
    pub(super) when: When,
    /// There is a condition at all.
    pub(super) conditional: bool,
    /// Pools that the condition reads, one bit each.
    pub(super) reads: u64,
    pub(super) place: usize,
}

/// What is known of one who takes part.
#[derive(Clone, Copy, Debug)]
pub(super) struct Fighter {
    pub(super) side: SideId,
    pub(super) lines: [Line; MOST_LINES],
    /// All lines, and those without a condition, one bit each.
    pub(super) all: u64,
    pub(super) unconditional: u64,
    /// For each pool, the lines that read it.
    pub(super) readers: [u64; MOST_POOLS],
    /// Pools that its conditions read, and those that it pays from.
    pub(super) own: u64,
    pub(super) costs: u64,
    /// It has the pool that defeats.
    pub(super) mortal: bool,
    pub(super) pools: [PoolNumbers; MOST_POOLS],
}

/// An ability in somebody's hands. As large as makes its place quick to find.
#[derive(Clone, Copy, Debug)]
#[repr(align(128))]
pub(super) struct Move {
    pub(super) ability: AbilityId,
    pub(super) cast: Time,
    pub(super) recovery: Time,
    pub(super) cooldown: Time,
    pub(super) free: bool,
    pub(super) cost: f64,
    pub(super) pays_from: usize,
    pub(super) itself: bool,
    /// Where its outcomes stand, by target.
    pub(super) does: [(u16, u16); MOST_FIGHTERS],
}

/// What a move brings about.
#[derive(Clone, Debug)]
pub(super) enum Outcome {
    Hit(Box<Hit>),
    /// A pool of somebody gains.
    Restore(CombatantId, usize, f64),
}

/// What becomes of an amount.
#[derive(Clone, Debug)]
pub(super) enum Way {
    /// In the commonest order, of which every part may do nothing: no jump hangs on what a step is.
    Common {
        avoid: (StreamId, f64, StepId),
        perhaps: (StreamId, f64, u64, f64),
        /// Times the first, over the second.
        scales: [(f64, f64); 2],
        soak: Option<(PoolId, StepId)>,
    },
    /// One operation after the other.
    Steps(Vec<FilledOp>),
}

impl Way {
    fn of(ops: &[FilledOp]) -> Self {
        Self::common(ops).unwrap_or_else(|| Self::Steps(ops.to_vec()))
    }

    fn common(mut ops: &[FilledOp]) -> Option<Self> {
        let mut avoid = (StreamId(0), 0.0, StepId(0));
        let mut perhaps = (StreamId(0), 0.0, 0, 1.0);
        let (mut scales, mut soak) = ([(1.0, 1.0); 2], None);
        if let [FilledOp::Avoid { stream, p, step }, rest @ ..] = ops {
            (avoid, ops) = ((*stream, *p, *step), rest);
        }
        if let [FilledOp::Perhaps { stream, p, marks, factor, .. }, rest @ ..] = ops {
            (perhaps, ops) = ((*stream, *p, *marks, *factor), rest);
        }
        for scale in &mut scales {
            match ops {
                [FilledOp::Scale { factor, .. }, rest @ ..] => (*scale, ops) = ((*factor, 1.0), rest),
                [FilledOp::ScaleOver { factor, divisor, .. }, rest @ ..] => (*scale, ops) = ((*factor, *divisor), rest),
                _ => {}
            }
        }
        if let [FilledOp::Soak { pool, step, .. }, rest @ ..] = ops {
            (soak, ops) = (Some((*pool, *step)), rest);
        }
        ops.is_empty().then_some(Self::Common { avoid, perhaps, scales, soak })
    }
}

/// A hit of one on another.
#[derive(Clone, Debug)]
pub(super) struct Hit {
    pub(super) amount: f64,
    /// How far chance of which stream spreads it.
    pub(super) spread: Option<(f64, StreamId)>,
    pub(super) way: Way,
    pub(super) source: Source,
    pub(super) damage_type: DamageTypeId,
    pub(super) pool: usize,
    /// How much of a threat each point makes of the one who hits.
    pub(super) threat: f64,
}

#[derive(Clone, Debug)]
pub(super) struct PlainPlan {
    pub(super) fighters: Seats<Fighter, MOST_FIGHTERS>,
    pub(super) moves: Seats<Move, MOST_MOVES>,
    pub(super) outcomes: Vec<Outcome>,
    pub(super) pools: usize,
    /// The pool that defeats, if there is one.
    pub(super) defeats: Option<usize>,
    pub(super) defeating: u64,
    pub(super) rounding: Rounding,
    pub(super) threatens: bool,
    /// Where the pools of the first begin among the numbers of a fight, and how far apart those of two are.
    pub(super) first_pool: usize,
    pub(super) stride: usize,
}

impl PlainPlan {
    /// If nothing but pools, cooldowns and who stands can change.
    pub(super) fn of(setup: &Setup) -> Option<Self> {
        let program = &setup.program;
        let pools = program.pools.len();
        let still = !setup.is_placed && setup.script.moments.is_empty() && !setup.enters_empty && setup.watched == 0;
        let here = setup.ids().all(|who| setup.script.joins(who) == JoinPlan::AtStart);
        let few = setup.combatants.len() <= MOST_FIGHTERS && pools <= MOST_POOLS && setup.in_hand.len() <= MOST_MOVES;
        let endures = program.pools.iter().all(|pool| !pool.defeat || pool.decay.is_none());
        let defeating: Vec<usize> = (0..pools).filter(|pool| program.pools[*pool].defeat).collect();
        if !(still && here && few && endures) || defeating.len() > 1 {
            return None;
        }
        let fighters: Vec<Fighter> = setup.ids().map(|who| fighter(setup, who)).collect::<Option<_>>()?;
        let (nobody, no_move) = (*fighters.first()?, unused_move(setup.in_hand.first()?));
        let mut plan = Self {
            fighters: Seats::filled(&fighters, nobody),
            moves: Seats::of(0, no_move),
            outcomes: Vec::new(),
            pools,
            defeats: defeating.first().copied(),
            defeating: setup.defeating,
            rounding: program.rounding,
            threatens: program.threat.is_some(),
            first_pool: program.place(CombatantId(0), Slot(program.layout.pools)),
            stride: usize::from(program.layout.stride),
        };
        let mut moves = Vec::new();
        for who in setup.ids() {
            plan.take_moves(setup, who, &mut moves)?;
        }
        plan.moves = Seats::filled(&moves, no_move);
        Some(plan)
    }

    fn take_moves(&mut self, setup: &Setup, who: CombatantId, moves: &mut Vec<Move>) -> Option<()> {
        let character = setup.combatants[who.index()].character;
        let first = setup.linked[who.index()].first as usize;
        for place in first..first + setup.program.characters[character.index()].abilities.len() {
            let hand = &setup.in_hand[place];
            let wanted = |line: &Line| line.place == place && !matches!(line.when, When::Fixed(false));
            let used = self.fighters[who].lines.iter().any(wanted);
            // What no line ever wants is never used at all.
            let mut one = unused_move(hand);
            if used {
                let known = [hand.cast, hand.recovery, hand.cooldown].iter().all(|time| *time != InHand::ASK);
                if !known || !hand.plain {
                    return None;
                }
                for target in setup.ids() {
                    let enemy = setup.combatants[target.index()].side != setup.combatants[who.index()].side;
                    if if one.itself { target == who } else { enemy } {
                        one.does[target.index()] = self.take_outcomes(setup, hand.ability, who, target)?;
                    }
                }
            }
            moves.push(one);
        }
        Some(())
    }

    fn take_outcomes(
        &mut self,
        setup: &Setup,
        id: AbilityId,
        caster: CombatantId,
        target: CombatantId,
    ) -> Option<(u16, u16)> {
        let first = self.outcomes.len();
        for OutcomePlan { to, when, chance, effect } in &setup.program.ability(id).does {
            let receiver = match to {
                Receiver::Target => target,
                Receiver::Caster | Receiver::Owner => caster,
                _ => return None,
            };
            if when.is_some() || chance.is_some() {
                return None;
            }
            let outcome = match effect {
                Effect::Hit(effect) => Outcome::Hit(Box::new(hit(setup, id, caster, receiver, effect)?)),
                Effect::Pool(PoolEffect { kind: PoolEffectKind::Restore, pool, amount }) => {
                    let amount = fixed(setup, *amount, caster, receiver)?.max(0.0);
                    Outcome::Restore(receiver, pool.index(), self.rounding.apply(amount))
                }
                _ => return None,
            };
            self.outcomes.push(outcome);
        }
        Some((first as u16, self.outcomes.len() as u16))
    }
}

fn fighter(setup: &Setup, who: CombatantId) -> Option<Fighter> {
    let (program, linked) = (&setup.program, &setup.linked[who.index()]);
    let combatant = &setup.combatants[who.index()];
    let character = &program.characters[combatant.character.index()];
    let points = program.points_of(&mut setup.memory.clone(), who).ok()?;
    let begins = setup.begins.get(who.index()).is_some_and(|begin| !begin.statuses.is_empty());
    let dressed = begins
        || !character.statuses.is_empty()
        || !character.chancy.is_empty()
        || (!character.spends.is_empty() && points > 0);
    if dressed || linked.careful || linked.polls != Time::NEVER || linked.lines.len() > MOST_LINES {
        return None;
    }
    let nothing = Line { when: When::Fixed(false), conditional: false, reads: 0, place: 0 };
    let mut lines = [nothing; MOST_LINES];
    for (place, line) in lines.iter_mut().zip(&linked.lines) {
        let when = match line.when {
            None => When::Fixed(true),
            Some(_) if line.fleeting => return None,
            Some(_) => condition(setup, who, line.quick)?,
        };
        *place = Line { when, conditional: line.when.is_some(), reads: line.reads, place: line.place as usize };
    }
    let mut fighter = Fighter {
        side: combatant.side,
        lines,
        all: linked.all,
        unconditional: linked.unconditional,
        readers: [0; MOST_POOLS],
        own: linked.watch.own,
        costs: linked.watch.costs,
        mortal: (0..program.pools.len()).any(|pool| setup.defeating >> pool & 1 == 1 && character.pools[pool]),
        pools: [[0.0; pool_slot::WIDTH as usize]; MOST_POOLS],
    };
    for (pool, (numbers, readers)) in fighter.pools.iter_mut().zip(&mut fighter.readers).enumerate() {
        if pool < program.pools.len() {
            let first = program.place(who, program.layout.pool(PoolId(pool as u16)));
            *numbers = *setup.memory.pool_numbers(first)?;
            *readers = linked.readers[pool];
        }
    }
    Some(fighter)
}

/// A condition that reads nothing but own pools and numbers that stay as they are.
fn condition(setup: &Setup, who: CombatantId, quick: QuickCondition) -> Option<When> {
    let layout = &setup.program.layout;
    let block = setup.program.place(who, Layout::LEVEL);
    let width = usize::from(pool_slot::WIDTH);
    let of_pools = |index: usize| index.checked_sub(block + usize::from(layout.pools));
    let number = |index: u32| {
        let index = index as usize;
        let constant = (usize::from(layout.locals)..layout.blocks as usize).contains(&index);
        let steady = index.checked_sub(block).is_some_and(|at| layout.is_steady_at(at as u16));
        let value = setup.memory.at(index);
        ((constant || steady) && value.is_finite()).then_some(value)
    };
    let pool = |index: u32, part: u16| {
        let at = of_pools(index as usize).filter(|at| at % width == usize::from(part))?;
        (at / width < setup.program.pools.len()).then_some(at / width)
    };
    let heads = |index: u32| {
        let counted = [Layout::ENEMIES, Layout::ALLIES].map(|slot| setup.program.place(who, slot));
        counted.contains(&(index as usize)).then(|| setup.memory.at(index as usize) as u32)
    };
    Some(match quick {
        QuickCondition::Ask => return None,
        QuickCondition::ShareBelow(first, limit) => {
            let pool = pool(first, pool_slot::AMOUNT)?;
            When::Below(pool, least_of_share(setup.memory.pool_numbers(first as usize)?, number(limit)?)?)
        }
        QuickCondition::Share(op, first, limit) => When::Share(op, pool(first, pool_slot::AMOUNT)?, number(limit)?),
        QuickCondition::Two(op, a, b) => match (number(a), number(b)) {
            (Some(a), Some(b)) => When::Fixed(guarded(op, a, b) != 0.0),
            (None, Some(b)) if heads(a).is_some() => always_alike(heads(a)?, |heads| guarded(op, heads, b) != 0.0)?,
            (Some(a), None) if heads(b).is_some() => always_alike(heads(b)?, |heads| guarded(op, a, heads) != 0.0)?,
            (None, Some(b)) => When::Holds(op, pool(a, pool_slot::AMOUNT)?, b),
            (Some(a), None) => When::HeldBy(op, a, pool(b, pool_slot::AMOUNT)?),
            (None, None) => return None,
        },
    })
}

/// The least amount of which the share is not below a limit, to the last bit, so that shares need not be divided out: a
/// quotient never falls while the amount grows. Of a pool that flows there is none.
fn least_of_share([_, cap, rate, ..]: &PoolNumbers, limit: f64) -> Option<f64> {
    if *rate != 0.0 || *cap <= 0.0 {
        return None;
    }
    let mut least = limit * cap;
    for _ in 0..16 {
        match (least / cap < limit, least.next_down() / cap < limit) {
            (true, _) => least = least.next_up(),
            (false, false) => least = least.next_down(),
            (false, true) => return Some(least),
        }
    }
    None
}

/// What a condition says of so many heads and of all smaller numbers, if that is always the same: nobody joins a plain fight.
fn always_alike(heads: u32, holds: impl Fn(f64) -> bool) -> Option<When> {
    let first = holds(0.0);
    (1..=heads).all(|heads| holds(f64::from(heads)) == first).then_some(When::Fixed(first))
}

fn unused_move(hand: &InHand) -> Move {
    Move {
        ability: hand.ability,
        cast: hand.cast,
        recovery: hand.recovery,
        cooldown: hand.cooldown,
        free: hand.free,
        cost: hand.cost,
        pays_from: hand.cost_pool.index(),
        itself: hand.aim == Aim::Itself,
        does: [(0, 0); MOST_FIGHTERS],
    }
}

fn hit(setup: &Setup, id: AbilityId, caster: CombatantId, target: CombatantId, effect: &StepsEffect) -> Option<Hit> {
    let program = &setup.program;
    let quick = effect.quick.as_ref()?;
    let steady = quick.operands().all(|operand| program.layout.is_steady(operand));
    let note = Filled::at_start(&Meeting { caster, target, effect, quick }, setup).filter(|_| steady)?;
    let ops = note.ops.get(..note.len)?.to_vec();
    if !stays_finite(note.amount, note.spread, &ops) {
        return None;
    }
    let threat = match program.threat.and_then(|threat| threat.damage) {
        Some(factor) => fixed(setup, factor, caster, target)?,
        None => 0.0,
    };
    Some(Hit {
        amount: note.amount,
        spread: quick.spread.map(|_| (note.spread, note.stream)),
        way: Way::of(&ops),
        source: Source::Ability(id),
        damage_type: effect.damage_type,
        pool: effect.pool.index(),
        threat,
    })
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

/// The value of a formula that reads nothing but attributes.
fn fixed(setup: &Setup, formula: FormulaId, caster: CombatantId, target: CombatantId) -> Option<f64> {
    let program = &setup.program;
    let compiled = program.formula(formula);
    let mut steady = !compiled.draws();
    compiled.each_read(|read| steady &= matches!(read, Read::Attribute(..)));
    let (mut memory, frame) = (setup.memory.clone(), Frame::new(program, caster, target, 0, 0.0));
    let value = program.number(formula, &mut memory, &frame, &mut NoChance, &mut Draws::default());
    value.ok().filter(|value| steady && value.is_finite())
}
