//! The study commands as processes.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::fs;
use std::process::{Command, Output, Stdio};
use std::time::Duration;

use serde_json::Value;
use tempfile::TempDir;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");
const HEFT: &str = "character.lockhand.attributes.heft";

fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_edgeplane")).args(arguments).output().unwrap()
}

fn printed(output: &Output, code: i32) -> String {
    let both = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    assert_eq!(output.status.code(), Some(code), "{both}");
    both
}

fn answer(arguments: &[&str]) -> String {
    let output = run(arguments);
    assert!(output.stderr.is_empty(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    printed(&output, 0)
}

fn json(arguments: &[&str]) -> Value {
    serde_json::from_str(&answer(&[arguments, &["--format", "json"]].concat())).unwrap()
}

fn near(value: &Value, wanted: f64) {
    assert!((value.as_f64().unwrap() - wanted).abs() < 1e-9, "{value} is not {wanted}");
}

#[test]
fn trials_of_measures_agree_with_the_trials_of_everything() {
    let all = json(&["trials", DEMO, "duel", "-n", "800"]);
    let some = json(&[
        "trials",
        DEMO,
        "duel",
        "-n",
        "800",
        "-m",
        "win_rate(keepers)",
        "-m",
        "duration",
        "-m",
        "damage_per_second(silt_crab)",
        "-m",
        "damage(silt_crab, pincer)",
        "-m",
        "defeat_rate(lockhand)",
    ]);
    near(&some[0]["value"], all["sides"][0]["win_rate"]["value"].as_f64().unwrap());
    near(&some[0]["low"], all["sides"][0]["win_rate"]["low"].as_f64().unwrap());
    near(&some[1]["value"], all["duration"]["mean"].as_f64().unwrap());
    near(&some[2]["value"], all["combatants"][1]["damage_per_second"]["mean"].as_f64().unwrap());
    let abilities = all["combatants"][1]["abilities"].as_array().unwrap();
    let pincer = abilities.iter().find(|ability| ability["ability"] == "pincer").unwrap();
    near(&some[3]["value"], pincer["damage"].as_f64().unwrap());
    near(&some[4]["value"], all["combatants"][0]["defeated"]["value"].as_f64().unwrap());
}

#[test]
fn a_precision_decides_how_many_fights_it_takes() {
    let figures = json(&["trials", DEMO, "duel", "-n", "500", "-m", "win_rate(keepers)", "--precision", "1%"]);
    let half = (figures[0]["high"].as_f64().unwrap() - figures[0]["low"].as_f64().unwrap()) / 2.0;
    assert!(half <= 0.01 && figures[0]["trials"].as_u64().unwrap() > 8_000, "{figures}");
    let refused = printed(&run(&["trials", DEMO, "duel", "--precision=-1", "-m", "duration"]), 2);
    assert!(refused.contains("precision"), "{refused}");
    assert!(printed(&run(&["trials", DEMO, "duel", "--precision", "1%"]), 2).contains("--measure"));
}

#[test]
fn compare_shows_the_edits_and_what_comes_of_them() {
    let text = answer(&["compare", DEMO, "duel", "-n", "2000", "--set", &format!("{HEFT}=16")]);
    assert!(text.contains(&format!("{HEFT}   14       16")), "{text}");
    let row = text.lines().find(|line| line.contains("win_rate(keepers)")).unwrap();
    assert!(row.contains("changed") && row.contains(" pp"), "{row}");
    // No draw in 2,000 pairs: at most two in a thousand.
    let draws = text.lines().find(|line| line.contains("draw_rate")).unwrap();
    assert!(draws.contains("−0.18 … +0.18 pp") && draws.contains("no fight differs"), "{draws}");
    let folder = TempDir::new().unwrap();
    for entry in fs::read_dir(DEMO).unwrap().map(Result::unwrap) {
        let edited = fs::read_to_string(entry.path()).unwrap().replace("cooldown = 1.6", "cooldown = 1.7");
        fs::write(folder.path().join(entry.file_name()), edited).unwrap();
    }
    let other = folder.path().to_str().unwrap();
    let found = json(&["compare", DEMO, other, "duel", "-n", "500", "-m", "win_rate(keepers)"]);
    assert_eq!(found["edits"][0]["path"], "ability.pincer.cooldown", "{found}");
    assert!(found["differences"][0]["difference"].as_f64().unwrap() > 0.0);
    let csv = answer(&["compare", DEMO, other, "duel", "-n", "500", "-m", "duration", "--format", "csv"]);
    assert!(
        csv.starts_with("measure,unit,before,after,change,low,high,trials that differ,detectable\nduration,seconds,"),
        "{csv}"
    );
    assert!(printed(&run(&["compare", DEMO, "duel"]), 2).contains("there is nothing to compare"));
}

#[test]
fn sweep_shows_every_value_and_marks_that_of_now() {
    let arguments = ["sweep", DEMO, "duel", "-n", "400", "--vary", "character.lockhand.attributes.heft=13..15:1"];
    let text = answer(&arguments);
    assert!(text.contains("now → 14"), "{text}");
    assert_eq!(text.lines().filter(|line| line.contains('●')).count(), 6, "two measures at three values:\n{text}");
    let csv = answer(&[&arguments[..], &["--format", "csv"]].concat());
    let mut lines = csv.lines();
    assert_eq!(lines.next(), Some("character.lockhand.attributes.heft,measure,value,low,high,fights"));
    assert_eq!(lines.count(), 6);
    let grid = answer(&[&arguments[..], &["--vary", "ability.pincer.cooldown*=0.9,1,1.1", "-m", "duration"]].concat());
    assert!(grid.contains("heft ↓  cooldown →") && grid.contains("now → 1 "), "{grid}");
    assert!(printed(&run(&["sweep", DEMO, "duel", "--vary", "a=1..x"]), 2).contains("`x` is not a number"));
    let missing = printed(&run(&["sweep", DEMO, "duel", "--vary", "character.lockhnd.attributes.heft=1..2"]), 2);
    assert!(missing.contains("did you mean `lockhand`?"), "{missing}");
}

#[test]
fn sensitivity_ranks_and_counts_what_it_leaves_out() {
    let text = answer(&["sensitivity", DEMO, "duel", "-n", "600"]);
    assert!(text.contains("win_rate(keepers) is"), "{text}");
    let lengths: Vec<usize> = text
        .lines()
        .filter_map(|line| line.split_once("pp  ").filter(|_| line.contains('│')))
        .map(|(_, bar)| bar.matches('█').count().max(bar.matches('▒').count()))
        .collect();
    assert!(lengths[0] == 8 && lengths.is_sorted_by(|a, b| a >= b), "the strongest comes first: {lengths:?}\n{text}");
    assert!(text.contains("ability.pincer.cooldown"), "{text}");
    assert!(text.contains("numbers change nothing in 64 fights each and were not tried further"), "{text}");
    let csv = answer(&["sensitivity", DEMO, "duel", "-n", "300", "-m", "duration", "--by", "0.02", "--format", "csv"]);
    assert!(
        csv.starts_with("path,now,tried,fights,change,low,high,certain\n")
            && [14.28, 13.72].iter().all(|tried| csv.contains(&format!("{HEFT},14,{tried},"))),
        "{csv}"
    );
}

#[test]
fn tune_says_yes_with_the_value_or_no_with_the_nearest() {
    let vary = format!("{HEFT}=8..20");
    let goal = "win_rate(keepers) = 50% +- 3%";
    let found = json(&["tune", DEMO, "duel", "-n", "2000", "--vary", &vary, "--want", goal]);
    assert_eq!((found["met"].as_bool(), found["goals"][0].as_str()), (Some(true), Some(goal)));
    let value = found["numbers"][0]["value"].as_f64().unwrap();
    assert!((13.0..14.0).contains(&value), "{found}");
    let no = printed(&run(&["tune", DEMO, "duel", "-n", "2000", "--vary", &vary, "--want", "duration <= 2"]), 1);
    assert!(no.contains("were found that meet the goals") && no.contains("not met"), "{no}");
    let wrong = printed(&run(&["tune", DEMO, "duel", "--vary", &vary, "--want", "win_rate(keepers)"]), 2);
    assert!(wrong.contains("write it as"), "{wrong}");
}

#[test]
fn matrix_is_a_grid_with_a_row_for_everyone() {
    let text = answer(&["matrix", DEMO, "--among", "lockhand,silt_crab", "-n", "300", "--time-limit", "60"]);
    assert_eq!(text.lines().filter(|line| line.trim_start().starts_with("silt_crab")).count(), 3, "{text}");
    let standing = text.lines().filter(|line| line.trim_start().starts_with("lockhand")).nth(2).unwrap();
    let cells: Vec<&str> = standing.split_whitespace().collect();
    assert_eq!(cells, ["lockhand", "1", "0", "–", "100.0", "%"], "{text}");
    let csv = answer(&["matrix", DEMO, "--among", "lockhand,silt_crab", "-n", "300", "--format", "csv"]);
    assert_eq!(csv.lines().count(), 4, "{csv}");
    let wrong = printed(&run(&["matrix", DEMO, "--among", "lockhand,silt_crap", "-n", "10"]), 2);
    assert!(wrong.contains("did you mean `silt_crab`?"), "{wrong}");
}

#[test]
fn verify_holds_the_demo_to_its_expectations_and_fails_an_unfair_edit() {
    let folder = TempDir::new().unwrap();
    let junit = folder.path().join("verdicts.xml");
    let text = answer(&["verify", DEMO, "--junit", junit.to_str().unwrap()]);
    assert!(text.contains("All 9 hold."), "{text}");
    let xml = fs::read_to_string(&junit).unwrap();
    assert!(xml.contains("tests=\"9\"") && xml.contains("failures=\"0\""), "{xml}");
    let edited = format!("{HEFT}=18");
    let output = run(&["verify", DEMO, "duel", "--set", &edited, "--junit", junit.to_str().unwrap()]);
    let text = printed(&output, 1);
    assert!(text.contains("FAILS   win_rate(keepers)") && text.contains("a newcomer should win"), "{text}");
    let xml = fs::read_to_string(&junit).unwrap();
    assert!(xml.contains("<failure message=\"win_rate(keepers) in duel: found 99."), "{xml}");
    assert!(printed(&run(&["verify", DEMO, "wheel"]), 2).contains("has no expectations for wheel"));
    let small = concat!(env!("CARGO_MANIFEST_DIR"), "/../edgeplane/examples/rulesets/small.toml");
    let none = printed(&run(&["verify", small]), 2);
    assert!(none.contains("has no expectations yet") && none.contains("in = \"duel\""), "{none}");
}

#[test]
fn measures_lists_what_can_be_asked() {
    let text = answer(&["measures"]);
    assert!(text.contains("damage_share(who, ability, status or damage type)"), "{text}");
    assert_eq!(json(&["measures"]).as_array().unwrap().len(), 38);
    // With a ruleset, the names that can be written for the arguments.
    let named = answer(&["measures", DEMO]);
    assert!(named.starts_with(&text) && named.contains("\n  side          keepers, silt, "), "{named}");
    let listing = json(&["measures", DEMO]);
    assert_eq!(listing["measures"].as_array().unwrap().len(), 38);
    let names = listing["names"].as_array().unwrap();
    for (argument, name) in
        [("character", "lockhand"), ("damage type", "silt"), ("pool", "breath"), ("reason", "out_of_reach")]
    {
        let found = names.iter().find(|one| one["argument"] == argument).unwrap();
        assert!(found["names"].as_array().unwrap().iter().any(|one| one == name), "{found}");
    }
    assert!(printed(&run(&["measures", "no_such_folder"]), 2).contains("no_such_folder"));
}

#[test]
fn pictures_say_in_words_what_they_show() {
    let folder = TempDir::new().unwrap();
    let picture = |name: &str, arguments: &[&str]| {
        let path = folder.path().join(name);
        answer(&[arguments, &["--plot", path.to_str().unwrap()]].concat());
        let svg = fs::read_to_string(path).unwrap();
        assert!(svg.starts_with("<svg ") && svg.trim_end().ends_with("</svg>"), "{name}");
        svg
    };
    let curve = picture("curve.svg", &["sweep", DEMO, "duel", "-n", "200", "--vary", &format!("{HEFT}=12..16:1")]);
    assert_eq!(curve.matches("<circle").count(), 5);
    assert!(curve.contains("the vertical line is the current value, 14"));
    let two = ["--vary", &*format!("{HEFT}=12,14"), "--vary", "ability.boathook.cooldown*=0.9,1"];
    let grid = picture("grid.svg", &[&["sweep", DEMO, "duel", "-n", "200"][..], &two].concat());
    assert!(grid.contains("× 0.9") && grid.matches(" %\n").count() == 5, "{grid}");
    let bars = picture("bars.svg", &["sensitivity", DEMO, "duel", "-n", "600"]);
    assert!(bars.contains("ability.pincer.cooldown") && bars.contains(" pp"));
    let matrix = picture("matrix.svg", &["matrix", DEMO, "--among", "lockhand,silt_crab", "-n", "200"]);
    assert_eq!(matrix.matches(" %\n").count(), 4, "{matrix}");
    let pools = picture("pools.svg", &["fight", DEMO, "night_shift", "--seed", "3"]);
    assert!(pools.contains("waterlogged") && pools.contains("× 4") && pools.contains("bell_ringer"));
    let lasts = picture("lasts.svg", &["trials", DEMO, "duel", "-n", "500"]);
    assert!(lasts.contains("half are shorter than 17.4 s"), "{lasts}");
    let refused = printed(&run(&["trials", DEMO, "duel", "-n", "10", "--plot", "picture.jpg"]), 2);
    assert!(refused.contains("end the name with .svg or .png"), "{refused}");
    let pixels = folder.path().join("lasts.png");
    answer(&["trials", DEMO, "duel", "-n", "500", "--plot", pixels.to_str().unwrap()]);
    let pixels = fs::read(pixels).unwrap();
    assert!(pixels.starts_with(b"\x89PNG\r\n"), "no PNG");
    // Twice the size of the SVG, in the first chunk's width and height.
    let size = |at: usize| u32::from_be_bytes(pixels[at..at + 4].try_into().unwrap());
    let shape = format!("width=\"{}\" height=\"{}\"", size(16) / 2, size(20) / 2);
    assert!(lasts.contains(&shape), "{shape}");
}

#[test]
fn the_report_is_one_page_that_needs_nothing_else() {
    let folder = TempDir::new().unwrap();
    let page = folder.path().join("report.html");
    let said = answer(&["report", DEMO, "duel", "mirror", "-n", "300", "-o", page.to_str().unwrap()]);
    assert!(said.contains("2 encounters and 3 expectations"), "{said}");
    let html = fs::read_to_string(page).unwrap();
    for wanted in ["<h1>Weir Nine</h1>", "id=\"duel\"", "id=\"mirror\"", "All 3 expectations hold.", "id=\"matrix\""] {
        assert!(html.contains(wanted), "{wanted}");
    }
    // Durations, damage and three fights for each of two encounters, and the matrix; nobody heals.
    assert_eq!(html.matches("<svg ").count(), 11);
    for wanted in ["At a glance", "the typical one", "the closest one", "the most one-sided one", "✓ 2 hold"] {
        assert!(html.contains(wanted), "{wanted}");
    }
    // Each received amount has its arithmetic, which the browser shows without a script, too.
    assert!(html.contains("<title>") && html.contains("enters the steps"));
    assert!(
        html.contains(&format!("edgeplane report {DEMO} duel mirror -n 300 -o ")),
        "the command that makes it again"
    );
    let elsewhere = html.replace("http://www.w3.org/2000/svg", "");
    assert!(!elsewhere.contains("http") && !elsewhere.contains("src=") && elsewhere.matches("<script").count() == 1);
    assert!(printed(&run(&["report", DEMO, "dual"]), 2).contains("did you mean `duel`?"));
}

/// The behaviour of the page in a browser, written into the page.
const PROBE: &str = r#"<script>
  const found = {}, tip = document.getElementById("tip");
  const point = (element) => element.dispatchEvent(new MouseEvent("mouseover", { bubbles: true, clientX: 200, clientY: 200 }));
  point([...document.querySelectorAll("path.mark")].find((mark) => mark.dataset.tip.includes("boathook")));
  found.arithmetic = tip.textContent;
  found.shown = !tip.hidden && tip.getBoundingClientRect().right <= innerWidth;
  point(document.querySelector("td[data-tip]"));
  found.interval = tip.textContent;
  point(document.body);
  found.hides = tip.hidden;
  const table = [...document.querySelectorAll("table.sorts")].find((table) => table.tHead.textContent.includes("damage/s"));
  const column = () => [...table.tBodies[0].rows].map((row) => Number(row.cells[3].textContent));
  const sort = () => { table.tHead.rows[0].cells[3].querySelector("button").click(); return column(); };
  found.falling = sort();
  found.rising = sort();
  const fights = document.querySelector(".fights");
  fights.querySelectorAll("input")[1].click();
  found.drawn = [...fights.querySelectorAll(":scope > figure")].map((figure) => getComputedStyle(figure).display);
  document.body.dataset.found = JSON.stringify(found);
</script></body>"#;

#[test]
#[ignore = "needs chromium: cargo test --test studies browser -- --ignored"]
fn the_report_works_in_a_browser() {
    let folder = TempDir::new().unwrap();
    let page = folder.path().join("report.html");
    answer(&["report", DEMO, "night_shift", "-n", "300", "-o", page.to_str().unwrap()]);
    let html = fs::read_to_string(&page).unwrap();
    fs::write(&page, html.replace("</body>", PROBE)).unwrap();
    let profile = format!("--user-data-dir={}", folder.path().join("profile").display());
    let address = format!("file://{}", page.display());
    let browser = ["--headless", "--no-sandbox", "--disable-gpu", &profile, "--dump-dom", &address];
    let output = Command::new("chromium").args(browser).output().unwrap();
    let page = String::from_utf8_lossy(&output.stdout);
    let found = page.split_once("data-found=\"").and_then(|(_, rest)| rest.split_once('"')).expect("what was found").0;
    let found: Value = serde_json::from_str(&found.replace("&quot;", "\"").replace("&gt;", ">")).unwrap();
    assert!(found["arithmetic"].as_str().unwrap().contains("enters the steps"), "{found}");
    assert!(found["interval"].as_str().unwrap().starts_with("95 % interval "), "{found}");
    assert_eq!((found["shown"].as_bool(), found["hides"].as_bool()), (Some(true), Some(true)), "{found}");
    let numbers = |name: &str| found[name].as_array().unwrap().iter().filter_map(Value::as_f64).collect::<Vec<f64>>();
    assert!(numbers("rising").is_sorted() && numbers("rising").len() == 10, "{found}");
    assert_eq!(numbers("falling"), numbers("rising").into_iter().rev().collect::<Vec<f64>>());
    assert_eq!(found["drawn"], serde_json::json!(["none", "block", "none"]));
}

#[test]
fn parts_merge_into_the_same_bytes_as_one_run() {
    let folder = TempDir::new().unwrap();
    let file = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let count = |part: &str, name: &str, more: &[&str]| {
        let output = file(name);
        answer(&[&["trials", DEMO, "mill_race", "-n", "2100", "--part", part, "-o", &output][..], more].concat());
        output
    };
    let parts: Vec<String> =
        (1..=7).map(|k| count(&format!("{k}/7"), &format!("{k}.json"), &["--threads", ["1", "2"][k % 2]])).collect();
    let merged = |parts: &[&str]| run(&[&["merge", DEMO, "--format", "json"][..], parts].concat());
    let whole = run(&["trials", DEMO, "mill_race", "-n", "2100", "--format", "json"]);
    // In any order, and one of them twice.
    let all: Vec<&str> = [3, 0, 6, 1, 4, 2, 5, 4].iter().map(|at| parts[*at].as_str()).collect();
    let together = merged(&all);
    assert_eq!((together.status.code(), together.stdout == whole.stdout), (Some(0), true));
    assert!(together.stderr.is_empty());
    let some = merged(&all[..6]);
    let printed = String::from_utf8_lossy(&some.stderr);
    assert!(printed.contains("1 of 7 parts are missing (6): 1,844 of 2,100 fights are counted"), "{printed}");
    let refused = |parts: &[&str], why: &str| {
        let printed = refusal(&merged(parts));
        assert!(printed.contains(why), "{printed}");
    };
    refused(&[&parts[0], &count("2/7", "seed.json", &["--seed", "9"])], "its seed differs");
    refused(&[&count("1/7", "set.json", &["--set", &format!("{HEFT}=15")])], "does not belong to this ruleset");
    refused(&[&count("1/7", "forced.json", &["--force", "gatekeeper=boathook"])], "does not belong to this ruleset");
    let text = fs::read_to_string(&parts[1]).unwrap();
    for (name, from, to) in [
        ("version.json", "\"edgeplane\": \"0.", "\"edgeplane\": \"9."),
        ("fights.json", "\"fights\": 256", "\"fights\": 255"),
        ("torn.json", "\"forest\": [", "\"forest\": [ 7,"),
    ] {
        assert!(text.contains(from), "{from}");
        fs::write(file(name), text.replacen(from, to, 1)).unwrap();
    }
    refused(&[&file("version.json")], "the version of the tool differs");
    refused(&[&file("fights.json")], "do not match its checksum");
    refused(&[&file("torn.json")], "is not a part of a study");
    assert!(refusal(&run(&["trials", DEMO, "duel", "--part", "8/7"])).contains("parts are numbered from 1"));
}

/// The output and exit code of a study that is stopped by a signal, as Ctrl-C sends it.
fn stopped(arguments: &[&str], after: Duration) -> (String, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_edgeplane"));
    let study = command.args(arguments).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    std::thread::sleep(after);
    let signal = Command::new("kill").args(["-INT", &study.id().to_string()]).status().unwrap();
    let output = study.wait_with_output().unwrap();
    assert!(signal.success());
    assert_eq!(output.status.code(), Some(130), "{arguments:?}");
    (String::from_utf8(output.stdout).unwrap(), String::from_utf8(output.stderr).unwrap())
}

#[test]
fn a_study_that_is_stopped_shows_what_it_knows_as_a_shorter_study_would() {
    let second = Duration::from_secs(1);
    let (printed, said) = stopped(&["trials", DEMO, "duel", "-n", "1000000000", "--format", "json"], second);
    assert!(said.contains("stopped early"), "{said}");
    let counted = serde_json::from_str::<Value>(&printed).unwrap()["trials"].as_u64().unwrap();
    assert!((1..1_000_000_000).contains(&counted));
    assert_eq!(printed, answer(&["trials", DEMO, "duel", "-n", &counted.to_string(), "--format", "json"]));
    // An incomplete part would be taken for a complete one.
    let (printed, said) = stopped(&["trials", DEMO, "duel", "-n", "1000000000", "--part", "1/2"], second);
    assert!(printed.is_empty() && said.contains("stopped before anything was known"), "{printed}{said}");
}

#[test]
fn what_is_watched_is_shown_again_with_what_moved() {
    let folder = TempDir::new().unwrap();
    let (rules, printed) = (folder.path().join("rules.toml"), folder.path().join("printed.txt"));
    let small = concat!(env!("CARGO_MANIFEST_DIR"), "/../edgeplane/examples/rulesets/small.toml");
    let text = fs::read_to_string(small).unwrap();
    fs::write(&rules, &text).unwrap();
    let mut command = Command::new(env!("CARGO_BIN_EXE_edgeplane"));
    command.args(["trials", rules.to_str().unwrap(), "duel", "-n", "200", "--watch"]);
    let mut watching = command.stdout(fs::File::create(&printed).unwrap()).stderr(Stdio::null()).spawn().unwrap();
    let until = |wanted: &str| {
        let read = || fs::read_to_string(&printed).unwrap();
        let there = (0..300).any(|_| {
            std::thread::sleep(Duration::from_millis(100));
            read().contains(wanted)
        });
        if there { Ok(()) } else { Err(format!("no {wanted} in\n{}", read())) }
    };
    let seen = until("200 fights").and_then(|()| {
        // A broken ruleset in between is reported, and later corrected.
        fs::write(&rules, text.replacen("cooldown", "cooldwon", 1)).unwrap();
        std::thread::sleep(Duration::from_millis(500));
        fs::write(&rules, text.replacen("heft = 15", "heft = 25", 1)).unwrap();
        until("What moved\n")?;
        until("character.silt_crab.attributes.heft   15       25")?;
        until("\n+   silt win")
    });
    watching.kill().unwrap();
    watching.wait().unwrap();
    assert_eq!(seen, Ok(()));
}

fn refusal(output: &Output) -> String {
    printed(output, 2)
}

#[test]
fn a_gauntlet_shows_how_far_they_come_and_in_what_state() {
    fn night<'a>(more: &[&'a str]) -> Vec<&'a str> {
        [&["gauntlet", DEMO, "long_night", "-n", "600"], more].concat()
    }
    let text = answer(&night(&[]));
    assert!(text.contains("long_night · 600 runs · seed 1") && text.contains("keepers clear all of it:"), "{text}");
    for table in ["1 first_watch", "3 high_water", "after mill_race", "health left", "oil left"] {
        assert!(text.contains(table), "{table}: {text}");
    }
    let found = json(&night(&[]));
    let stages = found["stages"].as_array().unwrap();
    // The second is reached by those that won the first, and so on.
    for (earlier, later) in stages.iter().zip(&stages[1..]) {
        assert_eq!(earlier["won"]["count"], later["reached"]["count"]);
    }
    assert_eq!(stages[2]["won"]["count"], found["cleared"]["count"]);
    assert!(stages[0]["members"][0]["left"][1].is_null(), "the gatekeeper has no oil");
    let csv = answer(&night(&["--format", "csv"]));
    assert_eq!(csv.lines().filter(|line| line.contains(",whistler,level,")).count(), 3, "{csv}");
    // Without rests in between fewer get through.
    let tired = json(&night(&["--set", "gauntlet.long_night.rests.health=0"]));
    assert!(tired["cleared"]["value"].as_f64() < found["cleared"]["value"].as_f64());
    assert!(printed(&run(&["gauntlet", DEMO, "long_nigth"]), 2).contains("did you mean `long_night`?"));
}
