//! State that is carried from one fight to the next.

use super::super::Fight;
use super::super::engine::{Engine, FightResult};
use super::super::events::{Observer, Silent};
use super::super::limits::{FightError, FightErrorKind};
use super::super::random::RandomSource;
use super::super::state::Charges;
use super::super::state::timers::Timer;
use crate::numbers::Extremes;
use crate::program::{AbilityId, CombatantId, FormulaId, Layout, PoolId, Slot, pool_slot};

/// The state of a combatant that is carried from one fight to the next.
#[derive(Clone, Debug, Default)]
pub struct Carried {
    /// Its level.
    pub level: f64,
    /// Experience that counts toward the next level.
    pub toward: f64,
    /// Whether it was standing at the end.
    pub stood: bool,
    /// The remaining amounts of some pools.
    pub pools: Vec<(PoolId, f64)>,
    spent: Vec<(AbilityId, Spent)>,
}

/// The used uses and charges of an ability, and how long the next charge takes.
#[derive(Clone, Copy, Debug, Default)]
struct Spent {
    used: u32,
    charges: Option<Charges>,
}

impl<C: RandomSource> Fight<C> {
    /// Records the state that a combatant carries over: its level, the amounts of these pools and, if requested, used
    /// limited uses and charges. It replaces an earlier record.
    ///
    /// ```
    /// # use edgeplane::fight::{Carried, Uses};
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let health = game.pool("health")?;
    /// fight.run(&mut Silent)?;
    /// let mut carried = Carried::default();
    /// fight.carry_over(cutter, &[health], Uses::Renewed, &mut carried);
    /// assert_eq!(carried.pools, [(health, fight.pool(cutter, health))]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn carry_over(&self, who: CombatantId, pools: &[PoolId], uses: Uses, into: &mut Carried) {
        into.level = self.state.numbers.at(self.setup.program.place(who, Layout::LEVEL));
        into.toward = self.state.cold(who).toward;
        into.stood = self.stands(who);
        into.pools.clear();
        into.pools.extend(pools.iter().map(|pool| (*pool, self.pool(who, *pool))));
        into.spent.clear();
        if uses == Uses::Kept {
            let policy = &self.setup.policies[who.index()];
            let own = policy.first as usize..(policy.first + policy.count) as usize;
            let now = self.state.now;
            into.spent.extend(own.map(|index| {
                let (table, used) = (&self.setup.abilities[index], self.state.abilities[index].used);
                let charges = table.charges.map(|place| self.state.charges[place as usize]);
                // The time of the next fight starts at zero.
                let charges = charges.map(|charges| Charges { next: charges.next - now, ..charges });
                (table.ability, Spent { used, charges })
            }));
        }
    }

    /// Excludes a combatant from a fight that has not begun: it is absent as if it had been defeated before.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.keep_out(pike)?;
    /// fight.run(&mut Silent)?;
    /// assert_eq!(fight.pool(cutter, game.pool("health")?), 60.0, "nobody was there to fight");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, or the fight has begun.
    pub fn keep_out(&mut self, who: CombatantId) -> Result<(), FightError> {
        self.check_combatant(who)?;
        if self.state.began {
            let label = self.label(who).to_owned();
            return Err(self.call_error(format!("`{label}` takes part: the fight has begun")));
        }
        if std::mem::take(&mut self.state.who_mut(who).stands) {
            self.state.who_mut(who).absent = true;
            self.state.timers.clear(Timer::Act, who);
            self.with_engine(&mut Silent, |engine| engine.update_head_counts(who, -1.0));
        }
        Ok(())
    }

    /// Begins a fight with the carried state of its combatants. Carried pools then hold their amounts plus those of
    /// `rests`, evaluated for each combatant.
    ///
    /// ```
    /// # use edgeplane::fight::{Carried, Uses};
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let (health, mut carried) = (game.pool("health")?, Carried::default());
    /// fight.run(&mut Silent)?;
    /// fight.carry_over(cutter, &[health], Uses::Renewed, &mut carried);
    /// let mut next = game.fight("shore", 2)?;
    /// next.begin_with(&[(cutter, &carried)], &[], &mut Silent)?;
    /// assert_eq!(next.pool(cutter, health), fight.pool(cutter, health), "it goes on with what was left");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a formula has no value.
    pub fn begin_with<O: Observer>(
        &mut self,
        brought: &[(CombatantId, &Carried)],
        rests: &[(PoolId, FormulaId)],
        observer: &mut O,
    ) -> Result<(), FightError> {
        self.with_engine(observer, |engine| engine.begin_with(brought, rests)).map_err(|error| *error)
    }

    /// The experience that a combatant has gained in this fight.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.run(&mut Silent)?;
    /// assert_eq!(fight.experience(cutter), 0.0, "no `reward` of the ruleset gives any");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn experience(&self, who: CombatantId) -> f64 {
        self.state.cold(who).experience
    }

    /// The level that results from a level and an amount of experience, and the rest toward the next level, by the
    /// ruleset's `[levels]`.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// // Ten are needed for each level.
    /// assert_eq!(fight.level_after(cutter, 1.0, 25.0)?, (3.0, 5.0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such combatant, a number is negative or not finite, or the experience needed for a level has no
    /// value.
    pub fn level_after(&mut self, who: CombatantId, level: f64, experience: f64) -> Result<(f64, f64), FightError> {
        self.check_combatant(who)?;
        for (what, number) in [("a level", level), ("experience", experience)] {
            self.check_number(what, number)?;
            if number < 0.0 {
                return Err(self.call_error(format!("{what} cannot be {number}: it has to be at least 0")));
            }
        }
        let found = self.setup.program.level_after(&mut self.state.numbers, who, level, experience);
        found.map_err(|fault| FightError::new(self.state.now, FightErrorKind::Fault(fault), &self.setup))
    }

    /// The level of a combatant.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// assert_eq!(fight.level(cutter), 1.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn level(&self, who: CombatantId) -> f64 {
        self.attribute(who, Slot(0))
    }
}

/// Whether limited uses and charges stay used.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Uses {
    /// They stay used.
    Kept,
    /// All are available again.
    Renewed,
}

impl Engine<'_> {
    fn begin_with(&mut self, brought: &[(CombatantId, &Carried)], rests: &[(PoolId, FormulaId)]) -> FightResult<()> {
        for (who, carried) in brought {
            if self.state.numbers.at(self.program.place(*who, Layout::LEVEL)) != carried.level {
                self.set_base(*who, Layout::LEVEL, carried.level)?;
            }
            if carried.toward != 0.0 {
                self.state.cold_mut(*who).toward = carried.toward;
            }
        }
        self.begin()?;
        for (who, carried) in brought {
            for (pool, left) in &carried.pools {
                let mut amount = *left;
                if let Some((_, rest)) = rests.iter().find(|(rested, _)| rested == pool) {
                    let frame = self.frame(*who, *who);
                    self.write_pool(*who, *pool, self.first_of(*who, *pool), amount);
                    amount += self.positive(*rest, &frame)?;
                }
                let first = self.first_of(*who, *pool);
                let cap = self.state.numbers.at(first + usize::from(pool_slot::CAP));
                self.write_pool(*who, *pool, first, amount.smaller(cap));
                self.state.may_be_defeated(*who);
            }
            for (ability, spent) in &carried.spent {
                if let Some(index) = self.state.ability_index(self.setup, *who, *ability) {
                    self.state.abilities[index].used = spent.used;
                    if let (Some(charges), Some(left)) = (self.state.charges_mut(self.setup, index), spent.charges) {
                        *charges = left;
                    }
                }
            }
            self.note_abilities(*who);
        }
        if self.state.timers.has(Timer::Empty) {
            self.setup.ids().for_each(|who| self.schedule_empty(who));
        }
        Ok(())
    }

    /// Whether a combatant is an enemy of another one and can be defeated itself.
    pub(in crate::fight) fn is_enemy_of(&self, of: CombatantId, who: CombatantId) -> bool {
        self.state.stands(who) && self.side_of(who) != self.side_of(of) && self.setup.can_be_defeated(who)
    }

    fn first_of(&self, who: CombatantId, pool: PoolId) -> usize {
        self.program.place(who, self.program.layout.pool(pool))
    }

    /// Rewards for defeats go to the standing enemies of the defeated. All defeats of the moment come first, so the
    /// order of the list gives no advantage.
    pub(in crate::fight) fn give_experience(&mut self) -> FightResult<()> {
        let mut rewarding = std::mem::take(&mut self.scratch.rewarding);
        for defeated in rewarding.drain(..) {
            let character = self.setup.combatants[defeated.index()].character;
            let Some(reward) = self.program.characters[character.index()].reward else { continue };
            if !self.setup.ids().any(|who| self.is_enemy_of(defeated, who)) {
                continue;
            }
            let frame = self.frame(defeated, defeated);
            let amount = self.positive(reward, &frame)?;
            for who in self.setup.ids() {
                if self.is_enemy_of(defeated, who) {
                    self.learn(who, defeated, amount)?;
                }
            }
        }
        self.scratch.rewarding = rewarding;
        Ok(())
    }
}
