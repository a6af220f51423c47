//! Following what was rehearsed: only what hangs on chance happens, and what else there is to tell is told.

use super::lane::Lane;
use super::live::{Live, Step};
use super::plan::{MOST_FIGHTERS, PlainPlan};
use super::rehearsing::{Next, Rehearsal, Turn};
use super::strike::{restore, strike_here};
use crate::fight::event::Observer;
use crate::program::{Chance, Time};

/// Follows a fight that has begun as far as it was rehearsed, or can be. The lane is then as one wave ends, and nobody has
/// chosen yet.
pub(super) fn follow<C: Chance, O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    chance: &mut C,
    observer: &mut O,
    rehearsal: &mut Rehearsal,
    last: Time,
) -> bool {
    let Next::Wave(mut wave) = rehearsal.root(plan, lane, last) else { return false };
    lane.noted = false;
    loop {
        let one = *rehearsal.wave(wave);
        (lane.now, lane.micros) = (one.at, one.at.micros());
        let mut told = one.told.0;
        let mut turned = None;
        for step in rehearsal.steps(one.steps) {
            let until = one.told.0 + step.told;
            tell(rehearsal, observer, (told, until));
            told = until;
            take(plan, lane, chance, observer, step);
            if lane.noted {
                turned = what_turned(plan, lane, rehearsal, wave, step, turned);
            }
        }
        tell(rehearsal, observer, (told, one.told.1));
        let next = match turned {
            None if one.next == Next::NotKnownYet => rehearsal.after(plan, wave, last),
            None => one.next,
            Some(_) if lane.hurt => Next::None,
            Some(turn) => rehearsal.after_turn(plan, wave, turn, last),
        };
        let Next::Wave(next) = next else {
            leave(plan, lane, rehearsal, wave, turned);
            return true;
        };
        wave = next;
    }
}

#[inline(always)]
fn tell<O: Observer>(rehearsal: &Rehearsal, observer: &mut O, told: (u32, u32)) {
    for (at, event) in rehearsal.told(told) {
        observer.event(*at, *event);
    }
}

#[inline(never)]
fn take<C: Chance, O: Observer>(plan: &PlainPlan, lane: &mut Lane, chance: &mut C, observer: &mut O, step: &Step) {
    if step.restless {
        lane.bodies[step.between.1.index() % MOST_FIGHTERS].be_restless();
    }
    if step.chance < 1.0 && !chance.chance(step.stream, step.chance) {
        return;
    }
    match step.what {
        Live::Hit(hit) => strike_here(plan, lane, chance, observer, step.between, hit),
        Live::Restore(pool, amount) => restore(plan, lane, observer, step.between, pool, amount),
    }
}

/// After a change of a pool that may matter: whether it does, and everything that has turned in this wave.
#[cold]
#[inline(never)]
fn what_turned(
    plan: &PlainPlan,
    lane: &mut Lane,
    rehearsal: &Rehearsal,
    wave: u32,
    step: &Step,
    before: Option<Turn>,
) -> Option<Turn> {
    (lane.noted, lane.attention) = (false, false);
    let who = step.between.1.index() % MOST_FIGHTERS;
    let (body, kept) = (&mut lane.bodies[who], rehearsal.snapshots().body(plan, wave as usize, who));
    let lines = plan.live_lines[who];
    let looks = kept.short || (body.wanted ^ kept.seen) & lines != 0;
    let attention = step.free && body.changed & kept.watch != 0 && looks;
    let turns = attention || lane.hurt || (body.wanted ^ kept.wanted) & lines != 0;
    let changed = std::mem::take(&mut body.changed);
    if before.is_none() && !turns {
        return None;
    }
    let kept = |who: usize| rehearsal.snapshots().body(plan, wave as usize, who);
    let wanted = |who: usize| kept(who).wanted & !plan.live_lines[who] | lane.bodies[who].wanted & plan.live_lines[who];
    let mut turn = before.unwrap_or(Turn { wanted: [0; 2], changed: [0; 2], attention: false });
    turn.wanted = [wanted(0), wanted(1)];
    turn.changed[who % 2] |= changed;
    turn.attention |= attention;
    Some(turn)
}

/// Goes over from what was rehearsed to what has happened in this fight.
#[inline(never)]
fn leave(plan: &PlainPlan, lane: &mut Lane, rehearsal: &Rehearsal, wave: u32, turned: Option<Turn>) {
    let hurt = std::mem::take(&mut lane.hurt);
    rehearsal.snapshots().bring_back(plan, lane, wave as usize);
    for (who, body) in lane.bodies.iter_mut().enumerate().take(plan.fighters.len()) {
        body.be_what_was_rehearsed(plan, rehearsal.snapshots().body(plan, wave as usize, who), plan.live_lines[who]);
    }
    if let Some(turn) = turned {
        turn.happen(lane);
    }
    lane.hurt = hurt;
    lane.attention |= hurt;
}
