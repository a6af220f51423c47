//! Everything of a plain fight that changes.

use super::NOTHING;
use super::plan::{MOST_FIGHTERS, MOST_MOVES, MOST_POOLS, PlainPlan};
use crate::fight::event::Source;
use crate::fight::state::{Doing, State};
use crate::fight::timeline::{Due, Phase};
use crate::program::flow::PoolNumbers;
use crate::program::{AbilityId, CombatantId, Time, pool_slot};

/// One who takes part. As large as makes its place quick to find.
#[derive(Clone, Copy, Debug)]
#[repr(align(512))]
pub(super) struct Body {
    pub(super) doing: Doing,
    pub(super) stands: bool,
    pub(super) chooses: bool,
    /// Something was wanted at the last look, and could not be paid.
    pub(super) short: bool,
    pub(super) target: CombatantId,
    /// The first enemy that stands, in the order of the encounter.
    pub(super) enemy: Option<CombatantId>,
    pub(super) rank: u32,
    /// What it has just chosen, and what the pool holds that pays it.
    pub(super) choice: Option<(u32, f64)>,
    /// As for an [`Actor`](crate::fight::state::Actor).
    pub(super) known: u64,
    pub(super) wanted: u64,
    pub(super) changed: u64,
    pub(super) watch: u64,
    pub(super) alert: u64,
    pub(super) wake: Time,
    pub(super) until: Time,
    pub(super) hurt_by: Option<(CombatantId, Source)>,
    pub(super) pools: [PoolNumbers; MOST_POOLS],
}

#[derive(Clone, Debug)]
pub(super) struct Lane {
    pub(super) now: Time,
    /// The same in microseconds.
    pub(super) micros: f64,
    /// What each does next.
    pub(super) keys: [Due; MOST_FIGHTERS],
    pub(super) bodies: [Body; MOST_FIGHTERS],
    /// When the cooldown of each move ends.
    pub(super) ready: [Time; MOST_MOVES],
    /// How much of a threat the second is in the eyes of the first.
    pub(super) threat: [f64; MOST_FIGHTERS * MOST_FIGHTERS],
    pub(super) choosers: u32,
    pub(super) chooser: CombatantId,
    /// As for a [`State`].
    pub(super) attention: bool,
    pub(super) hurt: bool,
    pub(super) fell: bool,
    pub(super) steps: u64,
    pub(super) waves: u32,
    pub(super) last_used: (CombatantId, Option<AbilityId>),
    /// In the order of their lots.
    pub(super) order: [CombatantId; MOST_FIGHTERS],
    /// As everybody begins.
    first: [Body; MOST_FIGHTERS],
}

impl Lane {
    pub(super) fn of(plan: &PlainPlan) -> Self {
        let nobody = Body {
            doing: Doing::Idle,
            stands: false,
            chooses: false,
            short: false,
            target: CombatantId(0),
            enemy: None,
            rank: 0,
            choice: None,
            known: 0,
            wanted: 0,
            changed: 0,
            watch: 0,
            alert: 0,
            wake: Time::NEVER,
            until: Time::ZERO,
            hurt_by: None,
            pools: [[0.0; pool_slot::WIDTH as usize]; MOST_POOLS],
        };
        let mut first = [nobody; MOST_FIGHTERS];
        for (body, fighter) in first.iter_mut().zip(plan.fighters.all()) {
            body.stands = true;
            (body.known, body.wanted) = (fighter.unconditional, fighter.unconditional);
            (body.watch, body.alert) = (fighter.own, fighter.own | plan.defeating);
            body.pools = fighter.pools;
        }
        find_enemies(plan, &mut first);
        Self {
            now: Time::ZERO,
            micros: 0.0,
            keys: [NOTHING; MOST_FIGHTERS],
            bodies: first,
            ready: [Time::ZERO; MOST_MOVES],
            threat: [0.0; MOST_FIGHTERS * MOST_FIGHTERS],
            choosers: 0,
            chooser: CombatantId(0),
            attention: false,
            hurt: false,
            fell: false,
            steps: 0,
            waves: 0,
            last_used: (CombatantId(0), None),
            order: [CombatantId(0); MOST_FIGHTERS],
            first,
        }
    }

    /// Everybody as at the beginning; only the lots are those of the fight.
    pub(super) fn begin(&mut self, plan: &PlainPlan, state: &State) {
        let fighters = plan.fighters.len();
        for who in 0..fighters.min(MOST_FIGHTERS) {
            let rank = state.actors[CombatantId(who as u16)].rank;
            self.bodies[who] = self.first[who];
            self.bodies[who].rank = rank;
            self.keys[who] = Due::of(Time::ZERO, Phase::Ready, rank, CombatantId(who as u16));
            self.order[who] = state.order[who];
        }
        self.ready[..plan.moves.len()].fill(Time::ZERO);
        if plan.threatens {
            self.threat[..fighters * MOST_FIGHTERS].fill(0.0);
        }
        (self.now, self.micros, self.steps, self.waves) = (Time::ZERO, 0.0, 0, 0);
        (self.choosers, self.chooser) = (0, CombatantId(0));
        (self.attention, self.hurt, self.fell) = (false, false, false);
        self.last_used = state.last_used;
    }

    /// Puts everything to where the engine has it.
    pub(super) fn store(&self, plan: &PlainPlan, state: &mut State) {
        state.now = self.now;
        for (who, body) in self.bodies.iter().enumerate().take(plan.fighters.len()) {
            let id = CombatantId(who as u16);
            let actor = &mut state.actors[id];
            (actor.doing, actor.stands, actor.chooses, actor.short) =
                (body.doing, body.stands, body.chooses, body.short);
            (actor.target, actor.until, actor.wake) = (body.target, body.until, body.wake);
            (actor.known, actor.wanted, actor.changed) = (body.known, body.wanted, body.changed);
            (actor.watch, actor.alert, actor.hurt_by) = (body.watch, body.alert, body.hurt_by);
            actor.choice = body.choice.map(|(place, _)| place);
            state.timeline.set_act(id, self.keys[who]);
            let pools = body.pools.as_flattened();
            let first = plan.first_pool(who);
            let stored = state.memory.all_pools_mut(first, plan.pools);
            stored.copy_from_slice(&pools[..stored.len()]);
            for whom in (0..plan.fighters.len()).filter(|_| plan.threatens) {
                state.memory.threat.put(who, whom, self.threat[who * MOST_FIGHTERS + whom]);
            }
        }
        for (hand, ready) in state.in_hand.iter_mut().zip(&self.ready) {
            hand.ready = *ready;
        }
        (state.choosers, state.chooser) = (self.choosers, self.chooser);
        (state.attention, state.someone_hurt) = (self.attention, self.hurt);
        (state.steps_taken, state.last_used) = (self.steps, self.last_used);
        state.began = true;
    }

    /// Takes back what changes when somebody falls.
    pub(super) fn load(&mut self, plan: &PlainPlan, state: &mut State) {
        for (who, body) in self.bodies.iter_mut().enumerate().take(plan.fighters.len()) {
            let actor = &state.actors[CombatantId(who as u16)];
            (body.doing, body.stands, body.chooses) = (actor.doing, actor.stands, actor.chooses);
            body.known = actor.known;
            if !body.stands {
                self.keys[who] = NOTHING;
            }
        }
        find_enemies(plan, &mut self.bodies);
        (self.choosers, self.hurt) = (state.choosers, false);
        self.fell = std::mem::take(&mut state.someone_fell);
    }
}

/// Everybody's first enemy that stands.
fn find_enemies(plan: &PlainPlan, bodies: &mut [Body]) {
    let fighters = plan.fighters.all();
    for (me, fighter) in fighters.iter().enumerate() {
        let mut others = fighters.iter().zip(bodies.iter());
        let first = others.position(|(other, body)| other.side != fighter.side && body.stands);
        bodies[me].enemy = first.map(|index| CombatantId(index as u16));
    }
}

impl PlainPlan {
    /// Where the pools of one begin among the numbers of a fight.
    fn first_pool(&self, who: usize) -> usize {
        self.first_pool + who * self.stride
    }
}
