//! One file for each command.

mod check;
mod demo;
mod explain;
mod failure;
mod fight;
mod new;
mod output;
mod trials;

pub(crate) use failure::Failure;
pub(crate) use output::Sink;

use edgeplane::Game;

use crate::args::{Args, Command, RulesetArgs};

pub(crate) fn run(args: Args) -> Result<(), Failure> {
    match args.command {
        Command::Check(args) => check::run(&args),
        Command::Explain(args) => explain::run(&args),
        Command::Fight(args) => fight::run(&args),
        Command::Trials(args) => trials::run(&args),
        Command::New(args) => new::run(&args),
        Command::Demo(args) => demo::run(&args),
    }
}

fn open(args: &RulesetArgs) -> Result<Game, Failure> {
    Ok(Game::open_with(&args.ruleset, &args.set)?)
}

/// The same with characters that use nothing but one ability.
fn open_forced(args: &RulesetArgs, force: &[(String, String)]) -> Result<Game, Failure> {
    let mut game = open(args)?;
    for (character, ability) in force {
        game = game.forced(character, ability)?;
    }
    Ok(game)
}

/// The ruleset's name, or the name of its folder.
fn title(game: &Game, args: &RulesetArgs) -> String {
    match game.program().name() {
        "" => args.ruleset.file_name().map_or_else(|| "ruleset".to_owned(), |name| name.to_string_lossy().into_owned()),
        name => name.to_owned(),
    }
}
