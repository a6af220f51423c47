//! Words of earlier versions of the format, so that an error can name the new one.

/// The old word, the key or name that took its place, and how that is written.
const RENAMED: &[(&str, &str, &str)] = &[
    ("inflict", "apply", "apply"),
    ("again", "reapply", "reapply"),
    ("sticky", "cleansable", "cleansable = false"),
    ("withheld", "can_learn", "can_learn"),
    ("worth", "reward", "reward"),
    ("fall_rate", "defeat_rate", "defeat_rate"),
    ("fall_time", "defeat_time", "defeat_time"),
    ("fell", "defeated", "defeated"),
    ("falls", "defeated", "defeated"),
    ("fallen", "defeated", "defeated"),
    ("ally_fell", "ally_defeated", "ally_defeated"),
    ("enemy_fell", "enemy_defeated", "enemy_defeated"),
    ("owner_fell", "owner_defeated", "owner_defeated"),
    ("refusals", "unavailable", "unavailable"),
    ("ability_refused", "ability_unavailable", "ability_unavailable"),
    ("not_holding", "condition_ended", "condition_ended"),
];

/// How an old word is written now, if its new one has a meaning here.
pub(super) fn renamed(found: &str, known: &[&str]) -> Option<&'static str> {
    RENAMED.iter().find(|(old, new, _)| *old == found && known.contains(new)).map(|(_, _, written)| *written)
}
