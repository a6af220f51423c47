//! Laws that hold for any ruleset: random rulesets with abilities, statuses, gear and policies of every kind are
//! played.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{Careful, game, seconds};
use edgeplane::fight::{Ending, Event, UnavailableReason};
use edgeplane::program::{SideId, Time};
use edgeplane::{Fight, Game, Log, Silent, TrialsPlan};
use proptest::prelude::*;
use proptest::strategy::ValueTree as _;
use proptest::test_runner::TestRunner;
use std::collections::BTreeMap;
use std::fmt::Write as _;

/// The properties of one ability, as arbitrary numbers.
#[derive(Clone, Debug)]
struct Ability {
    times: [u8; 4],
    effects: Vec<u8>,
    targets: u8,
    extras: u8,
    numbers: [u8; 3],
}

fn ability() -> impl Strategy<Value = Ability> {
    let numbers = any::<[u8; 3]>();
    let effects = prop::collection::vec(0_u8..22, 1..4);
    (prop::array::uniform4(0_u8..6), effects, 0_u8..8, 0_u8..9, numbers)
        .prop_map(|(times, effects, targets, extras, numbers)| Ability { times, effects, targets, extras, numbers })
}

/// A whole ruleset: abilities, policies, gear, and the number of combatants on each side.
#[derive(Clone, Debug)]
pub(crate) struct Recipe {
    abilities: Vec<Ability>,
    choose: [u8; 2],
    gear: [u8; 2],
    count: [u8; 2],
    seed: u64,
}

pub(crate) fn recipe() -> impl Strategy<Value = Recipe> {
    let pair = |range: std::ops::Range<u8>| prop::array::uniform2(range);
    (prop::collection::vec(ability(), 2..6), pair(0..8), pair(0..5), pair(1..3), any::<u64>())
        .prop_map(|(abilities, choose, gear, count, seed)| Recipe { abilities, choose, gear, count, seed })
}

const STATUSES: &str = r#"
[status.soaked]
kind = "debuff"
tags = ["wet"]
duration = 3
reapply = "stack"
max_stacks = 4
modify = [{ attribute = "pace", add = "-0.05 * stacks" }]
[status.raw]
kind = "debuff"
duration = 4
reapply = "refresh"
every = { period = 1, does = [{ damage = "2 + 0.1 * snapshot(caster.might)", type = "cold" }] }
[status.rallied]
kind = "buff"
duration = 5
reapply = "extend"
longest = 9
modify = [{ attribute = "might", percent = 20 }]
on = [{ event = "hit_taken", cooldown = 1, chance = 0.5, does = [{ restore = "wind", amount = 3 }] }]
[status.reeling]
kind = "debuff"
tags = ["control"]
duration = 0.7
reapply = "keep"
forbids = ["act"]
interrupts = true
[status.ghosted]
kind = "buff"
duration = 1.1
untargetable = "enemies"
[status.armed]
kind = "buff"
duration = 3
abilities = ["extra"]
[status.watching]
kind = "buff"
duration = 6
on = [
    { event = "ability_used", of = "enemies", tag = "loud", cooldown = 2, does = [{ damage = 2, type = "cold", to = "other" }] },
    { event = "hit_taken", of = "others", cooldown = 1.5, does = [{ heal = "amount / 4", to = "other" }] },
    { event = "pool_below", of = "allies", pool = "health", share = 0.5, does = [{ restore = "wind", amount = 4 }] },
    { event = "defeated", of = "others", chance = 0.3, does = [{ revive = { health = 15 }, to = "other" }] },
]
[gear.pike]
abilities = ["extra"]
[gear.vest]
slot = "body"
set = "issue"
modify = [{ attribute = "guard", add = 12 }]
[gear.cap]
slot = "head"
set = "issue"
modify = [{ attribute = "grit", add = 2 }]
[gear.spur]
on = [{ event = "hit_dealt", chance = 0.3, does = [{ apply = "rallied", to = "owner" }] }]
[gear_set.issue]
worn = { 2 = ["rallied", { status = "soaked", stacks = 2, duration = 1.7 }] }
[ability.extra]
tags = ["loud", "cast"]
recovery = 0.3
cooldown = 1.3
does = [{ damage = "3 + level", type = "blow" }]
[levels]
needs = "6 * level"
in_fight = true
"#;

impl Ability {
    fn write(&self, index: usize, all: usize, out: &mut String) {
        let [cost, cast, recovery, cooldown] = self.times.map(f64::from);
        let [a, b, c] = self.numbers.map(u32::from);
        let mut does: Vec<String> = self.effects.iter().map(|kind| self.effect(*kind)).collect();
        if self.targets == 7 {
            does.insert(0, "{ revive = { health = \"10 + target.grit\" } }".to_owned());
        }
        let targets = [
            "side = \"enemies\"",
            "side = \"enemies\", pick = \"random\"",
            "side = \"enemies\", count = \"all\"",
            "side = \"enemies\", pick = \"weakest\"",
            "side = \"allies\", pick = \"weakest\"",
            "side = \"self\"",
            "side = \"others\", count = 2",
            "side = \"allies\", state = \"defeated\"",
        ][usize::from(self.targets)];
        let tags = ["", "\"loud\"", "\"cast\""][self.targets as usize % 3];
        let _ = writeln!(out, "[ability.a{index}]\ntags = [{tags}]\ncost = {{ wind = {} }}", cost * 2.0);
        // Something has to take time, or it could be used endlessly at one moment; a combatant that is interrupted
        // between two releases does not recover.
        let cooldown = if self.extras == 5 { cooldown.max(1.0) } else { cooldown } * 0.7;
        let _ = writeln!(out, "cast = {}\nrecovery = {}\ncooldown = {cooldown}", cast * 0.15, 0.1 + recovery * 0.1);
        let _ = writeln!(out, "targets = {{ {targets} }}\ndoes = [{}]", does.join(", "));
        let extra = match self.extras {
            1 => format!("charges = {{ max = {}, regain = {} }}", 1 + a % 3, 1 + b % 5),
            2 => format!("uses = {}", 1 + a % 6),
            3 => "shared_cooldown = \"shared\"".to_owned(),
            4 => format!("shared_cooldown = {{ name = \"shared\", time = {} }}", 1 + a % 3),
            5 => format!("releases = {{ count = {}, every = 0.{} }}", 2 + a % 3, 1 + b % 9),
            6 => format!(
                "after = {{ ability = \"a{}\", within = {} }}",
                (index + 1 + c as usize % (all - 1)) % all,
                1 + b % 4
            ),
            7 => "cost_at = \"release\"\ncooldown_from = \"end\"".to_owned(),
            8 => "refund = 0.5\ncooldown_from = \"start\"".to_owned(),
            _ => String::new(),
        };
        let _ = writeln!(out, "{extra}");
    }

    fn effect(&self, kind: u8) -> String {
        let amount = 4 + self.numbers[0] % 16;
        match kind {
            0 | 1 => format!("{{ damage = \"{amount} + caster.might * 0.5\", spread = 0.2, type = \"blow\" }}"),
            2 => format!("{{ damage = \"{amount} * (1.5 - target.health.share)\", type = \"cold\" }}"),
            3 => format!("{{ heal = {} }}", 1 + amount / 4),
            4 => format!("{{ drain = \"wind\", amount = {amount}, to_caster = 0.5 }}"),
            5 => "{ apply = \"soaked\", stacks = 2 }".to_owned(),
            6 => "{ apply = \"raw\", chance = 0.7 }".to_owned(),
            7 => "{ apply = \"reeling\", chance = 0.25 }".to_owned(),
            8 => "{ wear = \"spur\", to = \"caster\" }".to_owned(),
            9 => "{ take_off = \"vest\" }".to_owned(),
            10 => "{ wear = \"vest\", to = \"caster\", chance = 0.5 }".to_owned(),
            11 => "{ take = \"a0\", chance = 0.2 }".to_owned(),
            12 => "{ give = \"a0\" }".to_owned(),
            13 => "{ win = true, when = \"self.health.share < 40%\", chance = 0.1 }".to_owned(),
            14 => "{ apply = \"ghosted\", to = \"caster\" }".to_owned(),
            15 => "{ apply = \"armed\", to = \"caster\" }".to_owned(),
            16 => "{ apply = \"watching\", to = \"caster\" }".to_owned(),
            17 => "{ interrupt = { tag = \"cast\" } }".to_owned(),
            18 => "{ consume = { tag = \"wet\" }, stacks = 1 }".to_owned(),
            19 => "{ restore = \"wind\", amount = \"2 * count(others)\", to = \"others\" }".to_owned(),
            20 => "{ experience = 3, to = \"caster\" }".to_owned(),
            _ => format!("{{ damage = {}, type = \"cold\", skips = \"all\" }}", amount / 4),
        }
    }
}

impl Recipe {
    /// The ruleset, with its sides in one order or the other.
    pub(crate) fn text(&self, swapped: bool) -> String {
        let mut out = String::from(
            "[attributes]\nmight = 10\ngrit = 8\nguard = { base = 5, max = 80 }\npace = { base = 0, min = -0.5, max = 0.5 }\n\
             luck = { base = 0.15, min = 0, max = 1 }\n[pools]\nhealth = { max = \"60 + 6 * grit\", defeat = true }\n\
             wind = { max = 40, regen = 2 }\n[damage_types]\nblow = {}\ncold = {}\n\
             [[hit_steps]]\nname = \"slip\"\nwhen = \"roll(target.luck / 2)\"\nstop = \"slipped\"\n\
             [[hit_steps]]\nname = \"hard\"\nwhen = \"roll(caster.luck + 20%, streak = 6)\"\namount = \"amount * 1.5\"\n\
             [[hit_steps]]\nname = \"guard\"\ntypes = [\"blow\"]\namount = \"amount * (100 - target.guard) / 100\"\n",
        );
        out.push_str(STATUSES);
        let all = self.abilities.len();
        self.abilities.iter().enumerate().for_each(|(index, ability)| ability.write(index, all, &mut out));
        for (index, name) in ["reed", "stone"].into_iter().enumerate() {
            let choose = ["first", "first", "weighted", "random"][usize::from(self.choose[index]).min(7) % 4];
            let weight =
                |line: usize| if choose == "weighted" { format!(", weight = {}", 1 + line) } else { String::new() };
            let when = match self.choose[index] {
                4 => ", when = \"self.health.share < 80% or self.wind > 20\"",
                5 => ", when = \"casting(target) or cooldown(self, a0) > 0.4\"",
                _ => "",
            };
            let lines: Vec<String> =
                (0..all).map(|line| format!("{{ ability = \"a{line}\"{}{when} }}", weight(line))).collect();
            let lines = match self.choose[index] {
                // A group among other lines, and a line for all with a tag.
                1 => {
                    let group = format!("{{ choose = \"random\", use = [{}] }}", lines[1..].join(", "));
                    vec!["{ ability = \"extra\" }".to_owned(), lines[0].clone(), group, "{ tag = \"loud\" }".to_owned()]
                }
                _ => lines,
            };
            let _ = writeln!(out, "[policy.{name}]\nchoose = \"{choose}\"\nuse = [{}]", lines.join(", "));
            let names: Vec<String> = (0..all).map(|line| format!("\"a{line}\"")).collect();
            let gear = ["", "\"vest\"", "\"vest\", { piece = \"cap\", chance = 0.5 }", "\"spur\", \"cap\"", "\"pike\""]
                [usize::from(self.gear[index])];
            let might = 10 + index * 2;
            let _ = writeln!(
                out,
                "[character.{name}]\nattributes = {{ might = {might} }}\nabilities = [{}]",
                names.join(", ")
            );
            let _ = writeln!(out, "gear = [{gear}]\npolicy = \"{name}\"");
        }
        let side = |index: usize, name: &str| {
            format!("sides.{name} = [{{ character = \"{name}\", count = {} }}]\n", self.count[index])
        };
        let (one, other) = (side(0, "reed"), side(1, "stone"));
        let sides = if swapped { other + &one } else { one + &other };
        let _ = writeln!(out, "[encounter.bout]\n{sides}time_limit = 40");
        out
    }

    fn game(&self) -> Game {
        game(&self.text(false))
    }
}

fn play(game: &Game, seed: u64) -> (Fight, Log, Ending) {
    let mut fight = game.fight("bout", seed).unwrap();
    let mut log = Log::default();
    let ending = fight.run(&mut log).unwrap();
    (fight, log, ending)
}

/// Laws prove little over fights in which nothing happens.
#[test]
fn the_recipes_make_for_all_kinds_of_fights() {
    let mut runner = TestRunner::deterministic();
    let mut seen: BTreeMap<String, usize> = BTreeMap::new();
    for _ in 0..250 {
        let recipe = recipe().new_tree(&mut runner).unwrap().current();
        let (_, log, ending) = play(&recipe.game(), recipe.seed);
        let ending = format!("{ending:?}");
        *seen.entry(ending.split('(').next().unwrap().to_owned()).or_default() += 1;
        for logged in &log.events {
            let kind = match logged.event {
                Event::Unavailable { reason, .. } => UnavailableReason::NAMES[reason.kind()].to_owned(),
                Event::Hit { stopped: Some(_), .. } => "hit stopped".to_owned(),
                other => format!("{other:?}").split([' ', '{']).next().unwrap().to_owned(),
            };
            *seen.entry(kind).or_default() += 1;
        }
    }
    for kind in [
        "Won",
        "TimeLimit",
        "Used",
        "Released",
        "Lost",
        "Hit",
        "hit stopped",
        "Healed",
        "Drained",
        "Restored",
        "Defeated",
        "StatusGained",
        "StatusLost",
        "StatusPrevented",
        "Triggered",
        "Interrupted",
        "CapChanged",
        "Revived",
        "LevelGained",
        "Learned",
        "no_target",
        "Given",
        "Taken",
        "not_known",
        "on_cooldown",
        "cannot_afford",
        "forbidden",
        "no_charge",
        "used_up",
        "not_open",
        "condition",
    ] {
        let times = seen.get(kind).copied().unwrap_or(0);
        assert!(times >= 5, "{kind} only {times} times: {seen:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 160, ..ProptestConfig::default() })]

    #[test]
    fn who_is_listed_first_decides_nothing(recipe in recipe()) {
        let (one, other) = (game(&recipe.text(false)), game(&recipe.text(true)));
        let health = one.pool("health").unwrap();
        let ((here, _, ended), (there, _, mirrored)) = (play(&one, recipe.seed), play(&other, recipe.seed));
        let swapped = match ended {
            Ending::Won(side) => Ending::Won(SideId(1 - side.0)),
            same => same,
        };
        prop_assert_eq!(swapped, mirrored);
        prop_assert_eq!(here.now(), there.now());
        for who in here.setup().ids() {
            let label = &here.setup().combatants[who.index()].label;
            let same = there.setup().find_combatant(label).unwrap();
            prop_assert_eq!(here.pool(who, health).to_bits(), there.pool(same, health).to_bits(), "{}", label);
        }
    }

    #[test]
    fn pools_stay_within_their_bounds_and_the_defeated_do_nothing(recipe in recipe()) {
        let game = recipe.game();
        let (fight, log, _) = play(&game, recipe.seed);
        let mut fallen: Vec<Option<Time>> = vec![None; fight.setup().combatants.len()];
        let mut before = Time::ZERO;
        for logged in &log.events {
            prop_assert!(logged.at >= before, "time runs on");
            before = logged.at;
            match logged.event {
                Event::Defeated { who, .. } => fallen[who.index()] = Some(logged.at),
                Event::Revived { target, .. } => fallen[target.index()] = None,
                Event::Used { caster, .. } | Event::Released { caster, .. } => {
                    prop_assert!(fallen[caster.index()].is_none_or(|at| at >= logged.at), "{:?}", logged);
                }
                Event::Hit { dealt, over, amount, left, .. } => {
                    prop_assert!(dealt >= 0.0 && over >= 0.0 && left >= 0.0, "{:?}", logged);
                    prop_assert!((dealt + over - amount).abs() < 1e-9, "{:?}", logged);
                }
                Event::Healed { healed, over, amount, .. } => {
                    prop_assert!(healed >= 0.0 && over >= 0.0 && (healed + over - amount).abs() < 1e-9, "{:?}", logged);
                }
                _ => {}
            }
        }
        for who in fight.setup().ids() {
            for pool in ["health", "wind"].map(|name| game.pool(name).unwrap()) {
                let (amount, cap) = (fight.pool(who, pool), fight.cap(who, pool));
                prop_assert!((0.0..=cap).contains(&amount), "{} of {}", amount, cap);
            }
        }
    }

    #[test]
    fn what_an_observer_wants_changes_nothing(recipe in recipe()) {
        let game = recipe.game();
        let mut warm = game.fight("bout", 0).unwrap();
        for seed in 0..3 {
            let (mut plain, mut detailed) = (Log::default(), Careful::default());
            warm.restart(recipe.seed ^ seed);
            warm.run(&mut plain).unwrap();
            game.fight("bout", recipe.seed ^ seed).unwrap().run(&mut detailed).unwrap();
            let differ = plain.events.iter().zip(&detailed.0.events).find(|(a, b)| a != b);
            prop_assert_eq!(differ, None);
            prop_assert_eq!(plain.events.len(), detailed.0.events.len());
            warm.restart(recipe.seed ^ seed);
            warm.run(&mut Silent).unwrap();
            prop_assert_eq!(&warm.snapshot(), &{
                let mut fight = game.fight("bout", recipe.seed ^ seed).unwrap();
                fight.run(&mut Silent).unwrap();
                fight.snapshot()
            });
        }
    }

    #[test]
    fn frames_snapshots_and_saves_leave_no_trace(recipe in recipe()) {
        let (game, again) = (recipe.game(), recipe.game());
        let (_, whole, _) = play(&game, recipe.seed);
        let mut fight = game.fight("bout", recipe.seed).unwrap();
        let mut framed = Log::default();
        for frame in 1..=60 * 41 {
            if frame % 97 == 0 {
                // Looking ahead into another future, and back.
                let here = fight.snapshot();
                fight.advance(fight.now() + seconds(3.0), &mut Silent).unwrap();
                fight.restore(&here).unwrap();
                // Saved, loaded, and continued under the same rules.
                fight = again.load(&fight.save()).unwrap();
                prop_assert_eq!(game.adopt(&mut fight).unwrap().lost().count(), 0);
            }
            if fight.advance(Time::from_seconds(f64::from(frame) / 60.0), &mut framed).unwrap().is_some() {
                break;
            }
        }
        prop_assert_eq!(framed, whole);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn a_study_is_the_same_on_any_number_of_threads(recipe in recipe()) {
        let game = recipe.game();
        let study = |threads| {
            let plan = TrialsPlan { trials: 60, seed: recipe.seed, threads: Some(threads), ..TrialsPlan::default() };
            serde_json::to_string(&game.trials("bout", &plan).unwrap()).unwrap()
        };
        let alone = study(1);
        prop_assert_eq!(&study(2), &alone);
        prop_assert_eq!(&study(5), &alone);
    }
}
