//! Checks the expectations of a ruleset, as a build server would after every change.
//!
//! `cargo run --release --example balance_in_ci`; as a test of a game of one's own, the body of
//! `unmet_expectations` is all that is needed:
//!
//! ```no_run
//! #[test]
//! fn the_game_is_still_balanced() {
//!     assert_eq!(unmet_expectations("assets/rules").unwrap(), Vec::<String>::new());
//! }
//! ```

#![allow(clippy::print_stdout)]

use std::process::ExitCode;

use edgeplane::study::run_expectation;
use edgeplane::{Error, Game, TrialsPlan};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");

/// Every expectation that does not hold, one line each.
fn unmet_expectations(ruleset: &str) -> Result<Vec<String>, Error> {
    let game = Game::open(ruleset)?;
    let mut unmet = Vec::new();
    for rule in game.program().expectations() {
        let found = run_expectation(game.program(), rule, &TrialsPlan::default(), &|_| {})?;
        let value = found.figure.value.unwrap_or(f64::NAN);
        println!("{:40} in {:12} {value:8.3}  {:?}", found.that, found.encounter, found.verdict);
        if !found.verdict.holds() {
            unmet.push(format!("{} in {} is {value:.3}: {}", found.that, found.encounter, found.because));
        }
    }
    Ok(unmet)
}

fn main() -> Result<ExitCode, Error> {
    let unmet = unmet_expectations(DEMO)?;
    unmet.iter().for_each(|one| println!("{one}"));
    Ok(if unmet.is_empty() { ExitCode::SUCCESS } else { ExitCode::FAILURE })
}
