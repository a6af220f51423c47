//! Minimum, maximum and rounding with the same results on all platforms and without library calls, and numbers as text.

/// A number with six significant digits and without trailing zeros.
///
/// ```
/// use edgeplane::program::plain;
/// assert_eq!((plain(9.25), plain(141.0), plain(1.0 / 3.0)), ("9.25".into(), "141".into(), "0.333333".into()));
/// ```
pub fn plain(value: f64) -> String {
    if value == 0.0 || !value.is_finite() {
        return format!("{}", value + 0.0);
    }
    let magnitude = libm::floor(libm::log10(value.abs()));
    if !(-5.0..15.0).contains(&magnitude) {
        return format!("{value:e}");
    }
    let decimals = (5.0 - magnitude).clamp(0.0, 12.0) as usize;
    let text = format!("{value:.decimals$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

/// For two zeros, `f64::max` and `f64::min` may return either. Which one depends on the platform and the build, and so
/// would the bytes of a fight. These return `other` if both are equal, so that `larger(0.0)` is never `-0.0`, and also
/// if `self` is NaN.
pub(crate) trait Extremes {
    /// The maximum.
    fn larger(self, other: Self) -> Self;
    /// The minimum.
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

/// On platforms whose basic instructions cannot round (such as `x86-64`), `f64::floor` and its like are library calls.
/// These give bit-identical results.
pub(crate) trait Whole {
    /// The largest whole number that is not above.
    fn whole_below(self) -> Self;
    /// The smallest whole number that is not below.
    fn whole_above(self) -> Self;
    /// The nearest whole number; halves are rounded away from zero.
    fn nearest_whole(self) -> Self;
}

/// From here on, every number is whole, and its half is in the range with a spacing of one.
const WHOLE: f64 = (1_u64 << 52) as f64;

/// The nearest whole number of a non-negative number; halves are rounded to even.
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
