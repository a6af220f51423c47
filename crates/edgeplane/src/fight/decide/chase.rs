//! Courses: approaching a target until it is in reach, following one that cannot be caught, and retreating from enemies
//! that are too near.

use super::super::engine::Engine;
use super::super::state::{Bypass, Walk};
use crate::numbers::Extremes;
use crate::program::{
    CombatantId, HAIR, POLL, Plane, Spot, Time, inner, is_nowhere, length, meeting, minus, parting, toward,
};
use crate::rules::{Moves, SideRule};

/// Within this many metres of the edge of its reach, a combatant moves along with a target that leaves.
const AT_EDGE: f64 = 0.05;

/// Within this many metres of its distance, a combatant moves along with an approaching enemy.
const AT_RIM: f64 = 1e-3;

/// The tangent of the angle (about six degrees) by which a pursuit or a retreat may be off before it turns. A smaller
/// angle causes more turns without a noticeably better path.
const OFF_COURSE: f64 = 0.1;

/// Metres by which a combatant that keeps a distance stays farther away from its goal.
const CLEARANCE: f64 = 0.01;

/// The shortest detour past an enemy in metres; for less, the combatant stands still.
const LEAST_STEP: f64 = 0.05;

/// The sine of the angle below which a goal counts as exactly behind an enemy, to absorb rounding errors. The detour
/// then leads to greater y, so that mirrored sides behave in the same way.
const LEAST_ASIDE: f64 = 1e-9;

/// A pursuit or a retreat is checked once per second: another combatant may be nearer by then.
const ANEW: Time = Time(1_000_000);

/// The time in seconds until a target at `away` with a relative velocity `moves` is no longer ahead on a course but
/// beside it; 0 if it already is. Solves |cross(u, away + moves τ)| = tan · inner(u, away + moves τ).
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
    /// A course to where the target will be in reach; if it is in reach, a course that moves along with a target that
    /// would leave.
    pub(super) fn approach(&mut self, who: CombatantId, (target, reach): (CombatantId, f64), moves: Moves, speed: f64) {
        if moves == Moves::Hold || speed == 0.0 {
            return;
        }
        let Spot { place, course, body } = self.spot_of(target);
        let (away, edge) = (minus(place, self.place_of(who)), reach + body);
        // A target that cannot be caught is followed all the same: it may stop or turn.
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

    /// When a pursuit or a retreat turns that is due after a number of seconds, limited so that two combatants do not
    /// turn each other every microsecond.
    fn turns_at(&self, seconds: f64) -> Time {
        let (least, most) = (self.state.now + POLL, self.state.now + ANEW);
        if seconds < f64::INFINITY { self.after(seconds).clamp(least, most) } else { most }
    }

    /// The distance in metres at which an approach stops: not nearer than the distance kept from enemies.
    pub(super) fn nearest_approach(&self, who: CombatantId, target: CombatantId, reach: f64) -> f64 {
        match self.setup.policies[who.index()].moves {
            Moves::KeepDistance(metres) if self.side_of(target) != self.side_of(who) => {
                reach.larger(metres + CLEARANCE)
            }
            _ => reach,
        }
    }

    /// Schedules a new plan for when an enemy will be too near on the planned course; if that is almost immediate,
    /// passes the enemy or stands still.
    pub(super) fn keep_distance_from_enemies(
        &mut self,
        who: CombatantId,
        goal: Option<(CombatantId, f64)>,
        metres: f64,
        speed: f64,
    ) {
        let Walk { course: planned, until, .. } = self.state.walks[who.index()];
        let soon = self.state.now + POLL;
        let first = self.first_too_near(who, planned, metres);
        let blocker = first.filter(|(at, _)| *at <= soon.min(until));
        let (course, until) = if let Some((_, enemy)) = blocker {
            let goal = goal.filter(|_| !is_nowhere(planned));
            let past = goal.and_then(|(goal, _)| self.way_past(who, goal, enemy, metres, speed));
            past.or_else(|| self.along(who, enemy, metres, speed)).unwrap_or_else(|| {
                // While that enemy stands still, and until it turns, the path is kept.
                let stands = is_nowhere(self.course_of(enemy));
                ([0.0; 2], if stands { self.state.now + ANEW } else { soon })
            })
        } else {
            self.state.walks[who.index()].passes = None;
            (planned, until.min(first.map_or(Time::NEVER, |(at, _)| self.next_check_before(at, planned))))
        };
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.until) = (course, until);
    }

    /// Takes the course of an approaching enemy at whose distance the combatant already is, so that the distance stays
    /// constant; not if that is faster than it can walk or leads too near to another enemy.
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

    /// A detour past an enemy on the way to a goal, at a right angle to the direction of the enemy, and its end. There
    /// is none if it brings the combatant hardly nearer, too near to other enemies or into avoided zones, or if two
    /// enemies require different sides.
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
        // If the goal is exactly behind the enemy, both sides are equal; the side that was begun remains the nearer
        // one.
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

    /// When to plan again for an enemy that will be too near at a given time: shortly before, if it walks, and never
    /// within a tenth of a second, so that two combatants that keep their distance do not turn each other every
    /// microsecond.
    fn next_check_before(&self, at: Time, course: Plane) -> Time {
        let soon = self.state.now + POLL;
        if at == Time::NEVER || at <= soon || is_nowhere(course) { at.max(soon) } else { Time(at.0 - POLL.0 / 2) }
    }

    /// The enemy that will be too near first on a course if all others keep their courses, and when.
    fn first_too_near(&self, who: CombatantId, course: Plane, metres: f64) -> Option<(Time, CombatantId)> {
        let enemies = self.targets_of(who, SideRule::Enemies).iter();
        enemies.map(|enemy| (self.comes_near_at(who, *enemy, course, metres), *enemy)).min()
    }

    fn comes_near_at(&self, who: CombatantId, enemy: CombatantId, course: Plane, metres: f64) -> Time {
        let their = self.spot_of(enemy);
        let away = minus(their.place, self.place_of(who));
        self.is_inside_at(away, minus(their.course, course), within(metres + their.body))
    }

    /// When a moving target comes within a distance; never if it already is.
    fn is_inside_at(&self, away: Plane, moves: Plane, metres: f64) -> Time {
        if inner(away, away) <= metres * metres {
            return Time::NEVER;
        }
        meeting(away, moves, 0.0, metres).map_or(Time::NEVER, |seconds| self.after(seconds))
    }

    /// Retreats from the nearest enemy if it is too near: until it is far enough away, no longer in the opposite
    /// direction, or another enemy is as near.
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

    /// The time in seconds until a retreat has gained enough distance, or the enemy is no longer in the opposite
    /// direction.
    fn retreats_for(&self, who: CombatantId, enemy: CombatantId, course: Plane, metres: f64) -> f64 {
        let their = self.spot_of(enemy);
        let (from, leaving) = (minus(self.place_of(who), their.place), minus(course, their.course));
        let away = parting(from, leaving, 0.0, metres + their.body).unwrap_or(f64::INFINITY);
        away.smaller(off_course(from, leaving, course))
    }

    /// Schedules a new plan for a combatant that keeps its distance after an enemy has changed its course; at once if
    /// it may move along with that enemy.
    pub(super) fn keeps_distance_until(&self, who: CombatantId, enemy: CombatantId, metres: f64) -> Time {
        let (course, their) = (self.course_of(who), self.spot_of(enemy));
        let (away, edge, stands) = (minus(their.place, self.place_of(who)), metres + their.body, is_nowhere(course));
        let is_within = |metres: f64| inner(away, away) < metres * metres;
        if is_within(edge + AT_RIM) && !is_within((edge - AT_RIM).larger(0.0)) && !stands {
            return self.state.now;
        }
        if is_within(within(edge)) {
            return self.turns_at(self.retreats_for(who, enemy, course, metres));
        }
        let looks = self.next_check_before(self.is_inside_at(away, minus(their.course, course), within(edge)), course);
        // A combatant that stood still because of that enemy may continue.
        let was_in_its_way = stands && is_within(edge + self.speed(who) * POLL.seconds());
        if was_in_its_way { looks.min(self.state.now + POLL) } else { looks }
    }
}

/// Clearly within a distance, so that a combatant there is too near and not only at the edge.
fn within(metres: f64) -> f64 {
    (metres - 2.0 * HAIR).larger(0.0)
}
