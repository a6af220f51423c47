//! The ground: who stands where, who is in reach, and where those go who cannot act.
//!
//! Everybody moves in straight lines, so where one is, and when one will be near enough, is computed exactly and
//! never looked for step by step. Whoever sets out takes the others' present courses for what they are; when one of
//! these changes, it looks again.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::outcomes::By;
use super::state::Doing;
use crate::program::{AbilityId, Chance, CombatantId, FormulaId, Frame, HAIR, InHand, Layout, Slot, Time};
use crate::rules::Moves;

/// How often one looks again at one moment because others change their courses.
const NUDGES: u8 = 2;

/// A point or a course on the plane, in metres.
pub(super) type Plane = [f64; 2];

/// What is kept of a combatant on the ground.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Walker {
    /// The course that it has decided on at its last look.
    planned: Plane,
    /// Its last look hung on who is where.
    concerned: bool,
    /// Whom it would use something on, were that one nearer, and within how many metres.
    far: Option<(CombatantId, f64)>,
    /// When, and how often then, it was made to look again by others' courses.
    nudged: (Time, u8),
}

pub(super) fn minus(a: Plane, b: Plane) -> Plane {
    [a[0] - b[0], a[1] - b[1]]
}

pub(super) fn inner(a: Plane, b: Plane) -> f64 {
    a[0] * b[0] + a[1] * b[1]
}

fn length(a: Plane) -> f64 {
    inner(a, a).sqrt()
}

/// So far in a direction; nowhere in none.
fn toward(direction: Plane, metres: f64) -> Plane {
    let long = length(direction);
    if long == 0.0 { [0.0; 2] } else { [direction[0] / long * metres, direction[1] / long * metres] }
}

/// After how many seconds something at `away` that moves with `velocity` is within `reach` of one who goes straight to
/// meet it at `speed`: the least root of |away + velocity τ| = speed τ + reach.
pub(super) fn meeting(away: Plane, velocity: Plane, speed: f64, reach: f64) -> Option<f64> {
    let a = inner(velocity, velocity) - speed * speed;
    let b = 2.0 * (inner(away, velocity) - speed * reach);
    let c = inner(away, away) - reach * reach;
    if c <= 0.0 {
        return Some(0.0);
    }
    let under = b * b - 4.0 * a * c;
    let below = -b + under.max(0.0).sqrt();
    (under >= 0.0 && below > 0.0).then(|| 2.0 * c / below).filter(|seconds| seconds.is_finite())
}

/// After how many seconds something within `edge` metres that moves with `velocity` is outside of an edge that moves away by
/// `growth` metres a second: the first τ with |away + velocity τ| = edge + growth τ. Never, if the edge is no slower.
pub(super) fn parting(away: Plane, velocity: Plane, growth: f64, edge: f64) -> Option<f64> {
    let a = inner(velocity, velocity) - growth * growth;
    let b = 2.0 * (inner(away, velocity) - growth * edge);
    let c = inner(away, away) - edge * edge;
    if c >= 0.0 {
        return Some(0.0);
    }
    if growth < 0.0 && a <= 0.0 {
        // The edge comes in faster than anything leaves, so it is met before it is a point.
        let under = (b * b - 4.0 * a * c).max(0.0);
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

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    fn block(&self, who: CombatantId) -> usize {
        self.program.place(who, Slot(0))
    }

    pub(super) fn place_of(&self, who: CombatantId) -> Plane {
        self.state.memory.place(self.block(who), self.state.now.micros())
    }

    /// The moment at which something that leaves a combatant now, at a speed, is at another one who goes on as it does;
    /// by the straight way to where that one is now, if it can never catch it.
    pub(super) fn arrival(&self, from: CombatantId, to: CombatantId, speed: f64) -> Time {
        let away = minus(self.place_of(to), self.place_of(from));
        let seconds = meeting(away, self.course_of(to), speed, 0.0).unwrap_or(length(away) / speed);
        if seconds == 0.0 { self.state.now } else { self.after(seconds) }
    }

    pub(super) fn course_of(&self, who: CombatantId) -> Plane {
        let first = self.program.place(who, Layout::VELOCITY);
        [self.state.memory.at(first), self.state.memory.at(first + 1)]
    }

    /// Metres between two.
    pub(super) fn apart(&self, one: CombatantId, other: CombatantId) -> f64 {
        self.state.memory.distance(self.block(one), self.block(other), self.state.now.micros())
    }

    /// Whether two are near enough.
    pub(super) fn within(&self, one: CombatantId, other: CombatantId, metres: f64) -> bool {
        self.apart(one, other) <= metres + HAIR
    }

    fn speed(&self, who: CombatantId) -> f64 {
        match self.setup.speed {
            Some(slot) if !self.state.actors[who].rooted => {
                self.state.memory.at(self.program.place(who, slot)).max(0.0)
            }
            _ => 0.0,
        }
    }

    /// How near its first target has to be for an ability; any distance for most.
    pub(super) fn reach_of(&mut self, who: CombatantId, reach: Option<FormulaId>) -> Outcome<f64> {
        let Some(reach) = reach else { return Ok(f64::INFINITY) };
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        self.positive(reach, &frame)
    }

    /// Whether the first of those picked is too far away.
    pub(super) fn too_far(&mut self, who: CombatantId, ability: AbilityId) -> Outcome<Option<Refusal>> {
        let reach = self.reach_of(who, self.program.ability(ability).reach)?;
        let Some(target) = self.state.scratch.picked.first().copied() else { return Ok(None) };
        let distance = self.apart(who, target);
        if distance <= reach + HAIR {
            return Ok(None);
        }
        let away = minus(self.place_of(target), self.place_of(who));
        let closing = minus(self.course_of(target), self.course_of(who));
        let until = meeting(away, closing, 0.0, reach).map(|seconds| self.after(seconds));
        Ok(Some(Refusal::OutOfReach { target, distance, reach, until: until.filter(|until| *until < Time::NEVER) }))
    }

    /// The first microsecond that is not before so many seconds from now; always a later one.
    pub(super) fn after(&self, seconds: f64) -> Time {
        // What arithmetic leaves must not cost a whole microsecond.
        let micros = (seconds * 1e6 - 1e-4).ceil().max(1.0);
        if micros < Time::NEVER.micros() { self.state.now + Time(micros as u64) } else { Time::NEVER }
    }

    /// A look begins.
    pub(super) fn begin_look(&mut self, who: CombatantId) {
        if let Some(walker) = self.state.walkers.get_mut(who.index()) {
            (walker.far, walker.concerned, walker.planned) = (None, false, [0.0; 2]);
        }
    }

    /// Something was refused at this look; the first that is out of reach is worth going to.
    pub(super) fn note_far(&mut self, who: CombatantId, reason: Refusal) {
        if let (Refusal::OutOfReach { target, reach, .. }, Some(walker)) =
            (reason, self.state.walkers.get_mut(who.index()))
        {
            walker.far = walker.far.or(Some((target, reach)));
        }
    }

    /// Nothing can be done for now: where to go meanwhile, and when to look again at the latest.
    pub(super) fn plan_course(&mut self, who: CombatantId, wake: Time) -> Outcome<Time> {
        if !self.setup.is_placed {
            return Ok(wake);
        }
        let moves = self.setup.linked[who.index()].moves;
        let goal = match self.state.walkers[who.index()].far {
            Some(goal) => Some(goal),
            None => self.next_goal(who)?,
        };
        let keeps = matches!(moves, Moves::KeepDistance(_));
        self.state.walkers[who.index()].concerned = goal.is_some() || keeps;
        let speed = self.speed(who);
        if let Moves::KeepDistance(metres) = moves
            && let Some(until) = self.retreat(who, metres, speed)
        {
            return Ok(wake.min(until));
        }
        let wake = match goal {
            Some(goal) => wake.min(self.approach(who, goal, moves, speed)),
            None => wake,
        };
        Ok(match moves {
            Moves::KeepDistance(metres) => wake.min(self.too_near_at(who, metres)),
            Moves::Approach | Moves::Hold => wake,
        })
    }

    /// To where somebody will be in reach; gives when that is, or when to look again at the latest.
    fn approach(&mut self, who: CombatantId, (target, reach): (CombatantId, f64), moves: Moves, speed: f64) -> Time {
        let away = minus(self.place_of(target), self.place_of(who));
        let course = self.course_of(target);
        let goes = moves != Moves::Hold && speed > 0.0;
        let meets = meeting(away, course, if goes { speed } else { 0.0 }, reach);
        if !goes {
            return meets.map_or(Time::NEVER, |seconds| self.after(seconds));
        }
        let ahead = meets.unwrap_or(0.0);
        let aim = [away[0] + course[0] * ahead, away[1] + course[1] * ahead];
        self.state.walkers[who.index()].planned = toward(aim, speed);
        // Who cannot be caught is followed all the same: it may stop, or turn.
        meets.map_or(self.state.now + self.setup.linked[who.index()].reaction, |seconds| self.after(seconds))
    }

    /// When the first enemy will be too near, on the course that was decided on and if all go on as they do; not before
    /// a reaction has passed, for two who keep their distance would else turn each other round at every microsecond.
    fn too_near_at(&self, who: CombatantId, metres: f64) -> Time {
        // Well within, so that whoever is there then is too near and not only at the edge.
        let metres = (metres - 2.0 * HAIR).max(0.0);
        let planned = self.state.walkers[who.index()].planned;
        let coming = self.enemies(who).filter(|enemy| self.apart(who, *enemy) > metres).filter_map(|enemy| {
            let away = minus(self.place_of(enemy), self.place_of(who));
            meeting(away, minus(self.course_of(enemy), planned), 0.0, metres)
        });
        let first = coming.map(|seconds| self.after(seconds)).min().unwrap_or(Time::NEVER);
        first.max(self.state.now + self.setup.linked[who.index()].reaction)
    }

    fn enemies(&self, who: CombatantId) -> impl Iterator<Item = CombatantId> {
        let side = self.setup.combatants[who.index()].side;
        let stands = |other: &CombatantId| self.state.actors[*other].stands;
        self.setup.ids().filter(move |other| self.setup.combatants[other.index()].side != side).filter(stands)
    }

    /// Without anything that is ready and too far: the first line that is wanted and would be too far.
    fn next_goal(&mut self, who: CombatantId) -> Outcome<Option<(CombatantId, f64)>> {
        let setup = self.setup;
        let wanted = self.state.actors[who].lines.wanted;
        for (bit, line) in setup.linked[who.index()].lines.iter().enumerate() {
            let hand: InHand = self.state.in_hand[line.place as usize];
            if !hand.reaches || (line.when.is_some() && wanted >> (bit & 63) & 1 == 0) {
                continue;
            }
            self.pick_targets(who, self.program.ability(line.ability))?;
            if let Some(Refusal::OutOfReach { target, reach, .. }) = self.too_far(who, line.ability)? {
                return Ok(Some((target, reach)));
            }
            // What is in reach is waited for, not run away from.
            if !self.state.scratch.picked.is_empty() {
                return Ok(None);
            }
        }
        Ok(None)
    }

    /// Away from the nearest enemy, if that is too near.
    fn retreat(&mut self, who: CombatantId, metres: f64, speed: f64) -> Option<Time> {
        let nearest = self.enemies(who).min_by(|a, b| self.apart(who, *a).total_cmp(&self.apart(who, *b)))?;
        let distance = self.apart(who, nearest);
        if distance < metres - HAIR && speed > 0.0 {
            let away = minus(self.place_of(who), self.place_of(nearest));
            let seconds = (metres - distance) / speed;
            self.state.walkers[who.index()].planned = toward(away, speed);
            // However near the edge, it takes a while before one turns again.
            let reaction = self.setup.linked[who.index()].reaction;
            return Some(self.after(seconds).max(self.state.now + reaction));
        }
        None
    }

    /// Sets out on the course that was decided on.
    pub(super) fn take_course(&mut self, who: CombatantId) {
        if let Some(walker) = self.state.walkers.get(who.index()) {
            self.turn(who, walker.planned);
        }
    }

    /// Stands still: it acts, or falls, or is kept from moving.
    pub(super) fn stand_still(&mut self, who: CombatantId) {
        if self.setup.is_placed {
            self.turn(who, [0.0; 2]);
        }
    }

    /// A new course from here on.
    pub(super) fn turn(&mut self, who: CombatantId, course: Plane) {
        let change = minus(course, self.course_of(who));
        if change[0].abs().max(change[1].abs()) <= 1e-9 {
            return;
        }
        let from = self.place_of(who);
        self.set_place(who, from, course);
        self.tell(Event::Walks { who, from, course });
    }

    fn set_place(&mut self, who: CombatantId, place: Plane, course: Plane) {
        let first = self.program.place(who, Layout::PLACE);
        let numbers = [place[0], place[1], course[0], course[1], self.state.now.micros()];
        for (index, number) in numbers.into_iter().enumerate() {
            self.state.memory.set(first + index, number);
        }
        self.state.moved = true;
    }

    /// Pushed so many metres away from somebody, or (below zero) pulled toward, at once; never past.
    pub(super) fn shift(&mut self, who: CombatantId, by: &By, metres: f64) {
        let (from, middle) = (self.place_of(who), self.place_of(by.caster));
        let away = minus(from, middle);
        let metres = metres.max(-length(away));
        let step = toward(away, metres);
        if step == [0.0; 2] {
            return;
        }
        let to = [from[0] + step[0], from[1] + step[1]];
        self.set_place(who, to, self.course_of(who));
        self.tell(Event::Shifted { target: who, caster: by.caster, source: by.source, from, to });
        self.look_again(who);
    }

    /// The one who acts moves at once to within so many metres of somebody; not at all, if it is there already.
    pub(super) fn leap(&mut self, by: &By, target: CombatantId, metres: f64) {
        let who = by.caster;
        let (from, aim) = (self.place_of(who), self.place_of(target));
        let ahead = minus(aim, from);
        let far = length(ahead) - metres;
        if far <= 0.0 {
            return;
        }
        let step = toward(ahead, far);
        let to = [from[0] + step[0], from[1] + step[1]];
        self.set_place(who, to, self.course_of(who));
        self.tell(Event::Shifted { target: who, caster: who, source: by.source, from, to });
    }

    /// Somebody has changed course: those look again whose last look hung on who is where.
    #[cold]
    pub(super) fn nudge(&mut self) {
        self.state.moved = false;
        for index in 0..self.state.walkers.len() {
            let who = CombatantId(index as u16);
            let (now, actor) = (self.state.now, &self.state.actors[who]);
            let idle = actor.doing == Doing::Idle && actor.stands && !actor.by_hand;
            let walker = &mut self.state.walkers[index];
            if !walker.concerned || !idle {
                continue;
            }
            let times = if walker.nudged.0 == now { walker.nudged.1 } else { 0 };
            if times < NUDGES {
                walker.nudged = (now, times + 1);
                self.will_choose(who);
            }
        }
    }
}
