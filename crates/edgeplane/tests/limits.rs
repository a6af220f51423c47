//! The largest and longest inputs, and those beyond: always a result or an error, never a panic or a hang.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{game, seconds};
use edgeplane::fight::{Ending, Event, FightErrorKind, Limits, Sampler};
use edgeplane::program::Time;
use edgeplane::{CombatantId, Fight, Game, Log, Setup, Silent};
use std::sync::Arc;

const RULES: &str = r#"
[pools]
health = { max = 5, defeat = true }
[damage_types]
blow = {}
[ability.shove]
cooldown = 1
targets = { side = "enemies", pick = "random" }
does = [{ damage = 2, type = "blow" }]
[ability.rare]
cooldown = 21600
does = [{ damage = 0, type = "blow" }]
[ability.never]
cast = 1e12
does = [{ damage = 9, type = "blow" }]
[character.one]
abilities = ["shove"]
[character.patient]
abilities = ["rare"]
[character.dreamer]
abilities = ["never"]
"#;

fn sides(game: &Game, name: &str, counts: [usize; 2]) -> Vec<(String, Vec<edgeplane::CharacterId>)> {
    let id = game.character(name).unwrap();
    vec![("east".to_owned(), vec![id; counts[0]]), ("west".to_owned(), vec![id; counts[1]])]
}

#[test]
fn a_thousand_fight_and_more_stay_out() {
    let game = game(RULES);
    let setup = Arc::new(Setup::between(game.program(), &sides(&game, "one", [700, 700])));
    assert_eq!(setup.combatants.len(), 1_000);
    assert_eq!(setup.ids().filter(|who| setup.combatants[who.index()].side.0 == 1).count(), 300);
    let mut fight = Fight::with_chance(setup, Sampler::default(), 1);
    let mut log = Log::default();
    let ending = fight.run(&mut log).unwrap();
    // Seven hundred against three hundred: the result is certain, and no two share a stream.
    assert_eq!(ending, Ending::Won(edgeplane::program::SideId(0)));
    let mut fell: Vec<CombatantId> = log
        .events
        .iter()
        .filter_map(|logged| match logged.event {
            Event::Defeated { who, .. } => Some(who),
            _ => None,
        })
        .collect();
    assert!(fell.iter().filter(|who| who.index() >= 700).count() == 300);
    fell.sort();
    fell.dedup();
    let standing = fight.setup().ids().filter(|who| fight.stands(*who)).count();
    assert_eq!(fell.len() + standing, 1_000);
    assert!(log.events.windows(2).all(|two| two[0].at <= two[1].at));
}

#[test]
fn there_are_at_most_so_many_statuses_and_single_stacks() {
    let rules = |timer: &str| {
        game(&format!(
            "[status.mark]\nduration = 9\nreapply = \"separate\"\nmax_instances = 1000\n\
             [status.drops]\nduration = 9\nreapply = \"stack\"\nmax_stacks = 1000\nstack_timer = \"{timer}\"\n{RULES}"
        ))
    };
    let game = rules("each");
    let setup = Arc::new(Setup::between(game.program(), &sides(&game, "one", [33, 33])));
    let apply = |name: &str, stacks: u32| {
        let status = game.status(name).unwrap();
        let mut fight = Fight::with_chance(Arc::clone(&setup), Sampler::default(), 1);
        let mut applied = 0;
        for who in setup.ids() {
            for _ in 0..1000 / stacks {
                match fight.apply_status(status, who, who, stacks, &mut Silent) {
                    Ok(_) => applied += 1,
                    Err(error) => return (applied, fight.stacks(who, status), error),
                }
            }
        }
        panic!("{applied} times {stacks}");
    };
    let (marks, held, error) = apply("mark", 1);
    assert_eq!((marks, error.kind), (65_535, FightErrorKind::Statuses { most: 65_535 }));
    assert_eq!(held, 535);
    let (drops, _, error) = apply("drops", 1000);
    assert_eq!((drops, error.kind), (65, FightErrorKind::Statuses { most: 65_535 }));
    // Stacks that ended together and would end separately under edited rules: none of them is lost.
    let before = rules("refresh");
    let setup = Arc::new(Setup::between(before.program(), &sides(&before, "one", [33, 33])));
    let (drops, mut fight) = (before.status("drops").unwrap(), Fight::with_chance(setup, Sampler::default(), 1));
    for who in fight.setup().ids().collect::<Vec<_>>() {
        assert!(fight.apply_status(drops, who, who, 1000, &mut Silent).unwrap());
    }
    assert!(game.adopt(&mut fight).unwrap_err().to_string().contains("more than 65535 statuses"));
    assert_eq!(fight.stacks(CombatantId(65), drops), 1000);
}

#[test]
fn ten_days_are_as_long_as_a_fight_may_last() {
    let encounter = "[encounter.wait]\nsides.east = [\"patient\"]\nsides.west = [\"patient\"]\n";
    let longest = game(&format!("{RULES}{encounter}time_limit = 864000\n"));
    let mut fight = longest.fight("wait", 1).unwrap();
    let mut log = Log::default();
    assert_eq!(fight.run(&mut log).unwrap(), Ending::TimeLimit);
    assert_eq!(fight.now(), seconds(864_000.0));
    // One every six hours, the first at once and the last with the limit.
    let used = log.events.iter().filter(|logged| matches!(logged.event, Event::Used { .. })).count();
    assert_eq!(used, 2 * 41);
    let beyond = Game::from_text("test.toml", &format!("{RULES}{encounter}time_limit = 864001\n")).unwrap_err();
    assert!(beyond.to_string().contains("`encounter.wait.time_limit` is 864001"), "{beyond}");
    assert!(Time::NEVER.seconds() > 864_000.0 * 1.2, "a cooldown that begins at the end still ends");
}

#[test]
fn a_cast_without_an_end_is_never_over() {
    let game = game(&format!("{RULES}[encounter.dream]\nsides.east = [\"dreamer\"]\nsides.west = [\"one\"]\n"));
    let mut fight = game.fight("dream", 1).unwrap();
    let mut log = Log::default();
    assert_eq!(fight.run(&mut log).unwrap(), Ending::Won(edgeplane::program::SideId(1)));
    assert!(!log.events.iter().any(|logged| matches!(logged.event, Event::Released { caster: CombatantId(0), .. })));
    assert_eq!(fight.now(), seconds(2.0), "three shoves of two against five");
}

#[test]
fn a_limit_on_steps_ends_a_fight_with_an_error() {
    let game = game(&format!("{RULES}[encounter.wait]\nsides.east = [\"patient\"]\nsides.west = [\"patient\"]\n"));
    let few = Limits { steps: 20, ..Limits::default() };
    let mut fight = game.fight("wait", 1).unwrap().with_limits(few);
    let error = fight.run(&mut Silent).unwrap_err();
    assert_eq!(error.kind, FightErrorKind::TooLong { steps: 20 });
    assert!(error.diagnostic().message.clone().contains("did not end within 20 steps"));
}

/// Two statuses give an attribute an infinite value, and a third multiplies it by zero: the result is not a number, and
/// no limit (`at_least`) makes it one.
#[test]
fn an_attribute_that_is_no_number_is_reported_to_its_reader() {
    let text = RULES.replace(
        "[pools]",
        r#"[attributes]
might = 2
[status.huge]
duration = 9
reapply = "separate"
max_instances = 2
modify = [{ attribute = "might", add = 1.7e308 }]
[status.nothing]
duration = 9
modify = [{ attribute = "might", times = 0 }, { attribute = "might", at_least = 1 }]
[pools]"#,
    );
    let text = text.replace("damage = 2,", "damage = \"caster.might\",");
    let game = game(&text);
    let mut fight = Fight::with_chance(
        Arc::new(Setup::between(game.program(), &sides(&game, "one", [1, 1]))),
        Sampler::default(),
        0,
    );
    let one = CombatantId(0);
    for status in ["huge", "huge", "nothing"] {
        fight.apply_status(game.status(status).unwrap(), one, one, 1, &mut Silent).unwrap();
    }
    let error = fight.run(&mut Silent).unwrap_err();
    assert!(matches!(error.kind, FightErrorKind::Fault(_)), "{error:?}");
}
