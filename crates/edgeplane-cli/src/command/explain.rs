//! `edgeplane explain`: where a number comes from.

use std::collections::HashSet;

use edgeplane::study::explain::{
    AbilityExplanation, Beforehand, CharacterSheet, RuleExplanation, StatusExplanation, explain_ability_with,
    explain_character_with, explain_rule, explain_status_with, pair_for_ability, pair_for_status,
};
use edgeplane::{CharacterId, Game, StatusId};

use super::{Failure, Sink};
use crate::args::{ExplainArgs, Format, With};
use crate::view::{ability, rule, sheet, status};

pub(crate) fn run(args: &ExplainArgs) -> Result<(), Failure> {
    let game = super::open(&args.ruleset)?;
    let sink = Sink(&args.output);
    let asked = Asked::of(&game, args);
    if let Some(explained) = rule_of(&asked)? {
        return match args.output.format() {
            Format::Text => sink.text(&rule::draw(&explained)),
            Format::Json => sink.json(&explained),
            Format::Csv => sink.csv(&rule::rows(&explained)),
        };
    }
    if let Some(status) = game.program().find_status(asked.name).filter(|_| asked.may_be("status")) {
        let explained = status_of(&asked, status)?;
        return match args.output.format() {
            Format::Text => sink.text(&(status::draw(&explained) + &asked.notes("status"))),
            Format::Json => sink.json(&explained),
            Format::Csv => sink.csv(&status::rows(&explained)),
        };
    }
    let is_ability = game.program().find_ability(asked.name).is_some() || args.from.is_some() || args.on.is_some();
    if is_ability && asked.may_be("ability") {
        let explained = ability_of(&asked)?;
        return match args.output.format() {
            Format::Text => sink.text(&(ability::draw(&explained, args.on.as_deref()) + &asked.notes("ability"))),
            Format::Json => sink.json(&explained),
            Format::Csv => sink.csv(&ability::rows(&explained)),
        };
    }
    let explained = character_of(&asked)?;
    match args.output.format() {
        Format::Text => sink.text(&(sheet::draw(&explained) + &asked.notes("character"))),
        Format::Json => sink.json(&explained),
        Format::Csv => sink.csv(&sheet::rows(&explained)),
    }
}

/// The rule that is asked for: `renew`, or `ability.renew` where a status has the same name.
struct Asked<'a> {
    game: &'a Game,
    args: &'a ExplainArgs,
    kind: Option<&'a str>,
    name: &'a str,
}

impl<'a> Asked<'a> {
    fn of(game: &'a Game, args: &'a ExplainArgs) -> Self {
        match args.what.split_once('.') {
            Some((kind @ ("status" | "ability" | "character"), name)) => Self { game, args, kind: Some(kind), name },
            _ => Self { game, args, kind: None, name: &args.what },
        }
    }

    fn may_be(&self, kind: &str) -> bool {
        self.kind.is_none_or(|asked| asked == kind)
    }

    /// A character and one of its numbers: `lockhand.heft`, or its path in the rules, `lockhand.attributes.heft`.
    fn split_number(&self) -> (&'a str, Option<&'a str>) {
        let Some((name, number)) = self.name.split_once('.') else { return (self.name, None) };
        let number =
            ["attributes.", "pools."].iter().find_map(|section| number.strip_prefix(section)).unwrap_or(number);
        (name, Some(number))
    }

    /// Other rules with the same name, as they can be asked for.
    fn others(&self, kind: &str) -> Vec<String> {
        if self.kind.is_some() {
            return Vec::new();
        }
        let program = self.game.program();
        let known = [
            ("status", program.find_status(self.name).is_some()),
            ("ability", program.find_ability(self.name).is_some()),
            ("character", program.find_character(self.name).is_some()),
        ];
        let mut others: Vec<String> = known
            .into_iter()
            .filter(|(other, is_known)| *is_known && *other != kind)
            .map(|(other, _)| format!("`{other}.{}`", self.name))
            .collect();
        others.extend(explain_rule(program, self.name).ok().map(|other| format!("`{}.{}`", other.kind, other.name)));
        others
    }

    /// How to ask for another rule with the same name, at the end of an error.
    fn other_meaning(&self, kind: &str) -> String {
        let others = self.others(kind);
        if others.is_empty() { String::new() } else { format!("; or ask for {}", others.join(" or ")) }
    }

    /// The end of an answer: other rules of that name, and how to name other characters.
    fn notes(&self, kind: &str) -> String {
        let others = self.others(kind);
        let mut notes = String::new();
        if kind != "character" && self.args.from.is_none() && self.args.on.is_none() {
            notes += "\n for other characters: --from CASTER --on TARGET\n";
        }
        if !others.is_empty() {
            notes += &format!("\n same name: {}\n", others.join(", "));
        }
        notes
    }
}

/// Any other rule, unless the name is that of a character, an ability or a status.
fn rule_of(asked: &Asked<'_>) -> Result<Option<RuleExplanation>, Failure> {
    let Asked { game, args, .. } = asked;
    let program = game.program();
    // A piece of gear and a point are also statuses of that name.
    let is_own_status = |status: StatusId| !program.status(status).point && game.gear(&args.what).is_err();
    let is_other = program.find_status(&args.what).is_some_and(is_own_status)
        || program.find_ability(&args.what).is_some()
        || program.find_character(&args.what).is_some();
    if args.on.is_some() || args.from.is_some() || is_other || asked.kind.is_some() {
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

fn status_of(asked: &Asked<'_>, status: StatusId) -> Result<StatusExplanation, Failure> {
    let Asked { game, args, .. } = asked;
    let (from, on) = match args.on.as_ref().or(args.from.as_ref()) {
        Some(on) => (game.character(args.from.as_ref().unwrap_or(on))?, game.character(on)?),
        None => chosen(asked, pair_for_status(game.program(), status))?,
    };
    explain_status_with(game.program(), status, from, on, &beforehand(game, args)?).map_err(Failure::from)
}

fn character_of(asked: &Asked<'_>) -> Result<CharacterSheet, Failure> {
    let Asked { game, args, .. } = asked;
    let (name, number) = asked.split_number();
    let Some(id) = game.program().find_character(name).filter(|_| asked.may_be("character")) else {
        return Err(Failure::Message(unknown(asked)));
    };
    if game.program().characters()[id.index()].template {
        let message = format!("`{name}` is a template; explain a character that extends it");
        return Err(Failure::Message(message + &asked.other_meaning("character")));
    }
    if let Some(With { whose: Some(whose), status, .. }) = args.with.iter().find(|one| one.whose.is_some()) {
        let message = format!("`{whose}:` goes with --from and --on; of `{}` alone it is --with {status}", args.what);
        return Err(Failure::Message(message));
    }
    let with = args.with.iter().map(|one| Ok((game.status(&one.status)?, one.stacks)));
    let with = with.collect::<Result<Vec<_>, edgeplane::Error>>()?;
    let sheet = explain_character_with(game.program(), id, &with)?;
    if let Some(number) = number { only(sheet, number) } else { Ok(sheet) }
}

/// The row of one attribute or pool.
fn only(mut sheet: CharacterSheet, number: &str) -> Result<CharacterSheet, Failure> {
    let known: Vec<String> =
        sheet.attributes.iter().chain(sheet.pools.iter().map(|pool| &pool.cap)).map(|line| line.name.clone()).collect();
    if !known.iter().any(|name| name == number) {
        let help = suggestion(number, &known.iter().map(String::as_str).collect::<Vec<_>>());
        let message = format!("`{}` has no attribute and no pool called `{number}`; {help}", sheet.character);
        return Err(Failure::Message(message));
    }
    sheet.attributes.retain(|line| line.name == number);
    sheet.pools.retain(|pool| pool.cap.name == number);
    (sheet.abilities, sheet.gear, sheet.policy) = (Vec::new(), Vec::new(), Vec::new());
    sheet.policy_name.clear();
    Ok(sheet)
}

/// There is no such rule, but perhaps one with a similar name.
fn unknown(asked: &Asked<'_>) -> String {
    let program = asked.game.program();
    let characters = program.characters().iter().map(|character| character.name.as_str());
    let abilities = program.abilities().iter().map(|ability| ability.name.as_str());
    let statuses = program.statuses().iter().map(|status| status.name.as_str());
    let others = match explain_rule(program, &asked.args.what) {
        Err(edgeplane::Error::Unknown { known, .. }) => known,
        _ => Vec::new(),
    };
    let mut known: Vec<&str> = match asked.kind {
        Some("status") => statuses.collect(),
        Some("character") => characters.collect(),
        _ => characters.chain(abilities).chain(statuses).chain(others.iter().map(String::as_str)).collect(),
    };
    let mut listed = HashSet::new();
    known.retain(|name| listed.insert(*name));
    let help = match asked.name.split_once('.') {
        Some((rule, _)) if known.contains(&rule) => format!("ask for `{rule}`, which shows its numbers"),
        Some((rule, _)) => suggestion(rule, &known),
        None => suggestion(asked.name, &known),
    };
    format!("there is no {} called `{}`; {help}", asked.kind.unwrap_or("rule"), asked.name)
}

/// The nearest known name, or all of them.
fn suggestion(name: &str, known: &[&str]) -> String {
    let near = edgeplane::text::diagnostic::nearest(name, known);
    near.map_or_else(
        || format!("there are {}", edgeplane::text::diagnostic::listed(known)),
        |near| format!("did you mean `{near}`?"),
    )
}

fn ability_of(asked: &Asked<'_>) -> Result<AbilityExplanation, Failure> {
    let Asked { game, args, .. } = asked;
    let ability = game.ability(asked.name)?;
    let (from, on) = match (&args.from, &args.on) {
        (Some(from), Some(on)) => (game.character(from)?, game.character(on)?),
        (Some(from), None) => chosen(asked, pair_for_ability(game.program(), ability, Some(game.character(from)?)))?,
        (None, Some(on)) => (chosen(asked, pair_for_ability(game.program(), ability, None))?.0, game.character(on)?),
        (None, None) => chosen(asked, pair_for_ability(game.program(), ability, None))?,
    };
    explain_ability_with(game.program(), ability, from, on, &beforehand(game, args)?).map_err(Failure::from)
}

/// The caster and the target that were chosen because they are not named.
fn chosen(asked: &Asked<'_>, pair: Option<(CharacterId, CharacterId)>) -> Result<(CharacterId, CharacterId), Failure> {
    let none = || Failure::Message(format!("there is no character with which `{}` could be explained", asked.name));
    pair.ok_or_else(none)
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
