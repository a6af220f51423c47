//! The semantic rules, each with numbers worked by hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, OTHER, brought_about, duel, game, likely_duel, moments, seconds};
use edgeplane::fight::{Ending, Event, UnavailableReason};
use edgeplane::study::explain::explain_character;
use edgeplane::{Log, Silent, Time};

/// Two that can be hit, with a guard of `other` and further rules.
fn rules(guard: f64, more: &str) -> String {
    format!(
        r#"
        [attributes]
        guard = {{ base = 0, min = 0, max = 100 }}
        [pools]
        health = {{ max = 100, defeat = true }}
        shell = {{ max = 50, start = 4 }}
        [damage_types]
        impact = {{}}
        silt = {{}}
        {}
        [character.one]
        [character.other]
        attributes = {{ guard = {guard} }}
        {more}
        "#,
        if more.contains("\"guard\"") { "pure = { skips = [\"guard\"] }" } else { "" }
    )
}

const GUARD: &str = r#"
    [[hit_steps]]
    name = "guard"
    types = ["impact", "pure"]
    amount = "amount * (200 - target.guard) / 200"
"#;

fn dealt(text: &str) -> f64 {
    match brought_about(text, "swing", &[]).last() {
        Some(Event::Hit { dealt, .. }) => *dealt,
        other => panic!("{other:?}"),
    }
}

#[test]
fn ten_impact_against_a_guard() {
    let swing = |kind| format!("{GUARD}\n[ability.swing]\ndoes = [{{ damage = 10, type = \"{kind}\" }}]");
    assert_eq!(dealt(&rules(15.0, &swing("impact"))), 9.25);
    assert_eq!(dealt(&rules(100.0, &swing("impact"))), 5.0);
    assert_eq!(dealt(&rules(250.0, &swing("impact"))), 5.0, "a guard of 250 counts as 100");
    assert_eq!(dealt(&rules(15.0, &swing("silt"))), 10.0, "the step is for impact");
    assert_eq!(dealt(&rules(15.0, &swing("pure"))), 10.0, "this type passes the step by");
}

#[test]
fn steps_see_what_the_one_before_left() {
    let text = rules(
        0.0,
        r#"
        [[hit_steps]]
        name = "critical"
        when = "roll(50%)"
        amount = "amount * 2"
        mark = "critical"
        [[hit_steps]]
        name = "thick"
        when = "hit.critical and hit.initial > 5"
        amount = "amount - 3"
        [[hit_steps]]
        name = "by_tag"
        tags = ["weapon"]
        amount = "amount + 1"
        [[hit_steps]]
        name = "shell"
        soak = "shell"
        [ability.swing]
        tags = ["weapon"]
        does = [{ damage = 10, type = "impact" }, { damage = 10, type = "impact", skips = ["thick", "by_tag", "shell"] }]
        "#,
    );
    // Drawn below ½ the roll succeeds: 10 → 20 → 17 → 18, and the shell of 4 leaves 14.
    let events = brought_about(&text, "swing", &[0.4, 0.6]);
    let Event::Soaked { amount, left, .. } = events[0] else { panic!("{events:?}") };
    assert_eq!((amount, left), (4.0, 0.0));
    let Event::Hit { initial, amount, dealt, left, marks, .. } = events[1] else { panic!("{events:?}") };
    assert_eq!((initial, amount, dealt, left, marks), (10.0, 14.0, 14.0, 86.0, 1));
    let Event::Hit { amount, marks, .. } = events[2] else { panic!("{events:?}") };
    assert_eq!((amount, marks), (10.0, 0), "marks begin anew with every hit");
}

#[test]
fn a_stopped_hit_deals_nothing_and_no_step_leaves_less_than_nothing() {
    let stops = rules(
        0.0,
        "[[hit_steps]]\nname = \"dodge\"\nwhen = \"roll(25%)\"\nstop = \"dodged\"\n[ability.swing]\ndoes = [{ damage = 10, type = \"silt\" }]",
    );
    let stopped = |drawn: f64| match brought_about(&stops, "swing", &[drawn]).last() {
        Some(Event::Hit { dealt, stopped, .. }) => (*dealt, stopped.is_some()),
        other => panic!("{other:?}"),
    };
    assert_eq!(stopped(0.2499), (0.0, true));
    assert_eq!(stopped(0.25), (10.0, false));
    let flat = rules(
        0.0,
        "[[hit_steps]]\nname = \"flat\"\namount = \"amount - 30\"\n[[hit_steps]]\nname = \"back\"\namount = \"amount + 2\"\n[ability.swing]\ndoes = [{ damage = 10, type = \"silt\" }]",
    );
    assert_eq!(dealt(&flat), 2.0);
}

#[test]
fn spread_overkill_overheal_restore_and_drain_are_counted() {
    let text = rules(
        0.0,
        r#"
        [[heal_steps]]
        name = "care"
        amount = "amount * 1.5"
        [ability.swing]
        does = [
            { damage = 80, spread = 0.5, type = "silt" },
            { heal = 60, to = "target" },
            { damage = 500, type = "silt" },
            { restore = "shell", amount = 60, to = "caster" },
            { drain = "shell", amount = 6, to_caster = "50%" },
        ]
        "#,
    );
    // Drawn at ¾ of the range: 80 × (1 + 0.5 × (1.5 − 1)) = 100.
    let events = brought_about(&text, "swing", &[0.75]);
    let Event::Hit { initial, dealt, left, .. } = events[0] else { panic!() };
    assert_eq!((initial, dealt, left), (100.0, 100.0, 0.0));
    let Event::Healed { initial, healed, over, left, .. } = events[1] else { panic!() };
    assert_eq!((initial, healed, over, left), (60.0, 90.0, 0.0, 90.0));
    let Event::Hit { dealt, over, .. } = events[2] else { panic!() };
    assert_eq!((dealt, over), (90.0, 410.0));
    let Event::Restored { gained, over, left, .. } = events[3] else { panic!() };
    assert_eq!((gained, over, left), (46.0, 14.0, 50.0));
    let Event::Drained { taken, over, left, .. } = events[4] else { panic!() };
    assert_eq!((taken, over, left), (4.0, 2.0, 0.0));
    let Event::Restored { gained, over, .. } = events[5] else { panic!() };
    assert_eq!((gained, over), (0.0, 2.0), "the caster gets half of what was taken");
}

#[test]
fn rounding_is_done_where_an_amount_reaches_a_pool() {
    for (rounding, expected) in [("none", 9.25), ("floor", 9.0), ("nearest", 9.0), ("ceil", 10.0)] {
        let more = format!(
            "{GUARD}[ability.swing]\ndoes = [{{ damage = 10, type = \"impact\" }}]\n[ruleset]\nrounding = \"{rounding}\""
        );
        assert_eq!(dealt(&rules(15.0, &more)), expected, "{rounding}");
    }
}

#[test]
fn attributes_are_derived_bounded_and_per_type() {
    let text = r#"
        [attributes]
        grit = 8
        max_health = "60 + 14 * grit"
        guard = { base = "grit * 20", min = 0, max = 100 }
        resist = { per = "damage_type", base = "0.01 * grit", max = 0.75 }
        ward = { per = "damage_type", base = "resist * 2" }
        [damage_types]
        impact = {}
        silt = {}
        [curve.grit_by_level]
        points = [[1, 0], [10, 12], [30, 30]]
        [curve.rank]
        points = [[1, 1], [5, 2]]
        step = true
        [formula.softened]
        args = ["x", "k"]
        is = "x * k / (x + k)"
        [character.plain]
        [character.lockhand]
        level = 4
        attributes = { grit = "10 + grit_by_level(level) + rank(level) + softened(30, 60)", resist = 0.1, "resist.silt" = 2 }
    "#;
    let game = game(text);
    let sheet = |name: &str| explain_character(game.program(), game.character(name).unwrap()).unwrap();
    let value = |name: &str, of: &str| {
        let sheet = sheet(name);
        sheet.attributes.iter().find(|line| line.name == of).unwrap().value
    };
    assert_eq!(value("plain", "max_health"), 60.0 + 14.0 * 8.0);
    assert_eq!(value("plain", "guard"), 100.0, "160 is cut down to the max");
    assert_eq!(value("plain", "ward.silt"), 0.16);
    // 10 + 12 × 3/9 + 1 + 30 × 60 / 90
    assert_eq!(value("lockhand", "grit"), 10.0 + 4.0 + 1.0 + 20.0);
    assert_eq!(value("lockhand", "resist.impact"), 0.1);
    assert_eq!(value("lockhand", "resist.silt"), 0.75);
    assert_eq!(value("lockhand", "ward.silt"), 1.5, "derived from the final value");
    let guard = sheet("plain").attributes.into_iter().find(|line| line.name == "guard").unwrap();
    assert_eq!((guard.worked.as_str(), guard.limited.as_str()), ("8 * 20", "at most 100"));
}

/// `one` spends 10 breath on each swing as soon as it can; `other` only stands there.
fn breathing(pool: &str) -> String {
    format!(
        r#"
        [pools]
        health = {{ max = 1000, defeat = true }}
        breath = {pool}
        [ability.swing]
        cost = {{ breath = 10 }}
        does = [{{ damage = 1 }}]
        [character.one]
        abilities = ["swing"]
        [character.other]
        "#
    )
}

fn swings(pool: &str, until: f64) -> Vec<u64> {
    let mut fight = duel(&breathing(pool), &[]);
    let mut log = Log::default();
    fight.advance(seconds(until), &mut log).unwrap();
    moments(&log, |event| matches!(event, Event::Used { .. }))
}

#[test]
fn a_combatant_waiting_for_breath_wakes_at_the_exact_moment() {
    // 12 is enough once; 8 more at 3 per second takes 2.666667 s, then 10 at 3 per second 3.333333 s.
    assert_eq!(swings("{ max = 20, start = 12, regen = 3 }", 10.0), [0, 2_666_667, 6_000_000, 9_333_334]);
    // Portions of 4 every 1.5 s: 2 + 4 + 4 at 3 s, then 0 + 4 + 4 + 4 = 12 at 7.5 s.
    assert_eq!(swings("{ max = 20, start = 2, regen = { amount = 4, every = 1.5 } }", 8.0), [3_000_000, 7_500_000]);
    // A cap below the cost: never.
    assert_eq!(swings("{ max = 9, start = 0, regen = 3 }", 100.0), [0_u64; 0]);
}

#[test]
fn pools_flow_between_events_and_stay_within_their_bounds() {
    let text = breathing("{ max = 20, start = 19, regen = 3, decay = 1 }");
    let mut fight = duel(&text, &[]);
    let breath = fight.setup().program().find_pool("breath").unwrap();
    fight.advance(seconds(0.0), &mut Silent).unwrap();
    assert_eq!(fight.pool(ONE, breath), 9.0);
    assert_eq!(fight.pool(OTHER, breath), 19.0);
    fight.advance(seconds(0.25), &mut Silent).unwrap();
    assert_eq!((fight.pool(ONE, breath), fight.pool(OTHER, breath)), (9.5, 19.5));
    fight.advance(seconds(0.499), &mut Silent).unwrap();
    assert_eq!(fight.pool(OTHER, breath), 19.998);
    fight.advance(seconds(2.0), &mut Silent).unwrap();
    assert_eq!(fight.pool(OTHER, breath), 20.0, "never above the cap");
}

#[test]
fn a_decaying_pool_that_defeats_does_so_at_its_moment() {
    for (decay, expected) in [("decay = 3", 3_333_334), ("decay = { amount = 4, every = 1.5 }", 4_500_000)] {
        let text = format!(
            "[pools]\nhealth = {{ max = 10, {decay}, defeat = true }}\ncalm = {{ max = 1, defeat = true }}\n[character.one]\npools = [\"health\"]\n[character.other]\npools = [\"calm\"]"
        );
        let mut fight = duel(&text, &[]);
        let mut log = Log::default();
        assert_eq!(fight.run(&mut log).unwrap(), Ending::Won(edgeplane::program::SideId(1)));
        assert_eq!(moments(&log, |event| matches!(event, Event::Defeated { by: None, .. })), [expected]);
    }
}

#[test]
fn a_pool_follows_its_cap_as_it_says() {
    for (rule, amount, after) in [("keep", 60.0, 40.0), ("scale", 60.0, 24.0), ("shift", 70.0, 10.0)] {
        let text = format!(
            "[attributes]\ngrit = 10\nmax_health = \"grit * 10\"\n[pools]\nhealth = {{ max = \"max_health\", start = {amount}, on_cap_change = \"{rule}\" }}\n[character.one]\n[character.other]"
        );
        let mut fight = duel(&text, &[]);
        let program = fight.setup().program().clone();
        let (grit, health) = (program.find_attribute("grit").unwrap(), program.find_pool("health").unwrap());
        let mut log = Log::default();
        fight.begin_with(&[], &[], &mut Silent).unwrap();
        fight.set_base(ONE, grit, 4.0, &mut log).unwrap();
        assert_eq!((fight.cap(ONE, health), fight.pool(ONE, health)), (40.0, after), "{rule}");
        assert!(matches!(log.events[0].event, Event::CapChanged { cap: 40.0, .. }));
        assert_eq!(fight.cap(OTHER, health), 100.0);
        // Nothing was saved and restored: derived values follow.
        fight.set_base(ONE, grit, 10.0, &mut Silent).unwrap();
        assert_eq!(fight.attribute(ONE, program.find_attribute("max_health").unwrap()), 100.0);
    }
}

#[test]
fn a_changed_attribute_changes_hits_times_and_costs_at_once() {
    let text = r#"
        [attributes]
        heft = 10
        [pools]
        health = { max = 1000, defeat = true }
        [ability.swing]
        cooldown = "20 / caster.heft"
        does = [{ damage = "caster.heft * 2" }]
        [character.one]
        abilities = ["swing"]
        [character.other]
    "#;
    let mut fight = duel(text, &[]);
    let heft = fight.setup().program().find_attribute("heft").unwrap();
    let mut log = Log::default();
    fight.advance(seconds(2.0), &mut log).unwrap();
    fight.set_base(ONE, heft, 20.0, &mut log).unwrap();
    fight.advance(seconds(6.0), &mut log).unwrap();
    let hits: Vec<(u64, f64)> = log
        .events
        .iter()
        .filter_map(
            |logged| if let Event::Hit { dealt, .. } = logged.event { Some((logged.at.0, dealt)) } else { None },
        )
        .collect();
    // The cooldown of the second swing was set at its release, when heft was still 10.
    assert_eq!(hits, [(0, 20.0), (2_000_000, 20.0), (4_000_000, 40.0), (5_000_000, 40.0), (6_000_000, 40.0)]);
}

const FENCING: &str = r#"
    [pools]
    health = { max = 30, defeat = true }
    breath = { max = 10, start = 5, regen = 1 }
    [ability.swing]
    cost = { breath = 5 }
    cast = 0.3
    cooldown = 1.4
    recovery = 0.2
    does = [{ damage = 10 }]
    [ability.secret]
    unlock = "level >= 3"
    does = [{ damage = 10 }]
    [character.one]
    abilities = ["secret", "swing"]
    [character.other]
"#;

#[test]
fn an_ability_goes_from_cost_over_cast_release_and_recovery_to_its_cooldown() {
    let mut fight = likely_duel(FENCING);
    let swing = fight.setup().program().find_ability("swing").unwrap();
    let mut log = Log::default();
    fight.advance(seconds(5.5), &mut log).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [0, 5_000_000]);
    assert_eq!(moments(&log, |event| matches!(event, Event::Hit { .. })), [300_000, 5_300_000]);
    assert_eq!(fight.ready_at(ONE, swing), Some(Time(6_700_000)), "the cooldown counts from the release");
    let refused: Vec<(u64, UnavailableReason)> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Unavailable { reason, ability, .. } if ability == swing => Some((logged.at.0, reason)),
            _ => None,
        })
        .collect();
    assert_eq!(
        refused[0],
        (500_000, UnavailableReason::OnCooldown { until: Time(1_700_000) }),
        "looked at when the recovery ends"
    );
    let UnavailableReason::CannotAfford { cost, until, .. } = refused[1].1 else { panic!("{refused:?}") };
    assert_eq!((refused[1].0, cost, until), (1_700_000, 5.0, Some(Time(5_000_000))));
}

#[test]
fn every_reason_for_being_unavailable_is_reported_to_a_player() {
    let mut fight = likely_duel(FENCING);
    let program = fight.setup().program().clone();
    let (swing, secret) = (program.find_ability("swing").unwrap(), program.find_ability("secret").unwrap());
    fight.take_control(ONE).unwrap();
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    let mut log = Log::default();
    assert_eq!(fight.use_ability(ONE, swing, Some(OTHER), &mut log).unwrap(), Ok(()));
    assert_eq!(fight.why_unavailable(ONE, swing).unwrap(), Some(UnavailableReason::Busy { until: Time(1_300_000) }));
    fight.advance(seconds(1.5), &mut log).unwrap();
    assert_eq!(
        fight.why_unavailable(ONE, swing).unwrap(),
        Some(UnavailableReason::OnCooldown { until: Time(2_700_000) })
    );
    assert_eq!(fight.why_unavailable(ONE, secret).unwrap(), Some(UnavailableReason::Locked));
    fight.advance(seconds(3.0), &mut log).unwrap();
    let breath = program.find_pool("breath").unwrap();
    let expected = UnavailableReason::CannotAfford { pool: breath, cost: 5.0, has: 3.0, until: Some(Time(5_000_000)) };
    assert_eq!(fight.use_ability(ONE, swing, None, &mut log).unwrap(), Err(expected));
    assert_eq!(log.events.last().unwrap().event, Event::Unavailable { who: ONE, ability: swing, reason: expected });
    fight.set_base(ONE, edgeplane::program::Layout::LEVEL, 3.0, &mut Silent).unwrap();
    assert_eq!(fight.why_unavailable(ONE, secret).unwrap(), None);
    assert_eq!(fight.why_unavailable(OTHER, secret).unwrap(), Some(UnavailableReason::NotKnown));
    while fight.ending().is_none() {
        fight.use_ability(ONE, secret, None, &mut Silent).unwrap().unwrap();
        fight.advance(fight.now(), &mut Silent).unwrap();
    }
    assert_eq!(fight.why_unavailable(ONE, secret).unwrap(), Some(UnavailableReason::OutOfTheFight));
}

#[test]
fn two_killing_blows_at_one_moment_are_a_draw() {
    let text = r#"
        [pools]
        health = { max = 10, defeat = true }
        [ability.swing]
        cast = 0.5
        does = [{ damage = 10 }]
        [ability.mend]
        does = [{ heal = 10 }]
        targets = "self"
        [policy.late_mender]
        use = [{ ability = "mend", when = "self.health < 5" }, { ability = "swing" }]
        [character.one]
        abilities = ["swing"]
        [character.other]
        abilities = ["swing", "mend"]
        policy = "late_mender"
    "#;
    let mut log = Log::default();
    assert_eq!(duel(text, &[]).run(&mut log).unwrap(), Ending::AllDefeated);
    assert_eq!(moments(&log, |event| matches!(event, Event::Defeated { .. })), [500_000, 500_000]);
    let mends = moments(&log, |event| matches!(event, Event::Healed { .. }));
    assert!(mends.is_empty(), "who has nothing left does not act any more");
}

#[test]
fn fights_end_at_their_limit_or_when_nothing_can_happen() {
    let text = "[pools]\nhealth = { max = 10, defeat = true }\n[ability.swing]\ncooldown = 1\ndoes = [{ damage = 0 }]\n[character.one]\nabilities = [\"swing\"]\n[character.other]\n[encounter.long]\nsides.a = [\"one\"]\nsides.b = [\"other\"]\ntime_limit = 7.5\n[encounter.still]\nsides.a = [\"other\"]\nsides.b = [\"other\"]";
    let game = game(text);
    let (ending, log) = game.play("long", 1).unwrap();
    assert_eq!((ending, log.events.last().unwrap().at), (Ending::TimeLimit, seconds(7.5)));
    assert_eq!(moments(&log, |event| matches!(event, Event::Hit { .. })).len(), 8);
    assert_eq!(game.play("still", 1).unwrap().0, Ending::Stalemate);
}

fn fault(text: &str) -> String {
    let game = game(text);
    let error = game.play("duel", 1).expect_err("it plays");
    error.to_string()
}

#[test]
fn a_fight_that_cannot_go_on_says_why() {
    let with = |ability: &str| {
        format!(
            "[attributes]\nheft = 10\n[pools]\nhealth = {{ max = 100, defeat = true }}\n{ability}\n[character.one]\nabilities = [\"swing\"]\n[character.other]\n[encounter.duel]\nsides.a = [\"one\"]\nsides.b = [\"other\"]"
        )
    };
    let cases = [
        (
            "[ability.swing]\ncooldown = 1\ndoes = [{ damage = \"10 / (now - 3)\" }]",
            "at 3.000000 s: `ability.swing.does.0.damage` divides by zero (with now = 3)",
        ),
        (
            "[ability.swing]\ncooldown = 1\ndoes = [{ damage = \"sqrt(2 - now)\" }]",
            "at 3.000000 s: `ability.swing.does.0.damage` has no finite value (with now = 3)",
        ),
        (
            "[ability.swing]\ncooldown = 1\ndoes = [{ damage = \"min(5, exp(now * 400))\" }]",
            "at 2.000000 s: `ability.swing.does.0.damage` has no finite value (with now = 2)",
        ),
        (
            "[ability.swing]\ncast = 1\ncooldown = \"1.5 - now\"\ndoes = []",
            "at 2.500000 s: `ability.swing.cooldown` is -1, which is below zero (with now = 2.5)",
        ),
        (
            "[ability.swing]\ncast = 1\ndoes = [{ damage = \"between(now, 2)\" }]",
            "at 3.000000 s: `ability.swing.does.0.damage` has its lower bound above its upper bound (with now = 3)",
        ),
        (
            "[ability.swing]\ncast = 1\ndoes = [{ damage = \"dice(2, now - 1)\" }]",
            "at 1.000000 s: `ability.swing.does.0.damage` throws impossible dice: whole numbers, 0 to 1000 dice of 1 to 1000 sides (with now = 1)",
        ),
        (
            "[ability.swing]\ndoes = []",
            "at 0.000000 s: `one` uses `swing` repeatedly without time passing (1000 times) (give it a cooldown, a cast or a recovery above zero)",
        ),
        (
            "[ability.swing]\ncast = 0.001\ndoes = []",
            "at 999.999000 s: the fight did not end within 1000000 steps (give the encounter a `time_limit`)",
        ),
    ];
    for (ability, expected) in cases {
        let found = fault(&with(ability));
        if expected.contains("steps") {
            assert!(found.contains("did not end within 1000000 steps"), "{found}");
        } else {
            assert_eq!(found, expected);
        }
    }
}

#[test]
fn targets_are_picked_by_their_rule() {
    let text = |targets: &str| {
        format!(
            r#"
            [attributes]
            turn = 0
            [pools]
            health = {{ max = 100, start = "50 + 10 * turn", defeat = true }}
            [ability.swing]
            targets = {targets}
            cooldown = 100
            does = [{{ damage = 1 }}]
            [character.one]
            abilities = ["swing"]
            [character.a]
            attributes = {{ turn = 2 }}
            [character.b]
            attributes = {{ turn = 1 }}
            [character.c]
            attributes = {{ turn = 3 }}
            [encounter.duel]
            sides.keepers = ["one"]
            sides.silt = ["a", "b", "c"]
            time_limit = 1
            "#
        )
    };
    for (targets, expected) in [
        ("{ side = \"enemies\" }", vec!["a"]),
        ("{ side = \"enemies\", count = 2 }", vec!["a", "b"]),
        ("{ side = \"enemies\", count = \"all\" }", vec!["a", "b", "c"]),
        ("{ side = \"enemies\", pick = \"weakest\" }", vec!["b"]),
        ("{ side = \"enemies\", pick = \"strongest\", count = 2 }", vec!["c", "a"]),
        ("{ side = \"enemies\", pick = { lowest = \"0 - target.turn\" } }", vec!["c"]),
        ("\"self\"", vec!["one"]),
        ("{ side = \"allies\", count = \"all\" }", vec!["one"]),
        ("{ side = \"everyone\", count = \"all\" }", vec!["one", "a", "b", "c"]),
    ] {
        let game = game(&text(targets));
        let fight = game.fight("duel", 1).unwrap();
        let (_, log) = game.play("duel", 1).unwrap();
        let hit: Vec<&str> = log
            .events
            .iter()
            .filter_map(|logged| match logged.event {
                Event::Hit { target, .. } => Some(fight.label(target)),
                _ => None,
            })
            .collect();
        assert_eq!(hit, expected, "{targets}");
    }
}
