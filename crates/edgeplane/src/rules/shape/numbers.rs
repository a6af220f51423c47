//! Attributes, pools, steps, and other numbers of a ruleset.

use super::doing::{ABOUT, DATA};
use super::parts::SKIPPED;
use super::{AT_LEAST_0, INTERVAL, Key, NAMES, NUMBERS, Shape, TableShape, key};

pub(in crate::rules) static HEAD: TableShape = TableShape {
    name: "head",
    about: "The ruleset as a whole.",
    needs: &[],
    keys: &[
        key("name", Shape::Text, "A name for people."),
        key("format", Shape::Whole(1, 1), "The version of the format: 1."),
        key(
            "rounding",
            Shape::Choice(&["none", "floor", "nearest", "ceil"]),
            "How the amount that reaches a pool is rounded.",
        ),
        ABOUT,
    ],
};

pub(in crate::rules) static ATTRIBUTE: TableShape = TableShape {
    name: "attribute",
    about: "An attribute of characters. A number or a formula alone is its base.",
    needs: &[],
    keys: &[
        key("base", Shape::Formula, "The value before modifiers; 0 by default."),
        key("min", Shape::Formula, "The minimum of the final value."),
        key("max", Shape::Formula, "The maximum of the final value."),
        key("per", Shape::Choice(&["damage_type"]), "One number for each damage type: resist.silt."),
        ABOUT,
        DATA,
    ],
};

pub(in crate::rules) static POOL: TableShape = TableShape {
    name: "pool",
    about: "An amount that is spent and regained.",
    needs: &["max"],
    keys: &[
        key("max", AT_LEAST_0, "Its cap."),
        key(
            "start",
            Shape::Either(&[Shape::Choice(&["full", "empty"]), AT_LEAST_0]),
            "The initial amount; full by default.",
        ),
        key(
            "regen",
            Shape::Either(&[Shape::Formula, Shape::Table(&FLOW)]),
            "Gain per second, or portions at intervals.",
        ),
        key(
            "decay",
            Shape::Either(&[Shape::Formula, Shape::Table(&FLOW)]),
            "Loss per second, or portions at intervals.",
        ),
        key(
            "on_cap_change",
            Shape::Choice(&["keep", "scale", "shift"]),
            "The effect of a change of the cap on the amount.",
        ),
        key("defeat", Shape::Flag, "A combatant is defeated when it becomes empty."),
        ABOUT,
        DATA,
    ],
};

pub(in crate::rules) static FLOW: TableShape = TableShape {
    name: "flow",
    about: "Portions at intervals.",
    needs: &["amount", "every"],
    keys: &[key("amount", Shape::Formula, "The portion."), key("every", INTERVAL, "Interval in seconds.")],
};

pub(in crate::rules) static DAMAGE_TYPE: TableShape = TableShape {
    name: "damage_type",
    about: "A kind of damage.",
    needs: &[],
    keys: &[ABOUT, DATA, key("skips", SKIPPED, "Hit steps that damage of this type skips, or \"all\".")],
};

const STEP_NAME: Key = key("name", Shape::Text, "Effects and damage types skip it by this name.");
const STEP_WHEN: Key = key("when", Shape::Condition, "The step applies only if this is true.");
const STEP_TYPES: Key = key("types", NAMES, "Only for these damage types.");
const STEP_TAGS: Key = key("tags", NAMES, "Only for hits with one of these tags.");
const STEP_AMOUNT: Key = key("amount", Shape::Formula, "The new amount.");
const STEP_STOP: Key = key("stop", Shape::Text, "The hit ends here and is reported with this word: dodged.");
const STEP_SOAK: Key = key("soak", Shape::Text, "This pool soaks as much as it holds.");
const STEP_ALWAYS: Key = key("always", Shape::Flag, "`skips = \"all\"` does not skip it.");
const STEP_MARK: Key = key("mark", Shape::Text, "Marks the hit for later steps and triggers: critical.");

pub(in crate::rules) static STEP: TableShape = TableShape {
    name: "step",
    about: "A step of hits or heals.",
    needs: &["name"],
    keys: &[
        STEP_NAME,
        STEP_WHEN,
        STEP_TYPES,
        STEP_TAGS,
        STEP_AMOUNT,
        STEP_STOP,
        STEP_SOAK,
        STEP_MARK,
        STEP_ALWAYS,
        ABOUT,
    ],
};

pub(in crate::rules) static OWNED_STEP: TableShape = TableShape {
    name: "owned_step",
    about: "A step that a status adds to the hits that its owner deals or takes.",
    needs: &["name", "of"],
    keys: &[
        STEP_NAME,
        STEP_WHEN,
        STEP_TYPES,
        STEP_TAGS,
        STEP_AMOUNT,
        STEP_STOP,
        STEP_SOAK,
        STEP_MARK,
        STEP_ALWAYS,
        ABOUT,
        key("of", Shape::Choice(&["hits_dealt", "hits_taken"]), "The hits of its owner for which it is used."),
        key("before", Shape::Text, "The step before which it runs."),
        key("after", Shape::Text, "The step after which it runs."),
    ],
};

pub(in crate::rules) static CURVE: TableShape = TableShape {
    name: "curve",
    about: "A function given by points.",
    needs: &["points"],
    keys: &[
        key("points", Shape::List(&Shape::Place), "Pairs of x and y with increasing x; linear between them."),
        key("step", Shape::Flag, "Each value holds until the next point."),
        ABOUT,
    ],
};

pub(in crate::rules) static FUNCTION: TableShape = TableShape {
    name: "function",
    about: "A formula that others can call.",
    needs: &["is"],
    keys: &[
        key("args", NAMES, "Names of its arguments."),
        key("is", Shape::Formula, "Its value."),
        key("game", Shape::Flag, "The game gives its value; `is` is the default for studies."),
        ABOUT,
    ],
};

pub(in crate::rules) static DIMINISH: TableShape = TableShape {
    name: "diminish",
    about: "Diminishing durations of repeated statuses with this tag.",
    needs: &["window"],
    keys: &[
        ABOUT,
        key("window", Shape::Number(0.0, 1e6), "Seconds without such a status, after which the sequence restarts."),
        key("steps", Shape::List(&Shape::Number(0.0, 1.0)), "Factors of the duration in order; the last one stays."),
    ],
};

pub(in crate::rules) static THREAT: TableShape = TableShape {
    name: "threat",
    about: "How threat grows.",
    needs: &[],
    keys: &[
        ABOUT,
        key("damage", Shape::Formula, "Per point of damage, for the combatant that was hurt."),
        key("healing", Shape::Formula, "Per point healed, for every enemy of the healer."),
    ],
};

pub(in crate::rules) static LEVELS: TableShape = TableShape {
    name: "levels",
    about: "Experience and levels.",
    needs: &[],
    keys: &[
        ABOUT,
        key("needs", Shape::Formula, "Experience from one level to the next."),
        key("most", Shape::Whole(1, 10_000), "The highest level."),
        key("points", Shape::Formula, "Total points to spend at a level."),
        key("in_fight", Shape::Flag, "Levels also rise during fights."),
    ],
};

pub(in crate::rules) static POINT: TableShape = TableShape {
    name: "point",
    about: "The effect of a spent point.",
    needs: &["gives"],
    keys: &[ABOUT, DATA, key("gives", NUMBERS, "Added per point, by attribute.")],
};

pub(in crate::rules) static SHEET: TableShape = TableShape {
    name: "sheet",
    about: "Values in a spreadsheet.",
    needs: &["file", "of"],
    keys: &[
        ABOUT,
        key("file", Shape::Text, "A .csv file in the ruleset's folder."),
        key("of", Shape::Choice(crate::text::SHEETS_OF), "The kind of rule in each row (for curves, in each column)."),
    ],
};
