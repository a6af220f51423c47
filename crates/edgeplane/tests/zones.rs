//! Zones: who is inside and when, to the microsecond, and statuses held inside.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{demo, game, moments, seconds};
use edgeplane::fight::{Event, Logged, SavedFight, seed_of_trial};
use edgeplane::{CombatantId, Ending, Fight, Game, Log, SideId, Time, TrialsPlan};
use proptest::prelude::*;

/// A combatant that places a zone at once and another one that is moved past it by calls.
const RULES: &str = r#"
    [attributes]
    speed = 4
    guard = 0
    [pools]
    health = { max = "10 + guard * 0", defeat = true }
    [status.mired]
    kind = "debuff"
    duration = 2
    reapply = "refresh"
    modify = [{ attribute = "guard", add = 5 }]
    [status.stuck]
    duration = inf
    reapply = "refresh"
    [zone.mire]
    radius = 3
    affects = "enemies"
    apply = ["mired"]
    [ability.plant]
    uses = 1
    targets = "self"
    does = [{ zone = "mire" }]
    [character.planter]
    abilities = ["plant"]
    [character.walker]
    [encounter.past]
    sides.a = [{ character = "planter", at = [0, 0] }]
    sides.b = [{ character = "walker", at = [10.4, 1.8] }]
"#;

const PLANTER: CombatantId = CombatantId(0);
const WALKER: CombatantId = CombatantId(1);

fn with(more: &str) -> Game {
    game(&format!("{RULES}\n{more}"))
}

/// A fight in which everybody but the first is controlled by calls, and the second sets out at once.
fn led(game: &Game, encounter: &str, course: [f64; 2]) -> (Fight, Log) {
    let (mut fight, mut log) = (game.fight(encounter, 1).unwrap(), Log::default());
    fight.setup().ids().skip(1).for_each(|who| fight.take_control(who).unwrap());
    fight.walk(WALKER, course, &mut log).unwrap();
    (fight, log)
}

/// The times at which a combatant entered and left a zone.
fn crossings(log: &Log, one: CombatantId) -> (Vec<u64>, Vec<u64>) {
    (
        moments(log, |event| matches!(event, Event::Entered { who, .. } if *who == one)),
        moments(log, |event| matches!(event, Event::Left { who, .. } if *who == one)),
    )
}

fn lost(log: &Log) -> Vec<u64> {
    moments(log, |event| matches!(event, Event::StatusLost { .. }))
}

#[test]
fn edges_are_crossed_to_the_microsecond() {
    let (mut fight, mut log) = led(&with(""), "past", [-4.0, 0.0]);
    fight.advance(seconds(9.0), &mut log).unwrap();
    // At 1.8 m beside the middle the edge is 2.4 m away along the path: 8 m and 12.8 m at four per second, and then the
    // microsecond in which it is outside instead of on the edge.
    assert_eq!(crossings(&log, WALKER), (vec![2_000_000], vec![3_200_001]));
    // The status continues for its own two seconds.
    assert_eq!(lost(&log), [5_200_001]);
    let guard = |at: f64| {
        let (mut fight, mut log) = led(&with(""), "past", [-4.0, 0.0]);
        fight.advance(seconds(at), &mut log).unwrap();
        fight.attribute(WALKER, fight.setup().program().find_attribute("guard").unwrap())
    };
    assert_eq!([1.999_999, 2.0, 5.2, 5.200_001].map(guard), [0.0, 5.0, 5.0, 0.0]);
}

#[test]
fn who_passes_by_or_turns_round_is_not_taken_for_one_inside() {
    let (mut fight, mut log) = led(&with(""), "past", [-4.0, 0.7]);
    fight.advance(seconds(9.0), &mut log).unwrap();
    assert_eq!(crossings(&log, WALKER), (vec![], vec![]));
    let (mut fight, mut log) = led(&with(""), "past", [-4.0, 0.0]);
    fight.advance(seconds(1.999_999), &mut log).unwrap();
    fight.walk(WALKER, [4.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!(crossings(&log, WALKER), (vec![], vec![]));
    fight.walk(WALKER, [-8.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(9.0), &mut log).unwrap();
    // At 5 s it is 2.4 m and its path since then from where it would have entered: 12.000004 m, at eight per second.
    assert_eq!(crossings(&log, WALKER).0, [6_500_001]);
}

/// A zone that moves with its owner, who walks toward a standing combatant.
#[test]
fn a_carried_zone_comes_over_those_who_stand_and_ends_with_its_carrier() {
    let game = with(
        "[zone.haze]\nradius = 2\ncarried = true\naffects = \"everyone\"\napply = [\"stuck\"]\n\
         [ability.exhale]\nuses = 1\ntargets = \"self\"\ndoes = [{ zone = \"haze\" }]\n\
         [ability.swat]\nreach = 99\nuses = 1\ncast = 5\ndoes = [{ damage = 99 }]\n\
         [character.hazy]\nabilities = [\"exhale\"]\n[character.swatter]\nabilities = [\"swat\"]\n\
         [encounter.over]\nsides.a = [{ character = \"hazy\", at = [0, 0] }]\n\
         sides.b = [{ character = \"walker\", at = [10, 0] }]\nsides.c = [{ character = \"swatter\", at = [0, 50] }]\n",
    );
    let (mut fight, mut log) = (game.fight("over", 1).unwrap(), Log::default());
    fight.advance(Time::ZERO, &mut log).unwrap();
    let hazy = CombatantId(0);
    fight.take_control(hazy).unwrap();
    fight.walk(hazy, [2.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(4.5), &mut log).unwrap();
    // Eight metres at two per second; everyone but its owner.
    assert_eq!([WALKER, hazy].map(|who| crossings(&log, who)), [(vec![4_000_000], vec![]), (vec![], vec![])]);
    let middles: Vec<[f64; 2]> = fight.zones().map(|(_, _, middle, _)| middle).collect();
    assert_eq!(middles, [[9.0, 0.0]]);
    fight.advance(seconds(9.0), &mut log).unwrap();
    // The carrier is defeated before the walker would be out, and a status without a duration ends with the zone.
    assert_eq!(moments(&log, |event| matches!(event, Event::ZoneEnded { .. })), [5_000_000]);
    assert_eq!((fight.zones().count(), lost(&log)), (0, vec![5_000_000]));
}

#[test]
fn what_has_no_end_of_its_own_ends_outside_and_what_is_there_for_good_stays() {
    let more = |statuses: &str| {
        with(&format!(
            "[zone.bog]\nradius = 3\naffects = \"enemies\"\napply = [\"stuck\"]\n[ability.sow]\nuses = 1\ntargets = \"self\"\ndoes = [{{ zone = \"bog\" }}]\n\
             [character.sower]\nabilities = [\"sow\"]\n[character.native]\nstatuses = [{statuses}]\n\
             [encounter.bog]\nsides.a = [{{ character = \"sower\", at = [0, 0] }}]\nsides.b = [{{ character = \"native\", at = [7, 0] }}]\n"
        ))
    };
    for (statuses, ends) in [("", vec![2_500_001]), ("\"stuck\"", vec![])] {
        let (mut fight, mut log) = led(&more(statuses), "bog", [-4.0, 0.0]);
        fight.advance(seconds(9.0), &mut log).unwrap();
        assert_eq!((crossings(&log, WALKER), lost(&log)), ((vec![1_000_000], vec![2_500_001]), ends));
    }
}

#[test]
fn a_zone_ends_when_its_time_is_up_and_what_it_says_of_leaving_happens() {
    let game = with(
        "[zone.brief]\nradius = 9\nlasts = 3\naffects = \"everyone\"\nowner = true\n\
         enters = [{ damage = 1 }, { apply = \"mired\" }]\nleaves = [{ damage = 2 }, { heal = 1, to = \"caster\" }]\n\
         [ability.brew]\ncooldown = 2\ntargets = \"self\"\ndoes = [{ zone = \"brief\" }]\n\
         [character.brewer]\nabilities = [\"brew\"]\n\
         [encounter.brew]\nsides.a = [{ character = \"brewer\", at = [0, 0] }]\nsides.b = [{ character = \"walker\", at = [1, 0] }]\ntime_limit = 4.5\n",
    );
    let (mut fight, mut log) = led(&game, "brew", [0.0, 0.0]);
    fight.advance(seconds(1.0), &mut log).unwrap();
    assert_eq!(crossings(&log, PLANTER), (vec![0], vec![]));
    // The next one ends the one before, as it may have only one: out of one and into the other.
    fight.advance(seconds(4.4), &mut log).unwrap();
    assert_eq!(crossings(&log, WALKER), (vec![0, 2_000_000, 4_000_000], vec![]));
    let hits = moments(&log, |event| matches!(event, Event::Hit { target: WALKER, .. }));
    assert_eq!(hits, [0, 2_000_000, 2_000_000, 4_000_000, 4_000_000]);
    assert_eq!(moments(&log, |event| matches!(event, Event::ZoneEnded { .. })), [2_000_000, 4_000_000]);
    // No zone holds it, as an effect of entering does not hold: its two seconds are over when the next one comes.
    assert_eq!(lost(&log), [2_000_000, 2_000_000, 4_000_000, 4_000_000]);
}

#[test]
fn overlapping_zones_hold_until_the_last_is_left() {
    let game = with(
        "[encounter.two]\nsides.a = [{ character = \"planter\", at = [0, 0] }, { character = \"planter\", at = [4, 0] }]\n\
         sides.b = [{ character = \"walker\", at = [11, 0] }]\n",
    );
    let (mut fight, mut log) = (game.fight("two", 1).unwrap(), Log::default());
    let walker = CombatantId(2);
    fight.take_control(walker).unwrap();
    fight.walk(walker, [-4.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(9.0), &mut log).unwrap();
    // Into the one at 7 m, into the other at 3 m, out of the one at 1 m, out of the other at -3 m.
    assert_eq!(crossings(&log, walker), (vec![1_000_000, 2_000_000], vec![2_500_001, 3_500_001]));
    assert_eq!(moments(&log, |event| matches!(event, Event::StatusMoved { .. })), [3_500_001]);
    assert_eq!(lost(&log), [5_500_001]);
}

#[test]
fn who_is_pushed_out_is_out_at_that_moment() {
    let game = with(
        "[ability.shove]\nuses = 1\ncast = 1\nreach = 9\ndoes = [{ push = 5 }]\n\
         [character.shover]\nabilities = [\"plant\", \"shove\"]\n\
         [encounter.shove]\nsides.a = [{ character = \"shover\", at = [0, 0] }]\nsides.b = [{ character = \"walker\", at = [1, 0] }]\n",
    );
    let (mut fight, mut log) = led(&game, "shove", [0.0, 0.0]);
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!(crossings(&log, WALKER), (vec![0], vec![1_000_000]));
    assert_eq!(lost(&log), [3_000_000]);
}

#[test]
fn an_edge_can_kill_and_without_places_everyone_is_inside() {
    let more = "[zone.blades]\nradius = 3\naffects = \"enemies\"\nenters = [{ damage = 99 }]\n\
                [ability.hedge]\nuses = 1\ntargets = \"self\"\ndoes = [{ zone = \"blades\" }]\n[character.hedger]\nabilities = [\"hedge\"]\n";
    let game = with(&format!(
        "{more}[encounter.hedge]\nsides.a = [{{ character = \"hedger\", at = [0, 0] }}]\nsides.b = [{{ character = \"walker\", at = [7, 0] }}]\n"
    ));
    let (mut fight, mut log) = led(&game, "hedge", [-4.0, 0.0]);
    let ending = fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!((ending, fight.now()), (Some(Ending::Won(SideId(0))), seconds(1.0)));
    let game = with(&format!("{more}[encounter.near]\nsides.a = [\"hedger\"]\nsides.b = [\"walker\"]\n"));
    let (ending, log) = game.play("near", 1).unwrap();
    assert_eq!((ending, log.events.last().unwrap().at), (Ending::Won(SideId(0)), Time::ZERO));
}

#[test]
fn the_demo_on_the_flats_is_the_same_however_it_is_looked_at() {
    let game = demo();
    let mut crossed = 0;
    for trial in 0..10 {
        let seed = seed_of_trial(4, trial);
        let whole = game.play("flats", seed).unwrap();
        let (mut fight, mut log, mut at) = (game.fight("flats", seed).unwrap(), Log::default(), 0);
        while fight.ending().is_none() {
            at += 16_667;
            fight.advance(Time(at), &mut log).unwrap();
            if at % 50_001 == 0 {
                let kept = fight.snapshot();
                fight.advance(Time(at + 2_000_000), &mut Log::default()).unwrap();
                fight.restore(&kept).unwrap();
            }
        }
        crossed += moments(&log, |event| matches!(event, Event::Left { .. })).len();
        assert_eq!((fight.ending().unwrap(), log), whole);
    }
    assert!(crossed > 20, "{crossed}");
    let on = |threads| {
        let plan = TrialsPlan { trials: 100, threads: Some(threads), ..TrialsPlan::default() };
        serde_json::to_string(&game.trials("flats", &plan).unwrap()).unwrap()
    };
    assert_eq!(on(1), on(2));
}

/// A combatant that is pushed out is hurt, and heals when it is pulled in again; a policy that reads its health
/// evaluates it each time.
#[test]
fn edges_that_push_back_and_forth_end_with_an_error() {
    let game = with(
        "[zone.bellows]\nradius = 3\naffects = \"enemies\"\nenters = [{ damage = 1 }, { push = 9 }]\nleaves = [{ heal = 1 }, { pull = 9 }]\n\
         [ability.blow]\nuses = 1\ntargets = \"self\"\ndoes = [{ zone = \"bellows\" }]\n\
         [ability.watch]\ncooldown = 5\ndoes = [{ damage = 0 }]\n\
         [policy.watches]\nuse = [{ ability = \"blow\" }, { ability = \"watch\", when = \"target.health.share < 95%\" }]\n\
         [character.blower]\nabilities = [\"blow\", \"watch\"]\npolicy = \"watches\"\n\
         [encounter.bellows]\nsides.a = [{ character = \"blower\", at = [0, 0] }]\nsides.b = [{ character = \"walker\", at = [1, 0] }]\ntime_limit = 9\n",
    );
    let printed = game.play("bellows", 1).unwrap_err().to_string();
    assert!(printed.contains("move combatants in and out without time passing"), "{printed}");
}

#[test]
fn numbers_of_zones_are_among_those_that_matter() {
    let game = demo();
    let paths = |encounter: &str| -> Vec<String> {
        game.numbers_of(encounter).unwrap().into_iter().map(|number| number.path).collect()
    };
    for path in ["zone.mire.radius", "zone.lamp_pool.lasts", "status.mired.modify.0.percent"] {
        assert!(paths("flats").iter().any(|one| one == path), "{path}");
        assert!(!paths("duel").iter().any(|one| one == path), "{path}");
    }
}

#[test]
fn the_sides_mirror_each_other_on_ground_that_hurts() {
    let sides = |first: (&str, i32), second: (&str, i32)| {
        let side = |(name, x): (&str, i32)| {
            format!("sides.{name} = [{{ character = \"fighter\", count = 2, at = [{x}, 0], spread = 3 }}]\n")
        };
        with(&format!(
            "[zone.thorns]\nradius = 1.5\nlasts = 4\naffects = \"everyone\"\napply = [\"mired\"]\nenters = [{{ damage = 1, spread = 0.5 }}]\n\
             [ability.sow]\ncooldown = 3\ncast = 0.3\nreach = 6\ntargets = {{ pick = \"nearest\" }}\ndoes = [{{ zone = \"thorns\" }}, {{ push = 1 }}]\n\
             [ability.prod]\nreach = 2\ncooldown = 1\ntargets = {{ pick = \"nearest\" }}\ndoes = [{{ damage = 1, spread = 0.5 }}]\n\
             [character.fighter]\nabilities = [\"sow\", \"prod\"]\n[encounter.even]\n{}{}time_limit = 60\n",
            side(first),
            side(second)
        ))
    };
    let (one, other) = (sides(("east", -6), ("west", 6)), sides(("west", 6), ("east", -6)));
    let mut won = 0;
    for seed in 0..100 {
        let ((a, log_a), (b, log_b)) = (one.play("even", seed).unwrap(), other.play("even", seed).unwrap());
        assert_eq!(a.winner().map(|side| side.0), b.winner().map(|side| 1 - side.0));
        assert_eq!(log_a.events.last().unwrap().at, log_b.events.last().unwrap().at);
        won += u32::from(a.winner().is_some());
    }
    assert!(won > 50, "{won}");
}

/// The path of a combatant over time: a course of some metres per second along each axis.
fn walks() -> impl Strategy<Value = Vec<(u64, usize, f64, f64)>> {
    prop::collection::vec((1..2_000_000_u64, 1..4_usize, -5.0..5.0, -5.0..5.0), 1..12)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Whatever the paths, at every moment those inside are those that are near enough, and those have the status.
    #[test]
    fn those_inside_are_those_who_are_near_enough(walks in walks()) {
        let game = with(
            "[zone.bog]\nradius = 3\naffects = \"everyone\"\napply = [\"stuck\"]\n[zone.haze]\nradius = 2.5\ncarried = true\naffects = \"enemies\"\napply = [\"mired\"]\n\
             [ability.sow]\nuses = 1\ntargets = \"self\"\ndoes = [{ zone = \"bog\" }, { zone = \"haze\" }]\n[character.sower]\nabilities = [\"sow\"]\n\
             [encounter.bog]\nsides.a = [{ character = \"sower\", at = [0, 0] }]\nsides.b = [{ character = \"walker\", count = 3, at = [2, 0], spread = 2 }]\n",
        );
        let (mut fight, mut log) = (game.fight("bog", 1).unwrap(), Log::default());
        fight.advance(Time::ZERO, &mut log).unwrap();
        fight.setup().ids().for_each(|who| fight.take_control(who).unwrap());
        let mut inside = std::collections::BTreeSet::new();
        let mut printed = 0;
        for (wait, who, x, y) in walks {
            fight.advance(Time(fight.now().0 + wait), &mut log).unwrap();
            for Logged { event, .. } in &log.events[printed..] {
                match *event {
                    Event::Entered { who, zone, .. } => prop_assert!(inside.insert((zone, who))),
                    Event::Left { who, zone, .. } => prop_assert!(inside.remove(&(zone, who))),
                    _ => {}
                }
            }
            printed = log.events.len();
            let zones: Vec<_> = fight.zones().map(|(_, _, middle, radius)| (middle, radius)).collect();
            for (number, (middle, radius)) in zones.into_iter().enumerate() {
                for who in [1, 2, 3].map(CombatantId) {
                    let place = fight.place(who);
                    let away = libm::hypot(place[0] - middle[0], place[1] - middle[1]) - radius;
                    if away.abs() > 1e-4 {
                        let is_in = inside.contains(&(edgeplane::program::ZoneId(number as u16 + 1), who));
                        prop_assert_eq!(is_in, away < 0.0, "{} of {}: {}", number, who.0, away);
                        let status = if number == 0 { "stuck" } else { "mired" };
                        let id = game.program().find_status(status).unwrap();
                        let has = fight.statuses(who).unwrap().iter().any(|one| one.status == id);
                        prop_assert!(has || !is_in);
                        prop_assert!(number == 1 || has == is_in);
                    }
                }
            }
            fight.walk(CombatantId(who as u16 % 4), [x, y], &mut log).unwrap();
        }
    }
}

/// The times at which a combatant that stands `away` and walks at `course` enters and leaves a zone that begins at 3 m
/// and grows.
fn growing(growth: &str, away: f64, course: [f64; 2], lasts: f64) -> (Vec<u64>, Vec<u64>) {
    let rules = RULES.replace("radius = 3\n", &format!("radius = 3\n    grows = {growth}\n"));
    let rules = rules.replace("at = [10.4, 1.8]", &format!("at = [{away}, 0]"));
    let (mut fight, mut log) = led(&game(&rules), "past", course);
    fight.advance(seconds(lasts), &mut log).unwrap();
    crossings(&log, WALKER)
}

#[test]
fn the_edge_of_a_zone_that_grows_is_crossed_when_it_comes() {
    // Half a metre per second from 3 m: it reaches a combatant at 5 m after 4 s.
    assert_eq!(growing("0.5", 5.0, [0.0, 0.0], 20.0), (vec![4_000_000], vec![]));
    // Toward it at 2 m/s from 13 m: 10 m at 2.5 m/s. Through the middle and out again: 2 t - 13 = 3 + t / 2.
    let (entered, left) = growing("0.5", 13.0, [-2.0, 0.0], 20.0);
    assert_eq!(entered, [4_000_000]);
    assert!((10_666_666..=10_666_670).contains(&left[0]), "{left:?}");
    // Away from it more slowly than it grows: caught, and never out.
    assert_eq!(growing("1", 4.0, [0.5, 0.0], 20.0), (vec![2_000_000], vec![]));
}

#[test]
fn a_zone_that_shrinks_leaves_behind_who_stands_in_it() {
    // From 3 m by half a metre a second: past 2 m after 2 s, with a hair.
    let (entered, left) = growing("-0.5", 2.0, [0.0, 0.0], 20.0);
    assert_eq!(entered, [0]);
    assert!((2_000_000..=2_000_010).contains(&left[0]) && left.len() == 1, "{left:?}");
    // Shrunk to a point after 6 s; a later arrival finds nothing.
    assert_eq!(growing("-0.5", 40.0, [-4.0, 0.0], 9.0), (vec![], vec![]));
}

/// The time at which a combatant crosses an edge does not depend on other arrivals and departures, other zones, or a
/// save.
#[test]
fn edges_are_crossed_on_time_while_others_come_and_go() {
    let zones = "[pools]\nhealth = { max = 9, defeat = true }\n[zone.puddle]\nradius = 2\nlasts = 30\naffects = \"everyone\"\n[zone.drizzle]\nradius = 50\nlasts = 4\naffects = \"everyone\"\n\
        [ability.spill]\ndoes = [{ zone = \"puddle\" }]\n[ability.spray]\ndoes = [{ zone = \"drizzle\" }]\n\
        [character.crow]\nabilities = []\n[encounter.e]\nsides.a = [{ character = \"crow\", at = [0, 0] }]\nsides.b = [{ character = \"crow\", at = [1, 0] }]\n";
    let game = game(zones);
    let (mut fight, mut log) = (game.world_on_ground(&["wall", "reeds"], 1), Log::default());
    let crow = game.character("crow").unwrap();
    let come = |fight: &mut Fight, place| fight.spawn(crow, SideId(0), place, &mut Log::default()).unwrap();
    let [first, walker] = [[0.0; 2], [10.0, 0.0]].map(|place| come(&mut fight, place));
    let [first, walker] = [first, walker].map(|handle| fight.combatant(handle).unwrap());
    let [spill, spray] = ["spill", "spray"].map(|name| game.ability(name).unwrap());
    for ability in [spray, spill] {
        fight.apply_effects(first, ability, first, &mut log).unwrap();
    }
    fight.set_motion(walker, [10.0, 0.0], [-1.0, 0.0]).unwrap();
    let mut handles = Vec::new();
    for second in 1..14 {
        fight.advance(Time::from_seconds(f64::from(second)), &mut log).unwrap();
        handles.push(come(&mut fight, [f64::from(second), 30.0]));
        if second % 3 == 0 {
            fight.despawn(handles.remove(0), &mut log).unwrap();
            fight.apply_effects(first, spray, first, &mut log).unwrap();
        }
        if second == 7 {
            let saved: SavedFight = serde_json::from_str(&serde_json::to_string(&fight.save()).unwrap()).unwrap();
            fight = game.load(&saved).unwrap();
        }
    }
    let puddle = game.program().zones().iter().position(|zone| zone.name == "puddle");
    let crossed = log.events.iter().filter(|one| match one.event {
        Event::Entered { who, zone, .. } | Event::Left { who, zone, .. } => {
            who == walker && Some(zone.index()) == puddle
        }
        _ => false,
    });
    let times: Vec<u64> = crossed.map(|one| one.at.0).collect();
    assert_eq!(times, [8_000_000, 12_000_002]);
}
