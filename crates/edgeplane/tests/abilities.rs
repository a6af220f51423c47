//! Abilities with charges, limited uses, shared cooldowns, several releases and time windows. Every time is worked by
//! hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::bout::{log_of, rules};
use crate::common::{ONE, OTHER, demo, game, moments, seconds};
use edgeplane::fight::{Ending, Event, UnavailableReason};
use edgeplane::{CombatantId, Fight, Game, Log, Silent};
use std::collections::BTreeMap;

/// Seconds at which an ability was started.
fn starts(game: &Game, name: &str) -> Vec<f64> {
    let id = game.ability(name).unwrap();
    let micros = moments(&log_of(game), |event| matches!(event, Event::Used { ability, .. } if *ability == id));
    micros.iter().map(|micros| *micros as f64 / 1e6).collect()
}

fn releases(game: &Game, name: &str) -> Vec<f64> {
    let id = game.ability(name).unwrap();
    let micros = moments(&log_of(game), |event| matches!(event, Event::Released { ability, .. } if *ability == id));
    micros.iter().map(|micros| *micros as f64 / 1e6).collect()
}

fn refusals(log: &Log) -> Vec<(f64, UnavailableReason)> {
    let refused = log.events.iter().filter_map(|logged| match logged.event {
        Event::Unavailable { reason, .. } => Some((logged.at.seconds(), reason)),
        _ => None,
    });
    refused.collect()
}

#[test]
fn charges_are_spent_one_by_one_and_regained_one_after_the_other() {
    let shove = |more: &str| {
        rules(
            &format!(
                "[ability.shove]\nrecovery = 1\ncharges = {{ max = 2, regain = 5 }}\n{more}\ndoes = [{{ damage = 1, type = \"blow\" }}]"
            ),
            "abilities = [\"shove\"]",
        )
    };
    // Two uses at once, a second apart. The first charge is regained at 5 s, and each further one 5 s after the one
    // before it, however late it is used.
    assert_eq!(starts(&shove(""), "shove"), [0.0, 1.0, 5.0, 10.0, 15.0, 20.0, 25.0, 30.0]);
    // A cooldown runs in addition, from the release on.
    assert_eq!(starts(&shove("cooldown = 4"), "shove"), [0.0, 4.0, 8.0, 12.0, 16.0, 20.0, 25.0, 30.0]);
    let refused = refusals(&log_of(&shove("")));
    assert_eq!(refused[0], (2.0, UnavailableReason::NoCharge { until: seconds(5.0) }));
}

#[test]
fn no_more_charges_are_regained_than_there_is_room_for() {
    let game = rules(
        "[ability.shove]\ncharges = { max = 3, regain = 1 }\ndoes = [{ damage = 1, type = \"blow\" }]",
        "abilities = [\"shove\"]",
    );
    let shove = game.ability("shove").unwrap();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.take_control(ONE).unwrap();
    fight.advance(seconds(20.0), &mut Silent).unwrap();
    let mut use_it = |at: f64| {
        fight.advance(seconds(at), &mut Silent).unwrap();
        let refused = fight.use_ability(ONE, shove, None, &mut Silent).unwrap().err();
        fight.advance(seconds(at), &mut Silent).unwrap();
        refused
    };
    assert_eq!([use_it(20.0), use_it(20.0), use_it(20.0)], [None; 3]);
    assert_eq!(use_it(20.0), Some(UnavailableReason::NoCharge { until: seconds(21.0) }));
    assert_eq!(use_it(20.999999), Some(UnavailableReason::NoCharge { until: seconds(21.0) }));
    assert_eq!([use_it(22.5), use_it(22.5)], [None; 2], "those of 21 s and 22 s");
    assert_eq!(use_it(22.5), Some(UnavailableReason::NoCharge { until: seconds(23.0) }));
}

#[test]
fn a_number_of_uses_is_for_one_fight() {
    let game = rules(
        "[ability.shove]\ncooldown = 2\nuses = 3\ndoes = [{ damage = 1, type = \"blow\" }]",
        "abilities = [\"shove\"]",
    );
    assert_eq!(starts(&game, "shove"), [0.0, 2.0, 4.0]);
    let mut fight = game.fight("bout", 1).unwrap();
    for seed in 0..3 {
        let mut log = Log::default();
        fight.restart(seed);
        assert_eq!(fight.run(&mut log).unwrap(), Ending::Stalemate, "nothing can ever happen again");
        assert_eq!(refusals(&log).last().unwrap().1, UnavailableReason::UsedUp);
        assert_eq!(fight.now(), seconds(6.0), "the last look, when the cooldown is over");
    }
}

#[test]
fn a_shared_cooldown_keeps_others_waiting() {
    let two = |first: &str, second: &str| {
        let does = "does = [{ damage = 1, type = \"blow\" }]";
        rules(
            &format!(
                "[ability.high]\ncooldown = 6\nshared_cooldown = {first}\n{does}\n\
                 [ability.low]\ncooldown = 2\nshared_cooldown = {second}\n{does}"
            ),
            "abilities = [\"high\", \"low\"]",
        )
    };
    // Each ability closes the other for its own cooldown.
    let own = two("\"bells\"", "\"bells\"");
    assert_eq!(starts(&own, "high"), [0.0, 6.0, 12.0, 18.0, 24.0, 30.0]);
    assert_eq!(starts(&own, "low"), [] as [f64; 0]);
    // Only for a second and a half, whatever the other ability's own cooldown.
    let short = two("{ name = \"bells\", time = 1.5 }", "{ name = \"bells\", time = 1.5 }");
    assert_eq!(starts(&short, "high")[..3], [0.0, 7.0, 14.0]);
    assert_eq!(starts(&short, "low")[..5], [1.5, 3.5, 5.5, 8.5, 10.5]);
    // Another name is another shared cooldown.
    let apart = two("\"bells\"", "\"horns\"");
    assert_eq!(starts(&apart, "low")[..4], [0.0, 2.0, 4.0, 6.0]);
}

#[test]
fn a_cooldown_runs_from_the_start_the_release_or_the_end() {
    let from = |moment: &str| {
        let text = format!(
            "[ability.shove]\ncast = 1\nrecovery = 2\ncooldown = 5\n{moment}\ndoes = [{{ damage = 1, type = \"blow\" }}]"
        );
        starts(&rules(&text, "abilities = [\"shove\"]"), "shove")[..3].to_vec()
    };
    assert_eq!(from("cooldown_from = \"start\""), [0.0, 5.0, 10.0]);
    assert_eq!(from("cooldown_from = \"release\""), [0.0, 6.0, 12.0]);
    assert_eq!(from(""), [0.0, 6.0, 12.0], "the release, if nothing is said");
    assert_eq!(from("cooldown_from = \"end\""), [0.0, 8.0, 16.0]);
}

#[test]
fn a_cost_is_paid_at_the_start_or_the_release() {
    let paid = |moment: &str| {
        let text = format!(
            "[ability.shove]\ncost = {{ breath = 8 }}\ncast = 1\ncooldown = 9\n{moment}\ndoes = [{{ damage = 1, type = \"blow\" }}]"
        );
        let log = log_of(&rules(&text, "abilities = [\"shove\"]"));
        let spent = log.events.iter().find_map(|logged| match logged.event {
            Event::Spent { amount, left, .. } => Some((logged.at.seconds(), amount, left)),
            _ => None,
        });
        spent.unwrap()
    };
    assert_eq!(paid(""), (0.0, 8.0, 12.0));
    assert_eq!(paid("cost_at = \"release\""), (1.0, 8.0, 14.0), "two more by then");
}

#[test]
fn what_can_no_longer_be_paid_at_the_release_is_refused_and_counts_for_nothing() {
    let game = rules(
        r#"
        [ability.heave]
        cost = { breath = 20 }
        cost_at = "release"
        cast = 1
        cooldown = 50
        uses = 1
        does = [{ damage = 7, type = "blow" }]
        [ability.sap]
        cast = 0.5
        uses = 1
        does = [{ drain = "breath", amount = 15 }]
        "#,
        "abilities = [\"heave\"]",
    );
    let mut fight = game.fight("bout", 1).unwrap();
    fight.advance(seconds(0.5), &mut Silent).unwrap();
    let mut log = Log::default();
    fight.apply_effects(OTHER, game.ability("sap").unwrap(), ONE, &mut log).unwrap();
    fight.run(&mut log).unwrap();
    // After half a second there are 21, of which 6 remain; 7 at the release are not enough. At 2 per second there are
    // 20 again 6.5 s later, and the ability is neither used up nor on cooldown.
    let refused = refusals(&log)[0];
    let expected =
        |until| UnavailableReason::CannotAfford { pool: game.pool("breath").unwrap(), cost: 20.0, has: 7.0, until };
    assert_eq!(refused, (1.0, expected(Some(seconds(7.5)))));
    let used = moments(&log, |event| matches!(event, Event::Used { .. }));
    assert_eq!(used, [7_500_000]);
    let hit = moments(&log, |event| matches!(event, Event::Hit { .. }));
    assert_eq!(hit, [8_500_000]);
}

const VOLLEY: &str = r#"
    [ability.volley]
    cost = { breath = 10 }
    refund = 1
    cast = 1
    recovery = 2
    cooldown = 6
    releases = { count = 3, every = 0.5 }
    does = [{ damage = 4, type = "blow" }]
    [ability.jolt]
    does = [{ interrupt = true }]
"#;

#[test]
fn several_releases_of_one_cast() {
    let game = rules(VOLLEY, "abilities = [\"volley\"]");
    assert_eq!(releases(&game, "volley")[..6], [1.0, 1.5, 2.0, 8.0, 8.5, 9.0]);
    // The cooldown starts at the first release, and the recovery after the last one.
    assert_eq!(starts(&game, "volley")[..2], [0.0, 7.0]);
    let mut fight = game.fight("bout", 1).unwrap();
    let volley = game.ability("volley").unwrap();
    fight.take_control(ONE).unwrap();
    fight.use_ability(ONE, volley, None, &mut Silent).unwrap().unwrap();
    let busy_at = |fight: &mut Fight, at: f64| {
        fight.advance(seconds(at), &mut Silent).unwrap();
        fight.why_unavailable(ONE, volley).unwrap()
    };
    assert_eq!(busy_at(&mut fight, 1.2), Some(UnavailableReason::Busy { until: seconds(1.5) }));
    assert_eq!(busy_at(&mut fight, 2.0), Some(UnavailableReason::Busy { until: seconds(4.0) }));
    assert_eq!(busy_at(&mut fight, 4.0), Some(UnavailableReason::OnCooldown { until: seconds(7.0) }));
}

#[test]
fn what_is_held_during_a_use_ends_with_it() {
    let game = |more: &str, statuses: &str| {
        rules(
            &format!(
                "[attributes]\nmight = 10\n[status.steeled]\nduration = inf\nreapply = \"refresh\"\nmodify = [{{ attribute = \"might\", add = 5 }}]\n\
                 [status.sweaty]\nduration = 2\nreapply = \"refresh\"\n\
                 [ability.heave]\ncast = 1\nuses = 1\nduring = [\"steeled\", \"sweaty\"]\n{more}\ndoes = [{{ damage = 1, type = \"blow\" }}]"
            ),
            &format!("abilities = [\"heave\"]\n{statuses}"),
        )
    };
    let lost = |game: &Game| {
        let mut lost: BTreeMap<String, Vec<u64>> = BTreeMap::new();
        for logged in &log_of(game).events {
            if let Event::StatusLost { status, .. } = logged.event {
                lost.entry(game.program().status(status).name.clone()).or_default().push(logged.at.0);
            }
        }
        ["steeled", "sweaty"].map(|name| lost.remove(name).unwrap_or_default())
    };
    // A status without a duration ends with the recovery; the other one continues for its own two seconds.
    assert_eq!(lost(&game("recovery = 0.5", "")), [vec![1_500_000], vec![3_500_000]]);
    assert_eq!(lost(&game("", "")), [vec![1_000_000], vec![3_000_000]]);
    assert_eq!(lost(&game("releases = { count = 3, every = 0.25 }", "")), [vec![1_500_000], vec![3_500_000]]);
    // A permanent status is not removed by the end of a use.
    assert_eq!(lost(&game("", "statuses = [\"steeled\"]"))[0], [] as [u64; 0]);
    let might = |at: f64| {
        let game = game("recovery = 0.5", "");
        let mut fight = game.fight("bout", 1).unwrap();
        fight.advance(seconds(at), &mut Silent).unwrap();
        fight.attribute(ONE, game.program().find_attribute("might").unwrap())
    };
    assert_eq!(might(1.499_999) - might(1.5), 5.0);
}

#[test]
fn an_interrupt_ends_the_releases_and_pays_back_only_before_the_first() {
    let game = rules(VOLLEY, "abilities = [\"volley\"]");
    let (jolt, breath) = (game.ability("jolt").unwrap(), game.pool("breath").unwrap());
    let interrupted_at = |at: f64| {
        let mut fight = game.fight("bout", 1).unwrap();
        fight.take_control(ONE).unwrap();
        fight.use_ability(ONE, game.ability("volley").unwrap(), None, &mut Silent).unwrap().unwrap();
        let mut log = Log::default();
        fight.advance(seconds(at), &mut log).unwrap();
        fight.apply_effects(OTHER, jolt, ONE, &mut log).unwrap();
        fight.advance(seconds(5.0), &mut log).unwrap();
        let hits = moments(&log, |event| matches!(event, Event::Hit { .. })).len();
        (hits, fight.pool(ONE, breath), fight.why_unavailable(ONE, game.ability("volley").unwrap()).unwrap())
    };
    // 20 and 10 of five seconds are refunded, and no cooldown starts.
    assert_eq!(interrupted_at(0.5), (0, 30.0, None));
    assert_eq!(interrupted_at(1.2), (1, 20.0, Some(UnavailableReason::OnCooldown { until: seconds(7.0) })));
    assert_eq!(interrupted_at(1.7), (2, 20.0, Some(UnavailableReason::OnCooldown { until: seconds(7.0) })));
}

#[test]
fn releases_end_with_the_last_target() {
    let game = rules(
        "[ability.volley]\ncast = 1\nreleases = { count = 5, every = 0.5 }\ndoes = [{ damage = 600, type = \"blow\" }]",
        "abilities = [\"volley\"]",
    );
    let log = log_of(&game);
    assert_eq!(moments(&log, |event| matches!(event, Event::Hit { .. })), [1_000_000, 1_500_000]);
    assert_eq!(log.events.last().unwrap().event, Event::Ended { ending: Ending::Won(edgeplane::program::SideId(0)) });
}

#[test]
fn a_combo_is_open_after_its_opener_for_some_time() {
    let combo = |after: &str, cast: f64| {
        rules(
            &format!(
                "[ability.jab]\ncooldown = 10\ndoes = [{{ damage = 1, type = \"blow\" }}]\n\
                 [ability.wait]\ncast = {cast}\ncooldown = 8\ntargets = \"self\"\ndoes = [{{ restore = \"breath\", amount = 1 }}]\n\
                 [ability.follow]\ncooldown = 1\nafter = {after}\ndoes = [{{ damage = 1, type = \"blow\" }}]"
            ),
            "abilities = [\"jab\", \"wait\", \"follow\"]",
        )
    };
    // The jab at 0 s, then another ability for two seconds: the window of two seconds is still open at its end.
    let open = combo("{ ability = \"jab\", within = 2 }", 2.0);
    assert_eq!(starts(&open, "follow"), [2.0, 12.0, 22.0]);
    let closed = combo("{ ability = \"jab\", within = 2 }", 2.000001);
    // Closed by a microsecond; later the other ability is not ready when the jab is, and does not come in between.
    assert_eq!(starts(&closed, "follow"), [10.0, 20.0, 30.0]);
    let jab = closed.ability("jab").unwrap();
    assert!(refusals(&log_of(&closed)).contains(&(2.000001, UnavailableReason::NotOpen { after: jab })));
    // Without a window it stays open after the first use of the opener.
    let ever = combo("\"jab\"", 2.0);
    assert_eq!(starts(&ever, "follow")[..4], [2.0, 3.0, 4.0, 5.0]);
}

#[test]
fn a_combo_is_shut_before_its_opener_was_ever_used() {
    let game = rules(
        "[ability.jab]\nunlock = \"level > 9\"\ndoes = [{ damage = 1, type = \"blow\" }]\n\
         [ability.follow]\ncooldown = 1\nafter = \"jab\"\ndoes = [{ damage = 1, type = \"blow\" }]",
        "abilities = [\"follow\", \"jab\"]",
    );
    let (log, jab) = (log_of(&game), game.ability("jab").unwrap());
    assert_eq!(refusals(&log), [(0.0, UnavailableReason::NotOpen { after: jab }), (0.0, UnavailableReason::Locked)]);
}

#[test]
fn calls_get_a_reason_why_an_ability_is_unavailable() {
    let game = rules(
        "[ability.shove]\ncast = 1\nrecovery = 1\ndoes = [{ damage = 600, type = \"blow\" }]\n\
         [ability.other]\ndoes = [{ damage = 1, type = \"blow\" }]",
        "abilities = [\"shove\"]",
    );
    let (shove, other) = (game.ability("shove").unwrap(), game.ability("other").unwrap());
    let mut fight = game.fight("bout", 1).unwrap();
    fight.take_control(ONE).unwrap();
    let mut printed = Log::default();
    let mut attempt =
        |fight: &mut Fight, who, what, target| fight.use_ability(who, what, target, &mut printed).unwrap().err();
    assert_eq!(attempt(&mut fight, ONE, other, None), Some(UnavailableReason::NotKnown));
    assert_eq!(attempt(&mut fight, ONE, shove, None), None);
    assert_eq!(attempt(&mut fight, ONE, shove, None), Some(UnavailableReason::Busy { until: seconds(1.0) }));
    fight.advance(seconds(1.5), &mut Silent).unwrap();
    assert_eq!(attempt(&mut fight, ONE, shove, None), Some(UnavailableReason::Busy { until: seconds(2.0) }));
    fight.advance(seconds(2.0), &mut Silent).unwrap();
    assert_eq!(attempt(&mut fight, ONE, shove, Some(OTHER)), None);
    fight.advance(seconds(3.0), &mut Silent).unwrap();
    assert!(!fight.stands(OTHER));
    assert_eq!(
        attempt(&mut fight, ONE, shove, Some(OTHER)),
        Some(UnavailableReason::OutOfTheFight),
        "the fight is over"
    );
    let printed: Vec<UnavailableReason> = refusals(&printed).into_iter().map(|(_, reason)| reason).collect();
    let busy = |until| UnavailableReason::Busy { until: seconds(until) };
    assert_eq!(printed, [busy(1.0), UnavailableReason::OutOfTheFight], "each change is reported once");
}

#[test]
fn one_the_defeated_is_no_target_while_others_stand() {
    let text = r#"
        [pools]
        health = { max = 10, defeat = true }
        [damage_types]
        blow = {}
        [ability.shove]
        does = [{ damage = 10, type = "blow" }]
        [character.one]
        abilities = ["shove"]
        [character.other]
        [encounter.bout]
        sides.one = ["one"]
        sides.others = [{ character = "other", count = 2 }]
    "#;
    let game = game(text);
    let shove = game.ability("shove").unwrap();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.take_control(ONE).unwrap();
    let second = CombatantId(2);
    fight.use_ability(ONE, shove, Some(second), &mut Silent).unwrap().unwrap();
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    assert!(fight.stands(OTHER) && !fight.stands(second));
    assert_eq!(fight.use_ability(ONE, shove, Some(second), &mut Silent).unwrap(), Err(UnavailableReason::NoTarget));
    assert_eq!(fight.why_unavailable(second, shove).unwrap(), Some(UnavailableReason::OutOfTheFight));
    assert_eq!(fight.use_ability(ONE, shove, None, &mut Silent).unwrap(), Ok(()), "the rule itself finds the other");
}

#[test]
fn the_miller_of_the_demo_does_all_of_it() {
    let game = demo();
    let mut fight = game.fight("mill_race", 0).unwrap();
    let miller = fight.setup().find_combatant("drowned_miller").unwrap();
    let id = |name: &str| game.ability(name).unwrap();
    let (mut stones, mut dredged, mut ground) = (0, 0, 0);
    for seed in 0..100 {
        let mut log = Log::default();
        fight.restart(seed);
        fight.run(&mut log).unwrap();
        let mut released: BTreeMap<_, Vec<f64>> = BTreeMap::new();
        for logged in &log.events {
            if let Event::Released { caster, ability, .. } = logged.event
                && caster == miller
            {
                released.entry(ability).or_default().push(logged.at.seconds());
            }
        }
        let of = |name: &str| released.get(&id(name)).cloned().unwrap_or_default();
        let last_stone = |at: f64| of("millstone").into_iter().filter(|stone| *stone <= at).fold(-100.0, f64::max);
        for at in of("grind") {
            // Three seconds until the opener starts, and half a second of cast.
            assert!(at - last_stone(at) <= 3.5 + 1e-9, "seed {seed}: ground at {at}");
        }
        assert!(of("dredge").len() <= 1, "seed {seed}: once a fight");
        let sacks = of("sack");
        for three in sacks.windows(3) {
            assert!(three[2] - three[0] > 9.4, "seed {seed}: two charges, one every 11 s: {sacks:?}");
        }
        stones += of("millstone").len();
        dredged += of("dredge").len();
        ground += of("grind").len();
    }
    assert!(stones > 300 && dredged > 50 && ground > 100, "{stones} {dredged} {ground}");
}

/// A combatant that waits for a condition: the time of its first use, with other events in between.
fn first_use(ability: &str, others: &str, one: &str) -> Option<f64> {
    let text = format!("[ability.wanted]\n{ability}\ndoes = [{{ damage = 1, type = \"blow\" }}]\n{others}");
    starts(&rules(&text, &format!("abilities = [\"wanted\"{one}]")), "wanted").first().copied()
}

#[test]
fn a_waiting_combatant_wakes_at_the_exact_moment() {
    // 20 of 30 breath, at 2 a second.
    assert_eq!(first_use("cost = { breath = 30 }", "", ""), Some(5.0));
    // 0.5 more, in a quarter of a second.
    assert_eq!(first_use("cost = { breath = 20.5 }", "", ""), Some(0.25));
    // A charge is available at once, although the other ability takes its time.
    assert_eq!(first_use("charges = { max = 1, regain = 100 }", "", ""), Some(0.0));
    // The first moment of its window, after an ability that takes three seconds.
    let opener = "[ability.opener]\ncast = 3\nuses = 1\ndoes = [{ damage = 1, type = \"blow\" }]";
    assert_eq!(first_use("after = \"opener\"", opener, ", \"opener\""), Some(3.0));
    // A shared cooldown of 4 s starts with the combatant's own use, not with that of another combatant.
    let shared =
        "[ability.opener]\nshared_cooldown = \"one\"\ncooldown = 4\nuses = 1\ndoes = [{ damage = 1, type = \"blow\" }]";
    assert_eq!(first_use("shared_cooldown = \"one\"\nafter = \"opener\"", shared, ", \"opener\""), Some(4.0));
    // Never: the cost exceeds the cap.
    assert_eq!(first_use("cost = { breath = 101 }", "", ""), None);
}

#[test]
fn times_may_depend_on_attributes_and_are_taken_when_a_use_counts() {
    let text = r#"
        [attributes]
        haste = 0
        [pools]
        health = { max = 1000, defeat = true }
        [damage_types]
        blow = {}
        [status.quick]
        duration = 8
        modify = [{ attribute = "haste", add = 0.5 }]
        [ability.hurry]
        uses = 1
        targets = "self"
        does = [{ apply = "quick" }]
        [ability.shove]
        recovery = 0.1
        charges = { max = 2, regain = "4 * (1 - caster.haste)" }
        does = [{ damage = 1, type = "blow" }]
        [policy.plain]
        use = [{ ability = "hurry", when = "now >= 5" }, { ability = "shove" }]
        [character.one]
        abilities = ["hurry", "shove"]
        policy = "plain"
        [character.other]
        [encounter.bout]
        sides.one = ["one"]
        sides.other = ["other"]
        time_limit = 24
    "#;
    // 0, 0.1, then every 4 s. Haste from 5 s on: the charge regained at 8 s began at the old pace and takes 4 s only up
    // to then; the use at 8 s takes 2 s, and so do those at 10 s and 12 s. The haste ends at 13 s; the use at 14 s
    // takes 4 s again.
    let game = game(text);
    assert_eq!(starts(&game, "hurry"), [5.0]);
    assert_eq!(starts(&game, "shove"), [0.0, 0.1, 4.0, 8.0, 10.0, 12.0, 14.0, 18.0, 22.0]);
}

#[test]
fn several_targets_share_the_releases_until_the_last_is_defeated() {
    let text = r#"
        [pools]
        health = { max = 25, defeat = true }
        [damage_types]
        blow = {}
        [ability.rain]
        cast = 1
        releases = { count = 4, every = 1 }
        targets = { side = "enemies", count = "all" }
        does = [{ damage = 10, type = "blow" }]
        [ability.bite]
        uses = 1
        does = [{ damage = 6, type = "blow" }]
        [character.one]
        abilities = ["rain"]
        [character.thin]
        abilities = ["bite"]
        [character.thick]
        [encounter.bout]
        sides.one = ["one"]
        sides.others = ["thin", "thick"]
    "#;
    let game = game(text);
    let mut fight = game.fight("bout", 1).unwrap();
    let health = game.pool("health").unwrap();
    // The thin combatant has 5 left when the rain begins.
    fight.apply_effects(ONE, game.ability("rain").unwrap(), OTHER, &mut Silent).unwrap();
    fight.apply_effects(ONE, game.ability("rain").unwrap(), OTHER, &mut Silent).unwrap();
    assert_eq!([fight.pool(OTHER, health), fight.pool(CombatantId(2), health)], [5.0, 25.0]);
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let hits: Vec<(f64, CombatantId)> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Hit { target, caster: ONE, .. } => Some((logged.at.seconds(), target)),
            _ => None,
        })
        .collect();
    let thick = CombatantId(2);
    assert_eq!(hits, [(1.0, OTHER), (1.0, thick), (2.0, thick), (3.0, thick)]);
    assert_eq!(fight.now(), seconds(3.0));
}
