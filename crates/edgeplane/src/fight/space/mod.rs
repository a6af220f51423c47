//! Objects on the ground other than combatants: zones, and abilities in flight.

mod flights;
pub(super) mod zones;
