//! `edgeplane compare`: the effect of an edit.

use std::path::Path;

use edgeplane::study::{Difference, MANY_OF_A_KIND, run_comparison};
use edgeplane::{Game, Setup};
use serde::Serialize;

use super::{Failure, Sink};
use crate::args::{CompareArgs, Format};
use crate::view::{differences, progress, text};

#[derive(Serialize)]
struct Report<'a> {
    encounter: &'a str,
    trials: u64,
    seed: u64,
    edits: &'a [edgeplane::Edit],
    differences: &'a [Difference],
}

pub(crate) fn run(args: &CompareArgs) -> Result<(), Failure> {
    let old = Game::open(&args.ruleset)?;
    let (new, encounter) = match (args.new.as_deref(), args.encounter.as_deref()) {
        // One name after the ruleset is that of another one or of an encounter.
        (Some(one), None) if !is_ruleset(&old, one) => (None, Some(one)),
        named => named,
    };
    let encounter = super::encounter(&old, encounter)?;
    old.encounter(encounter)?;
    let new = new.map_or(args.ruleset.as_path(), Path::new);
    if args.ruleset == new && args.set.is_empty() {
        let message = "there is nothing to compare: name a second ruleset, or set a value with --set PATH=VALUE";
        return Err(Failure::Message(message.to_owned()));
    }
    let new = Game::open_with(new, &args.set)?;
    let measures = super::measures_or(&args.measure, old.fight(encounter, 0)?.setup(), usual);
    let (before, after) = (old.measured(encounter, &measures)?, new.measured(encounter, &measures)?);
    let bar = progress::Bar::new(args.plan.trials * 2, "fights");
    let found = run_comparison(&before, &after, &super::plan(&args.plan), &|done| bar.at(done));
    bar.finish();
    let found = found?;
    let edits = old.edits_to(&new);
    let trials = found.first().map_or(args.plan.trials, |one| one.after.trials);
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let fights = text::grouped(trials);
            let heading =
                format!("{encounter} · {fights} pairs of fights on the same random numbers · seed {}", args.plan.seed);
            sink.text(&format!("{}\n{}", text::bold(&heading), differences::draw(&edits, &found)))
        }
        Format::Json => {
            sink.json(&Report { encounter, trials, seed: args.plan.seed, edits: &edits, differences: &found })
        }
        Format::Csv => sink.csv(&differences::rows(&found)),
    }
}

/// Whether a name is that of a ruleset and not that of an encounter.
fn is_ruleset(old: &Game, name: &str) -> bool {
    let path = Path::new(name);
    let looks_like_a_file = path.exists() || path.extension().is_some() || path.components().count() > 1;
    old.program().find_encounter(name).is_none() && looks_like_a_file
}

/// The maximum number of combatants, or kinds of them, that are compared individually.
const ONE_BY_ONE: usize = 12;

/// Win rates, draws, duration, and the damage dealt and taken by each combatant; consecutive combatants of one kind are
/// counted together.
fn usual(setup: &Setup) -> Vec<String> {
    let mut measures: Vec<String> = setup.sides.iter().map(|side| format!("win_rate({side})")).collect();
    measures.extend(["draw_rate".to_owned(), "duration".to_owned(), "duration.p50".to_owned()]);
    let all = &setup.combatants;
    let mut of_whom: Vec<(&str, &str)> = Vec::new();
    for kind in all.chunk_by(|one, next| one.character == next.character && one.side == next.side) {
        let character = kind[0].character;
        let name = &setup.program().characters()[character.index()].name;
        // The name means all of them and nobody else; in a measure, the name of a side would take precedence.
        let is_whole = all.iter().filter(|one| one.character == character).count() == kind.len();
        if kind.len() >= MANY_OF_A_KIND && is_whole && !setup.sides.contains(name) {
            of_whom.push((name, "defeated"));
        } else {
            of_whom.extend(kind.iter().map(|one| (one.label.as_str(), "defeat_rate")));
        }
    }
    for (who, defeat) in of_whom.into_iter().take(ONE_BY_ONE) {
        measures.extend([format!("damage_per_second({who})"), format!("{defeat}({who})")]);
    }
    measures
}
