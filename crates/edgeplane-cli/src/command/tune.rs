//! `edgeplane tune`: values that meet goals.

use edgeplane::study::{TuningPlan, run_tuning};

use super::{Failure, Sink};
use crate::args::{Format, TuneArgs};
use crate::view::{progress, text, tuning};

pub(crate) fn run(args: &TuneArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let encounter = super::encounter(&game, args.encounter.as_deref())?;
    let bar = progress::Spinner::new("fights played");
    let plan = TuningPlan { study: super::plan(&args.plan), fights: args.fights };
    let found = run_tuning(&game, encounter, &args.vary, &args.want, &plan, &|done| bar.at(done));
    bar.finish();
    let found = found?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let heading = format!("{} · {encounter}", super::title(&game, &args.ruleset));
            sink.text(&format!("{}\n{}", text::bold(&heading), tuning::draw(&found, &args.want)))?;
        }
        Format::Json => sink.json(&found)?,
        Format::Csv => sink.csv(&tuning::rows(&found))?,
    }
    if found.met { Ok(()) } else { Err(Failure::No) }
}
