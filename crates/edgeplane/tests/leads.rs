//! The picked target can change without an event: a combatant comes nearer than the nearest one, a pool flows past
//! another one, a score falls. A line with a condition on its target opens at that time.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;

use crate::common::{ONE, game, moments};
use edgeplane::fight::Event;
use edgeplane::{CombatantId, Fight, Log, Time};

/// The position of a combatant at the start, and its velocity.
type Motion = ([f64; 2], [f64; 2]);

/// A combatant that waits at the middle until its picked target has a mark, which the first of the others has.
fn watch(pick: &str, score: &str, others: &[Motion]) -> Fight {
    let of_others: String = (0..others.len())
        .map(|index| {
            format!("{{ character = \"{}\", at = [9, {index}] }}, ", if index == 0 { "marked" } else { "plain" })
        })
        .collect();
    let game = game(&format!(
        r#"
        [attributes]
        loud = 3
        mends = 0
        [pools]
        health = {{ max = 100, start = 50, defeat = true, regen = "mends" }}
        [status.mark]
        duration = inf
        [ability.note]
        cooldown = 50
        reach = 500
        targets = {{ side = "enemies", pick = {pick} }}
        does = [{{ damage = 1 }}]
        [policy.watcher]
        move = "hold"
        target = "{score}"
        use = [{{ ability = "note", when = "has(target, mark)" }}]
        [character.watcher]
        policy = "watcher"
        abilities = ["note"]
        [character.marked]
        statuses = ["mark"]
        [character.plain]
        attributes = {{ mends = 5 }}
        [encounter.post]
        sides.one = [{{ character = "watcher", at = [0, 0] }}]
        sides.others = [{of_others}]
        time_limit = 20
        "#
    ));
    let mut fight = game.fight("post", 1).unwrap();
    for (index, (place, velocity)) in others.iter().enumerate() {
        let who = CombatantId(index as u16 + 1);
        fight.move_by_game(who).unwrap();
        fight.set_motion(who, *place, *velocity).unwrap();
    }
    fight
}

/// The second at which the watcher first acts.
fn acts_at(mut fight: Fight) -> Option<f64> {
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    moments(&log, |event| matches!(event, Event::Used { caster: ONE, .. })).first().map(|at| Time(*at).seconds())
}

#[test]
fn a_new_lead_by_distance_is_noticed_at_that_moment() {
    let still = |place: [f64; 2]| (place, [0.0; 2]);
    let nearer = [([20.0, 0.0], [-4.0, 0.0]), still([0.0, 5.0]), still([0.0, 30.0])];
    // From 20 m to 5 m.
    assert_eq!(acts_at(watch("\"nearest\"", "0", &nearer)), Some(3.75));
    let farther = [([2.0, 0.0], [3.0, 0.0]), still([0.0, 8.0]), still([-5.0, 0.0])];
    assert_eq!(acts_at(watch("\"farthest\"", "0", &farther)), Some(2.0));
    // It passes at 3 m, while two others leave: one of them is at 4 m after 1 s, when the first is at 5 m, and is
    // passed later.
    let passing = [([-7.0, 3.0], [3.0, 0.0]), ([0.0, 3.0], [0.0, 1.0]), ([0.0, -3.5], [0.0, -2.0])];
    // (3t - 7)² + 9 = (3 + t)²: 8t² - 48t + 49 = 0, at 1.302 s.
    let expected = (48.0 - (48.0_f64 * 48.0 - 4.0 * 8.0 * 49.0).sqrt()) / 16.0;
    let got = acts_at(watch("\"nearest\"", "0", &passing)).unwrap();
    assert!((got - expected).abs() <= 1e-6, "{got} is not {expected}");
    // Side by side, level after 0.4 s to the last bit: ahead a microsecond later.
    let side_by_side = [([-1.0, -4.0], [-3.0, 2.0]), ([2.0, 3.0], [-3.0, 2.0])];
    let got = acts_at(watch("\"nearest\"", "0", &side_by_side)).unwrap();
    assert!((0.4..=0.400_001).contains(&got), "{got}");
}

#[test]
fn a_new_lead_by_a_pools_rate_is_noticed_at_that_moment() {
    let two = [([5.0, 0.0], [0.0; 2]), ([6.0, 0.0], [0.0; 2])];
    let mut fight = watch("\"weakest\"", "0", &two);
    let health = fight.setup().program().find_pool("health").unwrap();
    fight.set_pool(CombatantId(2), health, 30.0).unwrap();
    // 30 + 5t is 50 after 4 s; a microsecond later it is more.
    let got = acts_at(fight).unwrap();
    assert!((4.0..=4.000_001).contains(&got), "{got}");
}

#[test]
fn a_score_that_cannot_be_solved_is_noticed_within_a_tenth_of_a_second() {
    // Nearer than 4 m; at 9 m, which is as far from 6 m as 3 m is.
    let two = [([9.0, 0.0], [-1.0, 0.0]), ([4.0, 0.0], [0.0; 2])];
    for (score, others, expected) in [
        ("20 / (1 + distance)", two, 5.0),
        ("-abs(distance - 6)", [([20.0, 0.0], [-2.0, 0.0]), ([3.0, 0.0], [0.0; 2])], 5.5),
        ("max(4, 9 - distance) * target.loud", two, 5.0),
    ] {
        let got = acts_at(watch("\"policy\"", score, &others)).unwrap();
        assert!((expected..=expected + 0.1).contains(&got), "{score}: {got}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Compared with an evaluation every millisecond: nobody acts before the marked one leads, nor more than a tenth of
    /// a second after. A lead that is solved is not missed however short it is; one that is not counts if it lasts
    /// until it has to be noticed.
    #[test]
    fn nobody_who_takes_the_lead_is_missed(
        moves in proptest::collection::vec(((-12i8..12, -12i8..12), (-4i8..4, -4i8..4)), 2..6),
        kind in 0..4usize,
    ) {
        let metres = |(x, y): (i8, i8)| [f64::from(x), f64::from(y)];
        let others: Vec<Motion> = moves.iter().map(|(place, velocity)| (metres(*place), metres(*velocity))).collect();
        let (pick, score) = [
            ("\"nearest\"", "0"),
            ("\"farthest\"", "0"),
            ("\"policy\"", "20 / (1 + distance)"),
            ("{ lowest = \"2 * abs(distance - 6) + min(distance, 4)\" }", "0"),
        ][kind];
        let value = |(place, velocity): &Motion, at: f64| {
            let distance = (place[0] + velocity[0] * at).hypot(place[1] + velocity[1] * at);
            [distance, -distance, -20.0 / (1.0 + distance), 2.0 * (distance - 6.0).abs() + distance.min(4.0)][kind]
        };
        // By how much the marked one leads.
        let lead = |at: f64| {
            let best = others[1..].iter().map(|one| value(one, at)).fold(f64::INFINITY, f64::min);
            best - value(&others[0], at)
        };
        let got = acts_at(watch(pick, score, &others));
        let (late, lasting) = if kind < 2 { (0.0011, 1) } else { (0.1011, 102) };
        let mut led = 0;
        let first = (0..20_000).find(|milli| {
            led = if lead(f64::from(*milli) / 1000.0) > 1e-6 { led + 1 } else { 0 };
            led == lasting
        });
        if let Some(last) = first {
            let first = f64::from(last + 1 - lasting) / 1000.0;
            prop_assert!(got.is_some_and(|got| got <= first + late), "leads at {first}, acts at {got:?}");
        }
        if let Some(got) = got {
            prop_assert!(lead(got) > -1e-4, "acts at {got}");
        }
    }
}
