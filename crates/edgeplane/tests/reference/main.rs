//! The reference model: a second implementation of the rules, written from the guide and not from the engine; small,
//! slow and obvious. It advances in steps of 62.5 ms, evaluates all lines of all policies at each of them, and caches
//! nothing. Thousands of random encounters must give the same events.
//!
//! It covers attributes, pools, hits, statuses, triggers, abilities and policies; sustained abilities, and abilities
//! that are given and taken; the ground with reach, areas, bodies, pushes, zones, flights and walkers; gear and sets,
//! levels, threat and taunts, charms, points, scripts, reinforcements, and the calls of a game before and during a
//! fight, including spawns and despawns. Draws have their more likely outcome. Walkers move on a line, so that times
//! are exact.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)]
// What is forbidden to the core, since its bytes must be the same everywhere, tests may use.
#![allow(clippy::disallowed_methods)]

mod calls;
mod ground;
mod keys;
mod model;
mod pauses;
mod played;
mod random;
mod text;
mod world;

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use edgeplane::Setup;
use edgeplane::fight::{Ending, Event, Fight, Likely, Log, Logged};
use model::Model;
use world::{Ground, STEP, World};

/// The events of the engine; `None` for a world in which a moment never ends, as can happen.
fn play(world: &World) -> Option<Vec<Logged>> {
    let game = played::game(&text::text(world));
    let setup = Arc::new(Setup::of(game.program(), game.encounter("e").unwrap()));
    // All tie-breaks are then equal, and combatants act in the order of the encounter.
    let mut fight = Fight::with_chance(setup, Likely, 0);
    let mut log = Log::default();
    played::play(world, &game, &mut fight, &mut log).then_some(log.events)
}

/// Equality up to rounding errors on the plane.
fn alike(one: &Logged, other: &Logged) -> bool {
    fn near(one: &serde_json::Value, other: &serde_json::Value) -> bool {
        use serde_json::Value::{Array, Number, Object};
        match (one, other) {
            (Number(a), Number(b)) => {
                let (a, b) = (a.as_f64().unwrap(), b.as_f64().unwrap());
                (a - b).abs() <= 1e-9 * a.abs().max(1.0)
            }
            (Array(a), Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| near(a, b)),
            (Object(a), Object(b)) => {
                a.len() == b.len() && a.iter().zip(b).all(|((k, a), (l, b))| k == l && near(a, b))
            }
            _ => one == other,
        }
    }
    let json = |event: &Event| serde_json::to_value(event).unwrap();
    one == other || (one.at == other.at && near(&json(&one.event), &json(&other.event)))
}

fn compare(seed: u64) -> usize {
    let world = random::world(seed);
    let Some(engine) = play(&world) else { return 0 };
    let skipped = |event: &Event| {
        matches!(
            event,
            Event::Unavailable { .. }
                | Event::Available { .. }
                | Event::Waits { .. }
                | Event::Walks { .. }
                | Event::Began
        )
    };
    // Two walkers that approach each other meet between two steps of the model; one that leaves a zone does so after a
    // step.
    let is_between = |logged: &&Logged| world.ground == Ground::Walked && !logged.at.0.is_multiple_of(STEP);
    let between = engine.iter().find(is_between).map(|logged| logged.at);
    let mut engine: Vec<&Logged> = engine.iter().filter(|logged| !skipped(&logged.event)).collect();
    let Some(mut model) = Model::play(&world) else { return 0 };
    // The model does not detect that nothing more can happen; it continues to the end.
    let is_stalemate = |logged: &&mut &Logged| matches!(logged.event, Event::Ended { ending: Ending::Stalemate });
    if engine.last_mut().filter(is_stalemate).is_some() {
        engine.pop();
        model.pop();
    }
    let lines = |logged: &[&Logged]| logged.iter().map(|one| format!("   {one:?}\n")).collect::<String>();
    let about = || format!("{:?}\n{}", world.calls, text::text(&world));
    for (index, (one, other)) in engine.iter().zip(&model).enumerate() {
        if !alike(one, other) && between.is_some_and(|between| between <= one.at) {
            return 0;
        }
        let before = || lines(&engine[index.saturating_sub(8)..index]);
        assert!(
            alike(one, other),
            "seed {seed}, event {index}\nengine {one:?}\nmodel  {other:?}\nafter\n{}{}",
            before(),
            about()
        );
    }
    let (one, other) = (engine.get(model.len()), model.get(engine.len()));
    let last = || lines(&engine[engine.len().saturating_sub(8)..]);
    assert_eq!(engine.len(), model.len(), "seed {seed}\nengine {one:?}\nmodel  {other:?}\n{}{}", last(), about());
    engine.len()
}

/// Worlds that differed once among a million.
const FOUND: [u64; 1] = [238_133];

/// The number given by `EDGEPLANE_WORLDS`, or six thousand.
#[test]
fn the_model_and_the_engine_agree_on_thousands_of_encounters() {
    let wanted = std::env::var("EDGEPLANE_WORLDS").map_or(6_000, |count| count.parse().unwrap());
    FOUND.iter().for_each(|seed| assert!(compare(*seed) > 0));
    let next = AtomicU64::new(0);
    let some = || {
        let (mut events, mut compared) = (0, 0);
        loop {
            let seed = next.fetch_add(1, Ordering::Relaxed);
            if seed >= wanted {
                return (events, compared);
            }
            let found = compare(seed);
            (events, compared) = (events + found, compared + u64::from(found > 0));
        }
    };
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let (events, compared) = std::thread::scope(|scope| {
        let all: Vec<_> = (0..threads).map(|_| scope.spawn(some)).collect();
        let all = all.into_iter().map(|one| one.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
        all.fold((0, 0), |sum, one| (sum.0 + one.0, sum.1 + one.1))
    });
    println!("{compared} of {wanted} encounters, {events} events");
    assert!(compared * 10 > wanted * 8, "only {compared} encounters: too often the last bits decide");
    assert!(events as u64 > 70 * wanted, "only {events} events: the encounters are too quiet");
}

/// Keys that no world uses are in a list, with reasons.
#[test]
fn the_worlds_have_every_key_of_the_format_but_for_those_in_the_list() {
    let mut used = keys::Keys::new();
    (0..4_000).for_each(|seed| keys::used(&text::text(&random::world(seed)), &mut used));
    let all = keys::all();
    let left: Vec<String> = all.difference(&used).map(|(table, key)| format!("{table}: {key}")).collect();
    let listed = include_str!("../cases/keys_without_a_model.txt").lines().filter_map(|line| line.split_once(": "));
    let listed = listed.filter(|(table, _)| !table.starts_with('#'));
    let mut listed: Vec<String> =
        listed.flat_map(|(table, keys)| keys.split(' ').map(move |key| format!("{table}: {key}"))).collect();
    listed.sort_unstable();
    assert_eq!(left, listed, "{} of {} keys are used", used.len(), all.len());
}
