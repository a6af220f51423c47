//! A status bar: what a game draws beside a health bar, once per second of a fight of the demo. Icons are shown by
//! name, debuffs in brackets, and statuses about to end with an exclamation mark.
//!
//! `cargo run --release --example status_bar`

#![allow(clippy::print_stdout)]

use edgeplane::fight::HeldStatus;
use edgeplane::rules::StatusKind;
use edgeplane::{Error, Game, Silent, Time};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine");

/// One status as a small box: `waterlogged ×3 4.2 s`.
fn drawn(held: &HeldStatus) -> String {
    let stacks = if held.stacks > 1 { format!(" ×{}", held.stacks) } else { String::new() };
    let left = held.remaining.map_or_else(String::new, |seconds| format!(" {seconds:.1} s"));
    let soon = if held.expiring { "!" } else { "" };
    let shown = format!("{}{stacks}{left}{soon}", held.icon);
    if held.kind == StatusKind::Debuff { format!("[{shown}]") } else { shown }
}

fn main() -> Result<(), Error> {
    let game = Game::open(DEMO)?;
    let mut fight = game.fight("mill_race", 2)?;
    let who = game.combatant(&fight, "gatekeeper")?;
    let health = game.pool("health")?;
    for second in 0..=20_u64 {
        if fight.advance(Time(second * 1_000_000), &mut Silent)?.is_some() || !fight.stands(who) {
            break;
        }
        let (now, cap) = (fight.pool(who, health), fight.cap(who, health));
        let full = (20.0 * now / cap).round() as usize;
        // Gear and other hidden statuses are not shown to players; those with the longest remaining time come last.
        let mut held: Vec<HeldStatus> = fight.statuses(who)?.into_iter().filter(|one| !one.hidden).collect();
        held.sort_by(|a, b| a.remaining.unwrap_or(f64::MAX).total_cmp(&b.remaining.unwrap_or(f64::MAX)));
        let bar: Vec<String> = held.iter().map(drawn).collect();
        println!("{second:3} s  {:<20} {now:6.1}  {}", "█".repeat(full), bar.join("  "));
    }
    println!("\nand what the last of them says of itself:");
    for held in fight.statuses(who)?.iter().filter(|one| !one.text.is_empty()) {
        println!("  {}: {}", held.icon, held.text);
    }
    Ok(())
}
