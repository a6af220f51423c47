//! A warm fight does not allocate.

#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use common::demo;
use edgeplane::{Silent, Time};

#[test]
fn a_warm_fight_allocates_nothing() {
    for encounter in ["duel", "mirror", "night_shift", "mill_race", "sluice_gate", "flats", "breach"] {
        let mut fight = demo().fight(encounter, 0).unwrap();
        // Memory is reserved for the maximum that happens at once, which takes some fights to occur.
        for seed in 0..1_000 {
            fight.restart(seed);
            fight.run(&mut Silent).unwrap();
        }
        let counted = allocation_counter::measure(|| {
            for seed in 1_000..1_200 {
                fight.restart(seed);
                fight.run(&mut Silent).unwrap();
            }
        });
        assert_eq!(counted.count_total, 0, "{encounter}");
        let stepped = allocation_counter::measure(|| {
            fight.restart(7);
            for frame in 0..600 {
                fight.advance(Time(frame * 16_667), &mut Silent).unwrap();
            }
        });
        assert_eq!(stepped.count_total, 0, "{encounter} in frames");
    }
}

#[test]
fn a_warm_snapshot_allocates_nothing_either() {
    for encounter in ["duel", "night_shift"] {
        let mut fight = demo().fight(encounter, 1).unwrap();
        let mut kept = fight.snapshot();
        let mut back_and_forth = || {
            for frame in 1..600 {
                fight.advance(Time(frame * 16_667), &mut Silent).unwrap();
                fight.snapshot_into(&mut kept);
                fight.advance(Time((frame + 8) * 16_667), &mut Silent).unwrap();
                fight.restore(&kept).unwrap();
            }
            fight.restart(1);
        };
        back_and_forth();
        assert_eq!(allocation_counter::measure(back_and_forth).count_total, 0, "{encounter}");
    }
}

#[test]
fn a_restored_fight_is_the_one_that_was_kept() {
    let mut fight = demo().fight("night_shift", 1).unwrap();
    fight.advance(Time(3_000_000), &mut Silent).unwrap();
    let snapshot = fight.snapshot();
    fight.run(&mut Silent).unwrap();
    fight.restore(&snapshot).unwrap();
    assert_eq!(fight.now(), Time(3_000_000));
    assert_eq!(fight.snapshot(), snapshot);
}

#[test]
fn the_bytes_of_a_snapshot_are_those_that_a_copy_takes() {
    for encounter in ["duel", "night_shift", "flats", "wheel", "breach"] {
        let mut fight = demo().fight(encounter, 1).unwrap();
        for second in 0..20 {
            let snapshot = fight.snapshot();
            let mut copy = None;
            let counted = allocation_counter::measure(|| copy = Some(snapshot.clone()));
            let bytes = counted.bytes_current as usize + size_of_val(&snapshot);
            assert_eq!(snapshot.bytes(), bytes, "{encounter} at {second} s");
            fight.advance(Time::from_seconds(f64::from(second)), &mut Silent).unwrap();
        }
    }
}

/// Bytes that each further fight of an encounter takes after a second of fighting.
fn bytes_a_fight(game: &edgeplane::Game, encounter: &str, count: u64) -> i64 {
    let mut fights = Vec::with_capacity(count as usize);
    // What fights share exists from the first one on.
    fights.push(game.fight(encounter, 0).unwrap());
    let counted = allocation_counter::measure(|| {
        for seed in 1..count {
            let mut fight = game.fight(encounter, seed).unwrap();
            fight.advance(Time(1_000_000), &mut Silent).unwrap();
            fights.push(fight);
        }
    });
    counted.bytes_current / (count - 1) as i64
}

#[test]
fn many_fights_of_one_encounter_take_some_kilobytes_each() {
    let demo = demo();
    for encounter in ["night_shift", "mill_race", "flats"] {
        let bytes = bytes_a_fight(&demo, encounter, 100);
        assert!(bytes < 18_000, "{encounter}: {bytes} bytes a fight");
    }
}

/// The memory of a fight of eight and of one of two, in addition to what they share.
#[test]
fn a_fight_takes_little_memory() {
    for (encounter, most) in [("mill_race", 16_384), ("duel", 5_500)] {
        let first = demo().fight(encounter, 0).unwrap();
        let mut kept = Vec::with_capacity(1);
        let counted = allocation_counter::measure(|| {
            let mut fight = first.clone();
            for frame in 0..4_000 {
                fight.advance(Time(frame * 50_000), &mut Silent).unwrap();
            }
            kept.push(fight);
        });
        let bytes = counted.bytes_current as usize + size_of_val(&kept[0]);
        assert!(kept[0].ending().is_some() && bytes < most, "{encounter}: {bytes} bytes");
    }
}
