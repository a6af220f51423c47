//! `soaking.toml` by hand: two fighters with two abilities and three stacking statuses each. It makes the same draws as
//! the engine and ends like it, at the same moment with the same health to the last bit.

use edgeplane::fight::{Ending, stream_seed};
use edgeplane::program::SideId;
use edgeplane::{CombatantId, Setup, Time};
use rand_core::{Rng, SeedableRng};
use rand_xoshiro::SplitMix64;

const NEVER: u64 = u64::MAX;
const LIMIT: u64 = 120_000_000;

/// Names of the streams of both.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Streams {
    tie_break: [u64; 2],
    douse: [u64; 2],
    crack: [u64; 2],
}

impl Streams {
    pub(crate) fn of(setup: &Setup) -> Option<Self> {
        let both = |place: &str| Some([setup.stream(CombatantId(0), place)?, setup.stream(CombatantId(1), place)?]);
        Some(Self {
            tie_break: both("tie-break")?,
            douse: both("ability.douse.does.0.spread")?,
            crack: both("ability.crack.does.0.spread")?,
        })
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Doing {
    Idle,
    Douse,
    Crack,
}

struct Fighter {
    health: f64,
    guard: f64,
    /// The cooldowns, given the stacks.
    douse_cooldown: u64,
    crack_cooldown: u64,
    doing: Doing,
    /// The end of a cast, or the next decision.
    act: u64,
    douse_ready: u64,
    crack_ready: u64,
    soaked: u32,
    soaked_ends: u64,
    silted: u32,
    silted_ends: u64,
    silted_tick: u64,
    cracks: [u64; 6],
    cracked: usize,
    base_guard: f64,
    douse_amount: f64,
    douse_draw: SplitMix64,
    crack_draw: SplitMix64,
}

fn unit(rng: &mut SplitMix64) -> f64 {
    (rng.next_u64() >> 11) as f64 * (1.0 / (1u64 << 53) as f64)
}

fn micros(seconds: f64) -> u64 {
    (seconds * 1e6 + 0.5) as u64
}

impl Fighter {
    fn new(might: f64, guard: f64, douse: u64, crack: u64) -> Self {
        Self {
            health: 300.0,
            guard,
            douse_cooldown: 1_500_000,
            crack_cooldown: 4_000_000,
            doing: Doing::Idle,
            act: 0,
            douse_ready: 0,
            crack_ready: 0,
            soaked: 0,
            soaked_ends: NEVER,
            silted: 0,
            silted_ends: NEVER,
            silted_tick: NEVER,
            cracks: [NEVER; 6],
            cracked: 0,
            base_guard: guard,
            douse_amount: 8.0 + might * 0.5,
            douse_draw: SplitMix64::seed_from_u64(douse),
            crack_draw: SplitMix64::seed_from_u64(crack),
        }
    }

    fn set_soaked(&mut self, stacks: u32) {
        self.soaked = stacks;
        let haste = if stacks == 0 { 0.0 } else { (0.0 + -0.04 * f64::from(stacks)).clamp(-0.5, 0.5) };
        self.douse_cooldown = micros(1.5 * (1.0 - haste));
        self.crack_cooldown = micros(4.0 * (1.0 - haste));
    }

    fn set_cracked(&mut self, stacks: usize) {
        self.cracked = stacks;
        let guard = if stacks == 0 { self.base_guard } else { self.base_guard + -1.5 * stacks as f64 };
        self.guard = guard.clamp(0.0, 100.0);
    }

    fn next_crack(&self) -> u64 {
        self.cracks[..self.cracked].iter().copied().min().unwrap_or(NEVER)
    }

    fn hurt(&mut self, amount: f64) {
        let dealt = if amount < self.health { amount } else { self.health };
        self.health -= dealt;
    }

    fn next(&self) -> u64 {
        self.act.min(self.silted_tick).min(self.soaked_ends).min(self.silted_ends).min(self.next_crack())
    }

    fn ticks(&mut self, now: u64) {
        if self.silted_tick == now {
            self.silted_tick = if now + 1_000_000 <= self.silted_ends { now + 1_000_000 } else { NEVER };
            self.hurt((1.5 * f64::from(self.silted)).max(0.0));
        }
    }

    fn ends(&mut self, now: u64) {
        if self.soaked_ends == now {
            self.soaked_ends = NEVER;
            self.set_soaked(0);
        }
        if self.silted_ends == now {
            (self.silted, self.silted_ends, self.silted_tick) = (0, NEVER, NEVER);
        }
        if self.next_crack() == now {
            let mut left = 0;
            for index in 0..self.cracked {
                if self.cracks[index] > now {
                    self.cracks[left] = self.cracks[index];
                    left += 1;
                }
            }
            self.set_cracked(left);
        }
    }

    /// The first ability that is ready, otherwise the time at which one will be.
    fn choose(&mut self, now: u64) {
        if self.crack_ready <= now {
            (self.doing, self.act) = (Doing::Crack, now + 550_000);
        } else if self.douse_ready <= now {
            (self.doing, self.act) = (Doing::Douse, now + 350_000);
        } else {
            (self.doing, self.act) = (Doing::Idle, self.crack_ready.min(self.douse_ready));
        }
    }
}

fn release(caster: &mut Fighter, target: &mut Fighter, now: u64) {
    let initial = if caster.doing == Doing::Douse {
        caster.douse_ready = now + caster.douse_cooldown;
        (caster.douse_amount * (1.0 + 0.2 * (2.0 * unit(&mut caster.douse_draw) - 1.0))).max(0.0)
    } else {
        caster.crack_ready = now + caster.crack_cooldown;
        (14.0 * (1.0 + 0.1 * (2.0 * unit(&mut caster.crack_draw) - 1.0))).max(0.0)
    };
    target.hurt((initial * (200.0 - target.guard) / 200.0).max(0.0));
    if caster.doing == Doing::Douse {
        target.set_soaked((target.soaked + 1).min(5));
        target.soaked_ends = now + 6_000_000;
        if target.silted == 0 {
            (target.silted_ends, target.silted_tick) = (now + 5_000_000, now + 1_000_000);
        }
        target.silted = (target.silted + 1).min(3);
    } else {
        for _ in 0..2 {
            if target.cracked < 6 {
                target.cracks[target.cracked] = now + 4_000_000;
                target.cracked += 1;
            } else if let Some(first) = target.cracks.iter_mut().min() {
                *first = now + 4_000_000;
            }
        }
        target.set_cracked(target.cracked);
    }
    caster.doing = Doing::Idle;
}

/// Plays the duel: how and when it ends, and the health of both.
pub(crate) fn fight(streams: &Streams, seed: u64) -> (Ending, Time, [f64; 2]) {
    let tie_break = |name| {
        let mut rng = SplitMix64::seed_from_u64(stream_seed(seed, name));
        ((u128::from(rng.next_u64()) * u128::from(u32::MAX)) >> 64) as u32
    };
    let first = usize::from(tie_break(streams.tie_break[0]) > tie_break(streams.tie_break[1]));
    let seeds = |names: [u64; 2], who: usize| stream_seed(seed, names[who]);
    let mut one = Fighter::new(12.0, 10.0, seeds(streams.douse, 0), seeds(streams.crack, 0));
    let mut other = Fighter::new(13.0, 12.0, seeds(streams.douse, 1), seeds(streams.crack, 1));
    loop {
        let now = one.next().min(other.next());
        if now > LIMIT {
            return (Ending::TimeLimit, Time(LIMIT), [one.health, other.health]);
        }
        let due = (one.act == now, other.act == now);
        let (releases, others) = (due.0 && one.doing != Doing::Idle, due.1 && other.doing != Doing::Idle);
        if first == 0 {
            if releases {
                release(&mut one, &mut other, now);
            }
            if others {
                release(&mut other, &mut one, now);
            }
        } else {
            if others {
                release(&mut other, &mut one, now);
            }
            if releases {
                release(&mut one, &mut other, now);
            }
        }
        one.ticks(now);
        other.ticks(now);
        one.ends(now);
        other.ends(now);
        match (one.health <= 0.0, other.health <= 0.0) {
            (false, false) => {}
            (true, true) => return (Ending::AllDefeated, Time(now), [one.health, other.health]),
            (false, true) => return (Ending::Won(SideId(0)), Time(now), [one.health, other.health]),
            (true, false) => return (Ending::Won(SideId(1)), Time(now), [one.health, other.health]),
        }
        if due.0 {
            one.choose(now);
        }
        if due.1 {
            other.choose(now);
        }
    }
}
