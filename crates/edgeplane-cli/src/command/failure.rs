//! Messages and exit codes of commands that fail.

use std::io::Write;

use edgeplane::{Diagnostic, Error, Sources};

use crate::view::{diagnostics, text};

/// Why a command failed: wrong usage or a broken ruleset (exit code 2), or the answer is "no" (exit code 1).
#[derive(Debug)]
pub(crate) enum Failure {
    /// Diagnostics to be drawn.
    Diagnostics(Sources, Vec<Diagnostic>),
    /// A message.
    Message(String),
    /// Already reported.
    Told,
    /// Ctrl-C ended it before there was any result.
    StoppedBefore,
    /// Ctrl-C ended it early; the results so far have been reported.
    Stopped,
    /// The answer is "no", and has been reported: a failed expectation, an unmet goal.
    No,
}

impl Failure {
    pub(crate) fn exit_code(&self) -> u8 {
        match self {
            Self::No => 1,
            // The convention of shells for a process ended by that signal.
            Self::Stopped | Self::StoppedBefore => 130,
            _ => 2,
        }
    }

    pub(crate) fn report(&self) {
        let text = match self {
            Self::Diagnostics(sources, list) => diagnostics::draw(sources, list),
            Self::Message(message) => format!("error: {message}"),
            Self::StoppedBefore => "stopped before anything was known".to_owned(),
            Self::Stopped => "stopped early: these are the figures of the fights finished so far".to_owned(),
            Self::Told | Self::No => return,
        };
        // If even standard error cannot be written, nothing can be done.
        let _ = writeln!(anstream::stderr(), "{}", text::harmless(&text));
    }

    pub(crate) fn writing(what: &std::path::Path, error: &std::io::Error) -> Self {
        Self::Message(format!("cannot write `{}`: {error}", what.display()))
    }
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        match error {
            Error::Stopped => Self::StoppedBefore,
            Error::Ruleset { sources, diagnostics } => Self::Diagnostics(sources, diagnostics),
            Error::Fight(error) => Self::Diagnostics(error.sources().clone(), vec![error.diagnostic().clone()]),
            other => Self::Message(other.to_string()),
        }
    }
}
