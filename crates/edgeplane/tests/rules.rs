//! The meaning of the parts of a ruleset with given and omitted keys, and values set from outside.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{demo, game};
use edgeplane::program::{PickPlan, StartPlan};
use edgeplane::rules::{CapChange, SideRule};
use edgeplane::text::{Code, Diagnostics, Document, Override, Value};
use edgeplane::{Game, Sources, Time};

#[test]
fn defaults_stand_where_keys_are_left_out() {
    let game = game(
        r#"
        [pools]
        health = { max = 10 }
        [ability.wait]
        does = []
        [policy.calm]
        use = [{ ability = "wait" }]
        [character.one]
        abilities = ["wait"]
        policy = "calm"
        [encounter.e]
        sides.a = ["one"]
        sides.b = ["one"]
        "#,
    );
    let program = game.program();
    let health = &program.pools()[0];
    assert!(matches!(health.start, StartPlan::Full) && !health.flows() && !health.defeat);
    assert_eq!(health.on_cap_change, CapChange::Keep);
    assert_eq!(program.defeat_pool(), None);
    let wait = &program.abilities()[0];
    assert_eq!((wait.side, wait.count), (SideRule::Enemies, 1));
    assert!(matches!(wait.pick, PickPlan::First) && wait.cost.is_empty() && wait.cooldown.is_none());
    let one = &program.characters()[0];
    assert_eq!((one.level, one.pools.as_slice(), one.policy.reaction), (1.0, [true].as_slice(), Time::ZERO));
    assert_eq!(program.encounters()[0].time_limit, Time::NEVER);
    assert_eq!(program.damage_types().len(), 1, "without any there is one");
    assert_eq!(program.name(), "");
}

#[test]
fn a_character_joins_attributes_and_takes_the_nearest_of_every_other_key() {
    let game = game(
        r#"
        [attributes]
        a = 1
        b = 1
        c = 1
        [pools]
        health = { max = 10 }
        oil = { max = 10 }
        [ability.x]
        does = []
        [ability.y]
        does = []
        [character.grandparent]
        template = true
        level = 9
        attributes = { a = 10, b = 10 }
        pools = ["health"]
        abilities = ["x"]
        [character.parent]
        extends = "grandparent"
        attributes = { b = 20 }
        abilities = ["y", "x"]
        [character.child]
        extends = "parent"
        level = 2
        attributes = { c = 30 }
        "#,
    );
    let sheet = |name: &str| {
        edgeplane::study::explain::explain_character(game.program(), game.character(name).unwrap()).unwrap()
    };
    let values = |name: &str| sheet(name).attributes.iter().map(|line| line.value).collect::<Vec<_>>();
    assert_eq!(values("parent"), [10.0, 20.0, 1.0]);
    assert_eq!(values("child"), [10.0, 20.0, 30.0]);
    assert_eq!((sheet("parent").level, sheet("child").level), (9.0, 2.0));
    let child = sheet("child");
    assert_eq!(child.abilities.iter().map(|ability| ability.name.as_str()).collect::<Vec<_>>(), ["y", "x"]);
    assert_eq!(child.pools.len(), 1);
    // Being a template is not inherited.
    assert!(!game.program().characters()[game.character("parent").unwrap().index()].template);
}

#[test]
fn the_ways_to_write_a_per_type_base_are_the_same() {
    let value = |attributes: &str| {
        let text = format!(
            "[attributes]\nresist = {{ per = \"damage_type\" }}\n[damage_types]\nsilt = {{}}\nglare = {{}}\n[character.one]\n{attributes}"
        );
        let game = game(&text);
        let sheet =
            edgeplane::study::explain::explain_character(game.program(), game.character("one").unwrap()).unwrap();
        sheet.attributes.iter().map(|line| line.value).collect::<Vec<_>>()
    };
    for attributes in [
        "attributes = { \"resist.silt\" = 0.2 }",
        "attributes = { resist.silt = 0.2 }",
        "attributes = { resist = { silt = 0.2 } }",
        "attributes.resist.silt = 0.2",
        "[character.one.attributes]\nresist.silt = \"0.1 * 2\"",
    ] {
        assert_eq!(value(attributes), [0.2, 0.0], "{attributes}");
    }
    assert_eq!(value("attributes = { resist = 0.1, \"resist.glare\" = 0.3 }"), [0.1, 0.3]);
}

#[test]
fn names_find_their_things() {
    let game = demo();
    let program = game.program();
    assert!(program.find_attribute("heft").is_some() && program.find_attribute("resist.silt").is_some());
    for wrong in ["hefd", "resist", "heft.silt", "resist.slit"] {
        assert!(program.find_attribute(wrong).is_none(), "{wrong}");
    }
    assert_eq!(program.find_pool("health"), program.defeat_pool());
    assert_eq!(program.marks(), ["critical"]);
    assert_eq!(program.sources().files().len(), 11);
}

#[test]
fn a_ruleset_may_be_spread_over_files_in_any_order() {
    let parts = [
        "[attributes]\nheft = \"grit + 1\"\n",
        "[character.one]\n[attributes]\ngrit = 2\n",
        "[curve.c]\npoints = [[0, 1]]\n",
    ];
    let value = |order: [usize; 3]| {
        let mut sources = Sources::default();
        for index in order {
            sources.add(format!("{index}.toml"), parts[index]);
        }
        let game = Game::from_sources(sources, &[]).unwrap();
        let one = game.character("one").unwrap();
        let fight = game.duel("one", "one", 1).unwrap();
        let heft = game.program().find_attribute("heft").unwrap();
        (one, fight.attribute(edgeplane::CombatantId(0), heft))
    };
    for order in [[0, 1, 2], [2, 1, 0], [1, 0, 2]] {
        assert_eq!(value(order).1, 3.0, "{order:?}");
    }
}

#[test]
fn overrides_are_read_from_their_text() {
    for (text, path, value) in [("a.b=1", "a.b", "1"), (" a.b = 1 + 2 ", "a.b", "1 + 2"), ("a=b == c", "a", "b == c")] {
        let set = Override::parse(text).unwrap();
        assert_eq!((set.path.as_str(), set.value.as_str()), (path, value));
    }
    for text in ["", "a", "=1", "a="] {
        assert!(Override::parse(text).is_none(), "{text}");
    }
}

#[test]
fn a_place_counts_lines_and_characters() {
    let mut sources = Sources::default();
    sources.add("a.toml", "x = \"größe\" # größe\ny = \"grüße + 1\"\n");
    let mut out = Diagnostics::default();
    let document = Document::read(&sources, &mut out);
    let node = document.root.get("y").unwrap();
    let place = sources.place(node.span);
    assert_eq!((place.line, place.column, place.to_string().as_str()), (2, 5, "a.toml:2:5"));
    assert_eq!(sources.text(node.span), "\"grüße + 1\"");
    let Value::Text(text, map) = &node.value else { panic!() };
    let plus = text.find('+').unwrap() as u32;
    assert_eq!(sources.place(map.span(plus..plus + 1)).column, 12);
    assert!(!out.any_error());
}

#[test]
fn every_code_has_a_name_and_a_sentence() {
    let mut names: Vec<&str> = Code::ALL.iter().map(|code| code.name()).collect();
    assert!(Code::ALL.iter().all(|code| code.about().ends_with('.')));
    assert!(names.iter().all(|name| name.chars().all(|c| c.is_ascii_lowercase() || c == '-')));
    let count = names.len();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), count);
}

#[test]
fn times_are_whole_microseconds() {
    for (seconds, micros) in
        [(0.0, 0), (1.4, 1_400_000), (0.000_000_4, 0), (0.000_000_6, 1), (-3.0, 0), (f64::NAN, Time::NEVER.0)]
    {
        assert_eq!(Time::from_seconds(seconds), Time(micros), "{seconds}");
    }
    assert_eq!(Time::from_seconds(f64::INFINITY), Time::NEVER);
    assert_eq!(Time::NEVER + Time(1), Time::NEVER);
    assert_eq!(Time(3) - Time(5), Time::ZERO);
    assert_eq!(Time(1_700_000).seconds(), 1.7);
}
