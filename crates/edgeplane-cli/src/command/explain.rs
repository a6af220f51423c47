//! `edgeplane explain`: where a number comes from.

use edgeplane::study::explain::{
    AbilityExplanation, Beforehand, CharacterSheet, RuleExplanation, StatusExplanation, explain_ability_with,
    explain_character_with, explain_rule, explain_status_with,
};
use edgeplane::{Game, StatusId};

use super::{Failure, Sink};
use crate::args::{ExplainArgs, Format, With};
use crate::view::{ability, rule, sheet, status};

pub(crate) fn run(args: &ExplainArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let sink = Sink(&args.output);
    if let Some(explained) = rule_of(&game, args)? {
        return match args.output.format {
            Format::Text => sink.text(&rule::draw(&explained)),
            Format::Json => sink.json(&explained),
            Format::Csv => sink.csv(&rule::rows(&explained)),
        };
    }
    if let Some(status) = game.program().find_status(&args.what) {
        let explained = status_of(&game, status, args)?;
        return match args.output.format {
            Format::Text => sink.text(&status::draw(&explained)),
            Format::Json => sink.json(&explained),
            Format::Csv => sink.csv(&status::rows(&explained)),
        };
    }
    if game.program().find_ability(&args.what).is_some() || args.from.is_some() || args.on.is_some() {
        let explained = ability_of(&game, args)?;
        return match args.output.format {
            Format::Text => sink.text(&ability::draw(&explained, args.on.as_deref())),
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

/// Any other rule, unless the name is that of a character, an ability or a status.
fn rule_of(game: &Game, args: &ExplainArgs) -> Result<Option<RuleExplanation>, Failure> {
    let program = game.program();
    // A piece of gear and a point are also statuses of that name.
    let is_own_status = |status: StatusId| !program.status(status).point && game.gear(&args.what).is_err();
    let is_other = program.find_status(&args.what).is_some_and(is_own_status)
        || program.find_ability(&args.what).is_some()
        || program.find_character(&args.what).is_some();
    if args.on.is_some() || args.from.is_some() || is_other {
        return Ok(None);
    }
    match explain_rule(program, &args.what) {
        Ok(_) if !args.with.is_empty() => {
            Err(Failure::Message(format!("`{}` has no statuses: remove --with", args.what)))
        }
        Ok(explained) => Ok(Some(explained)),
        Err(edgeplane::Error::Unknown { .. }) => Ok(None),
        Err(other) => Err(other.into()),
    }
}

/// How to ask for another rule with the same name.
fn other_meaning(game: &Game, args: &ExplainArgs) -> String {
    explain_rule(game.program(), &args.what)
        .map_or_else(|_| String::new(), |other| format!("; or ask for `{}.{}`", other.kind, other.name))
}

fn status_of(game: &Game, status: StatusId, args: &ExplainArgs) -> Result<StatusExplanation, Failure> {
    let Some(on) = args.on.as_ref().or(args.from.as_ref()) else {
        let message = format!("`{}` is a status: name its owner and its caster with --on and --from", args.what);
        return Err(Failure::Message(message + &other_meaning(game, args)));
    };
    let (from, on) = (game.character(args.from.as_ref().unwrap_or(on))?, game.character(on)?);
    explain_status_with(game.program(), status, from, on, &beforehand(game, args)?).map_err(Failure::from)
}

fn character_of(game: &Game, args: &ExplainArgs) -> Result<CharacterSheet, Failure> {
    let Some(id) = game.program().find_character(&args.what) else {
        let characters = game.program().characters().iter().map(|character| character.name.as_str());
        let abilities = game.program().abilities().iter().map(|ability| ability.name.as_str());
        let statuses = game.program().statuses().iter().map(|status| status.name.as_str());
        let others = match explain_rule(game.program(), &args.what) {
            Err(edgeplane::Error::Unknown { known, .. }) => known,
            _ => Vec::new(),
        };
        let others = others.iter().map(String::as_str);
        let known: Vec<&str> = characters.chain(abilities).chain(statuses).chain(others).collect();
        let near = edgeplane::text::diagnostic::nearest(&args.what, &known);
        let help = near.map_or_else(
            || format!("there are {}", edgeplane::text::diagnostic::listed(&known)),
            |near| format!("did you mean `{near}`?"),
        );
        return Err(Failure::Message(format!("there is no rule called `{}`; {help}", args.what)));
    };
    if game.program().characters()[id.index()].template {
        let message = format!("`{}` is a template; explain a character that extends it", args.what);
        return Err(Failure::Message(message + &other_meaning(game, args)));
    }
    if let Some(With { whose: Some(whose), status, .. }) = args.with.iter().find(|one| one.whose.is_some()) {
        let message = format!("`{whose}:` goes with --from and --on; of `{}` alone it is --with {status}", args.what);
        return Err(Failure::Message(message));
    }
    let with = args.with.iter().map(|one| Ok((game.status(&one.status)?, one.stacks)));
    let with = with.collect::<Result<Vec<_>, edgeplane::Error>>()?;
    explain_character_with(game.program(), id, &with).map_err(Failure::from)
}

fn ability_of(game: &Game, args: &ExplainArgs) -> Result<AbilityExplanation, Failure> {
    let ability = game.ability(&args.what)?;
    let (from, on) = match (&args.from, &args.on) {
        (Some(from), Some(on)) => (game.character(from)?, game.character(on)?),
        (Some(from), None) if game.program().ability(ability).side == edgeplane::rules::SideRule::Caster => {
            (game.character(from)?, game.character(from)?)
        }
        _ => {
            let message = format!("`{}` is an ability: name its caster and its target with --from and --on", args.what);
            return Err(Failure::Message(message + &other_meaning(game, args)));
        }
    };
    explain_ability_with(game.program(), ability, from, on, &beforehand(game, args)?).map_err(Failure::from)
}

/// The initial statuses of both.
fn beforehand(game: &Game, args: &ExplainArgs) -> Result<Beforehand, Failure> {
    let mut all = Beforehand::default();
    for With { whose, status, stacks } in &args.with {
        let id = game.status(status)?;
        match whose.as_deref() {
            Some("from") => all.caster.push((id, *stacks)),
            Some(_) => all.target.push((id, *stacks)),
            None => {
                let message =
                    format!("say which of the two has `{status}`: --with from:{status} or --with on:{status}");
                return Err(Failure::Message(message));
            }
        }
    }
    Ok(all)
}
