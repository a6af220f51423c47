//! Counts the events of fights.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::free_time::{FreeTime, Stretch};
use super::moments::{Values, bounded};
use crate::fight::{Ending, Event, EventKind, EventMask, Observer, Prevention, Source, UnavailableReason};
use crate::program::{AbilityId, CombatantId, JoinPlan, Setup, StatusId, Time};

/// The sums for each ability of each combatant, in this order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Sum {
    Uses,
    Hits,
    Stopped,
    Damage,
    Overkill,
    Healing,
    Overheal,
}

/// The number of sums.
pub(super) const SUMS: usize = 7;
/// Durations are counted in milliseconds.
const GRAIN: u64 = 1_000;

/// The sums for each status on each combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct HeldSums {
    /// Successful applications.
    pub(super) applied: u64,
    pub(super) prevented: [u64; Prevention::KINDS],
    /// Microseconds with at least one stack, and stacks times microseconds.
    pub(super) uptime: u64,
    pub(super) stack_time: u64,
}

impl HeldSums {
    fn join(&mut self, other: &Self) {
        self.applied += other.applied;
        add_counts(&mut self.prevented, &other.prevented);
        self.uptime += other.uptime;
        self.stack_time += other.stack_time;
    }
}

/// The sums of a batch of fights. Batches are joined in order, so the sums are the same to the last bit whatever thread
/// ran which batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Tally {
    /// The numbers of abilities and of statuses of the program: rows are ordered by combatant, then abilities, then
    /// statuses.
    abilities: usize,
    statuses: usize,
    causes: usize,
    pub(super) fights: u64,
    pub(super) wins: Vec<u64>,
    /// Fights won at the time limit.
    pub(super) held_out: u64,
    pub(super) all_fell: u64,
    pub(super) time_limit: u64,
    pub(super) stalemate: u64,
    pub(super) drawn: u64,
    /// Fights by duration.
    pub(super) durations: BTreeMap<u64, u64>,
    pub(super) duration: Values,
    pub(super) rows: Vec<[f64; SUMS]>,
    /// Microseconds for which each ability of each combatant was unavailable while its owner was free to act, by
    /// reason.
    unavailable: Vec<[u64; UnavailableReason::KINDS]>,
    /// Microseconds for which each combatant was free to act, and for which it stood.
    free: Vec<u64>,
    alive: Vec<u64>,
    /// When each was defeated and joined in the current fight, and the initial values.
    there: Vec<(Option<Time>, Time)>,
    there_at_start: Vec<(Option<Time>, Time)>,
    pub(super) damage_rate: Vec<Values>,
    pub(super) healing_rate: Vec<Values>,
    pub(super) defeated: Vec<u64>,
    /// By combatant that has it, then by status.
    pub(super) held: Vec<HeldSums>,
    /// Total stacks in the current fight and since when, likewise.
    stacks: Vec<(u32, Time)>,
    /// Damage and healing in the current fight, by combatant.
    fight: Vec<[f64; 2]>,
    free_time: FreeTime,
}

impl Tally {
    pub(super) fn new(setup: &Setup) -> Self {
        let (combatants, abilities) = (setup.combatants.len(), setup.program().abilities().len());
        let (statuses, causes) = (setup.program().statuses().len(), setup.program().causes().len());
        let joins = |who| if setup.script.joins(who) == JoinPlan::AtStart { Time::ZERO } else { Time::NEVER };
        let there_at_start: Vec<(Option<Time>, Time)> = setup.ids().map(|who| (None, joins(who))).collect();
        Self {
            abilities,
            statuses,
            causes,
            held: vec![HeldSums::default(); combatants * statuses],
            stacks: vec![(0, Time::ZERO); combatants * statuses],
            fights: 0,
            wins: vec![0; setup.sides.len()],
            held_out: 0,
            all_fell: 0,
            time_limit: 0,
            stalemate: 0,
            drawn: 0,
            durations: BTreeMap::new(),
            duration: Values::default(),
            rows: vec![[0.0; SUMS]; combatants * (abilities + statuses + causes)],
            unavailable: vec![[0; UnavailableReason::KINDS]; setup.abilities.len()],
            free: vec![0; combatants],
            alive: vec![0; combatants],
            there: there_at_start.clone(),
            there_at_start,
            damage_rate: vec![Values::default(); combatants],
            healing_rate: vec![Values::default(); combatants],
            defeated: vec![0; combatants],
            fight: vec![[0.0; 2]; combatants],
            free_time: FreeTime::new(setup),
        }
    }

    /// Whether it counts exactly the combatants and rules of this setup.
    pub(super) fn is_of(&self, setup: &Setup) -> bool {
        let empty = Self::new(setup);
        let lengths = |tally: &Self| {
            [
                tally.abilities,
                tally.statuses,
                tally.wins.len(),
                tally.rows.len(),
                tally.unavailable.len(),
                tally.free.len(),
                tally.alive.len(),
                tally.there.len(),
                tally.free_time.rows(),
                tally.damage_rate.len(),
                tally.healing_rate.len(),
                tally.defeated.len(),
                tally.held.len(),
                tally.stacks.len(),
                tally.fight.len(),
            ]
        };
        lengths(self) == lengths(&empty) && self.adds_up()
    }

    /// Whether its counts can be those of its fights.
    fn adds_up(&self) -> bool {
        let within = |counts: &[u64]| counts.iter().all(|count| *count <= self.fights);
        let endings = self.wins.iter().chain([&self.all_fell, &self.time_limit, &self.stalemate, &self.drawn]);
        let ended = endings.fold(0_u64, |sum, count| sum.saturating_add(*count));
        let lasted = self.durations.values().fold(0_u64, |sum, count| sum.saturating_add(*count));
        within(&self.wins) && ended == self.fights && lasted == self.fights && self.held_out <= self.fights
    }

    /// The row of an ability or a status of a combatant.
    #[inline]
    pub(super) fn row(&self, who: CombatantId, source: Source) -> &[f64; SUMS] {
        &self.rows[self.place(who, source)]
    }

    #[inline]
    fn place(&self, who: CombatantId, source: Source) -> usize {
        let within = match source {
            Source::Ability(ability) => ability.index(),
            Source::Status(status) => self.abilities + status.index(),
            Source::Cause(cause) => self.abilities + self.statuses + cause.index(),
        };
        who.index() * (self.abilities + self.statuses + self.causes) + within
    }

    #[inline]
    fn row_mut(&mut self, who: CombatantId, source: Source) -> &mut [f64; SUMS] {
        let place = self.place(who, source);
        &mut self.rows[place]
    }

    /// Seconds for which a combatant was free to act, and the seconds of these for which an ability was unavailable, by
    /// reason; over all fights.
    pub(super) fn unavailable(&self, who: CombatantId, ability: AbilityId) -> (f64, [f64; UnavailableReason::KINDS]) {
        let micros =
            self.free_time.row(who, ability).map_or([0; UnavailableReason::KINDS], |row| self.unavailable[row]);
        (self.free(who), micros.map(|micros| micros as f64 * 1e-6))
    }

    /// Seconds for which a combatant stood, over all fights.
    pub(super) fn alive(&self, who: CombatantId) -> f64 {
        self.alive[who.index()] as f64 * 1e-6
    }

    /// Seconds for which a combatant was free to act, over all fights.
    pub(super) fn free(&self, who: CombatantId) -> f64 {
        self.free[who.index()] as f64 * 1e-6
    }

    /// The sums of a status on a combatant.
    pub(super) fn held(&self, who: CombatantId, status: StatusId) -> &HeldSums {
        &self.held[who.index() * self.statuses + status.index()]
    }

    /// The number of stacks changes.
    fn stacks_now(&mut self, at: Time, who: CombatantId, status: StatusId, total: u32) {
        let place = who.index() * self.statuses + status.index();
        let (stacks, since) = std::mem::replace(&mut self.stacks[place], (total, at));
        if stacks > 0 {
            let passed = (at - since).0;
            self.held[place].uptime += passed;
            self.held[place].stack_time += passed * u64::from(stacks);
        }
    }

    fn close_statuses(&mut self, at: Time) {
        for place in 0..self.stacks.len() {
            if self.stacks[place].0 > 0 {
                let (who, status) = (place / self.statuses, place % self.statuses);
                self.stacks_now(at, CombatantId(who as u16), StatusId(status as u16), 0);
            }
            self.stacks[place] = (0, Time::ZERO);
        }
    }

    /// An ability becomes unavailable for a reason, or available.
    fn turn(&mut self, at: Time, who: CombatantId, ability: AbilityId, reason: Option<u8>) {
        let Self { free_time, unavailable, free, .. } = self;
        free_time.turn(at, who, ability, reason, &mut |stretch| add_stretch(unavailable, free, stretch));
    }

    /// Completes the counts of a fight.
    pub(super) fn close(&mut self, ending: Ending, duration: Time) {
        self.fights += 1;
        self.close_statuses(duration);
        for (there, alive) in self.there.iter().zip(&mut self.alive) {
            *alive += (there.0.unwrap_or(duration) - there.1).0;
        }
        self.there.clone_from(&self.there_at_start);
        let Self { free_time, unavailable, free, .. } = self;
        free_time.close(duration, &mut |stretch| add_stretch(unavailable, free, stretch));
        match ending {
            Ending::Won(side) => self.wins[side.index()] += 1,
            Ending::HeldOut(side) => {
                self.wins[side.index()] += 1;
                self.held_out += 1;
            }
            Ending::AllDefeated => self.all_fell += 1,
            Ending::TimeLimit => self.time_limit += 1,
            Ending::Stalemate => self.stalemate += 1,
            Ending::Drawn => self.drawn += 1,
            // A fight that failed is not a trial.
            Ending::Failed => {}
        }
        *self.durations.entry(duration.0 / GRAIN).or_default() += 1;
        self.duration.add(duration.seconds());
        // A fight that ends at time 0 has no rate; it counts as 0.
        let per_second = if duration == Time::ZERO { 0.0 } else { 1.0 / duration.seconds() };
        for (who, sums) in self.fight.iter_mut().enumerate() {
            let [damage, healing] = std::mem::take(sums);
            self.damage_rate[who].add(damage * per_second);
            self.healing_rate[who].add(healing * per_second);
        }
    }

    pub(super) fn join(&mut self, other: &Self) {
        self.fights += other.fights;
        self.held_out += other.held_out;
        self.all_fell += other.all_fell;
        self.time_limit += other.time_limit;
        self.stalemate += other.stalemate;
        self.drawn += other.drawn;
        self.duration.join(&other.duration);
        for (duration, count) in &other.durations {
            *self.durations.entry(*duration).or_default() += count;
        }
        self.held.iter_mut().zip(&other.held).for_each(|(mine, theirs)| mine.join(theirs));
        add_counts(&mut self.wins, &other.wins);
        add_counts(&mut self.defeated, &other.defeated);
        add_counts(&mut self.free, &other.free);
        add_counts(&mut self.alive, &other.alive);
        for (mine, theirs) in self.unavailable.iter_mut().zip(&other.unavailable) {
            add_counts(mine, theirs);
        }
        for (mine, theirs) in self.rows.iter_mut().zip(&other.rows) {
            mine.iter_mut().zip(theirs).for_each(|(mine, theirs)| *mine = bounded(*mine + theirs));
        }
        for (mine, theirs) in self.damage_rate.iter_mut().zip(&other.damage_rate) {
            mine.join(theirs);
        }
        for (mine, theirs) in self.healing_rate.iter_mut().zip(&other.healing_rate) {
            mine.join(theirs);
        }
    }

    /// The maximum and minimum duration in seconds, at the resolution of the counts.
    pub(super) const GRAIN_SECONDS: f64 = GRAIN as f64 * 1e-6;
}

fn add_counts(mine: &mut [u64], theirs: &[u64]) {
    mine.iter_mut().zip(theirs).for_each(|(mine, theirs)| *mine += theirs);
}

fn add_stretch(unavailable: &mut [[u64; UnavailableReason::KINDS]], free: &mut [u64], stretch: Stretch) {
    match stretch {
        Stretch::Free(who, span) => free[who.index()] += span.0,
        Stretch::Unavailable(_, row, _, reason, span) => unavailable[row][usize::from(reason)] += span.0,
    }
}

impl Observer for Tally {
    fn wants(&self) -> EventMask {
        const WANTED: EventMask = EventMask::of(&[
            EventKind::Used,
            EventKind::StatusTicked,
            EventKind::Hit,
            EventKind::Healed,
            EventKind::Unavailable,
            EventKind::Available,
            EventKind::Waits,
            EventKind::StatusGained,
            EventKind::StatusStacks,
            EventKind::StatusLost,
            EventKind::StatusPrevented,
            EventKind::Defeated,
            EventKind::Revived,
            EventKind::Joined,
        ]);
        WANTED
    }

    fn event(&mut self, at: Time, event: Event) {
        match event {
            Event::Unavailable { who, ability, reason } => self.turn(at, who, ability, Some(reason.kind() as u8)),
            Event::Available { who, ability } => self.turn(at, who, ability, None),
            Event::Waits { who, .. } => self.free_time.waits(at, who),
            Event::Used { caster, ability, .. } => {
                self.turn(at, caster, ability, None);
                self.free_time.stops(at, caster);
                self.row_mut(caster, Source::Ability(ability))[Sum::Uses as usize] += 1.0;
            }
            Event::StatusTicked { caster, status, .. } => {
                self.row_mut(caster, Source::Status(status))[Sum::Uses as usize] += 1.0;
            }
            Event::Hit { caster, source, dealt, over, stopped, .. } => {
                let row = self.row_mut(caster, source);
                row[Sum::Hits as usize] += 1.0;
                row[Sum::Stopped as usize] += if stopped.is_some() { 1.0 } else { 0.0 };
                row[Sum::Damage as usize] += dealt;
                row[Sum::Overkill as usize] = bounded(row[Sum::Overkill as usize] + over);
                self.fight[caster.index()][0] += dealt;
            }
            Event::Healed { caster, source, healed, over, .. } => {
                let row = self.row_mut(caster, source);
                row[Sum::Healing as usize] += healed;
                row[Sum::Overheal as usize] = bounded(row[Sum::Overheal as usize] + over);
                self.fight[caster.index()][1] += healed;
            }
            Event::StatusGained { target, status, total, .. } => {
                self.held[target.index() * self.statuses + status.index()].applied += 1;
                self.stacks_now(at, target, status, total);
            }
            Event::StatusStacks { target, status, total, .. } | Event::StatusLost { target, status, total, .. } => {
                self.stacks_now(at, target, status, total);
            }
            Event::StatusPrevented { target, status, reason, .. } => {
                self.held[target.index() * self.statuses + status.index()].prevented[reason.kind()] += 1;
            }
            Event::Defeated { who, .. } => {
                self.free_time.stops(at, who);
                self.defeated[who.index()] += 1;
                self.there[who.index()].0 = Some(at);
            }
            Event::Revived { target, .. } => {
                let (left, joined) = std::mem::replace(&mut self.there[target.index()], (None, at));
                self.alive[target.index()] += left.map_or(0, |left| (left - joined).0);
                self.defeated[target.index()] -= 1;
            }
            Event::Joined { who, .. } => self.there[who.index()].1 = at,
            _ => {}
        }
    }
}
