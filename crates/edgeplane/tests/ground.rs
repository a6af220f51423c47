//! The ground: reach, pursuits, retreats, pushes and circles, at times worked by hand to the microsecond.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, happened, moments, seconds};
use edgeplane::fight::{Event, UnavailableReason, seed_of_trial};
use edgeplane::{CombatantId, Ending, Fight, Game, Log, Time, TrialsPlan};
use proptest::prelude::*;

/// Two that fight with an ability of two metres' reach, until one of them has been hit for ten.
const RULES: &str = r#"
    [attributes]
    speed = 4
    [pools]
    health = { max = 10, defeat = true }
    [ability.prod]
    reach = 2
    cooldown = 1
    does = [{ damage = 10 }]
    [ability.fling]
    reach = 5
    cooldown = 9
    does = [{ damage = 1 }]
    [policy.stays]
    move = "hold"
    use = [{ ability = "prod" }]
    [policy.flings]
    move = "hold"
    use = [{ ability = "fling" }]
    [character.walker]
    abilities = ["prod"]
    [character.slow]
    extends = "walker"
    attributes = { speed = 1 }
    [character.post]
    abilities = ["prod"]
    policy = "stays"
    [character.flinger]
    abilities = ["fling"]
    policy = "flings"
"#;

pub(crate) fn with(more: &str) -> Game {
    game(&format!("{RULES}\n{more}"))
}

pub(crate) fn play(game: &Game, encounter: &str) -> (Ending, Log) {
    game.play(encounter, 1).unwrap()
}

/// The times of a combatant's uses, in microseconds.
pub(crate) fn uses(log: &Log, who: u16) -> Vec<u64> {
    moments(log, |event| matches!(event, Event::Used { caster, .. } if caster.0 == who))
}

pub(crate) fn courses(log: &Log, who: u16) -> Vec<(u64, [f64; 2])> {
    let course = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Walks { who: one, course, .. } if one.0 == who => Some((logged.at.0, course)),
        _ => None,
    };
    log.events.iter().filter_map(course).collect()
}

#[test]
fn one_walks_until_the_other_is_in_reach() {
    let game = with("[encounter.walk]\nsides.a = [\"walker\"]\nsides.b = [\"post\"]\ndistance = 10\n");
    let (ending, log) = play(&game, "walk");
    // Eight of ten metres at four per second.
    assert_eq!(uses(&log, 0), [2_000_000]);
    // The post waits for the same two metres, and both hit at the same time.
    assert_eq!(uses(&log, 1), [2_000_000]);
    assert_eq!(ending, Ending::AllDefeated);
    assert_eq!(courses(&log, 0), [(0, [4.0, 0.0]), (2_000_000, [0.0, 0.0])]);
    let refused = log.events.iter().find_map(|logged| match logged.event {
        Event::Unavailable { who: CombatantId(0), reason, .. } => Some(reason),
        _ => None,
    });
    let Some(UnavailableReason::OutOfReach { distance, reach, target, .. }) = refused else { panic!("{refused:?}") };
    assert_eq!((distance, reach, target), (10.0, 2.0, Some(CombatantId(1))));
}

#[test]
fn two_who_walk_meet_sooner() {
    let game = with("[encounter.meet]\nsides.a = [\"walker\"]\nsides.b = [\"slow\"]\ndistance = 10\n");
    // Eight metres at four and one per second together.
    assert_eq!(uses(&play(&game, "meet").1, 0), [1_600_000]);
    assert_eq!(uses(&play(&game, "meet").1, 1), [1_600_000]);
}

#[test]
fn who_holds_strikes_when_the_other_comes_into_reach() {
    let game = with("[encounter.wait]\nsides.a = [\"walker\"]\nsides.b = [\"flinger\"]\ndistance = 10\n");
    let log = play(&game, "wait").1;
    // Five of ten metres at four per second, without walking itself.
    assert_eq!(uses(&log, 1)[0], 1_250_000);
    assert!(courses(&log, 1).is_empty());
}

#[test]
fn a_chase_heads_for_where_the_other_will_be() {
    let game = with(
        "[ability.far_prod]\nreach = 1\ntargets = { pick = \"farthest\" }\ndoes = [{ damage = 10 }]\n\
         [ability.near_prod]\nreach = 1\ntargets = { pick = \"nearest\" }\ncooldown = 9\ndoes = [{ damage = 10 }]\n\
         [character.runner]\nattributes = { speed = 3 }\nabilities = [\"far_prod\"]\n\
         [character.chaser]\nattributes = { speed = 5 }\nabilities = [\"near_prod\"]\n\
         [encounter.chase]\nsides.a = [{ character = \"chaser\", at = [0, 0] }, { character = \"post\", at = [10, 100] }]\n\
         sides.b = [{ character = \"runner\", at = [10, 0] }]\n",
    );
    let log = play(&game, "chase").1;
    // |(10, 3 t)| = 5 t + 1: 16 t² + 10 t − 99 = 0, t = (√6436 − 10) / 32 = 2.194521…
    assert_eq!(uses(&log, 0), [2_194_522]);
    // It sets out for the runner's position, and at the same moment turns to where the runner will be.
    let last = courses(&log, 0)[1];
    let t = (6436_f64.sqrt() - 10.0) / 32.0;
    let long = libm::hypot(10.0, 3.0 * t);
    assert_eq!(last.0, 0);
    assert!((last.1[0] - 50.0 / long).abs() < 1e-9 && (last.1[1] - 15.0 * t / long).abs() < 1e-9, "{last:?}");
}

#[test]
fn who_cannot_be_caught_is_followed_until_it_stops() {
    let game = with(
        "[ability.far_prod]\nreach = 1\ncooldown = 9\ndoes = [{ damage = 1 }]\n\
         [character.stone]\n[policy.far]\nuse = [{ ability = \"far_prod\", when = \"now < 5\" }]\n\
         [character.runner]\nattributes = { speed = 6 }\nabilities = [\"far_prod\"]\npolicy = \"far\"\n\
         [encounter.flight]\nsides.a = [{ character = \"stone\", at = [29, 0] }, { character = \"walker\", at = [0, 0] }]\n\
         sides.b = [{ character = \"runner\", at = [4, 0] }]\ntime_limit = 20\n",
    );
    let log = play(&game, "flight").1;
    // The runner has 24 metres to go at six per second: it arrives at 4 s and stays; the walker needs 26 at four.
    assert_eq!(uses(&log, 2)[0], 4_000_000);
    assert_eq!(uses(&log, 1), [6_500_000]);
}

#[test]
fn who_is_led_by_hand_stands_walks_and_is_chased() {
    let game = with("[encounter.lead]\nsides.a = [\"walker\"]\nsides.b = [\"slow\"]\ndistance = 10\n");
    let (mut fight, mut log) = (game.fight("lead", 1).unwrap(), Log::default());
    let (walker, slow) = (CombatantId(0), CombatantId(1));
    fight.advance(seconds(0.5), &mut log).unwrap();
    // Both have set out; when the slow one is controlled by calls, it stops at once and does not act by itself.
    fight.take_control(slow).unwrap();
    assert_eq!((fight.place(walker), fight.place(slow)), ([-3.0, 0.0], [4.5, 0.0]));
    fight.walk(slow, [0.0, 3.0], &mut log).unwrap();
    // Neither another combatant's course nor none at all.
    fight.walk(walker, [9.0, 9.0], &mut log).unwrap();
    assert!(fight.walk(slow, [f64::NAN, 0.0], &mut log).is_err());
    fight.advance(seconds(0.6), &mut log).unwrap();
    assert!((fight.place(slow)[1] - 0.3).abs() < 1e-12, "{:?}", fight.place(slow));
    // The chaser has turned at half a second: |(7.5, 3 t)| = 4 t + 2, so 7 t² + 16 t − 52.25 = 0.
    fight.run(&mut log).unwrap();
    let t = (-16.0 + (256.0 + 4.0 * 7.0 * 52.25_f64).sqrt()) / 14.0;
    assert_eq!(uses(&log, 0), [500_000 + (t * 1e6).ceil() as u64]);
}

#[test]
fn a_push_costs_the_way_back_and_a_pull_saves_it() {
    let more = |does: &str| {
        format!(
            "[ability.shove]\nreach = 20\nuses = 1\ncast = 1\ndoes = [{does}]\n\
             [character.shover]\nabilities = [\"shove\"]\n\
             [encounter.shove]\nsides.a = [\"walker\"]\nsides.b = [\"shover\"]\ndistance = 10\ntime_limit = 9\n"
        )
    };
    // After a second four of ten metres are done; three more are needed, so nine less two at four per second.
    assert_eq!(uses(&play(&with(&more("{ push = 3 }")), "shove").1, 0), [2_750_000]);
    assert_eq!(uses(&play(&with(&more("{ pull = 3 }")), "shove").1, 0), [1_250_000]);
    // Never past the one that pulls.
    let log = play(&with(&more("{ pull = 30 }")), "shove").1;
    assert_eq!(uses(&log, 0), [1_000_000]);
    let shifted = log.events.iter().find_map(|logged| match logged.event {
        Event::Shifted { from, to, .. } => Some((from, to)),
        _ => None,
    });
    assert_eq!(shifted, Some(([-1.0, 0.0], [5.0, 0.0])));
}

#[test]
fn circles_take_in_who_is_near_enough_the_nearest_first() {
    let crowd = |targets: &str| {
        let game = with(&format!(
            "[ability.splash]\nuses = 1\n{targets}\ndoes = [{{ damage = 1 }}]\n[character.splasher]\nabilities = [\"splash\"]\n\
             [encounter.crowd]\nsides.a = [{{ character = \"splasher\", at = [0, 0] }}]\n\
             sides.b = [{{ character = \"post\", at = [9, 0] }}, {{ character = \"post\", at = [3, 4] }}, \
             {{ character = \"post\", at = [6, 0] }}, {{ character = \"post\", at = [7, 2] }}]\ntime_limit = 1\n"
        ));
        let log = play(&game, "crowd").1;
        let hit = |logged: &edgeplane::fight::Logged| match logged.event {
            Event::Hit { target, .. } => Some(target.0),
            _ => None,
        };
        log.events.iter().filter_map(hit).collect::<Vec<_>>()
    };
    assert_eq!(crowd("targets = { pick = \"nearest\", count = 2 }"), [2, 3]);
    assert_eq!(crowd("targets = { pick = \"farthest\" }"), [1]);
    // Around (9, 0): itself, (7, 2) at 2.83 m and (6, 0) at 3 m.
    assert_eq!(crowd("targets = { radius = 3 }"), [1, 4, 3]);
    assert_eq!(crowd("targets = { radius = 3, count = 2 }"), [1, 4]);
    // (9, 0) is the first of the encounter but out of reach; around (3, 4) there is nobody else.
    assert_eq!(crowd("reach = 6.5\ntargets = { radius = 3 }"), [2]);
    assert_eq!(crowd("targets = { radius = 6, around = \"caster\" }"), [2, 3]);
}

#[test]
fn what_takes_time_to_arrive_arrives_where_the_target_will_be() {
    let game = with(
        "[ability.lob]\nreach = 30\nuses = 1\ntravel = 10\ndoes = [{ damage = 10 }, { damage = 1, to = \"caster\" }]\n\
         [character.lobber]\nabilities = [\"lob\"]\n\
         [ability.run]\nreach = 1\ncooldown = 9\ntargets = { pick = \"farthest\" }\ndoes = [{ restore = \"health\", amount = 0 }]\n\
         [character.runner]\nabilities = [\"run\"]\n[character.stone]\n\
         [encounter.still]\nsides.a = [\"lobber\"]\nsides.b = [\"stone\"]\ndistance = 12\n\
         [encounter.nearer]\nsides.a = [\"lobber\"]\nsides.b = [\"walker\"]\ndistance = 12\n\
         [encounter.both]\nsides.a = [\"lobber\"]\nsides.b = [\"lobber\"]\ndistance = 12\n\
         [encounter.twice]\nsides.a = [{ character = \"lobber\", count = 2 }]\nsides.b = [\"stone\", \"stone\"]\ndistance = 12\n",
    );
    let hits = |encounter: &str| {
        let log = play(&game, encounter).1;
        let hit = |logged: &edgeplane::fight::Logged| match logged.event {
            Event::Hit { caster, target, dealt, .. } if caster != target => Some((logged.at.0, dealt)),
            _ => None,
        };
        log.events.iter().filter_map(hit).collect::<Vec<_>>()
    };
    // Twelve metres at ten per second.
    assert_eq!(hits("still"), [(1_200_000, 10.0)]);
    // It sets out when the game returns it to its policy: 12 / (10 + 4) s.
    assert_eq!(hits("nearer"), [(857_143, 10.0)]);
    // An ability in flight arrives although its caster is defeated at that moment: both are. (Nine of ten are left:
    // each has hurt itself by one.)
    assert_eq!(hits("both"), [(1_200_000, 9.0); 2]);
    assert_eq!(play(&game, "both").0, Ending::AllDefeated);
    // Two for the same target, the second from half a metre farther to the side: √145 / 10 s, and the target is
    // defeated by then.
    assert_eq!(hits("twice"), [(1_200_000, 10.0)]);
    let lost = moments(&play(&game, "twice").1, |event| matches!(event, Event::Lost { .. }));
    assert_eq!(lost, [1_204_160]);
    // The caster's cost is paid at the release.
    let log = play(&game, "still").1;
    assert_eq!(moments(&log, |event| matches!(event, Event::Hit { caster, target, .. } if caster == target)), [0]);
}

#[test]
fn what_is_thrown_at_a_runner_leads_it() {
    let game = with(
        "[ability.lob]\nreach = 30\nuses = 1\ncast = 1\ntravel = 10\ntargets = { pick = \"nearest\" }\ndoes = [{ damage = 10 }]\n\
         [character.lobber]\nabilities = [\"lob\"]\n[character.stone]\n\
         [ability.run]\nreach = 1\ntargets = { pick = \"farthest\" }\ndoes = [{ damage = 1 }]\n\
         [character.runner]\nabilities = [\"run\"]\n\
         [encounter.lead]\nsides.a = [{ character = \"lobber\", at = [0, 0] }, { character = \"stone\", at = [0, 100] }]\n\
         sides.b = [{ character = \"runner\", at = [0, 8] }]\n",
    );
    let log = play(&game, "lead").1;
    // The runner is at 12 m after a second and continues at four: 12 / (10 − 4) = 2 s more.
    let at = moments(&log, |event| matches!(event, Event::Hit { .. }));
    assert_eq!(at, [3_000_000]);
}

#[test]
fn formulas_read_the_distance_as_it_is_at_the_moment() {
    let game = with(
        "[ability.measure]\nreach = 8\ncast = 0.5\nuses = 1\ndoes = [{ damage = \"distance\" }]\n\
         [policy.near]\nuse = [{ ability = \"prod\", when = \"distance < 7.5\" }]\n\
         [character.gauge]\nabilities = [\"measure\"]\n[character.walks_by]\nabilities = [\"prod\"]\npolicy = \"near\"\n\
         [encounter.gauge]\nsides.a = [\"walker\"]\nsides.b = [\"gauge\"]\ndistance = 10\n\
         [encounter.near]\nsides.a = [\"walks_by\"]\nsides.b = [\"slow\"]\ndistance = 10\n",
    );
    let log = play(&game, "gauge").1;
    // Both walk at four per second until eight metres are between them at 0.25 s; the cast takes half a second, in
    // which only the walker comes two metres nearer.
    let dealt = log.events.iter().find_map(|logged| match logged.event {
        Event::Hit { caster: CombatantId(1), dealt, .. } => Some(dealt),
        _ => None,
    });
    assert_eq!((uses(&log, 1)[0], dealt), (250_000, Some(6.0)));
    // Wanted only within 7.5 m, so it stands until the slow one has come 2.5 m nearer. At 2.5 s it is just not within.
    assert_eq!(courses(&play(&game, "near").1, 0)[0].0, 2_500_001);
}

#[test]
fn a_snapshot_keeps_walks_and_flights() {
    let game = crate::common::demo();
    for seed in 0..6 {
        let mut whole = Log::default();
        let mut fight = game.fight("sluice_gate", seed).unwrap();
        fight.run(&mut whole).unwrap();
        for at in [0.5, 1.3, 2.05, 6.0] {
            let (mut before, mut after) = (Log::default(), Log::default());
            let mut fight = game.fight("sluice_gate", seed).unwrap();
            fight.advance(seconds(at), &mut before).unwrap();
            let kept = fight.snapshot();
            fight.run(&mut Log::default()).unwrap();
            fight.restore(&kept).unwrap();
            fight.run(&mut after).unwrap();
            before.events.append(&mut after.events);
            assert_eq!(happened(&whole), happened(&before), "seed {seed} at {at} s");
        }
    }
}

#[test]
fn time_out_of_reach_is_counted_by_its_reason_and_as_idleness() {
    let game = with("[encounter.walk]\nsides.a = [\"walker\"]\nsides.b = [\"post\"]\ndistance = 10\n");
    let plan = TrialsPlan { trials: 10, ..TrialsPlan::default() };
    let measures =
        ["unavailable(walker, prod, out_of_reach)", "idle(walker)", "unavailable(walker, prod, on_cooldown)"];
    let figures = game.measure("walk", &measures, &plan).unwrap();
    assert!(figures[0].value.unwrap() >= 1.0, "{figures:?}");
    assert_eq!(figures[1].value, Some(1.0), "it walks for two seconds, strikes, and that is all");
    assert_eq!(figures[2].value, Some(0.0));
}

#[test]
fn reach_and_radius_can_be_formulas_of_the_caster() {
    let game = with(
        "[ability.stretch]\nreach = \"caster.speed / 2 + level\"\nuses = 1\ntargets = { radius = \"level\" }\ndoes = [{ damage = 1 }]\n\
         [character.stretcher]\nlevel = 2\nabilities = [\"stretch\"]\n\
         [encounter.stretch]\nsides.a = [{ character = \"stretcher\", at = [0, 0] }]\n\
         sides.b = [{ character = \"post\", at = [10, 0] }, { character = \"post\", at = [11.5, 0] }, { character = \"post\", at = [12.5, 0] }]\n\
         time_limit = 3\n",
    );
    let log = play(&game, "stretch").1;
    // Four metres of reach: six to walk at four per second; two of the others are within two metres of the first.
    assert_eq!(uses(&log, 0), [1_500_000]);
    let hit = |event: &Event| matches!(event, Event::Hit { caster: CombatantId(0), .. });
    assert_eq!(moments(&log, hit), [1_500_000; 2]);
}

#[test]
fn without_places_everybody_is_in_reach_and_nobody_moves() {
    let game = with("[encounter.nowhere]\nsides.a = [\"walker\"]\nsides.b = [\"post\"]\n");
    let log = play(&game, "nowhere").1;
    assert_eq!((uses(&log, 0), courses(&log, 0).len()), (vec![0], 0));
}

/// Melee, throwers who keep their distance, pushes, slows and circles.
fn skirmish(distance: f64, speeds: [f64; 3], keep: f64, count: u32) -> Game {
    let [walker, thrower, slowed] = speeds;
    game(&format!(
        "[attributes]\nspeed = 3\n[pools]\nhealth = {{ max = 60, defeat = true }}\n\
         [status.slow]\nduration = 2\nreapply = \"refresh\"\nmodify = [{{ attribute = \"speed\", add = -{slowed} }}]\n\
         [status.stuck]\nduration = 0.7\nforbids = [\"move\"]\n\
         [ability.cut]\nreach = 1.5\ncooldown = 0.8\ncast = 0.2\ndoes = [{{ damage = \"between(3, 6)\" }}, {{ apply = \"slow\", chance = 0.3 }}]\n\
         [ability.bash]\nreach = 2\ncooldown = 4\ndoes = [{{ damage = 2 }}, {{ push = 2.5 }}]\n\
         [ability.dart]\nreach = 9\ncooldown = 1.1\ncast = 0.4\ntargets = {{ pick = \"nearest\" }}\ndoes = [{{ damage = \"4 + distance / 4\" }}]\n\
         [ability.burst]\nreach = 7\ncooldown = 6\ncast = 0.6\ntargets = {{ radius = 2.5 }}\ndoes = [{{ damage = 3 }}, {{ apply = \"stuck\" }}]\n\
         [policy.near]\nuse = [{{ ability = \"bash\" }}, {{ ability = \"cut\" }}]\n\
         [policy.far]\nmove = {{ keep_distance = {keep} }}\nuse = [{{ ability = \"burst\" }}, {{ ability = \"dart\" }}]\n\
         [character.cutter]\nabilities = [\"cut\", \"bash\"]\npolicy = \"near\"\nattributes = {{ speed = {walker} }}\n\
         [character.thrower]\nabilities = [\"dart\", \"burst\"]\npolicy = \"far\"\nattributes = {{ speed = {thrower} }}\n\
         [encounter.skirmish]\nsides.east = [{{ character = \"cutter\", count = {count} }}, \"thrower\"]\n\
         sides.west = [{{ character = \"cutter\", count = {count} }}, \"thrower\"]\ndistance = {distance}\ntime_limit = 60\n\
         [encounter.turned]\nsides.west = [{{ character = \"cutter\", count = {count} }}, \"thrower\"]\n\
         sides.east = [{{ character = \"cutter\", count = {count} }}, \"thrower\"]\ndistance = -{distance}\ntime_limit = 60\n"
    )
    .replace("distance = -", "distance = "))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn a_game_loop_sees_the_same_walks_as_a_fight_in_one_go(
        distance in 1.0..30.0, speeds in [0.5..6.0, 0.5..6.0, 0.0..4.0], keep in 1.0..9.0, count in 1_u32..4, seed: u64,
    ) {
        let game = skirmish(distance, speeds, keep, count);
        let mut at_once = Log::default();
        game.fight("skirmish", seed).unwrap().run(&mut at_once).unwrap();
        let (mut stepped, mut fight, mut frame) = (Log::default(), game.fight("skirmish", seed).unwrap(), 0);
        while fight.ending().is_none() {
            frame += 1;
            fight.advance(seconds(f64::from(frame) / 60.0), &mut stepped).unwrap();
            let kept = fight.snapshot();
            fight.advance(seconds(f64::from(frame + 30) / 60.0), &mut Log::default()).unwrap();
            fight.restore(&kept).unwrap();
        }
        prop_assert_eq!(happened(&at_once), happened(&stepped));
        prop_assert!(within_speed(&at_once, &fight, speeds));
    }

    #[test]
    fn studies_on_the_ground_are_the_same_on_any_number_of_threads(
        distance in 1.0..20.0, speeds in [0.5..6.0, 0.5..6.0, 0.0..4.0], keep in 1.0..9.0, seed: u64,
    ) {
        let game = skirmish(distance, speeds, keep, 2);
        let printed = |threads| {
            let plan = TrialsPlan { trials: 24, seed, threads: Some(threads), ..TrialsPlan::default() };
            serde_json::to_string(&game.trials("skirmish", &plan).unwrap()).unwrap()
        };
        prop_assert_eq!(printed(1), printed(2));
    }
}

/// Nobody walks faster than its speed, and a combatant that turns is where its last course has brought it.
fn within_speed(log: &Log, fight: &Fight, speeds: [f64; 3]) -> bool {
    let fastest = speeds[0].max(speeds[1]) + 1e-9;
    // The start of the course: its time, position and velocity.
    let mut legs = vec![(Time::ZERO, None::<[f64; 2]>, [0.0; 2]); fight.setup().combatants.len()];
    log.events.iter().all(|logged| match logged.event {
        Event::Walks { who, from, course, .. } => {
            let (since, place, before) = std::mem::replace(&mut legs[who.index()], (logged.at, Some(from), course));
            let passed = (logged.at - since).seconds();
            let near =
                |axis: usize| place.is_none_or(|place| (place[axis] + before[axis] * passed - from[axis]).abs() < 1e-6);
            near(0) && near(1) && libm::hypot(course[0], course[1]) <= fastest
        }
        Event::Shifted { target, to, .. } => {
            let leg = &mut legs[target.index()];
            (leg.0, leg.1) = (logged.at, Some(to));
            true
        }
        _ => true,
    })
}

#[test]
fn which_side_is_listed_first_makes_no_difference_on_the_ground() {
    let game = skirmish(12.0, [3.5, 2.5, 1.0], 5.0, 2);
    let plan = TrialsPlan { trials: 3_000, ..TrialsPlan::default() };
    let trials = game.trials("skirmish", &plan).unwrap();
    let [east, west] = [0, 1].map(|side: usize| trials.sides[side].win_rate);
    assert!(east.low < west.high && west.low < east.high, "{east:?} {west:?}");
    assert!(east.value + west.value > 0.5, "most fights are decided: {east:?} {west:?}");
    // Mirrored, everybody is at the mirrored position and draws the same chances.
    for trial in 0..200 {
        let seed = seed_of_trial(4, trial);
        let (ending, log) = game.play("skirmish", seed).unwrap();
        let (turned, other) = game.play("turned", seed).unwrap();
        let winner = |ending: Ending, game: &str| match ending {
            Ending::Won(side) => Some((side.0 == 0) == (game == "skirmish")),
            _ => None,
        };
        assert_eq!(winner(ending, "skirmish"), winner(turned, "turned"), "seed {seed}");
        assert_eq!(log.events.last().unwrap().at, other.events.last().unwrap().at, "seed {seed}");
    }
}
