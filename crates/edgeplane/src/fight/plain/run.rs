//! Playing a plain fight: from moment to moment, and who does what next.

use super::NOTHING;
use super::holding::status_timer;
use super::lane::{Body, Lane};
use super::plan::{MOST_FIGHTERS, MOST_LINES, MOST_MOVES, MOST_POOLS, NO_STRIKE, PlainPlan, Tempo};
use super::settled::MOST_CURSORS;
use super::strike::{amount, bring_all, put, strike_here};
use crate::fight::event::{Event, Observer, Refusal, Source};
use crate::fight::state::Doing;
use crate::fight::timeline::{Due, Phase};
use crate::program::{Chance, CombatantId, PoolId, Time, flow};

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

/// A plain fight under way: between `TWO` or more, and one in which statuses can be `HELD` or not.
///
/// Nothing that is kept out of line borrows a run, but its parts one by one: so they stay in registers.
pub(super) struct Run<'a, C, O, const TWO: bool, const HELD: bool> {
    pub(super) plan: &'a PlainPlan,
    pub(super) lane: &'a mut Lane,
    pub(super) chance: &'a mut C,
    pub(super) observer: &'a mut O,
}

/// What somebody has found to do: a move, and what the pool holds that pays it; or to wait until then.
#[derive(Clone, Copy, Debug)]
pub(super) enum Found {
    Move(u16, f64),
    Wait(Time),
}

impl<C: Chance, O: Observer, const TWO: bool, const HELD: bool> Run<'_, C, O, TWO, HELD> {
    #[inline(always)]
    pub(super) fn tell(&mut self, event: Event) {
        self.observer.event(self.lane.now, event);
    }

    #[inline(always)]
    pub(super) fn body(&mut self, who: CombatantId) -> &mut Body {
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
        if TWO {
            let acts = keys[0].min(keys[1]);
            return if HELD { acts.min(keys[MOST_FIGHTERS].min(keys[MOST_FIGHTERS + 1])) } else { acts };
        }
        let (acts, statuses) = keys.split_at(MOST_FIGHTERS);
        let fighters = self.plan.fighters.len();
        let least = |keys: &[Due]| keys.iter().take(fighters).fold(NOTHING, |least, key| least.min(*key));
        if HELD { least(acts).min(least(statuses)) } else { least(acts) }
    }

    /// Times and cost of a move as they are now.
    #[inline(always)]
    fn tempo(&self, place: usize) -> &Tempo {
        let at = self.lane.cursors[place % MOST_CURSORS];
        &self.plan.tempos[at as usize]
    }

    /// Goes on to where the engine is needed; `resumed` where it was needed for defeats.
    #[inline(always)]
    pub(super) fn go(mut self, last: Time, mut resumed: bool) -> Pause {
        let mut due = self.next();
        loop {
            if !resumed {
                if due.at() > last {
                    return Pause::Over(due);
                }
                self.lane.now = due.at();
                self.lane.micros = due.at().micros();
                self.lane.waves = 0;
            }
            loop {
                if std::mem::take(&mut resumed) {
                    wake_watchers(self.plan, self.lane);
                } else {
                    match self.wave(due) {
                        Some(next) => due = next,
                        None => return Pause::TooLong,
                    }
                    if std::mem::take(&mut self.lane.attention) {
                        if std::mem::take(&mut self.lane.hurt) && somebody_is_empty(self.plan, self.lane) {
                            return Pause::Empty;
                        }
                        wake_watchers(self.plan, self.lane);
                    }
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
                if self.lane.waves >= self.lane.limits.waves {
                    return Pause::Endless(self.lane.waves);
                }
            }
        }
    }

    /// Everything that is due now; gives what is due next, or nothing when there was too much of it.
    #[inline(always)]
    fn wave(&mut self, mut due: Due) -> Option<Due> {
        loop {
            self.lane.steps += 1;
            if self.lane.steps > self.lane.limits.steps {
                return None;
            }
            let (who, phase) = (due.who(), due.phase());
            if HELD && matches!(phase, Phase::Tick | Phase::Expire) {
                let Run { plan, lane, chance, observer } = self;
                status_timer(plan, lane, *chance, *observer, (who, phase));
            } else {
                self.set_key(who, NOTHING);
                match self.body(who).doing {
                    Doing::Casting(_) if phase == Phase::Release => {
                        release(self.plan, self.lane, self.chance, self.observer, who);
                    }
                    _ => self.is_ready(who),
                }
            }
            due = self.next();
            if due.at() > self.lane.now {
                return Some(due);
            }
        }
    }

    #[inline(always)]
    fn is_ready(&mut self, who: CombatantId) {
        self.body(who).doing = Doing::Idle;
        will_choose(self.lane, who);
    }

    #[inline(always)]
    fn choose_all(&mut self) {
        if std::mem::take(&mut self.lane.choosers) == 1 {
            let who = self.lane.chooser;
            if std::mem::take(&mut self.body(who).chooses) {
                let found = self.look(who);
                self.set_out(who, found);
                return;
            }
        }
        choose_together::<C, O, TWO, HELD>(self.plan, self.lane, self.chance, self.observer);
    }

    #[inline(always)]
    fn choose_at_once(&mut self) {
        let order = self.lane.order;
        if TWO {
            let [first, second] = [order[0], order[1]];
            let found = [first, second].map(|who| std::mem::take(&mut self.body(who).chooses).then(|| self.look(who)));
            for (who, found) in [first, second].into_iter().zip(found) {
                if let Some(found) = found {
                    self.set_out(who, found);
                }
            }
            return;
        }
        let order = &order[..self.plan.fighters.len().min(MOST_FIGHTERS)];
        for who in order {
            if self.body(*who).chooses {
                self.body(*who).choice = Some(self.look(*who));
            }
        }
        for who in order {
            let body = self.body(*who);
            if std::mem::take(&mut body.chooses)
                && let Some(found) = body.choice.take()
            {
                self.set_out(*who, found);
            }
        }
    }

    /// The first use that is wanted and possible.
    #[inline(always)]
    fn look(&mut self, who: CombatantId) -> Found {
        let (plan, now) = (self.plan, self.lane.now);
        let fighter = &plan.fighters[who];
        let body = self.body(who);
        let mut lines = body.wanted;
        body.seen = lines;
        let (mut wake, mut short) = (Time::NEVER, false);
        while lines != 0 {
            let line = &fighter.lines[lines.trailing_zeros() as usize % MOST_LINES];
            lines &= lines - 1;
            let ready = self.lane.ready[line.place % MOST_MOVES];
            if ready > now {
                wake = wake.min(ready);
                let ability = plan.moves[line.place].ability;
                self.tell(Event::Refused { who, ability, reason: Refusal::NotReady { until: ready } });
                continue;
            }
            let target = if line.itself { Some(who) } else { self.body(who).enemy };
            let Some(target) = target else {
                let ability = plan.moves[line.place].ability;
                self.tell(Event::Refused { who, ability, reason: Refusal::NoTarget });
                continue;
            };
            let tempo = self.tempo(line.place);
            let mut before = 0.0;
            if !tempo.free {
                let (cost, from) = (tempo.cost, usize::from(tempo.pays_from));
                before = amount(self.lane, who, from);
                if before < cost {
                    let until = too_dear(plan, self.lane, self.observer, who, line.place);
                    short = true;
                    wake = wake.min(until.unwrap_or(Time::NEVER));
                    continue;
                }
            }
            self.body(who).target = target;
            return Found::Move(line.place as u16, before);
        }
        let body = self.body(who);
        if short != body.short {
            body.short = short;
            body.watch = if short { fighter.own | fighter.costs } else { fighter.own };
            body.alert = body.watch | plan.defeating;
        }
        Found::Wait(wake)
    }

    #[inline(always)]
    fn set_out(&mut self, who: CombatantId, found: Found) {
        match found {
            Found::Move(place, before) => self.start(who, usize::from(place), before),
            Found::Wait(wake) => self.wait(who, wake),
        }
    }

    #[inline(always)]
    fn wait(&mut self, who: CombatantId, wake: Time) {
        let body = self.body(who);
        body.wake = wake;
        let key = if wake == Time::NEVER { NOTHING } else { Due::of(wake, Phase::Ready, body.rank, who) };
        self.set_key(who, key);
        self.tell(Event::Waits { who, until: (wake < Time::NEVER).then_some(wake) });
    }

    #[inline(always)]
    fn start(&mut self, who: CombatantId, place: usize, before: f64) {
        let tempo = self.tempo(place);
        let (cost, free, pays_from) = (tempo.cost, tempo.free, usize::from(tempo.pays_from));
        let release = self.lane.now + tempo.cast;
        self.lane.last_used = (who, Some(place as u16));
        let body = self.body(who);
        (body.doing, body.until) = (Doing::Casting(place as u32), release);
        let (rank, target) = (body.rank, body.target);
        self.set_key(who, Due::of(release, Phase::Release, rank, who));
        let ability = self.plan.moves[place].ability;
        self.tell(Event::Used { caster: who, ability, target, targets: 1, release });
        if !free {
            let left = before - cost;
            if cost > 0.0 {
                put(self.plan, self.lane, who, pays_from, left);
            }
            self.tell(Event::Spent { who, ability, pool: PoolId(pays_from as u16), amount: cost, left });
        }
    }
}

/// A combatant chooses before this moment is over.
#[inline(always)]
pub(super) fn will_choose(lane: &mut Lane, who: CombatantId) {
    let body = &mut lane.bodies[who.index() % MOST_FIGHTERS];
    if !std::mem::replace(&mut body.chooses, true) {
        lane.choosers += 1;
        lane.chooser = who;
    }
}

#[cold]
fn somebody_is_empty(plan: &PlainPlan, lane: &Lane) -> bool {
    let Some(pool) = plan.defeats else { return false };
    let mut all = lane.bodies.iter().zip(plan.fighters.all());
    all.any(|(body, fighter)| body.stands && fighter.mortal && flow::amount(&body.pools[pool], lane.micros) <= 0.0)
}

/// As [`Engine::wake_watchers`](crate::fight::engine::Engine).
#[inline(never)]
fn wake_watchers(plan: &PlainPlan, lane: &mut Lane) {
    let everyone = std::mem::take(&mut lane.fell);
    for index in 0..plan.fighters.len() {
        let fighter = &plan.fighters[index];
        let body = &mut lane.bodies[index % MOST_FIGHTERS];
        let own = std::mem::take(&mut body.changed);
        if body.doing != Doing::Idle || body.chooses || !body.stands {
            continue;
        }
        let pays = body.short && own & fighter.costs != 0;
        if everyone || pays || (own & fighter.own != 0 && body.wanted != body.seen) {
            will_choose(lane, CombatantId(index as u16));
        }
    }
}

/// Tells that a move costs more than there is; gives when there will be enough.
#[cold]
#[inline(never)]
fn too_dear<O: Observer>(
    plan: &PlainPlan,
    lane: &Lane,
    observer: &mut O,
    who: CombatantId,
    place: usize,
) -> Option<Time> {
    let tempo = &plan.tempos[lane.cursors[place % MOST_CURSORS] as usize];
    let pool = &lane.bodies[who.index() % MOST_FIGHTERS].pools[usize::from(tempo.pays_from) % MOST_POOLS];
    let (has, until) = (flow::amount(pool, lane.micros), flow::when_it_holds(pool, tempo.cost, lane.micros));
    let reason = Refusal::CannotAfford { pool: PoolId(tempo.pays_from), cost: tempo.cost, has, until };
    observer.event(lane.now, Event::Refused { who, ability: plan.moves[place].ability, reason });
    until
}

#[inline(never)]
fn choose_together<C: Chance, O: Observer, const TWO: bool, const HELD: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
) {
    Run::<C, O, TWO, HELD> { plan, lane, chance, observer }.choose_at_once();
}

/// A move takes effect. Out of line, as are its outcomes, so that registers are its own.
#[inline(never)]
fn release<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    who: CombatantId,
) {
    let body = &lane.bodies[who.index() % MOST_FIGHTERS];
    let (Doing::Casting(place), target) = (body.doing, body.target) else { return };
    let place = place as usize;
    let one = &plan.moves[place];
    let tempo = |lane: &Lane| plan.tempos[lane.cursors[place % MOST_CURSORS] as usize];
    let ready = lane.now + tempo(lane).cooldown;
    lane.ready[place % MOST_MOVES] = ready;
    observer.event(lane.now, Event::Released { caster: who, ability: one.ability, ready });
    if lane.bodies[target.index() % MOST_FIGHTERS].stands {
        let source = Source::Ability(one.ability);
        let cursor = one.strikes[target.index() % MOST_FIGHTERS];
        if cursor == NO_STRIKE {
            take_effect(plan, lane, chance, observer, (who, source), one.does[target.index() % MOST_FIGHTERS]);
        } else {
            strike_here(plan, lane, chance, observer, (who, target, source), cursor);
        }
    } else {
        observer.event(lane.now, Event::Lost { caster: who, ability: one.ability });
    }
    let recovery = tempo(lane).recovery;
    let until = lane.now + recovery;
    let body = &mut lane.bodies[who.index() % MOST_FIGHTERS];
    if recovery == Time::ZERO {
        body.doing = Doing::Idle;
        will_choose(lane, who);
        return;
    }
    (body.doing, body.until) = (Doing::Recovering, until);
    lane.keys[who.index() % MOST_FIGHTERS] = Due::of(until, Phase::Ready, body.rank, who);
}

/// The outcomes of a move that are more than one hit.
#[inline(never)]
fn take_effect<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    by: (CombatantId, Source),
    does: (u16, u16),
) {
    bring_all(plan, lane, chance, observer, by, does);
}
