//! Control: what statuses forbid, interrupt and prevent, and diminishing durations.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use crate::common::scene::{ONE, OTHER, OWNER, printed, seconds, waiting};
use crate::common::{game, moments};
use edgeplane::fight::{Event, Fight, Log, UnavailableReason};

const CONTROL: &str = r#"
    [attributes]
    might = 1
    [pools]
    health = { max = 100, defeat = true }
    spirit = { max = 20 }
    [diminish.hold]
    window = 5
    steps = [1, 0.5, 0]
    [status.stun]
    tags = ["hold"]
    duration = 4
    forbids = ["act"]
    interrupts = true
    [status.hush]
    tags = ["quiet"]
    duration = 3
    forbids = ["song"]
    [status.steady]
    duration = 9
    immune = ["hold"]
    [status.wary]
    duration = 9
    resist = "if(now > 1, 1, 0)"
    [ability.swing]
    cooldown = 1
    does = [{ damage = 1, to = "caster" }]
    [ability.sing]
    tags = ["song"]
    cost = { spirit = 8 }
    cast = 2
    refund = 0.5
    does = [{ restore = "spirit", amount = 0 }]
    [ability.hold]
    does = [{ apply = "stun" }]
    [ability.jolt]
    does = [{ interrupt = true }]
    [character.one]
    abilities = ["swing", "sing"]
    [character.two]
    immune = ["quiet"]
    abilities = ["hold", "jolt"]
    [encounter.scene]
    sides.a = ["one"]
    sides.b = ["two", "two"]
    time_limit = 20
"#;

#[test]
fn a_stun_keeps_from_acting_and_a_hush_from_singing() {
    let game = game(CONTROL);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    let (swing, sing) = (game.ability("swing").unwrap(), game.ability("sing").unwrap());
    let (stun, hush) = (game.status("stun").unwrap(), game.status("hush").unwrap());
    fight.apply_status(hush, ONE, OWNER, 1, &mut log).unwrap();
    assert_eq!(fight.why_unavailable(OWNER, sing).unwrap(), Some(UnavailableReason::Forbidden { by: hush }));
    assert_eq!(fight.why_unavailable(OWNER, swing).unwrap(), None);
    fight.apply_status(stun, ONE, OWNER, 1, &mut log).unwrap();
    assert_eq!(fight.why_unavailable(OWNER, swing).unwrap(), Some(UnavailableReason::Forbidden { by: stun }));
    fight.advance(seconds(3.5), &mut log).unwrap();
    assert_eq!(
        fight.why_unavailable(OWNER, sing).unwrap(),
        Some(UnavailableReason::Forbidden { by: stun }),
        "the hush is over"
    );
    fight.advance(seconds(4.0), &mut log).unwrap();
    assert_eq!(fight.why_unavailable(OWNER, sing).unwrap(), None);
}

#[test]
fn a_stunned_combatant_acts_at_the_moment_the_stun_ends() {
    let game = game(CONTROL);
    let mut fight = game.fight("scene", 1).unwrap();
    let (mut log, stun) = (Log::default(), game.status("stun").unwrap());
    for who in [ONE, OTHER] {
        fight.take_control(who).unwrap();
    }
    fight.advance(seconds(0.5), &mut log).unwrap();
    fight.apply_status(stun, ONE, OWNER, 1, &mut log).unwrap();
    fight.advance(seconds(6.0), &mut log).unwrap();
    let used = moments(&log, |event| matches!(event, Event::Used { caster, .. } if *caster == OWNER));
    // The song began at 0 s and is interrupted at 0.5 s; the swing is ready from 1 s on.
    assert_eq!(used, [0, 0, 4_500_000, 4_500_000]);
}

#[test]
fn a_broken_cast_pays_back_its_share() {
    let game = game(CONTROL);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    let (sing, spirit) = (game.ability("sing").unwrap(), game.pool("spirit").unwrap());
    fight.use_ability(OWNER, sing, None, &mut log).unwrap().unwrap();
    assert_eq!(fight.pool(OWNER, spirit), 12.0);
    fight.advance(seconds(1.0), &mut log).unwrap();
    fight.use_ability(ONE, game.ability("jolt").unwrap(), Some(OWNER), &mut log).unwrap().unwrap();
    fight.advance(seconds(1.0), &mut log).unwrap();
    assert_eq!(fight.pool(OWNER, spirit), 16.0);
    assert_eq!(moments(&log, |event| matches!(event, Event::Interrupted { .. })), [1_000_000]);
    assert_eq!(fight.why_unavailable(OWNER, sing).unwrap(), None, "its cooldown has not begun");
    fight.advance(seconds(9.0), &mut log).unwrap();
    assert!(moments(&log, |event| matches!(event, Event::Released { caster, .. } if *caster == OWNER)).is_empty());
}

#[test]
fn immunity_resistance_and_repetition_each_say_so() {
    let game = game(CONTROL);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    let give = |fight: &mut Fight, name: &str, who, at: f64, log: &mut Log| {
        fight.advance(seconds(at), log).unwrap();
        fight.apply_status(game.status(name).unwrap(), ONE, who, 1, log).unwrap()
    };
    assert!(!give(&mut fight, "hush", ONE, 0.0, &mut log), "the character is immune");
    assert!(give(&mut fight, "wary", OWNER, 0.0, &mut log));
    assert!(!give(&mut fight, "wary", OWNER, 1.5, &mut log), "resisted");
    assert!(give(&mut fight, "stun", OWNER, 2.0, &mut log));
    assert!(give(&mut fight, "stun", OWNER, 7.0, &mut log), "within the window: half as long");
    assert!(!give(&mut fight, "stun", OWNER, 9.5, &mut log), "too often");
    assert!(give(&mut fight, "stun", OWNER, 12.5, &mut log), "the window has passed since the last that worked");
    assert!(give(&mut fight, "steady", OWNER, 17.0, &mut log));
    assert!(!give(&mut fight, "stun", OWNER, 17.5, &mut log), "steady makes immune");
    let stuns = printed(&log);
    assert_eq!(
        stuns,
        "0 immune, 0 new, 1.5 resisted, 2 new, 6 expired, 7 new, 9 expired, 9 expired, 9.5 diminished, 12.5 new, \
         16.5 expired, 17 new, 17.5 immune"
    );
}
