//! Output of `explain`: characters, hits, and all other named rules.

#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{DEMO, answer, json, refusal, row};
use tempfile::TempDir;

#[test]
fn numbers_are_explained_by_what_sets_changes_and_reads_them() {
    let printed = answer(&["explain", DEMO, "heft"]);
    for line in ["heft (attribute) · Weight behind a blow.", "changed by    spring_tide: percent 20"] {
        assert!(printed.contains(line), "{printed}");
    }
    // A long list continues in the next line, at the same column.
    assert!(printed.lines().all(|line| line.chars().count() <= 117), "{printed}");
    assert!(printed.contains("\n                 mire_stalker 9, "), "{printed}");
    let resist = json(&["explain", DEMO, "attribute.resist", "--format", "json"]);
    let said = |what: &str| -> Vec<&str> {
        let facts = resist["facts"].as_array().unwrap().iter();
        facts.filter(|fact| fact[0] == what).map(|fact| fact[1].as_str().unwrap()).collect()
    };
    assert_eq!(said("changed by"), ["oilskin: add 0.1, silt", "smoked_lenses: add 0.2, glare"]);
    assert_eq!((said("at most"), said("read by")), (vec!["0.75"], vec!["hit_steps: resist"]));
    let shell = answer(&["explain", DEMO, "shell"]);
    for line in
        ["cap           max_health * 0.5", "begins        empty", "decays by     2 a second", "soaks in      shell"]
    {
        assert!(shell.contains(line), "{shell}");
    }
    assert!(answer(&["explain", DEMO, "speed"]).contains("read by       walking speed in metres per second"));
    assert!(refusal(&["explain", DEMO, "heft", "--with", "braced"]).contains("remove --with"));
}

#[test]
fn whatever_has_a_name_is_explained() {
    for (name, lines) in [
        ("pure", &["pure (damage type)", "goes through  dodge, critical, shell", "skips         guard, resist"][..]),
        ("dodge", &["is            step 1 of 5 of a hit", "ends          the hit, reported as dodged"]),
        ("hit_step.guard", &["types         impact", "skipped by    pure", "applies to    boathook, sluice, jet"]),
        ("critical", &["marks         hit.critical"]),
        ("heal_step.care", &["(heal step)", "step 1 of 2 of a heal", "applies to    bandage, dredge\n"]),
        (
            "softened",
            &["form          softened(x, k)", "is            x * k / (x + k)", "called by     ability: flare"],
        ),
        ("grit_by_level", &["gives         0 at 1, 12 at 10, 30 at 30", "called by     character: keeper"]),
        ("brawn", &["each gives    grit: add 0.5", "to spend      max(0, level - 3) in all", "spent by      lockhand"]),
        ("long_night", &["encounters    first_watch, mill_race, high_water", "rests         oil gains 2"]),
        ("control", &["status: rattled, called_out", "kept off by   status: steady_hands", "100 %, 50 %, 25 %, 0 %"]),
        ("bell", &["carried by    ability: toll", "forbidden by  hoarse"]),
    ] {
        let printed = answer(&["explain", DEMO, name]);
        assert!(lines.iter().all(|line| printed.contains(line)), "{name}: {printed}");
    }
}

#[test]
fn what_one_does_to_itself_reaches_the_enemies_who_are_named() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("wave.toml");
    fs::write(&file, WAVE).unwrap();
    let path = file.to_str().unwrap();
    let alone = json(&["explain", path, "wave", "--from", "hand", "--format", "json"]);
    assert_eq!((alone["effects"].as_array().unwrap().len(), &alone["also"][0]["to"]), (0, &"enemies".into()));
    let with = ["--with", "on:shield=1", "--format", "json"];
    let against = json(&[&["explain", path, "wave", "--from", "hand", "--on", "eel"][..], &with].concat());
    let hit = &against["effects"][0];
    assert_eq!((&hit["to"], hit["amount"].as_f64()), (&"eel".into(), Some(8.0)));
    assert_eq!((&against["on"], &against["beforehand"][0]), (&"hand".into(), &"eel has shield".into()));
    let printed = answer(&["explain", path, "wave", "--from", "hand", "--on", "eel"]);
    assert!(printed.starts_with("wave from hand on hand, against eel"), "{printed}");
}

const WAVE: &str = r#"
[ruleset]
name = "Wave"
format = 1
[attributes]
guard = 3
[pools]
health = { max = 100, defeat = true }
[[hit_steps]]
name = "guard"
amount = "amount - target.guard"
[ability.wave]
targets = "self"
does = [{ damage = 20, to = "enemies" }]
[status.shield]
duration = 3
modify = [{ attribute = "guard", add = 5 }]
[policy.any]
use = ["wave"]
[character.hand]
abilities = ["wave"]
policy = "any"
[character.eel]
attributes = { guard = 7 }
[encounter.here]
sides = { one = ["hand"], other = ["eel"] }
"#;

#[test]
fn explain_shows_where_every_number_of_a_character_comes_from() {
    let printed = answer(&["explain", DEMO, "lockhand"]);
    assert_eq!(row(&printed, "max_health")[..2], ["max_health", "237.333"]);
    assert!(printed.contains("60 + 14 * grit = 60 + 14 * 12.6667"), "{printed}");
    assert!(printed.contains("10 + grit_by_level(level) = 10 + grit_by_level(3)"), "{printed}");
    assert_eq!(row(&printed, "breath")[..6], ["breath", "62.6667", "62.6667", "+3", "per", "second"]);
    assert!(printed.contains("1. brace when self.health.share < 50%"), "{printed}");
    let sheet =
        json(&["explain", DEMO, "lockhand", "--set", "character.lockhand.attributes.guard=250", "--format", "json"]);
    let guard = sheet["attributes"].as_array().unwrap().iter().find(|line| line["name"] == "guard").unwrap();
    assert_eq!((guard["value"].as_f64(), guard["limited"].as_str()), (Some(100.0), Some("at most 100")));
    let csv = answer(&["explain", DEMO, "lockhand", "--format", "csv"]);
    assert!(csv.contains("attribute,heft,14,14,,,\n"), "{csv}");
}

#[test]
fn explain_shows_one_number_of_a_character() {
    for path in ["lockhand.heft", "character.lockhand.heft", "character.lockhand.attributes.heft"] {
        let printed = answer(&["explain", DEMO, path]);
        assert_eq!((printed.lines().count(), &row(&printed, "heft")[..2]), (5, &["heft", "14"][..]));
    }
    assert_eq!(answer(&["explain", DEMO, "attributes.heft"]), answer(&["explain", DEMO, "attribute.heft"]));
    let breath = answer(&["explain", DEMO, "lockhand.breath", "--format", "csv"]);
    assert_eq!(breath.lines().count(), 2, "{breath}");
    for (path, says) in [
        ("lockhand.hefd", "`lockhand` has no attribute and no pool called `hefd`; did you mean `heft`?"),
        (
            "boathook.cooldown",
            "there is no rule called `boathook.cooldown`; ask for `boathook`, which shows its numbers",
        ),
    ] {
        let error = refusal(&["explain", DEMO, path]);
        assert!(error.contains(says), "{error}");
    }
}

#[test]
fn the_worked_hits_of_the_semantics_can_be_reproduced() {
    for (guard, expected) in [("15", "9.25"), ("100", "5"), ("250", "5")] {
        let guard = format!("character.silt_crab.attributes.guard={guard}");
        let printed = answer(&[
            "explain",
            DEMO,
            "boathook",
            "--from",
            "lockhand",
            "--on",
            "silt_crab",
            "--set",
            "ability.boathook.does.0.damage=10",
            "--set",
            &guard,
        ]);
        assert_eq!(row(&printed, "guard").last(), Some(&expected), "{printed}");
    }
}

#[test]
fn explain_gives_the_chances_and_means_of_a_hit() {
    let printed = json(&["explain", DEMO, "pincer", "--from", "silt_crab", "--on", "lockhand", "--format", "json"]);
    let effect = &printed["effects"][0];
    assert_eq!(printed["exact"].as_bool(), Some(true));
    let chance = |ending: &str| {
        let endings = effect["endings"].as_array().unwrap();
        endings.iter().find(|line| line["ending"] == ending).unwrap()["chance"].as_f64().unwrap()
    };
    let near = |a: f64, b: f64| assert!((a - b).abs() < 1e-12, "{a} {b}");
    near(chance("dodged"), 0.05);
    near(chance("critical"), 0.95 * 0.1);
    near(chance("plain"), 0.95 * 0.9);
    // 21.8 before guard 12, a tenth of what is not dodged at one and a half.
    near(effect["over_all"]["mean"].as_f64().unwrap(), 21.8 * (200.0 - 12.0) / 200.0 * 0.95 * 1.05);
    let toll = answer(&["explain", DEMO, "toll", "--from", "bell_ringer", "--on", "silt_crab"]);
    assert!(toll.contains("2. drain to 60 breath") && toll.contains("3. restore"), "{toll}");
    let brace = answer(&["explain", DEMO, "brace", "--from", "lockhand"]);
    assert!(brace.starts_with("brace from lockhand on lockhand"), "{brace}");
}
