//! `edgeplane fight`: the events of a fight.

use edgeplane::Error;
use edgeplane::study::explain::explain_moment;

use super::{Failure, Sink};
use crate::args::{FightArgs, Format};
use crate::view::{events, moment, plot, recorder::Recorder, timeline};

pub(crate) fn run(args: &FightArgs) -> Result<(), Failure> {
    let game = super::open_forced(&args.ruleset, &args.force)?;
    let encounter = super::encounter(&game, args.encounter.as_deref())?;
    let mut fight = game.fight(encounter, args.seed)?;
    let title = format!("{} · {encounter} · seed {}", super::title(&game, &args.ruleset), args.seed);
    let sink = Sink(&args.output);
    if let Some(at) = args.at {
        let found = explain_moment(fight.setup(), args.seed, at)?;
        return match args.output.format() {
            Format::Text => sink.text(&moment::draw(&found, &title)),
            Format::Json => sink.json(&found),
            Format::Csv => sink.csv(&moment::rows(&found)),
        };
    }
    let mut recorder = Recorder::of(&fight);
    let ended = fight.run(&mut recorder);
    let story = timeline::Story {
        title,
        setup: fight.setup(),
        entries: &recorder.entries,
        charts: &recorder.charts,
        trace: args.trace,
    };
    super::plot(&args.plot, || plot::pools(&timeline::Story { title: story.title.clone(), trace: true, ..story }))?;
    match args.output.format() {
        Format::Text => sink.text(&timeline::draw(&story))?,
        Format::Json => sink.json(&events::Report::new(&story, args.seed, &fight))?,
        Format::Csv => sink.csv(&events::rows(&story))?,
    }
    // A fight that fails is shown up to the failure, followed by the reason.
    ended.map(|_| ()).map_err(|error| Failure::from(Error::from(error)))
}
