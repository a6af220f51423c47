//! Lanes kept side by side, each without what nobody in it uses.

use super::lane::{Body, Held, Lane, LastUsed, MOST_KEYS};
use super::plan::{MOST_FIGHTERS, MOST_MOVES, PlainPlan};
use crate::fight::held::Beat;
use crate::fight::timeline::Due;
use crate::program::{CombatantId, Time};

/// What is kept of a lane besides fighters and statuses.
#[derive(Clone, Copy, Debug)]
struct Still {
    now: Time,
    order: [CombatantId; MOST_FIGHTERS],
    keys: [Due; MOST_KEYS],
    ready: [Time; MOST_MOVES],
    next_serial: u32,
    choosers: u32,
    attention: bool,
    steps_left: u64,
    waves: u32,
    last_used: LastUsed,
}

/// Room for a number of lanes of one plan.
#[derive(Debug)]
pub(super) struct Snapshots {
    stills: Vec<Still>,
    bodies: Vec<Body>,
    held: Vec<Held>,
    beats: Vec<Beat>,
    cursors: Vec<u32>,
}

impl Snapshots {
    pub(super) fn with_room(plan: &PlainPlan, most: usize) -> Self {
        let (fighters, statuses) = (plan.fighters.len(), plan.statuses.len());
        let moving = if statuses > 0 { plan.cursors_used } else { 0 };
        Self {
            stills: Vec::with_capacity(most),
            bodies: Vec::with_capacity(most * fighters),
            held: Vec::with_capacity(most * fighters * statuses),
            beats: Vec::with_capacity(most * fighters * statuses),
            cursors: Vec::with_capacity(most * moving),
        }
    }

    /// Keeps a lane after all others.
    pub(super) fn keep(&mut self, plan: &PlainPlan, lane: &Lane) {
        self.stills.push(Still {
            now: lane.now,
            order: lane.order,
            keys: lane.keys,
            ready: lane.ready,
            next_serial: lane.next_serial,
            choosers: lane.choosers,
            attention: lane.attention,
            steps_left: lane.steps_left,
            waves: lane.waves,
            last_used: lane.last_used,
        });
        let (fighters, statuses) = (plan.fighters.len(), plan.statuses.len());
        self.bodies.extend_from_slice(&lane.bodies[..fighters]);
        for who in (0..fighters).filter(|_| statuses > 0) {
            self.held.extend_from_slice(&lane.held[who][..statuses]);
            self.beats.extend_from_slice(&lane.beats[who][..statuses]);
        }
        if statuses > 0 {
            self.cursors.extend_from_slice(&lane.cursors[..plan.cursors_used]);
        }
    }

    /// A fighter of a lane that is kept.
    pub(super) fn body(&self, plan: &PlainPlan, index: usize, who: usize) -> &Body {
        &self.bodies[index * plan.fighters.len() + who]
    }

    /// Makes a lane what it was, but for its fighters.
    pub(super) fn bring_back(&self, plan: &PlainPlan, lane: &mut Lane, index: usize) {
        let still = &self.stills[index];
        (lane.now, lane.micros) = (still.now, still.now.micros());
        (lane.order, lane.keys, lane.ready) = (still.order, still.keys, still.ready);
        (lane.next_serial, lane.choosers, lane.attention) = (still.next_serial, still.choosers, still.attention);
        (lane.steps_left, lane.waves, lane.last_used) = (still.steps_left, still.waves, still.last_used);
        let (fighters, statuses) = (plan.fighters.len(), plan.statuses.len());
        if statuses == 0 {
            return;
        }
        for who in 0..fighters {
            let first = (index * fighters + who) * statuses;
            lane.held[who][..statuses].copy_from_slice(&self.held[first..first + statuses]);
            lane.beats[who][..statuses].copy_from_slice(&self.beats[first..first + statuses]);
        }
        let used = plan.cursors_used;
        lane.cursors[..used].copy_from_slice(&self.cursors[index * used..(index + 1) * used]);
    }
}
