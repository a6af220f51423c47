//! Abilities and their targets.

use super::parts::EFFECTS;
use super::{AMOUNTS, Key, NAMES, Shape, TableShape, key};

pub(super) const ABOUT: Key = key("about", Shape::Text, "For readers of the rules and for players.");
pub(super) const DATA: Key =
    key("data", Shape::Anything, "A table for the game alone: the engine passes it through untouched.");
pub(super) const EXTENDS: Key = key("extends", Shape::Text, "Keys that are not given are taken from this one.");
pub(super) const TEMPLATE: Key = key("template", Shape::Flag, "Only there to be extended.");

pub(in crate::rules) static ABILITY: TableShape = TableShape {
    name: "ability",
    about: "What a combatant can do.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("slot", Shape::Text, "Of the abilities in one slot, a combatant has one at a time."),
        key("tags", NAMES, "For steps, triggers, policies, and statuses that forbid abilities."),
        key("cost", AMOUNTS, "Cost by pool."),
        key("cooldown", Shape::Formula, "Seconds until it can be used again."),
        key("cast", Shape::Formula, "Seconds from start to release."),
        key("recovery", Shape::Formula, "Seconds after the release in which nothing can be started."),
        key("mobile", Shape::Flag, "Its caster walks on during cast and recovery."),
        key("refund", Shape::Formula, "Share of the cost that an interrupted cast pays back."),
        key("during", NAMES, "Statuses that the caster has from the start to the end of the recovery."),
        key("unlock", Shape::Formula, "It can be used only while this is true."),
        key("charges", Shape::Table(&ABILITY_CHARGES), "Stored uses."),
        key("uses", Shape::Whole(1, 1_000), "Uses per fight."),
        key(
            "shared_cooldown",
            Shape::Either(&[Shape::Text, Shape::Table(&ABILITY_SHARED)]),
            "A cooldown that several abilities share.",
        ),
        key("cost_at", Shape::Choice(&["start", "release"]), "When the cost is paid."),
        key("cooldown_from", Shape::Choice(&["start", "release", "end"]), "From when on the cooldown runs."),
        key("releases", Shape::Table(&ABILITY_RELEASES), "It takes effect several times."),
        key("sustain", Shape::Table(&ABILITY_SUSTAIN), "It is kept up after the release, with ticks."),
        key(
            "after",
            Shape::Either(&[Shape::Text, Shape::Table(&ABILITY_AFTER)]),
            "It can be used only after another ability.",
        ),
        key("reach", Shape::Formula, "Metres within which the target that it picks must be."),
        key("travel", Shape::Formula, "Metres per second at which it goes to its targets."),
        key("targets", Shape::Either(&[SIDE, Shape::Table(&ABILITY_TARGETS)]), "Whom it is used on."),
        key("does", EFFECTS, "Its effects, in order."),
    ],
};

const SIDE: Shape = Shape::Choice(&["enemies", "allies", "others", "self", "everyone"]);

pub(in crate::rules) static ABILITY_CHARGES: TableShape = TableShape {
    name: "charges",
    about: "Stored uses.",
    needs: &["max", "regain"],
    keys: &[
        key("max", Shape::Whole(1, 1_000), "Most charges."),
        key("regain", Shape::Formula, "Seconds until one more is there."),
    ],
};

pub(in crate::rules) static ABILITY_SHARED: TableShape = TableShape {
    name: "shared_cooldown",
    about: "A cooldown that several abilities share.",
    needs: &["name"],
    keys: &[
        key("name", Shape::Text, "The name of the cooldown."),
        key("time", Shape::Formula, "Seconds; the ability's own cooldown by default."),
    ],
};

pub(in crate::rules) static ABILITY_RELEASES: TableShape = TableShape {
    name: "releases",
    about: "It takes effect several times.",
    needs: &["count", "every"],
    keys: &[
        key("count", Shape::Whole(1, 1_000), "How many releases."),
        key("every", Shape::Formula, "Seconds between two releases."),
    ],
};

pub(in crate::rules) static ABILITY_SUSTAIN: TableShape = TableShape {
    name: "sustain",
    about: "It is kept up after the release, with ticks.",
    needs: &["every", "does"],
    keys: &[
        key("every", Shape::Formula, "Seconds from one tick to the next."),
        key("cost", AMOUNTS, "Cost of each tick, by pool."),
        key("longest", Shape::Formula, "Seconds after which it ends."),
        key("while", Shape::Formula, "It ends at the first tick at which this is false."),
        key("does", EFFECTS, "Effects of each tick."),
    ],
};

pub(in crate::rules) static ABILITY_AFTER: TableShape = TableShape {
    name: "after",
    about: "It can be used only after another ability.",
    needs: &["ability"],
    keys: &[
        key("ability", Shape::Text, "The other ability."),
        key("within", Shape::Formula, "Seconds after a release of the other during which it can be used."),
    ],
};

pub(in crate::rules) static ABILITY_TARGETS: TableShape = TableShape {
    name: "targets",
    about: "Whom an ability is used on.",
    needs: &[],
    keys: &[
        key("side", SIDE, "From which side."),
        key("state", Shape::Choice(&["standing", "defeated"]), "Those who stand (default), or those who are defeated."),
        key("pick", Shape::Either(&[Shape::Choice(PICKS), Shape::Table(&PICK_LOWEST)]), "Who comes first."),
        key(
            "count",
            Shape::Either(&[Shape::Choice(&["all"]), Shape::Whole(1, 1_000)]),
            "Most targets; 1 by default, all for an area.",
        ),
        key("radius", Shape::Formula, "Everybody within so many metres of the target."),
        key("around", Shape::Choice(&["target", "caster"]), "The middle of the circle."),
        key("cone", Shape::Formula, "Degrees of a cone from the caster toward the target."),
        key("line", Shape::Formula, "Width in metres of a line from the caster toward the target."),
        key("length", Shape::Formula, "Length of the cone or line in metres."),
        key("chain", Shape::Formula, "It goes on to the nearest within so many metres of the last one hit."),
    ],
};

const PICKS: &[&str] = &["first", "weakest", "strongest", "random", "nearest", "farthest", "policy"];

pub(in crate::rules) static PICK_LOWEST: TableShape = TableShape {
    name: "pick_lowest",
    about: "The target with the lowest value.",
    needs: &["lowest"],
    keys: &[key("lowest", Shape::Formula, "The value.")],
};
