//! The coverage of intervals: many studies of rulesets whose true values are known.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)]

use crate::common::game;
use crate::hard_cases::throws;
use edgeplane::study::{Variant, run_comparison, run_measures, run_to_precision};
use edgeplane::{Figure, Game, TrialsPlan};

/// A scratch of 0 to 10, then a throw that takes 1 to 3 s, misses with a chance of 30 % and otherwise defeats; after a
/// miss, a second scratch.
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

/// Means, shares, quotients and quantiles with their true values: 5 + 0.3 × 5 damage, 0.3 of 2.3 hits stopped, a defeat
/// between 1 and 3 s, uniformly.
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
    // 300 studies measure 95 % to three or four points.
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
            *count += u64::from(one.low.is_none_or(|low| low <= truth) && one.high.is_none_or(|high| truth <= high));
        }
    }
    for (count, truth) in covered.iter().zip(truths) {
        let share = *count as f64 / STUDIES as f64;
        assert!((0.91..=1.0).contains(&share), "a difference of {truth} is covered {share} of the time");
    }
}

#[test]
fn a_precision_is_reached_and_reported() {
    let game = game(THROW);
    let variant = game.measured("range", &["win_rate(a)"]).unwrap();
    let figure = run_to_precision(&variant, &plan(200, 1), 0.02, 1_000_000, &|_| {}).unwrap().remove(0);
    assert!(figure.half_width() <= 0.02, "{figure:?}");
    // 0.7 × 0.3 × (1.96 / 0.02)² = 2,017 fights would just do.
    assert!((2_000..3_500).contains(&figure.trials), "{figure:?}");
    let figure = run_to_precision(&variant, &plan(200, 1), 0.0001, 5_000, &|_| {}).unwrap().remove(0);
    assert_eq!(figure.trials, 5_000, "it gives up at its limit");
}

/// A figure that is hard to bound: its encounter and setting, its true value, and its true value in another setting.
struct Hard {
    what: &'static str,
    encounter: &'static str,
    measure: &'static str,
    set: &'static str,
    truth: f64,
    other: &'static str,
    becomes: f64,
}

/// ln(100) / 0.99, the mean of 1 / u.
const SKEWED: f64 = 4.651_687_056_553_627;
/// The minimum share of studies that have to cover each, at 50, 200 and 1,000 fights, single and paired.
const LEAST: f64 = 0.94;

const HARD_CASES: [Hard; 9] = [
    Hard {
        what: "share of 0.001",
        encounter: "chance",
        measure: "win_rate(x)",
        set: "chance=0.001",
        truth: 0.001,
        other: "chance=0.002",
        becomes: 0.002,
    },
    Hard {
        what: "share of 0.01",
        encounter: "chance",
        measure: "win_rate(x)",
        set: "chance=0.01",
        truth: 0.01,
        other: "chance=0.02",
        becomes: 0.02,
    },
    Hard {
        what: "share of 0.3",
        encounter: "chance",
        measure: "win_rate(x)",
        set: "chance=0.3",
        truth: 0.3,
        other: "chance=0.35",
        becomes: 0.35,
    },
    Hard {
        what: "share of 0.98",
        encounter: "chance",
        measure: "win_rate(x)",
        set: "chance=0.98",
        truth: 0.98,
        other: "chance=0.99",
        becomes: 0.99,
    },
    Hard {
        what: "mean, 500 once in 1,000",
        encounter: "rare",
        measure: "damage(x)",
        set: "rare=0.001",
        truth: 1.499,
        other: "rare=0.002",
        becomes: 1.998,
    },
    Hard {
        what: "mean, skewed",
        encounter: "skew",
        measure: "damage(x)",
        set: "times=1",
        truth: SKEWED,
        other: "times=1.1",
        becomes: 1.1 * SKEWED,
    },
    Hard {
        what: "mean of 2, 3, 4",
        encounter: "steps",
        measure: "damage(x)",
        set: "jump=0.3",
        truth: 3.0,
        other: "jump=0.35",
        becomes: 3.071_428_571_428_571,
    },
    Hard {
        what: "median of 2, 3, 4",
        encounter: "steps",
        measure: "damage(x).p50",
        set: "jump=0.3",
        truth: 3.0,
        other: "jump=0.35",
        becomes: 3.0,
    },
    Hard {
        what: "p95, skewed",
        encounter: "skew",
        measure: "damage(x).p95",
        set: "times=1",
        truth: 1.0 / 0.0595,
        other: "times=1.1",
        becomes: 1.1 / 0.0595,
    },
];

impl Hard {
    fn variant(&self, set: &str) -> Variant {
        let set = edgeplane::Override::parse(&format!("attributes.{set}")).unwrap();
        throws("").variant(&[set]).unwrap().measured(self.encounter, &[self.measure]).unwrap()
    }

    /// The shares of studies with a number of fights that cover the figure, and the difference.
    fn shares(&self, fights: u64, studies: u64) -> [f64; 2] {
        let (before, after) = (self.variant(self.set), self.variant(self.other));
        let mut covered = [0u64; 2];
        let holds = |low: Option<f64>, high: Option<f64>, truth: f64| {
            low.is_none_or(|low| low <= truth + 1e-9) && high.is_none_or(|high| truth - 1e-9 <= high)
        };
        for study in 0..studies {
            let plan = plan(fights, study * 1_000);
            let one = run_measures(&before, &plan, &|_| {}).unwrap().remove(0);
            covered[0] += u64::from(holds(one.low, one.high, self.truth));
            let pair = run_comparison(&before, &after, &plan, &|_| {}).unwrap().remove(0);
            covered[1] += u64::from(holds(pair.low, pair.high, self.becomes - self.truth));
        }
        covered.map(|count| count as f64 / studies as f64)
    }

    /// A row of the guide's table; an error if a share is below its floor by more than chance explains.
    fn row<const N: usize>(&self, fights: [u64; N], studies: u64) -> String {
        let shares = fights.map(|fights| self.shares(fights, studies));
        let chance = 3.0 * (LEAST * (1.0 - LEAST) / studies as f64).sqrt();
        for (share, fights) in shares.iter().zip(fights) {
            assert!(share.iter().all(|share| *share >= LEAST - chance), "{}, {fights} fights: {share:?}", self.what);
        }
        let cell = |kind: usize| shares.map(|share| format!("{:.1} %", share[kind] * 100.0)).join(" | ");
        format!("| {} | {} | {} |", self.what, cell(0), cell(1))
    }
}

#[test]
fn intervals_cover_the_hard_cases() {
    HARD_CASES.iter().for_each(|case| drop(case.row([50, 200], 150)));
}

/// `cargo test --release --test all coverage -- --ignored --nocapture`
#[test]
#[ignore = "two thousand studies of each kind"]
fn intervals_cover_the_hard_cases_in_two_thousand_studies() {
    HARD_CASES.iter().for_each(|case| println!("{}", case.row([50, 200, 1_000], 2_000)));
}
