//! Driving a fight from outside: initial state, state carried between fights, the script of the encounter, controllers,
//! and calls of a game.

pub(super) mod adopt;
mod beginning;
pub(super) mod buttons;
pub(super) mod calls;
pub(super) mod carry;
pub(super) mod control;
mod functions;
mod places;
pub(super) mod reading;
#[cfg(feature = "serde")]
pub(super) mod save;
mod script;
pub(super) mod world;
