//! Things that are dear to make and that one thread at a time works with, such as fights: made only when none is idle.

use std::sync::{Mutex, PoisonError};

/// Things that nobody works with at the moment.
#[derive(Debug)]
pub(super) struct Idle<T>(Mutex<Vec<T>>);

impl<T> Default for Idle<T> {
    fn default() -> Self {
        Self(Mutex::new(Vec::new()))
    }
}

impl<T> Idle<T> {
    /// Works with an idle one, or else with a new one.
    pub(super) fn lend<R>(&self, make: impl FnOnce() -> T, work: impl FnOnce(&mut T) -> R) -> R {
        let idle = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let found = idle().pop();
        let mut one = found.unwrap_or_else(make);
        let result = work(&mut one);
        idle().push(one);
        result
    }
}
