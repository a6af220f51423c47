//! The effect of a number along its whole range, as CSV for a spreadsheet.
//!
//! `cargo run --release --example sweep_to_csv > heft.csv`

#![allow(clippy::print_stdout)]

use edgeplane::study::{Vary, run_sweep};
use edgeplane::{Error, Game, TrialsPlan};

const RULES: &str = include_str!("rulesets/small.toml");

fn main() -> Result<(), Error> {
    let game = Game::from_text("small.toml", RULES)?;
    let path = "character.silt_crab.attributes.heft".to_owned();
    let values = (10..=18).map(f64::from).collect();
    let heft = Vary { path, scales: false, values, step: Some(1.0) };
    let measures = ["win_rate(keepers)", "duration.p50", "damage_per_second(silt_crab)"];
    let plan = TrialsPlan { trials: 2_000, ..TrialsPlan::default() };
    let sweep = run_sweep(&game, "duel", &[heft], &measures, &plan, &|_| {})?;
    println!("heft,measure,value,low,high");
    for point in &sweep.points {
        for figure in &point.figures {
            let cell = |value: Option<f64>| value.map_or_else(String::new, |value| format!("{value:.4}"));
            let (value, low, high) = (cell(figure.value), cell(figure.low), cell(figure.high));
            println!("{},{},{value},{low},{high}", point.at[0], figure.measure);
        }
    }
    Ok(())
}
