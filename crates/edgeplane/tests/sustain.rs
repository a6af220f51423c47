//! Sustained abilities, and stances.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::bout::{log_of, rules};
use crate::common::{ONE, OTHER, moments, seconds};
use edgeplane::fight::{Event, StopReason};
use edgeplane::{Game, Log, Silent};

/// A jet: a cast of half a second, then a tick each second.
fn jet(sustain: &str, more: &str) -> Game {
    let ability = format!(
        "[ability.jet]\ncast = 0.5\nrecovery = 0.25\ncooldown = 100\n{more}\n\
         sustain = {{ every = 1, {sustain} does = [{{ damage = 5 }}] }}"
    );
    rules(&ability, "abilities = [\"jet\"]")
}

/// The times of its ticks, and the time and reason of its end.
fn printed(log: &Log) -> (Vec<u64>, Option<(u64, StopReason)>) {
    let stop = log.events.iter().find_map(|logged| match logged.event {
        Event::Stopped { reason, .. } => Some((logged.at.0, reason)),
        _ => None,
    });
    (moments(log, |event| matches!(event, Event::Sustained { .. })), stop)
}

#[test]
fn ticks_come_up_to_and_including_the_longest_time() {
    let log = log_of(&jet("longest = 3,", "does = [{ damage = 20 }]"));
    let (ticks, stop) = printed(&log);
    assert_eq!(ticks, [1_500_000, 2_500_000, 3_500_000]);
    assert_eq!(stop, Some((3_500_000, StopReason::Longest)));
    let dealt: f64 =
        log.events.iter().map(|one| if let Event::Hit { dealt, .. } = one.event { dealt } else { 0.0 }).sum();
    assert_eq!(dealt, 20.0 + 3.0 * 5.0);
    let (ticks, stop) = printed(&log_of(&jet("longest = 2.4,", "")));
    assert_eq!((ticks.len(), stop), (2, Some((2_900_000, StopReason::Longest))), "a last part of a tick is none");
}

#[test]
fn each_beat_is_paid_and_the_first_that_cannot_be_is_the_end() {
    // 20 breath and 2 per second: at 1.5 s 23 − 12 = 11, at 2.5 s 13 − 12 = 1, at 3.5 s 3.
    let (ticks, stop) = printed(&log_of(&jet("cost = { breath = 12 },", "")));
    assert_eq!(ticks, [1_500_000, 2_500_000]);
    assert_eq!(stop, Some((3_500_000, StopReason::CannotAfford)));
}

#[test]
fn it_ends_when_it_is_no_longer_wanted_or_nobody_is_left() {
    let (ticks, stop) = printed(&log_of(&jet("while = \"target.health > 990\",", "")));
    // 1000, 995, 990: the third tick is not wanted.
    assert_eq!((ticks.len(), stop), (2, Some((3_500_000, StopReason::Unwanted))));
    let (ticks, stop) = printed(&log_of(&jet("", "does = [{ damage = 991 }]")));
    // 9 left: two ticks of 5 are enough, and the fight ends.
    assert_eq!((ticks.len(), stop), (2, None));
}

#[test]
fn an_interrupt_ends_it_and_nothing_is_paid_back() {
    let text = "[status.cut]\nduration = 0.1\ninterrupts = true\nforbids = [\"act\"]";
    let game = rules(
        &format!(
            "{text}\n[ability.jet]\ncost = {{ breath = 10 }}\nrefund = 1\ncooldown_from = \"end\"\ncooldown = 100\n\
             sustain = {{ every = 1, longest = 9, does = [{{ damage = 5 }}] }}"
        ),
        "abilities = [\"jet\"]",
    );
    let breath = game.program().find_pool("breath").unwrap();
    let ability = game.program().find_ability("jet").unwrap();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.advance(seconds(2.5), &mut Silent).unwrap();
    let mut log = Log::default();
    fight.apply_status(game.program().find_status("cut").unwrap(), OTHER, ONE, 1, &mut log).unwrap();
    assert_eq!(fight.pool(ONE, breath), 20.0 - 10.0 + 2.5 * 2.0);
    assert_eq!(fight.ready_at(ONE, ability), Some(seconds(102.5)), "it counts from then");
    assert_eq!(moments(&log, |event| matches!(event, Event::Interrupted { .. })), [2_500_000]);
    fight.advance(seconds(9.0), &mut log).unwrap();
    assert_eq!(printed(&log).0, [0_u64; 0]);
}

#[test]
fn a_player_can_stop_a_sustained_ability() {
    let game = jet("", "");
    let ability = game.program().find_ability("jet").unwrap();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.take_control(ONE).unwrap();
    assert!(!fight.stop(ONE, &mut Silent).unwrap());
    let mut log = Log::default();
    fight.use_ability(ONE, ability, Some(OTHER), &mut log).unwrap().unwrap();
    fight.advance(seconds(2.0), &mut log).unwrap();
    assert!(fight.stop(ONE, &mut log).unwrap());
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!(printed(&log), (vec![1_500_000], Some((2_000_000, StopReason::ByHand))));
}

#[test]
fn it_ends_when_the_target_is_out_of_reach() {
    let text = r#"
        [attributes]
        speed = 1
        [pools]
        health = { max = 100, defeat = true }
        [damage_types]
        blow = {}
        [ability.jet]
        reach = 4
        cooldown = 100
        sustain = { every = 1, does = [{ damage = 5 }, { push = 1.5 }] }
        [character.one]
        abilities = ["jet"]
        [character.other]
        abilities = []
        [encounter.bout]
        sides.one = [{ character = "one", at = [0, 0] }]
        sides.other = [{ character = "other", at = [1, 0] }]
        time_limit = 20
    "#;
    // 1, 2.5, 4, 5.5 metres: at the fourth tick the target is too far away.
    let (ticks, stop) = printed(&log_of(&crate::common::game(text)));
    assert_eq!((ticks.len(), stop), (3, Some((4_000_000, StopReason::OutOfReach))));
}

#[test]
fn a_snapshot_goes_on_in_the_middle() {
    let game = jet("cost = { breath = 3 }, longest = 6,", "");
    let mut fight = game.fight("bout", 1).unwrap();
    fight.advance(seconds(2.7), &mut Silent).unwrap();
    let kept = fight.snapshot();
    let (mut once, mut again) = (Log::default(), Log::default());
    fight.run(&mut once).unwrap();
    fight.restore(&kept).unwrap();
    fight.run(&mut again).unwrap();
    assert_eq!(once, again);
    assert_eq!(printed(&once).0.len(), 4);
}

#[test]
fn a_toggle_begins_what_is_not_there_and_ends_what_is() {
    let game = rules(
        "[status.stance]\nduration = inf\n[ability.stance]\ncooldown = 2\ntargets = \"self\"\ndoes = [{ toggle = \"stance\" }]",
        "abilities = [\"stance\"]",
    );
    let log = log_of(&game);
    assert_eq!(moments(&log, |event| matches!(event, Event::StatusGained { .. }))[..3], [0, 4_000_000, 8_000_000]);
    assert_eq!(
        moments(&log, |event| matches!(event, Event::StatusLost { .. }))[..3],
        [2_000_000, 6_000_000, 10_000_000]
    );
}
