//! `edgeplane measures`: the list of measures, and of the names that a ruleset has for their arguments.

use edgeplane::Game;
use edgeplane::measures::{Argument, Quantity, Unit};
use serde::Serialize;

use super::{Failure, Sink};
use crate::args::{Format, MeasuresArgs};
use crate::view::measures::{self, Names};

#[derive(Serialize)]
struct Row {
    name: &'static str,
    written: String,
    unit: Unit,
    about: &'static str,
}

#[derive(Serialize)]
struct Listing {
    measures: Vec<Row>,
    names: Vec<Names>,
}

pub(crate) fn run(args: &MeasuresArgs) -> Result<(), Failure> {
    let names = args.ruleset.as_ref().map(|ruleset| Game::open(ruleset).map(|game| Names::of(&game))).transpose()?;
    let row = |quantity: &Quantity| Row {
        name: quantity.name(),
        written: quantity.shape(),
        unit: quantity.unit(),
        about: quantity.about(),
    };
    let rows: Vec<Row> = Quantity::ALL.iter().map(row).collect();
    let sink = Sink(&args.output);
    let cells = |row: &Row| vec![row.written.clone(), row.about.to_owned()];
    match args.output.format() {
        Format::Text => {
            let table = measures::draw(rows.iter().map(cells).collect());
            let names = names.map(|names| measures::draw_names(&names)).unwrap_or_default();
            sink.text(&format!("{table}\n{}{names}", notes()))
        }
        Format::Json => match names {
            Some(names) => sink.json(&Listing { measures: rows, names }),
            None => sink.json(&rows),
        },
        Format::Csv => {
            let header = vec![vec!["measure".to_owned(), "about".to_owned()]];
            sink.csv(&header.into_iter().chain(rows.iter().map(cells)).collect::<Vec<_>>())
        }
    }
}

fn notes() -> String {
    format!(
        " `{}` is a combatant, all combatants of a character, or a side. A measure can be followed by `.mean` (the\n \
         default) or a quantile: `duration.p50` is the median, and nine fights in ten stay below `damage(lockhand).p90`.\n",
        Argument::Who.name()
    )
}
