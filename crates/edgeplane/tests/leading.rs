//! Code of a game that chooses in place of a policy.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::bout::rules;
use crate::common::{ONE, OTHER, demo, game, moments, seconds};
use edgeplane::fight::{Event, Intent, Leader, Refusal, Sight};
use edgeplane::{AbilityId, CombatantId, Game, Log, Time};

/// Does as it is told, one intent after the other, and notes when it was asked and what was refused.
#[derive(Default)]
struct Told {
    intents: Vec<Intent>,
    asked: Vec<u64>,
    refused: Vec<(u64, &'static str)>,
    now: Time,
}

impl Leader for Told {
    fn choose(&mut self, sight: &Sight<'_>, who: CombatantId) -> Intent {
        assert_eq!(who, ONE);
        self.now = sight.now();
        self.asked.push(self.now.0);
        if self.intents.is_empty() { Intent::Wait(Some(seconds(1e6))) } else { self.intents.remove(0) }
    }

    fn refused(&mut self, _: CombatantId, _: AbilityId, reason: Refusal) {
        self.refused.push((self.now.0, Refusal::NAMES[reason.kind()]));
    }
}

const JAB: &str = "[ability.jab]\ncast = 0.5\ncooldown = 2\ncost = { breath = 9 }\ndoes = [{ damage = 1 }]\n";

fn led(game: &Game, intents: Vec<Intent>, until: f64) -> (Told, Log) {
    let mut fight = game.fight("bout", 1).unwrap();
    fight.lead(ONE);
    let (mut leader, mut log) = (Told { intents, ..Told::default() }, Log::default());
    fight.advance_led(seconds(until), &mut leader, &mut log).unwrap();
    (leader, log)
}

#[test]
fn it_is_asked_when_there_is_something_to_decide() {
    let game = rules(JAB, "abilities = [\"jab\"]");
    let jab = game.ability("jab").unwrap();
    let use_it = Intent::Use(jab, Some(OTHER));
    let (leader, log) = led(&game, [vec![Intent::Wait(Some(seconds(0.25)))], vec![use_it; 40]].concat(), 2.9);
    assert_eq!(moments(&log, |event| matches!(event, Event::Used { .. })), [250_000, 2_750_000]);
    // At 0.75 s it is refused, and asked again a tenth of a second later at the latest.
    assert_eq!(leader.asked[..4], [0, 250_000, 750_000, 850_000]);
    assert_eq!(leader.refused[..2], [(750_000, "not ready"), (850_000, "not ready")]);
}

#[test]
fn what_cannot_be_is_refused_with_its_reason() {
    let game = rules(JAB, "abilities = [\"jab\"]\n[character.third]\nabilities = []");
    let jab = game.ability("jab").unwrap();
    let (leader, _) = led(&game, vec![Intent::Use(jab, Some(ONE)), Intent::Use(jab, Some(CombatantId(9)))], 0.15);
    assert_eq!(leader.refused, [(0, "no target"), (100_000, "no target")], "not at itself, and not at nobody");
    let (leader, _) = led(&game, vec![Intent::Use(AbilityId(7), None)], 0.05);
    assert_eq!(leader.refused, [(0, "not its")]);
}

#[test]
fn without_a_leader_it_follows_its_policy() {
    let game = rules(JAB, "abilities = [\"jab\"]");
    let (mut plain, mut marked) = (Log::default(), Log::default());
    game.fight("bout", 1).unwrap().run(&mut plain).unwrap();
    let mut fight = game.fight("bout", 1).unwrap();
    fight.lead(ONE);
    fight.run(&mut marked).unwrap();
    assert_eq!(plain, marked);
}

/// Does what the first policy of the demo would.
struct FrontLine<'a>(&'a Game);

impl Leader for FrontLine<'_> {
    fn choose(&mut self, sight: &Sight<'_>, who: CombatantId) -> Intent {
        let ability = |name| self.0.ability(name).unwrap();
        let ready = |name| sight.ready_at(who, ability(name)).unwrap() <= sight.now();
        let (health, breath) = (self.0.pool("health").unwrap(), self.0.pool("breath").unwrap());
        if sight.share(who, health) < 0.5 && ready("brace") {
            return Intent::Use(ability("brace"), None);
        }
        if sight.enemies(who).count() >= 2 && ready("sluice") && sight.pool(who, breath) >= 18.0 {
            return Intent::Use(ability("sluice"), None);
        }
        Intent::Use(ability("boathook"), None)
    }
}

#[test]
fn code_that_does_as_a_policy_gives_the_same_fight() {
    let demo = demo();
    for seed in 0..20 {
        let (mut policy, mut code) = (Log::default(), Log::default());
        demo.fight("duel", seed).unwrap().run(&mut policy).unwrap();
        let mut fight = demo.fight("duel", seed).unwrap();
        fight.lead(ONE);
        fight.run_led(&mut FrontLine(&demo), &mut code).unwrap();
        let hits = |log: &Log| {
            let hits = log.events.iter().filter(|one| matches!(one.event, Event::Hit { .. } | Event::Fell { .. }));
            hits.copied().collect::<Vec<_>>()
        };
        assert_eq!(hits(&policy), hits(&code), "seed {seed}");
    }
}

#[test]
fn who_is_led_walks_to_what_it_wants() {
    let text = r#"
        [attributes]
        speed = 2
        [pools]
        health = { max = 100, defeat = true }
        [damage_types]
        blow = {}
        [ability.jab]
        reach = 1
        cooldown = 50
        does = [{ damage = 1 }]
        [character.one]
        abilities = ["jab"]
        [character.other]
        abilities = []
        [encounter.bout]
        sides.one = [{ character = "one", at = [0, 0] }]
        sides.other = [{ character = "other", at = [5, 0] }]
        time_limit = 20
    "#;
    let game = game(text);
    let jab = game.ability("jab").unwrap();
    let (leader, log) = led(&game, vec![Intent::Use(jab, Some(OTHER)); 60], 10.0);
    assert_eq!(
        moments(&log, |event| matches!(event, Event::Used { .. })),
        [2_000_000],
        "4 m at 2 m/s, to the microsecond"
    );
    assert!(leader.refused[..5].iter().all(|(_, reason)| *reason == "out of reach"));
}
