//! The names with a meaning in each context.

use super::tree::Role;

/// What a formula may read, depending on its context.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Scope {
    /// The context, for messages: "in a hit step".
    pub(crate) place: &'static str,
    /// Bare names are the owner's own attributes.
    pub(crate) own: bool,
    /// `self.x`
    pub(crate) owner: bool,
    /// `caster.x`
    pub(crate) caster: bool,
    /// `target.x`
    pub(crate) target: bool,
    /// Pools can be read: they change over time.
    pub(crate) pools: bool,
    /// `now`, and counts of standing combatants.
    pub(crate) fight: bool,
    /// `amount` and `hit.*`
    pub(crate) amount: bool,
    /// There is a damage type, so a per-type attribute has one value.
    pub(crate) typed: bool,
    /// An ability affects its targets one after the other: `order`.
    pub(crate) order: bool,
    /// Random draws are allowed.
    pub(crate) chance: bool,
    /// Functions of the game may be called.
    pub(crate) game: bool,
    /// There is a status: `stacks`.
    pub(crate) status: bool,
    /// It has begun: `tick`, `ticks`, `elapsed`, `remaining`.
    pub(crate) runs: bool,
    /// `snapshot(...)`
    pub(crate) keeps: bool,
    /// `self` is the target.
    pub(crate) owner_is_target: bool,
    /// Attributes are not computed ahead.
    pub(crate) plain: bool,
}

const NOTHING: Scope = Scope {
    place: "in a `[formula.*]`",
    own: false,
    owner: false,
    caster: false,
    target: false,
    pools: false,
    fight: false,
    amount: false,
    typed: false,
    order: false,
    chance: false,
    game: false,
    status: false,
    runs: false,
    keeps: false,
    owner_is_target: false,
    plain: false,
};

impl Scope {
    /// A `[formula.*]`: its arguments, and random draws if the caller allows them.
    pub(crate) const FUNCTION: Self = Self { chance: true, game: true, ..NOTHING };
    /// The same for a function of the game: its default makes no draws.
    pub(crate) const STAND_IN: Self = Self { place: "in the default of a function of the game", ..NOTHING };
    /// An attribute's base or bounds, a pool's cap, start or flow.
    pub(crate) const ATTRIBUTE: Self =
        Self { place: "in an attribute or a pool", own: true, owner: true, plain: true, ..NOTHING };
    /// The same for a per-type attribute.
    pub(crate) const TYPED_ATTRIBUTE: Self = Self { typed: true, ..Self::ATTRIBUTE };
    /// Cost and unlock of an ability: evaluated repeatedly, so without random draws.
    pub(crate) const PRICE: Self =
        Self { place: "in a cost or an unlock", owner: true, caster: true, pools: true, fight: true, ..NOTHING };
    /// The time window of an ability after another one: evaluated repeatedly, too.
    pub(crate) const WINDOW: Self = Self { place: "in an `after`", ..Self::PRICE };
    /// Reach and radius of an ability.
    pub(crate) const REACH: Self = Self { place: "in a reach or a radius", ..Self::PRICE };
    /// Cast, cooldown and recovery of an ability.
    pub(crate) const TIMING: Self =
        Self { place: "in a cast, cooldown or recovery", chance: true, game: true, ..Self::PRICE };
    /// The effects of an ability.
    pub(crate) const EFFECT: Self = Self { place: "in an effect", target: true, order: true, ..Self::TIMING };
    /// The effects of a cause, with a number given by the game.
    pub(crate) const CAUSE: Self = Self { place: "in a cause", amount: true, order: false, ..Self::EFFECT };
    /// A heal step.
    pub(crate) const HEAL_STEP: Self =
        Self { place: "in a heal step", owner: false, amount: true, order: false, ..Self::EFFECT };
    /// A hit step.
    pub(crate) const HIT_STEP: Self = Self { place: "in a hit step", typed: true, ..Self::HEAL_STEP };
    /// The condition of a policy.
    pub(crate) const POLICY: Self = Self { place: "in a policy", caster: false, order: false, ..Self::EFFECT };
    /// The score by which targets are picked.
    pub(crate) const SCORE: Self =
        Self { place: "in a choice of targets", chance: false, order: false, ..Self::EFFECT };
    /// Threat: `caster` is its source, `target` keeps it.
    pub(crate) const THREAT: Self = Self { place: "in a threat", owner: false, ..Self::SCORE };

    /// Rules of levels: bare names are attributes of the combatant with that level.
    pub(crate) const LEVELS: Self = Self { place: "in `levels`", ..Self::ATTRIBUTE };
    /// The reward for a defeat.
    pub(crate) const REWARD: Self = Self { place: "in a `reward`", caster: false, ..Self::PRICE };
    /// The chance that a piece of gear is worn.
    pub(crate) const WEAR: Self = Self { place: "in a piece's `chance`", caster: false, ..Self::PRICE };
    /// The initial amount of a pool.
    pub(crate) const START: Self = Self { place: "in a `start`", caster: false, ..Self::PRICE };
    /// The gain between two encounters.
    pub(crate) const REST: Self = Self { place: "in a rest", caster: false, ..Self::PRICE };
    /// The score of a policy.
    pub(crate) const PREFERENCE: Self = Self { place: "in a policy's `target`", chance: false, ..Self::POLICY };

    /// Numbers of a status evaluated when it is applied: its duration, period and rank.
    pub(crate) const APPLIED: Self = Self {
        place: "in a value evaluated when a status is applied",
        owner: true,
        owner_is_target: true,
        caster: true,
        target: true,
        pools: true,
        fight: true,
        chance: true,
        game: true,
        status: true,
        ..NOTHING
    };
    /// Within `snapshot(...)`.
    pub(crate) const SNAPSHOT: Self =
        Self { place: "in a snapshot", chance: false, game: false, runs: true, ..Self::APPLIED };
    /// A modifier: recomputed with the attributes and the stacks, so it reads nothing else.
    pub(crate) const MODIFIER: Self =
        Self { place: "in a modifier", owner: true, status: true, runs: true, keeps: true, plain: true, ..NOTHING };
    /// The same for a per-type attribute.
    pub(crate) const TYPED_MODIFIER: Self = Self { typed: true, ..Self::MODIFIER };
    /// The effects of a tick: the combatant that applied the status acts on its owner.
    pub(crate) const TICK: Self = Self { place: "in a tick", keeps: true, runs: true, ..Self::APPLIED };
    /// The effects of a trigger: the owner acts.
    pub(crate) const TRIGGER: Self = Self {
        place: "in a trigger",
        owner_is_target: false,
        caster: false,
        amount: true,
        keeps: true,
        runs: true,
        ..Self::APPLIED
    };
    /// The `while` condition of a status.
    pub(crate) const HOLDS: Self =
        Self { place: "in a `while`", chance: false, game: false, keeps: true, runs: true, ..Self::APPLIED };
    /// The values in a text for players.
    pub(crate) const SHOWN: Self = Self { place: "in a text", ..Self::HOLDS };

    /// The meaning of `self`.
    pub(crate) fn owner_role(&self) -> Role {
        if self.owner_is_target { Role::Target } else { Role::Caster }
    }

    /// How to write an attribute of a combatant in this context, for help.
    pub(crate) fn spellings(&self, name: &str) -> String {
        // The owner of a status is also its `target`; the owner of an ability is also its `caster`.
        let of_status = self.owner && self.owner_is_target;
        let owner = self.owner && (of_status || !self.caster);
        let roles = [(owner, "self"), (self.caster, "caster"), (self.target && !of_status, "target")];
        let spelled: Vec<String> =
            roles.iter().filter(|(there, _)| *there).map(|(_, role)| format!("`{role}.{name}`")).collect();
        spelled.join(" or ")
    }
}
