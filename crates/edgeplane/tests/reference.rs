//! A second implementation of the rules, written from the guide and not from the engine: small, slow and obvious. It
//! goes through time in steps of 62.5 ms, asks everybody at each of them whether a line of its policy is open, and keeps
//! nothing that it could look up. Thousands of random encounters have to come out the same, event by event.
//!
//! It covers attributes, pools, hits, statuses, triggers, abilities and policies; chance and the ground it does not.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::VecDeque;
use std::fmt::Write as _;
use std::sync::Arc;

use crate::common::game;
use edgeplane::fight::{Applied, Ending, Event, Fight, Likely, Log, Logged, Prevention, Source};
use edgeplane::program::{LostReason, PoolId, SideId, TriggerEvent};
use edgeplane::{AbilityId, CombatantId, Setup, StatusId, Time};

/// A sixteenth of a second: what flows in that time is exact in binary, so both sides find the same moment.
const STEP: u64 = 62_500;
const LIMIT: u64 = 12_000_000;
const HEALTH: usize = 0;
const WIND: usize = 1;

#[derive(Clone, Copy, Debug, PartialEq)]
enum Side {
    Enemies,
    Allies,
    Caster,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Pick {
    First,
    Weakest,
    All,
}

#[derive(Clone, Copy, Debug)]
enum Effect {
    Damage(f64, f64),
    Heal(f64),
    Drain(f64),
    Restore(f64),
    Apply(usize),
    Interrupt,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Reapply {
    Keep,
    Refresh,
    Extend,
    Stack(u32),
    Replace,
}

#[derive(Clone, Debug)]
struct Status {
    duration: u64,
    reapply: Reapply,
    period: Option<(u64, Effect)>,
    might: f64,
    forbids: bool,
    interrupts: bool,
    trigger: Option<(TriggerEvent, u64, Effect, bool)>,
}

#[derive(Clone, Debug)]
struct Ability {
    cost: f64,
    times: [u64; 3],
    charges: Option<(u32, u64)>,
    uses: Option<u32>,
    side: Side,
    pick: Pick,
    /// What it does, and whether to its caster.
    does: Vec<(Effect, bool)>,
}

#[derive(Clone, Copy, Debug)]
enum When {
    Always,
    HealthAtMost(f64),
    WindAtLeast(f64),
    TargetAtMost(f64),
    Without(usize),
    Enemies(f64),
}

/// Might, guard, vigour, and the lines of its policy.
type Character = ([f64; 3], Vec<(usize, When)>);

#[derive(Clone, Debug)]
struct World {
    statuses: Vec<Status>,
    abilities: Vec<Ability>,
    characters: Vec<Character>,
    /// Characters by side.
    sides: [Vec<usize>; 2],
}

/// The next of a row of numbers that look random.
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % most
    }

    fn one_in(&mut self, of: u64) -> bool {
        self.below(of) == 0
    }
}

fn effect(dice: &mut Dice, statuses: usize) -> Effect {
    match dice.below(9) {
        0..3 => Effect::Damage((4 + dice.below(12)) as f64, dice.below(3) as f64 * 0.5),
        3 => Effect::Heal((3 + dice.below(12)) as f64),
        4 => Effect::Drain((2 + 2 * dice.below(4)) as f64),
        5 => Effect::Restore((2 + 2 * dice.below(4)) as f64),
        6 if dice.one_in(2) => Effect::Interrupt,
        _ => Effect::Apply(dice.below(statuses as u64) as usize),
    }
}

fn world(seed: u64) -> World {
    let mut dice = Dice(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ 77);
    let count = 2 + dice.below(4) as usize;
    let status = |dice: &mut Dice| Status {
        duration: STEP * (4 + dice.below(60)),
        reapply: match dice.below(5) {
            0 => Reapply::Keep,
            1 => Reapply::Refresh,
            2 => Reapply::Extend,
            3 => Reapply::Stack(2 + dice.below(4) as u32),
            _ => Reapply::Replace,
        },
        period: dice.one_in(2).then(|| (STEP * (3 + dice.below(20)), tick(dice))),
        might: if dice.one_in(2) { dice.below(7) as f64 - 3.0 } else { 0.0 },
        forbids: dice.one_in(5),
        interrupts: dice.one_in(6),
        trigger: dice.one_in(2).then(|| {
            let event = [
                TriggerEvent::HitTaken,
                TriggerEvent::HitDealt,
                TriggerEvent::AbilityUsed,
                TriggerEvent::Gained,
                TriggerEvent::Lost,
                TriggerEvent::Renewed,
                TriggerEvent::HealTaken,
            ][dice.below(7) as usize];
            let other = dice.one_in(2);
            let effect = match dice.below(4) {
                0 => Effect::Heal(4.0),
                1 => Effect::Restore(4.0),
                2 => Effect::Damage(3.0, 0.0),
                _ => Effect::Drain(2.0),
            };
            // Something that damages in turn would go on for ever.
            (event, STEP * (4 + dice.below(40)), effect, other)
        }),
    };
    let statuses: Vec<Status> = (0..count).map(|_| status(&mut dice)).collect();
    let ability = |dice: &mut Dice| {
        let side = [Side::Enemies, Side::Enemies, Side::Allies, Side::Caster][dice.below(4) as usize];
        Ability {
            cost: 2.0 * dice.below(6) as f64,
            times: [STEP * dice.below(16), STEP * (1 + dice.below(12)), STEP * dice.below(80)],
            charges: dice.one_in(6).then(|| (1 + dice.below(3) as u32, STEP * (10 + dice.below(60)))),
            uses: dice.one_in(6).then(|| 1 + dice.below(4) as u32),
            side,
            pick: [Pick::First, Pick::Weakest, Pick::All][dice.below(3) as usize],
            does: (0..1 + dice.below(3)).map(|_| (effect(dice, count), dice.one_in(4))).collect(),
        }
    };
    let abilities: Vec<Ability> = (0..3 + dice.below(4)).map(|_| ability(&mut dice)).collect();
    let character = |dice: &mut Dice| {
        let numbers = [8.0 + dice.below(6) as f64, dice.below(40) as f64, 40.0 + 10.0 * dice.below(8) as f64];
        let lines = (0..1 + dice.below(4)).map(|_| {
            let when = match dice.below(8) {
                0 => When::HealthAtMost(0.3 + 0.1 * dice.below(6) as f64),
                1 => When::WindAtLeast(4.0 + 4.0 * dice.below(7) as f64),
                2 => When::TargetAtMost(0.3 + 0.1 * dice.below(7) as f64),
                3 => When::Without(dice.below(count as u64) as usize),
                4 => When::Enemies(1.0 + dice.below(3) as f64),
                _ => When::Always,
            };
            (dice.below(abilities.len() as u64) as usize, when)
        });
        (numbers, lines.collect())
    };
    let characters: Vec<_> = (0..4).map(|_| character(&mut dice)).collect();
    let sides = [(); 2].map(|()| (0..1 + dice.below(3)).map(|_| dice.below(4) as usize).collect());
    World { statuses, abilities, characters, sides }
}

fn tick(dice: &mut Dice) -> Effect {
    if dice.one_in(2) {
        Effect::Damage(2.0 + dice.below(4) as f64, 0.5)
    } else {
        Effect::Heal(2.0 + dice.below(4) as f64)
    }
}

// ---------------------------------------------------------------------------------------------------------------------
// As a ruleset.

fn seconds(micros: u64) -> String {
    format!("{:.4}", micros as f64 / 1e6)
}

fn written(effect: Effect, to: &str) -> String {
    let body = match effect {
        Effect::Damage(base, 0.0) => format!("damage = {base}"),
        Effect::Damage(base, per) => format!("damage = \"{base} + caster.might * {per}\""),
        Effect::Heal(amount) => format!("heal = {amount}"),
        Effect::Drain(amount) => format!("drain = \"wind\", amount = {amount}"),
        Effect::Restore(amount) => format!("restore = \"wind\", amount = {amount}"),
        Effect::Apply(status) => format!("apply = \"s{status}\""),
        Effect::Interrupt => "interrupt = true".to_owned(),
    };
    format!("{{ {body}{to} }}")
}

fn text(world: &World) -> String {
    let mut out = String::from(
        "[attributes]\nmight = 10\nguard = { base = 0, max = 90 }\nvigour = 50\n[pools]\n\
         health = { max = \"vigour\", defeat = true }\nwind = { max = 40, start = 20, regen = 2 }\n\
         [[hit_steps]]\nname = \"guard\"\namount = \"amount * (100 - target.guard) / 100\"\n",
    );
    for (index, status) in world.statuses.iter().enumerate() {
        let again = match status.reapply {
            Reapply::Keep => "\"keep\"".to_owned(),
            Reapply::Refresh => "\"refresh\"".to_owned(),
            Reapply::Extend => "\"extend\"".to_owned(),
            Reapply::Stack(most) => format!("\"stack\"\nmax_stacks = {most}"),
            Reapply::Replace => "\"replace\"".to_owned(),
        };
        let _ = writeln!(out, "[status.s{index}]\nduration = {}\nreapply = {again}", seconds(status.duration));
        if status.might != 0.0 {
            let _ = writeln!(out, "modify = [{{ attribute = \"might\", add = \"{} * stacks\" }}]", status.might);
        }
        if let Some((period, does)) = status.period {
            let _ = writeln!(out, "every = {{ period = {}, does = [{}] }}", seconds(period), written(does, ""));
        }
        if status.forbids {
            let _ = writeln!(out, "forbids = [\"act\"]");
        }
        let _ = writeln!(out, "interrupts = {}", status.interrupts);
        if let Some((event, cooldown, does, other)) = status.trigger {
            let to = if other && event.has_other() { ", to = \"other\"" } else { "" };
            let does = written(does, to);
            let event = event.name();
            let cooldown = seconds(cooldown);
            let _ = writeln!(out, "on = [{{ event = \"{event}\", cooldown = {cooldown}, does = [{does}] }}]");
        }
    }
    for (index, ability) in world.abilities.iter().enumerate() {
        let [cast, recovery, cooldown] = ability.times.map(seconds);
        let side = match ability.side {
            Side::Enemies => "enemies",
            Side::Allies => "allies",
            Side::Caster => "self",
        };
        let pick = match ability.pick {
            _ if ability.side == Side::Caster => "",
            Pick::First => "",
            Pick::Weakest => ", pick = \"weakest\"",
            Pick::All => ", count = \"all\"",
        };
        let to = |caster: bool| if caster { ", to = \"caster\"" } else { "" };
        let does: Vec<String> = ability.does.iter().map(|(effect, caster)| written(*effect, to(*caster))).collect();
        let _ = writeln!(out, "[ability.a{index}]\ncast = {cast}\nrecovery = {recovery}\ncooldown = {cooldown}");
        let _ = writeln!(out, "targets = {{ side = \"{side}\"{pick} }}\ndoes = [{}]", does.join(", "));
        if ability.cost > 0.0 {
            let _ = writeln!(out, "cost = {{ wind = {} }}", ability.cost);
        }
        if let Some((most, regain)) = ability.charges {
            let _ = writeln!(out, "charges = {{ max = {most}, regain = {} }}", seconds(regain));
        }
        if let Some(uses) = ability.uses {
            let _ = writeln!(out, "uses = {uses}");
        }
    }
    for (index, ([might, guard, vigour], lines)) in world.characters.iter().enumerate() {
        let line = |(ability, when): &(usize, When)| {
            let when = match when {
                When::Always => String::new(),
                When::HealthAtMost(share) => format!(", when = \"self.health.share <= {share}\""),
                When::WindAtLeast(wind) => format!(", when = \"self.wind >= {wind}\""),
                When::TargetAtMost(share) => format!(", when = \"target.health.share <= {share}\""),
                When::Without(status) => format!(", when = \"not has(self, s{status})\""),
                When::Enemies(count) => format!(", when = \"count(enemies) >= {count}\""),
            };
            format!("{{ ability = \"a{ability}\"{when} }}")
        };
        let all: Vec<String> = (0..world.abilities.len()).map(|ability| format!("\"a{ability}\"")).collect();
        let lines: Vec<String> = lines.iter().map(line).collect();
        let _ = writeln!(out, "[policy.p{index}]\nuse = [{}]", lines.join(", "));
        let _ = writeln!(out, "[character.c{index}]\npolicy = \"p{index}\"\nabilities = [{}]", all.join(", "));
        let _ = writeln!(out, "attributes = {{ might = {might}, guard = {guard}, vigour = {vigour} }}");
    }
    let side = |side: &[usize]| side.iter().map(|one| format!("\"c{one}\"")).collect::<Vec<_>>().join(", ");
    let [one, other] = world.sides.each_ref().map(|one| side(one));
    let limit = LIMIT / 1_000_000;
    let _ = writeln!(out, "[encounter.e]\nsides.l = [{one}]\nsides.r = [{other}]\ntime_limit = {limit}");
    out
}

// ---------------------------------------------------------------------------------------------------------------------
// The model.

#[derive(Clone, Debug)]
struct Held {
    serial: u32,
    status: usize,
    caster: usize,
    stacks: u32,
    started: u64,
    ends: u64,
    ticks: u32,
    ready: u64,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Doing {
    Idle,
    Casting(usize, u64),
    Recovering(u64),
}

#[derive(Clone, Debug)]
struct One {
    side: usize,
    character: usize,
    stands: bool,
    doing: Doing,
    targets: Vec<usize>,
    held: Vec<Held>,
    /// For each pool: what was in it, and when.
    pools: [(f64, u64); 2],
    ready: Vec<u64>,
    used: Vec<u32>,
    /// When charges that are spent come back, the soonest first.
    charges: Vec<Vec<u64>>,
    hurt_by: Option<(CombatantId, Source)>,
}

/// Something that a status was triggered to do.
struct Waiting {
    owner: usize,
    held: Held,
    other: Option<usize>,
}

struct Model<'a> {
    world: &'a World,
    now: u64,
    all: Vec<One>,
    serial: u32,
    queue: VecDeque<Waiting>,
    log: Vec<Logged>,
    ending: Option<Ending>,
}

fn id(who: usize) -> CombatantId {
    CombatantId(who as u16)
}

impl Model<'_> {
    fn play(world: &World) -> Vec<Logged> {
        let one = |side: usize, character: usize| One {
            side,
            character,
            stands: true,
            doing: Doing::Idle,
            targets: Vec::new(),
            held: Vec::new(),
            pools: [(world.characters[character].0[2], 0), (20.0, 0)],
            ready: vec![0; world.abilities.len()],
            used: vec![0; world.abilities.len()],
            charges: vec![Vec::new(); world.abilities.len()],
            hurt_by: None,
        };
        let sides = world.sides.iter().enumerate();
        let all = sides.flat_map(|(side, members)| members.iter().map(move |who| one(side, *who))).collect();
        let mut model = Model { world, now: 0, all, serial: 0, queue: VecDeque::new(), log: Vec::new(), ending: None };
        while model.ending.is_none() && model.now <= LIMIT {
            model.moment();
            model.now += STEP;
        }
        model.log
    }

    fn report(&mut self, event: Event) {
        self.log.push(Logged { at: Time(self.now), event });
    }

    fn moment(&mut self) {
        loop {
            let mut quiet = !self.happen();
            self.settle();
            if self.ending.is_some() {
                return;
            }
            // Everybody decides on the same state.
            let decisions: Vec<_> = (0..self.all.len()).filter_map(|who| Some((who, self.decide(who)?))).collect();
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

    /// Ticks, then ends, then what takes effect; whether anything did.
    fn happen(&mut self) -> bool {
        let mut any = false;
        while let Some((who, serial)) = self.due(|model, held| {
            let period = model.world.statuses[held.status].period.map(|(period, _)| period);
            period.is_some_and(|period| held.started + period * u64::from(held.ticks + 1) == model.now)
                && model.now <= held.ends
        }) {
            any = true;
            self.tick(who, serial);
            self.respond();
        }
        while let Some((who, serial)) = self.due(|model, held| held.ends <= model.now) {
            any = true;
            self.lose(who, serial, LostReason::Expired);
            self.respond();
        }
        for who in 0..self.all.len() {
            match self.all[who].doing {
                Doing::Casting(ability, at) if at == self.now => {
                    any = true;
                    self.release(who, ability);
                    self.respond();
                }
                Doing::Recovering(until) if until == self.now => {
                    any = true;
                    self.all[who].doing = Doing::Idle;
                }
                _ => {}
            }
        }
        any
    }

    /// The first status of the first combatant for which something holds.
    fn due(&self, test: impl Fn(&Self, &Held) -> bool) -> Option<(usize, u32)> {
        let of = |who: usize| self.all[who].held.iter().find(|held| test(self, held)).map(|held| (who, held.serial));
        (0..self.all.len()).find_map(of)
    }

    fn settle(&mut self) {
        let fallen: Vec<usize> =
            (0..self.all.len()).filter(|who| self.all[*who].stands && self.amount(*who, HEALTH) <= 0.0).collect();
        for who in &fallen {
            self.all[*who].stands = false;
            self.all[*who].doing = Doing::Idle;
            let by = self.all[*who].hurt_by;
            self.report(Event::Defeated { who: id(*who), by });
            while let Some(held) = self.all[*who].held.first() {
                self.lose(*who, held.serial, LostReason::OwnerDefeated);
            }
        }
        if fallen.is_empty() {
            return;
        }
        let stands = |side: usize| self.all.iter().any(|one| one.stands && one.side == side);
        self.ending = match (stands(0), stands(1)) {
            (true, true) => None,
            (true, false) => Some(Ending::Won(SideId(0))),
            (false, true) => Some(Ending::Won(SideId(1))),
            (false, false) => Some(Ending::AllDefeated),
        };
        if self.ending.is_none() {
            self.respond();
            self.settle();
        }
    }

    // ------------------------------------------------------------------------------------------------------- numbers

    fn cap(&self, who: usize, pool: usize) -> f64 {
        if pool == WIND { 40.0 } else { self.world.characters[self.all[who].character].0[2] }
    }

    fn amount(&self, who: usize, pool: usize) -> f64 {
        let (amount, since) = self.all[who].pools[pool];
        if pool == HEALTH {
            return amount;
        }
        (amount + 2.0 * ((self.now - since) as f64 / 1e6)).clamp(0.0, 40.0)
    }

    fn share(&self, who: usize) -> f64 {
        self.amount(who, HEALTH) / self.cap(who, HEALTH)
    }

    fn might(&self, who: usize) -> f64 {
        let mut add = -0.0;
        for (index, status) in self.world.statuses.iter().enumerate().filter(|(_, status)| status.might != 0.0) {
            for held in self.all[who].held.iter().filter(|held| held.status == index) {
                add += status.might * f64::from(held.stacks);
            }
        }
        self.world.characters[self.all[who].character].0[0] + add
    }

    fn put(&mut self, who: usize, pool: usize, amount: f64) {
        self.all[who].pools[pool] = (amount, self.now);
    }

    /// Takes what there is: what was taken, what found nothing, what is left.
    fn take(&mut self, who: usize, pool: usize, amount: f64) -> (f64, f64, f64) {
        let (before, dust) = (self.amount(who, pool), 1e-9 * self.cap(who, pool));
        if before == 0.0 {
            return (0.0, amount, 0.0);
        }
        let left = before - amount;
        let (taken, over, left) = if left > dust {
            (amount, 0.0, left)
        } else if left >= -dust {
            (amount, 0.0, 0.0)
        } else {
            (before, amount - before, 0.0)
        };
        self.put(who, pool, left);
        (taken, over, left)
    }

    fn add(&mut self, who: usize, pool: usize, amount: f64) -> (f64, f64, f64) {
        let (before, cap) = (self.amount(who, pool), self.cap(who, pool));
        let room = cap - before - amount;
        let (added, over, left) = if room > 1e-9 * cap {
            (amount, 0.0, before + amount)
        } else if room >= -1e-9 * cap {
            (amount, 0.0, cap)
        } else {
            (cap - before, amount - (cap - before), cap)
        };
        if added > 0.0 {
            self.put(who, pool, left);
        }
        (added, over, left)
    }

    // ------------------------------------------------------------------------------------------------------ decisions

    fn decide(&self, who: usize) -> Option<(usize, Vec<usize>)> {
        let one = &self.all[who];
        if !one.stands || one.doing != Doing::Idle {
            return None;
        }
        let lines = &self.world.characters[one.character].1;
        lines.iter().find_map(|(ability, when)| self.open(who, *ability, *when).map(|targets| (*ability, targets)))
    }

    fn open(&self, who: usize, ability: usize, when: When) -> Option<Vec<usize>> {
        let (one, rule) = (&self.all[who], &self.world.abilities[ability]);
        let forbidden = one.held.iter().any(|held| self.world.statuses[held.status].forbids);
        let used_up = rule.uses.is_some_and(|uses| one.used[ability] >= uses);
        let spent = one.charges[ability].iter().filter(|back| **back > self.now).count() as u32;
        let no_charge = rule.charges.is_some_and(|(most, _)| spent >= most);
        if forbidden || one.ready[ability] > self.now || used_up || no_charge {
            return None;
        }
        let targets = self.targets(who, rule);
        let first = *targets.first()?;
        let enemies = self.all.iter().filter(|other| other.stands && other.side != one.side).count();
        let holds = match when {
            When::Always => true,
            When::HealthAtMost(share) => self.share(who) <= share,
            When::WindAtLeast(wind) => self.amount(who, WIND) >= wind,
            When::TargetAtMost(share) => self.share(first) <= share,
            When::Without(status) => !one.held.iter().any(|held| held.status == status),
            When::Enemies(count) => enemies as f64 >= count,
        };
        let has = self.amount(who, WIND);
        let affordable = rule.cost - has <= 1e-9 * 40.0;
        (holds && affordable).then_some(targets)
    }

    fn targets(&self, who: usize, rule: &Ability) -> Vec<usize> {
        if rule.side == Side::Caster {
            return vec![who];
        }
        let fits = |other: &usize| {
            self.all[*other].stands && (self.all[*other].side == self.all[who].side) == (rule.side == Side::Allies)
        };
        let mut targets: Vec<usize> = (0..self.all.len()).filter(fits).collect();
        if rule.pick == Pick::Weakest {
            targets.sort_by(|a, b| self.share(*a).total_cmp(&self.share(*b)));
        }
        if rule.pick != Pick::All {
            targets.truncate(1);
        }
        targets
    }

    fn start(&mut self, who: usize, ability: usize, targets: Vec<usize>) {
        let rule = &self.world.abilities[ability];
        let release = self.now + rule.times[0];
        self.all[who].doing = Doing::Casting(ability, release);
        let (target, number) = (id(targets[0]), targets.len() as u16);
        let ability = AbilityId(ability as u16);
        self.report(Event::Used { caster: id(who), ability, target, targets: number, release: Time(release) });
        self.raise(TriggerEvent::AbilityUsed, who, Some(targets[0]));
        self.all[who].targets = targets;
        if rule.cost > 0.0 {
            let left = self.take(who, WIND, rule.cost).2;
            self.report(Event::Spent { who: id(who), ability, pool: PoolId(WIND as u16), amount: rule.cost, left });
        }
    }

    fn release(&mut self, who: usize, ability: usize) {
        let rule = &self.world.abilities[ability];
        let (now, [_, recovery, cooldown]) = (self.now, rule.times);
        let one = &mut self.all[who];
        one.ready[ability] = now + cooldown;
        one.used[ability] += 1;
        if let Some((_, regain)) = rule.charges {
            // One comes back after the other.
            let last = one.charges[ability].last().copied().filter(|last| *last > now).unwrap_or(now);
            one.charges[ability].retain(|back| *back > now);
            one.charges[ability].push(last + regain);
        }
        one.doing = Doing::Recovering(now + recovery);
        let ready = Time(one.ready[ability]);
        self.report(Event::Released { caster: id(who), ability: AbilityId(ability as u16), ready });
        let targets = self.all[who].targets.clone();
        if !targets.iter().any(|target| self.all[*target].stands) {
            self.report(Event::Lost { caster: id(who), ability: AbilityId(ability as u16) });
            return;
        }
        let source = Source::Ability(AbilityId(ability as u16));
        for (effect, to_caster) in &rule.does {
            let receivers = if *to_caster { vec![who] } else { targets.clone() };
            for target in receivers {
                self.effect(who, source, target, *effect);
            }
        }
    }

    // -------------------------------------------------------------------------------------------------------- effects

    fn effect(&mut self, who: usize, source: Source, target: usize, effect: Effect) {
        if !self.all[target].stands {
            return;
        }
        let (caster, to) = (id(who), id(target));
        match effect {
            Effect::Damage(base, per) => {
                let initial = (base + self.might(who) * per).max(0.0);
                let guard = self.world.characters[self.all[target].character].0[1].min(90.0);
                let amount = (initial * (100.0 - guard) / 100.0).max(0.0);
                let (dealt, over, left) = self.take(target, HEALTH, amount);
                if dealt > 0.0 {
                    self.all[target].hurt_by = Some((caster, source));
                }
                let (damage_type, pool) = (edgeplane::program::DamageTypeId(0), PoolId(HEALTH as u16));
                self.report(Event::Hit {
                    caster,
                    target: to,
                    source,
                    damage_type,
                    pool,
                    initial,
                    amount,
                    dealt,
                    over,
                    left,
                    stopped: None,
                    marks: 0,
                });
                if amount > 0.0 {
                    self.raise(TriggerEvent::HitDealt, who, Some(target));
                    self.raise(TriggerEvent::HitTaken, target, Some(who));
                }
            }
            Effect::Heal(amount) => {
                let (healed, over, left) = self.add(target, HEALTH, amount);
                let pool = PoolId(HEALTH as u16);
                let initial = amount;
                let stopped = None;
                let target = to;
                self.report(Event::Healed {
                    caster,
                    target,
                    source,
                    pool,
                    initial,
                    amount,
                    healed,
                    over,
                    left,
                    stopped,
                });
                self.raise(TriggerEvent::HealTaken, target.index(), Some(who));
            }
            Effect::Drain(amount) => {
                let (taken, over, left) = self.take(target, WIND, amount);
                if taken > 0.0 {
                    self.all[target].hurt_by = Some((caster, source));
                }
                self.report(Event::Drained {
                    caster,
                    target: to,
                    source,
                    pool: PoolId(WIND as u16),
                    taken,
                    over,
                    left,
                });
            }
            Effect::Restore(amount) => {
                let (gained, over, left) = self.add(target, WIND, amount);
                self.report(Event::Restored {
                    caster,
                    target: to,
                    source,
                    pool: PoolId(WIND as u16),
                    gained,
                    over,
                    left,
                });
            }
            Effect::Apply(status) => self.apply(who, source, target, status),
            Effect::Interrupt => self.interrupt(target, who, source),
        }
    }

    fn interrupt(&mut self, who: usize, by: usize, source: Source) {
        if let Doing::Casting(ability, _) = self.all[who].doing {
            self.all[who].doing = Doing::Idle;
            self.report(Event::Interrupted { who: id(who), ability: AbilityId(ability as u16), by: id(by), source });
        }
    }

    // ------------------------------------------------------------------------------------------------------- statuses

    fn apply(&mut self, by: usize, source: Source, target: usize, status: usize) {
        let rule = &self.world.statuses[status];
        let (caster, to, which, ends) = (id(by), id(target), StatusId(status as u16), self.now + rule.duration);
        let there = self.all[target].held.iter().position(|held| held.status == status);
        let Some(index) = there else { return self.apply_new(by, source, target, status, Applied::New) };
        let applied = match rule.reapply {
            Reapply::Keep => {
                return self.report(Event::StatusPrevented {
                    caster,
                    target: to,
                    status: which,
                    reason: Prevention::Held,
                });
            }
            Reapply::Replace => {
                let serial = self.all[target].held[index].serial;
                self.lose(target, serial, LostReason::Replaced);
                return self.apply_new(by, source, target, status, Applied::Replaced);
            }
            Reapply::Refresh => {
                self.all[target].held[index].ends = ends;
                Applied::Renewed
            }
            Reapply::Extend => {
                self.all[target].held[index].ends += rule.duration;
                Applied::Extended
            }
            Reapply::Stack(most) => {
                let held = &mut self.all[target].held[index];
                (held.stacks, held.ends) = ((held.stacks + 1).min(most), ends);
                Applied::Stacked
            }
        };
        let held = self.all[target].held[index].clone();
        self.gained(by, source, target, &held, applied, TriggerEvent::Renewed);
    }

    fn apply_new(&mut self, by: usize, source: Source, target: usize, status: usize, applied: Applied) {
        let held = Held {
            serial: self.serial,
            status,
            caster: by,
            stacks: 1,
            started: self.now,
            ends: self.now + self.world.statuses[status].duration,
            ticks: 0,
            ready: 0,
        };
        self.serial += 1;
        self.all[target].held.push(held.clone());
        self.gained(by, source, target, &held, applied, TriggerEvent::Gained);
    }

    fn gained(&mut self, by: usize, source: Source, target: usize, held: &Held, applied: Applied, event: TriggerEvent) {
        self.report(Event::StatusGained {
            caster: id(by),
            target: id(target),
            status: StatusId(held.status as u16),
            stacks: held.stacks,
            total: held.stacks,
            until: Some(Time(held.ends)),
            applied,
        });
        let rule = &self.world.statuses[held.status];
        if rule.trigger.is_some_and(|(on, ..)| on == event) {
            self.queue.push_back(Waiting { owner: target, held: held.clone(), other: Some(by) });
        }
        if rule.interrupts {
            self.interrupt(target, by, source);
        }
    }

    fn lose(&mut self, who: usize, serial: u32, reason: LostReason) {
        let index = self.all[who].held.iter().position(|held| held.serial == serial).unwrap();
        let held = self.all[who].held.remove(index);
        let (caster, status) = (id(held.caster), StatusId(held.status as u16));
        let stacks = held.stacks;
        self.report(Event::StatusLost { target: id(who), caster, status, stacks, total: 0, reason });
        if self.world.statuses[held.status].trigger.is_some_and(|(on, ..)| on == TriggerEvent::Lost) {
            let other = Some(held.caster);
            self.queue.push_back(Waiting { owner: who, held, other });
        }
    }

    fn tick(&mut self, who: usize, serial: u32) {
        let held = self.all[who].held.iter_mut().find(|held| held.serial == serial).unwrap();
        held.ticks += 1;
        let (status, caster, tick) = (held.status, held.caster, held.ticks);
        self.report(Event::StatusTicked { target: id(who), caster: id(caster), status: StatusId(status as u16), tick });
        if let Some((_, effect)) = self.world.statuses[status].period {
            self.effect(caster, Source::Status(StatusId(status as u16)), who, effect);
        }
    }

    /// Something happened to somebody, or by it: what its statuses are triggered to do waits for its turn.
    fn raise(&mut self, event: TriggerEvent, owner: usize, other: Option<usize>) {
        for held in &self.all[owner].held {
            let triggers = self.world.statuses[held.status].trigger.is_some_and(|(on, ..)| on == event);
            if triggers && held.ready <= self.now {
                self.queue.push_back(Waiting { owner, held: held.clone(), other });
            }
        }
    }

    fn respond(&mut self) {
        while let Some(Waiting { owner, held, other }) = self.queue.pop_front() {
            let rule = &self.world.statuses[held.status];
            let Some((event, cooldown, effect, to_other)) = rule.trigger else { continue };
            let now = self.now;
            // What it has done since counts too; what is gone still does what its loss triggers.
            let there = self.all[owner].held.iter_mut().find(|one| one.serial == held.serial);
            match there {
                Some(one) if one.ready > now => continue,
                Some(one) => one.ready = now + cooldown,
                None if held.ready > now => continue,
                None => {
                    for waiting in self.queue.iter_mut().filter(|waiting| waiting.held.serial == held.serial) {
                        waiting.held.ready = now + cooldown;
                    }
                }
            }
            let status = StatusId(held.status as u16);
            self.report(Event::Triggered { who: id(owner), status, event });
            let to_other = to_other && event.has_other();
            let receiver = if to_other { other } else { Some(owner) };
            if let Some(receiver) = receiver {
                self.effect(owner, Source::Status(status), receiver, effect);
            }
        }
    }
}

// ---------------------------------------------------------------------------------------------------------------------

fn compare(seed: u64) -> usize {
    let world = world(seed);
    let game = game(&text(&world));
    let setup = Arc::new(Setup::of(game.program(), game.encounter("e").unwrap()));
    // Every tie-break is alike then, and combatants come in the order of the encounter.
    let mut fight = Fight::with_chance(setup, Likely, 0);
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let skipped = |event: &Event| {
        matches!(
            event,
            Event::Unavailable { .. }
                | Event::Available { .. }
                | Event::Waits { .. }
                | Event::Began
                | Event::Ended { .. }
        )
    };
    let engine: Vec<&Logged> = log.events.iter().filter(|logged| !skipped(&logged.event)).collect();
    let model = Model::play(&world);
    for (index, pair) in engine.iter().zip(&model).enumerate() {
        let before = &engine[index.saturating_sub(8)..index];
        assert_eq!(*pair.0, pair.1, "seed {seed}, event {index}, after {before:#?}\n{}", text(&world));
    }
    assert_eq!(engine.len(), model.len(), "seed {seed}: {:?}\n{}", engine.last(), text(&world));
    engine.len()
}

#[test]
fn the_model_and_the_engine_agree_on_thousands_of_encounters() {
    let events: usize = (0..5_000).map(compare).sum();
    assert!(events > 200_000, "only {events} events: the encounters are too quiet");
}
