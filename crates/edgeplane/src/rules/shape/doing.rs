//! Abilities and their targets.

use super::parts::EFFECTS;
use super::{AMOUNTS, AT_LEAST_0, INTERVAL, Key, NAMES, SHARE, Shape, TableShape, key};

pub(super) const ABOUT: Key = key("about", Shape::Text, "For readers of the rules and for players.");
pub(super) const DATA: Key =
    key("data", Shape::Anything, "Any content for the game, which the engine passes on unchanged.");
pub(super) const EXTENDS: Key = key("extends", Shape::Text, "Inherits the keys of this one that are not given here.");
pub(super) const TEMPLATE: Key = key("template", Shape::Flag, "It can only be extended.");

pub(in crate::rules) static ABILITY: TableShape = TableShape {
    name: "ability",
    about: "An action of a combatant.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("slot", Shape::Text, "Its slot; a combatant has one ability of each slot at a time."),
        key("tags", NAMES, "For steps, triggers, policies, and statuses that forbid abilities."),
        key("cost", AMOUNTS, "Cost by pool."),
        key("cooldown", AT_LEAST_0, "Seconds until it can be used again."),
        key("cast", AT_LEAST_0, "Seconds from start to release."),
        key("recovery", AT_LEAST_0, "Seconds after the release in which nothing can be started."),
        key("mobile", Shape::Flag, "The caster keeps walking during cast and recovery."),
        key("refund", SHARE, "Share of the cost that an interrupted cast refunds."),
        key("during", NAMES, "Statuses of the caster from the start of the cast to the end of the recovery."),
        key("unlock", Shape::Condition, "It can be used only while this is true."),
        key("charges", Shape::Table(&ABILITY_CHARGES), "Stored uses."),
        key("uses", Shape::Whole(1, 1_000), "Uses per fight."),
        key(
            "shared_cooldown",
            Shape::Either(&[Shape::Text, Shape::Table(&ABILITY_SHARED)]),
            "A cooldown that several abilities share.",
        ),
        key("cost_at", Shape::Choice(&["start", "release"]), "When the cost is paid."),
        key("cooldown_from", Shape::Choice(&["start", "release", "end"]), "When the cooldown starts."),
        key("releases", Shape::Table(&ABILITY_RELEASES), "Several releases of one use."),
        key("sustain", Shape::Table(&ABILITY_SUSTAIN), "It is sustained after the release, with ticks."),
        key(
            "after",
            Shape::Either(&[Shape::Text, Shape::Table(&ABILITY_AFTER)]),
            "It can be used only after another ability.",
        ),
        key("reach", AT_LEAST_0, "Maximum distance to the picked target in metres."),
        key("travel", AT_LEAST_0, "Travel speed in metres per second."),
        key("targets", Shape::Either(&[SIDE, Shape::Table(&ABILITY_TARGETS)]), "Its targets."),
        key("does", EFFECTS, "Its effects, in order."),
    ],
};

const SIDE: Shape = Shape::Choice(&["enemies", "allies", "others", "self", "everyone"]);

pub(in crate::rules) static ABILITY_CHARGES: TableShape = TableShape {
    name: "charges",
    about: "Stored uses.",
    needs: &["max", "regain"],
    keys: &[
        key("max", Shape::Whole(1, 1_000), "Maximum number of charges."),
        key("regain", AT_LEAST_0, "Seconds until a charge is regained."),
    ],
};

pub(in crate::rules) static ABILITY_SHARED: TableShape = TableShape {
    name: "shared_cooldown",
    about: "A cooldown that several abilities share.",
    needs: &["name"],
    keys: &[
        key("name", Shape::Text, "The name of the cooldown."),
        key("time", AT_LEAST_0, "Seconds; the ability's own cooldown by default."),
    ],
};

pub(in crate::rules) static ABILITY_RELEASES: TableShape = TableShape {
    name: "releases",
    about: "Several releases of one use.",
    needs: &["count", "every"],
    keys: &[
        key("count", Shape::Whole(1, 1_000), "Number of releases."),
        key("every", AT_LEAST_0, "Seconds between two releases."),
    ],
};

pub(in crate::rules) static ABILITY_SUSTAIN: TableShape = TableShape {
    name: "sustain",
    about: "It is sustained after the release, with ticks.",
    needs: &["every", "does"],
    keys: &[
        key("every", INTERVAL, "Seconds between ticks."),
        key("cost", AMOUNTS, "Cost of each tick, by pool."),
        key("longest", AT_LEAST_0, "Maximum time in seconds."),
        key("while", Shape::Condition, "It ends at the first tick at which this is false."),
        key("does", EFFECTS, "Effects of each tick."),
    ],
};

pub(in crate::rules) static ABILITY_AFTER: TableShape = TableShape {
    name: "after",
    about: "It can be used only after another ability.",
    needs: &["ability"],
    keys: &[
        key("ability", Shape::Text, "The other ability."),
        key("within", AT_LEAST_0, "Time window after a release of the other ability, in seconds."),
    ],
};

pub(in crate::rules) static ABILITY_TARGETS: TableShape = TableShape {
    name: "targets",
    about: "The targets of an ability.",
    needs: &[],
    keys: &[
        key("side", SIDE, "Their side."),
        key("state", Shape::Choice(&["standing", "defeated"]), "Standing (default) or defeated combatants."),
        key(
            "pick",
            Shape::Either(&[Shape::Choice(PICKS), Shape::Table(&PICK_LOWEST)]),
            "The order in which they are picked.",
        ),
        key(
            "count",
            Shape::Either(&[Shape::Choice(&["all"]), Shape::Whole(1, 1_000)]),
            "Maximum number; 1 by default, all for an area.",
        ),
        key("radius", AT_LEAST_0, "Everyone within this many metres of the target."),
        key("around", Shape::Choice(&["target", "caster"]), "The centre of the circle."),
        key("cone", Shape::FormulaWithin(0.0, 360.0), "A cone from the caster toward the target: angle in degrees."),
        key("line", AT_LEAST_0, "A line from the caster toward the target: width in metres."),
        key("length", AT_LEAST_0, "Length of the cone or line in metres."),
        key("chain", AT_LEAST_0, "It continues to the nearest combatant within this many metres of the last one hit."),
    ],
};

const PICKS: &[&str] = &["first", "weakest", "strongest", "random", "nearest", "farthest", "policy"];

pub(in crate::rules) static PICK_LOWEST: TableShape = TableShape {
    name: "pick_lowest",
    about: "The target with the lowest value.",
    needs: &["lowest"],
    keys: &[key("lowest", Shape::Formula, "The value.")],
};
