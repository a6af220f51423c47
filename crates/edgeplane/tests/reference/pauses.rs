//! Operations of a game between two moments that must not change anything: adopting edited rules, saving, looking
//! ahead.

use edgeplane::fight::{Event, Fight, Handle, Log, NamedEvent};
use edgeplane::text::Sources;
use edgeplane::{Game, SideId, Time};

use crate::calls::Call;
use crate::random::{self, Dice};
use crate::world::World;
use crate::{played, text};

#[derive(Clone, Copy, Debug)]
enum Pause {
    Nothing,
    /// Adds an unused rule, or removes it, so that all ids change.
    Adopt,
    Save,
    /// Advances for a while, and restores.
    LookAhead,
    /// Frame by frame in between.
    Frames,
}

const UNUSED: &str = include_str!("../cases/unused_rules.toml");

/// A fight that is paused from time to time.
struct Paused<'a> {
    world: &'a World,
    pause: Pause,
    game: Game,
    other: Game,
    fight: Fight,
    log: Log,
    /// The events by name, without evaluations.
    happened: Vec<String>,
}

impl<'a> Paused<'a> {
    fn new(world: &'a World, pause: Pause, begin: impl Fn(&Game) -> Fight) -> Self {
        let text = text::text(world);
        let game = played::game(&text);
        let mut sources = Sources::from_text("unused.toml", UNUSED);
        sources.add("test.toml", &text);
        let mut fight = begin(&game);
        played::answer_gusts(&mut fight);
        let other = Game::from_sources(sources, &[]).unwrap();
        Self { world, pause, game, other, fight, log: Log::default(), happened: Vec::new() }
    }

    /// Advances to a time and pauses; returns whether the fight continues, or `None` if a moment never ends.
    fn go_on(&mut self, at: Time) -> Option<bool> {
        if let Pause::Frames = self.pause {
            let mut frame = Time(self.fight.now().0 + 16_667);
            while frame < at && self.fight.ending().is_none() {
                played::go_on(self.world, &mut self.fight, frame, &mut self.log)?;
                frame.0 += 16_667;
            }
        }
        let goes_on = played::go_on(self.world, &mut self.fight, at, &mut self.log)?;
        self.note();
        match self.pause {
            Pause::Adopt => {
                std::mem::swap(&mut self.game, &mut self.other);
                self.game.adopt(&mut self.fight).unwrap();
            }
            Pause::Save => {
                let saved = serde_json::to_string(&self.fight.save()).unwrap();
                self.fight = self.game.load(&serde_json::from_str(&saved).unwrap()).unwrap();
                played::answer_gusts(&mut self.fight);
            }
            Pause::LookAhead => {
                let (saved, ahead) = (self.fight.snapshot(), Time(self.fight.now().0 + 900_000));
                played::go_on(self.world, &mut self.fight, ahead, &mut Log::default());
                self.fight.restore(&saved).unwrap();
            }
            Pause::Nothing | Pause::Frames => {}
        }
        Some(goes_on)
    }

    fn note(&mut self) {
        use Event::{Available, Unavailable, Waits, Walks};
        let looks =
            |event: &Event| matches!(event, Available { .. } | Unavailable { .. } | Waits { .. } | Walks { .. });
        let events = self.log.events.drain(..).filter(|one| !looks(&one.event));
        let named = |one| serde_json::to_string(&NamedEvent::new(self.fight.setup(), one)).unwrap();
        self.happened.extend(events.map(named));
    }
}

/// The events of an encounter with its calls, paused before each of them and eleven times in addition.
fn play(world: &World, seed: u64, pause: Pause) -> Option<Vec<String>> {
    let mut paused = Paused::new(world, pause, |game| game.fight("e", seed).unwrap());
    let mut stops: Vec<(u64, Option<Call>)> = world.calls.iter().map(|(at, call)| (*at, Some(*call))).collect();
    stops.extend((1..12).map(|stop| (stop * 777_777 + seed % 1_000, None)));
    stops.sort_by_key(|(at, _)| *at);
    world.before.iter().for_each(|call| played::make(&paused.game, call, &mut paused.fight, &mut paused.log));
    for (at, call) in stops.into_iter().chain([(u64::MAX, None)]) {
        if !paused.go_on(Time(at))? {
            break;
        }
        if let Some(call) = call {
            played::make(&paused.game, &call, &mut paused.fight, &mut paused.log);
        }
    }
    Some(paused.happened)
}

/// The same if combatants are spawned and despawned, and the game moves some of them.
fn roam(world: &World, seed: u64, pause: Pause) -> Option<Vec<String>> {
    let sides = ["l", "r"];
    let begin = |game: &Game| {
        if seed.is_multiple_of(3) { game.world(&sides, seed) } else { game.world_on_ground(&sides, seed) }
    };
    let mut paused = Paused::new(world, pause, begin);
    let mut dice = Dice(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ 99);
    let mut handles: Vec<Handle> = Vec::new();
    let mut at = 0;
    for _ in 0..60 {
        at += dice.below(400_000);
        if !paused.go_on(Time(at))? {
            break;
        }
        let Paused { game, fight, log, happened, .. } = &mut paused;
        let (what, pick, more) = (dice.below(20), dice.index(1_000), dice.index(100));
        let place = [dice.below(12) as f64 - 6.0, dice.below(8) as f64 - 4.0];
        if what < 4 || handles.is_empty() {
            let character = game.character(&format!("c{}", pick % 4)).unwrap();
            handles.push(fight.spawn(character, SideId(more as u16 % 2), place, log).unwrap());
            continue;
        }
        let handle = handles[pick % handles.len()];
        let who = fight.combatant(handle).unwrap();
        let turn = more % 2 == 0;
        match what {
            4 | 5 => {
                fight.despawn(handle, log).unwrap();
                handles.retain(|other| *other != handle);
            }
            6 => fight.set_motion(who, place, [more as f64 / 50.0 - 1.0, 0.0]).unwrap(),
            7 if turn => fight.move_by_game(who).unwrap(),
            7 => fight.move_by_policy(who).unwrap(),
            8 => {
                let ability = game.ability(&format!("a{}", more % world.abilities.len())).unwrap();
                happened.push(format!("{}", fight.use_ability(who, ability, None, log).unwrap().is_ok()));
            }
            9 => {
                let status = game.status(&format!("s{}", more % world.statuses.len())).unwrap();
                fight.apply_status(status, who, who, 1, log).unwrap();
            }
            10 if turn => fight.take_control(who).unwrap(),
            10 => fight.release_control(who).unwrap(),
            11 => fight.set_facing(who, [place[0] + 0.5, place[1]]).unwrap(),
            12 | 13 => {
                let ability = game.ability(&format!("a{}", more % world.abilities.len())).unwrap();
                happened
                    .push(format!("{}", fight.use_ability_at(who, ability, place, log).is_ok_and(|done| done.is_ok())));
            }
            14 if !world.gear.is_empty() => {
                let piece = game.gear(&format!("g{}", more % world.gear.len())).unwrap();
                if pick % 2 == 0 {
                    fight.wear(who, piece, log).unwrap()
                } else {
                    fight.take_off(who, piece, log).unwrap()
                }
            }
            15 => {
                let vigour = game.program().find_attribute("vigour").unwrap();
                fight.set_base(who, vigour, 20.0 + more as f64, log).unwrap();
            }
            16 => fight.walk(who, [1.0, place[1] / 4.0], log).unwrap(),
            17 => _ = fight.cancel(who, log).unwrap(),
            18 => fight.bring_about(game.cause("flood").unwrap(), None, who, more as f64 / 8.0, log).unwrap(),
            _ => fight.set_pool(who, game.pool("health").unwrap(), more as f64).unwrap(),
        }
    }
    paused.note();
    Some(paused.happened)
}

fn pauses_change_nothing(seeds: u64, play: fn(&World, u64, Pause) -> Option<Vec<String>>) {
    for seed in 0..seeds {
        let world = random::world(seed);
        let Some(expected) = play(&world, seed, Pause::Nothing) else { continue };
        for pause in [Pause::Adopt, Pause::Save, Pause::LookAhead, Pause::Frames] {
            let found = play(&world, seed, pause).expect("it comes to an end as well");
            let first = expected.iter().zip(&found).find(|(one, other)| one != other);
            assert_eq!(first, None, "{seed} {pause:?}\n{:?} {:?}\n{}", world.before, world.calls, text::text(&world));
            assert_eq!(expected.len(), found.len(), "{seed} {pause:?}");
        }
    }
}

#[test]
fn pauses_of_a_game_change_nothing() {
    pauses_change_nothing(100, play);
}

#[test]
fn nor_do_they_where_combatants_come_and_go() {
    pauses_change_nothing(40, roam);
}
