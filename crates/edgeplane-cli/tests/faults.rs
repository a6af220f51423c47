//! Faults that must not occur: nothing is lost, nothing hangs, nothing is silent, and no name in a ruleset breaks an
//! output.

#![allow(clippy::unwrap_used, clippy::panic)]
#![cfg(unix)]

use std::fs;
use std::os::unix::ffi::OsStringExt;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::PathBuf;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

use tempfile::TempDir;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");
const TOOL: &str = env!("CARGO_BIN_EXE_edgeplane");

/// A folder with the ruleset of `edgeplane new` in `rs`.
struct Place(TempDir);

impl Place {
    fn new() -> Self {
        let place = Self(TempDir::new().unwrap());
        assert!(place.run(&["new", "rs"]).status.success());
        place
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn text(&self, name: &str) -> String {
        fs::read_to_string(self.path(name)).unwrap()
    }

    fn write(&self, name: &str, text: &str) {
        fs::write(self.path(name), text).unwrap();
    }

    fn edit(&self, from: &str, to: &str) {
        let text = self.text("rs/ruleset.toml");
        assert!(text.contains(from), "{from}");
        self.write("rs/ruleset.toml", &text.replacen(from, to, 1));
    }

    fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(TOOL);
        command.args(arguments).current_dir(self.0.path()).stdin(Stdio::null());
        command
    }

    fn run(&self, arguments: &[&str]) -> Output {
        self.command(arguments).output().unwrap()
    }

    fn start(&self, arguments: &[&str]) -> Child {
        self.command(arguments).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
    }

    /// Standard error of what must be refused with exit code 2, at once.
    fn refused(&self, arguments: &[&str]) -> String {
        let started = Instant::now();
        let output = self.run(arguments);
        let said = String::from_utf8(output.stderr).unwrap();
        assert_eq!(output.status.code(), Some(2), "{arguments:?}: {said}");
        assert!(started.elapsed() < Duration::from_secs(20), "{arguments:?} took {:?}", started.elapsed());
        said
    }
}

fn interrupt(child: &Child) {
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
}

fn name(text: &str) -> String {
    format!("name = \"{text}\"")
}

fn own_name(place: &Place) -> String {
    place.text("rs/ruleset.toml").lines().find(|line| line.starts_with("name = ")).unwrap().to_owned()
}

#[test]
fn two_cells_that_disagree_change_nothing() {
    let place = Place::new();
    let before = place.text("rs/ruleset.toml");
    place.write("t.csv", "name,attributes.heft\nlockhand,140\nlockhand,1\n");
    let said = place.refused(&["sheet", "rs", "character", "--take", "t.csv"]);
    assert!(
        said.contains("two cells have different values for `character.lockhand.attributes.heft`: `140` and `1`"),
        "{said}"
    );
    assert!(said.contains("t.csv:3") && said.contains("first said here"), "{said}");
    assert_eq!(place.text("rs/ruleset.toml"), before);
    place.write("t.csv", "name,attributes.heft\nlockhand,14\nlockhand,14.0\n");
    assert!(place.run(&["sheet", "rs", "character", "--take", "t.csv"]).status.success());
    assert_eq!(place.text("rs/ruleset.toml"), before.replacen("heft = 12", "heft = 14", 1));
}

#[test]
fn a_sheet_that_cannot_be_used_is_refused_and_one_without_edits_changes_nothing() {
    let place = Place::new();
    place.edit("[pools]", "[status.st]\nabout = \"  two spaces  \"\nduration = 4\n\n[pools]");
    let before = place.text("rs/ruleset.toml");
    for section in ["character", "ability", "status"] {
        assert!(place.run(&["sheet", "rs", section, "--format", "csv", "-o", "s.csv"]).status.success());
        assert!(place.run(&["sheet", "rs", section, "--take", "s.csv"]).status.success());
        assert_eq!(place.text("rs/ruleset.toml"), before, "{section}");
    }
    place.write("t.csv", "name;attributes.heft\nlockhand;13\n");
    assert!(place.refused(&["sheet", "rs", "character", "--take", "t.csv"]).contains("cells are separated by commas"));
    place.write("t.csv", "nam,attributes.heft\nlockhand,13\n");
    assert!(place.refused(&["sheet", "rs", "character", "--take", "t.csv"]).contains("must begin with `name`"));
    place.write("t.csv", "");
    assert!(place.refused(&["sheet", "rs", "character", "--take", "t.csv"]).contains("holds no row"));
    let said = place.refused(&["sheet", "rs", "character", "--columns", "attributes.hefd"]);
    assert!(said.contains("did you mean `attributes.heft`?"), "{said}");
    assert_eq!(place.text("rs/ruleset.toml"), before);
}

#[test]
fn a_file_whose_name_is_not_utf8_is_written_where_it_was_read() {
    let place = Place::new();
    let odd = place.path("rs").join(std::ffi::OsString::from_vec(b"a\xff.toml".to_vec()));
    fs::rename(place.path("rs/ruleset.toml"), &odd).unwrap();
    place.write("t.csv", "name,attributes.heft\nlockhand,13\n");
    assert!(place.run(&["sheet", "rs", "character", "--take", "t.csv"]).status.success());
    assert_eq!(fs::read_dir(place.path("rs")).unwrap().count(), 1);
    assert!(fs::read_to_string(odd).unwrap().contains("heft = 13"));
}

/// The process ends while it writes: a limit on the size of files stands for a full disk.
#[test]
fn a_write_that_fails_or_is_killed_leaves_the_old_file_or_the_new_one() {
    let place = Place::new();
    let old = place.text("rs/ruleset.toml") + &"# a comment that makes the file a long one\n".repeat(20_000);
    place.write("rs/ruleset.toml", &old);
    fs::set_permissions(place.path("rs/ruleset.toml"), fs::Permissions::from_mode(0o640)).unwrap();
    place.write("t.csv", "name,attributes.heft\nlockhand,13.5\n");
    let new = old.replacen("heft = 12", "heft = 13.5", 1);
    let limited = format!("ulimit -f 1; exec {TOOL} sheet rs character --take t.csv");
    let output = Command::new("sh").args(["-c", &limited]).current_dir(place.0.path()).output().unwrap();
    assert!(!output.status.success());
    assert_eq!(place.text("rs/ruleset.toml"), old);
    for wait in 0..30 {
        place.write("rs/ruleset.toml", &old);
        let mut child = place.start(&["sheet", "rs", "character", "--take", "t.csv"]);
        std::thread::sleep(Duration::from_millis(wait * 2));
        child.kill().unwrap();
        child.wait().unwrap();
        let there = place.text("rs/ruleset.toml");
        assert!(there == old || there == new, "after {} ms: {} bytes", wait * 2, there.len());
    }
    place.write("rs/ruleset.toml", &old);
    assert!(place.run(&["sheet", "rs", "character", "--take", "t.csv"]).status.success());
    assert_eq!(place.text("rs/ruleset.toml"), new);
    assert_eq!(fs::metadata(place.path("rs/ruleset.toml")).unwrap().permissions().mode() & 0o777, 0o640);
}

#[test]
fn outputs_are_looked_at_before_the_work_and_are_no_inputs() {
    let place = Place::new();
    let before = place.text("rs/ruleset.toml");
    let long = "100000000";
    let said = place.refused(&["trials", "rs", "duel", "-n", long, "-o", "nosuch/x.txt"]);
    assert!(said.contains("cannot write `nosuch/x.txt`"), "{said}");
    assert!(place.refused(&["trials", "rs", "duel", "-n", long, "--plot", "nosuch/x.svg"]).contains("cannot write"));
    assert!(place.refused(&["verify", DEMO, "--junit", "rs"]).contains("it is a folder"));
    let said = place.refused(&["trials", "rs", "duel", "-n", long, "-o", "rs/ruleset.toml"]);
    assert!(said.contains("`rs/ruleset.toml` is read by this command"), "{said}");
    assert!(place.refused(&["report", "rs/ruleset.toml", "-o", "rs/../rs/ruleset.toml"]).contains("is read by"));
    place.write("t.csv", "name,attributes.heft\nlockhand,12\n");
    assert!(place.refused(&["sheet", "rs", "character", "--take", "t.csv", "-o", "t.csv"]).contains("is read by"));
    assert_eq!(place.text("rs/ruleset.toml"), before);
    let conflict = place.refused(&["trials", "rs", "duel", "-m", "duration", "--plot", "x.svg"]);
    assert!(conflict.contains("--plot"), "{conflict}");
}

#[test]
fn the_demo_keeps_files_that_were_edited() {
    let place = Place::new();
    let edited = place.text("rs/ruleset.toml") + "# my notes\n";
    fs::create_dir_all(place.path("d/weir-nine")).unwrap();
    place.write("d/weir-nine/ruleset.toml", &edited);
    // The tour cannot continue with these rules; they must still be there.
    let output = place.run(&["demo", "-o", "d"]);
    let said = String::from_utf8(output.stderr).unwrap();
    assert!(said.contains("ruleset.toml has been edited, and stays as it is"), "{said}");
    assert_eq!(place.text("d/weir-nine/ruleset.toml"), edited);
}

#[test]
fn what_is_no_file_is_refused_and_links_in_a_circle_end() {
    let place = Place::new();
    for link in ["a", "b", "c", "d"] {
        symlink(".", place.path("rs").join(link)).unwrap();
    }
    symlink("me@host.123:456", place.path("rs/.#ruleset.toml")).unwrap();
    let output = place.run(&["check", "rs"]);
    assert!(String::from_utf8(output.stdout).unwrap().contains("1 file, no errors"));
    symlink("/dev/zero", place.path("rs/x.toml")).unwrap();
    assert!(place.refused(&["check", "rs"]).contains("`rs/x.toml` is not a regular file"));
    fs::remove_file(place.path("rs/x.toml")).unwrap();
    assert!(Command::new("mkfifo").arg(place.path("rs/x.toml")).status().unwrap().success());
    assert!(place.refused(&["check", "rs"]).contains("`rs/x.toml` is not a regular file"));
    fs::remove_file(place.path("rs/x.toml")).unwrap();
    let deep = (0..20).fold(PathBuf::from("rs"), |path, _| path.join("deep"));
    fs::create_dir_all(place.path("").join(&deep)).unwrap();
    fs::write(place.path("").join(deep).join("x.toml"), "nonsense = 1\n").unwrap();
    assert!(place.refused(&["check", "rs"]).contains("more than 16 folders deep"));
}

#[test]
fn a_fault_is_shown_in_the_ruleset_that_it_is_of() {
    let place = Place::new();
    let text = place.text("rs/ruleset.toml");
    place.write("old.toml", &text.replacen("cooldown = 1.4", "cooldown = \"1.4 - 5 * self.health.share\"", 1));
    place.write("new.toml", &format!("# one\n# two\n# three\n{text}"));
    let said = place.refused(&["compare", "old.toml", "new.toml", "duel", "-n", "50"]);
    assert!(said.contains("--> old.toml:"), "{said}");
    let vary = "ability.swing.cooldown=-2..2:1";
    for command in [vec!["sweep"], vec!["tune", "--want", "duration=5"]] {
        let arguments = [&[command[0], "rs", "duel", "-n", "50", "--vary", vary], &command[1..]].concat();
        assert!(place.refused(&arguments).contains("it must be at least 0"), "{command:?}");
    }
}

#[test]
fn no_number_is_too_hostile() {
    let place = Place::new();
    let said = place.refused(&["sweep", "rs", "duel", "--vary", "character.lockhand.attributes.heft=-1e308..1e308"]);
    assert!(said.contains("is too wide"), "{said}");
    let output = place.run(&["trials", DEMO, "flats", "-n", "20", "--set", "ability.sluice.reach=0"]);
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let large = "ability.toll.does.0.damage=1e308";
    let output = place.run(&["trials", DEMO, "wheel", "-n", "50", "--set", large, "-m", "overkill(bell_ringer)"]);
    let printed = String::from_utf8(output.stdout).unwrap();
    assert!(output.status.success() && !printed.contains("NaN") && !printed.contains("inf"), "{printed}");
    for part in ["1/2", "2/2"] {
        let file = format!("p{}.json", &part[..1]);
        assert!(
            place
                .run(&["trials", DEMO, "wheel", "-n", "600", "--set", large, "--part", part, "-o", &file])
                .status
                .success()
        );
    }
    let merged = place.run(&["merge", DEMO, "p1.json", "p2.json", "--set", large]);
    assert!(merged.status.success(), "{}", String::from_utf8_lossy(&merged.stderr));
    // A manipulated part is refused, whatever it contains.
    let text = place.text("p1.json");
    let fights = text.find("\"fights\": ").unwrap() + 10;
    let digits = text[fights..].find(|c: char| !c.is_ascii_digit()).unwrap();
    for fights_now in ["9223372036854775808", "7"] {
        place.write("q.json", &format!("{}{fights_now}{}", &text[..fights], &text[fights + digits..]));
        let said = place.refused(&["merge", DEMO, "q.json", "p2.json", "--set", large]);
        assert!(said.contains("do not match its checksum"), "{said}");
    }
    let period = "[status.fast]\nduration = 1\nevery = { period = 1e-6, does = [{ damage = 1 }] }\n\n[pools]";
    place.edit("[pools]", period);
    assert!(place.refused(&["check", "rs"]).contains("`status.fast.every.period` is 1e-6; it must be at least 0.001"));
}

#[test]
fn thousands_of_errors_are_reported_at_once_and_not_all_drawn() {
    let place = Place::new();
    place.write("d.toml", &"a=1\n".repeat(8_000));
    let said = place.refused(&["check", "d.toml"]);
    assert!(said.len() < 60_000 && said.contains("more are not shown"), "{} bytes", said.len());
}

/// A stopped command prints its results so far within half a second; a busy machine is given a little longer here.
#[test]
fn a_study_that_is_stopped_says_what_was_not_looked_at() {
    let place = Place::new();
    let patience = Duration::from_secs(5);
    let heft = |who: &str| format!("character.{who}.attributes.heft=8..10:0.002");
    let (one, other) = (heft("lockhand"), heft("silt_crab"));
    let commands: [&[&str]; 7] = [
        &["compare", DEMO, "breach", "--set", "character.lockhand.attributes.heft=12", "-n", "1000000"],
        &["sweep", "rs", "duel", "-n", "10", "--vary", &one, "--vary", &other, "--format", "json"],
        &["verify", DEMO, "--junit", "j.xml"],
        &["trials", DEMO, "breach", "-n", "10000000"],
        &["report", DEMO, "-n", "20", "-o", "r.html"],
        &["sensitivity", DEMO, "breach", "-n", "1000000"],
        &["tune", DEMO, "breach", "--vary", &heft("lockhand"), "--want", "win_rate(keepers) = 50% +- 0.01%"],
    ];
    for arguments in commands {
        let child = place.start(arguments);
        std::thread::sleep(Duration::from_millis(700));
        interrupt(&child);
        let started = Instant::now();
        let output = child.wait_with_output().unwrap();
        assert_eq!(output.status.code(), Some(130), "{arguments:?}");
        assert!(started.elapsed() < patience, "{arguments:?}: {:?}", started.elapsed());
        if arguments[0] == "compare" {
            let printed = String::from_utf8_lossy(&output.stdout);
            assert!(printed.contains(" pairs of fights") && !printed.contains("1,000,000"), "{printed}");
        }
        if arguments[0] == "verify" {
            let junit = place.text("j.xml");
            assert_eq!(junit.matches("<testcase").count(), 9, "{junit}");
            assert!(junit.contains("<skipped") && junit.contains("stopped before it was checked"), "{junit}");
            let printed = String::from_utf8(output.stdout).unwrap();
            assert!(
                printed.is_empty() || (printed.contains("were not checked") && !printed.contains("All ")),
                "{printed}"
            );
        }
        if arguments[0] == "report" {
            let page = place.text("r.html");
            assert!(page.contains("Stopped early. Missing: ") && page.ends_with("</html>"), "{page}");
        }
    }
}

#[test]
fn a_watch_sees_a_folder_that_was_made_anew_and_an_answer_that_goes_into_a_file() {
    let place = Place::new();
    let mut child = place.start(&["trials", "rs", "duel", "-n", "200", "--watch", "-o", "a.txt"]);
    let seen = |want: &dyn Fn(&str) -> bool| {
        let started = Instant::now();
        while started.elapsed() < Duration::from_secs(20) {
            std::thread::sleep(Duration::from_millis(50));
            if want(&fs::read_to_string(place.path("a.txt")).unwrap_or_default()) {
                return true;
            }
        }
        false
    };
    assert!(seen(&|text| !text.is_empty()));
    let first = place.text("a.txt");
    let text = place.text("rs/ruleset.toml");
    fs::remove_dir_all(place.path("rs")).unwrap();
    std::thread::sleep(Duration::from_millis(1_200));
    fs::create_dir(place.path("rs")).unwrap();
    place.write("rs/ruleset.toml", &text.replacen("heft = 12", "heft = 30", 1));
    assert!(seen(&|text| !text.is_empty() && text != first), "the folder that was made anew is not watched");
    std::thread::sleep(Duration::from_millis(500));
    child.kill().unwrap();
    let output = child.wait_with_output().unwrap();
    let printed = String::from_utf8(output.stdout).unwrap();
    assert!(printed.contains("The result is in a.txt") && !printed.contains("Nothing in the result"), "{printed}");
}

/// Whether every tag is closed and every special character escaped: a walk over tags, which is enough to detect what a
/// name can break.
fn is_xml(text: &str) -> bool {
    walk_tags(text).is_some()
}

fn walk_tags(text: &str) -> Option<()> {
    let mut open: Vec<&str> = Vec::new();
    let mut rest = text;
    while let Some(at) = rest.find(['<', '&']) {
        if rest[..at].contains(|c: char| c.is_control() && !"\t\r\n".contains(c) || c == '\u{fffe}') {
            return None;
        }
        rest = &rest[at..];
        if rest.starts_with('&') {
            let end = rest.find(';')?;
            let entity = &rest[..end];
            if !["&amp", "&lt", "&gt", "&quot", "&apos"].contains(&entity) && !entity.starts_with("&#") {
                return None;
            }
            rest = &rest[end..];
            continue;
        }
        let end = rest.find('>')?;
        let tag = &rest[1..end];
        if tag[..].contains('<') || tag.matches('"').count() % 2 == 1 {
            return None;
        }
        match tag.strip_prefix('/') {
            Some(name) => (open.pop()? == name).then_some(())?,
            None if tag.ends_with('/') || tag.starts_with(['?', '!']) => {}
            None => open.push(tag.split_whitespace().next()?),
        }
        rest = &rest[end + 1..];
    }
    open.is_empty().then_some(())
}

#[test]
fn hostile_names_break_no_output() {
    for hostile in
        ["Salt & Smoke <b>", "a\\\"b'c", "x\\u001b]0;PWNED\\u0007\\u001b[2J", "a\\uFFFEb", "=1+1,2", "Ünï ✂ 名前"]
    {
        let place = Place::new();
        place.edit(&own_name(&place), &name(hostile));
        place.edit("sides.keepers", "sides.\"a < b & c\"");
        let expect =
            format!("\n[[expect]]\nthat = \"draw_rate\"\nin = \"duel\"\nat_most = 1\nbecause = \"{hostile}\"\n");
        place.write("rs/ruleset.toml", &(place.text("rs/ruleset.toml") + &expect));
        let heft = "character.lockhand.attributes.heft=9..12:1";
        let commands: [&[&str]; 8] = [
            &["check", "rs"],
            &["fight", "rs", "duel", "--plot", "a.svg"],
            &["fight", "rs", "duel", "--plot", "a.png"],
            &["sweep", "rs", "duel", "-n", "5", "--vary", heft, "--plot", "b.svg"],
            &["verify", "rs", "--junit", "j.xml"],
            &["trials", "rs", "duel", "-n", "20", "-o", "t.json"],
            &["trials", "rs", "duel", "-n", "20", "--format", "csv", "-o", "t.csv"],
            &["report", "rs", "-n", "20", "-o", "r.html"],
        ];
        for arguments in commands {
            let output = place.command(arguments).env("CLICOLOR_FORCE", "1").output().unwrap();
            let said = [output.stdout, output.stderr].concat();
            assert_eq!(output.status.code(), Some(0), "{hostile} {arguments:?}: {}", String::from_utf8_lossy(&said));
            assert!(!said.windows(2).any(|pair| pair == b"\x1b]" || pair[0] == 7), "{hostile} {arguments:?}");
        }
        for file in ["a.svg", "b.svg", "j.xml"] {
            assert!(is_xml(&place.text(file)), "{hostile}: {file}");
        }
        let page = place.text("r.html");
        assert!(!page.contains("Smoke <b>") && page.ends_with("</html>"), "{hostile}");
        assert!(fs::read(place.path("a.png")).unwrap().starts_with(b"\x89PNG"));
        serde_json::from_str::<serde_json::Value>(&place.text("t.json")).unwrap();
        let mut rows = csv::ReaderBuilder::new().flexible(true).from_path(place.path("t.csv")).unwrap();
        assert!(rows.records().all(|row| row.is_ok()));
    }
    let place = Place::new();
    place.edit("sides.keepers", "sides.\"north, south\"");
    assert!(place.refused(&["check", "rs"]).contains("cannot be the name of a side"));
}
