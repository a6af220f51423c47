//! Everything of a plain fight that changes.

use super::NOTHING;
use super::choosing::Found;
use super::live::Step;
use super::plan::{MOST_FIGHTERS, MOST_MOVES, MOST_POOLS, PlainPlan};
use super::settled::{MOST_CURSORS, MOST_STATUSES};
use super::statuses::MOST_ENDS;
use crate::fight::event::Source;
use crate::fight::held::Beat;
use crate::fight::limits::Limits;
use crate::fight::state::{Doing, State};
use crate::fight::timeline::{Due, Lot, Phase};
use crate::program::flow::PoolNumbers;
use crate::program::{CombatantId, Time, pool_slot};

/// Each fighter's own timer, then that of its statuses.
pub(super) const MOST_KEYS: usize = 2 * MOST_FIGHTERS;

/// Nobody at all.
pub(super) const NOBODY: CombatantId = CombatantId(u16::MAX);

/// What somebody does, in one number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Does(u32);

impl Does {
    pub(super) const NOTHING: Self = Self(u32::MAX);
    pub(super) const RECOVERING: Self = Self(u32::MAX - 1);

    #[inline(always)]
    pub(super) fn casting(place: usize) -> Self {
        Self(place as u32)
    }

    /// The place of the move that is being cast.
    #[inline(always)]
    pub(super) fn move_under_way(self) -> usize {
        self.0 as usize % MOST_MOVES
    }
}

impl From<Does> for Doing {
    fn from(does: Does) -> Self {
        match does {
            Does::NOTHING => Self::Idle,
            Does::RECOVERING => Self::Recovering,
            Does(place) => Self::Casting(place),
        }
    }
}

/// Who started which move last, in one number; nobody yet, if that is all ones.
#[derive(Clone, Copy, Debug)]
pub(super) struct LastUsed(u32);

impl LastUsed {
    const NONE: Self = Self(u32::MAX);

    #[inline(always)]
    pub(super) fn of(who: CombatantId, place: usize) -> Self {
        Self((place as u32) << 16 | u32::from(who.0))
    }

    fn parts(self) -> (CombatantId, Option<usize>) {
        let used = (CombatantId(self.0 as u16), Some((self.0 >> 16) as usize));
        if self.0 == Self::NONE.0 { (CombatantId(0), None) } else { used }
    }
}

/// One who takes part. As large as makes its place quick to find.
#[derive(Clone, Copy, Debug)]
#[repr(align(512))]
pub(super) struct Body {
    pub(super) does: Does,
    pub(super) stands: bool,
    pub(super) chooses: bool,
    /// Something was wanted at the last look, and could not be paid.
    pub(super) short: bool,
    pub(super) target: CombatantId,
    /// The first enemy that stands, in the order of the encounter.
    pub(super) enemy: CombatantId,
    pub(super) lot: Lot,
    /// What it has just found to do.
    pub(super) choice: Option<Found>,
    /// Lines whose conditions hold, one bit each, now and at the last look.
    pub(super) wanted: u64,
    pub(super) seen: u64,
    /// From which amount to below which of which pool nothing comes of a change, as far as is known.
    pub(super) calm: (f64, f64),
    pub(super) calm_pool: u32,
    /// As for an [`Actor`](crate::fight::state::Actor).
    pub(super) changed: u64,
    pub(super) watch: u64,
    pub(super) alert: u64,
    pub(super) wake: Time,
    pub(super) until: Time,
    pub(super) hurt_by: Option<(CombatantId, Source)>,
    /// How much of a threat each is in its eyes.
    pub(super) threat: [f64; MOST_FIGHTERS],
    pub(super) pools: [PoolNumbers; MOST_POOLS],
}

impl Body {
    /// Takes on everything that does not hang on chance, as do the `live` lines of its policy.
    pub(super) fn be_what_was_rehearsed(&mut self, plan: &PlainPlan, kept: &Self, live: u64) {
        (self.does, self.stands, self.chooses, self.short) = (kept.does, kept.stands, kept.chooses, kept.short);
        (self.target, self.seen, self.changed) = (kept.target, kept.seen, kept.changed);
        (self.watch, self.alert, self.wake, self.until) = (kept.watch, kept.alert, kept.wake, kept.until);
        self.wanted = kept.wanted & !live | self.wanted & live;
        for pool in 0..plan.pools.min(MOST_POOLS) {
            if plan.live >> pool & 1 == 0 {
                self.pools[pool] = kept.pools[pool];
            }
        }
        self.be_restless();
    }

    /// Every change of its pools has to be looked at.
    pub(super) fn be_restless(&mut self) {
        self.calm = (f64::INFINITY, f64::NEG_INFINITY);
    }
}

/// A status on somebody; without stacks, it is not there. As large as makes its place quick to find.
#[derive(Clone, Copy, Debug)]
#[repr(align(256))]
pub(super) struct Held {
    pub(super) stacks: u32,
    pub(super) serial: u32,
    pub(super) caster: CombatantId,
    pub(super) ticks_made: u32,
    pub(super) started: Time,
    pub(super) full: Time,
    pub(super) ends: Time,
    pub(super) rhythm: Time,
    pub(super) beats: u64,
    /// When it would tick next, if it ticks and does not end before.
    pub(super) tick_at: Time,
    pub(super) period: Time,
    pub(super) ticks: f64,
    /// When each stack ends, where each ends on its own.
    pub(super) stack_ends: [Time; MOST_ENDS],
}

impl Held {
    /// Nothing is there, and nothing will happen to it.
    pub(super) const NOT: Self = Self {
        stacks: 0,
        serial: 0,
        caster: CombatantId(0),
        ticks_made: 0,
        started: Time::ZERO,
        full: Time::ZERO,
        ends: Time::NEVER,
        rhythm: Time::ZERO,
        beats: 0,
        tick_at: Time::NEVER,
        period: Time::ZERO,
        ticks: 0.0,
        stack_ends: [Time::NEVER; MOST_ENDS],
    };
}

/// What is being done with a fight.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Part {
    /// It is played.
    Playing,
    /// It is gone through without what hangs on chance, to find out what happens when.
    Rehearsing,
}

#[derive(Clone, Debug)]
pub(super) struct Lane {
    pub(super) now: Time,
    /// The same in microseconds.
    pub(super) micros: f64,
    /// What each does next, then what happens next to the statuses of each.
    pub(super) keys: [Due; MOST_KEYS],
    pub(super) bodies: [Body; MOST_FIGHTERS],
    /// When the cooldown of each move ends.
    pub(super) ready: [Time; MOST_MOVES],
    /// Where numbers stand that hang on stacks.
    pub(super) cursors: [u32; MOST_CURSORS],
    pub(super) held: [[Held; MOST_STATUSES]; MOST_FIGHTERS],
    /// When something happens to each of them next.
    pub(super) beats: [[Beat; MOST_STATUSES]; MOST_FIGHTERS],
    pub(super) next_serial: u32,
    pub(super) choosers: u32,
    pub(super) part: Part,
    /// What hangs on chance, as far as this moment has been rehearsed.
    pub(super) steps: Vec<Step>,
    /// A pool has changed in a way that may matter to somebody.
    pub(super) noted: bool,
    /// As for a [`State`].
    pub(super) attention: bool,
    pub(super) hurt: bool,
    pub(super) fell: bool,
    pub(super) steps_left: u64,
    pub(super) waves: u32,
    pub(super) limits: Limits,
    pub(super) last_used: LastUsed,
    /// In the order of their lots.
    pub(super) order: [CombatantId; MOST_FIGHTERS],
    /// As everybody begins.
    first: [Body; MOST_FIGHTERS],
}

impl Lane {
    pub(super) fn of(plan: &PlainPlan) -> Self {
        let nobody = Body {
            does: Does::NOTHING,
            stands: false,
            chooses: false,
            short: false,
            target: CombatantId(0),
            enemy: NOBODY,
            lot: Lot::of(0, CombatantId(0)),
            choice: None,
            wanted: 0,
            seen: 0,
            calm: (f64::INFINITY, f64::NEG_INFINITY),
            calm_pool: 0,
            changed: 0,
            watch: 0,
            alert: 0,
            wake: Time::NEVER,
            until: Time::ZERO,
            hurt_by: None,
            threat: [0.0; MOST_FIGHTERS],
            pools: [[0.0; pool_slot::WIDTH as usize]; MOST_POOLS],
        };
        let mut first = [nobody; MOST_FIGHTERS];
        for (body, fighter) in first.iter_mut().zip(plan.fighters.all()) {
            if let Some(pool) = plan.defeats {
                (body.calm, body.calm_pool) = (fighter.calm(plan.defeating, pool, fighter.pools[pool][0]), pool as u32);
            }
            body.stands = true;
            (body.wanted, body.seen) = (fighter.wanted, fighter.unconditional);
            (body.watch, body.alert) = (fighter.own, fighter.own | plan.defeating);
            body.pools = fighter.pools;
        }
        find_enemies(plan, &mut first);
        Self {
            now: Time::ZERO,
            micros: 0.0,
            keys: [NOTHING; MOST_KEYS],
            bodies: first,
            ready: [Time::ZERO; MOST_MOVES],
            cursors: plan.cursors,
            held: [[Held::NOT; MOST_STATUSES]; MOST_FIGHTERS],
            beats: [[Beat::NEVER; MOST_STATUSES]; MOST_FIGHTERS],
            next_serial: 0,
            choosers: 0,
            part: Part::Playing,
            steps: Vec::new(),
            noted: false,
            attention: false,
            hurt: false,
            fell: false,
            steps_left: 0,
            waves: 0,
            limits: Limits::default(),
            last_used: LastUsed::NONE,
            order: [CombatantId(0); MOST_FIGHTERS],
            first,
        }
    }

    /// Everybody as at the beginning; only the lots are those of the fight.
    pub(super) fn begin(&mut self, plan: &PlainPlan, state: &State, limits: Limits) {
        let fighters = plan.fighters.len();
        for who in 0..fighters.min(MOST_FIGHTERS) {
            let id = CombatantId(who as u16);
            let lot = Lot::of(state.actors[id].rank, id);
            self.bodies[who] = self.first[who];
            self.bodies[who].lot = lot;
            self.keys[who] = lot.due(Time::ZERO, Phase::Ready);
            self.order[who] = state.order[who];
        }
        self.ready = [Time::ZERO; MOST_MOVES];
        (self.limits, self.steps_left) = (limits, limits.steps);
        (self.now, self.micros, self.waves, self.choosers) = (Time::ZERO, 0.0, 0, 0);
        (self.attention, self.hurt, self.fell) = (false, false, false);
        self.part = Part::Playing;
        self.last_used = LastUsed::NONE;
        if plan.statuses.len() > 0 {
            self.begin_bare(plan);
        }
    }

    /// Nobody has any status.
    fn begin_bare(&mut self, plan: &PlainPlan) {
        for held in self.held.iter_mut().take(plan.fighters.len()) {
            held.iter_mut().take(plan.statuses.len()).for_each(|one| one.stacks = 0);
        }
        self.keys[MOST_FIGHTERS..].fill(NOTHING);
        self.beats[..plan.fighters.len().min(MOST_FIGHTERS)].fill([Beat::NEVER; MOST_STATUSES]);
        self.cursors[..plan.cursors_used].copy_from_slice(&plan.cursors[..plan.cursors_used]);
        self.next_serial = 0;
    }

    /// A number of stacks has changed: what hangs on it stands elsewhere now.
    #[inline(always)]
    pub(super) fn shift(&mut self, plan: &PlainPlan, who: usize, status: usize, by: u32) {
        let (first, end) = plan.shifts_of[who % MOST_FIGHTERS][status % MOST_STATUSES];
        for place in first..end {
            let shift = plan.shifts[usize::from(place)];
            let cursor = &mut self.cursors[usize::from(shift.cursor) % MOST_CURSORS];
            *cursor = cursor.wrapping_add(shift.by.wrapping_mul(by));
        }
    }

    /// Puts everything to where the engine has it.
    pub(super) fn store(&self, plan: &PlainPlan, state: &mut State) {
        state.now = self.now;
        for (who, body) in self.bodies.iter().enumerate().take(plan.fighters.len()) {
            let id = CombatantId(who as u16);
            let actor = &mut state.actors[id];
            (actor.doing, actor.stands, actor.chooses, actor.short) =
                (body.does.into(), body.stands, body.chooses, body.short);
            (actor.target, actor.until, actor.wake) = (body.target, body.until, body.wake);
            // Whoever goes on from here asks anew what holds.
            (actor.lines.known, actor.lines.wanted) = (plan.fighters[who].unconditional, body.seen);
            actor.changed = body.changed;
            (actor.watch, actor.alert, actor.hurt_by) = (body.watch, body.alert, body.hurt_by);
            state.timeline.set_act(id, self.keys[who]);
            let pools = body.pools.as_flattened();
            let first = plan.first_pool(who);
            let stored = state.memory.all_pools_mut(first, plan.pools);
            stored.copy_from_slice(&pools[..stored.len()]);
            if plan.threatens {
                state.memory.threat.put(who, &body.threat);
            }
        }
        for (hand, ready) in state.in_hand.iter_mut().zip(&self.ready) {
            hand.ready = *ready;
        }
        state.choosers = self.choosers;
        (state.attention, state.someone_hurt) = (self.attention, self.hurt);
        state.steps_taken = self.limits.steps.wrapping_sub(self.steps_left);
        let (who, place) = self.last_used.parts();
        state.last_used = (who, place.map(|place| plan.moves[place].ability));
        state.began = true;
    }

    /// Takes back what changes when somebody falls.
    pub(super) fn load(&mut self, plan: &PlainPlan, state: &mut State) {
        for who in 0..plan.fighters.len().min(MOST_FIGHTERS) {
            let body = &mut self.bodies[who];
            let actor = &state.actors[CombatantId(who as u16)];
            (body.stands, body.chooses) = (actor.stands, actor.chooses);
            if !actor.stands {
                body.does = Does::NOTHING;
                (self.keys[who], self.keys[MOST_FIGHTERS + who]) = (NOTHING, NOTHING);
                self.drop_all(plan, who);
            }
        }
        find_enemies(plan, &mut self.bodies);
        (self.choosers, self.hurt) = (state.choosers, false);
        self.fell = std::mem::take(&mut state.someone_fell);
    }

    /// Whoever has fallen has no statuses any more.
    fn drop_all(&mut self, plan: &PlainPlan, who: usize) {
        for status in 0..plan.statuses.len() {
            let stacks = std::mem::take(&mut self.held[who][status].stacks);
            self.beats[who][status] = Beat::NEVER;
            self.shift(plan, who, status, stacks.wrapping_neg());
        }
    }
}

/// Everybody's first enemy that stands.
fn find_enemies(plan: &PlainPlan, bodies: &mut [Body]) {
    let fighters = plan.fighters.all();
    for (me, fighter) in fighters.iter().enumerate() {
        let mut others = fighters.iter().zip(bodies.iter());
        let first = others.position(|(other, body)| other.side != fighter.side && body.stands);
        bodies[me].enemy = first.map_or(NOBODY, |index| CombatantId(index as u16));
    }
}

impl PlainPlan {
    /// Where the pools of one begin among the numbers of a fight.
    fn first_pool(&self, who: usize) -> usize {
        self.first_pool + who * self.stride
    }
}
