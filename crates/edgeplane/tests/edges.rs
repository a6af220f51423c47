//! Edge cases found by the reference model, worked by hand.

#![allow(clippy::unwrap_used, clippy::panic)]

use crate::common::{game, moments, seconds};
use edgeplane::fight::{Event, StopReason};
use edgeplane::program::PoolId;
use edgeplane::{CombatantId, Fight, Game, Log, SideId};

const WHO: [CombatantId; 3] = [CombatantId(0), CombatantId(1), CombatantId(2)];

/// Two on one side and one on the other, controlled by the test.
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

/// One of a is charmed by b and charms the other one of a, which then is on the side of b as well: the first acted for
/// b.
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

/// A cap grants a hook, a pike the other ability of the slot, a song the hook again. When the song ends, the pike was
/// last.
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

/// A brace takes 30 of 100; a defeated combatant loses it, and does not regain those 30.
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

/// A jet along a line of 3 m is sustained on a target that is then 4 m away, within the reach of 9 m that it cannot
/// use.
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

/// One is present when the fight begins, and the other joins at 2 s: each is noticed then, and not before.
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

/// A cone of 60 degrees along the first axis: at 4 m ahead its edges are 2.31 m to the side, and a body of 0.5 m
/// reaches 0.58 m farther along that line (0.5 over the cosine of 30 degrees), on either side.
#[test]
fn a_cone_touches_bodies_beside_either_of_its_edges() {
    let hit = |y: f64| {
        let game = game(&format!(
            "[pools]\nhealth = {{ max = 100, defeat = true }}\n\
             [ability.breath]\ntargets = {{ cone = 60, length = 9 }}\ndoes = [{{ damage = 1 }}]\n\
             [policy.p]\nmove = \"hold\"\nuse = [\"breath\"]\n[character.one]\nabilities = [\"breath\"]\npolicy = \"p\"\n\
             [character.other]\nabilities = []\nbody = 0.5\n[encounter.e]\nsides.a = [{{ character = \"one\", at = [0, 0] }}]\n\
             sides.b = [{{ character = \"other\", at = [4, 0] }}, {{ character = \"other\", at = [4, {y}] }}]\n",
        ));
        let mut fight = game.fight("e", 1).unwrap();
        let mut log = Log::default();
        // The cone is aimed at the first.
        fight.take_control(WHO[0]).unwrap();
        fight.advance(seconds(0.0), &mut log).unwrap();
        let used = fight.use_ability(WHO[0], game.ability("breath").unwrap(), Some(WHO[1]), &mut log).unwrap();
        assert!(used.is_ok(), "{used:?}");
        fight.advance(seconds(1.0), &mut log).unwrap();
        moments(&log, |event| matches!(event, Event::Hit { target, .. } if *target == WHO[2])).len()
    };
    assert_eq!([2.88, -2.88, 2.9, -2.9].map(hit), [1, 1, 0, 0]);
}

#[test]
fn no_stacks_are_no_application() {
    let (game, mut fight, mut log) = three(
        "[status.pile]\nduration = 9\n[cause.wind]\ndoes = [{ apply = \"pile\", stacks = \"amount\" }]\n\
         [character.one]\nabilities = []\n[character.other]\nabilities = []\n",
    );
    let gained = |log: &Log| moments(log, |event| matches!(event, Event::StatusGained { .. })).len();
    for (amount, times) in [(0.0, 0), (1.0, 1)] {
        fight.bring_about(game.cause("wind").unwrap(), None, WHO[0], amount, &mut log).unwrap();
        assert_eq!(gained(&log), times);
    }
}

/// A blow costs 2 breath and a tenth of the missing health: at 70 of 100 it is 5, of 10, twice.
#[test]
fn a_cost_reads_the_pools_of_the_moment() {
    let game = game(
        "[pools]\nhealth = { max = 100, start = 70, defeat = true }\nbreath = { max = 10 }\n\
         [ability.blow]\ncooldown = 1\ncost = { breath = \"2 + 0.1 * self.health.missing\" }\ndoes = [{ damage = 1 }]\n\
         [character.one]\nabilities = [\"blow\"]\n[character.other]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"one\"]\nsides.b = [\"other\"]\n",
    );
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let spent = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Spent { amount, left, .. } => Some((logged.at.seconds(), amount, left)),
        _ => None,
    };
    assert_eq!(log.events.iter().filter_map(spent).collect::<Vec<_>>(), [(0.0, 5.0, 5.0), (1.0, 5.0, 0.0)]);
}

/// A source of chance is saved with the fight that draws from it.
#[test]
fn a_snapshot_takes_more_with_its_source_of_chance() {
    let (game, fight, _) = three("[character.one]\nabilities = []\n[character.other]\nabilities = []\n");
    let setup = std::sync::Arc::new(edgeplane::Setup::of(game.program(), game.encounter("e").unwrap()));
    let without = Fight::with_chance(setup, edgeplane::fight::Likely, 1);
    assert!(fight.snapshot().bytes() > without.snapshot().bytes());
}

/// 30 of 100, and 4 per second. A blow of 50 defeats at 1 s; nothing flows until the revival at 6 s, which gives 20
/// health and leaves the wind unchanged.
#[test]
fn nothing_flows_while_its_owner_is_defeated() {
    let (game, mut fight, mut log) = three(
        "wind = { max = 100, start = 30, regen = 4 }\nheat = { max = 100, start = 90, decay = { amount = 5, every = 0.5 } }\n\
         [cause.blow]\ndoes = [{ damage = 500 }]\n[cause.mercy]\ndoes = [{ revive = { health = 20 } }]\n\
         [status.airy]\nduration = 9\nmodify = [{ attribute = \"vigour\", add = 10 }]\n\
         [character.one]\nabilities = []\nstatuses = [\"airy\"]\n[character.other]\nabilities = []\n",
    );
    let pool = |name: &str| PoolId(game.program().pools().iter().position(|pool| pool.name == name).unwrap() as u16);
    let holds = |fight: &Fight| ["health", "wind", "heat"].map(|name| fight.pool(WHO[0], pool(name)));
    for (at, cause, then) in [
        (1.0, Some("blow"), [0.0, 34.0, 80.0]),
        (3.3, None, [0.0, 34.0, 80.0]),
        (6.0, Some("mercy"), [20.0, 34.0, 80.0]),
        (8.25, None, [20.0, 43.0, 60.0]),
    ] {
        fight.advance(seconds(at), &mut log).unwrap();
        if let Some(cause) = cause {
            fight.bring_about(game.cause(cause).unwrap(), Some(WHO[1]), WHO[0], 0.0, &mut log).unwrap();
            fight.advance(seconds(at), &mut log).unwrap();
        }
        assert_eq!(holds(&fight), then, "at {at} s");
        let portions = fight.pool_flow(WHO[0], pool("heat")).portions();
        assert_eq!(portions, fight.stands(WHO[0]).then_some(0.5));
    }
}

/// The ring reaches the stalker after a second and charms it. The pond, which was placed later and holds enemies of the
/// stalker's own side, holds it then as well; only after that pass it turns out that the ring holds no friends.
#[test]
fn zones_that_come_later_look_at_whom_an_earlier_one_has_charmed() {
    let game = game(
        "[pools]\nhealth = { max = 100, defeat = true }\n[status.charm]\nduration = 2\nside = \"caster\"\n\
         [zone.ring]\naffects = \"enemies\"\nradius = 5\ngrows = 1\nlasts = 9\napply = [\"charm\"]\n[zone.pond]\naffects = \"enemies\"\nradius = 2\nlasts = 9\n\
         [cause.ring]\ndoes = [{ zone = \"ring\" }]\n[cause.pond]\ndoes = [{ zone = \"pond\" }]\n\
         [character.one]\nabilities = []\n\
         [encounter.e]\nsides.a = [{ character = \"one\", at = [0, 0] }]\n\
         sides.b = [{ character = \"one\", at = [6, 0] }, { character = \"one\", at = [6, 1] }]\n",
    );
    let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
    WHO.iter().for_each(|who| fight.take_control(*who).unwrap());
    fight.advance(seconds(0.0), &mut log).unwrap();
    for (cause, by) in [("ring", WHO[0]), ("pond", WHO[2])] {
        fight.bring_about(game.cause(cause).unwrap(), Some(by), by, 0.0, &mut log).unwrap();
    }
    fight.advance(seconds(1.05), &mut log).unwrap();
    let crossings = log.events.iter().filter_map(|logged| match logged.event {
        Event::Entered { who, zone, .. } => Some((who.0, "enters", &*game.program().zones()[zone.index()].name)),
        Event::Left { who, zone, .. } => Some((who.0, "leaves", &*game.program().zones()[zone.index()].name)),
        _ => None,
    });
    assert_eq!(crossings.collect::<Vec<_>>(), [(1, "enters", "ring"), (1, "enters", "pond"), (1, "leaves", "ring")]);
}

/// A call that changes a pool of a combatant that has not joined yet crosses nothing.
#[test]
fn who_is_still_to_join_crosses_no_share() {
    let game = game(
        "[pools]\nhealth = { max = 100, defeat = true }\n[status.watchful]\nduration = 9\n\
         on = [{ event = \"pool_below\", of = \"anyone\", pool = \"health\", share = 0.5, does = [{ heal = 1 }] }]\n\
         [character.one]\nabilities = []\nstatuses = [\"watchful\"]\n[character.other]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"one\"]\nsides.b = [\"other\", { character = \"other\", joins = 2 }]\n",
    );
    let triggered = |who: CombatantId| {
        let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
        fight.advance(seconds(1.0), &mut log).unwrap();
        fight.set_pool(who, PoolId(0), 20.0).unwrap();
        fight.advance(seconds(3.0), &mut log).unwrap();
        moments(&log, |event| matches!(event, Event::Triggered { .. })).len()
    };
    assert_eq!([WHO[1], WHO[2]].map(triggered), [1, 0]);
}

/// The shell of 10 decays by 2 per second, or by 4 every two seconds: at 4 or less, which is at 3 s or at 4 s, the blow
/// is wanted.
#[test]
fn a_pool_that_decays_opens_a_line_in_the_moment_at_which_it_is_low_enough() {
    for (decay, at) in [("2", 3_000_000), ("{ amount = 4, every = 2 }", 4_000_000)] {
        let game = game(&format!(
            "[pools]\nhealth = {{ max = 100, defeat = true }}\nshell = {{ max = 10, decay = {decay} }}\n\
             [ability.blow]\nuses = 1\ndoes = [{{ damage = 1 }}]\n\
             [policy.p]\nuse = [{{ ability = \"blow\", when = \"self.shell <= 4\" }}]\n\
             [character.one]\nabilities = [\"blow\"]\npolicy = \"p\"\n[character.other]\nabilities = []\n\
             [encounter.e]\nsides.a = [\"one\"]\nsides.b = [\"other\"]\ntime_limit = 9\n"
        ));
        let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
        fight.run(&mut log).unwrap();
        assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [at], "{decay}");
    }
}

/// Both are bold, which doubles the cap of health, while more than 0.6 of it is left, and one was calm before, while
/// more than half is. At 110 of 200 neither is bold any longer: the first has 10 of 100 left, and it stops being calm
/// before the other one, which came later, is evaluated.
#[test]
fn of_conditions_that_hold_no_more_the_oldest_ends_first_each_time() {
    let (game, mut fight, mut log) = three(
        "[status.calm]\nduration = 9\nwhile = \"self.health.share > 0.5\"\n\
         [status.bold]\nduration = 9\nwhile = \"self.health.share > 0.6\"\nmodify = [{ attribute = \"vigour\", add = 100 }]\n\
         [character.one]\nabilities = []\n[character.other]\nabilities = []\n",
    );
    for (status, who) in [("calm", WHO[0]), ("bold", WHO[0]), ("bold", WHO[1])] {
        apply(&game, &mut fight, &mut log, status, who, who);
    }
    for who in [WHO[0], WHO[1]] {
        fight.set_pool(who, PoolId(0), 110.0).unwrap();
    }
    fight.advance(seconds(0.5), &mut log).unwrap();
    let lost = log.events.iter().filter_map(|logged| match logged.event {
        Event::StatusLost { target, status, .. } => Some((target.0, &*game.program().status(status).name)),
        _ => None,
    });
    assert_eq!(lost.collect::<Vec<_>>(), [(0, "bold"), (0, "calm"), (1, "bold")]);
}
