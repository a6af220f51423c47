//! Straight motion on the plane: when two things that move are within some distance of one another.

use super::ids::CombatantId;
use crate::numbers::Extremes;

/// A point, a direction or a velocity on the plane, in metres.
pub(crate) type Plane = [f64; 2];

/// Metres from the middle of the plane, and metres a second, beyond which a game puts nothing: so far away, places still
/// differ by less than a hair.
pub(crate) const FARTHEST: f64 = 1e9;

/// Metres a second that nobody walks faster than: in a microsecond, that is as far as the least reach.
pub(crate) const FASTEST: f64 = 1e4;

/// Whether a place or a velocity is one that something can have.
pub(crate) fn is_on_the_plane(a: Plane) -> bool {
    a.iter().all(|part| part.abs() <= FARTHEST)
}

/// The nearest place to one that may lie too far away.
pub(crate) fn onto_the_plane(a: Plane) -> Plane {
    a.map(|part| part.clamp(-FARTHEST, FARTHEST))
}

/// Where a game puts a combatant, and how it moves on from there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Motion {
    /// Who.
    pub who: CombatantId,
    /// In metres.
    pub place: [f64; 2],
    /// In metres a second, along each axis.
    pub velocity: [f64; 2],
}

#[inline]
pub(crate) fn minus(a: Plane, b: Plane) -> Plane {
    [a[0] - b[0], a[1] - b[1]]
}

#[inline]
pub(crate) fn inner(a: Plane, b: Plane) -> f64 {
    a[0] * b[0] + a[1] * b[1]
}

#[inline]
pub(crate) fn length(a: Plane) -> f64 {
    inner(a, a).sqrt()
}

/// Whether two are the same. Comparing lists of two would be a call.
#[inline]
pub(crate) fn is_same(a: Plane, b: Plane) -> bool {
    a[0] == b[0] && a[1] == b[1]
}

/// Whether something goes nowhere.
#[inline]
pub(crate) fn is_nowhere(a: Plane) -> bool {
    is_same(a, [0.0; 2])
}

/// So far in a direction; nowhere in none.
pub(crate) fn toward(direction: Plane, metres: f64) -> Plane {
    let long = length(direction);
    if long == 0.0 { [0.0; 2] } else { [direction[0] / long * metres, direction[1] / long * metres] }
}

/// After how many seconds something at `away` that moves with `velocity` is within `reach` of one who goes straight to
/// meet it at `speed`: the least root of |away + velocity τ| = speed τ + reach.
#[inline]
pub(crate) fn meeting(away: Plane, velocity: Plane, speed: f64, reach: f64) -> Option<f64> {
    let c = inner(away, away) - reach * reach;
    if c <= 0.0 {
        return Some(0.0);
    }
    let b = 2.0 * (inner(away, velocity) - speed * reach);
    let a = inner(velocity, velocity) - speed * speed;
    if b >= 0.0 && a >= 0.0 {
        // It comes no nearer.
        return None;
    }
    let under = b * b - 4.0 * a * c;
    let below = -b + under.larger(0.0).sqrt();
    (under >= 0.0 && below > 0.0).then(|| 2.0 * c / below).filter(|seconds| seconds.is_finite())
}

/// After how many seconds something within `edge` metres that moves with `velocity` is outside of an edge that moves away
/// by `growth` metres a second: the first τ with |away + velocity τ| = edge + growth τ. Never, if the edge is no slower.
#[inline]
pub(crate) fn parting(away: Plane, velocity: Plane, growth: f64, edge: f64) -> Option<f64> {
    let a = inner(velocity, velocity) - growth * growth;
    let b = 2.0 * (inner(away, velocity) - growth * edge);
    let c = inner(away, away) - edge * edge;
    if c >= 0.0 {
        return Some(0.0);
    }
    if growth < 0.0 && a <= 0.0 {
        // The edge comes in faster than anything leaves, so it is met before it is a point.
        let under = (b * b - 4.0 * a * c).larger(0.0);
        let seconds = 2.0 * c / (-b - under.sqrt());
        return Some(seconds).filter(|seconds| seconds.is_finite() && *seconds >= 0.0);
    }
    if a <= 0.0 {
        return None;
    }
    let root = (b * b - 4.0 * a * c).sqrt();
    // Of the two forms of a root, the one that subtracts nothing alike.
    let seconds = if b > 0.0 { 2.0 * c / (-b - root) } else { (root - b) / (2.0 * a) };
    Some(seconds).filter(|seconds| seconds.is_finite())
}
