//! Names of the contents of events, for files and people.

use super::events::{Ending, Source, UnavailableReason};
use crate::program::{AbilityId, CombatantId, PoolId, ReportId, Setup, SideId, StatusId, plain};

/// The names of one setup.
pub(crate) struct NamesOf<'a>(pub(crate) &'a Setup);

impl<'a> NamesOf<'a> {
    pub(crate) fn who(&self, id: CombatantId) -> &'a str {
        &self.0.combatants[id.index()].label
    }

    pub(crate) fn ability(&self, id: AbilityId) -> &'a str {
        &self.0.program.ability(id).name
    }

    pub(crate) fn status(&self, id: StatusId) -> &'a str {
        &self.0.program.status(id).name
    }

    pub(crate) fn source(&self, source: Source) -> &'a str {
        match source {
            Source::Ability(ability) => self.ability(ability),
            Source::Status(status) => self.status(status),
            Source::Cause(cause) => &self.0.program.causes[cause.index()].name,
        }
    }

    pub(crate) fn report(&self, id: ReportId) -> &'a str {
        &self.0.program.reports[id.index()]
    }

    pub(crate) fn pool(&self, id: PoolId) -> &'a str {
        &self.0.program.pools[id.index()].name
    }

    pub(crate) fn side(&self, id: SideId) -> &'a str {
        &self.0.sides[id.index()]
    }
}

/// The name of the source of an effect: an ability, a status or a cause.
pub fn describe_source(setup: &Setup, source: Source) -> &str {
    NamesOf(setup).source(source)
}

/// The reason why an ability is unavailable, in words: `cannot afford 18 breath (has 12.4)`.
pub fn describe_reason(setup: &Setup, reason: UnavailableReason) -> String {
    use UnavailableReason as Reason;
    match reason {
        Reason::OnCooldown { until } => format!("on cooldown until {:.2} s", until.seconds()),
        Reason::CannotAfford { pool, cost, has, .. } => {
            format!("cannot afford {} {} (has {})", plain(cost), NamesOf(setup).pool(pool), plain(has))
        }
        Reason::Busy { until } => format!("busy until {:.2} s", until.seconds()),
        Reason::Forbidden { by } => format!("forbidden by {}", NamesOf(setup).status(by)),
        Reason::NoCharge { until } => format!("no charge until {:.2} s", until.seconds()),
        Reason::NotOpen { after } => format!("open only after {}", NamesOf(setup).ability(after)),
        Reason::OutOfReach { target, distance, reach, .. } => {
            let what = target.map_or("the place", |target| NamesOf(setup).who(target));
            format!("{what} is {distance:.1} m away, out of reach ({} m)", plain(reach))
        }
        Reason::Condition => "condition not met".to_owned(),
        Reason::OutOfTheFight | Reason::NotKnown | Reason::Locked | Reason::UsedUp | Reason::NoTarget => {
            reason.name().replace('_', " ")
        }
    }
}

impl Ending {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            Self::Won(_) => "won",
            Self::HeldOut(_) => "held_out",
            Self::AllDefeated => "all_defeated",
            Self::Failed => "failed",
            Self::TimeLimit => "time_limit",
            Self::Stalemate => "stalemate",
            Self::Drawn => "drawn",
        }
    }
}
