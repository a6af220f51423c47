//! What the value of a condition depends on, as bit sets: the numbers of the fight whose change can
//! change the condition. The engine looks at a condition again when one of them changes, and not
//! otherwise.

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
    /// Attributes, the level, stacks of statuses and counts of tags: the bits of their slots, of which
    /// two may share one; see `dirty`.
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

/// Everything that a condition depends on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Inputs {
    /// Numbers of the one who acts.
    pub own: Reads,
    /// Numbers of the target.
    pub other: Reads,
    /// How many stand on each side.
    pub heads: bool,
    /// Where the one who acts and the target are.
    pub distance: bool,
    /// The direction in which the target faces.
    pub facing: bool,
    /// Who is near the one who acts, of its enemies and of its allies.
    pub near_enemies: bool,
    /// See `near_enemies`.
    pub near_allies: bool,
    /// Threat of the target in the eyes of the one who acts.
    pub threat: bool,
    /// The value changes as time passes, with nothing else happening.
    pub time: bool,
    /// The value is drawn.
    pub chance: bool,
    /// A target has to be known.
    pub target: bool,
}

impl Inputs {
    /// Whether it matters who is where.
    pub(crate) fn places(&self) -> bool {
        self.distance || self.near_enemies || self.near_allies
    }

    /// What either of two depends on.
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
    /// What a formula depends on.
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
