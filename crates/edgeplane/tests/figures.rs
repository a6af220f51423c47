//! The results of studies stay the same: every figure of every kind of study of the demo, to ten digits.
//!
//! Laws and coverage check that the figures are right; this test checks that a change has not altered them
//! unintentionally. After an intended change, the differing lines go into `cases/studies.txt`.

#![allow(clippy::unwrap_used)]

use std::sync::Arc;

use crate::common::{demo, fingerprint};
use edgeplane::study::explain::{explain_ability, explain_character, explain_moment, explain_status};
use edgeplane::study::{
    DuelTerms, Goal, TuningPlan, Vary, merge_parts, run_comparison, run_expectation, run_gauntlet, run_matrix,
    run_part, run_sensitivity, run_sweep, run_to_precision, run_together, run_tuning, run_without,
};
use edgeplane::{AbilityId, CharacterId, Game, Override, Setup, StatusId, TrialsPlan};
use serde::Serialize;
use serde_json::Value;

fn plan(trials: u64) -> TrialsPlan {
    TrialsPlan { trials, seed: 7, threads: Some(2), ..TrialsPlan::default() }
}

/// Numbers to ten digits: the functions of a platform may differ in the last bits.
fn rounded(value: Value) -> Value {
    match value {
        Value::Number(number) if number.is_f64() => {
            let number = number.as_f64().unwrap();
            Value::String(format!("{number:.9e}"))
        }
        Value::Array(items) => items.into_iter().map(rounded).collect(),
        Value::Object(items) => {
            // A part contains its version and its files.
            let kept = items.into_iter().filter(|(key, _)| key != "edgeplane" && key != "ruleset");
            kept.map(|(key, item)| (key, rounded(item))).collect()
        }
        other => other,
    }
}

fn print(answer: &impl Serialize) -> u64 {
    fingerprint(&rounded(serde_json::to_value(answer).unwrap()).to_string())
}

fn changed(game: &Game, set: &str) -> Game {
    game.variant(&[Override::parse(set).unwrap()]).unwrap()
}

/// Numbers to vary and goals, as in `tune`.
type Task = (&'static str, &'static [&'static str], &'static [&'static str]);

const TASKS: [Task; 8] = [
    ("one number", &["character.lockhand.attributes.heft=8..20"], &["win_rate(keepers) = 0.5 +- 0.02"]),
    ("finer than the lattice", &["character.lockhand.attributes.heft=8..200"], &["win_rate(keepers) = 0.45 +- 0.02"]),
    ("met", &["character.lockhand.attributes.heft=8..20"], &["win_rate(keepers) >= 0.5"]),
    ("whole numbers", &["character.lockhand.attributes.heft=8..20:1"], &["win_rate(keepers) >= 0.9"]),
    ("no answer", &["character.lockhand.attributes.heft=13..15"], &["win_rate(keepers) >= 0.99"]),
    ("far away", &["character.silt_crab.attributes.heft=8..60"], &["win_rate(keepers) <= 0.05"]),
    (
        "two goals",
        &["character.lockhand.attributes.heft=8..24", "ability.boathook.cooldown*=0.5..1.5"],
        &["win_rate(keepers) = 50% +- 3%", "duration in 12..14"],
    ),
    (
        "goals that exclude each other",
        &["character.lockhand.attributes.heft=8..24", "character.silt_crab.attributes.heft=8..24"],
        &["win_rate(keepers) in 80%..90%", "win_rate(silt) in 40%..50%"],
    ),
];

const MEASURES: [&str; 9] = [
    "win_rate(keepers)",
    "duration",
    "duration.p50",
    "duration.p95",
    "damage_share(silt_crab, pincer)",
    "damage_per_cost(lockhand, breath)",
    "defeat_rate(lockhand)",
    "defeat_time(lockhand)",
    "unavailable(lockhand)",
];

#[test]
fn the_answers_of_studies_stay_as_they_are() {
    let game = demo();
    let program = game.program();
    let mut found = String::new();
    let mut add = |name: &str, print: u64| found += &format!("{name} = {print:016x}\n");
    for encounter in ["duel", "night_shift", "mill_race", "flats"] {
        add(&format!("trials of {encounter}"), print(&game.trials(encounter, &plan(130)).unwrap()));
    }
    let setup = Arc::new(Setup::of(program, game.encounter("duel").unwrap()));
    let parts: Vec<_> = (1..=3).map(|part| run_part(&setup, &plan(1_500), (part, 3), &|_| {}).unwrap()).collect();
    add("parts", print(&parts));
    add("merged", print(&merge_parts(&setup, &parts).unwrap().trials));
    let measured = |game: &Game| game.measured("duel", &MEASURES).unwrap();
    let other = changed(&game, "character.lockhand.attributes.heft=15");
    add("compare", print(&run_comparison(&measured(&game), &measured(&other), &plan(1_000), &|_| {}).unwrap()));
    add("precision", print(&run_to_precision(&measured(&game), &plan(200), 0.02, 20_000, &|_| {}).unwrap()));
    let rare = changed(&game, "character.lockhand.attributes.heft=22").measured("duel", &MEASURES[..2]).unwrap();
    add("precision of what is rare", print(&run_to_precision(&rare, &plan(100), 0.05, 5_000, &|_| {}).unwrap()));
    let varied = ["character.lockhand.attributes.heft=12..16:2", "ability.boathook.cooldown*=0.9,1"];
    let varied = varied.map(|text| Vary::parse(text).unwrap());
    add("sweep", print(&run_sweep(&game, "duel", &varied, &MEASURES[..4], &plan(300), &|_| {}).unwrap()));
    for measure in ["win_rate(keepers)", "duration.p50", "duration"] {
        let of = run_sensitivity(&game, "duel", measure, 0.05, &plan(1_500), &|_, _| {}).unwrap();
        add(&format!("sensitivity of {measure}"), print(&of));
    }
    let together = run_together(&game, "duel", "win_rate(keepers)", 0.05, &plan(1_500), &|_, _| {}).unwrap();
    add("sensitivity together", print(&together));
    add("without", print(&run_without(&game, "night_shift", "duration", &plan(250), &|_, _| {}).unwrap()));
    for (name, varied, goals) in TASKS {
        let varied: Vec<Vary> = varied.iter().map(|text| Vary::parse(text).unwrap()).collect();
        let goals: Vec<Goal> = goals.iter().map(|text| Goal::parse(text).unwrap()).collect();
        let plan = TuningPlan { study: plan(2_000), fights: 40_000 };
        add(&format!("tune: {name}"), print(&run_tuning(&game, "duel", &varied, &goals, &plan, &|_| {}).unwrap()));
    }
    let names = ["lockhand", "silt_crab", "reed_stalker"];
    let terms = DuelTerms { time_limit: 120.0, distance: None };
    add("matrix", print(&run_matrix(&game, &names, terms, &plan(300), &|_| {}).unwrap()));
    for rule in program.expectations().iter().filter(|rule| rule.encounter.text == "duel") {
        add(&format!("expect {}", rule.that.text), print(&run_expectation(program, rule, &plan(1), &|_| {}).unwrap()));
    }
    add("gauntlet", print(&run_gauntlet(&game, "long_night", &plan(60), &|_| {}).unwrap()));
    let (one, foe) = (game.character("lockhand").unwrap(), game.character("silt_crab").unwrap());
    let all = |count: usize| 0..count as u16;
    let abilities = all(program.abilities().len()).map(|id| explain_ability(program, AbilityId(id), one, foe).unwrap());
    add("explained abilities", print(&abilities.collect::<Vec<_>>()));
    let statuses = all(program.statuses().len()).map(|id| explain_status(program, StatusId(id), one, foe).unwrap());
    add("explained statuses", print(&statuses.collect::<Vec<_>>()));
    let characters = all(program.characters().len()).map(|id| explain_character(program, CharacterId(id)).unwrap());
    add("explained characters", print(&characters.collect::<Vec<_>>()));
    let flats = Arc::new(Setup::of(program, game.encounter("flats").unwrap()));
    add("a moment", print(&explain_moment(&flats, 3, 7.5).unwrap()));
    let expected = include_str!("cases/studies.txt");
    assert_eq!(found, expected, "tests/cases/studies.txt would be:\n{found}");
}
