//! `--watch`: the same command again whenever the ruleset is saved, and what moved.
//!
//! Each run is a process of its own, so that it is just what the command would have said by itself, and Ctrl-C or a broken
//! edit ends no more than that run.

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

/// So long nothing more must come before a save counts as over: editors write in several steps.
const QUIET: Duration = Duration::from_millis(100);

/// How often the folder itself is looked at.
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
            // A folder that was made anew is another one, of which the watcher knows nothing.
            let _ = watcher.unwatch(&folder);
            watcher.watch(&folder, RecursiveMode::Recursive).map_err(watching)?;
            watched = there;
        }
        let now = contents(&args.ruleset);
        if now == files {
            continue;
        }
        files = now;
        // A broken ruleset has reported what is wrong; the next sound one is held against the last.
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

/// What the command says by itself; nothing if the ruleset or what is asked of it is broken.
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

/// The answer, unless it goes into a file.
fn shown(answer: Option<&str>, file: Option<&Path>) -> String {
    match file {
        Some(path) => format!("The result is in {}.\n", path.display()),
        None => answer.unwrap_or_default().to_owned(),
    }
}

/// What distinguishes a folder from another one of the same name; nothing if there is none.
fn identity(folder: &Path) -> Option<(u64, Option<SystemTime>)> {
    let metadata = fs::metadata(folder).ok()?;
    #[cfg(unix)]
    let number = std::os::unix::fs::MetadataExt::ino(&metadata);
    #[cfg(not(unix))]
    let number = 0;
    Some((number, metadata.created().ok()))
}

/// Until a save, and then until it is over.
fn wait_for_a_save(saves: &Receiver<()>) {
    // A folder that is made anew is not reported, so it is looked at now and then.
    if matches!(saves.recv_timeout(REAPPLY), Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected)) {
        return;
    }
    while !matches!(saves.recv_timeout(QUIET), Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected)) {}
}

/// The folder in which saves happen: editors put a new file in the place of the old one.
fn folder_of(ruleset: &Path) -> PathBuf {
    if ruleset.is_dir() {
        return ruleset.to_path_buf();
    }
    match ruleset.parent() {
        Some(parent) if parent != Path::new("") => parent.to_path_buf(),
        _ => PathBuf::from("."),
    }
}

/// The texts of all files of a ruleset, or what is wrong with them: what is saved without a change, and what is no part of
/// it, moves nothing.
fn contents(ruleset: &Path) -> Vec<String> {
    match Sources::read(ruleset) {
        Ok(sources) => sources.files().iter().flat_map(|file| [file.name(), file.text()].map(str::to_owned)).collect(),
        Err(wrong) => wrong.into_iter().map(|diagnostic| diagnostic.message).collect(),
    }
}
