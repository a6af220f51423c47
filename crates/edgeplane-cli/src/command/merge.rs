//! `edgeplane merge`: merges the parts of a study.

use std::fs;
use std::path::Path;

use edgeplane::Setup;
use edgeplane::study::{PartFault, StudyPart, merge_parts};

use super::Failure;
use crate::args::MergeArgs;
use crate::view::{progress, text};

pub(crate) fn run(args: &MergeArgs) -> Result<(), Failure> {
    let game = super::open_forced(&args.ruleset, &args.force)?;
    let parts = args.parts.iter().map(|path| read(path)).collect::<Result<Vec<_>, _>>()?;
    let Some(first) = parts.first() else { return Err(Failure::Message(PartFault::Nothing.to_string())) };
    let setup = Setup::of(game.program(), game.encounter(&first.encounter)?);
    let merged = merge_parts(&setup, &parts).map_err(|fault| failure_of(&args.parts, &fault))?;
    if !merged.missing.is_empty() {
        let numbers: Vec<String> = merged.missing.iter().take(10).map(u64::to_string).collect();
        let more = if merged.missing.len() > numbers.len() { " …" } else { "" };
        progress::warn(&format!(
            "{} of {} parts are missing ({}{more}): {} of {} fights are counted",
            merged.missing.len(),
            first.parts,
            numbers.join(", "),
            text::grouped(merged.trials.trials),
            text::grouped(first.trials)
        ));
    }
    super::trials::show(&super::title(&game, &args.ruleset), &merged.trials, args.each, &args.plot, &args.output)
}

fn read(path: &Path) -> Result<StudyPart, Failure> {
    let text = fs::read_to_string(path)
        .map_err(|error| Failure::Message(format!("cannot read `{}`: {error}", path.display())))?;
    serde_json::from_str(&text)
        .map_err(|error| Failure::Message(format!("`{}` is not a part of a study: {error}", path.display())))
}

fn failure_of(paths: &[std::path::PathBuf], fault: &PartFault) -> Failure {
    let at = match fault {
        PartFault::Nothing => None,
        PartFault::Different { at, .. } | PartFault::Foreign { at, .. } | PartFault::Damaged { at } => paths.get(*at),
    };
    let path = at.map(|path| format!("`{}`: ", path.display())).unwrap_or_default();
    Failure::Message(format!("{path}{fault}"))
}
