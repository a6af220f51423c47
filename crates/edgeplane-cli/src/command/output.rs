//! Where answers go: standard output, or a file.

use std::fs;
use std::io::{ErrorKind, Write};

use serde::Serialize;

use super::Failure;
use crate::args::OutputArgs;

/// Receives a command's answer.
pub(crate) struct Sink<'a>(pub(crate) &'a OutputArgs);

impl Sink<'_> {
    /// Text for people, styled; the style is dropped where nobody sees it.
    pub(crate) fn text(&self, text: &str) -> Result<(), Failure> {
        match &self.0.output {
            Some(path) => {
                let bare = anstream::adapter::strip_str(text).to_string();
                fs::write(path, bare).map_err(|error| Failure::writing(path, &error))
            }
            None => print(text),
        }
    }

    pub(crate) fn json(&self, value: &impl Serialize) -> Result<(), Failure> {
        let text = serde_json::to_string_pretty(value).map_err(|error| Failure::Message(error.to_string()))?;
        self.text(&(text + "\n"))
    }

    /// Rows for spreadsheets, the header first.
    pub(crate) fn csv(&self, rows: &[Vec<String>]) -> Result<(), Failure> {
        let broken = |error: &dyn std::fmt::Display| Failure::Message(error.to_string());
        let mut writer = csv::Writer::from_writer(Vec::new());
        for row in rows {
            writer.write_record(row).map_err(|error| broken(&error))?;
        }
        let bytes = writer.into_inner().map_err(|error| broken(&error))?;
        self.text(&String::from_utf8_lossy(&bytes))
    }
}

pub(crate) fn print(text: &str) -> Result<(), Failure> {
    match anstream::stdout().write_all(text.as_bytes()) {
        // Whoever read has read enough: `edgeplane fight … | head`.
        Err(error) if error.kind() == ErrorKind::BrokenPipe => Ok(()),
        other => other.map_err(|error| Failure::Message(format!("cannot write to standard output: {error}"))),
    }
}
