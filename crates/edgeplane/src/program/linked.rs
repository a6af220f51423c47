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
use super::ids::{AbilityId, CombatantId, FormulaId, PoolId, SiteId};
use super::ops::BinaryOp;
use super::time::Time;
use super::tree::Read;
use crate::rules::{Moves, SideRule};

/// One combatant's part.
#[derive(Clone, Debug)]
pub(crate) struct Linked {
    pub(crate) lines: Vec<LinkedLine>,
    /// For each pool, the lines whose conditions read it, one bit each.
    pub(crate) readers: Vec<u64>,
    pub(crate) watch: Watch,
    /// How often it looks at conditions that change as time passes; never, if it has none.
    pub(crate) polls: Time,
    /// All lines, one bit each; the first 64 of them.
    pub(crate) all: u64,
    /// Lines without a condition, one bit each.
    pub(crate) unconditional: u64,
    /// Where chance chooses among the uses that are possible.
    pub(crate) draws: Option<SiteId>,
    /// How much it prefers a target.
    pub(crate) prefers: Option<FormulaId>,
    /// Where it goes while it cannot act; nowhere, in an encounter without places.
    pub(crate) moves: Moves,
    /// How often somebody on the way looks again whether there is a better one.
    pub(crate) reaction: Time,
    /// The combatants have places.
    pub(crate) placed: bool,
    /// Its looks always take the long way.
    pub(crate) careful: bool,
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
    /// How likely chance chooses it, compared with others.
    pub(crate) weight: Option<FormulaId>,
    pub(crate) aims: bool,
    /// The ability's place in lists of all abilities of all combatants.
    pub(crate) place: u32,
    /// Pools that its condition reads, one bit each; all where that cannot be told.
    pub(crate) reads: u64,
    /// The condition has to be asked at every look: it draws chance, looks at a target that has to be
    /// picked, or changes as time passes.
    pub(crate) fleeting: bool,
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
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct InHand {
    /// When its cooldown ends.
    pub(crate) ready: Time,
    /// [`InHand::ASK`] where it has to be evaluated each time, as for the other times.
    pub(crate) cast: Time,
    pub(crate) recovery: Time,
    pub(crate) cooldown: Time,
    /// The one cost, if it is known.
    pub(crate) cost: f64,
    /// Index of the first number of the pool that pays it.
    pub(crate) cost_from: u32,
    pub(crate) cost_pool: PoolId,
    pub(crate) ability: AbilityId,
    /// It costs nothing, or one known cost.
    pub(crate) simply_paid: bool,
    /// It costs nothing.
    pub(crate) free: bool,
    /// There is more to it than cooldown, cost and targets: charges, a number of uses and the like.
    pub(crate) special: bool,
    /// It needs no look beyond its cooldown, one known cost and whether its target stands.
    pub(crate) plain: bool,
    /// Whom it would be used on first, if that needs no longer look.
    pub(crate) target: CombatantId,
    pub(crate) aim: Aim,
    pub(crate) unlock: Option<FormulaId>,
    /// Its first target has to be near enough.
    pub(crate) reaches: bool,
    /// The combatant has it now.
    pub(crate) had: bool,
}

impl InHand {
    /// A time that hangs on more than attributes.
    pub(crate) const ASK: Time = Time(u64::MAX);
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

/// The lines whose conditions read a pool.
fn readers(lines: &[LinkedLine], pool: usize) -> u64 {
    let read = lines.iter().enumerate().take(64).filter(|(_, line)| line.reads >> pool & 1 == 1);
    read.fold(0, |bits, (bit, _)| bits | 1 << bit)
}

impl Program {
    /// Links the policies of all combatants.
    pub(crate) fn link(&self, combatants: &[CombatantPlan], placed: bool) -> Vec<Linked> {
        let (mut first, mut who) = (0, 0);
        let one = |combatant: &CombatantPlan| {
            let plan = &self.characters[combatant.character.index()];
            let me = CombatantId(who);
            who += 1;
            let line = |line: &super::characters::UsePlan| LinkedLine {
                quick: line.when.filter(|_| !line.aims).map_or(QuickCondition::Ask, |when| self.quick(when, me)),
                ability: line.ability,
                when: line.when,
                weight: line.weight,
                aims: line.aims,
                place: first + u32::from(line.place),
                reads: line.when.map_or(0, |when| self.pools_read(when)),
                fleeting: line.aims || line.when.is_some_and(|when| self.is_fleeting(when)),
            };
            let lines: Vec<LinkedLine> = plan.policy.uses.iter().map(line).collect();
            let enemy = combatants.iter().position(|other| other.side != combatant.side);
            let first_enemy = enemy.map(|index| CombatantId(index as u16));
            let policy = &plan.policy;
            let bit = |(bit, line): (usize, &LinkedLine)| if line.when.is_none() { 1 << bit } else { 0 };
            let linked = Linked {
                first_enemy,
                all: (0..lines.len().min(64)).fold(0, |bits, bit| bits | 1 << bit),
                readers: (0..self.pools.len()).map(|pool| readers(&lines, pool)).collect(),
                unconditional: lines.iter().enumerate().take(64).map(bit).sum(),
                lines,
                draws: policy.draws,
                prefers: policy.target,
                moves: if placed { policy.moves } else { Moves::Hold },
                reaction: policy.reaction,
                placed,
                careful: placed || policy.watch.blind || policy.draws.is_some(),
                watch: policy.watch,
                polls: if policy.watch.time { policy.reaction } else { Time::NEVER },
                first,
            };
            first += plan.abilities.len() as u32;
            linked
        };
        combatants.iter().map(one).collect()
    }

    fn pools_read(&self, when: FormulaId) -> u64 {
        let mut bits = 0;
        self.formula(when).each_read(|read| match read {
            Read::Pool(_, pool, _) => bits |= 1 << pool.0,
            Read::Now | Read::Distance | Read::Threat => bits = u64::MAX,
            _ => {}
        });
        bits
    }

    fn is_fleeting(&self, when: FormulaId) -> bool {
        let formula = self.formula(when);
        let mut fleeting = formula.draws();
        formula.each_read(|read| match read {
            Read::Pool(_, pool, _) => fleeting |= self.pools[pool.index()].flows(),
            Read::Now | Read::Distance | Read::Threat => fleeting = true,
            _ => {}
        });
        fleeting
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
    pub(crate) fn in_hand(
        &self,
        combatant: &CombatantPlan,
        who: CombatantId,
        linked: &Linked,
        memory: &mut Memory,
    ) -> Vec<InHand> {
        let abilities = &self.characters[combatant.character.index()].abilities;
        let had = abilities.len() - self.characters[combatant.character.index()].withheld;
        let one = |(place, ability): (usize, &AbilityId)| {
            let hand = self.ability_in_hand(*ability, who, linked, memory);
            InHand { had: place < had, ..hand }
        };
        abilities.iter().enumerate().map(one).collect()
    }

    pub(crate) fn ability_in_hand(
        &self,
        ability: AbilityId,
        who: CombatantId,
        linked: &Linked,
        memory: &mut Memory,
    ) -> InHand {
        let plan = self.ability(ability);
        let mut time = |formula: Option<FormulaId>| match formula.map(|formula| self.known(formula, who, memory)) {
            None => Time::ZERO,
            Some(None) => InHand::ASK,
            Some(Some(seconds)) => Time::from_seconds(seconds),
        };
        let (cast, recovery, cooldown) = (time(plan.cast), time(plan.recovery), time(plan.cooldown));
        let about_places = linked.placed && plan.is_about_places();
        let (aim, target) = match (plan.side, plan.pick, plan.count, linked.first_enemy) {
            _ if about_places => (Aim::Picked, who),
            (SideRule::Caster, ..) => (Aim::Itself, who),
            (SideRule::Enemies, PickPlan::First, 1, Some(enemy)) => (Aim::FirstEnemy, enemy),
            _ => (Aim::Picked, who),
        };
        let special = plan.is_special() || (linked.placed && plan.travel.is_some());
        let first = plan.cost.first();
        let cost = first.map_or(Some(0.0), |(_, cost)| self.known(*cost, who, memory));
        let simply_paid = plan.cost.len() <= 1 && cost.is_some();
        InHand {
            ready: Time::ZERO,
            cast,
            recovery,
            cooldown,
            cost: cost.unwrap_or(f64::NAN),
            cost_from: first.map_or(0, |(pool, _)| self.place(who, self.layout.pool(*pool)) as u32),
            cost_pool: first.map_or(PoolId(0), |(pool, _)| *pool),
            ability,
            simply_paid,
            free: first.is_none(),
            special,
            plain: simply_paid && plan.unlock.is_none() && aim != Aim::Picked && !special,
            target,
            aim,
            unlock: plan.unlock,
            reaches: linked.placed && plan.reach.is_some(),
            had: true,
        }
    }

    /// The value of a formula that reads only the attributes of its caster and is not below zero.
    /// Anything else is left for the moment of use, errors included.
    fn known(&self, formula: FormulaId, who: CombatantId, memory: &mut Memory) -> Option<f64> {
        let steady = self.formula(formula).steady;
        let frame = Frame::new(self, who, who, 0, 0.0);
        let value = self.number(formula, memory, &frame, &mut NoChance, &mut Draws::default());
        value.ok().filter(|value| steady && *value >= 0.0)
    }
}

impl BaseChange {
    /// Whether it is about this number of this combatant.
    pub(crate) fn is_of(&self, who: CombatantId, slot: super::ids::Slot) -> bool {
        self.combatant == who && self.slot == slot
    }
}
