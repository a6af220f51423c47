//! The calls of a game: what a world has done to it, between two moments and before the first.

/// What a game does between two moments.
#[derive(Clone, Copy, Debug)]
pub(super) enum Call {
    Apply(usize, usize, usize),
    Pool(usize, usize, f64),
    Wear(usize, usize),
    TakeOff(usize, usize),
    Cause(usize, usize, f64),
    Place(usize, [f64; 2]),
    Remove(usize, usize),
    /// An ability is used, on somebody or on whom it picks.
    Use(usize, usize, Option<usize>),
    /// It takes effect without being used.
    Effects(usize, usize, usize),
    Cancel(usize),
    /// What is kept up ends.
    Stop(usize),
    KeepOut(usize),
    Despawn(usize),
    /// Another of a character comes to a side, at a place.
    Spawn(usize, usize, [f64; 2]),
    /// Somebody is controlled by hand from now on, or by its policy again.
    Control(usize, bool),
    Base(usize, Base, f64),
}

/// A number of which a game sets the base.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Base {
    Level,
    Might,
    Vigour,
}

impl Call {
    /// Whom it names by the largest number.
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
