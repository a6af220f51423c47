//! The commands, with one file for each.

mod check;
mod compare;
mod demo;
mod explain;
mod failure;
mod fight;
pub(crate) mod files;
mod gauntlet;
mod matrix;
mod measures;
mod merge;
mod new;
pub(crate) mod output;
mod reference;
mod report;
mod schema;
mod sensitivity;
mod sheet;
mod stop;
mod sweep;
mod trials;
mod tune;
mod verify;
mod watch;

pub(crate) use failure::Failure;
pub(crate) use output::Sink;

use edgeplane::rules::ExpectRule;
use edgeplane::text::diagnostic;
use edgeplane::{Game, Setup, TrialsPlan};

use crate::args::{Args, Command, PlanArgs, PlotArgs, RulesetArgs};
use crate::view::{progress, raster, text};

pub(crate) fn run(args: Args) -> Result<(), Failure> {
    if let Some(ruleset) = args.command.ruleset().filter(|ruleset| ruleset.watch) {
        files::check(&args.command.outputs(), &args.command.inputs())?;
        return watch::run(ruleset, args.command.answer_file());
    }
    let answered = answer(args);
    // The results so far have been reported, but they are not complete.
    if stop::is_requested() && matches!(answered, Ok(()) | Err(Failure::No)) { Err(Failure::Stopped) } else { answered }
}

fn answer(args: Args) -> Result<(), Failure> {
    if args.command.is_study() {
        // From the start, because reading a ruleset takes time, too.
        stop::on_request();
    }
    files::check(&args.command.outputs(), &args.command.inputs())?;
    match args.command {
        Command::Check(args) => check::run(&args),
        Command::Explain(args) => explain::run(&args),
        Command::Fight(args) => fight::run(&args),
        Command::Trials(args) => trials::run(&args),
        Command::Compare(args) => compare::run(&args),
        Command::Sweep(args) => sweep::run(&args),
        Command::Sensitivity(args) => sensitivity::run(&args),
        Command::Tune(args) => tune::run(&args),
        Command::Matrix(args) => matrix::run(&args),
        Command::Gauntlet(args) => gauntlet::run(&args),
        Command::Sheet(args) => sheet::run(&args),
        Command::Verify(args) => verify::run(&args),
        Command::Report(args) => report::run(&args),
        Command::Merge(args) => merge::run(&args),
        Command::Measures(args) => measures::run(&args),
        Command::Schema(args) => schema::run(&args),
        Command::Reference(args) => reference::run(&args),
        Command::New(args) => new::run(&args),
        Command::Demo(args) => demo::run(&args),
    }
}

/// Draws a picture, if requested.
fn plot(args: &PlotArgs, draw: impl FnOnce() -> Result<String, Failure>) -> Result<(), Failure> {
    let Some(path) = &args.plot else { return Ok(()) };
    let svg = draw()?;
    let is_png = path.extension().is_some_and(|kind| kind == "png");
    let picture = if is_png { raster::png(&svg)? } else { svg.into_bytes() };
    files::write(path, picture)
}

fn open(args: &RulesetArgs) -> Result<Game, Failure> {
    let game = Game::open_with(&args.ruleset, &args.set)?;
    let warnings = game.program().warnings().len();
    if warnings > 0 {
        let counted = text::counted(warnings, "warning", "warnings");
        progress::say(&format!("{counted} about the rules: edgeplane check {}", args.ruleset.display()));
    }
    Ok(game)
}

/// The same with characters that use only one ability.
fn open_forced(args: &RulesetArgs, force: &[(String, String)]) -> Result<Game, Failure> {
    let mut game = open(args)?;
    for (character, ability) in force {
        game = game.forced(character, ability)?;
    }
    Ok(game)
}

/// The name of the encounter that was asked for, or of the only one.
fn encounter<'a>(game: &'a Game, asked: Option<&'a str>) -> Result<&'a str, Failure> {
    named_or_only("encounter", asked, game.program().encounters().iter().map(|one| one.name.as_str()))
}

fn named_or_only<'a>(
    kind: &str,
    asked: Option<&'a str>,
    all: impl Iterator<Item = &'a str>,
) -> Result<&'a str, Failure> {
    if let Some(name) = asked {
        return Ok(name);
    }
    let all: Vec<&str> = all.collect();
    match all.as_slice() {
        [only] => Ok(only),
        [] => Err(Failure::Message(format!("the ruleset has no {kind}"))),
        _ => Err(Failure::Message(format!("name the {kind}: there are {}", diagnostic::listed(&all)))),
    }
}

/// The requested measures, or the usual ones.
fn measures_or(asked: &[String], setup: &Setup, first: impl Fn(&Setup) -> Vec<String>) -> Vec<String> {
    if asked.is_empty() { first(setup) } else { asked.to_vec() }
}

/// Who wins, and the duration.
fn outcome_measures(setup: &Setup) -> Vec<String> {
    vec![format!("win_rate({})", setup.sides[0]), "duration".to_owned()]
}

/// The number of fights, and that Ctrl-C ends them early.
fn plan(args: &PlanArgs) -> TrialsPlan {
    let threads = args.threads.map(usize::from);
    TrialsPlan { trials: args.trials, seed: args.seed, threads, stop: Some(stop::on_request()) }
}

/// The expectations for some encounters, or for all if none is named.
fn expectations<'a>(game: &'a Game, encounters: &[String]) -> Result<Vec<&'a ExpectRule>, Failure> {
    for name in encounters {
        game.encounter(name)?;
    }
    let all = game.program().expectations().iter();
    Ok(all.filter(|rule| encounters.is_empty() || encounters.contains(&rule.encounter.text)).collect())
}

/// The ruleset's name, or the name of its folder.
fn title(game: &Game, args: &RulesetArgs) -> String {
    match game.program().name() {
        "" => args.ruleset.file_name().map_or_else(|| "ruleset".to_owned(), |name| name.to_string_lossy().into_owned()),
        name => name.to_owned(),
    }
}
