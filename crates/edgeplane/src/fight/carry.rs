//! What goes along from one fight into the next.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::limits::{FightError, FightErrorKind};
use super::pointed::with_engine;
use super::stock::Stock;
use super::timeline::Timer;
use super::{Fight, Provider, Since};
use crate::program::{AbilityId, Chance, CombatantId, FormulaId, Frame, Layout, PoolId, Slot};
use crate::rules::SideRule;

/// What a combatant takes along from one fight into the next.
#[derive(Clone, Debug, Default)]
pub struct Carried {
    /// Its level.
    pub level: f64,
    /// Whether it stood at the end.
    pub stood: bool,
    /// What was left in some pools.
    pub pools: Vec<(PoolId, f64)>,
    stock: Vec<(AbilityId, Stock)>,
}

impl<C: Provider> Fight<C> {
    /// Notes what a combatant takes along: its level, what is left in these pools and, if `uses` is said, what it has spent
    /// of limited uses and charges. Whatever was noted before is gone.
    pub fn note(&self, who: CombatantId, pools: &[PoolId], uses: Uses, into: &mut Carried) {
        into.level = self.state.memory.at(self.setup.program.place(who, Layout::LEVEL));
        into.stood = self.stands(who);
        into.pools.clear();
        into.pools.extend(pools.iter().map(|pool| (*pool, self.pool(who, *pool))));
        into.stock.clear();
        if uses == Uses::Kept {
            let first = self.setup.linked[who.index()].first as usize;
            let character = self.setup.combatants[who.index()].character;
            let number = self.setup.program.characters[character.index()].abilities.len();
            let hands = self.state.in_hand[first..first + number].iter().zip(&self.state.stock[first..]);
            into.stock.extend(hands.map(|(hand, stock)| (hand.ability, stock.at_rest(self.state.now))));
        }
    }

    /// Keeps a combatant out of a fight that has not begun: it stays away as if it had fallen before.
    pub fn keep_out(&mut self, who: CombatantId) {
        self.since = Since::Other;
        if self.state.began || !std::mem::take(&mut self.state.actors[who].stands) {
            return;
        }
        self.state.absent[who.index()] = true;
        self.state.memory.set(self.setup.program.place(who, Layout::STANDS), 0.0);
        self.state.timeline.clear(who, Timer::Act);
        let side = self.setup.combatants[who.index()].side;
        for other in self.setup.ids() {
            let slot = if self.setup.combatants[other.index()].side == side { Layout::ALLIES } else { Layout::ENEMIES };
            let place = self.setup.program.place(other, slot);
            self.state.memory.set(place, self.state.memory.at(place) - 1.0);
        }
    }

    /// Begins a fight with what combatants bring along. After that, pools that were noted hold what was left plus what
    /// `rests` add, evaluated for each as its own.
    ///
    /// # Errors
    /// When a formula has no value.
    pub fn begin_with<O: Observer>(
        &mut self,
        brought: &[(CombatantId, &Carried)],
        rests: &[(PoolId, FormulaId)],
        observer: &mut O,
    ) -> Result<(), FightError> {
        with_engine!(self, observer, O, |engine, _| engine.begin_with(brought, rests)).map_err(|error| *error)
    }

    /// Experience that a combatant has gained in this fight.
    pub fn experience(&self, who: CombatantId) -> f64 {
        self.state.experience[who.index()]
    }

    /// The level that a combatant of some level has after so much experience, and what is left of that toward the next one,
    /// by the ruleset's `[levels]`.
    ///
    /// # Errors
    /// When what a level needs has no value.
    pub fn level_after(&mut self, who: CombatantId, level: f64, experience: f64) -> Result<(f64, f64), FightError> {
        let found = self.setup.program.level_after(&mut self.state.memory, who, level, experience);
        found.map_err(|fault| FightError { at: self.state.now, kind: FightErrorKind::Fault(fault) })
    }

    /// The level of a combatant.
    pub fn level(&self, who: CombatantId) -> f64 {
        self.attribute(who, Slot(0))
    }

    /// Puts an amount into a pool by hand, within 0 and its cap.
    pub fn set_pool(&mut self, who: CombatantId, pool: PoolId, amount: f64) {
        self.since = Since::Other;
        let amount = if amount.is_finite() { amount.clamp(0.0, self.cap(who, pool)) } else { self.pool(who, pool) };
        let first = self.setup.program.place(who, self.setup.program.layout.pool(pool));
        self.state.memory.set_pool(first, amount, self.state.now.micros());
        // Whoever has nothing left falls, and whoever waits for the pool looks again.
        self.state.changed |= 1 << pool.0;
        self.state.actors[who].changed |= 1 << pool.0;
        (self.state.someone_hurt, self.state.attention) = (true, true);
    }
}

/// Whether limited uses and charges stay spent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Uses {
    /// They stay spent.
    Kept,
    /// All are there again.
    Renewed,
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    fn begin_with(&mut self, brought: &[(CombatantId, &Carried)], rests: &[(PoolId, FormulaId)]) -> Outcome<()> {
        for (who, carried) in brought {
            if self.state.memory.at(self.program.place(*who, Layout::LEVEL)) != carried.level {
                self.set_base(*who, Layout::LEVEL, carried.level)?;
            }
        }
        self.begin()?;
        for (who, carried) in brought {
            for (pool, left) in &carried.pools {
                let mut amount = *left;
                if let Some((_, rest)) = rests.iter().find(|(rested, _)| rested == pool) {
                    let frame = Frame::new(self.program, *who, *who, 0, self.state.now.micros());
                    self.state.memory.set_pool(self.first_of(*who, *pool), amount, self.state.now.micros());
                    amount += self.positive(*rest, &frame)?;
                }
                let first = self.first_of(*who, *pool);
                let cap = self.state.memory.at(first + usize::from(crate::program::pool_slot::CAP));
                self.state.memory.set_pool(first, amount.min(cap), self.state.now.micros());
                (self.state.someone_hurt, self.state.attention) = (true, true);
            }
            for (ability, stock) in &carried.stock {
                if let Some(place) = self.state.ready_index(self.setup, *who, *ability) {
                    self.state.stock[place] = *stock;
                }
            }
        }
        if self.state.timeline.has_empty_timers() {
            self.setup.ids().for_each(|who| self.schedule_empty(who));
        }
        Ok(())
    }

    fn first_of(&self, who: CombatantId, pool: PoolId) -> usize {
        self.program.place(who, self.program.layout.pool(pool))
    }

    /// Whoever stands against those who have just fallen gains what they are worth. All falls of the moment come first, so
    /// that nobody gains by being listed first.
    pub(super) fn give_experience(&mut self) -> Outcome<()> {
        while let Some(fallen) = self.state.scratch.worthy.pop() {
            let character = self.setup.combatants[fallen.index()].character;
            let Some(worth) = self.program.characters[character.index()].worth else { continue };
            let gains = |engine: &Self, who: CombatantId| engine.can_be_targeted(fallen, who, SideRule::Enemies);
            if !self.setup.ids().any(|who| gains(self, who)) {
                continue;
            }
            let frame = Frame::new(self.program, fallen, fallen, 0, self.state.now.micros());
            let amount = self.positive(worth, &frame)?;
            for who in self.setup.ids() {
                if amount > 0.0 && gains(self, who) {
                    self.state.experience[who.index()] += amount;
                    let total = self.state.experience[who.index()];
                    self.tell(Event::Learned { who, from: fallen, amount, total });
                }
            }
        }
        Ok(())
    }
}
