//! Courses: to where somebody will be in reach, after whoever cannot be caught, and away from enemies that are too near.

use super::super::engine::Engine;
use crate::numbers::Extremes;
use crate::program::{CombatantId, HAIR, POLL, Plane, Spot, Time, inner, length, meeting, minus, parting, toward};
use crate::rules::{Moves, SideRule};

/// Metres to the edge of its reach within which one goes along with a target that leaves.
const AT_EDGE: f64 = 0.05;

/// The tangent of the angle, some six degrees, by which whoever follows or retreats is off its course before it turns. What turns
/// at a smaller angle turns more often and is hardly nearer for it.
const OFF_COURSE: f64 = 0.1;

/// Whoever follows or retreats looks once a second whether it still should: somebody else may be nearer by now.
const ANEW: Time = Time(1_000_000);

/// After how many seconds something at `away` that moves so is no more ahead of one on a course, but beside it; 0, if it is so
/// already. Solves |cross(u, away + moves τ)| = tan · inner(u, away + moves τ).
fn off_course(away: Plane, moves: Plane, course: Plane) -> f64 {
    let ahead = toward(course, 1.0);
    let aside = |a: Plane| ahead[0] * a[1] - ahead[1] * a[0];
    let (beside, spare) = (aside(away), OFF_COURSE * inner(ahead, away));
    let (drifts, gains) = (aside(moves), OFF_COURSE * inner(ahead, moves));
    if beside.abs() >= spare {
        return 0.0;
    }
    let on_side = |sign: f64| {
        let closing = sign * drifts - gains;
        if closing > 0.0 { (spare - sign * beside) / closing } else { f64::INFINITY }
    };
    on_side(1.0).smaller(on_side(-1.0))
}

impl Engine<'_> {
    /// To where somebody will be in reach; who is in reach goes along with one that would leave.
    pub(super) fn approach(&mut self, who: CombatantId, (target, reach): (CombatantId, f64), moves: Moves, speed: f64) {
        if moves == Moves::Hold || speed == 0.0 {
            return;
        }
        let Spot { place, course, body } = self.spot_of(target);
        let (away, edge) = (minus(place, self.place_of(who)), reach + body);
        // Who cannot be caught is followed all the same: it may stop, or turn.
        let after_it = || {
            let own = toward(away, speed);
            (self.turns_at(off_course(away, minus(course, own), own)), own)
        };
        let (until, own) = if length(away) <= edge + HAIR {
            let leaving = inner(away, course) > 0.0 && length(away) > edge - AT_EDGE;
            match parting(away, course, 0.0, edge + 2.0 * HAIR) {
                Some(_) if leaving && length(course) <= speed => (Time::NEVER, course),
                Some(_) if leaving => after_it(),
                Some(seconds) => (self.after(seconds), [0.0; 2]),
                None => (Time::NEVER, [0.0; 2]),
            }
        } else if let Some(ahead) = meeting(away, course, speed, edge) {
            let aim = [away[0] + course[0] * ahead, away[1] + course[1] * ahead];
            (self.after(ahead), toward(aim, speed))
        } else {
            after_it()
        };
        let walk = &mut self.state.walks[who.index()];
        (walk.until, walk.course) = (until, own);
    }

    /// When somebody who follows or retreats turns, if that is due after so many seconds: two who turn each other round would else
    /// do so at every microsecond.
    fn turns_at(&self, seconds: f64) -> Time {
        let (least, most) = (self.state.now + POLL, self.state.now + ANEW);
        if seconds < f64::INFINITY { self.after(seconds).clamp(least, most) } else { most }
    }

    /// When the first enemy will be too near, on the course that was planned and if all go on as they do; not before
    /// a tenth of a second has passed, for two who keep their distance would else turn each other round at every
    /// microsecond.
    pub(super) fn too_near_at(&self, who: CombatantId, metres: f64) -> Time {
        let planned = self.state.walks[who.index()].course;
        let enemies = self.targets_of(who, SideRule::Enemies).iter();
        let first = enemies.map(|enemy| self.comes_near_at(who, *enemy, planned, metres)).min();
        first.unwrap_or(Time::NEVER).max(self.state.now + POLL)
    }

    fn comes_near_at(&self, who: CombatantId, enemy: CombatantId, course: Plane, metres: f64) -> Time {
        // Well within, so that whoever is there then is too near and not only at the edge.
        let their = self.spot_of(enemy);
        let metres = (metres + their.body - 2.0 * HAIR).larger(0.0);
        let away = minus(their.place, self.place_of(who));
        if inner(away, away) <= metres * metres {
            return Time::NEVER;
        }
        meeting(away, minus(their.course, course), 0.0, metres).map_or(Time::NEVER, |seconds| self.after(seconds))
    }

    /// Away from the nearest enemy, if that is too near: until it is far enough away, or no more in the other direction, or another
    /// one is as near.
    pub(super) fn retreat(&mut self, who: CombatantId, metres: f64, speed: f64) -> bool {
        let here = self.place_of(who);
        let enemies = self.targets_of(who, SideRule::Enemies);
        let gap = |enemy: &CombatantId| {
            let Spot { place, body, .. } = self.spot_of(*enemy);
            length(minus(here, place)) - body
        };
        let gaps = enemies.iter().map(|enemy| (gap(enemy), *enemy));
        let nearest = gaps.reduce(|first, other| if other.0 < first.0 { other } else { first });
        let Some((distance, nearest)) = nearest.filter(|(distance, _)| *distance < metres - HAIR && speed > 0.0) else {
            return false;
        };
        let Spot { place, .. } = self.spot_of(nearest);
        let course = toward(minus(here, place), speed);
        let others = enemies.iter().filter(|enemy| **enemy != nearest);
        let as_near = others.map(|enemy| {
            let their = self.spot_of(*enemy);
            meeting(minus(their.place, here), minus(their.course, course), 0.0, distance + their.body)
        });
        let first = as_near.flatten().fold(self.retreats_for(who, nearest, course, metres), f64::smaller);
        let until = self.turns_at(first);
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.until) = (course, until);
        self.steer(who, speed * (until - self.state.now).seconds(), speed);
        true
    }

    /// After how many seconds one that retreats from an enemy on a course is far enough away, or no more in the other direction.
    fn retreats_for(&self, who: CombatantId, enemy: CombatantId, course: Plane, metres: f64) -> f64 {
        let their = self.spot_of(enemy);
        let (from, leaving) = (minus(self.place_of(who), their.place), minus(course, their.course));
        let away = parting(from, leaving, 0.0, metres + their.body).unwrap_or(f64::INFINITY);
        away.smaller(off_course(from, leaving, course))
    }

    /// When an enemy that is on a new course has one plan its way that keeps its distance.
    pub(super) fn keeps_distance_until(&self, who: CombatantId, enemy: CombatantId, metres: f64) -> Time {
        let (course, their) = (self.course_of(who), self.spot_of(enemy));
        let is_near = length(minus(their.place, self.place_of(who))) < metres + their.body - 2.0 * HAIR;
        match is_near {
            true => self.turns_at(self.retreats_for(who, enemy, course, metres)),
            false => self.comes_near_at(who, enemy, course, metres).max(self.state.now + POLL),
        }
    }
}
