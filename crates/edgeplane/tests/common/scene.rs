//! An owner of statuses, and two combatants that apply them.

use edgeplane::fight::{Applied, Event, Fight, Log, Logged, Prevention};
use edgeplane::{CombatantId, Game, Silent, Time};

use super::game;

pub(crate) const OWNER: CombatantId = CombatantId(0);
pub(crate) const ONE: CombatantId = CombatantId(1);
pub(crate) const OTHER: CombatantId = CombatantId(2);

/// An owner, and two combatants that apply statuses to it. Nobody acts by itself.
pub(crate) fn scene(statuses: &str) -> Game {
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

/// A fight in which everyone waits for calls.
pub(crate) fn waiting(game: &Game) -> Fight {
    let mut fight = game.fight("scene", 1).unwrap();
    fight.setup().clone().ids().for_each(|who| fight.take_control(who).unwrap());
    fight.advance(Time::ZERO, &mut Silent).unwrap();
    fight
}

pub(crate) fn seconds(at: f64) -> Time {
    Time::from_seconds(at)
}

/// The events of statuses in short form: `2 tick, 6 expired`.
pub(crate) fn printed(log: &Log) -> String {
    let word = |logged: &Logged| {
        let what = match logged.event {
            Event::StatusGained { stacks, applied, .. } => match applied {
                Applied::New | Applied::Replaced => "new".to_owned(),
                Applied::Renewed => "renewed".to_owned(),
                Applied::Extended => "longer".to_owned(),
                Applied::Stacked => format!("x{stacks}"),
                other => panic!("{other:?}"),
            },
            Event::StatusPrevented { reason, .. } => Prevention::NAMES[reason.kind()].to_owned(),
            Event::StatusTicked { .. } => "tick".to_owned(),
            Event::StatusStacks { stacks, .. } => format!("x{stacks}"),
            Event::StatusLost { reason, .. } => reason.name().to_owned(),
            _ => return None,
        };
        Some(format!("{} {what}", logged.at.seconds()))
    };
    log.events.iter().filter_map(word).collect::<Vec<_>>().join(", ")
}

/// Applies a status to the owner at 0 s and advances time.
pub(crate) fn one_application(statuses: &str, status: &str, until: f64) -> (Game, Fight, Log) {
    let game = scene(statuses);
    let mut fight = waiting(&game);
    let mut log = Log::default();
    fight.apply_status(game.status(status).unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    fight.advance(seconds(until), &mut log).unwrap();
    (game, fight, log)
}

pub(crate) fn attribute(game: &Game, fight: &Fight, name: &str) -> f64 {
    fight.attribute(OWNER, game.program().find_attribute(name).unwrap())
}

pub(crate) fn health(game: &Game, fight: &Fight) -> f64 {
    fight.pool(OWNER, game.pool("health").unwrap())
}

/// Amounts taken from the owner, with their times.
pub(crate) fn hurt(log: &Log) -> Vec<(f64, f64)> {
    let hit = |logged: &Logged| match logged.event {
        Event::Hit { dealt, .. } => Some((logged.at.seconds(), dealt)),
        _ => None,
    };
    log.events.iter().filter_map(hit).collect()
}
