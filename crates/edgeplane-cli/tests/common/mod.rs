//! The tool as a process, for those tests that ask it one thing after the other.

// Not every binary of tests asks in every way.
#![allow(dead_code, clippy::unwrap_used, clippy::panic)]

use std::process::{Command, Output};

use serde_json::Value;

pub(crate) const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");

pub(crate) fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_edgeplane")).args(arguments).output().unwrap()
}

pub(crate) fn text(bytes: &[u8]) -> String {
    String::from_utf8(bytes.to_vec()).unwrap()
}

/// Standard output of a command that must succeed, and say nothing on standard error.
pub(crate) fn answer(arguments: &[&str]) -> String {
    let output = run(arguments);
    assert_eq!(output.status.code(), Some(0), "{arguments:?}: {}", text(&output.stderr));
    assert_eq!(text(&output.stderr), "", "{arguments:?}");
    text(&output.stdout)
}

pub(crate) fn json(arguments: &[&str]) -> Value {
    serde_json::from_str(&answer(arguments)).unwrap()
}

/// Standard error of a command that must be refused with exit code 2, and answer nothing.
pub(crate) fn refusal(arguments: &[&str]) -> String {
    let output = run(arguments);
    assert_eq!(output.status.code(), Some(2), "{arguments:?}: {}", text(&output.stdout));
    assert_eq!(text(&output.stdout), "", "{arguments:?}");
    text(&output.stderr)
}

/// The words of the line that begins with `first`, however wide the columns are.
pub(crate) fn row<'a>(table: &'a str, first: &str) -> Vec<&'a str> {
    let line = table.lines().find(|line| line.trim_start().starts_with(first));
    line.unwrap_or_else(|| panic!("no line begins with `{first}`:\n{table}")).split_whitespace().collect()
}
