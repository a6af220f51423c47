//! Finding out beforehand what happens when, as far as chance has no say in it.
//!
//! In most plain duels chance decides how much hits take, and nothing else: who does what when is the same in every fight
//! until a hit turns a condition of a policy or defeats somebody. So fights are *rehearsed*: gone through wave by wave on a
//! lane of its own without what hangs on chance, which is noted as [`Step`]s at the places where it happens. The fights
//! that follow, see [`super::following`], take those steps and nothing else. Where conditions turn, what follows is rehearsed
//! for each way in which they do.

use super::lane::{Lane, Part};
use super::live::Step;
use super::plan::PlainPlan;
use super::run::Run;
use super::snapshots::Snapshots;
use crate::fight::event::{Event, Observer};
use crate::fight::limits::Limits;
use crate::program::{CombatantId, NoChance, Time};

/// So many waves are rehearsed, and no more; and so many steps, events and turns of them.
const MOST_WAVES: usize = 4096;
const MOST_STEPS: usize = 2 * MOST_WAVES;
const MOST_TOLD: usize = 8 * MOST_WAVES;
const MOST_TURNS: usize = MOST_WAVES;
/// Room that must be there to go on.
const ROOM_STEPS: usize = 64;
const ROOM_TOLD: usize = 256;
/// So many waves count as one, if only the last of them has steps.
const MOST_TOGETHER: usize = 32;

/// Which wave comes next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Next {
    NotKnownYet,
    Wave(u32),
    /// There is none, or no room for it: the fight is played from here on.
    None,
}

/// Everything that happens at once, and what came before it without steps.
#[derive(Clone, Copy, Debug)]
pub(super) struct Wave {
    pub(super) at: Time,
    pub(super) steps: (u32, u32),
    pub(super) told: (u32, u32),
    /// If no condition turns in it.
    pub(super) next: Next,
    /// The first of its turns.
    turns: Option<u32>,
}

/// What has come of the steps of a wave besides amounts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Turn {
    /// For either fighter, the lines of its policy that are wanted now, and pools that have changed.
    pub(super) wanted: [u64; 2],
    pub(super) changed: [u64; 2],
    pub(super) attention: bool,
}

impl Turn {
    /// Makes a lane that was brought back one in which this has happened.
    pub(super) fn happen(&self, lane: &mut Lane) {
        for (body, (wanted, changed)) in lane.bodies.iter_mut().zip(self.wanted.into_iter().zip(self.changed)) {
            body.wanted = wanted;
            body.changed |= changed;
        }
        lane.attention |= self.attention;
    }
}

#[derive(Debug)]
struct Turned {
    turn: Turn,
    next: Next,
    /// Another turn of the same wave.
    other: Option<u32>,
}

/// Rehearsed fights of one plan: waves, each kept as it ends.
#[derive(Debug)]
pub(super) struct Rehearsal {
    lane: Box<Lane>,
    limits: Limits,
    /// The first wave, by who comes first in the order of lots.
    roots: [Next; 2],
    waves: Vec<Wave>,
    steps: Vec<Step>,
    told: Vec<(Time, Event)>,
    turns: Vec<Turned>,
    marks: Vec<u32>,
    snapshots: Snapshots,
}

impl Rehearsal {
    pub(super) fn of(plan: &PlainPlan, limits: Limits) -> Self {
        let mut lane = Box::new(Lane::of(plan));
        lane.steps.reserve(ROOM_STEPS);
        Self {
            lane,
            limits,
            roots: [Next::NotKnownYet; 2],
            waves: Vec::with_capacity(MOST_WAVES),
            steps: Vec::with_capacity(MOST_STEPS),
            told: Vec::with_capacity(MOST_TOLD),
            turns: Vec::with_capacity(MOST_TURNS),
            marks: Vec::with_capacity(ROOM_STEPS),
            snapshots: Snapshots::with_room(plan, MOST_WAVES),
        }
    }

    /// Whether it is about fights with these limits.
    pub(super) fn suits(&self, limits: Limits) -> bool {
        self.limits == limits
    }

    /// How many waves there are.
    pub(super) fn len(&self) -> usize {
        self.waves.len()
    }

    pub(super) fn snapshots(&self) -> &Snapshots {
        &self.snapshots
    }

    #[inline(always)]
    pub(super) fn wave(&self, wave: u32) -> &Wave {
        &self.waves[wave as usize]
    }

    #[inline(always)]
    pub(super) fn steps(&self, (first, end): (u32, u32)) -> &[Step] {
        self.steps.get(first as usize..end as usize).unwrap_or_default()
    }

    #[inline(always)]
    pub(super) fn told(&self, (first, end): (u32, u32)) -> &[(Time, Event)] {
        self.told.get(first as usize..end as usize).unwrap_or_default()
    }

    /// The first wave of a fight that has just begun.
    pub(super) fn root(&mut self, plan: &PlainPlan, begun: &Lane, last: Time) -> Next {
        let place = usize::from(begun.order[0] != CombatantId(0));
        if self.roots[place] == Next::NotKnownYet {
            let steps = std::mem::take(&mut self.lane.steps);
            *self.lane = begun.clone();
            (self.lane.part, self.lane.steps) = (Part::Rehearsing, steps);
            self.roots[place] = self.rehearse(plan, last);
        }
        self.roots[place]
    }

    /// What comes after a wave in which nothing has turned, and was not known yet.
    #[cold]
    #[inline(never)]
    pub(super) fn after(&mut self, plan: &PlainPlan, wave: u32, last: Time) -> Next {
        self.bring_back(plan, wave);
        let next = self.rehearse(plan, last);
        self.waves[wave as usize].next = next;
        next
    }

    /// What comes after a wave with a turn.
    pub(super) fn after_turn(&mut self, plan: &PlainPlan, wave: u32, turn: Turn, last: Time) -> Next {
        let mut one = self.waves[wave as usize].turns;
        while let Some(known) = one.map(|one| &self.turns[one as usize]) {
            if known.turn == turn {
                return known.next;
            }
            one = known.other;
        }
        if self.turns.len() == MOST_TURNS {
            return Next::None;
        }
        self.bring_back(plan, wave);
        turn.happen(&mut self.lane);
        let next = self.rehearse(plan, last);
        let other = self.waves[wave as usize].turns.replace(self.turns.len() as u32);
        self.turns.push(Turned { turn, next, other });
        next
    }

    fn bring_back(&mut self, plan: &PlainPlan, wave: u32) {
        let wave = wave as usize;
        self.snapshots.bring_back(plan, &mut self.lane, wave);
        for who in 0..plan.fighters.len() {
            self.lane.bodies[who] = *self.snapshots.body(plan, wave, who);
        }
    }

    /// Goes on to the end of the next wave with steps from where the lane is.
    fn rehearse(&mut self, plan: &PlainPlan, last: Time) -> Next {
        let (steps, told) = (self.steps.len(), self.told.len());
        if self.waves.len() == MOST_WAVES || steps + ROOM_STEPS > MOST_STEPS || told + ROOM_TOLD > MOST_TOLD {
            return Next::None;
        }
        self.lane.steps.clear();
        self.marks.clear();
        let mut teller = Teller { told: &mut self.told, most: told + ROOM_TOLD, marks: &mut self.marks, full: false };
        // Nothing turns in a wave without steps, so it is taken together with the next that has some.
        for _ in 0..MOST_TOGETHER {
            let (lane, chance) = (&mut *self.lane, &mut NoChance);
            let went_on = Run::<_, _, false, true> { plan, lane, chance, observer: &mut teller }.next_wave(last);
            if !went_on || teller.full {
                self.told.truncate(told);
                return Next::None;
            }
            if !self.lane.steps.is_empty() {
                break;
            }
        }
        for (step, mark) in self.lane.steps.iter().zip(&self.marks) {
            self.steps.push(Step { told: mark - told as u32, ..*step });
        }
        self.snapshots.keep(plan, &self.lane);
        self.waves.push(Wave {
            at: self.lane.now,
            steps: (steps as u32, self.steps.len() as u32),
            told: (told as u32, self.told.len() as u32),
            next: Next::NotKnownYet,
            turns: None,
        });
        Next::Wave(self.waves.len() as u32 - 1)
    }
}

/// Writes down what is told, and between which events there are steps.
struct Teller<'a> {
    told: &'a mut Vec<(Time, Event)>,
    most: usize,
    marks: &'a mut Vec<u32>,
    /// There was more than there is room for.
    full: bool,
}

impl Observer for Teller<'_> {
    fn event(&mut self, at: Time, event: Event) {
        let marks = matches!(event, Event::Hit { .. });
        if self.told.len() == self.most || self.marks.len() == ROOM_STEPS {
            self.full = true;
        } else if marks {
            self.marks.push(self.told.len() as u32);
        } else {
            self.told.push((at, event));
        }
    }
}
