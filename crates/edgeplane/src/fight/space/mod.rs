//! What is on the ground beside combatants: zones, and what is on its way.

mod flights;
pub(super) mod zones;
