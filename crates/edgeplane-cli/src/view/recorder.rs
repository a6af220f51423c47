//! Records a fight.

use edgeplane::fight::{EventKind, EventMask, Logged};
use edgeplane::program::{FormulaId, PoolFlow, PoolId, Reading};
use edgeplane::{CombatantId, Event, Fight, Observer, Time};

/// An entry of the record.
#[derive(Debug)]
pub(crate) enum Entry {
    /// An event.
    Event(Logged),
    /// A formula evaluated before the next event.
    Formula(Time, FormulaId, Reading),
}

/// The course of a combatant's pool.
#[derive(Debug)]
pub(crate) struct Chart {
    pub(crate) who: CombatantId,
    pub(crate) pool: PoolId,
    /// When it joined; `None` if it never did.
    pub(crate) from: Option<Time>,
    /// The amount at that time, before any event.
    pub(crate) start: f64,
    is_touched: bool,
    /// The course of the pool in segments.
    pub(crate) flows: Vec<PoolFlow>,
    /// The largest cap.
    pub(crate) cap: f64,
}

impl Chart {
    /// The amount at a time, after all events of that moment.
    pub(crate) fn at(&self, moment: Time) -> Option<f64> {
        self.from.filter(|from| *from <= moment)?;
        let next = self.flows.partition_point(|flow| flow.since() <= moment);
        next.checked_sub(1).map(|index| self.flows[index].amount_at(moment))
    }

    /// The corners of its line until `end`; consecutive corners with equal amounts only occur where the line is level.
    /// Portions more frequent than `least` are drawn as continuous.
    pub(crate) fn corners(&self, end: Time, least: Time) -> Vec<(Time, f64)> {
        let Some(from) = self.from else { return Vec::new() };
        let mut corners: Vec<(Time, f64)> = Vec::new();
        for (index, flow) in self.flows.iter().enumerate() {
            let until = self.flows.get(index + 1).map_or(end, PoolFlow::since).min(end);
            let since = flow.since().max(from);
            if until < since || (until == since && index + 1 < self.flows.len()) {
                continue;
            }
            corners.push((since, flow.amount_at(since)));
            match flow.portions() {
                Some(every) if flow.rate() != 0.0 => {
                    let every = Time::from_seconds(every.max(least.seconds()));
                    let mut at = Time(since.0 / every.0 * every.0 + every.0);
                    while at < until {
                        let before = corners.last().map_or(0.0, |corner| corner.1);
                        let after = flow.amount_at(at);
                        if before != after {
                            corners.extend([(at, before), (at, after)]);
                        }
                        at = Time(at.0 + every.0);
                    }
                }
                _ => corners.extend(bend(flow, since, until)),
            }
            // Just before the next change.
            corners.push((until, flow.amount_at(until)));
        }
        corners
    }
}

/// Where a line reaches 0 or the cap before its end.
fn bend(flow: &PoolFlow, since: Time, until: Time) -> Option<(Time, f64)> {
    let bound = if flow.rate() > 0.0 { flow.cap() } else { 0.0 };
    let seconds = (bound - flow.amount_at(since)) / flow.rate();
    let meets = (seconds.is_finite() && seconds > 0.0).then(|| Time(since.0 + (seconds * 1e6) as u64))?;
    (meets < until).then_some((meets, bound))
}

#[derive(Debug)]
pub(crate) struct Recorder {
    pub(crate) entries: Vec<Entry>,
    /// For each combatant its pools, in the order of the ruleset.
    pub(crate) charts: Vec<Vec<Chart>>,
}

impl Recorder {
    pub(crate) fn of(fight: &Fight) -> Self {
        let program = fight.setup().program();
        let charts = fight.setup().ids().map(|who| {
            let character = fight.character(who);
            let has = &program.characters()[character.index()].pools;
            let pools = (0..program.pools().len()).filter(|pool| has[*pool]).map(|pool| PoolId(pool as u16));
            let chart = |pool| {
                let from = fight.stands(who).then_some(Time::ZERO);
                let (start, flows) = (fight.pool(who, pool), vec![fight.pool_flow(who, pool)]);
                Chart { who, pool, from, start, is_touched: false, flows, cap: fight.cap(who, pool) }
            };
            pools.map(chart).collect()
        });
        Self { entries: Vec::new(), charts: charts.collect() }
    }

    /// The first event of a pool: `before` is its amount before it.
    fn touched(&mut self, at: Time, who: CombatantId, pool: PoolId, before: f64) {
        let Some(chart) = self.charts[who.index()].iter_mut().find(|chart| chart.pool == pool) else { return };
        if !chart.is_touched && chart.from == Some(at) {
            chart.start = before;
        }
        chart.is_touched = true;
    }

    fn flows(&mut self, who: CombatantId, pool: PoolId, flow: PoolFlow) {
        let Some(chart) = self.charts[who.index()].iter_mut().find(|chart| chart.pool == pool) else { return };
        chart.cap = chart.cap.max(flow.cap());
        if !chart.is_touched && chart.from.is_none_or(|from| flow.since() <= from) {
            chart.start = flow.amount_at(flow.since());
        }
        // The last entry of a moment determines what holds after it.
        match chart.flows.last_mut().filter(|last| last.since() == flow.since()) {
            Some(last) => *last = flow,
            None => chart.flows.push(flow),
        }
    }
}

impl Observer for Recorder {
    fn wants(&self) -> EventMask {
        EventMask::DETAIL.with(&[EventKind::Flows])
    }

    fn event(&mut self, at: Time, event: Event) {
        match event {
            Event::Flows { who, pool, flow } => return self.flows(who, pool, flow),
            Event::Joined { who, .. } => {
                self.charts[who.index()].iter_mut().for_each(|chart| chart.from = Some(at));
            }
            Event::Hit { target, pool, dealt, left, .. } => self.touched(at, target, pool, left + dealt),
            Event::Healed { target, pool, healed, left, .. } => self.touched(at, target, pool, left - healed),
            Event::Restored { target, pool, gained, left, .. } => self.touched(at, target, pool, left - gained),
            Event::Drained { target, pool, taken, left, .. } => self.touched(at, target, pool, left + taken),
            Event::Soaked { target, pool, amount, left, .. } => self.touched(at, target, pool, left + amount),
            Event::Spent { who, pool, amount, left, .. } => self.touched(at, who, pool, left + amount),
            _ => {}
        }
        self.entries.push(Entry::Event(Logged { at, event }));
    }

    fn formula(&mut self, at: Time, formula: FormulaId, reading: &Reading) {
        self.entries.push(Entry::Formula(at, formula, reading.clone()));
    }
}
