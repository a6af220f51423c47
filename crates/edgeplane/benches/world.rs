//! The cost of a game's calls, in microseconds and as a share of a frame of a sixtieth of a second: medians of many.
//!
//! `cargo bench --bench world`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::disallowed_methods, missing_docs)]

use std::time::Instant;

use edgeplane::fight::{Handle, Motion};
use edgeplane::{CombatantId, Fight, Game, SideId, Silent, Time};

const RULES: &str = include_str!("../examples/rulesets/meadow.toml");
const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/weir-nine");
const FRAME: u64 = 1_000_000 / 60;
const ROUNDS: usize = 601;

fn median(mut run: impl FnMut(usize)) -> f64 {
    let time = |round| {
        let start = Instant::now();
        run(round);
        start.elapsed().as_secs_f64() * 1e6
    };
    let mut times: Vec<f64> = (0..ROUNDS).map(time).collect();
    times.sort_by(f64::total_cmp);
    times[ROUNDS / 2]
}

fn row(what: &str, micros: f64) {
    println!("| {what} | {micros:.1} µs | {:.2} % |", micros / (FRAME as f64) * 100.0);
}

/// A number of combatants that walk in circles, with the zones of the toads.
fn crowd(game: &Game, count: u16) -> (Fight, Vec<Handle>) {
    let mut fight = game.world_on_ground(&["mowers", "reeds"], 1);
    let characters = ["mower", "adder", "mower", "toad"].map(|name| game.character(name).unwrap());
    let spawn = |number: u16| {
        let (character, side) = (characters[usize::from(number % 4)], SideId(number % 2));
        let handle = fight.spawn(character, side, [f64::from(number), 0.0], &mut Silent).unwrap();
        let who = fight.combatant(handle).unwrap();
        fight.move_by_game(who).unwrap();
        // Nobody is ever defeated, so that all frames are similar.
        let lives = game.program().find_attribute("lives").unwrap();
        fight.set_base(who, lives, 1e9, &mut Silent).unwrap();
        fight.set_pool(who, game.pool("health").unwrap(), 1e9).unwrap();
        handle
    };
    let handles = (0..count).map(spawn).collect();
    (fight, handles)
}

fn motions(fight: &Fight, frame: usize) -> Vec<Motion> {
    let of = |(index, who): (usize, CombatantId)| {
        let (angle, radius) = (frame as f64 * 0.004 + index as f64, 2.0 + (index % 10) as f64 * 2.0);
        let (along, across) = (libm::cos(angle), libm::sin(angle));
        Motion {
            who,
            place: [radius * along, radius * across],
            velocity: [-0.24 * radius * across, 0.24 * radius * along],
        }
    };
    fight.present().enumerate().map(of).collect()
}

fn main() {
    let game = Game::from_text("meadow.toml", RULES).unwrap();
    println!("| call | time | of a frame |\n|---|---|---|");
    let (mut fight, handles) = crowd(&game, 100);
    let mut frame = 0;
    let (mut moving, mut passing) = (0.0, 0.0);
    for part in 0..2 {
        let time = median(|_| {
            frame += 1;
            let motions = motions(&fight, frame);
            if part == 0 {
                fight.set_motions(&motions).unwrap();
            }
            fight.advance(Time(frame as u64 * FRAME), &mut Silent).unwrap();
        });
        if part == 0 { moving = time } else { passing = time }
    }
    row("a frame of 100 combatants whom the game moves, with zones and reach", moving);
    row("the same frame without moving anybody", passing);
    let (adder, place) = (game.character("adder").unwrap(), [500.0, 0.0]);
    row(
        "`spawn` and `despawn` among 100",
        median(|_| {
            let handle = fight.spawn(adder, SideId(1), place, &mut Silent).unwrap();
            fight.despawn(handle, &mut Silent).unwrap();
        }),
    );
    row(
        "`within`, among 100",
        median(|round| {
            assert!(fight.within([round as f64 / 100.0, 0.0], 5.0).count() < 100);
        }),
    );
    let who = fight.combatant(handles[0]).unwrap();
    let mow = game.ability("mow").unwrap();
    row("`button`", median(|_| assert!(fight.button(who, mow).unwrap().is_some())));
    row("`save`, 100 combatants", median(|_| assert!(fight.save().bytes() > 1_000)));
    let edited = Game::from_text("meadow.toml", &RULES.replace("lives = 260", "lives = 261")).unwrap();
    row(
        "`adopt`, 100 combatants",
        median(|round| {
            let rules = if round % 2 == 0 { &edited } else { &game };
            assert_eq!(rules.adopt(&mut fight).unwrap().lost().count(), 0);
        }),
    );

    let demo = Game::open(DEMO).unwrap();
    let mut fight = demo.fight("flats", 2).unwrap();
    fight.advance(Time::from_seconds(8.0), &mut Silent).unwrap();
    let mut kept = fight.snapshot();
    let bytes = kept.bytes();
    row("`snapshot_into`, ten combatants on the ground", median(|_| fight.snapshot_into(&mut kept)));
    row("`restore`, ten combatants on the ground", median(|_| fight.restore(&kept).unwrap()));
    // The cost of eight frames depends on their time: measured once for each second of the fight.
    let mut times: Vec<f64> = Vec::new();
    for second in 1..=30 {
        fight.restart(2);
        let start = second * 1_000_000;
        fight.advance(Time(start), &mut Silent).unwrap();
        fight.snapshot_into(&mut kept);
        times.push(median(|_| {
            fight.restore(&kept).unwrap();
            for frame in 1..=8 {
                fight.advance(Time(start + frame * FRAME), &mut Silent).unwrap();
            }
        }));
        assert!(fight.ending().is_none(), "over after {second} s");
    }
    row("eight frames back and forth, ten combatants on the ground", times.iter().sum::<f64>() / times.len() as f64);
    row("the same at the busiest of thirty moments", times.iter().copied().fold(0.0, f64::max));
    println!("\nA snapshot of ten combatants on the ground: {} kB; of a duel: {} kB.", bytes / 1_000, {
        let mut duel = demo.fight("duel", 1).unwrap();
        duel.advance(Time::from_seconds(5.0), &mut Silent).unwrap();
        duel.snapshot().bytes() as f64 / 1_000.0
    });
}
