//! Fights with combatants that are spawned, despawned, and moved by a game.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{demo, game};
use edgeplane::fight::{Action, Fight, Handle, Log, Logged, Motion, SavedFight, UnavailableReason};
use edgeplane::{Event, Game, Override, SideId, Silent, Time};

const WALL: SideId = SideId(0);
const REEDS: SideId = SideId(1);

/// Two that hit each other without chance, one of which poisons.
const MARSH: &str = r#"
    [attributes]
    lives = 50
    [pools]
    health = { max = "lives", defeat = true }
    [status.venom]
    kind = "debuff"
    duration = 4
    every = { period = 1, does = [{ damage = 2 }] }
    [ability.hoe]
    cast = 0.5
    cooldown = 1
    reach = 2
    does = [{ damage = 6 }]
    [ability.bite]
    cooldown = 1.3
    reach = 2
    does = [{ damage = 3 }, { apply = "venom" }]
    [character.farmhand]
    abilities = ["hoe"]
    [character.adder]
    attributes = { lives = 30 }
    abilities = ["bite"]
    [encounter.path]
    sides = { wall = ["farmhand"], reeds = ["adder"] }
    time_limit = 60
"#;

const SIDES: [&str; 2] = ["wall", "reeds"];

fn at(seconds: f64) -> Time {
    Time::from_seconds(seconds)
}

fn happened(log: &Log) -> Vec<Logged> {
    let comes_and_goes =
        |event: &Event| matches!(event, Event::Joined { .. } | Event::Despawned { .. } | Event::Ended { .. });
    log.events.iter().filter(|logged| !comes_and_goes(&logged.event)).copied().collect()
}

#[test]
fn who_is_spawned_at_the_start_fights_as_in_an_encounter() {
    let game = game(MARSH);
    let (_, expected) = game.play("path", 1).unwrap();
    let mut log = Log::default();
    let mut fight = game.world(&SIDES, 1);
    fight.spawn(game.character("farmhand").unwrap(), WALL, [0.0; 2], &mut log).unwrap();
    let adder = fight.spawn(game.character("adder").unwrap(), REEDS, [0.0; 2], &mut log).unwrap();
    assert_eq!(fight.advance(at(60.0), &mut log).unwrap(), None, "a world goes on");
    let adder = fight.combatant(adder).unwrap();
    assert!(!fight.stands(adder));
    // The second was given a slot behind the room for more of the first.
    let renamed =
        |logged: &Logged| format!("{logged:?}").replace(&format!("CombatantId({})", adder.0), "CombatantId(1)");
    let hits = |log: &Log| -> Vec<String> {
        let of = |logged: &&Logged| {
            matches!(logged.event, Event::Hit { .. } | Event::Defeated { .. } | Event::StatusGained { .. })
        };
        // In the world the venom of a defeated caster continues.
        let end = log.events.iter().position(|one| matches!(one.event, Event::Defeated { .. })).unwrap();
        log.events[..=end].iter().filter(of).map(renamed).collect()
    };
    assert_eq!(hits(&log), hits(&expected));
    assert!(hits(&log).len() > 10);
}

/// A combatant that spawns and despawns at once changes nothing for others, although there is room for more of them
/// from then on.
#[test]
fn room_that_is_made_in_a_fight_changes_nothing_in_it() {
    let game = demo();
    for encounter in game.program().encounters() {
        for character in ["silt_crab", "sluicer"] {
            let (character, mut expected, mut log) =
                (game.character(character).unwrap(), Log::default(), Log::default());
            let mut fight = game.fight(&encounter.name, 3).unwrap();
            fight.advance(at(4.0), &mut expected).unwrap();
            let mut other = fight.clone();
            log.events.clone_from(&expected.events);
            let before = other.snapshot();
            let passer_by = other.spawn(character, WALL, [900.0, 900.0], &mut log).unwrap();
            other.despawn(passer_by, &mut log).unwrap();
            fight.run(&mut expected).unwrap();
            other.run(&mut log).unwrap();
            let quiet = |log: &Log| -> Vec<Logged> {
                let decided = |event: &Event| matches!(event, Event::Waits { .. } | Event::Walks { .. });
                let own = |event: &Event| match event {
                    Event::StatusGained { target, .. }
                    | Event::StatusLost { target, .. }
                    | Event::CapChanged { who: target, .. } => target.index() < fight.setup().combatants.len(),
                    _ => true,
                };
                happened(log).into_iter().filter(|logged| !decided(&logged.event) && own(&logged.event)).collect()
            };
            assert_eq!(quiet(&log), quiet(&expected), "{}", encounter.name);
            // Restoring a state from before there was room continues as before, too.
            let mut again = Log::default();
            other.restore(&before).unwrap();
            other.run(&mut again).unwrap();
            assert!(expected.events.ends_with(&again.events) && !again.events.is_empty(), "{}", encounter.name);
        }
    }
}

/// A game that rolls back may have spawned others since.
#[test]
fn a_snapshot_is_restored_after_later_spawns() {
    let game = game(&MARSH.replace("does = [{ damage = 6 }]", "does = [{ damage = 6, spread = 0.5 }]"));
    let [hand, adder] = ["farmhand", "adder"].map(|name| game.character(name).unwrap());
    let mut fight = game.world(&SIDES, 9);
    fight.spawn(hand, WALL, [0.0; 2], &mut Silent).unwrap();
    let empty = fight.snapshot();
    let mut branch = |character, side| {
        fight.restore(&empty).unwrap();
        fight.spawn(character, side, [0.0; 2], &mut Silent).unwrap();
        fight.spawn(adder, REEDS, [0.0; 2], &mut Silent).unwrap();
        fight.advance(at(1.0), &mut Silent).unwrap();
        let snapshot = fight.snapshot();
        let mut log = Log::default();
        fight.advance(at(9.0), &mut log).unwrap();
        (snapshot, log)
    };
    let branches = [branch(adder, REEDS), branch(hand, WALL), branch(hand, REEDS)];
    for (snapshot, expected) in branches.iter().rev().chain(&branches) {
        let mut log = Log::default();
        fight.restore(snapshot).unwrap();
        fight.advance(at(9.0), &mut log).unwrap();
        assert_eq!(&log, expected);
    }
    assert!(branches[0].1 != branches[2].1);
}

/// The behaviour of a world in which monsters spawn and despawn all the time.
fn come_and_go(game: &Game, seed: u64, spawns: usize) -> (Log, Vec<usize>, usize) {
    let (mut log, mut sizes) = (Log::default(), Vec::new());
    let mut fight = game.world_on_ground(&SIDES, seed);
    let characters = ["farmhand", "adder"].map(|name| game.character(name).unwrap());
    let mut there: Vec<Handle> = Vec::new();
    for number in 0..spawns {
        let side = number % 2;
        let spot = [(number * 37 % 101) as f64 / 10.0, (number * 53 % 97) as f64 / 10.0];
        there.push(fight.spawn(characters[side], SideId(side as u16), spot, &mut log).unwrap());
        fight.advance(Time(fight.now().0 + 20_000), &mut log).unwrap();
        if there.len() == 60 {
            let gone = there.remove(number * 7 % 60);
            fight.despawn(gone, &mut log).unwrap();
            let error = fight.despawn(gone, &mut log).unwrap_err();
            assert!(error.to_string().contains("stale"), "{error}");
            // The one that takes its slot is another combatant.
            let next = fight.spawn(characters[1 - side], SideId(1 - side as u16), spot, &mut log).unwrap();
            assert!(fight.combatant(gone).is_err() && fight.combatant(next).is_ok());
            there.push(next);
            let last = there.remove(0);
            fight.despawn(last, &mut log).unwrap();
        }
        if number % 500 == 0 {
            sizes.push(fight.snapshot().bytes());
        }
    }
    (log, sizes, fight.setup().combatants.len())
}

#[test]
fn ten_thousand_who_come_and_go_take_no_more_room_than_those_who_are_there() {
    let game = game(MARSH);
    let (log, sizes, places) = come_and_go(&game, 5, 10_000);
    assert!(places <= 200, "{places} places for 60 at a time");
    let later = &sizes[sizes.len() / 4..];
    let (least, most) = (later.iter().min().unwrap(), later.iter().max().unwrap());
    assert!(*most as f64 <= 1.25 * *least as f64, "{sizes:?}");
    assert!(log.events.iter().filter(|logged| matches!(logged.event, Event::Hit { .. })).count() > 10_000);
    let again = come_and_go(&game, 5, 1_000).0;
    assert_eq!(log.events[..again.events.len()], again.events, "the same seed and calls, the same events");
}

#[test]
fn a_spawn_that_cannot_be_is_an_error_and_changes_nothing() {
    let game = game(MARSH);
    let mut fight = game.world_on_ground(&SIDES, 1);
    let adder = game.character("adder").unwrap();
    for (character, side, place, why) in [
        (edgeplane::CharacterId(99), WALL, [0.0; 2], "no character 99"),
        (adder, SideId(7), [0.0; 2], "no side 7"),
        (adder, REEDS, [f64::NAN, 0.0], "finite"),
    ] {
        let error = fight.spawn(character, side, place, &mut Silent).unwrap_err();
        assert!(error.to_string().contains(why), "{error}");
    }
    assert_eq!((fight.present().count(), fight.ending()), (0, None));
    let all: Vec<_> = (0..1_000).map(|_| fight.spawn(adder, REEDS, [0.0; 2], &mut Silent).unwrap()).collect();
    let error = fight.spawn(adder, REEDS, [0.0; 2], &mut Silent).unwrap_err();
    assert!(error.to_string().contains("no room for more than 1000"), "{error}");
    fight.despawn(all[500], &mut Silent).unwrap();
    fight.spawn(adder, REEDS, [0.0; 2], &mut Silent).unwrap();
}

#[test]
fn the_game_moves_whom_it_wants_to_move_and_reach_follows() {
    let game = game(MARSH);
    let mut fight = game.world_on_ground(&SIDES, 1);
    let mut log = Log::default();
    let hand = fight.spawn(game.character("farmhand").unwrap(), WALL, [0.0; 2], &mut log).unwrap();
    let adder = fight.spawn(game.character("adder").unwrap(), REEDS, [30.0, 0.0], &mut log).unwrap();
    let [hand, adder] = [hand, adder].map(|handle| fight.combatant(handle).unwrap());
    for who in [hand, adder] {
        fight.move_by_game(who).unwrap();
    }
    // Out of reach, and nobody walks.
    fight.advance(at(5.0), &mut log).unwrap();
    assert_eq!((fight.place(hand), fight.place(adder)), ([0.0; 2], [30.0, 0.0]));
    assert!(!log.events.iter().any(|logged| matches!(logged.event, Event::Hit { .. } | Event::Walks { .. })));
    // The game pushes the adder along, frame by frame: it is in reach at two metres.
    for frame in 1..=300 {
        let seconds = 5.0 + f64::from(frame) / 60.0;
        let x = (30.0 - f64::from(frame) * 0.1).max(1.0);
        fight.set_motions(&[Motion { who: adder, place: [x, 0.0], velocity: [-6.0, 0.0] }]).unwrap();
        fight.advance(at(seconds), &mut log).unwrap();
    }
    fight.set_motion(adder, [1.0, 0.0], [0.0; 2]).unwrap();
    fight.advance(at(15.0), &mut log).unwrap();
    let bite =
        log.events.iter().find(|logged| matches!(logged.event, Event::Hit { caster, .. } if caster == adder)).unwrap();
    // 28 metres at 6 per second, within the frame of the call.
    assert!((bite.at.seconds() - (5.0 + 28.0 / 6.0)).abs() < 1.0 / 30.0, "{bite:?}");
    assert!(log.events.iter().any(|logged| matches!(logged.event, Event::Hit { caster, .. } if caster == hand)));
    assert_eq!((fight.place(hand), fight.place(adder)), ([0.0; 2], [1.0, 0.0]));
    assert_eq!(fight.within([0.5, 0.0], 0.6).collect::<Vec<_>>(), [hand, adder]);
    assert_eq!(fight.within([-0.5, 0.0], 0.6).collect::<Vec<_>>(), [hand]);
    assert!(fight.set_motion(adder, [f64::INFINITY, 0.0], [0.0; 2]).is_err());
}

/// A motion that the other one began does not continue: neither a walk when the game takes over, nor a push by the
/// game.
#[test]
fn a_combatant_whose_mover_changes_stands_still_first() {
    let game = game(&MARSH.replace("lives = 50", "lives = 50\n    speed = 2"));
    let mut fight = game.world_on_ground(&SIDES, 1);
    let hand = fight.spawn(game.character("farmhand").unwrap(), WALL, [0.0; 2], &mut Silent).unwrap();
    let adder = fight.spawn(game.character("adder").unwrap(), REEDS, [60.0, 0.0], &mut Silent).unwrap();
    let [hand, adder] = [hand, adder].map(|handle| fight.combatant(handle).unwrap());
    fight.move_by_game(hand).unwrap();
    fight.advance(at(2.0), &mut Silent).unwrap();
    let [x, _] = fight.place(adder);
    assert!(x < 60.0, "it walks");
    fight.move_by_game(adder).unwrap();
    fight.set_motion(hand, [0.0; 2], [0.0, -1.0]).unwrap();
    fight.advance(at(4.0), &mut Silent).unwrap();
    assert_eq!((fight.place(adder)[0], fight.place(hand)), (x, [0.0, -2.0]));
    // A combatant that is returned to its policy walks by itself, and so does one that is pushed without being taken
    // over.
    fight.take_control(hand).unwrap();
    fight.move_by_policy(hand).unwrap();
    fight.move_by_policy(adder).unwrap();
    fight.set_motion(adder, [50.0, -2.0], [9.0, 0.0]).unwrap();
    fight.advance(at(5.0), &mut Silent).unwrap();
    assert_eq!(fight.place(hand), [0.0, -2.0]);
    assert!(fight.place(adder)[0] < 50.0, "{:?}", fight.place(adder));
}

/// Without ground nobody has a position, whatever a spawn gives: all are in every zone, and in reach.
#[test]
fn a_place_is_no_matter_where_there_is_no_ground() {
    let puddle = "[zone.puddle]\nradius = 2\nlasts = 9\naffects = \"everyone\"\nowner = true\n[ability.spill]\ndoes = [{ zone = \"puddle\" }]\n";
    let game = game(&format!("{MARSH}\n{puddle}"));
    let mut fight = game.world(&SIDES, 1);
    let mut log = Log::default();
    let [hand, other] = [[0.0; 2], [30.0, 0.0]].map(|place| {
        let handle = fight.spawn(game.character("farmhand").unwrap(), WALL, place, &mut log).unwrap();
        fight.combatant(handle).unwrap()
    });
    fight.apply_effects(hand, game.ability("spill").unwrap(), hand, &mut log).unwrap();
    fight.advance(at(1.0), &mut log).unwrap();
    let entered = |event: &Event| if let Event::Entered { who, .. } = event { Some(*who) } else { None };
    assert_eq!(log.events.iter().filter_map(|one| entered(&one.event)).collect::<Vec<_>>(), [hand, other]);
    assert_eq!(fight.place(other), [0.0; 2]);
}

#[test]
fn control_is_given_back() {
    let game = game(MARSH);
    let mut fight = game.fight("path", 1).unwrap();
    let hand = game.combatant(&fight, "farmhand").unwrap();
    let mut log = Log::default();
    fight.take_control(hand).unwrap();
    fight.advance(at(5.0), &mut log).unwrap();
    let acts =
        |log: &Log| log.events.iter().any(|one| matches!(one.event, Event::Used { caster, .. } if caster == hand));
    assert!(!acts(&log));
    fight.release_control(hand).unwrap();
    fight.advance(at(5.5), &mut log).unwrap();
    assert!(acts(&log), "its policy decides in the moment in which it is back");
}

/// Everybody walks in a circle, each at its own speed.
fn circling(fight: &Fight, seconds: f64) -> Vec<Motion> {
    let of = |(index, who): (usize, edgeplane::CombatantId)| {
        let (angle, radius) = (seconds * 0.4 + index as f64, 2.0 + (index % 4) as f64 * 3.0);
        let (along, across) = (libm::cos(angle), libm::sin(angle));
        Motion {
            who,
            place: [radius * along, radius * across],
            velocity: [-0.4 * radius * across, 0.4 * radius * along],
        }
    };
    fight.present().enumerate().map(of).collect()
}

#[test]
fn to_move_many_at_once_is_to_move_them_one_after_the_other() {
    for encounter in ["flats", "sluice_gate", "breach"] {
        let mut logs = [Log::default(), Log::default()];
        for (number, log) in logs.iter_mut().enumerate() {
            let mut fight = demo().fight(encounter, 2).unwrap();
            fight.setup().clone().ids().for_each(|who| fight.move_by_game(who).unwrap());
            for frame in 0..1_200 {
                let motions = circling(&fight, f64::from(frame) / 60.0);
                if number == 0 {
                    fight.set_motions(&motions).unwrap();
                } else {
                    motions.iter().for_each(|one| fight.set_motion(one.who, one.place, one.velocity).unwrap());
                }
                fight.advance(at(f64::from(frame + 1) / 60.0), log).unwrap();
            }
        }
        let [together, apart] = logs.map(|log| happened(&log));
        let known = |events: Vec<Logged>| -> Vec<Logged> {
            events.into_iter().filter(|one| !matches!(one.event, Event::Waits { .. })).collect()
        };
        assert!(together.iter().any(|one| matches!(one.event, Event::Hit { .. })), "{encounter}");
        let [together, apart] = [known(together), known(apart)];
        let first = together.iter().zip(&apart).position(|(one, other)| one != other);
        if let Some(first) = first {
            let around = first.saturating_sub(3)..first + 4;
            panic!("{encounter}: {:?}\n{:?}", &together[around.clone()], &apart[around]);
        }
        assert_eq!(together.len(), apart.len(), "{encounter}");
    }
}

#[test]
fn a_fight_that_was_saved_goes_on_as_if_it_had_never_stopped() {
    let game = demo();
    for encounter in game.program().encounters() {
        let mut fight = game.fight(&encounter.name, 11).unwrap();
        let mut log = Log::default();
        for second in [0.0, 3.0, 12.5] {
            fight.advance(at(second), &mut log).unwrap();
            let text = serde_json::to_string(&fight.save()).unwrap();
            // Like another process, with rules that it has read again.
            let saved: SavedFight = serde_json::from_str(&text).unwrap();
            let mut loaded = demo().load(&saved).unwrap();
            let (mut expected, mut found) = (Log::default(), Log::default());
            let ending = fight.clone().run(&mut expected).unwrap();
            assert_eq!((loaded.run(&mut found).unwrap(), found), (ending, expected), "{} {second}", encounter.name);
        }
    }
}

#[test]
fn a_world_that_was_saved_has_everybody_who_was_spawned() {
    let game = game(MARSH);
    let mut fight = game.world_on_ground(&SIDES, 3);
    let [hand, adder] = ["farmhand", "adder"].map(|name| game.character(name).unwrap());
    let mut handles = Vec::new();
    for index in 0..9 {
        handles.push(fight.spawn(adder, REEDS, [f64::from(index), 0.0], &mut Silent).unwrap());
        handles.push(fight.spawn(hand, WALL, [f64::from(index), 1.0], &mut Silent).unwrap());
    }
    fight.advance(at(4.0), &mut Silent).unwrap();
    fight.despawn(handles[4], &mut Silent).unwrap();
    let saved = fight.save();
    let mut loaded = game.load(&saved).unwrap();
    assert!(loaded.combatant(handles[4]).is_err() && loaded.combatant(handles[5]).is_ok());
    let logs = [&mut fight, &mut loaded].map(|fight| {
        let mut log = Log::default();
        fight.spawn(adder, REEDS, [3.0, 3.0], &mut log).unwrap();
        fight.advance(at(20.0), &mut log).unwrap();
        log
    });
    assert_eq!(logs[0], logs[1]);
    assert!(logs[0].events.len() > 50);
}

#[test]
fn a_save_that_does_not_fit_is_refused_with_what_differs() {
    let game = game(MARSH);
    let mut fight = game.fight("path", 1).unwrap();
    fight.advance(at(2.0), &mut Silent).unwrap();
    let saved = fight.save();
    let refused = |game: &Game, saved: &SavedFight, why: &str| {
        let error = game.load(saved).unwrap_err().to_string();
        assert!(error.contains("cannot be loaded") && error.contains(why), "{error}");
    };
    let changed = game.variant(&[Override::parse("ability.hoe.cooldown=2").unwrap()]).unwrap();
    refused(&changed, &saved, "files");
    refused(&crate::common::game(&MARSH.replace("lives = 50", "lives = 51")), &saved, "`test.toml` differs");
    let with = |key: &str, value: serde_json::Value| -> SavedFight {
        let mut text = serde_json::to_value(&saved).unwrap();
        text[key] = value;
        serde_json::from_value(text).unwrap()
    };
    refused(&game, &with("version", "9.0.0".into()), "version 9.0.0");
    refused(&game, &with("encounter", "lane".into()), "no encounter `lane`");
    refused(&game, &with("body", vec![7; 40].into()), "damaged");
    refused(&game, &with("checksum", 1.into()), "damaged");
}

#[test]
fn a_button_shows_what_its_ability_can_do() {
    let text = MARSH.replace(
        "[ability.bite]",
        "[ability.rake]\nuses = 2\ncharges = { max = 2, regain = 5 }\ncost = { health = 4 }\nreach = 2\ncast = 1\n\
         does = [{ damage = 1 }]\n[ability.bite]",
    );
    let game = game(&text.replace("abilities = [\"hoe\"]", "abilities = [\"hoe\", \"rake\"]"));
    let mut fight = game.world_on_ground(&SIDES, 1);
    let hand = fight.spawn(game.character("farmhand").unwrap(), WALL, [0.0; 2], &mut Silent).unwrap();
    let adder = fight.spawn(game.character("adder").unwrap(), REEDS, [9.0, 0.0], &mut Silent).unwrap();
    let [hand, adder] = [hand, adder].map(|handle| fight.combatant(handle).unwrap());
    [hand, adder].into_iter().for_each(|who| fight.take_control(who).unwrap());
    let rake = game.ability("rake").unwrap();
    let button = fight.button(hand, rake).unwrap().unwrap();
    assert_eq!((button.charges, button.next_charge, button.uses_left), (Some((2, 2)), None, Some(2)));
    assert_eq!(button.costs, [(game.pool("health").unwrap(), 4.0)]);
    assert!(fight.button(adder, rake).unwrap().is_none());
    let why = fight.why_unavailable_on(hand, rake, adder).unwrap();
    assert!(matches!(why, Some(UnavailableReason::OutOfReach { .. })), "{why:?}");
    assert_eq!(fight.why_unavailable_on(hand, rake, hand).unwrap(), Some(UnavailableReason::NoTarget));
    fight.set_motion(adder, [1.0, 0.0], [0.0; 2]).unwrap();
    assert_eq!(fight.why_unavailable_on(hand, rake, adder).unwrap(), None);
    fight.use_ability(hand, rake, Some(adder), &mut Silent).unwrap().unwrap();
    fight.advance(at(0.25), &mut Silent).unwrap();
    let Action::Casting { ability, since, until, .. } = fight.action(hand) else { panic!("it casts") };
    assert_eq!((ability, since, until), (rake, at(0.0), at(1.0)));
    let mut log = Log::default();
    assert!(fight.cancel(hand, &mut log).unwrap() && !fight.cancel(hand, &mut log).unwrap());
    assert_eq!(fight.action(hand), Action::Idle);
    assert!(
        log.events
            .iter()
            .any(|one| matches!(one.event, Event::Interrupted { who, by, .. } if who == hand && by == hand))
    );
}

/// Effects brought about by the game go through the rules, and name it as their cause.
#[test]
fn a_cause_of_the_game_goes_through_the_steps_and_is_named() {
    let text = format!(
        "{MARSH}
        [damage_types]
        heat = {{}}
        [[hit_steps]]
        name = \"wet\"
        types = [\"heat\"]
        amount = \"amount / 2\"
        [cause.steam]
        about = \"A boiler leaks.\"
        does = [{{ damage = \"amount + 2\", type = \"heat\" }}, {{ apply = \"venom\" }}, {{ damage = \"amount\", type = \"heat\" }}]
        [cause.shrine]
        does = [{{ heal = \"amount\" }}]"
    );
    let game = game(&text);
    let mut fight = game.world(&SIDES, 1);
    let mut log = Log::default();
    let hand = fight.spawn(game.character("farmhand").unwrap(), WALL, [0.0; 2], &mut log).unwrap();
    let adder = fight.spawn(game.character("adder").unwrap(), REEDS, [0.0; 2], &mut log).unwrap();
    let [hand, adder] = [hand, adder].map(|handle| fight.combatant(handle).unwrap());
    [hand, adder].into_iter().for_each(|who| fight.take_control(who).unwrap());
    let health = game.pool("health").unwrap();
    let [steam, shrine] = ["steam", "shrine"].map(|name| game.cause(name).unwrap());
    // Half of 10 + 2, and half of 10.
    fight.bring_about(steam, None, hand, 10.0, &mut log).unwrap();
    assert_eq!((fight.pool(hand, health), fight.statuses(hand).unwrap().len()), (50.0 - 6.0 - 5.0, 1));
    fight.bring_about(shrine, Some(hand), hand, 4.0, &mut log).unwrap();
    assert_eq!(fight.pool(hand, health), 43.0);
    // Enough to defeat: in the moment in which time advances, and with the right cause.
    fight.bring_about(steam, Some(hand), adder, 100.0, &mut log).unwrap();
    fight.advance(at(0.1), &mut log).unwrap();
    assert!(!fight.stands(adder));
    let named =
        |logged: &Logged| serde_json::to_value(edgeplane::fight::NamedEvent::new(fight.setup(), *logged)).unwrap();
    let named: Vec<serde_json::Value> = log.events.iter().map(named).collect();
    let of = |event: &str| named.iter().filter(|one| one["event"] == event).cloned().collect::<Vec<_>>();
    assert_eq!((of("hit")[0]["cause"].as_str(), of("hit")[0]["who"].as_str()), (Some("steam"), Some("farmhand 1")));
    assert_eq!(of("healed")[0]["cause"], "shrine");
    assert_eq!((&of("defeated")[0]["cause"], &of("defeated")[0]["by"]), (&"steam".into(), &"farmhand 1".into()));
    let causes: Vec<&str> = game.program().causes().iter().map(|cause| cause.name.as_str()).collect();
    assert_eq!(causes, ["steam", "shrine"]);
    let unknown = game.cause("steem").unwrap_err().to_string();
    assert!(unknown.contains("did you mean `steam`?"), "{unknown}");
    assert!(fight.bring_about(steam, None, hand, f64::NAN, &mut log).is_err());
}
