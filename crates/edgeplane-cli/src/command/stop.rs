//! Ctrl-C: the first one ends a study early with the results so far; the second one exits at once.

use std::sync::Once;
use std::sync::atomic::{AtomicBool, Ordering};

use edgeplane::study::Stop;

use super::Failure;
use crate::view::progress;

static REQUESTED: AtomicBool = AtomicBool::new(false);
static LISTENING: Once = Once::new();

/// The flag that Ctrl-C sets, once it has been requested.
pub(super) fn on_request() -> Stop {
    LISTENING.call_once(|| {
        let listening = ctrlc::set_handler(|| {
            if REQUESTED.swap(true, Ordering::Relaxed) {
                std::process::exit(i32::from(Failure::Stopped.exit_code()));
            }
            progress::say("stopping with the results so far; press again to exit at once");
        });
        if listening.is_err() {
            progress::warn("Ctrl-C cannot be handled here; it ends the command without a result");
        }
    });
    Stop::at(&REQUESTED)
}

pub(super) fn is_requested() -> bool {
    REQUESTED.load(Ordering::Relaxed)
}
