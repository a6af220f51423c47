//! All changing state of a fight: a few flat lists of plain values, so that resetting, taking and restoring snapshots,
//! and comparing fights are single passes over a few kilobytes.

mod combatant;
mod due_tree;
mod places;
pub(super) mod record;
pub(super) mod rosters;
mod scratch;
mod stack_ends;
mod status_words;
pub(super) mod statuses;
pub(super) mod timers;
pub(super) mod transfer;
mod walk;

use std::collections::VecDeque;

use super::events::{Ending, Source};
use crate::program::{
    AbilityId, BaseChange, CauseId, CombatantId, Derived, GearId, Memory, Plane, Setup, SideId, StatusId, Time, ZoneId,
};
pub(super) use combatant::{AbilityState, Charges, Cold, Combatant, Control, Doing, Gate, LineState};
use combatant::{lines_of, reaches_of};
use record::StatusRef;
use rosters::Rosters;
pub(super) use scratch::Scratch;
use statuses::Statuses;
use timers::Timers;
pub(super) use walk::{Bypass, Walk, Wish};

/// An active zone.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct Zone {
    pub(super) id: ZoneId,
    /// Unique in the fight.
    pub(super) serial: u32,
    pub(super) by: EffectContext,
    pub(super) carrier: Option<CombatantId>,
    pub(super) middle: Plane,
    /// When it was placed, and its growth in metres per second.
    pub(super) since: Time,
    pub(super) growth: f64,
    pub(super) radius: f64,
    pub(super) ends: Time,
    /// The earliest time at which a combatant may cross its edge.
    pub(super) next: Time,
    /// The combatants inside, one bit each.
    pub(super) inside: [u64; 16],
    /// The number of entries.
    pub(super) entered: u32,
}

/// A status that lasts while its owner is in a zone or uses an ability.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct Hold {
    pub(super) zone: u32,
    pub(super) who: CombatantId,
    pub(super) status: StatusRef,
}

/// An ability in flight.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct Flight {
    pub(super) at: Time,
    pub(super) caster: CombatantId,
    pub(super) ability: AbilityId,
    pub(super) target: CombatantId,
    pub(super) order: u32,
    /// The position that it was aimed at, if it was aimed at one; without an order number, it is on its way to that
    /// position.
    pub(super) place: Option<Plane>,
}

/// The source of an effect.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct EffectContext {
    /// The combatant that acts.
    pub(super) caster: CombatantId,
    pub(super) source: Source,
    /// The owner of the status; for an ability, the combatant that acts.
    pub(super) owner: CombatantId,
    /// The combatant that applied the status; for an ability, the combatant that acts.
    pub(super) applier: CombatantId,
    /// The other combatant of a trigger.
    pub(super) other: Option<CombatantId>,
    /// The share of the effect that applies, for partial ticks.
    pub(super) part: f64,
    /// It follows from a defeat: zones are placed where the combatant was defeated.
    pub(super) aftermath: bool,
}

impl EffectContext {
    #[inline]
    pub(super) fn of_ability(caster: CombatantId, ability: AbilityId) -> Self {
        let source = Source::Ability(ability);
        Self { caster, source, owner: caster, applier: caster, other: None, part: 1.0, aftermath: false }
    }

    pub(super) fn of_status(caster: CombatantId, status: StatusId, owner: CombatantId, applier: CombatantId) -> Self {
        Self { caster, source: Source::Status(status), owner, applier, other: None, part: 1.0, aftermath: false }
    }

    pub(super) fn of_cause(caster: CombatantId, cause: CauseId) -> Self {
        let source = Source::Cause(cause);
        Self { caster, source, owner: caster, applier: caster, other: None, part: 1.0, aftermath: false }
    }

    /// The ability, if it is one.
    #[inline]
    pub(super) fn ability(&self) -> Option<AbilityId> {
        match self.source {
            Source::Ability(ability) => Some(ability),
            Source::Status(_) | Source::Cause(_) => None,
        }
    }
}

/// A pending action of a status.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) enum Cause {
    /// A tick at the start.
    Tick,
    /// Its maximum of stacks has been reached.
    AtMax,
    /// One of its triggers.
    Trigger(u16),
}

/// A triggered action that waits for its turn.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct Pending {
    pub(super) owner: CombatantId,
    pub(super) status: StatusRef,
    pub(super) cause: Cause,
    pub(super) other: Option<CombatantId>,
    pub(super) amount: f64,
    pub(super) marks: u64,
    /// The number of triggers that led to this one.
    pub(super) depth: u32,
}

#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct State {
    pub(super) now: Time,
    pub(super) numbers: Memory,
    pub(super) timers: Timers,
    pub(super) combatants: Vec<Combatant>,
    /// Rarely used data of combatants: empty until any combatant needs it, then one entry for each.
    pub(super) cold: Vec<Cold>,
    /// Each ability of each combatant.
    pub(super) abilities: Vec<AbilityState>,
    /// Times and costs of the abilities for which they depend on attributes.
    pub(super) derived: Vec<Derived>,
    /// The charges of the abilities that have charges.
    pub(super) charges: Vec<Charges>,
    /// Each line of the policy of each combatant.
    pub(super) lines: Vec<LineState>,
    /// The distance in metres that the target of each line has to be within, for lines closed by distance; empty
    /// without positions.
    pub(super) reaches: Vec<f64>,
    /// Combatants in the order of their tie-breaks.
    pub(super) order: Vec<CombatantId>,
    #[cfg_attr(feature = "serde", serde(skip))]
    pub(super) rosters: Rosters,
    pub(super) statuses: Statuses,
    /// Triggered actions that have not been carried out yet.
    pub(super) queue: VecDeque<Pending>,
    /// The number of triggers that led to the current action, the number of triggers in this moment, and the statuses
    /// of the most recent ones.
    pub(super) depth: u32,
    pub(super) triggered: u32,
    pub(super) recent: Vec<StatusId>,
    /// For each combatant and diminishing tag: the count and the time of the last application.
    pub(super) diminished: Vec<(u32, Time)>,
    /// The targets of abilities under way with several targets: one range for each caster.
    pub(super) aimed: Vec<CombatantId>,
    /// The combatants queued to decide in this moment.
    pub(super) deciders: Vec<CombatantId>,
    /// Events that trigger statuses of other standing combatants.
    pub(super) watches: u32,
    /// A combatant may have been defeated: one of those with `may_be_defeated`.
    pub(super) check_defeats: bool,
    /// Conditions of statuses have to be evaluated.
    pub(super) check_conditions: bool,
    /// Crossings of zone edges have to be checked: for the combatants in `moved`, or for all.
    pub(super) edges: bool,
    pub(super) moved: Vec<CombatantId>,
    pub(super) all_edges: bool,
    /// Combatants that have to plan or check their path in this moment.
    pub(super) planners: Vec<CombatantId>,
    pub(super) began: bool,
    pub(super) ending: Option<Ending>,
    /// The side that has won by an effect; `None` inside if several sides did so in the same moment.
    pub(super) decided: Option<Option<SideId>>,
    /// The last use of an ability, named in the error if a moment does not end.
    pub(super) last_used: (CombatantId, Option<AbilityId>),
    pub(super) steps_taken: u64,
    /// Bases changed by the game and, before the fight begins, pool amounts set by the game.
    pub(super) base_changes: Vec<BaseChange>,
    /// The state of each combatant on the ground; empty without positions.
    pub(super) walks: Vec<Walk>,
    /// Worn gear, in the order in which it was put on.
    pub(super) worn: Vec<(CombatantId, GearId)>,
    /// Abilities in flight, in the order of their release.
    pub(super) flights: Vec<Flight>,
    /// Active zones in the order of their placement, and the statuses that they hold.
    pub(super) zones: Vec<Zone>,
    pub(super) holds: Vec<Hold>,
    /// For each zone, the time at which each combatant crosses its edge on its current course; empty without positions.
    pub(super) edge_times: Vec<Time>,
    pub(super) next_zone: u32,
    /// The time of the last check of zone edges, and the number of checks at that time.
    pub(super) crossed_at: Time,
    pub(super) crossings: u32,
    /// For each entry of the script, its next time and the remaining number of times.
    pub(super) script: Vec<(Time, u32)>,
}

impl State {
    pub(super) fn new(setup: &Setup) -> Self {
        let count = setup.combatants.len();
        let combatants = setup.ids().map(|who| Combatant::new(setup, who)).collect();
        Self {
            now: Time::ZERO,
            numbers: Memory::default(),
            timers: Timers::new(setup),
            combatants,
            cold: Vec::new(),
            abilities: Vec::with_capacity(setup.abilities.len()),
            derived: Vec::with_capacity(setup.varied.len()),
            charges: Vec::with_capacity(setup.charges as usize),
            lines: Vec::new(),
            reaches: Vec::new(),
            order: setup.ids().collect(),
            rosters: Rosters::default(),
            statuses: Statuses::new(count, &setup.program),
            queue: VecDeque::new(),
            depth: 0,
            triggered: 0,
            recent: Vec::new(),
            diminished: vec![(0, Time::ZERO); count * setup.program.diminish.len()],
            aimed: vec![CombatantId(0); setup.aim_room.last().map_or(0, |last| *last as usize)],
            deciders: Vec::with_capacity(count),
            watches: 0,
            check_defeats: false,
            check_conditions: false,
            edges: false,
            moved: Vec::new(),
            all_edges: false,
            planners: Vec::with_capacity(if setup.is_placed { count } else { 0 }),
            began: false,
            ending: None,
            decided: None,
            last_used: (CombatantId(0), None),
            steps_taken: 0,
            base_changes: Vec::new(),
            walks: vec![Walk::NOWHERE; if setup.is_placed { count } else { 0 }],
            worn: Vec::new(),
            flights: Vec::new(),
            zones: Vec::new(),
            holds: Vec::new(),
            edge_times: Vec::new(),
            next_zone: 0,
            crossed_at: Time::ZERO,
            crossings: 0,
            script: Vec::with_capacity(setup.script.moments.len()),
        }
    }

    /// Resets to the initial state, except tie-breaks.
    pub(super) fn reset(&mut self, setup: &Setup) {
        self.now = Time::ZERO;
        self.numbers.copy_from(&setup.memory);
        self.timers.reset();
        for (who, combatant) in setup.ids().zip(&mut self.combatants) {
            // Control that the game has taken persists.
            let Combatant { control, is_moved, .. } = *combatant;
            *combatant = Combatant { control, is_moved, ..Combatant::new(setup, who) };
            combatant.listen_to_pools(setup, who);
        }
        self.cold.clear();
        self.rosters.refresh(setup, &self.combatants);
        self.abilities.clear();
        self.abilities.extend((0..setup.abilities.len()).map(|index| AbilityState::new(setup, index)));
        self.derived.clear();
        self.derived.extend(setup.varied.iter().map(|index| setup.derived[*index as usize]));
        self.charges.clear();
        self.charges.extend(Charges::all(setup));
        self.lines.clear();
        self.lines.resize(lines_of(setup), LineState::NEW);
        self.reaches.clear();
        self.reaches.resize(reaches_of(setup), 0.0);
        self.statuses.reset();
        self.queue.clear();
        (self.depth, self.triggered) = (0, 0);
        self.recent.clear();
        self.diminished.fill((0, Time::ZERO));
        self.deciders.clear();
        self.aimed.fill(CombatantId(0));
        self.watches = 0;
        (self.check_defeats, self.check_conditions) = (setup.enters_empty, false);
        self.planners.clear();
        (self.edges, self.all_edges) = (false, false);
        self.moved.clear();
        (self.began, self.ending, self.decided) = (false, None, None);
        self.last_used = (CombatantId(0), None);
        self.steps_taken = 0;
        self.base_changes.clear();
        self.walks.fill(Walk::NOWHERE);
        self.worn.clear();
        setup.ids().for_each(|who| self.put_on_pieces(setup, who));
        self.flights.clear();
        self.zones.clear();
        self.holds.clear();
        self.edge_times.clear();
        self.next_zone = 0;
        (self.crossed_at, self.crossings) = (Time::ZERO, 0);
        self.script.clear();
        self.script.extend(setup.script.moments.iter().map(|moment| (moment.at, moment.times)));
    }

    /// Copies another state into this snapshot, without the numbers that no fight changes.
    pub(super) fn save(&mut self, other: &Self, setup: &Setup) {
        self.numbers.save_from(&other.numbers, setup.program.layout.blocks as usize);
        self.copy_from(other);
    }

    /// Restores the state kept by a snapshot.
    pub(super) fn load(&mut self, saved: &Self, setup: &Setup) {
        self.numbers.load_from(&saved.numbers, setup.program.layout.blocks as usize);
        self.copy_from(saved);
        self.rosters.refresh(setup, &self.combatants);
    }

    /// Copies all but the numbers, reusing memory.
    fn copy_from(&mut self, other: &Self) {
        self.now = other.now;
        self.timers.copy_from(&other.timers);
        self.combatants.clone_from(&other.combatants);
        self.cold.clone_from(&other.cold);
        self.abilities.clone_from(&other.abilities);
        self.derived.clone_from(&other.derived);
        self.charges.clone_from(&other.charges);
        self.lines.clone_from(&other.lines);
        self.reaches.clone_from(&other.reaches);
        self.order.clone_from(&other.order);
        self.statuses.copy_from(&other.statuses);
        self.queue.clone_from(&other.queue);
        (self.depth, self.triggered) = (other.depth, other.triggered);
        self.recent.clone_from(&other.recent);
        self.diminished.clone_from(&other.diminished);
        self.aimed.clone_from(&other.aimed);
        self.deciders.clone_from(&other.deciders);
        self.watches = other.watches;
        (self.check_defeats, self.check_conditions) = (other.check_defeats, other.check_conditions);
        (self.edges, self.all_edges, self.began) = (other.edges, other.all_edges, other.began);
        self.planners.clone_from(&other.planners);
        self.moved.clone_from(&other.moved);
        (self.ending, self.decided) = (other.ending, other.decided);
        (self.last_used, self.steps_taken) = (other.last_used, other.steps_taken);
        self.base_changes.clone_from(&other.base_changes);
        self.walks.clone_from(&other.walks);
        self.worn.clone_from(&other.worn);
        self.flights.clone_from(&other.flights);
        self.zones.clone_from(&other.zones);
        self.holds.clone_from(&other.holds);
        self.edge_times.clone_from(&other.edge_times);
        self.next_zone = other.next_zone;
        (self.crossed_at, self.crossings) = (other.crossed_at, other.crossings);
        self.script.clone_from(&other.script);
    }

    /// The size of the lists of a copy in bytes.
    pub(super) fn bytes(&self) -> usize {
        let lists = [
            size_of_val(self.combatants.as_slice()),
            size_of_val(self.cold.as_slice()),
            size_of_val(self.abilities.as_slice()),
            size_of_val(self.derived.as_slice()),
            size_of_val(self.charges.as_slice()),
            size_of_val(self.lines.as_slice()),
            size_of_val(self.reaches.as_slice()),
            size_of_val(self.order.as_slice()),
            size_of::<Pending>() * self.queue.len(),
            size_of_val(self.diminished.as_slice()),
            size_of_val(self.aimed.as_slice()),
            size_of_val(self.walks.as_slice()),
            size_of_val(self.worn.as_slice()),
            size_of_val(self.flights.as_slice()),
            size_of_val(self.zones.as_slice()),
            size_of_val(self.holds.as_slice()),
            size_of_val(self.edge_times.as_slice()),
            size_of_val(self.script.as_slice()),
            size_of_val(self.deciders.as_slice()),
            size_of_val(self.recent.as_slice()),
            size_of_val(self.moved.as_slice()),
            size_of_val(self.planners.as_slice()),
            size_of_val(self.base_changes.as_slice()),
        ];
        lists.iter().sum::<usize>() + self.numbers.bytes() + self.timers.bytes() + self.statuses.bytes()
    }

    /// The first entry of a zone in [`State::edge_times`].
    pub(super) fn edge_row(&self, zone: usize) -> usize {
        zone * self.combatants.len()
    }

    /// Adds entries for the zone placed last, whose crossing times are not known yet.
    pub(super) fn add_edge_row(&mut self, setup: &Setup) {
        if setup.is_placed {
            self.edge_times.resize(self.edge_row(self.zones.len()), Time::ZERO);
        }
    }

    pub(super) fn remove_zone(&mut self, zone: usize) -> Zone {
        let row = self.edge_row(zone);
        if row < self.edge_times.len() {
            self.edge_times.drain(row..row + self.combatants.len());
        }
        self.zones.remove(zone)
    }

    #[inline]
    pub(super) fn who(&self, who: CombatantId) -> &Combatant {
        &self.combatants[who.index()]
    }

    #[inline]
    pub(super) fn who_mut(&mut self, who: CombatantId) -> &mut Combatant {
        &mut self.combatants[who.index()]
    }

    /// Rarely used data of a combatant.
    pub(super) fn cold(&self, who: CombatantId) -> Cold {
        self.cold.get(who.index()).copied().unwrap_or(Cold::NONE)
    }

    pub(super) fn cold_mut(&mut self, who: CombatantId) -> &mut Cold {
        if self.cold.is_empty() {
            self.cold.resize(self.combatants.len(), Cold::NONE);
        }
        &mut self.cold[who.index()]
    }

    #[inline]
    pub(super) fn stands(&self, who: CombatantId) -> bool {
        self.combatants[who.index()].stands
    }

    /// A pool that defeats this combatant may have become empty.
    #[inline]
    pub(super) fn may_be_defeated(&mut self, who: CombatantId) {
        self.combatants[who.index()].may_be_defeated = true;
        self.check_defeats = true;
    }

    /// The current times and cost of an ability, given its index among those of all combatants.
    #[inline]
    pub(super) fn derived<'a>(&'a self, setup: &'a Setup, ability: usize) -> &'a Derived {
        match setup.abilities[ability].varies {
            Some(place) => &self.derived[place as usize],
            None => &setup.derived[ability],
        }
    }

    /// The charges of an ability, given its index among those of all combatants.
    pub(super) fn charges_mut(&mut self, setup: &Setup, ability: usize) -> Option<&mut Charges> {
        setup.abilities[ability].charges.map(|place| &mut self.charges[place as usize])
    }

    /// The index of an ability of a combatant among all abilities of all combatants.
    pub(super) fn ability_index(&self, setup: &Setup, who: CombatantId, ability: AbilityId) -> Option<usize> {
        let policy = &setup.policies[who.index()];
        let own = policy.first as usize..(policy.first + policy.count) as usize;
        own.clone().find(|index| setup.abilities[*index].ability == ability)
    }

    /// A target of a combatant's ability under way, by number.
    #[inline]
    pub(super) fn aimed_at(&self, setup: &Setup, who: CombatantId, number: usize) -> CombatantId {
        let combatant = self.who(who);
        if combatant.many { self.aimed[setup.aim_room[who.index()] as usize + number] } else { combatant.target }
    }

    /// The number of targets of a combatant's ability under way.
    #[inline]
    pub(super) fn aimed_count(&self, who: CombatantId) -> usize {
        let combatant = self.who(who);
        if combatant.many { usize::from(combatant.aimed) } else { 1 }
    }
}
