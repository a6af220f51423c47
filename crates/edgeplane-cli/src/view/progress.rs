//! A progress bar on standard error, for work that takes longer than a second.

use std::fmt;
use std::io::{IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressState, ProgressStyle};

const PATIENCE: Duration = Duration::from_secs(1);

pub(crate) struct Bar {
    bar: ProgressBar,
    started: Instant,
    is_shown: AtomicBool,
}

/// `6.8/s`, and without decimals from ten on.
fn rate(state: &ProgressState, out: &mut dyn fmt::Write) {
    let digits = usize::from(state.per_sec() < 10.0);
    // Errors in writing the bar are ignored.
    let _ = write!(out, "{:.digits$}/s", state.per_sec());
}

impl Bar {
    pub(crate) fn new(length: u64, what: &str) -> Self {
        let bar = ProgressBar::with_draw_target(Some(length), ProgressDrawTarget::hidden());
        let template = format!("{{bar:30}} {{human_pos}} of {{human_len}} {what}, {{rate}}, {{eta}} left");
        if let Ok(style) = ProgressStyle::with_template(&template) {
            bar.set_style(style.with_key("rate", rate));
        }
        Self { bar, started: Instant::now(), is_shown: AtomicBool::new(false) }
    }

    /// Advances the bar; it is not shown before the work has taken long enough.
    pub(crate) fn at(&self, done: u64) {
        let is_due = || self.started.elapsed() > PATIENCE && std::io::stderr().is_terminal();
        // Only once: a new target would not know what the previous one has drawn, and would leave it there.
        if !self.is_shown.load(Ordering::Relaxed) && is_due() && !self.is_shown.swap(true, Ordering::Relaxed) {
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        self.bar.set_position(self.bar.position().max(done));
    }

    /// The same if the length becomes known only on the way.
    pub(crate) fn at_of(&self, done: u64, length: u64) {
        self.bar.set_length(length);
        self.at(done);
    }

    pub(crate) fn finish(&self) {
        self.bar.finish_and_clear();
    }
}

/// For work of unknown length.
pub(crate) struct Spinner(Bar);

impl Spinner {
    pub(crate) fn new(what: &str) -> Self {
        let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template(&format!("{{spinner}} {{human_pos}} {what}, {{rate}}")) {
            bar.set_style(style.with_key("rate", rate));
        }
        Self(Bar { bar, started: Instant::now(), is_shown: AtomicBool::new(false) })
    }

    pub(crate) fn at(&self, done: u64) {
        self.0.at(done);
    }

    pub(crate) fn finish(&self) {
        self.0.finish();
    }
}

/// A note about the answer that is not part of it.
pub(crate) fn warn(text: &str) {
    let _ = writeln!(anstream::stderr(), "{}", super::text::bold(&super::text::harmless(text)));
}

/// Messages on standard error, shown only on a terminal.
pub(crate) fn say(text: &str) {
    if std::io::stderr().is_terminal() {
        // Errors in writing messages are ignored.
        let _ = writeln!(anstream::stderr(), "{}", super::text::dim(text));
    }
}
