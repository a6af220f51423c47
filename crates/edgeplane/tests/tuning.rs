//! Searches for values with exactly known answers, from a small dynamic programme over the states of a race.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::game;
use edgeplane::study::{Goal, SearchEnd, Tuning, TuningPlan, Vary, run_tuning};
use edgeplane::{Override, TrialsPlan};

/// Two that throw at each other in turn: `early` after 1, 2, 3 s and so on, `late` half a second after it. A throw hits
/// with the chance `skill`, reduced by the distance of `sway` from a half; a hit takes `force` from `lives`.
const RACE: &str = r#"
    [attributes]
    skill = 0.4
    sway = 0.5
    force = 1
    lives = 5
    [pools]
    health = { max = "lives", defeat = true }
    [ability.throw]
    cast = 1
    does = [{ damage = "if(roll(4 * caster.skill * caster.sway * (1 - caster.sway)), caster.force, 0)" }]
    [ability.late_throw]
    cast = "if(now < 0.25, 1.5, 1)"
    does = [{ damage = "if(roll(caster.skill), caster.force, 0)" }]
    [character.early]
    attributes = { skill = 0.4, sway = 0.5, force = 1, lives = 5 }
    abilities = ["throw"]
    [character.late]
    attributes = { skill = 0.4, lives = 5 }
    abilities = ["late_throw"]
    [encounter.race]
    sides = { a = ["early"], b = ["late"] }
    time_limit = 10000
"#;

/// One side of the race: the chance of a hit, and the number of hits that defeat it.
#[derive(Clone, Copy)]
struct Racer {
    chance: f64,
    stands: usize,
}

/// The chance that the first wins, and the mean duration of the race (s).
fn race(first: Racer, second: Racer) -> (f64, f64) {
    let (p, q) = (first.chance, second.chance);
    let (rows, columns) = (first.stands + 1, second.stands + 1);
    // Before a throw of the first, with these numbers of hits left: its chance to win, and the remaining time.
    let mut wins = vec![vec![0.0; columns]; rows];
    let mut left = vec![vec![0.0; columns]; rows];
    wins.iter_mut().for_each(|row| row[0] = 1.0);
    for i in 1..rows {
        for j in 1..columns {
            // After a hit of the first it is the second's turn, with one hit fewer left; after a miss with as many.
            let second =
                |wins: &Vec<Vec<f64>>, j: usize| if j == 0 { 1.0 } else { q * wins[i - 1][j] + (1.0 - q) * wins[i][j] };
            let after = |left: &Vec<Vec<f64>>, j: usize| {
                if j == 0 {
                    return 0.0;
                }
                let hit = if i == 1 { 0.0 } else { 0.5 + left[i - 1][j] };
                0.5 + q * hit + (1.0 - q) * (0.5 + left[i][j])
            };
            let repeats = (1.0 - p) * (1.0 - q);
            wins[i][j] = (p * second(&wins, j - 1) + (1.0 - p) * second(&wins, j)) / (1.0 - repeats);
            left[i][j] = (p * after(&left, j - 1) + (1.0 - p) * after(&left, j)) / (1.0 - repeats);
        }
    }
    (wins[rows - 1][columns - 1], 1.0 + left[rows - 1][columns - 1])
}

/// The true values: the share of wins of the first, and the mean duration.
type Truth = fn(&[f64]) -> (f64, f64);

struct Task {
    name: &'static str,
    set: &'static [&'static str],
    vary: &'static [&'static str],
    want: &'static [&'static str],
    truth: Truth,
    /// The maximum number of fights, the proof included.
    fights: u64,
}

const FIRST: Racer = Racer { chance: 0.4, stands: 5 };
const SKILL: &str = "character.early.attributes.skill=0.1..0.9";

const TASKS: [Task; 12] = [
    Task {
        name: "one number",
        set: &[],
        vary: &["character.late.attributes.skill=0.1..0.9"],
        want: &["win_rate(a) = 40% +- 1%"],
        truth: |x| race(FIRST, Racer { chance: x[0], ..FIRST }),
        fights: 20_000,
    },
    Task {
        name: "at least",
        set: &[],
        vary: &[SKILL],
        want: &["win_rate(a) >= 95%"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, FIRST),
        fights: 45_000,
    },
    Task {
        name: "whole numbers",
        set: &[],
        vary: &["character.early.attributes.lives=1..20:1"],
        want: &["win_rate(a) >= 80%"],
        truth: |x| race(Racer { stands: x[0] as usize, ..FIRST }, FIRST),
        fights: 15_000,
    },
    Task {
        name: "steps of hits",
        set: &["character.late.attributes.lives=12", "character.early.attributes.force=2.1"],
        vary: &["character.early.attributes.force=1..8"],
        want: &["win_rate(a) in 65%..80%"],
        truth: |x| race(FIRST, Racer { stands: (12.0 / x[0]).ceil() as usize, ..FIRST }),
        fights: 20_000,
    },
    Task {
        name: "not monotone",
        set: &["character.early.attributes.sway=0.05"],
        vary: &["character.early.attributes.sway=0..1"],
        want: &["win_rate(a) = 35% +- 1%"],
        truth: |x| race(Racer { chance: 1.6 * x[0] * (1.0 - x[0]), ..FIRST }, FIRST),
        fights: 25_000,
    },
    Task {
        name: "ridge",
        set: &[],
        vary: &[SKILL, "character.late.attributes.skill=0.1..0.9"],
        want: &["win_rate(a) = 80% +- 1%"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, Racer { chance: x[1], ..FIRST }),
        fights: 20_000,
    },
    Task {
        name: "already met",
        set: &["character.early.attributes.skill=0.3713"],
        vary: &[SKILL],
        want: &["win_rate(a) in 40%..60%"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, FIRST),
        fights: 12_000,
    },
    Task {
        name: "impossible",
        set: &[],
        vary: &["character.early.attributes.skill=0.1..0.5"],
        want: &["win_rate(a) >= 90%"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, FIRST),
        fights: 40_000,
    },
    Task {
        name: "two goals",
        set: &[],
        vary: &[SKILL, "character.late.attributes.skill=0.1..0.9"],
        want: &["win_rate(a) = 60% +- 2%", "duration in 7..8"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, Racer { chance: x[1], ..FIRST }),
        fights: 20_000,
    },
    Task {
        name: "two goals that exclude one another",
        set: &[],
        vary: &[SKILL],
        want: &["win_rate(a) >= 90%", "duration >= 11"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, FIRST),
        fights: 60_000,
    },
    Task {
        name: "narrow",
        set: &[],
        vary: &[SKILL],
        want: &["win_rate(a) = 75.3% +- 0.2%"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, FIRST),
        fights: 200_000,
    },
    Task {
        name: "three numbers",
        set: &[],
        vary: &[SKILL, "character.late.attributes.skill=0.1..0.9", "character.late.attributes.lives=1..12:1"],
        want: &["win_rate(a) = 70% +- 2%", "duration in 6..7"],
        truth: |x| race(Racer { chance: x[0], ..FIRST }, Racer { chance: x[1], stands: x[2] as usize }),
        fights: 20_000,
    },
];

impl Task {
    fn vary(&self) -> Vec<Vary> {
        self.vary.iter().map(|text| Vary::parse(text).unwrap()).collect()
    }

    fn goals(&self) -> Vec<Goal> {
        self.want.iter().map(|text| Goal::parse(text).unwrap()).collect()
    }

    /// The maximum by which the truth misses the goals at some values: shares, or seconds divided by ten.
    fn misses(&self, goals: &[Goal], values: &[f64]) -> f64 {
        let (wins, duration) = (self.truth)(values);
        let miss = |goal: &Goal| {
            let (value, unit) = if goal.measure == "duration" { (duration, 10.0) } else { (wins, 1.0) };
            (goal.least - value).max(value - goal.most).max(0.0) / unit
        };
        goals.iter().map(miss).fold(0.0, f64::max)
    }

    /// The distance of values from the current ones, in shares of the ranges.
    fn moved(vary: &[Vary], now: &[f64], values: &[f64]) -> f64 {
        let share = |(vary, (from, to)): (&Vary, (&f64, &f64))| {
            let (low, high) = vary.bounds();
            let share = (to - from) / (high - low);
            share * share
        };
        vary.iter().zip(now.iter().zip(values)).map(share).sum::<f64>().sqrt()
    }

    /// The smallest change that meets the goals, on a fine grid.
    fn least(&self, now: &[f64]) -> Option<f64> {
        let (vary, goals) = (self.vary(), self.goals());
        let fine = [8_000, 400, 100][vary.len() - 1];
        let values = |vary: &Vary| {
            let (low, high) = vary.bounds();
            let count = vary.step.map_or(fine, |step| ((high - low) / step).round() as usize);
            (0..=count).map(move |index| low + (high - low) * index as f64 / count as f64).collect::<Vec<f64>>()
        };
        let mut points: Vec<Vec<f64>> = vec![Vec::new()];
        for vary in &vary {
            let values = values(vary);
            points = points
                .iter()
                .flat_map(|point| values.iter().map(move |value| [point.as_slice(), &[*value]].concat()))
                .collect();
        }
        let met =
            points.iter().filter(|point| self.misses(&goals, point) == 0.0).map(|point| Self::moved(&vary, now, point));
        met.reduce(f64::min)
    }

    fn search(&self, seed: u64) -> (Vec<f64>, Tuning) {
        let sets: Vec<Override> = self.set.iter().map(|text| Override::parse(text).unwrap()).collect();
        let game = game(RACE).variant(&sets).unwrap();
        let vary = self.vary();
        let now = vary.iter().map(|vary| vary.value_now(&game).unwrap().unwrap()).collect();
        let plan = TuningPlan::default();
        let plan = TuningPlan { study: TrialsPlan { seed, ..plan.study }, ..plan };
        (now, run_tuning(&game, "race", &vary, &self.goals(), &plan, &|_| {}).unwrap())
    }
}

#[test]
fn searches_find_the_smallest_change_that_is_known_exactly() {
    for task in &TASKS {
        // Tasks that take a hundred times as many fights are run once.
        let seeds = if task.fights > 500_000 { 1..=1 } else { 1..=2 };
        for seed in seeds {
            let (now, found) = task.search(seed);
            let values: Vec<f64> = found.numbers.iter().map(|number| number.value).collect();
            let what = format!("{} with seed {seed}: {found:?}", task.name);
            assert!(found.searched + found.trials <= task.fights, "{what}");
            let Some(least) = task.least(&now) else {
                assert_eq!((found.met, found.end), (false, SearchEnd::Complete), "{what}");
                continue;
            };
            assert!(found.met, "{what}");
            let moved = Task::moved(&task.vary(), &now, &values);
            // A hundredth of a range, and the distance that keeps chance in the proof away from the bounds.
            assert!(moved <= least + 0.015, "moved {moved}, and {least} is enough: {what}");
            // The proof may have been lucky by the error that its interval shows.
            assert!(
                task.misses(&task.goals(), &values) < 0.005,
                "misses by {}: {what}",
                task.misses(&task.goals(), &values)
            );
        }
    }
}

/// 50 % is won only between two steps, in a five-hundredth of the range, which no smooth model expects.
#[test]
fn values_between_two_close_steps_are_found() {
    let steps = "if(caster.force < 5.003, 0.405, if(caster.force < 5.017, 0.385, 0.365))";
    let damage = Override::parse(&format!("ability.throw.does.0.damage=if(roll({steps}), 1, 0)")).unwrap();
    let game = game(RACE).variant(&[damage]).unwrap();
    let vary = [Vary::parse("character.early.attributes.force=1..8").unwrap()];
    let goals = [Goal::parse("win_rate(a) = 50% +- 1%").unwrap()];
    for seed in 4..=6 {
        let plan = TuningPlan::from(TrialsPlan { seed, trials: 5_000, ..TrialsPlan::default() });
        let found = run_tuning(&game, "race", &vary, &goals, &plan, &|_| {}).unwrap();
        assert!(found.met && (5.003..5.017).contains(&found.numbers[0].value), "{found:?}");
        assert!(found.jump.is_empty(), "{found:?}");
    }
}

#[test]
fn a_goal_over_which_a_figure_jumps_is_reported_with_both_sides() {
    let vary = [Vary::parse("character.early.attributes.lives=1..20:1").unwrap()];
    let goals = [Goal::parse("win_rate(a) = 45% +- 1%").unwrap()];
    let found = run_tuning(&game(RACE), "race", &vary, &goals, &TuningPlan::default(), &|_| {}).unwrap();
    let [near, far] = found.jump.as_slice() else { panic!("{found:?}") };
    assert_eq!((found.met, &near.values, &far.values), (false, &vec![5.0], &vec![4.0]));
    for one in [near, far] {
        let truth = race(Racer { stands: one.values[0] as usize, ..FIRST }, FIRST).0;
        assert!((one.figures[0].low.unwrap()..one.figures[0].high.unwrap()).contains(&truth), "{truth}: {one:?}");
    }
}

/// The part that luck explains is removed from figures: they are as exact as those of more fights, and still cover the
/// truth.
#[test]
fn figures_without_luck_cover_the_truth() {
    luck_is_taken_out(40, &RACES[..2]);
}

/// `cargo test --release --test all tuning -- --ignored`
#[test]
#[ignore = "takes minutes"]
fn figures_without_luck_cover_the_truth_in_two_thousand_studies() {
    luck_is_taken_out(2_000, &RACES);
}

/// The first wins half of all fights, few of them, and most: its skill, and the maximum width of the interval as a part
/// of the usual one.
const RACES: [(f64, f64); 3] = [(0.37, 0.75), (0.22, 0.95), (0.6, 0.95)];

fn luck_is_taken_out(studies: u64, races: &[(f64, f64)]) {
    for &(skill, narrower) in races {
        let set = Override::parse(&format!("character.early.attributes.skill={skill}")).unwrap();
        let game = game(RACE).variant(&[set]).unwrap();
        let goals = ["win_rate(a) in 1%..99%", "duration in 1..100"].map(|text| Goal::parse(text).unwrap());
        let vary = [Vary::parse(SKILL).unwrap()];
        let (wins, duration) = race(Racer { chance: skill, ..FIRST }, FIRST);
        let (mut covered, mut ratio) = ([0, 0], 0.0);
        for seed in 0..studies {
            let plan = TuningPlan::from(TrialsPlan { seed, trials: 1_000, ..TrialsPlan::default() });
            let found = run_tuning(&game, "race", &vary, &goals, &plan, &|_| {}).unwrap();
            for (covered, (figure, truth)) in covered.iter_mut().zip(found.after.iter().zip([wins, duration])) {
                *covered += u64::from(figure.low.unwrap() <= truth && truth <= figure.high.unwrap());
            }
            let usual = 1.96 * (wins * (1.0 - wins) / found.trials as f64).sqrt();
            ratio += found.after[0].half_width() / usual / studies as f64;
        }
        // 95 %, by three errors of as many studies.
        let error = (0.95 * 0.05 / studies as f64).sqrt();
        for share in covered.map(|covered| covered as f64 / studies as f64) {
            assert!((share - 0.95).abs() < 3.0 * error, "{skill}: {share}");
        }
        assert!(ratio < narrower, "{skill}: {ratio}");
    }
}

#[test]
fn compromises_between_goals_that_exclude_one_another_cannot_be_bettered() {
    let task = TASKS.iter().find(|task| task.name.contains("exclude")).unwrap();
    let (_, found) = task.search(1);
    let goals = task.goals();
    let misses = |skill: f64| {
        let (wins, duration) = (task.truth)(&[skill]);
        [(goals[0].least - wins).max(0.0), (goals[1].least - duration).max(0.0) / 10.0]
    };
    assert!(found.trade_offs.len() >= 3, "{found:?}");
    for one in &found.trade_offs {
        let (wins, duration) = (task.truth)(&one.values);
        for (figure, truth) in one.figures.iter().zip([wins, duration]) {
            assert!((figure.value.unwrap() - truth).abs() < 2.5 * figure.half_width(), "{figure:?} of {truth}");
        }
        let at = misses(one.values[0]);
        let better = (0..=800).map(|index| misses(0.1 + f64::from(index) / 1_000.0));
        let better = better.into_iter().find(|other| other.iter().zip(at).all(|(other, at)| *other < at - 0.015));
        assert!(better.is_none(), "{one:?} misses {at:?}, and {better:?} is possible");
    }
    // From the best for the first goal to the best for the second.
    let [first, last] = [found.trade_offs.first(), found.trade_offs.last()].map(|one| misses(one.unwrap().values[0]));
    assert!(first[0] < 0.01 && last[1] < 0.02 && first[1] > last[1] + 0.1, "{first:?} {last:?}");
}

#[test]
fn goals_of_two_encounters_are_met_together() {
    let two = format!(
        "{RACE}\n[character.last]\nattributes = {{ skill = 0.4, lives = 7 }}\nabilities = [\"late_throw\"]\n\
         [encounter.long_race]\nsides = {{ a = [\"early\"], b = [\"last\"] }}\ntime_limit = 10000\n"
    );
    let vary = [SKILL, "character.last.attributes.skill=0.1..0.9"].map(|text| Vary::parse(text).unwrap());
    let goals =
        ["win_rate(a) = 65% +- 2%", "long_race: win_rate(a) = 50% +- 2%"].map(|text| Goal::parse(text).unwrap());
    let plan = TuningPlan::from(TrialsPlan::default());
    let found = run_tuning(&game(&two), "race", &vary, &goals, &plan, &|_| {}).unwrap();
    let [early, last] = [0, 1].map(|index: usize| found.numbers[index].value);
    let wins = race(Racer { chance: early, ..FIRST }, FIRST).0;
    let wins_long = race(Racer { chance: early, ..FIRST }, Racer { chance: last, stands: 7 }).0;
    assert!(found.met && found.trade_offs.is_empty(), "{found:?}");
    assert!((wins - 0.65).abs() < 0.025 && (wins_long - 0.5).abs() < 0.025, "{wins} {wins_long}: {found:?}");
    for (goal, wanted) in [("nowhere: win_rate(a) = 50%", "nowhere"), ("win_rate(a) = 60 +- 2", "58 % is written 0.58")]
    {
        let goal = [Goal::parse(goal).unwrap()];
        let error = run_tuning(&game(&two), "race", &vary, &goal, &plan, &|_| {}).unwrap_err();
        assert!(error.to_string().contains(wanted), "{error}");
    }
}

#[test]
fn what_is_wanted_is_found_in_ranges_of_any_width() {
    let wide = |sets: &[&str], vary: &str, goal: &str| {
        let sets: Vec<Override> = sets.iter().map(|text| Override::parse(text).unwrap()).collect();
        let (vary, goal) = ([Vary::parse(vary).unwrap()], [Goal::parse(goal).unwrap()]);
        let game = game(RACE).variant(&sets).unwrap();
        let found = run_tuning(&game, "race", &vary, &goal, &TrialsPlan::default().into(), &|_| {}).unwrap();
        assert!(found.met && found.searched < 60_000, "{found:?}");
        found.numbers[0].value
    };
    // Near the current value, in a hundred-thousandth of the range.
    let needed = (1..).find(|stands| race(Racer { stands: *stands, ..FIRST }, FIRST).0 >= 0.8).unwrap();
    let lives = wide(&[], "character.early.attributes.lives=1..1000000", "win_rate(a) >= 80%");
    assert_eq!(lives.ceil(), needed as f64);
    // Beyond twice that value, which is searched first: a throw per second, of which nine in ten hit.
    let sets = ["character.early.attributes.skill=0.9", "character.early.attributes.lives=1000000"];
    let lives = wide(&sets, "character.late.attributes.lives=1..1000000", "duration in 45..47");
    assert!((40.0..=43.0).contains(&lives), "{lives}");
}

/// The more often one side wins, the less often the other does: once that is known, the search stops, however wide the
/// ranges are.
#[test]
fn goals_that_exclude_one_another_are_given_up_soon_in_wide_ranges_too() {
    let vary = ["early", "late"].map(|who| Vary::parse(&format!("character.{who}.attributes.lives=1..400")).unwrap());
    let goals = ["win_rate(a) >= 70%", "win_rate(b) >= 60%"].map(|text| Goal::parse(text).unwrap());
    let found = run_tuning(&game(RACE), "race", &vary, &goals, &TrialsPlan::default().into(), &|_| {}).unwrap();
    assert!(!found.met && found.end == SearchEnd::Complete && found.points < 250, "{found:?}");
    let wins = |values: &[f64]| {
        let [early, late] = [values[0], values[1]].map(|lives| Racer { stands: lives.ceil() as usize, ..FIRST });
        race(early, late).0
    };
    let nearest = wins(&found.numbers.iter().map(|number| number.value).collect::<Vec<f64>>());
    assert!((0.37..0.73).contains(&nearest), "{nearest}: {found:?}");
    // One side always wins in almost all of the ranges.
    let compromises: Vec<f64> = found.trade_offs.iter().map(|one| wins(&one.values)).collect();
    assert!(compromises.len() > 1 && compromises.iter().all(|wins| (0.02..0.98).contains(wins)), "{compromises:?}");
}
