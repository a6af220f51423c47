//! A bout of two combatants of which only one acts.

use edgeplane::{Game, Log};

use super::game;

/// Two combatants of which only `one` acts, with these abilities and further rules.
pub(crate) fn rules(abilities: &str, one: &str) -> Game {
    game(&format!(
        r#"
        [pools]
        health = {{ max = 1000, defeat = true }}
        breath = {{ max = 100, start = 20, regen = 2 }}
        [damage_types]
        blow = {{}}
        {abilities}
        [character.one]
        {one}
        [character.other]
        [encounter.bout]
        sides.one = ["one"]
        sides.other = ["other"]
        time_limit = 30
        "#
    ))
}

pub(crate) fn log_of(game: &Game) -> Log {
    let mut log = Log::default();
    game.fight("bout", 1).unwrap().run(&mut log).unwrap();
    log
}
