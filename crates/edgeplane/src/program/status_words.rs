//! The location of optional data of status instances.
//!
//! Each instance has a record of fixed size and as many additional words as its status needs: one that neither ticks
//! nor keeps a value needs none. This keeps the list of records short, so that thousands of fights fit in memory.

/// The number of words for the rhythm of ticks, which come first.
pub(crate) const RHYTHM_WORDS: u16 = 4;

/// The words of an instance of one status, as offsets from the first one.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct StatusWords {
    /// The first value kept from its application, after the rhythm of its ticks if it has one.
    pub(crate) kept: u16,
    /// Its rank, for `reapply = "strongest"`.
    pub(crate) rank: Option<u16>,
    /// When its condition may change without an event, if that is possible.
    pub(crate) turns: Option<u16>,
    /// The number of words.
    pub(crate) count: u16,
}

impl StatusWords {
    /// The layout for a status with or without ticks and a number of kept values.
    pub(crate) fn new(ticks: bool, kept: usize) -> Self {
        let first = if ticks { RHYTHM_WORDS } else { 0 };
        Self { kept: first, count: first + kept as u16, ..Self::default() }
    }

    /// Adds words; returns the first of them.
    pub(crate) fn take(&mut self, count: u16) -> u16 {
        let first = self.count;
        self.count = first.saturating_add(count);
        first
    }
}
