//! A policy written in Rust: a lampwright that plans ahead, compared with the policy of the ruleset.
//!
//! `cargo run --release --example custom_policy`

#![allow(clippy::print_stdout)]

use edgeplane::fight::{Controller, Decision, View};
use edgeplane::study::share_of;
use edgeplane::{AbilityId, CombatantId, Game, PoolId, Silent};

/// Keeps one portion of oil for a flare that defeats a target, and heals whoever has lost most before it is too late.
struct Careful {
    health: PoolId,
    oil: PoolId,
    bandage: AbilityId,
    flare: AbilityId,
    lantern: AbilityId,
}

impl Careful {
    fn of(game: &Game) -> Result<Self, edgeplane::Error> {
        let ability = |name: &str| game.ability(name);
        Ok(Self {
            health: game.pool("health")?,
            oil: game.pool("oil")?,
            bandage: ability("bandage")?,
            flare: ability("flare")?,
            lantern: ability("lantern")?,
        })
    }

    /// The combatant of a side with the lowest value.
    fn least(list: impl Iterator<Item = CombatantId>, of: impl Fn(CombatantId) -> f64) -> Option<CombatantId> {
        list.min_by(|a, b| of(*a).total_cmp(&of(*b)))
    }
}

impl Controller for Careful {
    fn choose(&mut self, view: &View<'_>, who: CombatantId) -> Decision {
        let ready = |ability| view.ready_at(who, ability).is_some_and(|ready| ready <= view.now());
        let left = |one| view.share(one, self.health);
        if let Some(worst) = Self::least(view.allies(who), left)
            && left(worst) < 0.55
            && ready(self.bandage)
        {
            return Decision::Use(self.bandage, Some(worst));
        }
        let weakest = Self::least(view.enemies(who), |one| view.pool(one, self.health));
        let oil = view.pool(who, self.oil);
        if let Some(weakest) = weakest
            && ready(self.flare)
            && (oil >= 2.0 || view.pool(weakest, self.health) < 22.0)
        {
            return Decision::Use(self.flare, Some(weakest));
        }
        if oil >= 2.0 && ready(self.lantern) { Decision::Use(self.lantern, None) } else { Decision::Wait(None) }
    }
}

fn main() -> Result<(), edgeplane::Error> {
    let game = Game::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/weir-nine"))?;
    let mut controller = Careful::of(&game)?;
    let fights = 2_000;
    println!("mill_race, {fights} fights each, on the same seeds");
    for (name, controlled) in [("the ruleset's policy", false), ("code", true)] {
        let mut fight = game.fight("mill_race", 1)?;
        let lampwright = game.combatant(&fight, "lampwright")?;
        if controlled {
            fight.set_controller(lampwright)?;
        }
        let mut won = 0;
        for seed in 0..fights {
            fight.restart(seed);
            let ending = fight.run_controlled(&mut controller, &mut Silent)?;
            won += u64::from(ending.winner().is_some_and(|side| fight.setup().sides[side.index()] == "keepers"));
        }
        let share = share_of(won, fights);
        println!(
            "  {name:<22} keepers win {:.1} % (95 %: {:.1} to {:.1})",
            share.value * 100.0,
            share.low * 100.0,
            share.high * 100.0
        );
    }
    Ok(())
}
