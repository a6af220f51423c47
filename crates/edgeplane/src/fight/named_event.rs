//! Events with names instead of ids, for files.

use serde::Serialize;
use serde::ser::{SerializeMap, Serializer};

use super::events::{Event, Logged, Prevention, Source};
use super::names::NamesOf;
use crate::program::{AbilityId, CombatantId, PoolId, Setup, StatusId, ZoneId};

/// An event by name; it is serialized as one flat object that begins with `at` in seconds and `event`.
#[derive(Clone, Copy, Debug)]
pub struct NamedEvent<'a> {
    setup: &'a Setup,
    logged: Logged,
}

impl<'a> NamedEvent<'a> {
    /// An event of a fight with this setup.
    pub fn new(setup: &'a Setup, logged: Logged) -> Self {
        Self { setup, logged }
    }
}

impl Serialize for NamedEvent<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("at", &self.logged.at.seconds())?;
        self.body(&mut map)?;
        map.end()
    }
}

impl NamedEvent<'_> {
    fn body<M: SerializeMap>(&self, map: &mut M) -> Result<(), M::Error> {
        let names = NamesOf(self.setup);
        match self.logged.event {
            Event::Began => map.serialize_entry("event", "began"),
            Event::Used { caster, ability, target, targets, release } => {
                self.action(map, "used", caster, ability)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("targets", &targets)?;
                map.serialize_entry("release", &release.seconds())
            }
            Event::Spent { who, ability, pool, amount, left } => {
                self.action(map, "spent", who, ability)?;
                self.pool(map, pool, &[("amount", amount), ("left", left)])
            }
            Event::Unavailable { who, ability, reason } => {
                self.action(map, "unavailable", who, ability)?;
                map.serialize_entry("reason", reason.name())?;
                map.serialize_entry("until", &reason.until().map(|until| until.seconds()))
            }
            Event::Available { who, ability } => self.action(map, "available", who, ability),
            Event::Waits { who, until } => {
                map.serialize_entry("event", "waits")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("until", &until.map(|until| until.seconds()))
            }
            Event::Released { caster, ability, ready } => {
                self.action(map, "released", caster, ability)?;
                map.serialize_entry("ready", &ready.seconds())
            }
            Event::Sustained { caster, ability } => self.action(map, "sustained", caster, ability),
            Event::Stopped { caster, ability, reason } => {
                self.action(map, "stopped", caster, ability)?;
                map.serialize_entry("reason", reason.name())
            }
            Event::Lost { caster, ability } => self.action(map, "lost", caster, ability),
            Event::Walks { who, from, course, toward } => {
                map.serialize_entry("event", "walks")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("from", &from)?;
                map.serialize_entry("course", &course)?;
                map.serialize_entry("toward", &toward.map(|toward| names.who(toward)))
            }
            Event::Flies { caster, ability, target, arrives } => {
                self.action(map, "flies", caster, ability)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("arrives", &arrives.seconds())
            }
            Event::Shifted { target, caster, from, to, .. } => {
                map.serialize_entry("event", "shifted")?;
                map.serialize_entry("who", names.who(target))?;
                map.serialize_entry("by", names.who(caster))?;
                map.serialize_entry("from", &from)?;
                map.serialize_entry("to", &to)
            }
            Event::Stepped { step, heal, before, after, .. } => {
                let program = &self.setup.program;
                let steps = if heal { &program.heal_steps } else { &program.hit_steps };
                map.serialize_entry("event", "stepped")?;
                map.serialize_entry("step", &steps[step.index()].name)?;
                map.serialize_entry("before", &before)?;
                map.serialize_entry("after", &after)
            }
            Event::Flows { who, pool, flow } => {
                map.serialize_entry("event", "flows")?;
                map.serialize_entry("who", names.who(who))?;
                let (amount, cap) = (flow.amount_at(flow.since()), flow.cap());
                self.pool(map, pool, &[("amount", amount), ("cap", cap), ("rate", flow.rate())])?;
                map.serialize_entry("portions", &flow.portions())
            }
            Event::Soaked { target, step, pool, amount, left } => {
                map.serialize_entry("event", "soaked")?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("step", &self.setup.program.hit_steps.get(step.index()).map(|step| &step.name))?;
                self.pool(map, pool, &[("amount", amount), ("left", left)])
            }
            Event::Hit {
                caster,
                target,
                source,
                damage_type,
                pool,
                initial,
                amount,
                dealt,
                over,
                left,
                stopped,
                marks,
            } => {
                self.of_source(map, "hit", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("type", &self.setup.program.damage_types[damage_type.index()].name)?;
                self.pool(
                    map,
                    pool,
                    &[("initial", initial), ("amount", amount), ("dealt", dealt), ("overkill", over), ("left", left)],
                )?;
                let stop = stopped.and_then(|step| self.setup.program.hit_steps[step.index()].stop.as_ref());
                map.serialize_entry("stopped", &stop)?;
                map.serialize_entry("marks", &self.marks(marks))
            }
            Event::Healed { caster, target, source, pool, initial, amount, healed, over, left, stopped } => {
                self.of_source(map, "healed", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                self.pool(
                    map,
                    pool,
                    &[("initial", initial), ("amount", amount), ("healed", healed), ("overheal", over), ("left", left)],
                )?;
                let stop = stopped.and_then(|step| self.setup.program.heal_steps[step.index()].stop.as_ref());
                map.serialize_entry("stopped", &stop)
            }
            Event::Restored { caster, target, source, pool, gained, over, left } => {
                self.of_source(map, "restored", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                self.pool(map, pool, &[("gained", gained), ("wasted", over), ("left", left)])
            }
            Event::Drained { caster, target, source, pool, taken, over, left } => {
                self.of_source(map, "drained", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                self.pool(map, pool, &[("taken", taken), ("missing", over), ("left", left)])
            }
            Event::Learned { who, from, amount, total } => {
                map.serialize_entry("event", "learned")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("from", names.who(from))?;
                map.serialize_entry("amount", &amount)?;
                map.serialize_entry("total", &total)
            }
            Event::Threatened { caster, target, source, amount, threat } => {
                self.of_source(map, "threatened", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("amount", &amount)?;
                map.serialize_entry("threat", &threat)
            }
            Event::Given { caster, target, source, ability } => {
                self.of_source(map, "given", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("what", &self.setup.program.ability(ability).name)
            }
            Event::Taken { caster, target, source, ability } => {
                self.of_source(map, "taken", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("what", &self.setup.program.ability(ability).name)
            }
            Event::Interrupted { who, ability, by, source } => {
                self.action(map, "interrupted", who, ability)?;
                map.serialize_entry("by", names.who(by))?;
                map.serialize_entry("with", names.source(source))
            }
            Event::StatusGained { .. }
            | Event::StatusPrevented { .. }
            | Event::StatusTicked { .. }
            | Event::StatusStacks { .. }
            | Event::StatusMoved { .. }
            | Event::StatusExpiring { .. }
            | Event::StatusLost { .. }
            | Event::Triggered { .. } => self.status_body(map),
            Event::CapChanged { who, pool, cap, left } => {
                map.serialize_entry("event", "cap_changed")?;
                map.serialize_entry("who", names.who(who))?;
                self.pool(map, pool, &[("cap", cap), ("left", left)])
            }
            Event::ZoneBegan { zone, owner, on, carried, middle, radius, until } => {
                self.of_zone(map, "zone_began", owner, zone)?;
                map.serialize_entry("on", names.who(on))?;
                map.serialize_entry("carried", &carried)?;
                map.serialize_entry("middle", &middle)?;
                map.serialize_entry("radius", &radius)?;
                map.serialize_entry("until", &until.map(|until| until.seconds()))
            }
            Event::ZoneEnded { zone, owner } => self.of_zone(map, "zone_ended", owner, zone),
            Event::Entered { who, zone, owner } => {
                self.of_zone(map, "entered", owner, zone)?;
                map.serialize_entry("who", names.who(who))
            }
            Event::Left { who, zone, owner } => {
                self.of_zone(map, "left", owner, zone)?;
                map.serialize_entry("who", names.who(who))
            }
            Event::Joined { who, by } => {
                map.serialize_entry("event", "joined")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("by", &by.map(|(who, _)| names.who(who)))?;
                by.map_or(Ok(()), |(_, source)| self.source(map, source))
            }
            Event::Despawned { who } => {
                map.serialize_entry("event", "despawned")?;
                map.serialize_entry("who", names.who(who))
            }
            Event::Scripted { who, ability } => self.action(map, "scripted", who, ability),
            Event::LevelGained { who, level } => {
                map.serialize_entry("event", "level_gained")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("level", &level)
            }
            Event::Revived { target, caster, source } => {
                self.of_source(map, "revived", caster, source)?;
                map.serialize_entry("target", names.who(target))
            }
            Event::Reported { caster, target, source, report, numbers, count } => {
                self.of_source(map, "reported", caster, source)?;
                map.serialize_entry("target", names.who(target))?;
                map.serialize_entry("report", names.report(report))?;
                map.serialize_entry("numbers", &numbers[..usize::from(count)])
            }
            Event::SideChanged { who, side } => {
                map.serialize_entry("event", "side_changed")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("side", names.side(side))
            }
            Event::Defeated { who, by } => {
                map.serialize_entry("event", "defeated")?;
                map.serialize_entry("who", names.who(who))?;
                map.serialize_entry("by", &by.map(|(who, _)| names.who(who)))?;
                match by {
                    Some((_, source)) => self.source(map, source),
                    None => map.serialize_entry("ability", &None::<&str>),
                }
            }
            Event::Ended { ending } => {
                map.serialize_entry("event", "ended")?;
                let winner = ending.winner().map(|side| names.side(side));
                map.serialize_entry("ending", ending.name())?;
                map.serialize_entry("winner", &winner)
            }
        }
    }

    fn status_body<M: SerializeMap>(&self, map: &mut M) -> Result<(), M::Error> {
        let names = NamesOf(self.setup);
        match self.logged.event {
            Event::StatusGained { caster, target, status, stacks, until, applied, .. } => {
                self.of_status(map, "status_gained", Some(caster), target, status)?;
                map.serialize_entry("stacks", &stacks)?;
                map.serialize_entry("until", &until.map(|until| until.seconds()))?;
                map.serialize_entry("applied", &applied)
            }
            Event::StatusPrevented { caster, target, status, reason } => {
                self.of_status(map, "status_prevented", Some(caster), target, status)?;
                map.serialize_entry("reason", Prevention::NAMES[reason.kind()])?;
                if let Prevention::Immune { by: Some(by) } = reason {
                    map.serialize_entry("by", names.status(by))?;
                }
                Ok(())
            }
            Event::StatusTicked { target, caster, status, tick } => {
                self.of_status(map, "status_ticked", Some(caster), target, status)?;
                map.serialize_entry("tick", &tick)
            }
            Event::StatusStacks { target, status, stacks, .. } => {
                self.of_status(map, "status_stacks", None, target, status)?;
                map.serialize_entry("stacks", &stacks)
            }
            Event::StatusMoved { target, status, until } => {
                self.of_status(map, "status_moved", None, target, status)?;
                map.serialize_entry("until", &until.seconds())
            }
            Event::StatusExpiring { target, status, until } => {
                self.of_status(map, "status_expiring", None, target, status)?;
                map.serialize_entry("until", &until.seconds())
            }
            Event::StatusLost { target, caster, status, stacks, reason, .. } => {
                self.of_status(map, "status_lost", Some(caster), target, status)?;
                map.serialize_entry("stacks", &stacks)?;
                map.serialize_entry("reason", reason.name())
            }
            Event::Triggered { who, status, event } => {
                self.of_status(map, "triggered", None, who, status)?;
                map.serialize_entry("on", event.name())
            }
            _ => Ok(()),
        }
    }

    fn of_zone<M: SerializeMap>(
        &self,
        map: &mut M,
        event: &str,
        owner: CombatantId,
        zone: ZoneId,
    ) -> Result<(), M::Error> {
        map.serialize_entry("event", event)?;
        map.serialize_entry("zone", &self.setup.program.zone(zone).name)?;
        map.serialize_entry("owner", NamesOf(self.setup).who(owner))
    }

    fn of_status<M: SerializeMap>(
        &self,
        map: &mut M,
        event: &str,
        caster: Option<CombatantId>,
        target: CombatantId,
        status: StatusId,
    ) -> Result<(), M::Error> {
        let names = NamesOf(self.setup);
        map.serialize_entry("event", event)?;
        if let Some(caster) = caster {
            map.serialize_entry("who", names.who(caster))?;
        }
        map.serialize_entry("target", names.who(target))?;
        map.serialize_entry("status", names.status(status))
    }

    fn source<M: SerializeMap>(&self, map: &mut M, source: Source) -> Result<(), M::Error> {
        let key = match source {
            Source::Ability(_) => "ability",
            Source::Status(_) => "status",
            Source::Cause(_) => "cause",
        };
        map.serialize_entry(key, NamesOf(self.setup).source(source))
    }

    fn of_source<M: SerializeMap>(
        &self,
        map: &mut M,
        event: &str,
        who: CombatantId,
        source: Source,
    ) -> Result<(), M::Error> {
        map.serialize_entry("event", event)?;
        map.serialize_entry("who", NamesOf(self.setup).who(who))?;
        self.source(map, source)
    }

    fn action<M: SerializeMap>(
        &self,
        map: &mut M,
        event: &str,
        who: CombatantId,
        ability: AbilityId,
    ) -> Result<(), M::Error> {
        let names = NamesOf(self.setup);
        map.serialize_entry("event", event)?;
        map.serialize_entry("who", names.who(who))?;
        map.serialize_entry("ability", names.ability(ability))
    }

    fn pool<M: SerializeMap>(&self, map: &mut M, pool: PoolId, numbers: &[(&str, f64)]) -> Result<(), M::Error> {
        map.serialize_entry("pool", NamesOf(self.setup).pool(pool))?;
        numbers.iter().try_for_each(|(key, value)| map.serialize_entry(key, value))
    }

    fn marks(&self, marks: u64) -> Vec<&str> {
        let all = self.setup.program.marks.iter().enumerate();
        all.filter(|(bit, _)| marks >> bit & 1 == 1).map(|(_, name)| name.as_str()).collect()
    }
}
