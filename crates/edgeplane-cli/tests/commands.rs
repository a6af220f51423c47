//! The tool as a process: its output, its streams, and its exit codes.

#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;

use common::{DEMO, answer, json, refusal, row, run, text};
use serde_json::Value;
use tempfile::TempDir;

#[test]
fn check_shows_that_the_demo_is_sound() {
    let printed = answer(&["check", DEMO]);
    assert!(printed.starts_with("Weir Nine is valid: 11 files, no errors\n"), "{printed}");
    assert!(printed.contains("15 attributes, 4 pools"), "{printed}");
    let report = json(&["check", DEMO, "--format", "json"]);
    assert_eq!((report["sound"].as_bool(), report["files"].as_array().unwrap().len()), (Some(true), 11));
    assert_eq!(answer(&["check", DEMO, "--format", "csv"]), "file,line,column,severity,code,message,help\n");
}

#[test]
fn a_misspelt_name_is_reported_with_its_place_and_what_was_meant() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("rules.toml");
    fs::write(&file, "[attributes]\nheft = 10\nmax_health = \"60 + 14 * hetf\"\n").unwrap();
    let file = file.to_str().unwrap();
    let printed = refusal(&["check", file]);
    assert!(printed.contains("error[unknown-name]: no attribute or pool is called `hetf`"), "{printed}");
    assert!(printed.contains("rules.toml:3:25") && printed.contains("did you mean `heft`?"), "{printed}");
    assert!(!printed.contains('\u{1b}'), "colour where nobody sees it: {printed}");
    let output = run(&["check", file, "--format", "json"]);
    assert_eq!(output.status.code(), Some(2));
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    let first = &report["diagnostics"][0];
    assert_eq!((first["code"].as_str(), first["severity"].as_str()), (Some("unknown-name"), Some("error")));
    assert_eq!((first["places"][0]["line"].as_u64(), first["places"][0]["column"].as_u64()), (Some(3), Some(25)));
    let output = run(&["check", file, "--format", "csv"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(
        text(&output.stdout)
            .lines()
            .nth(1)
            .unwrap()
            .ends_with(",3,25,error,unknown-name,no attribute or pool is called `hetf`,did you mean `heft`?")
    );
}

#[test]
fn an_error_of_two_places_shows_both() {
    let folder = TempDir::new().unwrap();
    fs::write(folder.path().join("a.toml"), "[attributes]\nheft = 10\n").unwrap();
    fs::write(folder.path().join("b.toml"), "[attributes]\nheft = 12\n").unwrap();
    let printed = refusal(&["check", folder.path().to_str().unwrap()]);
    assert!(printed.contains("b.toml:2:1") && printed.contains("a.toml:2:1"), "{printed}");
    assert!(printed.contains("again here") && printed.contains("first given here"), "{printed}");
}

#[test]
fn wrong_usage_is_refused_with_exit_code_2() {
    for (arguments, expected) in [
        (vec!["check"], "RULESET"),
        (vec!["check", "no/such/folder"], "cannot read `no/such/folder`"),
        (vec!["fight", DEMO, "duell"], "no encounter is called `duell`; did you mean `duel`?"),
        (vec!["trials", DEMO, "war"], "no encounter is called `war`; there are `duel`, `mirror`, `night_shift`"),
        (vec!["trials", DEMO, "duel", "-n", "0"], "it must be a whole number from 1 to"),
        (vec!["explain", DEMO, "lockhnad"], "did you mean `lockhand`?"),
        (vec!["explain", DEMO, "keeper"], "`keeper` is a template"),
        (vec!["explain", DEMO, "ability.boathok", "--from", "lockhand", "--on", "silt_crab"], "mean `boathook`?"),
        (vec!["explain", DEMO, "boathook", "--from", "lockhand", "--on", "crab"], "no character is called `crab`"),
        (vec!["check", DEMO, "--set", "heft"], "write it as PATH=VALUE"),
        (vec!["check", DEMO, "--set", "attributes.hefd=3"], "did you mean `heft`?"),
        (
            vec!["fight", DEMO, "duel", "-o", "no/such/folder/out.txt"],
            "cannot write `no/such/folder/out.txt`: there is no folder `no/such/folder`",
        ),
        (vec!["fight", DEMO, "duel", "--seed", "-1"], "it must be a whole number from 0 to 18446744073709551615"),
    ] {
        let printed = refusal(&arguments);
        assert!(printed.contains(expected), "{arguments:?}: {printed}");
    }
}

#[test]
fn a_fight_is_shown_and_its_trace_has_the_arithmetic() {
    let printed = answer(&["fight", DEMO, "duel", "--seed", "7"]);
    assert!(printed.starts_with("Weir Nine · duel · seed 7\n"), "{printed}");
    assert!(printed.contains("is defeated by lockhand's boathook") && printed.contains("keepers win"), "{printed}");
    assert!(printed.contains("health over time"), "{printed}");
    let trace = answer(&["fight", DEMO, "duel", "--seed", "7", "--trace"]);
    assert!(trace.contains("18.9421 * (200 - 15) / 200 = 17.5215"), "{trace}");
    assert!(trace.contains("brace condition not met: 1 < 50% = no"), "{trace}");
    assert!(trace.contains("boathook on cooldown until 1.70 s; → waits until 1.70 s"), "{trace}");
    assert_ne!(printed, answer(&["fight", DEMO, "duel", "--seed", "8"]).replace("seed 8", "seed 7"));
}

#[test]
fn a_trace_for_programs_has_the_arithmetic_of_the_one_for_readers() {
    let arguments = ["fight", DEMO, "duel", "--seed", "7", "--format", "json"];
    let plain = json(&arguments);
    let traced = json(&[&arguments[..], &["--trace"]].concat());
    let events = traced["events"].as_array().unwrap();
    let guard = events.iter().find(|event| event["worked"] == "18.9421 * (200 - 15) / 200").unwrap();
    assert_eq!((guard["event"].as_str(), guard["path"].as_str()), (Some("formula"), Some("hit_steps.guard.amount")));
    assert!((guard["value"].as_f64().unwrap() - 17.521_478).abs() < 1e-6, "{guard}");
    let step = events.iter().find(|event| event["event"] == "stepped" && event["step"] == "guard").unwrap();
    assert!(step["before"].as_f64() > step["after"].as_f64(), "{step}");
    // The events are the same.
    let detail = |event: &&Value| event["event"] != "formula" && event["event"] != "stepped";
    let without: Vec<_> = events.iter().filter(detail).collect();
    assert_eq!(without, plain["events"].as_array().unwrap().iter().collect::<Vec<_>>());
}

#[test]
fn a_fight_is_shown_at_one_moment() {
    let at = ["fight", DEMO, "night_shift", "--at", "3.5"];
    let printed = answer(&at);
    assert!(printed.starts_with("Weir Nine · night_shift · seed 1 · at 3.50 s\n"), "{printed}");
    assert!(printed.contains("no, on cooldown until") && printed.contains("health"), "{printed}");
    let moment = json(&[&at[..], &["--format", "json"]].concat());
    let combatants = moment["combatants"].as_array().unwrap();
    assert_eq!((combatants.len(), combatants[0]["who"].as_str()), (10, Some("lockhand")));
    let csv = answer(&[&at[..], &["--format", "csv"]].concat());
    assert!(csv.starts_with("who,kind,name,value,of,says\n") && csv.contains("\nlockhand,pool,health,"), "{csv}");
    let wrong = refusal(&["fight", DEMO, "duel", "--at", "soon"]);
    assert!(wrong.contains("is not a time in seconds, such as 3.5"), "{wrong}");
}

#[test]
fn the_events_of_a_fight_are_there_for_programs() {
    let report = json(&["fight", DEMO, "duel", "--seed", "7", "--format", "json"]);
    assert_eq!((report["ending"].as_str(), report["winner"].as_str()), (Some("won"), Some("keepers")));
    let events = report["events"].as_array().unwrap();
    assert_eq!(events[0]["event"], "began");
    assert_eq!(events.last().unwrap()["winner"], "keepers");
    let mut health = 200.0;
    for hit in events.iter().filter(|event| event["event"] == "hit" && event["who"] == "lockhand") {
        health -= hit["dealt"].as_f64().unwrap();
        assert!((hit["left"].as_f64().unwrap() - health).abs() < 1e-9);
        assert!(
            (hit["amount"].as_f64().unwrap() - hit["dealt"].as_f64().unwrap() - hit["overkill"].as_f64().unwrap())
                .abs()
                < 1e-9
        );
    }
    assert_eq!(health.round(), 0.0);
    let csv = answer(&["fight", DEMO, "duel", "--seed", "7", "--format", "csv"]);
    assert_eq!(csv.lines().count(), events.len() + 1);
    assert!(csv.starts_with("at,event,who,ability,status,target,"), "{csv}");
}

#[test]
fn trials_count_wins_durations_damage_and_time_unavailable() {
    let printed = answer(&["trials", DEMO, "duel", "-n", "2000"]);
    assert!(printed.starts_with("Weir Nine · duel · 2,000 fights · seed 1\n"), "{printed}");
    for first in ["keepers win", "silt win", "median", "lockhand", "silt_crab"] {
        row(&printed, first);
    }
    let trials = json(&["trials", DEMO, "duel", "-n", "2000", "--format", "json"]);
    let wins: u64 =
        trials["sides"].as_array().unwrap().iter().map(|side| side["win_rate"]["count"].as_u64().unwrap()).sum();
    assert_eq!(wins + trials["draws"]["count"].as_u64().unwrap(), 2000);
    let crab = &trials["combatants"][1];
    let shares: f64 =
        crab["abilities"].as_array().unwrap().iter().map(|ability| ability["damage_share"].as_f64().unwrap()).sum();
    assert!((shares - 1.0).abs() < 1e-9);
    assert_eq!(crab["abilities"][0]["unavailable"][0][0], "on_cooldown");
    let csv = answer(&["trials", DEMO, "duel", "-n", "2000", "--format", "csv"]);
    assert!(csv.starts_with("measure,of,by,value,low,high\nwin rate,keepers,"), "{csv}");
}

/// Eight of a kind share a row with their average; a spreadsheet, and `--each`, list each of them. A side with the same
/// name is not confused with them.
#[test]
fn many_of_a_kind_share_a_row() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("many.toml");
    let rules = "[pools]\nhealth = { max = 40, defeat = true }\n[ability.nip]\ncooldown = 1\n\
        does = [{ damage = 2, spread = 0.5 }]\n[character.eel]\nabilities = [\"nip\"]\n[character.heron]\nabilities = [\"nip\"]\n\
        [encounter.pond]\nsides.air = [\"heron\", \"heron\"]\nsides.water = [{ character = \"eel\", count = 8 }]\n";
    fs::write(&file, rules).unwrap();
    let file = file.to_str().unwrap();
    let trials = |more: &[&str]| answer(&[&["trials", file, "pond", "-n", "300"], more].concat());
    let (short, long) = (trials(&[]), trials(&["--each"]));
    let damage = |line: &str| -> f64 { line.split_whitespace().nth(5).unwrap().parse().unwrap() };
    let rates = |printed: &str| -> Vec<f64> {
        printed.lines().filter(|line| line.starts_with("  eel") && line.contains(" water ")).map(damage).collect()
    };
    assert!(short.contains("eel 1–8") && short.contains("heron 2") && !short.contains("eel 3"), "{short}");
    assert_eq!(rates(&long).len(), 8, "{long}");
    assert!(!long.contains("eel 1–8"));
    let line = short.lines().find(|line| line.starts_with("  eel") && line.contains(" water ")).unwrap();
    let mean: f64 = rates(&long).iter().sum::<f64>() / 8.0;
    assert!((damage(line) - mean).abs() < 0.01, "{line}: {mean}");
    assert_eq!(trials(&["--format", "csv"]).matches("damage per second,eel").count(), 8);
    let other = fs::read_to_string(file).unwrap().replace("sides.water", "sides.eel");
    let renamed = folder.path().join("renamed.toml");
    fs::write(&renamed, other.replace("[\"heron\", \"heron\"]", "[\"heron\", \"eel\"]")).unwrap();
    let renamed = renamed.to_str().unwrap();
    assert!(answer(&["trials", renamed, "pond", "-n", "100"]).contains("eel 1–8 (eel)"));
    let compared = answer(&["compare", renamed, "pond", "-n", "100", "--set", "ability.nip.cooldown=2"]);
    assert!(compared.contains("defeat_rate(eel 1 (eel))") && !compared.contains("defeated("), "{compared}");
    let compared = answer(&["compare", file, "pond", "-n", "300", "--set", "ability.nip.cooldown=2"]);
    assert!(compared.contains("defeated(eel)") && !compared.contains("eel 1"), "{compared}");
}

#[test]
fn the_only_encounter_need_not_be_named() {
    let folder = TempDir::new().unwrap();
    let write = |name: &str, bite: u32| {
        let path = folder.path().join(name);
        let rules = format!(
            "[pools]\nhealth = {{ max = 30, defeat = true }}\n[ability.bite]\nrecovery = 1\n\
             does = [{{ damage = {bite}, spread = 0.3 }}]\n[character.eel]\nabilities = [\"bite\"]\n\
             [encounter.pond]\nsides = {{ one = [\"eel\"], other = [\"eel\"] }}\n"
        );
        fs::write(&path, rules).unwrap();
        path.to_str().unwrap().to_owned()
    };
    let (before, after) = (write("before.toml", 4), write("after.toml", 5));
    for command in ["fight", "trials", "sensitivity"] {
        assert_eq!(answer(&[command, &before]), answer(&[command, &before, "pond"]), "{command}");
    }
    let compared = answer(&["compare", &before, &after, "-n", "50"]);
    assert_eq!(compared, answer(&["compare", &before, &after, "pond", "-n", "50"]));
    assert_eq!(row(&compared, "ability.bite.does.0.damage"), ["ability.bite.does.0.damage", "4", "5"]);
    for (arguments, says) in [
        (["trials", DEMO].as_slice(), "name the encounter: there are `duel`, `mirror`,"),
        (&["compare", &before, "pont"], "no encounter is called `pont`; did you mean `pond`?"),
        (&["compare", &before, "gone.toml"], "cannot read `gone.toml`"),
        (&["compare", &before], "there is nothing to compare"),
        (&["gauntlet", &before], "the ruleset has no gauntlet"),
    ] {
        let error = refusal(arguments);
        assert!(error.contains(says), "{error}");
    }
}

#[test]
fn trials_give_the_same_bytes_on_any_number_of_threads() {
    let run = |threads: &str| {
        answer(&["trials", DEMO, "night_shift", "-n", "1500", "--threads", threads, "--format", "json"])
    };
    assert_eq!(run("1"), run("2"));
    assert_eq!(run("2"), run("2"));
}

#[test]
fn a_number_that_is_set_changes_the_answer() {
    let wins = |heft: &str| {
        let set = format!("character.silt_crab.attributes.heft={heft}");
        json(&["trials", DEMO, "duel", "-n", "1000", "--set", &set, "--format", "json"])["sides"][0]["win_rate"]["value"].as_f64().unwrap()
    };
    assert!(wins("10") > 0.95 && wins("22") < 0.2);
}

#[test]
fn a_fight_that_cannot_go_on_is_shown_up_to_there() {
    let output = run(&["fight", DEMO, "duel", "--set", "ability.boathook.does.0.damage=10 / (target.health - 200)"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(text(&output.stdout).contains("duel · seed 1"));
    let printed = text(&output.stderr);
    assert!(printed.contains("at 0.300000 s: `ability.boathook.does.0.damage` divides by zero"), "{printed}");
    assert!(printed.contains("with target.health = 200"), "{printed}");
    let printed =
        refusal(&["trials", DEMO, "duel", "--set", "ability.boathook.does.0.damage=10 / (target.health - 200)"]);
    assert!(printed.contains("of `duel` with seed ") && printed.contains("divides by zero"), "{printed}");
}

#[test]
fn answers_go_into_a_file_without_colour() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("fight.txt");
    assert_eq!(answer(&["fight", DEMO, "duel", "--trace", "-o", file.to_str().unwrap()]), "");
    let printed = fs::read_to_string(file).unwrap();
    assert!(printed.contains("enters the steps") && !printed.contains('\u{1b}'));
}

#[test]
fn new_writes_a_ruleset_that_runs_and_overwrites_nothing() {
    let folder = TempDir::new().unwrap();
    let fresh = folder.path().join("mine");
    let fresh = fresh.to_str().unwrap();
    assert!(answer(&["new", fresh]).contains("edgeplane trials"));
    assert!(answer(&["check", fresh]).contains("is valid"));
    for encounter in ["duel", "mirror"] {
        answer(&["trials", fresh, encounter, "-n", "300"]);
    }
    fs::write(Path::new(fresh).join("ruleset.toml"), "# mine\n").unwrap();
    assert!(refusal(&["new", fresh]).contains("exists already"));
    assert_eq!(fs::read_to_string(Path::new(fresh).join("ruleset.toml")).unwrap(), "# mine\n");
}

#[test]
fn the_demo_shows_the_tour_and_leaves_its_files() {
    let folder = TempDir::new().unwrap();
    let demo = folder.path().join("tour");
    let output = run(&["demo", "-o", demo.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(0), "{}", text(&output.stderr));
    let printed = text(&output.stdout);
    for part in [
        "Weir Nine is valid",
        "lockhand · level 3",
        "boathook from lockhand on silt_crab",
        "cracked from bell_ringer on silt_crab",
        "12 + 35 braced + 36 tide_charm",
        "keepers win",
        "10,000 fights",
        "Everything is in",
    ] {
        assert!(printed.contains(part), "{part}: {printed}");
    }
    assert!(text(&output.stderr).contains("did you mean `heft`?"), "the tour ends with a misspelt name");
    for file in [
        "weir-nine/ruleset.toml",
        "weir-nine/steps.toml",
        "duel.json",
        "night_shift.txt",
        "night_shift_trials.json",
        "night_shift_trials.csv",
    ] {
        assert!(demo.join(file).is_file(), "{file}");
        assert!(printed.contains(file), "{file} is not named");
    }
    serde_json::from_str::<Value>(&fs::read_to_string(demo.join("duel.json")).unwrap()).unwrap();
    // The demo's ruleset is a ruleset like any other.
    answer(&["check", demo.join("weir-nine").to_str().unwrap()]);
}

#[test]
fn files_that_cannot_be_read_are_reported() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("bytes.toml");
    fs::write(&path, b"[attributes]\nheft = \xff\xfe\n").unwrap();
    assert!(refusal(&["check", path.to_str().unwrap()]).contains("is not UTF-8 text: byte 20 is wrong"));
    fs::write(&path, vec![b'#'; 5 << 20]).unwrap();
    assert!(refusal(&["check", path.to_str().unwrap()]).contains("at most 4194304 bytes are allowed"));
    fs::remove_file(&path).unwrap();
    assert!(refusal(&["check", folder.path().to_str().unwrap()]).contains("contains no .toml file"));
    // An empty file is a ruleset too, without anything to play.
    fs::write(&path, "").unwrap();
    assert!(answer(&["check", path.to_str().unwrap()]).contains("is valid: 1 file, no errors"));
}

#[test]
fn a_fight_on_the_ground_shows_walks_flights_and_what_is_out_of_reach() {
    let arguments = ["fight", DEMO, "sluice_gate", "--seed", "2"];
    let printed = answer(&arguments);
    for wanted in ["sets out        (0.0, 0.0)      4.0 m/s", "stands still", "arrives at ", "moved by 4.0 m"] {
        assert!(printed.contains(wanted), "{wanted}:\n{printed}");
    }
    assert!(!printed.contains("-0.0)") && !printed.contains("(-0.0"), "{printed}");
    let trace = answer(&[&arguments[..], &["--trace"]].concat());
    assert!(trace.contains("m away, out of reach (2.5 m)") && trace.contains("  turns  "), "{trace}");
    // Some choose a course in the first moment, and another one when all have set out: only the last one is shown.
    let moment = trace.lines().filter(|line| line.trim_start().starts_with("0.00"));
    assert!(!moment.clone().any(|line| line.contains("  turns  ")), "{trace}");
    let report = json(&[&arguments[..], &["--format", "json"]].concat());
    let events = report["events"].as_array().unwrap();
    let walks = || events.iter().filter(|event| event["event"] == "walks");
    let first = walks().filter(|event| event["at"].as_f64() == Some(0.0));
    assert!(first.count() > moment.filter(|line| line.contains("sets out")).count(), "{report}");
    let walk = walks().next().unwrap();
    assert_eq!(walk["course"].as_array().unwrap().len(), 2, "{walk}");
    let trials = answer(&["trials", DEMO, "sluice_gate", "-n", "100"]);
    assert!(trials.contains("out of reach"), "{trials}");
}

#[test]
fn values_go_out_as_a_sheet_and_come_back() {
    let folder = TempDir::new().unwrap();
    let ruleset = folder.path().join("weir");
    fs::create_dir(&ruleset).unwrap();
    for file in fs::read_dir(DEMO).unwrap() {
        let file = file.unwrap().path();
        fs::copy(&file, ruleset.join(file.file_name().unwrap())).unwrap();
    }
    let (ruleset, sheet) = (ruleset.to_str().unwrap(), folder.path().join("sheet.csv"));
    let sheet = sheet.to_str().unwrap();
    let printed = answer(&["sheet", ruleset, "character"]);
    assert!(printed.lines().all(|line| line.chars().count() <= 120), "{printed}");
    assert!(printed.contains("more columns:"), "{printed}");
    answer(&["sheet", ruleset, "gear", "--columns", "slot,modify.0.add", "-o", sheet]);
    assert!(answer(&["sheet", ruleset, "gear", "--take", sheet]).contains("contains no changes"));
    let before = fs::read_to_string(Path::new(ruleset).join("gear.toml")).unwrap();
    let csv = fs::read_to_string(sheet).unwrap();
    assert!(csv.contains("oilskin,body,10\n"), "{csv}");
    fs::write(sheet, csv.replace("oilskin,body,10\n", "oilskin,body,12\n")).unwrap();
    let printed = answer(&["sheet", ruleset, "gear", "--take", sheet]);
    assert!(printed.contains("1 value changed in 1 file."), "{printed}");
    assert_eq!(row(&printed, "gear.oilskin.modify.0.add")[1..3], ["10", "12"]);
    let after = fs::read_to_string(Path::new(ruleset).join("gear.toml")).unwrap();
    assert_eq!(after.lines().zip(before.lines()).filter(|(a, b)| a != b).count(), 1);
    fs::write(sheet, "name,slto\noilskin,hands\n").unwrap();
    assert!(refusal(&["sheet", ruleset, "gear", "--take", sheet]).contains("sheet.csv:2:9"));
    assert_eq!(fs::read_to_string(Path::new(ruleset).join("gear.toml")).unwrap(), after);
}

/// 100 health, 9 per second: the blow of 40 at 0 s leaves 60, and the pool is full again after 4.44 s.
#[test]
fn pools_are_shown_with_what_flows_between_events() {
    let folder = TempDir::new().unwrap();
    let (file, plot) = (folder.path().join("rules.toml"), folder.path().join("fight.svg"));
    let rules = "[pools]\nhealth = { max = 100, defeat = true, regen = 9 }\n\
                 wind = { max = 30, start = \"empty\", regen = { amount = 4, every = 2.5 } }\n\
                 [ability.poke]\ncooldown = 60\ndoes = [{ damage = 40 }]\n\
                 [character.a]\nabilities = [\"poke\"]\n[character.b]\n\
                 [encounter.x]\nsides.l = [\"a\"]\nsides.r = [\"b\"]\ntime_limit = 6\n";
    fs::write(&file, rules).unwrap();
    let (file, plot) = (file.to_str().unwrap(), plot.to_str().unwrap());
    let printed = answer(&["fight", file, "x", "--plot", plot]);
    let strip = row(&printed, "b  100.0");
    // A bar for each tenth of a second: to 62.5, 75, 87.5 and above.
    let bars: String = [("▅", 2), ("▆", 14), ("▇", 14), ("█", 30)].map(|(bar, times)| bar.repeat(times)).concat();
    assert_eq!(strip[2..], [&bars, "100.0"], "{printed}");
    let found = json(&["fight", file, "x", "--format", "json"]);
    let of = |pool: &str| {
        let pools = found["pools"].as_array().unwrap();
        pools.iter().find(|one| one["who"] == "b" && one["pool"] == pool).unwrap().clone()
    };
    assert_eq!(of("health")["left"], 100.0);
    assert_eq!(of("health")["flows"], serde_json::json!([{ "at": 0.0, "amount": 60.0, "cap": 100.0, "rate": 9.0 }]));
    assert_eq!((&of("wind")["left"], &of("wind")["flows"][0]["portions"]), (&8.0.into(), &2.5.into()));
    let moment = answer(&["fight", file, "x", "--at", "3"]);
    assert!(moment.contains("health 87 of 100, +9 each second · wind 4 of 30, +4 every 2.5 s"), "{moment}");
    // The line bends where the pool is full, 4.44 of 6 s from the left.
    let picture = fs::read_to_string(plot).unwrap();
    assert!(picture.contains("points=\"150,153 757,134 970,134 970,180 150,180 \""), "{picture}");
}
