//! The demo's `duel`, written by hand for exactly these two fighters: what a programmer would write who knew every rule
//! in advance and optimised for speed only. It makes the same draws as the engine and must report the same events; its
//! time is the reference for the engine.

use edgeplane::fight::{Ending, Event, Observer, Source, stream_seed};
use edgeplane::program::{DamageTypeId, StepId};
use edgeplane::{AbilityId, CombatantId, PoolId, Setup, Time};
use rand_core::{Rng, SeedableRng};
use rand_xoshiro::SplitMix64;

const LOCKHAND: CombatantId = CombatantId(0);
const CRAB: CombatantId = CombatantId(1);

const GRIT_A: f64 = 10.0 + (0.0 + (12.0 - 0.0) * ((3.0 - 1.0) / (10.0 - 1.0)));
const HEALTH_A: f64 = 60.0 + 14.0 * GRIT_A;
const BREATH_A: f64 = 50.0 + GRIT_A;
const SHELL_A: f64 = HEALTH_A * 0.5;
const HEALTH_B: f64 = 60.0 + 14.0 * 10.0;
const BREATH_B: f64 = 50.0 + 10.0;
const REGEN: f64 = 3.0;
const DECAY: f64 = -2.0;
const CRITICAL: f64 = 0.1;
const DODGE_A: f64 = 0.05 - 0.0;
const LIMIT: u64 = 60_000_000;

/// Names of the streams from which the duel draws.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Streams {
    tie_break: [u64; 2],
    dodge_b: u64,
    critical: [u64; 2],
    spread: [u64; 2],
}

/// Ids in events.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Ids {
    boathook: AbilityId,
    brace: AbilityId,
    spit: AbilityId,
    pincer: AbilityId,
    health: PoolId,
    breath: PoolId,
    shell: PoolId,
}

impl Streams {
    pub(crate) fn of(setup: &Setup) -> Option<Self> {
        let stream = |who, place| setup.stream(who, place);
        Some(Self {
            tie_break: [stream(LOCKHAND, "tie-break")?, stream(CRAB, "tie-break")?],
            dodge_b: stream(CRAB, "hit_steps.dodge.when")?,
            critical: [stream(LOCKHAND, "hit_steps.critical.when")?, stream(CRAB, "hit_steps.critical.when")?],
            spread: [
                stream(LOCKHAND, "ability.boathook.does.0.spread")?,
                stream(CRAB, "ability.pincer.does.0.spread")?,
            ],
        })
    }
}

impl Ids {
    pub(crate) fn of(setup: &Setup) -> Option<Self> {
        let program = setup.program();
        Some(Self {
            boathook: program.find_ability("boathook")?,
            brace: program.find_ability("brace")?,
            spit: program.find_ability("silt_spit")?,
            pincer: program.find_ability("pincer")?,
            health: program.find_pool("health")?,
            breath: program.find_pool("breath")?,
            shell: program.find_pool("shell")?,
        })
    }
}

/// A pool with a flow.
#[derive(Clone, Copy)]
struct Flow {
    amount: f64,
    since: u64,
}

impl Flow {
    #[inline(always)]
    fn at(self, now: u64, rate: f64, cap: f64) -> f64 {
        (self.amount + rate * ((now - self.since) as f64 / 1e6)).max(0.0).min(cap)
    }

    /// When it holds enough, to the microsecond.
    #[inline(always)]
    fn holds(self, now: u64, wanted: f64, cap: f64) -> u64 {
        let missing = wanted - self.at(now, REGEN, cap);
        let mut at = now + (missing / REGEN * 1e6).ceil() as u64;
        while at - 1 > now && self.at(at - 1, REGEN, cap) >= wanted {
            at -= 1;
        }
        while self.at(at, REGEN, cap) < wanted {
            at += 1;
        }
        at
    }
}

#[derive(Clone, Copy, PartialEq)]
enum A {
    Idle,
    Boathook,
    Brace,
    Recovering,
}

#[derive(Clone, Copy, PartialEq)]
enum B {
    Idle,
    Spit,
    Pincer,
}

const NEVER: u64 = u64::MAX;

#[inline(always)]
fn unit(rng: &mut SplitMix64) -> f64 {
    (rng.next_u64() >> 11) as f64 * (1.0 / (1u64 << 53) as f64)
}

#[inline(always)]
fn rng(seed: u64, name: u64) -> SplitMix64 {
    SplitMix64::seed_from_u64(stream_seed(seed, name))
}

struct Duel<'a, O> {
    now: u64,
    health_a: f64,
    health_b: f64,
    breath_a: Flow,
    breath_b: Flow,
    shell: Flow,
    a: A,
    b: B,
    next_a: u64,
    next_b: u64,
    boathook: u64,
    brace: u64,
    spit: u64,
    pincer: u64,
    dodge_b: SplitMix64,
    critical: [SplitMix64; 2],
    spread: [SplitMix64; 2],
    ids: &'a Ids,
    observer: &'a mut O,
}

/// Plays the duel.
pub(crate) fn fight<O: Observer>(streams: &Streams, ids: &Ids, seed: u64, observer: &mut O) -> (Ending, Time) {
    let tie_break = |name| ((u128::from(rng(seed, name).next_u64()) * u128::from(u32::MAX)) >> 64) as u32;
    let a_first = tie_break(streams.tie_break[0]) <= tie_break(streams.tie_break[1]);
    let mut duel = Duel {
        now: 0,
        health_a: HEALTH_A,
        health_b: HEALTH_B,
        breath_a: Flow { amount: BREATH_A, since: 0 },
        breath_b: Flow { amount: BREATH_B, since: 0 },
        shell: Flow { amount: 0.0, since: 0 },
        a: A::Idle,
        b: B::Idle,
        next_a: 0,
        next_b: 0,
        boathook: 0,
        brace: 0,
        spit: 0,
        pincer: 0,
        dodge_b: rng(seed, streams.dodge_b),
        critical: [rng(seed, streams.critical[0]), rng(seed, streams.critical[1])],
        spread: [rng(seed, streams.spread[0]), rng(seed, streams.spread[1])],
        ids,
        observer,
    };
    duel.tell(Event::Began);
    let ending = duel.run(a_first);
    let now = Time(duel.now);
    duel.tell(Event::Ended { ending });
    (ending, now)
}

impl<O: Observer> Duel<'_, O> {
    #[inline(always)]
    fn tell(&mut self, event: Event) {
        self.observer.event(Time(self.now), event);
    }

    fn run(&mut self, a_first: bool) -> Ending {
        loop {
            let next = self.next_a.min(self.next_b);
            if next > LIMIT {
                self.now = LIMIT;
                return Ending::TimeLimit;
            }
            self.now = next;
            // Rounds: an ability chosen now may take effect now.
            while self.next_a == next || self.next_b == next {
                let (mut a_chooses, mut b_chooses) = (false, false);
                let releases = (matches!(self.a, A::Boathook | A::Brace), self.b != B::Idle);
                let (due_a, due_b) = (self.next_a == next, self.next_b == next);
                if a_first {
                    if due_a && releases.0 {
                        a_chooses |= self.release_a();
                    }
                    if due_b && releases.1 {
                        self.release_b(&mut a_chooses);
                        b_chooses = true;
                    }
                } else {
                    if due_b && releases.1 {
                        self.release_b(&mut a_chooses);
                        b_chooses = true;
                    }
                    if due_a && releases.0 {
                        a_chooses |= self.release_a();
                    }
                }
                if due_a && !releases.0 {
                    self.a = A::Idle;
                    a_chooses = true;
                }
                b_chooses |= due_b && !releases.1;
                if let Some(ending) = self.settle(a_first) {
                    return ending;
                }
                // Combatants woken by a hit decide only if nothing else is due.
                if a_chooses && self.a == A::Idle {
                    self.next_a = NEVER;
                }
                if b_chooses {
                    self.next_b = NEVER;
                }
                if a_first {
                    self.choose(a_chooses, b_chooses);
                } else {
                    self.choose_b_first(a_chooses, b_chooses);
                }
            }
        }
    }

    #[inline(always)]
    fn choose(&mut self, a: bool, b: bool) {
        if a && self.a == A::Idle {
            self.choose_a();
        }
        if b {
            self.choose_b();
        }
    }

    #[inline(always)]
    fn choose_b_first(&mut self, a: bool, b: bool) {
        if b {
            self.choose_b();
        }
        if a && self.a == A::Idle {
            self.choose_a();
        }
    }

    #[inline(always)]
    fn settle(&mut self, a_first: bool) -> Option<Ending> {
        let (a, b) = (self.health_a <= 0.0, self.health_b <= 0.0);
        if !a && !b {
            return None;
        }
        let fell_a = Event::Defeated {
            who: LOCKHAND,
            by: Some((CRAB, Source::Ability(if self.b == B::Idle { self.last_b() } else { self.ids.spit }))),
        };
        let fell_b = Event::Defeated { who: CRAB, by: Some((LOCKHAND, Source::Ability(self.ids.boathook))) };
        match (a, b) {
            (true, true) => {
                self.tell(if a_first { fell_a } else { fell_b });
                self.tell(if a_first { fell_b } else { fell_a });
                Some(Ending::AllDefeated)
            }
            (true, false) => {
                self.tell(fell_a);
                Some(Ending::Won(edgeplane::program::SideId(1)))
            }
            _ => {
                self.tell(fell_b);
                // The reward for the crab, for its remaining enemy.
                self.tell(Event::Learned { who: LOCKHAND, from: CRAB, amount: 60.0, total: 60.0 });
                Some(Ending::Won(edgeplane::program::SideId(0)))
            }
        }
    }

    /// The crab's ability that has just been released.
    fn last_b(&self) -> AbilityId {
        if self.spit == self.now + 5_000_000 { self.ids.spit } else { self.ids.pincer }
    }

    #[inline(always)]
    fn release_a(&mut self) -> bool {
        if self.a == A::Brace {
            self.brace = self.now + 10_000_000;
            self.tell(Event::Released { caster: LOCKHAND, ability: self.ids.brace, ready: Time(self.brace) });
            self.restore_shell();
            self.restore_breath();
            self.a = A::Idle;
            return true;
        }
        self.boathook = self.now + 1_400_000;
        self.tell(Event::Released { caster: LOCKHAND, ability: self.ids.boathook, ready: Time(self.boathook) });
        let initial = (6.0 + 14.0 * 0.9) * (1.0 + 0.1 * (2.0 * unit(&mut self.spread[0]) - 1.0));
        let critical = unit(&mut self.critical[0]) < CRITICAL;
        let mut amount = if critical { initial * 1.5 } else { initial };
        amount = amount * (200.0 - 15.0) / 200.0;
        let dealt = if amount < self.health_b { amount } else { self.health_b };
        self.health_b -= dealt;
        let hit = Event::Hit {
            caster: LOCKHAND,
            target: CRAB,
            source: Source::Ability(self.ids.boathook),
            damage_type: DamageTypeId(0),
            pool: self.ids.health,
            initial,
            amount,
            dealt,
            over: amount - dealt,
            left: self.health_b,
            stopped: None,
            marks: u64::from(critical),
        };
        self.tell(hit);
        self.a = A::Recovering;
        self.next_a = self.now + 200_000;
        false
    }

    fn restore_shell(&mut self) {
        let (before, gain) = (self.shell.at(self.now, DECAY, SHELL_A), 12.0 + GRIT_A);
        let fits = before + gain < SHELL_A;
        let (gained, left) = if fits { (gain, before + gain) } else { (SHELL_A - before, SHELL_A) };
        self.shell = Flow { amount: left, since: self.now };
        let (ability, pool) = (self.ids.brace, self.ids.shell);
        self.tell(Event::Restored {
            caster: LOCKHAND,
            target: LOCKHAND,
            source: Source::Ability(ability),
            pool,
            gained,
            over: gain - gained,
            left,
        });
    }

    fn restore_breath(&mut self) {
        let before = self.breath_a.at(self.now, REGEN, BREATH_A);
        let fits = before + 6.0 < BREATH_A;
        let (gained, left) = if fits { (6.0, before + 6.0) } else { (BREATH_A - before, BREATH_A) };
        if gained > 0.0 {
            self.breath_a = Flow { amount: left, since: self.now };
        }
        let (ability, pool) = (self.ids.brace, self.ids.breath);
        self.tell(Event::Restored {
            caster: LOCKHAND,
            target: LOCKHAND,
            source: Source::Ability(ability),
            pool,
            gained,
            over: 6.0 - gained,
            left,
        });
    }

    #[inline(always)]
    fn release_b(&mut self, a_wakes: &mut bool) {
        let spit = self.b == B::Spit;
        let (ability, ready) = if spit { (self.ids.spit, 5_000_000) } else { (self.ids.pincer, 1_600_000) };
        let ready = self.now + ready;
        *(if spit { &mut self.spit } else { &mut self.pincer }) = ready;
        self.tell(Event::Released { caster: CRAB, ability, ready: Time(ready) });
        let initial = if spit {
            6.0 + 16.0 * 0.9
        } else {
            (9.0 + 16.0 * 0.8) * (1.0 + 0.2 * (2.0 * unit(&mut self.spread[1]) - 1.0))
        };
        let damage_type = DamageTypeId(u16::from(spit));
        self.b = B::Idle;
        let dodged = unit(&mut self.dodge_b) < DODGE_A;
        let (mut amount, mut marks) = (0.0, 0);
        if !dodged {
            let critical = unit(&mut self.critical[1]) < CRITICAL;
            marks = u64::from(critical);
            amount = if critical { initial * 1.5 } else { initial };
            amount = if spit { amount * (1.0 - 0.2) } else { amount * (200.0 - 12.0) / 200.0 };
            amount = self.soak(amount);
        }
        let dealt = if amount < self.health_a { amount } else { self.health_a };
        if dealt > 0.0 {
            self.health_a -= dealt;
            *a_wakes = true;
        }
        let stopped = dodged.then_some(StepId(0));
        let (pool, left) = (self.ids.health, self.health_a);
        self.tell(Event::Hit {
            caster: CRAB,
            target: LOCKHAND,
            source: Source::Ability(ability),
            damage_type,
            pool,
            initial,
            amount,
            dealt,
            over: amount - dealt,
            left,
            stopped,
            marks,
        });
    }

    #[inline(always)]
    fn soak(&mut self, amount: f64) -> f64 {
        if self.shell.amount <= 0.0 {
            return amount;
        }
        let before = self.shell.at(self.now, DECAY, SHELL_A);
        let soaked = if amount < before { amount } else { before };
        if soaked > 0.0 {
            self.shell = Flow { amount: before - soaked, since: self.now };
            self.tell(Event::Soaked {
                target: LOCKHAND,
                step: StepId(4),
                pool: self.ids.shell,
                amount: soaked,
                left: before - soaked,
            });
        }
        amount - soaked
    }

    #[inline(always)]
    fn choose_a(&mut self) {
        let wants_brace = self.health_a / HEALTH_A < 0.5;
        if wants_brace && self.brace <= self.now {
            self.a = A::Brace;
            self.next_a = self.now;
            self.used(LOCKHAND, self.ids.brace, LOCKHAND, self.now);
            return;
        }
        let mut wake = if wants_brace { self.brace } else { NEVER };
        if self.boathook > self.now {
            wake = wake.min(self.boathook);
        } else {
            let has = self.breath_a.at(self.now, REGEN, BREATH_A);
            if has >= 4.0 {
                self.a = A::Boathook;
                self.next_a = self.now + 300_000;
                self.used(LOCKHAND, self.ids.boathook, CRAB, self.next_a);
                self.breath_a = Flow { amount: has - 4.0, since: self.now };
                self.spent(LOCKHAND, self.ids.boathook, 4.0, has - 4.0);
                return;
            }
            wake = wake.min(self.breath_a.holds(self.now, 4.0, BREATH_A));
        }
        self.next_a = wake;
    }

    #[inline(always)]
    fn choose_b(&mut self) {
        let has = self.breath_b.at(self.now, REGEN, BREATH_B);
        let mut wake = NEVER;
        for (doing, ready, cost, cast) in [(B::Spit, self.spit, 12.0, 600_000), (B::Pincer, self.pincer, 3.0, 350_000)]
        {
            if ready > self.now {
                wake = wake.min(ready);
            } else if has >= cost {
                self.b = doing;
                self.next_b = self.now + cast;
                let ability = if doing == B::Spit { self.ids.spit } else { self.ids.pincer };
                self.used(CRAB, ability, LOCKHAND, self.next_b);
                self.breath_b = Flow { amount: has - cost, since: self.now };
                self.spent(CRAB, ability, cost, has - cost);
                return;
            } else {
                wake = wake.min(self.breath_b.holds(self.now, cost, BREATH_B));
            }
        }
        self.next_b = wake;
    }

    #[inline(always)]
    fn used(&mut self, caster: CombatantId, ability: AbilityId, target: CombatantId, release: u64) {
        self.tell(Event::Used { caster, ability, target, targets: 1, release: Time(release) });
    }

    #[inline(always)]
    fn spent(&mut self, who: CombatantId, ability: AbilityId, amount: f64, left: f64) {
        self.tell(Event::Spent { who, ability, pool: self.ids.breath, amount, left });
    }
}
