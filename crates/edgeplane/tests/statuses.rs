//! Statuses: further applications, ticks, ends, modifiers, control.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use crate::common::scene::{ONE, OTHER, OWNER, attribute, hurt, one_application, printed, scene, seconds, waiting};
use edgeplane::Silent;
use edgeplane::fight::{Fight, Log};

/// Three applications, at 0, 2 and 5 s, the second by another caster, and their results.
fn three_applications(keys: &str) -> String {
    let game = scene(&format!("[status.soaked]\nduration = 6\n{keys}"));
    let status = game.status("soaked").unwrap();
    let mut fight = waiting(&game);
    let mut log = Log::default();
    for (at, caster) in [(0.0, ONE), (2.0, OTHER), (5.0, ONE)] {
        fight.advance(seconds(at), &mut log).unwrap();
        fight.apply_status(status, caster, OWNER, 1, &mut log).unwrap();
    }
    fight.advance(seconds(60.0), &mut log).unwrap();
    printed(&log)
}

#[test]
fn three_applications_under_every_policy() {
    let table = include_str!("cases/reapply.txt");
    let mut failed = String::new();
    let rows = table.lines().filter(|line| !line.is_empty() && !line.starts_with('#'));
    let mut checked = 0;
    for row in rows {
        let (keys, wanted) = row.split_once('|').unwrap();
        let words: Vec<&str> = keys.split_whitespace().collect();
        let [again, timer, per, rhythm] = words[..] else { panic!("{row}") };
        let timer = if timer == "-" { String::new() } else { format!("stack_timer = \"{timer}\"\n") };
        let rank = if again == "strongest" { "rank = 1\n" } else { "" };
        let text = format!(
            "reapply = \"{again}\"\nper = \"{per}\"\n{timer}{rank}every = {{ period = 2, rhythm = \"{rhythm}\", does = [] }}\n"
        );
        let found = three_applications(&text);
        if found != wanted.trim() {
            failed.push_str(&format!("{keys}\n  wanted {}\n  found  {found}\n", wanted.trim()));
        }
        checked += 1;
    }
    assert!(failed.is_empty(), "{failed}");
    assert_eq!(checked, 36, "every combination has a row");
}

#[test]
fn the_kinds_of_modifier_add_up_in_their_order() {
    // (20 + 10 + 2) × (1 + (50 - 25) / 100) × 2 × 0.5 = 40
    let statuses = r#"
        [status.all]
        duration = 5
        modify = [
          { attribute = "guard", add = 10 }, { attribute = "guard", add = "2 * stacks" },
          { attribute = "guard", percent = 50 }, { attribute = "guard", percent = -25 },
          { attribute = "guard", times = 2 }, { attribute = "guard", times = 0.5 },
          { attribute = "resist", add = 0.1 }, { attribute = "resist.cold", add = 0.2 },
        ]
        [status.floor]
        duration = 9
        modify = [{ attribute = "guard", at_least = 30 }, { attribute = "might", at_most = 4 }]
        [status.fixed]
        duration = 9
        modify = [{ attribute = "guard", set = 250 }]
    "#;
    let (game, mut fight, _) = one_application(statuses, "all", 0.0);
    assert_eq!(attribute(&game, &fight, "guard"), 40.0);
    assert_eq!(attribute(&game, &fight, "twice"), 80.0, "what reads it follows");
    assert_eq!(attribute(&game, &fight, "resist.blow"), 0.1);
    assert_eq!(attribute(&game, &fight, "resist.cold"), 0.1 + 0.2);
    assert_eq!(fight.cap(OWNER, game.pool("spirit").unwrap()), 90.0, "caps follow");
    let guard = game.program().find_attribute("guard").unwrap();
    let parts: Vec<f64> = fight.contributions(OWNER, guard).unwrap().iter().map(|part| part.amount).collect();
    assert_eq!(parts, [10.0, 2.0, 50.0, -25.0, 2.0, 0.5]);
    fight.advance(seconds(6.0), &mut Silent).unwrap();
    assert_eq!(attribute(&game, &fight, "guard"), 20.0);
    fight.apply_status(game.status("floor").unwrap(), ONE, OWNER, 1, &mut Silent).unwrap();
    assert_eq!((attribute(&game, &fight, "guard"), attribute(&game, &fight, "might")), (30.0, 4.0));
    fight.apply_status(game.status("fixed").unwrap(), ONE, OWNER, 1, &mut Silent).unwrap();
    assert_eq!(attribute(&game, &fight, "guard"), 100.0, "the attribute's own bound has the last word");
}

#[test]
fn a_live_modifier_follows_what_it_reads_and_a_snapshot_does_not() {
    let statuses = r#"
        [status.live]
        duration = inf
        modify = [{ attribute = "might", add = "0.5 * self.guard" }]
        [status.kept]
        duration = inf
        modify = [{ attribute = "resist.cold", add = "snapshot(target.guard) / 100" }]
        [status.softer]
        duration = 3
        modify = [{ attribute = "guard", add = -10 }]
    "#;
    let (game, mut fight, _) = one_application(statuses, "live", 0.0);
    fight.apply_status(game.status("kept").unwrap(), ONE, OWNER, 1, &mut Silent).unwrap();
    let both = |fight: &Fight| (attribute(&game, fight, "might"), attribute(&game, fight, "resist.cold"));
    assert_eq!(both(&fight), (20.0, 0.2));
    fight.apply_status(game.status("softer").unwrap(), ONE, OWNER, 1, &mut Silent).unwrap();
    assert_eq!(both(&fight), (15.0, 0.2));
    fight.advance(seconds(4.0), &mut Silent).unwrap();
    assert_eq!(both(&fight), (20.0, 0.2));
}

#[test]
fn a_heal_shared_out_over_its_ticks_ends_where_it_should() {
    // 60 of 100: a quarter of the missing 40 at each of four ticks.
    let statuses = r#"
        [status.mending]
        kind = "buff"
        duration = 4
        every = { period = 1, does = [{ heal = "snapshot(target.health.missing) / ticks" }] }
    "#;
    let mut log = Log::default();
    let hurting = scene(&format!(
        "{statuses}\n[status.cut]\nduration = 0\nevery = {{ period = 1, first_tick = \"now\", does = [{{ damage = 40, type = \"blow\" }}] }}"
    ));
    let mut cut = waiting(&hurting);
    cut.apply_status(hurting.status("cut").unwrap(), ONE, OWNER, 1, &mut Silent).unwrap();
    let health = hurting.pool("health").unwrap();
    assert_eq!(cut.pool(OWNER, health), 60.0);
    cut.apply_status(hurting.status("mending").unwrap(), OWNER, OWNER, 1, &mut log).unwrap();
    let amounts: Vec<f64> = (1..=4)
        .map(|at| {
            cut.advance(seconds(f64::from(at)), &mut log).unwrap();
            cut.pool(OWNER, health)
        })
        .collect();
    assert_eq!(amounts, [70.0, 80.0, 90.0, 100.0]);
}

#[test]
fn ticks_come_on_their_rhythm_up_to_and_including_the_end() {
    let every = |keys: &str, duration: &str| {
        format!(
            "[status.s]\nduration = {duration}\nevery = {{ period = 1, {keys} does = [{{ damage = 10, type = \"blow\" }}] }}"
        )
    };
    let ticks = |text: &str| hurt(&one_application(text, "s", 20.0).2);
    assert_eq!(ticks(&every("", "3")), [(1.0, 10.0), (2.0, 10.0), (3.0, 10.0)]);
    assert_eq!(ticks(&every("first_tick = \"now\",", "3")), [(0.0, 10.0), (1.0, 10.0), (2.0, 10.0), (3.0, 10.0)]);
    let shared = every("first_tick = \"now\",", "3").replace("damage = 10", "damage = \"20 / ticks\"");
    assert_eq!(ticks(&shared), [(0.0, 5.0), (1.0, 5.0), (2.0, 5.0), (3.0, 5.0)]);
    let unfounded = "first_tick = \"now\",";
    let while_hurt = every(unfounded, "3").replace("duration", "while = \"self.health.share < 0.5\"\nduration");
    assert_eq!(ticks(&while_hurt), [], "its condition does not hold at the start");
    assert_eq!(ticks(&every("", "2.5")), [(1.0, 10.0), (2.0, 10.0)]);
    assert_eq!(ticks(&every("part_tick = true,", "2.5")), [(1.0, 10.0), (2.0, 10.0), (2.5, 5.0)]);
    assert_eq!(ticks(&every("part_tick = true,", "2")), [(1.0, 10.0), (2.0, 10.0)], "no part is left");
    assert_eq!(ticks(&every("", "0.5")), [], "shorter than a period");
    assert_eq!(ticks(&every("part_tick = true,", "0.25")), [(0.25, 2.5)]);
}

#[test]
fn the_number_of_a_tick_shapes_what_it_does() {
    let statuses = r#"
        [curve.swell]
        points = [[1, 2], [3, 8]]
        [status.s]
        duration = 3
        every = { period = 1, does = [
          { damage = "swell(tick)", type = "blow" },
          { damage = "elapsed * 10 + remaining", type = "cold", when = "tick == 2" },
        ] }
    "#;
    let (_, _, log) = one_application(statuses, "s", 5.0);
    assert_eq!(hurt(&log), [(1.0, 2.0), (2.0, 5.0), (2.0, 21.0), (3.0, 8.0)]);
}

#[test]
fn what_grows_with_its_ticks_is_computed_anew_with_each() {
    let statuses = r#"
        [status.rising]
        duration = 4
        every = { period = 1, does = [] }
        modify = [{ attribute = "might", add = "3 * tick" }]
    "#;
    let (game, mut fight, _) = one_application(statuses, "rising", 0.0);
    let mut seen = vec![attribute(&game, &fight, "might")];
    for at in 1..=5 {
        fight.advance(seconds(f64::from(at) - 0.5), &mut Silent).unwrap();
        seen.push(attribute(&game, &fight, "might"));
    }
    assert_eq!(seen, [10.0, 10.0, 13.0, 16.0, 19.0, 10.0]);
}

#[test]
fn stacks_change_attributes_and_stop_at_the_most() {
    let statuses = r#"
        [status.soaked]
        duration = 6
        reapply = "stack"
        max_stacks = 3
        modify = [{ attribute = "might", percent = "-10 * stacks" }]
    "#;
    let game = scene(statuses);
    let (status, mut fight) = (game.status("soaked").unwrap(), waiting(&game));
    let mut seen = Vec::new();
    for stacks in [1, 1, 5] {
        fight.apply_status(status, ONE, OWNER, stacks, &mut Silent).unwrap();
        seen.push((fight.stacks(OWNER, status), attribute(&game, &fight, "might")));
    }
    assert_eq!(seen, [(1, 9.0), (2, 8.0), (3, 7.0)]);
    assert!(fight.remove_status(status, OWNER, &mut Silent).unwrap());
    assert!(!fight.remove_status(status, OWNER, &mut Silent).unwrap());
    assert_eq!((fight.stacks(OWNER, status), attribute(&game, &fight, "might")), (0, 10.0));
}

#[test]
fn the_stronger_stays() {
    let statuses = r#"
        [status.song]
        duration = 6
        reapply = "strongest"
        rank = "stacks"
        modify = [{ attribute = "might", add = "snapshot(stacks)" }]
    "#;
    // Its rank is the requested number of stacks, although it can hold only one.
    let game = scene(statuses);
    let (status, mut fight, mut log) = (game.status("song").unwrap(), waiting(&game), Log::default());
    for (stacks, taken) in [(2, true), (1, false), (2, false), (3, true)] {
        assert_eq!(fight.apply_status(status, ONE, OWNER, stacks, &mut log).unwrap(), taken, "{stacks}");
    }
    assert_eq!(printed(&log), "0 new, 0 weaker, 0 weaker, 0 replaced, 0 new");
}

#[test]
fn an_extension_has_its_limit_and_instances_theirs() {
    let statuses = r#"
        [status.long]
        duration = 6
        reapply = "extend"
        longest = 10
        [status.many]
        duration = 6
        reapply = "separate"
        max_instances = 2
    "#;
    let game = scene(statuses);
    let mut fight = waiting(&game);
    for (name, wanted) in
        [("long", "0 new, 0 longer, 0 longer, 10 expired"), ("many", "10 new, 10 new, 10 full, 16 expired, 16 expired")]
    {
        let mut log = Log::default();
        let status = game.status(name).unwrap();
        for _ in 0..3 {
            fight.apply_status(status, ONE, OWNER, 1, &mut log).unwrap();
        }
        fight.advance(seconds(if name == "long" { 10.0 } else { 30.0 }), &mut log).unwrap();
        assert_eq!(printed(&log), wanted);
    }
}

#[test]
fn reaching_the_most_stacks_turns_one_status_into_another() {
    let statuses = r#"
        [status.damp]
        duration = 6
        reapply = "stack"
        max_stacks = 3
        at_max = [{ apply = "drenched" }, { damage = "5 * stacks", type = "cold" }]
        consume = true
        [status.drenched]
        duration = 2
    "#;
    let game = scene(statuses);
    let (damp, mut fight, mut log) = (game.status("damp").unwrap(), waiting(&game), Log::default());
    for at in 0..4 {
        fight.advance(seconds(f64::from(at)), &mut log).unwrap();
        fight.apply_status(damp, ONE, OWNER, 1, &mut log).unwrap();
    }
    assert_eq!(printed(&log), "0 new, 1 x2, 2 x3, 2 new, 2 consumed, 3 new");
    assert_eq!(hurt(&log), [(2.0, 15.0)]);
    assert_eq!(fight.stacks(OWNER, damp), 1);
}

#[test]
fn statuses_are_cleansed_by_kind_tag_and_age() {
    let statuses = |filter: &str| {
        format!(
            r#"
            [status.a]
            kind = "debuff"
            tags = ["wet"]
            duration = 5
            [status.b]
            kind = "debuff"
            tags = ["wet", "cold"]
            duration = 9
            [status.c]
            kind = "buff"
            duration = 7
            [status.d]
            kind = "debuff"
            cleansable = false
            duration = 99
            [status.wash]
            duration = 0
            every = {{ period = 1, first_tick = "now", does = [{{ cleanse = {filter} }}] }}
            "#
        )
    };
    let left = |filter: &str| {
        let game = scene(&statuses(filter));
        let mut fight = waiting(&game);
        for name in ["a", "b", "c", "d", "wash"] {
            fight.apply_status(game.status(name).unwrap(), OWNER, OWNER, 1, &mut Silent).unwrap();
        }
        let names =
            fight.statuses(OWNER).unwrap().into_iter().map(|one| game.program().status(one.status).name.clone());
        names.filter(|name| name != "wash").collect::<Vec<_>>().join(" ")
    };
    assert_eq!(left("{ kind = \"debuff\" }"), "b c d", "one, the oldest");
    assert_eq!(left("{ kind = \"debuff\", count = \"all\" }"), "c d", "but for what nothing cleanses");
    assert_eq!(left("{ kind = \"debuff\", pick = \"newest\" }"), "a c d");
    assert_eq!(left("{ count = 1, pick = \"longest\" }"), "a c d");
    assert_eq!(left("{ tags = [\"cold\"] }"), "a c d");
    assert_eq!(left("\"c\""), "a b d");
}

#[test]
fn a_status_can_be_passed_on_and_made_longer_or_shorter_and_used_up() {
    let statuses = r#"
        [status.mark]
        duration = 8
        reapply = "stack"
        max_stacks = 9
        [status.take]
        duration = 0
        every = { period = 1, first_tick = "now", does = [{ transfer = "mark" }] }
        [status.later]
        duration = 0
        every = { period = 1, first_tick = "now", does = [{ extend = "mark", by = 4 }] }
        [status.sooner]
        duration = 0
        every = { period = 1, first_tick = "now", does = [{ shorten = "mark", by = "3 + 20 * if(now > 1, 1, 0)" }] }
        [status.spend]
        duration = 0
        every = { period = 1, first_tick = "now", does = [{ consume = "mark", stacks = 2 }] }
    "#;
    let game = scene(statuses);
    let mut fight = waiting(&game);
    let mark = game.status("mark").unwrap();
    let give = |fight: &mut Fight, name: &str, stacks: u32| {
        fight.apply_status(game.status(name).unwrap(), ONE, OWNER, stacks, &mut Silent).unwrap();
        fight.statuses(OWNER).unwrap().first().and_then(|one| one.remaining)
    };
    assert_eq!(give(&mut fight, "mark", 5), Some(8.0));
    assert_eq!(give(&mut fight, "later", 1), Some(12.0));
    assert_eq!(give(&mut fight, "sooner", 1), Some(9.0));
    give(&mut fight, "spend", 1);
    assert_eq!(fight.stacks(OWNER, mark), 3);
    give(&mut fight, "take", 1);
    assert_eq!((fight.stacks(OWNER, mark), fight.stacks(ONE, mark)), (0, 3));
    let taken = fight.statuses(ONE).unwrap();
    assert_eq!(taken[0].remaining, Some(9.0), "with the time that was left");
    fight.advance(seconds(2.0), &mut Silent).unwrap();
    give(&mut fight, "mark", 1);
    give(&mut fight, "sooner", 1);
    fight.advance(seconds(2.0), &mut Silent).unwrap();
    assert_eq!(fight.stacks(OWNER, mark), 0, "shortened beyond its end");
}

/// A soft status halves what its owner takes, and ends at 2.5 s, when another one has half a tick left: ticks come
/// before ends.
#[test]
fn a_part_of_a_tick_comes_before_what_ends_in_its_moment() {
    let game = scene(
        r#"
        [status.soft]
        duration = 2.5
        hit_steps = [{ name = "softly", of = "hits_taken", amount = "amount * 0.5" }]
        [status.burn]
        duration = 2.5
        every = { period = 1, part_tick = true, does = [{ damage = 8, type = "blow" }] }
        [status.more]
        duration = 9
        on = [{ event = "hit_taken", when = "amount < 3", does = [{ extend = "burn", by = 1.5 }] }]
        "#,
    );
    let mut fight = waiting(&game);
    let mut log = Log::default();
    for status in ["soft", "burn", "more"] {
        fight.apply_status(game.status(status).unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    }
    fight.advance(seconds(9.0), &mut log).unwrap();
    // The partial tick happens once: an extended status then ticks a whole second later, and has another half left.
    assert_eq!(hurt(&log), [(1.0, 4.0), (2.0, 4.0), (2.5, 2.0), (3.5, 8.0), (4.0, 4.0)]);
}
