//! Fights with statuses that only change numbers and tick are played from numbers settled beforehand. Rulesets are put
//! together at random from such statuses; the long way and the short one must come to the same, event by event and in
//! all that is left.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::game;
use crate::shortcuts::{ends_alike, plays_alike};
use edgeplane::fight::{Event, FightErrorKind, Limits, Sampler};
use edgeplane::program::Time;
use edgeplane::study::Figure;
use edgeplane::{Fight, Log, Silent, TrialsPlan};
use proptest::prelude::*;
use proptest::strategy::ValueTree as _;
use proptest::test_runner::TestRunner;
use std::fmt::Write as _;

const RULES: &str = r#"
[attributes]
might = 10
guard = { base = 10, min = 0, max = 60 }
haste = { base = 0, min = -0.4, max = 0.4 }
luck = { base = "might / 100", max = 0.5 }
[pools]
health = { max = 120, defeat = true }
wind = { max = 20, start = 12, regen = 2 }
crust = { max = 15, start = "empty" }
[damage_types]
blow = {}
[threat]
damage = "1 + caster.might / 20"
[[hit_steps]]
name = "slip"
when = "roll(target.luck)"
stop = "slipped"
[[hit_steps]]
name = "guard"
amount = "amount * (100 - target.guard) / 100"
[[hit_steps]]
name = "held"
soak = "crust"
"#;

/// One status, by numbers that mean nothing by themselves.
fn status(index: usize, [again, most, lasts, ticks, extra]: [u8; 5], out: &mut String) {
    let again = [
        "again = \"keep\"",
        "again = \"refresh\"",
        "again = \"extend\"",
        "again = \"stack\"",
        "again = \"stack\"\nstack_timer = \"keep\"",
        "again = \"stack\"\nstack_timer = \"each\"",
    ][usize::from(again % 6)];
    let lasts = ["duration = 0.5", "duration = 2.3", "duration = \"3 + caster.might / 20\"", "duration = inf"]
        [usize::from(lasts % 4)];
    let changes = [
        "{ attribute = \"might\", add = \"2 * stacks\" }",
        "{ attribute = \"haste\", add = \"0.1 * stacks\" }",
        "{ attribute = \"guard\", add = \"self.might / 5 - 3 * stacks\" }",
        "{ attribute = \"might\", percent = \"-5 * stacks\" }",
    ][index % 4];
    let most = if again.contains("stack") { format!("max_stacks = {}", 1 + most % 5) } else { String::new() };
    let _ = writeln!(out, "[status.s{index}]\n{again}\n{most}\n{lasts}");
    if extra & 1 == 0 {
        let _ = writeln!(out, "modify = [{changes}]");
    }
    if extra & 2 == 0 {
        out.push_str("tags = [\"wet\"]\n");
    }
    if extra & 4 == 0 {
        let _ = writeln!(
            out,
            "hit_steps = [{{ name = \"wall{index}\", of = \"hits_taken\", before = \"held\", amount = \"amount * 0.9\" }}]"
        );
    }
    if extra & 16 == 0 {
        out.push_str("resist = \"target.luck * 2\"\n");
    }
    let rhythm = if extra & 8 == 0 { "restart" } else { "keep" };
    let does = [
        "{ damage = \"1.5 * stacks + caster.might / 10\", type = \"blow\", skips = [\"guard\"] }",
        "{ damage = 2, type = \"blow\", spread = 0.5 }, { restore = \"wind\", amount = \"stacks\" }",
        "{ restore = \"crust\", amount = \"2 * stacks\" }",
    ];
    if let Some(does) = does.get(usize::from(ticks % 4)) {
        let period = ["0.5", "1", "\"1 - target.haste\""][usize::from(ticks / 4 % 3)];
        let _ = writeln!(out, "every = {{ period = {period}, rhythm = \"{rhythm}\", does = [{does}] }}");
    }
}

fn ability(index: usize, [status, stacks, to, pace, extra]: [u8; 5], out: &mut String) {
    let to = ["", ", to = \"caster\"", ", chance = 0.5", ""][usize::from(to % 4)];
    let cost = ["", "cost = { wind = 3 }", "cost = { wind = \"4 + caster.might / 10\" }"][usize::from(extra % 3)];
    let itself = extra / 3 % 4 == 3;
    let first = if itself {
        "{ restore = \"crust\", amount = \"caster.might / 2\" }"
    } else {
        "{ damage = \"6 + caster.might / 2\", spread = 0.2, type = \"blow\" }"
    };
    let stacks = 1 + stacks % 3;
    let _ = writeln!(
        out,
        "[ability.a{index}]\n{cost}\ncast = {}\nrecovery = 0.1\ncooldown = \"{} * (1 - caster.haste)\"\n{}\n\
         does = [{first}, {{ inflict = \"s{}\", stacks = {stacks}{to} }}, {{ inflict = \"s{}\"{to} }}]",
        f64::from(pace % 3) * 0.2,
        1 + pace / 3 % 4,
        if itself { "targets = \"self\"" } else { "" },
        status % 4,
        status / 4 % 4,
    );
}

#[derive(Clone, Debug)]
pub(crate) struct Recipe {
    pub(crate) statuses: [[u8; 5]; 4],
    pub(crate) abilities: [[u8; 5]; 3],
    pub(crate) policy: u8,
    pub(crate) count: [u8; 2],
    pub(crate) seed: u64,
}

pub(crate) fn recipe() -> impl Strategy<Value = Recipe> {
    (any::<[[u8; 5]; 4]>(), any::<[[u8; 5]; 3]>(), any::<u8>(), any::<[u8; 2]>(), any::<u64>())
        .prop_map(|(statuses, abilities, policy, count, seed)| Recipe { statuses, abilities, policy, count, seed })
}

impl Recipe {
    pub(crate) fn write(&self) -> String {
        let mut out = RULES.to_owned();
        self.statuses.iter().enumerate().for_each(|(index, one)| status(index, *one, &mut out));
        self.abilities.iter().enumerate().for_each(|(index, one)| ability(index, *one, &mut out));
        let lines = [
            "{ ability = \"a2\", when = \"self.health.share < 60%\" }, { ability = \"a1\" }, { ability = \"a0\" }",
            "{ ability = \"a1\", when = \"self.health > 50\" }, { ability = \"a0\" }",
            "{ ability = \"a0\" }",
        ][usize::from(self.policy % 3)];
        let _ = write!(
            out,
            "[policy.plain]\nuse = [{lines}]\n[character.one]\nabilities = [\"a0\", \"a1\", \"a2\"]\npolicy = \"plain\"\n\
             [character.other]\nattributes = {{ might = 14 }}\nabilities = [\"a2\", \"a0\"]\n[encounter.bout]\nsides.a = [{{ character = \"one\", count = {} }}]\n\
             sides.b = [{{ character = \"other\", count = {} }}]\ntime_limit = 30\n",
            1 + self.count[0] % 3,
            1 + self.count[1] % 2,
        );
        out
    }
}

#[test]
fn statuses_that_change_numbers_come_to_the_same_on_the_shortest_way() {
    let mut runner = TestRunner::deterministic();
    let mut short = 0;
    for _ in 0..300 {
        let recipe = recipe().new_tree(&mut runner).unwrap().current();
        let game = game(&recipe.write());
        short += usize::from(game.fight("bout", 0).unwrap().takes_shortest_way());
        ends_alike(&game, "bout", recipe.seed % 1_000..recipe.seed % 1_000 + 4);
        plays_alike(&game, "bout", 2);
    }
    // The others have so many statuses at once that not all their numbers are settled beforehand.
    assert!(short >= 200, "{short} of 300");
}

#[test]
fn what_the_shortest_way_cannot_tell_is_left_to_the_engine() {
    let recipe =
        Recipe { statuses: [[3, 3, 1, 3, 1]; 4], abilities: [[1, 0, 0, 1, 0]; 3], policy: 2, count: [0, 0], seed: 0 };
    let text = recipe.write();
    let plain = |text: &str| game(text).fight("bout", 0).unwrap().takes_shortest_way();
    assert!(plain(&text));
    for (why, add) in [
        ("it answers", "on = [{ event = \"hit_taken\", does = [{ restore = \"wind\", amount = 1 }] }]\n"),
        ("it forbids", "forbids = [\"act\"]\n"),
        ("a cap hangs on it", "modify = [{ attribute = \"vigour\", add = 1 }]\n"),
        ("it hangs on time", "modify = [{ attribute = \"guard\", add = \"remaining\" }]\n"),
        (
            "three add up",
            "modify = [{ attribute = \"might\", add = 0.1 }, { attribute = \"might\", add = 0.2 }, { attribute = \"might\", add = 0.3 }]\n",
        ),
        ("it keeps a value", "modify = [{ attribute = \"guard\", add = \"snapshot(caster.might)\" }]\n"),
        ("it ends under a condition", "while = \"self.health > 10\"\n"),
    ] {
        let text = text
            .replace("[attributes]\n", "[attributes]\nvigour = 10\n")
            .replace("wind = { max = 20", "wind = { max = \"10 + vigour\"")
            .replace("[status.s1]\n", &format!("[status.s1]\n{add}"));
        assert!(!plain(&text), "{why}");
        ends_alike(&game(&text), "bout", 0..20);
    }
}

/// Two statuses of which one came first are due at one moment in the order in which they came, not in that of the ruleset.
#[test]
fn ticks_at_one_moment_come_in_the_order_in_which_their_statuses_came() {
    let text = r#"
[pools]
health = { max = 100, defeat = true }
[damage_types]
blow = {}
[status.early]
duration = 9
every = { period = 1, does = [{ damage = 1, type = "blow" }] }
[status.late]
duration = 9
every = { period = 2, does = [{ damage = 2, type = "blow" }] }
[ability.first]
cooldown = 50
does = [{ inflict = "late" }, { inflict = "early" }]
[character.one]
abilities = ["first"]
[character.other]
[encounter.bout]
sides.a = ["one"]
sides.b = ["other"]
time_limit = 5
"#;
    let game = game(text);
    let mut fight = game.fight("bout", 0).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    assert!(fight.takes_shortest_way());
    let ticks = log.events.iter().filter_map(|logged| match logged.event {
        Event::StatusTicked { status, .. } => {
            Some((logged.at.seconds(), fight.setup().program().status(status).name.clone()))
        }
        _ => None,
    });
    let expected = [(1.0, "early"), (2.0, "late"), (2.0, "early"), (3.0, "early"), (4.0, "late"), (4.0, "early")];
    let ticks: Vec<_> = ticks.collect();
    assert_eq!(ticks[..6].iter().map(|(at, name)| (*at, name.as_str())).collect::<Vec<_>>(), expected);
    let mut again = fight.clone();
    again.restart(0);
    again.run(&mut Silent).unwrap();
    assert_eq!(fight.snapshot(), again.snapshot());
}

/// Two a side with all that statuses can do and still be settled beforehand.
fn busy() -> String {
    let recipe = Recipe {
        statuses: [[3, 1, 1, 0, 14], [4, 1, 1, 1, 14], [5, 2, 2, 3, 7], [2, 0, 1, 2, 7]],
        abilities: [[4, 1, 0, 0, 0], [14, 2, 2, 4, 1], [11, 0, 1, 7, 9]],
        policy: 0,
        count: [1, 1],
        seed: 0,
    };
    recipe.write()
}

#[test]
fn a_study_comes_to_the_same_figures_either_way() {
    let short = busy();
    // What the encounter would have happen after its end keeps it off the shortest way, and does nothing else.
    let long =
        short.replace("time_limit = 30", "time_limit = 30\nscript = [{ at = 90, ability = \"a0\", by = \"one\" }]");
    assert_ne!(short, long);
    let measures = [
        "win_rate(a)",
        "duration.p50",
        "survivors(b)",
        "damage(a)",
        "damage(one 1, a0).p90",
        "damage(b, s0)",
        "prevented(b, guard)",
        "soaked(b)",
        "restored(a, wind)",
        "uses(other 2)",
        "ticks(a, s0)",
        "applied(b, s0)",
        "uptime(other 1, s0)",
        "mean_stacks(other 1, s0)",
        "refusals(one 2)",
        "idle(a)",
    ];
    let plan = TrialsPlan { trials: 400, seed: 3, ..TrialsPlan::default() };
    let figures = [(short, true), (long, false)].map(|(text, way)| {
        let game = game(&text);
        assert_eq!(game.fight("bout", 0).unwrap().takes_shortest_way(), way);
        game.measure("bout", &measures, &plan).unwrap()
    });
    for (measure, (short, long)) in measures.iter().zip(figures[0].iter().zip(&figures[1])) {
        let all = |figure: &Figure| (figure.value, figure.low, figure.high);
        assert_eq!(all(short), all(long), "{measure}");
        assert!(short.value.is_some_and(|value| value > 0.0), "{measure} says nothing");
    }
}

#[test]
fn limits_are_passed_at_the_same_moment_either_way() {
    let game = game(&busy());
    let mut passed = 0;
    for steps in (5..200).step_by(13) {
        let fight = || {
            let limits = Limits { steps, ..Limits::default() };
            Fight::with_chance(game.fight("bout", 4).unwrap().setup().clone(), Sampler::default(), 4)
                .with_limits(limits)
        };
        let (mut short, mut long) = (fight(), fight());
        let (mut one, mut other) = (Log::default(), Log::default());
        let ended = (short.run(&mut one).err(), long.advance(Time::NEVER, &mut other).err());
        assert_eq!(ended.0, ended.1, "{steps} steps");
        assert_eq!(one.events, other.events, "{steps} steps");
        passed += usize::from(ended.0.is_some_and(|error| matches!(error.kind, FightErrorKind::TooLong { .. })));
    }
    assert!(passed > 5, "{passed}");
}

#[test]
fn what_is_held_at_the_end_can_be_looked_at() {
    let game = game(&busy().replace("time_limit = 30", "time_limit = 6"));
    let (mut short, mut long) = (game.fight("bout", 9).unwrap(), game.fight("bout", 9).unwrap());
    assert!(short.takes_shortest_way());
    short.run(&mut Silent).unwrap();
    long.advance(Time::NEVER, &mut Silent).unwrap();
    let mut held = 0;
    for who in short.setup().ids() {
        let statuses = |fight: &mut Fight| format!("{:?}", fight.statuses(who).unwrap());
        assert_eq!(statuses(&mut short), statuses(&mut long));
        held += short.statuses(who).unwrap().len();
        for attribute in ["might", "guard", "haste", "luck"] {
            let slot = game.program().find_attribute(attribute).unwrap();
            assert_eq!(short.attribute(who, slot), long.attribute(who, slot), "{attribute}");
            assert_eq!(short.contributions(who, slot), long.contributions(who, slot), "{attribute}");
        }
        let ability = game.ability("a0").unwrap();
        assert_eq!(short.ready_at(who, ability), long.ready_at(who, ability));
    }
    assert!(held > 0, "somebody has something at the end");
}

/// More than there is room for: the engine plays, and nobody sees a difference.
#[test]
fn crowds_and_many_statuses_take_the_long_way() {
    let crowd = busy().replace("character = \"one\", count = 2", "character = \"one\", count = 7");
    let mut many = busy();
    for more in 0..8 {
        let _ = writeln!(many, "[status.more{more}]\nduration = 2");
    }
    let all: String = (0..8).map(|more| format!(", {{ inflict = \"more{more}\" }}")).collect();
    let many = many.replacen(" }]\n[ability.a1]", &format!(" }}{all}]\n[ability.a1]"), 1);
    for (text, way) in [(busy(), true), (crowd, false), (many, false)] {
        let game = game(&text);
        assert_eq!(game.fight("bout", 0).unwrap().takes_shortest_way(), way);
        ends_alike(&game, "bout", 0..5);
    }
}

#[test]
fn of_the_demo_the_duels_take_the_shortest_way() {
    let game = crate::common::demo();
    let all = game.program().encounters().iter().map(|encounter| encounter.name.clone());
    let short: Vec<String> = all.filter(|name| game.fight(name, 0).unwrap().takes_shortest_way()).collect();
    assert_eq!(short, ["duel", "mirror"]);
}

/// Numbers that hang on stacks of both: what a hit comes to with so many of either.
#[test]
fn hits_follow_the_stacks_of_both() {
    let text = r#"
[attributes]
might = 10
guard = 0
[pools]
health = { max = 1000, defeat = true }
[damage_types]
blow = {}
[[hit_steps]]
name = "guard"
amount = "amount * (100 - target.guard) / 100"
[status.bold]
duration = inf
again = "stack"
max_stacks = 3
modify = [{ attribute = "might", add = "10 * stacks" }]
[status.frail]
duration = inf
again = "stack"
max_stacks = 2
modify = [{ attribute = "guard", add = "-50 * stacks" }]
[ability.shove]
cooldown = 1
does = [{ damage = "caster.might", type = "blow" }, { inflict = "bold", to = "caster" }, { inflict = "frail" }]
[character.one]
abilities = ["shove"]
[character.other]
[encounter.bout]
sides.a = ["one"]
sides.b = ["other"]
time_limit = 4.5
"#;
    let mut fight = game(text).fight("bout", 0).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    assert!(fight.takes_shortest_way());
    let hits = log.events.iter().filter_map(|logged| match logged.event {
        Event::Hit { initial, amount, .. } => Some((initial, amount)),
        _ => None,
    });
    let expected = [(10.0, 10.0), (20.0, 30.0), (30.0, 60.0), (40.0, 80.0), (40.0, 80.0)];
    assert_eq!(hits.collect::<Vec<_>>(), expected);
}
