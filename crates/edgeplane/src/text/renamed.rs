//! Words of earlier versions of the format, and general words that people try first, so that an error can name the one
//! that means something here.

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

/// What people write who have not read the reference, and the key or name that does it.
const SYNONYMS: &[(&str, &str)] = &[
    ("chance", "roll"),
    ("probability", "roll"),
    ("random", "between"),
    ("rand", "between"),
    ("die", "dice"),
    ("log", "ln"),
    ("trunc", "floor"),
    ("mix", "lerp"),
    ("select", "if"),
    ("who", "side"),
    ("whom", "side"),
    ("target", "targets"),
    ("effects", "does"),
    ("effect", "does"),
    ("cast_time", "cast"),
    ("lockout", "recovery"),
    ("range", "reach"),
    ("stats", "attributes"),
    ("resources", "pools"),
    ("period", "every"),
    ("interval", "every"),
    ("duration", "lasts"),
    ("holds", "apply"),
    ("every", "apply"),
    ("ticks", "apply"),
    ("stacking", "reapply"),
    ("title", "ruleset"),
    ("name", "ruleset"),
    ("test", "expect"),
    ("goal", "expect"),
    ("ai", "policy"),
    ("fight", "encounter"),
    ("teams", "sides"),
    ("team", "sides"),
    ("circle", "radius"),
    ("arc", "cone"),
    ("apart", "distance"),
    ("owner", "self"),
    ("me", "self"),
    ("source", "caster"),
    ("attacker", "caster"),
    ("user", "caster"),
    ("victim", "target"),
    ("defender", "target"),
    ("lines", "use"),
    ("rules", "use"),
    ("use", "ability"),
    ("encounter", "in"),
    ("measure", "that"),
];

/// The one that means here what a general word means elsewhere.
pub(super) fn synonym<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    let meant = SYNONYMS.iter().filter(|(word, _)| *word == found).map(|(_, meant)| meant);
    meant.flat_map(|meant| known.iter().find(|name| *name == meant)).copied().next()
}
