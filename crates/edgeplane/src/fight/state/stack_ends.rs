//! Stacks with individual end times: for each instance a list of end times, the earliest first.

use super::record::{Link, MOST, NONE};
use super::statuses::Statuses;
use crate::program::Time;

/// The end time of one stack, and the stack that ends next.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct StackEnd {
    ends: Time,
    next: u32,
}

impl Statuses {
    /// Whether the stacks of an instance end individually.
    pub(in crate::fight) fn ends_apart(&self, index: u32) -> bool {
        self.get(index).first_end != Link::NONE
    }

    /// The end times of its stacks, the earliest first.
    pub(in crate::fight) fn ends(&self, index: u32) -> impl Iterator<Item = Time> {
        let mut next = self.get(index).first_end.index();
        std::iter::from_fn(move || {
            let end = self.ends.get(next as usize)?;
            next = end.next;
            Some(end.ends)
        })
    }

    /// The end of the first of its stacks or, if they end together, of all.
    #[inline]
    pub(in crate::fight) fn next_end(&self, index: u32) -> Time {
        let record = self.get(index);
        match self.ends.get(record.first_end.at()) {
            _ if record.is_held() => Time::NEVER,
            Some(first) => first.ends,
            None => record.ends,
        }
    }

    /// Adds stacks with a given end time, up to a maximum of stacks; beyond it, the stack that would end first is
    /// renewed. Returns whether all of them could be stored.
    pub(in crate::fight) fn add_ends(&mut self, index: u32, more: u32, most: u32, ends: Time) -> bool {
        let mut has_room = true;
        let mut count = self.ends(index).count() as u32;
        // Each is inserted after the previous one.
        let mut before = NONE;
        for _ in 0..more.min(most) {
            if count >= most {
                if self.get(index).first_end.index() == before {
                    before = NONE;
                }
                self.cut_ends(index, 1);
                count -= 1;
            }
            has_room = self.free_ends != NONE || self.ends.len() < MOST;
            if !has_room {
                break;
            }
            before = self.insert_end(index, ends, before);
            count += 1;
        }
        self.count_ends(index);
        has_room
    }

    /// Inserts one stack after those that end no later, starting at a known one if given; returns its position.
    fn insert_end(&mut self, index: u32, ends: Time, mut before: u32) -> u32 {
        let place = match self.free_ends {
            NONE => {
                if self.ends.len() == self.ends.capacity() {
                    self.ends.reserve_exact(4 + self.ends.len() / 4);
                }
                self.ends.push(StackEnd { ends, next: NONE });
                (self.ends.len() - 1) as u32
            }
            free => {
                self.free_ends = self.ends[free as usize].next;
                free
            }
        };
        let mut after = match self.ends.get(before as usize) {
            Some(known) => known.next,
            None => self.get(index).first_end.index(),
        };
        while let Some(other) = self.ends.get(after as usize).filter(|other| other.ends <= ends) {
            (before, after) = (after, other.next);
        }
        self.ends[place as usize] = StackEnd { ends, next: after };
        match before {
            NONE => self.get_mut(index).first_end = Link::to(place),
            before => self.ends[before as usize].next = place,
        }
        place
    }

    /// Removes a number of stacks, those that end first.
    pub(in crate::fight) fn cut_ends(&mut self, index: u32, count: u32) {
        for _ in 0..count {
            let first = self.get(index).first_end.index();
            let Some(end) = self.ends.get(first as usize).copied() else { return };
            self.get_mut(index).first_end = Link::to(end.next);
            self.ends[first as usize].next = std::mem::replace(&mut self.free_ends, first);
        }
    }

    /// Removes the stacks that have ended.
    pub(in crate::fight) fn cut_ended(&mut self, index: u32, now: Time) {
        let ended = self.ends(index).take_while(|end| *end <= now).count();
        self.cut_ends(index, ended as u32);
        self.count_ends(index);
    }

    /// Moves the end times of all its stacks.
    pub(in crate::fight) fn move_ends(&mut self, index: u32, moved: impl Fn(Time) -> Time) {
        let mut next = self.get(index).first_end.index();
        while let Some(end) = self.ends.get_mut(next as usize) {
            end.ends = moved(end.ends);
            next = end.next;
        }
        let record = self.get_mut(index);
        record.ends = moved(record.ends);
    }

    /// Updates the stacks and the end of an instance from its list of end times.
    pub(in crate::fight) fn count_ends(&mut self, index: u32) {
        let (mut stacks, mut last) = (0, None);
        for end in self.ends(index) {
            (stacks, last) = (stacks + 1, Some(end));
        }
        let record = self.get_mut(index);
        record.stacks = stacks;
        record.ends = last.unwrap_or(record.ends);
    }
}
