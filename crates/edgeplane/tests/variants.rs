//! Rulesets with replaced values, and questions about a game's own numbers.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{DEMO, demo, game};
use edgeplane::fight::{Event, Observer};
use edgeplane::study::{Vary, run_sweep};
use edgeplane::{Edit, Error, Game, Log, Override, Sources, Time, TrialsPlan};

const RULES: &str = r#"
    [attributes]
    heft = 10
    reach_out = { base = "heft / 5", min = 1 }
    resist = { per = "damage_type", base = 0 }
    [damage_types]
    blunt = {}
    [pools]
    health = { max = 30, defeat = true }
    [[hit_steps]]
    name = "ward"
    amount = "amount * (1 - target.resist)"
    [curve.gain]
    points = [[1, 0], [10, 5]]
    [status.sore]
    duration = 3
    modify = [{ attribute = "heft", add = -1 }]
    [status.unused]
    duration = 7
    [ability.swing]
    about = "10 + 10 is no formula here"
    cooldown = 1
    does = [{ damage = "caster.heft + gain(level)" }, { apply = "sore" }]
    [ability.unused]
    does = [{ damage = 99 }]
    [character.base]
    template = true
    abilities = ["swing"]
    [character.brawler]
    extends = "base"
    attributes = { heft = 12, "resist.blunt" = 0.25 }
    [character.bystander]
    attributes = { heft = 77 }
    [encounter.spar]
    sides.a = ["brawler"]
    sides.b = ["brawler"]
"#;

fn set(text: &str) -> Override {
    Override::parse(text).unwrap()
}

#[test]
fn what_is_written_is_reported_by_its_path() {
    let game = game(RULES);
    for (path, written) in [
        ("attributes.heft", Some("10")),
        ("attributes.heft.base", Some("10")),
        ("attributes.reach_out.base", Some("heft / 5")),
        ("character.brawler.attributes.resist.blunt", Some("0.25")),
        ("character.brawler.attributes.\"resist.blunt\"", Some("0.25")),
        ("hit_steps.ward.amount", Some("amount * (1 - target.resist)")),
        ("hit_steps.0.name", Some("ward")),
        ("curve.gain.points.1.1", Some("5")),
        ("ability.swing.does.0.damage", Some("caster.heft + gain(level)")),
        ("ability.swing.does", None),
        ("ability.swing.does.9.damage", None),
        ("ability.swong.cooldown", None),
        ("attributes.heft.min", None),
        ("nothing", None),
    ] {
        assert_eq!(game.written_at(path).as_deref(), written, "{path}");
    }
    let variant = game.variant(&[set("attributes.heft=11")]).unwrap();
    assert_eq!(variant.written_at("attributes.heft").as_deref(), Some("11"));
    assert_eq!(game.written_at("attributes.heft").as_deref(), Some("10"), "the first is as it was");
}

/// The current value of a number is the one that holds: its own, or that of the rule that it extends, or that of
/// `attributes`. It can be set, and varied, wherever the rules accept the key.
#[test]
fn inherited_and_absent_values_can_be_set_and_varied() {
    let rules = RULES.replace(
        "    [character.base]",
        "    [ability.heavy_swing]\n    extends = \"swing\"\n    [character.heir]\n    extends = \"brawler\"\n    [character.base]",
    );
    let game = game(&rules);
    let now = |path: &str| Vary::parse(&format!("{path}*=0.5,2")).unwrap().now(&game);
    for (path, value) in [
        ("character.heir.attributes.heft", "12"),
        ("character.heir.attributes.resist.blunt", "0.25"),
        ("character.heir.attributes.reach_out", "heft / 5"),
        ("character.bystander.attributes.\"resist.blunt\"", "0"),
        ("ability.heavy_swing.cooldown", "1"),
        ("ability.heavy_swing.does.0.damage", "caster.heft + gain(level)"),
    ] {
        assert_eq!(now(path).unwrap(), value, "{path}");
    }
    // A key that nothing gives can be set, but not multiplied; an unknown one is an error of the ruleset.
    assert!(matches!(now("ability.swing.recovery"), Err(Error::Path { .. })));
    assert!(matches!(now("ability.swing.recovry"), Err(Error::Ruleset { .. })));
    // What a rule inherits as a whole is copied, so that only the value that is set differs.
    for (change, path, written) in [
        ("character.heir.attributes.heft=3", "character.heir.attributes.heft", "3"),
        ("character.base.attributes.resist.blunt=0.5", "character.base.attributes.\"resist.blunt\"", "0.5"),
        ("ability.heavy_swing.does.0.damage=4", "ability.heavy_swing.does.0.damage", "4"),
        ("ability.heavy_swing.does.0.damage=4", "ability.heavy_swing.does.1.apply", "sore"),
        ("status.unused.every.period=2", "status.unused.every.period", "2"),
    ] {
        let variant = game.variant(&[set(change)]).unwrap_or_else(|error| panic!("{change}: {error}"));
        assert_eq!(variant.written_at(path).as_deref(), Some(written), "{change}");
    }
    let edits = game.edits_to(&game.variant(&[set("character.heir.attributes.heft=3")]).unwrap());
    assert_eq!((edits[0].before.as_deref(), edits[0].after.as_deref()), (Some("12"), Some("3")));
    let recovery = Vary::parse("ability.swing.recovery=0,1").unwrap();
    let plan = TrialsPlan { trials: 20, ..TrialsPlan::default() };
    let sweep = run_sweep(&game, "spar", &[recovery], &["duration"], &plan, &|_| {}).unwrap();
    assert_eq!((sweep.varied[0].now.as_str(), sweep.points.len()), ("not given", 2));
}

#[test]
fn variants_of_variants_keep_what_was_set_before_and_what_is_forced() {
    let first = demo().variant(&[set("character.lockhand.attributes.heft=20")]).unwrap();
    let second = first.forced("lockhand", "boathook").unwrap();
    let third = second.variant(&[set("ability.boathook.cooldown=0.7")]).unwrap();
    assert_eq!(third.written_at("character.lockhand.attributes.heft").as_deref(), Some("20"));
    let figures = |game: &Game| {
        let plan = TrialsPlan { trials: 50, ..TrialsPlan::default() };
        let figures = game.measure("duel", &["duration", "uses(lockhand, brace)"], &plan).unwrap();
        (figures[0].value.unwrap(), figures[1].value.unwrap())
    };
    let ((slow, braced), (quick, none)) = (figures(&first), figures(&third));
    assert!(quick < slow && braced > 0.0, "{slow} {braced} {quick}");
    assert_eq!(none, 0.0, "a variant of a forced game is forced");
    let broken = third.variant(&[set("ability.boathook.cooldown=soon")]);
    assert!(matches!(broken, Err(Error::Ruleset { .. })));
}

#[test]
fn the_numbers_of_an_encounter_are_those_on_which_it_can_depend() {
    let game = game(RULES);
    let numbers = game.numbers_of("spar").unwrap();
    let paths: Vec<&str> = numbers.iter().map(|number| number.path.as_str()).collect();
    for wanted in [
        "attributes.heft",
        "attributes.reach_out.base",
        "attributes.reach_out.min",
        "pools.health.max",
        "hit_steps.ward.amount",
        "curve.gain.points.0.0",
        "status.sore.duration",
        "status.sore.modify.0.add",
        "ability.swing.cooldown",
        "ability.swing.does.0.damage",
        "character.brawler.attributes.heft",
        "character.brawler.attributes.\"resist.blunt\"",
    ] {
        assert!(paths.contains(&wanted), "{wanted}: {paths:#?}");
    }
    for foreign in ["unused", "bystander", "about", "name"] {
        assert!(!paths.iter().any(|path| path.contains(foreign)), "{foreign}: {paths:#?}");
    }
    // Each path leads back to the written value, and can be set to it again.
    for number in &numbers {
        assert_eq!(game.written_at(&number.path).as_deref(), Some(number.text.as_str()), "{}", number.path);
        let same = Override { path: number.path.clone(), value: number.text.clone() };
        let again = game.variant(&[same]).unwrap_or_else(|error| panic!("{}: {error}", number.path));
        assert_eq!(game.edits_to(&again), Vec::<Edit>::new(), "{}", number.path);
    }
    assert!(matches!(game.numbers_of("spur"), Err(Error::Unknown { .. })));
}

#[test]
fn every_number_of_the_demo_leads_back_to_itself() {
    let game = demo();
    for encounter in ["duel", "night_shift", "mill_race", "sluice_gate"] {
        let numbers = game.numbers_of(encounter).unwrap();
        assert!(numbers.len() > 60, "{encounter} has {} numbers", numbers.len());
        for number in numbers {
            assert_eq!(game.written_at(&number.path), Some(number.text.clone()), "{encounter}: {}", number.path);
        }
    }
}

#[test]
fn edits_are_reported_whether_changed_gone_or_new() {
    let old = game(RULES);
    let edited = RULES
        .replace("cooldown = 1\n", "cooldown = 2\n    cast = 0.5\n")
        .replace("    [status.unused]\n    duration = 7\n", "");
    let new = game(&edited);
    let edit = |path: &str, before: Option<&str>, after: Option<&str>| Edit {
        path: path.to_owned(),
        before: before.map(str::to_owned),
        after: after.map(str::to_owned),
    };
    assert_eq!(
        old.edits_to(&new),
        [
            edit("status.unused.duration", Some("7"), None),
            edit("ability.swing.cooldown", Some("1"), Some("2")),
            edit("ability.swing.cast", None, Some("0.5")),
        ]
    );
}

#[test]
fn every_file_of_a_ruleset_can_state_its_own_expectations() {
    let expect = |that: &str| format!("[[expect]]\nthat = \"{that}\"\nin = \"spar\"\nat_least = 0\n");
    let mut sources = Sources::from_text("rules.toml", format!("{RULES}\n{}", expect("draw_rate")));
    sources.add("more.toml", expect("duration.p90"));
    let game = Game::from_sources(sources, &[]).unwrap();
    let measures: Vec<&str> = game.program().expectations().iter().map(|rule| rule.that.text.as_str()).collect();
    assert_eq!(measures, ["draw_rate", "duration.p90"]);
    let mut sources = Sources::from_text("rules.toml", RULES);
    sources.add("more.toml", expect("duration.p900"));
    let Err(Error::Ruleset { diagnostics, sources }) = Game::from_sources(sources, &[]) else { panic!("it is sound") };
    assert_eq!(diagnostics[0].line(&sources), "more.toml:2:17 bad-measure: `p900` is not between `p0` and `p100`");
}

#[test]
fn a_listener_receives_all_that_an_observer_is_and_the_details_besides() {
    #[derive(Default)]
    struct Heard(Vec<(Time, Event)>, usize);
    impl Observer for Heard {
        fn wants(&self) -> edgeplane::fight::EventMask {
            edgeplane::fight::EventMask::DETAIL
        }

        fn event(&mut self, at: Time, event: Event) {
            if matches!(event, Event::Stepped { .. }) {
                self.1 += 1;
            } else {
                self.0.push((at, event));
            }
        }
    }
    let game = Game::open(DEMO).unwrap();
    for encounter in ["duel", "night_shift", "sluice_gate"] {
        let (mut heard, mut log) = (Heard::default(), Log::default());
        let printed = game.fight(encounter, 9).unwrap().run(&mut heard).unwrap();
        let ended = game.fight(encounter, 9).unwrap().run(&mut log).unwrap();
        assert_eq!(printed, ended);
        let happened = |event: &Event| !matches!(event, Event::Unavailable { .. } | Event::Waits { .. });
        let heard_of: Vec<_> = heard.0.iter().filter(|(_, event)| happened(event)).copied().collect();
        let logged: Vec<_> = log.events.iter().map(|one| (one.at, one.event)).filter(|one| happened(&one.1)).collect();
        assert_eq!(heard_of, logged, "{encounter}");
        assert!(heard.1 > 0);
    }
}
