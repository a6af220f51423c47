//! Rules for the game only: data that is passed on, and reports that are events.

use crate::common::{ONE, OTHER, demo, game};
use edgeplane::fight::{Log, NamedEvent};
use edgeplane::program::{Effect, FormulaId};
use edgeplane::text::Data;
use edgeplane::{Event, Game, Override, Silent, Time, TrialsPlan};

const RULES: &str = r#"
    [attributes]
    lives = { base = 40, data = { color = "red" } }
    [pools]
    health = { max = "lives", defeat = true, data = { bar = "wide" } }
    [damage_types]
    heat = { data = { glow = 0.5 } }
    [status.scorched]
    kind = "debuff"
    duration = 3
    data = { icon = "flame.png", layers = [1, 2.5, "top"], wobbles = true }
    on = [
      { event = "lost", does = [{ report = "cooled" }] },
      { event = "defeated", does = [{ report = "ashes", numbers = ["self.lives", "stacks * 2", -1, 0.5] }] },
    ]
    [ability.breathe]
    cooldown = 2
    data = { sound = { file = "breath.ogg", volume = 0.8 } }
    does = [
      { damage = 15, type = "heat" },
      { apply = "scorched" },
      { report = "shakes", numbers = ["caster.lives / 10"] },
    ]
    [ability.sigh]
    extends = "breathe"
    cooldown = 9
    [ability.hum]
    extends = "breathe"
    data = { sound = { file = "hum.ogg" } }
    [character.beast]
    template = true
    data = { model = "beast.glb" }
    [character.kiln]
    extends = "beast"
    abilities = ["breathe"]
    [character.ewer]
    extends = "beast"
    data = { model = "ewer.glb" }
    abilities = []
    [encounter.yard]
    data = { music = "slow" }
    sides = { hot = ["kiln"], cold = ["ewer", "ewer"] }
    time_limit = 30
"#;

#[test]
fn data_is_passed_through_untouched() {
    let game = game(RULES);
    let text = |path: &str, key: &str| game.data(path).and_then(|data| data.get(key)).and_then(Data::text);
    assert_eq!(text("status.scorched", "icon"), Some("flame.png"));
    assert_eq!(text("ability.breathe", "sound.file"), Some("breath.ogg"));
    assert_eq!(text("attributes.lives", "color"), Some("red"));
    assert_eq!(text("pools.health", "bar"), Some("wide"));
    assert_eq!(text("encounter.yard", "music"), Some("slow"));
    assert_eq!(game.data("damage_types.heat").and_then(|heat| heat.get("glow")).and_then(Data::number), Some(0.5));
    let status = game.data("status.scorched").unwrap();
    assert_eq!(status.get("layers").unwrap().list()[2].text(), Some("top"));
    assert_eq!(status.get("wobbles").and_then(Data::flag), Some(true));
    let json = serde_json::to_string(status).unwrap();
    assert_eq!(json, r#"{"icon":"flame.png","layers":[1.0,2.5,"top"],"wobbles":true}"#);
    // Inherited as a whole, like any other key; templates pass theirs on.
    assert_eq!(text("ability.sigh", "sound.file"), Some("breath.ogg"));
    assert_eq!(text("ability.hum", "sound.file"), Some("hum.ogg"));
    assert_eq!(game.data("ability.hum").and_then(|hum| hum.get("sound.volume")), None);
    assert_eq!(text("character.kiln", "model"), Some("beast.glb"));
    assert_eq!(text("character.ewer", "model"), Some("ewer.glb"));
    assert_eq!(game.data("ability.nothing"), None);
    // A number in it is replaced like any other; no figure depends on it.
    let louder = game.variant(&[Override::parse("ability.breathe.data.sound.volume=1").unwrap()]).unwrap();
    assert_eq!(
        louder.data("ability.breathe").and_then(|data| data.get("sound.volume")).and_then(Data::number),
        Some(1.0)
    );
    let numbers = game.numbers_of("yard").unwrap();
    assert!(numbers.iter().any(|number| number.path == "ability.breathe.cooldown"));
    assert!(numbers.iter().all(|number| !number.path.contains("data")), "{numbers:?}");
}

#[test]
fn data_that_is_no_table_has_a_place() {
    let error = |from: &str, to: &str| Game::from_text("rules.toml", &RULES.replace(from, to)).unwrap_err().to_string();
    let flat = error("data = { music = \"slow\" }", "data = \"slow\"");
    assert!(flat.contains("`encounter.yard.data` is a text; it takes a table"), "{flat}");
    let dated = error("music = \"slow\"", "made = 2026-11-27");
    assert!(dated.contains("`encounter.yard.data.made` is a date or a time"), "{dated}");
    assert_eq!(error("model = \"beast.glb\"", "made = 2026-11-27").matches("wrong-type").count(), 1);
    assert!(
        error("volume = 0.8 } }", "volume = 0.8 } }\n    level = 2").contains("level"),
        "only under `data` is anything free"
    );
}

#[test]
fn effects_report_to_the_game() {
    let game = game(RULES);
    let (_, log) = game.play("yard", 1).unwrap();
    let setup = game.fight("yard", 1).unwrap().setup().clone();
    let reported: Vec<String> = (log.events.iter())
        .filter(|one| matches!(one.event, Event::Reported { .. }))
        .map(|one| serde_json::to_string(&NamedEvent::new(&setup, *one)).unwrap())
        .collect();
    let shakes = |at: &str| {
        format!(
            r#"{{"at":{at},"event":"reported","who":"kiln","ability":"breathe","target":"ewer 1","report":"shakes","numbers":[4.0]}}"#
        )
    };
    let ashes = r#"{"at":4.0,"event":"reported","who":"ewer 1","status":"scorched","target":"ewer 1","report":"ashes","numbers":[40.0,2.0,-1.0,0.5]}"#;
    // The third breath, at 4, is too much for the first of them. An event that decides the fight triggers nothing any
    // more.
    assert_eq!(reported[..2], [shakes("0.0"), shakes("2.0")]);
    assert!(reported.contains(&shakes("4.0")) && reported.iter().any(|one| one == ashes), "{reported:#?}");
}

#[test]
fn reports_are_measured_like_anything_else() {
    let game = game(RULES);
    let plan = TrialsPlan { trials: 50, ..TrialsPlan::default() };
    let measured = game
        .variant(&[])
        .unwrap()
        .measured("yard", &["reports(hot)", "reports(kiln, shakes)", "reported(kiln, shakes)", "reports(ewer, ashes)"]);
    let figures = edgeplane::study::run_measures(&measured.unwrap(), &plan, &|_| {}).unwrap();
    let values: Vec<f64> = figures.iter().filter_map(|figure| figure.value).collect();
    assert_eq!(values, [6.0, 6.0, 24.0, 1.0]);
    let error = game.measured("yard", &["reports(kiln, shake)"]).unwrap_err().to_string();
    assert!(error.contains("shakes"), "{error}");
}

#[test]
fn a_report_takes_four_numbers_at_most() {
    let text = RULES.replace("\"stacks * 2\", -1, 0.5", "1, 2, 3, 4");
    let error = Game::from_text("rules.toml", &text).unwrap_err().to_string();
    assert!(error.contains("has 5 numbers; at most 4 are allowed"), "{error}");
}

/// Everything that a game does by itself goes through the rules, and has the name of its cause.
#[test]
fn whatever_a_cause_brings_about_has_its_name() {
    let rules = r#"
        [attributes]
        lives = 90
        [pools]
        health = { max = "lives", defeat = true }
        breath = { max = 20, start = "empty" }
        [levels]
        most = 5
        needs = 10
        in_fight = true
        [status.dazed]
        kind = "debuff"
        duration = 60
        reapply = "stack"
        max_stacks = 9
        [gear.cap]
        modify = [{ attribute = "lives", add = 10 }]
        [ability.rest]
        cooldown = 3
        does = [{ heal = 1, to = "caster" }]
        [cause.weather]
        does = [
          { damage = "amount * 4" },
          { heal = "amount" },
          { restore = "breath", amount = 5 },
          { drain = "breath", amount = 2 },
          { apply = "dazed", stacks = "amount", duration = 7 },
          { wear = "cap" },
          { give = "rest" },
          { experience = 12 },
          { report = "thunder", numbers = ["amount"] },
        ]
        [character.post]
        can_learn = ["rest"]
        [encounter.field]
        sides = { here = ["post"], there = ["post"] }
        time_limit = 60
    "#;
    let game = game(rules);
    let mut fight = game.fight("field", 1).unwrap();
    let mut log = Log::default();
    let (cause, who) = (game.cause("weather").unwrap(), fight.setup().ids().next().unwrap());
    fight.bring_about(cause, None, who, 3.0, &mut log).unwrap();
    let setup = fight.setup().clone();
    let named = log.events.iter().map(|one| serde_json::to_value(NamedEvent::new(&setup, *one)).unwrap());
    let by_weather: Vec<String> = named
        .filter(|event| event.get("cause").is_some_and(|cause| cause == "weather"))
        .map(|event| event["event"].as_str().unwrap().to_owned())
        .collect();
    for kind in ["hit", "healed", "restored", "drained", "given", "reported"] {
        assert!(by_weather.iter().any(|one| one == kind), "no `{kind}` by the weather: {by_weather:?}");
    }
    let level = game.program().characters().len() as f64;
    assert_eq!(level, 1.0);
    let dazed = fight.statuses(who).unwrap();
    let dazed = dazed.iter().find(|held| setup.program().status(held.status).name == "dazed").unwrap();
    assert_eq!((dazed.stacks, dazed.remaining), (3, Some(7.0)));
    assert!(log.events.iter().any(|one| matches!(one.event, Event::LevelGained { .. })));
    assert_eq!(fight.worn(who).count(), 1);
    assert_eq!(fight.abilities(who).count(), 1);
    fight.advance(Time::from_seconds(8.0), &mut Silent).unwrap();
    assert!(demo().data("ability.boathook").is_none());
}

const ASKING: &str = r#"
    [pools]
    health = { max = 100, defeat = true }
    [formula.height]
    args = ["of", "step"]
    is = "of + step"
    game = true
    [formula.in_sight]
    is = "false"
    game = true
    [formula.doubled]                        # calls the game's for somebody else
    args = ["x"]
    is = "2 * height(x, 1)"
    [ability.drop]
    cooldown = 1
    does = [{ damage = "doubled(3) + 0" }]
    [ability.throw]
    cooldown = 1
    does = [{ damage = 1 }]
    [policy.above]
    use = [{ ability = "drop" }]
    [policy.careful]
    use = [{ ability = "throw", when = "in_sight()" }]
    [character.crane]
    abilities = ["drop"]
    policy = "above"
    [character.slinger]
    abilities = ["throw"]
    policy = "careful"
    [encounter.yard]
    sides = { up = ["crane"], down = ["slinger"] }
    time_limit = 20
"#;

/// The times at which a pool of a combatant changed, and the amounts.
fn hits(log: &Log, game: &Game, whom: &str, fight: &edgeplane::Fight) -> Vec<(u64, f64)> {
    let whom = game.combatant(fight, whom).unwrap();
    let hit = |one: &edgeplane::fight::Logged| match one.event {
        Event::Hit { target, dealt, .. } if target == whom => Some((one.at.0, dealt)),
        _ => None,
    };
    log.events.iter().filter_map(hit).collect()
}

#[test]
fn the_game_gives_the_values_of_its_functions() {
    let game = game(ASKING);
    let names: Vec<_> = game.program().game_functions().iter().map(|one| (one.name.as_str(), one.truth)).collect();
    assert_eq!(names, [("height", false), ("in_sight", true)]);
    let mut fight = game.fight("yard", 1).unwrap();
    let mut log = Log::default();
    fight.advance(Time::ZERO, &mut log).unwrap();
    assert_eq!(hits(&log, &game, "slinger", &fight), [(0, 8.0)], "what stands in: 2 * (3 + 1)");

    let (crane, slinger) = (game.combatant(&fight, "crane").unwrap(), game.combatant(&fight, "slinger").unwrap());
    fight
        .set_function("height", move |asked| {
            assert_eq!((asked.args, asked.caster, asked.target), (&[3.0, 1.0][..], crane, slinger));
            asked.now.seconds() * 5.0
        })
        .unwrap();
    let here = fight.snapshot();
    fight.advance(Time::from_seconds(2.5), &mut log).unwrap();
    assert_eq!(hits(&log, &game, "slinger", &fight), [(0, 8.0), (1_000_000, 10.0), (2_000_000, 20.0)]);

    // It stays with the fight after a restore, and under other rules.
    fight.restore(&here).unwrap();
    let edited = game.variant(&[Override::parse("ability.drop.does.0.damage='doubled(3) + 1'").unwrap()]).unwrap();
    edited.adopt(&mut fight).unwrap();
    let mut again = Log::default();
    fight.advance(Time::from_seconds(1.5), &mut again).unwrap();
    assert_eq!(hits(&again, &edited, "slinger", &fight), [(1_000_000, 11.0)]);
}

#[test]
fn combatants_that_wait_for_the_game_react_at_once_when_notified() {
    use std::sync::Arc;
    use std::sync::atomic::{AtomicBool, Ordering};
    let game = game(ASKING);
    for told in [true, false] {
        let mut fight = game.fight("yard", 1).unwrap();
        let seen = Arc::new(AtomicBool::new(false));
        let answer = Arc::clone(&seen);
        fight.set_function("in_sight", move |_| f64::from(u8::from(answer.load(Ordering::Relaxed)))).unwrap();
        let mut log = Log::default();
        fight.advance(Time::from_seconds(3.33), &mut log).unwrap();
        assert_eq!(hits(&log, &game, "crane", &fight), []);
        seen.store(true, Ordering::Relaxed);
        if told {
            fight.world_changed();
        }
        fight.advance(Time::from_seconds(3.5), &mut log).unwrap();
        let (at, _) = hits(&log, &game, "crane", &fight)[0];
        assert!(if told { at == 3_330_000 } else { (3_330_001..3_430_000).contains(&at) }, "{told} {at}");
    }
}

/// Formulas with the values for which they were worked out.
struct Worked(edgeplane::Fight, Vec<String>);

impl edgeplane::Observer for Worked {
    fn wants(&self) -> edgeplane::EventMask {
        edgeplane::EventMask::DETAIL
    }

    fn event(&mut self, _: Time, _: Event) {}

    fn formula(&mut self, _: Time, formula: FormulaId, reading: &edgeplane::program::Reading) {
        self.1.push(self.0.setup().program().formula(formula).with_values(reading));
    }
}

#[test]
fn what_is_worked_out_of_a_hit_shows_the_attributes_of_its_type() {
    let game = game(
        "[attributes]\nresist = { per = \"damage_type\" }\n[damage_types]\nsilt = {}\nglare = {}\n\
         [pools]\nhealth = { max = 100, defeat = true }\n\
         [[hit_steps]]\nname = \"guard\"\namount = \"amount * (1 - target.resist)\"\n\
         [ability.blow]\nuses = 1\ndoes = [{ damage = 8, type = \"silt\" }, { damage = 8, type = \"glare\" }]\n\
         [character.one]\nattributes = { \"resist.silt\" = 0.25, \"resist.glare\" = 0.5 }\nabilities = [\"blow\"]\n\
         [encounter.yard]\nsides.a = [\"one\"]\nsides.b = [\"one\"]\ntime_limit = 1\n",
    );
    let mut fight = game.fight("yard", 1).unwrap();
    let mut worked = Worked(fight.clone(), Vec::new());
    fight.advance(Time::ZERO, &mut worked).unwrap();
    assert_eq!(worked.1[..4], ["8", "8 * (1 - 0.25)", "8", "8 * (1 - 0.5)"]);
}

#[test]
fn what_the_game_answers_is_shown_and_checked() {
    let game = Game::from_text("rules.toml", &ASKING.replace("doubled(3) + 0", "height(3, 1) / 2")).unwrap();
    let mut fight = game.fight("yard", 1).unwrap();
    let mut worked = Worked(fight.clone(), Vec::new());
    fight.set_function("height", |_| 7.0).unwrap();
    fight.advance(Time::ZERO, &mut worked).unwrap();
    assert!(worked.1.contains(&"height(3, 1) [7] / 2".to_owned()), "{:?}", worked.1);

    let game = self::game(ASKING);
    let mut fight = game.fight("yard", 1).unwrap();
    let wrong = fight.set_function("heigth", |_| 0.0).unwrap_err().to_string();
    assert!(wrong.contains("did you mean `height`"), "{wrong}");
    fight.set_function("height", |_| f64::NAN).unwrap();
    let error = fight.advance(Time::ZERO, &mut Silent).unwrap_err();
    let (text, place) = (error.to_string(), error.diagnostic().labels[0].span);
    assert!(text.contains("finite"), "{text}");
    assert_eq!(
        error.sources().text(place),
        "\"doubled(3) + 0\"",
        "the caller's, since `doubled` may be called by others"
    );
}

#[test]
fn the_game_can_say_how_long_something_takes() {
    let text = ASKING
        .replace("does = [{ damage = \"doubled(3) + 0\" }]", "cast = \"height(0, 0.5)\"\ndoes = [{ damage = 2 }]");
    let game = game(&text);
    let mut fight = game.fight("yard", 1).unwrap();
    let mut log = Log::default();
    fight.advance(Time::from_seconds(0.6), &mut log).unwrap();
    fight.set_function("height", |_| 0.25).unwrap();
    fight.advance(Time::from_seconds(3.1), &mut log).unwrap();
    assert_eq!(hits(&log, &game, "slinger", &fight), [(500_000, 2.0), (1_750_000, 2.0), (3_000_000, 2.0)]);
}

#[test]
fn the_game_is_asked_only_where_its_changes_are_noticed() {
    for (wrong, expected) in [
        ("[attributes]\nheft = 'height(1, 2)'", "cannot be called in an attribute"),
        ("[status.s]\nduration = 2\nwhile = 'in_sight()'", "cannot be called in a `while`"),
        ("[ability.a]\ncost = { health = 'doubled(1)' }", "cannot be called in a cost"),
        ("[ability.a]\ndoes = [{ damage = 'height(1)' }]", "the form is `height(of, step)`"),
        (
            "[formula.chancy]\nis = 'dice(1, 6)'\ngame = true",
            "random draws are not allowed in the default of a function",
        ),
    ] {
        let error = Game::from_text("wrong.toml", &format!("{ASKING}\n{wrong}")).unwrap_err().to_string();
        assert!(error.contains(expected), "{wrong}: {error}");
    }
}

/// Questions of a game (why an ability is unavailable, what a formula gives) make no draws that the fight would make,
/// and count no misses of a streak.
#[test]
fn questions_change_no_draws() {
    let game = game(
        r#"
        [pools]
        health = { max = 100, defeat = true }
        [ability.throw]
        cooldown = 1
        targets = { side = "enemies", pick = "random" }
        does = [{ damage = "if(roll(0.4, streak = 4), between(5, 9), dice(1, 4))" }]
        [character.one]
        abilities = ["throw"]
        [character.other]
        abilities = []
        [encounter.bout]
        sides.one = ["one"]
        sides.other = [{ character = "other", count = 5 }]
        "#,
    );
    let throw = game.ability("throw").unwrap();
    let Effect::Hit(hit) = &game.program().ability(throw).does[0].effect else { panic!("it is a hit") };
    let (mut plain, mut asked) = (Log::default(), Log::default());
    game.fight("bout", 4).unwrap().run(&mut plain).unwrap();
    let mut fight = game.fight("bout", 4).unwrap();
    for second in 0..400 {
        let mut answers = Vec::new();
        for _ in 0..3 {
            answers.push((fight.why_unavailable(ONE, throw).unwrap(), fight.evaluate(hit.amount, ONE, OTHER).unwrap()));
        }
        answers.dedup();
        assert_eq!(answers.len(), 1, "the same question has the same answer");
        fight.advance(Time::from_seconds(f64::from(second)), &mut asked).unwrap();
    }
    assert_eq!(plain, asked);
    let unknown = fight.evaluate(FormulaId(9_999), ONE, OTHER).unwrap_err().to_string();
    assert!(unknown.contains("there is no formula 9999"), "{unknown}");
}
