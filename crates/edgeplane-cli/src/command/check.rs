//! `edgeplane check`: checks a ruleset.

use edgeplane::{Error, Game, Program, Sources};
use serde::Serialize;

use super::{Failure, Sink};
use crate::args::{CheckArgs, Format};
use crate::view::{diagnostics, text};

pub(crate) fn run(args: &CheckArgs) -> Result<(), Failure> {
    let sink = Sink(&args.output);
    match Game::open_with(&args.ruleset.ruleset, &args.ruleset.set) {
        Ok(game) => sound(&game, args, &sink),
        Err(Error::Ruleset { sources, diagnostics }) if args.output.format() != Format::Text => {
            let flat = diagnostics::flat(&sources, &diagnostics);
            match args.output.format() {
                Format::Json => sink.json(&Report { sound: false, files: files(&sources), diagnostics: flat })?,
                _ => sink.csv(&diagnostics::rows(&flat))?,
            }
            Err(Failure::Told)
        }
        Err(error) => Err(error.into()),
    }
}

#[derive(Serialize)]
struct Report {
    sound: bool,
    files: Vec<String>,
    diagnostics: Vec<diagnostics::Flat>,
}

fn files(sources: &Sources) -> Vec<String> {
    sources.files().iter().map(|file| file.name().to_owned()).filter(|name| !name.starts_with("--set")).collect()
}

fn sound(game: &Game, args: &CheckArgs, sink: &Sink<'_>) -> Result<(), Failure> {
    let program = game.program();
    let files = files(program.sources());
    let warnings = diagnostics::flat(program.sources(), program.warnings());
    match args.output.format() {
        Format::Json => sink.json(&Report { sound: true, files, diagnostics: warnings }),
        Format::Csv => sink.csv(&diagnostics::rows(&warnings)),
        Format::Text => {
            // Warnings concern the files, like errors, and are therefore printed in the same way.
            if !program.warnings().is_empty() {
                diagnostics::report(program.sources(), program.warnings());
            }
            sink.text(&parts(&super::title(game, &args.ruleset), program, files.len()))
        }
    }
}

/// As many per line as fit on a screen.
fn in_lines(parts: &[String]) -> String {
    const SCREEN: usize = 110;
    let mut lines = vec![String::new()];
    for (index, one) in parts.iter().enumerate() {
        let comma = if index + 1 < parts.len() { "," } else { "" };
        if lines.last().is_some_and(|line| line.chars().count() + one.chars().count() > SCREEN) {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            line.push_str(&format!(" {one}{comma}"));
        }
    }
    lines.iter().map(|line| format!(" {line}\n")).collect()
}

fn parts(title: &str, program: &Program, files: usize) -> String {
    let templates = program.characters().iter().filter(|character| character.template).count();
    let points = program.statuses().iter().filter(|status| status.point).count();
    let gear = program.statuses().iter().filter(|status| status.worn).count() - points;
    let counts = [
        (program.attributes().len(), "attribute", "attributes"),
        (program.pools().len(), "pool", "pools"),
        (program.damage_types().len(), "damage type", "damage types"),
        (program.hit_steps().len(), "hit step", "hit steps"),
        (program.heal_steps().len(), "heal step", "heal steps"),
        (program.statuses().len() - gear - points, "status", "statuses"),
        (gear, "piece of gear", "pieces of gear"),
        (points, "kind of point", "kinds of points"),
        (program.abilities().len(), "ability", "abilities"),
        (program.characters().len() - templates, "character", "characters"),
        (program.policies().len(), "policy", "policies"),
        (program.encounters().len(), "encounter", "encounters"),
        (program.gauntlets().len(), "gauntlet", "gauntlets"),
        (program.expectations().len(), "expectation", "expectations"),
    ];
    let parts: Vec<String> = counts
        .iter()
        .filter(|(count, ..)| *count > 0)
        .map(|(count, one, many)| text::counted(*count, one, many))
        .collect();
    let files = text::counted(files, "file", "files");
    let warnings = match program.warnings().len() {
        0 => String::new(),
        some => format!(", {}", text::counted(some, "warning", "warnings")),
    };
    format!("{} is valid: {files}, no errors{warnings}\n{}", text::bold(title), in_lines(&parts))
}
