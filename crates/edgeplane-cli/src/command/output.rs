//! Output to standard output or a file.

use std::io::{ErrorKind, IsTerminal, Write};

use serde::Serialize;

use super::{Failure, files};
use crate::args::OutputArgs;
use crate::view::text;

/// Receives a command's answer.
pub(crate) struct Sink<'a>(pub(crate) &'a OutputArgs);

impl Sink<'_> {
    /// Text for people, with styles that are dropped if the output is not a terminal.
    pub(crate) fn text(&self, text: &str) -> Result<(), Failure> {
        match &self.0.output {
            Some(path) => {
                let bare = anstream::adapter::strip_str(text).to_string();
                files::write(path, bare)
            }
            None => print(text),
        }
    }

    pub(crate) fn json(&self, value: &impl Serialize) -> Result<(), Failure> {
        let text = serde_json::to_string_pretty(value).map_err(|error| Failure::Message(error.to_string()))?;
        self.data(&(text + "\n"))
    }

    /// Text for programs, unchanged; on a terminal, without control characters.
    fn data(&self, text: &str) -> Result<(), Failure> {
        match &self.0.output {
            Some(path) => files::write(path, text),
            None if std::io::stdout().is_terminal() => print(text),
            None => print_as_it_is(text),
        }
    }

    /// Rows for spreadsheets, the header first.
    pub(crate) fn csv(&self, rows: &[Vec<String>]) -> Result<(), Failure> {
        let broken = |error: &dyn std::fmt::Display| Failure::Message(error.to_string());
        let mut writer = csv::Writer::from_writer(Vec::new());
        for row in rows {
            writer.write_record(row).map_err(|error| broken(&error))?;
        }
        let bytes = writer.into_inner().map_err(|error| broken(&error))?;
        self.data(&String::from_utf8_lossy(&bytes))
    }
}

/// Prints text for people, with styles on a terminal.
pub(crate) fn print(text: &str) -> Result<(), Failure> {
    printed(anstream::stdout().write_all(text::harmless(text).as_bytes()))
}

fn print_as_it_is(text: &str) -> Result<(), Failure> {
    printed(std::io::stdout().write_all(text.as_bytes()))
}

fn printed(written: std::io::Result<()>) -> Result<(), Failure> {
    match written {
        // The reader has closed the pipe: `edgeplane fight … | head`.
        Err(error) if error.kind() == ErrorKind::BrokenPipe => Ok(()),
        other => other.map_err(|error| Failure::Message(format!("cannot write to standard output: {error}"))),
    }
}
