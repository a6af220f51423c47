//! Who wins, and how does a number change that?
//!
//! `cargo run --release --example who_wins`

#![allow(clippy::print_stdout)]

use edgeplane::{Error, Game, Override, Sources, TrialsPlan};

const RULES: &str = include_str!("rulesets/small.toml");

fn main() -> Result<(), Error> {
    let plan = TrialsPlan { trials: 20_000, ..TrialsPlan::default() };
    println!("heft   keepers win        95 % interval    median duration");
    for heft in [13, 14, 15, 16] {
        let path = "character.silt_crab.attributes.heft".to_owned();
        let set = Override { path, value: heft.to_string() };
        let game = Game::from_sources(Sources::from_text("small.toml", RULES), &[set])?;
        let trials = game.trials("duel", &plan)?;
        let (wins, median) = (&trials.sides[0].win_rate, &trials.duration_quantiles[2]);
        println!(
            "{heft:4} {:12.1} % {:9.1} – {:.1} % {:14.2} s",
            wins.value * 100.0,
            wins.low * 100.0,
            wins.high * 100.0,
            median.value
        );
    }
    Ok(())
}
