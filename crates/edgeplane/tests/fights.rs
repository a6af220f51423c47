//! Fights worked by hand, as data: every file under `cases/fights` is a ruleset with an encounter `it`, and ends with
//! its expected events, one line each: `#! seconds who what`.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::fs;

use edgeplane::fight::{Event, Logged};
use edgeplane::program::plain;
use edgeplane::{CombatantId, Game, PoolId, Setup};

/// An event in one line; `None` for intermediate events.
fn printed(setup: &Setup, logged: &Logged) -> Option<String> {
    let program = setup.program();
    let who = |id: CombatantId| setup.combatants[id.index()].label.as_str();
    let pool = |id: PoolId| program.pools()[id.index()].name.as_str();
    let ability = |id: edgeplane::AbilityId| program.ability(id).name.as_str();
    let line = match logged.event {
        Event::Used { caster, ability: id, release, .. } => {
            let release =
                if release > logged.at { format!(" until {}", plain(release.seconds())) } else { String::new() };
            format!("{} uses {}{release}", who(caster), ability(id))
        }
        Event::Hit { caster, target, dealt, over, left, stopped, .. } => {
            let stop = stopped.map_or(String::new(), |step| format!(", {}", program.hit_steps()[step.index()].name));
            let over = if over > 0.0 { format!(", {} over", plain(over)) } else { String::new() };
            format!("{} hits {} for {}{over}{stop}: {} left", who(caster), who(target), plain(dealt), plain(left))
        }
        Event::Soaked { target, pool: id, amount, left, .. } => {
            format!("{} of {} takes {}: {} left", pool(id), who(target), plain(amount), plain(left))
        }
        Event::Healed { caster, target, healed, over, left, .. } => {
            let over = if over > 0.0 { format!(", {} over", plain(over)) } else { String::new() };
            format!("{} heals {} by {}{over}: {} left", who(caster), who(target), plain(healed), plain(left))
        }
        Event::Restored { target, pool: id, gained, left, .. } => {
            format!("{} of {} gains {}: {} left", pool(id), who(target), plain(gained), plain(left))
        }
        Event::Drained { target, pool: id, taken, left, .. } => {
            format!("{} of {} loses {}: {} left", pool(id), who(target), plain(taken), plain(left))
        }
        Event::Lost { caster, ability: id } => format!("{} finds nobody for {}", who(caster), ability(id)),
        Event::Learned { who: id, amount, .. } => format!("{} learns {}", who(id), plain(amount)),
        Event::LevelGained { who: id, level } => format!("{} reaches level {}", who(id), plain(level)),
        Event::Revived { target, caster, .. } => format!("{} brings {} back", who(caster), who(target)),
        Event::SideChanged { who: id, side } => {
            format!("{} is on the side of {}", who(id), setup.sides[usize::from(side.0)])
        }
        Event::Defeated { who: id, .. } => format!("{} falls", who(id)),
        Event::Ended { ending } => format!("it ends: {}", ending.name().replace('_', " ")),
        _ => return None,
    };
    Some(format!("#! {} {line}", plain(logged.at.seconds())))
}

#[test]
fn every_fight_goes_as_it_was_worked_by_hand() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/cases/fights");
    let mut paths: Vec<_> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.sort();
    let mut wrong = Vec::new();
    for path in &paths {
        let text = fs::read_to_string(path).unwrap();
        let mut expected: Vec<&str> = text.lines().filter(|line| line.starts_with("#!")).collect();
        let game = Game::open(path).unwrap_or_else(|error| panic!("{error}"));
        let setup = game.fight("it", 1).unwrap().setup().clone();
        let (_, log) = game.play("it", 1).unwrap();
        let mut found: Vec<String> = log.events.iter().filter_map(|logged| printed(&setup, logged)).collect();
        // The order within one moment is decided by tie-breaks and cannot be known by hand.
        expected.sort_unstable();
        found.sort_unstable();
        if found != expected {
            wrong.push(format!("{}\n  expected {expected:#?}\n  found {found:#?}", path.display()));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(paths.len() >= 6, "only {} fights were walked", paths.len());
}
