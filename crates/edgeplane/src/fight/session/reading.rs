//! Reading a fight: the numbers of combatants, their statuses as lists for players, and the contributions to
//! attributes.

use super::super::Fight;
use super::super::limits::{FightError, FightErrorKind};
use super::super::random::{Preview, RandomSource};
use super::super::state::record::seconds_left;
use super::super::state::{Doing, Scratch};
use crate::numbers::Extremes;
use crate::program::{
    AbilityId, CharacterId, CombatantId, Draws, FormulaId, Frame, Memory, ModifierKind, PoolFlow, PoolId, SideId, Slot,
    StatusId, StatusKind, TextPart, Time, ZonePlan, plain,
};

/// A status as shown by a game.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct HeldStatus {
    /// The status.
    pub status: StatusId,
    /// Unique in the fight, and stable for as long as the status lasts.
    pub instance: u32,
    /// The combatant that applied it.
    pub caster: CombatantId,
    /// Whether it is good or bad for its owner.
    pub kind: StatusKind,
    /// The name under which the game finds its icon.
    pub icon: String,
    /// The text for players, with current values.
    pub text: String,
    /// The number of stacks.
    pub stacks: u32,
    /// Seconds until it ends; `None` if it does not end by itself.
    pub remaining: Option<f64>,
    /// The remaining share of its full duration; 1 if it does not end by itself.
    pub share: f64,
    /// Whether it ends within the time given by `warn`.
    pub expiring: bool,
    /// Whether it is hidden from players.
    pub hidden: bool,
}

/// One contribution to an attribute.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Contribution {
    /// The status.
    pub status: StatusId,
    /// The kind of the change.
    pub kind: ModifierKind,
    /// The amount of the change.
    pub amount: f64,
}

/// The current action of a combatant.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub enum Action {
    /// It is free to act.
    Idle,
    /// It is casting or sustaining an ability.
    Casting {
        /// The ability.
        ability: AbilityId,
        /// Its first target.
        target: CombatantId,
        /// When it began.
        since: Time,
        /// When the ability is released, or ends.
        until: Time,
    },
    /// It is recovering.
    Recovering {
        /// When it is free again.
        until: Time,
    },
    /// It is defeated.
    Defeated,
    /// It has not joined the fight, or has left it.
    Absent,
}

impl<C: RandomSource> Fight<C> {
    /// The current position of a combatant in metres; the origin in an encounter without positions.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// assert_eq!(fight.place(who), [3.0, 4.0]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn place(&self, who: CombatantId) -> [f64; 2] {
        self.view().place(who)
    }

    /// Whether a combatant still stands.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.run(&mut Silent)?;
    /// assert!(fight.stands(cutter) && !fight.stands(pike));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn stands(&self, who: CombatantId) -> bool {
        self.view().stands(who)
    }

    /// The current amount of a pool.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let health = game.pool("health")?;
    /// assert_eq!(fight.pool(cutter, health), 60.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn pool(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.view().pool(who, pool)
    }

    /// The course of a pool from now on, until something changes it: for a bar that moves between calls of the game.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let breath = game.pool("breath")?;
    /// fight.set_pool(cutter, breath, 5.0)?;
    /// let flow = fight.pool_flow(cutter, breath);
    /// assert_eq!((flow.rate(), flow.amount_at(Time::from_seconds(3.0))), (1.0, 8.0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn pool_flow(&self, who: CombatantId, pool: PoolId) -> PoolFlow {
        self.view().pool_flow(who, pool)
    }

    /// The threat of `whom` for `eyes`; zero if the ruleset has no `[threat]`.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.apply_effects(cutter, game.ability("sickle")?, pike, &mut Silent)?;
    /// assert_eq!(fight.threat(pike, cutter), 6.0, "one for each point of damage");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn threat(&self, eyes: CombatantId, whom: CombatantId) -> f64 {
        self.view().threat(eyes, whom)
    }

    /// A pool's cap.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let health = game.pool("health")?;
    /// fight.set_pool(cutter, health, 12.0)?;
    /// assert_eq!((fight.pool(cutter, health), fight.cap(cutter, health)), (12.0, 60.0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn cap(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.view().cap(who, pool)
    }

    /// The current final value of an attribute.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let heft = game.program().find_attribute("heft").expect("the ruleset has it");
    /// assert_eq!((fight.attribute(cutter, heft), fight.attribute(pike, heft)), (10.0, 5.0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn attribute(&self, who: CombatantId, slot: Slot) -> f64 {
        self.view().attribute(who, slot)
    }

    /// When an ability's cooldown ends; a time in the past if none is running.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let sickle = game.ability("sickle")?;
    /// fight.advance(Time::from_seconds(3.0), &mut Silent)?;
    /// assert!(fight.ready_at(cutter, sickle).expect("it has it") > fight.now(), "it cools down");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn ready_at(&self, who: CombatantId, ability: AbilityId) -> Option<Time> {
        self.view().ready_at(who, ability)
    }

    /// The value of a formula of the ruleset for a caster and a target at this moment, for example for a tooltip.
    /// Conditions give 1 or 0. Like every question, it changes nothing: if the formula draws, the value is the one that
    /// the next draws would give.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let (_, cost) = game.program().ability(game.ability("sickle")?).cost[0];
    /// assert_eq!(fight.evaluate(cost, cutter, pike)?, 2.0);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the formula has no value, or there is no such formula or combatant.
    pub fn evaluate(
        &mut self,
        formula: FormulaId,
        caster: CombatantId,
        target: CombatantId,
    ) -> Result<f64, FightError> {
        self.check_combatant(caster)?;
        self.check_combatant(target)?;
        let program = &self.setup.program;
        self.check_id("formula", formula.index(), program.formulas.len())?;
        let frame = Frame::new(program, caster, target, 0, self.state.now.micros()).in_form(program.whole_form());
        self.formula_value(formula, &frame)
    }

    /// The active zones with owner, centre and radius in metres, in order of placement.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// # let handle = fight.spawn(game.character("reed_cutter")?, SideId(0), [3.0, 4.0], &mut Silent)?;
    /// # let who = fight.combatant(handle)?;
    /// fight.apply_effects(who, game.ability("wade")?, who, &mut Silent)?;
    /// let zones: Vec<_> = fight.zones().map(|(plan, _, middle, radius)| (plan.name.as_str(), middle, radius)).collect();
    /// assert_eq!(zones, [("shallows", [3.0, 4.0], 3.0)]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn zones(&self) -> impl Iterator<Item = (&ZonePlan, CombatantId, [f64; 2], f64)> {
        self.state.zones.iter().map(|zone| {
            let middle = zone.carrier.map_or(zone.middle, |carrier| self.place(carrier));
            (self.setup.program.zone(zone.id), zone.by.caster, middle, zone.radius_at(self.state.now))
        })
    }

    /// The current action of a combatant.
    ///
    /// ```
    /// use edgeplane::fight::Action;
    /// use edgeplane::{Game, Silent, Time};
    ///
    /// let game = Game::from_text("small.toml", edgeplane::example_text())?;
    /// let mut fight = game.fight("duel", 1)?;
    /// let first = game.combatant(&fight, &fight.setup().combatants[0].label)?;
    /// assert_eq!(fight.action(first), Action::Idle);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn action(&self, who: CombatantId) -> Action {
        let combatant = self.state.who(who);
        match combatant.doing {
            _ if combatant.absent => Action::Absent,
            _ if !combatant.stands => Action::Defeated,
            Doing::Idle => Action::Idle,
            Doing::Recovering => Action::Recovering { until: combatant.until },
            Doing::Casting(index) => Action::Casting {
                ability: self.setup.abilities[index as usize].ability,
                target: combatant.target,
                since: combatant.since,
                until: if combatant.sustains { self.state.cold(who).sustains_until } else { combatant.until },
            },
        }
    }

    /// The label of a combatant, which is unique in the fight: the name of its character, with a number and its side if
    /// several have that name.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let fight = game.fight("shore", 1)?;
    /// assert_eq!((fight.label(CombatantId(0)), fight.label(CombatantId(1))), ("reed_cutter", "bog_pike"));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn label(&self, who: CombatantId) -> &str {
        &self.setup().combatants[who.index()].label
    }

    /// The character of a combatant.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let fight = game.fight("shore", 1)?;
    /// assert_eq!(fight.character(CombatantId(0)), game.character("reed_cutter")?);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Panics
    /// If there is no such combatant, like all readings.
    pub fn character(&self, who: CombatantId) -> CharacterId {
        self.setup().combatants[who.index()].character
    }

    /// The current side of a combatant.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, SideId};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// assert_eq!((fight.side(cutter), fight.side(pike)), (SideId(0), SideId(1)));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn side(&self, who: CombatantId) -> SideId {
        self.state.who(who).side
    }

    /// The statuses of a combatant in order of application, including hidden ones.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.apply_status(game.status("muddy")?, cutter, pike, 1, &mut Silent)?;
    /// let held = fight.statuses(pike)?;
    /// assert_eq!((held[0].stacks, held[0].remaining), (1, Some(4.0)));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a value in a text cannot be computed, or there is no such combatant.
    pub fn statuses(&mut self, who: CombatantId) -> Result<Vec<HeldStatus>, FightError> {
        self.check_combatant(who)?;
        let held: Vec<u32> = self.state.statuses.of(who).collect();
        held.into_iter().map(|index| self.held_status(who, index)).collect()
    }

    fn held_status(&mut self, who: CombatantId, index: u32) -> Result<HeldStatus, FightError> {
        let setup = std::sync::Arc::clone(&self.setup);
        let program = &setup.program;
        let now = self.state.now;
        let record = *self.state.statuses.get(index);
        let plan = program.status(record.status);
        let saved = self.state.numbers.locals();
        self.state.statuses.load(index, program, &mut self.state.numbers, now);
        let frame = Frame::new(program, record.caster, who, 0, now.micros());
        let mut text = String::new();
        let mut fault = None;
        for part in &plan.text {
            match part {
                TextPart::Words(words) => text.push_str(words),
                TextPart::Value(formula) => match self.formula_value(*formula, &frame) {
                    Ok(value) => text.push_str(&plain(value)),
                    // Values that depend on the remaining time do not exist for a status without an end.
                    Err(_) if record.end() >= Time::NEVER => text.push('∞'),
                    Err(error) => fault = Some(error),
                },
            }
        }
        self.state.numbers.set_locals(&saved);
        if let Some(error) = fault {
            return Err(error);
        }
        let ends = record.end() < Time::NEVER;
        let remaining = ends.then(|| seconds_left(record.ends, now));
        let share = if ends && record.full > Time::ZERO {
            ((record.ends - now).seconds() / record.full.seconds()).smaller(1.0)
        } else {
            1.0
        };
        Ok(HeldStatus {
            status: record.status,
            instance: record.serial,
            caster: record.caster,
            kind: plan.kind,
            icon: plan.icon.clone(),
            text,
            stacks: record.stacks,
            remaining,
            share,
            expiring: ends && plan.warn.is_some_and(|warn| record.ends - now <= warn),
            hidden: plan.hidden,
        })
    }

    /// The value of a formula at this moment. Draws are not consumed.
    pub(in crate::fight) fn formula_value(&mut self, formula: FormulaId, frame: &Frame) -> Result<f64, FightError> {
        let (program, mut scratch) = (&self.setup.program, Scratch::lend(self.functions.as_ref()));
        let mut preview = Preview { source: &self.chance, copy: None };
        // The misses of a streak are numbers of the fight.
        let value = if !program.streaks.is_empty() && program.formula(formula).draws() {
            program.number(formula, &mut self.state.numbers.clone(), frame, &mut preview, &mut scratch.draws)
        } else {
            program.number(formula, &mut self.state.numbers, frame, &mut preview, &mut scratch.draws)
        };
        scratch.give_back();
        value.map_err(|fault| FightError::new(self.state.now, FightErrorKind::Fault(fault), &self.setup))
    }

    /// The contributions of statuses to an attribute of a combatant, in order of application.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let guard = game.program().find_attribute("guard").expect("the ruleset has it");
    /// fight.apply_status(game.status("muddy")?, cutter, pike, 1, &mut Silent)?;
    /// let found = fight.contributions(pike, guard)?;
    /// assert_eq!((found[0].status, found[0].amount), (game.status("muddy")?, 5.0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a modifier has no value, or there is no such combatant.
    pub fn contributions(&mut self, who: CombatantId, slot: Slot) -> Result<Vec<Contribution>, FightError> {
        self.check_combatant(who)?;
        let setup = std::sync::Arc::clone(&self.setup);
        let program = &setup.program;
        let now = self.state.now;
        let held: Vec<u32> = self.state.statuses.of(who).collect();
        let saved = self.state.numbers.locals();
        let mut found = Vec::new();
        let mut fault = None;
        for index in held {
            let status = self.state.statuses.get(index).status;
            for modifier in program.status(status).modifiers.iter().filter(|one| one.covers(slot)) {
                self.state.statuses.load(index, program, &mut self.state.numbers, now);
                let frame = Frame::new(program, who, who, slot.0 - modifier.slot.0, 0.0);
                let amount = program.number(
                    modifier.amount,
                    &mut self.state.numbers,
                    &frame,
                    &mut self.chance,
                    &mut Draws::default(),
                );
                match amount {
                    Ok(amount) => found.push(Contribution { status, kind: modifier.kind, amount }),
                    Err(error) => fault = Some(error),
                }
            }
        }
        self.state.numbers.set_locals(&saved);
        match fault {
            Some(fault) => Err(FightError::new(now, FightErrorKind::Fault(fault), &self.setup)),
            None => Ok(found),
        }
    }

    /// The numbers of the fight.
    pub(crate) fn memory(&self) -> &Memory {
        &self.state.numbers
    }

    /// The total number of stacks of a status on a combatant.
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// let muddy = game.status("muddy")?;
    /// fight.apply_status(muddy, cutter, pike, 1, &mut Silent)?;
    /// assert_eq!((fight.stacks(pike, muddy), fight.stacks(cutter, muddy)), (1, 0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn stacks(&self, who: CombatantId, status: StatusId) -> u32 {
        self.view().stacks(who, status)
    }
}
