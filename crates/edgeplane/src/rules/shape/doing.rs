//! Abilities, and whom they are used on.

use super::parts::EFFECTS;
use super::{AMOUNTS, Key, NAMES, Shape, TableShape, key};

pub(super) const ABOUT: Key = key("about", Shape::Text, "For whoever reads the rules or plays the game.");
pub(super) const EXTENDS: Key = key("extends", Shape::Text, "It has all of this one that it does not say itself.");
pub(super) const TEMPLATE: Key = key("template", Shape::Flag, "Only for others to extend.");

pub(in crate::rules) static ABILITY: TableShape = TableShape {
    name: "ability",
    about: "What a character can do.",
    needs: &[],
    keys: &[
        ABOUT,
        EXTENDS,
        TEMPLATE,
        key("slot", Shape::Text, "Of several abilities with one slot a character has the last that it was given."),
        key("tags", NAMES, "Words by which statuses forbid it and answers know it."),
        key("cost", AMOUNTS, "What it takes from the caster's pools."),
        key("cooldown", Shape::Formula, "Seconds until it can be used again."),
        key("cast", Shape::Formula, "Seconds from start to release."),
        key("recovery", Shape::Formula, "Seconds after the release in which nothing else can be started."),
        key("mobile", Shape::Flag, "Its caster walks on during cast and recovery."),
        key("refund", Shape::Formula, "Share of the cost that comes back when it is interrupted."),
        key("during", NAMES, "Statuses that the caster has from start to release."),
        key("unlock", Shape::Formula, "It can be used only while this is true."),
        key("charges", Shape::Table(&ABILITY_CHARGES), "Uses that are stored up."),
        key("uses", Shape::Whole(1, 1_000), "How often it can be used in a fight."),
        key(
            "shared_cooldown",
            Shape::Either(&[Shape::Text, Shape::Table(&ABILITY_SHARED)]),
            "A cooldown that several abilities have together.",
        ),
        key("cost_at", Shape::Choice(&["start", "release"]), "When it is paid."),
        key("cooldown_from", Shape::Choice(&["start", "release", "end"]), "From when its cooldown counts."),
        key("releases", Shape::Table(&ABILITY_RELEASES), "It takes effect several times."),
        key("sustain", Shape::Table(&ABILITY_SUSTAIN), "It is kept up, with an effect again and again."),
        key("after", Shape::Either(&[Shape::Text, Shape::Table(&ABILITY_AFTER)]), "It can be used only after another."),
        key("reach", Shape::Formula, "Metres within which its targets must be."),
        key("travel", Shape::Formula, "Metres a second at which it goes to its target."),
        key("targets", Shape::Either(&[SIDE, Shape::Table(&ABILITY_TARGETS)]), "On whom it is used."),
        key("does", EFFECTS, "What it brings about."),
    ],
};

const SIDE: Shape = Shape::Choice(&["enemies", "allies", "others", "self", "everyone"]);

pub(in crate::rules) static ABILITY_CHARGES: TableShape = TableShape {
    name: "charges",
    about: "Uses that are stored up.",
    needs: &["max", "regain"],
    keys: &[key("max", Shape::Whole(1, 1_000), "The most."), key("regain", Shape::Formula, "Seconds for one more.")],
};

pub(in crate::rules) static ABILITY_SHARED: TableShape = TableShape {
    name: "shared_cooldown",
    about: "A cooldown that several abilities have together.",
    needs: &["name"],
    keys: &[
        key("name", Shape::Text, "The same for all of them."),
        key("time", Shape::Formula, "Seconds; the ability's own cooldown if it is not given."),
    ],
};

pub(in crate::rules) static ABILITY_RELEASES: TableShape = TableShape {
    name: "releases",
    about: "It takes effect several times.",
    needs: &["count", "every"],
    keys: &[
        key("count", Shape::Whole(1, 1_000), "How often."),
        key("every", Shape::Formula, "Seconds from one to the next."),
    ],
};

pub(in crate::rules) static ABILITY_SUSTAIN: TableShape = TableShape {
    name: "sustain",
    about: "It is kept up, with an effect again and again.",
    needs: &["every", "does"],
    keys: &[
        key("every", Shape::Formula, "Seconds from one tick to the next."),
        key("cost", AMOUNTS, "What each tick takes."),
        key("longest", Shape::Formula, "Seconds after which it ends."),
        key("while", Shape::Formula, "It ends as soon as this is false."),
        key("does", EFFECTS, "What each tick brings about."),
    ],
};

pub(in crate::rules) static ABILITY_AFTER: TableShape = TableShape {
    name: "after",
    about: "It can be used only after another ability.",
    needs: &["ability"],
    keys: &[
        key("ability", Shape::Text, "The other one."),
        key("within", Shape::Formula, "Seconds for which that is good."),
    ],
};

pub(in crate::rules) static ABILITY_TARGETS: TableShape = TableShape {
    name: "targets",
    about: "On whom an ability is used.",
    needs: &[],
    keys: &[
        key("side", SIDE, "Who can be meant."),
        key("state", Shape::Choice(&["standing", "defeated"]), "Those who stand, or those who are defeated."),
        key("pick", Shape::Either(&[Shape::Choice(PICKS), Shape::Table(&PICK_LOWEST)]), "Who comes first."),
        key("count", Shape::Either(&[Shape::Choice(&["all"]), Shape::Whole(1, 1_000)]), "How many at most."),
        key("radius", Shape::Formula, "Everybody within so many metres of the one who is picked."),
        key("around", Shape::Choice(&["target", "caster"]), "Of whom the radius is measured."),
        key("cone", Shape::Formula, "Degrees of a cone from the caster toward the one who is picked."),
        key("line", Shape::Formula, "Metres of width of a line from the caster toward the one who is picked."),
        key("length", Shape::Formula, "Metres that the cone or the line is long."),
        key("chain", Shape::Formula, "It goes on to whoever is within so many metres of the last."),
    ],
};

const PICKS: &[&str] = &["first", "weakest", "strongest", "random", "nearest", "farthest", "policy"];

pub(in crate::rules) static PICK_LOWEST: TableShape = TableShape {
    name: "pick_lowest",
    about: "Whoever has the least of something.",
    needs: &["lowest"],
    keys: &[key("lowest", Shape::Formula, "Of what.")],
};
