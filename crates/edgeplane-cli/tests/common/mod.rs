//! The tool as a process, for tests that run single commands.

// Not every test binary uses all functions.
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

/// Standard output of a command that must succeed without output on standard error.
pub(crate) fn answer(arguments: &[&str]) -> String {
    let output = run(arguments);
    assert_eq!(output.status.code(), Some(0), "{arguments:?}: {}", text(&output.stderr));
    assert_eq!(text(&output.stderr), "", "{arguments:?}");
    text(&output.stdout)
}

pub(crate) fn json(arguments: &[&str]) -> Value {
    serde_json::from_str(&answer(arguments)).unwrap()
}

/// Standard error of a command that must be refused with exit code 2 and without output.
pub(crate) fn refusal(arguments: &[&str]) -> String {
    let output = run(arguments);
    assert_eq!(output.status.code(), Some(2), "{arguments:?}: {}", text(&output.stdout));
    assert_eq!(text(&output.stdout), "", "{arguments:?}");
    text(&output.stderr)
}

/// The words of the line that begins with `first`, whatever the widths of columns.
pub(crate) fn row<'a>(table: &'a str, first: &str) -> Vec<&'a str> {
    let line = table.lines().find(|line| line.trim_start().starts_with(first));
    line.unwrap_or_else(|| panic!("no line begins with `{first}`:\n{table}")).split_whitespace().collect()
}
