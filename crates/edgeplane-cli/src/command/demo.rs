//! `edgeplane demo`: the whole tour on the demo ruleset, which is embedded in the tool.

use std::path::{Path, PathBuf};

use clap::Parser;
use include_dir::{Dir, include_dir};

use super::{Failure, new, output};
use crate::args::{Args, DemoArgs};
use crate::view::{progress, text};

static WEIR_NINE: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/demo/weir-nine");

/// A stop of the tour: its heading, and the command to run. `{r}` is the ruleset, `{o}` the folder.
struct Stop {
    says: &'static str,
    command: &'static [&'static str],
    fails: bool,
}

const fn stop(says: &'static str, command: &'static [&'static str]) -> Stop {
    Stop { says, command, fails: false }
}

const TOUR: &[Stop] = &[
    stop("A ruleset is a folder of TOML files. Are they right?", &["check", "{r}"]),
    stop("What are the lockhand's numbers, and why?", &["explain", "{r}", "lockhand"]),
    stop(
        "What does one swing of the boathook do to a silt crab?",
        &["explain", "{r}", "boathook", "--from", "lockhand", "--on", "silt_crab"],
    ),
    stop(
        "The bell cracks its shell, stack by stack. How much is that?",
        &["explain", "{r}", "cracked", "--from", "bell_ringer", "--on", "silt_crab"],
    ),
    stop(
        "And the lockhand, braced and charmed?",
        &["explain", "{r}", "lockhand", "--with", "braced", "--with", "tide_charm=3"],
    ),
    stop("Let them fight.", &["fight", "{r}", "duel", "--seed", "7"]),
    stop("Who wins, out of ten thousand?", &["trials", "{r}", "duel"]),
    stop(
        "What if the crab were heavier? Setting a number without editing a file.",
        &["trials", "{r}", "duel", "--set", "character.silt_crab.attributes.heft=18"],
    ),
    stop(
        "What did that do, apart from luck? Both are played on the same random numbers.",
        &["compare", "{r}", "duel", "--set", "character.silt_crab.attributes.heft=18"],
    ),
    stop("Which number matters most?", &["sensitivity", "{r}", "duel", "-n", "4000"]),
    stop(
        "What does the lockhand's heft do, along its range?",
        &["sweep", "{r}", "duel", "--vary", "character.lockhand.attributes.heft=11..17:1", "--plot", "{o}/heft.svg"],
    ),
    stop(
        "And which value makes it an even fight?",
        &[
            "tune",
            "{r}",
            "duel",
            "--vary",
            "character.lockhand.attributes.heft=8..20",
            "--want",
            "win_rate(keepers) = 50% +- 1%",
        ],
    ),
    stop("Do all expectations still hold?", &["verify", "{r}"]),
    Stop {
        says: "A misspelt name is reported:",
        command: &["check", "{r}", "--set", "ability.boathook.does.0.damage=6 + caster.hefd * 0.9"],
        fails: true,
    },
    stop("The same results as files:", &["fight", "{r}", "night_shift", "--trace", "-o", "{o}/night_shift.txt"]),
    stop("", &["fight", "{r}", "duel", "--seed", "7", "--format", "json", "-o", "{o}/duel.json"]),
    stop("", &["trials", "{r}", "night_shift", "-n", "2000", "--format", "json", "-o", "{o}/night_shift_trials.json"]),
    stop("", &["trials", "{r}", "night_shift", "-n", "2000", "--format", "csv", "-o", "{o}/night_shift_trials.csv"]),
    stop("And everything on one page:", &["report", "{r}", "-n", "500", "-o", "{o}/report.html"]),
];

pub(crate) fn run(args: &DemoArgs) -> Result<(), Failure> {
    let ruleset = args.output.join("weir-nine");
    unpack(&ruleset)?;
    output::print(&format!(
        "{}\nLock keepers hold a flooded weir against what comes up with the silt.\nThe ruleset is in {}: change a number there, and run any of these again.\n",
        text::bold("Weir Nine, the demo"),
        ruleset.display()
    ))?;
    for stop in TOUR {
        visit(stop, &ruleset, &args.output)?;
    }
    output::print(&format!(
        "\n{}\n{}",
        text::bold(&format!("Everything is in {}", args.output.display())),
        contents(&args.output)
    ))
}

fn unpack(folder: &Path) -> Result<(), Failure> {
    for file in WEIR_NINE.files() {
        let (name, contents) = (file.path().to_string_lossy(), file.contents_utf8().unwrap_or_default());
        match std::fs::read_to_string(folder.join(file.path())) {
            Ok(there) if there == contents => {}
            Ok(_) => progress::warn(&format!("{} has been edited, and stays as it is", folder.join(&*name).display())),
            Err(_) => new::write(folder, &name, contents)?,
        }
    }
    Ok(())
}

fn visit(stop: &Stop, ruleset: &Path, folder: &Path) -> Result<(), Failure> {
    let fill =
        |word: &&str| word.replace("{r}", &ruleset.display().to_string()).replace("{o}", &folder.display().to_string());
    let words: Vec<String> = stop.command.iter().map(fill).collect();
    let heading = if stop.says.is_empty() { String::new() } else { format!("\n{}\n", text::bold(stop.says)) };
    let shown: Vec<String> = words
        .iter()
        .map(|word| if word.contains([' ', '*', '(']) { format!("'{word}'") } else { word.clone() })
        .collect();
    output::print(&format!("{heading}{}\n", text::dim(&format!("$ edgeplane {}", shown.join(" ")))))?;
    let parsed = Args::try_parse_from(std::iter::once("edgeplane".to_owned()).chain(words));
    let args = parsed.map_err(|error| Failure::Message(error.to_string()))?;
    match super::run(args) {
        Err(failure) if stop.fails => {
            failure.report();
            Ok(())
        }
        other => other,
    }
}

fn contents(folder: &Path) -> String {
    let mut files: Vec<PathBuf> = Vec::new();
    for folder in [folder.to_path_buf(), folder.join("weir-nine")] {
        let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
        files.extend(entries.filter(|path| path.is_file()));
    }
    files.sort();
    files.iter().map(|path| format!("  {}\n", path.display())).collect()
}
