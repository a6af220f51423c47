//! Laws that hold whatever a game does with a world on the ground: combatants come and go, are moved, hit, and
//! controlled by calls and by code, at any moment and in any order.

use crate::common::{game, seconds};
use crate::random_ground::{Dice, text};
use crate::random_rules::recipe;
use edgeplane::fight::{Controller, Decision, Event, Handle, Motion, View};
use edgeplane::program::Slot;
use edgeplane::{AbilityId, CharacterId, CombatantId, Fight, Game, Log, PoolId, SideId, StatusId, Time};
use proptest::prelude::*;

/// What the worlds have in addition to random rules.
const MORE: &str = r#"
[gear.boots]
slot = "feet"
modify = [{ attribute = "might", add = 1.5 }]
[gear.clogs]
slot = "feet"
modify = [{ attribute = "might", percent = -30 }]
[cause.storm]
does = [{ drain = "health", amount = "amount" }, { push = 2 }]
"#;

/// Rules of walkers, and rules with all kinds of statuses and effects.
fn rules() -> impl Strategy<Value = String> {
    let of_walkers = any::<u64>().prop_map(|seed| text(seed, false) + MORE);
    prop_oneof![of_walkers, recipe().prop_map(|recipe| recipe.text(false) + MORE)]
}

/// Its decisions depend on the moment and the combatant alone.
struct Fickle(usize);

impl Controller for Fickle {
    fn choose(&mut self, view: &View<'_>, who: CombatantId) -> Decision {
        let mut dice = Dice(view.now().0 ^ u64::from(who.0) << 40);
        dice.below(2);
        let ability = AbilityId(dice.below(self.0) as u16);
        match dice.below(5) {
            0 => Decision::Wait(None),
            1 => Decision::Wait(Some(Time(view.now().0 + dice.below(700_000) as u64))),
            2 => Decision::UseAt(ability, [dice.below(20) as f64, dice.below(10) as f64 - 5.0]),
            3 => Decision::Use(ability, view.enemies(who).next()),
            _ => Decision::Use(ability, None),
        }
    }
}

fn any_attribute(game: &Game, dice: &mut Dice) -> Slot {
    let attributes = game.program().attributes();
    game.program().find_attribute(&attributes[dice.below(attributes.len())].name).unwrap()
}

/// A world, those who were spawned in it, all its events, and what the calls returned.
struct World<'a> {
    game: &'a Game,
    fight: Fight,
    spawned: Vec<Handle>,
    log: Log,
    returned: Vec<String>,
}

impl World<'_> {
    fn advance(&mut self, until: Time) {
        let mut controller = Fickle(self.game.program().abilities().len());
        self.fight.advance_controlled(until, &mut controller, &mut self.log).unwrap();
    }

    /// One call, which may be about somebody who has left. `first` is the side that the game calls its first.
    fn call(&mut self, dice: &mut Dice, first: u16) {
        let Self { game, fight, spawned, log, returned } = self;
        let program = game.program();
        let at = [dice.below(200) as f64 / 10.0, dice.below(100) as f64 / 10.0 - 5.0];
        let pace = |dice: &mut Dice| [dice.below(9) as f64 - 4.0, dice.below(9) as f64 - 4.0];
        if spawned.len() < 3 || dice.one_in(12) && fight.present().count() < 12 {
            let character = CharacterId(dice.below(program.characters().len()) as u16);
            spawned.push(fight.spawn(character, SideId(dice.below(2) as u16 ^ first), at, log).unwrap());
            return;
        }
        let (one, other) = (dice.of(spawned), dice.of(spawned));
        let (Ok(who), Ok(whom)) = (fight.combatant(one), fight.combatant(other)) else { return };
        let own: Vec<AbilityId> = fight.abilities(who).collect();
        let any = AbilityId(dice.below(program.abilities().len()) as u16);
        let ability = if dice.one_in(4) { any } else { dice.of(&own) };
        let status = StatusId(dice.below(program.statuses().len()) as u16);
        let pool = PoolId(dice.below(program.pools().len()) as u16);
        let gear = game.gear(dice.of(&["boots", "clogs"])).unwrap();
        let slot = any_attribute(game, dice);
        let number = dice.of(&[0.0, 0.5, 1.0, 2.0, 3.0, 5.0, 20.0, 80.0]);
        returned.push(match dice.below(26) {
            0..3 => format!("{:?}", fight.use_ability(who, ability, Some(whom), log)),
            3..5 => format!("{:?}", fight.use_ability(who, ability, None, log)),
            5 => format!("{:?}", fight.use_ability_at(who, ability, at, log)),
            6 => format!("{:?}", fight.apply_status(status, who, whom, 1 + dice.below(3) as u32, log)),
            7 => format!("{:?}", fight.remove_status(status, who, log)),
            8 => format!("{:?}", fight.set_pool(who, pool, number)),
            9 => format!("{:?}", fight.set_base(who, slot, number, log)),
            10 => format!("{:?}", fight.apply_effects(who, ability, whom, log)),
            11 => format!("{:?}", fight.bring_about(game.cause("storm").unwrap(), Some(who), whom, number, log)),
            12 => format!("{:?}", fight.take_control(who)),
            13..15 => format!("{:?}", fight.walk(who, at, log)),
            15 => format!("{:?}", fight.stop(who, log)),
            16 => format!("{:?}", fight.cancel(who, log)),
            17 => format!("{:?}", fight.wear(who, gear, log)),
            18 => format!("{:?}", fight.take_off(who, gear, log)),
            19 => format!("{:?}", fight.despawn(one, log)),
            20 => format!("{:?}", fight.move_by_game(who)),
            21 => {
                let motions = [who, whom].map(|who| Motion { who, place: at, velocity: pace(dice) });
                format!("{:?}", fight.set_motions(&motions[usize::from(who == whom)..]))
            }
            22 => format!("{:?} {:?}", fight.release_control(who), fight.set_controller(who)),
            23 => format!("{:?} {:?}", fight.release_control(who), fight.move_by_policy(who)),
            24 => format!("{:?}", fight.set_facing(who, pace(dice))),
            _ => format!("{:?} {:?}", fight.release_control(who), fight.set_motion(who, at, pace(dice))),
        });
    }

    /// What a game reads for its display.
    fn read(&mut self, dice: &mut Dice) {
        let program = self.game.program();
        for who in self.fight.present().collect::<Vec<_>>() {
            let ability = AbilityId(dice.below(program.abilities().len()) as u16);
            self.fight.why_unavailable(who, ability).unwrap();
            self.fight.why_unavailable_on(who, ability, who).unwrap();
            self.fight.button(who, ability).unwrap();
            self.fight.statuses(who).unwrap();
            self.fight.contributions(who, any_attribute(self.game, dice)).unwrap();
        }
    }

    /// Advances in frames, with all that a game may do in between without consequences.
    fn play_frames(&mut self, until: Time, again: &Game, dice: &mut Dice) {
        let frame = Time(16_667);
        while self.fight.now() + frame < until && self.fight.ending().is_none() {
            self.advance(self.fight.now() + frame);
            self.read(dice);
            match dice.below(20) {
                // Rolled back after other calls.
                0 => {
                    let here = self.fight.snapshot();
                    let (spawned, log, returned) = (self.spawned.clone(), self.log.clone(), self.returned.clone());
                    for _ in 0..3 {
                        self.call(dice, 0);
                        self.advance(self.fight.now() + seconds(0.4));
                    }
                    self.fight.restore(&here).unwrap();
                    (self.spawned, self.log, self.returned) = (spawned, log, returned);
                }
                // Saved, loaded, and continued under the same rules.
                1 => {
                    self.fight = again.load(&self.fight.save()).unwrap();
                    assert_eq!(self.game.adopt(&mut self.fight).unwrap().lost().count(), 0);
                }
                _ => {}
            }
        }
    }
}

/// Half a minute of calls at odd moments, a few at each. With another game of the same rules, it is played in frames.
fn play<'a>(game: &'a Game, seed: u64, sides: [&str; 2], again: Option<&Game>) -> World<'a> {
    let fight = game.world_on_ground(&sides, seed);
    let mut world = World { game, fight, spawned: Vec::new(), log: Log::default(), returned: Vec::new() };
    let first = u16::from(sides[0] != "west");
    let (mut calls, mut others, mut at) = (Dice(seed ^ 77), Dice(seed ^ 99), Time::ZERO);
    for _ in 0..30 {
        for _ in 0..1 + calls.below(3) {
            world.call(&mut calls, first);
        }
        at = at + Time(calls.below(2_000_000) as u64);
        if let Some(again) = again {
            world.play_frames(at, again, &mut others);
        }
        world.advance(at);
    }
    world
}

const SIDES: [&str; 2] = ["west", "east"];

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, max_shrink_iters: 0, ..ProptestConfig::default() })]

    #[test]
    fn frames_reads_rollbacks_and_saves_change_nothing_in_a_world(rules in rules(), seed in any::<u64>()) {
        let [game, again] = [(); 2].map(|()| game(&rules));
        let (whole, framed) = (play(&game, seed, SIDES, None), play(&game, seed, SIDES, Some(&again)));
        prop_assert_eq!(framed.log.events.iter().zip(&whole.log.events).find(|(one, other)| one != other), None);
        prop_assert_eq!((framed.log.events.len(), framed.returned), (whole.log.events.len(), whole.returned));
    }

    #[test]
    fn which_side_of_a_world_is_named_first_decides_nothing(rules in rules(), seed in any::<u64>()) {
        let game = game(&rules);
        let (here, there) = (play(&game, seed, SIDES, None), play(&game, seed, ["east", "west"], None));
        let differ = here.log.events.iter().zip(&there.log.events).find(|(one, other)| one != other);
        // An effect may end a fight for one side.
        prop_assert_eq!(differ.filter(|(one, _)| !matches!(one.event, Event::Ended { .. })), None);
        prop_assert_eq!((here.log.events.len(), here.returned), (there.log.events.len(), there.returned));
    }

    #[test]
    fn the_defeated_of_a_world_do_nothing_and_pools_stay_within(rules in rules(), seed in any::<u64>()) {
        let game = game(&rules);
        let World { fight, log, .. } = play(&game, seed, SIDES, None);
        let mut gone = Vec::new();
        for logged in &log.events {
            match logged.event {
                Event::Used { caster, .. } => prop_assert!(!gone.contains(&caster), "{logged:?}"),
                Event::Defeated { who, .. } => gone.push(who),
                Event::Joined { who, .. } | Event::Revived { target: who, .. } => gone.retain(|one| *one != who),
                _ => {}
            }
        }
        for who in fight.present() {
            prop_assert!(fight.place(who).iter().all(|metres| metres.is_finite()));
            for pool in (0..game.program().pools().len()).map(|pool| PoolId(pool as u16)) {
                let (amount, cap) = (fight.pool(who, pool), fight.cap(who, pool));
                prop_assert!((0.0..=cap).contains(&amount), "{amount} of {cap}");
            }
        }
    }
}
