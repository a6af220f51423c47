//! Fights that continue under edited rules.

use crate::common::{DEMO, LOCK_HOUSE, TIDE_MILL, demo, game};
use edgeplane::fight::{Action, Fight, Log, NamedEvent, Transfer, TransferKind};
use edgeplane::text::Sources;
use edgeplane::{Event, Game, Override, SideId, Silent, Time};

fn at(seconds: f64) -> Time {
    Time::from_seconds(seconds)
}

/// All events until the end, by name, without evaluations.
fn rest(mut fight: Fight) -> Vec<String> {
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    let setup = fight.setup().clone();
    let looks = |event: &Event| matches!(event, Event::Waits { .. } | Event::Walks { .. } | Event::Unavailable { .. });
    let told = log.events.iter().filter(|one| !looks(&one.event));
    told.map(|one| serde_json::to_string(&NamedEvent::new(&setup, *one)).unwrap()).collect()
}

#[test]
fn under_an_equal_ruleset_a_fight_goes_on_as_if_nothing_had_been() {
    for folder in [DEMO, LOCK_HOUSE, TIDE_MILL] {
        let (game, again) = (Game::open(folder).unwrap(), Game::open(folder).unwrap());
        for encounter in game.program().encounters() {
            for second in [0.0, 3.3, 12.5, 30.0] {
                goes_on_unchanged(&game, &again, &encounter.name, second);
            }
        }
    }
}

fn goes_on_unchanged(game: &Game, again: &Game, encounter: &str, second: f64) {
    let mut fight = game.fight(encounter, 5).unwrap();
    fight.advance(at(second), &mut Silent).unwrap();
    let mut adopted = fight.clone();
    let report = again.adopt(&mut adopted).unwrap();
    let other: Vec<String> = report.changed().chain(report.lost()).map(Transfer::to_string).collect();
    assert_eq!(other, [""; 0], "{encounter} {second}");
    assert!(report.kept().count() > 3 && report.all().len() == report.kept().count());
    let present: Vec<_> = fight.present().collect();
    assert!(report.kept().all(|kept| present.contains(&kept.who)), "{encounter} {second}: {report:?}");
    let (mut expected, mut found) = (Log::default(), Log::default());
    fight.run(&mut expected).unwrap();
    adopted.run(&mut found).unwrap();
    let first = expected.events.iter().zip(&found.events).find(|(one, other)| one != other);
    assert_eq!(first, None, "{encounter} {second}");
    assert_eq!(expected.events.len(), found.events.len());
}

/// All ids differ afterwards, and nothing else happens. Walkers plan their paths again and so arrive some microseconds
/// earlier or later; that is another test.
#[test]
fn what_is_new_and_unused_changes_nothing() {
    let bystander = "[character.aaa_bystander]\nabilities = [\"aaa_sing\"]\n";
    let unused = format!("{}{bystander}", include_str!("cases/unused_rules.toml"));
    let before = demo();
    let files = Sources::read(std::path::Path::new(DEMO)).unwrap();
    let mut sources = Sources::from_text("aaa.toml", &unused);
    for file in files.files() {
        sources.add(file.name(), file.text());
    }
    let larger = Game::from_sources(sources, &[]).unwrap();
    assert_ne!(before.status("braced").ok(), larger.status("braced").ok());
    for encounter in before.program().encounters().iter().filter(|encounter| encounter.places.is_empty()) {
        for second in [2.0, 14.2] {
            let mut fight = before.fight(&encounter.name, 8).unwrap();
            fight.advance(at(second), &mut Silent).unwrap();
            let mut adopted = fight.clone();
            let report = larger.adopt(&mut adopted).unwrap();
            let other: Vec<String> = report.changed().chain(report.lost()).map(Transfer::to_string).collect();
            assert_eq!(other, [""; 0], "{} {second}", encounter.name);
            let (expected, found) = (rest(fight), rest(adopted));
            let first = expected.iter().zip(&found).find(|(one, other)| one != other);
            assert_eq!(first, None, "{} {second}", encounter.name);
            assert_eq!(expected.len(), found.len());
        }
    }
}

/// A combatant that poisons, and one with a long cast; nothing draws chance.
const MILL: &str = r#"
    [attributes]
    lives = 100
    hands = 3
    [pools]
    health = { max = "lives", defeat = true }
    grit = { max = 20, start = "empty", regen = 2, on_cap_change = "scale" }
    luck = { max = 5 }
    [status.venom]
    kind = "debuff"
    duration = 9
    reapply = "stack"
    max_stacks = 5
    every = { period = 1, does = [{ damage = "2 * stacks" }] }
    [status.dizzy]
    kind = "debuff"
    duration = 20
    modify = [{ attribute = "hands", add = -1 }]
    [gear.apron]
    modify = [{ attribute = "hands", add = 2 }]
    [ability.sting]
    cooldown = 2
    does = [{ apply = "venom", stacks = 2 }]
    [ability.daze]
    cooldown = 60
    does = [{ apply = "dizzy" }]
    [ability.haul]
    cast = 6
    cooldown = 30
    does = [{ damage = 40 }]
    [character.wasp]
    abilities = ["daze", "sting"]
    [character.miller]
    abilities = ["haul"]
    gear = ["apron"]
    [encounter.yard]
    sides = { mill = ["miller"], hive = ["wasp"] }
    time_limit = 60
"#;

/// After three seconds: dizzy at 0 s, venom at 0 s (the wasp decides again at once after `daze`) or at 2 s, and ticks.
fn after_three() -> Fight {
    let mut fight = game(MILL).fight("yard", 1).unwrap();
    fight.advance(at(3.0), &mut Silent).unwrap();
    fight
}

fn said<'a>(transfers: impl Iterator<Item = &'a Transfer>) -> Vec<String> {
    transfers.map(Transfer::to_string).collect()
}

#[test]
fn an_edit_holds_at_once_and_what_had_begun_keeps_its_times() {
    let mut fight = after_three();
    let (miller, wasp) = (called(&fight, "miller"), called(&fight, "wasp"));
    let (health, stacks) = (fight.pool(miller, game(MILL).pool("health").unwrap()), held(&fight, miller, "venom"));
    assert_eq!((health, stacks), (100.0 - 4.0 - 4.0 - 8.0, Some((4, 8.0))));
    // A lower cap, fewer stacks, a longer duration, a stronger apron, a shorter cast.
    let edited = MILL
        .replace("lives = 100", "lives = 60")
        .replace("max_stacks = 5", "max_stacks = 3")
        .replace("duration = 9", "duration = 12")
        .replace("add = 2 }", "add = 7 }")
        .replace("max = 20,", "max = 40,")
        .replace("cast = 6", "cast = 1");
    let rules = game(&edited);
    let report = rules.adopt(&mut fight).unwrap();
    assert_eq!(said(report.lost()), [""; 0]);
    assert_eq!(
        said(report.changed()),
        [
            "miller: pool health 84 → 60",
            "miller: pool grit 6 → 12",
            "miller: attribute lives 100 → 60",
            "miller: attribute hands 4 → 9",
            "miller: status venom 4 → 3",
            "wasp: pool health 100 → 60",
            "wasp: pool grit 6 → 12",
            "wasp: attribute lives 100 → 60",
        ]
    );
    assert_eq!(held(&fight, miller, "venom"), Some((3, 8.0)), "its end stays");
    let cast = |fight: &Fight| match fight.action(miller) {
        Action::Casting { since, until, .. } => (since.seconds(), until.seconds()),
        other => panic!("{other:?}"),
    };
    assert_eq!(cast(&fight), (0.0, 6.0), "what had begun keeps its times");
    fight.advance(at(4.0), &mut Silent).unwrap();
    assert_eq!(fight.pool(miller, rules.pool("health").unwrap()), 60.0 - 6.0, "it ticks as it did");
    // The next application has the new duration.
    fight.advance(at(4.5), &mut Silent).unwrap();
    assert_eq!(held(&fight, miller, "venom"), Some((3, 11.5)));
    fight.advance(at(6.0), &mut Silent).unwrap();
    assert_eq!(fight.pool(wasp, rules.pool("health").unwrap()), 20.0);
}

#[test]
fn what_the_new_rules_have_no_name_for_is_reported_and_gone() {
    let mut fight = after_three();
    let miller = called(&fight, "miller");
    let edited = MILL
        .replace("luck = { max = 5 }", "")
        .replace("status.dizzy", "status.drowsy")
        .replace("apply = \"dizzy\"", "apply = \"drowsy\"")
        .replace("ability.haul", "ability.heave")
        .replace("[\"haul\"]", "[\"heave\"]")
        .replace("gear.apron", "gear.smock")
        .replace("[\"apron\"]", "[\"smock\"]");
    let rules = game(&edited);
    let report = rules.adopt(&mut fight).unwrap();
    assert_eq!(
        said(report.lost()),
        [
            "miller: pool luck is gone",
            "miller: status apron is gone",
            "miller: status dizzy is gone",
            "miller: ability haul is gone",
            "miller: cast haul is gone",
            "miller: gear apron is gone",
            "wasp: pool luck is gone",
        ]
    );
    assert_eq!(said(report.changed()), ["miller: attribute hands 4 → 3"]);
    assert!(report.kept().any(|one| one.kind == TransferKind::Status && one.name == "venom" && one.before == 4.0));
    assert_eq!(held(&fight, miller, "dizzy"), None);
    // The new ability can be used in the same moment.
    let mut log = Log::default();
    fight.advance(at(3.0), &mut log).unwrap();
    let heave = rules.ability("heave").unwrap();
    let used = |one: &edgeplane::fight::Logged| matches!(one.event, Event::Used { ability, .. } if ability == heave);
    assert!(log.events.iter().any(used), "{:?}", log.events);
}

#[test]
fn every_combatant_needs_a_character_in_the_new_rules() {
    let rules = game(MILL);
    let mut world = rules.world(&["mill", "hive"], 2);
    let spawn = |world: &mut Fight, name: &str, side: u16| {
        world.spawn(rules.character(name).unwrap(), SideId(side), [0.0; 2], &mut Silent).unwrap()
    };
    let (miller, wasp) = (spawn(&mut world, "miller", 0), spawn(&mut world, "wasp", 1));
    world.advance(at(2.5), &mut Silent).unwrap();
    let edited = MILL.replace("character.wasp", "character.hornet").replace("[\"wasp\"]", "[\"hornet\"]");
    let edited = game(&edited);
    let before = world.snapshot();
    let error = edited.adopt(&mut world).unwrap_err().to_string();
    assert!(
        error.contains("`wasp 1` takes part, and the new rules have no character `wasp`: despawn it first"),
        "{error}"
    );
    assert_eq!(world.snapshot(), before, "nothing has changed");
    // An error in the middle is reported in the same way.
    let broken = game(&MILL.replace("lives = 100", "lives = \"100 / abs(hands - 4)\""));
    let error = broken.adopt(&mut world).unwrap_err().to_string();
    assert!(error.contains("`attributes.lives` divides by zero (with hands = 4)"), "{error}");
    assert_eq!(world.snapshot(), before);

    world.despawn(wasp, &mut Silent).unwrap();
    edited.adopt(&mut world).unwrap();
    let who = world.combatant(miller).unwrap();
    assert_eq!(held(&world, who, "venom").map(|(stacks, _)| stacks), Some(4), "what it has applied goes on");
    assert!(world.combatant(wasp).is_err(), "its handle is stale as before");
    // Its slot is free for others, and a snapshot of the old rules is refused.
    let hornet = world.spawn(edited.character("hornet").unwrap(), SideId(1), [0.0; 2], &mut Silent).unwrap();
    world.advance(at(9.0), &mut Silent).unwrap();
    assert!(world.stands(world.combatant(hornet).unwrap()));
    assert!(world.restore(&before).unwrap_err().to_string().contains("ruleset"));
}

/// The kept values of a status, its remaining triggers, and pools that a combatant did not have.
#[test]
fn values_triggers_and_pools_are_matched_and_not_counted() {
    let rules = r#"
        [attributes]
        lives = 100
        salt = 3
        rust = 7
        [pools]
        health = { max = "lives", defeat = true }
        tar = { max = 50, start = "empty", regen = 2 }
        [status.soaked]
        kind = "debuff"
        duration = 50
        on = [
          { event = "hit_taken", uses = 2, does = [{ restore = "health", amount = 1 }] },
          { event = "status_gained", does = [{ report = "wet" }] },
        ]
        every = { period = 1, does = [{ damage = "snapshot(caster.salt) + 10 * snapshot(caster.rust)" }] }
        [ability.splash]
        cooldown = 100
        does = [{ apply = "soaked" }]
        [character.brine]
        abilities = ["splash"]
        [character.pole]
        pools = ["health"]
        [encounter.pier]
        sides = { sea = ["brine"], land = ["pole"] }
        time_limit = 60
    "#;
    let before = game(rules);
    let mut fight = before.fight("pier", 1).unwrap();
    fight.advance(at(1.5), &mut Silent).unwrap();
    let pole = called(&fight, "pole");
    let health = |fight: &Fight| fight.pool(pole, fight.setup().program().find_pool("health").unwrap());
    // 3 + 10 × 7 at 1 s, and 1 back for the first of two triggers.
    assert_eq!(health(&fight), 100.0 - 73.0 + 1.0);
    // The values are exchanged, as are the triggers; the attributes are different, and everyone has tar.
    let edited = rules
        .replace(
            "snapshot(caster.salt) + 10 * snapshot(caster.rust)",
            "snapshot(caster.rust) / 7 + snapshot(caster.salt) + snapshot(target.salt)",
        )
        .replace("salt = 3", "salt = 1")
        .replace("rust = 7", "rust = 1")
        .replace("pools = [\"health\"]", "pools = [\"health\", \"tar\"]")
        .replace("          { event = \"status_gained\", does = [{ report = \"wet\" }] },\n", "")
        .replace("on = [\n", "on = [\n          { event = \"status_gained\", does = [{ report = \"wet\" }] },\n");
    let rules = game(&edited);
    rules.adopt(&mut fight).unwrap();
    // 7 / 7 + 3 as they were kept, and 1 that is kept from now on; 1 back for the second and last trigger.
    fight.advance(at(2.5), &mut Silent).unwrap();
    assert_eq!(health(&fight), 28.0 - 5.0 + 1.0);
    let tar = |fight: &Fight| fight.pool(pole, rules.pool("tar").unwrap());
    assert_eq!(tar(&fight), 2.0, "it flows from when it is there, and not from the start");
    fight.advance(at(3.5), &mut Silent).unwrap();
    assert_eq!(health(&fight), 24.0 - 5.0);
}

/// The state of a single moment of a fight: it has been balanced, edited, and edited back.
#[test]
fn there_and_back_is_as_before_where_nothing_was_cut() {
    let game = demo();
    let slower = game.variant(&[Override::parse("ability.boathook.cooldown=9").unwrap()]).unwrap();
    for encounter in ["night_shift", "mirror", "wheel"] {
        let mut fight = game.fight(encounter, 3).unwrap();
        fight.advance(at(7.7), &mut Silent).unwrap();
        let expected = rest(fight.clone());
        slower.adopt(&mut fight).unwrap();
        game.adopt(&mut fight).unwrap();
        assert_eq!(rest(fight), expected, "{encounter}");
    }
}

/// The demo with a rule renamed.
fn renamed(name: &str) -> Game {
    let is_part = |letter: char| letter.is_alphanumeric() || letter == '_';
    let mut sources = Sources::default();
    for file in Sources::read(std::path::Path::new(DEMO)).unwrap().files() {
        let (mut text, mut rest) = (String::new(), file.text());
        while let Some(place) = rest.find(name) {
            let (before, after) = (&rest[..place], &rest[place + name.len()..]);
            text += before;
            text += name;
            let inside = text[..text.len() - name.len()].ends_with(is_part) || after.starts_with(is_part);
            text += if inside { "" } else { "_2" };
            rest = after;
        }
        sources.add(file.name(), text + rest);
    }
    Game::from_sources(sources, &[]).unwrap_or_else(|error| panic!("{name}: {error}"))
}

/// Each rule of the demo in turn is renamed in the middle of a fight.
#[test]
fn whatever_is_gone_the_rest_goes_on() {
    let game = demo();
    let program = game.program();
    let statuses = program.statuses().iter().filter(|status| !status.worn && !status.point).map(|status| &status.name);
    let abilities = program.abilities().iter().map(|ability| &ability.name);
    let zones = program.zones().iter().map(|zone| &zone.name);
    let pools = program.pools().iter().filter(|pool| !pool.defeat).map(|pool| &pool.name);
    let gear = ["oilskin", "hobnails", "long_hook", "tin_whistle"].map(str::to_owned);
    let names: Vec<String> = statuses.chain(abilities).chain(zones).chain(pools).cloned().chain(gear).collect();
    let mut lost = std::collections::BTreeSet::new();
    for name in &names {
        let rules = renamed(name);
        for encounter in program.encounters() {
            let mut fight = game.fight(&encounter.name, 4).unwrap();
            for second in [2.6, 6.1] {
                fight.advance(at(second), &mut Silent).unwrap();
                let mut fight = fight.clone();
                let report =
                    rules.adopt(&mut fight).unwrap_or_else(|error| panic!("{name} {}: {error}", encounter.name));
                for gone in report.lost() {
                    // A zone is removed with the rule that placed it.
                    let came_of = gone.kind == Zone && rules.ability(name).is_err() && game.ability(name).is_ok();
                    assert!(
                        came_of || gone.name == *name || gone.name.starts_with(&format!("{name}.")),
                        "{name}: {gone}"
                    );
                    lost.insert(gone.kind);
                }
                let stop = fight.now() + at(20.0);
                fight.advance(stop, &mut Silent).unwrap_or_else(|error| panic!("{name} {}: {error}", encounter.name));
                for who in fight.setup().clone().ids() {
                    let health = fight.setup().program().defeat_pool().unwrap();
                    let (amount, cap) = (fight.pool(who, health), fight.cap(who, health));
                    assert!((0.0..=cap).contains(&amount), "{name}");
                }
            }
        }
    }
    use TransferKind::{Ability, Cast, Flight, Gear, Pool, Status, Zone};
    for kind in [Pool, Status, Ability, Cast, Zone, Flight, Gear] {
        assert!(lost.contains(&kind), "no {kind:?} was lost");
    }
}

/// A combatant by its label, in a fight of any ruleset.
fn called(fight: &Fight, label: &str) -> edgeplane::CombatantId {
    let setup = fight.setup().clone();
    setup.ids().find(|who| setup.combatants[who.index()].label == label).unwrap()
}

/// Stacks of a status, and seconds until it ends.
fn held(fight: &Fight, who: edgeplane::CombatantId, name: &str) -> Option<(u32, f64)> {
    let status = fight.setup().program().find_status(name)?;
    let mut fight = fight.clone();
    let held = fight.statuses(who).unwrap();
    held.iter().find(|held| held.status == status).map(|held| (held.stacks, held.remaining.unwrap_or(f64::INFINITY)))
}

/// An ability in flight arrives unchanged, although its caster has lost the ability.
#[test]
fn what_is_on_its_way_arrives_without_its_ability() {
    let rules = |has: &str| {
        game(&format!(
            "[attributes]\nheft = 10\n[pools]\nhealth = {{ max = 100, defeat = true }}\n\
             [ability.throw]\ntravel = 5\ncooldown = 9\ndoes = [{{ damage = \"caster.heft + 1\" }}]\n\
             [ability.wave]\ncooldown = 9\ndoes = [{{ damage = \"caster.heft / 20\" }}]\n\
             [character.one]\nabilities = [\"{has}\"]\n[character.two]\nabilities = [\"throw\"]\n[character.post]\nabilities = []\n\
             [encounter.e]\nsides.a = [{{ character = \"one\", at = [0, 0] }}]\nsides.b = [{{ character = \"post\", at = [20, 0] }}]\n"
        ))
    };
    for has in ["throw", "wave"] {
        let mut fight = rules("throw").fight("e", 1).unwrap();
        fight.advance(at(1.0), &mut Silent).unwrap();
        let report = rules(has).adopt(&mut fight).unwrap();
        let lost: Vec<TransferKind> = report.lost().map(|one| one.kind).collect();
        assert_eq!(lost, if has == "throw" { vec![] } else { vec![TransferKind::Ability] });
        fight.advance(at(8.0), &mut Silent).unwrap();
        let left = if has == "throw" { 89.0 } else { 88.5 };
        assert_eq!(fight.pool(called(&fight, "post"), fight.setup().program().defeat_pool().unwrap()), left, "{has}");
    }
}

/// A waiting combatant acts in the moment in which the edited rules allow it, whatever it waited for.
#[test]
fn a_waiting_combatant_reads_the_edited_rules_at_once() {
    let rules = "[attributes]\nspeed = 0\n[pools]\nhealth = { max = 100, defeat = true }\n\
        [status.charm]\nduration = 60\nwhile = \"self.health >= 5\"\nevery = { period = 1, does = [{ heal = 1 }] }\n\
        [ability.prod]\nreach = 3\nunlock = \"self.health >= 10\"\ncooldown = 9\ndoes = [{ damage = 1 }]\n\
        [policy.waits]\nuse = [{ ability = \"prod\", when = \"target.health >= 20\" }]\n\
        [character.one]\nabilities = [\"prod\"]\npolicy = \"waits\"\nstatuses = [\"charm\"]\n[character.post]\nabilities = []\n\
        [encounter.e]\nsides.a = [{ character = \"one\", at = [0, 0] }]\nsides.b = [{ character = \"post\", at = [2, 0] }]\n";
    let edits = [("reach = 3", "reach = 1"), ("health >= 10", "health >= 101"), ("health >= 20", "health >= 101")];
    for (allows, forbids) in edits {
        let before = game(&rules.replace(allows, forbids));
        let mut fight = before.fight("e", 1).unwrap();
        fight.advance(at(2.5), &mut Silent).unwrap();
        game(rules).adopt(&mut fight).unwrap();
        let mut log = Log::default();
        fight.advance(at(2.5), &mut log).unwrap();
        let used = log.events.iter().any(|one| matches!(one.event, Event::Used { .. }) && one.at == at(2.5));
        assert!(used, "{forbids}: {log:?}");
    }
    // Statuses whose condition is false under the new rules end.
    let mut fight = game(rules).fight("e", 1).unwrap();
    fight.advance(at(2.5), &mut Silent).unwrap();
    let mut log = Log::default();
    game(&rules.replace("health >= 5\"", "health >= 101\"")).adopt(&mut fight).unwrap();
    fight.advance(at(2.5), &mut log).unwrap();
    assert!(log.events.iter().any(|one| matches!(one.event, Event::StatusLost { .. })), "{log:?}");
}

/// Nobody notices a combatant that has left while it cast: the watcher would draw its target once more.
#[test]
fn who_has_left_a_world_is_noticed_by_nobody() {
    let rules = game(
        r#"
        [pools]
        health = { max = 900, defeat = true }
        [ability.chant]
        cast = 20
        targets = "self"
        does = [{ restore = "health", amount = 1 }]
        [ability.poke]
        recovery = 0.2
        targets = { side = "enemies", pick = "random" }
        does = [{ damage = 1 }]
        [policy.watch]
        use = [{ ability = "poke", when = "casting(target) and now > 3" }]
        [character.singer]
        abilities = ["chant"]
        [character.watcher]
        abilities = ["poke"]
        policy = "watch"
        "#,
    );
    let mut fight = rules.world(&["here", "there"], 3);
    let (singer, watcher) = (rules.character("singer").unwrap(), rules.character("watcher").unwrap());
    fight.spawn(watcher, SideId(0), [0.0; 2], &mut Silent).unwrap();
    let singers = [(); 4].map(|()| fight.spawn(singer, SideId(1), [0.0; 2], &mut Silent).unwrap());
    fight.advance(at(1.0), &mut Silent).unwrap();
    fight.despawn(singers[2], &mut Silent).unwrap();
    fight.advance(at(2.0), &mut Silent).unwrap();
    let mut adopted = fight.clone();
    rules.adopt(&mut adopted).unwrap();
    let (mut expected, mut found) = (Log::default(), Log::default());
    fight.advance(at(9.0), &mut expected).unwrap();
    adopted.advance(at(9.0), &mut found).unwrap();
    assert!(expected.events.len() > 60, "{}", expected.events.len());
    assert_eq!(expected, found);
}
