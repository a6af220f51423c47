//! Where an instance of a status keeps what not all statuses have.
//!
//! Each instance has a record of fixed size and, beside it, as many words as its status needs: one that neither ticks nor
//! keeps a value takes none. So a list of records stays short, and thousands of fights fit side by side.

/// Words of the rhythm of ticks, which stands first.
pub(crate) const RHYTHM_WORDS: u16 = 4;

/// The words of an instance of one status, by their distance from its first.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct StatusWords {
    /// The first of the values that it keeps from its application, after the rhythm of its ticks if it has one.
    pub(crate) kept: u16,
    /// Its rank, where the stronger of two stays.
    pub(crate) rank: Option<u16>,
    /// When its condition may turn with nothing else happening, where that can be.
    pub(crate) turns: Option<u16>,
    /// How many there are.
    pub(crate) count: u16,
}

impl StatusWords {
    /// Those of a status that ticks, or not, and keeps so many values.
    pub(crate) fn new(ticks: bool, kept: usize) -> Self {
        let first = if ticks { RHYTHM_WORDS } else { 0 };
        Self { kept: first, count: first + kept as u16, ..Self::default() }
    }

    /// So many more; gives the first of them.
    pub(crate) fn take(&mut self, count: u16) -> u16 {
        let first = self.count;
        self.count = first.saturating_add(count);
        first
    }
}
