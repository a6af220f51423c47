//! Nothing is allocated for a fight once the room for it is there.

#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use common::demo;
use edgeplane::{Game, Silent, Time};

#[test]
fn a_warm_fight_allocates_nothing() {
    for encounter in ["duel", "mirror", "night_shift", "mill_race", "sluice_gate"] {
        let mut fight = demo().fight(encounter, 0).unwrap();
        // Room is made for the most that happens at once, which takes some fights to come up.
        for seed in 0..500 {
            fight.restart(seed);
            fight.run(&mut Silent).unwrap();
        }
        let counted = allocation_counter::measure(|| {
            for seed in 500..700 {
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

/// On the shortest way and on the long one, with statuses that come and go.
#[test]
fn a_warm_fight_with_settled_statuses_allocates_nothing() {
    let game = Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/benches/rulesets/soaking.toml")).unwrap();
    let mut fight = game.fight("soaking", 0).unwrap();
    assert!(fight.takes_shortest_way());
    let mut play = |seeds: std::ops::Range<u64>, short: bool| {
        for seed in seeds {
            fight.restart(seed);
            if short {
                fight.run(&mut Silent).unwrap();
            } else {
                fight.advance(Time::NEVER, &mut Silent).unwrap();
            }
        }
    };
    play(0..300, true);
    let short = allocation_counter::measure(|| play(300..500, true));
    assert_eq!(short.count_total, 0, "on the shortest way");
    play(0..300, false);
    // What one way leaves is room for the other.
    let long = allocation_counter::measure(|| {
        play(300..400, false);
        play(400..500, true);
        play(500..600, false);
    });
    assert_eq!(long.count_total, 0, "in turns");
}

#[test]
fn a_restored_fight_is_the_one_that_was_kept() {
    let mut fight = demo().fight("night_shift", 1).unwrap();
    fight.advance(Time(3_000_000), &mut Silent).unwrap();
    let snapshot = fight.snapshot();
    fight.run(&mut Silent).unwrap();
    fight.restore(&snapshot);
    assert_eq!(fight.now(), Time(3_000_000));
    assert_eq!(fight.snapshot(), snapshot);
}
