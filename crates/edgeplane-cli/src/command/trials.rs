//! `edgeplane trials`: who wins, how long, why?

use std::sync::Arc;
use std::time::Instant;

use edgeplane::study::{Variant, run_measures, run_to_precision, run_trials};
use edgeplane::{Game, Setup};

use super::{Failure, Sink};
use crate::args::{Format, TrialsArgs};
use crate::view::{figures, plot, progress, text, trials};

/// Fights after which a precision that is still not met is given up.
const MOST: u64 = 100_000_000;

pub(crate) fn run(args: &TrialsArgs) -> Result<(), Failure> {
    let game = super::open_forced(&args.ruleset, &args.force)?;
    let setup = Arc::new(Setup::of(game.program(), game.encounter(&args.encounter)?));
    if !args.measure.is_empty() {
        return measured(args, &game, setup);
    }
    let bar = progress::Bar::new(args.plan.trials, "fights");
    let started = Instant::now();
    let result = run_trials(&setup, &args.plan.plan(), &|done| bar.at(done));
    bar.finish();
    let result = result.map_err(|error| Failure::with_sources(error, game.program().sources()))?;
    super::plot(&args.plot, || plot::durations(&result))?;
    let sink = Sink(&args.output);
    match args.output.format {
        Format::Text => {
            said(args.plan.trials, started);
            sink.text(&trials::draw(&super::title(&game, &args.ruleset), &result))
        }
        Format::Json => sink.json(&result),
        Format::Csv => sink.csv(&trials::rows(&result)),
    }
}

fn said(trials: u64, started: Instant) {
    progress::say(&format!("{} fights in {:.2} s", text::grouped(trials), started.elapsed().as_secs_f64()));
}

fn measured(args: &TrialsArgs, game: &Game, setup: Arc<Setup>) -> Result<(), Failure> {
    let variant = Variant::new(setup, &args.measure)?;
    let bar = progress::Bar::new(args.plan.trials, "fights");
    let (plan, tell) = (args.plan.plan(), |done| bar.at(done));
    let result = match args.precision {
        Some(precision) => run_to_precision(&variant, &plan, precision, MOST, &tell),
        None => run_measures(&variant, &plan, &tell),
    };
    bar.finish();
    let result = result.map_err(|error| Failure::with_sources(error, game.program().sources()))?;
    let sink = Sink(&args.output);
    match args.output.format {
        Format::Text => {
            let trials = result.first().map_or(0, |figure| figure.trials);
            let heading = format!(
                "{} · {} · {} fights · seed {}",
                super::title(game, &args.ruleset),
                args.encounter,
                text::grouped(trials),
                args.plan.seed
            );
            sink.text(&format!("{}\n{}", text::bold(&heading), figures::draw(&result)))
        }
        Format::Json => sink.json(&result),
        Format::Csv => sink.csv(&figures::rows(&result)),
    }
}
