//! Abilities, statuses, gear and zones that extend others.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, game};
use edgeplane::{Event, Game, Log};

const RULES: &str = r#"
    [attributes]
    might = 10
    [pools]
    health = { max = 100, defeat = true }
    [damage_types]
    blow = {}

    [ability.blow]
    template = true
    about = "Only for others."
    cooldown = 2
    does = [{ damage = "caster.might" }]
    [ability.jab]
    extends = "blow"
    cooldown = 1
    [ability.quick_jab]
    extends = "jab"
    cast = 0.25

    [status.worn_down]
    template = true
    kind = "debuff"
    duration = 4
    [status.sore]
    extends = "worn_down"
    modify = [{ attribute = "might", add = -1 }]
    [status.very_sore]
    extends = "sore"
    duration = 9

    [gear.plain_coat]
    slot = "body"
    modify = [{ attribute = "might", add = 2 }]
    [gear.fine_coat]
    extends = "plain_coat"
    about = "With buttons."

    [character.one]
    abilities = ["quick_jab"]
    gear = ["fine_coat"]
    [character.other]
    statuses = ["sore", "very_sore"]
    gear = ["plain_coat"]
    [encounter.bout]
    sides.one = ["one"]
    sides.other = ["other"]
    time_limit = 3
"#;

fn blows(game: &Game) -> Vec<(f64, f64)> {
    let mut log = Log::default();
    game.fight("bout", 1).unwrap().run(&mut log).unwrap();
    let hit = |event: &Event| match *event {
        Event::Hit { caster, dealt, .. } if caster == ONE => Some(dealt),
        _ => None,
    };
    log.events.iter().filter_map(|logged| Some((logged.at.seconds(), hit(&logged.event)?))).collect()
}

#[test]
fn what_a_rule_does_not_say_is_as_in_the_one_that_it_extends() {
    let game = game(RULES);
    // Its own cast, the inherited cooldown and damage: 10 + 2 from the coat.
    assert_eq!(blows(&game), [(0.25, 12.0), (1.5, 12.0), (2.75, 12.0)]);
    let program = game.program();
    let very = program.status(game.status("very_sore").unwrap());
    assert_eq!((very.kind.name(), program.find_ability("blow")), ("debuff", None));
}

#[test]
fn a_number_of_the_one_extended_moves_its_heirs_and_an_heir_has_its_own() {
    let game = game(RULES);
    let set = |path: &str, value: &str| {
        let set = edgeplane::Override { path: path.to_owned(), value: value.to_owned() };
        game.variant(&[set]).unwrap()
    };
    assert_eq!(blows(&set("ability.jab.cooldown", "2"))[1].0, 2.5);
    assert_eq!(blows(&set("ability.blow.does.0.damage", "7"))[0].1, 7.0);
    assert_eq!(blows(&set("ability.quick_jab.cooldown", "0.5"))[1].0, 1.0);
}
