//! An idle combatant acts in the same moment in which anything makes a line possible, without polling.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{self, game, moments, seconds};
use edgeplane::fight::{Ending, Event, Fight};
use edgeplane::{CombatantId, Log, Silent, Time};

const ONE: CombatantId = CombatantId(0);
const OTHER: CombatantId = CombatantId(2);

/// `one` would jab if `line` allowed it; at 3.21 s `other` releases a spur with the effects `does`.
fn scene(more: &str, line: &str, jab: &str, one: &str, does: &str) -> edgeplane::Game {
    game(&format!(
        r#"
        [attributes]
        might = 10
        vigour = 100
        [pools]
        health = {{ max = "vigour", defeat = true }}
        breath = {{ max = 50, start = 5, regen = 0 }}
        [status.mark]
        tags = ["marks"]
        duration = 20
        reapply = "stack"
        max_stacks = 9
        [status.strong]
        duration = 20
        modify = [{{ attribute = "might", add = 5 }}]
        [status.hush]
        duration = 20
        forbids = ["act"]
        {more}
        [ability.jab]
        cooldown = 50
        does = [{{ damage = 1 }}]
        {jab}
        [ability.spur]
        cast = 3.21
        cooldown = 50
        does = [{does}]
        [policy.one]
        use = [{{ ability = "jab", {line} }}]
        [policy.other]
        use = [{{ ability = "spur" }}]
        [character.one]
        policy = "one"
        abilities = ["jab"]
        {one}
        [character.friend]
        attributes = {{ might = 1 }}
        [character.other]
        policy = "other"
        abilities = ["spur"]
        [encounter.bout]
        sides.a = ["one", "friend"]
        sides.b = ["other"]
        time_limit = 20
        "#
    ))
}

fn first_use(log: &Log) -> Vec<u64> {
    moments(log, |event| matches!(event, Event::Used { caster: ONE, .. }))
}

#[test]
fn whatever_changes_is_answered_in_the_same_moment() {
    let cases = [
        // The input of the condition, what keeps it closed, and what opens it.
        ("an attribute", "", "when = \"self.might > 12\"", "", "", "{ apply = \"strong\" }"),
        ("a pool of its own", "", "when = \"self.health < 100\"", "", "", "{ damage = 1 }"),
        ("a pool of the target", "", "when = \"target.health < 100\"", "", "", "{ damage = 1, to = \"caster\" }"),
        ("a share", "", "when = \"self.breath.share >= 0.5\"", "", "", "{ restore = \"breath\", amount = 20 }"),
        ("a status", "", "when = \"has(self, mark)\"", "", "", "{ apply = \"mark\" }"),
        ("stacks", "", "when = \"stacks(self, mark) >= 2\"", "", "", "{ apply = \"mark\" }, { apply = \"mark\" }"),
        ("a tag", "", "when = \"tagged(self, marks)\"", "", "", "{ apply = \"mark\" }"),
        ("a status of the target", "", "when = \"has(target, mark)\"", "", "", "{ apply = \"mark\", to = \"caster\" }"),
        ("the end of one", "", "when = \"not has(self, mark)\"", "", "statuses = [\"mark\"]", "{ cleanse = \"mark\" }"),
        ("what forbids", "", "when = \"true\"", "", "statuses = [\"hush\"]", "{ cleanse = \"hush\" }"),
        ("an unlock", "", "when = \"true\"", "unlock = \"caster.might > 12\"", "", "{ apply = \"strong\" }"),
        ("a cost", "", "when = \"true\"", "cost = { breath = 10 }", "", "{ restore = \"breath\", amount = 5 }"),
        ("a price", "", "when = \"true\"", "cost = { breath = \"17 - caster.might\" }", "", "{ apply = \"strong\" }"),
        ("a count", "", "when = \"count(allies) < 2\"", "", "", "{ damage = 100, to = \"enemies\" }"),
    ];
    for (name, more, line, jab, one, does) in cases {
        // The friend is defeated by what `one` survives.
        let one = if name == "a count" { "attributes = { vigour = 200 }" } else { one };
        let game = scene(more, line, jab, one, does);
        let (_, log) = game.play("bout", 1).unwrap();
        assert_eq!(first_use(&log), [3_210_000], "{name}");
    }
}

/// A call of the game.
type Call = fn(&edgeplane::Game, &mut Fight, &mut Log);

/// A number that is not finite is refused, and a fight that has failed stays as it is.
#[test]
fn a_fight_that_has_failed_goes_on_no_more() {
    let game = common::demo();
    let mut fight = game.fight("breach", 14_908_461).unwrap();
    let ids: Vec<_> = fight.setup().ids().collect();
    let speed = game.program().find_attribute("speed").unwrap();
    let refused = fight.set_base(ids[0], speed, f64::INFINITY, &mut Silent).unwrap_err();
    assert!(refused.to_string().contains("a base"), "{refused}");
    let heft = game.program().find_attribute("heft").unwrap();
    fight.set_base(ids[4], heft, 1e308, &mut Silent).unwrap();
    fight.set_base(ids[5], heft, 1e308, &mut Silent).unwrap();
    let failed = fight.advance(Time::NEVER, &mut Silent).unwrap_err();
    assert_eq!(fight.ending(), Some(Ending::Failed), "{failed}");
    let (now, places): (_, Vec<_>) = (fight.now(), ids.iter().map(|who| fight.place(*who)).collect());
    assert_eq!(fight.run(&mut Silent).unwrap(), Ending::Failed);
    assert_eq!((now, places.clone()), (fight.now(), ids.iter().map(|who| fight.place(*who)).collect()));
    assert!(places.iter().flatten().all(|metres| metres.is_finite()));
}

#[test]
fn calls_of_a_game_are_answered_in_the_same_moment() {
    let cases: [(&str, &str, Call); 4] = [
        ("a pool that is set", "when = \"self.health < 100\"", |game, fight, _| {
            fight.set_pool(ONE, game.pool("health").unwrap(), 60.0).unwrap();
        }),
        ("a status", "when = \"has(self, mark)\"", |game, fight, log| {
            fight.apply_status(game.status("mark").unwrap(), OTHER, ONE, 1, log).unwrap();
        }),
        ("effects", "when = \"self.breath >= 20\"", |game, fight, log| {
            fight.apply_effects(OTHER, game.ability("spur").unwrap(), ONE, log).unwrap();
        }),
        ("a defeat", "when = \"count(allies) < 2\"", |game, fight, _| {
            fight.set_pool(CombatantId(1), game.pool("health").unwrap(), 0.0).unwrap();
        }),
    ];
    for (name, line, call) in cases {
        let game = scene("", line, "", "", "{ restore = \"breath\", amount = 20 }");
        let (mut fight, mut log) = (game.fight("bout", 1).unwrap(), Log::default());
        fight.advance(seconds(1.23), &mut log).unwrap();
        call(&game, &mut fight, &mut log);
        fight.advance(seconds(2.0), &mut log).unwrap();
        assert_eq!(first_use(&log), [1_230_000], "{name}");
    }
}

#[test]
fn what_changes_with_time_is_answered_when_it_comes_true() {
    let cases = [
        ("a pool that fills", "when = \"self.wind >= 7\"", "", 2_000_000),
        ("a share of it", "when = \"self.wind.share > 0.4\"", "", 5_000_001),
        ("what it costs", "when = \"true\"", "cost = { wind = 9 }", 4_000_000),
        ("a sum", "when = \"self.wind * 2 + self.might >= 26\"", "", 3_000_000),
        ("either", "when = \"self.wind >= 12 or self.wind.share >= 0.24\"", "", 1_000_000),
        ("a quotient", "when = \"self.wind / 0.25 >= 32\"", "", 3_000_000),
        ("a pool that is full by then", "when = \"self.air <= now\"", "", 10_000_000),
        ("both", "when = \"self.wind >= 6 and self.wind >= 6.5\"", "", 1_500_000),
    ];
    let pool = "[pools.wind]\nmax = 25\nstart = 5\nregen = 1\n[pools.air]\nmax = 10\nstart = 5\nregen = 1\n";
    for (name, line, jab, at) in cases {
        let game = scene(pool, line, jab, "", "{ heal = 1 }");
        let (_, log) = game.play("bout", 1).unwrap();
        assert_eq!(first_use(&log), [at], "{name}");
    }
}
