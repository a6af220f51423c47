//! Ending a study before its time.

use std::sync::atomic::{AtomicBool, Ordering};

/// A flag that ends studies early. Copies share it. What a study knows by then is what it answers, from the first
/// trials on without a gap, so that it is what a shorter study would have said.
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
    /// A flag of its own, which is kept for as long as the program runs.
    #[expect(
        clippy::new_without_default,
        reason = "it keeps some bytes for good, which nobody should ask for by the way"
    )]
    pub fn new() -> Self {
        Self(Box::leak(Box::new(AtomicBool::new(false))))
    }

    /// A flag that is kept elsewhere.
    pub const fn at(flag: &'static AtomicBool) -> Self {
        Self(flag)
    }

    /// Ends every study that has this flag, as soon as the fights under way are over.
    pub fn raise(self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether it has been raised.
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
