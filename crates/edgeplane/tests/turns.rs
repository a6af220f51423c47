//! When conditions of any kind change with time, compared with an evaluation every millisecond.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;

use crate::common::{ONE, moments};
use edgeplane::fight::Event;
use edgeplane::{CombatantId, Fight, Game, Log, Time};

const OTHER: CombatantId = CombatantId(1);
/// The cap of breath of both.
const MOST: f64 = 60.0;

/// The start of the scene and its motion: the position of the other one, and the breath of both, each with its gain per
/// second.
#[derive(Clone, Debug)]
struct Scene {
    place: [f64; 2],
    velocity: [f64; 2],
    breath: [(f64, f64); 2],
}

#[derive(Clone)]
enum Value {
    Constant(i8),
    Now,
    Distance,
    Breath(usize),
    Add(Box<[Value; 2]>),
    Subtract(Box<[Value; 2]>),
    Multiply(Box<[Value; 2]>),
    /// Divided by a number that is never 0.
    Divide(Box<[Value; 2]>),
    Min(Box<[Value; 2]>),
    Max(Box<[Value; 2]>),
    Abs(Box<[Value; 1]>),
    Floor(Box<[Value; 1]>),
    If(Box<(Truth, [Value; 2])>),
}

#[derive(Clone)]
enum Truth {
    Less([Value; 2]),
    And(Box<[Truth; 2]>),
    Or(Box<[Truth; 2]>),
    Not(Box<Truth>),
    /// A quotient that is evaluated only where its divisor is above 1.
    Guarded(Box<[Value; 3]>),
}

impl std::fmt::Debug for Value {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        f.write_str(&self.text())
    }
}

impl std::fmt::Debug for Truth {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        f.write_str(&self.text())
    }
}

impl Scene {
    fn breath(&self, who: usize, at: f64) -> f64 {
        let (first, gain) = self.breath[who];
        (first + gain * at).clamp(0.0, MOST)
    }
}

impl Value {
    fn text(&self) -> String {
        match self {
            Self::Constant(value) => format!("({value})"),
            Self::Now => "now".to_owned(),
            Self::Distance => "distance".to_owned(),
            Self::Breath(who) => format!("{}.breath", ["self", "target"][*who]),
            Self::Add(of) => format!("({} + {})", of[0].text(), of[1].text()),
            Self::Subtract(of) => format!("({} - {})", of[0].text(), of[1].text()),
            Self::Multiply(of) => format!("({} * {})", of[0].text(), of[1].text()),
            Self::Divide(of) => format!("({} / (2 + abs({})))", of[0].text(), of[1].text()),
            Self::Min(of) => format!("min({}, {})", of[0].text(), of[1].text()),
            Self::Max(of) => format!("max({}, {})", of[0].text(), of[1].text()),
            Self::Abs(of) => format!("abs({})", of[0].text()),
            Self::Floor(of) => format!("floor({})", of[0].text()),
            Self::If(of) => format!("if({}, {}, {})", of.0.text(), of.1[0].text(), of.1[1].text()),
        }
    }

    fn at(&self, scene: &Scene, at: f64) -> f64 {
        let [x, y] = [0, 1].map(|axis| scene.place[axis] + scene.velocity[axis] * at);
        let value = |value: &Self| value.at(scene, at);
        match self {
            Self::Constant(value) => f64::from(*value),
            Self::Now => at,
            Self::Distance => x.hypot(y),
            Self::Breath(who) => scene.breath(*who, at),
            Self::Add(of) => value(&of[0]) + value(&of[1]),
            Self::Subtract(of) => value(&of[0]) - value(&of[1]),
            Self::Multiply(of) => value(&of[0]) * value(&of[1]),
            Self::Divide(of) => value(&of[0]) / (2.0 + value(&of[1]).abs()),
            Self::Min(of) => value(&of[0]).min(value(&of[1])),
            Self::Max(of) => value(&of[0]).max(value(&of[1])),
            Self::Abs(of) => value(&of[0]).abs(),
            Self::Floor(of) => value(&of[0]).floor(),
            Self::If(of) => value(&of.1[usize::from(of.0.margin(scene, at) <= 0.0)]),
        }
    }
}

impl Truth {
    fn text(&self) -> String {
        match self {
            Self::Less(of) => format!("({} < {})", of[0].text(), of[1].text()),
            Self::And(of) => format!("({} and {})", of[0].text(), of[1].text()),
            Self::Or(of) => format!("({} or {})", of[0].text(), of[1].text()),
            Self::Not(of) => format!("(not {})", of.text()),
            Self::Guarded(of) => {
                let [divisor, value, than] = of.each_ref().map(Value::text);
                format!("({divisor} > 1 and {value} / ({divisor}) < {than})")
            }
        }
    }

    /// By how much it holds; below zero, by how much it does not.
    fn margin(&self, scene: &Scene, at: f64) -> f64 {
        let margin = |truth: &Self| truth.margin(scene, at);
        match self {
            Self::Less(of) => of[1].at(scene, at) - of[0].at(scene, at),
            Self::And(of) => margin(&of[0]).min(margin(&of[1])),
            Self::Or(of) => margin(&of[0]).max(margin(&of[1])),
            Self::Not(of) => -margin(of),
            Self::Guarded(of) => {
                let [divisor, value, than] = of.each_ref().map(|value| value.at(scene, at));
                if divisor > 1.0 { (divisor - 1.0).min(than - value / divisor) } else { divisor - 1.0 }
            }
        }
    }
}

/// The context of a condition, and so what it can read.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Place {
    Line,
    Unlock,
    /// Of a status that hinders, and ends for good when the condition begins to hold.
    While,
}

fn value(place: Place) -> impl Strategy<Value = Value> {
    let constant = (-5i8..30).prop_map(Value::Constant);
    let leaf = match place {
        Place::Line => {
            let breath = (0..2usize).prop_map(Value::Breath);
            prop_oneof![constant, Just(Value::Now), Just(Value::Distance), breath].boxed()
        }
        Place::Unlock | Place::While => prop_oneof![constant, Just(Value::Now), Just(Value::Breath(0))].boxed(),
    };
    leaf.prop_recursive(3, 12, 2, |inner| {
        let two = || (inner.clone(), inner.clone()).prop_map(|(a, b)| Box::new([a, b]));
        prop_oneof![
            two().prop_map(Value::Add),
            two().prop_map(Value::Subtract),
            two().prop_map(Value::Multiply),
            two().prop_map(Value::Divide),
            two().prop_map(Value::Min),
            two().prop_map(Value::Max),
            inner.clone().prop_map(|a| Value::Abs(Box::new([a]))),
            inner.clone().prop_map(|a| Value::Floor(Box::new([a]))),
            (two(), two()).prop_map(|(less, of)| Value::If(Box::new((Truth::Less(*less), *of)))),
        ]
    })
}

fn truth(place: Place) -> impl Strategy<Value = Truth> {
    let value = || value(place);
    let leaf = prop_oneof![
        3 => (value(), value()).prop_map(|(a, b)| Truth::Less([a, b])),
        1 => (value(), value(), value()).prop_map(|(a, b, c)| Truth::Guarded(Box::new([a, b, c]))),
    ];
    leaf.prop_recursive(2, 6, 2, |inner| {
        let two = || (inner.clone(), inner.clone()).prop_map(|(a, b)| Box::new([a, b]));
        prop_oneof![
            two().prop_map(Truth::And),
            two().prop_map(Truth::Or),
            inner.clone().prop_map(|a| Truth::Not(Box::new(a))),
        ]
    })
}

fn scene() -> impl Strategy<Value = Scene> {
    let breath = || (0i8..60, -8i8..8).prop_map(|(first, gain)| (f64::from(first), f64::from(gain)));
    let pair = |most: i8| (-most..most, -most..most).prop_map(|(x, y)| [f64::from(x), f64::from(y)]);
    (pair(12), pair(4), breath(), breath()).prop_map(|(place, velocity, one, other)| Scene {
        place,
        velocity,
        breath: [one, other],
    })
}

/// A combatant that acts as soon as a condition allows it; none for a condition that is not a formula, since it divides
/// one constant by zero.
fn waits_for(condition: &str, place: Place, scene: &Scene) -> Option<Fight> {
    let (mut when, mut unlock, mut hindered) = (String::new(), String::new(), String::new());
    match place {
        Place::Line => when = format!(", when = \"{condition}\""),
        Place::Unlock => unlock = format!("unlock = \"{condition}\""),
        Place::While => {
            when = ", when = \"self.nerve < 1\"".to_owned();
            hindered = format!("while = \"not {condition}\"");
        }
    }
    let statuses = if place == Place::While { "statuses = [\"hindered\"]" } else { "" };
    let [one, other] = scene.breath.map(|(_, gain)| format!("gain = {}, loss = {}", gain.max(0.0), (-gain).max(0.0)));
    let text = format!(
        r#"
        [attributes]
        gain = 0
        loss = 0
        nerve = 0
        [pools]
        health = {{ max = 100, defeat = true }}
        breath = {{ max = {MOST}, regen = "gain", decay = "loss" }}
        [status.hindered]
        duration = inf
        modify = [{{ attribute = "nerve", add = 5 }}]
        {hindered}
        [ability.note]
        cooldown = 50
        reach = 500
        targets = {{ side = "enemies" }}
        does = [{{ damage = 1 }}]
        {unlock}
        [policy.watcher]
        move = "hold"
        use = [{{ ability = "note"{when} }}]
        [character.watcher]
        policy = "watcher"
        {statuses}
        abilities = ["note"]
        attributes = {{ {one} }}
        [character.other]
        attributes = {{ {other} }}
        [encounter.post]
        sides.one = [{{ character = "watcher", at = [0, 0] }}]
        sides.others = [{{ character = "other", at = [9, 0] }}]
        time_limit = 20
        "#
    );
    let game = Game::from_text("turns.toml", &text).ok()?;
    let mut fight = game.fight("post", 1).unwrap();
    let breath = fight.setup().program().find_pool("breath").unwrap();
    for (who, (first, _)) in [ONE, OTHER].into_iter().zip(scene.breath) {
        fight.set_pool(who, breath, first).unwrap();
    }
    fight.move_by_game(OTHER).unwrap();
    fight.set_motion(OTHER, scene.place, scene.velocity).unwrap();
    Some(fight)
}

/// The second at which it acts, if it does.
fn acts_at(mut fight: Fight) -> Option<f64> {
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    moments(&log, |event| matches!(event, Event::Used { .. })).first().map(|at| Time(*at).seconds())
}

/// A division by zero behind a guard is no reason to evaluate, at each microsecond or ever.
#[test]
fn a_guarded_quotient_is_no_matter_while_its_guard_is_closed() {
    let scene = Scene { place: [9.0, 0.0], velocity: [0.0; 2], breath: [(20.0, 5.0), (0.0, 0.0)] };
    for condition in [
        "self.breath > 50 or (target.breath > 1 and 10 / target.breath < self.breath - 90)",
        "(target.breath > 1 and self.breath / target.breath < 2) or self.breath > 50",
        "self.breath > 50 and not (target.breath > 1 and self.breath / target.breath < 9)",
        "if(target.breath > 1, self.breath / target.breath, self.breath) > 50",
    ] {
        let got = acts_at(waits_for(condition, Place::Line, &scene).unwrap()).unwrap();
        // 20 + 5t is 50 after 6 s; a microsecond later it is more.
        assert!((6.0..=6.000_001).contains(&got), "{condition}: {got}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Nobody acts before the condition holds, nor more than a tenth of a second after it has begun to hold for as
    /// long.
    #[test]
    fn no_condition_turns_unnoticed(
        (place, truth) in prop_oneof![Just(Place::Line), Just(Place::Unlock), Just(Place::While)]
            .prop_flat_map(|place| (Just(place), truth(place))),
        scene in scene(),
    ) {
        let fight = waits_for(&truth.text(), place, &scene);
        prop_assume!(fight.is_some());
        let got = fight.and_then(acts_at);
        let mut held = 0;
        let last = (0..20_000).find(|milli| {
            held = if truth.margin(&scene, f64::from(*milli) / 1000.0) > 1e-6 { held + 1 } else { 0 };
            held == 102
        });
        if let Some(last) = last {
            let first = f64::from(last - 101) / 1000.0;
            prop_assert!(got.is_some_and(|got| got <= first + 0.1011), "{}: from {first} s on, noticed at {got:?}", truth.text());
        }
        if let Some(got) = got {
            prop_assert!(truth.margin(&scene, got) > -1e-4, "{}: acts at {got}", truth.text());
        }
    }
}
