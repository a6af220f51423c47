//! Playing a plain fight, from moment to moment.

use super::NOTHING;
use super::choosing::{choose_together, wake_watchers, will_choose};
use super::holding::status_timer;
use super::lane::{Body, Does, Lane};
use super::plan::{MOST_FIGHTERS, MOST_MOVES, NO_STRIKE, PlainPlan, Tempo};
use super::settled::MOST_CURSORS;
use super::strike::{at, bring_all, strike_here};
use crate::fight::event::{Event, Observer, Source};
use crate::fight::timeline::{Due, Phase};
use crate::program::{Chance, CombatantId, Time, flow};

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

/// Where a fight goes on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Start {
    /// With the next moment.
    Moment,
    /// After the engine has settled the defeats of a wave.
    Defeats,
    /// At the end of a wave.
    Wave,
}

/// A plain fight under way: between `TWO` who are enemies or between any, and one in which statuses can be `HELD` or not.
///
/// Nothing that is kept out of line borrows a run, but its parts one by one: so they stay in registers.
pub(super) struct Run<'a, C, O, const TWO: bool, const HELD: bool> {
    pub(super) plan: &'a PlainPlan,
    pub(super) lane: &'a mut Lane,
    pub(super) chance: &'a mut C,
    pub(super) observer: &'a mut O,
}

/// What has come of something that was due: whether its owner is free to choose, and if not, what it does next.
struct Done {
    key: Due,
    free: bool,
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
    pub(super) fn set_key(&mut self, who: CombatantId, key: Due) {
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

    /// Goes on to where the engine is needed.
    #[inline(always)]
    pub(super) fn go(mut self, last: Time, start: Start) -> Pause {
        let mut due = self.next();
        if start != Start::Moment {
            if start == Start::Defeats {
                wake_watchers(self.plan, self.lane);
            }
            due = match self.rest_of_moment(due) {
                Ok(next) => next,
                Err(pause) => return pause,
            };
        }
        loop {
            if due.at() > last {
                return Pause::Over(due);
            }
            self.lane.now = due.at();
            self.lane.micros = due.at().micros();
            self.lane.waves = 0;
            // Seldom is anything else due at the same moment, so whoever is free then may choose at once.
            let who = due.who();
            let Some(Done { mut key, free }) = self.happen(due) else { return Pause::TooLong };
            let others = self.next_of_others(who, free);
            due = others.min(key);
            if due.at() > self.lane.now && !self.lane.attention && (!HELD || self.lane.choosers == 0) {
                if !free {
                    continue;
                }
                let found = self.look(who);
                key = self.set_out(who, found);
                due = others.min(key);
                if due.at() > self.lane.now {
                    continue;
                }
                self.lane.waves = 1;
                if self.lane.waves >= self.lane.limits.waves {
                    return Pause::Endless(self.lane.waves);
                }
            } else if free {
                self.will_choose(who);
            }
            due = match self.rest_of_moment(due) {
                Ok(next) => next,
                Err(pause) => return pause,
            };
        }
    }

    /// What is due next besides what `who` does; what that was is over.
    #[inline(always)]
    fn next_of_others(&mut self, who: CombatantId, free: bool) -> Due {
        if TWO && !HELD {
            return self.lane.keys[(who.index() ^ 1) % 2];
        }
        if free {
            self.set_key(who, NOTHING);
        }
        self.next()
    }

    /// Whoever is free chooses before this moment is over.
    #[inline(always)]
    fn will_choose(&mut self, who: CombatantId) {
        self.set_key(who, NOTHING);
        self.body(who).does = Does::NOTHING;
        will_choose(self.lane, who);
    }

    /// What is due; nothing when there was too much of it.
    #[inline(always)]
    fn happen(&mut self, due: Due) -> Option<Done> {
        let (left, none_left) = self.lane.steps_left.overflowing_sub(1);
        self.lane.steps_left = left;
        if none_left {
            return None;
        }
        let (who, phase) = (due.who(), due.phase());
        if HELD && matches!(phase, Phase::Tick | Phase::Expire) {
            let Run { plan, lane, chance, observer } = self;
            status_timer::<C, O, TWO>(plan, lane, *chance, *observer, (who, phase));
            return Some(Done { key: NOTHING, free: false });
        }
        let key = if phase == Phase::Release {
            release::<C, O, TWO, HELD>(self.plan, self.lane, self.chance, self.observer, who)
        } else {
            NOTHING
        };
        Some(Done { key, free: key == NOTHING })
    }

    /// Goes on from the end of a wave to the end of the next one; false if there is none, or too much of it.
    pub(super) fn next_wave(&mut self, last: Time) -> bool {
        if std::mem::take(&mut self.lane.attention) {
            wake_watchers(self.plan, self.lane);
        }
        let chose = self.lane.choosers > 0;
        if chose {
            choose_together::<C, O, TWO, HELD>(self.plan, self.lane, self.chance, self.observer);
        }
        let mut due = self.next();
        if chose && due.at() <= self.lane.now {
            self.lane.waves += 1;
            if self.lane.waves >= self.lane.limits.waves {
                return false;
            }
        } else if due.at() > last {
            return false;
        } else {
            (self.lane.now, self.lane.micros, self.lane.waves) = (due.at(), due.at().micros(), 0);
        }
        while due.at() <= self.lane.now {
            let Some(done) = self.happen(due) else { return false };
            if done.free {
                self.will_choose(due.who());
            }
            due = self.next();
        }
        true
    }

    fn rest_of_moment(&mut self, due: Due) -> Result<Due, Pause> {
        rest_of_moment::<C, O, TWO, HELD>(self.plan, self.lane, self.chance, self.observer, due)
    }

    /// Everything else that happens at this moment; gives what is due after it.
    #[inline(always)]
    fn finish_moment(&mut self, mut due: Due) -> Result<Due, Pause> {
        loop {
            while due.at() <= self.lane.now {
                let who = due.who();
                if self.happen(due).ok_or(Pause::TooLong)?.free {
                    self.will_choose(who);
                }
                due = self.next();
            }
            if std::mem::take(&mut self.lane.attention) {
                if std::mem::take(&mut self.lane.hurt) && somebody_is_empty(self.plan, self.lane) {
                    return Err(Pause::Empty);
                }
                wake_watchers(self.plan, self.lane);
            }
            if self.lane.choosers == 0 {
                return Ok(due);
            }
            choose_together::<C, O, TWO, HELD>(self.plan, self.lane, self.chance, self.observer);
            due = self.next();
            if due.at() > self.lane.now {
                return Ok(due);
            }
            self.lane.waves += 1;
            if self.lane.waves >= self.lane.limits.waves {
                return Err(Pause::Endless(self.lane.waves));
            }
        }
    }
}

#[inline(never)]
fn rest_of_moment<C: Chance, O: Observer, const TWO: bool, const HELD: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    due: Due,
) -> Result<Due, Pause> {
    Run::<C, O, TWO, HELD> { plan, lane, chance, observer }.finish_moment(due)
}

/// Times and cost of a move as they are now; without statuses, they are always the same.
#[inline(always)]
pub(super) fn tempo_of<'a, const HELD: bool>(plan: &'a PlainPlan, lane: &Lane, place: usize) -> &'a Tempo {
    if HELD { &plan.tempos[lane.cursors[place % MOST_CURSORS] as usize] } else { &plan.moves[place % MOST_MOVES].tempo }
}

#[cold]
#[inline(never)]
fn somebody_is_empty(plan: &PlainPlan, lane: &Lane) -> bool {
    let Some(pool) = plan.defeats else { return false };
    let mut all = lane.bodies.iter().zip(plan.fighters.all());
    all.any(|(body, fighter)| body.stands && fighter.mortal && flow::amount(&body.pools[pool], lane.micros) <= 0.0)
}

/// A move takes effect. Gives what its caster does next; nothing if it is free at once. Out of line, as are its outcomes, so that registers are its
/// own.
#[inline(never)]
fn release<C: Chance, O: Observer, const TWO: bool, const HELD: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    who: CombatantId,
) -> Due {
    let body = &lane.bodies[who.index() % MOST_FIGHTERS];
    let (place, target) = (body.does.move_under_way(), body.target);
    let one = &plan.moves[place];
    let ready = lane.now + tempo_of::<HELD>(plan, lane, place).cooldown;
    lane.ready[place % MOST_MOVES] = ready;
    observer.event(lane.now, Event::Released { caster: who, ability: one.ability, ready });
    if TWO || lane.bodies[target.index() % MOST_FIGHTERS].stands {
        let source = Source::Ability(one.ability);
        let strike = one.strikes[target.index() % MOST_FIGHTERS];
        if strike == NO_STRIKE {
            let does = one.does[target.index() % MOST_FIGHTERS];
            take_effect::<C, O, TWO>(plan, lane, chance, observer, (who, source), does);
        } else {
            let hit = if HELD { at(lane, strike) } else { usize::from(one.hits[target.index() % MOST_FIGHTERS]) };
            strike_here(plan, lane, chance, observer, (who, target, source), hit);
        }
    } else {
        observer.event(lane.now, Event::Lost { caster: who, ability: one.ability });
    }
    let recovery = tempo_of::<HELD>(plan, lane, place).recovery;
    if recovery == Time::ZERO {
        return NOTHING;
    }
    let until = lane.now + recovery;
    let body = &mut lane.bodies[who.index() % MOST_FIGHTERS];
    (body.does, body.until) = (Does::RECOVERING, until);
    let key = body.lot.due(until, Phase::Ready);
    lane.keys[who.index() % MOST_FIGHTERS] = key;
    key
}

/// The outcomes of a move that are more than one hit.
#[inline(never)]
fn take_effect<C: Chance, O: Observer, const TWO: bool>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    by: (CombatantId, Source),
    does: (u16, u16),
) {
    bring_all::<C, O, TWO>(plan, lane, chance, observer, by, does);
}
