//! The targets of an ability: every side, pick and count in one crowd; and the steps of heals.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, seconds};
use edgeplane::fight::{Event, Recorded};
use edgeplane::{CombatantId, Fight, Game, Log, Setup, Silent};
use std::sync::Arc;

/// `ann` with two friends against three: all have 100 of 100 health except those that are hurt.
fn crowd(targets: &str) -> Game {
    game(&format!(
        r#"
        [attributes]
        worth = 0
        [pools]
        health = {{ max = 100, defeat = true }}
        [damage_types]
        blow = {{}}
        [ability.reach]
        targets = {targets}
        does = [{{ damage = 1, type = "blow" }}]
        [ability.wound]
        does = [{{ damage = 10, type = "blow" }}]
        [character.ann]
        attributes = {{ worth = 5 }}
        abilities = ["reach"]
        [character.bob]
        attributes = {{ worth = 2 }}
        [character.cyd]
        attributes = {{ worth = 9 }}
        [character.dov]
        attributes = {{ worth = 7 }}
        [character.eva]
        attributes = {{ worth = 7 }}
        [character.fin]
        attributes = {{ worth = 1 }}
        [encounter.crowd]
        sides.ours = ["ann", "bob", "cyd"]
        sides.theirs = ["dov", "eva", "fin"]
        "#
    ))
}

fn who(fight: &Fight<Recorded>, name: &str) -> CombatantId {
    fight.setup().find_combatant(name).unwrap()
}

/// The targets of `ann` when these have been wounded a number of times each, with these answers of chance.
fn reached(targets: &str, wounded: &[(&str, usize)], answers: &[f64]) -> String {
    let game = crowd(targets);
    let setup = Arc::new(Setup::of(game.program(), game.encounter("crowd").unwrap()));
    let mut fight = Fight::with_chance(setup, Recorded::new(answers.to_vec()), 0);
    let (wound, reach) = (game.ability("wound").unwrap(), game.ability("reach").unwrap());
    for (name, times) in wounded {
        let (by, on) = (who(&fight, "ann"), who(&fight, name));
        (0..*times).for_each(|_| fight.apply_effects(by, wound, on, &mut Silent).unwrap());
    }
    let ann = who(&fight, "ann");
    fight.take_control(ann).unwrap();
    fight.advance(seconds(0.0), &mut Silent).unwrap();
    let mut log = Log::default();
    let refused = fight.use_ability(ann, reach, None, &mut log).unwrap().err();
    fight.advance(seconds(1.0), &mut log).unwrap();
    let hits = log.events.iter().filter_map(|logged| match logged.event {
        Event::Hit { target, .. } => Some(fight.label(target).to_owned()),
        _ => None,
    });
    refused.map_or_else(|| hits.collect::<Vec<_>>().join(" "), |refusal| format!("{refusal:?}"))
}

#[test]
fn every_side_pick_and_count() {
    let hurt = [("eva", 3), ("bob", 5), ("fin", 1)];
    for (targets, expected) in [
        ("\"enemies\"", "dov"),
        ("\"allies\"", "ann"),
        ("\"self\"", "ann"),
        ("\"everyone\"", "ann"),
        ("{ side = \"enemies\", count = 2 }", "dov eva"),
        ("{ side = \"enemies\", count = \"all\" }", "dov eva fin"),
        ("{ side = \"allies\", count = \"all\" }", "ann bob cyd"),
        ("{ side = \"everyone\", count = \"all\" }", "ann bob cyd dov eva fin"),
        ("{ side = \"everyone\", count = 4 }", "ann bob cyd dov"),
        ("{ side = \"self\", count = 3 }", "ann"),
        // Shares of health: eva 70 %, fin 90 %, dov all of it.
        ("{ side = \"enemies\", pick = \"weakest\" }", "eva"),
        ("{ side = \"enemies\", pick = \"weakest\", count = 2 }", "eva fin"),
        ("{ side = \"enemies\", pick = \"strongest\" }", "dov"),
        ("{ side = \"enemies\", pick = \"strongest\", count = 2 }", "dov fin"),
        ("{ side = \"allies\", pick = \"weakest\" }", "bob"),
        ("{ side = \"everyone\", pick = \"weakest\", count = 3 }", "bob eva fin"),
        // Among equals the order of the encounter decides.
        ("{ side = \"allies\", pick = \"strongest\" }", "ann"),
        ("{ side = \"enemies\", pick = { lowest = \"target.worth\" } }", "fin"),
        ("{ side = \"enemies\", pick = { lowest = \"-target.worth\" } }", "dov"),
        ("{ side = \"enemies\", pick = { lowest = \"-target.worth\" }, count = 2 }", "dov eva"),
        ("{ side = \"everyone\", pick = { lowest = \"abs(target.worth - caster.worth)\" }, count = 3 }", "ann dov eva"),
        ("{ side = \"enemies\", pick = { lowest = \"target.health\" } }", "eva"),
    ] {
        assert_eq!(reached(targets, &hurt, &[]), expected, "{targets}");
    }
}

#[test]
fn the_defeated_are_never_picked() {
    for (targets, expected) in [
        ("\"enemies\"", "fin"),
        ("{ side = \"enemies\", count = \"all\" }", "fin"),
        ("{ side = \"enemies\", pick = \"weakest\", count = 3 }", "fin"),
        ("{ side = \"enemies\", pick = \"random\", count = 2 }", "fin"),
        ("{ side = \"allies\", pick = \"weakest\" }", "ann"),
        ("{ side = \"everyone\", count = \"all\" }", "ann cyd fin"),
    ] {
        assert_eq!(reached(targets, &[("dov", 10), ("eva", 12), ("bob", 10)], &[]), expected, "{targets}");
    }
}

#[test]
fn random_picks_follow_the_draws_and_repeat_nobody() {
    let random = |count: &str| format!("{{ side = \"enemies\", pick = \"random\", count = {count} }}");
    // A third of the range each; the one drawn changes places with the first of those left.
    for (answers, expected) in [(vec![0.0], "dov"), (vec![0.34], "eva"), (vec![0.99], "fin")] {
        assert_eq!(reached(&random("1"), &[], &answers), expected, "{answers:?}");
    }
    for (answers, expected) in [
        (vec![0.0, 0.0], "dov eva"),
        (vec![0.0, 0.6], "dov fin"),
        (vec![0.99, 0.0], "fin eva"),
        (vec![0.99, 0.99], "fin dov"),
    ] {
        assert_eq!(reached(&random("2"), &[], &answers), expected, "{answers:?}");
    }
    assert_eq!(reached(&random("\"all\""), &[], &[0.4, 0.6]), "eva fin dov");
}

/// Heals of a combatant with 40 of 100 left, through these steps; with further properties of its healer.
fn healed(steps: &str, effect: &str, answers: &[f64]) -> Vec<(f64, f64, f64, bool)> {
    let text = format!(
        r#"
        [attributes]
        care = 10
        ache = 0.25
        [pools]
        health = {{ max = 100, defeat = true }}
        [damage_types]
        blow = {{}}
        {steps}
        [ability.wound]
        does = [{{ damage = 60, type = "blow" }}]
        [ability.mend]
        tags = ["herb"]
        does = [{effect}]
        [character.one]
        [character.other]
        "#
    );
    let mut fight = crate::common::duel(&text, answers);
    let find = |fight: &Fight<Recorded>, name: &str| fight.setup().program().find_ability(name).unwrap();
    let (wound, mend) = (find(&fight, "wound"), find(&fight, "mend"));
    let mut log = Log::default();
    fight.apply_effects(crate::common::ONE, wound, crate::common::OTHER, &mut log).unwrap();
    fight.apply_effects(crate::common::ONE, mend, crate::common::OTHER, &mut log).unwrap();
    let heals = log.events.iter().filter_map(|logged| match logged.event {
        Event::Healed { initial, amount, healed, stopped, .. } => Some((initial, amount, healed, stopped.is_some())),
        _ => None,
    });
    heals.collect()
}

#[test]
fn heals_go_through_steps_of_their_own() {
    let steps = r#"
        [[hit_steps]]
        name = "never"
        stop = "a heal is no hit"
        when = "hit.initial > 900"
        [[heal_steps]]
        name = "care"
        amount = "amount * (1 + caster.care / 100)"
        [[heal_steps]]
        name = "ache"
        when = "target.health.share < 50%"
        amount = "amount * (1 - target.ache)"
        [[heal_steps]]
        name = "sour"
        tags = ["herb"]
        when = "roll(0.5)"
        stop = "soured"
    "#;
    // 40 × 1.1 × 0.75; then the roll that fails.
    let close = |found: &[(f64, f64, f64, bool)], expected: &[(f64, f64, f64, bool)]| {
        assert_eq!(found.len(), expected.len());
        for (a, b) in found.iter().zip(expected) {
            let near = |a: f64, b: f64| (a - b).abs() < 1e-9;
            assert!(near(a.0, b.0) && near(a.1, b.1) && near(a.2, b.2) && a.3 == b.3, "{a:?} is not {b:?}");
        }
    };
    close(&healed(steps, "{ heal = 40 }", &[0.9]), &[(40.0, 33.0, 33.0, false)]);
    close(&healed(steps, "{ heal = 40 }", &[0.1]), &[(40.0, 0.0, 0.0, true)]);
    // Skipped by name; without the herb's tag the other step does not apply.
    close(&healed(steps, "{ heal = 40, skips = [\"ache\", \"sour\"] }", &[]), &[(40.0, 44.0, 44.0, false)]);
    // A spread of a half, drawn at its top: 60 becomes 49.5; the second has 10.5 of room left, and no overheal.
    close(
        &healed(steps, "{ heal = 40, spread = 0.5 }, { heal = 50 }", &[1.0, 0.9, 0.9]),
        &[(60.0, 49.5, 49.5, false), (50.0, 55.0, 10.5, false)],
    );
}

#[test]
fn an_untargetable_combatant_is_skipped_while_it_is_so() {
    let game = game(
        r#"
        [pools]
        health = { max = 100, defeat = true }
        [status.gone]
        duration = 2
        untargetable = "everyone"
        [ability.vanish]
        cooldown = 10
        targets = "self"
        does = [{ apply = "gone" }]
        [ability.mend]
        cooldown = 1
        targets = "others"
        does = [{ heal = 1 }]
        [ability.sweep]
        cooldown = 1
        targets = { side = "enemies", count = "all" }
        does = [{ damage = 1 }]
        [ability.shock]
        does = [{ damage = 10, to = "enemies" }]
        [character.foe]
        abilities = ["sweep"]
        [character.thief]
        abilities = ["vanish"]
        [character.medic]
        abilities = ["mend"]
        [encounter.it]
        sides.a = ["thief", "medic"]
        sides.b = ["foe"]
        time_limit = 3.5
        script = [{ at = 1.5, ability = "shock", by = "foe" }]
        "#,
    );
    let (_, log) = game.play("it", 1).unwrap();
    let at = |pick: fn(&Event) -> Option<(u16, f64)>| {
        let found = log.events.iter().filter_map(|logged| Some((logged.at.seconds(), pick(&logged.event)?)));
        found.filter(|(_, (who, _))| *who == 0).map(|(at, (_, amount))| (at, amount)).collect::<Vec<_>>()
    };
    let hits = at(|event| match event {
        Event::Hit { target, dealt, .. } => Some((target.0, *dealt)),
        _ => None,
    });
    let heals = at(|event| match event {
        Event::Healed { target, healed, .. } => Some((target.0, *healed)),
        _ => None,
    });
    // The target chosen at the beginning is still hit; then neither side finds it until the two seconds are over.
    assert_eq!(hits, [(0.0, 1.0), (2.0, 1.0), (3.0, 1.0)]);
    assert!(heals.iter().all(|(at, _)| *at == 0.0 || *at >= 2.0), "{heals:?}");
    assert!(heals.iter().any(|(at, _)| *at >= 2.0), "its friend reacts at once: {heals:?}");
}
