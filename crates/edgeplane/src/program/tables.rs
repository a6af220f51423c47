//! Tables for decisions in a fight, for each combatant: the lines of its policy, the inputs of each line, and its
//! abilities.
//!
//! Times and costs that depend on attributes only are computed once, and again when these change. Others are evaluated
//! at each use.

use super::Program;
use super::abilities::{AbilityPlan, PickPlan};
use super::blocks::BaseChange;
use super::characters::UsePlan;
use super::code::Shape;
use super::encounters::CombatantPlan;
use super::eval::{Draws, Frame, NoChance};
use super::ids::{AbilityId, CombatantId, FormulaId, PoolId, SiteId, Slot, ZoneId};
use super::inputs::Inputs;
use super::memory::Memory;
use super::ops::BinaryOp;
use super::thresholds::Threshold;
use super::time::Time;
use super::tree::Role;
use crate::rules::{Moves, SideRule};

/// The compiled policy of one combatant. Sets of lines are bits; the last bit stands for all lines from the 64th on.
#[derive(Clone, Debug)]
pub(crate) struct CompiledPolicy {
    pub(crate) lines: Vec<CompiledLine>,
    /// Chance chooses among some of the lines.
    pub(crate) draws: bool,
    /// Zones that it avoids.
    pub(crate) avoid: Vec<ZoneId>,
    /// The score of a candidate.
    pub(crate) prefers: Option<FormulaId>,
    /// How it moves while it cannot act; not at all in an encounter without positions.
    pub(crate) moves: Moves,
    /// The reaction time.
    pub(crate) reaction: Time,
    /// It has to notice that a line closes again, because it reacts with a delay, or walks toward closed lines while
    /// busy.
    pub(crate) watches_closing: bool,
    /// The first of its abilities in lists of all abilities of all combatants, and their number.
    pub(crate) first: u32,
    pub(crate) count: u32,
    /// The first of its lines in lists of all lines of all combatants.
    pub(crate) first_line: u32,
    /// For each of its pools, the lines that depend on it.
    pub(crate) own_pools: Vec<u64>,
    /// For each of its pools, the thresholds that keep lines closed.
    pub(crate) own_thresholds: Vec<Vec<LineThreshold>>,
    /// For each bit of its slots, the lines that depend on it.
    pub(crate) own_slots: Box<[u64; 64]>,
    /// Lines that depend on the numbers of standing combatants.
    pub(crate) heads: u64,
    /// Lines whose conditions depend on positions.
    pub(crate) places: PlacesRead,
    /// Those for which only the set of combatants in reach matters, since targets in reach are picked first.
    pub(crate) in_reach: u64,
    /// Lines whose conditions depend on threat.
    pub(crate) threat: u64,
    /// Lines whose conditions make random draws.
    pub(crate) chance: u64,
}

/// Lines whose conditions depend on positions, by the combatant that moves.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct PlacesRead {
    /// The combatant itself.
    pub(crate) own: u64,
    allies: u64,
    enemies: u64,
    /// Lines whose targets are allies, and lines whose targets are enemies, whatever their conditions.
    on_allies: u64,
    on_enemies: u64,
    facing_allies: u64,
    facing_enemies: u64,
}

impl PlacesRead {
    /// Lines that depend on positions of others of a side.
    #[inline]
    pub(crate) fn of(&self, allies: bool) -> u64 {
        if allies { self.allies } else { self.enemies }
    }

    /// Lines that can target others of a side.
    #[inline]
    pub(crate) fn on(&self, allies: bool) -> u64 {
        if allies { self.on_allies } else { self.on_enemies }
    }

    /// Lines that depend on the facing of others of a side.
    #[inline]
    pub(crate) fn of_facing(&self, allies: bool) -> u64 {
        if allies { self.facing_allies } else { self.facing_enemies }
    }

    fn note(&mut self, inputs: &Inputs, targets: SideRule, bit: u64) {
        let (ally, enemy) = match targets {
            SideRule::Enemies => (false, true),
            SideRule::Allies | SideRule::Others | SideRule::Caster => (true, false),
            SideRule::Everyone => (true, true),
        };
        let mark = |concerned: bool| if concerned { bit } else { 0 };
        self.own |= mark(inputs.places());
        self.on_allies |= mark(ally);
        self.on_enemies |= mark(enemy);
        self.allies |= mark(inputs.near_allies || (inputs.distance && ally));
        self.enemies |= mark(inputs.near_enemies || (inputs.distance && enemy));
        self.facing_allies |= mark(inputs.facing && ally);
        self.facing_enemies |= mark(inputs.facing && enemy);
    }
}

/// A line of a policy.
#[derive(Clone, Copy, Debug)]
pub(crate) struct CompiledLine {
    pub(crate) ability: AbilityId,
    pub(crate) when: Option<FormulaId>,
    /// The group of adjacent lines among which chance chooses.
    pub(crate) draws: Option<SiteId>,
    /// The weight with which chance chooses it.
    pub(crate) weight: Option<FormulaId>,
    /// The condition needs a target.
    pub(crate) aims: bool,
    /// The condition changes with time.
    pub(crate) time: bool,
    /// The condition needs a target, and the target picked by a formula changes with time.
    pub(crate) pick_time: bool,
    /// A threshold of the target without which the condition is false.
    pub(crate) closes: Option<Threshold>,
    /// The condition makes random draws.
    pub(crate) chance: bool,
    /// Only a status or a piece grants the ability, and no line names it: not knowing it is not reported.
    pub(crate) quiet: bool,
    /// Another line uses the same ability.
    pub(crate) repeated: bool,
    /// The ability's index in lists of all abilities of all combatants.
    pub(crate) ability_index: u32,
    /// The condition in a form that needs no further lookup, if it has one.
    pub(crate) quick: QuickCondition,
}

/// The most frequent conditions, with the indices of their numbers.
#[derive(Clone, Copy, Debug)]
pub(crate) enum QuickCondition {
    /// Any other condition, or none.
    Ask,
    /// The share of a pool, by the pool's first number, compared with a limit.
    Share(BinaryOp, u32, u32),
    /// One number compared with another.
    Two(BinaryOp, u32, u32),
}

/// The fixed data of one ability of one combatant.
#[derive(Clone, Copy, Debug)]
pub(crate) struct AbilityTable {
    pub(crate) ability: AbilityId,
    pub(crate) unlock: Option<FormulaId>,
    /// The unlock condition changes with time.
    pub(crate) unlock_time: bool,
    pub(crate) cost_pool: PoolId,
    /// The number of its costs.
    pub(crate) costs: u32,
    /// It has more state than cooldown, cost and targets: charges, a number of uses and the like.
    pub(crate) special: bool,
    /// The picked target has to be within a distance.
    pub(crate) reaches: bool,
    /// The caster keeps walking.
    pub(crate) mobile: bool,
    /// Whether there is a target depends on positions.
    pub(crate) by_place: bool,
    /// The combatant has it initially.
    pub(crate) known: bool,
    /// The index of its charges among those of all combatants, if it has any.
    pub(crate) charges: Option<u32>,
    /// The index of its times and cost among those that attributes change, if they do.
    pub(crate) varies: Option<u32>,
    /// Its tags that statuses can forbid.
    pub(crate) forbidden_by: u64,
    /// The lines that use it.
    pub(crate) lines: u64,
    /// The lines that are available only after it.
    pub(crate) opens: u64,
    /// The lines that share its cooldown.
    pub(crate) shares: u64,
}

/// The times and the cost of an ability, given its owner's attributes.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(crate) struct Derived {
    /// [`Derived::ASK`] if it has to be evaluated at each use; the same for the other times.
    pub(crate) cast: Time,
    pub(crate) recovery: Time,
    pub(crate) cooldown: Time,
    /// The single cost; NaN if it has to be evaluated at each use or there are several.
    pub(crate) cost: f64,
}

impl Derived {
    /// A time that depends on more than attributes.
    pub(crate) const ASK: Time = Time(u64::MAX);
}

/// Lines of a combatant that depend on numbers of others.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Listener {
    pub(crate) who: CombatantId,
    pub(crate) lines: u64,
    /// The combatants whose numbers it reads, relative to it.
    pub(crate) side: SideRule,
    /// The line stays closed while the changed pool fails this.
    pub(crate) threshold: Option<LineThreshold>,
}

/// A threshold, and the line that it keeps closed.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LineThreshold {
    /// The line, by its index among all lines of all combatants.
    pub(crate) at: u32,
    /// The same line as a bit among those of its policy.
    pub(crate) line: u64,
    pub(crate) threshold: Threshold,
}

/// Listeners of numbers of others, by pool and by the bits of slots.
#[derive(Clone, Debug, Default)]
pub(crate) struct Listeners {
    pub(crate) pools: Vec<Vec<Listener>>,
    pub(crate) slots: Vec<Vec<Listener>>,
    /// Pools and slots with listeners, one bit each.
    pub(crate) any_pools: u64,
    pub(crate) any_slots: u64,
    /// Whether decisions depend on the facing of others.
    pub(crate) facing: bool,
}

impl CompiledPolicy {
    /// The bit of a line.
    #[inline]
    pub(crate) fn bit(line: usize) -> u64 {
        1 << line.min(63)
    }

    /// The lines that depend on some of the combatant's slots.
    #[inline]
    pub(crate) fn lines_of_slots(&self, mut slots: u64) -> u64 {
        let mut lines = 0;
        while slots != 0 {
            lines |= self.own_slots[slots.trailing_zeros() as usize];
            slots &= slots - 1;
        }
        lines
    }
}

impl Program {
    /// The policies of all combatants, and their listeners.
    pub(crate) fn policies_of(&self, combatants: &[CombatantPlan], placed: bool) -> (Vec<CompiledPolicy>, Listeners) {
        let mut listeners = Listeners {
            pools: vec![Vec::new(); self.pools.len()],
            slots: vec![Vec::new(); 64],
            ..Listeners::default()
        };
        let (mut first, mut first_line) = (0, 0);
        let mut policies = Vec::new();
        for (index, combatant) in combatants.iter().enumerate() {
            let who = CombatantId(index as u16);
            let policy = self.policy_of(combatant, who, placed, (first, first_line), &mut listeners);
            first += policy.count;
            first_line += policy.lines.len() as u32;
            policies.push(policy);
        }
        (policies, listeners)
    }

    fn policy_of(
        &self,
        combatant: &CombatantPlan,
        who: CombatantId,
        placed: bool,
        (first, first_line): (u32, u32),
        listeners: &mut Listeners,
    ) -> CompiledPolicy {
        let plan = &self.characters[combatant.character.index()];
        let uses = &plan.policy.uses;
        let line = |line: &UsePlan| {
            let condition = line.when.map(|when| self.inputs(when)).unwrap_or_default();
            CompiledLine {
                quick: line.when.filter(|_| !line.aims).map_or(QuickCondition::Ask, |when| self.quick(when, who)),
                ability: line.ability,
                when: line.when,
                draws: line.draws,
                weight: line.weight,
                aims: line.aims,
                time: condition.time,
                pick_time: line.aims && self.pick_time(self.ability(line.ability).pick, plan.policy.target),
                closes: line.when.and_then(|when| self.closes(when)),
                chance: condition.chance,
                quiet: usize::from(line.place) >= plan.abilities.len() - plan.brought
                    && (line.of_tag.is_some() || plan.policy.name.is_empty()),
                repeated: uses.iter().filter(|other| other.place == line.place).count() > 1,
                ability_index: first + u32::from(line.place),
            }
        };
        let mut policy = CompiledPolicy {
            lines: uses.iter().map(line).collect(),
            draws: uses.iter().any(|line| line.draws.is_some()),
            avoid: plan.policy.avoid.clone(),
            prefers: plan.policy.target,
            moves: if placed { plan.policy.moves } else { Moves::Hold },
            reaction: plan.policy.reaction,
            watches_closing: plan.policy.reaction > Time::ZERO
                || (placed && plan.abilities.iter().any(|ability| self.ability(*ability).mobile)),
            first,
            count: plan.abilities.len() as u32,
            first_line,
            own_pools: vec![0; self.pools.len()],
            own_thresholds: vec![Vec::new(); self.pools.len()],
            own_slots: Box::new([0; 64]),
            heads: 0,
            places: PlacesRead::default(),
            in_reach: 0,
            threat: 0,
            chance: 0,
        };
        for (index, line) in uses.iter().enumerate() {
            self.depend(&mut policy, who, index, line, placed, listeners);
        }
        policy
    }

    /// Whether the target picked by a formula changes with time, without an event.
    fn pick_time(&self, pick: PickPlan, prefers: Option<FormulaId>) -> bool {
        let formula = match pick {
            PickPlan::Lowest(formula) => Some(formula),
            PickPlan::Policy => prefers,
            _ => None,
        };
        formula.is_some_and(|formula| self.inputs(formula).time)
    }

    /// Records the inputs of a line.
    fn depend(
        &self,
        policy: &mut CompiledPolicy,
        who: CombatantId,
        index: usize,
        line: &UsePlan,
        placed: bool,
        listeners: &mut Listeners,
    ) {
        let bit = CompiledPolicy::bit(index);
        let ability = self.ability(line.ability);
        let mut inputs = line.when.map(|when| self.inputs(when)).unwrap_or_default();
        let reaches = placed && ability.is_about_places();
        policy.chance |= if inputs.chance { bit } else { 0 };
        policy.threat |= if inputs.threat { bit } else { 0 };
        if line.aims {
            // The target of the condition depends on how it is picked.
            let pick = match ability.pick {
                PickPlan::Weakest(Some(pool)) | PickPlan::Strongest(Some(pool)) => {
                    let mut pick = Inputs::default();
                    pick.other.pools = 1 << pool.0;
                    pick
                }
                PickPlan::Lowest(formula) => self.inputs(formula),
                PickPlan::Policy => policy.prefers.map(|formula| self.inputs(formula)).unwrap_or_default(),
                _ => Inputs::default(),
            };
            inputs = inputs.union(pick);
            policy.threat |= if pick.threat { bit } else { 0 };
            let steady =
                !inputs.time && !inputs.chance && line.draws.is_none() && !policy.watches_closing && index < 63;
            if placed && reaches && steady && !inputs.places() && !self.picks_anew(ability) {
                policy.in_reach |= bit;
            }
            // All possible targets are inputs.
            inputs.distance |= placed && (pick.places() || reaches);
        }
        inputs.distance |= policy.watches_closing && reaches;
        policy.places.note(&inputs, ability.side, bit);
        listeners.facing |= inputs.facing;
        let more = ability
            .unlock
            .into_iter()
            .chain(ability.cost.iter().map(|(_, cost)| *cost))
            .chain(ability.reach)
            .chain(ability.area.needs_within());
        let more = more.chain(ability.after.and_then(|(_, within)| within));
        let mut own = more.fold(inputs, |inputs, formula| inputs.union(self.inputs(formula)));
        ability.cost.iter().for_each(|(pool, _)| own.own.pools |= 1 << pool.0);
        let by_others = ability.defeated || ability.side == SideRule::Others;
        policy.heads |= if own.heads || line.aims || reaches || by_others || policy.watches_closing { bit } else { 0 };
        for (pool, lines) in policy.own_pools.iter_mut().enumerate() {
            *lines |= if own.own.pools >> pool & 1 == 1 { bit } else { 0 };
        }
        for (slot, lines) in policy.own_slots.iter_mut().enumerate() {
            *lines |= if own.own.slots >> slot & 1 == 1 { bit } else { 0 };
        }
        // The last bit stands for several lines.
        let thresholds = if index < 63 { self.thresholds(line) } else { Vec::new() };
        let at = policy.first_line + index as u32;
        let of_line = |threshold: &Threshold| LineThreshold { at, line: bit, threshold: *threshold };
        for own in thresholds.iter().filter(|one| one.role == Role::Caster) {
            policy.own_thresholds[own.pool.index()].push(of_line(own));
        }
        listeners.any_pools |= inputs.other.pools;
        listeners.any_slots |= inputs.other.slots;
        let listener = Listener { who, lines: bit, side: ability.side, threshold: None };
        for (pool, list) in (0..).map(PoolId).zip(&mut listeners.pools) {
            if inputs.other.pools >> pool.0 & 1 == 1 {
                let threshold = thresholds.iter().find(|one| one.role == Role::Target && one.pool == pool);
                list.push(Listener { threshold: threshold.map(of_line), ..listener });
            }
        }
        for (slot, list) in listeners.slots.iter_mut().enumerate() {
            if inputs.other.slots >> slot & 1 == 1 {
                list.push(listener);
            }
        }
    }

    fn quick(&self, when: FormulaId, who: CombatantId) -> QuickCondition {
        let frame = Frame::new(self, who, who, 0, 0.0);
        let index = |operand| frame.index(operand) as u32;
        match self.shapes[when.index()] {
            Shape::Share(op, pool, limit) => QuickCondition::Share(op, index(pool), index(limit)),
            Shape::Two(op, a, b) => QuickCondition::Two(op, index(a), index(b)),
            _ => QuickCondition::Ask,
        }
    }

    /// The fixed data of all abilities of a combatant.
    pub(crate) fn ability_tables(
        &self,
        combatant: &CombatantPlan,
        policy: &CompiledPolicy,
        placed: bool,
    ) -> Vec<AbilityTable> {
        let character = &self.characters[combatant.character.index()];
        let known = character.abilities.len() - character.can_learn;
        let lines_where = |test: &dyn Fn(&AbilityPlan) -> bool| {
            let lines = policy.lines.iter().enumerate().filter(|(_, line)| test(self.ability(line.ability)));
            lines.fold(0, |bits, (index, _)| bits | CompiledPolicy::bit(index))
        };
        let one = |(index, id): (usize, &AbilityId)| {
            let plan = self.ability(*id);
            let shared = plan.shared_cooldown.map(|(shared, _)| shared);
            let lines = policy.lines.iter().enumerate().filter(|(_, line)| line.ability == *id);
            AbilityTable {
                ability: *id,
                unlock: plan.unlock,
                unlock_time: plan.unlock.is_some_and(|unlock| self.inputs(unlock).time),
                cost_pool: plan.cost.first().map_or(PoolId(0), |(pool, _)| *pool),
                costs: plan.cost.len() as u32,
                special: plan.is_special() || (placed && plan.travel.is_some()),
                reaches: placed && plan.has_reach(),
                mobile: placed && plan.mobile,
                by_place: placed && plan.is_about_places(),
                known: index < known,
                charges: plan.charges.map(|_| 0),
                varies: (plan.reads != 0).then_some(0),
                forbidden_by: plan.forbidden_by,
                lines: lines.fold(0, |bits, (index, _)| bits | CompiledPolicy::bit(index)),
                opens: lines_where(&|other| other.after.is_some_and(|(after, _)| after == *id)),
                shares: lines_where(&|other| shared.is_some() && other.shared_cooldown.map(|one| one.0) == shared),
            }
        };
        character.abilities.iter().enumerate().map(one).collect()
    }

    /// The times and the cost of an ability, as far as its owner's attributes determine them.
    pub(crate) fn derived(&self, ability: AbilityId, who: CombatantId, memory: &mut Memory) -> Derived {
        let plan = self.ability(ability);
        let mut time = |formula: Option<FormulaId>| match formula.map(|formula| self.known(formula, who, memory)) {
            None => Time::ZERO,
            Some(None) => Derived::ASK,
            Some(Some(seconds)) => Time::from_seconds(seconds),
        };
        let (cast, recovery, cooldown) = (time(plan.cast), time(plan.recovery), time(plan.cooldown));
        let cost = match plan.cost.as_slice() {
            [] => Some(0.0),
            [(_, cost)] => self.known(*cost, who, memory),
            _ => None,
        };
        Derived { cast, recovery, cooldown, cost: cost.unwrap_or(f64::NAN) }
    }

    /// The value of a formula that reads only attributes of its caster and is not negative. Anything else, errors
    /// included, is left to the use.
    fn known(&self, formula: FormulaId, who: CombatantId, memory: &mut Memory) -> Option<f64> {
        if !self.formula(formula).steady {
            return None;
        }
        let frame = Frame::new(self, who, who, 0, 0.0);
        let value = self.number(formula, memory, &frame, &mut NoChance, &mut Draws::default());
        value.ok().filter(|value| *value >= 0.0)
    }
}

impl BaseChange {
    /// Whether it refers to this number of this combatant.
    pub(crate) fn is_of(&self, who: CombatantId, slot: Slot) -> bool {
        self.combatant == who && self.slot == slot
    }
}
