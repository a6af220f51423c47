//! Counting the events of fights.

use std::collections::BTreeMap;

use crate::fight::{Ending, Event, Observer, Refusal};
use crate::program::{AbilityId, CombatantId, Setup, Time};

/// What is summed up for each ability of each combatant, in this order.
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

/// How many sums there are.
pub(super) const SUMS: usize = 7;
/// Durations are counted by the millisecond.
const GRAIN: u64 = 1_000;

/// A sum and its sum of squares over trials.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Moments {
    pub(super) sum: f64,
    pub(super) squares: f64,
}

impl Moments {
    pub(super) fn add(&mut self, value: f64) {
        self.sum += value;
        self.squares += value * value;
    }

    fn join(&mut self, other: &Self) {
        self.sum += other.sum;
        self.squares += other.squares;
    }
}

/// What a batch of fights adds up to. Batches are joined in their order, so the sums are the same
/// to the last bit whoever ran which batch.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Tally {
    /// Abilities of the program; the index of a row is `combatant * abilities + ability`.
    abilities: usize,
    pub(super) fights: u64,
    pub(super) wins: Vec<u64>,
    pub(super) all_fell: u64,
    pub(super) time_limit: u64,
    pub(super) stalemate: u64,
    /// Fights by duration.
    pub(super) durations: BTreeMap<u64, u64>,
    pub(super) duration: Moments,
    pub(super) rows: Vec<[f64; SUMS]>,
    pub(super) refusals: Vec<[u64; Refusal::KINDS]>,
    pub(super) damage_rate: Vec<Moments>,
    pub(super) healing_rate: Vec<Moments>,
    pub(super) fell: Vec<u64>,
    /// Damage and healing of the fight under way, by combatant.
    fight: Vec<[f64; 2]>,
}

impl Tally {
    pub(super) fn new(setup: &Setup) -> Self {
        let (combatants, abilities) = (setup.combatants.len(), setup.program().abilities().len());
        Self {
            abilities,
            fights: 0,
            wins: vec![0; setup.sides.len()],
            all_fell: 0,
            time_limit: 0,
            stalemate: 0,
            durations: BTreeMap::new(),
            duration: Moments::default(),
            rows: vec![[0.0; SUMS]; combatants * abilities],
            refusals: vec![[0; Refusal::KINDS]; combatants * abilities],
            damage_rate: vec![Moments::default(); combatants],
            healing_rate: vec![Moments::default(); combatants],
            fell: vec![0; combatants],
            fight: vec![[0.0; 2]; combatants],
        }
    }

    #[inline]
    fn row(&mut self, who: CombatantId, ability: AbilityId) -> &mut [f64; SUMS] {
        &mut self.rows[who.index() * self.abilities + ability.index()]
    }

    /// Closes the books of a fight.
    pub(super) fn close(&mut self, ending: Ending, duration: Time) {
        self.fights += 1;
        match ending {
            Ending::Won(side) => self.wins[side.index()] += 1,
            Ending::AllFell => self.all_fell += 1,
            Ending::TimeLimit => self.time_limit += 1,
            Ending::Stalemate => self.stalemate += 1,
        }
        *self.durations.entry(duration.0 / GRAIN).or_default() += 1;
        self.duration.add(duration.seconds());
        // A fight that ends at its very first moment has no rate; it counts as nothing done.
        let per_second = if duration == Time::ZERO { 0.0 } else { 1.0 / duration.seconds() };
        for (who, sums) in self.fight.iter_mut().enumerate() {
            let [damage, healing] = std::mem::take(sums);
            self.damage_rate[who].add(damage * per_second);
            self.healing_rate[who].add(healing * per_second);
        }
    }

    pub(super) fn join(&mut self, other: &Self) {
        self.fights += other.fights;
        self.all_fell += other.all_fell;
        self.time_limit += other.time_limit;
        self.stalemate += other.stalemate;
        self.duration.join(&other.duration);
        for (duration, count) in &other.durations {
            *self.durations.entry(*duration).or_default() += count;
        }
        add_counts(&mut self.wins, &other.wins);
        add_counts(&mut self.fell, &other.fell);
        for (mine, theirs) in self.refusals.iter_mut().zip(&other.refusals) {
            add_counts(mine, theirs);
        }
        for (mine, theirs) in self.rows.iter_mut().zip(&other.rows) {
            mine.iter_mut().zip(theirs).for_each(|(mine, theirs)| *mine += theirs);
        }
        for (mine, theirs) in self.damage_rate.iter_mut().zip(&other.damage_rate) {
            mine.join(theirs);
        }
        for (mine, theirs) in self.healing_rate.iter_mut().zip(&other.healing_rate) {
            mine.join(theirs);
        }
    }

    /// The longest and shortest duration in seconds are within the counts, at this grain.
    pub(super) const GRAIN_SECONDS: f64 = GRAIN as f64 * 1e-6;
}

fn add_counts(mine: &mut [u64], theirs: &[u64]) {
    mine.iter_mut().zip(theirs).for_each(|(mine, theirs)| *mine += theirs);
}

impl Observer for Tally {
    #[inline]
    fn event(&mut self, _: Time, event: Event) {
        match event {
            Event::Used { caster, ability, .. } => self.row(caster, ability)[Sum::Uses as usize] += 1.0,
            Event::Hit { caster, target: _, ability, dealt, over, stopped, .. } => {
                let row = self.row(caster, ability);
                row[Sum::Hits as usize] += 1.0;
                row[Sum::Stopped as usize] += if stopped.is_some() { 1.0 } else { 0.0 };
                row[Sum::Damage as usize] += dealt;
                row[Sum::Overkill as usize] += over;
                self.fight[caster.index()][0] += dealt;
            }
            Event::Healed { caster, ability, healed, over, .. } => {
                let row = self.row(caster, ability);
                row[Sum::Healing as usize] += healed;
                row[Sum::Overheal as usize] += over;
                self.fight[caster.index()][1] += healed;
            }
            Event::Refused { who, ability, reason } => {
                self.refusals[who.index() * self.abilities + ability.index()][reason.kind()] += 1;
            }
            Event::Fell { who, .. } => self.fell[who.index()] += 1,
            _ => {}
        }
    }
}
