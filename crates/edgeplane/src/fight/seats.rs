//! One thing for each combatant, or for each of anything of which there are few.

use std::ops::{Index, IndexMut};

use crate::program::CombatantId;

/// More than can fight in one encounter.
const MOST: usize = 1024;

/// A list with room for the most that can fight, so that a combatant's number need never be checked
/// against its length: the engine looks combatants up some fifty times for each hit.
#[derive(Debug)]
pub(super) struct Seats<T, const ROOM: usize = MOST> {
    seats: Box<[T; ROOM]>,
    taken: usize,
}

impl<T: Clone, const ROOM: usize> Seats<T, ROOM> {
    /// So many seats, all alike.
    pub(super) fn of(taken: usize, each: T) -> Self {
        let Ok(seats) = vec![each; ROOM].try_into() else { unreachable!("as many as there is room for") };
        Self { seats, taken: taken.min(ROOM) }
    }

    /// A seat for each of a list, as far as there is room.
    pub(super) fn filled(list: &[T], nobody: T) -> Self {
        let mut seats = Self::of(list.len(), nobody);
        for (seat, one) in seats.all_mut().iter_mut().zip(list) {
            *seat = one.clone();
        }
        seats
    }
}

impl<T, const ROOM: usize> Seats<T, ROOM> {
    /// Takes one more seat, if there is one.
    pub(super) fn push(&mut self, one: T) -> Option<()> {
        *self.seats.get_mut(self.taken)? = one;
        self.taken += 1;
        Some(())
    }

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

impl<T, const ROOM: usize> Index<CombatantId> for Seats<T, ROOM> {
    type Output = T;

    #[inline(always)]
    fn index(&self, who: CombatantId) -> &T {
        &self.seats[usize::from(who.0) % ROOM]
    }
}

impl<T, const ROOM: usize> IndexMut<CombatantId> for Seats<T, ROOM> {
    #[inline(always)]
    fn index_mut(&mut self, who: CombatantId) -> &mut T {
        &mut self.seats[usize::from(who.0) % ROOM]
    }
}

impl<T, const ROOM: usize> Index<usize> for Seats<T, ROOM> {
    type Output = T;

    #[inline(always)]
    fn index(&self, place: usize) -> &T {
        &self.seats[place % ROOM]
    }
}

impl<T: Clone, const ROOM: usize> Clone for Seats<T, ROOM> {
    fn clone(&self) -> Self {
        Self { seats: self.seats.clone(), taken: self.taken }
    }

    /// Copies no more than what is taken.
    fn clone_from(&mut self, other: &Self) {
        self.taken = other.taken;
        self.all_mut().clone_from_slice(other.all());
    }
}

impl<T: PartialEq, const ROOM: usize> PartialEq for Seats<T, ROOM> {
    fn eq(&self, other: &Self) -> bool {
        self.all() == other.all()
    }
}
