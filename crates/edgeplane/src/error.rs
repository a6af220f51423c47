//! What can go wrong, for callers of the library.

use crate::fight::FightError;
use crate::rules::MeasureFault;
use crate::text::{Diagnostic, Sources};

/// Why something could not be done.
#[derive(Clone)]
#[non_exhaustive]
pub enum Error {
    /// The ruleset has errors; they point into the sources.
    Ruleset {
        /// The files.
        sources: Sources,
        /// All independent errors, in the order of the files.
        diagnostics: Vec<Diagnostic>,
    },
    /// A name that the ruleset does not have.
    Unknown {
        /// What was looked for: "encounter".
        what: &'static str,
        /// The name.
        name: String,
        /// The names that there are.
        known: Vec<String>,
    },
    /// A measure that cannot be read.
    Measure {
        /// As it was written.
        text: String,
        /// What is wrong with it.
        fault: MeasureFault,
    },
    /// A path at which nothing stands.
    Path {
        /// The path.
        path: String,
    },
    /// A fight that was kept cannot be gone on with.
    Save {
        /// What differs.
        what: String,
    },
    /// A status that somebody was to have beforehand does not apply to it.
    NotApplied {
        /// The status.
        status: String,
        /// Who.
        to: String,
        /// Why: "immune", "already held".
        reason: String,
    },
    /// A study was stopped before it knew anything.
    Stopped,
    /// A fight could not go on.
    Fight(FightError),
}

/// What it says, and no more: a ruleset's files are not for a log.
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
            Self::Path { path } => write!(f, "nothing stands at `{path}` in the ruleset"),
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
