//! Bodies, facing, and abilities used at positions.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, moments, seconds};
use edgeplane::fight::{Event, UnavailableReason};
use edgeplane::{CombatantId, Fight, Game, Log, Time};

/// One at the origin, and others with bodies of 1.5 m at given positions.
fn field(ability: &str, more: &str, places: &[[f64; 2]]) -> Game {
    let others: String =
        places.iter().map(|[x, y]| format!("{{ character = \"tun\", at = [{x:?}, {y:?}] }},")).collect();
    game(&format!(
        "[attributes]\nspeed = 2\n[pools]\nhealth = {{ max = 1000, defeat = true }}\n[ability.act]\ncooldown = 100\n{ability}\n\
         [character.one]\nabilities = [\"act\"]\n[character.barrel]\ntemplate = true\nbody = 1.5\n\
         [character.tun]\nextends = \"barrel\"\nattributes.speed = 0\n{more}\n\
         [encounter.field]\nsides.one = [{{ character = \"one\", at = [0, 0] }}]\nsides.others = [{others}]\ntime_limit = 20\n"
    ))
}

fn hit(log: &Log) -> Vec<u16> {
    let target = |event: &Event| match event {
        Event::Hit { target, .. } => Some(target.0),
        _ => None,
    };
    log.events.iter().filter_map(|logged| target(&logged.event)).collect()
}

fn played(game: &Game) -> Log {
    game.play("field", 1).unwrap().1
}

#[test]
fn reach_is_measured_to_the_rim() {
    let strike = "reach = 2\ndoes = [{ damage = 1 }]";
    let at =
        |places: &[[f64; 2]]| moments(&played(&field(strike, "", places)), |event| matches!(event, Event::Hit { .. }));
    assert_eq!(at(&[[3.5, 0.0]]), [0], "its rim is 2 m away");
    // At 2 m/s from 10 m to 3.5 m: it stops where the rim is in reach.
    assert_eq!(at(&[[10.0, 0.0]]), [3_250_000]);
    let hold = "[policy.still]\nmove = \"hold\"\nuse = [{ ability = \"act\" }]";
    let game = field(strike, hold, &[[3.6, 0.0]]);
    let mut fight = game.fight("field", 1).unwrap();
    fight.take_control(CombatantId(0)).unwrap();
    let why = fight.why_unavailable(CombatantId(0), game.ability("act").unwrap()).unwrap();
    let Some(UnavailableReason::OutOfReach { distance, .. }) = why else { panic!("{why:?}") };
    assert!((distance - 2.1).abs() < 1e-12, "{distance}");
    assert_eq!(fight.body(CombatantId(1)), 1.5);
    assert_eq!(fight.within([0.0, 0.0], 2.0).count(), 1, "itself");
    assert_eq!(fight.within([0.0, 0.0], 2.1 + 1e-9).count(), 2);
}

#[test]
fn areas_reach_whomever_they_touch() {
    let strike = "does = [{ damage = 1 }]";
    let hits = |targets: &str, places: &[[f64; 2]]| {
        let mut hit = hit(&played(&field(&format!("targets = {{ {targets} }}\n{strike}"), "", places)));
        hit.sort_unstable();
        hit
    };
    assert_eq!(hits("radius = 2, around = \"caster\"", &[[3.5, 0.0], [0.0, 3.51], [-2.0, -2.0]]), [1, 3]);
    // A strip of 2 m by 5 m toward (3, 0): beside it, at its end, off its corner by 1.49 m and by 1.51 m.
    let corner = |off: f64| [5.0 + off * 0.6, 1.0 + off * 0.8];
    let places = [[3.0, 0.0], [2.0, 2.5], [2.0, 2.51], [6.5, 0.0], corner(1.49), corner(1.51), [-1.5, 0.0]];
    assert_eq!(hits("pick = \"first\", line = 2, length = 5", &places), [1, 2, 4, 5, 7]);
    // A right angle about the x axis: its edge goes through (3, 3), and a combatant beside that is 1.5 m away or more.
    let beside = |off: f64| [3.0 - off / 2.0_f64.sqrt(), 3.0 + off / 2.0_f64.sqrt()];
    let places = [[2.0, 0.0], beside(1.49), beside(1.51), [7.49, 0.0], [7.51, 0.0], [-1.4, 0.0]];
    assert_eq!(hits("pick = \"first\", cone = 90, length = 6", &places), [1, 2, 4, 6]);
}

#[test]
fn combatants_nearby_are_counted_by_their_rim() {
    let ability = "unlock = \"count(enemies, 3) >= 2\"\ndoes = [{ damage = 1 }]";
    let walker = "[encounter.nearing]\nsides.one = [{ character = \"one\", at = [0, 0] }]\n\
        sides.others = [{ character = \"tun\", at = [0, 4.4] }, { character = \"tun\", at = [10, 0] }]\ntime_limit = 20";
    let game = field(ability, walker, &[[50.0, 0.0]]);
    let mut fight = game.fight("nearing", 1).unwrap();
    let mut log = Log::default();
    fight.take_control(CombatantId(2)).unwrap();
    fight.walk(CombatantId(2), [-2.0, 0.0], &mut log).unwrap();
    fight.advance(seconds(5.0), &mut log).unwrap();
    // From 10 m to 4.5 m at 2 m/s.
    assert_eq!(moments(&log, |event| matches!(event, Event::Hit { .. })), [2_750_000]);
}

/// One that deals more damage from behind, and its target.
const BACK: &str = r#"
    [attributes]
    speed = 2
    [pools]
    health = { max = 1000, defeat = true }
    [ability.stab]
    cooldown = 100
    does = [{ damage = "if(angle > 120, 9, 1)" }]
    [ability.wait_for_it]
    cooldown = 100
    does = [{ damage = 50 }]
    [policy.sly]
    use = [{ ability = "wait_for_it", when = "angle >= 90" }]
    [character.knife]
    abilities = ["stab"]
    [character.sly]
    abilities = ["wait_for_it"]
    policy = "sly"
    [character.post]
    [encounter.yard]
    sides.a = [{ character = "knife", at = [0, 0] }]
    sides.b = [{ character = "post", at = [4, 3] }]
    [encounter.lurk]
    sides.a = [{ character = "sly", at = [0, 0] }]
    sides.b = [{ character = "post", at = [4, 0] }]
    time_limit = 10
"#;

#[test]
fn formulas_read_from_which_side_a_target_is_hit() {
    let game = game(BACK);
    let (knife, post) = (CombatantId(0), CombatantId(1));
    // The knife stands at (−4, −3) from the post: at 143.13° from the x axis, 126.87° from the y axis.
    for (facing, dealt) in [([1.0, 0.0], 9.0), ([0.0, 2.5], 9.0), ([-1.0, 0.0], 1.0), ([0.6, -0.8], 1.0)] {
        let mut fight = game.fight("yard", 1).unwrap();
        fight.set_facing(post, facing).unwrap();
        let mut log = Log::default();
        fight.advance(Time::ZERO, &mut log).unwrap();
        let got = log.events.iter().find_map(|one| match one.event {
            Event::Hit { dealt, .. } => Some(dealt),
            _ => None,
        });
        assert_eq!(got, Some(dealt), "{facing:?}");
        assert_eq!(fight.facing(knife), [0.8, 0.6], "it has turned to whom it struck");
    }
    let mut fight = game.fight("yard", 1).unwrap();
    assert_eq!(fight.facing(post), [0.0, 0.0]);
    let mut log = Log::default();
    fight.advance(Time::ZERO, &mut log).unwrap();
    let mild = |event: &Event| matches!(event, Event::Hit { dealt: 1.0, .. });
    assert_eq!(moments(&log, mild), [0], "until it has turned anywhere, everybody stands before it");
    for far in [1e-200, 1e300] {
        fight.set_facing(post, [0.0, -far]).unwrap();
        assert_eq!(fight.facing(post), [0.0, -1.0]);
        fight.set_facing(post, [far, 0.0]).unwrap();
        assert_eq!(fight.facing(post), [1.0, 0.0]);
    }
    assert!(fight.set_facing(post, [0.0, 0.0]).is_err() && fight.set_facing(post, [f64::NAN, 1.0]).is_err());
    fight.take_control(post).unwrap();
    fight.walk(post, [0.0, -3.0], &mut Log::default()).unwrap();
    assert_eq!(fight.facing(post), [0.0, -1.0], "it looks where it goes");
    fight.walk(post, [0.0, 0.0], &mut Log::default()).unwrap();
    assert_eq!(fight.facing(post), [0.0, -1.0]);
}

#[test]
fn without_places_nobody_has_a_back() {
    let text = BACK
        .replace("{ character = \"sly\", at = [0, 0] }", "\"sly\"")
        .replace("{ character = \"post\", at = [4, 0] }", "\"post\"");
    let game = game(&text);
    let mut fight = game.fight("lurk", 1).unwrap();
    let mut log = Log::default();
    fight.advance(seconds(1.0), &mut log).unwrap();
    fight.set_facing(CombatantId(1), [1.0, 0.0]).unwrap();
    fight.advance(seconds(9.0), &mut log).unwrap();
    assert_eq!(hit(&log), [0; 0]);
}

#[test]
fn a_combatant_waiting_for_a_back_acts_when_the_target_turns() {
    let game = game(BACK);
    let mut fight = game.fight("lurk", 1).unwrap();
    let mut log = Log::default();
    // If nobody can turn it, the fight is a stalemate.
    fight.take_control(CombatantId(1)).unwrap();
    fight.set_facing(CombatantId(1), [-1.0, 0.0]).unwrap();
    fight.advance(seconds(2.345), &mut log).unwrap();
    assert_eq!(hit(&log), [0; 0]);
    fight.set_facing(CombatantId(1), [0.0, 1.0]).unwrap();
    fight.advance(seconds(2.345), &mut log).unwrap();
    assert_eq!(hit(&log), [1]);
}

/// One controlled by calls, and three within a few metres of (6, 0).
fn thrower(ability: &str) -> (Game, Fight) {
    let more = "[zone.mire]\nradius = 2\naffects = \"enemies\"\nenters = [{ damage = 3 }]\n\
        [zone.halo]\nradius = 1\ncarried = true\naffects = \"enemies\"\n";
    let game = field(ability, more, &[[6.0, 0.0], [6.0, 3.0], [6.0, 6.0]]);
    let mut fight = game.fight("field", 1).unwrap();
    fight.take_control(CombatantId(0)).unwrap();
    (game, fight)
}

#[test]
fn an_area_is_aimed_at_a_place() {
    let (game, mut fight) = thrower("reach = 8\ncast = 1\ntargets = { radius = 1 }\ndoes = [{ damage = 5 }]");
    let (one, act) = (CombatantId(0), game.ability("act").unwrap());
    let mut log = Log::default();
    let far = fight.use_ability_at(one, act, [8.0, 1.5], &mut log).unwrap().unwrap_err();
    assert!(matches!(far, UnavailableReason::OutOfReach { target: None, .. }), "{far:?}");
    assert_eq!(edgeplane::fight::describe_reason(fight.setup(), far), "the place is 8.1 m away, out of reach (8 m)");
    fight.use_ability_at(one, act, [6.0, 1.5], &mut log).unwrap().unwrap();
    fight.advance(seconds(1.0), &mut log).unwrap();
    assert_eq!(hit(&log), [1, 2], "the rims of two are within a metre");
    assert_eq!(fight.facing(one), [6.0 / 38.25_f64.sqrt(), 1.5 / 38.25_f64.sqrt()]);
    let again = fight.use_ability_at(one, act, [6.0, 1.5], &mut log).unwrap().unwrap_err();
    assert!(matches!(again, UnavailableReason::OnCooldown { .. }), "{again:?}");

    // A position needs no combatant: the ability is used, and hits nobody.
    let (game, mut fight) = thrower("reach = 8\ntargets = { line = 1, length = 9 }\ndoes = [{ damage = 5 }]");
    let mut log = Log::default();
    fight.use_ability_at(one, game.ability("act").unwrap(), [0.0, -40.0], &mut log).unwrap().unwrap();
    fight.advance(seconds(1.0), &mut log).unwrap();
    assert_eq!(hit(&log), [0; 0]);
    assert!(log.events.iter().any(|one| matches!(one.event, Event::Released { .. })));
    assert!(fight.ready_at(one, game.ability("act").unwrap()).unwrap() > seconds(90.0));
}

#[test]
fn a_zone_comes_about_at_the_place_when_what_was_thrown_is_there() {
    for (travel, at) in [("", 0), ("travel = 5\n", 1_000_000)] {
        let (game, mut fight) =
            thrower(&format!("{travel}targets = {{ radius = 1 }}\ndoes = [{{ zone = \"mire\" }}, {{ damage = 1 }}]"));
        let mut log = Log::default();
        let saved = {
            fight.use_ability_at(CombatantId(0), game.ability("act").unwrap(), [4.0, 3.0], &mut log).unwrap().unwrap();
            fight.save()
        };
        // Also in a fight that was loaded in between.
        let mut fight = game.load(&saved).unwrap();
        fight.advance(seconds(4.0), &mut log).unwrap();
        let began: Vec<_> = log
            .events
            .iter()
            .filter_map(|one| match one.event {
                Event::ZoneBegan { middle, .. } => Some((one.at.0, middle)),
                _ => None,
            })
            .collect();
        assert_eq!(began, [(at, [4.0, 3.0])], "one, and not one for each target");
        // Only the second is in its area; only that one's middle is in the zone.
        assert_eq!(hit(&log).iter().filter(|who| **who == 2).count(), 2, "{:?}", hit(&log));
    }
}

#[test]
fn what_cannot_be_used_at_a_place_says_why() {
    let (one, mut log) = (CombatantId(0), Log::default());
    for ability in
        ["does = [{ damage = 5 }]", "targets = { radius = 1, around = \"caster\" }\ndoes = [{ zone = \"halo\" }]"]
    {
        let (game, mut fight) = thrower(ability);
        let act = game.ability("act").unwrap();
        let error = fight.use_ability_at(one, act, [1.0, 1.0], &mut log).unwrap_err().to_string();
        assert!(error.contains("`act` can only be used on combatants"), "{error}");
        assert!(fight.use_ability_at(one, act, [f64::INFINITY, 1.0], &mut log).is_err());
        assert!(fight.use_ability_at(one, edgeplane::AbilityId(99), [1.0, 1.0], &mut log).is_err());
        assert_eq!(fight.ending(), None, "a wrong call ends no fight");
    }
}
