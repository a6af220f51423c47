//! x
#![allow(missing_docs)]
pub mod text;
pub mod formula;
pub mod rules;
pub mod program;
pub mod fight;
pub mod study;
mod error;
mod game;
pub use error::Error;
pub use game::Game;
pub use program::Time;
pub use text::Sources;
pub use fight::Silent;
