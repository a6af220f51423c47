//! Policies with draws, forced abilities, and more than two sides.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::bout::{log_of, rules};
use crate::common::{ONE, OTHER, demo, game, seconds};
use edgeplane::fight::{Ending, Event, FightErrorKind, Recorded};
use edgeplane::{CombatantId, Fight, Game, Log, Setup, Silent, TrialsPlan};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A combatant that draws between three abilities; the cooldown is that of the draw.
fn drawing(choose: &str, uses: &str) -> Game {
    let ability = |name: &str| format!("[ability.{name}]\nrecovery = 1\ndoes = [{{ damage = 0, type = \"blow\" }}]\n");
    let all = ["high", "mid", "low"].map(ability).concat();
    rules(
        &format!("{all}\n[policy.dice]\nchoose = \"{choose}\"\nuse = [{uses}]"),
        "abilities = [\"high\", \"mid\", \"low\"]\npolicy = \"dice\"",
    )
}

/// The number of uses of each in a number of fights of thirty seconds.
fn counts(game: &Game, fights: u64) -> BTreeMap<String, f64> {
    let plan = TrialsPlan { trials: fights, seed: 3, threads: None, ..TrialsPlan::default() };
    let trials = game.trials("bout", &plan).unwrap();
    let used = trials.combatants[0].abilities.iter().map(|line| (line.ability.clone(), line.uses));
    used.collect()
}

#[test]
fn weights_are_relative_chances() {
    let game = drawing(
        "weighted",
        "{ ability = \"high\", weight = 3 }, { ability = \"mid\" }, { ability = \"low\", weight = 0 }",
    );
    let used = counts(&game, 400);
    // 31 draws per fight, 12,400 in all: three quarters, ± 0.4 % (a standard error).
    assert!((used["high"] / 31.0 - 0.75).abs() < 0.016, "{used:?}");
    assert!((used["mid"] / 31.0 - 0.25).abs() < 0.016, "{used:?}");
    assert_eq!(used.get("low").copied().unwrap_or(0.0), 0.0, "no weight, no chance");
}

#[test]
fn random_choice_is_even_among_what_is_wanted_and_possible() {
    let game =
        drawing("random", "{ ability = \"high\" }, { ability = \"mid\", when = \"now < 0\" }, { ability = \"low\" }");
    let used = counts(&game, 400);
    assert!((used["high"] / 31.0 - 0.5).abs() < 0.018, "{used:?}");
    assert_eq!(used["high"] + used["low"], 31.0);
}

#[test]
fn a_draw_takes_the_line_in_whose_part_it_is() {
    let uses =
        "{ ability = \"high\", weight = 1 }, { ability = \"mid\", weight = 2 }, { ability = \"low\", weight = 1 }";
    let game = drawing("weighted", uses);
    let sides = ["one", "other"].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
    // Weights 1, 2, 1 of 4: up to a quarter, up to three quarters, and the rest.
    let answers = [0.0, 0.249, 0.25, 0.749, 0.75, 0.999];
    let setup = Arc::new(Setup::between(game.program(), &sides));
    let mut fight = Fight::with_chance(setup, Recorded::new(answers.to_vec()), 0);
    let mut log = Log::default();
    fight.advance(seconds(5.5), &mut log).unwrap();
    let used = log.events.iter().filter_map(|logged| match logged.event {
        Event::Used { ability, .. } => Some(game.program().ability(ability).name.as_str()),
        _ => None,
    });
    assert_eq!(used.collect::<Vec<_>>(), ["high", "high", "mid", "mid", "low", "low"]);
}

#[test]
fn a_weight_below_zero_ends_the_fight_with_an_error() {
    let game = drawing("weighted", "{ ability = \"high\", weight = \"1 - now\" }, { ability = \"mid\" }");
    let error = game.fight("bout", 1).unwrap().run(&mut Silent).unwrap_err();
    assert_eq!(error.at, seconds(2.0));
    assert!(matches!(error.kind, FightErrorKind::Fault(_)), "{error:?}");
}

#[test]
fn three_sides_fight_until_one_is_left() {
    let text = |order: [&str; 3]| {
        let sides: String = order.iter().map(|side| format!("sides.{side} = [\"{side}\"]\n")).collect();
        format!(
            r#"
            [attributes]
            might = 5
            bulk = 30
            [pools]
            health = {{ max = "bulk", defeat = true }}
            [damage_types]
            blow = {{}}
            [ability.sweep]
            cooldown = 1
            targets = {{ side = "enemies", count = "all" }}
            does = [{{ damage = "caster.might + count(enemies)", type = "blow" }}]
            [character.reeds]
            abilities = ["sweep"]
            [character.stones]
            attributes = {{ might = 6, bulk = 60 }}
            abilities = ["sweep"]
            [character.mud]
            attributes = {{ might = 2 }}
            abilities = ["sweep"]
            [encounter.all]
            {sides}
            time_limit = 60
            "#
        )
    };
    let play = |order: [&str; 3]| {
        let game = game(&text(order));
        let mut fight = game.fight("all", 4).unwrap();
        let mut log = Log::default();
        let ending = fight.run(&mut log).unwrap();
        let fell = log.events.iter().filter_map(|logged| match logged.event {
            Event::Defeated { who, .. } => Some(fight.label(who).to_owned()),
            _ => None,
        });
        let Ending::Won(side) = ending else { panic!("{ending:?}") };
        let health = game.pool("health").unwrap();
        let left = fight.setup().ids().map(|who| fight.pool(who, health)).sum::<f64>();
        (fight.setup().sides[side.index()].clone(), fell.collect::<Vec<_>>(), fight.now(), left)
    };
    // At first the reeds lose 12 per second, the stones 11, the mud 15: it is defeated at 1 s. From then on the reeds
    // lose 7 and the stones 6; the reeds have 6 left after 1 s and are defeated at 2 s.
    let expected = ("stones".to_owned(), vec!["mud".to_owned(), "reeds".to_owned()], seconds(2.0), 60.0 - 22.0 - 6.0);
    for order in [["reeds", "stones", "mud"], ["mud", "reeds", "stones"], ["stones", "mud", "reeds"]] {
        assert_eq!(play(order), expected, "{order:?}");
    }
}

#[test]
fn one_who_is_forced_uses_nothing_else() {
    let game = demo();
    let forced = game.forced("lockhand", "boathook").unwrap();
    let mut log = Log::default();
    forced.fight("duel", 1).unwrap().run(&mut log).unwrap();
    let by = |log: &Log, who: CombatantId| {
        let used = log.events.iter().filter_map(|logged| match logged.event {
            Event::Used { caster, ability, .. } if caster == who => Some(game.program().ability(ability).name.clone()),
            _ => None,
        });
        used.collect::<std::collections::BTreeSet<_>>().into_iter().collect::<Vec<_>>().join(" ")
    };
    assert_eq!((by(&log, ONE).as_str(), by(&log, OTHER).as_str()), ("boathook", "pincer silt_spit"));
    let mut before = Log::default();
    game.fight("duel", 1).unwrap().run(&mut before).unwrap();
    assert_eq!(by(&before, ONE), "boathook brace", "the game itself is as it was");
    let unknown = game.forced("lockhand", "boathok").unwrap_err().to_string();
    assert_eq!(unknown, "no ability of that character is called `boathok`; did you mean `boathook`?");
    assert!(game.forced("lockhnad", "boathook").unwrap_err().to_string().contains("did you mean `lockhand`?"));
}

#[test]
fn a_weight_may_look_at_the_target_and_at_the_fight() {
    let ability =
        |name: &str| format!("[ability.{name}]\nrecovery = 1\ndoes = [{{ damage = 100, type = \"blow\" }}]\n");
    let game = rules(
        &format!(
            "{}\n[policy.dice]\nchoose = \"weighted\"\nuse = [\
             {{ ability = \"high\", weight = \"if(target.health.share > 50%, 1, 0)\" }},\
             {{ ability = \"low\", weight = \"if(target.health.share > 50%, 0, 1)\" }},\
             {{ ability = \"late\", weight = \"if(now > 7, 5, 0)\" }}]",
            ["high", "low", "late"].map(ability).concat()
        ),
        "abilities = [\"high\", \"low\", \"late\"]\npolicy = \"dice\"",
    );
    // 1,000 health, 100 per second: above a half until the sixth blow.
    let log = log_of(&game);
    let used: Vec<(f64, String)> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Used { ability, .. } => Some((logged.at.seconds(), game.program().ability(ability).name.clone())),
            _ => None,
        })
        .collect();
    assert!(used[..5].iter().all(|(_, name)| name == "high"), "{used:?}");
    assert!(used[5..8].iter().all(|(_, name)| name == "low"), "{used:?}");
    assert!(used[8..].iter().all(|(_, name)| name != "high"), "{used:?}");
    assert_eq!(used.len(), 10);
}

#[test]
fn where_nothing_has_any_weight_nothing_is_done() {
    let game = drawing("weighted", "{ ability = \"high\", weight = 0 }, { ability = \"mid\", weight = \"1 - 1\" }");
    let mut fight = game.fight("bout", 1).unwrap();
    let mut log = Log::default();
    assert_eq!(fight.run(&mut log).unwrap(), Ending::Stalemate);
    assert!(!log.events.iter().any(|logged| matches!(logged.event, Event::Used { .. })), "{log:?}");
}
