//! Dense ids, to which names are resolved.

macro_rules! ids {
    ($($name:ident($number:ty) $about:literal;)*) => { $(
        #[doc = $about]
        #[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
        pub struct $name(pub $number);

        impl $name {
            /// The id as an index.
            #[inline(always)]
            pub fn index(self) -> usize {
                self.0 as usize
            }
        }
    )* };
}

ids! {
    PoolId(u16) "A pool of the ruleset.";
    DamageTypeId(u16) "A damage type of the ruleset.";
    StepId(u16) "A hit step or a heal step, by its place in the order.";
    StatusId(u16) "A status of the ruleset.";
    ZoneId(u16) "A zone of the ruleset.";
    AbilityId(u16) "An ability of the ruleset.";
    CauseId(u16) "A cause of the ruleset.";
    ReportId(u16) "What effects report to the game, by its name.";
    GearId(u16) "A piece of gear of the ruleset.";
    PolicyId(u16) "A policy of the ruleset.";
    CharacterId(u16) "A character of the ruleset.";
    EncounterId(u16) "An encounter of the ruleset.";
    CurveId(u16) "A curve of the ruleset.";
    FormulaId(u32) "A formula of the ruleset.";
    SiteId(u32) "A place in the ruleset where chance is drawn.";
    SideId(u16) "A side of an encounter.";
    CombatantId(u16) "A combatant of an encounter.";
    Slot(u16) "Where a number of a combatant is kept in its block.";
}

impl Slot {
    /// The slot at an offset.
    pub(crate) fn plus(self, more: u16) -> Self {
        Self(self.0 + more)
    }
}
