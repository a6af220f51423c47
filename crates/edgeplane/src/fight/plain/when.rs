//! Conditions of policies that hang on nothing but own pools.

use super::plan::MOST_POOLS;
use crate::program::flow::{self, PoolNumbers};
use crate::program::{BinaryOp, CombatantId, Layout, QuickCondition, Setup, guarded, pool_slot};

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

impl When {
    /// Up to where, downward and upward from an amount of a pool, the condition stays as it is: always, unless it is about
    /// that pool. Nothing is promised for shares and the like.
    pub(super) fn calm(self, of: usize, amount: f64) -> (f64, f64) {
        match self {
            Self::Below(pool, limit) if pool == of && amount < limit => (f64::NEG_INFINITY, limit),
            Self::Below(pool, limit) if pool == of => (limit, f64::INFINITY),
            Self::Share(_, pool, _) | Self::Holds(_, pool, _) | Self::HeldBy(_, _, pool) if pool == of => {
                (f64::INFINITY, f64::NEG_INFINITY)
            }
            _ => (f64::NEG_INFINITY, f64::INFINITY),
        }
    }
}

/// A condition that reads nothing but own pools and numbers that stay as they are.
pub(super) fn condition(setup: &Setup, who: CombatantId, quick: QuickCondition) -> Option<When> {
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
