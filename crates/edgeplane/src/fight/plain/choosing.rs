//! What those who are free do next in a plain fight.

use super::NOTHING;
use super::lane::{Body, Does, Lane, LastUsed, NOBODY};
use super::plan::{MOST_FIGHTERS, MOST_LINES, MOST_MOVES, MOST_POOLS, PlainPlan};
use super::run::{Run, tempo_of};
use super::settled::MOST_CURSORS;
use super::strike::{amount, put};
use crate::fight::event::{Event, Observer, Refusal};
use crate::fight::timeline::{Due, Phase};
use crate::program::{Chance, CombatantId, PoolId, Time, flow};

/// What somebody has found to do: a move, and what the pool holds that pays it; or to wait until then.
#[derive(Clone, Copy, Debug)]
pub(super) enum Found {
    Move(u16, f64),
    Wait(Time),
}

impl<C: Chance, O: Observer, const TWO: bool, const HELD: bool> Run<'_, C, O, TWO, HELD> {
    #[inline(always)]
    fn choose_at_once(&mut self) {
        let order = self.lane.order;
        let choosers = std::mem::take(&mut self.lane.choosers);
        if TWO {
            let [first, second] = [order[0], order[1]];
            let chooses = [first, second].map(|who| std::mem::take(&mut self.body(who).chooses));
            if choosers == 1 {
                let who = if chooses[0] { first } else { second };
                let found = self.look(who);
                self.set_out(who, found);
            } else {
                let found = [self.look(first), self.look(second)];
                self.set_out(first, found[0]);
                self.set_out(second, found[1]);
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
    pub(super) fn look(&mut self, who: CombatantId) -> Found {
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
            let target = if line.itself { who } else { self.body(who).enemy };
            // Where two fight, either is there for the other as long as it goes on.
            if !TWO && target == NOBODY {
                let ability = plan.moves[line.place].ability;
                self.tell(Event::Refused { who, ability, reason: Refusal::NoTarget });
                continue;
            }
            let tempo = tempo_of::<HELD>(plan, self.lane, line.place);
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
            body.be_short(short, plan, who);
        }
        Found::Wait(wake)
    }

    /// Does what has been found to do; gives when that is over.
    #[inline(always)]
    pub(super) fn set_out(&mut self, who: CombatantId, found: Found) -> Due {
        match found {
            Found::Move(place, before) => self.start(who, usize::from(place), before),
            Found::Wait(wake) => self.wait(who, wake),
        }
    }

    #[inline(always)]
    fn wait(&mut self, who: CombatantId, wake: Time) -> Due {
        let body = self.body(who);
        (body.does, body.wake) = (Does::NOTHING, wake);
        let key = if wake == Time::NEVER { NOTHING } else { body.lot.due(wake, Phase::Ready) };
        self.set_key(who, key);
        self.tell(Event::Waits { who, until: (wake < Time::NEVER).then_some(wake) });
        key
    }

    #[inline(always)]
    fn start(&mut self, who: CombatantId, place: usize, before: f64) -> Due {
        let tempo = tempo_of::<HELD>(self.plan, self.lane, place);
        let (cost, free, pays_from) = (tempo.cost, tempo.free, usize::from(tempo.pays_from));
        let release = self.lane.now + tempo.cast;
        self.lane.last_used = LastUsed::of(who, place);
        let body = self.body(who);
        (body.does, body.until) = (Does::casting(place), release);
        let (key, target) = (body.lot.due(release, Phase::Release), body.target);
        self.set_key(who, key);
        let ability = self.plan.moves[place].ability;
        self.tell(Event::Used { caster: who, ability, target, targets: 1, release });
        if !free {
            let left = before - cost;
            if cost > 0.0 {
                put(self.plan, self.lane, who, pays_from, left);
            }
            self.tell(Event::Spent { who, ability, pool: PoolId(pays_from as u16), amount: cost, left });
        }
        key
    }
}

impl Body {
    /// It waits for what it could not pay, or does no longer.
    #[cold]
    #[inline(never)]
    fn be_short(&mut self, short: bool, plan: &PlainPlan, who: CombatantId) {
        let fighter = &plan.fighters[who];
        self.short = short;
        self.watch = if short { fighter.own | fighter.costs } else { fighter.own };
        self.alert = self.watch | plan.defeating;
        self.be_restless();
    }
}

/// A combatant chooses before this moment is over.
#[inline(always)]
pub(super) fn will_choose(lane: &mut Lane, who: CombatantId) {
    let body = &mut lane.bodies[who.index() % MOST_FIGHTERS];
    if !std::mem::replace(&mut body.chooses, true) {
        lane.choosers += 1;
    }
}

/// As [`Engine::wake_watchers`](crate::fight::engine::Engine).
#[inline(never)]
pub(super) fn wake_watchers(plan: &PlainPlan, lane: &mut Lane) {
    let everyone = std::mem::take(&mut lane.fell);
    for index in 0..plan.fighters.len() {
        let fighter = &plan.fighters[index];
        let body = &mut lane.bodies[index % MOST_FIGHTERS];
        let own = std::mem::take(&mut body.changed);
        if body.does != Does::NOTHING || body.chooses || !body.stands {
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
pub(super) fn choose_together<C: Chance, O: Observer, const TWO: bool, const HELD: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
) {
    Run::<C, O, TWO, HELD> { plan, lane, chance, observer }.choose_at_once();
}
