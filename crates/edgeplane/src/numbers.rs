//! The larger and the smaller of two numbers, and whole numbers beside one, in one way everywhere and without a call.

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

/// Where the instructions of a platform begin without a rounding of their own (`x86-64` does), `f64::floor` and its like are
/// calls of a function that takes bits apart. These give the same, bit by bit.
pub(crate) trait Whole {
    /// The largest whole number that is not above.
    fn whole_below(self) -> Self;
    /// The smallest whole number that is not below.
    fn whole_above(self) -> Self;
    /// The nearest whole number, the one farther from zero of two.
    fn nearest_whole(self) -> Self;
}

/// From here on each number is whole, and half of it is where two numbers are one apart.
const WHOLE: f64 = (1_u64 << 52) as f64;

/// The nearest whole number of one that is not negative, the even one of two.
#[inline]
fn nearest_even(size: f64) -> f64 {
    if size < WHOLE { (size + WHOLE) - WHOLE } else { size }
}

impl Whole for f64 {
    #[inline]
    fn whole_below(self) -> Self {
        let nearest = nearest_even(self.abs()).copysign(self);
        if nearest > self { nearest - 1.0 } else { nearest }
    }

    #[inline]
    fn whole_above(self) -> Self {
        let nearest = nearest_even(self.abs()).copysign(self);
        if nearest < self { nearest + 1.0 } else { nearest }
    }

    #[inline]
    fn nearest_whole(self) -> Self {
        let size = self.abs();
        let nearest = nearest_even(size);
        (if size - nearest == 0.5 { nearest + 1.0 } else { nearest }).copysign(self)
    }
}
