//! Laws that hold for any encounter on the ground: random rulesets like those that people write, with all ways to
//! walk, pick, push and hold, are played.

use crate::common::{Careful, game, seconds};
use edgeplane::fight::{Ending, Event};
use edgeplane::program::SideId;
use edgeplane::{CombatantId, Fight, Game, Log, Silent};
use proptest::prelude::*;
use std::fmt::Write as _;

/// Numbers in a row that is determined by its seed.
pub(crate) struct Dice(pub(crate) u64);

impl Dice {
    pub(crate) fn below(&mut self, count: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % count
    }

    pub(crate) fn one_in(&mut self, count: usize) -> bool {
        self.below(count) == 0
    }

    pub(crate) fn of<T: Copy>(&mut self, list: &[T]) -> T {
        list[self.below(list.len())]
    }
}

const RULES: &str = r#"
[attributes]
might = { base = 10, min = 0 }
haste = { base = 1, min = 0.2, max = 4 }
speed = { base = 3, min = 0 }
[pools]
health = { max = "60 + 8 * might", defeat = true }
breath = { max = 60, regen = 2 }
shell = { max = 60, start = 0 }
[[hit_steps]]
name = "hard"
when = "roll(0.15)"
amount = "amount * 1.7"
[[hit_steps]]
name = "behind"
when = "angle > 120"
amount = "amount * 1.3"
[[hit_steps]]
name = "shell"
soak = "shell"
[status.slow]
kind = "debuff"
duration = 3
modify = [{ attribute = "speed", percent = -50 }, { attribute = "haste", times = 0.8 }]
[status.swift]
kind = "buff"
duration = 4
modify = [{ attribute = "speed", add = 2 }]
[status.near_enemies]
duration = 6
while = "count(enemies, 4) >= 1"
modify = [{ attribute = "speed", times = 0.5 }]
[status.stuck]
kind = "debuff"
duration = 1.2
forbids = ["move"]
[status.named]
kind = "debuff"
duration = 2
taunts = true
[status.hidden]
duration = 1.5
untargetable = "enemies"
[status.burns]
kind = "debuff"
duration = 5
reapply = "stack"
max_stacks = 4
every = { period = 1, does = [{ damage = "2 * stacks" }] }
on = [{ event = "hit_taken", cooldown = 2, does = [{ push = 1, to = "other" }] }]
[zone.fire]
tags = ["bad"]
radius = 2.5
grows = 0.3
lasts = 5
affects = "enemies"
apply = ["burns"]
[zone.mire]
tags = ["bad"]
radius = 3
lasts = 6
affects = "everyone"
apply = ["slow"]
max_instances = 2
[zone.aura]
radius = 4
lasts = 5
carried = true
affects = "allies"
owner = true
apply = ["swift"]
enters = [{ heal = 1 }]
"#;

const ON_ENEMIES: [&str; 12] = [
    "{ damage = \"6 + caster.might\", spread = 0.2 }",
    "{ damage = \"4 + distance * 0.4\" }, { apply = \"slow\" }",
    "{ damage = 8 }, { push = 3 }",
    "{ damage = 5 }, { pull = 3 }",
    "{ leap = 1 }, { damage = 9 }",
    "{ damage = 8 }, { zone = \"fire\" }",
    "{ zone = \"mire\" }",
    "{ damage = 6 }, { apply = \"burns\" }",
    "{ damage = 6 }, { apply = \"stuck\" }",
    "{ damage = 5 }, { apply = \"named\" }",
    "{ damage = 5 }, { apply = \"hidden\", to = \"caster\" }",
    "{ damage = 6 }, { apply = \"near_enemies\" }",
];

const ON_ALLIES: [&str; 4] = [
    "{ heal = \"12 + caster.might\" }",
    "{ apply = \"swift\" }",
    "{ zone = \"aura\" }",
    "{ restore = \"shell\", amount = 15 }",
];

const CONDITIONS: [&str; 12] = [
    "target.health.share < 0.6",
    "self.health.share < 0.5",
    "distance < 4",
    "distance > 3",
    "count(enemies, 5) >= 2",
    "target.health < 100",
    "self.breath > 20",
    "count(allies, 6) > 1",
    "now > 5",
    "target.health.share < self.health.share",
    "target.speed < 3",
    "angle > 90 or distance < 2",
];

const SCORES: [&str; 6] = [
    "-distance",
    "-target.health.share",
    "-target.health.share - 0.02 * distance",
    "target.might",
    "if(distance < 4, 1, 0) - target.health.share",
    "distance - target.health",
];

/// An ability, and whether it is for enemies.
fn ability(dice: &mut Dice, index: usize, out: &mut String) -> bool {
    let hostile = !dice.one_in(4);
    let reach = dice.of(&["1", "1.5", "2", "3", "5", "8", "12", "\"1 + caster.might / 5\""]);
    let cast = dice.of(&["0", "0.3", "0.6", "1", "1.5", "\"0.8 / caster.haste\""]);
    let (recovery, cooldown) = (dice.of(&[0.2, 0.4, 0.8]), dice.of(&[0, 0, 1, 2, 4, 6, 9]));
    let (cost, mobile) = (dice.of(&[0, 0, 0, 5, 10, 20]), dice.one_in(3));
    let travel = if dice.one_in(4) { format!("travel = {}\n", dice.of(&[6, 10, 20])) } else { String::new() };
    let side = if hostile { "enemies" } else { "allies" };
    let pick = dice.of(&["nearest", "farthest", "weakest", "strongest", "first", "random", "policy"]);
    let area = match dice.below(12) {
        0 => format!("pick = \"{pick}\", radius = 3"),
        1 => format!("pick = \"{pick}\", cone = 60, length = 4"),
        2 => format!("pick = \"{pick}\", chain = 4, count = 3"),
        3 => format!("pick = \"{pick}\", line = 2, length = 8"),
        4 => "around = \"caster\", radius = 4".to_owned(),
        _ => format!("pick = \"{pick}\""),
    };
    let does = if hostile { dice.of(&ON_ENEMIES) } else { dice.of(&ON_ALLIES) };
    let _ = write!(
        out,
        "[ability.a{index}]\nreach = {reach}\ncast = {cast}\nrecovery = {recovery}\ncooldown = {cooldown}\n{travel}\
         cost = {{ breath = {cost} }}\nmobile = {mobile}\ntargets = {{ side = \"{side}\", {area} }}\ndoes = [{does}]\n"
    );
    hostile
}

/// A ruleset with the encounter `e`, its sides listed in one order or the other.
pub(crate) fn text(seed: u64, swapped: bool) -> String {
    let (mut dice, mut out) = (Dice(seed), RULES.to_owned());
    let all = 4 + dice.below(6);
    let hostile: Vec<bool> = (0..all).map(|index| ability(&mut dice, index, &mut out)).collect();
    let characters = 3 + dice.below(4);
    for number in 0..characters {
        let mut mine: Vec<usize> = (0..2 + dice.below(3)).map(|_| dice.below(all)).collect();
        mine.extend((0..all).find(|index| hostile[*index]));
        let line = |dice: &mut Dice, ability: &usize| match dice.one_in(2) {
            true => format!("\"a{ability}\""),
            false => format!("{{ ability = \"a{ability}\", when = \"{}\" }}", dice.of(&CONDITIONS)),
        };
        let lines: Vec<String> = mine.iter().map(|ability| line(&mut dice, ability)).collect();
        mine.sort_unstable();
        mine.dedup();
        let known: Vec<String> = mine.iter().map(|ability| format!("\"a{ability}\"")).collect();
        let moves = match dice.below(10) {
            0..3 => format!("move = {{ keep_distance = {} }}", dice.of(&[2, 4, 6, 9])),
            3..5 => "move = { avoid = [\"bad\"] }".to_owned(),
            5..7 => format!("move = {{ keep_distance = {}, avoid = [\"bad\"] }}", dice.of(&[3, 5])),
            7 => "move = \"hold\"".to_owned(),
            _ => String::new(),
        };
        let (reaction, score) = (dice.of(&[0.0, 0.0, 0.1, 0.35]), dice.of(&SCORES));
        let (might, speed, body) = (6 + dice.below(14), dice.of(&[2.0, 2.5, 3.0, 3.0, 5.0]), dice.of(&[0.0, 0.0, 0.8]));
        let _ = write!(
            out,
            "[policy.p{number}]\nuse = [{}]\nreaction = {reaction}\n{moves}\ntarget = \"{score}\"\n\
             [character.c{number}]\nabilities = [{}]\npolicy = \"p{number}\"\nbody = {body}\n\
             attributes = {{ might = {might}, speed = {speed} }}\n",
            lines.join(", "),
            known.join(", ")
        );
    }
    let mut side = |name: &str, x: usize| {
        let one = |dice: &mut Dice| {
            let (x, y) = (x as f64 + dice.below(60) as f64 / 10.0, dice.below(100) as f64 / 10.0 - 5.0);
            format!("{{ character = \"c{}\", at = [{x}, {y}] }}", dice.below(characters))
        };
        let members: Vec<String> = (0..1 + dice.below(4)).map(|_| one(&mut dice)).collect();
        format!("sides.{name} = [{}]\n", members.join(", "))
    };
    let (one, other) = (side("west", 0), side("east", 10));
    let sides = if swapped { other + &one } else { one + &other };
    let _ = write!(out, "[encounter.e]\n{sides}time_limit = 30\n");
    out
}

fn play(game: &Game, seed: u64) -> (Fight, Log, Ending) {
    let (mut fight, mut log) = (game.fight("e", seed).unwrap(), Log::default());
    let ending = fight.run(&mut log).unwrap();
    (fight, log, ending)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn every_fight_on_the_ground_ends_and_nobody_turns_all_the_time(seed in any::<u64>()) {
        let (fight, log, _) = play(&game(&text(seed, false)), seed);
        let count = |who: CombatantId, is: fn(&Event) -> Option<CombatantId>| {
            log.events.iter().filter(|logged| is(&logged.event) == Some(who)).count() as f64
        };
        for who in fight.setup().ids() {
            let walks = count(who, |event| if let Event::Walks { who, .. } = event { Some(*who) } else { None });
            let uses = count(who, |event| if let Event::Used { caster, .. } = event { Some(*caster) } else { None });
            // Five turns at once and after each use, and ten per second; twice as many with the stops between them.
            let most = 2.0 * (5.0 * (uses + 1.0) + 10.0 * fight.now().seconds());
            prop_assert!(walks <= most, "{walks} courses of {who:?} with {uses} uses");
        }
    }

    #[test]
    fn who_is_listed_first_decides_nothing_on_the_ground(seed in any::<u64>()) {
        let (here, _, ended) = play(&game(&text(seed, false)), seed);
        let (there, _, mirrored) = play(&game(&text(seed, true)), seed);
        let swapped = if let Ending::Won(side) = ended { Ending::Won(SideId(1 - side.0)) } else { ended };
        prop_assert_eq!((swapped, here.now()), (mirrored, there.now()));
        for who in here.setup().ids() {
            let same = there.setup().find_combatant(&here.setup().combatants[who.index()].label).unwrap();
            prop_assert_eq!(here.place(who).map(f64::to_bits), there.place(same).map(f64::to_bits));
        }
    }

    #[test]
    fn frames_saves_and_observers_change_nothing_on_the_ground(seed in any::<u64>()) {
        let [game, again] = [(); 2].map(|()| game(&text(seed, false)));
        let (_, whole, _) = play(&game, seed);
        let (mut fight, mut framed) = (game.fight("e", seed).unwrap(), Log::default());
        for frame in 1..=60 * 31 {
            if frame % 97 == 0 {
                let here = fight.snapshot();
                fight.advance(fight.now() + seconds(1.0), &mut Silent).unwrap();
                fight.restore(&here).unwrap();
                // Saved, loaded, and continued under the same rules.
                fight = again.load(&fight.save()).unwrap();
                prop_assert_eq!(game.adopt(&mut fight).unwrap().lost().count(), 0);
            }
            if fight.advance(seconds(f64::from(frame) / 60.0), &mut framed).unwrap().is_some() {
                break;
            }
        }
        prop_assert_eq!(framed.events.iter().zip(&whole.events).find(|(one, other)| one != other), None);
        prop_assert_eq!(framed.events.len(), whole.events.len());
        let mut detailed = Careful::default();
        game.fight("e", seed).unwrap().run(&mut detailed).unwrap();
        prop_assert_eq!(&detailed.0, &whole);
    }
}
