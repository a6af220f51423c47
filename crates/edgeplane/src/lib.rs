//! Combat rules as data, and an engine that simulates them.
//!
//! A gameplay programmer writes attributes, damage formulas, resistances, costs and cooldowns as a
//! **ruleset** of TOML files with a small formula language. Edgeplane checks it, reports what is wrong
//! and where, and then simulates **fights**: one inside a game loop, or millions in a study.
//!
//! ```
//! use edgeplane::Game;
//!
//! let game = Game::from_text("duel.toml", r#"
//!     [attributes]
//!     heft = 10
//!
//!     [pools]
//!     health = { max = 80, defeat = true }
//!
//!     [ability.swing]
//!     cooldown = 1.5
//!     does = [{ damage = "4 + dice(2, 6) + caster.heft * 0.3" }]
//!
//!     [character.lockhand]
//!     abilities = ["swing"]
//!
//!     [encounter.mirror]
//!     sides.east = ["lockhand"]
//!     sides.west = ["lockhand"]
//! "#)?;
//!
//! let trials = game.trials("mirror", &Default::default())?;
//! println!("east wins {:.1} % of {} fights", 100.0 * trials.sides[0].win_rate.value, trials.trials);
//! # assert!(trials.sides[0].win_rate.low < 0.5);
//! # Ok::<(), edgeplane::Error>(())
//! ```
//!
//! # Goals, most important first
//! 1. Nothing fails silently: an error in the data is reported with its location, a reason and help.
//! 2. The same ruleset, encounter and seed give the same bytes, on any number of threads.
//! 3. Every number can be explained.
//! 4. A question about balance is answered in seconds.
//!
//! # Architecture
//! [`text`] → [`rules`] (with [`formula`]) → [`program`] → [`fight`] → [`measures`] → [`study`]. Each module takes the
//! result of the previous one. [`Game`] combines all of them.

// Without studies and files, the parts that only they need are unused.
#![cfg_attr(not(all(feature = "study", feature = "files")), allow(dead_code))]

mod error;
pub mod fight;
pub mod formula;
mod game;
pub mod measures;
mod numbers;
pub mod program;
pub mod rules;
#[cfg(feature = "files")]
mod sheet;
#[cfg(feature = "study")]
pub mod study;
pub mod text;

pub use error::Error;
pub use fight::{
    Ending, Event, EventKind, EventMask, Fight, Log, Observer, Sampler, Silent, Source, UnavailableReason,
};
pub use game::{Edit, Game};
pub use measures::Measure;
pub use program::{AbilityId, CharacterId, CombatantId, EncounterId, PoolId, Program, Setup, SideId, StatusId, Time};
#[cfg(feature = "files")]
pub use sheet::{SheetChange, SheetChanges};
#[cfg(feature = "study")]
pub use study::{Figure, Trials, TrialsPlan};
pub use text::{Diagnostic, Override, Sources};

/// A small ruleset for the examples in this documentation.
#[doc(hidden)]
pub fn example_text() -> &'static str {
    include_str!("../examples/rulesets/small.toml")
}

/// The examples of the guide's chapter for games, compiled and run as tests.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/guide/20-in-your-game.md")]
#[derive(Debug)]
pub struct InYourGame;
