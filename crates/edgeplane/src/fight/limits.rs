//! What ends a fight that would otherwise never end, and fights that cannot go on.

use std::sync::Arc;

use crate::program::{AbilityId, CombatantId, Fault, Program, Setup, StatusId, Time};
use crate::text::{Code, Diagnostic, Sources};

/// What ends a fight that would otherwise never end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Most timers that may run off in one fight.
    pub steps: u64,
    /// Most rounds of decisions at one moment: things that bring each other about without time passing.
    pub waves: u32,
    /// Most triggers of statuses that follow from one another at one moment.
    pub chain: u32,
}

impl Default for Limits {
    fn default() -> Self {
        Self { steps: 1_000_000, waves: 1_000, chain: 1_000 }
    }
}

/// A fight that cannot go on: when, why, and where in the ruleset that comes from.
#[derive(Clone)]
pub struct FightError {
    /// When.
    pub at: Time,
    /// Why.
    pub kind: FightErrorKind,
    diagnostic: Box<Diagnostic>,
    /// The rules of the fight, so that what is shown are the lines of its own files.
    program: Arc<Program>,
}

/// Equal if the same went wrong at the same moment.
impl PartialEq for FightError {
    fn eq(&self, other: &Self) -> bool {
        self.at == other.at && self.kind == other.kind && self.diagnostic == other.diagnostic
    }
}

impl std::fmt::Debug for FightError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("FightError").field("at", &self.at).field("message", &self.diagnostic.message).finish()
    }
}

impl std::fmt::Display for FightError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.diagnostic.message)?;
        if let Some(help) = &self.diagnostic.help {
            write!(f, " ({help})")?;
        }
        Ok(())
    }
}

impl std::error::Error for FightError {}

/// Why a fight cannot go on.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum FightErrorKind {
    /// A formula has no usable value.
    Fault(Box<Fault>),
    /// Things bring each other about without time passing; who used what last.
    Endless {
        /// How many waves there were.
        waves: u32,
        /// The combatant that acted last.
        who: CombatantId,
        /// What it used.
        ability: Option<AbilityId>,
    },
    /// Statuses trigger each other without end.
    Chain {
        /// How many of them followed from one another.
        limit: u32,
        /// Those that triggered last.
        statuses: Vec<StatusId>,
    },
    /// There are more zones at once than can be.
    Zones {
        /// Most that can be.
        most: usize,
    },
    /// There are more statuses, or stacks that end each on its own, at once than can be.
    Statuses {
        /// Most that can be.
        most: usize,
    },
    /// Zones move combatants in and out without time passing.
    Edges {
        /// How often that was looked at.
        times: u32,
    },
    /// Something was asked for that the fight does not have: somebody, a number or an amount.
    Call {
        /// What is wrong with it.
        what: String,
    },
    /// More happened than the limit allows.
    TooLong {
        /// The limit.
        steps: u64,
    },
}

impl FightError {
    pub(crate) fn new(at: Time, kind: FightErrorKind, setup: &Setup) -> Self {
        let diagnostic = Box::new(kind.diagnostic(at, setup));
        Self { at, kind, diagnostic, program: Arc::clone(setup.program()) }
    }

    /// As a diagnostic that points into the ruleset where that is possible.
    pub fn diagnostic(&self) -> &Diagnostic {
        &self.diagnostic
    }

    /// The files that the places of the diagnostic point into.
    pub fn sources(&self) -> &Sources {
        self.program.sources()
    }
}

impl FightErrorKind {
    fn diagnostic(&self, at: Time, setup: &Setup) -> Diagnostic {
        let program = setup.program();
        let mut diagnostic = match self {
            Self::Fault(fault) => fault.diagnostic(program, Code::FightFault),
            Self::Endless { waves, who, ability } => {
                let label = &setup.combatants[who.index()].label;
                let what = ability.map_or("something", |id| program.ability(id).name.as_str());
                let message = format!("`{label}` uses `{what}` again and again without time passing ({waves} times)");
                Diagnostic::new(Code::FightFault, message).help("give it a cooldown, a cast or a recovery above zero")
            }
            Self::Chain { limit, statuses } => chain_diagnostic(program, *limit, statuses),
            Self::Zones { most } => {
                let message = format!("more than {most} zones are there at once");
                Diagnostic::new(Code::FightFault, message)
                    .help("let them end sooner, or give them fewer `max_instances`")
            }
            Self::Statuses { most } => {
                let message =
                    format!("more than {most} statuses, or stacks that end each on its own, are there at once");
                Diagnostic::new(Code::FightFault, message)
                    .help("let them end sooner, or give them fewer `max_instances` or `max_stacks`")
            }
            Self::Edges { times } => {
                let message = format!("zones move combatants in and out without time passing ({times} times)");
                Diagnostic::new(Code::FightFault, message).help("what one edge pushes, another must not push back")
            }
            Self::Call { what } => Diagnostic::new(Code::FightFault, what.clone()),
            Self::TooLong { steps } => {
                let message = format!("the fight did not end within {steps} steps");
                let help = if setup.time_limit < Time::NEVER {
                    "something happens too often: look for short cooldowns, periods and recoveries in `fight`"
                } else {
                    "give the encounter a `time_limit`"
                };
                Diagnostic::new(Code::FightFault, message).help(help)
            }
        };
        diagnostic.message = format!("at {:.6} s: {}", at.seconds(), diagnostic.message);
        diagnostic
    }
}

fn chain_diagnostic(program: &Program, limit: u32, statuses: &[StatusId]) -> Diagnostic {
    let names: Vec<String> = statuses.iter().map(|status| format!("`{}`", program.status(*status).name)).collect();
    let message = match names.as_slice() {
        [one] => format!("{one} triggers itself without end ({limit} times at one moment)"),
        several => format!("{} trigger each other without end ({limit} times at one moment)", several.join(" and ")),
    };
    let help = "give one of their triggers a `cooldown`, `uses` or a `when` that ends it";
    Diagnostic::new(Code::FightFault, message).help(help)
}
