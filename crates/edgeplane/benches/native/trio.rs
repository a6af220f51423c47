//! `trio.toml` by hand: three against three with an attack on all, a heal, a buff, a stacking damage over time, a
//! trigger on defeats, and targets picked by `weakest`. It makes the same draws as the engine and reports the same
//! events.

use edgeplane::fight::{Applied, Ending, Event, Observer, Source, stream_seed};
use edgeplane::program::{DamageTypeId, LostReason, SideId, StatusId, TriggerEvent};
use edgeplane::{AbilityId, CombatantId, PoolId, Setup, Time};
use rand_core::{Rng, SeedableRng};
use rand_xoshiro::SplitMix64;

const NEVER: u64 = u64::MAX;
const LIMIT: u64 = 120_000_000;
const HEALTH: f64 = 260.0;
const DUST: f64 = 1e-9 * HEALTH;
const ALL: usize = 6;

/// Names of all streams: tie-breaks, and the spread of each fighter's own ability and of the strike.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Streams {
    tie_break: [u64; ALL],
    own: [u64; ALL],
    strike: [u64; ALL],
}

/// Ids in events.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Ids {
    sweep: AbilityId,
    strike: AbilityId,
    sting: AbilityId,
    mend: AbilityId,
    rally: AbilityId,
    venom: StatusId,
    rallied: StatusId,
    grudge: StatusId,
    health: PoolId,
}

impl Streams {
    pub(crate) fn of(setup: &Setup) -> Option<Self> {
        let stream = |who: usize, place: &str| setup.stream(CombatantId(who as u16), place);
        let mut streams = Self { tie_break: [0; ALL], own: [0; ALL], strike: [0; ALL] };
        for who in 0..ALL {
            streams.tie_break[who] = stream(who, "tie-break")?;
            let own = if who % 3 == 1 { "ability.sting.does.0.spread" } else { "ability.sweep.does.0.spread" };
            streams.own[who] = stream(who, own)?;
            streams.strike[who] = stream(who, "ability.strike.does.0.spread")?;
        }
        Some(streams)
    }
}

impl Ids {
    pub(crate) fn of(setup: &Setup) -> Option<Self> {
        let program = setup.program();
        Some(Self {
            sweep: program.find_ability("sweep")?,
            strike: program.find_ability("strike")?,
            sting: program.find_ability("sting")?,
            mend: program.find_ability("mend")?,
            rally: program.find_ability("rally")?,
            venom: program.find_status("venom")?,
            rallied: program.find_status("rallied")?,
            grudge: program.find_status("grudge")?,
            health: program.find_pool("health")?,
        })
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Doing {
    Idle,
    Sweep,
    Strike,
    Sting,
    Mend,
    Rally,
}

/// A status with an end; it is present while it has stacks.
#[derive(Clone, Copy)]
struct Held {
    stacks: u32,
    ends: u64,
    by: usize,
    serial: u32,
    began: u64,
    ticks: u32,
    tick: u64,
}

const NONE: Held = Held { stacks: 0, ends: NEVER, by: 0, serial: 0, began: 0, ticks: 0, tick: NEVER };

struct Fighter {
    stands: bool,
    health: f64,
    might: f64,
    guard: f64,
    doing: Doing,
    /// The end of a cast, or the next decision.
    act: u64,
    target: usize,
    /// The targets of an attack on all, or of a call to all.
    aimed: [bool; 3],
    first_ready: u64,
    rally_ready: u64,
    strike_ready: u64,
    venom: Held,
    rallied: Held,
    hurt_by: Option<(CombatantId, Source)>,
    own: SplitMix64,
    strike: SplitMix64,
}

fn unit(rng: &mut SplitMix64) -> f64 {
    (rng.next_u64() >> 11) as f64 * (1.0 / (1u64 << 53) as f64)
}

fn id(who: usize) -> CombatantId {
    CombatantId(who as u16)
}

struct Trio<'a, O> {
    now: u64,
    order: [usize; ALL],
    all: [Fighter; ALL],
    serial: u32,
    ids: &'a Ids,
    observer: &'a mut O,
}

/// Plays the fight.
pub(crate) fn fight<O: Observer>(streams: &Streams, ids: &Ids, seed: u64, observer: &mut O) -> (Ending, Time) {
    let rng = |name: u64| SplitMix64::seed_from_u64(stream_seed(seed, name));
    let rank =
        |who: &usize| ((u128::from(rng(streams.tie_break[*who]).next_u64()) * u128::from(u32::MAX)) >> 64) as u32;
    let mut order = [0, 1, 2, 3, 4, 5];
    order.sort_unstable_by_key(|who| (rank(who), *who));
    let fighter = |who: usize| Fighter {
        stands: true,
        health: HEALTH,
        might: [10.0, 12.0, 8.0][who % 3],
        guard: [30.0, 10.0, 5.0][who % 3],
        doing: Doing::Idle,
        act: 0,
        target: 0,
        aimed: [false; 3],
        first_ready: 0,
        rally_ready: 0,
        strike_ready: 0,
        venom: NONE,
        rallied: NONE,
        hurt_by: None,
        own: rng(streams.own[who]),
        strike: rng(streams.strike[who]),
    };
    let all = [0, 1, 2, 3, 4, 5].map(fighter);
    let mut trio = Trio { now: 0, order, all, serial: 0, ids, observer };
    trio.show(Event::Began);
    for who in order.into_iter().filter(|who| who % 3 == 0) {
        trio.gained(who, who, ids.grudge, 1, None, Applied::New);
    }
    let ending = trio.run();
    let now = Time(trio.now);
    trio.show(Event::Ended { ending });
    (ending, now)
}

impl<O: Observer> Trio<'_, O> {
    #[inline(always)]
    fn show(&mut self, event: Event) {
        self.observer.event(Time(self.now), event);
    }

    fn run(&mut self) -> Ending {
        loop {
            self.order.into_iter().for_each(|who| self.choose(who));
            let mut now = NEVER;
            for one in &self.all {
                now = now.min(one.act).min(one.venom.tick).min(one.venom.ends).min(one.rallied.ends);
            }
            if now > LIMIT {
                self.now = LIMIT;
                return Ending::TimeLimit;
            }
            self.now = now;
            for who in self.order {
                if self.all[who].venom.tick == now {
                    self.tick(who);
                }
            }
            for who in self.order {
                let (venom, rallied) = (&self.all[who].venom, &self.all[who].rallied);
                let (venom_ends, rallied_ends) = (venom.ends == now, rallied.ends == now);
                let venom_first = venom.serial < rallied.serial;
                if venom_ends && (venom_first || !rallied_ends) {
                    self.lose_venom(who, LostReason::Expired);
                }
                if rallied_ends {
                    self.lose_rallied(who, LostReason::Expired);
                }
                if venom_ends && rallied_ends && !venom_first {
                    self.lose_venom(who, LostReason::Expired);
                }
            }
            for who in self.order {
                if self.all[who].act == now && self.all[who].doing != Doing::Idle {
                    self.release(who);
                }
            }
            if let Some(ending) = self.settle() {
                return ending;
            }
        }
    }

    /// The member of a side with the lowest share of its health.
    fn weakest(&self, side: usize) -> usize {
        let (mut best, mut least) = (ALL, f64::INFINITY);
        for who in side * 3..side * 3 + 3 {
            let one = &self.all[who];
            let share = one.health / HEALTH;
            if one.stands && share < least {
                (best, least) = (who, share);
            }
        }
        best
    }

    /// The first ability that can be used, otherwise the time at which one may be. Only a condition of a mender can
    /// change before that.
    fn choose(&mut self, who: usize) {
        let (now, one) = (self.now, &self.all[who]);
        let is_due = one.act <= now || (who % 3 == 2 && one.first_ready <= now);
        if one.doing != Doing::Idle || !is_due || !one.stands {
            return;
        }
        let (side, foes) = (who / 3, 1 - who / 3);
        let hurt = if who % 3 == 2 && one.first_ready <= now { self.weakest(side) } else { ALL };
        let (doing, cast, target) = match who % 3 {
            0 if one.first_ready <= now => (Doing::Sweep, 700_000, ALL),
            1 if one.first_ready <= now => (Doing::Sting, 500_000, self.weakest(foes)),
            2 if hurt < ALL && self.all[hurt].health / HEALTH < 0.8 => (Doing::Mend, 900_000, hurt),
            2 if one.rally_ready <= now => (Doing::Rally, 600_000, ALL),
            _ if one.strike_ready <= now => (Doing::Strike, 400_000, self.weakest(foes)),
            _ => {
                let later = |ready: u64| if ready > now { ready } else { NEVER };
                let one = &mut self.all[who];
                one.act = later(one.first_ready).min(later(one.rally_ready)).min(later(one.strike_ready));
                return;
            }
        };
        let at = if doing == Doing::Rally { side } else { foes };
        let aimed = [0, 1, 2].map(|other| self.all[at * 3 + other].stands);
        let (first, targets) = if target < ALL {
            (target, 1)
        } else {
            (
                at * 3 + aimed.iter().position(|stands| *stands).unwrap_or(0),
                aimed.iter().filter(|stands| **stands).count(),
            )
        };
        let one = &mut self.all[who];
        (one.doing, one.act, one.target, one.aimed) = (doing, now + cast, target, aimed);
        let (ability, _) = self.ability(doing);
        let release = Time(now + cast);
        self.show(Event::Used { caster: id(who), ability, target: id(first), targets: targets as u16, release });
    }

    /// The ability, and its cooldown.
    fn ability(&self, doing: Doing) -> (AbilityId, u64) {
        match doing {
            Doing::Sweep => (self.ids.sweep, 4_100_000),
            Doing::Sting => (self.ids.sting, 2_300_000),
            Doing::Mend => (self.ids.mend, 3_700_000),
            Doing::Rally => (self.ids.rally, 9_100_000),
            Doing::Strike | Doing::Idle => (self.ids.strike, 1_300_000),
        }
    }

    fn release(&mut self, who: usize) {
        let (now, doing) = (self.now, self.all[who].doing);
        let (ability, cooldown) = self.ability(doing);
        let ready = now + cooldown;
        let one = &mut self.all[who];
        match doing {
            Doing::Strike => one.strike_ready = ready,
            Doing::Rally => one.rally_ready = ready,
            _ => one.first_ready = ready,
        }
        one.doing = Doing::Idle;
        let (target, might, aimed) = (one.target, one.might, one.aimed);
        self.show(Event::Released { caster: id(who), ability, ready: Time(ready) });
        let at = if doing == Doing::Rally { who / 3 } else { 1 - who / 3 };
        let meant = |trio: &Self, other: usize| aimed[other] && trio.all[at * 3 + other].stands;
        let any = if target < ALL { self.all[target].stands } else { (0..3).any(|other| meant(self, other)) };
        if !any {
            self.show(Event::Lost { caster: id(who), ability });
            return;
        }
        let source = Source::Ability(ability);
        match doing {
            Doing::Sweep => {
                for other in 0..3 {
                    if meant(self, other) {
                        let drawn = unit(&mut self.all[who].own);
                        let initial = (4.0 + might * 0.5) * (1.0 + 0.2 * (2.0 * drawn - 1.0));
                        self.hit(who, at * 3 + other, source, initial, true);
                    }
                }
            }
            Doing::Strike => {
                let drawn = unit(&mut self.all[who].strike);
                self.hit(who, target, source, (5.0 + might) * (1.0 + 0.1 * (2.0 * drawn - 1.0)), true);
            }
            Doing::Sting => {
                let drawn = unit(&mut self.all[who].own);
                self.hit(who, target, source, (3.0 + might * 0.4) * (1.0 + 0.3 * (2.0 * drawn - 1.0)), true);
                self.envenom(who, target);
            }
            Doing::Mend => self.heal(who, target, ability, 12.0 + might),
            _ => {
                for other in 0..3 {
                    if meant(self, other) {
                        self.rally(who, at * 3 + other);
                    }
                }
            }
        }
    }

    #[inline(always)]
    fn hit(&mut self, caster: usize, target: usize, source: Source, initial: f64, guarded: bool) {
        let one = &mut self.all[target];
        let amount = if guarded { initial * (200.0 - one.guard) / 200.0 } else { initial };
        let (before, left) = (one.health, one.health - amount);
        let (dealt, over, left) = if before == 0.0 {
            (0.0, amount, 0.0)
        } else if left > DUST {
            (amount, 0.0, left)
        } else if left >= -DUST {
            (amount, 0.0, 0.0)
        } else {
            (before, amount - before, 0.0)
        };
        if dealt > 0.0 {
            one.health = left;
            one.hurt_by = Some((id(caster), source));
        }
        let (damage_type, pool) = (DamageTypeId(0), self.ids.health);
        let (caster, target) = (id(caster), id(target));
        let (stopped, marks) = (None, 0);
        self.show(Event::Hit {
            caster,
            target,
            source,
            damage_type,
            pool,
            initial,
            amount,
            dealt,
            over,
            left,
            stopped,
            marks,
        });
    }

    fn heal(&mut self, caster: usize, target: usize, ability: AbilityId, amount: f64) {
        let one = &mut self.all[target];
        let missing = HEALTH - one.health;
        let room = missing - amount;
        let (healed, over, left) = if room > DUST {
            (amount, 0.0, one.health + amount)
        } else if room >= -DUST {
            (amount, 0.0, HEALTH)
        } else {
            (missing, amount - missing, HEALTH)
        };
        one.health = left;
        let (source, pool, initial, stopped) = (Source::Ability(ability), self.ids.health, amount, None);
        let (caster, target) = (id(caster), id(target));
        self.show(Event::Healed { caster, target, source, pool, initial, amount, healed, over, left, stopped });
    }

    fn tick(&mut self, who: usize) {
        let venom = &mut self.all[who].venom;
        venom.ticks += 1;
        let (caster, tick, stacks) = (venom.by, venom.ticks, venom.stacks);
        self.set_tick(who);
        let status = self.ids.venom;
        self.show(Event::StatusTicked { target: id(who), caster: id(caster), status, tick });
        self.hit(caster, who, Source::Status(status), 2.0 * f64::from(stacks), false);
    }

    fn set_tick(&mut self, who: usize) {
        let venom = &mut self.all[who].venom;
        let next = venom.began + u64::from(venom.ticks + 1) * 1_000_000;
        venom.tick = if next <= venom.ends { next } else { NEVER };
    }

    fn held(&mut self, by: usize, ends: u64) -> Held {
        self.serial += 1;
        Held { stacks: 1, ends, by, serial: self.serial, began: self.now, ticks: 0, tick: NEVER }
    }

    fn envenom(&mut self, by: usize, target: usize) {
        let ends = self.now + 5_000_000;
        let applied = if self.all[target].venom.stacks == 0 {
            self.all[target].venom = self.held(by, ends);
            Applied::New
        } else {
            let venom = &mut self.all[target].venom;
            (venom.stacks, venom.ends) = ((venom.stacks + 1).min(4), ends);
            Applied::Stacked
        };
        self.set_tick(target);
        self.gained(by, target, self.ids.venom, self.all[target].venom.stacks, Some(Time(ends)), applied);
    }

    fn rally(&mut self, by: usize, target: usize) {
        let ends = self.now + 4_000_000;
        let applied = if self.all[target].rallied.stacks == 0 {
            self.all[target].rallied = self.held(by, ends);
            self.all[target].might += 6.0;
            Applied::New
        } else {
            self.all[target].rallied.ends = ends;
            Applied::Renewed
        };
        self.gained(by, target, self.ids.rallied, 1, Some(Time(ends)), applied);
    }

    fn gained(
        &mut self,
        caster: usize,
        target: usize,
        status: StatusId,
        stacks: u32,
        until: Option<Time>,
        applied: Applied,
    ) {
        let (caster, target) = (id(caster), id(target));
        self.show(Event::StatusGained { caster, target, status, stacks, total: stacks, until, applied });
    }

    fn lost(&mut self, who: usize, held: Held, status: StatusId, reason: LostReason) {
        let (target, caster) = (id(who), id(held.by));
        self.show(Event::StatusLost { target, caster, status, stacks: held.stacks, total: 0, reason });
    }

    fn lose_venom(&mut self, who: usize, reason: LostReason) {
        let venom = std::mem::replace(&mut self.all[who].venom, NONE);
        self.lost(who, venom, self.ids.venom, reason);
    }

    fn lose_rallied(&mut self, who: usize, reason: LostReason) {
        let rallied = std::mem::replace(&mut self.all[who].rallied, NONE);
        self.all[who].might -= 6.0;
        self.lost(who, rallied, self.ids.rallied, reason);
    }

    /// Combatants without health are defeated; allies with the trigger are rallied, unless the fight is over.
    fn settle(&mut self) -> Option<Ending> {
        if self.all.iter().all(|one| one.health > 0.0 || !one.stands) {
            return None;
        }
        let (mut grudges, mut count) = ([0; ALL], 0);
        for who in self.order {
            if !self.all[who].stands || self.all[who].health > 0.0 {
                continue;
            }
            let one = &mut self.all[who];
            (one.stands, one.doing, one.act) = (false, Doing::Idle, NEVER);
            let by = one.hurt_by;
            self.show(Event::Defeated { who: id(who), by });
            let warden = who / 3 * 3;
            if warden != who && self.all[warden].stands {
                (grudges[count], count) = (warden, count + 1);
            }
            let reason = LostReason::OwnerDefeated;
            if warden == who {
                self.lost(who, Held { stacks: 1, by: who, ..NONE }, self.ids.grudge, reason);
            }
            let (venom, rallied) = (self.all[who].venom, self.all[who].rallied);
            let venom_first = venom.serial < rallied.serial;
            if venom.stacks > 0 && (venom_first || rallied.stacks == 0) {
                self.lose_venom(who, reason);
            }
            if rallied.stacks > 0 {
                self.lose_rallied(who, reason);
            }
            if self.all[who].venom.stacks > 0 {
                self.lose_venom(who, reason);
            }
        }
        let stands = [0, 1].map(|side| self.all[side * 3..side * 3 + 3].iter().any(|one| one.stands));
        match stands {
            [true, true] => {}
            [false, false] => return Some(Ending::AllDefeated),
            [first, _] => return Some(Ending::Won(SideId(u16::from(!first)))),
        }
        for warden in &grudges[..count] {
            let (who, status, event) = (id(*warden), self.ids.grudge, TriggerEvent::AllyDefeated);
            self.show(Event::Triggered { who, status, event });
            if self.all[*warden].stands {
                self.rally(*warden, *warden);
            }
        }
        None
    }
}
