//! `edgeplane sheet`: export to and import from spreadsheets.

use std::fs;
use std::path::Path;

use edgeplane::{Game, SheetChange};

use super::{Failure, Sink, files};
use crate::args::{Format, SheetArgs};
use crate::view::table::{self, Column};
use crate::view::text;

pub(crate) fn run(args: &SheetArgs) -> Result<(), Failure> {
    let game = Game::open(&args.ruleset)?;
    if let Some(file) = &args.take {
        return take(&game, args, file);
    }
    let rows = game.sheet(&args.section, &args.columns)?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => sink.text(&on_a_screen(&rows)),
        Format::Json => sink.json(&rows),
        Format::Csv => sink.csv(&rows),
    }
}

/// As many columns as fit on a screen, and the names of the others.
fn on_a_screen(rows: &[Vec<String>]) -> String {
    const SCREEN: usize = 118;
    let Some((header, body)) = rows.split_first() else { return String::new() };
    let width = |column: usize| rows.iter().map(|row| row[column].chars().count()).max().unwrap_or(0) + 3;
    let fits = (1..=header.len()).take_while(|count| (0..*count).map(width).sum::<usize>() <= SCREEN).last();
    let shown = fits.unwrap_or(0).max(2).min(header.len());
    let body = body.iter().map(|row| row[..shown].to_vec()).collect();
    let mut text = table::draw_named(&header[..shown], body);
    if shown < header.len() {
        const NAMED: usize = 4;
        let more = &header[shown..];
        let rest = if more.len() > NAMED { ", …" } else { "" };
        let names = more[..more.len().min(NAMED)].join(", ");
        let count = text::counted(more.len(), "more column", "more columns");
        text.push_str(&format!("\n and {count}: {names}{rest}\n"));
        text.push_str(" Select with --columns; --format csv has them all.\n");
    }
    text
}

fn take(game: &Game, args: &SheetArgs, file: &Path) -> Result<(), Failure> {
    let name = file.display().to_string();
    let csv = fs::read_to_string(file).map_err(|error| Failure::Message(format!("cannot read `{name}`: {error}")))?;
    let found = game.take_sheet(&args.section, &name, &csv)?;
    files::write_all(&found.files)?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Json => sink.json(&found.changes),
        Format::Csv => sink.csv(&rows(&found.changes)),
        Format::Text if found.changes.is_empty() => sink.text(&format!("{name} contains no changes.\n")),
        Format::Text => {
            let columns =
                [Column::Words("value"), Column::Words("before"), Column::Words("after"), Column::Words("place")];
            let counts = (found.changes.len(), found.files.len());
            let text = format!(
                "\n {} changed in {}.\n",
                text::counted(counts.0, "value", "values"),
                text::counted(counts.1, "file", "files")
            );
            sink.text(&(table::draw(&columns, rows(&found.changes)[1..].to_vec()) + &text))
        }
    }
}

fn rows(changes: &[SheetChange]) -> Vec<Vec<String>> {
    let row = |change: &SheetChange| {
        vec![change.path.clone(), change.before.clone(), change.after.clone(), change.place.to_string()]
    };
    let header = ["value", "was", "is", "place"].map(str::to_owned).to_vec();
    std::iter::once(header).chain(changes.iter().map(row)).collect()
}
