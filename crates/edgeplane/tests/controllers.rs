//! Controllers: code of a game that decides instead of a policy.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::bout::rules;
use crate::common::{ONE, OTHER, demo, game, moments, seconds};
use edgeplane::fight::{Controller, Decision, Event, UnavailableReason, View};
use edgeplane::{AbilityId, CombatantId, Game, Log, Time};

/// Executes a list of decisions in order, and records when it was asked and what was unavailable.
#[derive(Default)]
struct Prepared {
    decisions: Vec<Decision>,
    asked: Vec<u64>,
    unavailable: Vec<(u64, &'static str)>,
    now: Time,
}

impl Controller for Prepared {
    fn choose(&mut self, view: &View<'_>, who: CombatantId) -> Decision {
        assert_eq!(who, ONE);
        self.now = view.now();
        self.asked.push(self.now.0);
        if self.decisions.is_empty() { Decision::Wait(Some(seconds(1e6))) } else { self.decisions.remove(0) }
    }

    fn unavailable(&mut self, _: CombatantId, _: AbilityId, reason: UnavailableReason) {
        self.unavailable.push((self.now.0, UnavailableReason::NAMES[reason.kind()]));
    }
}

const JAB: &str = "[ability.jab]\ncast = 0.5\ncooldown = 2\ncost = { breath = 9 }\ndoes = [{ damage = 1 }]\n";

fn controlled(game: &Game, decisions: Vec<Decision>, until: f64) -> (Prepared, Log) {
    let mut fight = game.fight("bout", 1).unwrap();
    fight.set_controller(ONE).unwrap();
    let (mut controller, mut log) = (Prepared { decisions, ..Prepared::default() }, Log::default());
    fight.advance_controlled(seconds(until), &mut controller, &mut log).unwrap();
    (controller, log)
}

#[test]
fn it_is_asked_when_there_is_something_to_decide() {
    let game = rules(JAB, "abilities = [\"jab\"]");
    let jab = game.ability("jab").unwrap();
    let use_it = Decision::Use(jab, Some(OTHER));
    let (controller, log) =
        controlled(&game, [vec![Decision::Wait(Some(seconds(0.25)))], vec![use_it; 40]].concat(), 2.9);
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [250_000, 2_750_000]);
    // At 0.75 s it is unavailable, and asked again within a tenth of a second.
    assert_eq!(controller.asked[..4], [0, 250_000, 750_000, 850_000]);
    assert_eq!(controller.unavailable[..2], [(750_000, "on_cooldown"), (850_000, "on_cooldown")]);
}

#[test]
fn what_cannot_be_used_is_reported_with_its_reason() {
    let game = rules(JAB, "abilities = [\"jab\"]\n[character.third]\nabilities = []");
    let jab = game.ability("jab").unwrap();
    let (controller, _) =
        controlled(&game, vec![Decision::Use(jab, Some(ONE)), Decision::Use(jab, Some(CombatantId(9)))], 0.15);
    assert_eq!(controller.unavailable, [(0, "no_target"), (100_000, "no_target")], "not at itself, and not at nobody");
    let (controller, _) = controlled(&game, vec![Decision::Use(AbilityId(7), None)], 0.05);
    assert_eq!(controller.unavailable, [(0, "not_known")]);
}

#[test]
fn without_a_controller_it_follows_its_policy() {
    let game = rules(JAB, "abilities = [\"jab\"]");
    let (mut plain, mut marked) = (Log::default(), Log::default());
    game.fight("bout", 1).unwrap().run(&mut plain).unwrap();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.set_controller(ONE).unwrap();
    fight.run(&mut marked).unwrap();
    assert_eq!(plain, marked);
}

/// Decides as the first policy of the demo would.
struct FrontLine<'a>(&'a Game);

impl Controller for FrontLine<'_> {
    fn choose(&mut self, view: &View<'_>, who: CombatantId) -> Decision {
        let ability = |name| self.0.ability(name).unwrap();
        let ready = |name| view.ready_at(who, ability(name)).unwrap() <= view.now();
        let (health, breath) = (self.0.pool("health").unwrap(), self.0.pool("breath").unwrap());
        if view.share(who, health) < 0.5 && ready("brace") {
            return Decision::Use(ability("brace"), None);
        }
        if view.enemies(who).count() >= 2 && ready("sluice") && view.pool(who, breath) >= 18.0 {
            return Decision::Use(ability("sluice"), None);
        }
        Decision::Use(ability("boathook"), None)
    }
}

#[test]
fn code_that_does_as_a_policy_gives_the_same_fight() {
    let demo = demo();
    for seed in 0..20 {
        let (mut policy, mut code) = (Log::default(), Log::default());
        demo.fight("duel", seed).unwrap().run(&mut policy).unwrap();
        let mut fight = demo.fight("duel", seed).unwrap();
        fight.set_controller(ONE).unwrap();
        fight.run_controlled(&mut FrontLine(&demo), &mut code).unwrap();
        let hits = |log: &Log| {
            let hits = log.events.iter().filter(|one| matches!(one.event, Event::Hit { .. } | Event::Defeated { .. }));
            hits.copied().collect::<Vec<_>>()
        };
        assert_eq!(hits(&policy), hits(&code), "seed {seed}");
    }
}

/// Two on the ground, 5 m apart; the second one does nothing.
const FIVE_APART: &str = r#"
    [attributes]
    speed = 2
    [pools]
    health = { max = 100, defeat = true }
    [character.other]
    abilities = []
    [encounter.bout]
    sides.one = [{ character = "one", at = [0, 0] }]
    sides.other = [{ character = "other", at = [5, 0] }]
    time_limit = 20
"#;

#[test]
fn a_controlled_combatant_walks_to_what_it_wants() {
    let text = r#"
        [ability.jab]
        reach = 1
        cooldown = 50
        does = [{ damage = 1 }]
        [character.one]
        abilities = ["jab"]
    "#;
    let game = game(&format!("{FIVE_APART}{text}"));
    let jab = game.ability("jab").unwrap();
    let (controller, log) = controlled(&game, vec![Decision::Use(jab, Some(OTHER)); 60], 10.0);
    assert_eq!(
        moments(&log, |event| matches!(event, Event::Used { .. })),
        [2_000_000],
        "4 m at 2 m/s, to the microsecond"
    );
    assert!(controller.unavailable[..5].iter().all(|(_, reason)| *reason == "out_of_reach"));
}

/// It is asked again when it is free: the cast takes 0.5 s, the recovery 0.3 s. Until then it keeps walking to the target
/// that was out of reach.
#[test]
fn a_controlled_combatant_that_casts_as_it_walks_is_asked_when_it_is_free() {
    let text = r#"
        [ability.chant]
        cast = 0.5
        recovery = 0.3
        mobile = true
        targets = "self"
        does = [{ restore = "health", amount = 1 }]
        [ability.jab]
        reach = 1
        does = [{ damage = 1 }]
        [character.one]
        abilities = ["chant", "jab"]
    "#;
    let game = game(&format!("{FIVE_APART}{text}"));
    let (chant, jab) = (Decision::Use(game.ability("chant").unwrap(), None), game.ability("jab").unwrap());
    let (controller, log) = controlled(&game, vec![chant; 3], 3.0);
    assert_eq!(controller.asked, [0, 800_000, 1_600_000, 2_400_000]);
    assert_eq!(moments(&log, |event| matches!(event, Event::Released { .. })), [500_000, 1_300_000, 2_100_000]);
    let (controller, log) = controlled(&game, vec![Decision::Use(jab, Some(OTHER)), chant, chant], 2.0);
    assert_eq!(controller.asked, [0, 100_000, 900_000, 1_700_000]);
    let courses = log.events.iter().filter_map(|one| match one.event {
        Event::Walks { course, .. } => Some((one.at.0, course[0])),
        _ => None,
    });
    assert_eq!(courses.collect::<Vec<_>>(), [(0, 2.0), (1_700_000, 0.0)], "until it is asked and decides to wait");
}

/// A circle of 2 m around the position contains the one that is 1.5 m away from it.
#[test]
fn a_controller_aims_at_a_place_of_the_ground() {
    let text = r#"
        [pools]
        health = { max = 100, defeat = true }
        [ability.pour]
        reach = 8
        recovery = 1
        targets = { radius = 2 }
        does = [{ damage = 5 }]
        [ability.jab]
        does = [{ damage = 1 }]
        [character.one]
        abilities = ["pour", "jab"]
        [character.other]
        abilities = []
        [encounter.bout]
        sides.one = [{ character = "one", at = [0, 0] }]
        sides.other = [{ character = "other", at = [9, 0] }]
        [encounter.nowhere]
        sides = { one = ["one"], other = ["other"] }
    "#;
    let game = game(text);
    let (pour, jab) = (game.ability("pour").unwrap(), game.ability("jab").unwrap());
    let at = |x: f64| Decision::UseAt(pour, [x, 0.0]);
    let decisions = vec![at(9.0), at(7.5), at(6.0), at(f64::NAN), Decision::UseAt(jab, [1.0, 0.0])];
    let (controller, log) = controlled(&game, decisions, 2.55);
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [100_000, 1_100_000]);
    let hit = |event: &Event| matches!(event, Event::Hit { target: OTHER, .. });
    assert_eq!(moments(&log, hit), [100_000], "nobody is within 2 m of the second place");
    let unavailable = [(0, "out_of_reach"), (2_100_000, "no_target"), (2_200_000, "no_target")];
    assert_eq!(controller.unavailable, unavailable);
    let mut fight = game.fight("nowhere", 1).unwrap();
    fight.set_controller(ONE).unwrap();
    let mut controller = Prepared { decisions: vec![at(1.0)], ..Prepared::default() };
    fight.advance_controlled(seconds(0.0), &mut controller, &mut Log::default()).unwrap();
    assert_eq!(controller.unavailable, [(0, "no_target")], "nobody has a place");
}
