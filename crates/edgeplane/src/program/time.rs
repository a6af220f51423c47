//! Time as a whole number of microseconds.

use std::ops::{Add, Sub};

use crate::numbers::Extremes;

/// A time since the start of a fight, or a duration, in microseconds.
///
/// Sums of whole numbers do not depend on their order, so different ways to the same moment agree exactly.
///
/// ```
/// use edgeplane::Time;
/// assert_eq!(Time::from_seconds(1.4) + Time::from_seconds(0.3), Time(1_700_000));
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Time(pub u64);

impl Time {
    /// The start of a fight.
    pub const ZERO: Self = Self(0);
    /// Later than the end of any fight: 12 days.
    pub const NEVER: Self = Self((1 << 40) - 2);

    /// Rounds to the nearest microsecond; negative values become zero, NaN and values beyond all fights
    /// [`Time::NEVER`].
    #[inline]
    pub fn from_seconds(seconds: f64) -> Self {
        // Not `round`, which is a library call on most machines.
        let micros = seconds * 1e6 + 0.5;
        if micros < Self::NEVER.0 as f64 { Self(micros.larger(0.0) as i64 as u64) } else { Self::NEVER }
    }

    /// In seconds.
    #[inline]
    pub fn seconds(self) -> f64 {
        self.0 as f64 / 1e6
    }

    /// In microseconds, as stored in the numbers of a fight.
    #[inline]
    pub(crate) fn micros(self) -> f64 {
        self.0 as i64 as f64
    }
}

impl Add for Time {
    type Output = Self;

    #[inline]
    fn add(self, other: Self) -> Self {
        Self((self.0 + other.0).min(Self::NEVER.0))
    }
}

impl Sub for Time {
    type Output = Self;

    fn sub(self, other: Self) -> Self {
        Self(self.0.saturating_sub(other.0))
    }
}
