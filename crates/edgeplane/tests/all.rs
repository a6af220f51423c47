//! All integration tests in one binary, so that the engine is compiled and linked for them once instead of thirty
//! times.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)]
// Tests may use what is forbidden in the core, whose bytes must be the same everywhere.
#![allow(clippy::disallowed_methods)]

mod common;

#[path = "abilities.rs"]
mod abilities;

#[path = "adopt.rs"]
mod adopt;

#[path = "play.rs"]
mod play;

#[path = "for_games.rs"]
mod for_games;

#[path = "thresholds.rs"]
mod thresholds;

#[path = "triggers.rs"]
mod triggers;

#[path = "turns.rs"]
mod turns;

#[path = "areas.rs"]
mod areas;

#[path = "beginnings.rs"]
mod beginnings;

#[path = "chance.rs"]
mod chance;

#[path = "choosing.rs"]
mod choosing;

#[path = "control.rs"]
mod control;

#[path = "coverage.rs"]
mod coverage;

#[path = "demo_statuses.rs"]
mod demo_statuses;

#[path = "diagnostics.rs"]
mod diagnostics;

#[path = "edges.rs"]
mod edges;

#[path = "extends.rs"]
mod extends;

#[path = "fights.rs"]
mod fights;

#[path = "figures.rs"]
mod figures;

#[path = "formulas.rs"]
mod formulas;

#[path = "gear.rs"]
mod gear;

#[path = "ground.rs"]
mod ground;

#[path = "hands.rs"]
mod hands;

#[path = "hard_cases.rs"]
mod hard_cases;
#[path = "kites.rs"]
mod kites;

#[path = "laws.rs"]
mod laws;
#[path = "leads.rs"]
mod leads;

#[path = "controllers.rs"]
mod controllers;

#[path = "levels.rs"]
mod levels;

#[path = "limits.rs"]
mod limits;

#[path = "measures.rs"]
mod measures;

#[path = "native.rs"]
mod native;

#[path = "policies.rs"]
mod policies;

#[path = "driven.rs"]
mod driven;

#[path = "random_ground.rs"]
mod random_ground;

#[path = "random_rules.rs"]
mod random_rules;

#[path = "rules.rs"]
mod rules;

#[path = "script.rs"]
mod script;

#[path = "sheets.rs"]
mod sheets;
#[path = "signals.rs"]
mod signals;

#[path = "status_model.rs"]
mod status_model;

#[path = "status_steps.rs"]
mod status_steps;

#[path = "statuses.rs"]
mod statuses;

#[path = "studies.rs"]
mod studies;

#[path = "study.rs"]
mod study;

#[path = "sustain.rs"]
mod sustain;

#[path = "targets.rs"]
mod targets;

#[path = "threat.rs"]
mod threat;

#[path = "tuning.rs"]
mod tuning;

#[path = "variants.rs"]
mod variants;

#[path = "zones.rs"]
mod zones;

#[path = "ways.rs"]
mod ways;
mod wishes;

#[path = "worked.rs"]
mod worked;

#[path = "world.rs"]
mod world;

#[path = "places.rs"]
mod places;

#[path = "hostile/mod.rs"]
mod hostile;
