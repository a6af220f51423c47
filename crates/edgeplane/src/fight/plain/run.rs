//! Playing a plain fight.

use super::NOTHING;
use super::lane::{Body, Lane};
use super::plan::{Hit, MOST_FIGHTERS, MOST_LINES, MOST_MOVES, MOST_POOLS, Move, Outcome, PlainPlan, Way};
use crate::fight::event::{Event, Observer, Refusal};
use crate::fight::filled::FilledOp;
use crate::fight::limits::Limits;
use crate::fight::state::Doing;
use crate::fight::timeline::{Due, Phase};
use crate::program::{Chance, CombatantId, PoolId, StepId, Time, flow, pool_slot};

/// Why the engine has to go on.
pub(super) enum Pause {
    /// Nothing is due any more before the time is up.
    Over(Due),
    /// Somebody has nothing left.
    Empty,
    /// A limit is passed.
    TooLong,
    Endless(u32),
}

/// A plain fight under way.
pub(super) struct Run<'a, C, O> {
    pub(super) plan: &'a PlainPlan,
    pub(super) lane: &'a mut Lane,
    pub(super) chance: &'a mut C,
    pub(super) observer: &'a mut O,
    pub(super) limits: Limits,
}

/// What came of adding to a pool or taking from it.
struct Change {
    moved: f64,
    over: f64,
    left: f64,
}

impl<C: Chance, O: Observer> Run<'_, C, O> {
    #[inline(always)]
    fn tell(&mut self, event: Event) {
        self.observer.event(self.lane.now, event);
    }

    #[inline(always)]
    fn body(&mut self, who: CombatantId) -> &mut Body {
        &mut self.lane.bodies[who.index() % MOST_FIGHTERS]
    }

    #[inline(always)]
    fn set_key(&mut self, who: CombatantId, key: Due) {
        self.lane.keys[who.index() % MOST_FIGHTERS] = key;
    }

    /// The next thing due.
    #[inline(always)]
    fn next(&self) -> Due {
        let keys = &self.lane.keys;
        if self.plan.fighters.len() == 2 {
            return keys[0].min(keys[1]);
        }
        keys.iter().take(self.plan.fighters.len()).fold(NOTHING, |least, key| least.min(*key))
    }

    /// Goes on to where the engine is needed; `resumed` where it was needed for defeats.
    pub(super) fn go(&mut self, last: Time, mut resumed: bool) -> Pause {
        loop {
            let mut due = self.next();
            if !resumed {
                if due.at() > last {
                    return Pause::Over(due);
                }
                self.lane.now = due.at();
                self.lane.micros = due.at().micros();
                self.lane.waves = 0;
            }
            loop {
                if !std::mem::take(&mut resumed) {
                    if !self.wave(due) {
                        return Pause::TooLong;
                    }
                    if !std::mem::take(&mut self.lane.attention) {
                        if self.lane.choosers == 0 {
                            break;
                        }
                    } else if std::mem::take(&mut self.lane.hurt) && self.somebody_is_empty() {
                        return Pause::Empty;
                    } else {
                        self.wake_watchers();
                    }
                } else {
                    self.wake_watchers();
                }
                if self.lane.choosers == 0 {
                    break;
                }
                self.choose_all();
                due = self.next();
                if due.at() > self.lane.now {
                    break;
                }
                self.lane.waves += 1;
                if self.lane.waves >= self.limits.waves {
                    return Pause::Endless(self.lane.waves);
                }
            }
        }
    }

    /// Everything that is due now; false when there was too much of it.
    #[inline(always)]
    fn wave(&mut self, mut due: Due) -> bool {
        loop {
            self.lane.steps += 1;
            if self.lane.steps > self.limits.steps {
                return false;
            }
            let who = due.who();
            self.set_key(who, NOTHING);
            match self.body(who).doing {
                Doing::Casting(place) if due.phase() == Phase::Release => self.release(who, place as usize),
                _ => self.is_ready(who),
            }
            due = self.next();
            if due.at() > self.lane.now {
                return true;
            }
        }
    }

    #[inline(always)]
    fn is_ready(&mut self, who: CombatantId) {
        self.body(who).doing = Doing::Idle;
        self.will_choose(who);
    }

    #[inline(always)]
    fn will_choose(&mut self, who: CombatantId) {
        if !std::mem::replace(&mut self.body(who).chooses, true) {
            self.lane.choosers += 1;
            self.lane.chooser = who;
        }
    }

    #[cold]
    fn somebody_is_empty(&self) -> bool {
        let Some(pool) = self.plan.defeats else { return false };
        let all = self.lane.bodies.iter().zip(self.plan.fighters.all());
        all.into_iter().any(|(body, fighter)| {
            body.stands && fighter.mortal && flow::amount(&body.pools[pool], self.lane.micros) <= 0.0
        })
    }

    /// As [`Engine::wake_watchers`](crate::fight::engine::Engine).
    #[inline(never)]
    fn wake_watchers(&mut self) {
        let everyone = std::mem::take(&mut self.lane.fell);
        for index in 0..self.plan.fighters.len() {
            let who = CombatantId(index as u16);
            let fighter = &self.plan.fighters[index];
            let micros = self.lane.micros;
            let body = self.body(who);
            let own = std::mem::take(&mut body.changed);
            if body.doing != Doing::Idle || body.chooses || !body.stands {
                continue;
            }
            let turned = |body: &Body| {
                let lines = fighter.lines.iter().enumerate().filter(|(_, line)| line.conditional);
                let mut read = lines.filter(|(_, line)| line.reads & own != 0);
                read.any(|(bit, line)| line.when.holds(&body.pools, micros) != (body.wanted >> bit & 1 == 1))
            };
            let pays = body.short && own & fighter.costs != 0;
            if everyone || pays || (own & fighter.own != 0 && turned(body)) {
                self.will_choose(who);
            }
        }
    }

    #[inline(always)]
    fn choose_all(&mut self) {
        if std::mem::take(&mut self.lane.choosers) == 1 {
            let who = self.lane.chooser;
            if std::mem::take(&mut self.body(who).chooses) {
                match self.look(who) {
                    Some((place, before)) => self.start(who, place as usize, before),
                    None => self.wait(who),
                }
                return;
            }
        }
        self.choose_together();
    }

    #[inline(never)]
    fn choose_together(&mut self) {
        let order = self.lane.order;
        let order = &order[..self.plan.fighters.len()];
        for who in order {
            if self.body(*who).chooses {
                self.body(*who).choice = self.look(*who);
            }
        }
        for who in order {
            if std::mem::take(&mut self.body(*who).chooses) {
                match self.body(*who).choice {
                    Some((place, before)) => self.start(*who, place as usize, before),
                    None => self.wait(*who),
                }
            }
        }
    }

    /// The first use that is wanted and possible, and what the pool holds that pays it.
    #[inline(always)]
    fn look(&mut self, who: CombatantId) -> Option<(u32, f64)> {
        let (plan, micros, now) = (self.plan, self.lane.micros, self.lane.now);
        let fighter = &plan.fighters[who];
        let body = self.body(who);
        let (known, wanted) = (body.known, body.wanted);
        let (mut wake, mut short) = (Time::NEVER, false);
        let mut lines = fighter.all & (wanted | !known);
        while lines != 0 {
            let bit = lines.trailing_zeros();
            let mask = 1_u64 << bit;
            lines ^= mask;
            let line = &fighter.lines[bit as usize % MOST_LINES];
            if known & mask == 0 {
                let body = self.body(who);
                body.known |= mask;
                if !line.when.holds(&body.pools, micros) {
                    body.wanted &= !mask;
                    continue;
                }
                body.wanted |= mask;
            }
            let one = &plan.moves[line.place];
            let ready = self.lane.ready[line.place % MOST_MOVES];
            if ready > now {
                wake = wake.min(ready);
                self.tell(Event::Refused { who, ability: one.ability, reason: Refusal::NotReady { until: ready } });
                continue;
            }
            let target = if one.itself { Some(who) } else { self.body(who).enemy };
            let Some(target) = target else {
                self.tell(Event::Refused { who, ability: one.ability, reason: Refusal::NoTarget });
                continue;
            };
            let mut before = 0.0;
            if !one.free {
                before = flow::amount(&self.body(who).pools[one.pays_from % MOST_POOLS], micros);
                if before < one.cost {
                    let until = self.too_dear(who, one, before);
                    short = true;
                    wake = wake.min(until.unwrap_or(Time::NEVER));
                    continue;
                }
            }
            self.body(who).target = target;
            return Some((line.place as u32, before));
        }
        let body = self.body(who);
        body.wake = wake;
        if short != body.short {
            body.short = short;
            body.watch = if short { fighter.own | fighter.costs } else { fighter.own };
            body.alert = body.watch | plan.defeating;
        }
        None
    }

    #[cold]
    #[inline(never)]
    fn too_dear(&mut self, who: CombatantId, one: &Move, has: f64) -> Option<Time> {
        let pool = &self.lane.bodies[who.index() % MOST_FIGHTERS].pools[one.pays_from % MOST_POOLS];
        let until = flow::when_it_holds(pool, one.cost, self.lane.micros);
        let reason = Refusal::CannotAfford { pool: PoolId(one.pays_from as u16), cost: one.cost, has, until };
        self.tell(Event::Refused { who, ability: one.ability, reason });
        until
    }

    #[inline(always)]
    fn wait(&mut self, who: CombatantId) {
        let body = self.body(who);
        let (wake, rank) = (body.wake, body.rank);
        let key = if wake == Time::NEVER { NOTHING } else { Due::of(wake, Phase::Ready, rank, who) };
        self.set_key(who, key);
        self.tell(Event::Waits { who, until: (wake < Time::NEVER).then_some(wake) });
    }

    #[inline(always)]
    fn start(&mut self, who: CombatantId, place: usize, before: f64) {
        let plan = self.plan;
        let one = &plan.moves[place];
        let release = self.lane.now + one.cast;
        self.lane.last_used = (who, Some(one.ability));
        let body = self.body(who);
        (body.doing, body.until) = (Doing::Casting(place as u32), release);
        let (rank, target) = (body.rank, body.target);
        self.set_key(who, Due::of(release, Phase::Release, rank, who));
        self.tell(Event::Used { caster: who, ability: one.ability, target, targets: 1, release });
        if !one.free {
            let left = before - one.cost;
            if one.cost > 0.0 {
                self.put(who, one.pays_from, left);
            }
            let pool = PoolId(one.pays_from as u16);
            self.tell(Event::Spent { who, ability: one.ability, pool, amount: one.cost, left });
        }
    }

    #[inline(always)]
    fn release(&mut self, who: CombatantId, place: usize) {
        let plan = self.plan;
        let one = &plan.moves[place];
        let ready = self.lane.now + one.cooldown;
        self.lane.ready[place % MOST_MOVES] = ready;
        self.tell(Event::Released { caster: who, ability: one.ability, ready });
        let target = self.body(who).target;
        if self.body(target).stands {
            let (first, end) = one.does[target.index() % MOST_FIGHTERS];
            for outcome in plan.outcomes.get(usize::from(first)..usize::from(end)).unwrap_or_default() {
                match outcome {
                    Outcome::Hit(hit) => self.hit(who, target, hit),
                    Outcome::Restore(receiver, pool, amount) => self.restore(who, *receiver, one, *pool, *amount),
                }
            }
        } else {
            self.tell(Event::Lost { caster: who, ability: one.ability });
        }
        if one.recovery == Time::ZERO {
            self.is_ready(who);
            return;
        }
        let until = self.lane.now + one.recovery;
        let body = self.body(who);
        (body.doing, body.until) = (Doing::Recovering, until);
        let rank = body.rank;
        self.set_key(who, Due::of(until, Phase::Ready, rank, who));
    }

    #[inline(always)]
    fn hit(&mut self, caster: CombatantId, target: CombatantId, hit: &Hit) {
        let mut initial = hit.amount;
        if let Some((spread, stream)) = hit.spread {
            initial *= 1.0 + spread * (2.0 * self.chance.uniform(stream) - 1.0);
        }
        let initial = initial.max(0.0);
        let (amount, marks, stopped) = match &hit.way {
            Way::Common { avoid, perhaps, scales, soak } => {
                let (mut amount, mut marks) = (initial, 0);
                if self.chance.chance(avoid.0, avoid.1) {
                    (0.0, 0, Some(avoid.2))
                } else {
                    if self.chance.chance(perhaps.0, perhaps.1) {
                        (amount, marks) = ((amount * perhaps.3).max(0.0), perhaps.2);
                    }
                    // Times one and over one leave an amount as it is to the last bit.
                    for (factor, divisor) in scales {
                        amount = (amount * factor / divisor).max(0.0);
                    }
                    if let Some((pool, step)) = soak {
                        amount = self.soak(target, *pool, *step, amount);
                    }
                    (amount, marks, None)
                }
            }
            Way::Steps(ops) => self.step_by_step(target, ops, initial),
        };
        let amount = self.plan.rounding.apply(amount);
        let Change { moved: dealt, over, left } = self.take(target, hit.pool, amount);
        if dealt > 0.0 {
            self.body(target).hurt_by = Some((caster, hit.source));
        }
        self.tell(Event::Hit {
            caster,
            target,
            source: hit.source,
            damage_type: hit.damage_type,
            pool: PoolId(hit.pool as u16),
            initial,
            amount,
            dealt,
            over,
            left,
            stopped,
            marks,
        });
        if self.plan.threatens && dealt > 0.0 {
            let place = target.index() % MOST_FIGHTERS * MOST_FIGHTERS + caster.index() % MOST_FIGHTERS;
            self.lane.threat[place] = (self.lane.threat[place] + hit.threat * dealt).max(0.0);
        }
    }

    /// What is left of an amount, its marks, and where it ended before its time.
    #[inline(never)]
    fn step_by_step(&mut self, target: CombatantId, ops: &[FilledOp], initial: f64) -> (f64, u64, Option<StepId>) {
        let (mut amount, mut marks) = (initial, 0);
        for op in ops {
            match *op {
                FilledOp::Avoid { stream, p, step } => {
                    if self.chance.chance(stream, p) {
                        return (0.0, marks, Some(step));
                    }
                }
                FilledOp::Perhaps { stream, p, marks: more, factor, .. } => {
                    if self.chance.chance(stream, p) {
                        marks |= more;
                        amount = (amount * factor).max(0.0);
                    }
                }
                FilledOp::Scale { factor, .. } => amount = (amount * factor).max(0.0),
                FilledOp::ScaleOver { factor, divisor, .. } => amount = (amount * factor / divisor).max(0.0),
                FilledOp::Soak { pool, step, .. } => amount = self.soak(target, pool, step, amount),
            }
        }
        (amount, marks, None)
    }

    #[inline(always)]
    fn soak(&mut self, target: CombatantId, pool: PoolId, step: StepId, amount: f64) -> f64 {
        let [held, _, rate, ..] = self.body(target).pools[pool.index() % MOST_POOLS];
        if held <= 0.0 && rate <= 0.0 {
            return amount;
        }
        let Change { moved, over, left } = self.take(target, pool.index(), amount);
        if moved > 0.0 {
            self.tell(Event::Soaked { target, step, pool, amount: moved, left });
        }
        over
    }

    fn restore(&mut self, caster: CombatantId, target: CombatantId, one: &Move, pool: usize, amount: f64) {
        let micros = self.lane.micros;
        let numbers = &self.body(target).pools[pool % MOST_POOLS];
        let (before, cap) = (flow::amount(numbers, micros), numbers[usize::from(pool_slot::CAP)]);
        let fits = before + amount < cap;
        let (gained, left) = if fits { (amount, before + amount) } else { (cap - before, cap) };
        if gained > 0.0 {
            self.put(target, pool, left);
        }
        let source = crate::fight::event::Source::Ability(one.ability);
        let (pool, over) = (PoolId(pool as u16), amount - gained);
        self.tell(Event::Restored { caster, target, source, pool, gained, over, left });
    }

    #[inline(always)]
    fn take(&mut self, who: CombatantId, pool: usize, amount: f64) -> Change {
        let micros = self.lane.micros;
        let before = flow::amount(&self.body(who).pools[pool % MOST_POOLS], micros);
        if before == 0.0 {
            return Change { moved: 0.0, over: amount, left: 0.0 };
        }
        let moved = if amount < before { amount } else { before };
        let left = before - moved;
        if moved > 0.0 {
            self.put(who, pool, left);
        }
        Change { moved, over: amount - moved, left }
    }

    #[inline(always)]
    fn put(&mut self, who: CombatantId, pool: usize, amount: f64) {
        let micros = self.lane.micros;
        let body = self.body(who);
        let numbers = &mut body.pools[pool % MOST_POOLS];
        numbers[usize::from(pool_slot::AMOUNT)] = amount;
        numbers[usize::from(pool_slot::SINCE)] = micros;
        let bit = 1_u64 << pool;
        if body.alert & bit == 0 {
            return;
        }
        body.changed |= bit;
        if body.watch & bit != 0 {
            self.note_waited_for(who, pool);
        }
        if amount <= 0.0 && self.plan.defeating & bit != 0 {
            (self.lane.hurt, self.lane.attention) = (true, true);
        }
    }

    /// A pool has changed that its owner's policy reads.
    #[inline(always)]
    fn note_waited_for(&mut self, who: CombatantId, pool: usize) {
        let (plan, micros) = (self.plan, self.lane.micros);
        let fighter = &plan.fighters[who];
        let mut lines = fighter.readers[pool % MOST_POOLS];
        let body = self.body(who);
        body.known &= !lines;
        if body.doing != Doing::Idle || body.chooses {
            return;
        }
        let mut turned = body.short;
        while lines != 0 && !turned {
            let bit = lines.trailing_zeros();
            lines &= lines - 1;
            let line = &fighter.lines[bit as usize % MOST_LINES];
            turned = line.when.holds(&body.pools, micros) != (body.wanted >> bit & 1 == 1);
        }
        self.lane.attention |= turned;
    }
}
