//! Changes during a fight: gear, abilities, and sides that win by an effect. Numbers worked by hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, OTHER, game, moments, seconds};
use edgeplane::fight::{Ending, Event, UnavailableReason};
use edgeplane::{Fight, Game, Log, Silent, Time, TrialsPlan};
use proptest::prelude::*;

const RULES: &str = r#"
    [attributes]
    guard = 5
    grit = 10
    [pools]
    health = { max = "20 + 4 * grit", defeat = true }
    [damage_types]
    blow = {}
    [[hit_steps]]
    name = "guard"
    amount = "amount * (100 - target.guard) / 100"
    [status.sure]
    duration = inf
    modify = [{ attribute = "guard", add = 3 }]
    [status.surer]
    duration = inf
    modify = [{ attribute = "guard", add = 7 }]
    [gear.coat]
    slot = "body"
    set = "weir"
    modify = [{ attribute = "guard", add = 20 }]
    [gear.cape]
    slot = "body"
    modify = [{ attribute = "guard", percent = 50 }]
    [gear.boots]
    slot = "feet"
    set = "weir"
    modify = [{ attribute = "grit", add = 5 }]
    [gear.charm]
    modify = [{ attribute = "grit", times = 1.1 }]
    [gear_set.weir]
    worn = { 1 = ["sure"], 2 = ["surer"] }
    [ability.swap]
    does = [{ wear = "cape", to = "caster" }]
    [ability.boots_on]
    does = [{ wear = "boots", to = "caster" }]
    [ability.boots_off]
    does = [{ take_off = "boots", to = "caster" }]
    [ability.coat_on]
    does = [{ wear = "coat", to = "caster" }]
    [ability.charm_on]
    does = [{ wear = "charm", to = "caster" }]
    [ability.charm_off]
    does = [{ take_off = "charm", to = "caster" }]
    [character.one]
    gear = ["coat"]
    abilities = ["swap", "boots_on", "boots_off", "coat_on", "charm_on", "charm_off"]
    [character.other]
    abilities = []
    [encounter.bout]
    sides.one = ["one"]
    sides.other = ["other"]
"#;

/// A fight in which nobody acts by itself.
fn waiting(game: &Game) -> Fight {
    let mut fight = game.fight("bout", 1).unwrap();
    fight.setup().clone().ids().for_each(|who| fight.take_control(who).unwrap());
    fight.advance(Time::ZERO, &mut Silent).unwrap();
    fight
}

fn bring(game: &Game, fight: &mut Fight, ability: &str) -> Log {
    let mut log = Log::default();
    fight.apply_effects(ONE, game.ability(ability).unwrap(), OTHER, &mut log).unwrap();
    log
}

fn number(game: &Game, fight: &Fight, attribute: &str) -> f64 {
    fight.attribute(ONE, game.program().find_attribute(attribute).unwrap())
}

#[test]
fn pieces_come_and_go_with_all_that_depends_on_them() {
    let game = game(RULES);
    let mut fight = waiting(&game);
    let guard = |fight: &Fight| number(&game, fight, "guard");
    assert_eq!(guard(&fight), 28.0, "5 + 20 of the coat + 3 of one piece of the set");
    bring(&game, &mut fight, "boots_on");
    assert_eq!((guard(&fight), number(&game, &fight, "grit")), (32.0, 15.0), "two pieces: 7 in place of 3");
    let health = game.pool("health").unwrap();
    assert_eq!(fight.cap(ONE, health), 80.0);
    bring(&game, &mut fight, "boots_on");
    assert_eq!(guard(&fight), 32.0, "what is worn is not put on twice");
    // Another piece for the same slot removes the coat, and the set loses a piece.
    let log = bring(&game, &mut fight, "swap");
    assert_eq!(guard(&fight), (5.0 + 3.0) * 1.5);
    let lost = |event: &Event| matches!(event, Event::StatusLost { reason, .. } if reason.name() == "condition_ended");
    assert_eq!(moments(&log, lost).len(), 2, "the coat, and what two pieces gave");
    bring(&game, &mut fight, "boots_off");
    assert_eq!((guard(&fight), number(&game, &fight, "grit"), fight.cap(ONE, health)), (7.5, 10.0, 60.0));
    assert!(bring(&game, &mut fight, "boots_off").events.is_empty());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// However pieces are put on and taken off, they leave nothing behind.
    #[test]
    fn no_residue_in_any_order(order in prop::collection::vec(0..5_usize, 0..24)) {
        let game = game(RULES);
        let mut fight = waiting(&game);
        let first = ["guard", "grit"].map(|name| number(&game, &fight, name).to_bits());
        for index in order {
            bring(&game, &mut fight, ["swap", "boots_on", "boots_off", "charm_on", "charm_off"][index]);
        }
        for last in ["boots_off", "charm_off", "coat_on"] {
            bring(&game, &mut fight, last);
        }
        prop_assert_eq!(["guard", "grit"].map(|name| number(&game, &fight, name).to_bits()), first);
    }
}

#[test]
fn a_piece_that_is_worn_with_some_chance_is_worn_that_often() {
    let text = RULES.replace(r#"gear = ["coat"]"#, r#"gear = ["coat", { piece = "boots", chance = 25% }]"#);
    let text = text.replace("25%", "\"25%\"");
    let game = game(&text);
    let mut worn = 0;
    for seed in 0..4_000 {
        let mut fight = game.fight("bout", seed).unwrap();
        fight.take_control(ONE).unwrap();
        fight.advance(Time::ZERO, &mut Silent).unwrap();
        let guard = number(&game, &fight, "guard");
        assert!(guard == 28.0 || guard == 32.0, "{guard}");
        worn += u32::from(guard == 32.0);
        if guard == 32.0 {
            assert_eq!(fight.pool(ONE, game.pool("health").unwrap()), 80.0, "pools begin as full as gear makes them");
        }
    }
    assert!((900..1_100).contains(&worn), "{worn} of 4,000 at a quarter");
}

const MOVES: &str = r#"
    [pools]
    health = { max = 1000, defeat = true }
    [damage_types]
    blow = {}
    [ability.poke]
    slot = "primary"
    cooldown = 1
    does = [{ damage = 1 }]
    [ability.maul]
    slot = "primary"
    cooldown = 2
    does = [{ damage = 50 }]
    [ability.rally]
    uses = 1
    cast = 2.5
    targets = "self"
    does = [{ give = "maul" }]
    [ability.spoil]
    uses = 1
    cast = 7
    does = [{ take = "maul" }, { give = "poke" }, { give = "spoil" }]
    [character.one]
    abilities = ["poke"]
    can_learn = ["maul"]
    [character.two]
    extends = "one"
    abilities = ["rally", "poke"]
    [character.other]
    abilities = ["spoil"]
    [encounter.bout]
    sides.one = ["two"]
    sides.other = ["other"]
    time_limit = 10
"#;

#[test]
fn abilities_are_given_and_taken_and_one_slot_holds_one() {
    let game = game(MOVES);
    let mut log = Log::default();
    game.fight("bout", 1).unwrap().run(&mut log).unwrap();
    let of = |name: &str| {
        let id = game.ability(name).unwrap();
        moments(&log, move |event| matches!(event, Event::Used { ability, .. } if *ability == id))
    };
    // Rallying takes 2.5 s; then it mauls, until the form ends at 7 s and its former abilities return.
    assert_eq!(of("maul"), [2_500_000, 4_500_000, 6_500_000]);
    assert_eq!(of("poke"), [7_000_000, 8_000_000, 9_000_000, 10_000_000]);
    let changes: Vec<String> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Given { ability, .. } => Some(format!("{} +{ability:?}", logged.at.seconds())),
            Event::Taken { ability, .. } => Some(format!("{} -{ability:?}", logged.at.seconds())),
            Event::Unavailable { who, reason: UnavailableReason::NotKnown, .. }
                if who == ONE && logged.at == seconds(7.0) =>
            {
                Some("refused".to_owned())
            }
            _ => None,
        })
        .collect();
    let (poke, maul) = (game.ability("poke").unwrap(), game.ability("maul").unwrap());
    assert_eq!(
        changes[..5],
        [
            format!("2.5 -{poke:?}"),
            format!("2.5 +{maul:?}"),
            format!("7 -{maul:?}"),
            format!("7 +{poke:?}"),
            "refused".to_owned() // nobody can be given what is none of its abilities
        ]
    );
}

#[test]
fn one_who_has_not_an_ability_yet_is_reported_by_hand() {
    let game = game(MOVES);
    let mut fight = game.fight("bout", 1).unwrap();
    fight.take_control(ONE).unwrap();
    let maul = game.ability("maul").unwrap();
    assert_eq!(fight.why_unavailable(ONE, maul).unwrap(), Some(UnavailableReason::NotKnown));
    fight.apply_effects(ONE, game.ability("rally").unwrap(), ONE, &mut Silent).unwrap();
    assert_eq!(fight.why_unavailable(ONE, maul).unwrap(), None);
    assert_eq!(fight.why_unavailable(ONE, game.ability("poke").unwrap()).unwrap(), Some(UnavailableReason::NotKnown));
    let snapshot = fight.snapshot();
    fight.restart(1);
    assert_eq!(fight.why_unavailable(ONE, maul).unwrap(), Some(UnavailableReason::NotKnown), "every fight begins anew");
    fight.restore(&snapshot).unwrap();
    assert_eq!(fight.why_unavailable(ONE, maul).unwrap(), None);
}

const GATE: &str = r#"
    [pools]
    health = { max = 1000, defeat = true }
    [status.at_the_gate]
    duration = inf
    every = { period = 5, does = [{ win = true }] }
    [ability.open]
    cast = 2
    uses = 1
    targets = "self"
    does = [{ apply = "at_the_gate" }]
    [character.one]
    abilities = ["open"]
    [encounter.bout]
    sides.one = ["one"]
    sides.other = ["one"]
    [character.slow]
    abilities = []
    [encounter.race]
    sides.one = ["one"]
    sides.other = ["slow"]
"#;

#[test]
fn a_side_can_win_by_an_outcome_and_two_at_once_draw() {
    let game = game(GATE);
    let mut fight = game.fight("race", 1).unwrap();
    let winner = fight.run(&mut Silent).unwrap();
    assert_eq!((winner.winner().map(|side| side.0), fight.now()), (Some(0), seconds(7.0)));
    let mut fight = game.fight("bout", 1).unwrap();
    assert_eq!(fight.run(&mut Silent).unwrap(), Ending::Drawn, "whoever is listed first does not win");
    let trials = game.trials("bout", &TrialsPlan { trials: 50, ..TrialsPlan::default() }).unwrap();
    assert_eq!((trials.drawn.value, trials.draws.value), (1.0, 1.0));
}

const BEGUN: &str = r#"
    [attributes]
    might = 4
    [pools]
    health = { max = 100, defeat = true }
    wind = { max = 20, regen = 1 }
    [damage_types]
    blow = {}
    [status.weary]
    kind = "debuff"
    duration = 3
    modify = [{ attribute = "might", add = -1 }]
    [ability.hit]
    cooldown = 2
    does = [{ damage = "caster.might" }]
    [character.one]
    abilities = ["hit"]
    [encounter.bout]
    sides.one = [{ character = "one", count = 2, start = { health = "0.25 * self.health.max", wind = 500 }, statuses = ["weary"] }, "one"]
    sides.other = [{ character = "one", start = { wind = 3 } }]
    time_limit = 5
"#;

#[test]
fn an_encounter_sets_how_a_combatant_begins() {
    let game = game(BEGUN);
    let mut fight = game.fight("bout", 1).unwrap();
    let (health, wind) = (game.pool("health").unwrap(), game.pool("wind").unwrap());
    let might = game.program().find_attribute("might").unwrap();
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    let of = |fight: &Fight, who: u16| {
        let who = edgeplane::CombatantId(who);
        (fight.pool(who, health), fight.pool(who, wind), fight.attribute(who, might))
    };
    // A quarter of the cap, no more wind than the cap allows, weary for three seconds; one blow by the fourth at 0 s.
    assert_eq!([0, 1, 2].map(|who| of(&fight, who)), [(21.0, 20.0, 3.0), (25.0, 20.0, 3.0), (100.0, 20.0, 4.0)]);
    assert_eq!(of(&fight, 3), (100.0 - 3.0 - 3.0 - 4.0, 4.0, 4.0));
    fight.advance(seconds(3.5), &mut Silent).unwrap();
    assert_eq!(of(&fight, 0).2, 4.0, "what it began with wears off");
    // The same without statuses.
    let bare = BEGUN.replace(", statuses = [\"weary\"]", "");
    let game = crate::common::game(&bare);
    let (mut short, mut long) = (game.fight("bout", 2).unwrap(), game.fight("bout", 2).unwrap());
    let (mut one, mut other) = (Log::default(), Log::default());
    short.run(&mut one).unwrap();
    long.advance(Time::NEVER, &mut other).unwrap();
    assert_eq!((one, short.snapshot()), (other, long.snapshot()));
}
