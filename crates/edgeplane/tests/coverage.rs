//! Intervals cover the truth as often as they say: many studies of a ruleset whose truth is known.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)]

use crate::common::game;
use edgeplane::study::{Variant, run_comparison, run_measures, run_to_precision};
use edgeplane::{Figure, Game, TrialsPlan};

/// A scratch of 0 to 10, then a throw that takes 1 to 3 s, misses three times in ten and fells otherwise; after a
/// miss a second scratch.
const THROW: &str = r#"
    [attributes]
    miss = 0.3
    [pools]
    health = { max = 60, defeat = true }
    [damage_types]
    scratch = {}
    blow = {}
    [[hit_steps]]
    name = "missed"
    types = ["blow"]
    when = "roll(caster.miss)"
    stop = "missed"
    [ability.scratch]
    uses = 2
    cooldown = 0.1
    does = [{ damage = "between(0, 10)", type = "scratch" }]
    [ability.throw]
    uses = 1
    cast = "between(1, 3)"
    does = [{ damage = 100, type = "blow" }]
    [policy.plan]
    use = [{ ability = "scratch" }, { ability = "throw" }]
    [character.thrower]
    abilities = ["scratch", "throw"]
    policy = "plan"
    [character.post]
    [encounter.range]
    sides.a = ["thrower"]
    sides.b = ["post"]
    time_limit = 10
"#;

/// Means, shares, quotients and quantiles, with their truths: 5 + 0.3 × 5 of damage, 0.3 hits stopped of 2.3, a fall
/// between 1 and 3 s, evenly.
const TRUTHS: [(&str, f64); 6] = [
    ("win_rate(a)", 0.7),
    ("damage(a, ability.scratch)", 6.5),
    ("stopped_rate(a)", 0.3 / 2.3),
    ("defeat_time(b)", 2.0),
    ("defeat_time(b).p50", 2.0),
    ("defeat_time(b).p90", 2.8),
];

fn plan(trials: u64, study: u64) -> TrialsPlan {
    TrialsPlan { trials, seed: 77_000 + study, threads: Some(2), ..TrialsPlan::default() }
}

fn variant(game: &Game) -> Variant {
    game.measured("range", &TRUTHS.map(|(measure, _)| measure)).unwrap()
}

fn covers(figure: &Figure, truth: f64) -> bool {
    // Quantiles are given to five digits.
    let room = 1e-4;
    figure.low.unwrap() <= truth + room && truth - room <= figure.high.unwrap()
}

/// The share of studies whose interval covers the truth, for each measure.
fn coverage(studies: u64, run: impl Fn(u64) -> Vec<Figure>) -> Vec<f64> {
    let mut covered = [0u64; TRUTHS.len()];
    for study in 0..studies {
        for ((count, figure), (_, truth)) in covered.iter_mut().zip(run(study)).zip(TRUTHS) {
            *count += u64::from(covers(&figure, truth));
        }
    }
    covered.iter().map(|count| *count as f64 / studies as f64).collect()
}

fn judge(what: &str, shares: &[f64], low: f64, high: f64) {
    for ((measure, _), share) in TRUTHS.iter().zip(shares) {
        println!("{what} {measure}: {:.2} %", share * 100.0);
        assert!((low..=high).contains(share), "{what}: intervals of {measure} cover the truth {share} of the time");
    }
}

#[test]
fn intervals_cover_the_truth_about_nineteen_times_in_twenty() {
    let variant = variant(&game(THROW));
    let shares = coverage(300, |study| run_measures(&variant, &plan(400, study), &|_| {}).unwrap());
    // 300 studies tell 95 % to three or four points.
    judge("400 fights", &shares, 0.91, 0.99);
}

/// `cargo test --release --test all coverage -- --ignored --nocapture`
#[test]
#[ignore = "two thousand studies of each kind"]
fn intervals_cover_the_truth_in_two_thousand_studies() {
    let variant = variant(&game(THROW));
    let shares = coverage(8_000, |study| run_measures(&variant, &plan(1_000, study), &|_| {}).unwrap());
    judge("1,000 fights", &shares, 0.94, 0.965);
    let narrow = |study| run_to_precision(&variant, &plan(500, study), 0.3, 1_000_000, &|_| {}).unwrap();
    judge("to a precision", &coverage(2_000, narrow), 0.94, 0.965);
}

#[test]
fn paired_intervals_cover_a_known_difference() {
    let base = game(THROW);
    let easier = base.variant(&[edgeplane::Override::parse("attributes.miss=0.25").unwrap()]).unwrap();
    let (before, after) = (variant(&base), variant(&easier));
    let truths = [0.05, -0.25, 0.25 / 2.25 - 0.3 / 2.3];
    let mut covered = [0u64; 3];
    const STUDIES: u64 = 300;
    for study in 0..STUDIES {
        let found = run_comparison(&before, &after, &plan(400, study), &|_| {}).unwrap();
        for ((count, one), truth) in covered.iter_mut().zip(&found).zip(truths) {
            *count += u64::from(one.low.unwrap() <= truth && truth <= one.high.unwrap());
        }
    }
    for (count, truth) in covered.iter().zip(truths) {
        let share = *count as f64 / STUDIES as f64;
        assert!((0.91..=1.0).contains(&share), "a difference of {truth} is covered {share} of the time");
    }
}

#[test]
fn a_precision_is_reached_and_told() {
    let game = game(THROW);
    let variant = game.measured("range", &["win_rate(a)"]).unwrap();
    let figure = run_to_precision(&variant, &plan(200, 1), 0.02, 1_000_000, &|_| {}).unwrap().remove(0);
    assert!(figure.half_width() <= 0.02, "{figure:?}");
    // 0.7 × 0.3 × (1.96 / 0.02)² = 2,017 fights would just do.
    assert!((2_000..3_500).contains(&figure.trials), "{figure:?}");
    let figure = run_to_precision(&variant, &plan(200, 1), 0.0001, 5_000, &|_| {}).unwrap().remove(0);
    assert_eq!(figure.trials, 5_000, "it gives up at its limit");
}
