//! Events for programs: JSON and CSV.

use edgeplane::fight::{Logged, NamedEvent};
use edgeplane::program::PoolFlow;
use edgeplane::{Ending, Event, Fight, Time};
use serde::Serialize;
use serde_json::Value;

use super::recorder::{Chart, Entry};
use super::timeline::Story;

/// A fight for programs.
#[derive(Serialize)]
pub(crate) struct Report<'a> {
    encounter: &'a str,
    seed: u64,
    ending: Option<&'static str>,
    winner: Option<&'a str>,
    duration: f64,
    combatants: Vec<&'a str>,
    pools: Vec<Pool<'a>>,
    events: Vec<Line<'a>>,
}

/// The course of a combatant's pool over the fight.
#[derive(Serialize)]
struct Pool<'a> {
    who: &'a str,
    pool: &'a str,
    /// The amount at the end of the fight; `None` for a combatant that never joined.
    left: Option<f64>,
    cap: f64,
    flows: Vec<Flow>,
}

/// From a time until the next one: linear between 0 and the cap, or in steps.
#[derive(Serialize)]
struct Flow {
    at: f64,
    amount: f64,
    cap: f64,
    /// The gain per second or per portion.
    rate: f64,
    /// Seconds between portions.
    #[serde(skip_serializing_if = "Option::is_none")]
    portions: Option<f64>,
}

impl<'a> Pool<'a> {
    fn new(story: &'a Story<'a>, chart: &Chart, end: Time) -> Self {
        let flow = |flow: &PoolFlow| Flow {
            at: flow.since().seconds(),
            amount: flow.amount_at(flow.since()),
            cap: flow.cap(),
            rate: flow.rate(),
            portions: flow.portions(),
        };
        Self {
            who: &story.setup.combatants[chart.who.index()].label,
            pool: &story.setup.program().pools()[chart.pool.index()].name,
            left: chart.at(end),
            cap: chart.flows.last().map_or(0.0, PoolFlow::cap),
            flows: chart.flows.iter().map(flow).collect(),
        }
    }
}

/// An event or, in a trace, a formula evaluated before it.
#[derive(Serialize)]
#[serde(untagged)]
enum Line<'a> {
    Event(NamedEvent<'a>),
    Formula(Evaluated<'a>),
}

/// A formula with its values.
#[derive(Serialize)]
struct Evaluated<'a> {
    at: f64,
    event: &'static str,
    /// Its path.
    path: &'a str,
    formula: &'a str,
    /// Its text with values: `18.9421 * (200 - 15) / 200`.
    worked: String,
    value: f64,
}

/// Details are part of the trace only; without it, programs get events.
fn happened(entry: &Entry) -> Option<Logged> {
    match entry {
        Entry::Event(logged) if !matches!(logged.event, Event::Stepped { .. }) => Some(*logged),
        _ => None,
    }
}

/// Everything in a trace, and events without one.
fn line<'a>(story: &'a Story<'a>, entry: &'a Entry) -> Option<Line<'a>> {
    match entry {
        Entry::Formula(at, formula, reading) if story.trace => {
            let compiled = story.setup.program().formula(*formula);
            let (path, text) = (compiled.source.path.as_str(), compiled.source.written());
            let (at, worked, value) = (at.seconds(), compiled.with_values(reading), reading.value);
            let evaluated = Evaluated { at, event: "formula", path, formula: text, worked, value };
            (!compiled.is_plain_number()).then_some(Line::Formula(evaluated))
        }
        Entry::Event(logged) if story.trace => Some(Line::Event(NamedEvent::new(story.setup, *logged))),
        _ => happened(entry).map(|logged| Line::Event(NamedEvent::new(story.setup, logged))),
    }
}

impl<'a> Report<'a> {
    pub(crate) fn new(story: &'a Story<'a>, seed: u64, fight: &Fight) -> Self {
        let setup = story.setup;
        let winner = fight.ending().and_then(Ending::winner).map(|side| setup.sides[side.index()].as_str());
        Self {
            encounter: &setup.name,
            seed,
            ending: fight.ending().map(Ending::name),
            winner,
            duration: fight.now().seconds(),
            combatants: setup.combatants.iter().map(|combatant| combatant.label.as_str()).collect(),
            pools: story.charts.iter().flatten().map(|chart| Pool::new(story, chart, fight.now())).collect(),
            events: story.entries.iter().filter_map(|entry| line(story, entry)).collect(),
        }
    }
}

const COLUMNS: &[&str] = &[
    "at", "event", "who", "ability", "status", "target", "targets", "type", "pool", "step", "initial", "amount",
    "dealt", "healed", "gained", "taken", "overkill", "overheal", "wasted", "missing", "left", "stopped", "marks",
    "stacks", "tick", "applied", "on", "reason", "until", "release", "ready", "cap", "by", "with", "from", "course",
    "toward", "to", "arrives", "ending", "winner", "threat", "total", "cause",
];

/// One row for each event, one column for each field of events.
pub(crate) fn rows(story: &Story<'_>) -> Vec<Vec<String>> {
    let mut rows = vec![COLUMNS.iter().map(|column| (*column).to_owned()).collect::<Vec<_>>()];
    for logged in story.entries.iter().filter_map(happened) {
        let value = serde_json::to_value(NamedEvent::new(story.setup, logged)).unwrap_or_default();
        rows.push(COLUMNS.iter().map(|column| cell(&value[*column])).collect());
    }
    rows
}

fn cell(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        Value::Array(list) => list.iter().map(cell).collect::<Vec<_>>().join(" "),
        other => other.to_string(),
    }
}
