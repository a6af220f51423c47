//! Output about abilities: why they cannot be used, their limits, and forced abilities.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::fs;
use std::process::{Command, Output};

use serde_json::Value;
use tempfile::TempDir;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");

fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_edgeplane")).args(arguments).output().unwrap()
}

fn answer(arguments: &[&str]) -> String {
    let output = run(arguments);
    let printed = String::from_utf8(output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(0), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    printed
}

fn json(arguments: &[&str]) -> Value {
    let arguments: Vec<&str> = arguments.iter().copied().chain(["--format", "json"]).collect();
    serde_json::from_str(&answer(&arguments)).unwrap()
}

/// Lines with single blanks, whatever the widths of columns.
fn squeezed(printed: &str) -> String {
    printed.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ") + "\n").collect()
}

/// A combatant whose abilities are unavailable for every possible reason.
const UNAVAILABLE: &str = r#"
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
does = [{ apply = "hushed" }]
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
fn every_reason_why_an_ability_is_unavailable_is_traced_and_counted() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("unavailable.toml");
    fs::write(&file, UNAVAILABLE).unwrap();
    let file = file.to_str().unwrap();
    let trace = squeezed(&answer(&["fight", file, "bout", "--trace"]));
    let counted = squeezed(&answer(&["trials", file, "bout", "-n", "200"]));
    let figures = json(&["trials", file, "bout", "-n", "200"]);
    let all = figures["combatants"][0]["abilities"].as_array().unwrap();
    for (ability, reason, printed) in [
        ("sing", "forbidden", "forbidden by hushed"),
        ("grown", "locked", "locked"),
        ("once", "used_up", "used up"),
        ("twice", "no_charge", "no charge until 20.00 s"),
        ("jab", "on_cooldown", "on cooldown until 3.00 s"),
        ("follow", "not_open", "open only after jab"),
        ("heave", "cannot_afford", "cannot afford 10 breath (has 5)"),
    ] {
        let line = trace.lines().find(|line| line.contains(ability) && line.contains(printed));
        assert!(line.is_some(), "{ability}: {printed}\n{trace}");
        let words = reason.replace('_', " ");
        let row = counted.lines().find(|line| line.contains(&format!(" % {ability} ")) && line.contains(&words));
        assert!(row.is_some(), "{ability}: {reason}\n{counted}");
        let figures = all.iter().find(|line| line["ability"] == ability).unwrap();
        let reasons = figures["unavailable"].as_array().unwrap();
        let share = reasons.iter().find(|one| one[0] == reason).unwrap_or_else(|| panic!("{reasons:?}"));
        assert!((0.001..=1.0).contains(&share[1].as_f64().unwrap()), "{ability}: {share}");
    }
}

/// Conditions, a rank, a snapshot, and calls that ask for statuses and cooldowns.
const ASKED: &str = r#"
[attributes]
calm = 13
[pools]
health = { max = 90, defeat = true }
heat = { max = 100, start = "empty" }
[status.marked]
duration = 9
reapply = "strongest"
rank = "caster.calm"
every = { period = 4, does = [{ damage = "snapshot(caster.calm) * 2" }] }
[ability.vent]
unlock = "caster.heat >= 60"
does = [{ damage = 1 }]
[ability.mend]
targets = "self"
cooldown = 8
does = [{ heal = 1 }]
[ability.mark]
cooldown = 5
does = [{ apply = "marked" }, { damage = "if(has(target, marked), cooldown(caster, mend), 1)" }]
[ability.wait]
cooldown = 1
recovery = 1
does = [{ restore = "heat", amount = 1, to = "caster" }]
[policy.calm]
use = ["mark", { ability = "mend", when = "self.health.share < 2" }, "vent", "wait"]
[character.one]
abilities = ["vent", "mend", "mark", "wait"]
policy = "calm"
[character.other]
[encounter.talk]
sides.one = ["one"]
sides.other = ["other"]
time_limit = 6
"#;

#[test]
fn the_arithmetic_of_a_trace_stands_with_what_it_is_about() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("asked.toml");
    fs::write(&file, ASKED).unwrap();
    let trace = squeezed(&answer(&["fight", file.to_str().unwrap(), "talk", "--trace"]));
    let lines: Vec<&str> = trace.lines().collect();
    // A condition is shown after its own ability, and after no other that is unavailable for another reason.
    let decided: Vec<&str> = lines.iter().filter(|line| line.contains('→')).copied().collect();
    assert!(decided.iter().any(|line| line.contains("vent locked: 0 >= 60 = no; → wait")), "{decided:#?}");
    assert!(decided.iter().all(|line| !line.contains(" s: ")), "{decided:#?}");
    // The kept values of a status are shown below it, by name.
    let begins = lines.iter().position(|line| line.contains("marked other begins")).unwrap();
    assert_eq!(lines[begins + 1..begins + 3], ["rank caster.calm = 13", "keeps caster.calm = 13"], "{trace}");
    // Calls are shown by their values: yes and no, and the remaining seconds.
    assert!(trace.contains("amount if(yes, 0, 1) = 0"), "{trace}");
    assert!(trace.contains("amount if(yes, 3, 1) = 3"), "{trace}");
    assert!(trace.contains("amount 13 * 2 = 26"), "{trace}");
}

#[test]
fn explain_shows_what_limits_an_ability_and_how_chance_chooses() {
    let printed = squeezed(&answer(&["explain", DEMO, "drowned_miller"]));
    for expected in [
        "dredge once a fight; cooldown from the end\n",
        "grind for 3 s after millstone; keeps sack waiting for 1.5 s\n",
        "millstone 3 releases, one every 0.45 s\n",
        "sack 2 charges, one every 11 s; keeps grind waiting; paid when released\n",
        "chooses by weight among the available lines of · policy.mill\n",
        "2. grind · weight 6\n",
        "4. sack · weight count(enemies)\n",
        "5. pincer · weight 1\n",
    ] {
        assert!(printed.contains(expected), "{expected}{printed}");
    }
    let sheet = json(&["explain", DEMO, "drowned_miller"]);
    assert_eq!(sheet["policy"][3]["weight"], "count(enemies)");
    assert_eq!(sheet["abilities"][2]["limits"][0], "3 releases, one every 0.45 s");
    let other = answer(&["explain", DEMO, "lockhand"]);
    assert!(
        other.contains("reach 10 m; within 3 m of the target; travels 12 m/s")
            && other.contains("uses the first available line of"),
        "{other}"
    );
}

#[test]
fn one_ability_can_be_forced() {
    let printed = squeezed(&answer(&["fight", DEMO, "duel", "--force", "lockhand=brace"]));
    assert!(printed.contains("lockhand brace itself") && !printed.contains("lockhand boathook"), "{printed}");
    assert!(printed.contains("silt win"), "{printed}");
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
        let printed = String::from_utf8(output.stderr).unwrap();
        assert!(printed.contains(expected), "{printed}");
    }
}

#[test]
fn three_sides_are_shown_and_counted() {
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
    let printed = answer(&["fight", file, "brawl", "--seed", "3"]);
    assert!(["north: ", "south: ", "west: "].iter().all(|side| printed.contains(side)), "{printed}");
    let figures = json(&["trials", file, "brawl", "-n", "2000"]);
    let rate = |side: usize| figures["sides"][side]["win_rate"]["value"].as_f64().unwrap();
    let drawn = figures["draws"]["value"].as_f64().unwrap();
    assert!((rate(0) + rate(1) + rate(2) + drawn - 1.0).abs() < 1e-9, "{figures}");
    assert!(rate(2) > rate(0) && rate(2) > rate(1), "two against one and one: {figures}");
    assert!((rate(0) - rate(1)).abs() < 0.06, "those who are alone are alike: {figures}");
}

#[test]
fn what_is_shown_of_a_fight_adds_up() {
    for seed in ["1", "4", "9"] {
        let report = json(&["fight", DEMO, "mill_race", "--seed", seed]);
        let events = report["events"].as_array().unwrap();
        let number = |event: &Value, key: &str| event[key].as_f64().unwrap();
        let mut health: BTreeMap<String, f64> = BTreeMap::new();
        let mut fell = Vec::new();
        for event in events {
            let (kind, at) = (event["event"].as_str().unwrap(), number(event, "at"));
            let of_health = event["pool"] == "health";
            let target = event["target"].as_str().or(event["who"].as_str()).unwrap_or_default().to_owned();
            let moved = match kind {
                "hit" => -number(event, "dealt"),
                "drained" => -number(event, "taken"),
                "healed" => number(event, "healed"),
                "restored" => number(event, "gained"),
                "defeated" => {
                    fell.push(target);
                    continue;
                }
                _ => continue,
            };
            if !of_health {
                continue;
            }
            // The remaining amount is the previous one, less what was taken, plus what was given.
            let left = number(event, "left");
            if let Some(before) = health.insert(target.clone(), left) {
                assert!((before + moved - left).abs() < 1e-9, "seed {seed}, {at} s, {target}: {before} {moved} {left}");
            }
            assert!(left >= 0.0 && !fell.contains(&target), "seed {seed}, {at} s: {event}");
        }
        for name in &fell {
            assert_eq!(health[name], 0.0, "seed {seed}: {name} has fallen");
        }
        let stands = health.iter().filter(|(name, _)| !fell.contains(name)).all(|(_, left)| *left > 0.0);
        assert!(stands && !fell.is_empty(), "seed {seed}: {health:?} {fell:?}");
    }
}

#[test]
fn a_row_for_each_event_and_a_column_for_each_key() {
    let report = json(&["fight", DEMO, "mill_race", "--seed", "4"]);
    let printed = answer(&["fight", DEMO, "mill_race", "--seed", "4", "--format", "csv"]);
    let mut lines = printed.lines();
    let columns: Vec<&str> = lines.next().unwrap().split(',').collect();
    let events = report["events"].as_array().unwrap();
    assert_eq!(lines.clone().count(), events.len());
    for (line, event) in lines.zip(events) {
        let cells: Vec<&str> = line.split(',').collect();
        assert_eq!(cells.len(), columns.len(), "{line}");
        for (key, value) in event.as_object().unwrap() {
            let cell =
                cells[columns.iter().position(|column| column == key).unwrap_or_else(|| panic!("no column {key}"))];
            match value {
                Value::Number(number) => {
                    assert_eq!(cell.parse::<f64>().unwrap(), number.as_f64().unwrap(), "{key}: {line}")
                }
                Value::String(text) => assert_eq!(cell, text, "{key}: {line}"),
                Value::Null => assert_eq!(cell, "", "{key}: {line}"),
                _ => {}
            }
        }
    }
}

#[test]
fn the_three_releases_of_a_millstone_are_one_use() {
    let figures = json(&["trials", DEMO, "mill_race", "-n", "300"]);
    let miller = &figures["combatants"].as_array().unwrap()[4];
    assert_eq!(miller["combatant"], "drowned_miller");
    let ability = |name: &str| {
        let list = miller["abilities"].as_array().unwrap();
        list.iter().find(|line| line["ability"] == name).unwrap().clone()
    };
    let per_use = |name: &str| {
        let line = ability(name);
        line["damage"].as_f64().unwrap() / line["uses"].as_f64().unwrap()
    };
    // A stone of 5 + 33 / 2 rolls three times over guards of about a fifth; a pincer of 9 + 33 × 0.8 once.
    assert!((35.0..64.5).contains(&per_use("millstone")), "{}", per_use("millstone"));
    assert!((20.0..42.5).contains(&per_use("pincer")), "{}", per_use("pincer"));
    let reasons: Vec<String> = miller["abilities"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|line| line["unavailable"].as_array().unwrap().clone())
        .map(|reason| reason[0].as_str().unwrap().to_owned())
        .collect();
    for reason in ["on_cooldown", "no_charge", "not_open", "locked", "used_up", "forbidden"] {
        assert!(reasons.iter().any(|printed| printed == reason), "{reason} is not among {reasons:?}");
    }
}

#[test]
fn gear_is_reported_where_it_counts() {
    let printed = squeezed(&answer(&["explain", DEMO, "gatekeeper"]));
    for expected in [
        "guard 26.4 12 + 10 oilskin + 20 % steady_footing Halves impact at 100.\n",
        "heft 15.4 14 + 10 % long_hook Weight behind a blow.\n",
        "max_health 265.333 60 + 14 * grit = 60 + 14 * 14.6667\n",
        "health 265.333 265.333 max_health = 265.333 defeated when it empties\n",
        "oilskin (body, 3 of weirguard), hobnails (feet, 3 of weirguard), long_hook (hands, 3 of weirguard)\n",
    ] {
        assert!(printed.contains(expected), "{expected}{printed}");
    }
    // Another piece, and a number of a piece, without editing a file.
    let swapped =
        squeezed(&answer(&["explain", DEMO, "gatekeeper", "--set", "character.gatekeeper.gear.0=tin_whistle"]));
    assert!(
        swapped.contains("guard 14.4 12 + 20 % steady_footing") && swapped.contains("tin_whistle (neck)"),
        "{swapped}"
    );
    let thicker = squeezed(&answer(&["explain", DEMO, "gatekeeper", "--set", "gear.oilskin.modify.0.add=18"]));
    assert!(thicker.contains("guard 36 12 + 18 oilskin + 20 % steady_footing"), "{thicker}");
    let fight = answer(&["fight", DEMO, "mill_race", "--seed", "2"]);
    assert!(!fight.contains("oilskin") && fight.contains("steady_footing") && fight.contains("health cap 265.333"));
    let hit = squeezed(&answer(&["explain", DEMO, "boathook", "--from", "gatekeeper", "--on", "drowned_miller"]));
    assert!(hit.contains("amount 6 + 15.4 * 0.9 = 19.86"), "{hit}");
    let checked = squeezed(&answer(&["check", DEMO]));
    assert!(checked.contains("24 statuses, 6 pieces of gear,"), "{checked}");
    assert!(checked.contains("3 kinds of points, 28 abilities"), "{checked}");
}

#[test]
fn what_comes_and_goes_is_reported() {
    let printed = squeezed(&answer(&["explain", DEMO, "wheelwright"]));
    assert!(printed.contains("hook_sweep only after it was given; slot hook; reach 2.5 m"), "{printed}");
    assert!(printed.contains("hobnails (feet, with the chance 50%)"), "{printed}");
    let fight = squeezed(&answer(&["fight", DEMO, "wheel", "--seed", "3"]));
    assert!(fight.contains("loses prod") && fight.contains("receives hook_sweep"), "{fight}");
    let trials = squeezed(&answer(&["trials", DEMO, "wheel", "-n", "50"]));
    assert!(
        trials
            .lines()
            .any(|line| line.starts_with("wheelwright") && line.contains("prod") && line.contains("not known")),
        "{trials}"
    );
}
