//! Flows: how the amount of a pool changes over time.

use super::layout::pool_slot;
use super::time::Time;
use crate::numbers::{Extremes, Whole};

/// The course of a pool: its amount and its flow from a given time on. It is valid until something else changes the
/// pool, so a bar can be drawn from it until then.
///
/// ```
/// # use edgeplane::{CombatantId, Fight, Game, Time};
/// # let rules = "[pools]\nhealth = { max = 100, defeat = true }\nwind = { max = 20, start = 5, regen = 3 }\n[character.a]\n\
/// #     [encounter.e]\nsides.l = [\"a\"]\nsides.r = [\"a\"]";
/// let game = Game::from_text("small.toml", rules)?;
/// let fight = game.fight("e", 1)?;
/// let wind = game.program().pools().iter().position(|pool| pool.name == "wind").unwrap();
/// let flow = fight.pool_flow(CombatantId(0), edgeplane::program::PoolId(wind as u16));
/// assert_eq!((flow.rate(), flow.cap()), (3.0, 20.0));
/// assert_eq!(flow.amount_at(Time::from_seconds(2.0)), 11.0);
/// assert_eq!(flow.amount_at(Time::from_seconds(9.0)), 20.0, "never above the cap");
/// # Ok::<(), edgeplane::Error>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct PoolFlow {
    numbers: PoolNumbers,
}

impl PoolFlow {
    pub(crate) fn new(numbers: PoolNumbers) -> Self {
        Self { numbers }
    }

    fn number(&self, slot: u16) -> f64 {
        self.numbers[usize::from(slot)]
    }

    /// When it starts.
    pub fn since(&self) -> Time {
        Time(self.number(pool_slot::SINCE) as u64)
    }

    /// The amount at a time that is not before [`PoolFlow::since`], from 0 to the cap.
    pub fn amount_at(&self, moment: Time) -> f64 {
        amount(&self.numbers, moment.micros())
    }

    /// The cap.
    pub fn cap(&self) -> f64 {
        self.number(pool_slot::CAP)
    }

    /// The gain per second or per portion; negative for a loss.
    pub fn rate(&self) -> f64 {
        self.number(pool_slot::RATE)
    }

    /// Seconds between portions, which come at whole multiples from the beginning of the fight; `None` for a continuous
    /// flow.
    pub fn portions(&self) -> Option<f64> {
        Some(self.number(pool_slot::EVERY) / 1e6).filter(|every| *every > 0.0)
    }
}

/// The numbers of one pool, in the order of [`pool_slot`].
pub(crate) type PoolNumbers = [f64; pool_slot::WIDTH as usize];

/// The amount at a time in microseconds: linear or in steps, between 0 and the cap.
#[inline(always)]
pub(crate) fn amount(pool: &PoolNumbers, now: f64) -> f64 {
    let [amount, cap, rate, since, every] = pool;
    if *rate == 0.0 {
        *amount
    } else if *every == 0.0 {
        (amount + rate * ((now - since) / 1e6)).larger(0.0).smaller(*cap)
    } else {
        in_portions(pool, now)
    }
}

/// The same for a flow in portions. Not inlined, so that other reads keep their registers.
#[cold]
#[inline(never)]
fn in_portions([amount, cap, rate, since, every]: &PoolNumbers, now: f64) -> f64 {
    let portions = (now / every).whole_below() - (since / every).whole_below();
    (amount + rate * portions).larger(0.0).smaller(*cap)
}

/// The share of the cap; 0 for a cap of 0.
#[inline(always)]
pub(crate) fn share(pool: &PoolNumbers, now: f64) -> f64 {
    let cap = pool[usize::from(pool_slot::CAP)];
    if cap == 0.0 { 0.0 } else { amount(pool, now) / cap }
}

/// The first time at which the pool holds `wanted`, or lacks at most `dust`, to the microsecond.
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
        now + (missing / rate * 1e6).whole_above()
    } else {
        ((now / every).whole_below() + (missing / rate).whole_above()) * every
    };
    if guess >= Time::NEVER.micros() {
        return None;
    }
    // Rounding can make the estimate off by one; the pool itself is checked around it.
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
