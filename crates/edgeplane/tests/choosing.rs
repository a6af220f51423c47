//! Policies: what is chosen, when it is looked again, and what a refusal says.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, duel, game, moments, seconds};
use edgeplane::fight::{Event, Observer, Refusal};
use edgeplane::{AbilityId, Log, Time};

/// `one` chooses by the lines given; `other` hits it for 10 each second, from 1 s on.
fn rules(uses: &str, more: &str) -> String {
    format!(
        r#"
        [pools]
        health = {{ max = 100, defeat = true }}
        breath = {{ max = 30, start = 0, regen = 2 }}
        calm = {{ max = 10, start = 0 }}
        [ability.mend]
        targets = "self"
        cooldown = 2.5
        does = [{{ heal = 5 }}]
        [ability.swing]
        cooldown = 3
        cost = {{ breath = 3 }}
        does = [{{ damage = 1 }}]
        [ability.focus]
        cost = {{ calm = 5 }}
        targets = "self"
        does = [{{ restore = "breath", amount = 1 }}]
        [ability.soothe]
        cast = 1
        does = [{{ restore = "calm", amount = 6 }}]
        [ability.hit]
        cast = 1
        does = [{{ damage = 10 }}]
        [policy.chosen]
        use = [{uses}]
        [character.one]
        abilities = ["mend", "swing", "focus"]
        policy = "chosen"
        [character.other]
        abilities = ["hit"]
        {more}
        "#
    )
}

/// Moments at which `one` starts an ability, within so many seconds.
fn uses(text: &str, ability: &str, until: f64) -> Vec<u64> {
    let (log, id) = log(text, ability, until);
    moments(&log, |event| matches!(event, Event::Used { caster: ONE, ability, .. } if *ability == id))
}

fn log(text: &str, ability: &str, until: f64) -> (Log, AbilityId) {
    let mut fight = duel(text, &[]);
    let id = fight.setup().program().find_ability(ability).unwrap();
    let mut log = Log::default();
    fight.advance(seconds(until), &mut log).unwrap();
    (log, id)
}

#[test]
fn the_first_that_is_wanted_and_possible_is_used() {
    let text = rules(r#"{ ability = "mend", when = "self.health.share < 80%" }, { ability = "swing" }"#, "");
    // Breath for a swing is there at 1.5 s; after that the cooldown of 3 s is the longer wait.
    assert_eq!(uses(&text, "swing", 10.0), [1_500_000, 4_500_000, 7_500_000]);
    // 80 left is not below 80 %; the third hit makes it 70. Then the cooldown, then the share again.
    assert_eq!(uses(&text, "mend", 10.0), [3_000_000, 5_500_000, 8_000_000]);
}

#[test]
fn a_hit_wakes_whoever_waits_for_its_condition() {
    let text = rules(r#"{ ability = "mend", when = "self.health < 65" }"#, "");
    assert_eq!(uses(&text, "mend", 7.0), [4_000_000, 6_500_000]);
    let (log, _) = log(&text, "mend", 3.9);
    let looks = moments(&log, |event| matches!(event, Event::Waits { who: ONE, .. }));
    assert_eq!(looks, [0], "hits that turn no condition cause no look");
}

#[test]
fn a_condition_on_the_target_is_watched_too() {
    let text = rules(r#"{ ability = "mend", when = "count(enemies) >= 1 and self.health.missing > 25" }"#, "");
    assert_eq!(uses(&text, "mend", 4.0), [3_000_000]);
    let aimed = rules(r#"{ ability = "swing", when = "target.breath >= 9" }"#, "");
    // Breath of the target is 9 at 4.5 s; conditions that flow are looked at every tenth of a second.
    assert_eq!(uses(&aimed, "swing", 6.0), [4_500_000]);
}

#[test]
fn conditions_that_change_with_time_are_polled_at_the_pace_of_the_policy() {
    for (reaction, expected) in [("", 2_100_000), ("reaction = 0.5", 2_500_000), ("reaction = 2", 4_000_000)] {
        let text = rules(r#"{ ability = "mend", when = "now > 2" }"#, "")
            .replace("[policy.chosen]", &format!("[policy.chosen]\n{reaction}"));
        assert_eq!(uses(&text, "mend", 4.5)[0], expected, "{reaction}");
    }
    let flowing = rules(r#"{ ability = "mend", when = "self.breath >= 7" }"#, "");
    assert_eq!(uses(&flowing, "mend", 4.0), [3_500_000]);
    // Between polls nothing is told: there was nothing to choose.
    let (log, _) = log(&flowing, "mend", 3.4);
    assert_eq!(moments(&log, |event| matches!(event, Event::Waits { who: ONE, .. })), [0]);
}

#[test]
fn a_cost_that_somebody_else_fills_up_wakes() {
    let text = rules(r#"{ ability = "focus" }"#, "").replace("abilities = [\"hit\"]", "abilities = [\"soothe\"]");
    // Calm comes in sixes at 1, 2, 3 … s and five of it are spent each time: 1, 2, 3, 4 are left, and
    // at 5 s the ten that are there are enough for two.
    let expected = [1_000_000, 2_000_000, 3_000_000, 4_000_000, 5_000_000, 5_000_000];
    assert_eq!(uses(&text, "focus", 5.0), expected);
}

#[test]
fn without_a_policy_abilities_are_tried_in_the_order_listed() {
    let text = rules("", "").replace("policy = \"chosen\"", "");
    assert_eq!(uses(&text, "mend", 6.0), [0, 2_500_000, 5_000_000]);
    assert_eq!(uses(&text, "swing", 6.0), [1_500_000, 4_500_000]);
}

#[test]
fn refusals_are_for_what_was_wanted_and_say_until_when() {
    let text =
        rules(r#"{ ability = "mend", when = "self.health < 5" }, { ability = "swing" }, { ability = "focus" }"#, "");
    let (log, _) = log(&text, "mend", 0.0);
    let refused: Vec<Refusal> = log
        .events
        .iter()
        .filter_map(
            |logged| if let Event::Refused { who: ONE, reason, .. } = logged.event { Some(reason) } else { None },
        )
        .collect();
    let [Refusal::CannotAfford { cost, has, until, .. }, never] = refused.as_slice() else { panic!("{refused:?}") };
    assert_eq!((*cost, *has, *until), (3.0, 0.0, Some(Time(1_500_000))));
    assert!(matches!(never, Refusal::CannotAfford { until: None, .. }), "calm does not come back by itself");
    assert_eq!(never.until(), None);
    let wait = log
        .events
        .iter()
        .find_map(|logged| if let Event::Waits { who: ONE, until } = logged.event { Some(until) } else { None });
    assert_eq!(wait, Some(Some(Time(1_500_000))), "the earliest of what will pass by itself");
}

struct Unwanted(Vec<Time>);

impl Observer for Unwanted {
    const DETAIL: bool = true;

    fn event(&mut self, at: Time, event: Event) {
        if matches!(event, Event::Unwanted { .. }) {
            self.0.push(at);
        }
    }
}

#[test]
fn what_is_not_wanted_is_told_to_whoever_asks_for_detail() {
    let text = rules(r#"{ ability = "mend", when = "self.health < 95" }, { ability = "swing" }"#, "");
    let mut fight = duel(&text, &[]);
    let mut unwanted = Unwanted(Vec::new());
    fight.advance(seconds(2.0), &mut unwanted).unwrap();
    // At the start; at 1 s the hit makes it wanted, it heals from 90 to 95 and is not wanted any more; at
    // 1.5 s it is passed over for a swing, and once more after that.
    assert_eq!(unwanted.0, [0, 1_000_000, 1_500_000, 1_500_000].map(Time));
}

#[test]
fn targets_that_fall_during_a_cast_are_left_out() {
    let text = r#"
        [pools]
        health = { max = 10, defeat = true }
        [ability.slow]
        cast = 2
        cooldown = 100
        targets = { side = "enemies", count = "all" }
        does = [{ damage = 4 }, { restore = "health", amount = 1, to = "caster" }]
        [ability.quick]
        cast = 1
        cooldown = 100
        does = [{ damage = 10 }]
        [character.slow]
        abilities = ["slow"]
        [character.quick]
        abilities = ["quick"]
        [character.still]
        [encounter.some]
        sides.a = ["slow", "quick"]
        sides.b = ["still", "still"]
        time_limit = 3
        [encounter.all]
        sides.a = ["slow", "quick", "quick"]
        sides.b = ["still", "still"]
        time_limit = 3
    "#;
    let game = game(text);
    let told = |encounter: &str| {
        let (_, log) = game.play(encounter, 1).unwrap();
        let hits = moments(&log, |event| matches!(event, Event::Hit { .. })).len();
        (hits, moments(&log, |event| matches!(event, Event::Restored { .. })).len())
    };
    assert_eq!(told("some"), (2, 1), "one quick hit, one slow one on whoever is left");
    // Both quick ones aim at the first, who falls once; the second is still there for the slow one.
    assert_eq!(told("all"), (3, 1));
}

#[test]
fn an_ability_whose_only_target_has_fallen_comes_to_nothing() {
    let text = r#"
        [pools]
        health = { max = 10, defeat = true }
        [ability.slow]
        cast = 2
        cooldown = 100
        does = [{ damage = 4 }, { restore = "health", amount = 1, to = "caster" }]
        [ability.quick]
        cast = 1
        cooldown = 100
        does = [{ damage = 10 }]
        [character.slow]
        abilities = ["slow"]
        [character.quick]
        abilities = ["quick"]
        [character.still]
        [encounter.one]
        sides.a = ["slow", "quick"]
        sides.b = ["still", "still"]
        time_limit = 3
    "#;
    let (_, log) = game(text).play("one", 1).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Lost { .. })), [2_000_000]);
    assert_eq!(moments(&log, |event| matches!(event, Event::Restored { .. })), [0_u64; 0]);
}

#[test]
fn random_targets_are_drawn_evenly() {
    let text = r#"
        [pools]
        health = { max = 1000, defeat = true }
        [ability.swing]
        cooldown = 1
        targets = { side = "enemies", pick = "random", count = 2 }
        does = [{ damage = 1 }]
        [character.one]
        abilities = ["swing"]
        [character.still]
        [encounter.crowd]
        sides.a = ["one"]
        sides.b = [{ character = "still", count = 4 }]
        time_limit = 400
    "#;
    let (_, log) = game(text).play("crowd", 5).unwrap();
    let mut counts = [0_u32; 5];
    for logged in &log.events {
        if let Event::Hit { target, .. } = logged.event {
            counts[target.index()] += 1;
        }
    }
    assert_eq!(counts.iter().sum::<u32>(), 401 * 2);
    // 401 draws of two in four: 200.5 expected each, with a deviation of 10.
    assert!(counts[1..].iter().all(|count| (160..=240).contains(count)), "{counts:?}");
}
