//! In plain duels, what does not hang on chance is gone through once for all fights. Fights that are begun anew again and
//! again follow that; they must come to the same as fresh ones on the long way, event by event and in all that is left.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, OTHER, demo, game};
use crate::settled::{Recipe, recipe};
use crate::shortcuts::{BARE, BUFFETED};
use edgeplane::fight::{Event, FightErrorKind, Limits, Recorded, seed_of_trial};
use edgeplane::program::{SideId, Time};
use edgeplane::study::run_trials;
use edgeplane::{Ending, Fight, Game, Log, Silent, TrialsPlan};
use proptest::strategy::{Strategy as _, ValueTree as _};
use proptest::test_runner::TestRunner;

/// Plays seeds one after the other in one fight that somebody watches and in one that nobody does, beside fresh ones that the
/// engine plays; gives how many waves were rehearsed.
fn follows_alike(game: &Game, encounter: &str, seeds: std::ops::Range<u64>) -> usize {
    let mut watched = game.fight(encounter, 0).unwrap();
    let mut silent = watched.clone();
    for seed in seeds {
        let (mut short, mut long) = (Log::default(), Log::default());
        let mut fresh = game.fight(encounter, seed).unwrap();
        let ending = fresh.advance(Time::NEVER, &mut long).unwrap();
        watched.restart(seed);
        assert_eq!(Some(watched.run(&mut short).unwrap()), ending, "{encounter}, seed {seed}");
        let differ = short.events.iter().zip(&long.events).find(|(a, b)| a != b);
        assert_eq!(differ, None, "{encounter}, seed {seed}");
        assert_eq!(short.events.len(), long.events.len(), "{encounter}, seed {seed}");
        silent.restart(seed);
        assert_eq!(Some(silent.run(&mut Silent).unwrap()), ending, "{encounter}, seed {seed}");
        assert!(watched.snapshot() == fresh.snapshot(), "{encounter}, seed {seed}: something else is left");
        assert!(silent.snapshot() == fresh.snapshot(), "{encounter}, seed {seed}: something else is left in silence");
    }
    assert_eq!(watched.rehearsed_waves(), silent.rehearsed_waves(), "{encounter}");
    watched.rehearsed_waves()
}

fn soaking() -> Game {
    Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/benches/rulesets/soaking.toml")).unwrap()
}

#[test]
fn fights_that_follow_what_was_rehearsed_come_to_the_same() {
    let settled = game(&BUFFETED.replace("30 + might", "40"));
    let (demo, soaking, bare) = (demo(), soaking(), game(BARE));
    for (game, encounter) in
        [(&demo, "duel"), (&demo, "mirror"), (&soaking, "soaking"), (&bare, "pair"), (&settled, "gusts")]
    {
        let waves = follows_alike(game, encounter, 0..400);
        assert!(waves > 20, "{encounter}: {waves} waves");
    }
    // More than two are played, and so are a few.
    assert_eq!(follows_alike(&bare, "crowd", 0..60), 0);
    assert_eq!(follows_alike(&demo, "duel", 0..30), 0);
}

#[test]
fn duels_put_together_at_random_come_to_the_same_when_rehearsed() {
    let mut runner = TestRunner::deterministic();
    let (mut rehearsed, mut waves) = (0, 0);
    for number in 0..240 {
        let mut recipe = recipe().new_tree(&mut runner).unwrap().current();
        recipe.count = [0, 0];
        // Of most of them, nothing is resisted and nothing left to chance but hits.
        if number % 4 != 0 {
            recipe.statuses.iter_mut().for_each(|status| status[4] |= 16);
            recipe.abilities.iter_mut().for_each(|ability| ability[2] = ability[2] % 4 / 3 * 3 + ability[2] % 2);
        }
        let here = follows_alike(&game(&recipe.write()), "bout", recipe.seed % 1_000..recipe.seed % 1_000 + 70);
        (rehearsed, waves) = (rehearsed + usize::from(here > 0), waves + here);
    }
    assert!((80..240).contains(&rehearsed), "{rehearsed} of 240");
    assert!(waves > 20 * rehearsed, "{waves} waves of {rehearsed} duels");
}

const WATCHFUL: &str = r#"
[pools]
health = { max = 100, defeat = true }
wind = { max = 10, start = 4, regen = 1 }
[damage_types]
blow = {}
[[hit_steps]]
name = "slip"
when = "roll(0.3)"
stop = "slipped"
[ability.jab]
cooldown = 0.7
cast = 0.2
does = [{ damage = 4, spread = 0.5, type = "blow" }]
[ability.heave]
cost = { wind = 8 }
does = [{ damage = 9, spread = 0.5, type = "blow" }]
[ability.mend]
targets = "self"
cooldown = 3
does = [{ restore = "health", amount = 7, chance = 0.5 }, { restore = "wind", amount = 1 }]
[policy.plain]
use = [LINES]
[character.one]
abilities = ["jab", "heave", "mend"]
policy = "plain"
[encounter.bout]
sides.one = ["one"]
sides.other = ["one"]
time_limit = 60
"#;

fn watchful(lines: &str) -> Game {
    game(&WATCHFUL.replace("LINES", lines))
}

/// Whoever waits for what it could not pay looks again whenever it is really hit, and that hangs on chance.
#[test]
fn who_waits_for_wind_looks_again_after_each_hit_that_meets_it() {
    let lines =
        "{ ability = \"mend\", when = \"self.health < 60\" }, { ability = \"heave\", when = \"self.health < 90\" }";
    let game = watchful(&format!("{lines}, {{ ability = \"jab\", when = \"self.health > 50\" }}"));
    assert!(follows_alike(&game, "bout", 0..300) > 100);
    let refused = |seed| {
        let mut log = Log::default();
        game.fight("bout", seed).unwrap().run(&mut log).unwrap();
        log.events.iter().filter(|logged| matches!(logged.event, Event::Refused { .. })).count()
    };
    assert!((0..20).map(refused).collect::<std::collections::BTreeSet<_>>().len() > 5, "looks hang on chance");
}

/// There is room for some thousand waves; with a condition at each point of health, fights come to need more.
#[test]
fn where_the_room_is_full_fights_are_played_on() {
    let line = |line: i32| {
        format!("{{ ability = \"{}\", when = \"self.health < {}\" }}", ["mend", "jab"][line as usize % 2], line * 7)
    };
    let lines: Vec<String> = (1..14).map(line).collect();
    let game = watchful(&format!("{}, {{ ability = \"heave\" }}, {{ ability = \"jab\" }}", lines.join(", ")));
    let mut fight = game.fight("bout", 0).unwrap();
    warm(&mut fight, 6_000);
    let full = fight.rehearsed_waves();
    warm(&mut fight, 9_000);
    assert!(full > 1_000 && fight.rehearsed_waves() == full, "{full}, then {}", fight.rehearsed_waves());
    for seed in 0..200 {
        let (mut log, mut expected) = (Log::default(), Log::default());
        fight.restart(seed);
        fight.run(&mut log).unwrap();
        game.fight("bout", seed).unwrap().advance(Time::NEVER, &mut expected).unwrap();
        assert_eq!(log.events, expected.events, "seed {seed}");
    }
}

/// Where chance has a say in who does what when by more than conditions and defeats, nothing is rehearsed.
#[test]
fn what_hangs_on_chance_is_not_rehearsed() {
    let plain = "{ ability = \"heave\" }, { ability = \"jab\" }";
    let text = WATCHFUL.replace("LINES", plain);
    assert!(follows_alike(&game(&text), "bout", 0..60) > 0);
    let drained =
        text.replace("does = [{ damage = 4", "does = [{ damage = 1, type = \"blow\", pool = \"wind\" }, { damage = 4");
    let gained = text
        .replace("use = [", "use = [{ ability = \"mend\" }, ")
        .replace("amount = 1 }", "amount = 1, chance = 0.5 }");
    let status = "[status.numb]\nduration = 3\nmodify = [{ attribute = \"grip\", add = 1 }]\n[ability.jab]";
    let perhaps = |more: &str| {
        text.replace("[pools]", "[attributes]\ngrip = 1\n[pools]")
            .replace("[ability.jab]", &status.replace("duration", &format!("{more}duration")))
    };
    let inflicts = |text: &str, how: &str| {
        text.replace("does = [{ damage = 4", &format!("does = [{{ inflict = \"numb\"{how} }}, {{ damage = 4"))
    };
    for (why, text) in [
        ("hits take what costs are paid from", drained),
        ("chance gives what costs are paid from", gained),
        ("chance inflicts", inflicts(&perhaps(""), ", chance = 0.5")),
        ("statuses are resisted", inflicts(&perhaps("resist = 0.5\n"), "")),
    ] {
        let game = game(&text);
        assert!(game.fight("bout", 0).unwrap().takes_shortest_way(), "{why}");
        assert_eq!(follows_alike(&game, "bout", 0..60), 0, "{why}");
    }
    assert!(follows_alike(&game(&inflicts(&perhaps(""), "")), "bout", 0..60) > 0);
}

fn warm(fight: &mut Fight, fights: u64) {
    for seed in 0..fights {
        fight.restart(seed);
        fight.run(&mut Silent).unwrap();
    }
}

#[test]
fn other_limits_hold_for_what_was_rehearsed_with_the_usual_ones() {
    let game = demo();
    let mut passed = 0;
    for steps in (5..60).step_by(6) {
        let limits = Limits { steps, ..Limits::default() };
        let mut warmed = game.fight("duel", 0).unwrap();
        warm(&mut warmed, 80);
        assert!(warmed.rehearsed_waves() > 0);
        let mut warmed = warmed.with_limits(limits);
        let mut fresh = game.fight("duel", 7).unwrap().with_limits(limits);
        for seed in [7, 8] {
            let (mut one, mut other) = (Log::default(), Log::default());
            warmed.restart(seed);
            fresh.restart(seed);
            let ended = (warmed.run(&mut one), fresh.advance(Time::NEVER, &mut other));
            assert_eq!(ended.0.clone().err(), ended.1.err(), "{steps} steps");
            assert_eq!(one.events, other.events, "{steps} steps");
            passed += usize::from(ended.0.is_err_and(|error| matches!(error.kind, FightErrorKind::TooLong { .. })));
        }
    }
    assert!(passed > 5, "{passed}");
    // A limit that is passed in every fight is passed as well when it was rehearsed with.
    let limits = Limits { steps: 20, ..Limits::default() };
    let mut fight = game.fight("duel", 0).unwrap().with_limits(limits);
    for seed in 0..80 {
        fight.restart(seed);
        assert!(fight.run(&mut Silent).is_err(), "seed {seed}");
    }
}

#[test]
fn whatever_is_done_by_hand_is_heeded_after_a_rehearsal() {
    let game = demo();
    let health = game.pool("health").unwrap();
    let mut fight = game.fight("duel", 0).unwrap();
    warm(&mut fight, 100);
    let play = |fight: &mut Fight, prepare: &dyn Fn(&mut Fight)| {
        let mut log = Log::default();
        fight.restart(5);
        prepare(fight);
        fight.run(&mut log).unwrap();
        log.events
    };
    let prepared: [&dyn Fn(&mut Fight); 4] =
        [&|_| {}, &|fight| fight.set_pool(ONE, health, 20.0), &|fight| fight.keep_out(OTHER), &|fight| {
            _ = fight.advance(Time::from_seconds(3.0), &mut Silent).unwrap()
        }];
    for prepare in prepared {
        let mut fresh = game.fight("duel", 0).unwrap();
        assert_eq!(play(&mut fight, prepare), play(&mut fresh, prepare));
        assert_eq!(play(&mut fight.clone(), &|_| {}), play(&mut fresh, &|_| {}));
    }
    // What a fight begins with is there before it is run.
    fight.restart(6);
    let fresh = game.fight("duel", 6).unwrap();
    assert!(fight.snapshot() == fresh.snapshot());
    assert_eq!((fight.now(), fight.ending()), (Time::ZERO, None));
}

/// A list of answers is used up in the same order, whoever asks.
#[test]
fn answers_written_down_beforehand_are_asked_for_in_the_same_order() {
    let game = demo();
    let answers: Vec<f64> = (0..400).map(|number| f64::from(number * 37 % 101) / 101.0).collect();
    let fight = || {
        let setup = game.fight("duel", 0).unwrap().setup().clone();
        Fight::with_chance(setup, Recorded::new(answers.clone()), 0)
    };
    let (mut warmed, mut log, mut expected) = (fight(), Log::default(), Log::default());
    for seed in 0..60 {
        warmed.restart(seed);
        warmed.run(&mut Silent).unwrap();
    }
    assert!(warmed.rehearsed_waves() > 0);
    warmed.restart(0);
    warmed.run(&mut log).unwrap();
    fight().advance(Time::NEVER, &mut expected).unwrap();
    assert_eq!(log.events, expected.events);
}

/// A duel that takes all its time, with statuses that tick, comes to its end as it does on the long way.
#[test]
fn duels_end_when_their_time_is_up() {
    let recipe =
        Recipe { statuses: [[3, 3, 3, 2, 17]; 4], abilities: [[1, 0, 0, 1, 0]; 3], policy: 2, count: [0, 0], seed: 0 };
    let text = recipe.write().replace("max = 120", "max = 5000").replace("time_limit = 30", "time_limit = 9");
    let game = game(&text);
    assert!(follows_alike(&game, "bout", 0..60) > 10);
    assert_eq!(game.fight("bout", 1).unwrap().run(&mut Silent), Ok(Ending::TimeLimit));
}

/// Each thread rehearses for itself; figures are those of fights that are played one by one on the long way.
#[test]
fn studies_of_rehearsed_duels_come_to_the_same_on_any_number_of_threads() {
    const FIGHTS: u64 = 1_500;
    let game = demo();
    let mut fight = game.fight("duel", 0).unwrap();
    let (mut wins, mut seconds) = (0, 0.0);
    for trial in 0..FIGHTS {
        fight.restart(seed_of_trial(11, trial));
        let ending = fight.advance(Time::NEVER, &mut Silent).unwrap();
        wins += u64::from(ending == Some(Ending::Won(SideId(0))));
        seconds += fight.now().seconds();
    }
    let studies: Vec<_> = [1, 2, 3, 8]
        .into_iter()
        .map(|threads| {
            let plan = TrialsPlan { trials: FIGHTS, seed: 11, threads: Some(threads), ..TrialsPlan::default() };
            let measures = ["win_rate(keepers)", "uses(lockhand)", "duration.p90"];
            (run_trials(fight.setup(), &plan, &|_| {}).unwrap(), game.measure("duel", &measures, &plan).unwrap())
        })
        .collect();
    for (trials, figures) in &studies {
        assert_eq!(serde_json::to_string(trials).unwrap(), serde_json::to_string(&studies[0].0).unwrap());
        assert_eq!(format!("{figures:?}"), format!("{:?}", studies[0].1));
        assert_eq!(trials.sides[0].win_rate.count, wins);
        assert!((trials.duration.mean - seconds / FIGHTS as f64).abs() < 1e-9, "{}", trials.duration.mean);
    }
    assert!(wins > 0 && wins < FIGHTS, "{wins}");
}
