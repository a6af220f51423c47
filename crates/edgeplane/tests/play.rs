//! The example played in a terminal, driven by scripts, and the small world.

use crate::common::DEMO;

#[path = "../examples/night_watch.rs"]
mod night_watch;
#[path = "../examples/small_world.rs"]
mod small_world;

use night_watch::{Watch, play_script, read_script};

/// The screen after these keys.
fn screen(encounter: &str, player: &str, keys: &str) -> String {
    let mut watch = Watch::new(DEMO, encounter, player, 4).unwrap();
    play_script(&mut watch, &read_script(keys).unwrap(), 110, 46).unwrap()
}

fn line<'a>(screen: &'a str, with: &str) -> &'a str {
    screen.lines().find(|line| line.contains(with)).unwrap_or_else(|| panic!("no `{with}` in\n{screen}"))
}

#[test]
fn keys_use_abilities_and_the_screen_shows_what_follows() {
    let begun = screen("duel", "lockhand", "0.1 1\n0.3 q");
    assert!(line(&begun, "duel").contains("0.3 s   you are lockhand"), "{begun}");
    assert!(begun.contains("▶ silt_crab"), "{begun}");
    // A cast bar below its name, and a button that shows how long it is busy.
    let cast = begun.lines().skip_while(|line| !line.contains("lockhand  ")).nth(1).unwrap();
    assert!(cast.contains('▰') && cast.contains("boathook"), "{begun}");
    assert!(line(&begun, " 1 boathook").contains("busy 0."), "{begun}");

    let hit = screen("duel", "lockhand", "0.1 1\n1.0 q");
    assert!(line(&hit, "▶ silt_crab").contains('−') || line(&hit, "▶ silt_crab").contains("dodge"), "{hit}");
    assert!(hit.contains("lockhand → silt_crab  boathook"), "{hit}");
    // Nobody else acts for the player.
    let idle = screen("duel", "lockhand", "6 q");
    assert!(!idle.contains("lockhand →"), "{idle}");
}

#[test]
fn a_key_that_does_nothing_says_why() {
    let busy = screen("night_shift", "sluicer", "0.1 1\n0.2 2\n0.3 q");
    assert!(busy.contains("boathook: busy until 0."), "{busy}");
    let cooldown = screen("night_shift", "sluicer", "0.1 1\n2.5 1\n2.6 q");
    assert!(cooldown.contains("sluice: on cooldown until "), "{cooldown}");
    let nothing = screen("duel", "lockhand", "0.1 x\n0.2 q");
    assert!(nothing.contains("there is nothing to break off"), "{nothing}");
}

#[test]
fn targets_are_picked_and_casts_broken_off() {
    let second = screen("night_shift", "lockhand", "0.1 tab\n0.2 q");
    assert!(second.contains("▶ silt_crab 2"), "{second}");
    let around = screen("night_shift", "lockhand", &"0.1 tab\n".repeat(6));
    assert!(around.contains("▶ silt_crab 1"), "{around}");
    let broken = screen("night_shift", "lockhand", "0.1 1\n0.2 x\n0.2 q");
    assert!(broken.contains("broken off") && broken.contains("boathook is interrupted"), "{broken}");
}

#[test]
fn the_script_beside_the_example_plays_to_its_end() {
    let script = include_str!("../examples/night_watch.keys");
    let shown = screen("night_shift", "sluicer", script);
    assert!(shown.contains("12.0 s   you are sluicer"), "{shown}");
    assert_eq!(shown, screen("night_shift", "sluicer", script), "the same keys, the same screen");
    assert!(shown.lines().count() > 30 && shown.lines().all(|line| line.chars().count() <= 110), "{shown}");

    let error = read_script("0.1 1\n0.5 ?").unwrap_err().to_string();
    assert_eq!(error, "line 2: no key is called `?`");
}

#[test]
fn the_small_world_goes_on_through_a_save_and_an_edit() {
    let lived = small_world::live(90).unwrap();
    assert_eq!(lived, small_world::live(90).unwrap(), "the same seed and calls, the same world");
    let said = lived.join("\n");
    assert!(said.contains("saved and loaded after 45 s") && said.contains("an edit was adopted after 70 s"), "{said}");
    assert!(said.contains("260") && said.contains("320"), "what the edit changed: {said}");
    // Creatures appear all the time, and take the slots of those that are gone.
    let counts: Vec<Vec<u32>> = lived
        .iter()
        .filter(|line| line.contains("bodies"))
        .map(|line| line.split(|c: char| !c.is_ascii_digit()).filter_map(|word| word.parse().ok()).collect())
        .collect();
    let [.., last] = &counts[..] else { panic!("{said}") };
    assert!(counts.len() == 6 && last[0] == 90 && last[2] < 40 && last[3] > 500 && last[4] > 100, "{said}");
    // The map shows everyone that stands and has been moved only by the game.
    let map = lived[lived.len() - 25..].concat();
    assert!(['M', 'A', 'T'].iter().all(|letter| map.contains(*letter)) && map.chars().count() == 25 * 49, "{said}");
}
