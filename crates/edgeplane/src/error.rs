//! Errors for callers of the library.

use crate::fight::FightError;
use crate::rules::MeasureFault;
use crate::text::{Diagnostic, Sources};

/// The reason why an operation failed.
#[derive(Clone)]
#[non_exhaustive]
pub enum Error {
    /// The ruleset has errors, which refer to the sources.
    Ruleset {
        /// The files.
        sources: Sources,
        /// All independent errors, in the order of the files.
        diagnostics: Vec<Diagnostic>,
    },
    /// An unknown name.
    Unknown {
        /// The kind of rule: "encounter".
        what: &'static str,
        /// The name.
        name: String,
        /// The known names.
        known: Vec<String>,
    },
    /// An invalid measure.
    Measure {
        /// As written.
        text: String,
        /// What is wrong with it.
        fault: MeasureFault,
    },
    /// A path without a value.
    Path {
        /// The path.
        path: String,
    },
    /// A saved fight cannot be continued.
    Save {
        /// The difference.
        what: String,
    },
    /// An initial status does not apply to a combatant.
    NotApplied {
        /// The status.
        status: String,
        /// The combatant.
        to: String,
        /// The reason: "immune", "already held".
        reason: String,
    },
    /// A study was stopped before it had any result.
    Stopped,
    /// A fight failed.
    Fight(FightError),
}

/// Only the message: the files of a ruleset do not belong in a log.
impl std::fmt::Debug for Error {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let kind = match self {
            Self::Ruleset { .. } => "Ruleset",
            Self::Unknown { .. } => "Unknown",
            Self::Measure { .. } => "Measure",
            Self::Path { .. } => "Path",
            Self::Save { .. } => "Save",
            Self::NotApplied { .. } => "NotApplied",
            Self::Stopped => "Stopped",
            Self::Fight(_) => "Fight",
        };
        write!(f, "{kind}({:?})", self.to_string())
    }
}

impl From<FightError> for Error {
    fn from(error: FightError) -> Self {
        Self::Fight(error)
    }
}

impl std::fmt::Display for Error {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Ruleset { sources, diagnostics } => {
                let lines: Vec<String> = diagnostics.iter().map(|diagnostic| diagnostic.line(sources)).collect();
                f.write_str(&lines.join("\n"))
            }
            Self::Unknown { what, name, known } => {
                write!(f, "no {what} is called `{name}`")?;
                let known: Vec<&str> = known.iter().map(String::as_str).collect();
                match crate::text::diagnostic::suggestion(name, &known) {
                    _ if known.is_empty() => f.write_str("; there is none"),
                    Some(help) => write!(f, "; {help}"),
                    None => write!(f, "; there are {}", crate::text::diagnostic::listed(&known)),
                }
            }
            Self::Measure { text, fault } => {
                write!(f, "in `{text}`: {}", fault.message)?;
                fault.help.as_ref().map_or(Ok(()), |help| write!(f, "; {help}"))
            }
            Self::Save { what } => write!(f, "this save cannot be loaded: {what}"),
            Self::NotApplied { status, to, reason } => write!(f, "`{status}` does not apply to `{to}`: {reason}"),
            Self::Stopped => f.write_str("stopped before anything was known"),
            Self::Path { path } => write!(f, "the ruleset gives no value at `{path}` that could be multiplied"),
            Self::Fight(error) => error.fmt(f),
        }
    }
}

impl std::error::Error for Error {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        match self {
            Self::Fight(error) => Some(error),
            Self::Ruleset { .. }
            | Self::Unknown { .. }
            | Self::Measure { .. }
            | Self::Path { .. }
            | Self::Save { .. }
            | Self::NotApplied { .. }
            | Self::Stopped => None,
        }
    }
}
