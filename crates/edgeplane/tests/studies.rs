//! Sweeps, comparisons, sensitivities, searches, matrices and expectations.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::sync::Arc;

use crate::common::{demo, game};
use edgeplane::study::{
    Difference, Direction, DuelTerms, Effect, Goal, PartFault, StudyPart, Vary, Verdict, merge_parts, run_comparison,
    run_expectation, run_matrix, run_part, run_sensitivity, run_sweep, run_to_precision, run_together, run_tuning,
    run_without, trials_of_part,
};
use edgeplane::{Error, Game, Override, Setup, TrialsPlan};

const HEFT: &str = "character.lockhand.attributes.heft";

fn plan(trials: u64) -> TrialsPlan {
    TrialsPlan { trials, seed: 11, threads: Some(2), ..TrialsPlan::default() }
}

fn with(game: &Game, set: &str) -> Game {
    game.variant(&[Override::parse(set).unwrap()]).unwrap()
}

fn compare(before: &Game, after: &Game, measures: &[&str], trials: u64) -> Vec<Difference> {
    let (before, after) = (before.measured("duel", measures).unwrap(), after.measured("duel", measures).unwrap());
    run_comparison(&before, &after, &plan(trials), &|_| {}).unwrap()
}

#[test]
fn a_comparison_is_the_two_studies_with_a_narrower_interval_between_them() {
    let (old, measures) =
        (demo(), ["win_rate(keepers)", "duration", "damage_share(silt_crab, pincer)", "duration.p50"]);
    let new = with(&old, &format!("{HEFT}=15"));
    let found = compare(&old, &new, &measures, 3_000);
    for (index, one) in found.iter().enumerate() {
        let alone = |game: &Game| game.measure("duel", &[measures[index]], &plan(3_000)).unwrap().remove(0);
        assert_eq!((&one.before, &one.after), (&alone(&old), &alone(&new)));
        let difference = one.after.value.unwrap() - one.before.value.unwrap();
        assert_eq!(one.difference, Some(difference));
        assert!(one.low.unwrap() <= difference && difference <= one.high.unwrap(), "{one:?}");
    }
    assert!(found[0].is_certain() && found[0].difference.unwrap() > 0.1, "{:?}", found[0]);
    let edits = old.edits_to(&new);
    assert_eq!(edits.len(), 1);
    assert_eq!(
        (edits[0].path.as_str(), edits[0].before.as_deref(), edits[0].after.as_deref()),
        (HEFT, Some("14"), Some("15"))
    );
}

#[test]
fn nothing_changed_is_reported_as_nothing_changed() {
    let game = demo();
    for one in
        compare(&game, &with(&game, &format!("{HEFT}=14")), &["win_rate(keepers)", "duration", "duration.p90"], 500)
    {
        assert_eq!((one.difference, one.trials_that_differ, one.is_certain()), (Some(0.0), 0.0, false), "{one:?}");
    }
}

#[test]
fn the_same_chances_save_four_fights_in_five() {
    let old = demo();
    for (number, from) in [(HEFT, 14.0), ("character.silt_crab.attributes.grit", 10.0)] {
        let new = with(&old, &format!("{number}={}", from * 1.02));
        let duration = compare(&old, &new, &["damage_taken(silt_crab)", "win_rate(keepers)"], 20_000);
        let saving = duration.iter().filter_map(|one| one.saving).fold(0.0, f64::max);
        assert!(saving >= 5.0, "{number}: as good as {saving} times as many fights");
    }
}

#[test]
fn a_sweep_is_the_study_of_each_variant() {
    let game = demo();
    let varied =
        [Vary::parse(&format!("{HEFT}=12,14")).unwrap(), Vary::parse("ability.boathook.cooldown*=0.9,1").unwrap()];
    let sweep = run_sweep(&game, "duel", &varied, &["duration"], &plan(300), &|_| {}).unwrap();
    let points: Vec<Vec<f64>> = sweep.points.iter().map(|point| point.at.clone()).collect();
    assert_eq!(points, [[12.0, 0.9], [12.0, 1.0], [14.0, 0.9], [14.0, 1.0]]);
    let by_hand = [
        Override::parse(&format!("{HEFT}=12")).unwrap(),
        Override::parse("ability.boathook.cooldown=(1.4 * (1 - caster.quickness)) * 0.9").unwrap(),
    ];
    let variant = game.variant(&by_hand).unwrap();
    assert_eq!(sweep.points[0].figures, variant.measure("duel", &["duration"], &plan(300)).unwrap());
    assert_eq!(sweep.points[3].figures, game.measure("duel", &["duration"], &plan(300)).unwrap());
    assert_eq!((sweep.varied[0].now.as_str(), sweep.varied[1].now.as_str()), ("14", "1.4 * (1 - caster.quickness)"));
}

#[test]
fn varied_numbers_are_read_or_refused() {
    let values = |text: &str| Vary::parse(text).map(|vary| vary.values);
    assert_eq!(values("a.b=1..2").unwrap().len(), 11);
    assert_eq!(values("a.b=0.1..0.5:0.1").unwrap(), [0.1, 0.2, 0.3, 0.4, 0.5]);
    assert_eq!(values("a.b=3,1").unwrap(), [3.0, 1.0]);
    for (text, printed) in [
        ("a.b", "write it as PATH="),
        ("=1..2", "write it as PATH="),
        ("a.b=2..1", "the range 2..1 is empty"),
        ("a.b=1..x", "`x` is not a number"),
        ("a.b=1..2:0", "a step of 0 is too small or negative"),
        ("a.b=1..2:-1", "a step of -1 is too small or negative"),
        ("a.b=0..1:0.0001", "10001 values are too many"),
        ("a.b=inf", "`inf` is not a number"),
    ] {
        assert!(values(text).unwrap_err().contains(printed), "{text}: {:?}", values(text));
    }
    let game = demo();
    let nowhere = [Vary::parse("ability.boathok.cooldown=1..2").unwrap()];
    let refused = run_sweep(&game, "duel", &nowhere, &["duration"], &plan(10), &|_| {});
    assert!(matches!(refused, Err(Error::Ruleset { .. })), "{refused:?}");
    let nothing = [Vary::parse("ability.boathook.travel*=1..2").unwrap()];
    let refused = run_sweep(&game, "duel", &nothing, &["duration"], &plan(10), &|_| {}).unwrap_err();
    assert_eq!(refused.to_string(), "the ruleset gives no value at `ability.boathook.travel` that could be multiplied");
}

#[test]
fn sensitivity_finds_the_numbers_that_matter_and_leaves_out_the_others() {
    let game = demo();
    let found = run_sensitivity(&game, "duel", "win_rate(keepers)", 0.05, &plan(1_500), &|_, _| {}).unwrap();
    let effect = |path: &str| found.effects.iter().find(|effect| effect.path == path);
    let heft = effect(HEFT).unwrap();
    let [raised, lowered] = [Direction::Raised, Direction::Lowered].map(|direction| heft.change(direction).unwrap());
    assert!(heft.is_certain() && raised.difference.difference.unwrap() > 0.0, "{heft:?}");
    assert!(lowered.difference.is_certain() && lowered.difference.difference.unwrap() < 0.0, "{heft:?}");
    assert_eq!((heft.now.as_str(), raised.tried.as_str(), lowered.tried.as_str()), ("14", "14.7", "13.3"));
    let foe = effect("character.silt_crab.attributes.heft").unwrap();
    assert!(foe.change(Direction::Raised).unwrap().difference.difference.unwrap() < 0.0);
    // The lockhand has the sluice but never uses it; the lampwright is not in this fight at all. The first fights show
    // nothing of it, and no more is claimed than that.
    assert!(found.unseen.iter().any(|path| path.starts_with("ability.sluice.")), "{:?}", found.unseen);
    assert_eq!((found.without_effect.len(), found.unseen_fights), (0, 64));
    // Numbers that matter have had more fights, and all of them together not many times as many as one of them alone
    // may have.
    assert!(raised.fights > 64 && found.fights < 2 * 128 * 150 + 1_500, "{found:?}");
    let all = found.effects.iter().map(|effect| &effect.path).chain(&found.unseen).chain(&found.elsewhere);
    assert!(!all.chain(found.left_out.iter().map(|(path, _)| path)).any(|path| path.contains("lampwright")));
    let sizes: Vec<f64> = found.effects.iter().filter(|effect| effect.is_certain()).map(Effect::size).collect();
    assert!(sizes.windows(2).all(|pair| pair[0] >= pair[1]), "{sizes:?}");
    // The same by hand, on the same fights.
    for one in [raised, lowered] {
        let by_hand =
            compare(&game, &with(&game, &format!("{HEFT}={}", one.tried)), &["win_rate(keepers)"], one.fights);
        assert_eq!(one.difference.difference, by_hand[0].difference);
    }
}

fn tune(game: &Game, varied: &[&str], goals: &[&str]) -> edgeplane::study::Tuning {
    tune_in(game, "duel", varied, goals)
}

fn tune_in(game: &Game, encounter: &str, varied: &[&str], goals: &[&str]) -> edgeplane::study::Tuning {
    let varied: Vec<Vary> = varied.iter().map(|text| Vary::parse(text).unwrap()).collect();
    let goals: Vec<Goal> = goals.iter().map(|text| Goal::parse(text).unwrap()).collect();
    run_tuning(game, encounter, &varied, &goals, &plan(4_000).into(), &|_| {}).unwrap()
}

#[test]
fn tuning_meets_goals_that_can_be_met_with_a_change_that_is_small() {
    let game = demo();
    let found = tune(&game, &[&format!("{HEFT}=8..20")], &["win_rate(keepers) = 0.5 +- 0.02"]);
    assert!(found.met, "{found:?}");
    // From a sweep: 0.40 at 13, 0.60 at 14.
    assert!((13.2..13.8).contains(&found.numbers[0].value), "{found:?}");
    // Goals that are already met change nothing.
    let found = tune(&game, &[&format!("{HEFT}=8..20")], &["win_rate(keepers) >= 0.5"]);
    assert_eq!((found.met, found.numbers[0].value), (true, 14.0));
    // On a lattice: the first value that is enough.
    let found = tune(&game, &[&format!("{HEFT}=8..20:1")], &["win_rate(keepers) >= 0.9"]);
    assert_eq!((found.met, found.numbers[0].value), (true, 16.0), "{found:?}");
}

#[test]
fn a_search_with_few_fights_or_many_numbers_comes_to_an_end() {
    let game = demo();
    let heft = |who: &str| Vary::parse(&format!("character.{who}.attributes.heft=8..20")).unwrap();
    let goal = [Goal::parse("win_rate(keepers) in 40%..60%").unwrap()];
    let strong = with(&game, "character.silt_crab.attributes.heft=20");
    for trials in [1, 20, 300] {
        let found = run_tuning(&strong, "duel", &[heft("lockhand")], &goal, &plan(trials).into(), &|_| {}).unwrap();
        assert!(found.trials >= 1 && found.points > 0, "{found:?}");
    }
    // Five numbers, each varied on its own.
    let paths = [
        "character.lockhand.attributes.heft=8..24",
        "character.silt_crab.attributes.heft=8..30",
        "ability.boathook.cooldown*=0.5..1.5",
        "ability.pincer.cooldown=1.2..2.4",
        "ability.brace.cooldown=5..20",
    ];
    let varied = paths.map(|text| Vary::parse(text).unwrap());
    let goals = ["win_rate(keepers) = 50% +- 3%", "duration in 12..14"].map(|text| Goal::parse(text).unwrap());
    let found = run_tuning(&game, "duel", &varied, &goals, &plan(2_000).into(), &|_| {}).unwrap();
    assert!(found.met, "{found:?}");
    // As little as possible with the two numbers that matter most.
    let moved = |found: &edgeplane::study::Tuning| -> f64 {
        let shares = found.numbers.iter().zip(&varied).map(|(number, vary)| {
            let (low, high) = vary.bounds();
            let now = vary.value_now(&game).unwrap().unwrap_or(1.0);
            (number.value - now) / (high - low)
        });
        shares.map(|share| share * share).sum::<f64>().sqrt()
    };
    let two = run_tuning(&game, "duel", &varied[..2], &goals, &plan(2_000).into(), &|_| {}).unwrap();
    assert!(moved(&found) < moved(&two) + 0.01, "{found:?} {two:?}");
}

#[test]
fn tuning_meets_two_goals_at_once_as_an_independent_study_confirms() {
    let tasks = [
        (
            demo(),
            "duel",
            vec!["character.lockhand.attributes.heft=8..24", "character.silt_crab.attributes.heft=8..30"],
            ["win_rate(keepers) = 0.5 +- 0.03", "duration in 14..15"],
        ),
        (
            with(&demo(), "character.silt_crab.attributes.heft=20"),
            "duel",
            vec!["ability.pincer.cooldown=1.4..2.6"],
            ["win_rate(keepers) in 0.55..0.65", "duration.p50 in 15..20"],
        ),
        (
            demo(),
            "mirror",
            vec!["ability.boathook.does.0.spread=0..0.6", "character.lockhand.attributes.heft=10..22"],
            ["draw_rate <= 0.23", "duration in 19..22"],
        ),
    ];
    for (game, encounter, varied, goals) in tasks {
        let found = tune_in(&game, encounter, &varied, &goals);
        assert!(found.met, "{found:?}");
        // On separate seeds, with the values put in by hand.
        let sets: Vec<Override> =
            found.numbers.iter().map(|one| Override::parse(&format!("{}={}", one.path, one.value)).unwrap()).collect();
        let goals = goals.map(|text| Goal::parse(text).unwrap());
        let other = TrialsPlan { seed: 4_242, ..plan(10_000) };
        let measures = goals.each_ref().map(|goal| goal.measure.as_str());
        let figures = game.variant(&sets).unwrap().measure(encounter, &measures, &other).unwrap();
        for (goal, figure) in goals.iter().zip(&figures) {
            assert!((goal.least..=goal.most).contains(&figure.value.unwrap()), "{goal:?} {figure:?}");
        }
    }
}

#[test]
fn goals_out_of_reach_are_reported_with_what_comes_nearest() {
    let found = tune(&demo(), &[&format!("{HEFT}=8..20")], &["win_rate(keepers) = 0.5 +- 0.02", "duration <= 3"]);
    assert!(!found.met && found.goals_met.contains(&false), "{found:?}");
    let found = tune(&demo(), &[&format!("{HEFT}=8..12")], &["win_rate(keepers) >= 0.5"]);
    assert_eq!((found.met, found.numbers[0].value), (false, 12.0), "the nearest is at the end of the range");
}

#[test]
fn goals_are_read_or_refused() {
    let goal = |text: &str| Goal::parse(text).map(|goal| (goal.measure, goal.least, goal.most));
    assert_eq!(goal("duration = 10").unwrap(), ("duration".to_owned(), 9.8, 10.2));
    assert_eq!(goal("left(a, b) <= 5").unwrap(), ("left(a, b)".to_owned(), f64::NEG_INFINITY, 5.0));
    for (text, printed) in [
        ("duration", "write it as"),
        ("duration = soon", "`soon` is not a number"),
        ("= 4", "write it as"),
        ("duration in 4", "write it as"),
        ("duration in 9..4", "no value is at least 9 and at most 4"),
    ] {
        assert!(goal(text).unwrap_err().contains(printed), "{text}: {:?}", goal(text));
    }
}

#[test]
fn a_matrix_has_every_pair_once_and_the_other_way_round_it_is_the_same() {
    let game = demo();
    let names = ["lockhand", "silt_crab", "reed_stalker"];
    let terms = DuelTerms { time_limit: 120.0, distance: None };
    let found = run_matrix(&game, &names, terms, &plan(400), &|_| {}).unwrap();
    let turned = run_matrix(&game, &["reed_stalker", "silt_crab", "lockhand"], terms, &plan(400), &|_| {}).unwrap();
    assert_eq!(found.duels.len(), 6);
    for one in 0..3 {
        for other in 0..3 {
            let (duel, swapped) = found.duel(one, other);
            let wins = if swapped { &duel.loss_rate } else { &duel.win_rate };
            let (again, swapped) = turned.duel(2 - one, 2 - other);
            let again = if swapped { &again.loss_rate } else { &again.win_rate };
            if one != other {
                assert_eq!(wins.value, again.value, "{} against {}", names[one], names[other]);
            }
        }
    }
    let fair = found.duel(0, 1).0.win_rate.value.unwrap();
    assert!((0.5..0.7).contains(&fair), "as in the encounter `duel`: {fair}");
}

/// A ranged combatant beats one that has to approach, by as much as the approach takes: 9 m at 3 m/s for a reach of 1 m
/// are 8 / 3 s, in which three darts of 10 are thrown at 0, 1 and 2 s.
#[test]
fn what_a_win_rests_on_is_what_is_missing_without_it() {
    let game = demo();
    let found = run_without(&game, "night_shift", "win_rate(keepers)", &plan(1_000), &|_, _| {}).unwrap();
    assert_eq!(found.by, None);
    let effect = |path: &str| found.effects.iter().find(|effect| effect.path == path).unwrap();
    // The abilities with which the keepers defeat them.
    let boathook = effect("ability.boathook");
    assert!(boathook.is_certain() && boathook.changes[0].difference.difference.unwrap() < 0.0, "{boathook:?}");
    // The same by hand, on the same fights.
    for (path, by_hand) in [
        ("ability.boathook", "ability.boathook.unlock=0 > 1"),
        ("status.mending", "status.mending.while=0 > 1"),
        ("hit_steps.guard", "hit_steps.guard.when=0 > 1"),
    ] {
        let one = effect(path);
        let [before, after] = [game.clone(), with(&game, by_hand)]
            .map(|game| game.measured("night_shift", &["win_rate(keepers)"]).unwrap());
        let other = run_comparison(&before, &after, &plan(one.changes[0].fights), &|_| {}).unwrap().remove(0);
        assert_eq!(one.changes[0].difference.difference, other.difference, "{path}");
    }
    // A removed status does not tick.
    let without = with(&game, "status.silted.while=0 > 1");
    let share = ["damage_share(reed_stalker 1, silted)"];
    let [before, after] =
        [&game, &without].map(|game| game.measure("night_shift", &share, &plan(200)).unwrap()[0].value);
    assert!(before.unwrap() > 0.0 && after == Some(0.0), "{before:?} {after:?}");
    // Nothing of other encounters.
    let all = found.effects.iter().map(|effect| &effect.path).chain(&found.unseen).chain(&found.elsewhere);
    assert!(!all.into_iter().any(|path| path.contains("risen") || path == "ability.thrash"), "{found:?}");
}

#[test]
fn no_removal_moves_a_share_beyond_its_limits() {
    let plan = TrialsPlan { seed: 1, ..plan(4_000) };
    for measure in ["win_rate(keepers)", "draw_rate"] {
        let found = run_without(&demo(), "duel", measure, &plan, &|_, _| {}).unwrap();
        let base = found.before.value.unwrap();
        for difference in found.effects.iter().map(|effect| &effect.changes[0].difference) {
            let change = difference.difference.unwrap();
            assert!((-1e-12..=1.0 + 1e-12).contains(&(base + change)), "{measure}: {change} of {base}");
            assert!(difference.low.unwrap() <= change && change <= difference.high.unwrap());
            assert!(difference.low.unwrap() >= -1.0 && difference.high.unwrap() <= 1.0 - base + 0.1, "{difference:?}");
        }
    }
}

#[test]
fn a_matrix_shows_the_mix_that_nobody_can_exploit() {
    // A throw defeats the one that it beats with a chance of 1, 0.5 or 0.25; all else is a draw. `last` never acts.
    let game = game(
        r#"
        [attributes]
        kind = 0
        [pools]
        health = { max = 1, defeat = true }
        [ability.throw]
        uses = 1
        does = [{ damage = """if(caster.kind == 0 and target.kind == 2, 1,
            if(caster.kind == 1 and target.kind == 0, if(roll(0.5), 1, 0),
            if(caster.kind == 2 and target.kind == 1, if(roll(0.25), 1, 0), if(caster.kind < 3 and target.kind == 3, 1, 0))))""" }]
        [character.stone]
        attributes = { kind = 0 }
        abilities = ["throw"]
        [character.cloth]
        attributes = { kind = 1 }
        abilities = ["throw"]
        [character.shears]
        attributes = { kind = 2 }
        abilities = ["throw"]
        [character.last]
        attributes = { kind = 3 }
        "#,
    );
    let names = ["stone", "cloth", "shears", "last"];
    let terms = DuelTerms { time_limit: 5.0, distance: None };
    let found = run_matrix(&game, &names, terms, &plan(4_000), &|_| {}).unwrap();
    let standing = found.standing.unwrap();
    // Each is chosen in proportion to the result of the two others against each other: 0.25 : 1 : 0.5.
    let wanted = [1.0 / 7.0, 4.0 / 7.0, 2.0 / 7.0, 0.0];
    for (one, wanted) in standing.characters.iter().zip(wanted) {
        assert!((one.mix - wanted).abs() < 0.02, "{standing:?}");
    }
    assert!(standing.exploitable < 0.005, "{standing:?}");
    assert_eq!(
        (standing.characters[0].ahead_of.as_slice(), standing.characters[0].behind.as_slice()),
        (["shears", "last"].map(String::from).as_slice(), ["cloth"].map(String::from).as_slice())
    );
    // Against all four equally often, stone has (0 - 0.5 + 1 + 1) / 4.
    assert!(standing.best == "stone" && (standing.uneven - 0.375).abs() < 0.01, "{standing:?}");
    // Against its master a character does worse than that one against itself; so only `last` is dominated, by the first
    // one.
    let dominated: Vec<_> = standing.dominated.iter().map(|one| (one.character.as_str(), one.by.as_str())).collect();
    assert_eq!(dominated, [("last", "stone")]);
}

#[test]
fn a_matrix_of_pairs_at_a_distance_shows_what_reach_is_worth() {
    let text = r#"
        [attributes]
        speed = 3
        [pools]
        health = { max = 30, defeat = true }
        [ability.dart]
        cooldown = 1
        reach = 20
        does = [{ damage = 10 }]
        [ability.axe]
        cooldown = 1
        reach = 1
        does = [{ damage = 15 }]
        [character.archer]
        abilities = ["dart"]
        policy = "stand"
        [character.brute]
        abilities = ["axe"]
        [policy.stand]
        move = "hold"
        use = [{ ability = "dart" }]
    "#;
    let game = game(text);
    let archer_wins = |distance: Option<f64>| {
        let terms = DuelTerms { time_limit: 60.0, distance };
        let found = run_matrix(&game, &["archer", "brute"], terms, &plan(50), &|_| {}).unwrap();
        (found.distance, found.duel(0, 1).0.win_rate.value.unwrap())
    };
    assert_eq!(archer_wins(Some(9.0)), (Some(9.0), 1.0));
    assert_eq!(archer_wins(None), (None, 0.0), "toe to toe two blows of 15 come first");
}

#[test]
fn studies_are_the_same_to_the_last_bit_on_any_number_of_threads() {
    let game = demo();
    let new = with(&game, &format!("{HEFT}=14.5"));
    let measures = ["win_rate(keepers)", "duration.p50", "damage_per_cost(lockhand, breath)"];
    let printed = |threads| {
        let plan = TrialsPlan { trials: 2_000, seed: 3, threads: Some(threads), ..TrialsPlan::default() };
        let (before, after) = (game.measured("duel", &measures).unwrap(), new.measured("duel", &measures).unwrap());
        serde_json::to_string(&run_comparison(&before, &after, &plan, &|_| {}).unwrap()).unwrap()
    };
    assert_eq!(printed(1), printed(2));
    assert_eq!(printed(1), printed(3));
}

const COIN: &str = r#"
    [pools]
    health = { max = 10, defeat = true }
    [[hit_steps]]
    name = "missed"
    when = "roll(0.5)"
    stop = "missed"
    [ability.toss]
    uses = 1
    does = [{ damage = 100 }]
    [character.tosser]
    abilities = ["toss"]
    [character.post]
    [encounter.coin]
    sides.a = ["tosser"]
    sides.b = ["post"]
    time_limit = 1
"#;

#[test]
fn expectations_hold_fail_or_are_close() {
    let verdict = |expect: &str| {
        let game = game(&format!("{COIN}\n[[expect]]\nthat = \"win_rate(a)\"\nin = \"coin\"\n{expect}\n"));
        let rule = &game.program().expectations()[0];
        run_expectation(game.program(), rule, &plan(1), &|_| {}).unwrap()
    };
    let holds = verdict("between = [0.4, 0.6]");
    assert_eq!((holds.verdict, holds.figure.trials), (Verdict::Holds, 1_000));
    assert_eq!(verdict("at_least = 0.6").verdict, Verdict::Fails);
    assert!(verdict("at_most = 0.56\ntrials = 100").figure.trials > 100, "100 fights cannot tell 0.5 from 0.56");
    let close = verdict("at_least = 0.5");
    assert!(close.verdict.is_close(), "{close:?}");
    assert_eq!(close.figure.trials, 256_000, "asked to the end, and still too close");
}

/// The interval of a share is exact however few fights went the other way, so no more fights are needed.
#[test]
fn a_share_that_is_nearly_one_is_known_as_soon_as_its_interval_is_narrow() {
    let game = game(&COIN.replace("roll(0.5)", "roll(0.01)"));
    let variant = game.measured("coin", &["win_rate(a)"]).unwrap();
    let figure = run_to_precision(&variant, &plan(1_000), 0.05, 100_000, &|_| {}).unwrap().remove(0);
    assert!(figure.value.unwrap() < 1.0, "some were lost: {figure:?}");
    assert_eq!(figure.trials, 1_000);
}

/// Any division into parts, some of them empty, gives the figures of one run to the last bit, however many fights there
/// are.
#[test]
fn however_a_study_is_cut_up_its_figures_are_the_same() {
    let game = demo();
    let setup = Arc::new(Setup::of(game.program(), game.encounter("duel").unwrap()));
    for (trials, parts) in [(1, 1), (1, 3), (255, 2), (256, 5), (3_000, 7), (5_121, 4), (7_777, 31)] {
        let plan = TrialsPlan { trials, seed: 5, threads: None, ..TrialsPlan::default() };
        let whole = game.trials("duel", &plan).unwrap();
        let mut all: Vec<StudyPart> =
            (1..=parts).map(|part| run_part(&setup, &plan, (part, parts), &|_| {}).unwrap()).collect();
        assert_eq!((1..=parts).map(|part| trials_of_part(trials, (part, parts))).sum::<u64>(), trials);
        all.reverse();
        let merged = merge_parts(&setup, &all).unwrap();
        assert_eq!((merged.trials, merged.missing), (whole, vec![]), "{trials} in {parts}");
    }
    assert_eq!(merge_parts(&setup, &[]).unwrap_err(), PartFault::Nothing);
}

#[test]
fn comments_and_blank_lines_change_no_figure() {
    let rules = edgeplane::example_text();
    let comments = "# Nothing on which the rules depend.\n\n".repeat(500);
    let commented = rules.replace("[ability.swing]", &format!("{comments}[ability.swing]"));
    let together = |text: &str| {
        let game = Game::from_text("rules.toml", text).unwrap();
        run_together(&game, "duel", "win_rate(keepers)", 0.05, &plan(12_000), &|_, _| {}).unwrap()
    };
    let found = together(rules);
    assert!(found.together.is_some());
    assert_eq!(format!("{found:?}"), format!("{:?}", together(&commented)));
}
