//! `edgeplane trials`: who wins, how long, why?

use std::sync::Arc;
use std::time::Instant;

use edgeplane::study::run_trials;
use edgeplane::{Setup, TrialsPlan};

use super::{Failure, Sink};
use crate::args::{Format, TrialsArgs};
use crate::view::{progress, trials};

pub(crate) fn run(args: &TrialsArgs) -> Result<(), Failure> {
    let game = super::open_forced(&args.ruleset, &args.force)?;
    let setup = Arc::new(Setup::of(game.program(), game.encounter(&args.encounter)?));
    let plan = TrialsPlan { trials: args.trials, seed: args.seed, threads: args.threads.map(usize::from) };
    let bar = progress::Bar::new(args.trials, "fights");
    let started = Instant::now();
    let result = run_trials(&setup, &plan, &|done| bar.at(done));
    bar.finish();
    let result = result.map_err(|error| Failure::with_sources(error, game.program().sources()))?;
    let sink = Sink(&args.output);
    match args.output.format {
        Format::Text => {
            progress::say(&format!(
                "{} fights in {:.2} s",
                crate::view::text::grouped(args.trials),
                started.elapsed().as_secs_f64()
            ));
            sink.text(&trials::draw(&super::title(&game, &args.ruleset), &result))
        }
        Format::Json => sink.json(&result),
        Format::Csv => sink.csv(&trials::rows(&result)),
    }
}
