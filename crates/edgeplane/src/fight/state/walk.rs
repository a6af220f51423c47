//! What changes of a combatant on the ground besides where it is.

use crate::program::{CombatantId, Plane, Time};

/// What is kept of a combatant on the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) struct Walk {
    /// Whom it walks to, and to within how many metres.
    pub(in crate::fight) goal: Option<(CombatantId, f64)>,
    /// When it has to look where it goes, at the latest.
    pub(in crate::fight) until: Time,
    /// It has to look where it goes before this moment is over.
    pub(in crate::fight) plans: bool,
    /// It walks while it is busy, and has to look before this moment is over whether it still walks for the right line.
    pub(in crate::fight) looks: bool,
    /// The line for which it walks, by its index; none, if it walks for what will be wanted later.
    pub(in crate::fight) line: Option<u16>,
    /// The line for which it walks as long as distance alone keeps none closed: what it wanted when it set out.
    pub(in crate::fight) wants: Wish,
    /// When it chose that: until the moment is over it may choose otherwise.
    pub(in crate::fight) wants_since: Time,
    /// When, and how often then, it has planned its way because its goal turned.
    pub(in crate::fight) followed_at: Time,
    pub(in crate::fight) followed: u8,
    /// The course that it has planned and not taken yet.
    pub(in crate::fight) course: Plane,
    /// The side on which it goes round zones that it avoids.
    pub(in crate::fight) bypass: Option<Bypass>,
    /// The side on which it goes past enemies from whom it keeps its distance.
    pub(in crate::fight) passes: Option<Bypass>,
    /// The place at which the game has it use an ability, in place of somebody.
    pub(in crate::fight) aims_at: Option<Plane>,
}

/// What somebody who can do nothing yet goes for.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(in crate::fight) enum Wish {
    /// It has not chosen.
    Undecided,
    /// There was nothing that it wanted.
    Nothing,
    /// A line, by its index.
    Line(u16),
}

/// The side on which somebody goes round zones or past enemies.
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
        wants_since: Time::NEVER,
        followed_at: Time::NEVER,
        followed: 0,
        course: [0.0; 2],
        bypass: None,
        passes: None,
        aims_at: None,
    };
}
