//! `edgeplane report`: one page with all results.

use std::sync::Arc;

use edgeplane::fight::{Ending, Fight, Sampler};
use edgeplane::study::{
    DuelTerms, Expectation, Matrix, each_fight, run_expectation, run_matrix, run_sensitivity, run_trials,
};
use edgeplane::{Error, Game, Setup};

use super::Failure;
use crate::args::{PlanArgs, ReportArgs};
use crate::view::{page, plot, progress, recorder::Recorder, text, timeline};

/// Fights of each pair of the matrix, for an overview. `edgeplane matrix` plays more.
const OF_EACH_PAIR: u64 = 200;
/// Fights of each number of the sensitivity analysis.
const OF_EACH: u64 = 500;
/// The number of fights from which the shown ones are chosen.
const LOOKED_AT: u64 = 256;
/// The time limit of a duel of the matrix in seconds.
const DUEL: f64 = 300.0;

pub(crate) fn run(args: &ReportArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let names: Vec<String> = game.program().encounters().iter().map(|encounter| encounter.name.clone()).collect();
    let names = if args.encounters.is_empty() { names } else { args.encounters.clone() };
    let bar = progress::Spinner::new("parts of the page");
    // After Ctrl-C, the page states what is missing.
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
        command: command_line(),
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

/// The result; `None`, with a note, if Ctrl-C came before there was one.
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
    let mut pictures = vec![plot::durations(&trials)?];
    pictures.extend(plot::damage(&trials)?);
    pictures.extend(plot::healing(&trials)?);
    if args.sensitivity {
        let measure = format!("win_rate({})", setup.sides[0]);
        let plan = edgeplane::TrialsPlan { trials: OF_EACH, ..super::plan(&args.plan) };
        match run_sensitivity(game, name, &measure, 0.05, &plan, &|_, _| {}) {
            Err(Error::Stopped) => {}
            found => pictures.push(plot::sensitivity(&found?)?),
        }
    }
    let about = game.program().encounters()[id.index()].about.clone();
    let fights = fights(&setup, &args.plan)?;
    Ok(page::Encounter { name: name.to_owned(), about, trials, pictures, fights })
}

/// The course of a fight of the study.
struct Went {
    seed: u64,
    ending: Ending,
    lasted: f64,
    /// The remaining share of the side with more of it, minus that of the other one, relative to their initial amounts.
    ahead: f64,
}

/// Among the first fights of the study: the one nearest to the usual ending and duration, the closest and the most
/// one-sided one.
fn fights(setup: &Arc<Setup>, plan: &PlanArgs) -> Result<Vec<page::ShownFight>, Failure> {
    let plan = edgeplane::TrialsPlan { trials: plan.trials.min(LOOKED_AT), ..super::plan(plan) };
    let how = |seed, fight: &Fight, ending| Went { seed, ending, lasted: fight.now().seconds(), ahead: ahead(fight) };
    let went = each_fight(setup, &plan, &how)?;
    let usual = |went: &[Went]| {
        let of = |ending: Ending| went.iter().filter(move |one| one.ending == ending);
        let most = went.iter().map(|one| one.ending).max_by_key(|ending| of(*ending).count())?;
        let mut lasted: Vec<f64> = of(most).map(|one| one.lasted).collect();
        lasted.sort_by(f64::total_cmp);
        let median = lasted[lasted.len() / 2];
        (0..went.len())
            .filter(|index| went[*index].ending == most)
            .min_by(|a, b| (went[*a].lasted - median).abs().total_cmp(&(went[*b].lasted - median).abs()))
    };
    let by_ahead = |a: &usize, b: &usize| went[*a].ahead.total_cmp(&went[*b].ahead);
    let typical = usual(&went);
    let closest = (0..went.len()).filter(|index| Some(*index) != typical).min_by(by_ahead);
    let others = |index: &usize| Some(*index) != typical && Some(*index) != closest;
    let one_sided = (0..went.len()).filter(others).max_by(by_ahead);
    let chosen = [("typical", typical), ("closest", closest), ("most one-sided", one_sided)];
    chosen
        .into_iter()
        .filter_map(|(kind, index)| Some((kind, &went[index?])))
        .map(|(kind, one)| shown(setup, kind, one))
        .collect()
}

fn ahead(fight: &Fight) -> f64 {
    let setup = fight.setup();
    let Some(pool) = setup.program().defeat_pool() else { return 0.0 };
    let mut left = vec![(0.0, 0.0); setup.sides.len()];
    for who in setup.ids() {
        let side = &mut left[setup.combatants[who.index()].side.index()];
        side.0 += if fight.stands(who) { fight.pool(who, pool) } else { 0.0 };
        side.1 += fight.cap(who, pool);
    }
    let mut shares: Vec<f64> = left.iter().map(|(left, cap)| left / cap.max(f64::MIN_POSITIVE)).collect();
    shares.sort_by(|a, b| b.total_cmp(a));
    shares.first().copied().unwrap_or_default() - shares.get(1).copied().unwrap_or_default()
}

fn shown(setup: &Arc<Setup>, kind: &'static str, went: &Went) -> Result<page::ShownFight, Failure> {
    let mut fight = Fight::with_chance(Arc::clone(setup), Sampler::default(), went.seed);
    let mut recorder = Recorder::of(&fight);
    fight.run(&mut recorder).map_err(Error::from)?;
    let who = went
        .ending
        .winner()
        .map_or_else(|| "nobody wins".to_owned(), |side| format!("{} win", setup.sides[side.index()]));
    let about = format!("{who} after {:.1} s; seed {}", went.lasted, went.seed);
    let story = timeline::Story {
        title: format!("The {kind} fight of {}: {about}", setup.name),
        setup,
        entries: &recorder.entries,
        charts: &recorder.charts,
        trace: true,
    };
    Ok(page::ShownFight { kind, picture: plot::pools(&story)?, about })
}

/// The command line in shell syntax.
fn command_line() -> String {
    let plain = |word: &str| word.chars().all(|one| one.is_ascii_alphanumeric() || "_-./=:,%+".contains(one));
    let word = |word: String| if plain(&word) { word } else { format!("'{}'", word.replace('\'', "'\\''")) };
    let words = std::env::args_os().skip(1).map(|argument| word(argument.to_string_lossy().into_owned()));
    std::iter::once("edgeplane".to_owned()).chain(words).collect::<Vec<_>>().join(" ")
}

fn expectations(args: &ReportArgs, game: &Game) -> Result<Vec<Expectation>, Failure> {
    let rules = super::expectations(game, &args.encounters)?.into_iter();
    let found = rules.map(|rule| run_expectation(game.program(), rule, &super::plan(&args.plan), &|_| {}));
    found.collect::<Result<_, _>>().map_err(Failure::from)
}

/// `None` for a game with only one character.
fn matrix(args: &ReportArgs, game: &Game) -> Result<Option<Matrix>, Error> {
    let characters = game.program().characters().iter().filter(|character| !character.template);
    let names: Vec<&str> = characters.map(|character| character.name.as_str()).collect();
    if names.len() < 2 {
        return Ok(None);
    }
    let plan = edgeplane::TrialsPlan { trials: OF_EACH_PAIR.min(args.plan.trials), ..super::plan(&args.plan) };
    run_matrix(game, &names, DuelTerms { time_limit: DUEL, distance: None }, &plan, &|_| {}).map(Some)
}
