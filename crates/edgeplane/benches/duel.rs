//! Fights per second: the engine, the same duel written by hand in Rust, and the same duel as a
//! straightforward Python script. The ratio is taken from pairs of rounds in one run, since the speed
//! of a machine drifts between runs.
//!
//! `cargo bench --bench duel`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::disallowed_methods, missing_docs)]

mod native;

use std::hint::black_box;
use std::process::Command;
use std::time::{Duration, Instant};

use criterion::{Criterion, Throughput};
use edgeplane::fight::seed_of_trial;
use edgeplane::study::run_trials;
use edgeplane::{Fight, Game, Silent, TrialsPlan};

const FOLDER: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/..");
/// The number of fights in one round of a pair, and the number of pairs.
const ROUND: u64 = 2_000;
const PAIRS: usize = 41;
const MILLION: u64 = 1_000_000;

struct Contest {
    fight: Fight,
    streams: native::Streams,
    ids: native::Ids,
}

impl Contest {
    fn new() -> Self {
        let game = Game::open(format!("{FOLDER}/../../demo/weir-nine")).unwrap();
        let fight = game.fight("duel", 0).unwrap();
        let (streams, ids) = (native::Streams::of(fight.setup()).unwrap(), native::Ids::of(fight.setup()).unwrap());
        Self { fight, streams, ids }
    }

    fn engine(&mut self, trial: u64) {
        self.fight.restart(seed_of_trial(1, trial));
        let ending = self.fight.run(&mut Silent);
        let _ = black_box(ending);
    }

    fn native(&mut self, trial: u64) {
        black_box(native::fight(&self.streams, &self.ids, seed_of_trial(1, trial), &mut Silent));
    }
}

fn time(mut one: impl FnMut(u64), trials: std::ops::Range<u64>) -> Duration {
    let started = Instant::now();
    trials.for_each(&mut one);
    started.elapsed()
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// The median time of a fight of each, in nanoseconds, and the median of the paired ratios.
fn paired(contest: &mut Contest) -> (f64, f64, f64) {
    let (mut engine, mut native, mut ratio) = (Vec::new(), Vec::new(), Vec::new());
    for pair in 0..PAIRS as u64 {
        let trials = pair * ROUND..(pair + 1) * ROUND;
        // The first one finds colder caches, so they take turns.
        let (a, b) = if pair % 2 == 0 {
            let a = time(|trial| contest.engine(trial), trials.clone());
            (a, time(|trial| contest.native(trial), trials))
        } else {
            let b = time(|trial| contest.native(trial), trials.clone());
            (time(|trial| contest.engine(trial), trials), b)
        };
        let nanos = |time: Duration| time.as_secs_f64() * 1e9 / ROUND as f64;
        engine.push(nanos(a));
        native.push(nanos(b));
        ratio.push(a.as_secs_f64() / b.as_secs_f64());
    }
    (median(engine), median(native), median(ratio))
}

/// The speed-up of two threads: for a study of the engine, and for the native duel in two halves, which shows what this
/// machine allows. Medians of pairs.
fn two_threads(contest: &Contest) -> (f64, f64) {
    const FIGHTS: u64 = 400_000;
    let study = |threads: usize| {
        let plan = TrialsPlan { trials: FIGHTS, threads: Some(threads), ..TrialsPlan::default() };
        time(|_| _ = black_box(run_trials(contest.fight.setup(), &plan, &|_| {})), 0..1).as_secs_f64()
    };
    let by_hand = |threads: u64| {
        let part = |first: u64| {
            for trial in first..first + FIGHTS / threads {
                black_box(native::fight(&contest.streams, &contest.ids, seed_of_trial(1, trial), &mut Silent));
            }
        };
        let all = |_| {
            std::thread::scope(|scope| {
                for thread in 0..threads {
                    scope.spawn(move || part(thread * FIGHTS / threads));
                }
            });
        };
        time(all, 0..1).as_secs_f64()
    };
    let pairs = |one: &dyn Fn() -> f64, two: &dyn Fn() -> f64| median((0..9).map(|_| one() / two()).collect());
    (pairs(&|| study(1), &|| study(2)), pairs(&|| by_hand(1), &|| by_hand(2)))
}

/// Nanoseconds for a fight of the Python script, if Python is available.
fn python() -> Option<f64> {
    let script = format!("{FOLDER}/benches/duel.py");
    let output = Command::new("python3").args([script.as_str(), "3000"]).output().ok()?;
    String::from_utf8(output.stdout).ok()?.split_whitespace().next()?.parse().ok()
}

fn main() {
    let mut contest = Contest::new();
    let mut criterion = Criterion::default().configure_from_args().sample_size(30);
    let mut group = criterion.benchmark_group("duel");
    group.throughput(Throughput::Elements(1));
    let mut trial = 0;
    group.bench_function("engine", |bencher| {
        bencher.iter(|| {
            trial += 1;
            contest.engine(trial);
        });
    });
    group.bench_function("native", |bencher| {
        bencher.iter(|| {
            trial += 1;
            contest.native(trial);
        });
    });
    group.finish();
    let (engine, native, ratio) = paired(&mut contest);
    println!("engine  {engine:>9.0} ns a fight   {:>9.0} fights a second", 1e9 / engine);
    println!("native  {native:>9.0} ns a fight   {:>9.0} fights a second", 1e9 / native);
    println!("engine / native  {ratio:.2} (median of {PAIRS} pairs of {ROUND} fights each)");
    let by_engine = time(|trial| contest.engine(trial), 0..MILLION).as_secs_f64();
    let by_hand = time(|trial| contest.native(trial), 0..MILLION).as_secs_f64();
    println!("a million fights on one core: engine {by_engine:.2} s, native {by_hand:.2} s");
    let (study, hand) = two_threads(&contest);
    println!("two threads / one  engine {study:.2}, native {hand:.2} (medians of 9 pairs)");
    if let Some(python) = python() {
        println!("                              python {:.0} s (from 3,000 of them)", python * 1e-9 * MILLION as f64);
        println!("python  {python:>9.0} ns a fight   {:>9.0} fights a second", 1e9 / python);
        println!("python / engine  {:.0}", python / engine);
    }
}
