//! Fights on the ground with zones: how many of five against five a second, and how the time for an event grows with
//! the number of combatants.
//!
//! `cargo bench --bench ground`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::disallowed_methods, missing_docs)]

use std::sync::Arc;
use std::time::Instant;

use edgeplane::fight::{Limits, Sampler};
use edgeplane::program::Setup;
use edgeplane::{Event, Fight, Game, Observer, Silent, Time};

const FOLDER: &str = env!("CARGO_MANIFEST_DIR");
const MINUTES: Time = Time(180_000_000);

#[derive(Default)]
struct Count {
    events: u64,
    crossings: u64,
    walks: u64,
}

impl Observer for Count {
    const OWN_ENGINE: bool = true;

    fn event(&mut self, _: Time, event: Event) {
        self.events += 1;
        self.crossings += u64::from(matches!(event, Event::Entered { .. } | Event::Left { .. }));
        self.walks += u64::from(matches!(event, Event::Walks { .. }));
    }
}

/// Two lines, thirty metres apart, of so many each.
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

fn main() {
    let game = Game::open(format!("{FOLDER}/benches/rulesets/ground.toml")).unwrap();
    println!(
        "{:>12} {:>10} {:>10} {:>10} {:>14} {:>12} {:>12}",
        "combatants", "events", "crossings", "walks", "ms a fight", "ns an event", "allocations"
    );
    for each in [1, 2, 5, 10, 20, 50, 100] {
        let mut fight = lines(&game, each);
        let mut count = Count::default();
        fight.advance(MINUTES, &mut count).unwrap();
        let rounds = (20_000_000 / (count.events * each as u64).max(1)).clamp(1, 50);
        let mut spent = 0.0;
        let mut allocated = 0;
        for round in 0..rounds {
            fight.restart(round + 1);
            let started = Instant::now();
            allocated = allocation_counter::measure(|| _ = fight.advance(MINUTES, &mut Silent).unwrap()).count_total;
            spent += started.elapsed().as_secs_f64();
        }
        let seconds = spent / rounds as f64;
        println!(
            "{:>12} {:>10} {:>10} {:>10} {:>14.2} {:>12.0} {allocated:>12}",
            2 * each,
            count.events,
            count.crossings,
            count.walks,
            seconds * 1e3,
            seconds * 1e9 / count.events as f64
        );
        if each == 5 {
            println!(
                "{:>12} five against five for three minutes: {:.0} fights a second on one core",
                "",
                1.0 / seconds
            );
        }
    }
}
