//! Writes a fight down as it happens.

use edgeplane::fight::{EventMask, Logged};
use edgeplane::program::{FormulaId, PoolId, Reading};
use edgeplane::{Event, Fight, Observer, Time};

/// One thing to show.
#[derive(Debug)]
pub(crate) enum Entry {
    /// Something happened.
    Event(Logged),
    /// A formula was evaluated on the way to the next event.
    Formula(Time, FormulaId, Reading),
}

/// The amounts of a combatant's defeating pool, each time it changed, since it takes part.
#[derive(Debug, Default)]
pub(crate) struct Chart {
    pub(crate) points: Vec<(Time, f64)>,
    start: f64,
    pub(crate) cap: f64,
}

#[derive(Debug)]
pub(crate) struct Recorder {
    pub(crate) entries: Vec<Entry>,
    pub(crate) charts: Vec<Chart>,
    pool: Option<PoolId>,
}

impl Recorder {
    pub(crate) fn of(fight: &Fight) -> Self {
        let pool = fight.setup().program().defeat_pool();
        let chart = |who| {
            let Some(pool) = pool else { return Chart::default() };
            let (start, cap) = (fight.pool(who, pool), fight.cap(who, pool));
            let points = if fight.stands(who) { vec![(Time::ZERO, start)] } else { Vec::new() };
            Chart { points, start, cap }
        };
        Self { entries: Vec::new(), charts: fight.setup().ids().map(chart).collect(), pool }
    }
}

impl Observer for Recorder {
    fn wants(&self) -> EventMask {
        EventMask::DETAIL
    }

    fn event(&mut self, at: Time, event: Event) {
        let changed = match event {
            Event::Hit { target, pool, left, .. }
            | Event::Healed { target, pool, left, .. }
            | Event::Restored { target, pool, left, .. }
            | Event::Drained { target, pool, left, .. } => Some((target, pool, left)),
            Event::Joined { who, .. } => self.pool.map(|pool| (who, pool, self.charts[who.index()].start)),
            Event::Defeated { who, .. } => self.pool.map(|pool| (who, pool, 0.0)),
            _ => None,
        };
        if let Some((who, _, left)) = changed.filter(|(_, pool, _)| Some(*pool) == self.pool) {
            self.charts[who.index()].points.push((at, left));
        }
        self.entries.push(Entry::Event(Logged { at, event }));
    }

    fn formula(&mut self, at: Time, formula: FormulaId, reading: &Reading) {
        self.entries.push(Entry::Formula(at, formula, reading.clone()));
    }
}
