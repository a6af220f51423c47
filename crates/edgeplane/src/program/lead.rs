//! When somebody else will be picked by a score, with nothing else happening.

use super::Program;
use super::eval::Frame;
use super::horizon::{Course, Outlook, POLL, moment_after};
use super::ids::{CombatantId, FormulaId, PoolId};
use super::memory::Memory;
use super::motion::{Plane, inner};
use super::time::Time;
use super::tree::PoolPart;
use crate::numbers::Extremes;

/// Whoever is behind by no more than such a part of both scores is level: who leads then is for arithmetic to say. Whoever gains
/// has overtaken when it is ahead by as much.
const LEVEL: f64 = 1e-12;

/// What combatants are picked by: the lowest leads.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Score {
    /// What a formula gives, times a sign.
    Formula(FormulaId, f64),
    /// A pool's share of its cap, times a sign.
    Share(PoolId, f64),
}

/// After how many microseconds another score is below the one that leads, or can be at the earliest, but then not before a poll.
/// Whoever should lead and does not is out of reach, which is looked at elsewhere.
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
    // Of the two forms of a root, the one that subtracts nothing alike.
    let seconds = if half > 0.0 { -ahead / (half + under.sqrt()) } else { (under.sqrt() - half) / square };
    if seconds > 0.0 { seconds } else { f64::INFINITY }
}

/// After how many seconds a difference that rises from now on has risen by so much.
fn clearly_ahead(square: f64, half: f64, rise: f64) -> f64 {
    let under = half * half + square * rise;
    if rise == 0.0 {
        0.0
    } else if under < 0.0 {
        // It falls again before: nobody is ahead by more than arithmetic can say.
        f64::INFINITY
    } else {
        rise / (half + under.sqrt())
    }
}

/// The other root, where one is now.
fn rises_later(square: f64, half: f64) -> f64 {
    if square > 0.0 && half < 0.0 { -2.0 * half / square } else { f64::INFINITY }
}

impl Program {
    /// The first moment after now at which one of some may have a lower score than `lead`, if nothing happens but that time
    /// passes; [`Time::NEVER`] where no score moves.
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
