//! `edgeplane matrix`: duels between all characters.

use edgeplane::study::{DuelTerms, run_matrix};

use super::{Failure, Sink};
use crate::args::{Format, MatrixArgs};
use crate::view::{matrix, plot, progress, text};

pub(crate) fn run(args: &MatrixArgs) -> Result<(), Failure> {
    if !(args.time_limit.is_finite() && args.time_limit > 0.0) {
        return Err(Failure::Message(format!("a time limit of {} s is not possible", args.time_limit)));
    }
    if args.distance.is_some_and(|metres| !(0.0..=1e6).contains(&metres)) {
        return Err(Failure::Message("a distance is between 0 and 1,000,000 m".to_owned()));
    }
    let game = super::open(&args.ruleset)?;
    let everyone = game.program().characters().iter().filter(|character| !character.template);
    let everyone = || everyone.clone().map(|character| character.name.clone()).collect();
    let among: Vec<String> = if args.among.is_empty() { everyone() } else { args.among.clone() };
    let pairs = (among.len() * (among.len() + 1) / 2) as u64;
    let bar = progress::Bar::new(args.plan.trials * pairs, "fights");
    let terms = DuelTerms { time_limit: args.time_limit, distance: args.distance };
    let found = run_matrix(&game, &among, terms, &super::plan(&args.plan), &|done| bar.at(done));
    bar.finish();
    let found = found?;
    super::plot(&args.plot, || plot::matrix(&found))?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let fights = text::grouped(args.plan.trials);
            let title = super::title(&game, &args.ruleset);
            let heading = format!("{title} · one against one · {fights} fights a pair · seed {}", args.plan.seed);
            sink.text(&format!("{}\n{}", text::bold(&heading), matrix::draw(&found)))
        }
        Format::Json => sink.json(&found),
        Format::Csv => sink.csv(&matrix::rows(&found)),
    }
}
