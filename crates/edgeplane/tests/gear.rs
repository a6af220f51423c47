//! Gear: pieces, sets, and their effects. Numbers worked by hand.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{ONE, OTHER, demo, game, seconds};
use edgeplane::fight::{Event, Likely, Prevention};
use edgeplane::study::explain::{explain_ability, explain_character};
use edgeplane::{Fight, Game, Log, Setup, Silent, TrialsPlan};
use std::sync::Arc;

fn rules(one: &str) -> Game {
    game(&format!(
        r#"
        [attributes]
        grit = 10
        guard = {{ base = 5, max = 60 }}
        bulk = "20 + 4 * grit"
        [pools]
        health = {{ max = "bulk", defeat = true }}
        wind = {{ max = 40, start = "grit" }}
        [damage_types]
        blow = {{}}
        [[hit_steps]]
        name = "guard"
        amount = "amount * (100 - target.guard) / 100"
        [status.sure]
        kind = "buff"
        duration = inf
        modify = [{{ attribute = "guard", add = 3 }}]
        [status.surer]
        kind = "buff"
        duration = inf
        modify = [{{ attribute = "guard", add = 7 }}]
        [status.keen]
        duration = inf
        tags = ["keen"]
        modify = [{{ attribute = "grit", add = 1 }}]
        [status.shaken]
        kind = "debuff"
        tags = ["control"]
        duration = 5
        forbids = ["act"]
        [gear.coat]
        about = "Thick."
        slot = "body"
        set = "weir"
        modify = [{{ attribute = "guard", add = 20 }}]
        [gear.cape]
        slot = "body"
        modify = [{{ attribute = "guard", add = 1 }}]
        [gear.boots]
        slot = "feet"
        set = "weir"
        modify = [{{ attribute = "grit", add = 5 }}]
        [gear.hood]
        slot = "head"
        set = "weir"
        statuses = ["keen"]
        immune = ["control"]
        [gear.charm]
        modify = [{{ attribute = "grit", percent = 50 }}]
        [gear.thorns]
        on = [{{ event = "hit_taken", does = [{{ damage = 2, type = "blow", to = "other" }}] }}]
        [gear.padding]
        hit_steps = [{{ name = "padded", of = "hits_taken", after = "guard", amount = "amount - 4" }}]
        [gear.flask]
        every = {{ period = 2, does = [{{ restore = "wind", amount = 3 }}] }}
        [gear_set.weir]
        worn = {{ 2 = ["sure"], 3 = ["sure", "surer"] }}
        [ability.shove]
        cooldown = 10
        does = [{{ damage = 40, type = "blow" }}]
        [ability.shake]
        cooldown = 30
        does = [{{ apply = "shaken" }}]
        [character.one]
        {one}
        [character.child]
        extends = "one"
        [character.bare]
        extends = "one"
        gear = []
        [character.other]
        abilities = ["shake", "shove"]
        [encounter.bout]
        sides.one = ["one"]
        sides.other = ["other"]
        time_limit = 9
        "#
    ))
}

/// Guard, grit and the cap of health of a character as a fight begins.
fn sheet(game: &Game, character: &str) -> [f64; 3] {
    let sheet = explain_character(game.program(), game.character(character).unwrap()).unwrap();
    let attribute = |name: &str| sheet.attributes.iter().find(|line| line.name == name).unwrap().value;
    assert_eq!(sheet.pools[0].cap.value, attribute("bulk"));
    [attribute("guard"), attribute("grit"), attribute("bulk")]
}

#[test]
fn pieces_and_sets_change_attributes() {
    assert_eq!(sheet(&rules(""), "one"), [5.0, 10.0, 60.0]);
    assert_eq!(sheet(&rules("gear = [\"coat\"]"), "one"), [25.0, 10.0, 60.0]);
    // Two of the set: 3 more. Grit of 15 makes 20 + 60.
    assert_eq!(sheet(&rules("gear = [\"coat\", \"boots\"]"), "one"), [28.0, 15.0, 80.0]);
    // Three of the set: 3 and 7, not 3 twice; the hood's own status adds to grit.
    assert_eq!(sheet(&rules("gear = [\"coat\", \"boots\", \"hood\"]"), "one"), [35.0, 16.0, 84.0]);
    // (10 + 5) × 1.5; the charm belongs to no set.
    assert_eq!(sheet(&rules("gear = [\"charm\", \"boots\"]"), "one"), [5.0, 22.5, 110.0]);
}

#[test]
fn an_heir_wears_what_it_inherits_unless_it_says_otherwise() {
    let game = rules("gear = [\"coat\", \"boots\"]");
    assert_eq!(sheet(&game, "child"), sheet(&game, "one"));
    assert_eq!(sheet(&game, "bare"), [5.0, 10.0, 60.0]);
    let plan = &game.program().characters()[game.character("child").unwrap().index()];
    let printed: Vec<_> = plan.gear.iter().map(|piece| (piece.name.as_str(), piece.set.clone().unwrap().1)).collect();
    assert_eq!(printed, [("coat", 2), ("boots", 2)]);
}

#[test]
fn pools_begin_as_full_as_gear_makes_them() {
    let game = rules("gear = [\"boots\"]");
    let (health, wind) = (game.pool("health").unwrap(), game.pool("wind").unwrap());
    let mut fight = game.fight("bout", 1).unwrap();
    let mut log = Log::default();
    fight.take_control(OTHER).unwrap();
    for _ in 0..2 {
        fight.advance(seconds(0.0), &mut log).unwrap();
        assert_eq!([fight.cap(ONE, health), fight.pool(ONE, health), fight.pool(ONE, wind)], [80.0, 80.0, 15.0]);
        fight.restart(2);
    }
    let caps = log.events.iter().filter(|logged| matches!(logged.event, Event::CapChanged { .. }));
    assert_eq!(caps.count(), 2, "the cap of health, reported once for each fight, when all of it is there");
}

#[test]
fn gear_adds_steps_triggers_ticks_and_immunity() {
    let game = rules("gear = [\"coat\", \"hood\", \"thorns\", \"padding\", \"flask\"]");
    let mut fight = game.fight("bout", 1).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let shaken = game.status("shaken").unwrap();
    let events: Vec<Event> = log.events.iter().map(|logged| logged.event).collect();
    let hood = game.status("hood").unwrap();
    let refused = events.iter().find_map(|event| match event {
        Event::StatusPrevented { status, reason, .. } if *status == shaken => Some(*reason),
        _ => None,
    });
    assert_eq!(refused, Some(Prevention::Immune { by: Some(hood) }));
    // 40 against a guard of 5 + 20 + 3 leaves 28.8, of which the padding takes 4; 2 are returned, less 5 %.
    let hits: Vec<f64> = events
        .iter()
        .filter_map(|event| if let Event::Hit { dealt, .. } = event { Some(*dealt) } else { None })
        .collect();
    assert_eq!(hits, [24.8, 1.9]);
    // 11 at the start for a grit of 11, and 3 every two seconds until 8 s.
    assert_eq!(fight.pool(ONE, game.pool("wind").unwrap()), 11.0 + 4.0 * 3.0);
}

#[test]
fn explanations_know_what_is_worn() {
    let game = rules("gear = [\"coat\", \"boots\"]\nabilities = [\"shove\"]");
    let one = game.character("one").unwrap();
    let sheet = explain_character(game.program(), one).unwrap();
    assert_eq!(sheet.gear, ["coat (body, 2 of weir)", "boots (feet, 2 of weir)"]);
    let guard = sheet.attributes.iter().find(|line| line.name == "guard").unwrap();
    assert_eq!((guard.statuses.join(" ").as_str(), guard.limited.as_str()), ("+ 20 coat + 3 sure", ""));
    let bulk = sheet.attributes.iter().find(|line| line.name == "bulk").unwrap();
    assert_eq!((bulk.worked.as_str(), bulk.limited.as_str()), ("20 + 4 * 15", ""));
    let shove = game.ability("shove").unwrap();
    let explained = explain_ability(game.program(), shove, one, one).unwrap();
    // 40 × (100 − 28) / 100 of 80 health: three of them.
    let effect = &explained.effects[0];
    assert_eq!((effect.amount, effect.against, effect.to_empty), (28.8, 80.0, Some([3, 3, 3])));
}

#[test]
fn figures_of_statuses_leave_gear_out() {
    let game = rules("gear = [\"coat\", \"boots\", \"thorns\"]");
    let plan = TrialsPlan { trials: 20, seed: 1, threads: Some(1), ..TrialsPlan::default() };
    let trials = game.trials("bout", &plan).unwrap();
    let printed: Vec<&str> = trials.combatants[0].statuses.iter().map(|line| line.status.as_str()).collect();
    assert_eq!(printed, ["sure", "shaken"]);
    let hurt: Vec<&str> = trials.combatants[0].by_status.iter().map(|line| line.status.as_str()).collect();
    assert_eq!(hurt, ["thorns"], "but what it does to others counts");
}

#[test]
fn gear_is_no_status_for_players_and_cannot_be_cleansed() {
    let game = rules("gear = [\"coat\"]");
    let mut fight = game.fight("bout", 1).unwrap();
    fight.advance(seconds(0.0), &mut Silent).unwrap();
    let shown: Vec<String> = fight
        .statuses(ONE)
        .unwrap()
        .iter()
        .filter(|held| !held.hidden)
        .map(|held| game.program().status(held.status).name.clone())
        .collect();
    assert_eq!(shown, ["shaken"], "of the first moment");
    let coat = game.program().status(game.status("coat").unwrap());
    assert!(!coat.cleansable && coat.hidden && coat.worn);
}

#[test]
fn the_gatekeeper_of_the_demo_wears_a_whole_set() {
    let game = demo();
    let sheet = explain_character(game.program(), game.character("gatekeeper").unwrap()).unwrap();
    let value = |name: &str| sheet.attributes.iter().find(|line| line.name == name).unwrap().value;
    // (12 + 10) × 1.2; 14 × 1.1; 0.05 − 0.02 + 0.05; 0.2 + 0.1.
    let expected = [("guard", 26.4), ("heft", 15.4), ("evasion", 0.08), ("resist.silt", 0.3)];
    for (name, wanted) in expected {
        assert!((value(name) - wanted).abs() < 1e-12, "{name} {}", value(name));
    }
    assert_eq!(sheet.gear.len(), 3);
    assert!(sheet.pools.iter().all(|pool| pool.cap.name == "shell" || pool.start == pool.cap.value));
}

#[test]
fn what_several_pieces_give_is_held_once_and_until_the_last_of_them_is_off() {
    let game = game(
        r#"
        [attributes]
        grit = 10
        [pools]
        health = { max = 50, defeat = true }
        [status.keen]
        duration = inf
        reapply = "stack"
        max_stacks = 9
        modify = [{ attribute = "grit", add = "stacks" }]
        [status.born]
        duration = inf
        modify = [{ attribute = "grit", add = 10 }]
        [gear.hood]
        statuses = ["keen", "born"]
        [gear.gloves]
        statuses = ["keen"]
        [gear.boots]
        set = "pair"
        [gear.laces]
        set = "pair"
        [gear_set.pair]
        worn = { 2 = [{ status = "keen", stacks = 3 }] }
        [character.one]
        statuses = ["born"]
        gear = ["hood", "gloves", "boots"]
        [character.other]
        "#,
    );
    let sides = ["one", "other"].map(|name| (name.to_owned(), vec![game.character(name).unwrap()]));
    let mut fight = Fight::with_chance(Arc::new(Setup::between(game.program(), &sides)), Likely, 0);
    fight.advance(seconds(0.1), &mut Silent).unwrap();
    let grit = |fight: &Fight<Likely>| fight.attribute(ONE, game.program().find_attribute("grit").unwrap());
    // 10, its own status of 10, one stack.
    assert_eq!(grit(&fight), 21.0);
    let mut change = |piece: &str, on: bool| {
        let piece = game.gear(piece).unwrap();
        let silent = &mut Silent;
        if on {
            fight.wear(ONE, piece, silent).unwrap()
        } else {
            fight.take_off(ONE, piece, silent).unwrap()
        }
        grit(&fight)
    };
    assert_eq!(change("hood", false), 21.0, "the gloves still give the stack, and its own status is its own");
    assert_eq!(change("laces", true), 23.0, "the set gives three stacks, and so one piece none besides");
    assert_eq!(change("gloves", false), 23.0);
    assert_eq!(change("boots", false), 20.0);
}
