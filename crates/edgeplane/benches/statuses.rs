//! Statuses: fights with three stacking statuses, and three against three, compared with the same fights written by
//! hand; and crowds with increasing numbers of statuses: time per event, and whether anything is allocated after
//! warming up.
//!
//! `cargo bench --bench statuses`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::disallowed_methods, missing_docs)]

#[path = "native/soaking.rs"]
mod soaking;
#[path = "native/trio.rs"]
mod trio;

use std::hint::black_box;
use std::time::{Duration, Instant};

use edgeplane::fight::{Limits, seed_of_trial};
use edgeplane::program::Setup;
use edgeplane::{CombatantId, Event, Fight, Game, Observer, Silent, Time};

const FOLDER: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/..");
/// The number of fights in one round of a pair, and the number of pairs.
const ROUND: u64 = 2_000;
const PAIRS: usize = 41;

fn time(mut one: impl FnMut(u64), trials: std::ops::Range<u64>) -> Duration {
    let started = Instant::now();
    trials.for_each(&mut one);
    started.elapsed()
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// The engine and a fight by hand, in pairs of rounds.
fn ratio(name: &str, fight: &mut Fight, native: impl Fn(u64)) {
    let mut engine = |trial: u64| {
        fight.restart(seed_of_trial(1, trial));
        let _ = black_box(fight.run(&mut Silent));
    };
    let native = |trial: u64| native(seed_of_trial(1, trial));
    let (mut ratios, mut engines, mut natives) = (Vec::new(), Vec::new(), Vec::new());
    for pair in 0..PAIRS as u64 {
        let trials = pair * ROUND..(pair + 1) * ROUND;
        // The first one finds colder caches, so they take turns.
        let (a, b) = if pair % 2 == 0 {
            let a = time(&mut engine, trials.clone());
            (a, time(native, trials))
        } else {
            let b = time(native, trials.clone());
            (time(&mut engine, trials), b)
        };
        ratios.push(a.as_secs_f64() / b.as_secs_f64());
        engines.push(a.as_secs_f64() * 1e9 / ROUND as f64);
        natives.push(b.as_secs_f64() * 1e9 / ROUND as f64);
    }
    println!("{name}: engine {:.0} ns a fight, native {:.0} ns", median(engines), median(natives));
    println!("engine / native  {:.2} (median of {PAIRS} pairs of {ROUND} fights each)", median(ratios));
}

/// Both fights that are also written by hand.
fn ratios() {
    let of = |name: &str| {
        let game = Game::open(format!("{FOLDER}/benches/rulesets/{name}.toml")).unwrap();
        game.fight(name, 0).unwrap()
    };
    let mut fight = of("soaking");
    let streams = soaking::Streams::of(fight.setup()).unwrap();
    ratio("three stacking statuses", &mut fight, |seed| _ = black_box(soaking::fight(&streams, seed)));
    let mut fight = of("trio");
    let (streams, ids) = (trio::Streams::of(fight.setup()).unwrap(), trio::Ids::of(fight.setup()).unwrap());
    ratio("three against three", &mut fight, |seed| _ = black_box(trio::fight(&streams, &ids, seed, &mut Silent)));
}

/// Counts the events of statuses.
#[derive(Default)]
struct Count(u64);

impl Observer for Count {
    fn event(&mut self, _: Time, event: Event) {
        self.0 += u64::from(matches!(
            event,
            Event::StatusTicked { .. } | Event::StatusGained { .. } | Event::StatusLost { .. } | Event::Hit { .. }
        ));
    }
}

/// A crowd whose statuses have been running for a while.
fn crowd(game: &Game, combatants: usize, each: usize) -> Fight {
    let sufferer = game.character("sufferer").unwrap();
    let half = |from: usize, to: usize| vec![sufferer; to - from];
    let sides =
        [("a".to_owned(), half(0, combatants.div_ceil(2))), ("b".to_owned(), half(combatants.div_ceil(2), combatants))];
    let setup = std::sync::Arc::new(Setup::between(game.program(), &sides));
    // A crowd takes many steps in ten minutes.
    let limits = Limits { steps: u64::MAX, ..Limits::default() };
    let mut fight = Fight::with_chance(setup, edgeplane::fight::Sampler::default(), 1).with_limits(limits);
    (0..combatants as u16).for_each(|who| fight.take_control(CombatantId(who)).unwrap());
    let sore = game.status("sore").unwrap();
    for round in 0..each {
        // Spread over three seconds, so that they do not all tick at the same moments.
        fight.advance(Time(round as u64 * 3_000_000 / each as u64), &mut Silent).unwrap();
        for who in 0..combatants as u16 {
            let now = fight.now();
            fight.advance(now + Time(7), &mut Silent).unwrap();
            fight.apply_status(sore, CombatantId(who), CombatantId(who), 1, &mut Silent).unwrap();
        }
    }
    fight
}

/// A crowd with a number of statuses each, and its measurements.
struct Load {
    combatants: usize,
    each: usize,
    fight: Fight,
    events: u64,
    nanos: Vec<f64>,
    allocations: u64,
}

impl Load {
    fn new(game: &Game, combatants: usize, each: usize) -> Self {
        let mut fight = crowd(game, combatants, each);
        let warm = fight.now() + Time(60_000_000);
        fight.advance(warm, &mut Silent).unwrap();
        Self { combatants, each, fight, events: 0, nanos: Vec::new(), allocations: 0 }
    }

    /// A minute of the fight, or more if a minute has few events.
    fn go_on(&mut self) {
        let span = 60_000_000 * (10_000 / (self.combatants * self.each) as u64).clamp(1, 100);
        let until = self.fight.now() + Time(span);
        let mut count = Count::default();
        let started = Instant::now();
        let allocated = allocation_counter::measure(|| _ = self.fight.advance(until, &mut count).unwrap());
        self.nanos.push(started.elapsed().as_secs_f64() * 1e9 / count.0 as f64);
        self.events += count.0;
        self.allocations += allocated.count_total;
    }
}

/// The time per event as the number of statuses grows. The crowds take turns, because the speed of a machine drifts.
fn load() {
    const ROUNDS: usize = 11;
    let game = Game::open(format!("{FOLDER}/benches/rulesets/crowd.toml")).unwrap();
    let mut loads: Vec<Load> =
        [(1, 10), (1, 50), (2, 50), (20, 50), (200, 50)].map(|(all, each)| Load::new(&game, all, each)).into();
    for _ in 0..ROUNDS {
        loads.iter_mut().for_each(Load::go_on);
    }
    println!("\n{ROUNDS} rounds of a minute or more, in turns; medians");
    println!(
        "{:>12} {:>14} {:>12} {:>12} {:>14} {:>12}",
        "combatants", "live statuses", "events", "ns an event", "times the 50", "allocations"
    );
    for load in &loads {
        let pairs = load.nanos.iter().zip(&loads[1].nanos).map(|(nanos, fifty)| nanos / fifty);
        println!(
            "{:>12} {:>14} {:>12} {:>12.0} {:>14.2} {:>12}",
            load.combatants,
            load.combatants * load.each,
            load.events,
            median(load.nanos.clone()),
            median(pairs.collect()),
            load.allocations
        );
    }
}

fn main() {
    // Criterion's options are of no use here, and `cargo test --benches` should not take minutes.
    if std::env::args().any(|argument| argument == "--test") {
        return;
    }
    ratios();
    load();
}
