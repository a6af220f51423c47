//! `--watch`: the same command again whenever the ruleset is saved, and what moved.
//!
//! Each run is a process of its own, so that it is just what the command would have said by itself, and Ctrl-C or a broken
//! edit ends no more than that run.

use std::collections::BTreeMap;
use std::fs;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::Duration;

use edgeplane::Game;
use notify::{RecursiveMode, Watcher};

use super::{Failure, output};
use crate::args::RulesetArgs;
use crate::view::{moved, progress};

/// So long nothing more must come before a save counts as over: editors write in several steps.
const QUIET: Duration = Duration::from_millis(100);

pub(super) fn run(args: &RulesetArgs) -> Result<(), Failure> {
    let (told, saves) = channel();
    let watching =
        |error: notify::Error| Failure::Message(format!("`{}` cannot be watched: {error}", args.ruleset.display()));
    let mut watcher = notify::recommended_watcher(move |_| _ = told.send(())).map_err(watching)?;
    watcher.watch(&folder_of(&args.ruleset), RecursiveMode::Recursive).map_err(watching)?;
    let mut files = contents(&args.ruleset);
    let mut sound = Game::open_with(&args.ruleset, &args.set).ok();
    let mut last = answer()?;
    output::print(last.as_deref().unwrap_or_default())?;
    progress::say("watching; Ctrl-C ends it");
    loop {
        wait_for_a_save(&saves);
        let now = contents(&args.ruleset);
        if now == files {
            continue;
        }
        files = now;
        // A broken ruleset has told what is wrong; the next sound one is held against the last.
        let Some(text) = answer()? else { continue };
        let game = Game::open_with(&args.ruleset, &args.set).ok();
        let edits = match (&sound, &game) {
            (Some(before), Some(after)) => before.edits_to(after),
            _ => Vec::new(),
        };
        let before = last.as_deref().unwrap_or_default();
        output::print(&format!("\n{text}{}", moved::draw(&edits, before, &text)))?;
        (last, sound) = (Some(text), game.or(sound));
        progress::say("watching; Ctrl-C ends it");
    }
}

/// What the command says by itself; nothing if the ruleset or what is asked of it is broken.
fn answer() -> Result<Option<String>, Failure> {
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
    Ok(is_answer.then(|| String::from_utf8_lossy(&output.stdout).into_owned()))
}

/// Until a save, and then until it is over.
fn wait_for_a_save(saves: &Receiver<()>) {
    // Whoever sends lives as long as the watcher, which lives as long as the loop.
    let _ = saves.recv();
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

/// The bytes of all files of a ruleset: what is saved without a change, and what is no part of it, moves nothing.
fn contents(ruleset: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
    let mut found = BTreeMap::new();
    let mut left = vec![ruleset.to_path_buf()];
    while let Some(path) = left.pop() {
        if let Ok(entries) = fs::read_dir(&path) {
            left.extend(entries.flatten().map(|entry| entry.path()));
        } else if path.extension().is_some_and(|kind| kind == "toml" || kind == "csv") {
            found.extend(fs::read(&path).ok().map(|bytes| (path, bytes)));
        }
    }
    found
}
