//! The native duel of the benchmarks tells the same events as the engine: otherwise their ratio
//! would compare two different things.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "../benches/native/mod.rs"]
mod native;

use edgeplane::fight::{Event, Log, Logged};
use edgeplane::{Game, Silent};

/// Looks that came to nothing are left out: the native duel does not make them.
fn happened(log: &Log) -> Vec<Logged> {
    let looks = |event: &Event| matches!(event, Event::Refused { .. } | Event::Waits { .. });
    log.events.iter().filter(|logged| !looks(&logged.event)).copied().collect()
}

#[test]
fn the_native_duel_tells_the_same_events() {
    let game = Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine")).unwrap();
    let mut fight = game.fight("duel", 0).unwrap();
    let streams = native::Streams::of(fight.setup()).unwrap();
    let ids = native::Ids::of(fight.setup()).unwrap();
    for seed in 0..2_000 {
        let (mut engine, mut by_hand) = (Log::default(), Log::default());
        fight.restart(seed);
        fight.run(&mut engine).unwrap();
        native::fight(&streams, &ids, seed, &mut by_hand);
        let (engine, by_hand) = (happened(&engine), happened(&by_hand));
        for (a, b) in engine.iter().zip(&by_hand) {
            assert_eq!(a, b, "seed {seed}");
        }
        assert_eq!(engine.len(), by_hand.len(), "seed {seed}");
    }
    let _ = Silent;
}
