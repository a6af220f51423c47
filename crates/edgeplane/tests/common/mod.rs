//! Helpers for tests that write a ruleset and check its results.
#![allow(dead_code)]

pub(crate) mod bout;
pub(crate) mod scene;

use std::sync::Arc;

use edgeplane::fight::{Event, Likely, Logged, Observer, Recorded};
use edgeplane::{CombatantId, Fight, Game, Log, Setup, Time};

pub(crate) const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/weir-nine");

pub(crate) const LOCK_HOUSE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/lock-house");

pub(crate) const TIDE_MILL: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../../demo/tide-mill");

pub(crate) const ONE: CombatantId = CombatantId(0);
pub(crate) const OTHER: CombatantId = CombatantId(1);

pub(crate) fn demo() -> Game {
    Game::open(DEMO).unwrap()
}

pub(crate) fn game(text: &str) -> Game {
    Game::from_text("test.toml", text).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

/// A duel of `one` and `other` with these draws.
pub(crate) fn duel(text: &str, answers: &[f64]) -> Fight<Recorded> {
    let game = game(text);
    let sides = ["one", "other"].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
    let setup = Arc::new(Setup::between(game.program(), &sides));
    Fight::with_chance(setup, Recorded::new(answers.to_vec()), 0)
}

/// The same with every draw having its more likely outcome.
pub(crate) fn likely_duel(text: &str) -> Fight<Likely> {
    let game = game(text);
    let sides = ["one", "other"].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
    Fight::with_chance(Arc::new(Setup::between(game.program(), &sides)), Likely, 0)
}

/// The effects of a named ability, used by `one` on `other`.
pub(crate) fn brought_about(text: &str, ability: &str, answers: &[f64]) -> Vec<Event> {
    let mut fight = duel(text, answers);
    let ability = fight.setup().program().find_ability(ability).unwrap();
    let mut log = Log::default();
    fight.apply_effects(ONE, ability, OTHER, &mut log).unwrap();
    log.events.iter().map(|logged| logged.event).filter(|event| !matches!(event, Event::Began)).collect()
}

/// The times (in microseconds) of the events selected by `pick`.
pub(crate) fn moments(log: &Log, pick: impl Fn(&Event) -> bool) -> Vec<u64> {
    log.events.iter().filter(|logged| pick(&logged.event)).map(|logged| logged.at.0).collect()
}

pub(crate) fn seconds(seconds: f64) -> Time {
    Time::from_seconds(seconds)
}

/// The events, without evaluations.
pub(crate) fn happened(log: &Log) -> Vec<Logged> {
    let looks =
        |event: &Event| matches!(event, Event::Unavailable { .. } | Event::Available { .. } | Event::Waits { .. });
    log.events.iter().filter(|logged| !looks(&logged.event)).copied().collect()
}

/// Requests all details, so that nothing can be left out, and keeps what other observers would see.
#[derive(Default)]
pub(crate) struct Careful(pub(crate) Log);

impl Observer for Careful {
    fn wants(&self) -> edgeplane::fight::EventMask {
        edgeplane::fight::EventMask::DETAIL
    }

    fn event(&mut self, at: Time, event: Event) {
        if !matches!(event, Event::Stepped { .. }) {
            self.0.event(at, event);
        }
    }
}

/// FNV-1a of a text, equal on every machine.
pub(crate) fn fingerprint(text: &str) -> u64 {
    text.bytes().fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3))
}
