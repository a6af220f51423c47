//! Zones: who is inside, the exact times at which that changes, and the consequences.
//!
//! All movement is in straight lines, so the time at which a combatant crosses an edge is computed instead of searched.
//! It is stored for each zone and combatant, and recomputed when one of the two changes course and when the time has
//! come. A zone ends after the ticks of its moment, like a status.

use super::super::engine::{Engine, FightResult, emit};
use super::super::limits::FightErrorKind;
use super::super::state::record::StatusRef;
use super::super::state::timers::{Due, Phase, Timer};
use super::super::state::{EffectContext, Hold, Zone};
use super::super::statuses::apply::Dose;
use crate::numbers::Extremes;
use crate::program::{
    CombatantId, HAIR, LostReason, Plane, SideId, StatusId, Time, ZoneId, inner, meeting, minus, parting,
};
use crate::rules::{Reapply, ZoneSide};

/// The holder of statuses that a caster has during a use, instead of a zone.
pub(in crate::fight) const IN_USE: u32 = u32::MAX;
/// The maximum number of zones at once.
const MOST: usize = 1_000;

/// The position, velocity and growth of a zone.
#[derive(Clone, Copy)]
pub(in crate::fight) struct Lies {
    pub(in crate::fight) middle: Plane,
    pub(in crate::fight) course: Plane,
    pub(in crate::fight) radius: f64,
    pub(in crate::fight) growth: f64,
}

/// The combatants that a zone affects.
struct Concern {
    owner: CombatantId,
    of_owner: bool,
    /// The side of its owner.
    side: SideId,
    affects: ZoneSide,
}

/// The edge of a zone at a given time.
struct Edge {
    lies: Lies,
    concern: Concern,
}

impl Zone {
    /// The radius at a given time, in metres.
    pub(in crate::fight) fn radius_at(&self, now: Time) -> f64 {
        (self.radius + self.growth * (now - self.since).seconds()).larger(0.0)
    }

    fn holds(&self, who: CombatantId) -> bool {
        self.inside[who.index() / 64] >> (who.index() % 64) & 1 == 1
    }

    fn turn(&mut self, who: CombatantId) {
        self.inside[who.index() / 64] ^= 1 << (who.index() % 64);
    }
}

impl Engine<'_> {
    /// Places a zone around a combatant.
    pub(in crate::fight) fn place_zone(&mut self, by: &EffectContext, on: CombatantId, id: ZoneId) -> FightResult<()> {
        self.place_zone_at(by, on, self.place_of(on), id)
    }

    /// The same with a different centre.
    pub(in crate::fight) fn place_zone_at(
        &mut self,
        by: &EffectContext,
        on: CombatantId,
        middle: Plane,
        id: ZoneId,
    ) -> FightResult<()> {
        let plan = self.program.zone(id);
        let frame = self.frame(by.caster, on);
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
            return Err(self.error(FightErrorKind::Zones { most: MOST }));
        }
        let (serial, ends) = (self.state.next_zone, self.state.now + lasts);
        self.state.next_zone += 1;
        let carrier = plan.carried.then_some(on);
        let (by_copy, since) = (*by, self.state.now);
        self.state.zones.push(Zone {
            id,
            serial,
            by: by_copy,
            carrier,
            middle,
            since,
            growth,
            radius,
            ends,
            next: Time::ZERO,
            inside: [0; 16],
            entered: 0,
        });
        let until = (ends < Time::NEVER).then_some(ends);
        emit!(self, ZoneBegan { zone: id, owner: by.caster, on, carried: plan.carried, middle, radius, until });
        self.state.add_edge_row(self.setup);
        self.state.edges = true;
        self.schedule_zone_end();
        self.zones_changed();
        Ok(())
    }

    /// Ends the zones whose time is over.
    pub(in crate::fight) fn end_zones(&mut self) -> FightResult<()> {
        let now = self.state.now;
        while let Some(index) = self.state.zones.iter().position(|zone| zone.ends <= now) {
            self.end_zone(index)?;
            self.respond()?;
        }
        self.schedule_zone_end();
        Ok(())
    }

    pub(in crate::fight) fn schedule_zone_end(&mut self) {
        let first = self.state.zones.iter().map(|zone| zone.ends).min().unwrap_or(Time::NEVER);
        let due = Due::new(first, Phase::ZoneEnd, 0, CombatantId(0));
        self.state.timers.set(Timer::ZoneEnd, due, CombatantId(0));
    }

    /// Ends the zones of defeated carriers, then determines anew who is inside the others.
    pub(in crate::fight) fn cross_edges(&mut self) -> FightResult<()> {
        let now = self.state.now;
        let times = if self.state.crossed_at == now { self.state.crossings } else { 0 };
        (self.state.crossed_at, self.state.crossings) = (now, times + 1);
        if times >= self.limits.waves {
            return Err(self.error(FightErrorKind::Edges { times }));
        }
        let orphaned = |engine: &Self, zone: &Zone| zone.carrier.is_some_and(|carrier| !engine.state.stands(carrier));
        while let Some(index) = self.state.zones.iter().position(|zone| orphaned(self, zone)) {
            self.end_zone(index)?;
        }
        let all = std::mem::take(&mut self.state.all_edges);
        let mut moved = std::mem::take(&mut self.state.moved);
        moved.sort_unstable_by_key(|who| self.state.who(*who).rank);
        moved.dedup();
        // Effects of entering can end or place zones: zones are checked in order of placement, so none is skipped when
        // another one ends.
        let mut next = 0;
        loop {
            let index = self.state.zones.partition_point(|zone| zone.serial < next);
            let Some(zone) = self.state.zones.get(index) else { break };
            next = zone.serial + 1;
            let all = all || self.has_changed_edges() || zone.carrier.is_some_and(|carrier| moved.contains(&carrier));
            if all || zone.next <= now || !moved.is_empty() {
                self.check_edge(index, all, &moved)?;
            }
        }
        if self.state.moved.is_empty() {
            moved.clear();
            self.state.moved = moved;
        }
        self.respond()?;
        self.schedule_zone_end();
        let next = self.state.zones.iter().map(|zone| zone.next).min().unwrap_or(Time::NEVER);
        let due = Due::new(next.max(now), Phase::Crossing, 0, CombatantId(0));
        self.state.timers.set(Timer::Crossing, due, CombatantId(0));
        Ok(())
    }

    /// Determines who is inside a zone, and when each combatant crosses its edge next: for all combatants, or only for
    /// those that have changed course and those whose time has come.
    fn check_edge(&mut self, mut index: usize, everybody: bool, moved: &[CombatantId]) -> FightResult<()> {
        let (now, placed) = (self.state.now, self.setup.is_placed);
        let Zone { serial, next: due, .. } = self.state.zones[index];
        let mut row = self.state.edge_row(index);
        // Without positions, an edge is checked once for each cause.
        let mut everybody = everybody || (due <= now && !placed);
        // A few combatants are found faster directly than by scanning all.
        let mut few = !everybody && due > now;
        if !everybody && !few {
            moved.iter().for_each(|who| self.state.edge_times[row + who.index()] = Time::ZERO);
        }
        let (mut edge, mut first, mut number) = (self.edge_of(index), Time::NEVER, 0);
        while number < if few { moved.len() } else { self.state.order.len() } {
            let who = if few { moved[number] } else { self.state.order[number] };
            number += 1;
            if !everybody && !few {
                let at = self.state.edge_times[row + who.index()];
                if at > now {
                    first = first.min(at);
                    continue;
                }
            }
            let (concerned, holds) = (self.is_concerned(&edge.concern, who), self.state.zones[index].holds(who));
            let (mut is_in, mut at) = (false, Time::NEVER);
            if concerned {
                let own = self.spot_of(who);
                let (away, within) = (minus(own.place, edge.lies.middle), edge.lies.radius + HAIR);
                is_in = inner(away, away) <= within * within;
                if placed {
                    at = self.next_crossing(&edge.lies, is_in, away, minus(own.course, edge.lies.course));
                }
            }
            if placed {
                self.state.edge_times[row + who.index()] = at;
                first = first.min(at);
            }
            if holds == is_in {
                continue;
            }
            self.cross(index, who, is_in)?;
            // The effects can end this zone and others, and move those that remain.
            index = self.state.zones.partition_point(|zone| zone.serial < serial);
            if self.state.zones.get(index).is_none_or(|zone| zone.serial != serial) {
                return Ok(());
            }
            (row, edge) = (self.state.edge_row(index), self.edge_of(index));
            if !everybody && self.has_changed_edges() {
                number = if few { self.state.who(who).rank as usize + 1 } else { number };
                (everybody, few) = (true, false);
                // Those before it have not been checked.
                first = first.min(due);
            }
        }
        let next = &mut self.state.zones[index].next;
        *next = if due > now { first.min(*next) } else { first };
        Ok(())
    }

    /// The current position of a zone and whom it affects.
    fn edge_of(&self, index: usize) -> Edge {
        let zone = &self.state.zones[index];
        Edge { lies: self.lies(zone), concern: self.concern_of(zone) }
    }

    /// Whether a crossing has moved a combatant or changed its side: then the rest of this pass includes combatants
    /// that it did not start with.
    fn has_changed_edges(&self) -> bool {
        self.state.all_edges || !self.state.moved.is_empty()
    }

    /// Any combatant may have crossed the edge of any zone.
    pub(in crate::fight) fn check_all_edges(&mut self) {
        if self.has_zones() {
            (self.state.edges, self.state.all_edges) = (true, true);
        }
    }

    #[inline]
    pub(in crate::fight) fn has_zones(&self) -> bool {
        !self.state.zones.is_empty()
    }

    pub(in crate::fight) fn concerns(&self, zone: &Zone, who: CombatantId) -> bool {
        self.is_concerned(&self.concern_of(zone), who)
    }

    fn concern_of(&self, zone: &Zone) -> Concern {
        let (plan, owner) = (self.program.zone(zone.id), zone.by.caster);
        Concern { owner, of_owner: plan.owner, side: self.side_of(owner), affects: plan.affects }
    }

    #[inline]
    fn is_concerned(&self, by: &Concern, who: CombatantId) -> bool {
        let one = self.state.who(who);
        let ally = one.side == by.side;
        let of_side = match by.affects {
            ZoneSide::Allies => ally,
            ZoneSide::Enemies => !ally,
            ZoneSide::Everyone => true,
        };
        let concerned =
            if who == by.owner { by.of_owner } else { of_side && (ally || self.setup.can_be_defeated(who)) };
        one.stands && concerned
    }

    /// The current position, velocity and growth of a zone.
    pub(in crate::fight) fn lies(&self, zone: &Zone) -> Lies {
        let (middle, course) = self.middle_of(zone);
        Lies { middle, course, radius: zone.radius_at(self.state.now), growth: zone.growth }
    }

    fn middle_of(&self, zone: &Zone) -> (Plane, Plane) {
        zone.carrier.map_or((zone.middle, [0.0; 2]), |carrier| (self.place_of(carrier), self.course_of(carrier)))
    }

    fn cross(&mut self, index: usize, who: CombatantId, enters: bool) -> FightResult<()> {
        let program = self.program;
        let zone = &mut self.state.zones[index];
        zone.turn(who);
        let (id, serial, by) = (zone.id, zone.serial, zone.by);
        let plan = program.zone(id);
        if !self.state.stands(who) {
            return Ok(());
        }
        if enters {
            if self.setup.is_placed && self.setup.policies[who.index()].avoid.contains(&id) {
                self.plan_way(who);
            }
            emit!(self, Entered { who, zone: id, owner: by.caster });
            for status in &plan.statuses {
                self.hold(serial, &by, who, *status)?;
            }
            self.effects(&by, who, &plan.enters)?;
            self.count_entry(serial)
        } else {
            emit!(self, Left { who, zone: id, owner: by.caster });
            self.release_holds(serial, who)?;
            self.effects(&by, who, &plan.leaves)
        }
    }

    /// Ends a zone after its maximum number of entries.
    fn count_entry(&mut self, serial: u32) -> FightResult<()> {
        let Some(index) = self.state.zones.iter().position(|zone| zone.serial == serial) else { return Ok(()) };
        let zone = &mut self.state.zones[index];
        zone.entered += 1;
        let spent = self.program.zone(zone.id).uses.is_some_and(|uses| zone.entered >= uses);
        if spent { self.end_zone(index) } else { Ok(()) }
    }

    fn end_zone(&mut self, index: usize) -> FightResult<()> {
        let zone = self.state.remove_zone(index);
        self.zones_changed();
        let plan = self.program.zone(zone.id);
        emit!(self, ZoneEnded { zone: zone.id, owner: zone.by.caster });
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if !zone.holds(who) {
                continue;
            }
            self.release_holds(zone.serial, who)?;
            if self.state.stands(who) {
                self.effects(&zone.by, who, &plan.leaves)?;
            }
        }
        Ok(())
    }

    /// Applies a status on entry, which does not end by itself before its owner has left.
    pub(in crate::fight) fn hold(
        &mut self,
        zone: u32,
        by: &EffectContext,
        who: CombatantId,
        status: StatusId,
    ) -> FightResult<()> {
        let plan = self.program.status(status);
        let caster = by.caster;
        let shared = !plan.per_caster && plan.reapply != Reapply::Separate;
        let same = |engine: &Self, index: &u32| shared || engine.state.statuses.get(*index).caster == caster;
        let held =
            |engine: &Self| engine.state.statuses.of_kind(who, status).filter(|index| same(engine, index)).last();
        // Permanent statuses are not removed by a zone.
        let for_good = self.state.statuses.of_kind(who, status).filter(|index| same(self, index)).any(|index| {
            let record = self.state.statuses.get(index);
            !record.is_held() && record.ends >= Time::NEVER
        });
        self.apply(by, who, status, Dose { stacks: 1, duration: Some(f64::INFINITY) })?;
        if let Some(index) = held(self).filter(|_| !for_good) {
            self.state.statuses.get_mut(index).hold();
            self.schedule(index);
            let status = self.state.statuses.reference(index);
            self.state.holds.push(Hold { zone, who, status });
        }
        Ok(())
    }

    /// Statuses held by a zone continue for their own duration; those without one end.
    pub(in crate::fight) fn release_holds(&mut self, zone: u32, who: CombatantId) -> FightResult<()> {
        let of = |hold: &Hold| hold.zone == zone && hold.who == who;
        while let Some(at) = self.state.holds.iter().position(of) {
            let hold = self.state.holds.remove(at);
            let Some(index) = self.state.statuses.find(hold.status) else { continue };
            self.release_hold(index, hold.status)?;
        }
        Ok(())
    }

    fn release_hold(&mut self, index: u32, instance: StatusRef) -> FightResult<()> {
        let record = self.state.statuses.get_mut(index);
        record.remove_hold();
        let (status, caster, who) = (record.status, record.caster, record.owner);
        if record.is_held() {
            return Ok(());
        }
        let Some(duration) = self.program.status(status).duration else {
            return self.lose(index, LostReason::ConditionEnded);
        };
        let now = self.state.now;
        let saved = self.state.numbers.locals();
        self.load(index);
        let duration = self.positive(duration, &self.frame(caster, who));
        self.state.numbers.set_locals(&saved);
        let until = now + Time::from_seconds(duration?);
        let Some(index) = self.state.statuses.find(instance) else { return Ok(()) };
        // It lasts until then, or for as long as other sources have given it.
        self.state.statuses.move_ends(index, |end| if end < Time::NEVER { end.max(until) } else { until });
        self.state.statuses.get_mut(index).set_warned(false);
        self.schedule(index);
        let until = self.state.statuses.get(index).ends;
        emit!(self, StatusMoved { target: who, status, until });
        Ok(())
    }

    /// When a combatant crosses the edge of a zone on current courses.
    fn next_crossing(&self, zone: &Lies, is_in: bool, away: Plane, velocity: Plane) -> Time {
        // A combatant is outside only if it is clearly outside, not at the edge.
        let Lies { radius, growth, .. } = *zone;
        // A zone that has shrunk to a point contains only combatants exactly at its centre.
        let growth = if radius > 0.0 || growth > 0.0 { growth } else { 0.0 };
        let seconds = if is_in {
            parting(away, velocity, growth, radius + 2.0 * HAIR)
        } else {
            meeting(away, velocity, growth, radius)
        };
        seconds.map_or(Time::NEVER, |seconds| self.after(seconds))
    }
}
