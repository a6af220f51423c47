//! `--watch`: repeats a command whenever the ruleset is saved, and shows what changed.
//!
//! Each run is a separate process, so that its output is exactly that of the command, and Ctrl-C or a broken edit ends
//! only that run.

use std::fs;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, SystemTime};

use edgeplane::{Game, Sources};
use notify::{RecursiveMode, Watcher};

use super::{Failure, output};
use crate::args::RulesetArgs;
use crate::view::{moved, progress};

/// The quiet time after which a save counts as complete, because editors write in several steps.
const QUIET: Duration = Duration::from_millis(100);

/// How often the folder itself is checked.
const REAPPLY: Duration = Duration::from_millis(500);

pub(super) fn run(args: &RulesetArgs, output: Option<&Path>) -> Result<(), Failure> {
    let (changed, saves) = channel();
    let watching =
        |error: notify::Error| Failure::Message(format!("`{}` cannot be watched: {error}", args.ruleset.display()));
    let mut watcher = notify::recommended_watcher(move |_| _ = changed.send(())).map_err(watching)?;
    let folder = folder_of(&args.ruleset);
    watcher.watch(&folder, RecursiveMode::Recursive).map_err(watching)?;
    let mut watched = identity(&folder);
    let mut files = contents(&args.ruleset);
    let mut sound = Game::open_with(&args.ruleset, &args.set).ok();
    let mut last = answer(output)?;
    output::print(&shown(last.as_deref(), output))?;
    progress::say("watching; Ctrl-C ends it");
    loop {
        wait_for_a_save(&saves);
        let there = identity(&folder);
        if there.is_none() {
            if watched.is_some() {
                progress::warn(&format!("{} is gone; waiting for it to come back", folder.display()));
            }
            watched = None;
            continue;
        }
        if there != watched {
            // A recreated folder is a different one, of which the watcher does not know.
            let _ = watcher.unwatch(&folder);
            watcher.watch(&folder, RecursiveMode::Recursive).map_err(watching)?;
            watched = there;
        }
        let now = contents(&args.ruleset);
        if now == files {
            continue;
        }
        files = now;
        // A broken ruleset has reported its errors; the next valid one is compared with the last valid one.
        let Some(text) = answer(output)? else { continue };
        let game = Game::open_with(&args.ruleset, &args.set).ok();
        let edits = match (&sound, &game) {
            (Some(before), Some(after)) => before.edits_to(after),
            _ => Vec::new(),
        };
        let before = last.as_deref().unwrap_or_default();
        output::print(&format!("\n{}{}", shown(Some(&text), output), moved::draw(&edits, before, &text)))?;
        (last, sound) = (Some(text), game.or(sound));
        progress::say("watching; Ctrl-C ends it");
    }
}

/// The output of the command; `None` if the ruleset or the arguments are invalid.
fn answer(file: Option<&Path>) -> Result<Option<String>, Failure> {
    let started = |error: std::io::Error| Failure::Message(format!("the command cannot be run again: {error}"));
    let tool = std::env::current_exe().map_err(started)?;
    let arguments = std::env::args_os().skip(1).filter(|argument| argument != "--watch");
    let mut command = Command::new(tool);
    command.args(arguments).stdin(Stdio::null()).stderr(Stdio::inherit());
    if std::io::stdout().is_terminal() {
        command.env("CLICOLOR_FORCE", "1");
    }
    let output = command.output().map_err(started)?;
    let is_answer = matches!(output.status.code(), Some(0 | 1));
    let written = file.map(|path| fs::read_to_string(path).map_err(|error| Failure::writing(path, &error)));
    Ok(match written {
        Some(written) if is_answer => Some(written?),
        _ => is_answer.then(|| String::from_utf8_lossy(&output.stdout).into_owned()),
    })
}

/// The answer, unless it is written to a file.
fn shown(answer: Option<&str>, file: Option<&Path>) -> String {
    match file {
        Some(path) => format!("The result is in {}.\n", path.display()),
        None => answer.unwrap_or_default().to_owned(),
    }
}

/// Distinguishes a folder from another one with the same name; `None` if there is none.
fn identity(folder: &Path) -> Option<(u64, Option<SystemTime>)> {
    let metadata = fs::metadata(folder).ok()?;
    #[cfg(unix)]
    let number = std::os::unix::fs::MetadataExt::ino(&metadata);
    #[cfg(not(unix))]
    let number = 0;
    Some((number, metadata.created().ok()))
}

/// Waits for a save, and until it is complete.
fn wait_for_a_save(saves: &Receiver<()>) {
    // A recreated folder is not reported, so it is checked regularly.
    if matches!(saves.recv_timeout(REAPPLY), Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected)) {
        return;
    }
    while !matches!(saves.recv_timeout(QUIET), Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected)) {}
}

/// The watched folder: editors replace files by renaming new ones.
fn folder_of(ruleset: &Path) -> PathBuf {
    if ruleset.is_dir() {
        return ruleset.to_path_buf();
    }
    match ruleset.parent() {
        Some(parent) if parent != Path::new("") => parent.to_path_buf(),
        _ => PathBuf::from("."),
    }
}

/// The texts of all files of a ruleset, or the errors: saves without changes, and files outside the ruleset, are
/// ignored.
fn contents(ruleset: &Path) -> Vec<String> {
    match Sources::read(ruleset) {
        Ok(sources) => sources.files().iter().flat_map(|file| [file.name(), file.text()].map(str::to_owned)).collect(),
        Err(wrong) => wrong.into_iter().map(|diagnostic| diagnostic.message).collect(),
    }
}
