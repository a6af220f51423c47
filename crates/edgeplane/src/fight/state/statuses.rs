//! The statuses of all combatants: a record of fixed size for each instance, found from owner and status in one step,
//! and its next event.
//!
//! Data that only some statuses have is stored beside the records: ticks, kept values and trigger states in `words`,
//! end times of single stacks in `ends`. Nothing is boxed, so a fight is copied as a few flat lists.

use std::cmp::Ordering;

use super::due_tree::DueTree;
use super::record::{Link, MOST, NONE, Record, StatusRef, seconds_left};
use super::stack_ends::StackEnd;
use super::timers::{Due, Phase};
use crate::program::{CombatantId, Held, Layout, Memory, Program, StatusId, StatusPlan, Time};

/// The time of the next event of an instance, and its serial; the earliest is the minimum. There are more of these than
/// records, so they take twelve bytes instead of sixteen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[repr(C, packed(4))]
struct StatusDue {
    due: u64,
    serial: u32,
}

impl StatusDue {
    /// Nothing is due.
    const NOTHING: Self = Self { due: u64::MAX, serial: u32::MAX };
}

impl Ord for StatusDue {
    #[inline(always)]
    fn cmp(&self, other: &Self) -> Ordering {
        let number = |one: &Self| u128::from(one.due) << 64 | u128::from(one.serial);
        number(self).cmp(&number(other))
    }
}

impl PartialOrd for StatusDue {
    #[inline(always)]
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

#[derive(Clone, Debug)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Statuses {
    records: Vec<Record>,
    /// The first free record, and the first ended record that may still trigger something; each links to the next one
    /// where other records link to the next of their owner.
    free: Link,
    leaving: Link,
    /// The next event of each record.
    due: DueTree<StatusDue>,
    pub(super) words: Vec<u64>,
    /// For each status the number of words of an instance, and free blocks of words.
    pub(super) word_counts: Vec<u16>,
    pub(super) free_words: Vec<u32>,
    pub(super) ends: Vec<StackEnd>,
    pub(super) free_ends: u32,
    /// For each combatant, its oldest and its youngest instance.
    held: Vec<(Link, Link)>,
    /// For each combatant and status, the oldest instance.
    same: Vec<Link>,
    next_serial: u32,
    /// The instances with a condition.
    pub(in crate::fight) conditional: Vec<u32>,
}

/// Equal if combatants have the same statuses in the same order, wherever the records are stored.
impl PartialEq for Statuses {
    fn eq(&self, other: &Self) -> bool {
        let bare = |record: &Record| Record {
            words: NONE,
            first_end: Link::NONE,
            next_held: Link::NONE,
            previous_held: Link::NONE,
            next_same: Link::NONE,
            last_same: Link::NONE,
            ..*record
        };
        let alike = |one: u32, two: u32| {
            let words = |all: &Self, index: u32| all.words_of(index).to_vec();
            bare(self.get(one)) == bare(other.get(two))
                && self.ends(one).eq(other.ends(two))
                && words(self, one) == words(other, two)
        };
        self.next_serial == other.next_serial
            && self.held.len() == other.held.len()
            && (0..self.held.len() as u16).map(CombatantId).all(|who| {
                self.of(who).count() == other.of(who).count()
                    && self.of(who).zip(other.of(who)).all(|(one, two)| alike(one, two))
            })
    }
}

impl Statuses {
    pub(in crate::fight) fn new(combatants: usize, program: &Program) -> Self {
        let kinds = program.statuses.len();
        let mut statuses = Self {
            records: Vec::new(),
            free: Link::NONE,
            leaving: Link::NONE,
            due: DueTree::new(0, StatusDue::NOTHING),
            words: Vec::new(),
            word_counts: program.statuses.iter().map(|plan| plan.words.count).collect(),
            free_words: vec![NONE; kinds],
            ends: Vec::new(),
            free_ends: NONE,
            held: vec![(Link::NONE, Link::NONE); combatants],
            same: vec![Link::NONE; combatants * kinds],
            next_serial: 0,
            conditional: Vec::new(),
        };
        statuses.grow();
        statuses
    }

    pub(in crate::fight) fn copy_from(&mut self, other: &Self) {
        self.records.clone_from(&other.records);
        (self.free, self.leaving) = (other.free, other.leaving);
        self.due.copy_from(&other.due);
        self.words.clone_from(&other.words);
        self.word_counts.clone_from(&other.word_counts);
        self.free_words.clone_from(&other.free_words);
        self.ends.clone_from(&other.ends);
        self.free_ends = other.free_ends;
        self.held.clone_from(&other.held);
        self.same.clone_from(&other.same);
        self.next_serial = other.next_serial;
        self.conditional.clone_from(&other.conditional);
    }

    /// The number of records, including free ones.
    pub(in crate::fight) fn records(&self) -> usize {
        self.records.len()
    }

    /// The serial of the next instance.
    pub(in crate::fight) fn continue_at(&mut self, serial: u32) {
        self.next_serial = serial;
    }

    /// Continues with serials after all those of another fight.
    pub(in crate::fight) fn continue_serials_after(&mut self, other: &Self) {
        self.next_serial = other.next_serial;
    }

    /// The number of combatants.
    pub(in crate::fight) fn combatants(&self) -> usize {
        self.held.len()
    }

    /// Adds combatants without statuses.
    pub(in crate::fight) fn make_room(&mut self, combatants: usize) {
        self.held.resize(combatants, (Link::NONE, Link::NONE));
        self.same.resize(combatants * self.free_words.len(), Link::NONE);
    }

    /// Whether a combatant has applied any instance that still exists.
    pub(in crate::fight) fn is_of(&self, caster: CombatantId) -> bool {
        self.records.iter().any(|record| record.is_attached() && record.caster == caster)
    }

    pub(in crate::fight) fn bytes(&self) -> usize {
        size_of_val(self.records.as_slice())
            + self.due.bytes()
            + size_of_val(self.words.as_slice())
            + size_of_val(self.word_counts.as_slice())
            + size_of_val(self.free_words.as_slice())
            + size_of_val(self.ends.as_slice())
            + size_of_val(self.held.as_slice())
            + size_of_val(self.same.as_slice())
            + size_of_val(self.conditional.as_slice())
    }

    /// Removes all statuses.
    pub(in crate::fight) fn reset(&mut self) {
        if self.next_serial == 0 {
            return;
        }
        self.records.clear();
        (self.free, self.leaving) = (Link::NONE, Link::NONE);
        self.due.clear(StatusDue::NOTHING);
        self.words.clear();
        self.free_words.fill(NONE);
        self.ends.clear();
        self.free_ends = NONE;
        self.held.fill((Link::NONE, Link::NONE));
        self.same.fill(Link::NONE);
        self.next_serial = 0;
        self.conditional.clear();
    }

    #[inline]
    pub(in crate::fight) fn get(&self, index: u32) -> &Record {
        &self.records[index as usize]
    }

    #[inline]
    pub(in crate::fight) fn get_mut(&mut self, index: u32) -> &mut Record {
        &mut self.records[index as usize]
    }

    /// The record of an instance, if its owner still has it.
    #[inline]
    pub(in crate::fight) fn find(&self, instance: StatusRef) -> Option<u32> {
        let record = self.records.get(instance.index as usize)?;
        (record.serial == instance.serial && record.is_attached()).then_some(instance.index)
    }

    /// The same, including ended instances that may still trigger something.
    pub(in crate::fight) fn find_any(&self, instance: StatusRef) -> Option<u32> {
        let record = self.records.get(instance.index as usize)?;
        (record.serial == instance.serial).then_some(instance.index)
    }

    pub(in crate::fight) fn reference(&self, index: u32) -> StatusRef {
        StatusRef { index, serial: self.get(index).serial }
    }

    /// The instances of a combatant, in order of application.
    #[inline]
    pub(in crate::fight) fn of(&self, who: CombatantId) -> impl Iterator<Item = u32> {
        let mut next = self.held[who.index()].0;
        std::iter::from_fn(move || {
            let index = next;
            next = self.records.get(index.at())?.next_held;
            Some(index.index())
        })
    }

    /// The instances of a combatant, the latest first.
    pub(in crate::fight) fn latest_of(&self, who: CombatantId) -> impl Iterator<Item = u32> {
        let mut next = self.held[who.index()].1;
        std::iter::from_fn(move || {
            let index = next;
            next = self.records.get(index.at())?.previous_held;
            Some(index.index())
        })
    }

    pub(in crate::fight) fn first_of(&self, who: CombatantId) -> Option<u32> {
        Some(self.held[who.index()].0.index()).filter(|index| *index != NONE)
    }

    /// The instances of one status on a combatant, the oldest first.
    #[inline]
    pub(in crate::fight) fn of_kind(&self, who: CombatantId, status: StatusId) -> impl Iterator<Item = u32> {
        let mut next = self.same[self.pair(who, status)];
        std::iter::from_fn(move || {
            let index = next;
            next = self.records.get(index.at())?.next_same;
            Some(index.index())
        })
    }

    /// The next younger instance of the same status on the same combatant.
    pub(in crate::fight) fn next_of_kind(&self, index: u32) -> Option<u32> {
        Some(self.get(index).next_same.index()).filter(|next| *next != NONE)
    }

    #[inline]
    pub(in crate::fight) fn oldest(&self, who: CombatantId, status: StatusId) -> Option<u32> {
        Some(self.same[self.pair(who, status)].index()).filter(|index| *index != NONE)
    }

    /// The total number of stacks of a status on a combatant.
    #[inline]
    pub(in crate::fight) fn stacks(&self, who: CombatantId, status: StatusId) -> u32 {
        self.of_kind(who, status).map(|index| self.get(index).stacks).sum()
    }

    /// The number of instances with a tag on a combatant.
    pub(in crate::fight) fn with_tag(&self, program: &Program, who: CombatantId, tag: u16) -> usize {
        self.of(who).filter(|index| program.status(self.get(*index).status).tag_ids.contains(&tag)).count()
    }

    #[inline]
    fn pair(&self, who: CombatantId, status: StatusId) -> usize {
        who.index() * self.free_words.len() + status.index()
    }

    /// Whether the maximum number of instances is reached.
    pub(in crate::fight) fn is_full(&self) -> bool {
        self.free == Link::NONE && self.records.len() >= MOST
    }

    /// Adds an instance to its owner; there has to be room for it.
    pub(in crate::fight) fn add(&mut self, record: Record, plan: &StatusPlan) -> u32 {
        let index = match self.free {
            Link::NONE => {
                if self.records.len() == self.records.capacity() {
                    // Growth by a quarter instead of doubling, because thousands of fights may be in memory.
                    self.records.reserve_exact(4 + self.records.len() / 4);
                }
                self.records.push(Record::default());
                if self.records.len() > self.due.room() {
                    self.grow();
                }
                (self.records.len() - 1) as u32
            }
            free => {
                self.free = self.get(free.index()).next_held;
                free.index()
            }
        };
        let words = self.take_words(record.status, plan);
        let (owner, pair) = (record.owner, self.pair(record.owner, record.status));
        let (last, link) = (self.held[owner.index()].1, Link::to(index));
        *self.get_mut(index) = Record {
            serial: self.next_serial,
            words,
            first_end: Link::NONE,
            next_held: Link::NONE,
            previous_held: last,
            next_same: Link::NONE,
            last_same: link,
            ..record
        };
        self.get_mut(index).set_attached(true);
        self.next_serial += 1;
        match last {
            Link::NONE => self.held[owner.index()].0 = link,
            last => self.get_mut(last.index()).next_held = link,
        }
        self.held[owner.index()].1 = link;
        match self.same[pair] {
            Link::NONE => self.same[pair] = link,
            oldest => {
                let youngest = std::mem::replace(&mut self.get_mut(oldest.index()).last_same, link);
                self.get_mut(youngest.index()).next_same = link;
            }
        }
        index
    }

    /// Removes an instance from its owner. It can still be read until [`Statuses::forget`].
    pub(in crate::fight) fn detach(&mut self, index: u32) {
        let Record { owner, status, next_held, previous_held, next_same, last_same, .. } = *self.get(index);
        match previous_held {
            Link::NONE => self.held[owner.index()].0 = next_held,
            previous => self.get_mut(previous.index()).next_held = next_held,
        }
        match next_held {
            Link::NONE => self.held[owner.index()].1 = previous_held,
            next => self.get_mut(next.index()).previous_held = previous_held,
        }
        let (pair, link) = (self.pair(owner, status), Link::to(index));
        if self.same[pair] == link {
            self.same[pair] = next_same;
            if next_same != Link::NONE {
                self.get_mut(next_same.index()).last_same = last_same;
            }
        } else {
            let before = self.of_kind(owner, status).find(|other| self.get(*other).next_same == link);
            if let Some(before) = before {
                self.get_mut(before).next_same = next_same;
                let oldest = self.same[pair].index();
                if self.get(oldest).last_same == link {
                    self.get_mut(oldest).last_same = Link::to(before);
                }
            }
        }
        self.get_mut(index).set_attached(false);
        self.set_due(index, Due::NOTHING);
        self.get_mut(index).next_held = self.leaving;
        self.leaving = link;
    }

    /// Frees the ended instances.
    pub(in crate::fight) fn forget(&mut self) {
        while self.leaving != Link::NONE {
            let (link, index) = (self.leaving, self.leaving.index());
            self.leaving = self.get(index).next_held;
            self.cut_ends(index, u32::MAX);
            self.free_words(index);
            let next = std::mem::replace(&mut self.free, link);
            let record = self.get_mut(index);
            (record.serial, record.next_held) = (NONE, next);
        }
    }

    pub(in crate::fight) fn any_leaving(&self) -> bool {
        self.leaving != Link::NONE
    }

    /// Determines the next event of an instance and sets its timer.
    pub(in crate::fight) fn schedule(&mut self, index: u32, plan: &StatusPlan, rank: u32, now: Time) {
        let record = self.get(index);
        let mut at = (self.next_end(index).max(now), Phase::Expire);
        if plan.every.is_some() {
            let rhythm = self.rhythm(index, plan);
            if let Some(tick) = rhythm.next_tick(record) {
                at = at.min((tick, Phase::Tick));
            } else if let Some((end, _)) = rhythm.part_tick(record, plan) {
                at = at.min((end.max(now), Phase::Tick));
            }
        }
        if let Some(warn) = plan.warn.filter(|_| !record.is_warned() && record.end() < Time::NEVER) {
            at = at.min(((record.ends - warn).max(now), Phase::Tick));
        }
        at = at.min((self.turns(index, plan), Phase::Expire));
        let due = Due::new(at.0, at.1, rank, record.owner);
        self.set_due(index, due);
    }

    fn set_due(&mut self, index: u32, due: Due) {
        let (due, serial) = (due.bits(), self.get(index).serial);
        self.due.set(index as usize, if due == u64::MAX { StatusDue::NOTHING } else { StatusDue { due, serial } });
    }

    fn grow(&mut self) {
        let before = std::mem::replace(&mut self.due, DueTree::new(self.records.capacity(), StatusDue::NOTHING));
        for index in 0..before.room() {
            self.due.set(index, before.get(index));
        }
    }

    /// The time of the next event of an instance.
    #[inline]
    pub(in crate::fight) fn next(&self) -> Due {
        Due::of_bits(self.due.least().due)
    }

    /// The instance with the next event.
    #[inline]
    pub(in crate::fight) fn next_one(&self) -> u32 {
        self.due.first(|one| one.serial) as u32
    }

    /// Stores the stacks and tag counts of an instance where formulas read them.
    pub(in crate::fight) fn load(&self, index: u32, program: &Program, numbers: &mut Memory, now: Time) {
        let record = self.get(index);
        let plan = program.status(record.status);
        let rhythm = self.rhythm(index, plan);
        numbers.set_local(Layout::STACKS, f64::from(record.stacks));
        numbers.set_local(Layout::TICK, f64::from(rhythm.made));
        numbers.set_local(Layout::TICKS, rhythm.ticks);
        numbers.set_local(Layout::ELAPSED, (now - record.started).seconds());
        numbers.set_local(Layout::REMAINING, seconds_left(record.end(), now));
        for number in 0..plan.kept.len() {
            numbers.set_local(Layout::KEPT + number as u16, self.kept(index, plan, number));
        }
    }
}

/// The statuses of one combatant at a given time.
pub(in crate::fight) struct HeldBy<'a> {
    pub(in crate::fight) statuses: &'a Statuses,
    pub(in crate::fight) program: &'a Program,
    pub(in crate::fight) who: CombatantId,
    pub(in crate::fight) now: Time,
}

impl Held for HeldBy<'_> {
    fn first(&self, status: StatusId) -> Option<u32> {
        self.statuses.oldest(self.who, status)
    }

    fn next(&self, instance: u32) -> Option<u32> {
        self.statuses.next_of_kind(instance)
    }

    fn serial(&self, instance: u32) -> u32 {
        self.statuses.get(instance).serial
    }

    fn load(&self, instance: u32, numbers: &mut Memory) {
        self.statuses.load(instance, self.program, numbers, self.now);
    }
}
