//! Experience, levels, points and gauntlets.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, OTHER, demo, game, seconds};
use edgeplane::fight::{Carried, Event, Uses};
use edgeplane::program::Layout;
use edgeplane::study::{explain, run_gauntlet};
use edgeplane::{CombatantId, Game, Log, Override, Silent, TrialsPlan};

/// Two that fight one after the other, and give experience themselves.
fn night(gauntlet: &str, more: &str) -> Game {
    game(&format!(
        r#"
        [attributes]
        might = 10
        max_health = "80 + 20 * level"
        [pools]
        health = {{ max = "max_health", defeat = true }}
        oil = {{ max = 9 }}
        [damage_types]
        blow = {{}}
        [levels]
        needs = "10 * level"
        most = 4
        points = "level - 1"
        [point.brawn]
        gives = {{ might = 2 }}
        [point.calm]
        gives = {{ might = "0.5 * self.level" }}
        [ability.swing]
        cooldown = 1
        does = [{{ damage = "self.might" }}]
        [ability.gift]
        uses = 1
        cost = {{ oil = 4 }}
        does = [{{ damage = 1 }}]
        [ability.bite]
        cooldown = 1
        cast = 0.5
        does = [{{ damage = 7 }}]
        [character.hero]
        abilities = ["gift", "swing"]
        spends = ["brawn", "calm"]
        [character.pup]
        abilities = ["bite"]
        pools = ["health"]
        attributes = {{ max_health = 30 }}
        reward = "24 / count(enemies)"
        {more}
        [encounter.first]
        sides.heroes = ["hero", "hero"]
        sides.pups = ["pup"]
        [encounter.second]
        sides.pups = [{{ character = "pup", count = 2 }}]
        sides.heroes = ["hero", "hero"]
        time_limit = 60
        {gauntlet}
        "#
    ))
}

const PLAIN: &str = "[gauntlet.night]\nside = \"heroes\"\nencounters = [\"first\", \"second\"]\n";

#[test]
fn experience_is_shared_among_those_who_stand() {
    let game = night("", "");
    let mut fight = game.fight("second", 1).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let learned: Vec<(CombatantId, f64, f64)> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Learned { who, amount, total, .. } => Some((who, amount, total)),
            _ => None,
        })
        .collect();
    let (first, second) = (CombatantId(2), CombatantId(3));
    assert_eq!(learned, [(first, 12.0, 12.0), (second, 12.0, 12.0), (first, 12.0, 24.0), (second, 12.0, 24.0)]);
    assert_eq!(fight.experience(first), 24.0);
    let all = game.measure(
        "second",
        &["experience(heroes)", "experience(pups)"],
        &TrialsPlan { trials: 10, ..TrialsPlan::default() },
    );
    let all: Vec<_> = all.unwrap().iter().map(|figure| figure.value.unwrap()).collect();
    assert_eq!(all, [48.0, 0.0]);
}

#[test]
fn nobody_is_left_to_learn_from_a_draw() {
    // Both are defeated at one moment: `count(enemies)` would be zero, and nobody evaluates it.
    let text = r#"
        [pools]
        health = { max = 5, defeat = true }
        [damage_types]
        blow = {}
        [ability.swing]
        does = [{ damage = 5 }]
        [character.one]
        abilities = ["swing"]
        reward = "24 / count(enemies)"
        [encounter.bout]
        sides.one = ["one"]
        sides.other = ["one"]
    "#;
    let mut fight = game(text).fight("bout", 1).unwrap();
    fight.run(&mut Silent).unwrap();
    assert_eq!((fight.experience(ONE), fight.experience(OTHER)), (0.0, 0.0));
}

#[test]
fn levels_are_reached_one_by_one_up_to_the_highest() {
    let mut fight = night("", "").fight("first", 1).unwrap();
    let mut after = |level, experience| fight.level_after(ONE, level, experience).unwrap();
    // From 1 to 2 takes 10, to 3 another 20, to 4 another 30, which is the highest level.
    assert_eq!(after(1.0, 9.0), (1.0, 9.0));
    assert_eq!(after(1.0, 10.0), (2.0, 0.0));
    assert_eq!(after(1.0, 31.0), (3.0, 1.0));
    assert_eq!(after(1.0, 1000.0), (4.0, 940.0));
    assert_eq!(after(3.0, 29.0), (3.0, 29.0));
    // Refused, and nothing has changed.
    for (who, level, experience, says) in [
        (CombatantId(99), 1.0, 9.0, "there is no combatant 99"),
        (ONE, -1e18, 1e300, "a level cannot be -1000000000000000000: it has to be at least 0"),
        (ONE, f64::NAN, 9.0, "a level cannot be NaN"),
        (ONE, 1.0, f64::INFINITY, "experience cannot be inf"),
    ] {
        let error = fight.level_after(who, level, experience).unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
    assert_eq!(fight.level(ONE), 1.0);
    assert!(fight.keep_out(CombatantId(99)).unwrap_err().to_string().contains("there is no combatant 99"));
    fight.advance(seconds(0.0), &mut Silent).unwrap();
    assert!(fight.keep_out(ONE).unwrap_err().to_string().contains("the fight has begun"));
}

#[test]
fn points_are_spent_one_after_the_other() {
    for (level, might) in [(1, 10.0), (2, 10.0 + 2.0), (3, 10.0 + 2.0 + 1.5), (4, 10.0 + 4.0 + 2.0)] {
        let game = night("", &format!("[character.old]\nextends = \"hero\"\nlevel = {level}"));
        let character = game.character("old").unwrap();
        let sheet = explain::explain_character(game.program(), character).unwrap();
        let line = sheet.attributes.iter().find(|line| line.name == "might").unwrap();
        assert_eq!(line.value, might, "level {level}");
    }
}

/// Before the fight as during it; a lower level removes none of them.
#[test]
fn a_level_that_the_game_sets_comes_with_its_points() {
    let game = night("", "");
    let might = game.program().find_attribute("might").unwrap();
    for early in [true, false] {
        let (mut fight, mut log) = (game.fight("first", 1).unwrap(), Log::default());
        if !early {
            fight.advance(seconds(0.0), &mut log).unwrap();
        }
        fight.set_base(ONE, Layout::LEVEL, 4.0, &mut log).unwrap();
        fight.advance(seconds(0.5), &mut log).unwrap();
        // Three points: brawn, calm, brawn.
        assert_eq!(fight.attribute(ONE, might), 10.0 + 2.0 * 2.0 + 0.5 * 4.0);
        let gained = |event: &Event| matches!(event, Event::LevelGained { who: ONE, level: 4.0 });
        assert_eq!(log.events.iter().any(|logged| gained(&logged.event)), !early);
        fight.set_base(ONE, Layout::LEVEL, 2.0, &mut log).unwrap();
        assert_eq!(fight.attribute(ONE, might), 10.0 + 2.0 * 2.0 + 0.5 * 2.0);
    }
}

#[test]
fn what_is_left_goes_on_and_the_rest_begins_anew() {
    let game = night(PLAIN, "");
    let pool = |name| game.program().find_pool(name).unwrap();
    let (health, oil) = (pool("health"), pool("oil"));
    let mut first = game.fight("first", 1).unwrap();
    first.run(&mut Silent).unwrap();
    let mut carried = Carried::default();
    first.carry_over(ONE, &[health], Uses::Kept, &mut carried);
    let left = first.pool(ONE, health);
    assert!(carried.stood && left < 100.0);
    carried.level = 3.0;
    let mut second = game.fight("second", 1).unwrap();
    let (me, friend) = (CombatantId(2), CombatantId(3));
    second.keep_out(friend).unwrap();
    second.begin_with(&[(me, &carried)], &[], &mut Silent).unwrap();
    assert_eq!((second.pool(me, health), second.cap(me, health)), (left, 140.0));
    assert_eq!(second.pool(me, oil), 9.0, "not noted, so full");
    assert_eq!(second.level(me), 3.0);
    assert_eq!(second.attribute(me, game.program().find_attribute("might").unwrap()), 13.5);
    assert!(!second.stands(friend));
    let gift = game.program().find_ability("gift").unwrap();
    assert!(matches!(second.why_unavailable(me, gift).unwrap(), Some(edgeplane::fight::UnavailableReason::UsedUp)));
    second.set_pool(me, health, 140.0).unwrap();
    let mut weaker = Carried::default();
    second.carry_over(me, &[health, oil], Uses::Kept, &mut weaker);
    weaker.level = 1.0;
    let mut third = game.fight("second", 2).unwrap();
    third.begin_with(&[(me, &weaker)], &[], &mut Silent).unwrap();
    assert_eq!((third.pool(me, health), third.cap(me, health)), (100.0, 100.0), "no more than there is room for");
    assert_eq!(third.pool(me, oil), 9.0);
    second.set_pool(me, health, 0.0).unwrap();
    let ending = second.advance(seconds(1.0), &mut Silent).unwrap();
    assert!(ending.is_some() && !second.stands(me), "who has nothing left falls, and nobody else came");
}

#[test]
fn a_gauntlet_ends_where_it_is_not_won() {
    // The first pup is defeated at 2 s: hits of 10 + 10 at 0 s and 1 s, and the gifts; it bites at 0.5 s and 2 s.
    let kept = format!("{PLAIN}keeps = [\"health\"]\n");
    let plan = TrialsPlan { trials: 300, seed: 5, threads: Some(2), ..TrialsPlan::default() };
    let found = run_gauntlet(&night(&kept, ""), "night", &plan, &|_| {}).unwrap();
    assert_eq!((found.stages.len(), found.cleared.value), (2, 1.0));
    let [first, second] = found.stages.as_slice() else { panic!() };
    assert_eq!((first.reached.value, first.won.value, second.reached.value), (1.0, 1.0, 1.0));
    // 12 each is enough for level 2, and 12 + 2 of the next 20 are not enough for level 3 … but 24 more are.
    assert_eq!((first.level.mean, second.level.mean), (2.0, 3.0));
    assert_eq!(second.members[0].experience.mean, 24.0);
    let kept = "[gauntlet.night]\nside = \"heroes\"\nencounters = [\"first\", \"second\", \"first\"]\n";
    let hard = night(kept, "").variant(&[Override::parse("ability.bite.does.0.damage=500").unwrap()]).unwrap();
    let found = run_gauntlet(&hard, "night", &plan, &|_| {}).unwrap();
    assert_eq!(found.cleared.value, 0.0);
    // One of the two is bitten in the first encounter, the other in the second: nobody reaches the third.
    let [first, second, third] = found.stages.as_slice() else { panic!() };
    assert_eq!((first.won.value, second.won.value, third.reached.value), (1.0, 0.0, 0.0));
}

#[test]
fn the_defeated_stays_out_or_comes_back() {
    let plan = TrialsPlan { trials: 64, seed: 5, threads: Some(1), ..TrialsPlan::default() };
    // A bite defeats its target, and there is one before the pup is defeated.
    let hurt = |fallen: &str| {
        let keys = format!("{PLAIN}keeps = [\"health\"]\nrests = {{ health = 30 }}\ndefeated = \"{fallen}\"\n");
        let game = night(&keys, "");
        game.variant(&[Override::parse("ability.bite.does.0.damage=100").unwrap()]).unwrap()
    };
    let out = run_gauntlet(&hurt("out"), "night", &plan, &|_| {}).unwrap();
    let back = run_gauntlet(&hurt("back"), "night", &plan, &|_| {}).unwrap();
    assert_eq!(out.stages[0], back.stages[0]);
    let standing = |stage: &edgeplane::study::Stage| stage.members.iter().map(|one| one.stood.value).sum::<f64>();
    assert_eq!(standing(&out.stages[0]), 1.0);
    assert!(back.stages[1].won.value >= out.stages[1].won.value);
    assert_eq!(out.stages[1].members[0].stood.value, 0.0, "bitten first, and out");
}

#[test]
fn the_same_bytes_on_any_number_of_threads() {
    let demo = demo();
    let study = |threads| {
        let plan = TrialsPlan { trials: 700, seed: 3, threads: Some(threads), ..TrialsPlan::default() };
        serde_json::to_string(&run_gauntlet(&demo, "long_night", &plan, &|_| {}).unwrap()).unwrap()
    };
    assert_eq!(study(1), study(3));
}

#[test]
fn near_ones_are_counted_where_they_stand() {
    let text = r#"
        [attributes]
        speed = 2
        [pools]
        health = { max = 100, defeat = true }
        [damage_types]
        blow = {}
        [ability.sweep]
        cooldown = 100
        does = [{ damage = "count(enemies, 3) + 10 * count(allies, 3) + 100 * count(everyone, 5)" }]
        [ability.walk]
        cooldown = 100
        reach = 1
        does = [{ damage = 1 }]
        [policy.patient]
        use = [{ ability = "sweep", when = "count(enemies, 3) >= 2" }]
        [character.one]
        abilities = ["sweep"]
        policy = "patient"
        [character.still]
        abilities = []
        [character.walker]
        abilities = ["walk"]
        [encounter.field]
        sides.one = [{ character = "still", at = [0, 2] }, { character = "one", at = [0, 0] }]
        sides.others = [{ character = "still", at = [3, 0] }, { character = "walker", at = [9, 0] }]
        time_limit = 9
    "#;
    let game = game(text);
    let mut log = Log::default();
    game.fight("field", 1).unwrap().run(&mut log).unwrap();
    let hit = log.events.iter().find_map(|logged| match logged.event {
        Event::Hit { caster: OTHER, initial, .. } => Some((logged.at.seconds(), initial)),
        _ => None,
    });
    // The walker heads for the one at (0, 2), 2 m/s from 9.22 m: it is within 3 m of the origin between two
    // evaluations, a tenth of a second apart. Then two enemies are within 3 m, two of its side with itself, and four
    // within 5 m.
    let (at, amount) = hit.unwrap();
    assert_eq!(amount, 2.0 + 20.0 + 400.0);
    let far = |at: f64| {
        let walked = 2.0 * at / (81.0_f64 + 4.0).sqrt();
        let (x, y) = (9.0 * (1.0 - walked), 2.0 * walked);
        (x * x + y * y).sqrt()
    };
    assert!(far(at) <= 3.0 && far(at - 0.1) > 3.0, "{at}");
}
