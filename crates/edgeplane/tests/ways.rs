//! Changes for busy and waiting combatants while others join, leave and are moved, at times worked by hand.

#![allow(clippy::unwrap_used, clippy::panic)]

use crate::common::{game, moments, seconds};
use edgeplane::fight::{Event, EventMask, Observer};
use edgeplane::{CombatantId, Fight, Game, Log, Time};
use proptest::prelude::*;

const ONE: CombatantId = CombatantId(0);
const OTHER: CombatantId = CombatantId(1);

/// A combatant that strikes at two metres every four seconds, another one controlled by the test, and further rules.
fn with(more: &str) -> Game {
    game(&format!(
        "[attributes]\nspeed = 4\n[pools]\nhealth = {{ max = 100, defeat = true }}\n\
         [ability.strike]\nreach = 2\ncooldown = 4\ndoes = [{{ damage = 1 }}]\n\
         [character.striker]\nabilities = [\"strike\"]\n[character.led]\nabilities = []\n{more}"
    ))
}

/// A fight of an encounter in which the first of the other side is controlled by calls, after a number of seconds.
fn led(game: &Game, until: f64) -> (Fight, Log) {
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    fight.take_control(OTHER).unwrap();
    fight.advance(seconds(until), &mut log).unwrap();
    (fight, log)
}

fn uses(game: &Game, log: &Log, ability: &str) -> Vec<u64> {
    let wanted = game.ability(ability).unwrap();
    moments(log, |event| matches!(event, Event::Used { caster: ONE, ability, .. } if *ability == wanted))
}

/// The reasons for which an ability was unavailable, as they changed.
fn reasons(game: &Game, log: &Log, ability: &str) -> Vec<(u64, &'static str)> {
    let wanted = game.ability(ability).unwrap();
    let why = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Unavailable { who: ONE, ability, reason } if ability == wanted => Some((logged.at.0, reason.name())),
        _ => None,
    };
    log.events.iter().filter_map(why).collect()
}

fn courses(log: &Log) -> Vec<(u64, [f64; 2])> {
    let course = |logged: &edgeplane::fight::Logged| match logged.event {
        Event::Walks { who: ONE, course, .. } => Some((logged.at.0, course)),
        _ => None,
    };
    log.events.iter().filter_map(course).collect()
}

#[test]
fn who_was_busy_looks_again_who_has_come() {
    let game = with(
        "[ability.throw]\nreach = 20\nrecovery = 3\ncooldown = 9\ndoes = [{ damage = 1 }]\n\
         [policy.stays]\nmove = \"hold\"\nuse = [\"strike\", \"throw\"]\n\
         [character.thrower]\nabilities = [\"strike\", \"throw\"]\npolicy = \"stays\"\n\
         [encounter.e]\nsides.a = [\"thrower\"]\nsides.b = [\"led\"]\ndistance = 10\n",
    );
    // It decided while the other stood; the other approaches while it recovers from its throw.
    let (mut fight, mut log) = led(&game, 0.5);
    fight.walk(OTHER, [-4.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(2.5), &mut log).unwrap();
    fight.walk(OTHER, [0.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(8.0), &mut log).unwrap();
    assert_eq!(uses(&game, &log, "throw"), [0]);
    assert_eq!(uses(&game, &log, "strike"), [3_000_000, 7_000_000]);
}

#[test]
fn who_waits_for_a_cooldown_goes_along_with_one_that_leaves() {
    let game = with("[encounter.e]\nsides.a = [\"striker\"]\nsides.b = [\"led\"]\ndistance = 2\n");
    let (mut fight, mut log) = led(&game, 1.0);
    assert_eq!(courses(&log), []);
    fight.walk(OTHER, [3.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(3.0), &mut log).unwrap();
    assert_eq!(courses(&log), [(1_000_000, [3.0, 0.0])]);
    assert_eq!((fight.place(ONE)[0], fight.place(OTHER)[0]), (5.0, 7.0));
    // A faster one is followed as fast as possible: from 3 s on it is 2 + t metres ahead.
    fight.walk(OTHER, [5.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(3.9), &mut log).unwrap();
    assert!((fight.place(OTHER)[0] - fight.place(ONE)[0] - 2.9).abs() < 1e-9);
    // It stops at 3.9 s. By 4 s, when the strike is ready, 0.4 m of the excess 0.9 m are made up for.
    fight.walk(OTHER, [0.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!(uses(&game, &log, "strike"), [0, 4_125_000]);
}

#[test]
fn a_path_turns_once_its_target_is_six_degrees_beside_it() {
    let game = with("[encounter.e]\nsides.a = [\"striker\"]\nsides.b = [\"led\"]\ndistance = 20\n");
    let (mut fight, mut log) = led(&game, 1.0);
    fight.walk(OTHER, [0.0, 8.0], &mut log).unwrap();
    fight.advance(seconds(1.9), &mut log).unwrap();
    // Sixteen metres ahead; 8 t to the side are a tenth of the 16 - 4 t along the path after 1.6 / 8.4 s.
    let turned = courses(&log)[1];
    let t = 1.6 / 8.4;
    assert_eq!(turned.0, 1_000_000 + (t * 1e6_f64).ceil() as u64);
    let tangent = 8.0 * t / (16.0 - 4.0 * t);
    assert!((turned.1[1] / turned.1[0] - tangent).abs() < 1e-5 && (tangent - 0.1).abs() < 1e-9, "{turned:?}");
    // Nothing turns behind one that moves straight away.
    let (mut fight, mut log) = led(&game, 1.0);
    fight.walk(OTHER, [8.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(20.0), &mut log).unwrap();
    assert_eq!(courses(&log), [(0, [4.0, 0.0])]);
}

#[test]
fn a_follower_checks_once_a_second_for_a_nearer_target() {
    let game = with(
        "[ability.jab]\nreach = 1\ntargets = { pick = \"nearest\" }\ndoes = [{ damage = 1 }]\n\
         [character.jabber]\nabilities = [\"jab\"]\n[character.stone]\nabilities = []\nattributes = { speed = 0 }\n\
         [encounter.e]\nsides.a = [{ character = \"jabber\", at = [0, 0] }]\n\
         sides.b = [{ character = \"led\", at = [10, 0] }, { character = \"stone\", at = [20, 3] }]\n",
    );
    let (mut fight, mut log) = led(&game, 1.0);
    fight.walk(OTHER, [8.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(4.0), &mut log).unwrap();
    // The stone is nearer when 6 + 4 t = |(16 - 4 t, 3)|, after 1.3 s; that is noticed at the second evaluation.
    let long = 73.0_f64.sqrt();
    let expected = [(0, [4.0, 0.0]), (3_000_000, [8.0, 3.0].map(|part| part / long * 4.0))];
    assert_eq!(courses(&log), expected);
}

#[test]
fn a_target_moved_into_reach_is_hit_in_that_moment() {
    let game = with(
        "[encounter.e]\nsides.a = [{ character = \"post\", at = [0, 0] }]\nsides.b = [{ character = \"led\", at = [10, 0] }]\n\
         [policy.stays]\nmove = \"hold\"\nuse = [\"strike\"]\n\
         [character.post]\nextends = \"striker\"\npolicy = \"stays\"\n",
    );
    for place in [[1.0, 1.5], [2.0, 0.0], [2.000_000_5, 0.0]] {
        let (mut fight, mut log) = led(&game, 1.5);
        fight.set_motion(OTHER, place, [0.0; 2]).unwrap();
        fight.advance(seconds(2.0), &mut log).unwrap();
        assert_eq!(uses(&game, &log, "strike"), [1_500_000], "{place:?}");
    }
}

#[test]
fn a_window_that_closes_on_the_way_ends_the_way() {
    let game = with(
        "[ability.wave]\nuses = 1\nrecovery = 0.5\ntargets = \"self\"\ndoes = [{ report = \"waved\" }]\n\
         [ability.rush]\nreach = 1\ncooldown = 9\nafter = { ability = \"wave\", within = 1.5 }\ndoes = [{ damage = 5 }]\n\
         [ability.throw]\nreach = 20\ncooldown = 9\nrecovery = 0.25\ndoes = [{ damage = 1 }]\n\
         [policy.rushes]\nuse = [\"wave\", \"throw\", \"rush\"]\n\
         [character.rusher]\nabilities = [\"wave\", \"rush\", \"throw\"]\npolicy = \"rushes\"\n\
         [encounter.e]\nsides.a = [\"rusher\"]\nsides.b = [\"led\"]\ndistance = 10\n",
    );
    let (_, log) = led(&game, 5.0);
    let why = reasons(&game, &log, "rush");
    assert_eq!(why, [(750_000, "out_of_reach"), (1_500_001, "not_open")]);
    // Then no line is closed by distance: the throw that it will want next is in reach from its position.
    assert_eq!(courses(&log), [(750_000, [4.0, 0.0]), (1_500_001, [0.0, 0.0])]);
}

#[test]
fn a_window_that_closes_is_the_reason_from_then_on_whatever_was_before() {
    let game = game(
        "[pools]\nhealth = { max = 100, defeat = true }\nwind = { max = 50, start = 0, regen = 1 }\n\
         [ability.wave]\nuses = 1\nrecovery = 0.5\ntargets = \"self\"\ndoes = [{ report = \"waved\" }]\n\
         [ability.rush]\ncost = { wind = 20 }\nafter = { ability = \"wave\", within = 1.5 }\ndoes = [{ damage = 5 }]\n\
         [character.rusher]\nabilities = [\"wave\", \"rush\"]\n[character.led]\nabilities = []\n\
         [encounter.e]\nsides.a = [\"rusher\"]\nsides.b = [\"led\"]\n",
    );
    let (_, log) = led(&game, 5.0);
    assert_eq!(reasons(&game, &log, "rush"), [(500_000, "cannot_afford"), (1_500_001, "not_open")]);
}

#[test]
fn a_cone_reaches_no_farther_than_its_length() {
    let game = with(
        "[ability.sweep]\ncooldown = 9\ntargets = { cone = 60, length = 3 }\ndoes = [{ damage = 5 }]\n\
         [character.sweeper]\nabilities = [\"sweep\"]\n\
         [encounter.e]\nsides.a = [\"sweeper\"]\nsides.b = [\"led\"]\ndistance = 10\n",
    );
    let (_, log) = led(&game, 5.0);
    // Seven of ten metres at four per second.
    assert_eq!(uses(&game, &log, "sweep"), [1_750_000]);
    let hit = |event: &Event| matches!(event, Event::Hit { target: OTHER, dealt: 5.0, .. });
    assert_eq!(moments(&log, hit), [1_750_000]);
}

#[test]
fn a_cone_toward_a_taunter_waits_for_the_taunter() {
    let game = with(
        "[ability.sweep]\ncooldown = 1\ntargets = { cone = 60, length = 3 }\ndoes = [{ damage = 5 }]\n\
         [status.jeer]\nduration = 2\ntaunts = true\n\
         [policy.stays]\nmove = \"hold\"\nuse = [\"sweep\"]\n\
         [character.sweeper]\nabilities = [\"sweep\"]\npolicy = \"stays\"\n\
         [encounter.e]\nsides.a = [{ character = \"sweeper\", at = [0, 0] }]\n\
         sides.b = [{ character = \"led\", at = [8, 0] }, { character = \"led\", at = [2, 0] }]\n",
    );
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    let jeer = game.status("jeer").unwrap();
    fight.advance(seconds(0.5), &mut log).unwrap();
    fight.apply_status(jeer, OTHER, ONE, 1, &mut log).unwrap();
    fight.advance(seconds(3.2), &mut log).unwrap();
    // The near one is in the cone toward the far one, and it still walks toward the far one.
    assert_eq!(uses(&game, &log, "sweep"), [0, 2_500_000]);
}

#[test]
fn a_status_that_hides_affects_the_whole_side_and_zones_those_who_join() {
    let game = game(
        "[attributes]\nspeed = 4\n[pools]\nhealth = { max = 100, defeat = true }\n\
         [status.hidden]\nduration = 3\nuntargetable = \"everyone\"\n\
         [status.damp]\nduration = inf\n\
         [zone.fog]\nradius = 5\naffects = \"allies\"\nowner = true\napply = [\"damp\"]\n\
         [ability.hide]\nuses = 1\ntargets = \"self\"\ndoes = [{ zone = \"fog\" }, { apply = \"hidden\", to = \"allies\" }]\n\
         [character.scout]\nabilities = []\n[character.leader]\nabilities = [\"hide\"]\n\
         [encounter.e]\nsides.a = [\"leader\", { character = \"scout\", count = 3 }, { character = \"scout\", joins = 2 }]\n\
         sides.b = [\"scout\"]\ntime_limit = 4\n",
    );
    let (_, log) = game.play("e", 1).unwrap();
    let hidden = game.status("hidden").unwrap();
    let hides = |event: &Event| matches!(event, Event::StatusGained { status, .. } if *status == hidden);
    assert_eq!(moments(&log, hides), [0; 4]);
    let enters = |event: &Event| matches!(event, Event::Entered { .. });
    assert_eq!(moments(&log, enters), [0, 0, 0, 0, 2_000_000]);
}

#[test]
fn what_a_zone_holds_is_taken_along_for_its_own_time() {
    let game = game(
        "[pools]\nhealth = { max = 100, defeat = true }\n\
         [status.glow]\nkind = \"buff\"\nduration = 3\n\
         [zone.lamp]\nradius = 5\naffects = \"allies\"\nowner = true\napply = [\"glow\"]\n\
         [ability.light]\nuses = 1\ntargets = \"self\"\ndoes = [{ zone = \"lamp\" }]\n\
         [ability.steal]\nuses = 1\ncast = 1\ndoes = [{ transfer = \"glow\" }]\n\
         [character.lamp]\nabilities = [\"light\"]\n[character.thief]\nabilities = [\"steal\"]\n\
         [encounter.e]\nsides.a = [\"lamp\"]\nsides.b = [\"thief\"]\ntime_limit = 9\n",
    );
    let (_, log) = game.play("e", 1).unwrap();
    let gained = |logged: &&edgeplane::fight::Logged| matches!(logged.event, Event::StatusGained { target: OTHER, .. });
    let until = log.events.iter().find(gained).map(|logged| match logged.event {
        Event::StatusGained { until, .. } => until,
        _ => None,
    });
    assert_eq!(until, Some(Some(Time(4_000_000))));
}

/// It throws repeatedly, and continues to walk meanwhile.
#[test]
fn who_walks_while_it_is_busy_follows_its_lines_as_one_who_is_free() {
    let game = game(
        "[attributes]\nspeed = 3\n[pools]\nhealth = { max = 100, defeat = true }\n\
         [ability.throw]\ncast = 1\nrecovery = 1\nmobile = true\ndoes = [{ damage = 30 }]\n\
         [ability.stab]\nreach = 1\ndoes = [{ damage = 1 }]\n[ability.poke]\nreach = 5\ndoes = [{ damage = 1 }]\n\
         [policy.p]\nuse = [\"throw\", { ability = \"stab\", when = \"target.health.share < 0.5\" }, \"poke\"]\n\
         [character.thrower]\nabilities = [\"throw\", \"stab\", \"poke\"]\npolicy = \"p\"\n\
         [character.led]\nabilities = []\n[encounter.e]\nsides.a = [\"thrower\"]\nsides.b = [\"led\"]\ndistance = 10\n\
         [ability.tug]\ndoes = [{ pull = 5 }]\n[policy.stays]\nuse = []\nmove = \"hold\"\n\
         [character.tugger]\nabilities = [\"tug\"]\npolicy = \"stays\"\n\
         [encounter.pulled]\nsides.a = [\"thrower\"]\nsides.b = [\"tugger\"]\ndistance = 10\n\
         script = [{ at = 0.5, ability = \"tug\", by = \"b\" }]\n",
    );
    // To within 5 m at 1.666667 s; the second throw, at 3 s, leaves 40 health, and with that it is wanted at 1 m.
    let (_, log) = led(&game, 4.5);
    let walked = [(0, [3.0, 0.0]), (1_666_667, [0.0; 2]), (3_000_000, [3.0, 0.0]), (4_333_333, [0.0; 2])];
    assert_eq!(courses(&log), walked);
    // One that was pulled to within 5 m stops there.
    let mut log = Log::default();
    game.fight("pulled", 1).unwrap().advance(seconds(2.0), &mut log).unwrap();
    assert_eq!(courses(&log), [(0, [3.0, 0.0]), (500_000, [0.0; 2])]);
}

/// Distance alone keeps a line closed that could be paid for, and no other.
#[test]
fn nobody_walks_to_where_it_could_not_pay() {
    let game = game(
        "[attributes]\nspeed = 3\n[pools]\nhealth = { max = 100, defeat = true }\n\
         wind = { max = 50, start = 38, regen = 1 }\n\
         [ability.mend]\ntargets = { side = \"others\" }\nreach = 1\ncooldown = 10\ndoes = [{ heal = 5 }]\n\
         [ability.bolt]\nreach = 12\ncost = { wind = 40 }\ndoes = [{ damage = 5 }]\n\
         [policy.medic]\nuse = [\"mend\", \"bolt\"]\n[policy.still]\nuse = []\nmove = \"hold\"\n\
         [character.medic]\nabilities = [\"mend\", \"bolt\"]\npolicy = \"medic\"\n\
         [character.post]\nabilities = []\npolicy = \"still\"\n[encounter.e]\n\
         sides.a = [{ character = \"medic\", at = [0, 0] }, { character = \"post\", at = [0, 1] }]\n\
         sides.b = [{ character = \"post\", at = [14, 0] }]\n",
    );
    let mut log = Log::default();
    game.fight("e", 1).unwrap().advance(seconds(2.6), &mut log).unwrap();
    // It stays near the ally that it will mend again until it has 40 wind, at 2 s.
    assert_eq!(courses(&log), [(2_000_000, [3.0, 0.0])]);
    game.fight("e", 1).unwrap().advance(seconds(3.0), &mut log).unwrap();
    assert_eq!(uses(&game, &log, "bolt"), [2_666_667]);
}

/// Squares of larger distances overflow, and a faster combatant is past everybody in a microsecond.
#[test]
fn nothing_is_so_far_away_or_so_fast_that_numbers_end() {
    let game = with("[encounter.e]\nsides.a = [\"striker\"]\nsides.b = [\"led\"]\ndistance = 10\n");
    let (mut fight, mut log) = led(&game, 0.5);
    for call in [fight.set_motion(OTHER, [1e300, 0.0], [0.0; 2]), fight.set_motion(OTHER, [0.0; 2], [0.0, -2e9])] {
        assert!(call.unwrap_err().to_string().contains("limited to 1e9"));
    }
    assert!(fight.walk(OTHER, [1e200, 0.0], &mut log).is_err());
    fight.set_motion(OTHER, [30_000.0, -40_000.0], [0.0; 2]).unwrap();
    let speed = game.program().find_attribute("speed").unwrap();
    fight.set_base(ONE, speed, 1e300, &mut log).unwrap();
    fight.advance(seconds(9.0), &mut log).unwrap();
    // 49,998 m at 10,000 m/s, from 10 m before the middle or less.
    let first = uses(&game, &log, "strike")[0];
    assert!((5_490_000..5_510_000).contains(&first), "{first}");
}

/// When formulas were reported.
struct Reports(Vec<u64>);

impl Observer for Reports {
    fn wants(&self) -> EventMask {
        EventMask::DETAIL
    }
    fn event(&mut self, _: Time, _: Event) {}
    fn formula(&mut self, at: Time, _: edgeplane::program::FormulaId, _: &edgeplane::program::Reading) {
        self.0.push(at.0);
    }
}

/// Walking is not a decision: a trace has the arithmetic of what is done, and the reason for it.
#[test]
fn conditions_read_while_walking_are_not_reported() {
    let game = with(
        "[ability.throw]\ncast = 2\nmobile = true\ndoes = [{ damage = \"1 + 0 * caster.health\" }]\n\
         [ability.stab]\nunlock = \"self.health.share > 0.2\"\nreach = \"1 + 0 * self.health.share\"\n\
         does = [{ damage = 1 }]\n[policy.p]\nuse = [\"throw\", \"stab\"]\n\
         [character.thrower]\nabilities = [\"throw\", \"stab\"]\npolicy = \"p\"\n\
         [encounter.e]\nsides.a = [\"thrower\"]\nsides.b = [\"led\"]\ndistance = 9\n",
    );
    let mut reports = Reports(Vec::new());
    game.fight("e", 1).unwrap().advance(seconds(4.5), &mut reports).unwrap();
    assert_eq!(reports.0, [2_000_000, 4_000_000], "the damage of two throws");
}

/// A walker passes a zone that lies on its path to a post: the zone's contacts, their times, and all events.
fn around(avoid: &str) -> (f64, Vec<u64>, Log) {
    let game = game(&format!(
        r#"
        [attributes]
        speed = 2
        [pools]
        health = {{ max = 100, defeat = true }}
        [zone.steam]
        tags = ["hot"]
        radius = 2
        affects = "enemies"
        apply = ["scalded"]
        [zone.mist]
        radius = 1
        affects = "enemies"
        [status.scalded]
        duration = 1
        every = {{ period = 0.25, does = [{{ damage = 1 }}] }}
        [ability.vent]
        targets = "self"
        does = [{{ zone = "steam" }}]
        [ability.fog]
        targets = "self"
        does = [{{ zone = "mist" }}]
        [ability.prod]
        reach = 1
        cooldown = 30
        does = [{{ damage = 1 }}]
        [policy.walks]
        {avoid}
        use = [{{ ability = "prod" }}]
        [character.one]
        abilities = ["prod"]
        policy = "walks"
        [character.post]
        [character.pipe]
        untargetable = "enemies"
        [encounter.path]
        sides.a = [{{ character = "one", at = [0, 0.5] }}]
        sides.b = [{{ character = "post", at = [10, 0] }}, {{ character = "pipe", at = [5, 0] }}]
        time_limit = 20
        script = [{{ at = 0, ability = "vent", by = "pipe" }}, {{ at = 0, ability = "fog", by = "post" }}]
        [encounter.inside]
        sides.a = [{{ character = "one", at = [4, 0.5] }}]
        sides.b = [{{ character = "post", at = [10, 0] }}, {{ character = "pipe", at = [5, 0] }}]
        time_limit = 20
        script = [{{ at = 0, ability = "vent", by = "pipe" }}]
        "#
    ));
    let hurt = |encounter: &str| {
        let (_, log) = game.play(encounter, 1).unwrap();
        let hits =
            log.events.iter().filter(|logged| matches!(logged.event, Event::Hit { target, .. } if target.0 == 0));
        (hits.count() as f64, log)
    };
    let (inside, _) = hurt("inside");
    let (on_the_way, log) = hurt("path");
    (inside * 1000.0 + on_the_way, uses(&game, &log, "prod"), log)
}

#[test]
fn zones_that_a_policy_avoids_are_left_and_walked_round() {
    let (straight, straight_at, _) = around("");
    // Straight through: 2 √(4 - 0.25) m at 2 m/s is 1.9 s inside, and one second more that it lasts outside.
    assert_eq!(straight % 1000.0, 11.0);
    let (careful, there, log) = around("move = { avoid = [\"hot\"] }");
    assert_eq!(careful % 1000.0, 0.0, "it never goes in");
    // From (0, 0.5) its first course touches the circle of 2 m around (5, 0), on the side nearer to its path.
    let course = log.events.iter().find_map(|logged| match logged.event {
        Event::Walks { who, course, .. } if who.0 == 0 && course[0] > 0.0 => Some(course),
        _ => None,
    });
    let [x, y] = course.unwrap();
    let beside = (5.0 * y - -0.5 * x) / (x * x + y * y).sqrt();
    assert!(y > 0.0 && (2.0..2.1).contains(&beside), "{beside}");
    let (straight_at, there) = (straight_at[0], there[0]);
    assert!(there > straight_at && there < straight_at + 2_000_000, "it goes round: {straight_at} {there}");
    // From inside it takes the shortest way out: from 1.118 m to 2 m, 0.44 s; then only the status that lasts outside.
    assert_eq!((careful / 1000.0).floor(), 5.0);
    assert!((straight / 1000.0).floor() > 8.0);
    // By its name, a zone that it does not avoid.
    let (other, never, _) = around("move = { avoid = [\"mist\"] }");
    assert_eq!((other % 1000.0, never), (11.0, vec![]), "the post stands in what it avoids, out of reach");
}

/// A walker at three metres per second among zones that it avoids, with further settings of its moves, toward another
/// one that stands, or approaches at two metres per second.
fn among(zones: &[(f64, f64, f64)], start: [f64; 2], (post, comes): ([f64; 2], bool), moves: &str) -> Game {
    let feet = if comes { 2 } else { 0 };
    let mut text = format!(
        "[attributes]\nspeed = 0\n[pools]\nhealth = {{ max = 100, defeat = true }}\n\
         [ability.prod]\nreach = 1\ncooldown = 30\ndoes = [{{ damage = 1 }}]\n[status.scalded]\nduration = 1\n\
         [zone.nowhere]\ntags = [\"hot\"]\nradius = 1\naffects = \"enemies\"\n\
         [policy.walks]\nmove = {{ avoid = [\"hot\"]{moves} }}\nuse = [{{ ability = \"prod\" }}]\n\
         [character.one]\nabilities = [\"prod\"]\npolicy = \"walks\"\nattributes = {{ speed = 3 }}\n\
         [character.post]\nabilities = [\"prod\"]\nattributes = {{ speed = {feet} }}\n\
         [character.pipe]\nabilities = []\nuntargetable = \"enemies\"\n"
    );
    let (mut pipes, mut script) = (String::new(), String::new());
    for (index, (x, y, radius)) in zones.iter().enumerate() {
        text += &format!(
            "[zone.z{index}]\ntags = [\"hot\"]\nradius = {radius}\naffects = \"enemies\"\napply = [\"scalded\"]\n\
             [ability.vent{index}]\ntargets = \"self\"\ndoes = [{{ zone = \"z{index}\" }}]\n\
             [character.pipe{index}]\nextends = \"pipe\"\n"
        );
        pipes += &format!(", {{ character = \"pipe{index}\", at = [{x}, {y}] }}");
        script += &format!("{{ at = 0, ability = \"vent{index}\", by = \"pipe{index}\" }}, ");
    }
    let [[x, y], [to_x, to_y]] = [start, post];
    game(&format!(
        "{text}[encounter.e]\nsides.a = [{{ character = \"one\", at = [{x}, {y}] }}]\n\
         sides.b = [{{ character = \"post\", at = [{to_x}, {to_y}] }}{pipes}]\ntime_limit = 30\nscript = [{script}]\n"
    ))
}

fn apart(a: [f64; 2], b: [f64; 2]) -> f64 {
    libm::hypot(a[0] - b[0], a[1] - b[1])
}

/// The position of a combatant every twentieth of a second.
fn places(game: &Game, until: f64, mut look: impl FnMut(f64, &Fight)) -> Log {
    let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
    let mut now = 0.0;
    while now < until && fight.advance(seconds(now), &mut log).unwrap().is_none() {
        look(now, &fight);
        now += 0.05;
    }
    log
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, ..ProptestConfig::default() })]

    /// A combatant outside does not walk into a zone that it avoids; one inside leaves, and a single zone is no
    /// obstacle for ever.
    #[test]
    fn zones_are_walked_round_wherever_they_are(
        zones in prop::collection::vec((-8.0..8.0, -8.0..8.0, 0.5..4.0), 1..4),
        start in [-10.0..10.0, -10.0..10.0], post in [-10.0..10.0, -10.0..10.0],
    ) {
        let game = among(&zones, start, (post, false), "");
        let depth = |place: [f64; 2]| {
            zones.iter().map(|(x, y, radius)| radius - apart(place, [*x, *y])).fold(f64::NEG_INFINITY, f64::max)
        };
        let (mut was_out, mut last) = (false, start);
        let log = places(&game, 30.0, |now, fight| {
            last = fight.place(ONE);
            was_out |= depth(last) < -1e-6;
            assert!(!was_out || depth(last) < 1e-6, "at {now} s it is {} m inside, at {last:?}", depth(last));
        });
        let touched = moments(&log, |event| matches!(event, Event::StatusGained { .. }));
        prop_assert!(depth(start) > -0.01 || touched.is_empty(), "{touched:?}");
        let arrives = !uses(&game, &log, "prod").is_empty();
        prop_assert!(was_out);
        if depth(start) < -0.01 {
            prop_assert!(arrives || depth(post) > -1.1, "{last:?}");
            prop_assert!(!arrives || depth(post) < 1.0 + 1e-3, "{last:?}");
        }
    }

    /// A faster combatant that keeps its distance is never nearer than it comes in a tenth of a second; with zones
    /// around it may be cornered, and does not enter them.
    #[test]
    fn distances_are_kept(
        zones in prop::collection::vec((-8.0..8.0, -8.0..8.0, 0.5..4.0), 0..4),
        start in [-10.0..10.0, -10.0..10.0], post in [-10.0..10.0, -10.0..10.0], keeps in 1.5..8.0,
    ) {
        let game = among(&zones, start, (post, true), &format!(", keep_distance = {keeps}"));
        let mut was_away = false;
        let log = places(&game, 20.0, |now, fight| {
            let far = apart(fight.place(ONE), fight.place(OTHER));
            // It stops where it is far enough, and continues a tenth of a second later.
            was_away |= far >= keeps - 0.2;
            assert!(!zones.is_empty() || !was_away || far > keeps - 0.5 - 1e-6, "{far} m at {now} s");
        });
        prop_assert!(was_away || !zones.is_empty());
        let inside = zones.iter().any(|(x, y, radius)| apart(start, [*x, *y]) < radius + 0.01);
        let is_touched = |event: &Event| matches!(event, Event::StatusGained { target: ONE, .. });
        prop_assert!(inside || moments(&log, is_touched).is_empty());
    }
}

#[test]
fn zones_far_away_and_large_ones_are_no_endless_search() {
    for scale in [1e3, 1e4, 1e5] {
        for turn in 0..60 {
            let (sine, cosine) = libm::sincos(f64::from(turn) / 7.0);
            let at = |far: f64| [far * cosine * scale, far * sine * scale];
            let [x, y] = at(5.0);
            let zones = [(x, y, 2.0 * scale), (x + scale, y - scale, 1.5 * scale), (-x, y, 1.0)];
            let game = among(&zones, [0.0; 2], (at(9.0), true), ", keep_distance = 3");
            let _ = places(&game, 1.0, |_, _| {});
        }
    }
}
