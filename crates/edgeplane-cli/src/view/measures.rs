//! The list of measures, and of the names that a ruleset has for their arguments.

use edgeplane::Game;
use edgeplane::fight::UnavailableReason;
use edgeplane::measures::Argument;
use serde::Serialize;

use super::rule;
use super::table::{self, Column};

/// The names that an argument can have.
#[derive(Serialize)]
pub(crate) struct Names {
    argument: &'static str,
    names: Vec<String>,
}

impl Names {
    pub(crate) fn of(game: &Game) -> Vec<Self> {
        let program = game.program();
        let owned = |names: &mut dyn Iterator<Item = &str>| names.map(str::to_owned).collect::<Vec<_>>();
        let mut sides: Vec<String> = Vec::new();
        for (side, _) in program.encounters().iter().flat_map(|encounter| &encounter.sides) {
            if !sides.contains(side) {
                sides.push(side.clone());
            }
        }
        let characters = program.characters().iter().filter(|character| !character.template);
        let named = [
            ("character", owned(&mut characters.map(|character| character.name.as_str()))),
            (Argument::Ability.name(), owned(&mut program.abilities().iter().map(|ability| ability.name.as_str()))),
            (Argument::Status.name(), owned(&mut program.statuses().iter().map(|status| status.name.as_str()))),
            ("damage type", owned(&mut program.damage_types().iter().map(|one| one.name.as_str()))),
            (Argument::Pool.name(), owned(&mut program.pools().iter().map(|pool| pool.name.as_str()))),
            (Argument::Step.name(), owned(&mut program.hit_steps().iter().map(|step| step.name.as_str()))),
            (Argument::Mark.name(), program.marks().to_vec()),
            (Argument::Report.name(), program.reports().to_vec()),
            (Argument::Reason.name(), owned(&mut UnavailableReason::NAMES.into_iter())),
        ];
        let all = std::iter::once((Argument::Side.name(), sides)).chain(named);
        all.filter(|(_, names)| !names.is_empty()).map(|(argument, names)| Self { argument, names }).collect()
    }
}

pub(crate) fn draw(rows: Vec<Vec<String>>) -> String {
    table::draw(&[Column::Words("measure"), Column::Words("what it is")], rows)
}

/// One line for each argument, or several if there are many names.
pub(crate) fn draw_names(names: &[Names]) -> String {
    let row = |one: &Names| {
        let lines = rule::wrapped(&one.names.join(", "));
        let first = |line: usize| if line == 0 { one.argument.to_owned() } else { String::new() };
        lines.into_iter().enumerate().map(|(line, list)| vec![first(line), list]).collect::<Vec<_>>()
    };
    let rows = names.iter().flat_map(row).collect();
    format!("\n{}", table::draw(&[Column::Words("argument"), Column::Words("names in this ruleset")], rows))
}
