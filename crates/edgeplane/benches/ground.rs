//! Fights on the ground with zones: fights of five against five per second, and how the time for an event grows with
//! the number of combatants.
//!
//! `cargo bench --bench ground`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::disallowed_methods, missing_docs)]

use std::sync::Arc;
use std::time::Instant;

use edgeplane::fight::{Limits, Sampler};
use edgeplane::program::Setup;
use edgeplane::{Event, Fight, Game, Observer, Time};

const FOLDER: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/..");
const MINUTES: Time = Time(180_000_000);

#[derive(Default)]
struct Count {
    events: u64,
    crossings: u64,
    walks: u64,
}

impl Observer for Count {
    fn event(&mut self, _: Time, event: Event) {
        self.events += 1;
        self.crossings += u64::from(matches!(event, Event::Entered { .. } | Event::Left { .. }));
        self.walks += u64::from(matches!(event, Event::Walks { .. }));
    }
}

/// Two lines, thirty metres apart, with a number of combatants each.
fn lines(game: &Game, each: usize) -> Fight {
    let (front, back) = (game.character("front").unwrap(), game.character("back").unwrap());
    let kinds: Vec<_> = (0..each).map(|index| if index % 2 == 0 { front } else { back }).collect();
    let sides = [("a".to_owned(), kinds.clone()), ("b".to_owned(), kinds)];
    let row = |x: f64| (0..each).map(move |index| [x, index as f64 * 2.0 - each as f64]);
    let places: Vec<[f64; 2]> = row(-15.0).chain(row(15.0)).collect();
    let setup = Arc::new(Setup::placed(game.program(), &sides, &places));
    let limits = Limits { steps: u64::MAX, ..Limits::default() };
    Fight::with_chance(setup, Sampler::default(), 1).with_limits(limits)
}

/// Fights of one size, and their measurements.
struct Size {
    each: usize,
    fight: Fight,
    /// Of the fight with the first seed.
    first: Count,
    /// Fights in a round.
    fights: u64,
    nanos: Vec<f64>,
    millis: Vec<f64>,
    allocations: u64,
}

impl Size {
    fn new(game: &Game, each: usize) -> Self {
        let mut fight = lines(game, each);
        let mut first = Count::default();
        fight.advance(MINUTES, &mut first).unwrap();
        let fights = (5_000_000 / (first.events * each as u64)).clamp(1, 50);
        Self { each, fight, first, fights, nanos: Vec::new(), millis: Vec::new(), allocations: 0 }
    }

    fn round(&mut self) {
        let (mut spent, mut count) = (0.0, Count::default());
        for seed in 1..=self.fights {
            self.fight.restart(seed);
            let started = Instant::now();
            let allocated = allocation_counter::measure(|| _ = self.fight.advance(MINUTES, &mut count).unwrap());
            spent += started.elapsed().as_secs_f64();
            // The first round allocates whatever is needed.
            self.allocations = if self.nanos.is_empty() { 0 } else { self.allocations + allocated.count_total };
        }
        self.nanos.push(spent * 1e9 / count.events as f64);
        self.millis.push(spent * 1e3 / self.fights as f64);
    }
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn main() {
    // The sizes take turns, because the speed of a machine drifts.
    const ROUNDS: usize = 5;
    let game = Game::open(format!("{FOLDER}/benches/rulesets/ground.toml")).unwrap();
    let mut sizes: Vec<Size> = [1, 2, 5, 10, 20, 50, 100].map(|each| Size::new(&game, each)).into();
    for _ in 0..ROUNDS {
        sizes.iter_mut().for_each(Size::round);
    }
    println!("{ROUNDS} rounds in turns; medians");
    println!(
        "{:>12} {:>10} {:>10} {:>10} {:>12} {:>12} {:>14} {:>12}",
        "combatants", "events", "crossings", "walks", "ms a fight", "ns an event", "times the 10", "allocations"
    );
    for size in &sizes {
        let pairs = size.nanos.iter().zip(&sizes[2].nanos).map(|(nanos, ten)| nanos / ten);
        println!(
            "{:>12} {:>10} {:>10} {:>10} {:>12.2} {:>12.0} {:>14.2} {:>12}",
            2 * size.each,
            size.first.events,
            size.first.crossings,
            size.first.walks,
            median(size.millis.clone()),
            median(size.nanos.clone()),
            median(pairs.collect()),
            size.allocations
        );
    }
    let five = median(sizes[2].millis.clone());
    println!("five against five for three minutes: {:.0} fights a second on one core", 1e3 / five);
}
