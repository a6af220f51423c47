//! Rules in spreadsheets: export and import.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::demo;
use edgeplane::{Error, Game, Sources};

const RULES: &str = r#"
[attributes]
might = 10          # what blows are made of
hide = { per = "damage_type", base = 0 }
[pools]
health = { max = 40, defeat = true }
[damage_types]
blow = {}
chill = {}

[ability.hit]
does = [{ type = "blow", spread = 0.1 }]   # the amount stands in the sheet
[ability.hold]
cooldown = 3                               # seconds
does = [{ damage = "1 + might_of(2)", type = "chill" }]

[sheet.moves]
file = "moves.csv"
of = "ability"
[sheet.beasts]
file = "beasts.csv"
of = "character"
[sheet.growth]
file = "growth.csv"
of = "curve"

[encounter.bout]
sides.one = ["eel"]
sides.other = ["crab"]
time_limit = 30
"#;
const MOVES: &str = "name,cast,does.0.damage\nhit,0.2,\"3 + caster.might / 2\"\nhold,,\n";
const BEASTS: &str = "name,about,abilities,attributes.might,\"attributes.\"\"hide.chill\"\"\"\n\
    eel,\"long, and cold\",\"[\"\"hit\"\", \"\"hold\"\"]\",12,0.5\ncrab,,\"[\"\"hit\"\"]\",,\n";
const GROWTH: &str = "at,might_of,pace\n1,2,1\n5,10,\n9,,3\n";

fn sources() -> Sources {
    let mut sources = Sources::default();
    for (name, text) in [("rules.toml", RULES), ("moves.csv", MOVES), ("beasts.csv", BEASTS), ("growth.csv", GROWTH)] {
        sources.add(name, text);
    }
    sources
}

fn game() -> Game {
    Game::from_sources(sources(), &[]).unwrap()
}

#[test]
fn what_stands_in_a_sheet_is_a_rule_like_any_other() {
    let game = game();
    assert_eq!(game.written_at("character.eel.attributes.might").as_deref(), Some("12"));
    let fight = game.fight("bout", 1).unwrap();
    let eel = fight.setup().find_combatant("eel").unwrap();
    let might = game.program().find_attribute("might").unwrap();
    assert_eq!(fight.attribute(eel, might), 12.0);
    // The damage is in the sheet, its type and its spread in the rules.
    let rows = game.sheet("ability", &["does.0.damage".to_owned(), "does.0.type".to_owned()]).unwrap();
    assert_eq!(rows[1], ["hit", "3 + caster.might / 2", "blow"]);
    assert_eq!(rows[2], ["hold", "1 + might_of(2)", "chill"]);
    // Between two points of a curve its value is interpolated: 2 at 1, 10 at 5, so 4 at 2.
    let fight = game.fight("bout", 1).unwrap();
    let hold = game.ability("hold").unwrap();
    let mut log = edgeplane::Log::default();
    fight.clone().apply_effects(eel, hold, fight.setup().find_combatant("crab").unwrap(), &mut log).unwrap();
    let hit = log.events.iter().find_map(|logged| match logged.event {
        edgeplane::Event::Hit { initial, .. } => Some(initial),
        _ => None,
    });
    assert_eq!(hit, Some(5.0));
}

fn as_csv(rows: &[Vec<String>]) -> String {
    let cell = |text: &String| format!("\"{}\"", text.replace('"', "\"\""));
    rows.iter().map(|row| row.iter().map(cell).collect::<Vec<_>>().join(",") + "\n").collect()
}

#[test]
fn a_sheet_taken_back_as_it_is_changes_nothing() {
    for (game, sections) in [
        (game(), &["character", "ability", "curve"][..]),
        (demo(), &["character", "ability", "status", "gear", "zone", "point", "curve"]),
    ] {
        for section in sections {
            let rows = game.sheet(section, &[]).unwrap();
            assert!(rows.len() > 1, "{section}");
            let csv = as_csv(&rows);
            let taken = game.take_sheet(section, "back.csv", &csv).unwrap_or_else(|error| panic!("{section}: {error}"));
            assert!(taken.changes.is_empty() && taken.files.is_empty(), "{section}: {:?}", taken.changes);
        }
    }
}

#[test]
fn a_changed_cell_changes_its_value_wherever_it_stands_and_nothing_else() {
    let game = game();
    let taken = game.take_sheet("ability", "edit.csv", "name,cooldown,does.0.damage\nhold,4.5,\nhit,,7\n").unwrap();
    let changed: Vec<_> = taken.changes.iter().map(|change| (change.path.as_str(), change.after.as_str())).collect();
    assert_eq!(changed, [("ability.hold.cooldown", "4.5"), ("ability.hit.does.0.damage", "7")]);
    let [(toml, rules), (csv, moves)] = taken.files.as_slice() else { panic!("{:?}", taken.files) };
    assert_eq!((toml.to_str().unwrap(), csv.to_str().unwrap()), ("rules.toml", "moves.csv"));
    assert_eq!(*rules, RULES.replace("cooldown = 3  ", "cooldown = 4.5  "), "comments stay where they are");
    assert_eq!(*moves, MOVES.replace("\"3 + caster.might / 2\"", "7"));
    // A text stays a text, with the quotes that TOML and sheets need.
    let taken = game.take_sheet("ability", "edit.csv", "name,does.0.damage\nhold,\"2 * min(1, 2)\"\n").unwrap();
    assert!(taken.files[0].1.contains(r#"{ damage = "2 * min(1, 2)", type = "chill" }"#), "{}", taken.files[0].1);
    let taken = game.take_sheet("curve", "edit.csv", "at,might_of\n5,11\n1,2.0\n").unwrap();
    assert_eq!(taken.files, [("growth.csv".into(), GROWTH.replace("5,10,", "5,11,"))]);
}

#[test]
fn a_sheet_that_would_break_the_rules_is_refused_at_its_cell() {
    let game = game();
    let refused = |section: &str, csv: &str| match game.take_sheet(section, "edit.csv", csv) {
        Err(Error::Ruleset { sources, diagnostics }) => {
            let place = sources.place(diagnostics[0].labels[0].span);
            format!("{}:{}:{} {}", place.file, place.line, place.column, diagnostics[0].message)
        }
        other => panic!("{other:?}"),
    };
    assert_eq!(
        refused("ability", "name,cast,cooldwon\nhit,0.3,4\n"),
        "edit.csv:2:9 the files have no value at `ability.hit.cooldwon`"
    );
    assert_eq!(refused("curve", "at,might_of\n4,1\n"), "edit.csv:2:3 the files have no value at `curve.might_of at 4`");
    assert_eq!(
        refused("ability", "name,cast\nhit,0.3 +\n"),
        "moves.csv:2:10 expected a value before the end of the formula"
    );
    assert!(matches!(game.take_sheet("policies", "edit.csv", ""), Err(Error::Unknown { .. })));
    assert!(matches!(game.sheet("policies", &[]), Err(Error::Unknown { .. })));
}
