//! How tough should the boss be, so that the keepers win seven of ten fights and the fight lasts nine seconds?
//!
//! `cargo run --release --example tune_a_boss`

#![allow(clippy::print_stdout)]

use edgeplane::study::{Goal, Vary, run_tuning};
use edgeplane::{Error, Game, TrialsPlan};

const RULES: &str = include_str!("rulesets/small.toml");

fn main() -> Result<(), Error> {
    let game = Game::from_text("small.toml", RULES)?;
    let vary = |text: &str| Vary::parse(text);
    let numbers =
        [vary("character.silt_crab.attributes.grit*=0.5..2"), vary("character.silt_crab.attributes.heft*=0.5..2")];
    let goals = [Goal::parse("win_rate(keepers) = 70% +- 3%"), Goal::parse("duration in 8.5..10")];
    // Both are constants here and known to be valid; a tool would report errors to its user.
    let (numbers, goals): (Vec<Vary>, Vec<Goal>) =
        (numbers.into_iter().flatten().collect(), goals.into_iter().flatten().collect());
    let plan = TrialsPlan { trials: 2_000, ..TrialsPlan::default() };
    let found = run_tuning(&game, "duel", &numbers, &goals, &plan.into(), &|_| {})?;
    println!("{}", if found.met { "All goals are met by" } else { "No values meet the goals; the nearest is" });
    for number in &found.numbers {
        println!("  {} × {:.3} (now {})", number.path, number.value, number.now);
    }
    for (goal, (before, after)) in found.goals.iter().zip(found.before.iter().zip(&found.after)) {
        let value = |figure: &edgeplane::Figure| figure.value.unwrap_or(f64::NAN);
        println!("  {goal}: {:.3} → {:.3}", value(before), value(after));
    }
    Ok(())
}
