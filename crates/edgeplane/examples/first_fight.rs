//! One fight, event by event.
//!
//! `cargo run --release --example first_fight`

#![allow(clippy::print_stdout)]

use edgeplane::fight::Event;
use edgeplane::{Error, Game};

const RULES: &str = include_str!("rulesets/small.toml");

fn main() -> Result<(), Error> {
    let game = Game::from_text("small.toml", RULES)?;
    let fight = game.fight("duel", 7)?;
    let name = |id: edgeplane::CombatantId| fight.label(id);
    let (ending, log) = game.play("duel", 7)?;

    for logged in &log.events {
        let at = logged.at.seconds();
        match logged.event {
            Event::Hit { caster, target, dealt, left, .. } => {
                println!("{at:6.2} s  {} hits {} for {dealt:.1}, {left:.1} left", name(caster), name(target));
            }
            Event::Healed { target, healed, .. } => println!("{at:6.2} s  {} heals {healed:.1}", name(target)),
            Event::Defeated { who, .. } => println!("{at:6.2} s  {} is defeated", name(who)),
            _ => {}
        }
    }
    println!("{}", ending.name());
    Ok(())
}
