//! Formulas per second compared with equivalent Rust functions, as medians of paired rounds.
//!
//! `cargo bench --bench formulas`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::disallowed_methods, missing_docs)]

use std::hint::black_box;
use std::time::Instant;

use criterion::Criterion;
use edgeplane::program::{Effect, FormulaId};
use edgeplane::{CombatantId, Fight, Game};

/// A name, a formula, and an equivalent function.
type Case = (&'static str, &'static str, fn(&Numbers) -> f64);

const CASES: &[Case] = &[
    ("hoisted", "6 + caster.heft * 0.9", |n| 6.0 + n.heft * 0.9),
    ("two sides", "caster.heft * 3 - target.guard", |n| n.heft * 3.0 - n.guard),
    ("health", "4 + caster.heft * 0.4 + 6 * (1 - target.health.share)", |n| {
        4.0 + n.heft * 0.4 + 6.0 * (1.0 - n.health / n.max_health)
    }),
    ("condition", "if(target.health < 50 and caster.heft > target.guard, 20, target.guard / 2)", |n| {
        if n.health < 50.0 && n.heft > n.guard { 20.0 } else { n.guard / 2.0 }
    }),
    ("call", "softened(caster.heft + target.guard, target.health)", |n| {
        let x = n.heft + n.guard;
        x * n.health / (x + n.health)
    }),
];

/// The numbers that the Rust functions read.
struct Numbers {
    heft: f64,
    guard: f64,
    health: f64,
    max_health: f64,
}

const NUMBERS: Numbers = Numbers { heft: 14.0, guard: 15.0, health: 80.0, max_health: 80.0 };

fn prepared(text: &str) -> (Fight, FormulaId) {
    let game = Game::from_text(
        "formulas.toml",
        &format!(
            r#"
            [attributes]
            heft = 14
            guard = 15
            [pools]
            health = {{ max = 80, defeat = true }}
            [formula.softened]
            args = ["x", "k"]
            is = "x * k / (x + k)"
            [ability.swing]
            does = [{{ damage = "{text}" }}]
            [character.one]
            abilities = ["swing"]
            "#
        ),
    )
    .unwrap();
    let Effect::Hit(effect) = &game.program().abilities()[0].does[0].effect else { unreachable!() };
    let formula = effect.amount;
    (game.duel("one", "one", 1).unwrap(), formula)
}

fn nanos(rounds: u32, mut one: impl FnMut() -> f64) -> f64 {
    let started = Instant::now();
    for _ in 0..rounds {
        black_box(one());
    }
    started.elapsed().as_secs_f64() * 1e9 / f64::from(rounds)
}

fn main() {
    let mut criterion = Criterion::default().configure_from_args().sample_size(20);
    let (one, other) = (CombatantId(0), CombatantId(1));
    let mut lines = Vec::new();
    for (name, text, plain) in CASES {
        let (mut fight, formula) = prepared(text);
        let value = fight.evaluate(formula, one, other).unwrap();
        assert_eq!(value.to_bits(), plain(&NUMBERS).to_bits(), "{name}");
        criterion.bench_function(&format!("formula/{name}"), |bencher| {
            bencher.iter(|| fight.evaluate(black_box(formula), one, other));
        });
        let mut pairs: Vec<(f64, f64)> = (0..21)
            .map(|_| {
                let compiled = nanos(100_000, || fight.evaluate(black_box(formula), one, other).unwrap());
                (compiled, nanos(100_000, || black_box(plain)(black_box(&NUMBERS))))
            })
            .collect();
        pairs.sort_by(|a, b| (a.0 / a.1).total_cmp(&(b.0 / b.1)));
        let (compiled, rust) = pairs[pairs.len() / 2];
        lines.push(format!("{name:<10} {compiled:6.1} ns   plain Rust {rust:5.1} ns   ratio {:5.1}", compiled / rust));
    }
    println!(
        "\nmedian of 21 pairs of 100,000 evaluations each; a call of `Fight::evaluate` against a call of a function"
    );
    lines.iter().for_each(|line| println!("{line}"));
}
