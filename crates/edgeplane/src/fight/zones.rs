//! Zones: who is inside, exactly when that changes, and what follows from it.
//!
//! Everybody moves in straight lines, so the moment at which somebody crosses an edge is computed and never looked
//! for. It is computed anew whenever somebody changes course, and when a zone comes or goes.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::ground::{Plane, inner, meeting, minus, parting};
use super::inflict::Dose;
use super::limits::{FightError, FightErrorKind};
use super::outcomes::By;
use super::timeline::{Phase, Timer};
use crate::program::HAIR;
use crate::program::{Chance, CombatantId, Frame, LostReason, StatusId, Time, ZoneId, ZonePlan};
use crate::rules::{Again, ZoneSide};

/// Holds what an ability has its caster have while it is used, in place of a zone.
pub(super) const IN_USE: u32 = u32::MAX;
/// Most zones at once.
const MOST: usize = 1_000;

/// A zone that is there.
#[derive(Clone, Copy, PartialEq)]
pub(super) struct Zone {
    id: ZoneId,
    /// Tells it apart from all others of the fight.
    serial: u32,
    by: By,
    carrier: Option<CombatantId>,
    middle: Plane,
    /// When it came about, and by how many metres it grows each second.
    since: Time,
    growth: f64,
    radius: f64,
    ends: Time,
    /// Who is inside, one bit each.
    inside: [u64; 16],
}

impl std::fmt::Debug for Zone {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Zone").field("id", &self.id).field("serial", &self.serial).finish_non_exhaustive()
    }
}

impl Zone {
    /// Metres from its middle to its edge at a moment.
    fn radius_at(&self, now: Time) -> f64 {
        (self.radius + self.growth * (now - self.since).seconds()).max(0.0)
    }

    fn holds(&self, who: CombatantId) -> bool {
        self.inside[who.index() / 64] >> (who.index() % 64) & 1 == 1
    }

    fn turn(&mut self, who: CombatantId) {
        self.inside[who.index() / 64] ^= 1 << (who.index() % 64);
    }
}

/// A status that lasts for as long as its owner is in a zone, or uses an ability.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Hold {
    zone: u32,
    pub(super) who: CombatantId,
    status: u32,
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// A zone comes about, around somebody.
    pub(super) fn place_zone(&mut self, by: &By, on: CombatantId, id: ZoneId) -> Outcome<()> {
        let plan = self.program.zone(id);
        let frame = Frame::new(self.program, by.caster, on, 0, self.state.now.micros());
        let radius = plan.radius.map_or(Ok(0.0), |radius| self.positive(radius, &frame))?;
        let growth = plan.grows.map_or(Ok(0.0), |grows| self.number(grows, &frame))?;
        let lasts = match plan.lasts {
            Some(lasts) => Time::from_seconds(self.positive(lasts, &frame)?),
            None => Time::NEVER,
        };
        let same = |zone: &Zone| zone.id == id && zone.by.caster == by.caster;
        if self.state.zones.iter().filter(|zone| same(zone)).count() >= plan.max_instances as usize
            && let Some(oldest) = self.state.zones.iter().position(same)
        {
            self.end_zone(oldest)?;
        }
        if self.state.zones.len() >= MOST {
            return Err(Box::new(FightError { at: self.state.now, kind: FightErrorKind::Zones { most: MOST } }));
        }
        let (serial, ends) = (self.state.next_zone, self.state.now + lasts);
        self.state.next_zone += 1;
        let (carrier, middle) = (plan.carried.then_some(on), self.place_of(on));
        self.state.zones.push(Zone {
            id,
            serial,
            by: *by,
            carrier,
            middle,
            since: self.state.now,
            growth,
            radius,
            ends,
            inside: [0; 16],
        });
        let until = (ends < Time::NEVER).then_some(ends);
        self.tell(Event::ZoneBegan { zone: id, owner: by.caster, on, carried: plan.carried, middle, radius, until });
        self.state.moved = true;
        Ok(())
    }

    /// Zones end whose time has come, then those inside and outside are told apart anew.
    pub(super) fn heed_zones(&mut self) -> Outcome<()> {
        let (now, (before, times)) = (self.state.now, self.state.heeded);
        self.state.heeded = (now, if before == now { times + 1 } else { 1 });
        if self.state.heeded.1 > self.limits.waves {
            return Err(Box::new(FightError { at: now, kind: FightErrorKind::Edges { times } }));
        }
        while let Some(index) = self.state.zones.iter().position(|zone| self.is_over(zone)) {
            self.end_zone(index)?;
        }
        // What entering brings about can end zones, or bring new ones: those are looked at in turn.
        let mut index = 0;
        while let Some(zone) = self.state.zones.get(index).copied() {
            let middle = self.middle_of(&zone).0;
            let edge = zone.radius_at(now) + HAIR;
            for who in self.setup.ids() {
                let away = minus(self.place_of(who), middle);
                let is_in = inner(away, away) <= edge * edge && self.concerns(&zone, who);
                let Some(now) = self.state.zones.get(index).filter(|now| now.serial == zone.serial) else { break };
                if now.holds(who) != is_in {
                    self.cross(index, who, is_in)?;
                }
            }
            index += 1;
        }
        self.answer()?;
        self.schedule_zones();
        Ok(())
    }

    #[inline]
    pub(super) fn has_zones(&self) -> bool {
        !self.state.zones.is_empty()
    }

    fn is_over(&self, zone: &Zone) -> bool {
        zone.ends <= self.state.now || zone.carrier.is_some_and(|carrier| !self.state.actors[carrier].stands)
    }

    fn concerns(&self, zone: &Zone, who: CombatantId) -> bool {
        let plan = self.program.zone(zone.id);
        let owner = zone.by.caster;
        let ally = self.setup.combatants[who.index()].side == self.setup.combatants[owner.index()].side;
        let side = match plan.affects {
            ZoneSide::Allies => ally,
            ZoneSide::Enemies => !ally,
            ZoneSide::Everyone => true,
        };
        self.state.actors[who].stands && if who == owner { plan.owner } else { side }
    }

    fn middle_of(&self, zone: &Zone) -> (Plane, Plane) {
        zone.carrier.map_or((zone.middle, [0.0; 2]), |carrier| (self.place_of(carrier), self.course_of(carrier)))
    }

    fn cross(&mut self, index: usize, who: CombatantId, enters: bool) -> Outcome<()> {
        let program = self.program;
        let zone = &mut self.state.zones[index];
        zone.turn(who);
        let (id, serial, by) = (zone.id, zone.serial, zone.by);
        let plan = program.zone(id);
        if !self.state.actors[who].stands {
            return Ok(());
        }
        if enters {
            self.tell(Event::Entered { who, zone: id, owner: by.caster });
            for status in &plan.statuses {
                self.hold(serial, &by, who, *status)?;
            }
            self.bring_all(&by, who, &plan.enters)
        } else {
            self.tell(Event::Left { who, zone: id, owner: by.caster });
            self.let_go(serial, who)?;
            self.bring_all(&by, who, &plan.leaves)
        }
    }

    fn end_zone(&mut self, index: usize) -> Outcome<()> {
        let zone = self.state.zones.remove(index);
        let plan = self.program.zone(zone.id);
        self.tell(Event::ZoneEnded { zone: zone.id, owner: zone.by.caster });
        for who in self.setup.ids().filter(|who| zone.holds(*who)) {
            self.let_go(zone.serial, who)?;
            if self.state.actors[who].stands {
                self.bring_all(&zone.by, who, &plan.leaves)?;
            }
        }
        Ok(())
    }

    /// A status is applied on entering, and does not end by itself before its owner has left.
    pub(super) fn hold(&mut self, zone: u32, by: &By, who: CombatantId, status: StatusId) -> Outcome<()> {
        let plan = self.program.status(status);
        let caster = by.caster;
        let same = |one: &super::held::Instance| {
            one.status == status && ((!plan.per_caster && plan.again != Again::Separate) || one.caster == caster)
        };
        let held = &self.state.statuses[who.index()];
        // What its owner has for good is not the zone's to take away.
        let for_good = held.iter().any(|one| same(one) && one.held == 0 && one.ends >= Time::NEVER);
        self.inflict(by, who, status, Dose { stacks: 1, duration: Some(f64::INFINITY) })?;
        if let Some(one) = self.state.statuses[who.index()].iter_mut().rfind(|one| same(one) && !for_good) {
            one.held += 1;
            one.schedule(plan, self.state.now);
            let hold = Hold { zone, who, status: one.serial };
            self.state.holds.push(hold);
            self.schedule_statuses(who);
        }
        Ok(())
    }

    /// Statuses that a zone has held go on for their own duration; those without one end.
    pub(super) fn let_go(&mut self, zone: u32, who: CombatantId) -> Outcome<()> {
        let of = |hold: &Hold| hold.zone == zone && hold.who == who;
        while let Some(at) = self.state.holds.iter().position(of) {
            let hold = self.state.holds.remove(at);
            let Some(index) = self.state.held(who, hold.status) else { continue };
            let one = &mut self.state.statuses[who.index()][index];
            one.held -= 1;
            let (status, caster) = (one.status, one.caster);
            if one.held > 0 {
                continue;
            }
            let plan = self.program.status(status);
            let Some(duration) = plan.duration else {
                self.lose(who, index, LostReason::NotHolding)?;
                continue;
            };
            let now = self.state.now;
            let saved = self.state.memory.locals();
            let super::state::State { statuses, memory, .. } = &mut *self.state;
            statuses[who.index()][index].load(memory, now);
            let duration = self.positive(duration, &Frame::new(self.program, caster, who, 0, now.micros()));
            self.state.memory.set_locals(&saved);
            let one = &mut self.state.statuses[who.index()][index];
            one.linger(now + Time::from_seconds(duration?));
            one.schedule(plan, now);
            let until = one.ends;
            self.tell(Event::StatusMoved { target: who, status, until });
            self.schedule_statuses(who);
        }
        Ok(())
    }

    /// Sets the timer for the next end or crossing.
    pub(super) fn schedule_zones(&mut self) {
        let next = self.state.zones.iter().map(|zone| zone.ends.min(self.next_crossing(zone))).min();
        match next.filter(|at| *at < Time::NEVER) {
            Some(at) => self.state.timeline.set(CombatantId(0), 0, Timer::Zone, at.max(self.state.now), Phase::Zone),
            None => self.state.timeline.clear(CombatantId(0), Timer::Zone),
        }
    }

    fn next_crossing(&self, zone: &Zone) -> Time {
        if !self.setup.is_placed {
            return Time::NEVER;
        }
        let (middle, course) = self.middle_of(zone);
        let crossing = |who: CombatantId| {
            let away = minus(self.place_of(who), middle);
            let velocity = minus(self.course_of(who), course);
            // Out is only who is well out, and not at the edge.
            let (radius, growth) = (zone.radius_at(self.state.now), zone.growth);
            // A zone that has shrunk to a point holds nobody who is not in its very middle.
            let growth = if radius > 0.0 || growth > 0.0 { growth } else { 0.0 };
            if zone.holds(who) {
                parting(away, velocity, growth, radius + 2.0 * HAIR)
            } else {
                meeting(away, velocity, growth, radius)
            }
        };
        let concerned = self.setup.ids().filter(|who| self.concerns(zone, *who));
        concerned.filter_map(crossing).map(|seconds| self.after(seconds)).min().unwrap_or(Time::NEVER)
    }
}

impl super::Fight {
    /// The zones that are there: which, whose, their middles and their radii in metres, in the order in which they came.
    pub fn zones(&self) -> impl Iterator<Item = (&ZonePlan, CombatantId, [f64; 2], f64)> {
        self.state.zones.iter().map(|zone| {
            let middle = zone.carrier.map_or(zone.middle, |carrier| self.place(carrier));
            (self.setup.program.zone(zone.id), zone.by.caster, middle, zone.radius_at(self.state.now))
        })
    }
}
