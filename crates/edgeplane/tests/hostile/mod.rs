//! Hostile input: the corpus of fuzzing, and a bounded number of random inputs. CONTRIBUTING.md describes long,
//! coverage-guided runs.

mod targets;

use std::path::Path;

/// Runs the corpus of a target.
fn replay(target: &str, run: impl Fn(&[u8])) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("hostile/corpus").join(target);
    let files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    assert!(files.len() >= 20, "{target}: {}", files.len());
    files.iter().for_each(|file| run(&std::fs::read(file).unwrap()));
}

#[test]
fn no_text_brings_the_reader_down() {
    replay("reader", targets::reader);
}

#[test]
fn no_formula_brings_a_fight_down() {
    replay("formulas", targets::formulas);
}

#[test]
fn what_is_taken_from_a_sheet_stands_in_the_rules() {
    replay("sheets", targets::sheets);
}

#[test]
fn no_part_of_a_study_brings_merging_down() {
    replay("parts", targets::parts);
}

#[test]
fn no_save_brings_a_game_down() {
    replay("saves", targets::saves);
}

#[test]
fn fights_keep_their_promises_under_any_rules() {
    replay("fights", targets::fights);
    let mut dice = dice();
    let mut fought = 0;
    for _ in 0..1_500 {
        let edits = usize::from(dice() % 4);
        let bytes: Vec<u8> = (0..4 + 5 * edits).map(|_| dice()).collect();
        fought += u32::from(targets::fought(&bytes));
    }
    assert!(fought >= 500, "most edits should leave a ruleset sound: {fought} of 1500");
}

/// Pseudo-random bytes.
fn dice() -> impl FnMut() -> u8 {
    let mut state = 1_u64;
    move || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 40) as u8
    }
}

#[test]
fn no_call_of_a_game_brings_a_fight_down() {
    let mut dice = dice();
    replay("calls", |bytes| _ = targets::calls(bytes));
    let mut happened = 0;
    for _ in 0..4_000 {
        let bytes: Vec<u8> = (0..20 + usize::from(dice())).map(|_| dice()).collect();
        happened += targets::calls(&bytes);
    }
    assert!(happened > 4_000 * 50, "most calls should lead to something: {happened} events");
}

#[test]
fn a_save_that_was_edited_is_refused() {
    let game = edgeplane::Game::from_text("small.toml", edgeplane::example_text()).unwrap();
    let mut world = game.world_on_ground(&["wall", "reeds"], 5);
    let crab = game.character("silt_crab").unwrap();
    world.spawn(crab, edgeplane::SideId(1), [0.0, 0.0], &mut edgeplane::Silent).unwrap();
    let text = serde_json::to_string(&world.save()).unwrap();
    assert!(game.load(&serde_json::from_str(&text).unwrap()).is_ok());
    for (from, to, says) in [
        ("\"side\":1", "\"side\":7", "`silt_crab 1` is on side 7, and there are 2"),
        ("\"side\":1", "\"side\":0", "it is damaged"),
        ("\"spawned\":true", "\"spawned\":false", "it is damaged"),
        ("\"is_placed\":true", "\"is_placed\":false", "it is damaged"),
        ("\"is_endless\":true", "\"is_endless\":false", "it is damaged"),
        ("\"character\":\"silt_crab\"", "\"character\":\"lockhand\"", "others fight in"),
        ("\"wall\"", "\"gate\"", "it is damaged"),
        ("\"body\":[", "\"body\":[1,", "it is damaged"),
    ] {
        let edited = text.replacen(from, to, 1);
        assert_ne!(edited, text, "{from}");
        let error = game.load(&serde_json::from_str(&edited).unwrap()).expect_err(to).to_string();
        assert!(error.contains(says), "{to}: {error}");
    }
}
