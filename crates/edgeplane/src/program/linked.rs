//! What a fight needs of the rules from moment to moment, gathered for each combatant: the lines of
//! its policy with everything looked up, and the times and costs that hang on its attributes alone.
//!
//! Times and costs are computed once, and again for a combatant whose attributes change. Those that
//! hang on more than attributes are left open and evaluated each time.

use super::Program;
use super::abilities::PickPlan;
use super::blocks::BaseChange;
use super::characters::Watch;
use super::code::Shape;
use super::encounters::CombatantPlan;
use super::eval::{Draws, Frame, Memory, NoChance};
use super::ids::{AbilityId, CombatantId, FormulaId, PoolId};
use super::ops::BinaryOp;
use super::time::Time;
use super::tree::{Read, Role};
use crate::rules::SideRule;

/// One combatant's part.
#[derive(Clone, Debug)]
pub(crate) struct Linked {
    pub(crate) lines: Vec<LinkedLine>,
    pub(crate) watch: Watch,
    pub(crate) reaction: Time,
    /// The first enemy in the order of the encounter.
    pub(crate) first_enemy: Option<CombatantId>,
    /// Where this combatant's abilities begin in lists of all abilities of all combatants.
    pub(crate) first: u32,
}

/// A line of a policy.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LinkedLine {
    pub(crate) ability: AbilityId,
    pub(crate) when: Option<FormulaId>,
    pub(crate) aims: bool,
    /// The ability's place in lists of all abilities of all combatants.
    pub(crate) place: u32,
    /// It needs no look beyond its cooldown, one known cost and one target that is found at once.
    pub(crate) plain: bool,
    /// Pools that its condition reads, one bit each; all where that cannot be told.
    pub(crate) reads: u64,
    /// The condition in a form that needs no further look-up, if it has one.
    pub(crate) quick: QuickCondition,
}

/// The commonest conditions, with the indices of their numbers.
#[derive(Clone, Copy, Debug)]
pub(crate) enum QuickCondition {
    /// Any other, or none.
    Ask,
    /// A pool's share, by the pool's first number, is below a limit.
    ShareBelow(u32, u32),
    /// A pool's share against a limit.
    Share(BinaryOp, u32, u32),
    /// One number against another.
    Two(BinaryOp, u32, u32),
}

/// An ability in the hands of one combatant.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct InHand {
    pub(crate) cast: Known<Time>,
    pub(crate) recovery: Known<Time>,
    pub(crate) cooldown: Known<Time>,
    /// The first of what it costs; the rest is rare, and looked up.
    pub(crate) price: Option<(PoolId, Known<f64>)>,
    pub(crate) more_prices: bool,
    /// Index of the first number of the pool that pays the first of its costs.
    pub(crate) price_from: u32,
    pub(crate) unlock: Option<FormulaId>,
    pub(crate) aim: Aim,
}

/// How targets are found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Aim {
    /// The caster itself.
    Itself,
    /// The first enemy that stands.
    FirstEnemy,
    /// By a longer look.
    Picked,
}

/// A value that is known as long as attributes stay as they are, or the formula to ask each time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Known<T> {
    Is(T),
    Ask(FormulaId),
}

impl Program {
    /// Links the policies of all combatants.
    pub(crate) fn link(&self, combatants: &[CombatantPlan]) -> Vec<Linked> {
        let (mut first, mut who) = (0, 0);
        let one = |combatant: &CombatantPlan| {
            let plan = &self.characters[combatant.character.index()];
            let me = CombatantId(who);
            who += 1;
            let line = |line: &super::characters::UsePlan| LinkedLine {
                quick: line.when.filter(|_| !line.aims).map_or(QuickCondition::Ask, |when| self.quick(when, me)),
                ability: line.ability,
                when: line.when,
                aims: line.aims,
                place: first + u32::from(line.place),
                reads: line.when.map_or(0, |when| self.pools_read(when)),
                plain: !line.aims && self.is_plain(line.ability),
            };
            let lines = plan.policy.uses.iter().map(line).collect();
            let enemy = combatants.iter().position(|other| other.side != combatant.side);
            let first_enemy = enemy.map(|index| CombatantId(index as u16));
            let linked = Linked { first_enemy, lines, watch: plan.policy.watch, reaction: plan.policy.reaction, first };
            first += plan.abilities.len() as u32;
            linked
        };
        combatants.iter().map(one).collect()
    }

    fn pools_read(&self, when: FormulaId) -> u64 {
        let mut bits = 0;
        self.formula(when).each_read(|read| match read {
            Read::Pool(_, pool, _) => bits |= 1 << pool.0,
            Read::Now => bits = u64::MAX,
            _ => {}
        });
        bits
    }

    fn is_plain(&self, ability: AbilityId) -> bool {
        let plan = self.ability(ability);
        let own = |cost: FormulaId| {
            let mut own = true;
            self.formula(cost)
                .each_read(|read| own &= matches!(read, Read::Attribute(Role::Caster, _) | Read::Local(_)));
            own
        };
        plan.unlock.is_none() && plan.cost.len() <= 1 && plan.cost.iter().all(|(_, cost)| own(*cost))
    }

    fn quick(&self, when: FormulaId, who: CombatantId) -> QuickCondition {
        let frame = Frame::new(self, who, who, 0, 0.0);
        let index = |operand| frame.index(operand) as u32;
        match self.shapes[when.index()] {
            Shape::Share(BinaryOp::Less, pool, limit) => QuickCondition::ShareBelow(index(pool), index(limit)),
            Shape::Share(op, pool, limit) => QuickCondition::Share(op, index(pool), index(limit)),
            Shape::Two(op, a, b) => QuickCondition::Two(op, index(a), index(b)),
            _ => QuickCondition::Ask,
        }
    }

    /// All abilities of a combatant with what is known of them.
    pub(crate) fn in_hand(&self, combatant: &CombatantPlan, who: CombatantId, memory: &mut Memory) -> Vec<InHand> {
        let abilities = &self.characters[combatant.character.index()].abilities;
        abilities.iter().map(|ability| self.ability_in_hand(*ability, who, memory)).collect()
    }

    fn ability_in_hand(&self, ability: AbilityId, who: CombatantId, memory: &mut Memory) -> InHand {
        let plan = self.ability(ability);
        let mut time = |formula: Option<FormulaId>| match formula {
            None => Known::Is(Time::ZERO),
            Some(formula) => match self.known(formula, who, memory) {
                Known::Is(seconds) => Known::Is(Time::from_seconds(seconds)),
                Known::Ask(formula) => Known::Ask(formula),
            },
        };
        InHand {
            cast: time(plan.cast),
            recovery: time(plan.recovery),
            cooldown: time(plan.cooldown),
            price: plan.cost.first().map(|(pool, cost)| (*pool, self.known(*cost, who, memory))),
            more_prices: plan.cost.len() > 1,
            price_from: plan.cost.first().map_or(0, |(pool, _)| self.place(who, self.layout.pool(*pool)) as u32),
            unlock: plan.unlock,
            aim: match (plan.side, plan.pick, plan.count) {
                (SideRule::Caster, ..) => Aim::Itself,
                (SideRule::Enemies, PickPlan::First, 1) => Aim::FirstEnemy,
                _ => Aim::Picked,
            },
        }
    }

    /// The value of a formula that reads only the attributes of its caster and is not below zero.
    /// Anything else is left for the moment of use, errors included.
    fn known(&self, formula: FormulaId, who: CombatantId, memory: &mut Memory) -> Known<f64> {
        let compiled = self.formula(formula);
        let mut fixed = !compiled.draws();
        compiled.each_read(|read| fixed &= matches!(read, Read::Attribute(Role::Caster, _) | Read::Local(_)));
        let frame = Frame::new(self, who, who, 0, 0.0);
        let value = self.number(formula, memory, &frame, &mut NoChance, &mut Draws::default());
        match value {
            Ok(value) if fixed && value >= 0.0 => Known::Is(value),
            _ => Known::Ask(formula),
        }
    }
}

impl BaseChange {
    /// Whether it is about this number of this combatant.
    pub(crate) fn is_of(&self, who: CombatantId, slot: super::ids::Slot) -> bool {
        self.combatant == who && self.slot == slot
    }
}
