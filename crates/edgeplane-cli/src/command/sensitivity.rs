//! `edgeplane sensitivity`: which number matters most.

use edgeplane::study::{run_sensitivity, run_together, run_without};

use super::{Failure, Sink};
use crate::args::{Format, SensitivityArgs};
use crate::view::{plot, progress, sensitivity, text};

pub(crate) fn run(args: &SensitivityArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let encounter = super::encounter(&game, args.encounter.as_deref())?;
    let setup = game.fight(encounter, 0)?.setup().clone();
    let measure = args.measure.clone().unwrap_or_else(|| format!("win_rate({})", setup.sides[0]));
    let bar = progress::Bar::new(0, "fights");
    let plan = super::plan(&args.plan);
    let found = if args.without {
        run_without(&game, encounter, &measure, &plan, &|done, most| bar.at_of(done, most))
    } else {
        let run = if args.together { run_together } else { run_sensitivity };
        run(&game, encounter, &measure, args.by, &plan, &|done, most| bar.at_of(done, most))
    };
    bar.finish();
    let found = found?;
    super::plot(&args.plot, || plot::sensitivity(&found))?;
    let sink = Sink(&args.output);
    match args.output.format() {
        Format::Text => {
            let heading = format!(
                "{} · {} · {}, {} · {} fights · seed {}",
                super::title(&game, &args.ruleset),
                encounter,
                match found.by {
                    Some(by) => format!("every number raised and lowered by {}", text::percent(by)),
                    None => "without each ability, status and step".to_owned(),
                },
                match found.together {
                    Some(share) => format!("each while {} of the others are changed, too", text::percent(share)),
                    None => "one at a time".to_owned(),
                },
                text::grouped(found.fights),
                plan.seed
            );
            sink.text(&format!("{}\n{}", text::bold(&heading), sensitivity::draw(&found, args.all)))
        }
        Format::Json => sink.json(&found),
        Format::Csv => sink.csv(&sensitivity::rows(&found)),
    }
}
