//! The figures of the guide for the demo's statuses.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use std::sync::Arc;

use crate::common::{self, demo, seconds};
use edgeplane::fight::{Event, Likely, Log, Prevention};
use edgeplane::study::explain::{Moment, StatusExplanation, explain_character_with, explain_moment, explain_status};
use edgeplane::{CombatantId, Fight, Game, Setup, Silent, Time};

fn explained(status: &str, from: &str, on: &str) -> StatusExplanation {
    let game = demo();
    let (from, on) = (game.character(from).unwrap(), game.character(on).unwrap());
    explain_status(game.program(), game.status(status).unwrap(), from, on).unwrap()
}

/// Values of an attribute without the status, with one stack, two, and so on.
fn values(explained: &StatusExplanation, attribute: &str) -> Vec<f64> {
    let column = explained.attributes.iter().position(|name| name == attribute).unwrap();
    let with = explained.stacks.iter().map(|line| line.values[column]);
    std::iter::once(explained.without[column]).chain(with).collect()
}

fn near(found: &[f64], wanted: &[f64]) {
    assert_eq!(found.len(), wanted.len(), "{found:?}");
    for (found, wanted) in found.iter().zip(wanted) {
        assert!((found - wanted).abs() < 1e-9, "{found} is not {wanted}");
    }
}

/// Two of the demo's characters on opposite sides, controlled by calls.
fn two(game: &Game, one: &str, other: &str) -> Fight<Likely> {
    let sides = [one, other].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
    let mut fight = Fight::with_chance(Setup::between(game.program(), &sides).into(), Likely, 0);
    fight.setup().clone().ids().for_each(|who| fight.take_control(who).unwrap());
    fight.advance(Time::ZERO, &mut Silent).unwrap();
    fight
}

#[test]
fn braced_gives_guard_and_breath_for_blows() {
    let braced = explained("braced", "sluicer", "sluicer");
    assert_eq!(values(&braced, "guard"), [0.0, 35.0]);
    assert_eq!((braced.lasts, braced.reapply.as_str()), (Some(4.0), "renews its time"));
    assert_eq!(braced.triggers[0].event.name(), "hit_taken");
    assert_eq!(braced.triggers[0].only, "cooldown 0.5 s");
}

#[test]
fn lamplit_is_extended_up_to_twelve_seconds() {
    near(&values(&explained("lamplit", "lampwright", "lockhand"), "crit_chance"), &[0.1, 0.22]);
    let game = demo();
    let mut fight = two(&game, "lampwright", "silt_crab");
    let (me, lamplit) = (CombatantId(0), game.status("lamplit").unwrap());
    let mut left = Vec::new();
    for _ in 0..3 {
        fight.apply_status(lamplit, me, me, 1, &mut Silent).unwrap();
        left.push(fight.statuses(me).unwrap()[0].remaining.unwrap());
    }
    assert_eq!(left, [6.0, 12.0, 12.0]);
    assert_eq!(fight.statuses(me).unwrap()[0].text, "Critical hits +12 % for 12 s.");
}

#[test]
fn mending_shares_half_of_what_is_missing_over_four_ticks() {
    let game = demo();
    let mut fight = two(&game, "bell_ringer", "lockhand");
    let (me, health) = (CombatantId(1), game.pool("health").unwrap());
    // Reaching 100 of 237.3 takes many boathook hits, so the start is set instead.
    let set = edgeplane::Override::parse("pools.health.start=100").unwrap();
    let low = Game::open_with(common::DEMO, &[set]).unwrap();
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    let mut fight = two(&low, "bell_ringer", "lockhand");
    fight.apply_status(low.status("mending").unwrap(), CombatantId(0), me, 1, &mut Silent).unwrap();
    let amounts: Vec<f64> = (1..=5)
        .map(|at| {
            fight.advance(seconds(f64::from(at)), &mut Silent).unwrap();
            fight.pool(me, health)
        })
        .collect();
    let part = 0.5 * (60.0 + 14.0 * (10.0 + 8.0 / 3.0) - 100.0) / 4.0;
    near(&amounts, &[100.0 + part, 100.0 + 2.0 * part, 100.0 + 3.0 * part, 100.0 + 4.0 * part, 100.0 + 4.0 * part]);
    assert!((part - 17.166_666).abs() < 1e-5);
}

#[test]
fn the_bell_song_of_the_better_ringer_is_heard() {
    let song = explained("bell_song", "bell_ringer", "lockhand");
    assert_eq!(
        song.ticks.iter().map(|tick| (tick.at, tick.amount)).collect::<Vec<_>>(),
        [(0.0, 3.0), (1.0, 3.0), (2.0, 3.0), (3.0, 3.0), (4.0, 3.0), (5.0, 3.0)]
    );
    let game = demo();
    let mut fight = two(&game, "bell_ringer", "lampwright");
    let (ringer, lampwright) = (CombatantId(0), CombatantId(1));
    let song = game.status("bell_song").unwrap();
    let mut log = Log::default();
    assert!(fight.apply_status(song, ringer, ringer, 1, &mut log).unwrap());
    assert!(fight.apply_status(song, lampwright, ringer, 1, &mut log).unwrap(), "craft 13 beats craft 12");
    assert!(!fight.apply_status(song, ringer, ringer, 1, &mut log).unwrap());
    let weaker = |event: &Event| matches!(event, Event::StatusPrevented { reason: Prevention::Weaker, .. });
    assert!(log.events.iter().any(|logged| weaker(&logged.event)));
}

#[test]
fn a_tide_charm_wears_off_blow_by_blow() {
    near(&values(&explained("tide_charm", "sluicer", "sluicer"), "guard"), &[0.0, 12.0, 24.0, 36.0]);
    let game = demo();
    let mut fight = two(&game, "sluicer", "silt_crab");
    let (me, crab, charm) = (CombatantId(0), CombatantId(1), game.status("tide_charm").unwrap());
    let guard = game.program().find_attribute("guard").unwrap();
    fight.apply_status(charm, me, me, 3, &mut Silent).unwrap();
    let mut guards = vec![fight.attribute(me, guard)];
    for _ in 0..4 {
        fight.apply_effects(crab, game.ability("pincer").unwrap(), me, &mut Silent).unwrap();
        guards.push(fight.attribute(me, guard));
    }
    assert_eq!(guards, [36.0, 24.0, 12.0, 0.0, 0.0]);
}

#[test]
fn steady_hands_cannot_be_rattled() {
    let game = demo();
    let mut fight = two(&game, "bell_ringer", "lockhand");
    let rattled = game.status("rattled").unwrap();
    assert!(!fight.apply_status(rattled, CombatantId(1), CombatantId(0), 1, &mut Silent).unwrap());
    assert!(fight.apply_status(rattled, CombatantId(0), CombatantId(1), 1, &mut Silent).unwrap());
    let hands = &fight.statuses(CombatantId(0)).unwrap()[0];
    assert_eq!((hands.hidden, hands.remaining, hands.share), (true, None, 1.0));
}

#[test]
fn a_stalker_below_half_is_cornered_until_it_is_mended() {
    let game = demo();
    let mut fight = two(&game, "reed_stalker", "lampwright");
    let (stalker, lamp) = (CombatantId(0), CombatantId(1));
    let evasion = game.program().find_attribute("evasion").unwrap();
    let (flare, cornered) = (game.ability("flare").unwrap(), game.status("cornered").unwrap());
    let mut seen = Vec::new();
    while fight.stacks(stalker, cornered) == 0 && seen.len() < 20 {
        seen.push(fight.attribute(stalker, evasion));
        fight.apply_effects(lamp, flare, stalker, &mut Silent).unwrap();
    }
    near(&seen, &vec![0.2; seen.len()]);
    near(&[fight.attribute(stalker, evasion)], &[0.4]);
    while fight.pool(stalker, game.pool("health").unwrap()) < 0.5 * fight.cap(stalker, game.pool("health").unwrap()) {
        fight.apply_effects(lamp, game.ability("bandage").unwrap(), stalker, &mut Silent).unwrap();
    }
    fight.advance(seconds(1.0), &mut Silent).unwrap();
    near(&[fight.attribute(stalker, evasion)], &[0.2]);
}

#[test]
fn the_fifth_soaking_rattles() {
    let soaked = explained("waterlogged", "sluicer", "silt_crab");
    near(&values(&soaked, "quickness"), &[0.0, -0.04, -0.08, -0.12, -0.16, 0.0]);
    let game = demo();
    let mut fight = two(&game, "sluicer", "silt_crab");
    let (soaked, rattled) = (game.status("waterlogged").unwrap(), game.status("rattled").unwrap());
    let counts: Vec<(u32, u32)> = (0..3)
        .map(|_| {
            fight.apply_status(soaked, CombatantId(0), CombatantId(1), 2, &mut Silent).unwrap();
            (fight.stacks(CombatantId(1), soaked), fight.stacks(CombatantId(1), rattled))
        })
        .collect();
    assert_eq!(counts, [(2, 0), (4, 0), (0, 1)]);
}

#[test]
fn silt_hurts_five_times_for_each_stalker() {
    let silted = explained("silted", "reed_stalker", "lockhand");
    near(&silted.ticks.iter().map(|tick| tick.amount).collect::<Vec<_>>(), &[3.84; 5]);
    near(&[silted.stacks[0].damage], &[19.2]);
    assert_eq!(silted.applied_by, ["lash"]);
}

#[test]
fn being_rattled_again_and_again_wears_off() {
    let game = demo();
    let mut fight = two(&game, "bell_ringer", "lockhand");
    let (me, rattled) = (CombatantId(1), game.status("rattled").unwrap());
    let mut lasted = Vec::new();
    for at in [0.0, 5.0, 10.0, 15.0, 27.5] {
        fight.advance(seconds(at), &mut Silent).unwrap();
        let taken = fight.apply_status(rattled, CombatantId(0), me, 1, &mut Silent).unwrap();
        lasted.push(if taken { fight.statuses(me).unwrap()[0].remaining.unwrap() } else { 0.0 });
    }
    near(&lasted, &[1.2, 0.6, 0.3, 0.0, 1.2]);
}

#[test]
fn dazzled_cracked_and_hoarse_change_what_they_say() {
    near(&values(&explained("dazzled", "lampwright", "silt_crab"), "aim"), &[0.0, -0.25]);
    let cracked = explained("cracked", "bell_ringer", "silt_crab");
    near(&values(&cracked, "guard"), &[15.0, 12.0, 9.0, 6.0, 3.0, 0.0, 0.0]);
    assert_eq!(cracked.reapply, "stacks, up to 6; each ends on its own");
    let hoarse = explained("hoarse", "reed_stalker", "bell_ringer");
    near(&values(&hoarse, "care"), &[0.15, 0.12, 0.09, 0.06]);
    assert_eq!(hoarse.forbids, ["toll"]);
}

#[test]
fn cold_fingers_let_go_with_half_a_grip() {
    let mark = explained("leech_mark", "reed_stalker", "sluicer");
    let drained = mark.ticks.iter().filter(|tick| tick.effect == "drain");
    assert_eq!(
        drained.map(|tick| (tick.at, tick.amount)).collect::<Vec<_>>(),
        [(1.0, 3.0), (2.0, 3.0), (3.0, 3.0), (3.5, 1.5)]
    );
    near(&[mark.stacks[0].drained], &[10.5]);
}

#[test]
fn a_sheet_shows_what_statuses_add() {
    let game = demo();
    let with = [("braced", 1), ("tide_charm", 3), ("waterlogged", 2), ("hoarse", 2)];
    let with = with.map(|(name, stacks)| (game.status(name).unwrap(), stacks));
    let sheet = explain_character_with(game.program(), game.character("lockhand").unwrap(), &with).unwrap();
    let line = |name: &str| sheet.attributes.iter().find(|line| line.name == name).unwrap();
    assert_eq!(
        (line("guard").value, line("guard").statuses.join(" ")),
        (83.0, "+ 35 braced + 36 tide_charm".to_owned())
    );
    assert_eq!(line("quickness").statuses, ["- 0.08 waterlogged"]);
    assert!(line("guard").limited.is_empty() && line("heft").statuses.is_empty());
    let boathook = sheet.abilities.iter().find(|ability| ability.name == "boathook").unwrap();
    near(&[boathook.cooldown], &[1.4 * 1.08]);
}

/// All combatants of a fight at a moment.
fn at(game: &Game, encounter: &str, seconds: f64) -> Moment {
    let setup = Arc::new(Setup::of(game.program(), game.encounter(encounter).unwrap()));
    explain_moment(&setup, 1, seconds).unwrap()
}

#[test]
fn a_moment_shows_what_everyone_has_is_under_and_could_do() {
    // A swing with a cast of 0.5 s that deals 10 and slows; 2 s of cooldown from the release; it costs 4 of 10, and 1
    // per second regenerates.
    let game = common::game(
        r#"
        [attributes]
        haste = 1
        [pools]
        health = { max = 100, defeat = true }
        wind = { max = 10, regen = 1 }
        [status.slowed]
        tags = ["mire"]
        duration = 3
        modify = [{ attribute = "haste", times = 0.5 }]
        [ability.swing]
        cast = 0.5
        recovery = 0.25
        cooldown = 2
        cost = { wind = 4 }
        does = [{ damage = 10 }, { apply = "slowed" }]
        [character.bear]
        abilities = ["swing"]
        [character.post]
        [encounter.e]
        sides = { x = ["bear"], y = ["post"] }
        "#,
    );
    let moments = [0.0, 0.4, 0.6, 1.0, 3.0].map(|seconds| at(&game, "e", seconds));
    let doing = moments.each_ref().map(|moment| moment.combatants[0].doing.as_str());
    let casting = "casting swing on post until 0.50 s";
    assert_eq!(doing, [casting, casting, "recovering until 0.75 s", "idle", "recovering until 3.25 s"]);
    let wind = moments.each_ref().map(|moment| moment.combatants[0].pools[1].holds);
    // Paid when the cast begins, at 0 s and at 2.5 s.
    assert_eq!(wind.map(|wind| (wind * 10.0).round() / 10.0), [6.0, 6.4, 6.6, 7.0, 5.0]);
    let post = moments.each_ref().map(|moment| &moment.combatants[1]);
    assert_eq!(post.map(|post| post.pools[0].holds), [100.0, 100.0, 90.0, 90.0, 80.0]);
    let haste = post.map(|post| (post.attributes[0].value, post.attributes[0].at_start));
    assert_eq!(haste, [(1.0, 1.0), (1.0, 1.0), (0.5, 1.0), (0.5, 1.0), (0.5, 1.0)]);
    assert_eq!(post[3].attributes[0].statuses, ["× 0.5 slowed"]);
    let slowed = &post[3].statuses[0];
    assert_eq!((slowed.name.as_str(), slowed.from.as_str(), slowed.stacks), ("slowed", "bear", 1));
    assert_eq!((slowed.remaining, slowed.tags.as_slice()), (Some(2.5), ["mire".to_owned()].as_slice()));
    let swing = &moments[3].combatants[0].abilities[0];
    assert_eq!((swing.name.as_str(), swing.ready_in), ("swing", 1.5));
    assert_eq!(swing.unavailable.as_deref(), Some("on cooldown until 2.50 s"));
    assert!(post[3].abilities.is_empty() && post[3].place.is_none());
    // The fight ends before this moment, so its ending is shown.
    let end = at(&game, "e", 1e6);
    assert!(end.ended && end.at < 100.0, "{end:?}");
    assert_eq!((end.combatants[1].doing.as_str(), end.combatants[1].pools[0].holds), ("defeated", 0.0));
}

#[test]
fn the_moments_of_the_demo_are_those_of_a_fight_that_is_stepped_to_them() {
    let game = demo();
    for encounter in game.program().encounters() {
        for seconds in [0.0, 2.0, 7.3, 19.0] {
            let moment = at(&game, &encounter.name, seconds);
            let mut fight = game.fight(&encounter.name, 1).unwrap();
            fight.advance(Time::from_seconds(seconds), &mut Silent).unwrap();
            for (index, one) in moment.combatants.iter().enumerate() {
                let who = CombatantId(index as u16);
                assert_eq!(one.doing == "defeated", !fight.stands(who) && one.doing != "not there", "{one:?}");
                for pool in &one.pools {
                    let id = game.pool(&pool.name).unwrap();
                    assert_eq!((pool.holds, pool.max.unwrap()), (fight.pool(who, id), fight.cap(who, id)));
                }
                assert_eq!(one.statuses.len(), fight.statuses(who).unwrap().len());
            }
        }
    }
}
