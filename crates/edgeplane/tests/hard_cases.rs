//! Figures in hard cases: rare and large values, little variation, values that repeat, extreme quantiles of few fights;
//! and searches with several answers. All true values are known exactly.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::sync::Arc;

use crate::common::game;
use edgeplane::study::{
    ChangeEffect, Direction, Effect, Goal, SearchEnd, Sensitivity, Stop, TuningPlan, Variant, Vary, run_comparison,
    run_expectation, run_sensitivity, run_to_precision, run_together, run_tuning,
};
use edgeplane::{Figure, Game, Override, Setup, TrialsPlan};

/// A combatant that throws once at a post. `rare` deals 500 in one of a thousand and 1 otherwise: 1.499 on average.
/// `even` lasts 1 to 3 s, uniformly. `steps` deals 2, 3 or 4 with chances of 0.3, 0.4 and 0.3. `skew` deals 1 / u, for
/// u from 0.01 to 1. `fixed` always takes 1.7 s.
const THROWS: &str = r#"
    [attributes]
    rare = 0.001
    hill = 0.05
    chance = 0.3
    aim = 0.2
    swerve = 0.15
    jump = 0.3
    times = 1
    [pools]
    health = { max = 1000, defeat = true }
    [ability.rare]
    uses = 1
    does = [{ damage = "if(roll(caster.rare), 500, 1)" }]
    [ability.even]
    uses = 1
    cast = "between(1, 3)"
    does = [{ damage = 1000 }]
    [ability.steps]
    uses = 1
    does = [{ damage = "if(roll(caster.jump), 4, if(roll(4 / 7), 3, 2))" }]
    [ability.skew]
    uses = 1
    does = [{ damage = "caster.times / between(0.01, 1)" }]
    [ability.fixed]
    uses = 1
    cast = 1.7
    does = [{ damage = 1000 }]
    [ability.hill]
    uses = 1
    does = [{ damage = "if(roll(4 * caster.hill * (1 - caster.hill)), 1000, 1)" }]
    [ability.chance]
    uses = 1
    does = [{ damage = "if(roll(caster.chance), 1000, 1)" }]
    [ability.two]
    uses = 1
    does = [{ damage = "if(roll((0.5 + caster.aim) * (1 - caster.swerve)), 1000, 1)" }]
    [character.rare]
    abilities = ["rare"]
    [character.even]
    abilities = ["even"]
    [character.steps]
    abilities = ["steps"]
    [character.skew]
    abilities = ["skew"]
    [character.fixed]
    abilities = ["fixed"]
    [character.hill]
    abilities = ["hill"]
    [character.chance]
    abilities = ["chance"]
    [character.two]
    abilities = ["two"]
    [character.post]
"#;

/// A throw for each kind of encounter, with its expectations.
pub(crate) fn throws(expects: &str) -> Game {
    let kinds = ["rare", "even", "steps", "skew", "fixed", "hill", "chance", "two"];
    let encounter =
        |kind: &&str| format!("[encounter.{kind}]\nsides = {{ x = [\"{kind}\"], y = [\"post\"] }}\ntime_limit = 5\n");
    game(&format!("{THROWS}{}{expects}", kinds.iter().map(encounter).collect::<String>()))
}

fn plan(trials: u64, seed: u64) -> TrialsPlan {
    TrialsPlan { trials, seed, ..TrialsPlan::default() }
}

fn covers(figure: &Figure, truth: f64) -> bool {
    figure.low.is_none_or(|low| low <= truth) && figure.high.is_none_or(|high| truth <= high)
}

/// The number of seeds, of so many, for which a promise holds.
fn of(seeds: u64, kept: impl Fn(u64) -> bool) -> usize {
    (0..seeds).filter(|seed| kept(*seed)).count()
}

#[test]
fn what_is_rare_and_large_is_neither_missed_nor_promised_away() {
    let expects = "[[expect]]\nthat = \"damage(x)\"\nin = \"rare\"\nat_most = 1.2\n";
    let game = throws(expects);
    let rule = &game.program().expectations()[0];
    let held = of(30, |seed| run_expectation(game.program(), rule, &plan(0, seed), &|_| {}).unwrap().verdict.holds());
    assert!(held <= 1, "1.499 is above 1.2, and {held} of 30 seeds call it held");
    // With 1,000 fights a third of the seeds see none of it: their intervals are open.
    let truths = [50, 200, 1_000].map(|trials| {
        of(100, |seed| covers(&game.measure("rare", &["damage(x)"], &plan(trials, seed)).unwrap()[0], 1.499))
    });
    assert!(truths.iter().all(|covered| *covered >= 90), "{truths:?} of 100");
    let setup = Arc::new(Setup::of(game.program(), game.encounter("rare").unwrap()));
    let variant = Variant::new(setup, &["damage(x)"]).unwrap();
    let precise = of(60, |seed| {
        let figures = run_to_precision(&variant, &plan(1_000, seed), 0.3, 10_000_000, &|_| {}).unwrap();
        assert!(figures[0].half_width() <= 0.3, "{figures:?}");
        covers(&figures[0], 1.499)
    });
    assert!(precise >= 53, "{precise} of 60");
}

#[test]
fn far_quantiles_of_few_fights_have_an_open_end() {
    let game = throws("[[expect]]\nthat = \"duration.p99.9\"\nin = \"even\"\nat_most = 2.99\n");
    let figure = |trials, seed, what: &str| game.measure("even", &[what], &plan(trials, seed)).unwrap().remove(0);
    assert_eq!(figure(50, 1, "duration.p99").high, None);
    assert_eq!(figure(50, 1, "duration.p1").low, Some(0.0), "nothing lasts less");
    for trials in [50, 200, 1_000] {
        let covered = of(200, |seed| covers(&figure(trials, seed, "duration.p99"), 2.98));
        assert!(covered >= 184, "{covered} of 200 with {trials} fights");
    }
    let rule = &game.program().expectations()[0];
    let held = of(20, |seed| run_expectation(game.program(), rule, &plan(0, seed), &|_| {}).unwrap().verdict.holds());
    assert!(held <= 1, "the 99.9th percentile is 2.998, and {held} of 20 call it at most 2.99");
}

#[test]
fn quantiles_are_exact_where_values_repeat() {
    let game = throws("[[expect]]\nthat = \"duration.p50\"\nin = \"fixed\"\nat_least = 1.7\nat_most = 1.7\n");
    let rule = &game.program().expectations()[0];
    let found = run_expectation(game.program(), rule, &plan(0, 1), &|_| {}).unwrap();
    assert!(found.verdict.holds() && found.figure.value == Some(1.7), "{found:?}");
    // More steps upward change no median.
    let more = game.variant(&[Override::parse("attributes.jump=0.45").unwrap()]).unwrap();
    let measured = |game: &Game| game.measured("steps", &["damage(x).p50"]).unwrap();
    let changed = of(100, |seed| {
        let found = run_comparison(&measured(&game), &measured(&more), &plan(1_000, seed), &|_| {}).unwrap();
        found[0].is_certain()
    });
    assert!(changed <= 5, "the median is 3 before and after, and {changed} of 100 call it changed");
}

#[test]
fn without_variation_an_interval_is_open_unless_nothing_is_drawn() {
    let game = throws("");
    let damage = game.measure("rare", &["damage(x)"], &plan(20, 3)).unwrap().remove(0);
    assert_eq!((damage.value, damage.low, damage.high), (Some(1.0), None, None), "20 alike of something drawn");
    // A share that is 0 in all fights may be larger if it is rare: at most 1 - 0.025^(1/250) of them.
    let share = game.measure("rare", &["damage_share(x, rare)", "stopped_rate(x)"], &plan(250, 3)).unwrap();
    let rare = share[1].high.unwrap();
    let all_alike = (0..250).fold(1.0, |chance, _| chance * (1.0 - rare));
    assert!((all_alike - 0.025).abs() < 1e-9 && share[1].low == Some(0.0), "{share:?}");
    assert!((share[0].low.unwrap() - (1.0 - rare)).abs() < 1e-9 && share[0].high == Some(1.0), "{share:?}");
    let sure = game.measure("fixed", &["damage(x)", "duration"], &plan(20, 3)).unwrap();
    assert_eq!((sure[0].low, sure[0].high), (Some(1000.0), Some(1000.0)), "no chance is drawn at all");
    let one = game.trials("even", &plan(1, 1)).unwrap().duration;
    assert!(one.high.is_infinite() && one.mean > 1.0, "one fight has no interval: {one:?}");
}

#[test]
fn four_of_five_comparisons_find_a_change_of_the_size_that_they_say_would_show() {
    // 0.3 against 4 w (1 - w) = 0.34, on chances that have nothing to do with one another.
    let game = throws("").variant(&[Override::parse("attributes.hill=0.0938").unwrap()]).unwrap();
    let [before, after] = ["chance", "hill"].map(|encounter| game.measured(encounter, &["win_rate(x)"]).unwrap());
    let (mut size, mut found) = (0.0, 0);
    for seed in 0..200 {
        let one = run_comparison(&before, &after, &plan(2_000, seed), &|_| {}).unwrap().remove(0);
        size += one.detectable.unwrap() / 200.0;
        found += usize::from(one.is_certain());
    }
    assert!((size / 0.04 - 1.0).abs() < 0.05, "{size}");
    assert!((144..=176).contains(&found), "found {found} of 200");
}

#[test]
fn sensitivity_claims_no_more_than_was_looked_for() {
    let game = throws("").variant(&[Override::parse("attributes.chance=0.04").unwrap()]).unwrap();
    // 5 % more of 4 % are 2 fights in a thousand.
    for seed in 0..10 {
        let found = run_sensitivity(&game, "chance", "win_rate(x)", 0.05, &plan(4_000, seed), &|_, _| {}).unwrap();
        assert!(!found.without_effect.iter().any(|path| path == "attributes.chance"), "{found:?}");
    }
    // A change of the duration alone changes fights.
    let found = run_sensitivity(&throws(""), "fixed", "win_rate(x)", 0.05, &plan(300, 1), &|_, _| {}).unwrap();
    assert!(found.elsewhere.iter().any(|path| path == "ability.fixed.cast"), "{found:?}");
}

/// Thirty numbers, 20 times their sum, and luck of 0 to 200 that differs after any change of any number: a fight says
/// nothing about the one before the change, and 5 % of a number n are n, whatever the other numbers are. If the sum is
/// a number too, it has a far larger effect than any of them.
fn sums(is_a_number: bool) -> Game {
    let all = 1..=30;
    let numbers: String = all.clone().map(|one| format!("n{one} = {one}\n")).collect();
    let sum = |of: &str| all.clone().map(|one| format!("{of}n{one}")).collect::<Vec<_>>().join(" + ");
    let (number, sum, less) = if is_a_number {
        (format!("sum = \"{}\"\n", sum("")), "caster.sum".to_owned(), 0)
    } else {
        (String::new(), format!("({})", sum("caster.")), 9_200)
    };
    Game::from_text(
        "sums.toml",
        &format!(
            "[attributes]\n{numbers}{number}[pools]\nhealth = {{ max = 99999, defeat = true }}\n\
             [formula.luck]\nargs = [\"x\"]\nis = \"200 * (x - floor(x))\"\n[ability.blow]\nuses = 1\n\
             does = [{{ damage = \"20 * {sum} - {less} + luck({sum} * 1000 * between(0, 1))\" }}]\n\
             [character.a]\nabilities = [\"blow\"]\n[character.b]\n\
             [encounter.e]\nsides.x = [\"a\"]\nsides.y = [\"b\"]\ntime_limit = 1\n"
        ),
    )
    .unwrap()
}

/// The reported changes, each with its number.
fn of_sums(found: &Sensitivity) -> Vec<(f64, &ChangeEffect)> {
    let number = |effect: &Effect| effect.path.strip_prefix("attributes.n")?.parse().ok();
    let changes = |effect| Some((number(effect)?, &effect.changes));
    found.effects.iter().filter_map(changes).flat_map(|(n, all)| all.iter().map(move |one| (n, one))).collect()
}

/// Whether the interval of a change of a number contains its effect.
fn holds((n, change): (f64, &ChangeEffect)) -> bool {
    let truth = if change.direction == Direction::Raised { n } else { -n };
    let one = &change.difference;
    one.low.is_none_or(|low| low <= truth) && one.high.is_none_or(|high| high >= truth)
}

#[test]
fn of_many_numbers_those_that_seem_to_do_most_are_looked_at_alone() {
    const STUDIES: u64 = 20;
    let game = sums(false);
    let (mut wrong, mut certain, mut greatest, mut small) = (0, 0, 0, 0);
    for seed in 0..STUDIES {
        let found = run_sensitivity(&game, "e", "damage(x)", 0.05, &plan(2_000, seed), &|_, _| {}).unwrap();
        assert!(found.screening_fights > 1_000 && found.behind.len() >= 15 && found.fights < 11_000, "{found:?}");
        let changes = of_sums(&found);
        certain += changes.iter().filter(|(_, change)| change.difference.is_certain()).count();
        greatest += changes.iter().filter(|(n, _)| *n > 20.0).count();
        small += changes.iter().filter(|(n, _)| *n < 10.0).count();
        // An effect that is certain after few fights is reported, however small; and no unreported number has a larger
        // effect than stated.
        assert!(found.effects.iter().any(|effect| effect.path == "formula.luck.is" && effect.is_certain()));
        let behind = found.behind.iter().filter_map(|path| path.strip_prefix("attributes.n")?.parse::<f64>().ok());
        wrong +=
            usize::from(!changes.into_iter().all(holds) || behind.fold(0.0, f64::max) > found.behind_at_most.unwrap());
    }
    assert!(wrong <= 2 && certain >= 6 * STUDIES as usize, "{wrong} wrong, {certain} certain");
    assert!(greatest > 4 * small, "{greatest} of the greatest third looked at, and {small} of the least");
    let [one, two] = [1, 2].map(|threads| {
        let plan = TrialsPlan { threads: Some(threads), ..plan(2_000, 3) };
        run_sensitivity(&game, "e", "damage(x)", 0.05, &plan, &|_, _| {}).unwrap()
    });
    assert_eq!(one, two, "the same on any number of threads");
}

#[test]
fn what_each_of_many_changes_does_is_told_apart_with_intervals_that_hold() {
    const STUDIES: u64 = 16;
    let game = sums(true);
    let (mut wrong, mut certain) = (0, 0);
    for seed in 0..STUDIES {
        let found = run_together(&game, "e", "damage(x)", 0.05, &plan(12_000, seed), &|_, _| {}).unwrap();
        assert_eq!((found.together, found.fights < 12_500), (Some(0.2), true), "{found:?}");
        let changes = of_sums(&found);
        assert_eq!(changes.len(), 60);
        certain += changes.iter().filter(|(_, change)| change.difference.is_certain()).count();
        wrong += usize::from(!changes.into_iter().all(holds));
    }
    // Stopped with too few rulesets to separate the changes: the effects of the others are in the error then.
    let stop = Stop::new();
    let plan = TrialsPlan { stop: Some(stop), threads: Some(1), ..plan(12_000, 1) };
    let progress = |done: u64, _: u64| {
        if done > 4_000 {
            stop.raise();
        }
    };
    let found = run_together(&game, "e", "damage(x)", 0.05, &plan, &progress).unwrap();
    let changes = || found.effects.iter().flat_map(|effect| effect.changes.iter().map(move |one| (effect, one)));
    let known = changes().filter(|(_, change)| change.difference.is_certain()).count();
    assert!(found.fights < 5_000 && (1..6).contains(&known), "{known} certain of {found:?}");
    for (effect, ChangeEffect { direction, difference, .. }) in changes() {
        let Some(n) = effect.path.strip_prefix("attributes.n").and_then(|n| n.parse::<f64>().ok()) else { continue };
        let truth = if *direction == Direction::Raised { n } else { -n };
        assert!(difference.low.is_none_or(|low| low < truth) && difference.high.is_none_or(|high| high > truth));
    }
    // None of 100 was wrong when this was measured, and 25 of 60 changes were certain.
    assert!(wrong <= 1 && certain > 20 * STUDIES as usize, "{wrong} wrong, {certain} certain");
}

fn tuned(game: &Game, encounter: &str, vary: &[&str], want: &str, seed: u64) -> (bool, Vec<f64>) {
    let vary: Vec<Vary> = vary.iter().map(|text| Vary::parse(text).unwrap()).collect();
    let found =
        run_tuning(game, encounter, &vary, &[Goal::parse(want).unwrap()], &plan(2_000, seed).into(), &|_| {}).unwrap();
    (found.met, found.numbers.iter().map(|number| number.value).collect())
}

#[test]
fn tuning_finds_the_smallest_change_also_where_there_are_several_solutions() {
    let game = throws("");
    // 4 w (1 - w) is 0.64 at 0.2 and at 0.8, and w is 0.05 now.
    let (met, hill) = tuned(&game, "hill", &["attributes.hill=0..1"], "win_rate(x) = 64% +- 1%", 1);
    assert!(met && (hill[0] - 0.2).abs() < 0.02, "{hill:?}");
    // Met by the current values: nothing is changed, whatever lattice there is.
    let near = game.variant(&[Override::parse("attributes.chance=0.3017").unwrap()]).unwrap();
    let met = tuned(&near, "chance", &["attributes.chance=0..1"], "win_rate(x) = 30% +- 1%", 1);
    assert_eq!(met, (true, vec![0.3017]));
    // Not met at any value of the range.
    let (met, _) = tuned(&game, "chance", &["attributes.chance=0..0.2"], "win_rate(x) >= 50%", 1);
    assert!(!met);
    // A ridge: (0.5 + aim) (1 - swerve) = 0.75, from aim 0.2 and swerve 0.15, is nearest at a distance of 0.17 of the ranges
    // (by a fine grid over the curve), and far more along either number alone.
    let distance = |aim: f64, swerve: f64| hypot((aim - 0.2) / 0.5, (swerve - 0.15) / 0.5);
    let on_curve = |step: i32| {
        let swerve = f64::from(step) / 20_000.0;
        let aim = 0.75 / (1.0 - swerve) - 0.5;
        (0.0..=0.5).contains(&aim).then(|| distance(aim, swerve))
    };
    let least = (0..10_000).filter_map(on_curve).fold(f64::INFINITY, f64::min);
    let vary = ["attributes.aim=0..0.5", "attributes.swerve=0..0.5"];
    let (met, ridge) = tuned(&game, "two", &vary, "win_rate(x) = 75% +- 1%", 2);
    let moved = distance(ridge[0], ridge[1]);
    assert!(met && moved < least + 0.03, "moved {moved}, and {least} is enough: {ridge:?}");
}

#[test]
fn a_step_just_below_a_goal_does_not_meet_it_by_trying_often() {
    let steps = "if(caster.chance < 0.2, 0.3, if(caster.chance < 0.8, 0.459, 0.5 + (caster.chance - 0.8) / 4))";
    let damage = format!("ability.chance.does.0.damage=if(roll({steps}), 1000, 1)");
    let edits = [damage.as_str(), "attributes.chance=0.05"].map(|edit| Override::parse(edit).unwrap());
    let game = throws("").variant(&edits).unwrap();
    // A proof of 45.9 % shows 47 % or more for one seed of six. The luckiest of several did so for 5 of these 30.
    let wrong = of(30, |seed| {
        let (met, at) = tuned(&game, "chance", &["attributes.chance=0..1"], "win_rate(x) = 50% +- 3%", seed);
        met && at[0] < 0.8
    });
    assert!(wrong <= 3, "{wrong} of 30");
}

fn hypot(a: f64, b: f64) -> f64 {
    (a * a + b * b).sqrt()
}

static ENOUGH: std::sync::atomic::AtomicBool = std::sync::atomic::AtomicBool::new(false);

#[test]
fn a_search_that_ends_early_says_what_it_knows() {
    let game = throws("");
    let vary = [Vary::parse("attributes.chance=0..1").unwrap()];
    let goal = [Goal::parse("win_rate(x) = 64% +- 1%").unwrap()];
    let short = TuningPlan { fights: 3_000, ..plan(2_000, 1).into() };
    let found = run_tuning(&game, "chance", &vary, &goal, &short, &|_| {}).unwrap();
    assert_eq!(found.end, SearchEnd::UsedUp);
    // Fights under way are finished, and the current figures are evaluated.
    assert!(found.searched < 3_000 + 2 * 16_000, "{}", found.searched);
    assert!((found.after[0].value.unwrap() - 0.64).abs() < 0.1, "the nearest so far is proven: {found:?}");
    let mut stops = plan(2_000, 1);
    stops.stop = Some(Stop::at(&ENOUGH));
    let raise = |done: u64| ENOUGH.store(done > 1_500, std::sync::atomic::Ordering::Relaxed);
    let found = run_tuning(&game, "chance", &vary, &goal, &stops.into(), &raise).unwrap();
    assert_eq!((found.end, found.met), (SearchEnd::Stopped, false));
    assert!(found.after[0].value.is_some() && found.trials > 0 && found.searched < 6_000, "{found:?}");
}
