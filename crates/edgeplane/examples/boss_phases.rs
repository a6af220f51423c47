//! A boss with phases: when each begins over many fights, how long it lasts, and how often it decides the fight. The
//! phases are part of the demo's data; this example only observes.
//!
//! `cargo run --release --example boss_phases`

#![allow(clippy::print_stdout)]

use edgeplane::fight::seed_of_trial;
use edgeplane::program::StatusId;
use edgeplane::{CombatantId, Error, Event, Game, Observer, Time};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");
const FIGHTS: u64 = 2_000;
const PHASES: [&str; 3] = ["it comes", "it calls", "it grinds faster"];

/// Records when the phases of one fight begin.
struct Phases {
    boss: CombatantId,
    faster: StatusId,
    began: [Option<Time>; 3],
}

impl Observer for Phases {
    fn event(&mut self, at: Time, event: Event) {
        let phase = match event {
            Event::Joined { who, by: None } if who == self.boss => 0,
            Event::Joined { by: Some((caller, _)), .. } if caller == self.boss => 1,
            Event::StatusGained { target, status, .. } if target == self.boss && status == self.faster => 2,
            _ => return,
        };
        self.began[phase].get_or_insert(at);
    }
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len().max(1) as f64
}

fn main() -> Result<(), Error> {
    let game = Game::open(DEMO)?;
    let mut fight = game.fight("high_water", 0)?;
    let (boss, faster) = (game.combatant(&fight, "risen_miller")?, game.status("spring_tide")?);
    let (mut begins, mut lasts, mut lost_in) = ([const { Vec::new() }; 3], [const { Vec::new() }; 3], [0; 3]);
    for trial in 0..FIGHTS {
        fight.restart(seed_of_trial(1, trial));
        let mut phases = Phases { boss, faster, began: [None; 3] };
        let ending = fight.run(&mut phases)?;
        let reached: Vec<Time> = phases.began.iter().map_while(|at| *at).collect();
        for (phase, at) in reached.iter().enumerate() {
            begins[phase].push(at.seconds());
            let until = reached.get(phase + 1).copied().unwrap_or(fight.now());
            lasts[phase].push((until - *at).seconds());
        }
        // The keepers are the first side.
        if ending.winner().is_some_and(|side| side.index() == 1) && !reached.is_empty() {
            lost_in[reached.len() - 1] += 1;
        }
    }
    println!(
        "{FIGHTS} fights of high_water\n\n  phase               reached   begins   lasts   the keepers are defeated in it"
    );
    for (phase, name) in PHASES.iter().enumerate() {
        println!(
            "  {name:<18} {:>7.1} % {:>6.1} s {:>5.1} s {:>15.1} %",
            100.0 * begins[phase].len() as f64 / FIGHTS as f64,
            mean(&begins[phase]),
            mean(&lasts[phase]),
            100.0 * f64::from(lost_in[phase]) / FIGHTS as f64
        );
    }
    Ok(())
}
