//! Triggers of statuses, what statuses forbid, and overlapping statuses.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use crate::common::scene::{
    ONE, OTHER, OWNER, attribute, health, hurt, one_application, printed, scene, seconds, waiting,
};
use crate::common::{game, moments};
use edgeplane::fight::{Event, Fight, FightErrorKind, Log, Source};
use edgeplane::program::TriggerEvent;
use edgeplane::{Game, Silent};
use proptest::prelude::*;

const BLOW: &str = r#"
    [status.blow]
    duration = 0
    reapply = "separate"
    every = { period = 1, first_tick = "now", does = [{ damage = 12, type = "blow" }] }
    [status.cure]
    duration = 0
    reapply = "separate"
    every = { period = 1, first_tick = "now", does = [{ heal = 30 }] }
"#;

/// The number of responses of the owner's status `s` to a list of events.
fn triggered(status: &str, done: impl Fn(&Game, &mut Fight, &mut Log)) -> (Vec<f64>, Log) {
    let game = scene(&format!("{BLOW}\n{status}"));
    let (mut fight, mut log) = (waiting(&game), Log::default());
    fight.apply_status(game.status("s").unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    done(&game, &mut fight, &mut log);
    let at = moments(&log, |event| matches!(event, Event::Triggered { .. })).into_iter().map(|at| at as f64 / 1e6);
    (at.collect(), log)
}

fn strike(game: &Game, fight: &mut Fight, log: &mut Log) {
    fight.apply_status(game.status("blow").unwrap(), ONE, OWNER, 1, log).unwrap();
}

#[test]
fn a_hit_is_answered_by_both_with_its_amount() {
    let (at, log) = triggered(
        r#"
        [status.s]
        duration = inf
        on = [{ event = "hit_taken", when = "amount > 5", does = [{ damage = "amount / 4", type = "cold", to = "other" }] }]
        "#,
        strike,
    );
    assert_eq!(at, [0.0]);
    let back = log.events.iter().find_map(|logged| match logged.event {
        Event::Hit { caster, target, source: Source::Status(_), dealt, .. } if target == ONE => Some((caster, dealt)),
        _ => None,
    });
    assert_eq!(back, Some((OWNER, 3.0)), "a quarter of 12 is sent back by the owner");
}

#[test]
fn a_trigger_has_its_own_cooldown_uses_and_condition() {
    let often = |game: &Game, fight: &mut Fight, log: &mut Log| {
        for at in 0..6 {
            fight.advance(seconds(f64::from(at)), log).unwrap();
            strike(game, fight, log);
        }
    };
    let on = |keys: &str| {
        let text = format!("[status.s]\nduration = inf\non = [{{ event = \"hit_taken\", {keys} does = [] }}]");
        triggered(&text, often).0
    };
    assert_eq!(on(""), [0.0, 1.0, 2.0, 3.0, 4.0, 5.0]);
    assert_eq!(on("cooldown = 2.5,"), [0.0, 3.0]);
    assert_eq!(on("cooldown = 2,"), [0.0, 2.0, 4.0]);
    assert_eq!(on("uses = 2,"), [0.0, 1.0]);
    assert_eq!(on("when = \"self.health < 70\","), [2.0, 3.0, 4.0, 5.0]);
    assert!(on("chance = 0,").is_empty());
    assert_eq!(on("chance = 1,").len(), 6);
}

#[test]
fn the_next_three_hits_are_weaker() {
    let statuses = format!(
        r#"{BLOW}
        [status.ward]
        duration = inf
        reapply = "stack"
        max_stacks = 3
        modify = [{{ attribute = "guard", add = "10 * stacks" }}]
        on = [{{ event = "hit_taken", does = [{{ consume = "ward", stacks = 1 }}] }}]
        "#
    );
    let game = scene(&statuses);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    fight.apply_status(game.status("ward").unwrap(), OWNER, OWNER, 3, &mut log).unwrap();
    let mut guards = vec![attribute(&game, &fight, "guard")];
    for _ in 0..4 {
        strike(&game, &mut fight, &mut log);
        guards.push(attribute(&game, &fight, "guard"));
    }
    assert_eq!(guards, [50.0, 40.0, 30.0, 20.0, 20.0]);
}

#[test]
fn a_pool_that_crosses_a_share_is_answered_once_on_its_way() {
    let (at, log) = triggered(
        r#"
        [status.s]
        duration = inf
        on = [
          { event = "pool_below", pool = "health", share = 0.8, does = [{ restore = "health", amount = 1 }] },
          { event = "pool_above", pool = "health", share = 0.9, does = [] },
        ]
        "#,
        |game, fight, log| {
            for at in 0..4 {
                fight.advance(seconds(f64::from(at)), log).unwrap();
                strike(game, fight, log);
            }
            fight.advance(seconds(5.0), log).unwrap();
            fight.apply_status(game.status("cure").unwrap(), ONE, OWNER, 1, log).unwrap();
            fight.apply_status(game.status("cure").unwrap(), ONE, OWNER, 1, log).unwrap();
        },
    );
    // 88, 76 (crosses 80), 77 - 12 = 65, 53; then 83, and 100 (crosses 90).
    assert_eq!(at, [1.0, 5.0]);
    assert_eq!(hurt(&log).len(), 4);
}

#[test]
fn a_share_is_crossed_where_it_is_reached_for_every_watcher_and_every_cause() {
    let game = scene(
        r#"
        [status.full]
        duration = inf
        on = [{ event = "pool_above", pool = "health", share = 1, does = [{ restore = "spirit", amount = 1 }] }]
        [status.nurse]
        duration = inf
        on = [{ event = "pool_below", of = "enemies", pool = "health", share = 0.5, does = [{ heal = 5, to = "other" }] }]
        "#,
    );
    let mut fight = waiting(&game);
    let mut log = Log::default();
    let pool = game.pool("health").unwrap();
    fight.apply_status(game.status("full").unwrap(), OWNER, OWNER, 1, &mut log).unwrap();
    fight.apply_status(game.status("nurse").unwrap(), ONE, ONE, 1, &mut log).unwrap();
    // 50 of 100 is at the half, and is healed by the nurse at once; 55 to 40 crosses it.
    for (at, amount) in [(1.0, 50.0), (2.0, 40.0), (3.0, 45.0), (4.0, 100.0)] {
        fight.advance(seconds(at), &mut log).unwrap();
        fight.set_pool(OWNER, pool, amount).unwrap();
    }
    fight.advance(seconds(5.0), &mut log).unwrap();
    let triggered = |wanted| moments(&log, |event| matches!(event, Event::Triggered { event, .. } if *event == wanted));
    assert_eq!(triggered(TriggerEvent::PoolBelow), [1_000_000, 2_000_000]);
    assert_eq!(triggered(TriggerEvent::PoolAbove), [4_000_000]);
    assert_eq!(health(&game, &fight), 100.0);
}

#[test]
fn full_stacks_do_what_they_do_though_they_are_cleansed_at_once() {
    let (_, log) = triggered(
        r#"
        [status.s]
        duration = inf
        on = [{ event = "renewed", does = [] }]
        [status.pile]
        duration = 9
        reapply = "stack"
        max_stacks = 2
        at_max = [{ damage = 7, type = "cold" }]
        [status.both]
        duration = 0
        every = { period = 1, first_tick = "now", does = [{ apply = "pile", stacks = 2 }, { cleanse = "pile" }] }
        "#,
        |game, fight, log| {
            fight.advance(seconds(1.0), log).unwrap();
            fight.apply_status(game.status("both").unwrap(), ONE, OWNER, 1, log).unwrap();
        },
    );
    assert_eq!(hurt(&log), [(1.0, 7.0)]);
}

#[test]
fn statuses_answer_to_their_own_comings_and_goings() {
    let (_, log) = triggered(
        r#"
        [status.s]
        duration = 3
        on = [
          { event = "gained", does = [{ apply = "seen" }] },
          { event = "renewed", does = [{ extend = "seen", by = 10 }] },
          { event = "lost", reason = "expired", does = [{ damage = "7 + snapshot(caster.might)", type = "cold" }] },
          { event = "status_lost", status = "seen", does = [{ heal = 1 }] },
        ]
        [status.seen]
        duration = 1
        "#,
        |game, fight, log| {
            fight.advance(seconds(0.5), log).unwrap();
            fight.apply_status(game.status("s").unwrap(), ONE, OWNER, 1, log).unwrap();
            fight.advance(seconds(20.0), log).unwrap();
        },
    );
    assert_eq!(printed(&log), "0 new, 0 new, 0.5 renewed, 3.5 expired, 11 expired");
    assert_eq!(hurt(&log), [(3.5, 17.0)], "what it kept is still there when it triggers on its end");
}

#[test]
fn defeats_trigger_statuses_of_allies_enemies_and_the_defeated() {
    let text = r#"
        [attributes]
        might = 1
        [pools]
        health = { max = 10, defeat = true }
        [status.watch]
        duration = inf
        on = [
          { event = "fight_began", does = [{ restore = "health", amount = 1 }] },
          { event = "ally_defeated", does = [] },
          { event = "enemy_defeated", does = [] },
          { event = "defeated", does = [{ damage = 4, to = "other" }] },
        ]
        [ability.hit]
        cast = 1
        does = [{ damage = 10 }]
        [character.one]
        statuses = ["watch"]
        abilities = ["hit"]
        [character.two]
        statuses = ["watch"]
        abilities = []
        [encounter.scene]
        sides.a = ["one"]
        sides.b = [{ character = "two", count = 2 }]
    "#;
    let game = game(text);
    let (_, log) = game.play("scene", 1).unwrap();
    let printed: Vec<(u64, TriggerEvent)> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Triggered { event, .. } => Some((logged.at.0 / 1_000_000, event)),
            _ => None,
        })
        .collect();
    use TriggerEvent::{AllyDefeated, Defeated, EnemyDefeated, FightBegan};
    assert_eq!(printed[..4], [(0, FightBegan), (0, FightBegan), (0, FightBegan), (1, Defeated)]);
    // The order in which the others respond depends on their tie-breaks.
    assert!(
        printed[4..].contains(&(1, EnemyDefeated)) && printed[4..].contains(&(1, AllyDefeated)) && printed.len() == 6,
        "{printed:?}"
    );
    let struck_back = log.events.iter().any(|one| matches!(one.event, Event::Hit { source: Source::Status(_), .. }));
    assert!(struck_back, "the fallen strikes back once");
}

#[test]
fn an_endless_chain_names_those_who_made_it() {
    let text = |loops: &str| format!("{loops}\n[status.quiet]\nduration = 1");
    let endless = |loops: &str, first: &str| {
        let game = scene(&text(loops));
        let mut fight = waiting(&game);
        let error = fight.apply_status(game.status(first).unwrap(), ONE, OWNER, 1, &mut Silent).unwrap_err();
        assert!(matches!(error.kind, FightErrorKind::Chain { limit: 1_000, .. }), "{error:?}");
        error.diagnostic().message.clone()
    };
    let two = r#"
        [status.ping]
        duration = 9
        on = [{ event = "gained", does = [{ apply = "pong" }] }, { event = "renewed", does = [{ apply = "pong" }] }]
        [status.pong]
        duration = 9
        on = [{ event = "gained", does = [{ apply = "ping" }] }, { event = "renewed", does = [{ apply = "ping" }] }]
    "#;
    assert_eq!(
        endless(two, "ping"),
        "at 0.000000 s: `ping` and `pong` trigger each other endlessly (1000 times in one moment)"
    );
    let one = r#"
        [status.echo]
        duration = 9
        reapply = "separate"
        on = [{ event = "gained", does = [{ apply = "echo" }] }]
    "#;
    assert_eq!(endless(one, "echo"), "at 0.000000 s: `echo` triggers itself endlessly (1000 times in one moment)");
}

#[test]
fn a_status_holds_while_its_condition_does() {
    let statuses = format!(
        r#"{BLOW}
        [status.fury]
        while = "self.health.share < 80%"
        modify = [{{ attribute = "might", times = 2 }}]
        [status.dawn]
        while = "now < 2.25"
        [status.rage]
        duration = inf
        on = [{{ event = "pool_below", pool = "health", share = 0.8, does = [{{ apply = "fury" }}] }}]
        "#
    );
    let game = scene(&statuses);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    fight.apply_status(game.status("rage").unwrap(), OWNER, OWNER, 1, &mut Silent).unwrap();
    fight.apply_status(game.status("dawn").unwrap(), OWNER, OWNER, 1, &mut log).unwrap();
    (0..2).for_each(|_| strike(&game, &mut fight, &mut Log::default()));
    assert_eq!(attribute(&game, &fight, "might"), 20.0);
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!(printed(&log), "0 new, 0 expired, 0 expired, 2.25 condition_ended", "the moment at which it turns");
    fight.apply_status(game.status("cure").unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    fight.advance(seconds(5.0), &mut log).unwrap();
    assert_eq!((health(&game, &fight), attribute(&game, &fight, "might")), (100.0, 10.0));
}

#[test]
fn formulas_ask_for_statuses_and_tags() {
    let statuses = r#"
        [status.mark]
        tags = ["seen"]
        duration = 9
        reapply = "stack"
        max_stacks = 5
        [status.probe]
        duration = 0
        every = { period = 1, first_tick = "now", does = [
          { damage = "stacks(target, mark)", type = "blow", when = "has(target, mark)" },
          { damage = 20, type = "blow", when = "tagged(target, seen) and not has(target, probe)" },
          { damage = 30, type = "blow", when = "not tagged(caster, seen)" },
        ] }
    "#;
    let game = scene(statuses);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    fight.apply_status(game.status("mark").unwrap(), ONE, OWNER, 3, &mut log).unwrap();
    fight.apply_status(game.status("probe").unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    assert_eq!(hurt(&log), [(0.0, 3.0), (0.0, 30.0)]);
}

#[test]
fn a_list_for_players_has_what_they_want_to_see() {
    let statuses = r#"
        [status.soaked]
        kind = "debuff"
        icon = "drop"
        text = "Slower by {slow} % for {left} s."
        values = { slow = "8 * stacks", left = "remaining" }
        duration = 6
        reapply = "stack"
        warn = 2
        [status.count]
        hidden = true
        duration = inf
    "#;
    let (game, mut fight, mut log) = one_application(statuses, "soaked", 1.5);
    fight.apply_status(game.status("soaked").unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    fight.apply_status(game.status("count").unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    fight.advance(seconds(3.0), &mut log).unwrap();
    let list = fight.statuses(OWNER).unwrap();
    let soaked = &list[0];
    assert_eq!((soaked.icon.as_str(), soaked.text.as_str()), ("drop", "Slower by 16 % for 4.5 s."));
    assert_eq!((soaked.stacks, soaked.remaining, soaked.share, soaked.expiring), (2, Some(4.5), 0.75, false));
    assert_eq!((list[1].hidden, list[1].remaining, list[1].icon.as_str()), (true, None, "count"));
    fight.advance(seconds(5.5), &mut log).unwrap();
    assert!(fight.statuses(OWNER).unwrap()[0].expiring);
    assert_eq!(moments(&log, |event| matches!(event, Event::StatusExpiring { .. })), [5_500_000]);
}

#[test]
fn statuses_go_with_their_owner_and_the_fight_begins_anew_without_them() {
    let statuses = format!("{BLOW}\n[status.s]\nduration = inf\nmodify = [{{ attribute = \"might\", add = 5 }}]");
    let game = scene(&statuses);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    fight.apply_status(game.status("s").unwrap(), ONE, OTHER, 1, &mut log).unwrap();
    for _ in 0..9 {
        fight.apply_status(game.status("blow").unwrap(), ONE, OTHER, 1, &mut log).unwrap();
    }
    fight.advance(seconds(1.0), &mut log).unwrap();
    assert!(!fight.stands(OTHER));
    assert!(printed(&log).contains("owner_defeated"));
    assert!(!fight.apply_status(game.status("s").unwrap(), ONE, OTHER, 1, &mut log).unwrap(), "it has fallen");
    fight.apply_status(game.status("s").unwrap(), ONE, OWNER, 1, &mut log).unwrap();
    fight.restart(1);
    assert_eq!((attribute(&game, &fight, "might"), fight.statuses(OWNER).unwrap().len()), (10.0, 0));
}

const OVERLAP: &str = r#"
    [status.slow]
    duration = 3
    reapply = "separate"
    modify = [{ attribute = "might", percent = "-7 * stacks" }, { attribute = "guard", times = 0.3 }]
    [status.slower]
    duration = 5
    reapply = "stack"
    stack_timer = "each"
    modify = [{ attribute = "might", percent = -11.1 }, { attribute = "might", add = "0.1 * stacks" }]
    [status.worn]
    duration = inf
    modify = [{ attribute = "guard", add = 0.7 }, { attribute = "resist", add = 0.1 }]
    every = { period = 0.3, does = [{ restore = "spirit", amount = 1 }] }
    [status.fixed]
    duration = 2
    reapply = "replace"
    modify = [{ attribute = "might", set = 3.3 }, { attribute = "guard", at_most = 11.9 }]
    [status.held]
    duration = 1.7
    forbids = ["act"]
    modify = [{ attribute = "might", times = 0 }]
"#;

proptest! {
    /// However statuses overlap, and in whatever order they begin and end, nothing is left over.
    #[test]
    fn nothing_is_left_over(steps in prop::collection::vec((0_usize..5, 0.0_f64..1.5, any::<bool>()), 1..30)) {
        let game = scene(OVERLAP);
        let mut fight = waiting(&game);
        let names = ["slow", "slower", "worn", "fixed", "held"].map(|name| game.status(name).unwrap());
        let slots = ["might", "guard", "twice", "resist.blow", "resist.cold"];
        let all = |fight: &Fight| slots.map(|name| attribute(&game, fight, name).to_bits());
        let before = all(&fight);
        for (which, wait, removes) in steps {
            if removes {
                fight.remove_status(names[which], OWNER, &mut Silent).unwrap();
            } else {
                fight.apply_status(names[which], ONE, OWNER, 1 + which as u32, &mut Silent).unwrap();
            }
            let now = fight.now().seconds();
            fight.advance(seconds(now + wait), &mut Silent).unwrap();
        }
        fight.remove_status(names[2], OWNER, &mut Silent).unwrap();
        let now = fight.now().seconds();
        fight.advance(seconds(now + 10.0), &mut Silent).unwrap();
        prop_assert_eq!(fight.statuses(OWNER).unwrap().len(), 0);
        prop_assert_eq!(all(&fight), before);
        prop_assert_eq!(fight.cap(OWNER, game.pool("spirit").unwrap()), 70.0);
    }
}

#[test]
fn a_stun_renewed_within_a_stun_ends_once() {
    let game = scene(OVERLAP);
    let (mut fight, mut log) = (waiting(&game), Log::default());
    let held = game.status("held").unwrap();
    fight.apply_status(held, ONE, OWNER, 1, &mut log).unwrap();
    fight.advance(seconds(1.0), &mut log).unwrap();
    fight.apply_status(held, OTHER, OWNER, 1, &mut log).unwrap();
    fight.advance(seconds(2.0), &mut log).unwrap();
    assert_eq!(attribute(&game, &fight, "might"), 0.0, "the first end was moved");
    fight.advance(seconds(2.7), &mut log).unwrap();
    assert_eq!(attribute(&game, &fight, "might"), 10.0);
    assert_eq!(printed(&log), "0 new, 1 renewed, 2.7 expired");
}

#[test]
fn a_policy_can_look_for_a_status_on_its_target() {
    let text = r#"
        [attributes]
        might = 1
        [pools]
        health = { max = 100, defeat = true }
        [status.soaked]
        duration = 3
        [ability.douse]
        cooldown = 1
        does = [{ apply = "soaked" }]
        [ability.freeze]
        cooldown = 1
        does = [{ damage = 7 }]
        [character.one]
        abilities = ["freeze", "douse"]
        policy = "p"
        [character.two]
        abilities = []
        [policy.p]
        use = [
          { ability = "freeze", when = "has(target, soaked)" },
          { ability = "douse", when = "stacks(target, soaked) == 0" },
        ]
        [encounter.scene]
        sides.a = ["one"]
        sides.b = ["two"]
        time_limit = 6.5
    "#;
    let game = game(text);
    let (_, log) = game.play("scene", 1).unwrap();
    let used = |name: &str| {
        let wanted = game.ability(name).unwrap();
        moments(&log, |event| matches!(event, Event::Used { ability, .. } if *ability == wanted))
    };
    assert_eq!(used("douse"), [0, 3_000_000, 6_000_000], "as soon as it is dry again");
    assert_eq!(used("freeze"), [0, 1_000_000, 2_000_000, 3_000_000, 4_000_000, 5_000_000, 6_000_000]);
}

#[test]
fn absurd_numbers_of_stacks_neither_hang_nor_grow() {
    let statuses = r#"
        [status.many]
        duration = 5
        reapply = "stack"
        stack_timer = "each"
        [status.apart]
        duration = 5
        reapply = "separate"
        [status.flood]
        duration = inf
        every = { period = 0.001, does = [{ apply = "apart" }, { apply = "many", stacks = 1e12 }] }
    "#;
    let (game, mut fight, _) = one_application(statuses, "flood", 1.5);
    let stacks = |fight: &Fight, name: &str| fight.stacks(OWNER, game.status(name).unwrap());
    assert_eq!((stacks(&fight, "many"), stacks(&fight, "apart")), (1_000, 1_000));
    fight.remove_status(game.status("flood").unwrap(), OWNER, &mut Silent).unwrap();
    fight.advance(seconds(10.0), &mut Silent).unwrap();
    assert_eq!((stacks(&fight, "many"), stacks(&fight, "apart")), (0, 0));
}
