//! Cones, lines and chains, the order of targets, and leaps.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::game;
use edgeplane::fight::{Event, UnavailableReason};
use edgeplane::{CombatantId, Fight, Game, Log, Time};
use proptest::prelude::{prop, proptest};

/// A caster at the origin that faces others along the x axis, each at a position.
fn field(ability: &str, places: &[[f64; 2]]) -> Game {
    let others: String =
        places.iter().map(|[x, y]| format!("{{ character = \"other\", at = [{x:?}, {y:?}] }},")).collect();
    game(&format!(
        r#"
        [pools]
        health = {{ max = 1000, defeat = true }}
        [damage_types]
        blow = {{}}
        [ability.act]
        cooldown = 100
        {ability}
        [character.one]
        abilities = ["act"]
        [character.other]
        abilities = []
        [encounter.field]
        sides.one = [{{ character = "one", at = [0, 0] }}]
        sides.others = [{others}]
        time_limit = 3
        "#
    ))
}

/// The combatants hit, in order, and the amounts.
fn hits(game: &Game) -> Vec<(u16, f64)> {
    let mut log = Log::default();
    game.fight("field", 1).unwrap().run(&mut log).unwrap();
    let hit = |event: &Event| match event {
        Event::Hit { target, dealt, .. } => Some((target.0, *dealt)),
        _ => None,
    };
    log.events.iter().filter_map(|logged| hit(&logged.event)).collect()
}

fn who(game: &Game) -> Vec<u16> {
    hits(game).into_iter().map(|(who, _)| who).collect()
}

const STRIKE: &str = "does = [{ damage = 8, type = \"blow\" }]";

#[test]
fn a_cone_opens_to_both_sides_of_the_one_that_is_picked() {
    // Toward (4, 0), 60° wide: tan 30° = 0.577, so the edge at x = 4 is at y = 2.309.
    let ability = format!("targets = {{ pick = \"nearest\", cone = 60, length = 5 }}\n{STRIKE}");
    let places = [[3.0, 0.0], [4.0, 2.3], [4.0, 2.4], [4.0, -2.3], [-1.0, 4.0], [5.01, 0.0], [5.0, 0.0]];
    assert_eq!(who(&field(&ability, &places)), [1, 2, 4, 7], "the nearest first");
    let half = format!("targets = {{ pick = \"nearest\", cone = 180, length = 5 }}\n{STRIKE}");
    assert_eq!(who(&field(&half, &[[3.0, 0.0], [0.0, 4.0], [-0.01, 4.0]])), [1, 2]);
}

#[test]
fn a_line_goes_on_behind_the_one_that_is_picked() {
    let ability = format!("targets = {{ pick = \"nearest\", line = 2, length = 8 }}\n{STRIKE}");
    let places = [[6.0, 1.0], [3.0, 0.0], [7.0, -1.01], [8.0, -1.0], [8.1, 0.0], [-3.5, 0.0]];
    assert_eq!(who(&field(&ability, &places)), [2, 1, 4]);
    let two = format!("targets = {{ pick = \"nearest\", line = 2, length = 8, count = 2 }}\n{STRIKE}");
    assert_eq!(who(&field(&two, &places)), [2, 1]);
}

#[test]
fn a_chain_leaps_to_the_nearest_that_was_not_hit_and_fades() {
    // From 1 at 2 m to 3 (1.5 m away), to 2 (2.5 m from there); 4 is 3.1 m away from that.
    let ability = "targets = { pick = \"nearest\", chain = 3, count = 4 }\n\
        does = [{ damage = \"16 * 0.5 ^ (order - 1)\", type = \"blow\" }]";
    let places = [[2.0, 0.0], [6.0, 0.0], [3.5, 0.0], [9.1, 0.0]];
    assert_eq!(hits(&field(ability, &places)), [(1, 16.0), (3, 8.0), (2, 4.0)]);
}

#[test]
fn the_order_travels_along() {
    let ability = "travel = 10\ntargets = { pick = \"nearest\", chain = 3, count = 3 }\n\
        does = [{ damage = \"16 / order\", type = \"blow\" }]";
    // The second target is nearer to the caster than to the first target: each arrives after its own distance.
    assert_eq!(hits(&field(ability, &[[3.0, 0.0], [3.0, 2.0]])), [(1, 16.0), (2, 8.0)]);
}

#[test]
fn one_target_is_the_first() {
    let ability = "does = [{ damage = \"10 * order\", type = \"blow\" }]";
    assert_eq!(hits(&field(ability, &[[3.0, 0.0], [3.0, 2.0]])), [(1, 10.0)]);
}

/// A target given by a game comes first, even if others are nearer; outside the circle nobody is hit by it.
#[test]
fn who_is_named_is_reached_within_the_circle_alone() {
    let ability = format!("targets = {{ radius = 3, around = \"caster\", count = 2 }}\n{STRIKE}");
    let game = field(&ability, &[[1.0, 0.0], [-2.0, 0.0], [3.0, 0.0], [3.1, 0.0]]);
    let hits_of = |named: u16| {
        let (mut fight, mut log) = (game.fight("field", 1).unwrap(), Log::default());
        fight.take_control(CombatantId(0)).unwrap();
        let act = game.ability("act").unwrap();
        let done = fight.use_ability(CombatantId(0), act, Some(CombatantId(named)), &mut log).unwrap();
        fight.advance(Time::ZERO, &mut log).unwrap();
        let hit = |event: &Event| if let Event::Hit { target, .. } = event { Some(target.0) } else { None };
        (done, log.events.iter().filter_map(|logged| hit(&logged.event)).collect::<Vec<_>>())
    };
    assert_eq!(hits_of(3), (Ok(()), vec![3, 1]));
    let far = UnavailableReason::OutOfReach { target: Some(CombatantId(4)), distance: 3.1, reach: 3.0, until: None };
    assert_eq!(hits_of(4), (Err(far), vec![]));
}

#[test]
fn who_stands_at_one_place_with_its_target_hits_all_around() {
    let cone = format!("targets = {{ pick = \"nearest\", cone = 30, length = 2 }}\n{STRIKE}");
    assert_eq!(who(&field(&cone, &[[0.0, 0.0], [-2.0, 0.0], [2.1, 0.0]])), [1, 2]);
}

#[test]
fn a_leap_ends_so_many_metres_before_its_target() {
    let ability = "reach = 9\ndoes = [{ leap = 1.5 }, { damage = \"10 * distance\", type = \"blow\" }]";
    let game = field(ability, &[[3.0, 4.0]]);
    let dealt = hits(&game)[0].1;
    assert!((dealt - 15.0).abs() < 1e-9, "{dealt}");
    let mut fight: Fight = game.fight("field", 1).unwrap();
    fight.run(&mut Log::default()).unwrap();
    // 3.5 of the 5 metres along (0.6, 0.8).
    let [x, y] = fight.place(CombatantId(0));
    assert!((x - 2.1).abs() < 1e-12 && (y - 2.8).abs() < 1e-12, "{x} {y}");
    let near = field(ability, &[[1.0, 0.0]]);
    assert_eq!(hits(&near), [(1, 10.0)], "who is near enough stays");
}

#[test]
fn without_places_an_area_is_everybody() {
    let text = r#"
        [pools]
        health = { max = 100, defeat = true }
        [ability.wide]
        cooldown = 100
        targets = { cone = 40, length = 3 }
        does = [{ damage = 1 }]
        [ability.chained]
        cooldown = 100
        targets = { chain = 3, count = 2 }
        does = [{ damage = "order" }]
        [character.one]
        abilities = ["wide", "chained"]
        [character.other]
        abilities = []
        [encounter.field]
        sides.one = ["one"]
        sides.others = [{ character = "other", count = 3 }]
        time_limit = 3
    "#;
    let text = text.replace("does = [{ damage", "does = [{ type = \"blow\", damage") + "[damage_types]\nblow = {}\n";
    assert_eq!(hits(&game(&text)), [(1, 1.0), (2, 1.0), (3, 1.0), (1, 1.0), (2, 2.0)]);
}

proptest! {
    /// Rotating the whole plane by a right angle, or mirroring it, hits the same combatants.
    #[test]
    fn areas_do_not_know_where_north_is(
        places in prop::collection::vec([-9.0..9.0_f64, -9.0..9.0], 1..8),
        shape in prop::sample::select(vec![
            "cone = 70, length = 6", "line = 3, length = 7", "chain = 4, count = 4", "radius = 4, count = 3",
        ]),
    ) {
        let ability = format!("targets = {{ pick = \"nearest\", {shape} }}\n{STRIKE}");
        let turned: Vec<[f64; 2]> = places.iter().map(|[x, y]| [-y, *x]).collect();
        let mirrored: Vec<[f64; 2]> = places.iter().map(|[x, y]| [*x, -y]).collect();
        let hit = hits(&field(&ability, &places));
        assert_eq!(hit, hits(&field(&ability, &turned)));
        assert_eq!(hit, hits(&field(&ability, &mirrored)));
        assert!(hit.len() <= places.len());
    }
}
