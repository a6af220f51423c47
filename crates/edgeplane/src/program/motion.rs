//! Straight motion on the plane: when two moving bodies are within a distance.

use super::ids::CombatantId;
use crate::numbers::Extremes;

/// A point, a direction or a velocity on the plane, in metres.
pub(crate) type Plane = [f64; 2];

/// The maximum coordinate in metres and velocity in metres per second that a game may set: at that distance, positions
/// still differ by less than the tolerance.
pub(crate) const FARTHEST: f64 = 1e9;

/// The maximum walking speed in metres per second: in a microsecond, this covers the minimum reach.
pub(crate) const FASTEST: f64 = 1e4;

/// Whether a position or a velocity is valid.
pub(crate) fn is_on_the_plane(a: Plane) -> bool {
    a.iter().all(|part| part.abs() <= FARTHEST)
}

/// The nearest valid position to one that may be too far away.
pub(crate) fn onto_the_plane(a: Plane) -> Plane {
    a.map(|part| part.clamp(-FARTHEST, FARTHEST))
}

/// A position and velocity set by a game.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Motion {
    /// The combatant.
    pub who: CombatantId,
    /// The position in metres.
    pub place: [f64; 2],
    /// The velocity in metres per second along each axis.
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

/// Whether two are equal. Comparing arrays of two would be a call.
#[inline]
pub(crate) fn is_same(a: Plane, b: Plane) -> bool {
    a[0] == b[0] && a[1] == b[1]
}

/// Whether a velocity is zero.
#[inline]
pub(crate) fn is_nowhere(a: Plane) -> bool {
    is_same(a, [0.0; 2])
}

/// A distance in a direction; zero without a direction.
pub(crate) fn toward(direction: Plane, metres: f64) -> Plane {
    let long = length(direction);
    if long == 0.0 { [0.0; 2] } else { [direction[0] / long * metres, direction[1] / long * metres] }
}

/// The time in seconds until something at `away` that moves with `velocity` is within `reach` of a combatant that walks
/// straight to meet it at `speed`: the smallest root of |away + velocity τ| = speed τ + reach.
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

/// The time in seconds until something within `edge` metres that moves with `velocity` is outside an edge that grows by
/// `growth` metres per second: the first τ with |away + velocity τ| = edge + growth τ. Never if the edge is not slower.
#[inline]
pub(crate) fn parting(away: Plane, velocity: Plane, growth: f64, edge: f64) -> Option<f64> {
    let a = inner(velocity, velocity) - growth * growth;
    let b = 2.0 * (inner(away, velocity) - growth * edge);
    let c = inner(away, away) - edge * edge;
    if c >= 0.0 {
        return Some(0.0);
    }
    if growth < 0.0 && a <= 0.0 {
        // The edge shrinks faster than anything can leave, so it is crossed before it becomes a point.
        let under = (b * b - 4.0 * a * c).larger(0.0);
        let seconds = 2.0 * c / (-b - under.sqrt());
        return Some(seconds).filter(|seconds| seconds.is_finite() && *seconds >= 0.0);
    }
    if a <= 0.0 {
        return None;
    }
    let root = (b * b - 4.0 * a * c).sqrt();
    // The form of the root without cancellation.
    let seconds = if b > 0.0 { 2.0 * c / (-b - root) } else { (root - b) / (2.0 * a) };
    Some(seconds).filter(|seconds| seconds.is_finite())
}
