//! Which names mean something where.

/// What a formula may read, by the place in which it stands.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Scope {
    /// The place, for messages: "in a hit step".
    pub(crate) place: &'static str,
    /// Bare names are the owner's own attributes.
    pub(crate) own: bool,
    /// `self.x`
    pub(crate) owner: bool,
    /// `caster.x`
    pub(crate) caster: bool,
    /// `target.x`
    pub(crate) target: bool,
    /// Pools can be read: they change from moment to moment.
    pub(crate) pools: bool,
    /// `now`, and counts of who stands.
    pub(crate) fight: bool,
    /// `amount` and `hit.*`
    pub(crate) amount: bool,
    /// A damage type is at hand, so that a per-type attribute has one value.
    pub(crate) typed: bool,
    /// Chance may be drawn.
    pub(crate) chance: bool,
}

const NOTHING: Scope = Scope {
    place: "in a formula of one's own",
    own: false,
    owner: false,
    caster: false,
    target: false,
    pools: false,
    fight: false,
    amount: false,
    typed: false,
    chance: false,
};

impl Scope {
    /// A `[formula.*]`: its arguments, and chance where the caller may draw.
    pub(crate) const FUNCTION: Self = Self { chance: true, ..NOTHING };
    /// An attribute's base or bounds, a pool's cap, start or flow.
    pub(crate) const ATTRIBUTE: Self = Self { place: "in an attribute or a pool", own: true, owner: true, ..NOTHING };
    /// The same for a per-type attribute.
    pub(crate) const TYPED_ATTRIBUTE: Self = Self { typed: true, ..Self::ATTRIBUTE };
    /// Cost and unlock of an ability: looked at again and again, so without chance.
    pub(crate) const PRICE: Self =
        Self { place: "in a cost or an unlock", owner: true, caster: true, pools: true, fight: true, ..NOTHING };
    /// Cast, cooldown and recovery of an ability.
    pub(crate) const TIMING: Self = Self { place: "in a cast, cooldown or recovery", chance: true, ..Self::PRICE };
    /// The outcomes of an ability.
    pub(crate) const OUTCOME: Self = Self { place: "in an outcome", target: true, ..Self::TIMING };
    /// A heal step.
    pub(crate) const HEAL_STEP: Self = Self { place: "in a heal step", owner: false, amount: true, ..Self::OUTCOME };
    /// A hit step.
    pub(crate) const HIT_STEP: Self = Self { place: "in a hit step", typed: true, ..Self::HEAL_STEP };
    /// The condition of a policy.
    pub(crate) const POLICY: Self = Self { place: "in a policy", caster: false, ..Self::OUTCOME };
    /// The score by which targets are compared.
    pub(crate) const SCORE: Self = Self { place: "in a choice of targets", chance: false, ..Self::OUTCOME };

    /// How to spell somebody's attribute here, for help.
    pub(crate) fn spellings(&self, name: &str) -> String {
        let roles = [(self.owner && !self.caster, "self"), (self.caster, "caster"), (self.target, "target")];
        let spelled: Vec<String> =
            roles.iter().filter(|(there, _)| *there).map(|(_, role)| format!("`{role}.{name}`")).collect();
        spelled.join(" or ")
    }
}
