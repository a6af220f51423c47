//! The formula language: the meaning of each part in an attribute shown by `explain`, and in a hit.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{brought_about, game};
use edgeplane::fight::Event;
use edgeplane::formula::{Builtin, ExprKind, parse};
use edgeplane::program::plain;
use edgeplane::study::explain::explain_character;

/// The value of a formula in an attribute.
fn value(formula: &str) -> f64 {
    let text = format!(
        r#"
        [attributes]
        heft = 14
        thin = 0.5
        x = '''{formula}'''
        resist = {{ per = "damage_type", base = 0.2 }}
        [damage_types]
        silt = {{}}
        impact = {{}}
        [curve.by_level]
        points = [[1, 0], [10, 12], [30, 30]]
        [curve.rank]
        points = [[1, 10], [5, 20], [9, 30]]
        step = true
        [formula.softened]
        args = ["x", "k"]
        is = "x * k / (x + k)"
        [formula.twice]
        args = ["x"]
        is = "softened(x, x) * 4"
        [formula.nine]
        is = "9"
        [character.one]
        level = 4
        "#
    );
    let game = game(&text);
    let sheet = explain_character(game.program(), game.character("one").unwrap()).unwrap();
    sheet.attributes.iter().find(|line| line.name == "x").unwrap().value
}

#[test]
fn arithmetic_and_its_order() {
    for (formula, expected) in [
        ("1 + 2 * 3", 7.0),
        ("(1 + 2) * 3", 9.0),
        ("10 - 3 - 2", 5.0),
        ("16 / 4 / 2", 2.0),
        ("2 ^ 3 ^ 2", 512.0),
        ("-2 ^ 2", -4.0),
        ("2 ^ -1", 0.5),
        ("-3 * -2", 6.0),
        ("- -3", 3.0),
        ("1_000 + .5", 1000.5),
        ("2.5e2", 250.0),
        ("15%", 0.15),
        ("200 * 15%", 30.0),
        ("100% - 1", 0.0),
        ("heft - thin * 2", 13.0),
        ("self.heft / thin", 28.0),
        ("resist.silt + resist.impact", 0.4),
        ("level * 10", 40.0),
        ("self.level", 4.0),
    ] {
        assert_eq!(value(formula), expected, "{formula}");
    }
}

#[test]
fn truths_and_conditions() {
    for (formula, holds) in [
        ("1 < 2", true),
        ("2 < 2", false),
        ("2 <= 2", true),
        ("3 > 2", true),
        ("2 >= 3", false),
        ("heft == 14", true),
        ("heft != 14", false),
        ("true", true),
        ("not true", false),
        ("not 1 > 2", true),
        ("1 < 2 and 2 < 3", true),
        ("1 < 2 and 3 < 2", false),
        ("3 < 2 or 1 < 2", true),
        ("true or true and false", true),
        ("(true or true) and false", false),
        ("not false and not false", true),
        ("if(heft > 10, thin < 1, thin > 1)", true),
    ] {
        let number = if holds { 1.0 } else { 2.0 };
        assert_eq!(value(&format!("if({formula}, 1, 2)")), number, "{formula}");
    }
    // Only the branch that is taken is evaluated.
    assert_eq!(value("if(heft > 0, 5, 1 / (heft - 14))"), 5.0);
    assert_eq!(value("if(heft > 20 and 1 / (heft - 14) > 0, 1, 2)"), 2.0);
}

#[test]
fn functions() {
    for (formula, expected) in [
        ("min(3, 2)", 2.0),
        ("max(3, 2, 7, 5)", 7.0),
        ("clamp(5, 1, 3)", 3.0),
        ("clamp(-5, 1, 3)", 1.0),
        ("clamp(2, 1, 3)", 2.0),
        ("abs(-2.5)", 2.5),
        ("floor(2.7)", 2.0),
        ("floor(-2.1)", -3.0),
        ("ceil(2.1)", 3.0),
        ("round(2.5)", 3.0),
        ("round(-2.5)", -3.0),
        ("round(2.4)", 2.0),
        ("sqrt(16)", 4.0),
        ("exp(0)", 1.0),
        ("ln(1)", 0.0),
        ("round(ln(exp(3)) * 1000)", 3000.0),
        ("lerp(10, 20, 25%)", 12.5),
        ("lerp(heft, 20, thin)", 17.0),
        ("by_level(level)", 4.0),
        ("by_level(0)", 0.0),
        ("by_level(20)", 21.0),
        ("by_level(99)", 30.0),
        ("rank(1)", 10.0),
        ("rank(4.99)", 10.0),
        ("rank(5)", 20.0),
        ("rank(100)", 30.0),
        ("softened(30, 60)", 20.0),
        ("softened(heft + 16, 2 * 30)", 20.0),
        ("twice(heft)", 28.0),
        ("nine()", 9.0),
        ("softened(softened(30, 60), 20)", 10.0),
    ] {
        assert_eq!(value(formula), expected, "{formula}");
    }
}

#[test]
fn numbers_are_rounded_to_the_last_bit() {
    let half = (1_u64 << 51) as f64;
    let edges = [0.25, 0.5, 1.0, 1.5, 2.5, 1e6, half - 0.5, half + 0.5, 2.0 * half - 0.5, 2.0 * half, 1e300];
    for x in edges.into_iter().flat_map(|x| [x.next_down(), x, x.next_up()]).flat_map(|x| [x, -x]) {
        assert_eq!(value(&format!("floor({x})")), x.floor());
        assert_eq!(value(&format!("ceil({x})")), x.ceil());
        assert_eq!(value(&format!("round({x})")), x.round());
    }
}

#[test]
fn every_function_shows_how_it_is_called() {
    for name in Builtin::names() {
        let builtin = Builtin::named(name).unwrap();
        assert!(builtin.usage().starts_with(&format!("{name}(")), "{name}: {}", builtin.usage());
    }
    assert!(Builtin::named("maxx").is_none());
}

#[test]
fn places_in_a_formula_are_those_of_its_parts() {
    let text = "10 * (200 - target.guard) / 200";
    let expr = parse(text).unwrap();
    let ExprKind::Binary(_, left, right) = &expr.kind else { panic!("{expr:?}") };
    let part = |range: &std::ops::Range<u32>| &text[range.start as usize..range.end as usize];
    assert_eq!((part(&left.range), part(&right.range)), ("10 * (200 - target.guard)", "200"));
    assert_eq!(part(&expr.range), text);
}

#[test]
fn what_is_no_formula_is_reported_at_its_place() {
    for (text, place, message) in [
        ("", 0..0, "expected a value before the end of the formula"),
        ("1 +", 3..3, "expected a value before the end of the formula"),
        ("1 2", 2..3, "expected an operator before the number 2"),
        ("(1", 2..2, "expected `)` before the end of the formula"),
        ("1)", 1..2, "expected an operator before `)`"),
        ("min(1, )", 7..8, "expected a value before `)`"),
        ("a.", 2..2, "expected a name after `.`, before the end of the formula"),
        ("a . 3", 4..5, "expected a name after `.`, before the number 3"),
        ("and 1", 0..3, "expected a value before `and`"),
        ("1 ? 2", 2..3, "`?` is not an operator here"),
        ("1 = 2", 2..3, "`=` is not an operator here"),
        ("!a", 0..1, "`!` is not an operator here"),
        ("2 ** 3", 2..4, "`**` is not an operator here"),
        ("a || b", 2..4, "`||` is not an operator here"),
        ("a $ b", 2..3, "`$` is not allowed in a formula"),
        ("1e999", 0..5, "`1e999` is too large"),
        ("3heft", 0..1, "a number runs into a name"),
        ("1 < 2 < 3", 6..7, "comparisons cannot be chained"),
    ] {
        let error = parse(text).expect_err(text);
        assert_eq!((error.range, error.message.as_str()), (place, message), "{text}");
    }
    for (text, help) in [
        ("2d6", "write `dice(2, 6)`"),
        ("5 // 2", "write `floor(a / b)`"),
        ("1..3", "write `between(low, high)`"),
        ("1 + caster.stacks(frost)", "write `stacks(caster, …)`"),
        ("x or caster.heft.max(3)", "write `max(caster.heft, …)`"),
        ("if a > 3 then 1", "write `if(condition, a, b)`"),
        ("1 if a", "write `if(condition, a, b)`"),
    ] {
        assert_eq!(parse(text).expect_err(text).help.as_deref(), Some(help), "{text}");
    }
}

fn hit_of(formula: &str, answers: &[f64]) -> f64 {
    let text = format!(
        r#"
        [attributes]
        heft = 14
        [pools]
        health = {{ max = 200, start = 150, defeat = true }}
        breath = {{ max = 0, start = 0 }}
        [ability.swing]
        does = [{{ damage = '''{formula}''' }}]
        [character.one]
        level = 3
        abilities = ["swing"]
        [character.other]
        level = 5
        attributes = {{ heft = 9 }}
        "#
    );
    match brought_about(&text, "swing", answers)[0] {
        Event::Hit { initial, .. } => initial,
        ref other => panic!("{other:?}"),
    }
}

#[test]
fn names_in_an_outcome() {
    for (formula, expected) in [
        ("caster.heft", 14.0),
        ("target.heft", 9.0),
        ("self.heft", 14.0),
        ("caster.heft - target.heft", 5.0),
        ("level", 3.0),
        ("caster.level * 10 + target.level", 35.0),
        ("target.health", 150.0),
        ("target.health.max", 200.0),
        ("target.health.missing", 50.0),
        ("target.health.share", 0.75),
        ("target.breath.share + 1", 1.0),
        ("now + 7", 7.0),
        ("count(enemies)", 1.0),
        ("count(allies) + count(everyone) * 10", 21.0),
        ("caster.heft - 50", 0.0),
    ] {
        assert_eq!(hit_of(formula, &[]), expected, "{formula}");
    }
}

#[test]
fn chance_in_an_outcome() {
    for (formula, answers, expected) in [
        ("if(roll(30%), 10, 20)", vec![0.29], 10.0),
        ("if(roll(30%), 10, 20)", vec![0.3], 20.0),
        ("if(roll(0), 10, 20)", vec![], 20.0),
        ("if(roll(1), 10, 20)", vec![], 10.0),
        ("between(10, 30)", vec![0.25], 15.0),
        ("between(caster.heft, caster.heft)", vec![0.9], 14.0),
        ("dice(2, 6)", vec![0.0, 0.99], 7.0),
        ("dice(0, 6) + 1", vec![], 1.0),
        ("dice(1, 1)", vec![0.5], 1.0),
        ("if(roll(50%) and roll(50%), 1, 2)", vec![0.4, 0.6], 2.0),
        ("if(roll(50%) or roll(50%), 1, 2)", vec![0.6, 0.4], 1.0),
        ("dice(1, 6) * 10 + dice(1, 6)", vec![0.0, 0.5], 14.0),
    ] {
        assert_eq!(hit_of(formula, &answers), expected, "{formula} {answers:?}");
    }
}

#[test]
fn numbers_are_reported_with_sensible_digits() {
    for (number, expected) in [
        (0.0, "0"),
        (-0.0, "0"),
        (9.25, "9.25"),
        (1.0 / 3.0, "0.333333"),
        (237.333_333, "237.333"),
        (1_234_567.8, "1234568"),
        (-2.5, "-2.5"),
        (100.0, "100"),
        (0.000_1, "0.0001"),
        (1e20, "1e20"),
    ] {
        assert_eq!(plain(number), expected);
    }
}

/// A formula in each context in which one can be written, for a name in place of `@` and the number of the context; a 1
/// elsewhere.
const PLACES: &str = r#"
    [attributes]
    might = 1
    grit = "@1"
    [threat]
    damage = 1
    [pools]
    health = { max = "@1 + 9", defeat = true }
    [[hit_steps]]
    name = "guard"
    amount = "@2"
    [[heal_steps]]
    name = "care"
    amount = "@3"
    [cause.fall]
    does = [{ damage = "@4" }]
    [ability.jab]
    cost = { health = "@5" }
    unlock = "@5 > 0"
    reach = "@6"
    cast = "@7"
    cooldown = "@7"
    targets = { side = "enemies", pick = { lowest = "@8" } }
    does = [{ damage = "@9" }, { apply = "ache" }]
    [status.ache]
    duration = "@10"
    while = "@11 > 0"
    modify = [{ attribute = "grit", add = "@12" }]
    every = { period = "@10", does = [{ heal = "@13" }] }
    on = [{ event = "hit_taken", when = "@14 > 0", does = [{ heal = "@14" }] }]
    [policy.one]
    target = "@15"
    use = [{ ability = "jab", when = "@16 > 0" }]
    [character.one]
    abilities = ["jab"]
    policy = "one"
    attributes = { might = 2 }
    reward = "@17"
    [encounter.e]
    sides = { a = ["one"], b = ["one"] }
"#;

/// What can be read in each of them: page 18 of the guide.
const READABLE: &str = "
    1 self.might might level
    2 caster.might target.might level amount distance threat now between(1,2) count(allies)
    3 caster.might target.might level amount distance threat now between(1,2) count(allies)
    4 self.might caster.might target.might level self.health amount distance threat now between(1,2) count(allies)
    5 self.might caster.might level self.health now count(allies)
    6 self.might caster.might level self.health now count(allies)
    7 self.might caster.might level self.health now between(1,2) count(allies)
    8 self.might caster.might target.might level self.health distance threat now count(allies)
    9 self.might caster.might target.might level self.health order distance threat now between(1,2) count(allies)
    10 self.might caster.might target.might level self.health distance now stacks between(1,2) count(allies)
    11 self.might caster.might target.might level self.health distance now stacks tick ticks elapsed remaining snapshot(1) count(allies)
    12 self.might level stacks tick ticks elapsed remaining snapshot(1)
    13 self.might caster.might target.might level self.health distance now stacks tick ticks elapsed remaining snapshot(1) between(1,2) count(allies)
    14 self.might target.might level self.health amount distance threat now stacks tick ticks elapsed remaining snapshot(1) between(1,2) count(allies)
    15 self.might target.might level self.health distance threat now count(allies)
    16 self.might target.might level self.health distance threat now between(1,2) count(allies)
    17 self.might level self.health now count(allies)
";

#[test]
fn what_a_formula_can_read_depends_on_where_it_stands() {
    let names = "self.might caster.might target.might might level self.health amount order distance threat now stacks tick \
                 ticks elapsed remaining snapshot(1) between(1,2) count(allies)";
    let fits = |place: usize, name: &str| {
        let mut text = PLACES.to_owned();
        for other in (1..=17).rev() {
            let formula = if other == place { format!("(0 * {name} + 1)") } else { "1".to_owned() };
            text = text.replace(&format!("@{other}"), &formula);
        }
        edgeplane::Game::from_text("places.toml", &text).is_ok()
    };
    let mut table = String::new();
    for place in 1..=17 {
        let read: Vec<&str> = names.split_whitespace().filter(|name| fits(place, name)).collect();
        table += &format!("{place} {}\n", read.join(" "));
    }
    let expected = READABLE.trim().lines().map(|line| format!("{}\n", line.trim())).collect::<String>();
    assert_eq!(table, expected);
}
