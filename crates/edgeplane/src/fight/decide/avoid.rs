//! Zones that somebody steps out of, and does not walk into.

use super::super::engine::Engine;
use super::super::space::zones::Lies;
use crate::program::{CombatantId, HAIR, POLL, Plane, inner, length, minus, parting, toward};

/// Metres that somebody keeps between itself and the edge of a zone that it avoids.
const MARGIN: f64 = 0.05;

impl Engine<'_> {
    /// The zones that a combatant avoids: those of its policy that would concern it inside.
    fn avoided(&self, who: CombatantId) -> impl Iterator<Item = Lies> {
        let avoid = &self.setup.policies[who.index()].avoid;
        let zones = self.state.zones.iter().filter(move |zone| avoid.contains(&zone.id) && self.concerns(zone, who));
        zones.map(|zone| self.lies(zone))
    }

    /// Whoever avoids zones plans its way anew: one has come, gone or reached somebody.
    pub(in crate::fight) fn zones_changed(&mut self) {
        for who in self.setup.ids() {
            if !self.setup.policies[who.index()].avoid.is_empty() && self.setup.is_placed {
                self.plan_way(who);
            }
        }
    }

    /// Out of a zone by the shortest way; of several, out of the one of which the edge is nearest.
    pub(super) fn step_out(&mut self, who: CombatantId, speed: f64) -> bool {
        if self.setup.policies[who.index()].avoid.is_empty() || speed == 0.0 {
            return false;
        }
        let here = self.place_of(who);
        let depth = |zone: &Lies| zone.radius + MARGIN - length(minus(here, zone.middle));
        let inside = self.avoided(who).filter(|zone| depth(zone) > MARGIN - HAIR);
        let Some(zone) = inside.min_by(|a, b| depth(a).total_cmp(&depth(b))) else { return false };
        let away = minus(here, zone.middle);
        // From the very middle every way is as short: the one on which it goes, else along the first axis.
        let direction = match (length(away) > HAIR, self.course_of(who)) {
            (true, _) => away,
            (false, [0.0, 0.0]) => [1.0, 0.0],
            (false, course) => course,
        };
        let course = toward(direction, speed);
        let out = parting(away, minus(course, zone.course), zone.growth, zone.radius + MARGIN);
        let until = out.map_or(self.state.now + POLL, |seconds| self.after(seconds));
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.until) = (course, until);
        true
    }

    /// The planned way leads round a zone that lies on it, or stops at its edge where it would end inside.
    pub(super) fn walk_around(&mut self, who: CombatantId, (target, reach): (CombatantId, f64), speed: f64) {
        let planned = self.state.walks[who.index()].course;
        if self.setup.policies[who.index()].avoid.is_empty() || planned == [0.0; 2] {
            return;
        }
        let here = self.place_of(who);
        let aim = minus(self.place_of(target), here);
        let far = (length(aim) - reach - self.body_of(target)).max(0.0);
        let along = toward(planned, 1.0);
        let blocks = self.avoided(who).filter_map(|zone| {
            let ahead = inner(minus(zone.middle, here), along);
            let edge = zone.radius + MARGIN;
            let off = minus(minus(zone.middle, here), toward(along, ahead));
            // Where the way enters, in metres from here.
            let half = edge * edge - inner(off, off);
            let enters = if half > 0.0 { ahead - half.sqrt() } else { f64::INFINITY };
            (ahead > 0.0 && enters < far + HAIR).then_some((enters.max(0.0), zone))
        });
        let Some((enters, zone)) = blocks.min_by(|a, b| a.0.total_cmp(&b.0)) else { return };
        let end = [here[0] + along[0] * far, here[1] + along[1] * far];
        let edge = zone.radius + MARGIN;
        let ends_inside = length(minus(end, zone.middle)) < edge;
        let now = self.state.now;
        let (course, until) = if !ends_inside {
            (toward(tangent(minus(zone.middle, here), edge, aim), speed), now + POLL)
        } else if enters > MARGIN {
            // Up to the edge, and no further for as long as the target is in there.
            (planned, self.after(enters / speed))
        } else {
            ([0.0; 2], now + POLL)
        };
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.until) = (course, until);
    }
}

/// The direction that touches a circle, given its middle as seen from here, on the side on which the aim is nearer.
fn tangent(middle: Plane, radius: f64, aim: Plane) -> Plane {
    let far = length(middle);
    if far <= radius {
        // At the edge: along it.
        let side = if middle[0] * aim[1] - middle[1] * aim[0] >= 0.0 { 1.0 } else { -1.0 };
        return [-middle[1] * side, middle[0] * side];
    }
    let (sine, cosine) = (radius / far, (far * far - radius * radius).sqrt() / far);
    let side = if middle[0] * aim[1] - middle[1] * aim[0] >= 0.0 { sine } else { -sine };
    [middle[0] * cosine - middle[1] * side, middle[0] * side + middle[1] * cosine]
}
