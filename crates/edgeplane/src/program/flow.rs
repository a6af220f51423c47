//! How the amount of a pool moves by itself.

use super::layout::pool_slot;
use super::time::Time;

/// The numbers of one pool, in the order of [`pool_slot`].
pub(crate) type PoolNumbers = [f64; pool_slot::WIDTH as usize];

/// The amount at a moment, in microseconds: a straight line, or stairs, within 0 and the cap.
#[inline(always)]
pub(crate) fn amount(pool: &PoolNumbers, now: f64) -> f64 {
    let [amount, cap, rate, since, every] = pool;
    if *rate == 0.0 {
        *amount
    } else if *every == 0.0 {
        (amount + rate * ((now - since) / 1e6)).max(0.0).min(*cap)
    } else {
        in_portions(pool, now)
    }
}

/// The same where it flows in portions. Out of line with all that it needs, so that other reads keep their
/// registers.
#[cold]
#[inline(never)]
fn in_portions([amount, cap, rate, since, every]: &PoolNumbers, now: f64) -> f64 {
    let portions = (now / every).floor() - (since / every).floor();
    (amount + rate * portions).max(0.0).min(*cap)
}

/// The share of the cap; nothing has no share.
#[inline(always)]
pub(crate) fn share(pool: &PoolNumbers, now: f64) -> f64 {
    let cap = pool[usize::from(pool_slot::CAP)];
    if cap == 0.0 { 0.0 } else { amount(pool, now) / cap }
}

/// The first moment at which `wanted` is there, or lacks no more than `dust`, to the microsecond.
#[cold]
#[inline(never)]
pub(crate) fn when_it_holds(pool: &PoolNumbers, wanted: f64, dust: f64, now: f64) -> Option<Time> {
    let [_, cap, rate, _, every] = *pool;
    let wanted = wanted - dust;
    if rate <= 0.0 || cap < wanted {
        return None;
    }
    let missing = wanted - amount(pool, now);
    let guess = if every == 0.0 {
        now + (missing / rate * 1e6).ceil()
    } else {
        ((now / every).floor() + (missing / rate).ceil()) * every
    };
    if guess >= Time::NEVER.micros() {
        return None;
    }
    // Rounding can put the guess off by one; the moment is settled by asking the pool itself.
    let unit = if every == 0.0 { 1.0 } else { every };
    let holds = |at: f64| amount(pool, at) >= wanted;
    let mut at = guess;
    while at - unit > now && holds(at - unit) {
        at -= unit;
    }
    while !holds(at) {
        at += unit;
    }
    Some(Time(at as u64))
}
