//! A fight in a game loop: 60 frames per second, one combatant controlled by the player, the other by its own policy,
//! and a moment that is rolled back.
//!
//! `cargo run --release --example in_a_game_loop`

#![allow(clippy::print_stdout)]

use edgeplane::fight::{Event, Observer};
use edgeplane::{Error, Game, Silent, Time};

const RULES: &str = include_str!("rulesets/small.toml");

/// What a game would show: here, the number of flashes of the screen.
#[derive(Default)]
struct Screen {
    hits: u32,
    damage: f64,
}

impl Observer for Screen {
    fn event(&mut self, _: Time, event: Event) {
        if let Event::Hit { dealt, .. } = event {
            self.hits += 1;
            self.damage += dealt;
        }
    }
}

fn main() -> Result<(), Error> {
    let game = Game::from_text("small.toml", RULES)?;
    let mut fight = game.fight("duel", 3)?;
    let player = game.combatant(&fight, "lockhand")?;
    let crab = game.combatant(&fight, "silt_crab")?;
    let (swing, shove) = (game.ability("swing")?, game.ability("shove")?);
    let health = game.pool("health")?;

    fight.take_control(player)?;
    let mut screen = Screen::default();
    let mut frame = 0;
    while fight.ending().is_none() {
        // The player's request; a refusal has a reason, and the time at which it ends if known.
        for ability in [shove, swing] {
            match fight.use_ability(player, ability, Some(crab), &mut Silent)? {
                Ok(()) => break,
                Err(reason) if frame % 120 == 0 => {
                    println!("frame {frame:4}: {} {reason:?}", game.program().ability(ability).name);
                }
                Err(_) => {}
            }
        }
        // 60 frames per second. Times are whole microseconds, so errors do not accumulate over frames.
        frame += 1;
        fight.advance(Time(frame * 1_000_000 / 60), &mut screen)?;
        if frame % 120 == 0 {
            println!(
                "frame {frame:4}: health {:5.1} against {:5.1}, swing ready at {:.2} s",
                fight.pool(player, health),
                fight.pool(crab, health),
                fight.ready_at(player, swing).unwrap_or_default().seconds()
            );
        }
    }
    println!(
        "{:?} after {:.2} s, {} hits for {:.1}",
        fight.ending(),
        fight.now().seconds(),
        screen.hits,
        screen.damage
    );

    // A snapshot contains the complete state: the same moment can be played twice.
    fight.restart(3);
    fight.advance(Time::from_seconds(3.0), &mut Silent)?;
    let moment = fight.snapshot();
    let first = fight.run(&mut Silent)?;
    fight.restore(&moment)?;
    let second = fight.run(&mut Silent)?;
    println!("from the same moment: {first:?} and {second:?}");
    assert_eq!(first, second);
    Ok(())
}
