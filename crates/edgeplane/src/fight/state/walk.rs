//! The state of a combatant on the ground, except its position.

use crate::program::{CombatantId, Plane, Time};

/// The walking state of a combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Walk {
    /// The combatant that it walks to, and the distance in metres at which it stops.
    pub(in crate::fight) goal: Option<(CombatantId, f64)>,
    /// The latest time at which it has to check its path.
    pub(in crate::fight) until: Time,
    /// It has to check its path in this moment.
    pub(in crate::fight) plans: bool,
    /// It walks while busy and has to check in this moment whether it walks for the right line.
    pub(in crate::fight) looks: bool,
    /// The index of the line for which it walks; none if it walks for a line that will be wanted later.
    pub(in crate::fight) line: Option<u16>,
    /// The line for which it walks while no line is closed by distance only: the line it wanted when it set out.
    pub(in crate::fight) wants: Wish,
    /// When it picks the target of `line` again, if there is another one.
    pub(in crate::fight) picks_again: Time,
    /// The time at which it will have regained all turns that it may make at once.
    pub(in crate::fight) rested: Time,
    /// The planned course before it sets out.
    pub(in crate::fight) course: Plane,
    /// The combatant to which this course leads.
    pub(in crate::fight) toward: Option<CombatantId>,
    /// The side on which it passes zones that it avoids.
    pub(in crate::fight) bypass: Option<Bypass>,
    /// The side on which it passes enemies from which it keeps its distance.
    pub(in crate::fight) passes: Option<Bypass>,
    /// The position at which the game has it use an ability, instead of a target.
    pub(in crate::fight) aims_at: Option<Plane>,
}

/// The goal of a combatant that cannot use anything.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Wish {
    /// Not chosen yet.
    Undecided,
    /// No line was wanted.
    Nothing,
    /// A line, by its index.
    Line(u16),
}

/// The side on which a combatant passes zones or enemies.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Bypass {
    Left,
    Right,
}

impl Walk {
    pub(in crate::fight) const NOWHERE: Self = Self {
        goal: None,
        until: Time::NEVER,
        plans: false,
        looks: false,
        line: None,
        wants: Wish::Undecided,
        picks_again: Time::NEVER,
        rested: Time::ZERO,
        course: [0.0; 2],
        toward: None,
        bypass: None,
        passes: None,
        aims_at: None,
    };
}
