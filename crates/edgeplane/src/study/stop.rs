//! Stopping a study early.

use std::sync::atomic::{AtomicBool, Ordering};

/// A flag that stops studies early; copies share it. A stopped study reports the results of its first trials without a
/// gap, so it equals a shorter study.
///
/// ```
/// use edgeplane::study::Stop;
/// use edgeplane::{Error, Game, TrialsPlan};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let stop = Stop::new();
/// stop.raise();
/// let plan = TrialsPlan { stop: Some(stop), ..TrialsPlan::default() };
/// assert!(matches!(game.trials("duel", &plan), Err(Error::Stopped)), "nothing is known yet");
/// # Ok::<(), edgeplane::Error>(())
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Stop(&'static AtomicBool);

impl Stop {
    /// A new flag, which exists for as long as the program runs.
    #[expect(
        clippy::new_without_default,
        reason = "it keeps some bytes for good, which nobody should ask for by the way"
    )]
    pub fn new() -> Self {
        Self(Box::leak(Box::new(AtomicBool::new(false))))
    }

    /// A flag stored elsewhere.
    pub const fn at(flag: &'static AtomicBool) -> Self {
        Self(flag)
    }

    /// Stops every study with this flag as soon as the current fights are over.
    pub fn raise(self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether it is set.
    pub fn is_raised(self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// Equal if they are the same flag.
impl PartialEq for Stop {
    fn eq(&self, other: &Self) -> bool {
        std::ptr::eq(self.0, other.0)
    }
}

impl Eq for Stop {}
