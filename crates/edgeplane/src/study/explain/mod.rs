//! Explanations: where a number of a character comes from, and what a rule does.

mod ability;
mod arrivals;
mod beforehand;
mod character;
mod functions;
mod levels;
mod moment;
mod origins;
mod pair;
mod quantity;
mod rule;
mod status;
mod steps;
mod tags;

pub use ability::{
    AbilityExplanation, AlsoLine, EffectLine, EndingLine, StepLine, UsesLine, Worked, explain_ability,
    explain_ability_with,
};
pub use beforehand::Beforehand;
pub use character::{AbilityLine, CharacterSheet, Line, PoolLine, UseLine, explain_character, explain_character_with};
pub use moment::{AbilityMoment, AttributeMoment, CombatantMoment, Moment, PoolMoment, StatusMoment, explain_moment};
pub use pair::{pair_for_ability, pair_for_status};
pub use rule::{MemberLine, RuleExplanation, explain_rule};
pub use status::{
    ModifierLine, StackLine, StatusExplanation, TickLine, TriggerLine, explain_status, explain_status_with,
};
