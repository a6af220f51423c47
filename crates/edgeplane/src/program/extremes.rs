//! The larger and the smaller of two numbers, in one way everywhere.

/// Of two zeros, `f64::max` and `f64::min` may return either. Which one depends on the platform and on the build, and so
/// would the bytes of a fight. These return `other` where both are equal, so that `larger(0.0)` is never `-0.0`, and also
/// where `self` is not a number.
pub(crate) trait Extremes {
    /// The larger of the two.
    fn larger(self, other: Self) -> Self;
    /// The smaller of the two.
    fn smaller(self, other: Self) -> Self;
}

impl Extremes for f64 {
    #[inline]
    fn larger(self, other: Self) -> Self {
        if self > other { self } else { other }
    }

    #[inline]
    fn smaller(self, other: Self) -> Self {
        if self < other { self } else { other }
    }
}
