//! The hand-written fights of the benchmarks report the same events as the engine; otherwise their ratio would compare
//! two different things.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "../benches/native/mod.rs"]
mod by_hand;

use edgeplane::fight::{Event, Log, Logged};
use edgeplane::{Game, Silent};

/// Evaluations without a result are left out: the native duel does not make them.
fn happened(log: &Log) -> Vec<Logged> {
    let looks = |event: &Event| matches!(event, Event::Unavailable { .. } | Event::Waits { .. });
    log.events.iter().filter(|logged| !looks(&logged.event)).copied().collect()
}

#[test]
fn the_native_duel_shows_the_same_events() {
    let game = Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/weir-nine")).unwrap();
    let mut fight = game.fight("duel", 0).unwrap();
    let streams = by_hand::Streams::of(fight.setup()).unwrap();
    let ids = by_hand::Ids::of(fight.setup()).unwrap();
    for seed in 0..2_000 {
        let (mut engine, mut by_hand) = (Log::default(), Log::default());
        fight.restart(seed);
        fight.run(&mut engine).unwrap();
        by_hand::fight(&streams, &ids, seed, &mut by_hand);
        let (engine, by_hand) = (happened(&engine), happened(&by_hand));
        for (a, b) in engine.iter().zip(&by_hand) {
            assert_eq!(a, b, "seed {seed}");
        }
        assert_eq!(engine.len(), by_hand.len(), "seed {seed}");
    }
    let _ = Silent;
}

#[path = "../benches/native/soaking.rs"]
mod soaking;

#[test]
fn the_native_duel_with_stacking_statuses_ends_alike() {
    let game = Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../benches/rulesets/soaking.toml")).unwrap();
    let mut fight = game.fight("soaking", 0).unwrap();
    let streams = soaking::Streams::of(fight.setup()).unwrap();
    let health = game.pool("health").unwrap();
    let mut endings = std::collections::BTreeSet::new();
    for seed in 0..2_000 {
        fight.restart(seed);
        let ending = fight.run(&mut Silent).unwrap();
        let left = fight.setup().ids().map(|who| fight.pool(who, health)).collect::<Vec<_>>();
        let (by_hand, at, health) = soaking::fight(&streams, seed);
        assert_eq!((ending, fight.now(), left.as_slice()), (by_hand, at, health.as_slice()), "seed {seed}");
        endings.insert(format!("{ending:?}"));
    }
    assert!(endings.len() >= 2, "both sides win sometimes: {endings:?}");
}

#[path = "../benches/native/trio.rs"]
mod trio;

#[test]
fn three_against_three_by_hand_show_the_same_events() {
    let game = Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../benches/rulesets/trio.toml")).unwrap();
    let mut fight = game.fight("trio", 0).unwrap();
    let streams = trio::Streams::of(fight.setup()).unwrap();
    let ids = trio::Ids::of(fight.setup()).unwrap();
    let mut endings = std::collections::BTreeSet::new();
    for seed in 0..2_000 {
        let (mut engine, mut by_hand) = (Log::default(), Log::default());
        fight.restart(seed);
        let ending = fight.run(&mut engine).unwrap();
        let by_hand_ending = trio::fight(&streams, &ids, seed, &mut by_hand);
        let (engine, by_hand) = (happened(&engine), happened(&by_hand));
        for (a, b) in engine.iter().zip(&by_hand) {
            assert_eq!(a, b, "seed {seed}");
        }
        assert_eq!((engine.len(), (ending, fight.now())), (by_hand.len(), by_hand_ending), "seed {seed}");
        endings.insert(format!("{ending:?}"));
    }
    assert!(endings.len() >= 3, "each side wins sometimes, and nobody: {endings:?}");
}
