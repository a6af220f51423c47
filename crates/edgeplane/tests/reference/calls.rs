//! The calls of a game in a world, between two moments and before the first.

/// A call between two moments.
#[derive(Clone, Copy, Debug)]
pub(super) enum Call {
    Apply(usize, usize, usize),
    Pool(usize, usize, f64),
    Wear(usize, usize),
    TakeOff(usize, usize),
    Cause(usize, usize, f64),
    Place(usize, [f64; 2]),
    Remove(usize, usize),
    /// Uses an ability, on a given target or on the one that it picks.
    Use(usize, usize, Option<usize>),
    /// Applies an ability without a use.
    Effects(usize, usize, usize),
    Cancel(usize),
    /// Stops a sustained ability.
    Stop(usize),
    KeepOut(usize),
    Despawn(usize),
    /// Spawns a combatant of a character on a side, at a position.
    Spawn(usize, usize, [f64; 2]),
    /// Gives a combatant to calls, or returns it to its policy.
    Control(usize, bool),
    Base(usize, Base, f64),
}

/// A number whose base a game sets.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Base {
    Level,
    Might,
    Vigour,
}

impl Call {
    /// The target, encoded by the largest number.
    pub(super) fn last(&self) -> usize {
        match *self {
            Self::Apply(_, who, other) | Self::Cause(who, other, _) | Self::Use(who, _, Some(other)) => who.max(other),
            Self::Effects(who, _, other) => who.max(other),
            Self::Remove(_, who) | Self::Pool(who, ..) | Self::Wear(who, _) | Self::TakeOff(who, _) => who,
            Self::Place(who, _) | Self::Use(who, ..) | Self::Cancel(who) | Self::Stop(who) | Self::KeepOut(who) => who,
            Self::Despawn(who) | Self::Control(who, _) | Self::Base(who, ..) => who,
            Self::Spawn(..) => 0,
        }
    }
}
