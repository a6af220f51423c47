//! `edgeplane explain`: what is this number, and why?

use edgeplane::Game;
use edgeplane::study::explain::{AbilityExplanation, CharacterSheet, explain_ability, explain_character};

use super::{Failure, Sink};
use crate::args::{ExplainArgs, Format};
use crate::view::{ability, sheet};

pub(crate) fn run(args: &ExplainArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let sink = Sink(&args.output);
    if game.program().find_ability(&args.what).is_some() || args.from.is_some() || args.on.is_some() {
        let explained = ability_of(&game, args)?;
        return match args.output.format {
            Format::Text => sink.text(&ability::draw(&explained)),
            Format::Json => sink.json(&explained),
            Format::Csv => sink.csv(&ability::rows(&explained)),
        };
    }
    let explained = character_of(&game, args)?;
    match args.output.format {
        Format::Text => sink.text(&sheet::draw(&explained)),
        Format::Json => sink.json(&explained),
        Format::Csv => sink.csv(&sheet::rows(&explained)),
    }
}

fn character_of(game: &Game, args: &ExplainArgs) -> Result<CharacterSheet, Failure> {
    let Some(id) = game.program().find_character(&args.what) else {
        let characters = game.program().characters().iter().map(|character| character.name.as_str());
        let known: Vec<&str> =
            characters.chain(game.program().abilities().iter().map(|ability| ability.name.as_str())).collect();
        let near = edgeplane::text::diagnostic::nearest(&args.what, &known);
        let help = near.map_or_else(
            || format!("there are {}", edgeplane::text::diagnostic::listed(&known)),
            |near| format!("did you mean `{near}`?"),
        );
        return Err(Failure::Message(format!("no character or ability is called `{}`; {help}", args.what)));
    };
    if game.program().characters()[id.index()].template {
        return Err(Failure::Message(format!("`{}` is a template; explain a character that extends it", args.what)));
    }
    Ok(explain_character(game.program(), id))
}

fn ability_of(game: &Game, args: &ExplainArgs) -> Result<AbilityExplanation, Failure> {
    let ability = game.ability(&args.what)?;
    let (from, on) = match (&args.from, &args.on) {
        (Some(from), Some(on)) => (game.character(from)?, game.character(on)?),
        (Some(from), None) if game.program().ability(ability).side == edgeplane::rules::SideRule::Caster => {
            (game.character(from)?, game.character(from)?)
        }
        _ => {
            let message = format!("`{}` is an ability: say who uses it on whom, with --from and --on", args.what);
            return Err(Failure::Message(message));
        }
    };
    explain_ability(game.program(), ability, from, on)
        .map_err(|error| Failure::with_sources(error, game.program().sources()))
}
