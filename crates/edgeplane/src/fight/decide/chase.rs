//! Courses: to where somebody will be in reach, after whoever cannot be caught, and away from enemies that are too near.

use super::super::engine::Engine;
use super::super::state::{Bypass, Walk};
use crate::numbers::Extremes;
use crate::program::{
    CombatantId, HAIR, POLL, Plane, Spot, Time, inner, is_nowhere, length, meeting, minus, parting, toward,
};
use crate::rules::{Moves, SideRule};

/// Metres to the edge of its reach within which one goes along with a target that leaves.
const AT_EDGE: f64 = 0.05;

/// Metres too near within which one goes along with an enemy that comes.
const AT_RIM: f64 = 1e-3;

/// The tangent of the angle, some six degrees, by which whoever follows or retreats is off its course before it turns. What turns
/// at a smaller angle turns more often and is hardly nearer for it.
const OFF_COURSE: f64 = 0.1;

/// Metres by which one that keeps its distance stays farther away from whom it walks to.
const CLEARANCE: f64 = 0.01;

/// Metres that one goes past an enemy at least: for less it stands still.
const LEAST_STEP: f64 = 0.05;

/// The sine of an angle below which somebody is straight behind another one, but for what arithmetic leaves. One goes past to
/// greater y then, so that sides that stand mirrored do the same.
const LEAST_ASIDE: f64 = 1e-9;

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

    /// To within how many metres of a target somebody walks: no nearer than the distance that it keeps from enemies.
    pub(super) fn nearest_approach(&self, who: CombatantId, target: CombatantId, reach: f64) -> f64 {
        match self.setup.policies[who.index()].moves {
            Moves::KeepDistance(metres) if self.side_of(target) != self.side_of(who) => {
                reach.larger(metres + CLEARANCE)
            }
            _ => reach,
        }
    }

    /// Has one that keeps its distance plan anew when an enemy will be too near on the planned course; if that is so almost at
    /// once, it goes past that one or stands still.
    pub(super) fn keep_clear(&mut self, who: CombatantId, goal: Option<(CombatantId, f64)>, metres: f64, speed: f64) {
        let Walk { course: planned, until, .. } = self.state.walks[who.index()];
        let soon = self.state.now + POLL;
        let first = self.first_too_near(who, planned, metres);
        let blocker = first.filter(|(at, _)| *at <= soon.min(until));
        let (course, until) = if let Some((_, enemy)) = blocker {
            let goal = goal.filter(|_| !is_nowhere(planned));
            let past = goal.and_then(|(goal, _)| self.way_past(who, goal, enemy, metres, speed));
            past.or_else(|| self.along(who, enemy, metres, speed)).unwrap_or_else(|| {
                // While that one stands, and until it turns, the way stays as it is.
                let stands = is_nowhere(self.course_of(enemy));
                ([0.0; 2], if stands { self.state.now + ANEW } else { soon })
            })
        } else {
            self.state.walks[who.index()].passes = None;
            (planned, until.min(first.map_or(Time::NEVER, |(at, _)| self.looks_before(at, planned))))
        };
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.until) = (course, until);
    }

    /// On the course of an enemy that comes nearer, at whose edge one is: so the distance stays as it is. Not, if that is faster, or
    /// leads too near to another one.
    fn along(&self, who: CombatantId, enemy: CombatantId, metres: f64, speed: f64) -> Option<(Plane, Time)> {
        let Spot { place, course, .. } = self.spot_of(enemy);
        let soon = self.state.now + POLL;
        let comes = length(course) <= speed && inner(course, minus(self.place_of(who), place)) > 0.0;
        let until = self.first_too_near(who, course, metres).map_or(Time::NEVER, |(at, _)| at);
        if !comes || until <= soon || !self.leads_into_no_zone(who, course, speed * ANEW.seconds()) {
            return None;
        }
        Some((course, until.min(self.state.now + ANEW)))
    }

    /// Past an enemy that is in the way to somebody, at a right angle to the direction in which it is, and until when. It
    /// is no way past where that brings it hardly nearer, or too near to others or into zones that it avoids, or if two have it turn
    /// to different sides.
    fn way_past(
        &mut self,
        who: CombatantId,
        goal: CombatantId,
        enemy: CombatantId,
        metres: f64,
        speed: f64,
    ) -> Option<(Plane, Time)> {
        let walk = &self.state.walks[who.index()];
        let (planned, passes) = (toward(walk.course, 1.0), walk.passes);
        let (far, near) = (self.apart(who, goal), self.apart(who, enemy));
        let ahead = toward(minus(self.spot_of(enemy).place, self.place_of(who)), 1.0);
        let aside = ahead[0] * planned[1] - ahead[1] * planned[0];
        // Of what is straight behind that enemy both sides are as near; this stays the nearer one once it is begun.
        let turns = if aside.abs() > LEAST_ASIDE { aside } else { ahead[0] };
        let (side, sign) = if turns >= 0.0 { (Bypass::Left, 1.0) } else { (Bypass::Right, -1.0) };
        let most = POLL.seconds();
        let seconds = if far > near { most } else { most.smaller(aside.abs() * far / speed) };
        let past = [-ahead[1] * sign * speed, ahead[0] * sign * speed];
        let is_way = seconds * speed > LEAST_STEP.smaller(most * speed / 2.0)
            && passes.is_none_or(|begun| begun == side)
            && self.first_too_near(who, past, metres).is_none_or(|(at, _)| at > self.state.now + POLL)
            && self.leads_into_no_zone(who, past, speed * seconds);
        if !is_way {
            return None;
        }
        self.state.walks[who.index()].passes = Some(side);
        Some((past, self.after(seconds)))
    }

    /// When one on a course looks where to go for whom an enemy will be too near at a moment: shortly before, if it walks, and in
    /// no case before a tenth of a second has passed, for two who keep their distance would else turn each other round at every
    /// microsecond.
    fn looks_before(&self, at: Time, course: Plane) -> Time {
        let soon = self.state.now + POLL;
        if at == Time::NEVER || at <= soon || is_nowhere(course) { at.max(soon) } else { Time(at.0 - POLL.0 / 2) }
    }

    /// The course on which somebody is once all have set out in this moment, whoever is the first of them.
    fn course_taken(&self, who: CombatantId) -> Plane {
        if self.state.who(who).is_moved { self.course_of(who) } else { self.state.walks[who.index()].course }
    }

    /// Which enemy will be too near first, on a course and if all others go on as they do, and when.
    fn first_too_near(&self, who: CombatantId, course: Plane, metres: f64) -> Option<(Time, CombatantId)> {
        let enemies = self.targets_of(who, SideRule::Enemies).iter();
        enemies.map(|enemy| (self.comes_near_at(who, *enemy, course, metres), *enemy)).min()
    }

    fn comes_near_at(&self, who: CombatantId, enemy: CombatantId, course: Plane, metres: f64) -> Time {
        let their = self.spot_of(enemy);
        let away = minus(their.place, self.place_of(who));
        self.is_inside_at(away, minus(their.course, course), within(metres + their.body))
    }

    /// When something that moves so is within a distance; never, if it is so already.
    fn is_inside_at(&self, away: Plane, moves: Plane, metres: f64) -> Time {
        if inner(away, away) <= metres * metres {
            return Time::NEVER;
        }
        meeting(away, moves, 0.0, metres).map_or(Time::NEVER, |seconds| self.after(seconds))
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
        if distance > metres - AT_RIM
            && let Some((course, until)) = self.along(who, nearest, metres, speed)
        {
            let walk = &mut self.state.walks[who.index()];
            (walk.course, walk.until) = (course, until);
            return true;
        }
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

    /// When an enemy that is on a new course has one plan its way that keeps its distance; in this very moment, if that one may go
    /// along with it.
    pub(super) fn keeps_distance_until(&self, who: CombatantId, enemy: CombatantId, metres: f64) -> Time {
        let (course, their) = (self.course_taken(who), self.spot_of(enemy));
        let (away, edge, stands) = (minus(their.place, self.place_of(who)), metres + their.body, is_nowhere(course));
        let is_within = |metres: f64| inner(away, away) < metres * metres;
        if is_within(edge + AT_RIM) && !is_within((edge - AT_RIM).larger(0.0)) && !stands {
            return self.state.now;
        }
        if is_within(within(edge)) {
            return self.turns_at(self.retreats_for(who, enemy, course, metres));
        }
        let looks = self.looks_before(self.is_inside_at(away, minus(their.course, course), within(edge)), course);
        // Who stands because that one was in its way may go on.
        let was_in_its_way = stands && is_within(edge + self.speed(who) * POLL.seconds());
        if was_in_its_way { looks.min(self.state.now + POLL) } else { looks }
    }
}

/// Well within a distance, so that whoever is there then is too near and not only at the edge.
fn within(metres: f64) -> f64 {
    (metres - 2.0 * HAIR).larger(0.0)
}
