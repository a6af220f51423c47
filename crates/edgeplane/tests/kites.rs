//! Keeping a distance: retreats, passing enemies and moving along with them, at times worked by hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, seconds};
use crate::ground::{courses, play, uses, with};
use edgeplane::{CombatantId, Log};
use libm::hypot;
use proptest::prelude::*;
use std::fmt::Write as _;

#[test]
fn one_keeps_its_distance_and_another_is_held_fast() {
    let more = |statuses: &str| {
        format!(
            "[status.rooted]\nduration = 1\nforbids = [\"move\"]\n[status.quick]\nduration = 9\n\
             modify = [{{ attribute = \"speed\", add = 4 }}]\n\
             [policy.far]\nmove = {{ keep_distance = 6 }}\nuse = [{{ ability = \"fling\", when = \"now > 50\" }}]\n\
             [character.shy]\nabilities = [\"fling\"]\npolicy = \"far\"\nattributes = {{ speed = 2 }}\n\
             [ability.snare]\nuses = 1\ncast = 0.5\ndoes = [{statuses}]\n\
             [character.snarer]\nabilities = [\"snare\"]\n\
             [encounter.shy]\nsides.a = [\"shy\"]\nsides.b = [\"snarer\"]\ndistance = 4\ntime_limit = 9\n"
        )
    };
    let alone = play(&with(&more("{ interrupt = true }")), "shy").1;
    // Two metres at two per second.
    assert_eq!(courses(&alone, 0), [(0, [-2.0, 0.0]), (1_000_000, [0.0, 0.0])]);
    let held = play(&with(&more("{ apply = \"rooted\" }")), "shy").1;
    // Half a second of it, then held for a second, then the other metre.
    let expected = [(0, [-2.0, 0.0]), (500_000, [0.0, 0.0]), (1_500_000, [-2.0, 0.0]), (2_000_000, [0.0, 0.0])];
    assert_eq!(courses(&held, 0), expected);
    let hastened = play(&with(&more("{ apply = \"quick\" }")), "shy").1;
    // One metre at two, the other at six per second.
    assert_eq!(courses(&hastened, 0), [(0, [-2.0, 0.0]), (500_000, [-6.0, 0.0]), (666_667, [0.0, 0.0])]);
}

#[test]
fn who_keeps_its_distance_turns_at_the_moment_at_which_it_is_too_near() {
    let game = with(
        "[policy.far]\nmove = { keep_distance = 6 }\nuse = [{ ability = \"fling\", when = \"level > 50\" }]\n\
         [character.shy]\nabilities = [\"fling\"]\npolicy = \"far\"\nattributes = { speed = 2 }\n\
         [encounter.shy]\nsides.a = [\"shy\"]\nsides.b = [\"walker\"]\ndistance = 10\ntime_limit = 9\n",
    );
    let log = play(&game, "shy").1;
    // Four of ten metres at four per second, and the microsecond in which the walker is inside instead of at the edge.
    assert_eq!(courses(&log, 0)[0], (1_000_001, [-2.0, 0.0]));
    // Two metres per second faster, the walker has its four metres more after two seconds.
    assert!(uses(&log, 1)[0].abs_diff(3_000_000) < 5);
}

/// A combatant that keeps six metres from its enemies, at a given speed, from the middle.
fn shy(speed: u32, enemies: &str) -> Log {
    let game = with(&format!(
        "[policy.far]\nmove = {{ keep_distance = 6 }}\nuse = [{{ ability = \"fling\", when = \"level > 50\" }}]\n\
         [character.shy]\nabilities = [\"fling\"]\npolicy = \"far\"\nattributes = {{ speed = {speed} }}\n\
         [encounter.e]\nsides.a = [{{ character = \"shy\", at = [0, 0] }}]\nsides.b = [{enemies}]\ntime_limit = 9\n"
    ));
    play(&game, "e").1
}

#[test]
fn a_retreat_lasts_until_the_distance_is_kept_whatever_the_other_does() {
    let walker = "{ character = \"walker\", at = [4, 0] }";
    // A metre per second faster, it gains two metres in two seconds; then it moves along with the other.
    assert_eq!(courses(&shy(5, walker), 0), [(0, [-5.0, 0.0]), (2_000_000, [-4.0, 0.0])]);
    // As fast as the other, it continues for ever.
    assert_eq!(courses(&shy(4, walker), 0), [(0, [-4.0, 0.0])]);
}

#[test]
fn who_retreats_turns_once_another_one_is_as_near() {
    let posts = "{ character = \"post\", at = [3, 0] }, { character = \"post\", at = [-4, 1] }";
    let log = shy(2, posts);
    // Three metres to the first when it sets out: the second is as near when (4 - 2 t)² + 1 = 9.
    let t = (4.0 - 8.0_f64.sqrt()) / 2.0;
    let turned = courses(&log, 0)[1];
    assert_eq!(turned.0, (t * 1e6).ceil() as u64);
    let away = [4.0 - 2.0 * t, -1.0].map(|part| part / 3.0 * 2.0);
    assert!((turned.1[0] - away[0]).abs() < 1e-5 && (turned.1[1] - away[1]).abs() < 1e-5, "{turned:?}");
}

#[test]
fn who_keeps_its_distance_retreats_from_one_that_leaps_beside_it() {
    let game = with(
        "[ability.pounce]\nreach = 20\nuses = 1\ncast = 1\nrecovery = 9\ndoes = [{ leap = 1 }]\n\
         [character.leaper]\nabilities = [\"pounce\"]\n\
         [policy.far]\nmove = { keep_distance = 6 }\nuse = [{ ability = \"fling\", when = \"level > 50\" }]\n\
         [character.shy]\nabilities = [\"fling\"]\npolicy = \"far\"\n\
         [encounter.e]\nsides.a = [\"shy\"]\nsides.b = [\"leaper\"]\ndistance = 9\ntime_limit = 4\n",
    );
    let log = play(&game, "e").1;
    // Five metres at four per second, from a tenth of a second after the leap.
    assert_eq!(courses(&log, 0), [(1_100_000, [-4.0, 0.0]), (2_350_000, [0.0, 0.0])]);
}

#[test]
fn who_keeps_its_distance_goes_along_with_one_that_comes() {
    let game = with(
        "[ability.dart]\nreach = 8\ncooldown = 2\ncast = 0.3\ndoes = [{ damage = 1 }]\n\
         [policy.far]\nmove = { keep_distance = 6 }\nuse = [{ ability = \"dart\" }]\n\
         [character.shy]\nabilities = [\"dart\"]\npolicy = \"far\"\n\
         [character.chaser]\nextends = \"walker\"\nattributes = { speed = 3 }\n\
         [encounter.e]\nsides.a = [\"shy\"]\nsides.b = [\"chaser\"]\ndistance = 14\ntime_limit = 6\n",
    );
    let log = play(&game, "e").1;
    let expected = [
        (0, [4.0, 0.0]),
        // Six metres at seven per second; a dart, and more than that of the other, which approaches to six metres.
        (857_143, [0.0, 0.0]),
        (1_523_810, [-3.0, 0.0]),
        // Cooled down after 2.3 s. The next dart has let the other come 0.9 m nearer, which takes as many seconds, and
        // two microseconds of rounding in the last two moments.
        (3_157_143, [0.0, 0.0]),
        (3_457_143, [-4.0, 0.0]),
        (4_357_145, [-3.0, 0.0]),
        (5_457_143, [0.0, 0.0]),
        (5_757_143, [-4.0, 0.0]),
    ];
    assert_eq!(courses(&log, 0), expected);
}

#[test]
fn who_keeps_its_distance_walks_no_nearer_and_past_others() {
    let more = |posts: &str, keep: f64, reach: f64| {
        with(&format!(
            "[ability.dart]\nreach = {reach}\ntargets = {{ pick = \"farthest\" }}\ndoes = [{{ damage = 10 }}]\n\
             [policy.far]\nmove = {{ keep_distance = {keep} }}\nuse = [{{ ability = \"dart\" }}]\n\
             [character.shy]\nabilities = [\"dart\"]\npolicy = \"far\"\n\
             [encounter.e]\nsides.a = [{{ character = \"shy\", at = [0, 0] }}]\nsides.b = [{posts}]\ntime_limit = 9\n"
        ))
    };
    let at = |x: f64, y: f64| format!("{{ character = \"post\", at = [{x}, {y}] }}");
    // It does not do what is possible only from nearer: it stands a centimetre outside, 5.99 m from its start.
    let log = play(&more(&at(10.0, 0.0), 4.0, 2.0), "e").1;
    assert_eq!(courses(&log, 0), [(0, [4.0, 0.0]), (1_497_500, [0.0, 0.0])]);
    assert!(uses(&log, 0).is_empty());
    // Straight behind another one, and to one side of the line to it: past it on the nearer side.
    for (beside, side) in [(0.0, 1.0), (0.5, 1.0), (-0.5, -1.0)] {
        let game = more(&format!("{}, {}", at(9.0, 0.0), at(12.0, beside)), 4.0, 2.0);
        let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
        let mut nearest = f64::INFINITY;
        while fight.ending().is_none() {
            fight.advance(fight.now() + seconds(0.01), &mut log).unwrap();
            let [x, y] = fight.place(CombatantId(0));
            nearest = nearest.min(hypot(x - 9.0, y));
        }
        let [x, y] = fight.place(CombatantId(0));
        let far = hypot(x - 12.0, y - beside);
        assert!(nearest > 4.0 - 1e-5 && far < 4.06 && y * side > 1.0, "{nearest} m, at {x}, {y}: {far}");
    }
    // Between two that are in its way it waits, and does not turn back and forth.
    let log = play(&more(&[at(6.0, 2.0), at(6.0, -2.0), at(9.0, 0.1)].join(", "), 4.0, 3.0), "e").1;
    assert!(courses(&log, 0).len() < 9, "{:?}", courses(&log, 0));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// A standing combatant is never too near for one that keeps its distance and began outside of it.
    #[test]
    fn nobody_walks_too_near_to_those_who_stand(
        posts in prop::collection::vec((-9.0..9.0, -9.0..9.0, 0.0..1.5), 1..6),
        goal in 0_usize..6, keep in 0.3..6.0, reach in 0.5..9.0, speed in 3.0..9.0,
    ) {
        let (mut characters, mut places) = (String::new(), String::new());
        for (index, (x, y, body)) in posts.iter().enumerate() {
            let lure = u8::from(index == goal % posts.len());
            writeln!(characters, "[character.post_{index}]\nbody = {body}\nattributes = {{ lure = {lure} }}").unwrap();
            write!(places, "{{ character = \"post_{index}\", at = [{x}, {y}] }}, ").unwrap();
        }
        let game = game(&format!(
            "[attributes]\nspeed = 0\nlure = 0\n[pools]\nhealth = {{ max = 99, defeat = true }}\n\
             [ability.dart]\nreach = {reach}\ncooldown = 1\ndoes = [{{ damage = 1 }}]\n\
             [policy.far]\nmove = {{ keep_distance = {keep} }}\ntarget = \"target.lure\"\n\
             use = [{{ ability = \"dart\" }}]\n\
             [character.shy]\nabilities = [\"dart\"]\npolicy = \"far\"\nattributes = {{ speed = {speed} }}\n\
             {characters}\
             [encounter.e]\nsides.a = [{{ character = \"shy\", at = [-20, 0] }}]\nsides.b = [{places}]\ntime_limit = 20\n"
        ));
        let (mut fight, mut log) = (game.fight("e", 1).unwrap(), Log::default());
        while fight.ending().is_none() {
            fight.advance(fight.now() + seconds(0.03), &mut log).unwrap();
            let [x, y] = fight.place(CombatantId(0));
            for (a, b, body) in &posts {
                let gap = hypot(x - a, y - b) - body;
                prop_assert!(gap > keep - 1e-4, "{gap} m at {:?}: {:?}", fight.now(), courses(&log, 0));
            }
        }
        // It has come to rest, or to a position where it can act.
        let last = courses(&log, 0).last().copied();
        prop_assert!(!uses(&log, 0).is_empty() || last.is_none_or(|(_, course)| course == [0.0; 2]), "{last:?}");
    }
}
