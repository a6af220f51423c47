//! Encounters: reinforcements, calls, scripted abilities, and endings.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{demo, game, moments, seconds};
use edgeplane::fight::{Event, Logged, seed_of_trial};
use edgeplane::{CombatantId, Ending, Game, Log, Time, TrialsPlan};

/// A guard that defeats its target with one blow, once a second; and runners, each of which takes one from it every
/// half second.
const RULES: &str = r#"
    [pools]
    health = { max = 10, defeat = true }
    wind = { max = 10, start = 2, regen = 1 }
    [ability.fell]
    cooldown = 1
    does = [{ damage = 10 }]
    [ability.nip]
    cooldown = 0.5
    does = [{ damage = 1 }]
    [ability.surge]
    targets = { side = "allies", count = 9 }
    does = [{ damage = 2 }, { restore = "wind", amount = 1, to = "caster" }]
    [ability.idle]
    unlock = "1 > 2"
    does = [{ damage = 1 }]
    [ability.wave]
    unlock = "count(enemies) >= 2"
    cooldown = 9
    targets = "self"
    does = [{ restore = "health", amount = 1 }]
    [status.fresh]
    duration = inf
    on = [{ event = "fight_began", does = [{ drain = "wind", amount = 1 }] }]
    [character.guard]
    abilities = ["fell"]
    [character.runner]
    abilities = ["nip"]
    statuses = ["fresh"]
    [character.idler]
    abilities = ["idle"]
    [character.counter]
    abilities = ["wave"]
"#;

fn with(more: &str) -> Game {
    game(&format!("{RULES}\n{more}"))
}

fn play(game: &Game, encounter: &str) -> (Ending, Log) {
    game.play(encounter, 1).unwrap()
}

fn joined(log: &Log) -> Vec<(u64, u16, Option<u16>)> {
    let join = |logged: &Logged| match logged.event {
        Event::Joined { who, by } => Some((logged.at.0, who.0, by.map(|(by, _)| by.0))),
        _ => None,
    };
    log.events.iter().filter_map(join).collect()
}

fn fell(log: &Log, who: u16) -> Vec<u64> {
    moments(log, |event| matches!(event, Event::Defeated { who: one, .. } if one.0 == who))
}

fn side(index: u16) -> edgeplane::program::SideId {
    edgeplane::program::SideId(index)
}

#[test]
fn who_joins_later_begins_then_and_its_side_holds_out_for_it() {
    let game = with(
        "[encounter.late]\nsides.a = [\"guard\"]\n\
         sides.b = [\"idler\", { character = \"runner\", joins = 3 }, { character = \"runner\", joins = 5.5 }]\n",
    );
    let (ending, log) = play(&game, "late");
    assert_eq!(joined(&log), [(3_000_000, 2, None), (5_500_000, 3, None)]);
    // The guard is ready again when they join, and defeats each at that moment, in which each nips once.
    assert_eq!([1, 2, 3].map(|who| fell(&log, who)), [vec![0], vec![3_000_000], vec![5_500_000]]);
    assert_eq!(
        moments(&log, |event| matches!(event, Event::Hit { caster, .. } if caster.0 > 0)),
        [3_000_000, 5_500_000]
    );
    assert_eq!(ending, Ending::Won(side(0)));
}

#[test]
fn pools_statuses_and_counts_begin_with_the_joining() {
    let game = with(
        "[encounter.late]\nsides.a = [\"counter\"]\nsides.b = [\"idler\", { character = \"runner\", joins = 3 }]\ntime_limit = 4\n",
    );
    let mut fight = game.fight("late", 1).unwrap();
    let (runner, mut log) = (CombatantId(2), Log::default());
    let wind = game.program().find_pool("wind").unwrap();
    fight.advance(seconds(2.0), &mut log).unwrap();
    assert!(!fight.stands(runner));
    fight.advance(seconds(3.0), &mut log).unwrap();
    assert!(fight.stands(runner));
    // Two at the start, less the one that its status takes; nothing has flowed in before.
    assert_eq!(fight.pool(runner, wind), 1.0);
    fight.advance(seconds(3.5), &mut log).unwrap();
    assert_eq!(fight.pool(runner, wind), 1.5);
    let used = |who: u16| moments(&log, |event| matches!(event, Event::Used { caster, .. } if caster.0 == who));
    // It nips when it joins and half a second later; the one that waves at two combatants sees the second join.
    assert_eq!((used(2), used(0)), (vec![3_000_000, 3_500_000], vec![3_000_000]));
}

#[test]
fn one_side_wins_by_holding_out() {
    let rules = "[encounter.hold]\nsides.a = [\"idler\"]\nsides.b = [\"runner\"]\ntime_limit = 3\n";
    assert_eq!(play(&with(rules), "hold").0, Ending::TimeLimit);
    let game = with(&format!("{rules}at_limit = \"a\"\n"));
    let (ending, log) = play(&game, "hold");
    assert_eq!((ending, ending.winner()), (Ending::HeldOut(side(0)), Some(side(0))));
    assert_eq!(log.events.last().unwrap().at, seconds(3.0));
    // Ten nips take four and a half seconds.
    let longer = with(&format!("{}at_limit = \"a\"\n", rules.replace("= 3", "= 4.5")));
    assert_eq!(play(&longer, "hold").0, Ending::Won(side(1)));
    let trials = game.trials("hold", &TrialsPlan { trials: 10, ..TrialsPlan::default() }).unwrap();
    assert_eq!((trials.sides[0].win_rate.count, trials.sides[0].held_out.count), (10, 10));
    assert_eq!((trials.draws.count, trials.sides[1].held_out.count), (0, 0));
}

#[test]
fn the_defeat_of_a_vital_combatant_ends_the_fight() {
    let game = with(
        "[encounter.heart]\nsides.a = [\"guard\"]\n\
         sides.b = [{ character = \"idler\", vital = true }, { character = \"runner\", count = 3 }]\n",
    );
    let (ending, log) = play(&game, "heart");
    assert_eq!((ending, fell(&log, 1)), (Ending::Won(side(0)), vec![0]));
    assert_eq!(log.events.last().unwrap().at, Time::ZERO);
}

#[test]
fn the_script_brings_abilities_about_without_their_cost() {
    let script = |by: &str| {
        with(&format!(
            "[encounter.storm]\nsides.a = [{{ character = \"idler\", count = 2 }}]\nsides.b = [\"idler\"]\n\
             script = [{{ at = 1, every = 2, times = 3, ability = \"surge\", by = \"{by}\" }}]\ntime_limit = 9\n"
        ))
    };
    let hits = |log: &Log, target: u16| {
        moments(log, |event| matches!(event, Event::Hit { target: one, .. } if one.0 == target))
    };
    // Each of the two hits both.
    let (_, log) = play(&script("a"), "storm");
    assert_eq!(hits(&log, 0), [1_000_000, 1_000_000, 3_000_000, 3_000_000, 5_000_000, 5_000_000]);
    assert!(hits(&log, 2).is_empty());
    assert_eq!(fell(&log, 0), [5_000_000]);
    // All of that name, on both sides.
    let (_, log) = play(&script("idler"), "storm");
    assert_eq!(hits(&log, 2), [1_000_000, 3_000_000, 5_000_000]);
    assert_eq!(moments(&log, |event| matches!(event, Event::Scripted { .. })).len(), 9);
    // Effects on the caster happen once for each release, whatever the number of targets.
    assert_eq!(moments(&log, |event| matches!(event, Event::Restored { .. })).len(), 9);
}

const CALLERS: &str = r#"
    [status.horn]
    duration = inf
    on = [
      { event = "pool_below", pool = "health", share = 0.95, uses = 1, does = [{ call = "runner", count = 2 }] },
      { event = "defeated", does = [{ call = "runner" }] },
    ]
    [character.caller]
    abilities = ["idle"]
    statuses = ["horn"]
    [encounter.horn]
    sides.a = ["runner", "runner"]
    sides.b = ["caller", "idler", { character = "runner", count = 4, joins = "called" }]
"#;

#[test]
fn those_in_reserve_join_when_they_are_called() {
    let (_, log) = play(&with(CALLERS), "horn");
    // The first nips of both take a fifth; the caller is defeated by the tenth of twenty, 2 s later.
    assert_eq!(joined(&log), [(0, 4, Some(2)), (0, 5, Some(2)), (2_000_000, 6, Some(2))]);
    assert_eq!(fell(&log, 2), [2_000_000]);
    // They nip back at the moment at which they join.
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { caster, .. } if caster.0 == 4))[0], 0);
}

#[test]
fn who_waits_to_be_called_holds_nothing_out() {
    let game = with(&CALLERS.replace("\"caller\", \"idler\"", "\"idler\""));
    let (ending, log) = play(&game, "horn");
    assert_eq!((ending, joined(&log).len()), (Ending::Won(side(0)), 0));
    // Ten nips of two, two at a time.
    assert_eq!(log.events.last().unwrap().at, seconds(2.0));
}

/// Scripted events are the same if the fight is inspected in between, a snapshot is taken, or two threads are used.
#[test]
fn scripts_do_not_depend_on_observers() {
    let game = demo();
    for trial in 0..20 {
        let seed = seed_of_trial(9, trial);
        let whole = game.play("high_water", seed).unwrap();
        let (mut fight, mut log, mut at) = (game.fight("high_water", seed).unwrap(), Log::default(), 0);
        while fight.ending().is_none() {
            at += 16_667;
            fight.advance(Time(at), &mut log).unwrap();
            if at % 50_001 == 0 {
                let kept = fight.snapshot();
                fight.advance(Time(at + 3_000_000), &mut Log::default()).unwrap();
                fight.restore(&kept).unwrap();
            }
        }
        assert_eq!((fight.ending().unwrap(), log), whole);
    }
    let on = |threads| {
        let plan = TrialsPlan { trials: 200, threads, ..TrialsPlan::default() };
        serde_json::to_string(&game.trials("high_water", &plan).unwrap()).unwrap()
    };
    assert_eq!(on(Some(1)), on(Some(2)));
}

#[test]
fn the_sides_mirror_each_other_with_those_who_join() {
    let sides = |first: &str, second: &str| {
        with(&format!(
            "[status.echo]\nduration = inf\non = [{{ event = \"pool_below\", pool = \"health\", share = 0.5, chance = 0.5, does = [{{ call = \"runner\" }}] }}]\n\
             [character.leader]\nextends = \"runner\"\nstatuses = [\"echo\"]\n\
             [encounter.even]\nsides.{first} = [\"leader\", {{ character = \"runner\", joins = 1.5 }}, {{ character = \"runner\", count = 2, joins = \"called\" }}]\n\
             sides.{second} = [\"leader\", {{ character = \"runner\", joins = 1.5 }}, {{ character = \"runner\", count = 2, joins = \"called\" }}]\n\
             script = [{{ at = 2, every = 1, ability = \"surge\", by = \"leader\" }}]\n"
        ))
    };
    let (one, other) = (sides("east", "west"), sides("west", "east"));
    for seed in 0..200 {
        let ((a, log_a), (b, log_b)) = (one.play("even", seed).unwrap(), other.play("even", seed).unwrap());
        assert_eq!(a.winner().map(|side| side.0), b.winner().map(|side| 1 - side.0));
        assert_eq!(log_a.events.len(), log_b.events.len());
    }
}
