//! What can go wrong, for callers of the library.

use crate::fight::FightError;
use crate::program::Setup;
use crate::rules::MeasureFault;
use crate::text::{Diagnostic, Sources};

/// Why something could not be done.
#[derive(Clone, Debug)]
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
    /// A study was stopped before it knew anything.
    Stopped,
    /// A fight could not go on.
    Fight {
        /// What happened, with the moment.
        message: String,
        /// The same with its place in the ruleset.
        diagnostic: Box<Diagnostic>,
    },
}

impl Error {
    /// A fight's error, told with the names of its setup.
    pub fn of_fight(error: &FightError, setup: &Setup) -> Self {
        let diagnostic = error.diagnostic(setup);
        Self::Fight { message: diagnostic.message.clone(), diagnostic: Box::new(diagnostic) }
    }
}

impl From<FightError> for Error {
    fn from(error: FightError) -> Self {
        let message = format!("at {:.6} s: {:?}", error.at.seconds(), error.kind);
        let diagnostic = Diagnostic::new(crate::text::Code::FightFault, message.clone());
        Self::Fight { message, diagnostic: Box::new(diagnostic) }
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
                match crate::text::diagnostic::nearest(name, &known) {
                    Some(near) => write!(f, "; did you mean `{near}`?"),
                    None => write!(f, "; there are {}", crate::text::diagnostic::listed(&known)),
                }
            }
            Self::Measure { text, fault } => {
                write!(f, "in `{text}`: {}", fault.message)?;
                fault.help.as_ref().map_or(Ok(()), |help| write!(f, "; {help}"))
            }
            Self::Stopped => f.write_str("stopped before anything was known"),
            Self::Path { path } => write!(f, "nothing stands at `{path}` in the ruleset"),
            Self::Fight { message, diagnostic } => {
                f.write_str(message)?;
                diagnostic.help.as_ref().map_or(Ok(()), |help| write!(f, " ({help})"))
            }
        }
    }
}

impl std::error::Error for Error {}
