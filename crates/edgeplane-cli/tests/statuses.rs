//! Output about statuses.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::fs;
use std::process::{Command, Output};

use serde_json::Value;
use tempfile::TempDir;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");

fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_edgeplane")).args(arguments).output().unwrap()
}

/// Standard output and standard error of a command that must succeed.
fn answer(arguments: &[&str]) -> (String, String) {
    let output = run(arguments);
    let printed = [&output.stdout, &output.stderr].map(|bytes| String::from_utf8(bytes.clone()).unwrap());
    assert_eq!(output.status.code(), Some(0), "{arguments:?}: {printed:?}");
    let [out, err] = printed;
    (out, err)
}

fn json(arguments: &[&str]) -> Value {
    let arguments: Vec<&str> = arguments.iter().copied().chain(["--format", "json"]).collect();
    serde_json::from_str(&answer(&arguments).0).unwrap()
}

/// The words of every line that begins with `first`.
fn rows(table: &str, first: &str) -> Vec<String> {
    let lines = table.lines().filter(|line| line.trim_start().starts_with(first));
    lines.map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

#[test]
fn explain_shows_what_a_status_does_stack_by_stack_and_tick_by_tick() {
    let (printed, _) = answer(&["explain", DEMO, "cracked", "--from", "bell_ringer", "--on", "silt_crab"]);
    assert!(printed.starts_with("cracked from bell_ringer on silt_crab · A shell that rings hollow"), "{printed}");
    assert_eq!(rows(&printed, "reapplied"), ["reapplied stacks, up to 6; each ends on its own"]);
    assert_eq!(rows(&printed, "lasts"), ["lasts 8 s"]);
    assert_eq!(rows(&printed, "guard"), ["guard add -3 * stacks"]);
    assert_eq!([rows(&printed, "none"), rows(&printed, "4")], [["none 15"], ["4 3"]]);
    let (printed, _) = answer(&["explain", DEMO, "silted", "--from", "reed_stalker", "--on", "lockhand"]);
    assert_eq!(rows(&printed, "1  "), ["1 19.2", "1 1.00 damage health 3.84 233.493"], "{printed}");
    assert_eq!(rows(&printed, "5"), ["5 5.00 damage health 3.84 218.133"]);
    assert_eq!(rows(&printed, "sources"), ["sources lash"]);
    let braced = json(&["explain", DEMO, "braced", "--on", "sluicer"]);
    assert_eq!((braced["from"].as_str(), braced["on"].as_str()), (Some("sluicer"), Some("sluicer")));
    assert_eq!(braced["stacks"][0]["values"][0], 35.0);
    assert_eq!(braced["triggers"][0]["event"], "hit_taken");
    let (csv, _) = answer(&["explain", DEMO, "waterlogged", "--on", "silt_crab", "--format", "csv"]);
    assert!(csv.starts_with("stacks,quickness,damage,healing,restored,drained\n1,-0.04,0,0,0,0\n2,-0.08,"), "{csv}");
}

#[test]
fn explain_shows_what_statuses_add_to_a_character() {
    let arguments = ["explain", DEMO, "lockhand", "--with", "braced", "--with", "tide_charm=3"];
    let (printed, _) = answer(&arguments);
    assert_eq!(rows(&printed, "guard")[0], "guard 83 12 + 35 braced + 36 tide_charm Halves impact at 100.");
    let more: Vec<&str> = arguments.iter().copied().chain(["--with", "waterlogged=4"]).collect();
    assert_eq!(rows(&answer(&more).0, "boathook")[0].split(' ').nth(5), Some("1.624"), "cooldowns follow");
    let sheet = json(&arguments);
    let guard = sheet["attributes"].as_array().unwrap().iter().find(|line| line["name"] == "guard").unwrap();
    assert_eq!(guard["statuses"], serde_json::json!(["+ 35 braced", "+ 36 tide_charm"]));
}

#[test]
fn explain_of_an_ability_shows_what_else_it_does() {
    let (printed, _) = answer(&["explain", DEMO, "toll", "--from", "bell_ringer", "--on", "silt_crab"]);
    let applies = rows(&printed, "applies");
    assert_eq!(
        applies,
        ["applies cracked, 2 stacks target", "applies rattled target chance 35%", "applies bell_song allies"]
    );
    let (printed, _) = answer(&["explain", DEMO, "bandage", "--from", "bell_ringer", "--on", "lockhand"]);
    assert_eq!(rows(&printed, "cleanses"), ["cleanses 1 debuff, the oldest first target"]);
    assert!(!printed.contains("bell_song"), "{printed}");
    let against = ["explain", DEMO, "boathook", "--from", "lockhand", "--on", "silt_crab", "--with", "on:braced"];
    let (printed, _) = answer(&against);
    assert!(printed.contains("initially: silt_crab has braced"), "{printed}");
    assert_eq!(rows(&printed, "guard"), ["guard 18.6 * (200 - 50) / 200 = 13.95 applied 13.95"]);
}

#[test]
fn explain_shows_other_rules_and_what_refers_to_them() {
    let asked = |what: &str| answer(&["explain", DEMO, what]).0;
    let mire = asked("zone.mire");
    assert_eq!(rows(&mire, "radius"), ["radius 2.5 m"]);
    assert_eq!(rows(&mire, "placed"), ["placed by mire"]);
    assert_eq!(rows(&mire, "enters"), ["enters hits health for 5 of silt target"]);
    let piece = asked("hobnails");
    assert_eq!(rows(&piece, "gives"), ["gives evasion add -2%; grit add 2"]);
    assert_eq!(rows(&piece, "worn"), ["worn by gatekeeper, wheelwright"]);
    assert_eq!(rows(&asked("weirguard"), "owners"), ["owners gatekeeper"]);
    let policy = asked("policy.at_the_wheel");
    assert_eq!(rows(&policy, "used"), ["used by wheelwright"]);
    assert!(policy.contains("2. brace when self.health.share < 60%"), "{policy}");
    let weir = asked("high_water");
    assert_eq!(rows(&weir, "time"), ["time limit 61 s, then keepers wins"]);
    assert!(weir.contains("at 20 s, every 20 s: cold_surge of gatekeeper"), "{weir}");
    let silt = rows(&weir, "silt");
    assert_eq!(silt[1], "silt 2 reed_stalker 1 144 health, 56 breath after 15 s");
    assert_eq!(silt[3], "silt 2 reed_stalker 1 144 health, 56 breath when called");
    let grinding = answer(&["explain", DEMO, "undercurrent", "--on", "risen_miller"]).0;
    assert!(grinding.contains("health at 66 %, once   calls 2 reed_stalker (owner)"), "{grinding}");
    let of = |name: &str| answer(&["explain", DEMO, name, "--from", "silt_crab", "--on", "lockhand"]).0;
    assert_eq!(of("mire"), of("ability.mire") + "\n same name: `zone.mire`\n");
    // By default, the first character that uses it, and the first one that it reaches.
    for (what, title) in [
        ("boathook", "boathook from lockhand on silt_crab"),
        ("silted", "silted from reed_stalker on lockhand"),
        ("braced", "braced from sluicer on sluicer"),
    ] {
        let printed = answer(&["explain", DEMO, what]).0;
        assert!(printed.starts_with(title) && printed.contains("--from CASTER --on TARGET"), "{printed}");
    }
    let told = json(&["explain", DEMO, "zone.mire"]);
    assert_eq!((&told["kind"], &told["effects"][0][1]["effect"]), (&"zone".into(), &"hits".into()));
}

#[test]
fn wrong_questions_about_statuses_are_refused() {
    for (arguments, wanted) in [
        (vec!["sitled", "--on", "lockhand"], "did you mean"),
        (vec!["lockhand", "--with", "bracd"], "did you mean `braced`?"),
        (vec!["lockhand", "--with", "braced=none"], "STATUS=STACKS"),
        (vec!["boathook", "--from", "lockhand", "--on", "silt_crab", "--with", "braced"], "--with on:braced"),
        (vec!["lockhand", "--with", "on:braced"], "`on:` goes with --from and --on"),
        (vec!["status.boathook", "--on", "lockhand"], "there is no status called `boathook`"),
        (vec!["hobnail"], "did you mean `hobnails`?"),
        (vec!["hobnails", "--with", "braced"], "remove --with"),
        (vec!["silted", "--on", "lockhnad"], "did you mean `lockhand`?"),
    ] {
        let all: Vec<&str> = ["explain", DEMO].into_iter().chain(arguments).collect();
        let output = run(&all);
        assert_eq!(output.status.code(), Some(2), "{all:?}");
        let printed = String::from_utf8(output.stderr).unwrap();
        assert!(
            printed.contains(wanted) || wanted == "did you mean" && printed.contains("no ability"),
            "{all:?}: {printed}"
        );
    }
}

#[test]
fn a_fight_shows_of_statuses_as_they_come_and_go() {
    let (printed, _) = answer(&["fight", DEMO, "night_shift", "--seed", "3"]);
    for words in [
        "steady_hands itself begins",
        "lamplit lockhand begins until 6.60 s",
        "waterlogged silt_crab 1 2 stacked until 6.80 s",
        "silted sluicer goes on until 7.35 s renewed",
        "rattled ends",
        "leech_mark is cleansed",
    ] {
        let found = printed.lines().any(|line| line.split_whitespace().collect::<Vec<_>>().join(" ").contains(words));
        assert!(found, "`{words}` is not shown:\n{printed}");
    }
    let (traced, _) = answer(&["fight", DEMO, "night_shift", "--seed", "3", "--trace"]);
    assert!(traced.contains("triggers on"), "the trace shows which triggers fired");
    assert!(traced.contains("forbidden by rattled"), "and what forbade an ability");
    assert!(printed.lines().all(|line| !line.ends_with(' ')), "no blanks at the ends of lines");
}

#[test]
fn the_events_of_statuses_are_there_for_programs() {
    let report = json(&["fight", DEMO, "night_shift", "--seed", "3"]);
    let events = report["events"].as_array().unwrap();
    let of = |name: &str| events.iter().filter(|event| event["event"] == name).collect::<Vec<_>>();
    assert!(of("status_gained").iter().any(|event| event["status"] == "waterlogged" && event["stacks"] == 2));
    assert!(of("status_lost").iter().any(|event| event["reason"] == "cleansed"));
    assert!(of("hit").iter().any(|event| event["status"] == "silted" && event["ability"].is_null()));
    let ticks = of("status_ticked").iter().filter(|event| event["status"] == "silted").count();
    let hits = of("hit").iter().filter(|event| event["status"] == "silted").count();
    assert_eq!(ticks, hits, "each tick of silt is one hit");
    let (csv, _) = answer(&["fight", DEMO, "night_shift", "--seed", "3", "--format", "csv"]);
    assert_eq!(csv.lines().count(), events.len() + 1);
}

#[test]
fn trials_show_uptime_stacks_and_what_statuses_did() {
    let trials = json(&["trials", DEMO, "night_shift", "-n", "400"]);
    let combatants = trials["combatants"].as_array().unwrap();
    let named = |name: &str| combatants.iter().find(|one| one["combatant"] == name).unwrap();
    let ringer = named("bell_ringer");
    let hands = ringer["statuses"].as_array().unwrap().iter().find(|one| one["status"] == "steady_hands").unwrap();
    assert_eq!((hands["applied"].as_f64(), hands["mean_stacks"].as_f64()), (Some(1.0), Some(1.0)));
    assert!((0.5..=1.0).contains(&hands["uptime"].as_f64().unwrap()));
    let stalker = named("reed_stalker 1");
    let silted = &stalker["by_status"].as_array().unwrap()[0];
    let abilities = stalker["abilities"].as_array().unwrap().iter().map(|one| one["damage_share"].as_f64().unwrap());
    let shares: f64 = abilities.sum::<f64>() + silted["damage_share"].as_f64().unwrap();
    assert!((shares - 1.0).abs() < 1e-9, "shares of abilities and statuses make a whole: {shares}");
    assert!((silted["damage"].as_f64().unwrap() / silted["ticks"].as_f64().unwrap() - 4.5).abs() < 0.5);
    for status in combatants.iter().flat_map(|one| one["statuses"].as_array().unwrap()) {
        assert!((0.0..=1.0).contains(&status["uptime"].as_f64().unwrap()), "{status}");
    }
    let (printed, _) = answer(&["trials", DEMO, "night_shift", "-n", "400"]);
    assert!(
        printed.contains("by status") && printed.contains("statuses of") && printed.contains("forbidden"),
        "{printed}"
    );
    let (csv, _) = answer(&["trials", DEMO, "night_shift", "-n", "400", "--format", "csv"]);
    assert!(csv.lines().any(|line| line.starts_with("uptime,bell_ringer,steady_hands,")), "{csv}");
}

#[test]
fn suspicious_rulesets_are_sound_but_warned_of() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("odd.toml");
    let text = "[pools]\nhealth = { max = 5, defeat = true }\n[status.never]\nduration = 2\nforbids = [\"sogn\"]\n\
                [ability.sing]\ntags = [\"song\"]\ndoes = [{ damage = 1 }]\n[character.one]\nabilities = [\"sing\"]\n";
    fs::write(&file, text).unwrap();
    let path = file.to_str().unwrap();
    let (out, err) = answer(&["check", path]);
    assert!(out.contains("is valid: 1 file, no errors, 2 warnings"), "{out}");
    assert!(err.contains("warning[never-applied]") && err.contains("odd.toml:3:9"), "{err}");
    assert!(err.contains("warning[forbids-nothing]") && err.contains("did you mean `song`?"), "{err}");
    let report = json(&["check", path]);
    assert_eq!((report["sound"].as_bool(), report["diagnostics"].as_array().unwrap().len()), (Some(true), 2));
    assert_eq!(report["diagnostics"][0]["severity"], "warning");
    let (csv, _) = answer(&["check", path, "--format", "csv"]);
    assert!(csv.contains(",warning,never-applied,"), "{csv}");
    let (_, demo) = answer(&["check", DEMO]);
    assert_eq!(demo, "", "the demo is above suspicion");
}

#[test]
fn an_endless_chain_is_reported_with_those_who_made_it() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("loop.toml");
    let text = r#"
        [pools]
        health = { max = 5, defeat = true }
        [status.ping]
        duration = 9
        on = [{ event = "gained", does = [{ apply = "pong" }] }, { event = "renewed", does = [{ apply = "pong" }] }]
        [status.pong]
        duration = 9
        on = [{ event = "gained", does = [{ apply = "ping" }] }, { event = "renewed", does = [{ apply = "ping" }] }]
        [ability.start]
        does = [{ apply = "ping" }]
        [character.one]
        abilities = ["start"]
        [encounter.e]
        sides.a = ["one"]
        sides.b = ["one"]
    "#;
    fs::write(&file, text).unwrap();
    for command in ["fight", "trials"] {
        let output = run(&[command, file.to_str().unwrap(), "e"]);
        assert_eq!(output.status.code(), Some(2), "{command}");
        let printed = String::from_utf8(output.stderr).unwrap();
        assert!(printed.contains("`ping` and `pong` trigger each other endlessly"), "{printed}");
        assert!(printed.contains("give one of their triggers a `cooldown`"), "{printed}");
    }
}
