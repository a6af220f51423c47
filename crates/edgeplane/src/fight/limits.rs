//! Limits that end a fight that would otherwise not end, and errors of fights.

use std::sync::Arc;

use crate::program::{AbilityId, CombatantId, Fault, Program, Setup, StatusId, Time};
use crate::text::{Code, Diagnostic, Sources};

/// Limits that end a fight that would otherwise not end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// The maximum number of timers in one fight.
    pub steps: u64,
    /// The maximum number of rounds of decisions in one moment, for abilities that cause each other without time
    /// passing.
    pub waves: u32,
    /// The maximum length of a chain of triggers in one moment.
    pub chain: u32,
}

impl Default for Limits {
    fn default() -> Self {
        Self { steps: 1_000_000, waves: 1_000, chain: 1_000 }
    }
}

/// An error that ends a fight: the time, the reason, and the place in the ruleset that causes it.
#[derive(Clone)]
pub struct FightError {
    /// The time in the fight.
    pub at: Time,
    /// The reason.
    pub kind: FightErrorKind,
    diagnostic: Box<Diagnostic>,
    /// The rules of the fight, so that diagnostics show the lines of its own files.
    program: Arc<Program>,
}

/// Equal for the same error at the same time.
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

/// The reason why a fight cannot continue.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum FightErrorKind {
    /// A formula has no usable value.
    Fault(Box<Fault>),
    /// Abilities cause each other without time passing.
    Endless {
        /// The number of rounds.
        waves: u32,
        /// The combatant that acted last.
        who: CombatantId,
        /// The ability that it used.
        ability: Option<AbilityId>,
    },
    /// Statuses trigger each other endlessly.
    Chain {
        /// The length of the chain.
        limit: u32,
        /// The statuses that were triggered last.
        statuses: Vec<StatusId>,
    },
    /// Too many zones exist at once.
    Zones {
        /// The maximum.
        most: usize,
    },
    /// Too many statuses, or stacks with individual end times, exist at once.
    Statuses {
        /// The maximum.
        most: usize,
    },
    /// Zones move combatants in and out without time passing.
    Edges {
        /// The number of checks.
        times: u32,
    },
    /// A call refers to something that the fight does not have: a combatant, a number or an amount.
    Call {
        /// What is wrong with it.
        what: String,
    },
    /// The fight took more steps than the limit allows.
    TooLong {
        /// The limit.
        steps: u64,
    },
}

impl FightError {
    pub(crate) fn new(at: Time, kind: FightErrorKind, setup: &Setup) -> Self {
        let diagnostic = Box::new(kind.diagnostic(at, setup, ""));
        Self { at, kind, diagnostic, program: Arc::clone(setup.program()) }
    }

    /// The same with the encounter and the seed of the fight, with which `edgeplane fight --seed` shows what led to it.
    #[cfg(feature = "study")]
    pub(crate) fn of_trial(mut self, setup: &Setup, seed: u64) -> Self {
        *self.diagnostic = self.kind.diagnostic(self.at, setup, &format!(" of `{}` with seed {seed}", setup.name));
        self
    }

    /// A diagnostic that points into the ruleset where that is possible.
    pub fn diagnostic(&self) -> &Diagnostic {
        &self.diagnostic
    }

    /// The files to which the diagnostic refers.
    pub fn sources(&self) -> &Sources {
        self.program.sources()
    }
}

impl FightErrorKind {
    /// `of_fight` says which one it is, if the caller may not know.
    fn diagnostic(&self, at: Time, setup: &Setup, of_fight: &str) -> Diagnostic {
        let program = setup.program();
        let mut diagnostic = match self {
            Self::Fault(fault) => fault.diagnostic(program, Code::FightFault),
            Self::Endless { waves, who, ability } => {
                let label = &setup.combatants[who.index()].label;
                let what = ability.map_or("something", |id| program.ability(id).name.as_str());
                let message = format!("`{label}` uses `{what}` repeatedly without time passing ({waves} times)");
                Diagnostic::new(Code::FightFault, message).help("give it a cooldown, a cast or a recovery above zero")
            }
            Self::Chain { limit, statuses } => chain_diagnostic(program, *limit, statuses),
            Self::Zones { most } => {
                let message = format!("more than {most} zones exist at once");
                Diagnostic::new(Code::FightFault, message)
                    .help("let them end sooner, or give them fewer `max_instances`")
            }
            Self::Statuses { most } => {
                let message = format!("more than {most} statuses, or stacks with individual end times, exist at once");
                Diagnostic::new(Code::FightFault, message)
                    .help("let them end sooner, or give them fewer `max_instances` or `max_stacks`")
            }
            Self::Edges { times } => {
                let message = format!("zones move combatants in and out without time passing ({times} times)");
                Diagnostic::new(Code::FightFault, message)
                    .help("an edge must not push back what another one has pushed")
            }
            Self::Call { what } => Diagnostic::new(Code::FightFault, what.clone()),
            Self::TooLong { steps } => {
                let message = format!("the fight did not end within {steps} steps");
                let help = if setup.time_limit < Time::NEVER {
                    "look for short cooldowns, periods and recoveries in the output of `fight`"
                } else {
                    "give the encounter a `time_limit`"
                };
                Diagnostic::new(Code::FightFault, message).help(help)
            }
        };
        diagnostic.message = format!("at {:.6} s{of_fight}: {}", at.seconds(), diagnostic.message);
        diagnostic
    }
}

fn chain_diagnostic(program: &Program, limit: u32, statuses: &[StatusId]) -> Diagnostic {
    let names: Vec<String> = statuses.iter().map(|status| format!("`{}`", program.status(*status).name)).collect();
    let message = match names.as_slice() {
        [one] => format!("{one} triggers itself endlessly ({limit} times in one moment)"),
        several => format!("{} trigger each other endlessly ({limit} times in one moment)", several.join(" and ")),
    };
    let help = "give one of their triggers a `cooldown`, `uses` or a `when` that ends it";
    Diagnostic::new(Code::FightFault, message).help(help)
}
