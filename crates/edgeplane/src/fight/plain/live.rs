//! What of a plain duel hangs on chance, and what does not.

use super::lane::{Does, Lane};
use super::outcomes::{SettledEffect, SettledOutcome};
use super::plan::{MOST_FIGHTERS, MOST_POOLS, PlainPlan};
use super::strike::at;
use crate::fight::event::{Event, Observer, Source};
use crate::program::{CombatantId, DamageTypeId, PoolId, StreamId};

/// Something that hangs on chance, or on pools that do, by where its numbers stand.
#[derive(Clone, Copy, Debug)]
pub(super) enum Live {
    Hit(usize),
    Restore(u16, usize),
}

/// Something that hangs on chance, at its place in a wave.
#[derive(Clone, Copy, Debug)]
pub(super) struct Step {
    pub(super) what: Live,
    pub(super) between: (CombatantId, CombatantId, Source),
    /// How likely it is at all, and where that is drawn.
    pub(super) chance: f64,
    pub(super) stream: StreamId,
    /// How many events of its wave come before it.
    pub(super) told: u32,
    /// Its receiver is idle, and does not choose at this moment anyway.
    pub(super) free: bool,
    /// It also waits for what it could not pay, and so looks again whatever the change.
    pub(super) restless: bool,
}

impl Step {
    pub(super) fn certain(between: (CombatantId, CombatantId, Source), what: Live) -> Self {
        Self { what, between, chance: 1.0, stream: StreamId(0), told: 0, free: false, restless: false }
    }
}

/// Notes a step at its place.
#[cold]
#[inline(never)]
pub(super) fn rehearse<O: Observer>(plan: &PlainPlan, lane: &mut Lane, observer: &mut O, mut step: Step) {
    let pools = match step.what {
        Live::Hit(at) => plan.hits[at].pools(),
        Live::Restore(pool, _) => 1 << pool,
    };
    let (caster, target, source) = step.between;
    let body = &lane.bodies[target.index() % MOST_FIGHTERS];
    step.free = body.does == Does::NOTHING && !body.chooses;
    step.restless = step.free && body.short && body.watch & pools != 0;
    lane.steps.push(step);
    let (damage_type, pool, nothing) = (DamageTypeId(0), PoolId(0), 0.0);
    // Nothing else is ever told as a hit here.
    observer.event(
        lane.now,
        Event::Hit {
            caster,
            target,
            source,
            damage_type,
            pool,
            initial: nothing,
            amount: nothing,
            dealt: nothing,
            over: nothing,
            left: nothing,
            stopped: None,
            marks: 0,
        },
    );
}

/// Notes an outcome that hangs on chance; false if it does not.
#[cold]
#[inline(never)]
pub(super) fn rehearse_outcome<O: Observer>(
    plan: &PlainPlan,
    lane: &mut Lane,
    observer: &mut O,
    (caster, source): (CombatantId, Source),
    outcome: &SettledOutcome,
) -> bool {
    let what = match outcome.what {
        SettledEffect::Hit(cursor) => Live::Hit(at(lane, cursor)),
        SettledEffect::Restore(pool, cursor) if plan.live >> pool & 1 == 1 => Live::Restore(pool, at(lane, cursor)),
        SettledEffect::Restore(..) | SettledEffect::Inflict(_) => return false,
    };
    let step = Step::certain((caster, outcome.receiver, source), what);
    rehearse(plan, lane, observer, Step { chance: outcome.chance, stream: outcome.stream, ..step });
    true
}

impl PlainPlan {
    /// Tells apart what hangs on chance.
    pub(super) fn find_what_is_live(&mut self) {
        let mut certain = self.spans.iter().all(|span| span.resist <= 0.0);
        self.live |= self.hits.iter().fold(0, |pools, hit| pools | hit.pools());
        for outcome in self.outcomes.all() {
            match outcome.what {
                SettledEffect::Restore(pool, _) if outcome.chance < 1.0 => self.live |= 1 << pool,
                SettledEffect::Inflict(_) => certain &= outcome.chance >= 1.0,
                _ => {}
            }
        }
        let pools = (0..MOST_POOLS).filter(|pool| self.live >> pool & 1 == 1);
        for pool in pools {
            for (lines, fighter) in self.live_lines.iter_mut().zip(self.fighters.all()) {
                *lines |= fighter.readers[pool];
            }
        }
        let paid = self.tempos.iter().any(|tempo| !tempo.free && self.live >> tempo.pays_from & 1 == 1);
        let waited = self.fighters.all().iter().any(|fighter| fighter.costs & self.live != 0);
        self.is_rehearsed = self.duel && certain && !paid && !waited;
    }
}
