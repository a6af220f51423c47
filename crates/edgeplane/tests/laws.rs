//! Laws that hold for all numbers: determinism, symmetry, and independence of how a fight is driven.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{DEMO, LOCK_HOUSE, ONE, demo, fingerprint, game, happened};
use edgeplane::fight::{Event, EventKind, EventMask, Likely, Log, Observer};
use edgeplane::program::{FormulaId, PoolFlow, PoolId, Reading};
use edgeplane::{CombatantId, Fight, Game, Override, Setup, Silent, Time, TrialsPlan};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;

fn plan(trials: u64, threads: usize) -> TrialsPlan {
    TrialsPlan { trials, seed: 3, threads: Some(threads), ..TrialsPlan::default() }
}

#[test]
fn the_same_bytes_on_any_number_of_threads_and_on_two_runs() {
    for encounter in ["duel", "mirror", "night_shift"] {
        let run = |threads| serde_json::to_string(&demo().trials(encounter, &plan(3_000, threads)).unwrap()).unwrap();
        let one = run(1);
        assert_eq!(one, run(2), "{encounter}");
        assert_eq!(one, run(7), "{encounter}");
        assert_eq!(one, run(1), "{encounter}");
    }
}

#[test]
fn nobody_has_the_better_of_a_mirror_duel() {
    let trials = demo().trials("mirror", &plan(100_000, 2)).unwrap();
    let (east, west) = (&trials.sides[0].win_rate, &trials.sides[1].win_rate);
    assert!(east.low < west.value && west.value < east.high, "{east:?} {west:?}");
    assert!(trials.all_defeated.count > 0, "equals fall together now and then");
    assert_eq!(east.count + west.count + trials.draws.count, 100_000);
}

/// An observer that is given the flows of pools knows every amount at any moment without asking.
#[test]
fn the_flows_of_a_pool_say_what_is_in_it_at_any_moment() {
    #[derive(Default)]
    struct Flows(BTreeMap<(u16, u16), PoolFlow>, usize);
    impl Observer for Flows {
        fn wants(&self) -> EventMask {
            EventMask::of(&[EventKind::Flows])
        }

        fn event(&mut self, _: Time, event: Event) {
            let Event::Flows { who, pool, flow } = event else { panic!("{event:?} was not asked for") };
            self.0.insert((who.0, pool.0), flow);
            self.1 += 1;
        }
    }
    let game = demo();
    let pools = 0..game.program().pools().len() as u16;
    for encounter in game.program().encounters() {
        let mut fight = game.fight(&encounter.name, 4).unwrap();
        let mut flows = Flows::default();
        let all: Vec<_> =
            fight.setup().ids().flat_map(|who| pools.clone().map(move |pool| (who, PoolId(pool)))).collect();
        for (who, pool) in all.iter().copied() {
            flows.0.insert((who.0, pool.0), fight.pool_flow(who, pool));
        }
        let mut at = 0.0;
        while fight.advance(Time::from_seconds(at), &mut flows).unwrap().is_none() {
            for (who, pool) in all.iter().copied() {
                let (flow, is) = (flows.0[&(who.0, pool.0)], fight.pool(who, pool));
                assert_eq!(flow.amount_at(fight.now()), is, "{} {who:?} {pool:?} at {at} s", encounter.name);
                assert_eq!((flow.cap(), is <= flow.cap()), (fight.cap(who, pool), true));
            }
            at += 0.43;
        }
        assert!(flows.1 > 10, "{}", encounter.name);
    }
}

/// All newer features together on the ground: whatever the numbers, fights end, and studies are the same on any number
/// of threads.
#[test]
fn the_lock_house_is_fought_to_the_end_whatever_its_numbers() {
    for (grit, speed) in [("20", "2"), ("28", "2"), ("33", "3.3"), ("28", "1")] {
        let set = |path: &str, value: &str| Override { path: path.into(), value: value.into() };
        let sets = [
            set("character.boiler_wight.attributes.grit", grit),
            set("character.boiler_wight.attributes.speed", speed),
        ];
        let game = Game::open_with(LOCK_HOUSE, &sets).unwrap();
        let one = serde_json::to_string(&game.trials("boiler_room", &plan(700, 1)).unwrap()).unwrap();
        assert_eq!(one, serde_json::to_string(&game.trials("boiler_room", &plan(700, 2)).unwrap()).unwrap());
        // Continuing from a snapshot, and by frames, gives the same fight.
        for seed in 0..5 {
            let mut straight = game.fight("boiler_room", seed).unwrap();
            let whole = run_log(&mut straight);
            let mut fight = game.fight("boiler_room", seed).unwrap();
            let mut log = Log::default();
            let mut at = 0.0;
            while fight.ending().is_none() {
                at += 0.37;
                fight.advance(Time::from_seconds(at), &mut log).unwrap();
                let kept = fight.snapshot();
                fight.advance(Time::from_seconds(at + 2.0), &mut Silent).unwrap();
                fight.restore(&kept).unwrap();
            }
            let differs = whole.events.iter().zip(&log.events).find(|(one, other)| one != other);
            assert_eq!(differs, None, "{grit} {speed} {seed}");
        }
    }
}

fn with_encounter(text: &str) -> Game {
    let mut sources = edgeplane::Sources::read(DEMO.as_ref()).unwrap();
    sources.add("more.toml", text);
    Game::from_sources(sources, &[]).unwrap()
}

/// Figures of a study, independent of the order in which sides and combatants are listed.
fn unordered(game: &Game, encounter: &str, rename: &[(&str, &str)]) -> Vec<String> {
    let trials = game.trials(encounter, &plan(4_000, 2)).unwrap();
    let mut lines: Vec<String> = trials.sides.iter().map(|side| serde_json::to_string(side).unwrap()).collect();
    lines.extend(trials.combatants.iter().map(|combatant| serde_json::to_string(combatant).unwrap()));
    lines.push(serde_json::to_string(&(trials.draws, trials.duration, trials.duration_quantiles)).unwrap());
    for line in &mut lines {
        for (from, to) in rename {
            *line = line.replace(&format!("\"{from}\""), &format!("\"{to}\""));
        }
    }
    lines.sort();
    lines
}

#[test]
fn listing_the_sides_the_other_way_round_mirrors_every_figure() {
    let game = with_encounter(
        r#"
        [encounter.mirrored]
        sides.west = ["lockhand"]
        sides.east = ["lockhand"]
        time_limit = 120
        [encounter.swapped]
        sides.keepers = ["silt_crab"]
        sides.silt = ["lockhand"]
        time_limit = 60
        [encounter.crowd]
        sides.keepers = ["lockhand", "lampwright", "bell_ringer"]
        sides.silt = [{ character = "reed_stalker", count = 2 }, "silt_crab"]
        time_limit = 60
        [encounter.crowd_swapped]
        sides.silt = [{ character = "reed_stalker", count = 2 }, "silt_crab"]
        sides.keepers = ["lockhand", "lampwright", "bell_ringer"]
        time_limit = 60
        "#,
    );
    assert_eq!(unordered(&game, "mirror", &[]), unordered(&game, "mirrored", &[]));
    assert_eq!(unordered(&game, "crowd", &[]), unordered(&game, "crowd_swapped", &[]));
    let swap = [("keepers", "x"), ("silt", "keepers"), ("x", "silt")];
    assert_eq!(unordered(&game, "duel", &[]), unordered(&game, "swapped", &swap));
}

/// Every event of every encounter of the demo, with every detail and every bit of its numbers. A change of these means
/// that a seed gives another fight than before, which must never happen by accident.
#[test]
fn the_fights_of_the_demo_stay_as_they_are() {
    let demo = demo();
    let mut found = String::new();
    let names: Vec<String> = demo.program().encounters().iter().map(|plan| plan.name.clone()).collect();
    for name in names {
        let prints = [1, 2, 3].map(|seed| {
            let (_, log) = demo.play(&name, seed).unwrap();
            fingerprint(&log.events.iter().map(|logged| format!("{logged:?}\n")).collect::<String>())
        });
        found += &format!("{name} = {:016x} {:016x} {:016x}\n", prints[0], prints[1], prints[2]);
    }
    let lock_house = Game::open(LOCK_HOUSE).unwrap();
    let prints = [1, 2, 3].map(|seed| {
        let (_, log) = lock_house.play("boiler_room", seed).unwrap();
        fingerprint(&log.events.iter().map(|logged| format!("{logged:?}\n")).collect::<String>())
    });
    found += &format!("boiler_room = {:016x} {:016x} {:016x}\n", prints[0], prints[1], prints[2]);
    let figures = demo.trials("duel", &plan(2_000, 2)).unwrap();
    let wins = [0, 1].map(|side| figures.sides[side].win_rate.count);
    found += &format!("figures of duel = {wins:?} {:016x}\n", figures.duration.mean.to_bits());
    let expected = include_str!("cases/figures.txt");
    assert_eq!(found, expected, "tests/cases/figures.txt would be:\n{found}");
}

/// The demo with the tables of every file, and the files, in the opposite order; rows of lists keep theirs.
fn in_another_order(edit: impl Fn(&str) -> String) -> Game {
    let sources = edgeplane::Sources::read(DEMO.as_ref()).unwrap();
    let mut other = edgeplane::Sources::default();
    for file in sources.files().iter().rev() {
        let mut text = edit(file.text());
        if file.name().ends_with(".toml") {
            let mut tables: Vec<String> = Vec::new();
            for line in text.lines() {
                let begins = line.starts_with('[') && !tables.is_empty();
                if begins || tables.is_empty() {
                    tables.push(String::new());
                }
                let last = tables.last_mut().unwrap();
                last.push_str(line);
                last.push('\n');
            }
            // Keys before the first table belong to no other table.
            let first = if tables[0].starts_with('[') { 0 } else { 1 };
            let (rows, mut named): (Vec<_>, Vec<_>) =
                tables.split_off(first).into_iter().partition(|one| one.starts_with("[["));
            named.reverse();
            text = [tables, named, rows].concat().concat();
        }
        other.add(file.name(), text);
    }
    Game::from_sources(other, &[]).unwrap_or_else(|error| panic!("{error}"))
}

/// Every event by name, so that ids do not matter.
fn by_name(game: &Game, encounter: &str, chance: impl edgeplane::fight::RandomSource, seed: u64) -> Vec<String> {
    let setup = Arc::new(Setup::of(game.program(), game.encounter(encounter).unwrap()));
    let mut fight = Fight::with_chance(setup.clone(), chance, seed);
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let name =
        |logged: &edgeplane::fight::Logged| serde_json::to_string(&edgeplane::fight::NamedEvent::new(&setup, *logged));
    log.events.iter().map(|logged| name(logged).unwrap()).collect()
}

#[test]
fn the_order_of_files_and_tables_changes_no_fight() {
    let (demo, other) = (demo(), in_another_order(str::to_owned));
    for encounter in demo.program().encounters() {
        for seed in 0..3 {
            let sampler = edgeplane::fight::Sampler::default;
            let (one, two) =
                (by_name(&demo, &encounter.name, sampler(), seed), by_name(&other, &encounter.name, sampler(), seed));
            assert!(one == two, "{} {seed}: {:?}", encounter.name, one.iter().zip(&two).find(|(one, two)| one != two));
        }
    }
}

/// A name decides from which stream a chance is drawn, and who comes first among equals; nothing else. Without draws, a
/// character with another name fights the same fight.
#[test]
fn another_name_of_a_character_changes_only_what_is_drawn() {
    let renamed = |text: &str| text.replace("lockhand", "sluice_hand").replace("reed_stalker", "a_stalker");
    let other = in_another_order(renamed);
    for encounter in demo().program().encounters() {
        let one = by_name(&demo(), &encounter.name, Likely, 1);
        let two = by_name(&other, &encounter.name, Likely, 1);
        let one: Vec<String> = one.iter().map(|event| renamed(event)).collect();
        assert!(one == two, "{}: {:?}", encounter.name, one.iter().zip(&two).find(|(one, two)| one != two));
    }
}

#[test]
fn changing_one_number_leaves_other_draws_alike() {
    // A crit chance of the crab changes no draw of the lockhand.
    let set = Override { path: "character.silt_crab.attributes.crit_chance".into(), value: "0.4".into() };
    let other = Game::open_with(DEMO, &[set]).unwrap();
    let draws = |game: &Game| -> Vec<u64> {
        let (_, log) = game.play("duel", 11).unwrap();
        let of_lockhand = log.events.iter().filter_map(|logged| match logged.event {
            Event::Hit { caster: ONE, initial, .. } => Some(initial.to_bits()),
            _ => None,
        });
        of_lockhand.take(6).collect()
    };
    assert_eq!(draws(&demo()), draws(&other));
}

fn run_log(fight: &mut Fight) -> Log {
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    log
}

#[test]
fn a_fight_stepped_by_a_game_loop_is_the_same_fight() {
    for encounter in ["duel", "mirror", "night_shift"] {
        for seed in 0..20 {
            let whole = run_log(&mut demo().fight(encounter, seed).unwrap());
            let mut fight = demo().fight(encounter, seed).unwrap();
            let mut stepped = Log::default();
            let mut frame = 0;
            while fight.advance(Time(frame * 1_000_000 / 60), &mut stepped).unwrap().is_none() {
                frame += 1;
            }
            assert_eq!(whole, stepped, "{encounter} {seed}");
        }
    }
}

#[test]
fn a_fight_that_is_restarted_is_a_new_one() {
    let mut fight = demo().fight("night_shift", 1).unwrap();
    let first = run_log(&mut fight);
    let heft = fight.setup().program().find_attribute("heft").unwrap();
    fight.restart(2);
    fight.set_base(ONE, heft, 99.0, &mut Silent).unwrap();
    assert_ne!(first, run_log(&mut fight));
    fight.restart(1);
    assert_eq!(first, run_log(&mut fight));
}

#[test]
fn a_level_gained_in_one_fight_is_gone_in_the_next() {
    let text = r#"
        [pools]
        health = { max = 100, defeat = true }
        [ability.swing]
        cooldown = "3 / caster.level"
        does = [{ damage = "5 * caster.level" }]
        [character.one]
        abilities = ["swing"]
        [character.other]
    "#;
    let mut fight = game(text).duel("one", "other", 1).unwrap();
    let first = run_log(&mut fight);
    fight.restart(1);
    fight.set_base(ONE, edgeplane::program::Layout::LEVEL, 3.0, &mut Silent).unwrap();
    assert_ne!(first, run_log(&mut fight));
    fight.restart(1);
    assert_eq!(first, run_log(&mut fight));
}

/// Requests all detail, and keeps what every log keeps.
#[derive(Default)]
struct Detailed {
    log: Log,
    readings: Vec<(FormulaId, f64)>,
}

impl Observer for Detailed {
    fn wants(&self) -> EventMask {
        EventMask::DETAIL
    }

    fn event(&mut self, at: Time, event: Event) {
        if !matches!(event, Event::Stepped { .. }) {
            self.log.event(at, event);
        }
    }

    fn formula(&mut self, _: Time, formula: FormulaId, reading: &Reading) {
        self.readings.push((formula, reading.value));
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn snapshot_restore_and_go_on_equals_never_having_stopped(seed in 0..1_000_u64, stop in 0..20_000_000_u64, more in 0..5_000_000_u64) {
        let whole = run_log(&mut demo().fight("night_shift", seed).unwrap());
        let mut fight = demo().fight("night_shift", seed).unwrap();
        let mut log = Log::default();
        fight.advance(Time(stop), &mut log).unwrap();
        let snapshot = fight.snapshot();
        fight.advance(Time(stop + more), &mut Silent).unwrap();
        let mut elsewhere = demo().fight("night_shift", seed + 1).unwrap();
        for fight in [&mut fight, &mut elsewhere] {
            fight.restore(&snapshot).unwrap();
            let mut log = log.clone();
            fight.run(&mut log).unwrap();
            prop_assert_eq!(&whole, &log);
        }
    }

    #[test]
    fn watching_closely_changes_nothing(seed in any::<u64>()) {
        for encounter in ["duel", "night_shift"] {
            let plain = run_log(&mut demo().fight(encounter, seed).unwrap());
            let mut detailed = Detailed::default();
            demo().fight(encounter, seed).unwrap().run(&mut detailed).unwrap();
            prop_assert_eq!(happened(&plain), happened(&detailed.log));
        }
    }
}

/// A formula of random shape over everything that can be read.
fn formula() -> impl Strategy<Value = String> {
    let leaf = prop::sample::select(vec![
        "caster.heft",
        "target.heft",
        "target.guard",
        "caster.level",
        "caster.health",
        "target.health.share",
        "caster.breath",
        "target.breath.missing",
        "caster.breath.max",
        "now",
        "2",
        "0.5",
        "15%",
        "7.25",
        "count(enemies)",
        "target.resist.silt",
    ])
    .prop_map(str::to_owned);
    leaf.prop_recursive(5, 40, 3, |inner| {
        prop_oneof![
            (inner.clone(), prop::sample::select(vec!["+", "-", "*", "/", "^"]), inner.clone())
                .prop_map(|(a, op, b)| format!("({a} {op} {b})")),
            (
                prop::sample::select(vec!["abs", "floor", "ceil", "round", "sqrt", "exp", "ln", "curved", "-"]),
                inner.clone()
            )
                .prop_map(|(f, a)| format!("{f}({a})")),
            (prop::sample::select(vec!["min", "max", "softened"]), inner.clone(), inner.clone())
                .prop_map(|(f, a, b)| format!("{f}({a}, {b})")),
            (prop::sample::select(vec!["clamp", "lerp"]), inner.clone(), inner.clone(), inner.clone())
                .prop_map(|(f, a, b, c)| format!("{f}({a}, {b}, {c})")),
            (inner.clone(), prop::sample::select(vec!["<", "<=", ">", ">=", "==", "!="]), inner.clone(), inner.clone())
                .prop_map(|(a, op, b, c)| format!("if({a} {op} {b} or not ({b} > {c} and {a} < 3), {c}, {b})")),
            inner.clone().prop_map(|a| format!("if(roll({a}), {a}, 1)")),
            Just("dice(3, 6)".to_owned()),
            inner.prop_map(|a| format!("between(0, abs({a}))")),
        ]
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1_500))]

    /// The tree, which reports every step, and the fast flat code give the same value, to the last bit.
    #[test]
    fn the_tree_of_a_formula_and_its_code_agree(text in formula(), heft in -3.0..20.0_f64, at in 0..5_000_000_u64) {
        let ruleset = format!(r#"
            [attributes]
            heft = {heft}
            guard = {{ base = "heft * 2", min = 0 }}
            resist = {{ per = "damage_type", base = 0.25 }}
            [pools]
            health = {{ max = 1000, defeat = true }}
            breath = {{ max = 60, start = 7, regen = 3 }}
            [damage_types]
            silt = {{}}
            [curve.curved]
            points = [[0, 1], [3, 2.5], [10, 0]]
            [formula.softened]
            args = ["x", "k"]
            is = "x * k / (x + k)"
            [ability.swing]
            does = [{{ damage = "{text}" }}]
            [character.one]
            abilities = ["swing"]
            [character.other]
            attributes = {{ heft = 3 }}
        "#);
        // A formula that has no value for any input is refused when it is loaded.
        let Ok(game) = Game::from_text("random.toml", &ruleset) else { return Ok(()) };
        let sides = ["one", "other"].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
        let setup = Arc::new(Setup::between(game.program(), &sides));
        let swing = game.ability("swing").unwrap();
        let mut fight = Fight::with_chance(setup, edgeplane::fight::Sampler::default(), at);
        fight.take_control(ONE).unwrap();
        fight.advance(Time(at), &mut Silent).unwrap();
        let snapshot = fight.snapshot();
        let (mut plain, mut detailed) = (Log::default(), Detailed::default());
        let quick = fight.apply_effects(ONE, swing, CombatantId(1), &mut plain);
        fight.restore(&snapshot).unwrap();
        let careful = fight.apply_effects(ONE, swing, CombatantId(1), &mut detailed);
        prop_assert_eq!(quick.is_ok(), careful.is_ok());
        prop_assert_eq!(&plain, &detailed.log);
        if quick.is_ok() {
            let Event::Hit { initial, .. } = plain.events[0].event else { panic!() };
            // No hit is `-0.0`, which `f64::max` may return.
            let read = detailed.readings[0].1;
            prop_assert_eq!(if read > 0.0 { read } else { 0.0 }.to_bits(), initial.to_bits());
        }
    }
}

#[test]
fn likely_chance_gives_the_commonest_hit() {
    let game = game(edgeplane::example_text());
    let sides = [
        ("a".to_owned(), vec![game.character("lockhand").unwrap()]),
        ("b".to_owned(), vec![game.character("silt_crab").unwrap()]),
    ];
    let mut fight = Fight::with_chance(Arc::new(Setup::between(game.program(), &sides)), Likely, 0);
    let mut log = Log::default();
    fight.apply_effects(ONE, game.ability("swing").unwrap(), CombatantId(1), &mut log).unwrap();
    let Event::Hit { initial, .. } = log.events[1].event else { panic!() };
    assert_eq!(initial, 6.0 + 12.0 * 0.9);
}

#[test]
fn a_snapshot_is_small() {
    for (encounter, most) in [("duel", 4_000), ("breach", 40_000)] {
        let mut fight = demo().fight(encounter, 1).unwrap();
        fight.advance(Time::from_seconds(5.0), &mut Silent).unwrap();
        let bytes = fight.snapshot().bytes();
        assert!(bytes < most, "{encounter}: {bytes} bytes, at most {most}");
    }
}
