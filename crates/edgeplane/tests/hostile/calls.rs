//! The calls of a game in any order.

use std::sync::OnceLock;

use edgeplane::{Fight, Game, Log, Time};

use super::edits::{Bytes, NUMBERS, seeds};
use super::{LIMITS, begins, open, pools_are_within};

/// Calls in any order, with any numbers and ids, are done or refused. Looking ahead and saving on the way have no
/// effect. Returns how many events there were.
pub fn calls(data: &[u8]) -> usize {
    let Some((first, rest)) = data.split_first() else { return 0 };
    static GAMES: OnceLock<Vec<Game>> = OnceLock::new();
    let games = GAMES.get_or_init(|| seeds().rulesets.iter().filter_map(|files| open(files).ok()).collect());
    let game = &games[usize::from(*first) % games.len()];
    let (plain, with_looks) = (called(game, &mut Bytes(rest), false), called(game, &mut Bytes(rest), true));
    let (Some(plain), Some(with_looks)) = (plain, with_looks) else { return 0 };
    let differ = plain.events.iter().zip(&with_looks.events).find(|(one, other)| one != other);
    assert!(differ.is_none(), "{differ:?}");
    assert_eq!(plain.events.len(), with_looks.events.len());
    plain.events.len()
}

fn called(game: &Game, bytes: &mut Bytes, looks: bool) -> Option<Log> {
    let (kind, seed) = (bytes.next(), bytes.next() as u64);
    let encounters = game.program().encounters();
    let mut fight = match encounters.get(kind % (encounters.len() + 1)) {
        Some(encounter) => begins(game, &encounter.name, seed)?,
        None => game.world_on_ground(&["a", "b"], seed).with_limits(LIMITS),
    };
    let mut log = Log::default();
    let mut number = 0;
    while !bytes.is_empty() && number < 60 {
        number += 1;
        if looks && number % 5 == 0 {
            let here = fight.snapshot();
            let _ = fight.advance(fight.now() + Time::from_seconds(0.9), &mut Log::default());
            fight.restore(&here).unwrap();
        }
        if looks && number % 11 == 0 && fight.ending().is_none() {
            let saved = serde_json::to_string(&fight.save()).unwrap();
            fight = game.load(&serde_json::from_str(&saved).unwrap()).unwrap().with_limits(LIMITS);
        }
        call(&mut fight, bytes, &mut log);
        pools_are_within(&fight);
    }
    let _ = fight.run(&mut log);
    pools_are_within(&fight);
    Some(log)
}

/// One call.
fn call(fight: &mut Fight, bytes: &mut Bytes, log: &mut Log) {
    use edgeplane::program::{CauseId, GearId, Motion, Slot};
    use edgeplane::{AbilityId, CharacterId, CombatantId, PoolId, SideId, StatusId};
    // Occasionally an id that is one too large.
    fn of(bytes: &mut Bytes, count: usize) -> u16 {
        (bytes.next() % (count + 1)) as u16
    }
    let setup = fight.setup().clone();
    let program = setup.program();
    let who = |bytes: &mut Bytes| CombatantId(of(bytes, setup.combatants.len()));
    let any = |bytes: &mut Bytes| {
        let text = [NUMBERS.as_slice(), &["nan", "-inf", "3", "7", "12"]].concat()[bytes.next() % (NUMBERS.len() + 5)];
        text.parse::<f64>().unwrap()
    };
    let ability = |bytes: &mut Bytes| AbilityId(of(bytes, program.abilities().len()));
    let status = |bytes: &mut Bytes| StatusId(of(bytes, program.statuses().len()));
    let place = |bytes: &mut Bytes| [any(bytes), any(bytes)];
    let is_known = |who: CombatantId| who.index() < setup.combatants.len();
    match bytes.next() % 28 {
        0..4 => {
            let until = fight.now() + Time::from_seconds(f64::from(bytes.next() as u32) / 40.0);
            let _ = fight.advance(until, log);
        }
        4 => _ = fight.apply_status(status(bytes), who(bytes), who(bytes), bytes.next() as u32, log),
        5 => _ = fight.remove_status(status(bytes), who(bytes), log),
        6 => _ = fight.set_pool(who(bytes), PoolId(of(bytes, program.pools().len())), any(bytes)),
        7 => _ = fight.set_base(who(bytes), Slot(of(bytes, 60)), any(bytes), log),
        8 => _ = fight.apply_effects(who(bytes), ability(bytes), who(bytes), log),
        9 => _ = fight.bring_about(CauseId(of(bytes, 2)), Some(who(bytes)), who(bytes), any(bytes), log),
        10 => _ = fight.take_control(who(bytes)),
        11 => _ = fight.use_ability(who(bytes), ability(bytes), Some(who(bytes)), log),
        12 => _ = fight.use_ability(who(bytes), ability(bytes), None, log),
        13 => _ = fight.use_ability_at(who(bytes), ability(bytes), place(bytes), log),
        14 => _ = fight.walk(who(bytes), place(bytes), log),
        15 => _ = fight.stop(who(bytes), log),
        16 => _ = fight.cancel(who(bytes), log),
        17 => _ = fight.wear(who(bytes), GearId(of(bytes, 6)), log),
        18 => _ = fight.take_off(who(bytes), GearId(of(bytes, 6)), log),
        19 => {
            let character = CharacterId(of(bytes, program.characters().len()));
            _ = fight.spawn(character, SideId(of(bytes, 2)), place(bytes), log);
        }
        20 => {
            let who = who(bytes);
            if is_known(who) {
                let handle = fight.handle(who);
                _ = fight.despawn(handle, log);
            }
        }
        21 => _ = fight.move_by_game(who(bytes)),
        22 => _ = fight.set_motion(who(bytes), place(bytes), place(bytes)),
        23 => {
            let motion = |bytes: &mut Bytes| Motion { who: who(bytes), place: place(bytes), velocity: place(bytes) };
            let motions = [motion(bytes), motion(bytes)];
            _ = fight.set_motions(&motions);
        }
        24 => _ = fight.release_control(who(bytes)),
        25 => _ = fight.move_by_policy(who(bytes)),
        26 => _ = fight.set_facing(who(bytes), place(bytes)),
        _ => {
            let (who, ability) = (who(bytes), ability(bytes));
            _ = fight.why_unavailable(who, ability);
            _ = fight.button(who, ability);
            _ = fight.statuses(who);
        }
    }
}
