//! The larger and the smaller of two numbers, in one way everywhere.

/// Of two zeros, `f64::max` and `f64::min` may give either: which one differs between platforms and between builds, and
/// so would the bytes of a fight. These give the second of two numbers that are equal, and so `larger(0.0)` is never
/// `-0.0`. In place of a first that is not a number they give the second, too.
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
