//! Calls of a game before a fight begins: they are part of the initial state, or begin the fight. Numbers worked by
//! hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, game, seconds};
use edgeplane::fight::{Event, Fight};
use edgeplane::{CombatantId, Game, Log, Override, Silent};

/// `one` has 10 vigour for 100 health, 20 more from an initial status, and 50 more from a coat.
fn scene() -> Game {
    game(
        r#"
        [attributes]
        vigour = 10
        [pools]
        health = { max = "vigour * 10", defeat = true }
        breath = { max = "vigour * 6", start = "vigour", decay = 5 }
        calm = { max = "vigour", on_cap_change = "scale" }
        [status.sturdy]
        duration = inf
        modify = [{ attribute = "vigour", add = 2 }]
        [status.alarm]
        duration = inf
        on = [{ event = "pool_below", pool = "health", share = 0.5, does = [{ apply = "roused" }] }]
        [status.roused]
        duration = inf
        [gear.coat]
        slot = "body"
        modify = [{ attribute = "vigour", add = 5 }]
        [gear.shirt]
        slot = "body"
        modify = [{ attribute = "vigour", add = 1 }]
        [ability.gulp]
        cost = { breath = 4 }
        cooldown = 50
        does = [{ apply = "roused", to = "caster" }]
        [character.one]
        statuses = ["sturdy", "alarm"]
        gear = ["coat"]
        abilities = ["gulp"]
        [character.bare]
        [encounter.bout]
        sides.a = ["one", { character = "one", start = { health = 80 } }]
        sides.b = ["bare"]
        time_limit = 30
        "#,
    )
}

/// Amount and cap of health, breath and calm.
type Pools = [(f64, f64); 3];

/// A call by the code of a game before the fight has begun.
type Call = fn(&Game, &mut Fight, &mut Log);

fn after(call: Call) -> (Game, Fight, Log) {
    let game = scene();
    let (mut fight, mut log) = (game.fight("bout", 1).unwrap(), Log::default());
    fight.setup().ids().collect::<Vec<_>>().into_iter().for_each(|who| fight.take_control(who).unwrap());
    call(&game, &mut fight, &mut log);
    let saved = fight.save();
    fight.advance(seconds(0.0), &mut log).unwrap();
    // Values that were set are in a saved fight, too.
    let mut loaded = game.load(&saved).unwrap();
    loaded.advance(seconds(0.0), &mut Silent).unwrap();
    assert_eq!(loaded.save(), fight.save());
    (game, fight, log)
}

const WORN: CombatantId = CombatantId(1);
const BARE: CombatantId = CombatantId(2);

fn pools(game: &Game, fight: &Fight, who: CombatantId) -> Pools {
    ["health", "breath", "calm"].map(|name| {
        let pool = game.pool(name).unwrap();
        (fight.pool(who, pool), fight.cap(who, pool))
    })
}

fn put(fight: &mut Fight, game: &Game, amounts: [f64; 3]) {
    let pools = ["health", "breath", "calm"].map(|name| game.pool(name).unwrap());
    for (pool, amount) in pools.into_iter().zip(amounts) {
        for who in [ONE, WORN, BARE] {
            fight.set_pool(who, pool, amount).unwrap();
        }
    }
}

#[test]
fn what_a_game_sets_before_a_fight_is_what_it_begins_with() {
    let vigour = |game: &Game| game.program().find_attribute("vigour").unwrap();
    let rows: [(&str, Call, [Pools; 3]); 7] = [
        (
            "nothing",
            |_, _, _| {},
            [
                [(170.0, 170.0), (17.0, 102.0), (17.0, 17.0)],
                [(80.0, 170.0), (17.0, 102.0), (17.0, 17.0)],
                [(100.0, 100.0), (10.0, 60.0), (10.0, 10.0)],
            ],
        ),
        (
            "pools",
            |game, fight, _| put(fight, game, [60.0, 7.0, 3.0]),
            [
                [(60.0, 170.0), (7.0, 102.0), (3.0, 17.0)],
                [(60.0, 170.0), (7.0, 102.0), (3.0, 17.0)],
                [(60.0, 100.0), (7.0, 60.0), (3.0, 10.0)],
            ],
        ),
        (
            "pools, the last amount counts, and the room is that of the beginning",
            |game, fight, _| {
                put(fight, game, [0.0, 1.0, -5.0]);
                put(fight, game, [120.0, 500.0, 12.0]);
            },
            [
                [(120.0, 170.0), (102.0, 102.0), (12.0, 17.0)],
                [(120.0, 170.0), (102.0, 102.0), (12.0, 17.0)],
                [(100.0, 100.0), (60.0, 60.0), (10.0, 10.0)],
            ],
        ),
        (
            "a base",
            |game, fight, log| {
                for who in [ONE, WORN, BARE] {
                    let vigour = game.program().find_attribute("vigour").unwrap();
                    fight.set_base(who, vigour, 20.0, log).unwrap();
                }
            },
            [
                [(270.0, 270.0), (27.0, 162.0), (27.0, 27.0)],
                [(80.0, 270.0), (27.0, 162.0), (27.0, 27.0)],
                [(200.0, 200.0), (20.0, 120.0), (20.0, 20.0)],
            ],
        ),
        (
            "a pool and then a base",
            |game, fight, log| {
                put(fight, game, [150.0, 11.0, 2.0]);
                let vigour = game.program().find_attribute("vigour").unwrap();
                [ONE, WORN, BARE].into_iter().for_each(|who| fight.set_base(who, vigour, 20.0, log).unwrap());
            },
            [
                [(150.0, 270.0), (11.0, 162.0), (2.0, 27.0)],
                [(150.0, 270.0), (11.0, 162.0), (2.0, 27.0)],
                [(150.0, 200.0), (11.0, 120.0), (2.0, 20.0)],
            ],
        ),
        (
            "other gear",
            |game, fight, log| {
                [ONE, BARE].into_iter().for_each(|who| fight.wear(who, game.gear("shirt").unwrap(), log).unwrap());
                fight.take_off(WORN, game.gear("coat").unwrap(), log).unwrap();
            },
            [
                [(130.0, 130.0), (13.0, 78.0), (13.0, 13.0)],
                [(80.0, 120.0), (12.0, 72.0), (12.0, 12.0)],
                [(110.0, 110.0), (11.0, 66.0), (11.0, 11.0)],
            ],
        ),
        (
            // The fight has begun by then, and the cost of the use is paid.
            "an ability, and a status",
            |game, fight, log| {
                fight.use_ability(ONE, game.ability("gulp").unwrap(), None, log).unwrap().unwrap();
                assert!(fight.apply_status(game.status("sturdy").unwrap(), WORN, BARE, 1, log).unwrap());
                assert!(fight.remove_status(game.status("sturdy").unwrap(), WORN, log).unwrap());
            },
            [
                [(170.0, 170.0), (13.0, 102.0), (17.0, 17.0)],
                [(80.0, 150.0), (17.0, 90.0), (15.0, 15.0)],
                [(100.0, 120.0), (10.0, 72.0), (12.0, 12.0)],
            ],
        ),
    ];
    for (name, call, expected) in rows {
        let (game, mut fight, log) = after(call);
        for (who, expected) in [ONE, WORN, BARE].into_iter().zip(expected) {
            assert_eq!(pools(&game, &fight, who), expected, "{name}, {who:?}");
        }
        assert!(fight.attribute(ONE, vigour(&game)) > 12.0);
        // No pool has crossed the half that `alarm` watches, and nothing is triggered before the beginning.
        let held = fight.statuses(ONE).unwrap();
        let roused = held.iter().any(|held| held.status == game.status("roused").unwrap());
        assert_eq!(roused, name.starts_with("an ability"), "{name}");
        assert!(matches!(log.events[0].event, Event::Began), "{name}: {:?}", log.events[0]);
    }
}

/// An edit of the rules before the beginning loses none of these values.
#[test]
fn what_a_game_has_set_outlives_an_edit() {
    let game = scene();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.take_control(ONE).unwrap();
    put(&mut fight, &game, [60.0, 7.0, 3.0]);
    let edited = game.variant(&[Override::parse("status.sturdy.modify.0.add=10").unwrap()]).unwrap();
    edited.adopt(&mut fight).unwrap();
    fight.advance(seconds(0.0), &mut Silent).unwrap();
    assert_eq!(pools(&edited, &fight, ONE), [(60.0, 250.0), (7.0, 150.0), (3.0, 25.0)]);
}
