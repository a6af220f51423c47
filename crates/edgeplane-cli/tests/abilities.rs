//! What the tool says of abilities: why they cannot be used, what limits them, what one does alone.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::fs;
use std::process::Output;

use assert_cmd::Command;
use serde_json::Value;
use tempfile::TempDir;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");

fn run(arguments: &[&str]) -> Output {
    Command::cargo_bin("edgeplane").unwrap().args(arguments).output().unwrap()
}

fn answer(arguments: &[&str]) -> String {
    let output = run(arguments);
    let told = String::from_utf8(output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(0), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    told
}

fn json(arguments: &[&str]) -> Value {
    let arguments: Vec<&str> = arguments.iter().copied().chain(["--format", "json"]).collect();
    serde_json::from_str(&answer(&arguments)).unwrap()
}

/// Lines with single blanks, however wide the columns are.
fn squeezed(told: &str) -> String {
    told.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ") + "\n").collect()
}

/// One who is refused for every reason for which a policy can be.
const REFUSED: &str = r#"
[pools]
health = { max = 50, defeat = true }
breath = { max = 10, start = 4, regen = 1 }
[damage_types]
blow = {}
[status.hushed]
duration = 3
forbids = ["song"]
[ability.jab]
cooldown = 3
does = [{ damage = 2, type = "blow" }]
[ability.follow]
after = { ability = "jab", within = 0.5 }
cast = 1
cooldown = 6
does = [{ damage = 1, type = "blow" }]
[ability.sing]
tags = ["song"]
cooldown = 30
does = [{ damage = 1, type = "blow" }]
[ability.heave]
cost = { breath = 10 }
cooldown = 4
does = [{ damage = 1, type = "blow" }]
[ability.once]
uses = 1
does = [{ damage = 1, type = "blow" }]
[ability.twice]
charges = { max = 1, regain = 20 }
does = [{ damage = 1, type = "blow" }]
[ability.grown]
unlock = "level > 3"
does = [{ damage = 1, type = "blow" }]
[ability.mend_other]
targets = { side = "enemies", pick = "weakest" }
cooldown = 1
does = [{ heal = 1 }]
[ability.hush]
cooldown = 20
does = [{ inflict = "hushed" }]
[policy.all]
use = [
  { ability = "sing" }, { ability = "grown" }, { ability = "once" }, { ability = "twice" }, { ability = "jab" },
  { ability = "follow" }, { ability = "heave" },
]
[character.one]
abilities = ["jab", "follow", "sing", "heave", "once", "twice", "grown"]
policy = "all"
[character.other]
abilities = ["hush"]
[encounter.bout]
sides.one = ["one"]
sides.other = ["other"]
time_limit = 12
"#;

#[test]
fn every_reason_of_a_refusal_is_traced_and_counted() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("refused.toml");
    fs::write(&file, REFUSED).unwrap();
    let file = file.to_str().unwrap();
    let trace = squeezed(&answer(&["fight", file, "bout", "--trace"]));
    let counted = squeezed(&answer(&["trials", file, "bout", "-n", "200"]));
    let figures = json(&["trials", file, "bout", "-n", "200"]);
    let all = figures["combatants"][0]["abilities"].as_array().unwrap();
    for (ability, reason, told) in [
        ("sing", "forbidden", "forbidden by hushed"),
        ("grown", "locked", "locked"),
        ("once", "no uses left", "no uses left"),
        ("twice", "no charge", "no charge until 20.00 s"),
        ("jab", "not ready", "not ready until 3.00 s"),
        ("follow", "not open", "open only after jab"),
        ("heave", "cannot afford", "cannot afford 10 breath (has 5)"),
    ] {
        let line = trace.lines().find(|line| line.contains(ability) && line.contains(told));
        assert!(line.is_some(), "{ability}: {told}\n{trace}");
        let row = counted.lines().find(|line| line.starts_with(&format!("one {ability} {reason} ")));
        assert!(row.is_some(), "{ability}: {reason}\n{counted}");
        let figures = all.iter().find(|line| line["ability"] == ability).unwrap();
        let refusals = figures["refusals"].as_array().unwrap();
        let count = refusals.iter().find(|refusal| refusal[0] == reason).unwrap_or_else(|| panic!("{refusals:?}"));
        assert!(count[1].as_f64().unwrap() >= 1.0, "{ability}: {count}");
    }
}

#[test]
fn explain_tells_what_limits_an_ability_and_how_chance_chooses() {
    let told = squeezed(&answer(&["explain", DEMO, "drowned_miller"]));
    for expected in [
        "dredge once a fight; cooldown from the end\n",
        "grind for 3 s after millstone; keeps sack waiting for 1.5 s\n",
        "millstone 3 releases, one every 0.45 s\n",
        "sack 2 charges, one every 11 s; keeps grind waiting; paid when released\n",
        "chooses by weight among what it can of\n",
        "2. grind · weight 6\n",
        "4. sack · weight count(enemies)\n",
        "5. pincer · weight 1\n",
    ] {
        assert!(told.contains(expected), "{expected}{told}");
    }
    let sheet = json(&["explain", DEMO, "drowned_miller"]);
    assert_eq!(sheet["policy"][3]["weight"], "count(enemies)");
    assert_eq!(sheet["abilities"][2]["limits"][0], "3 releases, one every 0.45 s");
    let other = answer(&["explain", DEMO, "lockhand"]);
    assert!(!other.contains("limited") && other.contains("chooses the first that it can of"), "{other}");
}

#[test]
fn one_ability_can_be_forced() {
    let told = squeezed(&answer(&["fight", DEMO, "duel", "--force", "lockhand=brace"]));
    assert!(told.contains("lockhand brace itself") && !told.contains("lockhand boathook"), "{told}");
    assert!(told.contains("silt win"), "{told}");
    let both = ["trials", DEMO, "duel", "-n", "300", "--force", "lockhand=brace", "--force", "silt_crab=silt_spit"];
    let figures = json(&both);
    let damage = |who: usize| figures["combatants"][who]["damage_per_second"]["mean"].as_f64().unwrap();
    assert!(damage(0) == 0.0 && damage(1) > 0.0, "{figures}");
    for (argument, expected) in [
        ("lockhand", "write it as CHARACTER=ABILITY"),
        ("lockhand=", "write it as CHARACTER=ABILITY"),
        ("lockhand=toll", "no ability of that character is called `toll`"),
        ("lokhand=brace", "did you mean `lockhand`?"),
    ] {
        let output = run(&["fight", DEMO, "duel", "--force", argument]);
        assert_eq!(output.status.code(), Some(2));
        let told = String::from_utf8(output.stderr).unwrap();
        assert!(told.contains(expected), "{told}");
    }
}

#[test]
fn three_sides_are_told_and_counted() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("three.toml");
    let rules = r#"
        [pools]
        health = { max = 20, defeat = true }
        [damage_types]
        blow = {}
        [ability.jab]
        cooldown = 1
        targets = { side = "enemies", pick = "random" }
        does = [{ damage = 3, type = "blow", spread = 0.5 }]
        [character.reed]
        abilities = ["jab"]
        [encounter.brawl]
        sides.north = ["reed"]
        sides.south = ["reed"]
        sides.west = [{ character = "reed", count = 2 }]
        time_limit = 100
    "#;
    fs::write(&file, rules).unwrap();
    let file = file.to_str().unwrap();
    let told = answer(&["fight", file, "brawl", "--seed", "3"]);
    assert!(["north: ", "south: ", "west: "].iter().all(|side| told.contains(side)), "{told}");
    let figures = json(&["trials", file, "brawl", "-n", "2000"]);
    let rate = |side: usize| figures["sides"][side]["win_rate"]["value"].as_f64().unwrap();
    let drawn = figures["draws"]["value"].as_f64().unwrap();
    assert!((rate(0) + rate(1) + rate(2) + drawn - 1.0).abs() < 1e-9, "{figures}");
    assert!(rate(2) > rate(0) && rate(2) > rate(1), "two against one and one: {figures}");
    assert!((rate(0) - rate(1)).abs() < 0.06, "those who are alone are alike: {figures}");
}
