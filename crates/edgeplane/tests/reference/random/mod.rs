//! Random worlds.

mod statuses;

use edgeplane::program::{LostReason, TriggerEvent};

use crate::calls::{Base, Call};
use crate::world::{
    Ability, Area, CapRule, Character, Counts, Effect, Forbids, Gear, Given, Ground, Joins, LIMIT, Member, Only, Pick,
    Reapply, STEP, Scripted, Side, Status, Step, Sustain, To, Trigger, Uses, When, World, Zone,
};

/// The next pseudo-random number.
pub(super) struct Dice(pub(super) u64);

impl Dice {
    pub(super) fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % most
    }

    fn one_in(&mut self, of: u64) -> bool {
        self.below(of) == 0
    }

    pub(super) fn index(&mut self, of: usize) -> usize {
        self.below(of as u64) as usize
    }

    fn of<T: Copy>(&mut self, some: &[T]) -> T {
        some[self.index(some.len())]
    }

    /// Multiples of half a metre.
    fn metres(&mut self, least: u64, most: u64) -> f64 {
        (2 * least + self.below(2 * (most - least) + 1)) as f64 / 2.0
    }
}

/// The numbers of rules of each kind, to which the generators refer.
struct Parts {
    ground: Ground,
    statuses: usize,
    zones: usize,
    gear: usize,
    threat: bool,
    levels: bool,
    called: bool,
    portions: bool,
    decays: bool,
    abilities: usize,
    /// No combatant has all abilities, and some are given and taken.
    partial: bool,
}

impl Parts {
    fn effect(&self, dice: &mut Dice) -> Effect {
        let status = dice.index(self.statuses);
        let placed = self.ground != Ground::None;
        match dice.below(41) {
            37 if self.partial => Effect::Teach(dice.index(self.abilities)),
            38 if self.partial => {
                if dice.one_in(3) {
                    Effect::TakeLoud
                } else {
                    Effect::Take(dice.index(self.abilities))
                }
            }
            40 => dice.of(&[Effect::Asked(4.0), Effect::Report]),
            31 => Effect::Winding((2 + dice.below(9)) as f64),
            32 => Effect::Piercing((4 + dice.below(9)) as f64),
            33 => Effect::Pure((3 + dice.below(9)) as f64),
            34 => Effect::Keen((4 + dice.below(9)) as f64),
            35 => Effect::HealKind((3 + dice.below(9)) as f64, dice.one_in(2)),
            36 => Effect::HealWind((2 + dice.below(6)) as f64),
            28 => Effect::ApplyMore(status, 1 + dice.below(3) as u32, 2 * STEP * (2 + dice.below(20))),
            29 => Effect::Leech((2 + 2 * dice.below(4)) as f64),
            30 => Effect::CleanseKind(dice.one_in(2)),
            26 => Effect::Cold((3 + dice.below(9)) as f64, dice.one_in(2)),
            27 => Effect::Shield((2 + dice.below(12)) as f64),
            24 if dice.one_in(4) => Effect::InterruptOne(dice.index(self.abilities)),
            24 => dice.of(&[Effect::InterruptLoud, Effect::CleanseWet, Effect::ConsumeWet]),
            25 if dice.one_in(12) => Effect::Win,
            0..4 => Effect::Damage((4 + dice.below(12)) as f64, dice.below(3) as f64 * 0.5),
            4 => Effect::InOrder((6 + dice.below(12)) as f64),
            5 => Effect::Heal((3 + dice.below(12)) as f64),
            6 => Effect::Drain((2 + 2 * dice.below(4)) as f64),
            7 => Effect::Restore((2 + 2 * dice.below(4)) as f64),
            8 => Effect::Interrupt,
            9..13 => Effect::Apply(status),
            13 if self.gear > 0 => Effect::Wear(dice.index(self.gear)),
            14 if self.gear > 0 => Effect::TakeOff(dice.index(self.gear)),
            15 if self.threat => Effect::Threat(dice.below(30) as f64 - 10.0),
            16 if self.levels => dice.of(&[Effect::Learn(7.0), Effect::Grown(4.0)]),
            17 if self.called => Effect::Call(dice.index(4), 1 + dice.below(2) as u32),
            18 | 39 => match dice.below(6) {
                0 => Effect::Consume(status, dice.one_in(2).then_some(1)),
                1 => Effect::Cleanse(status),
                2 => Effect::Transfer(status),
                3 => Effect::Extend(status, STEP * (1 + dice.below(20))),
                4 => Effect::Shorten(status, STEP * (1 + dice.below(20))),
                _ => Effect::Toggle(status),
            },
            19 if placed => Effect::Push(dice.metres(1, 4)),
            20 if placed => Effect::Pull(dice.metres(1, 4)),
            21 if placed => Effect::Leap(dice.metres(0, 2)),
            22 if placed => Effect::Far(3.0),
            13 | 23 if self.zones > 0 => Effect::Zone(dice.index(self.zones)),
            _ => Effect::Damage((4 + dice.below(12)) as f64, 0.0),
        }
    }

    fn zone(&self, dice: &mut Dice) -> Zone {
        let carried = dice.one_in(3);
        Zone {
            radius: dice.metres(1, 6),
            grows: if self.ground == Ground::Line && dice.one_in(2) { dice.of(&[1.0, 2.0]) } else { 0.0 },
            lasts: (!dice.one_in(4)).then(|| STEP * (8 + dice.below(60))),
            affects: dice.of(&[Side::Enemies, Side::Enemies, Side::Allies, Side::Everyone]),
            owner: dice.one_in(3),
            applies: (!dice.one_in(3)).then(|| dice.index(self.statuses)),
            enters: dice.one_in(2).then(|| tick(dice)),
            leaves: dice.one_in(3).then(|| tick(dice)),
            most: 1 + dice.index(2),
            uses: dice.one_in(4).then(|| 1 + dice.below(4) as u32),
            carried,
        }
    }

    fn to(&self, dice: &mut Dice) -> To {
        match dice.below(12) {
            0..3 => To::Caster,
            3 => {
                let side = dice.of(&[Side::Enemies, Side::Allies, Side::Others, Side::Everyone]);
                let within = self.ground != Ground::None && dice.one_in(2);
                To::Side(side, within.then(|| dice.metres(1, 8)))
            }
            _ => To::Target,
        }
    }

    fn ability(&self, dice: &mut Dice, index: usize, quiet: &[usize]) -> Ability {
        let placed = self.ground != Ground::None;
        let side = dice.of(&[
            Side::Enemies,
            Side::Enemies,
            Side::Enemies,
            Side::Allies,
            Side::Others,
            Side::Everyone,
            Side::Caster,
        ]);
        let defeated = matches!(side, Side::Allies | Side::Others) && dice.one_in(4);
        let pick = match dice.below(8) {
            0 | 1 => Pick::First,
            2 => Pick::Weakest,
            3 => Pick::Strongest,
            4 if placed => Pick::Nearest,
            5 if placed => Pick::Farthest,
            6 => Pick::Lowest(!self.decays && dice.one_in(2)),
            _ if self.threat && side == Side::Enemies => Pick::Policy,
            _ => Pick::First,
        };
        let whom = placed && side != Side::Caster;
        let walked = self.ground == Ground::Walked;
        let reach =
            (whom && !defeated && (!walked || side == Side::Enemies) && !dice.one_in(4)).then(|| dice.metres(1, 9));
        let area = match dice.below(9) {
            _ if !whom || defeated || (walked && side != Side::Enemies) => Area::None,
            0 => Area::Radius(dice.metres(1, 4)),
            1 if reach.is_none() => Area::Around(dice.metres(1, 6)),
            2 => Area::Cone(dice.of(&[40.0, 70.0, 130.0]), dice.metres(2, 9)),
            3 => Area::Line(dice.metres(1, 3), dice.metres(2, 9)),
            4 => Area::Chain(dice.metres(2, 6)),
            _ => Area::None,
        };
        let pick = match area {
            Area::Around(_) => Pick::First,
            _ if side == Side::Caster => Pick::First,
            _ => pick,
        };
        let revives = |dice: &mut Dice| {
            let one = |dice: &mut Dice, to: To| (Effect::Revive((10 + dice.below(30)) as f64), to, only(dice));
            // The other standing members of a side.
            let to = if dice.one_in(4) { self.to(dice) } else { To::Target };
            vec![one(dice, To::Target), one(dice, to)]
        };
        let many = side != Side::Caster && dice.one_in(3);
        let kept = !defeated && dice.one_in(6);
        let sustain = kept.then(|| Sustain {
            every: STEP * (2 + dice.below(16)),
            longest: (!dice.one_in(4)).then(|| STEP * dice.below(60)),
            cost: 2.0 * dice.below(3) as f64,
            above: dice.one_in(3).then(|| 0.25 * (1 + dice.below(3)) as f64),
            does: (0..1 + dice.below(2)).map(|_| (tick_of_use(dice), self.to(dice), only(dice))).collect(),
        });
        Ability {
            cost: 2.0 * dice.below(6) as f64,
            times: [STEP * dice.below(16), STEP * (1 + dice.below(12)), STEP * dice.below(80)],
            charges: dice.one_in(6).then(|| (1 + dice.below(3) as u32, STEP * (10 + dice.below(60)))),
            uses: dice.one_in(6).then(|| 1 + dice.below(4) as u32),
            side,
            pick,
            count: (many || matches!(area, Area::Chain(_))).then(|| 2 + dice.index(3)),
            defeated,
            reach,
            area,
            travels: self.ground == Ground::Line && whom && !defeated && dice.one_in(3),
            does: if defeated {
                revives(dice)
            } else {
                let one = |dice: &mut Dice| match self.effect(dice) {
                    // It happens once, whatever the targets are.
                    once @ (Effect::Call(..) | Effect::Win) => (once, To::Caster, only(dice)),
                    other => (other, self.to(dice), only(dice)),
                };
                (0..1 + dice.below(3)).map(|_| one(dice)).collect()
            },
            loud: dice.one_in(3),
            unlock: match dice.below(12) {
                0 => When::HealthAtMost(0.4 + 0.1 * dice.below(6) as f64),
                1 => When::WindAtLeast(4.0 + 4.0 * dice.below(6) as f64),
                2 => When::Without(dice.index(self.statuses)),
                _ => When::Always,
            },
            pays_at_release: dice.one_in(5),
            mobile: walked && dice.one_in(3),
            counts: dice.of(&[Counts::Release, Counts::Release, Counts::Release, Counts::Start, Counts::End]),
            refund: if dice.one_in(4) { dice.of(&[0.5, 1.0]) } else { 0.0 },
            releases: (sustain.is_none() && dice.one_in(5))
                .then(|| (2 + dice.below(2) as u32, STEP * (1 + dice.below(10)))),
            shares: dice.one_in(4).then(|| dice.one_in(2).then(|| STEP * (4 + dice.below(30)))),
            after: (index > 0 && dice.one_in(8)).then(|| (dice.index(index), STEP * (4 + dice.below(40)))),
            // An ability that interrupts would interrupt its own cast repeatedly.
            during: (dice.one_in(5) && !quiet.is_empty()).then(|| dice.of(quiet)),
            slot: (self.partial && dice.one_in(2)).then(|| dice.below(2) as u32),
            sustain,
        }
    }

    fn when(&self, dice: &mut Dice) -> When {
        // The model does not know whether a condition on distances changes before or after another event of the same
        // moment.
        let placed = !matches!(self.ground, Ground::None | Ground::Walked);
        match dice.below(11) {
            0 => When::HealthAtMost(0.3 + 0.1 * dice.below(6) as f64),
            1 => When::WindAtLeast(4.0 + 4.0 * dice.below(7) as f64),
            2 => When::TargetAtMost(0.3 + 0.1 * dice.below(7) as f64),
            3 => When::Without(dice.index(self.statuses)),
            4 => {
                let side = dice.of(&[Side::Enemies, Side::Allies, Side::Others]);
                let within = (placed && dice.one_in(2)).then(|| dice.metres(1, 8));
                When::Count(side, within, 1.0 + dice.below(3) as f64)
            }
            5 if placed => When::Near(dice.metres(1, 9)),
            6 if self.gear > 0 => When::Wears(dice.index(self.gear)),
            6 if self.levels => When::Level(1.0 + dice.below(3) as f64),
            _ => When::Always,
        }
    }

    /// Calls of a game to the combatants, and values that it sets before the fight.
    fn more_calls(&self, dice: &mut Dice, all: usize, calls: &mut Vec<(u64, Call)>) -> Vec<Call> {
        for _ in 0..if dice.one_in(2) { dice.below(8) } else { 0 } {
            let (at, who) = (STEP * (1 + dice.below(120)), dice.index(all));
            let call = match dice.below(9) {
                8 => Call::Despawn(who),
                0 | 1 => Call::Use(who, dice.index(self.abilities), dice.one_in(2).then(|| dice.index(all))),
                2 => Call::Effects(who, dice.index(self.abilities), dice.index(all)),
                3 => Call::Cancel(who),
                5 => Call::Stop(who),
                4 | 6 => Call::Control(who, dice.one_in(2)),
                _ => self.base(dice, who),
            };
            calls.push((at, call));
        }
        let before = 0..if dice.one_in(4) { 1 + dice.below(4) } else { 0 };
        let set = |_| {
            let who = dice.index(all);
            match dice.below(9) {
                0 if dice.one_in(2) => Call::KeepOut(who),
                7 | 8 => self.base(dice, who),
                1 | 3 if self.gear > 0 => Call::Wear(who, dice.index(self.gear)),
                2 | 4 if self.gear > 0 => Call::TakeOff(who, dice.index(self.gear)),
                _ => Call::Pool(who, dice.index(3), dice.below(90) as f64),
            }
        };
        before.map(set).collect()
    }

    /// Some are spawned and affected; some are despawned, and others take their slots.
    fn spawns(&self, dice: &mut Dice, all: usize, calls: &mut Vec<(u64, Call)>) {
        for _ in 0..if dice.one_in(4) { 1 + dice.below(12) } else { 0 } {
            let (at, who) = (STEP * (1 + dice.below(120)), dice.index(all + 8));
            let call = match dice.below(14) {
                0..6 => Call::Spawn(dice.index(3), dice.index(2), self.place(dice, who % 2)),
                6..9 => Call::Despawn(who),
                9 => Call::Use(who, dice.index(self.abilities), dice.one_in(2).then(|| dice.index(all + 8))),
                10 => Call::Apply(dice.index(self.statuses), who, dice.index(all + 8)),
                11 => Call::Cause(who, dice.index(all + 8), (3 + dice.below(30)) as f64),
                12 => Call::Control(who, dice.one_in(2)),
                _ => self.base(dice, who),
            };
            calls.push((at, call));
        }
    }

    fn base(&self, dice: &mut Dice, who: usize) -> Call {
        match dice.below(3) {
            0 if self.levels => Call::Base(who, Base::Level, (1 + dice.below(4)) as f64),
            1 => Call::Base(who, Base::Vigour, 10.0 * (3 + dice.below(10)) as f64),
            _ => Call::Base(who, Base::Might, (6 + dice.below(8)) as f64),
        }
    }

    fn place(&self, dice: &mut Dice, side: usize) -> [f64; 2] {
        let away = if side == 0 { -1.0 } else { 1.0 };
        let x = away * (1.0 + dice.metres(0, 7));
        if self.ground == Ground::None {
            return [0.0; 2];
        }
        [x, if self.ground == Ground::Plane { dice.metres(0, 8) - 4.0 } else { 0.0 }]
    }
}

fn only(dice: &mut Dice) -> Only {
    Only { above: dice.one_in(6).then(|| 0.25 * (1 + dice.below(3)) as f64), likely: likely(dice) }
}

/// Most of those with a chance join.
fn likely(dice: &mut Dice) -> Option<bool> {
    dice.one_in(4).then(|| !dice.one_in(4))
}

fn tick_of_use(dice: &mut Dice) -> Effect {
    match dice.below(5) {
        0 => Effect::Drain((2 + 2 * dice.below(3)) as f64),
        1 => Effect::Interrupt,
        _ => tick(dice),
    }
}

fn tick(dice: &mut Dice) -> Effect {
    if dice.one_in(2) {
        Effect::Damage(2.0 + dice.below(4) as f64, 0.5)
    } else {
        Effect::Heal(2.0 + dice.below(4) as f64)
    }
}

pub(crate) fn world(seed: u64) -> World {
    let mut dice = Dice(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ 77);
    let dice = &mut dice;
    let ground = dice.of(&[Ground::None, Ground::None, Ground::Plane, Ground::Plane, Ground::Line, Ground::Walked]);
    let zones = if dice.one_in(3) { 0 } else { 1 + dice.index(2) };
    let parts = Parts {
        ground,
        statuses: 2 + dice.index(4),
        zones,
        gear: if dice.one_in(2) { 2 + dice.index(3) } else { 0 },
        threat: dice.one_in(2),
        levels: dice.one_in(3),
        called: ground != Ground::Walked && dice.one_in(3),
        portions: dice.one_in(3),
        decays: dice.one_in(3),
        abilities: 3 + dice.index(4),
        partial: dice.one_in(3),
    };
    let mut statuses: Vec<Status> = (0..parts.statuses).map(|_| parts.status(dice)).collect();
    statuses[0].wet = true;
    let quiet: Vec<usize> = (0..statuses.len()).filter(|index| !statuses[*index].interrupts).collect();
    let zones = (0..parts.zones).map(|_| parts.zone(dice)).collect();
    let given = |dice: &mut Dice, timed: bool| {
        let lasts = (timed && dice.one_in(2)).then(|| 2 * STEP * (2 + dice.below(20)));
        let stacks = if timed { 1 + dice.below(3) as u32 } else { 1 };
        dice.one_in(4).then(|| Given { status: dice.index(parts.statuses), stacks, lasts })
    };
    let gear = (0..parts.gear).map(|_| Gear {
        slot: dice.one_in(2).then(|| dice.below(2) as u32),
        in_set: dice.one_in(2),
        gives: given(dice, false),
    });
    let gear: Vec<Gear> = gear.collect();
    let mut worn = Vec::new();
    if gear.iter().any(|gear| gear.in_set) {
        worn.push(Status { might: 3.0, ..statuses::bare() });
    }
    worn.extend((0..parts.gear).map(|_| parts.worn(dice)));
    let points = parts.levels && dice.one_in(2);
    if points {
        worn.extend([1.0, 0.5].map(|might| Status { might, reapply: Reapply::Stack(99), ..statuses::bare() }));
    }
    let mut abilities: Vec<Ability> = (0..parts.abilities).map(|index| parts.ability(dice, index, &quiet)).collect();
    (abilities[0].loud, abilities[1].loud) = (true, false);
    let line = |dice: &mut Dice, possible: &[usize]| {
        let uses =
            if dice.one_in(6) && !parts.partial { Uses::Tagged(dice.one_in(2)) } else { Uses::One(dice.of(possible)) };
        (uses, parts.when(dice))
    };
    let character = |dice: &mut Dice| {
        let mut worn: Vec<usize> = Vec::new();
        for piece in (0..gear.len()).filter(|_| dice.one_in(3)) {
            if gear[piece].slot.is_none() || worn.iter().all(|other| gear[*other].slot != gear[piece].slot) {
                worn.push(piece);
            }
        }
        let (mut own, mut can_learn): (Vec<usize>, Vec<usize>) = (Vec::new(), Vec::new());
        for ability in 0..abilities.len() {
            let same =
                |other: &usize| abilities[*other].slot.is_some() && abilities[*other].slot == abilities[ability].slot;
            match dice.below(4) {
                0 if parts.partial => can_learn.push(ability),
                1 if parts.partial => {}
                _ if own.iter().any(same) => can_learn.push(ability),
                _ => own.push(ability),
            }
        }
        let possible: Vec<usize> = own.iter().chain(&can_learn).copied().collect();
        let possible = if possible.is_empty() {
            own = vec![0];
            own.clone()
        } else {
            possible
        };
        Character {
            might: 8.0 + dice.below(6) as f64,
            guard: dice.below(40) as f64,
            vigour: 40.0 + 10.0 * dice.below(8) as f64,
            body: if ground != Ground::None && dice.one_in(3) { 0.5 } else { 0.0 },
            reward: if parts.levels { 8.0 + dice.below(20) as f64 } else { 0.0 },
            gear: worn.clone(),
            perhaps: (0..gear.len())
                .find(|piece| !worn.contains(piece) && gear[*piece].slot.is_none())
                .filter(|_| dice.one_in(3))
                .map(|piece| (piece, dice.one_in(2))),
            has_shell: !dice.one_in(4),
            level: if parts.levels { 1.0 + dice.below(3) as f64 } else { 1.0 },
            statuses: (0..parts.statuses).filter(|_| dice.one_in(12)).collect(),
            immune: dice.one_in(10),
            lines: (0..1 + dice.below(4)).map(|_| line(dice, &possible)).collect(),
            group: dice.one_in(4).then(|| (1 + dice.index(3), dice.one_in(2))),
            reaction: if dice.one_in(4) { STEP * (1 + dice.below(12)) } else { 0 },
            abilities: own,
            can_learn,
            untargetable: dice.one_in(20).then(|| dice.one_in(3)),
        }
    };
    let characters: Vec<Character> = (0..4).map(|_| character(dice)).collect();
    let sides = [0, 1].map(|side| {
        let member = |dice: &mut Dice, first: bool| Member {
            character: dice.index(4),
            joins: match dice.below(8) {
                _ if first => Joins::AtOnce,
                0 => Joins::At(STEP * (1 + dice.below(90))),
                1 | 2 if parts.called => Joins::Called,
                _ => Joins::AtOnce,
            },
            at: parts.place(dice, side),
            vital: dice.one_in(10),
            health: dice.one_in(6).then(|| 5.0 * (1 + dice.below(20)) as f64),
            begins_with: dice.one_in(6).then(|| dice.index(parts.statuses)),
        };
        (0..1 + dice.index(3)).map(|index| member(dice, index == 0)).collect::<Vec<_>>()
    });
    let script = (0..dice.below(3)).filter(|_| dice.one_in(2));
    let script: Vec<u64> = script.collect();
    let script = script.iter().map(|_| {
        let every = dice.one_in(2).then(|| STEP * (20 + dice.below(40)));
        Scripted {
            at: STEP * (1 + dice.below(60)),
            every,
            times: every.filter(|_| dice.one_in(2)).map(|_| 2 + dice.below(3) as u32),
            ability: dice.index(abilities.len()),
            by: dice.index(2),
        }
    });
    let mut script: Vec<Scripted> = script.collect();
    // Something happens until the end, so that the fight does not end early because nothing more can happen.
    script.push(Scripted { at: LIMIT - STEP, every: None, times: None, ability: 0, by: 0 });
    let all = sides[0].len() + sides[1].len();
    let mut calls: Vec<(u64, Call)> = Vec::new();
    for _ in 0..if dice.one_in(2) { dice.below(6) } else { 0 } {
        let (at, who) = (STEP * (1 + dice.below(120)), dice.index(all));
        let call = match dice.below(7) {
            6 => Call::Cause(who, dice.index(all), (3 + dice.below(9)) as f64),
            0 => Call::Apply(dice.index(parts.statuses), who, dice.index(all)),
            1 => Call::Pool(who, dice.index(2), dice.below(40) as f64),
            2 if parts.gear > 0 => Call::Wear(who, dice.index(parts.gear)),
            3 if parts.gear > 0 => Call::TakeOff(who, dice.index(parts.gear)),
            4 if ground != Ground::None => Call::Place(who, parts.place(dice, 0)),
            5 => Call::Remove(dice.index(parts.statuses), who),
            _ => continue,
        };
        calls.push((at, call));
    }
    let before = parts.more_calls(&mut Dice(seed.wrapping_mul(0xd1b5_4a32_d192_ed03) ^ 77), all, &mut calls);
    parts.spawns(&mut Dice(seed.wrapping_mul(0x2545_f491_4f6c_dd1d) ^ 5), all, &mut calls);
    calls.sort_by_key(|(at, _)| *at);
    World {
        ground,
        cap_rule: dice.of(&[CapRule::Keep, CapRule::Scale, CapRule::Shift]),
        portions: parts.portions,
        decays: parts.decays,
        statuses,
        zones,
        gear,
        worn,
        set_gives: given(dice, true),
        floors: dice.one_in(6),
        abilities,
        characters,
        threat: parts.threat,
        levels: parts.levels,
        most: 2.0 + dice.below(4) as f64,
        points,
        diminishes: dice.one_in(3),
        at_limit: dice.one_in(3).then(|| dice.index(2)),
        sides,
        script,
        calls,
        before,
    }
}
