//! `edgeplane gauntlet`: several encounters in a row.

use edgeplane::study::run_gauntlet;

use super::{Failure, Sink};
use crate::args::{Format, GauntletArgs};
use crate::view::{gauntlet, progress, text};

pub(crate) fn run(args: &GauntletArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let bar = progress::Bar::new(args.plan.trials, "runs");
    let gauntlets = game.program().gauntlets().iter().map(|one| one.name.as_str());
    let gauntlet = super::named_or_only("gauntlet", args.gauntlet.as_deref(), gauntlets)?;
    let found = run_gauntlet(&game, gauntlet, &super::plan(&args.plan), &|done| bar.at(done));
    bar.finish();
    let found = found?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let title = super::title(&game, &args.ruleset);
            let runs = text::grouped(found.trials);
            let heading = format!("{title} · {} · {runs} runs · seed {}", found.gauntlet, args.plan.seed);
            sink.text(&format!("{}\n{}", text::bold(&heading), gauntlet::draw(&found)))
        }
        Format::Json => sink.json(&found),
        Format::Csv => sink.csv(&gauntlet::rows(&found)),
    }
}
