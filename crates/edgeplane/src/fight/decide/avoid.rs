//! Avoiding zones: leaving them and walking around them.

use std::f64::consts::{FRAC_PI_2, PI, TAU};

use super::super::engine::Engine;
use super::super::space::zones::Lies;
use super::super::state::Bypass;
use crate::numbers::Extremes;
use crate::program::{CombatantId, HAIR, POLL, Plane, inner, is_nowhere, length, minus, parting, toward};

/// Metres kept from the edge of an avoided zone.
const MARGIN: f64 = 0.05;

/// Tolerance for rounding errors of angles, in radians.
const LEAST_TURN: f64 = 1e-9;

impl Engine<'_> {
    /// The zones that a combatant avoids: those named by its policy that would affect it.
    fn avoided(&self, who: CombatantId) -> impl Iterator<Item = Lies> {
        let avoid = &self.setup.policies[who.index()].avoid;
        let zones = self.state.zones.iter().filter(move |zone| avoid.contains(&zone.id) && self.concerns(zone, who));
        zones.map(|zone| self.lies(zone))
    }

    /// Combatants that avoid zones plan their paths again after a zone has appeared, ended or reached one of them.
    pub(in crate::fight) fn zones_changed(&mut self) {
        for who in self.setup.ids() {
            if !self.setup.policies[who.index()].avoid.is_empty() && self.setup.is_placed {
                self.plan_way(who);
            }
        }
    }

    /// Leaves a zone by the shortest way; of several zones, the one with the nearest edge.
    pub(super) fn step_out(&mut self, who: CombatantId, speed: f64) -> bool {
        if self.setup.policies[who.index()].avoid.is_empty() || speed == 0.0 {
            return false;
        }
        let here = self.place_of(who);
        let depth = |zone: &Lies| zone.radius + MARGIN - length(minus(here, zone.middle));
        let inside = self.avoided(who).filter(|zone| depth(zone) > MARGIN - HAIR);
        let Some(zone) = inside.min_by(|a, b| depth(a).total_cmp(&depth(b))) else { return false };
        let away = minus(here, zone.middle);
        // At the exact centre all directions are equal: the current direction is kept, or the first axis is used.
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

    /// Changes the planned path to lead around the zones on it, or to stop at the edge of a zone that contains its
    /// goal.
    pub(super) fn walk_around(&mut self, who: CombatantId, (target, reach): (CombatantId, f64), speed: f64) {
        let planned = self.state.walks[who.index()].course;
        if self.setup.policies[who.index()].avoid.is_empty() || is_nowhere(planned) {
            return;
        }
        let here = self.place_of(who);
        let along = toward(planned, 1.0);
        let far = (self.apart(who, target) - reach - self.body_of(target)).larger(0.0);
        let end = [here[0] + along[0] * far, here[1] + along[1] * far];
        match self.first_on_way(who, along, far) {
            Some((enters, zone)) if length(minus(end, zone.middle)) < zone.radius + MARGIN => {
                // To the edge, and no further while the target is inside.
                let (course, until) = match enters > MARGIN {
                    true => (planned, self.after(enters / speed)),
                    false => ([0.0; 2], self.state.now + POLL),
                };
                let walk = &mut self.state.walks[who.index()];
                (walk.bypass, walk.course, walk.until) = (None, course, until);
            }
            _ => self.steer(who, far, speed),
        }
    }

    /// If a zone lies on the planned path within a distance, returns a path that leads past all of them. A combatant
    /// that has begun to walk around zones keeps to its side until the way is free; otherwise it would turn back and
    /// forth where zones touch.
    pub(super) fn steer(&mut self, who: CombatantId, far: f64, speed: f64) {
        let planned = self.state.walks[who.index()].course;
        if self.setup.policies[who.index()].avoid.is_empty() || is_nowhere(planned) {
            return;
        }
        let along = toward(planned, 1.0);
        let Some((_, zone)) = self.first_on_way(who, along, far) else {
            self.state.walks[who.index()].bypass = None;
            return;
        };
        let angle = |side: Bypass| self.free_angle(who, along, side, zone, speed * POLL.seconds());
        let begun = self.state.walks[who.index()].bypass.and_then(|side| Some((side, angle(side)?)));
        let shorter = || {
            let [left, right] = [Bypass::Left, Bypass::Right].map(|side| angle(side).map(|angle| (side, angle)));
            if right.is_none_or(|right| left.is_some_and(|left| left.1 <= right.1)) { left } else { right }
        };
        let free = begun.or_else(shorter);
        let course = free.map_or([0.0; 2], |(side, angle)| toward(turned(along, sign(side) * angle), speed));
        let until = self.state.now + POLL;
        let walk = &mut self.state.walks[who.index()];
        (walk.bypass, walk.course, walk.until) = (free.map(|(side, _)| side), course, until);
    }

    /// Whether a course of a given length enters none of the avoided zones.
    pub(super) fn leads_into_no_zone(&self, who: CombatantId, course: Plane, far: f64) -> bool {
        self.setup.policies[who.index()].avoid.is_empty() || self.first_on_way(who, toward(course, 1.0), far).is_none()
    }

    /// The first avoided zone on a course of a given length, and the distance to it in metres.
    fn first_on_way(&self, who: CombatantId, along: Plane, far: f64) -> Option<(f64, Lies)> {
        let here = self.place_of(who);
        let blocks = self.avoided(who).filter_map(|zone| {
            let middle = minus(zone.middle, here);
            let ahead = inner(middle, along);
            let off = minus(middle, toward(along, ahead));
            let edge = zone.radius + MARGIN;
            let half = edge * edge - inner(off, off);
            // Touching the edge or walking along it is not inside.
            let enters = if half > HAIR { (ahead - half.sqrt()).larger(0.0) } else { f64::INFINITY };
            (ahead > HAIR && enters < far + HAIR).then_some((enters, zone))
        });
        blocks.min_by(|a, b| a.0.total_cmp(&b.0))
    }

    /// The smallest turn to one side, in radians, that leads past a zone and all zones that touch it; `None` if there
    /// is none.
    fn free_angle(&self, who: CombatantId, along: Plane, side: Bypass, zone: Lies, step: f64) -> Option<f64> {
        let here = self.place_of(who);
        let (mut angle, mut zone) = (0.0, zone);
        loop {
            let middle = minus(zone.middle, here);
            let (far, edge) = (length(middle), zone.radius + MARGIN);
            let half = if far > edge { libm::asin(edge / far) } else { FRAC_PI_2 };
            let aside = along[0] * middle[1] - along[1] * middle[0];
            let of_middle = sign(side) * libm::atan2(aside, inner(along, middle));
            // The zone is in the way, so its edge is further on this side, by at most half a turn. Otherwise it is in
            // the way only because of rounding errors at large distances, and would stay so.
            let turn = (of_middle + half - angle).rem_euclid(TAU);
            if !(LEAST_TURN..=PI + LEAST_TURN).contains(&turn) {
                return Some(angle);
            }
            angle += turn;
            if angle >= TAU {
                return None;
            }
            let touches = (far * far - edge * edge).larger(0.0).sqrt();
            match self.first_on_way(who, turned(along, sign(side) * angle), touches.larger(step)) {
                Some((_, next)) => zone = next,
                None => return Some(angle),
            }
        }
    }
}

/// The sign of angles to the left.
fn sign(side: Bypass) -> f64 {
    if side == Bypass::Left { 1.0 } else { -1.0 }
}

/// A direction turned to the left, by radians.
fn turned(along: Plane, angle: f64) -> Plane {
    let (sine, cosine) = libm::sincos(angle);
    [along[0] * cosine - along[1] * sine, along[0] * sine + along[1] * cosine]
}
