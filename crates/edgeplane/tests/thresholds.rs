//! A line kept closed by a comparison of a pool is not evaluated when a change crosses nothing, and opens in the same
//! moment in which it can, whoever's pool it is.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, moments};
use edgeplane::fight::Event;
use edgeplane::{CombatantId, Game, Log, Time};

const MENDER: CombatantId = CombatantId(0);

/// A mender, two allies and an opponent; only the mender's one line has any effect.
fn ward(targets: &str, when: &str, pools: &str) -> Game {
    let health = if pools.contains("health") { "" } else { "health = { max = \"vigour\", defeat = true }" };
    game(&format!(
        r#"
        [attributes]
        vigour = 100
        drain = 0
        [pools]
        {health}
        breath = {{ max = 100, start = 5 }}
        {pools}
        [status.mark]
        duration = 90
        [ability.mend]
        cooldown = 50
        targets = {{ side = "allies", {targets} }}
        does = [{{ heal = 1 }}]
        [ability.long_wait]
        cast = 60
        does = [{{ damage = 1 }}]
        [policy.mender]
        use = [{{ ability = "mend", when = "{when}" }}]
        [policy.idle]
        use = []
        [character.mender]
        policy = "mender"
        abilities = ["mend"]
        [character.marked]
        policy = "idle"
        statuses = ["mark"]
        [character.plain]
        policy = "idle"
        attributes = {{ vigour = 50 }}
        [character.other]
        abilities = ["long_wait"]
        [encounter.ward]
        sides.a = ["mender", "marked", "plain"]
        sides.b = ["other"]
        time_limit = 20
        "#
    ))
}

/// The mender's pick, the time of its use, pools; a change of a pool or of an attribute at each full second; the second
/// at which it acts.
type Case = (&'static str, &'static str, &'static str, &'static [(u16, &'static str, f64)], f64);

#[test]
fn a_line_opens_with_the_change_that_lets_it_and_no_other() {
    const HEALTH: &str = "health";
    const BREATH: &str = "breath";
    const MARKED: u16 = 1;
    const PLAIN: u16 = 2;
    let weakest = "pick = \"weakest\"";
    let cases: [Case; 15] = [
        (weakest, "target.health.share < 40%", "", &[(1, HEALTH, 50.0), (2, HEALTH, 22.0), (2, HEALTH, 19.5)], 3.0),
        (weakest, "40% >= target.health.share", "", &[(1, HEALTH, 41.0), (2, HEALTH, 20.0)], 2.0),
        (weakest, "target.health < 0.4 * target.health.max", "", &[(1, HEALTH, 50.0), (2, HEALTH, 19.0)], 2.0),
        // In the order of the encounter the mender is the first.
        ("pick = \"first\"", "target.health < 40", "", &[(PLAIN, HEALTH, 10.0), (0, HEALTH, 39.0)], 2.0),
        // The weakest has the mark; when it is well again, another one is the weakest, and has been hurt for long.
        (
            weakest,
            "target.health.share < 50% and not has(target, mark)",
            "",
            &[(MARKED, HEALTH, 20.0), (PLAIN, HEALTH, 20.0), (MARKED, HEALTH, 90.0)],
            3.0,
        ),
        // The weakest has no breath; when it is well again, another one is the weakest, whose breath is enough.
        (
            weakest,
            "target.health.share < 50% and target.breath > 30",
            "",
            &[(MARKED, HEALTH, 20.0), (PLAIN, BREATH, 40.0), (PLAIN, HEALTH, 20.0), (MARKED, HEALTH, 90.0)],
            4.0,
        ),
        // The pick does not depend on the pool of the condition.
        (weakest, "target.breath > 30", "", &[(1, HEALTH, 50.0), (2, BREATH, 40.0), (1, BREATH, 31.0)], 3.0),
        (weakest, "target.breath > 30", "", &[(1, HEALTH, 50.0), (2, BREATH, 40.0), (2, HEALTH, 20.0)], 3.0),
        // The weakest by share has more than another one with half of its cap.
        (weakest, "target.health <= 30", "", &[(MARKED, HEALTH, 40.0), (2, HEALTH, 25.0), (MARKED, HEALTH, 60.0)], 3.0),
        (weakest, "self.health < 50 and self.breath > 10", "", &[(0, HEALTH, 40.0), (0, BREATH, 20.0)], 2.0),
        (weakest, "self.health < 50 and self.breath > 10", "", &[(0, BREATH, 20.0), (0, HEALTH, 40.0)], 2.0),
        // From 12 it takes two seconds more to fall to 10; a rising pool falls no lower by itself. Health that
        // regenerates, and health that decays: the smaller cap is at four fifths after ten seconds.
        (
            weakest,
            "target.health.share < 40%",
            "health = { max = \"vigour\", defeat = true, regen = 1 }",
            &[(1, HEALTH, 50.0), (2, HEALTH, 21.0), (1, HEALTH, 39.0)],
            3.0,
        ),
        (weakest, "target.health.share < 80%", "health = { max = \"vigour\", defeat = true, decay = 1 }", &[], 10.0),
        // The regenerating pool begins to decay: a tenth of the smaller cap per second.
        (
            weakest,
            "target.health.share < 80% and not has(target, mark)",
            "health = { max = \"vigour\", defeat = true, regen = 1, decay = \"drain\" }",
            &[(0, BREATH, 6.0), (PLAIN, "drain", 6.0)],
            4.0,
        ),
        (weakest, "self.air < 10", "air = { max = 100, decay = 1 }", &[(0, "air", 12.0)], 3.0),
    ];
    for (targets, when, pools, changes, acts) in cases {
        let game = ward(targets, when, pools);
        let mut fight = game.fight("ward", 1).unwrap();
        let mut log = Log::default();
        for (second, (who, pool, amount)) in (1..).zip(changes) {
            fight.advance(Time::from_seconds(f64::from(second)), &mut log).unwrap();
            let (who, program) = (CombatantId(*who), game.program());
            match program.find_pool(pool) {
                Some(pool) => fight.set_pool(who, pool, *amount).unwrap(),
                None => fight.set_base(who, program.find_attribute(pool).unwrap(), *amount, &mut log).unwrap(),
            }
        }
        fight.run(&mut log).unwrap();
        let used = moments(&log, |event| matches!(event, Event::Used { caster: MENDER, .. }));
        // Below ten, and not at it: a microsecond later.
        let used: Vec<u64> = used.iter().map(|at| at / 10).collect();
        assert_eq!(used, [(acts * 1e5) as u64], "{when} {changes:?}");
    }
}

/// A hurt combatant turns round, and is mended when it comes in reach: those in reach are picked first, and the one
/// there is well.
#[test]
fn a_target_that_comes_in_reach_is_considered() {
    let game = game(
        r#"
        [attributes]
        speed = 4
        [pools]
        health = { max = 100, defeat = true }
        [ability.mend]
        reach = 5
        cooldown = 50
        targets = { side = "allies", pick = "weakest" }
        does = [{ heal = 1 }]
        [ability.poke]
        reach = 1
        cooldown = 50
        does = [{ damage = 1 }]
        [policy.mender]
        move = "hold"
        use = [{ ability = "mend", when = "target.health.share < 40%" }]
        [policy.walker]
        use = [{ ability = "poke" }]
        [character.mender]
        policy = "mender"
        abilities = ["mend"]
        [character.friend]
        [character.walker]
        policy = "walker"
        abilities = ["poke"]
        [character.post]
        [encounter.path]
        sides.a = [{ character = "mender", at = [0, 0] }, { character = "friend", at = [1, 0] }, { character = "walker", at = [20, 0] }]
        sides.b = [{ character = "post", at = [80, 0] }]
        time_limit = 20
        "#,
    );
    let (walker, post) = (CombatantId(2), CombatantId(3));
    let mut fight = game.fight("path", 1).unwrap();
    let mut log = Log::default();
    fight.set_pool(walker, game.program().find_pool("health").unwrap(), 30.0).unwrap();
    fight.advance(Time::from_seconds(2.0), &mut log).unwrap();
    assert_eq!(fight.place(walker), [28.0, 0.0]);
    fight.set_motion(post, [0.0, 3.0], [0.0; 2]).unwrap();
    fight.run(&mut log).unwrap();
    // From (28, 0) toward (0, 3): five metres from the middle after 23.828 of 28.160 metres.
    let used = moments(&log, |event| matches!(event, Event::Used { caster: MENDER, .. }));
    let [at] = used.as_slice() else { panic!("{used:?}") };
    assert!((*at as f64 / 1e6 - (2.0 + 23.828 / 4.0)).abs() < 1e-3, "{used:?}");
}
