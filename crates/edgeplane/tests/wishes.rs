//! The goals of combatants that cannot use anything yet, at times worked by hand.

#![allow(clippy::unwrap_used)]

use crate::common::{game, moments, seconds};
use edgeplane::fight::Event;
use edgeplane::{CombatantId, Fight, Game, Log, PoolId, Silent};

const ONE: CombatantId = CombatantId(0);
const OTHER: CombatantId = CombatantId(1);

/// A combatant with a policy at four metres per second, another one that stands, and further keys of the throw.
fn scene(policy: &str, metres: f64, throw: &str) -> Game {
    game(&format!(
        "[attributes]\nspeed = 4\n[pools]\nhealth = {{ max = 100, defeat = true }}\nbreath = {{ max = 100, start = 0, regen = 2 }}\n\
         [ability.bite]\nreach = 1\ncooldown = 20\nunlock = \"now >= 8\"\ndoes = [{{ damage = 1 }}]\n\
         [ability.spit]\nreach = 6\ncooldown = 20\nunlock = \"now >= 8\"\ndoes = [{{ damage = 1 }}]\n\
         [ability.throw]\n{throw}\ncooldown = 20\ndoes = [{{ damage = 1 }}]\n\
         [policy.one]\n{policy}\n\
         [character.one]\nabilities = [\"bite\", \"spit\", \"throw\"]\npolicy = \"one\"\n\
         [character.other]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"one\"]\nsides.b = [\"other\"]\ndistance = {metres}\n"
    ))
}

fn played(game: &Game, until: f64) -> (Fight, Log) {
    let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
    fight.advance(seconds(until), &mut log).unwrap();
    (fight, log)
}

/// The time of the first turn, and the speed then.
fn courses(log: &Log) -> Vec<(u64, f64)> {
    let course = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Walks { who: ONE, course, .. } => Some((logged.at.0, course[0])),
        _ => None,
    };
    log.events.iter().filter_map(course).collect()
}

#[test]
fn who_can_do_nothing_keeps_to_what_it_wanted_as_it_set_out() {
    let game =
        scene("use = [{ ability = \"bite\", when = \"target.health.share < 0.5\" }, \"spit\"]", 12.0, "reach = 6");
    let (mut fight, mut log) = played(&game, 3.0);
    // There is nothing to bite at first, so it goes to where it will be able to spit.
    assert_eq!(courses(&log), [(0, 4.0), (1_500_000, 0.0)]);
    fight.set_pool(OTHER, PoolId(0), 40.0).unwrap();
    fight.take_control(OTHER).unwrap();
    for (at, course) in [(4.0, 1.0), (5.0, 0.0)] {
        fight.advance(seconds(at), &mut log).unwrap();
        fight.walk(OTHER, [course, 0.0], &mut log).unwrap();
    }
    fight.advance(seconds(10.0), &mut log).unwrap();
    // It moves along with the other; only when the bite is unlocked does distance alone keep that closed.
    assert_eq!(courses(&log)[2..], [(4_000_000, 1.0), (5_000_000, 0.0), (8_000_000, 4.0), (9_250_000, 0.0)]);
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [8_000_000, 9_250_000]);
}

#[test]
fn nobody_goes_on_for_what_it_does_not_want_any_more() {
    let game = scene("use = [{ ability = \"throw\", when = \"self.breath <= 10\" }]", 100.0, "reach = 6");
    // The first microsecond in which there are more than ten.
    assert_eq!(courses(&played(&game, 9.0).1), [(0, 4.0), (5_000_001, 0.0)]);
}

#[test]
fn who_has_not_reacted_yet_stays_where_it_can_use_what_it_will() {
    let game = scene("reaction = 0.5\nuse = [\"bite\", \"throw\", \"throw\"]", 12.0, "reach = 6");
    let (fight, log) = played(&game, 2.0);
    // In reach after a second and a half, it waits there until it throws, although it wants to bite later.
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [2_000_000]);
    assert_eq!(fight.place(OTHER)[0] - fight.place(ONE)[0], 6.0);
}

#[test]
fn who_has_not_reacted_yet_keeps_up_with_a_target_that_walks_away() {
    // For the spit, which it wants later, it is near enough.
    let game = scene("reaction = 0.5\nuse = [\"spit\", \"throw\"]", 12.0, "reach = 2");
    let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
    fight.take_control(OTHER).unwrap();
    fight.walk(OTHER, [1.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(3.9), &mut log).unwrap();
    // Ten metres at three metres per second, and half a second.
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [3_833_334]);
    assert_eq!(courses(&log)[..3], [(0, 4.0), (3_333_334, 1.0), (3_833_334, 0.0)]);
}

#[test]
fn a_target_that_enters_the_circle_is_seen_by_a_condition_about_targets() {
    let around = "targets = { side = \"enemies\", around = \"caster\", radius = 3 }";
    let game =
        scene("move = \"hold\"\nuse = [{ ability = \"throw\", when = \"target.health.share <= 1\" }]", 10.0, around);
    let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
    fight.take_control(OTHER).unwrap();
    fight.walk(OTHER, [-4.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(4.0), &mut log).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [1_750_000]);
}

#[test]
fn what_happens_later_in_the_moment_counts_for_what_it_wants() {
    // In the second round of choices of the first moment, one of them has nothing left but cooldowns, and the other
    // throws.
    let game = game(
        "[attributes]\nspeed = 4\n[pools]\nhealth = { max = 100, defeat = true }\n\
         [ability.snarl]\ncooldown = 20\nshared_cooldown = \"mouth\"\ndoes = [{ damage = 1 }]\n\
         [ability.bite]\nreach = 1\nshared_cooldown = \"mouth\"\ncooldown = 20\ndoes = [{ damage = 1 }]\n\
         [ability.spit]\nreach = 6\nshared_cooldown = \"mouth\"\ncooldown = 20\ndoes = [{ damage = 1 }]\n\
         [ability.poke]\ncooldown = 20\ndoes = [{ damage = 1 }]\n\
         [ability.throw]\ncooldown = 20\ndoes = [{ damage = 60 }]\n\
         [policy.one]\nuse = [\"snarl\", { ability = \"bite\", when = \"target.health.share < 0.5\" }, \"spit\"]\n\
         [policy.friend]\nuse = [\"poke\", \"throw\"]\n\
         [character.one]\nabilities = [\"snarl\", \"bite\", \"spit\"]\npolicy = \"one\"\n\
         [character.friend]\nabilities = [\"poke\", \"throw\"]\npolicy = \"friend\"\n\
         [character.other]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"one\", \"friend\"]\nsides.b = [\"other\"]\ndistance = 12\n",
    );
    for seed in 0..4 {
        let mut fight = game.fight("e", seed).unwrap();
        fight.advance(seconds(4.0), &mut Silent).unwrap();
        let [one, other] = [fight.place(ONE)[0], fight.place(CombatantId(2))[0]];
        assert_eq!((other - one).round(), 1.0, "seed {seed}");
    }
}

/// One combatant walks to the weaker of two that stand ten metres to the left and right of its way.
fn fork() -> Game {
    game(
        "[attributes]\nspeed = 4\n[pools]\nhealth = { max = 100, defeat = true }\n\
         [ability.bite]\nreach = 1\ntargets = { pick = \"weakest\" }\ncooldown = 9\ndoes = [{ damage = 1 }]\n\
         [character.one]\nabilities = [\"bite\"]\n[character.other]\nabilities = []\nattributes = { speed = 0 }\n\
         [encounter.e]\nsides.a = [{ character = \"one\", at = [0, 0] }]\n\
         sides.b = [{ character = \"other\", at = [30, 10] }, { character = \"other\", at = [30, -10] }]\n",
    )
}

/// The times and the signs of y of all courses: to which of the two it walks.
fn sides_of_the_fork(log: &Log) -> Vec<(u64, f64)> {
    let course = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Walks { who: ONE, course, .. } if course[1] != 0.0 => Some((logged.at.0, course[1].signum())),
        _ => None,
    };
    log.events.iter().filter_map(course).collect()
}

#[test]
fn who_walks_to_a_target_picks_again_each_second() {
    let game = fork();
    let (mut fight, mut log) = played(&game, 1.2);
    for (at, who, health) in [(5.2, CombatantId(2), 40.0), (7.0, OTHER, 20.0)] {
        fight.set_pool(who, PoolId(0), health).unwrap();
        fight.advance(seconds(at), &mut log).unwrap();
        assert_eq!(fight.walks_to(ONE), Some(who));
        assert!(fight.walks_to(OTHER).is_none() && fight.velocity(OTHER) == [0.0, 0.0]);
    }
    fight.advance(seconds(11.0), &mut log).unwrap();
    assert_eq!((fight.walks_to(ONE), fight.velocity(ONE)), (None, [0.0, 0.0]), "in reach");
    let toward = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Walks { toward, .. } => Some(toward.map(|toward| toward.0)),
        _ => None,
    };
    assert_eq!(log.events.iter().filter_map(toward).collect::<Vec<_>>(), [Some(1), Some(2), Some(1), None]);
    assert_eq!(sides_of_the_fork(&log), [(0, 1.0), (2_000_000, -1.0), (6_000_000, 1.0)]);
}

#[test]
fn what_does_not_change_the_pick_does_not_cause_another_one() {
    let game = fork();
    let (mut fight, mut log) = played(&game, 0.3);
    fight.set_pool(CombatantId(2), PoolId(0), 40.0).unwrap();
    // The path is planned again because its target is moved, not because another one is weaker.
    fight.advance(seconds(0.5), &mut log).unwrap();
    fight.set_motion(OTHER, [30.0, 12.0], [0.0, 0.0]).unwrap();
    fight.advance(seconds(2.0), &mut log).unwrap();
    assert_eq!(sides_of_the_fork(&log), [(0, 1.0), (500_000, 1.0), (1_000_000, -1.0)]);
}

/// One that walks to the farther of two: for a bite if that one is lame, otherwise for a spit. In the middle between
/// them, each step to one of them makes the other the farther one.
fn between_two(more: &str, at: f64, others: &str) -> Game {
    game(&format!(
        "[attributes]\nspeed = 4\nlame = 0\n[pools]\nhealth = {{ max = 100, defeat = true }}\n\
         [ability.bite]\nreach = 1\ntargets = {{ pick = \"farthest\" }}\ncooldown = 9\ndoes = [{{ damage = 1 }}]\n\
         [ability.spit]\nextends = \"bite\"\n\
         [character.one]\nabilities = [\"bite\", \"spit\"]\npolicy = \"one\"\n\
         [character.other]\nabilities = []\nattributes = {{ speed = 0 }}\n\
         [character.lame]\nextends = \"other\"\nattributes = {{ lame = 1 }}\n\
         [encounter.e]\nsides.a = [{{ character = \"one\", at = [{at}, 0] }}]\nsides.b = [{{ character = \"lame\", at = [-30, 0] }}, \
         {{ character = \"other\", at = [30, 0] }}{others}]\ntime_limit = 9\n\
         [policy.one]\nuse = [{{ ability = \"bite\", when = \"target.lame == 1\" }}, \"spit\"]\n{more}"
    ))
}

#[test]
fn who_would_turn_all_the_time_turns_ten_times_per_second() {
    let (fight, log) = played(&between_two("", 1.0, ""), 1.0);
    // The first microsecond beyond the middle; five turns at once, and another one after each tenth of a second.
    let at_once = (250_001..250_006).zip([4.0, -4.0].into_iter().cycle());
    let later = (0..7).map(|turn| 350_001 + turn * 100_000).zip([-4.0, 4.0].into_iter().cycle());
    let expected: Vec<_> = std::iter::once((0, -4.0)).chain(at_once).chain(later).collect();
    assert_eq!(courses(&log), expected);
    assert!(fight.place(ONE)[0].abs() <= 0.4);
}

#[test]
fn who_would_turn_all_the_time_stops_before_a_zone_that_it_avoids() {
    let fire = "move = { avoid = [\"fire\"] }\n[zone.fire]\nradius = 2\naffects = \"everyone\"\n\
                [ability.light]\nuses = 1\ncast = 0.27\ntargets = { side = \"self\" }\ndoes = [{ zone = \"fire\" }]\n\
                [character.lighter]\nextends = \"other\"\nabilities = [\"light\"]\n";
    // Lit as it walks on to the left for a tenth of a second, with the edge 0.25 m to the left of the middle.
    let game = between_two(fire, -1.0, ", { character = \"lighter\", at = [-2.25, 0] }");
    let (mut fight, mut log) = played(&game, 0.3);
    assert_eq!(courses(&log)[5..], [(250_004, -4.0), (270_000, 0.0)]);
    fight.run(&mut log).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Entered { who: ONE, .. })), [0; 0]);
}

#[test]
fn who_may_not_turn_keeps_the_target_that_chance_has_picked() {
    // All pursue each other in two rows and turn in the first moment until they may not; a shout later in that moment
    // has them choose their goals again.
    let game = game(
        "[attributes]\nspeed = 3\n[pools]\nhealth = { max = 100, defeat = true }\n\
         [ability.bite]\nreach = 2\ntargets = { pick = \"random\" }\ncooldown = 9\ndoes = [{ damage = 1 }]\n\
         [ability.shout]\nuses = 1\ntargets = { side = \"self\" }\ndoes = [{ heal = 1 }]\n\
         [character.one]\nabilities = [\"bite\"]\n[character.fast]\nabilities = [\"shout\", \"bite\"]\nattributes = { speed = 4 }\n\
         [encounter.e]\nsides.a = [{ character = \"one\", count = 2 }, { character = \"fast\", count = 2 }]\n\
         sides.b = [{ character = \"fast\", count = 2 }, { character = \"one\", count = 2 }]\ndistance = 20\n",
    );
    for seed in 0..8 {
        let mut fight = game.fight("e", seed).unwrap();
        fight.advance(seconds(0.0), &mut Silent).unwrap();
        let targets = |fight: &Fight| fight.setup().ids().map(|who| fight.walks_to(who)).collect::<Vec<_>>();
        let first = targets(&fight);
        for tenth in 1..20 {
            fight.advance(seconds(f64::from(tenth) / 10.0), &mut Silent).unwrap();
            assert_eq!(targets(&fight), first, "seed {seed}, after {tenth} tenths");
        }
    }
}

#[test]
fn two_who_walk_side_by_side_at_the_edge_of_a_condition_do_not_decide_all_the_time() {
    let when = "move = \"hold\"\nuse = [{ ability = \"throw\", when = \"count(enemies, 5) >= 2\" }]";
    let mut fight = scene(when, 12.0, "reach = 6").fight("e", 1).unwrap();
    // Half a micrometre from the edge, with velocities that differ by a rounding error.
    let course = [2.436_444_378_948_11, -0.560_123_904_410_58];
    fight.set_motion(ONE, [0.0, 0.0], course).unwrap();
    fight.set_motion(OTHER, [5.0 - 5e-7, 0.0], [0.0; 2]).unwrap();
    fight.take_control(OTHER).unwrap();
    fight.walk(OTHER, [course[0], course[1].next_up()], &mut Silent).unwrap();
    // A decision per microsecond would be more steps than a fight may take.
    fight.advance(seconds(3.0), &mut Silent).unwrap();
}
