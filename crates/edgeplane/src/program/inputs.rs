//! The inputs of conditions as bit sets: the numbers of a fight whose change can change the condition. The engine
//! evaluates a condition again when one of them changes, and not otherwise.

use super::Program;
use super::dirty;
use super::ids::FormulaId;
use super::layout::Layout;
use super::tree::{Counted, Read, Role};

/// Numbers of one combatant.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Reads {
    /// Pools, one bit each.
    pub pools: u64,
    /// Attributes, the level, stacks of statuses and tag counts: the bits of their slots, some of which are shared; see
    /// `dirty`.
    pub slots: u64,
}

impl Reads {
    /// Whether two sets have a number in common.
    #[inline]
    pub(crate) fn meets(self, other: Self) -> bool {
        self.pools & other.pools != 0 || self.slots & other.slots != 0
    }

    fn union(self, other: Self) -> Self {
        Self { pools: self.pools | other.pools, slots: self.slots | other.slots }
    }
}

/// All inputs of a condition.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Inputs {
    /// Numbers of the caster.
    pub own: Reads,
    /// Numbers of the target.
    pub other: Reads,
    /// The numbers of standing combatants.
    pub heads: bool,
    /// The positions of caster and target.
    pub distance: bool,
    /// The direction in which the target faces.
    pub facing: bool,
    /// The combatants near the caster, among its enemies and its allies.
    pub near_enemies: bool,
    /// See `near_enemies`.
    pub near_allies: bool,
    /// The threat of the target for the caster.
    pub threat: bool,
    /// The value changes with time, without an event.
    pub time: bool,
    /// The value is drawn by chance.
    pub chance: bool,
    /// A target has to be known.
    pub target: bool,
}

impl Inputs {
    /// Whether it depends on positions.
    pub(crate) fn places(&self) -> bool {
        self.distance || self.near_enemies || self.near_allies
    }

    /// The union of two sets.
    pub(crate) fn union(self, other: Self) -> Self {
        Self {
            own: self.own.union(other.own),
            other: self.other.union(other.other),
            heads: self.heads | other.heads,
            distance: self.distance | other.distance,
            facing: self.facing | other.facing,
            near_enemies: self.near_enemies | other.near_enemies,
            near_allies: self.near_allies | other.near_allies,
            threat: self.threat | other.threat,
            time: self.time | other.time,
            chance: self.chance | other.chance,
            target: self.target | other.target,
        }
    }

    fn add(&mut self, program: &Program, read: Read) {
        let reads = |inputs: &mut Self, role: Role, reads: Reads| match role {
            Role::Caster => inputs.own = inputs.own.union(reads),
            Role::Target => {
                inputs.other = inputs.other.union(reads);
                inputs.target = true;
            }
        };
        let slots = |slots: u64| Reads { pools: 0, slots };
        match read {
            Read::Attribute(role, slot) => reads(self, role, slots(dirty::bit(slot))),
            Read::Typed(role, slot) => reads(self, role, slots(dirty::bits(slot, program.layout.types))),
            Read::Standing(_, Layout::ENEMIES | Layout::ALLIES | Layout::STANDS) => self.heads = true,
            Read::Standing(role, slot) => reads(self, role, slots(dirty::bit(slot))),
            Read::Pool(role, pool, _) => {
                reads(self, role, Reads { pools: 1 << pool.0, slots: 0 });
                self.time |= program.pools[pool.index()].flows();
            }
            Read::Now => self.time = true,
            Read::Distance | Read::Angle => {
                (self.distance, self.time, self.target) = (true, true, true);
                self.facing |= read == Read::Angle;
            }
            Read::Threat => (self.threat, self.target) = (true, true),
            Read::Local(_) => {}
        }
    }
}

impl Program {
    /// The inputs of a formula.
    pub(crate) fn inputs(&self, formula: FormulaId) -> Inputs {
        let mut inputs = Inputs { chance: self.formula(formula).draws(), ..Inputs::default() };
        self.formula(formula).each_read(|read| inputs.add(self, read));
        self.formula(formula).each_count(|counted| {
            (inputs.heads, inputs.time) = (true, true);
            inputs.near_enemies |= !matches!(counted, Counted::Allies | Counted::Others);
            inputs.near_allies |= counted != Counted::Enemies;
        });
        inputs
    }
}
