//! One thing for each combatant.

use std::ops::{Index, IndexMut};

use crate::program::CombatantId;

/// More than can fight in one encounter.
const ROOM: usize = 1024;

/// A list with room for the most that can fight, so that a combatant's number need never be checked
/// against its length: the engine looks combatants up some fifty times for each hit.
#[derive(Debug)]
pub(super) struct Seats<T> {
    seats: Box<[T; ROOM]>,
    taken: usize,
}

impl<T: Clone> Seats<T> {
    /// So many seats, all alike.
    pub(super) fn of(taken: usize, each: T) -> Self {
        let Ok(seats) = vec![each; ROOM].try_into() else { unreachable!("as many as there is room for") };
        Self { seats, taken: taken.min(ROOM) }
    }
}

impl<T> Seats<T> {
    #[inline(always)]
    pub(super) fn len(&self) -> usize {
        self.taken
    }

    #[inline(always)]
    pub(super) fn all(&self) -> &[T] {
        self.seats.get(..self.taken).unwrap_or_default()
    }

    #[inline(always)]
    pub(super) fn all_mut(&mut self) -> &mut [T] {
        self.seats.get_mut(..self.taken).unwrap_or_default()
    }
}

impl<T> Index<CombatantId> for Seats<T> {
    type Output = T;

    #[inline(always)]
    fn index(&self, who: CombatantId) -> &T {
        &self.seats[usize::from(who.0) % ROOM]
    }
}

impl<T> IndexMut<CombatantId> for Seats<T> {
    #[inline(always)]
    fn index_mut(&mut self, who: CombatantId) -> &mut T {
        &mut self.seats[usize::from(who.0) % ROOM]
    }
}

impl<T: Clone> Clone for Seats<T> {
    fn clone(&self) -> Self {
        Self { seats: self.seats.clone(), taken: self.taken }
    }

    /// Copies no more than what is taken.
    fn clone_from(&mut self, other: &Self) {
        self.taken = other.taken;
        self.all_mut().clone_from_slice(other.all());
    }
}

impl<T: PartialEq> PartialEq for Seats<T> {
    fn eq(&self, other: &Self) -> bool {
        self.all() == other.all()
    }
}
