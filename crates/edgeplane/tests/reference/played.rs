//! The worlds as played by the engine, with the calls of a game.

use edgeplane::fight::{Fight, FightErrorKind, Log, RandomSource};
use edgeplane::program::Layout;
use edgeplane::{AbilityId, CombatantId, Game, PoolId, SideId, Time};

use crate::calls::{Base, Call};
use crate::text;
use crate::world::World;

pub(super) fn game(text: &str) -> Game {
    Game::from_text("test.toml", text).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

pub(super) fn answer_gusts<C: RandomSource>(fight: &mut Fight<C>) {
    fight.set_function("gust", |asked| 1.5 * asked.args[0] + f64::from(asked.caster.0)).unwrap();
}

/// Whether the fight ends; a world in which a moment never ends does not.
pub(super) fn play<C: RandomSource>(world: &World, game: &Game, fight: &mut Fight<C>, log: &mut Log) -> bool {
    answer_gusts(fight);
    world.before.iter().for_each(|call| make(game, call, fight, log));
    for (at, call) in &world.calls {
        match go_on(world, fight, Time(*at), log) {
            Some(true) => make(game, call, fight, log),
            Some(false) => return true,
            None => return false,
        }
    }
    go_on(world, fight, Time::NEVER, log).is_some()
}

/// Advances to a time; returns whether the fight continues, or `None` if a moment never ends.
pub(super) fn go_on<C: RandomSource>(world: &World, fight: &mut Fight<C>, at: Time, log: &mut Log) -> Option<bool> {
    match if at == Time::NEVER { fight.run(log).map(Some) } else { fight.advance(at, log) } {
        Ok(ending) => Some(ending.is_none()),
        Err(error) => match error.kind {
            FightErrorKind::Endless { .. } | FightErrorKind::Edges { .. } => None,
            _ => panic!("{error}\n{:?}\n{}", world.calls, text::text(world)),
        },
    }
}

pub(super) fn make<C: RandomSource>(game: &Game, call: &Call, fight: &mut Fight<C>, log: &mut Log) {
    let id = |who: usize| CombatantId(who as u16);
    let gear = |piece: usize| game.gear(&format!("g{piece}")).unwrap();
    let status = |status: usize| game.status(&format!("s{status}")).unwrap();
    let ability = |ability: usize| -> AbilityId { game.ability(&format!("a{ability}")).unwrap() };
    let pool = |pool: usize| -> PoolId { game.pool(["health", "wind", "shell"][pool]).unwrap() };
    let attribute = |name: &str| game.program().find_attribute(name).unwrap();
    if call.last() >= fight.setup().combatants.len() {
        return;
    }
    match *call {
        Call::Apply(which, caster, target) => {
            let _ = fight.apply_status(status(which), id(caster), id(target), 1, log).unwrap();
        }
        Call::Remove(which, target) => _ = fight.remove_status(status(which), id(target), log).unwrap(),
        Call::Pool(who, of, amount) => fight.set_pool(id(who), pool(of), amount).unwrap(),
        Call::Cause(by, target, amount) => {
            fight.bring_about(game.cause("flood").unwrap(), Some(id(by)), id(target), amount, log).unwrap();
        }
        Call::Wear(who, piece) => fight.wear(id(who), gear(piece), log).unwrap(),
        Call::TakeOff(who, piece) => fight.take_off(id(who), gear(piece), log).unwrap(),
        Call::Use(who, which, target) => {
            let _ = fight.use_ability(id(who), ability(which), target.map(id), log).unwrap();
        }
        Call::Effects(who, which, target) => {
            fight.apply_effects(id(who), ability(which), id(target), log).unwrap();
        }
        Call::Cancel(who) => _ = fight.cancel(id(who), log).unwrap(),
        Call::Stop(who) => _ = fight.stop(id(who), log).unwrap(),
        Call::KeepOut(who) => _ = fight.keep_out(id(who)),
        Call::Despawn(who) => {
            // A despawned combatant has no handle.
            let handle = fight.handle(id(who));
            let _ = fight.despawn(handle, log);
        }
        Call::Spawn(character, side, place) => {
            // If there are walkers, they are on the first side.
            let walker = (side == 0).then(|| game.character(&format!("w{character}")).ok()).flatten();
            let character = walker.unwrap_or_else(|| game.character(&format!("c{character}")).unwrap());
            fight.spawn(character, SideId(side as u16), place, log).unwrap();
        }
        Call::Control(who, true) => fight.take_control(id(who)).unwrap(),
        Call::Control(who, false) => fight.release_control(id(who)).unwrap(),
        Call::Base(who, of, base) => {
            let slot = match of {
                Base::Level => Layout::LEVEL,
                Base::Might => attribute("might"),
                Base::Vigour => attribute("vigour"),
            };
            fight.set_base(id(who), slot, base, log).unwrap();
        }
        Call::Place(who, place) => fight.set_motion(id(who), place, [0.0; 2]).unwrap(),
    }
}
