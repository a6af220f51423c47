//! `edgeplane sweep`: a study along a range of values.

use edgeplane::study::run_sweep;

use super::{Failure, Sink};
use crate::args::{Format, SweepArgs};
use crate::view::{plot, progress, sweep, text};

pub(crate) fn run(args: &SweepArgs) -> Result<(), Failure> {
    if args.vary.len() > 2 {
        return Err(Failure::Message("a sweep varies one or two numbers".to_owned()));
    }
    let game = super::open(&args.ruleset)?;
    let encounter = super::encounter(&game, args.encounter.as_deref())?;
    let measures = super::measures_or(&args.measure, game.fight(encounter, 0)?.setup(), super::outcome_measures);
    let points: u64 = args.vary.iter().map(|vary| vary.values.len() as u64).product();
    let bar = progress::Bar::new(args.plan.trials * points, "fights");
    let found = run_sweep(&game, encounter, &args.vary, &measures, &super::plan(&args.plan), &|done| bar.at(done));
    bar.finish();
    let found = found?;
    super::plot(&args.plot, || {
        if found.varied.len() == 1 { plot::sweep_curve(&found, 0) } else { plot::sweep_grid(&found, 0) }
    })?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let fights = text::grouped(args.plan.trials);
            let title = super::title(&game, &args.ruleset);
            let heading = format!("{title} · {encounter} · {fights} fights a point · seed {}", args.plan.seed);
            sink.text(&format!("{}\n{}", text::bold(&heading), sweep::draw(&found)))
        }
        Format::Json => sink.json(&found),
        Format::Csv => sink.csv(&sweep::rows(&found)),
    }
}
