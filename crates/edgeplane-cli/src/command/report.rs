//! `edgeplane report`: let me look at it.

use std::sync::Arc;

use edgeplane::study::{DuelTerms, Expectation, Matrix, run_expectation, run_matrix, run_sensitivity, run_trials};
use edgeplane::{Error, Game, Setup};

use super::Failure;
use crate::args::ReportArgs;
use crate::view::{page, plot, progress, recorder::Recorder, text};

/// Fights of each pair of the matrix, and of each number of a sensitivity.
const OF_EACH: u64 = 500;
/// Seconds after which a duel of the matrix ends.
const DUEL: f64 = 300.0;

pub(crate) fn run(args: &ReportArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let names: Vec<String> = game.program().encounters().iter().map(|encounter| encounter.name.clone()).collect();
    let names = if args.encounters.is_empty() { names } else { args.encounters.clone() };
    let bar = progress::Spinner::new("parts of the page");
    // Ctrl-C leaves out what is not known by then, and the page says what.
    let mut missing = Vec::new();
    let mut encounters = Vec::new();
    for (done, name) in names.iter().enumerate() {
        bar.at(done as u64);
        encounters.extend(unless_stopped(encounter(args, &game, name), name, &mut missing)?);
    }
    let expectations = unless_stopped(expectations(args, &game), "expectations", &mut missing)?.unwrap_or_default();
    let matrix = unless_stopped(matrix(args, &game).map_err(Failure::from), "everyone against everyone", &mut missing)?;
    if encounters.is_empty() && expectations.is_empty() && !missing.is_empty() {
        return Err(Failure::StoppedBefore);
    }
    let page = page::Page {
        title: super::title(&game, &args.ruleset),
        trials: args.plan.trials,
        seed: args.plan.seed,
        expectations,
        encounters,
        matrix: matrix.flatten().map(|matrix| plot::matrix(&matrix)).transpose()?,
        missing,
    };
    bar.finish();
    super::files::write(&args.output, page::draw(&page))?;
    super::output::print(&format!(
        "{} is in {}: {} and {}\n",
        text::bold(&page.title),
        args.output.display(),
        text::counted(page.encounters.len(), "encounter", "encounters"),
        text::counted(page.expectations.len(), "expectation", "expectations")
    ))
}

/// What was found; nothing if Ctrl-C came before anything was, which is noted.
fn unless_stopped<T>(found: Result<T, Failure>, what: &str, missing: &mut Vec<String>) -> Result<Option<T>, Failure> {
    match found {
        Err(Failure::StoppedBefore) => {
            missing.push(what.to_owned());
            Ok(None)
        }
        found => found.map(Some),
    }
}

fn encounter(args: &ReportArgs, game: &Game, name: &str) -> Result<page::Encounter, Failure> {
    let id = game.encounter(name)?;
    let setup = Arc::new(Setup::of(game.program(), id));
    let trials = run_trials(&setup, &super::plan(&args.plan), &|_| {})?;
    let mut fight = game.fight(name, args.plan.seed)?;
    let mut recorder = Recorder::of(&fight);
    fight.run(&mut recorder).map_err(Error::from)?;
    let title = format!("One fight of {name}, seed {}", args.plan.seed);
    let mut pictures = vec![
        plot::durations(&trials)?,
        plot::sources(&trials)?,
        plot::pools(&setup, &recorder.entries, &recorder.charts, &title)?,
    ];
    if args.sensitivity {
        let measure = format!("win_rate({})", setup.sides[0]);
        let plan = edgeplane::TrialsPlan { trials: OF_EACH, ..super::plan(&args.plan) };
        match run_sensitivity(game, name, &measure, 0.05, &plan, &|_, _| {}) {
            Err(Error::Stopped) => {}
            found => pictures.push(plot::sensitivity(&found?)?),
        }
    }
    let about = game.program().encounters()[id.index()].about.clone();
    Ok(page::Encounter { name: name.to_owned(), about, trials, pictures })
}

fn expectations(args: &ReportArgs, game: &Game) -> Result<Vec<Expectation>, Failure> {
    let rules = super::expectations(game, &args.encounters)?.into_iter();
    let found = rules.map(|rule| run_expectation(game.program(), rule, &super::plan(&args.plan), &|_| {}));
    found.collect::<Result<_, _>>().map_err(Failure::from)
}

/// Nothing for a game with one character alone.
fn matrix(args: &ReportArgs, game: &Game) -> Result<Option<Matrix>, Error> {
    let characters = game.program().characters().iter().filter(|character| !character.template);
    let names: Vec<&str> = characters.map(|character| character.name.as_str()).collect();
    if names.len() < 2 {
        return Ok(None);
    }
    let plan = edgeplane::TrialsPlan { trials: OF_EACH.min(args.plan.trials), ..super::plan(&args.plan) };
    run_matrix(game, &names, DuelTerms { time_limit: DUEL, distance: None }, &plan, &|_| {}).map(Some)
}
