//! Continuing a fight under edited rules.

use std::fmt;
use std::sync::Arc;

use super::super::Fight;
use super::super::engine::{Engine, FightResult};
use super::super::events::Silent;
use super::super::limits::{FightError, FightErrorKind};
use super::super::random::RandomSource;
use super::super::space::zones::IN_USE;
use super::super::state::State;
use super::super::state::record::{MOST, Rhythm, ticks_within};
use super::super::state::timers::Timer;
use super::super::state::transfer::{LeftOver, Transferred};
use crate::program::{
    CombatantId, CombatantPlan, Counterparts, GearId, Layout, PoolId, Program, Setup, Slot, Time, WornStatus,
};

/// What happened to each part of a fight's state when it was continued under different rules.
#[derive(Clone, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Adoption {
    transfers: Vec<Transfer>,
}

/// One part of the state, before and after.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Transfer {
    /// Its kind.
    pub kind: TransferKind,
    /// The combatant to which it belongs.
    pub who: CombatantId,
    /// The label of that combatant.
    pub label: String,
    /// Its name.
    pub name: String,
    /// The old value, in the unit of its kind.
    pub before: f64,
    /// The new value; `None` if the new rules have nothing with that name.
    pub after: Option<f64>,
}

/// The kinds of state that are carried over, with the meaning of their numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum TransferKind {
    /// The amount of a pool. A new cap is followed as the pool's `on_cap_change` says.
    Pool,
    /// The final value of an attribute; listed only if it has changed.
    Attribute,
    /// A base that was changed in the fight.
    Base,
    /// A status: its stacks. Its end and its next tick are kept.
    Status,
    /// An ability: seconds until its cooldown ends. Uses and charges are carried over, too.
    Ability,
    /// A cast or a sustained ability: seconds until its end.
    Cast,
    /// A zone: seconds until its end. It is kept if the ability, status or cause that placed it is kept.
    Zone,
    /// An ability in flight: seconds until it arrives.
    Flight,
    /// A worn piece of gear: 1.
    Gear,
}

impl TransferKind {
    fn name(self) -> &'static str {
        match self {
            Self::Pool => "pool",
            Self::Attribute => "attribute",
            Self::Base => "base",
            Self::Status => "status",
            Self::Ability => "ability",
            Self::Cast => "cast",
            Self::Zone => "zone",
            Self::Flight => "flight",
            Self::Gear => "gear",
        }
    }
}

/// `farmhand: pool health 43 → 30`, `farmhand: status venom is gone`.
impl fmt::Display for Transfer {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {} {} ", self.label, self.kind.name(), self.name)?;
        match self.after {
            None => f.write_str("is gone"),
            Some(after) if after == self.before => f.write_str("goes on"),
            Some(after) => write!(f, "{} → {}", crate::program::plain(self.before), crate::program::plain(after)),
        }
    }
}

impl Adoption {
    /// Everything that was kept, changed or lost, ordered by combatant and kind.
    pub fn all(&self) -> &[Transfer] {
        &self.transfers
    }

    /// The unchanged parts.
    pub fn kept(&self) -> impl Iterator<Item = &Transfer> {
        self.transfers.iter().filter(|one| one.after == Some(one.before))
    }

    /// The parts with a different number.
    pub fn changed(&self) -> impl Iterator<Item = &Transfer> {
        self.transfers.iter().filter(|one| one.after.is_some_and(|after| after != one.before))
    }

    /// The parts without a name in the new rules.
    pub fn lost(&self) -> impl Iterator<Item = &Transfer> {
        self.transfers.iter().filter(|one| one.after.is_none())
    }

    pub(in crate::fight) fn add(
        &mut self,
        setup: &Setup,
        kind: TransferKind,
        who: CombatantId,
        name: &str,
        before: f64,
        after: Option<f64>,
    ) {
        let label = setup.combatants[who.index()].label.clone();
        self.transfers.push(Transfer { kind, who, label, name: name.to_owned(), before, after });
    }
}

impl<C: RandomSource> Fight<C> {
    /// Continues under different rules. If that fails, nothing has changed.
    pub(crate) fn adopt(&mut self, program: &Arc<Program>) -> Result<Adoption, FightError> {
        let names = Counterparts::between(&self.setup.program, program);
        let combatants = self.combatants_under(program, &names)?;
        let setup = self.setup.under(program, &names, combatants);
        let mut report = Adoption::default();
        let transferred = Transferred { from: &self.state, old: &self.setup, new: &setup, names: &names };
        let (state, left) = transferred.state(&mut report);
        if left.overflows {
            return Err(FightError::new(self.state.now, FightErrorKind::Statuses { most: MOST }, &self.setup));
        }
        let mut chance = self.chance.clone();
        chance.rename(&setup.streams);
        let setup = Arc::new(setup);
        let functions = self.functions.as_ref().map(|functions| Arc::new(functions.under(program)));
        let mut next = Self { setup, state, functions, chance, limits: self.limits };
        let (worn, fight) = (self.worn_before(&names), &mut next);
        fight.with_engine(&mut Silent, |engine| engine.continue_under(&names, left, &worn)).map_err(|error| *error)?;
        self.report_numbers(fight, &names, &mut report);
        *self = next;
        report.transfers.sort_by_key(|one| (one.who, one.kind));
        Ok(report)
    }

    /// The same combatants under the new rules. Each participant needs a character there; for free slots, the previous
    /// character does not matter.
    fn combatants_under(&self, program: &Arc<Program>, names: &Counterparts) -> Result<Vec<CombatantPlan>, FightError> {
        let anyone =
            || (0..).map(crate::program::CharacterId).zip(&program.characters).find(|(_, plan)| !plan.template);
        let plan = |who: CombatantId| {
            let was = &self.setup.combatants[who.index()];
            let same = names.characters[was.character.index()];
            let same = same.filter(|same| !program.characters[same.index()].template);
            let vacant = self.state.who(who).vacant;
            let character = same.or_else(|| anyone().filter(|_| vacant).map(|(id, _)| id)).ok_or_else(|| {
                let name = &self.setup.program.characters[was.character.index()].name;
                let label = &was.label;
                self.call_error(format!(
                    "`{label}` takes part, and the new rules have no character `{name}`: despawn it first"
                ))
            })?;
            Ok(CombatantPlan { label: was.label.clone(), character, side: was.side })
        };
        self.setup.ids().map(plan).collect()
    }

    /// The statuses that everyone has through gear, under the old rules and by the names of the new ones.
    fn worn_before(&self, names: &Counterparts) -> Vec<Vec<WornStatus>> {
        let of = |who: CombatantId| {
            let worn = self.state.worn.iter().filter(|(other, _)| *other == who);
            let pieces: Vec<GearId> = worn.map(|(_, piece)| *piece).collect();
            let mut statuses = Vec::new();
            self.setup.program.statuses_of_gear(&pieces, &mut statuses);
            let now =
                |worn: &WornStatus| names.statuses[worn.status.index()].map(|status| WornStatus { status, ..*worn });
            statuses.iter().filter_map(now).collect()
        };
        self.setup.ids().map(of).collect()
    }

    /// The resulting pools and attributes.
    fn report_numbers(&self, new: &Self, names: &Counterparts, report: &mut Adoption) {
        let (old, program) = (&self.setup.program, &new.setup.program);
        for who in self.setup.ids().filter(|who| !self.state.who(*who).absent) {
            for (pool, same) in names.pools.iter().enumerate() {
                let pool = PoolId(pool as u16);
                let Some(same) = same.filter(|same| self.setup.has_pool(who, pool) && new.setup.has_pool(who, *same))
                else {
                    continue;
                };
                let (before, after) = (self.pool(who, pool), new.pool(who, same));
                report.add(&self.setup, TransferKind::Pool, who, &old.pools[pool.index()].name, before, Some(after));
            }
            for attribute in &names.attributes {
                let Some(now) = attribute.now else { continue };
                let number = |state: &State, program: &Program, slot: Slot| state.numbers.at(program.place(who, slot));
                let (before, after) = (number(&self.state, old, attribute.before), number(&new.state, program, now));
                if before != after {
                    report.add(&self.setup, TransferKind::Attribute, who, &attribute.name, before, Some(after));
                }
            }
        }
    }
}

impl Engine<'_> {
    /// Computes what remains after everything else has been carried over.
    fn continue_under(&mut self, names: &Counterparts, left: LeftOver, worn: &[Vec<WornStatus>]) -> FightResult<()> {
        for who in self.setup.ids() {
            // Under the same text nothing has changed, and a taunted combatant would plan its path again.
            if !names.is_same_text {
                self.refresh_control(who);
            }
            self.regrant_abilities(who);
            self.compute_attributes(who, u64::MAX)?;
        }
        for (index, number) in left.kept_anew {
            self.evaluate_kept(index, number)?;
        }
        for who in self.setup.ids() {
            let plan = self.plan_of(who);
            for pool in (0..self.program.pools.len()).filter(|pool| plan.pools[*pool]) {
                self.follow_cap(who, PoolId(pool as u16))?;
            }
            let policy = &self.setup.policies[who.index()];
            for index in policy.first as usize..(policy.first + policy.count) as usize {
                self.recompute_derived(who, index);
            }
            // What somebody cast who has left concerns nobody, but their statuses may still read their attributes.
            if !self.state.who(who).vacant {
                self.note_abilities(who);
            }
            for index in self.state.statuses.of(who).collect::<Vec<_>>() {
                if left.ticks_anew.contains(&index) {
                    self.start_ticking(index)?;
                }
                self.schedule(index);
            }
        }
        for zone in &left.zones {
            self.setup.ids().try_for_each(|who| self.release_holds(*zone, who))?;
        }
        if !left.zones.is_empty() {
            self.schedule_zone_end();
            self.zones_changed();
        }
        for who in left.broken {
            let one = self.state.who_mut(who);
            (one.sustains, one.releases_left) = (false, 0);
            self.state.timers.clear(Timer::Act, who);
            self.release_holds(IN_USE, who)?;
            self.ready(who);
            self.note_abilities(who);
        }
        for (who, before) in self.setup.ids().zip(worn) {
            self.reapply_gear(who, before)?;
        }
        self.schedule_script();
        if !names.is_same_text {
            self.mark_everything_changed();
        }
        if self.state.began { self.respond() } else { Ok(()) }
    }

    /// Conditions, targets, paths and edges may all have changed.
    fn mark_everything_changed(&mut self) {
        self.state.check_conditions = self.state.began && !self.state.statuses.conditional.is_empty();
        for who in self.setup.ids() {
            self.state.who_mut(who).conditions_changed = true;
            self.touch_all(who);
            if self.setup.is_placed {
                self.plan_way(who);
            }
        }
        self.check_all_edges();
    }

    /// A status keeps a value that it did not keep before: it is evaluated now.
    fn evaluate_kept(&mut self, index: u32, number: usize) -> FightResult<()> {
        let record = *self.state.statuses.get(index);
        let frame = self.frame(record.caster, record.owner);
        let saved = self.state.numbers.locals();
        let plan = self.program.status(record.status);
        let ticks = self.state.statuses.rhythm(index, plan).ticks;
        let locals = [(Layout::STACKS, f64::from(record.stacks)), (Layout::TICKS, ticks)];
        for (local, value) in locals {
            self.state.numbers.set_local(local, value);
        }
        let value = self.number(plan.kept[number], &frame);
        self.state.numbers.set_locals(&saved);
        self.state.statuses.keep(index, plan, number, value?);
        self.refresh_attributes(record.owner, plan.changes)
    }

    /// A status ticks that did not tick before.
    fn start_ticking(&mut self, index: u32) -> FightResult<()> {
        let (record, now) = (*self.state.statuses.get(index), self.state.now);
        let plan = self.program.status(record.status);
        let Some(every) = &plan.every else { return Ok(()) };
        let frame = self.frame(record.caster, record.owner);
        let lasts = if record.end() < Time::NEVER { record.ends - now } else { Time::NEVER };
        let period = self.period_of(every, plan, lasts, &frame)?;
        let ticks = ticks_within(false, lasts, period);
        self.state.statuses.set_rhythm(index, plan, |rhythm| {
            *rhythm = Rhythm { begins: now, period, ticks, passed: 0, ..*rhythm };
        });
        Ok(())
    }

    /// The abilities that the statuses of a combatant grant now.
    fn regrant_abilities(&mut self, who: CombatantId) {
        let policy = &self.setup.policies[who.index()];
        for index in policy.first as usize..(policy.first + policy.count) as usize {
            self.settle_by_rules(who, index);
        }
    }

    /// Starts what gear does under the new rules and ends what it did before.
    fn reapply_gear(&mut self, who: CombatantId, before: &[WornStatus]) -> FightResult<()> {
        let mut after = Vec::new();
        self.statuses_of_gear(who, &mut after);
        let same = |one: &WornStatus, other: &WornStatus| {
            (one.status, one.stacks, one.duration.is_some()) == (other.status, other.stacks, other.duration.is_some())
        };
        let gone = before.iter().filter(|was| was.duration.is_none() && !after.iter().any(|is| same(was, is)));
        for worn in gone.collect::<Vec<_>>() {
            self.drop_worn(who, worn.status)?;
        }
        for worn in after.iter().filter(|is| !before.iter().any(|was| same(was, is))) {
            self.apply_worn(who, *worn)?;
        }
        Ok(())
    }
}
