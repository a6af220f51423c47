//! `edgeplane trials`: many fights.

use std::sync::Arc;
use std::time::Instant;

use edgeplane::study::{Trials, Variant, run_measures, run_part, run_to_precision, run_trials, trials_of_part};
use edgeplane::{Game, Setup};

use super::{Failure, Sink};
use crate::args::{Format, OutputArgs, PlotArgs, TrialsArgs};
use crate::view::{figures, plot, progress, text, trials};

/// The number of fights after which a precision that has not been reached is given up.
const MOST: u64 = 100_000_000;

pub(crate) fn run(args: &TrialsArgs) -> Result<(), Failure> {
    let game = super::open_forced(&args.ruleset, &args.force)?;
    let encounter = super::encounter(&game, args.encounter.as_deref())?;
    let setup = Arc::new(Setup::of(game.program(), game.encounter(encounter)?));
    if !args.measure.is_empty() {
        return measured(args, &game, setup);
    }
    if let Some(part) = args.part {
        return counted_in_part(args, &setup, part);
    }
    let bar = progress::Bar::new(args.plan.trials, "fights");
    let started = Instant::now();
    let result = run_trials(&setup, &super::plan(&args.plan), &|done| bar.at(done));
    bar.finish();
    let result = result?;
    if args.output.format() == Format::Text {
        said(args.plan.trials, started);
    }
    show(&super::title(&game, &args.ruleset), &result, args.each, &args.plot, &args.output)
}

pub(super) fn show(
    title: &str,
    result: &Trials,
    each: bool,
    picture: &PlotArgs,
    output: &OutputArgs,
) -> Result<(), Failure> {
    super::plot(picture, || plot::durations(result))?;
    let sink = Sink(output);
    match output.format() {
        Format::Text => sink.text(&trials::draw(title, result, each)),
        Format::Json => sink.json(result),
        Format::Csv => sink.csv(&trials::rows(result)),
    }
}

fn counted_in_part(args: &TrialsArgs, setup: &Arc<Setup>, part: (u64, u64)) -> Result<(), Failure> {
    let bar = progress::Bar::new(trials_of_part(args.plan.trials, part), "fights");
    let result = run_part(setup, &super::plan(&args.plan), part, &|done| bar.at(done));
    bar.finish();
    Sink(&args.output).json(&result?)
}

fn said(trials: u64, started: Instant) {
    progress::say(&format!("{} fights in {:.2} s", text::grouped(trials), started.elapsed().as_secs_f64()));
}

fn measured(args: &TrialsArgs, game: &Game, setup: Arc<Setup>) -> Result<(), Failure> {
    let variant = Variant::new(setup, &args.measure)?;
    let bar = progress::Bar::new(args.plan.trials, "fights");
    let (plan, progress) = (super::plan(&args.plan), |done| bar.at(done));
    let result = match args.precision {
        Some(precision) => run_to_precision(&variant, &plan, precision, MOST, &progress),
        None => run_measures(&variant, &plan, &progress),
    };
    bar.finish();
    let result = result?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let trials = result.first().map_or(0, |figure| figure.trials);
            let heading = format!(
                "{} · {} · {} fights · seed {}",
                super::title(game, &args.ruleset),
                variant.setup().name,
                text::grouped(trials),
                args.plan.seed
            );
            sink.text(&format!("{}\n{}", text::bold(&heading), figures::draw(&result)))
        }
        Format::Json => sink.json(&result),
        Format::Csv => sink.csv(&figures::rows(&result)),
    }
}
