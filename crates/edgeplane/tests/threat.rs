//! Threat, taunts and scores of policies.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, seconds};
use edgeplane::fight::Event;
use edgeplane::{CombatantId, Game, Log, Silent};

const HEALER: CombatantId = CombatantId(1);
const FIGHTER: CombatantId = CombatantId(0);
const BEAST: CombatantId = CombatantId(2);

/// A fighter and a healer against a beast that bites the one with the most threat.
fn hunt(more: &str, fighter: &str) -> Game {
    game(&format!(
        r#"
        [attributes]
        menace = 1
        [pools]
        health = {{ max = 200, start = 100, defeat = true }}
        [damage_types]
        blow = {{}}
        [threat]
        damage = "caster.menace"
        healing = 0.5
        [ability.swing]
        cooldown = 2
        does = [{{ damage = 10 }}]
        [ability.mend]
        cooldown = 2
        cast = 0.5
        targets = {{ side = "allies", pick = {{ lowest = "target.health" }} }}
        does = [{{ heal = 30 }}]
        [ability.bite]
        cooldown = 2
        cast = 1
        targets = {{ pick = "policy", count = 1 }}
        does = [{{ damage = 1 }}]
        {more}
        [policy.hunter]
        target = "threat"
        use = [{{ ability = "bite" }}]
        [character.fighter]
        abilities = [{fighter}]
        [character.healer]
        abilities = ["mend"]
        [character.beast]
        abilities = ["bite"]
        policy = "hunter"
        [encounter.hunt]
        sides.crew = ["fighter", "healer"]
        sides.wild = ["beast"]
        time_limit = 9
        "#
    ))
}

/// The beast's targets, and the times.
fn bitten(game: &Game, seed: u64) -> Vec<(f64, CombatantId)> {
    let mut log = Log::default();
    game.fight("hunt", seed).unwrap().run(&mut log).unwrap();
    let bite = |event: &Event| match event {
        Event::Used { caster: BEAST, target, .. } => Some(*target),
        _ => None,
    };
    log.events.iter().filter_map(|logged| Some((logged.at.seconds(), bite(&logged.event)?))).collect()
}

#[test]
fn damage_and_healing_raise_it_by_their_factors() {
    let game = hunt("", "\"swing\"");
    let mut fight = game.fight("hunt", 1).unwrap();
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    // One swing of 10 at 1; one heal of 30 at 0.5.
    assert_eq!(fight.threat(BEAST, FIGHTER), 10.0);
    assert_eq!(fight.threat(BEAST, HEALER), 15.0);
    assert_eq!(fight.threat(FIGHTER, BEAST), 1.0, "the beast's bite counts as well");
    assert_eq!(fight.threat(HEALER, FIGHTER), 0.0);
    let before = fight.snapshot();
    fight.advance(seconds(3.0), &mut Silent).unwrap();
    assert_eq!(fight.threat(BEAST, FIGHTER), 20.0);
    fight.restore(&before).unwrap();
    assert_eq!(fight.threat(BEAST, FIGHTER), 10.0, "a snapshot keeps it");
    fight.restart(1);
    assert_eq!(fight.threat(BEAST, FIGHTER), 0.0);
}

#[test]
fn a_policy_prefers_the_highest_score() {
    // At 0 s nobody has threat, and the first of the encounter is picked; then the healer leads: 15 : 10, 30 : 20 …
    let first = bitten(&hunt("", "\"swing\""), 1);
    assert_eq!(first, [(0.0, FIGHTER), (3.0, HEALER), (6.0, HEALER), (9.0, HEALER)]);
}

#[test]
fn an_outcome_raises_and_lowers_it_and_it_is_never_below_zero() {
    let shout =
        "[ability.shout]\nuses = 1\ndoes = [{ threat = 100 }, { threat = -1000, to = \"target\" }, { threat = 7 }]";
    let game = hunt(shout, "\"shout\"");
    let mut log = Log::default();
    let mut fight = game.fight("hunt", 1).unwrap();
    fight.advance(seconds(0.1), &mut log).unwrap();
    let printed: Vec<(f64, f64)> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Threatened { caster: FIGHTER, target: BEAST, amount, threat, .. } => Some((amount, threat)),
            _ => None,
        })
        .collect();
    assert_eq!(printed, [(100.0, 100.0), (-1000.0, 0.0), (7.0, 7.0)]);
    assert_eq!(fight.threat(BEAST, FIGHTER), 7.0);
}

const JEER: &str = r#"
    [status.jeered]
    duration = 5
    taunts = true
    [ability.jeer]
    uses = 1
    does = [{ apply = "jeered" }]
"#;

#[test]
fn a_taunt_goes_before_every_preference_while_it_lasts() {
    let game = hunt(JEER, "\"jeer\", \"swing\"");
    // Taunted from 0 to 5 s: the bites at 3 s go to the fighter; at 6 s the healer is preferred again.
    assert_eq!(bitten(&game, 1), [(0.0, FIGHTER), (3.0, FIGHTER), (6.0, HEALER), (9.0, HEALER)]);
}

#[test]
fn the_defeated_taunts_nobody() {
    let game = hunt(JEER, "\"jeer\"");
    let mut fight = game.fight("hunt", 1).unwrap();
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    let finish = game.program().find_ability("bite").unwrap();
    for _ in 0..200 {
        fight.apply_effects(BEAST, finish, FIGHTER, &mut Silent).unwrap();
    }
    let mut log = Log::default();
    fight.advance(seconds(4.0), &mut log).unwrap();
    let used = log.events.iter().find_map(|logged| match logged.event {
        Event::Used { caster: BEAST, target, .. } => Some(target),
        _ => None,
    });
    assert!(!fight.stands(FIGHTER));
    assert_eq!(used, Some(HEALER));
}

#[test]
fn a_taunt_reaches_those_who_pick_the_first_at_random_or_by_share() {
    for pick in ["first", "random", "strongest", "nearest"] {
        let text = format!(
            r#"
            [pools]
            health = {{ max = 100, defeat = true }}
            [damage_types]
            blow = {{}}
            [status.jeered]
            duration = 20
            taunts = true
            [ability.jeer]
            uses = 1
            does = [{{ apply = "jeered" }}]
            [ability.bite]
            cooldown = 1
            cast = 0.5
            targets = {{ pick = "{pick}" }}
            does = [{{ damage = 1 }}]
            [character.plain]
            abilities = []
            [character.loud]
            abilities = ["jeer"]
            [character.beast]
            abilities = ["bite"]
            [encounter.hunt]
            sides.crew = ["plain", "loud"]
            sides.wild = ["beast"]
            time_limit = 9
            "#
        );
        let all = bitten(&game(&text), 5);
        assert_eq!(all.len(), 7, "{pick}");
        assert!(all[1..].iter().all(|(_, target)| *target == HEALER), "{pick}: {all:?}");
    }
}

#[test]
fn who_walks_turns_to_the_one_who_taunts() {
    let text = r#"
        [attributes]
        speed = 2
        [pools]
        health = { max = 100, defeat = true }
        [damage_types]
        blow = {}
        [status.jeered]
        duration = 20
        taunts = true
        [ability.jeer]
        uses = 1
        cast = 1
        does = [{ apply = "jeered" }]
        [ability.bite]
        cooldown = 100
        reach = 1
        targets = { pick = "nearest" }
        does = [{ damage = 1 }]
        [character.plain]
        abilities = []
        [character.loud]
        abilities = ["jeer"]
        [character.beast]
        abilities = ["bite"]
        [encounter.hunt]
        sides.crew = [{ character = "plain", at = [4, 0] }, { character = "loud", at = [0, 7] }]
        sides.wild = [{ character = "beast", at = [0, 0] }]
        time_limit = 9
    "#;
    // It would reach the plain one after 1.5 s; at 1 s, from (2, 0), it turns to the loud one: √53 − 1 metres at 2 m/s.
    let all = bitten(&game(text), 1);
    let at = 1.0 + (53.0_f64.sqrt() - 1.0) / 2.0;
    assert!(all.len() == 1 && all[0].1 == HEALER && (all[0].0 - at).abs() < 2e-6, "{all:?}");
}

#[test]
fn being_targeted_can_be_answered() {
    let wary = r#"
        [status.wary]
        duration = inf
        on = [{ event = "targeted", ability = "bite", does = [{ damage = 3, to = "other" }] }]
    "#;
    let game = hunt(wary, "\"swing\"");
    let mut fight = game.fight("hunt", 1).unwrap();
    let wary = game.program().find_status("wary").unwrap();
    fight.apply_status(wary, FIGHTER, FIGHTER, 1, &mut Silent).unwrap();
    let mut log = Log::default();
    fight.advance(seconds(0.0), &mut log).unwrap();
    let struck = log.events.iter().filter(
        |logged| matches!(logged.event, Event::Hit { caster: FIGHTER, target: BEAST, dealt, .. } if dealt == 3.0),
    );
    assert_eq!(struck.count(), 1, "at the start of the cast, a second before it would land");
}
