//! What happens at the edges of a rule, in cases that the reference model found, worked by hand.

#![allow(clippy::unwrap_used, clippy::panic)]

use crate::common::{game, moments, seconds};
use edgeplane::fight::{Event, StopReason};
use edgeplane::{CombatantId, Fight, Game, Log, SideId};

const WHO: [CombatantId; 3] = [CombatantId(0), CombatantId(1), CombatantId(2)];

/// Two on one side and one on the other, who wait for what the test does.
fn three(rules: &str) -> (Game, Fight, Log) {
    let game = game(&format!(
        "[attributes]\nvigour = 100\n[pools]\nhealth = {{ max = \"vigour\", defeat = true, on_cap_change = \"shift\" }}\n\
         {rules}\n[encounter.e]\nsides.a = [{{ character = \"one\", count = 2 }}]\nsides.b = [\"other\"]\n"
    ));
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    WHO.iter().for_each(|who| fight.take_control(*who).unwrap());
    fight.advance(seconds(0.0), &mut log).unwrap();
    (game, fight, log)
}

fn apply(game: &Game, fight: &mut Fight, log: &mut Log, status: &str, by: CombatantId, to: CombatantId) {
    let _ = fight.apply_status(game.status(status).unwrap(), by, to, 1, log).unwrap();
}

/// One of a is charmed by b and charms the other one of a, which then is on the side of b as well: the first acted for b.
#[test]
fn who_is_charmed_charms_for_the_side_that_it_is_on() {
    let (game, mut fight, mut log) = three(
        "[status.charm]\nduration = 4\nside = \"caster\"\n[character.one]\nabilities = []\n[character.other]\nabilities = []\n",
    );
    apply(&game, &mut fight, &mut log, "charm", WHO[2], WHO[0]);
    apply(&game, &mut fight, &mut log, "charm", WHO[0], WHO[1]);
    assert_eq!([WHO[0], WHO[1]].map(|who| fight.side(who)), [SideId(1), SideId(1)]);
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!([WHO[0], WHO[1]].map(|who| fight.side(who)), [SideId(0), SideId(0)]);
}

/// A cap brings a hook, a pike the other ability of the slot, a song the hook again. As the song ends, the pike was last.
#[test]
fn a_slot_goes_back_to_what_was_brought_last_of_what_is_still_there() {
    let (game, mut fight, mut log) = three(
        "[ability.hook]\nslot = \"hand\"\ndoes = []\n[ability.thrust]\nslot = \"hand\"\ndoes = []\n\
         [gear.cap]\nabilities = [\"hook\"]\n[gear.pike]\nabilities = [\"thrust\"]\n\
         [status.song]\nduration = 2\nabilities = [\"hook\"]\n\
         [character.one]\nabilities = []\n[character.other]\nabilities = []\n",
    );
    let has = |fight: &Fight| -> Vec<&str> {
        fight.abilities(WHO[0]).map(|ability| &*game.program().ability(ability).name).collect()
    };
    fight.wear(WHO[0], game.gear("cap").unwrap(), &mut log).unwrap();
    fight.wear(WHO[0], game.gear("pike").unwrap(), &mut log).unwrap();
    assert_eq!(has(&fight), ["thrust"]);
    apply(&game, &mut fight, &mut log, "song", WHO[0], WHO[0]);
    assert_eq!(has(&fight), ["hook"]);
    fight.advance(seconds(3.0), &mut log).unwrap();
    assert_eq!(has(&fight), ["thrust"]);
    fight.take_off(WHO[0], game.gear("pike").unwrap(), &mut log).unwrap();
    assert_eq!(has(&fight), ["hook"]);
}

/// A brace takes 30 of 100; who falls loses it, and does not get those 30 back.
#[test]
fn the_defeated_have_nothing_left_whatever_their_caps_do() {
    let (game, mut fight, mut log) = three(
        "[status.brace]\nduration = 9\nmodify = [{ attribute = \"vigour\", add = -30 }]\n\
         [cause.fall]\ndoes = [{ damage = \"amount\" }]\n\
         [character.one]\nabilities = []\n[character.other]\nabilities = []\n",
    );
    let health = game.pool("health").unwrap();
    apply(&game, &mut fight, &mut log, "brace", WHO[0], WHO[0]);
    assert_eq!(fight.pool(WHO[0], health), 70.0);
    fight.bring_about(game.cause("fall").unwrap(), None, WHO[0], 70.0, &mut log).unwrap();
    fight.advance(seconds(1.0), &mut log).unwrap();
    assert!(!fight.stands(WHO[0]));
    assert_eq!((fight.pool(WHO[0], health), fight.cap(WHO[0], health)), (0.0, 100.0));
}

/// A jet along a line of 3 m is kept up on one who is then 4 m away, in the reach of 9 m that it cannot use.
#[test]
fn what_is_kept_up_along_a_line_reaches_no_farther_than_the_line() {
    let game = game(
        "[pools]\nhealth = { max = 100, defeat = true }\n\
         [ability.jet]\nreach = 9\ntargets = { line = 1, length = 3 }\nsustain = { every = 1, does = [{ damage = 5 }] }\n\
         [policy.p]\nmove = \"hold\"\nuse = [\"jet\"]\n\
         [character.one]\nabilities = [\"jet\"]\npolicy = \"p\"\n[character.other]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"one\"]\nsides.b = [\"other\"]\ndistance = 2\n",
    );
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    fight.advance(seconds(1.5), &mut log).unwrap();
    fight.set_motion(WHO[1], [3.0, 0.0], [0.0; 2]).unwrap();
    fight.advance(seconds(4.0), &mut log).unwrap();
    let out_of_reach = |event: &Event| matches!(event, Event::Stopped { reason: StopReason::OutOfReach, .. });
    assert_eq!(moments(&log, |event| matches!(event, Event::Sustained { .. })), [1_000_000]);
    assert_eq!(moments(&log, out_of_reach), [2_000_000]);
}

/// One is there as the fight begins, and the other joins at 2 s: each is noticed then, and not before.
#[test]
fn the_fight_begins_for_each_as_it_comes() {
    let game = game(
        "[pools]\nhealth = { max = 100, defeat = true }\n\
         [status.eyes]\nduration = inf\non = [{ event = \"fight_began\", of = \"others\", does = [{ damage = 1, to = \"other\" }] }]\n\
         [character.one]\nabilities = []\nstatuses = [\"eyes\"]\n[character.two]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"one\", \"two\", { character = \"two\", joins = 2 }]\nsides.b = [\"two\"]\n",
    );
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    fight.take_control(WHO[0]).unwrap();
    fight.advance(seconds(3.0), &mut log).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Triggered { .. })), [0, 2_000_000]);
}
