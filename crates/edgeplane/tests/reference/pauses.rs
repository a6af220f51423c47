//! What a game does between two moments that must change nothing: rules that are edited elsewhere, a save, a look ahead.

use edgeplane::fight::{Event, Fight, Log, NamedEvent};
use edgeplane::text::Sources;
use edgeplane::{Game, Time};

use crate::world::{Call, World};
use crate::{played, random, text};

#[derive(Clone, Copy, Debug)]
enum Pause {
    Nothing,
    /// The rules have something more from now on, or not any more, so that everything has another id.
    Adopt,
    Save,
    /// Goes on for a while, and back.
    LookAhead,
}

const MORE: &str = r#"
[attributes]
aaa_mood = 3
[pools]
aaa_spirits = { max = 20, start = "empty", regen = 1 }
[status.aaa_cheer]
duration = 3
modify = [{ attribute = "aaa_mood", add = 1 }]
[zone.aaa_corner]
radius = 2
lasts = 3
affects = "enemies"
[ability.aaa_sing]
does = [{ apply = "aaa_cheer", to = "caster" }]
[gear.aaa_hat]
modify = [{ attribute = "aaa_mood", add = 2 }]
"#;

/// What happens, by name, without looks that come to nothing; nothing where that goes on for ever.
fn play(world: &World, seed: u64, pause: Pause) -> Option<Vec<String>> {
    let text = text::text(world);
    let small = played::game(&text);
    let mut sources = Sources::from_text("more.toml", MORE);
    sources.add("test.toml", &text);
    let large = Game::from_sources(sources, &[]).unwrap();
    let (mut game, mut other) = (&small, &large);
    let mut fight = game.fight("e", seed).unwrap();
    played::answer_gusts(&mut fight);
    let mut stops: Vec<(u64, Option<Call>)> = world.calls.iter().map(|(at, call)| (*at, Some(*call))).collect();
    stops.extend((1..12).map(|stop| (stop * 777_777 + seed % 1_000, None)));
    stops.sort_by_key(|(at, _)| *at);
    let before = world.before.iter().map(|call| (None, Some(*call)));
    let stops = stops.into_iter().map(|(at, call)| (Some(Time(at)), call));
    let (mut log, mut happened) = (Log::default(), Vec::new());
    for (at, call) in before.chain(stops).chain([(Some(Time::NEVER), None)]) {
        let goes_on = at.map_or(Some(true), |at| played::go_on(world, &mut fight, at, &mut log))?;
        note(&fight, &mut log, &mut happened);
        if !goes_on {
            break;
        }
        match pause {
            Pause::Nothing => {}
            Pause::Adopt => {
                (game, other) = (other, game);
                game.adopt(&mut fight).unwrap();
            }
            Pause::Save => {
                let saved = serde_json::to_string(&fight.save()).unwrap();
                fight = game.load(&serde_json::from_str(&saved).unwrap()).unwrap();
                played::answer_gusts(&mut fight);
            }
            Pause::LookAhead => {
                let (saved, ahead) = (fight.snapshot(), Time(fight.now().0 + 900_000));
                played::go_on(world, &mut fight, ahead, &mut Log::default());
                fight.restore(&saved).unwrap();
            }
        }
        if let Some(call) = call {
            played::make(game, &call, &mut fight, &mut log);
        }
    }
    Some(happened)
}

fn note(fight: &Fight, log: &mut Log, happened: &mut Vec<String>) {
    use Event::{Available, Unavailable, Waits, Walks};
    let looks = |event: &Event| matches!(event, Available { .. } | Unavailable { .. } | Waits { .. } | Walks { .. });
    let events = log.events.drain(..).filter(|one| !looks(&one.event));
    happened.extend(events.map(|one| serde_json::to_string(&NamedEvent::new(fight.setup(), one)).unwrap()));
}

#[test]
fn pauses_of_a_game_change_nothing() {
    for seed in 0..100 {
        let world = random::world(seed);
        let Some(expected) = play(&world, seed, Pause::Nothing) else { continue };
        for pause in [Pause::Adopt, Pause::Save, Pause::LookAhead] {
            let found = play(&world, seed, pause).expect("it comes to an end as well");
            let first = expected.iter().zip(&found).find(|(one, other)| one != other);
            assert_eq!(first, None, "{seed} {pause:?}\n{:?} {:?}\n{}", world.before, world.calls, text::text(&world));
            assert_eq!(expected.len(), found.len(), "{seed} {pause:?}");
        }
    }
}
