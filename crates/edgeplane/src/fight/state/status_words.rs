//! Optional data of an instance beside its record: the rhythm of its ticks, values kept from its application, and the
//! state of its triggers. See [`StatusWords`](crate::program::status_words::StatusWords).

use super::record::{NONE, Rhythm};
use super::statuses::Statuses;
use crate::program::{StatusId, StatusPlan, Time};

impl Statuses {
    /// All words of an instance.
    pub(super) fn words_of(&self, index: u32) -> &[u64] {
        let record = self.get(index);
        let first = record.words as usize;
        self.words.get(first..first + usize::from(self.word_counts[record.status.index()])).unwrap_or_default()
    }

    /// Allocates the words of a new instance, initially without ticks and without a change of its condition.
    pub(super) fn take_words(&mut self, status: StatusId, plan: &StatusPlan) -> u32 {
        let count = usize::from(plan.words.count);
        if count == 0 {
            return NONE;
        }
        let free = self.free_words[status.index()];
        let first = if free == NONE {
            let first = self.words.len();
            // Growth by an eighth instead of doubling, because thousands of fights may be in memory.
            if self.words.capacity() < first + count {
                self.words.reserve_exact(count + first / 8);
            }
            self.words.resize(first + count, 0);
            first as u32
        } else {
            self.free_words[status.index()] = self.words[free as usize] as u32;
            self.words[free as usize..free as usize + count].fill(0);
            free
        };
        if let Some(turns) = plan.words.turns {
            self.words[first as usize + usize::from(turns)] = Time::NEVER.0;
        }
        first
    }

    /// Frees them for the next instance of the same status.
    pub(super) fn free_words(&mut self, index: u32) {
        let (status, words) = (self.get(index).status, self.get(index).words);
        if words != NONE {
            self.words[words as usize] = u64::from(std::mem::replace(&mut self.free_words[status.index()], words));
        }
    }

    #[inline]
    fn word(&self, index: u32, word: u16) -> usize {
        self.get(index).words as usize + usize::from(word)
    }

    /// The ticks of an instance, or default values if it has none.
    #[inline]
    pub(in crate::fight) fn rhythm(&self, index: u32, plan: &StatusPlan) -> Rhythm {
        if plan.every.is_none() {
            return Rhythm::default();
        }
        self.words
            .get(self.word(index, 0)..)
            .and_then(<[u64]>::first_chunk)
            .map_or(Rhythm::default(), Rhythm::from_words)
    }

    /// Changes the ticks of an instance, if it has any.
    #[inline]
    pub(in crate::fight) fn set_rhythm(&mut self, index: u32, plan: &StatusPlan, change: impl FnOnce(&mut Rhythm)) {
        if plan.every.is_none() {
            return;
        }
        let first = self.word(index, 0);
        if let Some(words) = self.words.get_mut(first..).and_then(<[u64]>::first_chunk_mut) {
            let mut rhythm = Rhythm::from_words(words);
            change(&mut rhythm);
            *words = rhythm.words();
        }
    }

    /// A value that an instance keeps from its application.
    #[inline]
    pub(in crate::fight) fn kept(&self, index: u32, plan: &StatusPlan, number: usize) -> f64 {
        f64::from_bits(self.words[self.word(index, plan.words.kept) + number])
    }

    pub(in crate::fight) fn keep(&mut self, index: u32, plan: &StatusPlan, number: usize, value: f64) {
        let at = self.word(index, plan.words.kept) + number;
        self.words[at] = value.to_bits();
    }

    /// When a trigger of an instance is ready again, and its remaining uses.
    pub(in crate::fight) fn trigger(&self, index: u32, plan: &StatusPlan, number: usize) -> (Time, u32) {
        let Some(word) = plan.triggers[number].words else { return (Time::ZERO, u32::MAX) };
        let at = self.word(index, word);
        (Time(self.words[at]), self.words[at + 1] as u32)
    }

    pub(in crate::fight) fn set_trigger(
        &mut self,
        index: u32,
        plan: &StatusPlan,
        number: usize,
        ready: Time,
        left: u32,
    ) {
        let Some(word) = plan.triggers[number].words else { return };
        let at = self.word(index, word);
        (self.words[at], self.words[at + 1]) = (ready.0, u64::from(left));
    }

    /// The rank of an instance of a status with `reapply = "strongest"`.
    pub(in crate::fight) fn rank(&self, index: u32, plan: &StatusPlan) -> f64 {
        plan.words.rank.map_or(0.0, |word| f64::from_bits(self.words[self.word(index, word)]))
    }

    pub(in crate::fight) fn set_rank(&mut self, index: u32, plan: &StatusPlan, rank: f64) {
        if let Some(word) = plan.words.rank {
            let at = self.word(index, word);
            self.words[at] = rank.to_bits();
        }
    }

    /// The earliest time at which the condition of an instance may change without an event.
    #[inline]
    pub(in crate::fight) fn turns(&self, index: u32, plan: &StatusPlan) -> Time {
        plan.words.turns.map_or(Time::NEVER, |word| Time(self.words[self.word(index, word)]))
    }

    pub(in crate::fight) fn set_turns(&mut self, index: u32, plan: &StatusPlan, turns: Time) {
        if let Some(word) = plan.words.turns {
            let at = self.word(index, word);
            self.words[at] = turns.0;
        }
    }
}
