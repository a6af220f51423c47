//! Policies: which line is chosen, when lines are evaluated again, and why abilities are unavailable.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, OTHER, duel, game, moments, seconds};
use edgeplane::fight::{Event, Likely, Logged, UnavailableReason};
use edgeplane::{AbilityId, CombatantId, Fight, Log, Setup, Time};

/// `one` chooses by the given lines; `other` hits it for 10 each second, from 1 s on.
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

/// Times at which `one` starts an ability, within a number of seconds.
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
    // There is breath for a swing at 1.5 s; after that, the cooldown of 3 s is the longer wait.
    assert_eq!(uses(&text, "swing", 10.0), [1_500_000, 4_500_000, 7_500_000]);
    // 80 left is not below 80 %; the third hit makes it 70. Then the cooldown, then the share again.
    assert_eq!(uses(&text, "mend", 10.0), [3_000_000, 5_500_000, 8_000_000]);
}

#[test]
fn a_hit_wakes_a_combatant_waiting_for_its_condition() {
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
    // The target's breath is 9 at 4.5 s; conditions on flowing pools are evaluated every tenth of a second.
    assert_eq!(uses(&aimed, "swing", 6.0), [4_500_000]);
}

#[test]
fn conditions_that_change_with_time_are_acted_on_when_they_turn() {
    // The swing at 0 s lasts until 1.5 s. At 2 s `now > 2` does not hold yet; a microsecond later it does.
    for (reaction, expected) in [("", 2_000_001), ("reaction = 0.3", 2_300_001), ("reaction = 2", 4_000_001)] {
        let text = rules(r#"{ ability = "mend", when = "now > 2" }"#, "")
            .replace("[policy.chosen]", &format!("[policy.chosen]\n{reaction}"));
        assert_eq!(uses(&text, "mend", 4.5)[0], expected, "{reaction}");
    }
    let flowing = rules(r#"{ ability = "mend", when = "self.breath >= 7" }"#, "");
    assert_eq!(uses(&flowing, "mend", 4.0), [3_500_000]);
    // Nothing is reported in between, since nothing has changed.
    let (log, _) = log(&flowing, "mend", 3.4);
    assert_eq!(moments(&log, |event| matches!(event, Event::Waits { who: ONE, .. })), [0]);
    // Conditions that are not linear are evaluated every tenth of a second.
    let curved = rules(r#"{ ability = "mend", when = "sqrt(now) > 1.5" }"#, "");
    assert_eq!(uses(&curved, "mend", 4.0)[0], 2_300_000, "2.25 s, and the next tenth");
}

#[test]
fn a_cost_that_another_combatant_restores_wakes() {
    let text = rules(r#"{ ability = "focus" }"#, "").replace("abilities = [\"hit\"]", "abilities = [\"soothe\"]");
    // Calm comes in sixes at 1, 2, 3 … s and five of it are spent each time: 1, 2, 3, 4 are left, and at 5 s the ten
    // available are enough for two uses.
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
fn why_abilities_are_unavailable_says_until_when() {
    let text =
        rules(r#"{ ability = "mend", when = "self.health < 5" }, { ability = "swing" }, { ability = "focus" }"#, "");
    let (log, _) = log(&text, "mend", 0.0);
    let refused: Vec<UnavailableReason> = log
        .events
        .iter()
        .filter_map(
            |logged| if let Event::Unavailable { who: ONE, reason, .. } = logged.event { Some(reason) } else { None },
        )
        .collect();
    let [UnavailableReason::Condition, UnavailableReason::CannotAfford { cost, has, until, .. }, never] =
        refused.as_slice()
    else {
        panic!("{refused:?}")
    };
    assert_eq!((*cost, *has, *until), (3.0, 0.0, Some(Time(1_500_000))));
    assert!(matches!(never, UnavailableReason::CannotAfford { until: None, .. }), "calm does not come back by itself");
    assert_eq!(never.until(), None);
    let wait = log
        .events
        .iter()
        .find_map(|logged| if let Event::Waits { who: ONE, until } = logged.event { Some(until) } else { None });
    assert_eq!(wait, Some(Some(Time(1_500_000))), "the earliest of what will pass by itself");
}

/// The first ability that `one` uses, and its target, in a fight of three.
fn first_use(policy: &str) -> Vec<(String, u16)> {
    let game = game(&format!(
        r#"
        [attributes]
        speed = 0
        [pools]
        health = {{ max = 100, defeat = true }}
        [ability.jab]
        tags = ["plain"]
        recovery = 1
        does = [{{ damage = 1 }}]
        [ability.mend]
        tags = ["last"]
        recovery = 1
        reach = 10
        targets = {{ side = "others" }}
        does = [{{ heal = 1 }}]
        [ability.shout]
        tags = ["last"]
        recovery = 1
        targets = "self"
        does = [{{ heal = 0 }}]
        [policy.chosen]
        move = "hold"
        use = [{policy}]
        [character.one]
        abilities = ["mend", "shout", "jab"]
        policy = "chosen"
        [character.ally]
        [character.other]
        [encounter.e]
        sides.l = [{{ character = "one", at = [0, 0] }}, {{ character = "ally", at = [5, 0] }}]
        sides.r = [{{ character = "other", at = [1, 0] }}]
        time_limit = 10
        "#
    ));
    let setup = std::sync::Arc::new(Setup::of(game.program(), game.encounter("e").unwrap()));
    let mut fight = Fight::with_chance(setup, Likely, 0);
    let mut log = Log::default();
    fight.advance(seconds(0.5), &mut log).unwrap();
    let used = |logged: &Logged| match logged.event {
        Event::Used { caster: ONE, ability, target, .. } => {
            Some((game.program().ability(ability).name.clone(), target.0))
        }
        _ => None,
    };
    log.events.iter().filter_map(used).collect()
}

#[test]
fn tags_one_after_the_other_are_tried_in_the_order_of_the_policy() {
    // The character lists `mend` and `shout` first.
    assert_eq!(first_use(r#"{ tag = "plain" }, { tag = "last" }"#), [("jab".to_owned(), 2)]);
}

#[test]
fn what_chance_chooses_is_used_on_the_target_of_its_own_condition() {
    // Both lines are possible, and the weight makes the first the likelier; the second reads an enemy.
    let group = r#"{ choose = "weighted", use = [
        { ability = "mend", when = "target.health.share <= 1", weight = 3 },
        { ability = "jab", when = "target.health.share <= 1", weight = 1 },
    ] }"#;
    assert_eq!(first_use(group), [("mend".to_owned(), 1)]);
}

#[test]
fn a_condition_on_a_target_is_looked_at_when_another_one_comes_in_reach() {
    // The one in reach is well; the hurt one comes from 18 m at 2 m/s, and those in reach are picked first, the weakest
    // of them before all others. It is within 10 m after 4 s, less a micrometre at 2 m/s.
    let game = game(
        r#"
        [attributes]
        speed = 0
        [pools]
        health = { max = 100, defeat = true }
        [ability.mend]
        recovery = 1
        reach = 10
        targets = { side = "others", pick = "weakest" }
        does = [{ heal = 1 }]
        [ability.poke]
        reach = 1
        does = [{ damage = 1 }]
        [policy.mends]
        move = "hold"
        use = [{ ability = "mend", when = "target.health.share < 50%" }]
        [character.one]
        abilities = ["mend"]
        policy = "mends"
        [character.well]
        [character.hurt]
        attributes = { speed = 2 }
        abilities = ["poke"]
        [character.other]
        [encounter.e]
        sides.l = [
            { character = "one", at = [0, 0] },
            { character = "well", at = [5, 0] },
            { character = "hurt", at = [18, 0], start = { health = 10 } },
        ]
        sides.r = [{ character = "other", at = [-30, 0] }]
        time_limit = 20
        "#,
    );
    let mut fight = game.fight("e", 1).unwrap();
    let mut log = Log::default();
    fight.advance(seconds(4.5), &mut log).unwrap();
    let mended = moments(&log, |event| matches!(event, Event::Used { caster: ONE, target: CombatantId(2), .. }));
    assert_eq!(mended, [4_000_000]);
}

#[test]
fn a_condition_that_closes_before_the_reaction_is_missed() {
    // Breath grows by 2 each second: it is between 6 and 7 from 3 s to 3.5 s, which is over before somebody who needs
    // 0.8 s has reacted. To what opens at 3.6 s it reacts 0.8 s after that, and not at 3.8 s.
    let text = rules(
        r#"{ ability = "mend", when = "self.breath >= 6 and self.breath <= 7" }, { ability = "focus" }, "swing""#,
        "",
    );
    let slow = text
        .replace("[policy.chosen]", "[policy.chosen]\nreaction = 0.8")
        .replace("cost = { breath = 3 }", "unlock = \"now >= 3.6\"");
    assert_eq!(uses(&slow, "mend", 6.0), [0; 0]);
    assert_eq!(uses(&slow, "swing", 6.0), [4_400_000]);
}

#[test]
fn a_target_lost_before_the_reaction_is_not_acted_on() {
    let game = game(
        r#"
        [pools]
        health = { max = 100, defeat = true }
        [ability.jab]
        reach = 5
        recovery = 9
        does = [{ damage = 1 }]
        [policy.slow]
        move = "hold"
        reaction = 0.8
        use = ["jab"]
        [character.one]
        abilities = ["jab"]
        policy = "slow"
        [character.other]
        [encounter.e]
        sides.l = [{ character = "one", at = [0, 0] }]
        sides.r = [{ character = "other", at = [20, 0] }]
        time_limit = 10
        "#,
    );
    let mut fight = game.fight("e", 1).unwrap().endless();
    let mut log = Log::default();
    // In reach at 1 s, out of reach at 1.4 s, in reach again at 1.6 s: it acts 0.8 s after that.
    for (at, place) in [(1.0, 3.0), (1.4, 20.0), (1.6, 3.0)] {
        fight.advance(seconds(at), &mut log).unwrap();
        fight.set_motion(OTHER, [place, 0.0], [0.0, 0.0]).unwrap();
    }
    fight.advance(seconds(2.9), &mut log).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { caster: ONE, .. })), [2_400_000]);
    // The target walks away at 2 m/s and is out of reach after a second, so nothing is used.
    let mut fight = game.fight("e", 1).unwrap().endless();
    let mut log = Log::default();
    fight.advance(seconds(1.0), &mut log).unwrap();
    fight.set_motion(OTHER, [4.0, 0.0], [2.0, 0.0]).unwrap();
    fight.advance(seconds(1.7), &mut log).unwrap();
    fight.set_motion(OTHER, [3.0, 0.0], [0.0, 0.0]).unwrap();
    fight.advance(seconds(2.9), &mut log).unwrap();
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { caster: ONE, .. })), [2_500_000]);
}
