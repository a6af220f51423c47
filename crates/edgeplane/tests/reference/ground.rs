//! The model's ground: distances, areas, zones, flights, and walkers.

use edgeplane::fight::{Event, Source};
use edgeplane::program::ZoneId;
use edgeplane::{AbilityId, StatusId, Time};

use super::model::{Doing, FOREVER, Model, WIND, ability_id, id};
use super::world::{Ability, Area, Effect, Ground, Pick, SPEED, STEP, Side, TRAVEL};

/// How long a walker keeps a target that it has picked, even if it would pick another one.
const PICKED_FOR: u64 = 1_000_000;
/// The tolerance for rounding errors of distances.
pub(super) const HAIR: f64 = 1e-6;

/// An active zone.
#[derive(Clone, Debug)]
pub(super) struct Placed {
    pub(super) serial: u32,
    pub(super) rule: usize,
    pub(super) owner: usize,
    source: Source,
    pub(super) carrier: Option<usize>,
    middle: [f64; 2],
    since: u64,
    pub(super) ends: u64,
    inside: Vec<usize>,
    entered: u32,
}

/// An ability in flight.
#[derive(Clone, Debug)]
pub(super) struct Flight {
    pub(super) at: u64,
    pub(super) caster: usize,
    ability: usize,
    pub(super) target: usize,
    order: usize,
}

fn between(from: [f64; 2], to: [f64; 2]) -> [f64; 2] {
    [to[0] - from[0], to[1] - from[1]]
}

fn length(a: [f64; 2]) -> f64 {
    (a[0] * a[0] + a[1] * a[1]).sqrt()
}

/// The smallest distance of a segment from a point to another point.
fn beside(from: [f64; 2], along: [f64; 2], long: f64, point: [f64; 2]) -> f64 {
    let v = between(from, point);
    let ahead = (v[0] * along[0] + v[1] * along[1]).clamp(0.0, long);
    length([v[0] - along[0] * ahead, v[1] - along[1] * ahead])
}

impl Model<'_> {
    pub(super) fn apart(&self, one: usize, other: usize) -> f64 {
        length(between(self.all[one].at, self.all[other].at))
    }

    /// The smaller of two distances; records if only rounding decides.
    pub(super) fn lesser(&self, a: f64, b: f64) -> std::cmp::Ordering {
        self.close_call.set(self.close_call.get() || (a != b && (a - b).abs() < 1e-9));
        a.total_cmp(&b)
    }

    pub(super) fn body(&self, who: usize) -> f64 {
        self.rule_of(who).body
    }

    pub(super) fn within(&self, one: usize, other: usize, metres: f64) -> bool {
        !self.world.is_placed() || self.apart(one, other) <= metres + self.body(other) + HAIR
    }

    // ---------------------------------------------------------------------------------------------------------- areas

    /// Whether a combatant's body touches the area that an ability has for a first target.
    fn touches(&self, who: usize, first: usize, area: Area, other: usize) -> bool {
        let (tip, aim, place) = (self.all[who].at, self.all[first].at, self.all[other].at);
        let toward = between(tip, aim);
        let far = length(toward);
        let along = [toward[0] / far, toward[1] / far];
        let body = self.body(other) + HAIR;
        let no_direction = far <= HAIR;
        match area {
            Area::None | Area::Chain(_) => false,
            Area::Radius(radius) => length(between(aim, place)) <= radius + body,
            Area::Around(radius) => length(between(tip, place)) <= radius + body,
            Area::Cone(_, long) if no_direction => length(between(tip, place)) <= long + body,
            Area::Line(wide, _) if no_direction => length(between(tip, place)) <= wide / 2.0 + body,
            Area::Line(wide, long) => {
                // A strip contains all points near enough to one of the lines along it.
                let v = between(tip, place);
                let aside = (v[0] * along[1] - v[1] * along[0]).clamp(-wide / 2.0, wide / 2.0);
                let start = [tip[0] + along[1] * aside, tip[1] - along[0] * aside];
                beside(start, along, long, place) <= body
            }
            Area::Cone(degrees, long) => {
                let v = between(tip, place);
                let angle = (v[0] * along[1] - v[1] * along[0]).atan2(v[0] * along[0] + v[1] * along[1]);
                let half = degrees.to_radians() / 2.0;
                let angle = angle.clamp(-half, half);
                let (sine, cosine) = angle.sin_cos();
                let along = [along[0] * cosine + along[1] * sine, along[1] * cosine - along[0] * sine];
                beside(tip, along, long, place) <= body
            }
        }
    }

    pub(super) fn in_area(&self, who: usize, first: usize, rule: &Ability) -> Vec<usize> {
        let candidates = self.candidates(who, rule);
        let count = rule.count.unwrap_or(usize::MAX);
        if let Area::Chain(within) = rule.area {
            let mut chain = vec![first];
            while let Some(last) = chain.last().copied().filter(|_| chain.len() < count) {
                let left = candidates.iter().copied();
                let left =
                    left.filter(|other| !chain.contains(other) && *other != who && self.within(last, *other, within));
                match left.min_by(|a, b| self.lesser(self.apart(last, *a), self.apart(last, *b))) {
                    Some(next) => chain.push(next),
                    None => break,
                }
            }
            return chain;
        }
        let circle = matches!(rule.area, Area::Radius(_) | Area::Around(_));
        let middle = if matches!(rule.area, Area::Radius(_)) { first } else { who };
        let inside =
            |other: &usize| (circle || *other != who || first == who) && self.touches(who, first, rule.area, *other);
        let mut inside: Vec<usize> = candidates.into_iter().filter(inside).collect();
        inside.sort_by(|a, b| self.lesser(self.apart(middle, *a), self.apart(middle, *b)));
        inside.truncate(count);
        inside
    }

    // --------------------------------------------------------------------------------------------------- moving others

    pub(super) fn shift(&mut self, who: usize, target: usize, source: Source, metres: f64) {
        let (from, middle) = (self.all[target].at, self.all[who].at);
        let away = between(middle, from);
        let far = length(away);
        if far <= HAIR {
            return;
        }
        let to =
            if metres <= -far { middle } else { [from[0] + away[0] / far * metres, from[1] + away[1] / far * metres] };
        self.put_at(target, to);
        self.report(Event::Shifted { target: id(target), caster: id(who), source, from, to });
    }

    pub(super) fn leap(&mut self, who: usize, target: usize, source: Source, metres: f64) {
        let (from, aim) = (self.all[who].at, self.all[target].at);
        let ahead = between(from, aim);
        let far = length(ahead);
        let step = far - metres - self.body(target);
        if step <= HAIR {
            return;
        }
        let to = [from[0] + ahead[0] / far * step, from[1] + ahead[1] / far * step];
        self.put_at(who, to);
        self.report(Event::Shifted { target: id(who), caster: id(who), source, from, to });
    }

    pub(super) fn put_at(&mut self, who: usize, place: [f64; 2]) {
        self.all[who].at = place;
    }

    // ---------------------------------------------------------------------------------------------------------- zones

    pub(super) fn place_zone(&mut self, who: usize, source: Source, on: usize, rule: usize) {
        let zone = &self.world.zones[rule];
        let same = |placed: &Placed| placed.rule == rule && placed.owner == who;
        if self.zones.iter().filter(|placed| same(placed)).count() >= zone.most {
            let oldest = self.zones.iter().position(same).unwrap();
            self.end_zone(oldest);
        }
        let ends = zone.lasts.map_or(FOREVER, |lasts| self.now + lasts);
        let middle = self.all[on].at;
        self.zones.push(Placed {
            serial: self.next_zone,
            rule,
            owner: who,
            source,
            carrier: zone.carried.then_some(on),
            middle,
            since: self.now,
            ends,
            inside: Vec::new(),
            entered: 0,
        });
        self.next_zone += 1;
        let until = (ends < FOREVER).then_some(Time(ends));
        let (carried, radius) = (zone.carried, zone.radius);
        self.report(Event::ZoneBegan {
            zone: ZoneId(rule as u16),
            owner: id(who),
            on: id(on),
            carried,
            middle,
            radius,
            until,
        });
    }

    pub(super) fn end_zone(&mut self, index: usize) {
        let placed = self.zones.remove(index);
        self.report(Event::ZoneEnded { zone: ZoneId(placed.rule as u16), owner: id(placed.owner) });
        let mut inside = placed.inside.clone();
        inside.sort_unstable();
        for who in inside {
            self.let_go(who, placed.serial);
            self.crossing_effect(&placed, who, self.world.zones[placed.rule].leaves);
        }
    }

    fn crossing_effect(&mut self, placed: &Placed, who: usize, effect: Option<Effect>) {
        if let Some(effect) = effect {
            self.by_zone = true;
            self.effect(placed.owner, placed.source, who, effect, 1);
            self.by_zone = false;
        }
    }

    fn concerns(&self, placed: &Placed, who: usize) -> bool {
        let rule = &self.world.zones[placed.rule];
        let ally = self.side_of(who) == self.side_of(placed.owner);
        let side = match rule.affects {
            Side::Enemies => !ally,
            Side::Allies => ally,
            _ => true,
        };
        self.all[who].stands && if who == placed.owner { rule.owner } else { side }
    }

    fn covers(&self, placed: &Placed, who: usize) -> bool {
        let rule = &self.world.zones[placed.rule];
        let middle = placed.carrier.map_or(placed.middle, |carrier| self.all[carrier].at);
        let radius = rule.radius + rule.grows * ((self.now - placed.since) as f64 / 1e6);
        !self.world.is_placed() || length(between(middle, self.all[who].at)) <= radius + HAIR
    }

    /// Handles crossed edges and zones that have lost their carrier; returns whether there were any.
    pub(super) fn cross_edges(&mut self) -> bool {
        let orphan = |model: &Self| {
            let lost = |placed: &Placed| placed.carrier.is_some_and(|carrier| !model.all[carrier].stands);
            model.zones.iter().position(lost)
        };
        let mut any = false;
        while let Some(index) = orphan(self) {
            self.end_zone(index);
            any = true;
        }
        let mut next = 0;
        while let Some(serial) = self.zones.iter().map(|placed| placed.serial).find(|serial| *serial >= next) {
            next = serial + 1;
            for who in 0..self.all.len() {
                let Some(index) = self.zones.iter().position(|placed| placed.serial == serial) else { break };
                let placed = self.zones[index].clone();
                let is_in = self.concerns(&placed, who) && self.covers(&placed, who);
                if is_in != placed.inside.contains(&who) {
                    self.cross(index, who, is_in);
                    any = true;
                }
            }
        }
        self.respond();
        any
    }

    fn cross(&mut self, index: usize, who: usize, enters: bool) {
        let placed = self.zones[index].clone();
        let rule = &self.world.zones[placed.rule];
        let (zone, owner) = (ZoneId(placed.rule as u16), id(placed.owner));
        if !enters {
            self.zones[index].inside.retain(|other| *other != who);
            if self.all[who].stands {
                self.report(Event::Left { who: id(who), zone, owner });
                self.let_go(who, placed.serial);
                self.crossing_effect(&placed, who, rule.leaves);
            }
            return;
        }
        self.zones[index].inside.push(who);
        self.report(Event::Entered { who: id(who), zone, owner });
        if let Some(status) = rule.applies {
            self.hold(placed.owner, placed.source, placed.serial, who, status);
        }
        self.crossing_effect(&placed, who, rule.enters);
        let Some(index) = self.zones.iter().position(|one| one.serial == placed.serial) else { return };
        self.zones[index].entered += 1;
        if rule.uses.is_some_and(|uses| self.zones[index].entered >= uses) {
            self.end_zone(index);
        }
    }

    /// A status of a zone is applied like any other, and lasts while its owner is inside.
    pub(super) fn hold(&mut self, by: usize, source: Source, zone: u32, who: usize, status: usize) {
        // Permanent statuses are not removed by a zone.
        let for_good =
            |held: &super::model::Held| held.status == status && held.ends == FOREVER && held.zones.is_empty();
        let for_good = self.all[who].held.iter().any(for_good);
        self.apply(by, source, who, status, Some(FOREVER), 1);
        if for_good {
            return;
        }
        if let Some(held) = self.all[who].held.iter_mut().find(|held| held.status == status) {
            held.zones.push(zone);
        }
    }

    /// Outside the last zone that held it, a status lasts for its own duration, or longer if it has been prolonged.
    pub(super) fn let_go(&mut self, who: usize, zone: u32) {
        let now = self.now;
        let of_zone = |held: &super::model::Held| held.zones.contains(&zone);
        let Some(index) = self.all[who].held.iter().position(of_zone) else { return };
        let held = &mut self.all[who].held[index];
        held.zones.retain(|other| *other != zone);
        if !held.zones.is_empty() {
            return;
        }
        let until = now + self.world.statuses[held.status].duration;
        held.ends = if held.ends < FOREVER { held.ends.max(until) } else { until };
        let (status, until) = (StatusId(held.status as u16), Time(held.ends));
        self.report(Event::StatusMoved { target: id(who), status, until });
    }

    // -------------------------------------------------------------------------------------------------------- flights

    pub(super) fn send_out(&mut self, who: usize, ability: usize, targets: &[usize]) {
        for (number, target) in targets.iter().enumerate().filter(|(_, target)| self.all[**target].stands) {
            let at = self.now + (self.apart(who, *target) / TRAVEL * 1e6).round() as u64;
            self.flights.push(Flight { at, caster: who, ability, target: *target, order: number + 1 });
        }
        let sent = self.flights.len() - targets.iter().filter(|target| self.all[**target].stands).count();
        let sent: Vec<(u64, usize)> = self.flights[sent..].iter().map(|flight| (flight.at, flight.target)).collect();
        for (at, target) in sent {
            let arrives = Time(at);
            self.report(Event::Flies { caster: id(who), ability: ability_id(ability), target: id(target), arrives });
        }
    }

    pub(super) fn arrive(&mut self, who: usize) -> bool {
        let mut any = false;
        while let Some(index) = self.flights.iter().position(|one| one.caster == who && one.at == self.now) {
            any = true;
            let Flight { ability, target, order, .. } = self.flights.remove(index);
            if !self.all[target].stands {
                self.report(Event::Lost { caster: id(who), ability: ability_id(ability) });
                continue;
            }
            let source = Source::Ability(AbilityId(ability as u16));
            for (effect, to, only) in &self.world.abilities[ability].does {
                if *to == super::world::To::Target {
                    self.effect_if(who, source, target, *effect, order, *only);
                }
            }
        }
        any
    }

    // -------------------------------------------------------------------------------------------------------- walking

    /// The goals of all members of the first side that cannot act.
    pub(super) fn goals(&mut self) -> Vec<(usize, usize)> {
        if self.world.ground != Ground::Walked {
            return Vec::new();
        }
        // If the set of possible targets has changed, there may be a new goal.
        let seen: Vec<_> = (0..self.all.len()).map(|who| self.seen_as(who)).collect();
        if std::mem::replace(&mut self.seen, seen.clone()) != seen {
            self.all.iter_mut().for_each(|one| one.wants = one.wants.filter(Option::is_some));
        }
        (0..self.all.len()).filter_map(|who| Some((who, self.goal_of(who)?))).collect()
    }

    /// All walkers make a step.
    pub(super) fn walk(&mut self) {
        for (who, target) in self.goals() {
            let step = SPEED * (STEP as f64 / 1e6);
            let ahead = self.all[target].at[0] - self.all[who].at[0];
            self.all[who].at[0] += step.copysign(ahead);
        }
    }

    fn goal_of(&mut self, who: usize) -> Option<usize> {
        let one = &self.all[who];
        let walks = one.side == 0 && one.stands && !one.by_hand && (one.doing == Doing::Idle || one.mobile);
        // The goal is chosen when a walker sets out, and kept until a line is closed by distance only.
        let chosen = self.all[who].wants.take().filter(|_| walks);
        let aims = self.all[who].aims.take();
        if !walks {
            return None;
        }
        let world = self.world;
        let lines = world.lines(self.rule_of(who));
        let first = |model: &Self, ability: usize| model.picked(who, &world.abilities[ability]).first().copied();
        for (number, (ability, when)) in lines.iter().enumerate() {
            let rule = &world.abilities[*ability];
            let affordable = rule.cost - self.amount(who, WIND) <= 1e-9 * 40.0;
            if let (Some(reach), None, true) = (rule.reaches(), self.closed(who, *ability), affordable) {
                let wanted = first(self, *ability).filter(|target| self.holds(who, *target, *when));
                match wanted {
                    Some(target) if !self.within(who, target, reach) => {
                        let is_kept = |(line, target, at): &(usize, usize, u64)| {
                            let is_free = self.taunter(who, rule.side).is_none_or(|taunter| taunter == *target);
                            let all = self.candidates(who, rule);
                            let is_recent = rule.pick == Pick::First || all.len() < 2 || self.now < at + PICKED_FOR;
                            *line == number && is_recent && is_free && all.contains(target)
                        };
                        let aims = aims.filter(is_kept).unwrap_or((number, target, self.now));
                        self.all[who].aims = Some(aims);
                        return Some(aims.1);
                    }
                    // One that is busy, or has not reacted yet, stays where it can use it.
                    Some(_) if self.all[who].doing != Doing::Idle || self.all[who].reacts.is_some() => return None,
                    _ => {}
                }
            }
        }
        let known = self.known(who);
        let target_of = |model: &Self, number: usize| {
            let (ability, _) = lines[number];
            (known[ability] && world.abilities[ability].reaches().is_some()).then(|| first(model, ability)).flatten()
        };
        let wanted = |number: usize| {
            let target = target_of(self, number)?;
            self.holds(who, target, lines[number].1).then_some((number, target))
        };
        let is_kept = |(number, target): (usize, usize)| {
            let rule = &world.abilities[lines[number].0];
            let is_free = self.taunter(who, rule.side).is_none_or(|taunter| taunter == target);
            is_free && target_of(self, number).is_some() && self.candidates(who, rule).contains(&target)
        };
        let choice = match chosen {
            Some(Some(choice)) if is_kept(choice) => Some(choice),
            Some(None) => None,
            _ => (0..lines.len()).find_map(wanted),
        };
        self.all[who].wants = Some(choice);
        let (number, target) = choice?;
        let reach = world.abilities[lines[number].0].reaches()?;
        (!self.within(who, target, reach)).then_some(target)
    }
}
