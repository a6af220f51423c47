//! A pool of objects that are expensive to create, such as fights, each used by one thread at a time.

use std::sync::{Mutex, PoisonError};

/// Objects that are not in use.
#[derive(Debug)]
pub(super) struct Idle<T>(Mutex<Vec<T>>);

impl<T> Default for Idle<T> {
    fn default() -> Self {
        Self(Mutex::new(Vec::new()))
    }
}

impl<T> Idle<T> {
    /// Uses an idle object, or creates one.
    pub(super) fn lend<R>(&self, make: impl FnOnce() -> T, work: impl FnOnce(&mut T) -> R) -> R {
        let idle = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let found = idle().pop();
        let mut one = found.unwrap_or_else(make);
        let result = work(&mut one);
        idle().push(one);
        result
    }
}
