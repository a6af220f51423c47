//! When a different target will be picked by a score without an event.

use super::Program;
use super::eval::Frame;
use super::horizon::{Course, Outlook, POLL, moment_after};
use super::ids::{CombatantId, FormulaId, PoolId};
use super::memory::Memory;
use super::motion::{Plane, inner};
use super::time::Time;
use super::tree::PoolPart;
use crate::numbers::Extremes;

/// Candidates that differ by no more than this share of both scores count as level, because rounding would decide the
/// order. A candidate has overtaken when it leads by that share.
const LEVEL: f64 = 1e-12;

/// The score by which combatants are picked: the lowest is first.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Score {
    /// The value of a formula, times a sign.
    Formula(FormulaId, f64),
    /// The share of a pool, times a sign.
    Share(PoolId, f64),
}

/// The time in microseconds until another score is below the leading one, or the earliest time at which it can be, but
/// not before the next poll. A candidate that should lead but does not is out of reach, which is handled elsewhere.
fn overtakes(lead: Course, other: Course) -> f64 {
    let (behind, drift) = (other.value - lead.value, lead.drift + other.drift);
    let gains = lead.slope - other.slope + drift;
    let level = LEVEL * (lead.value.abs() + other.value.abs());
    if gains <= 0.0 || behind < -level || behind.is_nan() {
        f64::INFINITY
    } else if drift > 0.0 {
        (behind / gains).larger(POLL.micros())
    } else if behind <= level {
        (behind + 2.0 * level) / gains
    } else {
        behind / gains
    }
}

/// After how many seconds something that moves is nearer than what is nearest now, or farther away than what is farthest (with a
/// sign below zero): places and velocities are seen from the one who picks. The first τ with
/// |lead + its velocity τ|² = |other + its velocity τ|² at which the difference rises.
pub(crate) fn nearer_after(lead: (Plane, Plane), other: (Plane, Plane), sign: f64) -> f64 {
    let [lead, other] = [lead, other].map(|(away, moves)| [inner(moves, moves), inner(away, moves), inner(away, away)]);
    let [square, half, ahead] = [0, 1, 2].map(|part| sign * (lead[part] - other[part]));
    let level = LEVEL * (lead[2] + other[2]);
    if ahead.abs() <= level {
        let rises = half > 0.0 || (half == 0.0 && square > 0.0);
        return if rises { clearly_ahead(square, half, 2.0 * level - ahead) } else { rises_later(square, half) };
    }
    let under = half * half - square * ahead;
    if ahead > 0.0 || under < 0.0 {
        return f64::INFINITY;
    }
    // The form of the root without cancellation.
    let seconds = if half > 0.0 { -ahead / (half + under.sqrt()) } else { (under.sqrt() - half) / square };
    if seconds > 0.0 { seconds } else { f64::INFINITY }
}

/// The time in seconds until a difference that increases from now on has increased by a given amount.
fn clearly_ahead(square: f64, half: f64, rise: f64) -> f64 {
    let under = half * half + square * rise;
    if rise == 0.0 {
        0.0
    } else if under < 0.0 {
        // It decreases again before: nobody leads by more than rounding.
        f64::INFINITY
    } else {
        rise / (half + under.sqrt())
    }
}

/// The other root if one is now.
fn rises_later(square: f64, half: f64) -> f64 {
    if square > 0.0 && half < 0.0 { -2.0 * half / square } else { f64::INFINITY }
}

impl Program {
    /// The first time after now at which one of several candidates may have a lower score than `lead` without an event;
    /// [`Time::NEVER`] if no score changes.
    pub(crate) fn lead_turns(
        &self,
        score: Score,
        (who, lead): (CombatantId, CombatantId),
        among: &[CombatantId],
        numbers: &mut Memory,
        now: f64,
    ) -> Time {
        let mut course = |other: CombatantId| {
            let mut outlook = Outlook::new(self, numbers, Frame::new(self, who, other, 0, now));
            let (course, sign) = match score {
                Score::Formula(formula, sign) => (outlook.course(&self.formula(formula).tree), sign),
                Score::Share(pool, sign) => (outlook.pool_of_target(pool, PoolPart::Share), sign),
            };
            course.times(sign)
        };
        let first = course(lead);
        let mut until = first.until;
        for other in among.iter().filter(|other| **other != lead) {
            let other = course(*other);
            until = until.smaller(other.until).smaller(now + overtakes(first, other));
        }
        moment_after(now, until)
    }
}
