//! Statuses: what a second application does, ticks, ends, modifiers, control.

#![allow(clippy::unwrap_used, missing_docs)]

mod common;

use common::game;
use edgeplane::fight::{Applied, Event, Fight, Log, Logged, StatusRefusal};
use edgeplane::program::LostReason;
use edgeplane::{CombatantId, Game, Silent, Time};

const OWNER: CombatantId = CombatantId(0);
const ONE: CombatantId = CombatantId(1);
const OTHER: CombatantId = CombatantId(2);

/// An owner, and two who inflict things on it. Nobody acts by itself.
fn scene(statuses: &str) -> Game {
    game(&format!(
        r#"
        [attributes]
        might = 10
        guard = {{ base = 20, min = 0, max = 100 }}
        twice = "2 * guard"
        resist = {{ per = "damage_type", base = 0 }}
        [pools]
        health = {{ max = 100, defeat = true }}
        spirit = {{ max = "50 + guard" }}
        [damage_types]
        blow = {{}}
        cold = {{}}
        {statuses}
        [character.owner]
        abilities = []
        [character.caster]
        abilities = []
        [encounter.scene]
        sides.owners = ["owner"]
        sides.casters = [{{ character = "caster", count = 2 }}]
        "#
    ))
}

/// A fight in which everyone waits to be told.
fn waiting(game: &Game) -> Fight {
    let mut fight = game.fight("scene", 1).unwrap();
    fight.setup().clone().ids().for_each(|who| fight.take_control(who));
    fight.advance(Time::ZERO, &mut Silent).unwrap();
    fight
}

fn seconds(at: f64) -> Time {
    Time::from_seconds(at)
}

/// What was told of statuses, in short: `2 tick, 6 expired`.
fn told(log: &Log) -> String {
    let word = |logged: &Logged| {
        let what = match logged.event {
            Event::StatusGained { stacks, applied, .. } => match applied {
                Applied::New | Applied::Replaced => "new".to_owned(),
                Applied::Renewed => "renewed".to_owned(),
                Applied::Extended => "longer".to_owned(),
                Applied::Stacked => format!("x{stacks}"),
            },
            Event::StatusRefused { reason, .. } => StatusRefusal::NAMES[reason.kind()].to_owned(),
            Event::StatusTicked { .. } => "tick".to_owned(),
            Event::StatusStacks { stacks, .. } => format!("x{stacks}"),
            Event::StatusLost { reason, .. } => reason.name().to_owned(),
            _ => return None,
        };
        Some(format!("{} {what}", logged.at.seconds()))
    };
    log.events.iter().filter_map(word).collect::<Vec<_>>().join(", ")
}

/// Three applications, at 0, 2 and 5 s, the second by another caster, and what came of them.
fn three_applications(keys: &str) -> String {
    let game = scene(&format!("[status.soaked]\nduration = 6\n{keys}"));
    let status = game.status("soaked").unwrap();
    let mut fight = waiting(&game);
    let mut log = Log::default();
    for (at, caster) in [(0.0, ONE), (2.0, OTHER), (5.0, ONE)] {
        fight.advance(seconds(at), &mut log).unwrap();
        fight.inflict(status, caster, OWNER, 1, &mut log).unwrap();
    }
    fight.advance(seconds(60.0), &mut log).unwrap();
    told(&log)
}

#[test]
fn three_applications_under_every_policy() {
    let table = include_str!("cases/again.txt");
    let mut failed = String::new();
    let rows = table.lines().filter(|line| !line.is_empty() && !line.starts_with('#'));
    let mut checked = 0;
    for row in rows {
        let (keys, wanted) = row.split_once('|').unwrap();
        let words: Vec<&str> = keys.split_whitespace().collect();
        let [again, timer, per, rhythm] = words[..] else { panic!("{row}") };
        let timer = if timer == "-" { String::new() } else { format!("stack_timer = \"{timer}\"\n") };
        let rank = if again == "strongest" { "rank = 1\n" } else { "" };
        let text = format!(
            "again = \"{again}\"\nper = \"{per}\"\n{timer}{rank}every = {{ period = 2, rhythm = \"{rhythm}\", does = [] }}\n"
        );
        let found = three_applications(&text);
        if found != wanted.trim() {
            failed.push_str(&format!("{keys}\n  wanted {}\n  found  {found}\n", wanted.trim()));
        }
        checked += 1;
    }
    assert!(failed.is_empty(), "{failed}");
    assert_eq!(checked, 36, "every combination has a row");
}
