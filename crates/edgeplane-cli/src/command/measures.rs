//! `edgeplane measures`: the list of measures.

use edgeplane::measures::{Argument, Quantity};
use serde::Serialize;

use super::{Failure, Sink};
use crate::args::{Format, MeasuresArgs};
use crate::view::{table, table::Column};

#[derive(Serialize)]
struct Row {
    name: &'static str,
    written: String,
    unit: edgeplane::measures::Unit,
    about: &'static str,
}

pub(crate) fn run(args: &MeasuresArgs) -> Result<(), Failure> {
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
            let table =
                table::draw(&[Column::Words("measure"), Column::Words("what it is")], rows.iter().map(cells).collect());
            sink.text(&format!("{table}\n{}", notes()))
        }
        Format::Json => sink.json(&rows),
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
