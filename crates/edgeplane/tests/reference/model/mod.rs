//! The model: moments, decisions and their consequences.

mod decisions;
mod effects;
mod numbers;
mod outside;
mod statuses;

use std::collections::VecDeque;

use edgeplane::fight::{Applied, Ending, Event, Logged, Prevention, Source, StopReason};
use edgeplane::program::{CauseId, DamageTypeId, LostReason, PoolId, ReportId, SideId, StepId, TriggerEvent};
use edgeplane::{AbilityId, CombatantId, StatusId, Time};

use crate::calls::{Base, Call};
use crate::ground::{Flight, Placed};
use crate::world::{
    Ability, Area, CapRule, Character, Counts, Effect, Forbids, Given, Joins, LIMIT, Member, NEEDED, Only, Pick,
    Reapply, STEP, Scripted, Side, Status, Step, To, Trigger, When, World,
};

pub(crate) const HEALTH: usize = 0;
pub(crate) const WIND: usize = 1;
pub(crate) const SHELL: usize = 2;
pub(crate) const FOREVER: u64 = u64::MAX;

/// A status of a combatant. Statuses of gear come after those of the rules, the bonus of the set after those.
#[derive(Clone, Debug)]
pub(crate) struct Held {
    pub(crate) serial: u32,
    pub(crate) status: usize,
    pub(crate) caster: usize,
    pub(crate) stacks: u32,
    /// The side of its owner because of it.
    side: Option<usize>,
    /// The time between two ticks, as of its application.
    period: u64,
    /// The start of the rhythm of its ticks, the number of ticks since then, and their total.
    rhythm: u64,
    since: u32,
    pub(crate) ends: u64,
    ticks: u32,
    ready: u64,
    /// The number of times that it was triggered.
    done: u32,
    /// Zones that hold it.
    pub(crate) zones: Vec<u32>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Doing {
    Idle,
    Casting(usize, u64),
    Recovering(u64),
}

/// The holder of a status during a use, among the zones that hold it.
const IN_USE: u32 = u32::MAX;

#[derive(Clone, Debug)]
pub(crate) struct One {
    pub(crate) side: usize,
    character: usize,
    pub(crate) stands: bool,
    /// It has not joined yet, or is gone.
    absent: bool,
    gone: bool,
    joins: Joins,
    vital: bool,
    health: Option<f64>,
    begins_with: Option<usize>,
    pub(crate) doing: Doing,
    /// It walks while it is busy.
    pub(crate) mobile: bool,
    targets: Vec<usize>,
    /// It has found nothing to use; and when it reacts to what it has found since.
    waits: bool,
    pub(crate) reacts: Option<u64>,
    /// The line for which it walks while no line is closed by distance only, and its target; `None` without a goal.
    pub(crate) wants: Option<Option<(usize, usize)>>,
    /// The line for which it walks because only distance keeps it closed, the target, and when it was picked.
    pub(crate) aims: Option<(usize, usize, u64)>,
    pub(crate) held: Vec<Held>,
    worn: Vec<usize>,
    /// For each pool its amount, and at what time.
    pools: [(f64, u64); 3],
    /// The cap of its health that was last applied.
    cap: f64,
    ready: Vec<u64>,
    /// The last release of each ability.
    released: Vec<Option<u64>>,
    /// The remaining releases of the ability under way, after the first.
    row: u32,
    used: Vec<u32>,
    /// Its own abilities.
    own: Vec<bool>,
    /// The next tick of its sustained ability, and the end of that.
    keeps: Option<(u64, u64)>,
    /// Statuses with the diminishing tag: the number in a row, and the time of the last one.
    wet: (usize, u64),
    /// When spent charges are regained, the earliest first.
    charges: Vec<Vec<u64>>,
    hurt_by: Option<(CombatantId, Source)>,
    pub(crate) at: [f64; 2],
    level: f64,
    /// Bases set by the game, and amounts that it has set for pools before the beginning.
    might: Option<f64>,
    vigour: Option<f64>,
    put: [Option<f64>; 3],
    /// It is controlled by calls.
    pub(crate) by_hand: bool,
    learned: f64,
    toward: f64,
    /// The threat of everyone for it.
    threat: Vec<f64>,
}

impl One {
    fn new(world: &World, side: usize, member: Member) -> Self {
        Self {
            side,
            character: member.character,
            stands: member.joins == Joins::AtOnce,
            absent: member.joins != Joins::AtOnce,
            gone: false,
            joins: member.joins,
            vital: member.vital,
            health: member.health,
            begins_with: member.begins_with,
            doing: Doing::Idle,
            mobile: false,
            targets: Vec::new(),
            waits: false,
            reacts: None,
            wants: None,
            aims: None,
            held: Vec::new(),
            worn: world.characters[member.character].gear.clone(),
            pools: [(world.characters[member.character].vigour, 0), (20.0, 0), (0.0, 0)],
            cap: world.characters[member.character].vigour,
            ready: vec![0; world.abilities.len()],
            released: vec![None; world.abilities.len()],
            row: 0,
            used: vec![0; world.abilities.len()],
            own: (0..world.abilities.len())
                .map(|ability| world.characters[member.character].abilities.contains(&ability))
                .collect(),
            keeps: None,
            wet: (0, 0),
            charges: vec![Vec::new(); world.abilities.len()],
            hurt_by: None,
            at: member.at,
            level: world.characters[member.character].level,
            might: None,
            vigour: None,
            put: [None; 3],
            by_hand: false,
            learned: 0.0,
            toward: 0.0,
            threat: vec![0.0; world.members().count()],
        }
    }
}

/// A triggered action of a status, or its tick.
struct Waiting {
    owner: usize,
    held: Held,
    other: Option<usize>,
    ticks: bool,
    /// The effect of reaching the maximum of stacks, and whether they are consumed.
    full: Option<(Effect, bool)>,
    about: Details,
}

impl Waiting {
    fn new(owner: usize, held: &Held) -> Self {
        Self { owner, held: held.clone(), other: None, ticks: false, full: None, about: Details::default() }
    }
}

/// The details of an event.
#[derive(Clone, Debug, Default)]
struct Details {
    ability: Option<usize>,
    amount: f64,
    cut: bool,
    status: Option<usize>,
    reason: Option<LostReason>,
    /// The shares of health before and after.
    moved: Option<(f64, f64)>,
}

/// The properties of a hit.
#[derive(Clone, Copy)]
struct Blow {
    kind: Type,
    pool: usize,
    skips_all: bool,
    skips_guard: bool,
    loud: bool,
}

impl Blow {
    fn of(kind: Type) -> Self {
        Self { kind, pool: HEALTH, skips_all: kind == Type::Pure, skips_guard: false, loud: false }
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Type {
    Blow,
    Cold,
    Pure,
}

pub(crate) struct Model<'a> {
    pub(crate) world: &'a World,
    pub(crate) now: u64,
    pub(crate) all: Vec<One>,
    serial: u32,
    queue: VecDeque<Waiting>,
    pub(crate) log: Vec<Logged>,
    pub(crate) ending: Option<Ending>,
    pub(crate) zones: Vec<Placed>,
    pub(crate) next_zone: u32,
    pub(crate) flights: Vec<Flight>,
    /// The share of a tick that is performed.
    part: f64,
    /// The source is a zone, which has no tags of abilities.
    pub(crate) by_zone: bool,
    /// Initial statuses are being applied: caps change, and pools are filled afterwards.
    dressing: bool,
    /// The source is triggered by a defeat: it can place a zone at the position of the defeat.
    aftermath: bool,
    /// The standing members of each side at the last walk, and which of them could not be targeted.
    pub(crate) seen: Vec<(bool, usize, Option<bool>)>,
    /// Somewhere only rounding decided between two distances, or something ends between two steps.
    pub(crate) close_call: std::cell::Cell<bool>,
    /// The side that has won by an effect, or that several have.
    won: Option<Option<usize>>,
    /// For each entry of the script, its next time and the remaining number of times.
    script: Vec<(u64, u32)>,
}

pub(crate) fn id(who: usize) -> CombatantId {
    CombatantId(who as u16)
}

pub(crate) fn ability_id(ability: usize) -> AbilityId {
    AbilityId(ability as u16)
}

fn status_id(status: usize) -> StatusId {
    StatusId(status as u16)
}

impl Model<'_> {
    /// The events of a world; `None` if they depend on the last bits of distances.
    pub(crate) fn play(world: &World) -> Option<Vec<Logged>> {
        let mut model = Model {
            world,
            now: 0,
            all: world.members().map(|(side, member)| One::new(world, side, member)).collect(),
            serial: 0,
            queue: VecDeque::new(),
            log: Vec::new(),
            ending: None,
            zones: Vec::new(),
            next_zone: 0,
            flights: Vec::new(),
            part: 1.0,
            by_zone: false,
            dressing: false,
            aftermath: false,
            close_call: std::cell::Cell::default(),
            seen: Vec::new(),
            won: None,
            script: world.script.iter().map(|entry| (entry.at, entry.times.unwrap_or(u32::MAX))).collect(),
        };
        world.before.iter().for_each(|call| model.set_before(*call));
        for who in 0..model.all.len() {
            if model.all[who].stands {
                model.dress(who, true);
            }
        }
        for who in 0..model.all.len() {
            if model.all[who].stands {
                model.raise(TriggerEvent::FightBegan, who, None, &Details::default());
            }
        }
        model.respond();
        let mut calls = world.calls.iter().peekable();
        while model.ending.is_none() && model.now <= LIMIT {
            model.moment();
            while let Some((_, call)) = calls.next_if(|(at, _)| *at == model.now && model.ending.is_none()) {
                model.goals();
                model.call_from_outside(*call);
                if model.ending.is_none() {
                    model.respond();
                    model.moment();
                }
            }
            model.walk();
            model.now += STEP;
        }
        let limit = || model.world.at_limit.map_or(Ending::TimeLimit, |side| Ending::HeldOut(SideId(side as u16)));
        let ending = model.ending.unwrap_or_else(limit);
        model.now = model.now.min(LIMIT + STEP) - STEP;
        model.report(Event::Ended { ending });
        (!model.close_call.get()).then_some(model.log)
    }

    pub(crate) fn report(&mut self, event: Event) {
        self.log.push(Logged { at: Time(self.now), event });
    }

    pub(crate) fn rule_of(&self, who: usize) -> &Character {
        &self.world.characters[self.all[who].character]
    }

    fn moment(&mut self) {
        loop {
            let mut quiet = !self.happen();
            self.settle();
            if self.ending.is_some() {
                return;
            }
            // All decide on the same state.
            let decisions: Vec<_> = (0..self.all.len()).filter_map(|who| Some((who, self.reacts(who)?))).collect();
            for (who, (ability, targets)) in decisions {
                quiet = false;
                self.start(who, ability, targets);
            }
            self.respond();
            self.settle();
            if quiet || self.ending.is_some() {
                return;
            }
        }
    }

    /// Performs everything that is due, one after the other; returns whether there was anything.
    fn happen(&mut self) -> bool {
        let mut any = false;
        while self.happen_next() {
            any = true;
            self.respond();
        }
        any
    }

    /// The first due item: ticks, then ends, the script, arrivals, edges, releases, and free combatants. Items that
    /// become due in the meantime are included in order.
    fn happen_next(&mut self) -> bool {
        // The rest of a period at the end gives a partial tick.
        let part = |model: &Self, held: &Held| {
            let last = held.rhythm + held.period.saturating_mul(u64::from(held.since));
            let is_last = held.ends == model.now && held.zones.is_empty() && last < model.now;
            let status = model.status(held.status);
            let has_part = status.part_tick && status.period.is_some();
            (has_part && is_last).then(|| (model.now - last) as f64 / held.period as f64)
        };
        let is_full = |model: &Self, held: &Held| {
            let due = |(period, _): (u64, Effect)| {
                period < FOREVER && held.rhythm + period * u64::from(held.since + 1) == model.now
            };
            model.period(held).is_some_and(due) && (model.now <= held.ends || !held.zones.is_empty())
        };
        if let Some((who, serial)) = self.due(|model, held| is_full(model, held) || part(model, held).is_some()) {
            let held = self.all[who].held.iter().find(|held| held.serial == serial).unwrap();
            let (is_full, part) = (is_full(self, held), part(self, held));
            let held = self.all[who].held.iter_mut().find(|held| held.serial == serial).unwrap();
            if is_full {
                held.since += 1;
            } else {
                (held.rhythm, held.since) = (held.ends, 0);
                self.part = part.unwrap();
            }
            self.tick(who, serial);
            self.part = 1.0;
            return true;
        }
        if let Some((who, serial)) = self.due(|model, held| held.ends <= model.now && held.zones.is_empty()) {
            self.lose(who, serial, LostReason::Expired);
            return true;
        }
        if let Some(index) = self.zones.iter().position(|placed| placed.ends <= self.now) {
            self.end_zone(index);
            return true;
        }
        if self.run_script() || (0..self.all.len()).any(|who| self.arrive(who)) || self.cross_edges() {
            return true;
        }
        for who in 0..self.all.len() {
            if let Doing::Casting(ability, at) = self.all[who].doing
                && at == self.now
            {
                match self.all[who].keeps {
                    Some((next, _)) => self.keep_up(who, ability, next),
                    None => self.release(who, ability),
                }
                return true;
            }
        }
        let free = |one: &One| one.doing == Doing::Recovering(self.now);
        let Some(who) = self.all.iter().position(free) else { return false };
        self.let_go(who, IN_USE);
        (self.all[who].doing, self.all[who].wants, self.all[who].aims) = (Doing::Idle, None, None);
        true
    }

    /// The first status of the first combatant with a property.
    fn due(&self, test: impl Fn(&Self, &Held) -> bool) -> Option<(usize, u32)> {
        let of = |who: usize| self.all[who].held.iter().find(|held| test(self, held)).map(|held| (who, held.serial));
        (0..self.all.len()).find_map(of)
    }

    fn settle(&mut self) {
        while self.cross_edges() || self.end_unfounded() {}
        let fallen: Vec<usize> =
            (0..self.all.len()).filter(|who| self.all[*who].stands && self.amount(*who, HEALTH) <= 0.0).collect();
        for who in &fallen {
            self.defeat(*who);
        }
        if fallen.is_empty() {
            if let Some(won) = self.won {
                self.ending = Some(won.map_or(Ending::Drawn, |side| Ending::Won(SideId(side as u16))));
            }
            return;
        }
        for who in &fallen {
            let reward = self.rule_of(*who).reward;
            for other in 0..self.all.len() {
                if self.all[other].stands && self.side_of(other) != self.side_of(*who) {
                    self.learn(other, *who, reward);
                }
            }
        }
        self.ending = self.ending_of_sides();
        if self.ending.is_none() {
            self.respond();
            self.settle();
        }
    }

    fn ending_of_sides(&self) -> Option<Ending> {
        let there = |one: &One| one.stands || (one.absent && matches!(one.joins, Joins::At(_)));
        let lost = |one: &One| one.vital && !one.stands && !one.absent;
        let stands = |side: usize| {
            let mut of_side = self.all.iter().filter(|one| one.side == side);
            of_side.clone().any(there) && !of_side.any(lost)
        };
        match (stands(0), stands(1)) {
            (true, true) => None,
            (true, false) => Some(Ending::Won(SideId(0))),
            (false, true) => Some(Ending::Won(SideId(1))),
            (false, false) => Some(Ending::AllDefeated),
        }
    }

    /// Ends statuses whose condition is false; returns whether there were any.
    fn end_unfounded(&mut self) -> bool {
        let unfounded = |model: &Self, who: usize, held: &Held| {
            let above = model.status(held.status).above;
            above.is_some_and(|above| model.share(who) <= above)
        };
        let mut any = false;
        // Those applied first end first.
        let first = |model: &Self| {
            let of = |who: usize| model.all[who].held.iter().map(move |held| (held.serial, who));
            let mut all = (0..model.all.len()).flat_map(of).collect::<Vec<_>>();
            all.sort_unstable();
            let holds = |(serial, who): &(u32, usize)| {
                model.all[*who].held.iter().any(|held| held.serial == *serial && unfounded(model, *who, held))
            };
            all.into_iter().find(holds)
        };
        while let Some((serial, who)) = first(self) {
            self.lose(who, serial, LostReason::ConditionEnded);
            any = true;
        }
        self.respond();
        any
    }

    fn defeat(&mut self, who: usize) {
        self.all[who].pools = [HEALTH, WIND, SHELL].map(|pool| (self.amount(who, pool), self.now));
        self.all[who].stands = false;
        (self.all[who].doing, self.all[who].keeps) = (Doing::Idle, None);
        (self.all[who].wants, self.all[who].aims) = (None, None);
        let by = self.all[who].hurt_by;
        self.report(Event::Defeated { who: id(who), by });
        let by = by.map(|(by, _)| usize::from(by.0));
        self.raise(TriggerEvent::Defeated, who, by, &Details::default());
        for other in (0..self.all.len()).filter(|other| *other != who) {
            let ally = self.side_of(other) == self.side_of(who);
            let event = if ally { TriggerEvent::AllyDefeated } else { TriggerEvent::EnemyDefeated };
            self.raise(event, other, Some(who), &Details::default());
        }
        while let Some(held) = self.all[who].held.first() {
            self.lose(who, held.serial, LostReason::OwnerDefeated);
        }
    }

    fn learn(&mut self, who: usize, from: usize, amount: f64) {
        if amount == 0.0 {
            return;
        }
        let one = &mut self.all[who];
        one.learned += amount;
        one.toward += amount;
        let total = one.learned;
        let before = one.level;
        if self.world.levels {
            while one.toward >= NEEDED && one.level < self.world.most {
                one.toward -= NEEDED;
                one.level += 1.0;
            }
        }
        let level = one.level;
        self.report(Event::Learned { who: id(who), from: id(from), amount, total });
        if level > before {
            self.gain_level(who);
        }
    }

    fn gain_level(&mut self, who: usize) {
        self.report(Event::LevelGained { who: id(who), level: self.all[who].level });
        if self.all[who].stands {
            self.spend_points(who);
        }
    }
}
