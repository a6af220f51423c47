//! Characters, encounters and policies.

use super::doing::{ABOUT, DATA, EXTENDS, TEMPLATE};
use super::parts::{BRINGS, EFFECTS, HIT_STEPS, IMMUNE, MODIFY, ON, TICKS, UNTARGETABLE};
use super::{
    AMOUNTS, ANY_NUMBER, AT_LEAST_0, MAX_COMBATANTS, MAX_METRES, MAX_TIME, NAMES, NUMBERS, SHARE, Shape, TableShape,
    key,
};

pub(in crate::rules) static GEAR: TableShape = TableShape {
    name: "gear",
    about: "A piece of gear.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("slot", Shape::Text, "One piece can be worn in each slot; a piece without a slot uses none."),
        key("set", Shape::Text, "Its set."),
        key("statuses", NAMES, "Statuses held while it is worn."),
        MODIFY,
        TICKS,
        HIT_STEPS,
        ON,
        IMMUNE,
        BRINGS,
        UNTARGETABLE,
    ],
};

pub(in crate::rules) static GEAR_SET: TableShape = TableShape {
    name: "gear_set",
    about: "The statuses for wearing several pieces.",
    needs: &["worn"],
    keys: &[
        ABOUT,
        DATA,
        key("worn", Shape::ByName(&SET_STATUSES), "Statuses by number of pieces: 2 = [\"steady_footing\"]."),
    ],
};

static SET_STATUSES: Shape = Shape::List(&Shape::Either(&[Shape::Text, Shape::Table(&SET_STATUS)]));

pub(in crate::rules) static SET_STATUS: TableShape = TableShape {
    name: "set_status",
    about: "A status that a set gives.",
    needs: &["status"],
    keys: &[
        key("status", Shape::Text, "The name."),
        key("stacks", Shape::Whole(1, 1_000_000), "Number of stacks; 1 by default."),
        key("duration", AT_LEAST_0, "Duration in seconds; by default, as long as the pieces are worn."),
    ],
};

pub(in crate::rules) static ZONE: TableShape = TableShape {
    name: "zone",
    about: "An area on the ground that affects combatants inside.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("radius", AT_LEAST_0, "Radius in metres."),
        key("grows", Shape::Formula, "Growth of its radius in metres per second."),
        key("lasts", AT_LEAST_0, "Duration in seconds; by default, as long as the fight."),
        key(
            "affects",
            Shape::Choice(&["allies", "enemies", "everyone"]),
            "The combatants that it affects, relative to its owner.",
        ),
        key("owner", Shape::Flag, "It also affects its owner."),
        key("carried", Shape::Flag, "It moves with the combatant around whom it was placed."),
        key("max_instances", Shape::Whole(1, 100), "Maximum number per owner; 1 by default."),
        key("tags", NAMES, "For policies that avoid it."),
        key("uses", Shape::Whole(1, 1_000_000), "It ends after this many entries."),
        key("apply", NAMES, "Statuses of combatants inside."),
        key("enters", EFFECTS, "Effects on combatants that enter."),
        key("leaves", EFFECTS, "Effects on combatants that leave."),
    ],
};

pub(in crate::rules) static CAUSE: TableShape = TableShape {
    name: "cause",
    about: "Effects brought about by the game, such as those of a fall.",
    needs: &["does"],
    keys: &[
        ABOUT,
        DATA,
        key("does", EFFECTS, "Effects on the combatant that the game names; `amount` is the number that it gives."),
    ],
};

pub(in crate::rules) static POLICY: TableShape = TableShape {
    name: "policy",
    about: "How a combatant chooses abilities.",
    needs: &["use"],
    keys: &[
        ABOUT,
        DATA,
        key("reaction", Shape::Number(0.0, 3_600.0), "Reaction time of an idle combatant, in seconds; 0 by default."),
        key("choose", Shape::Choice(&["first", "weighted", "random"]), "How one of the possible lines is chosen."),
        key(
            "target",
            Shape::Formula,
            "The score of a candidate; abilities with pick = \"policy\" pick the highest first.",
        ),
        key(
            "move",
            Shape::Either(&[Shape::Choice(&["approach", "hold"]), Shape::Table(&POLICY_MOVE)]),
            "How it moves.",
        ),
        key("use", Shape::List(&POLICY_LINE), "Lines in order of priority."),
    ],
};

pub(in crate::rules) static POLICY_MOVE: TableShape = TableShape {
    name: "policy_move",
    about: "What it keeps away from when it moves.",
    needs: &[],
    keys: &[
        key("keep_distance", Shape::Number(0.01, 10_000.0), "Distance to enemies in metres."),
        key("avoid", NAMES, "Zones, by name or tag, that it leaves and does not enter."),
    ],
};

pub(in crate::rules) static POLICY_USE: TableShape = TableShape {
    name: "policy_use",
    about: "A line of a policy; a name alone is the ability without a condition.",
    needs: &[],
    keys: &[
        key("ability", Shape::Text, "The ability."),
        key("tag", Shape::Text, "Any ability with this tag, in the order in which a character lists them."),
        key("when", Shape::Condition, "The line applies only if this is true."),
        key("weight", AT_LEAST_0, "Weight with which it is chosen; 1 by default."),
    ],
};

static POLICY_LINE: Shape = Shape::Either(&[Shape::Text, Shape::Table(&POLICY_USE), Shape::Table(&POLICY_GROUP)]);
static POLICY_CHOICE: Shape = Shape::Either(&[Shape::Text, Shape::Table(&POLICY_USE)]);

pub(in crate::rules) static POLICY_GROUP: TableShape = TableShape {
    name: "policy_group",
    about: "Lines among which chance chooses one that is possible.",
    needs: &["choose", "use"],
    keys: &[
        key("choose", Shape::Choice(&["weighted", "random"]), "How one of the possible lines is chosen."),
        key("use", Shape::List(&POLICY_CHOICE), "The lines."),
    ],
};

pub(in crate::rules) static CHARACTER: TableShape = TableShape {
    name: "character",
    about: "A combatant before a fight.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        TEMPLATE,
        EXTENDS,
        key("level", Shape::Number(0.0, 1e6), "Its level; formulas read it."),
        key("attributes", Shape::ByName(&Shape::Either(&[Shape::Formula, NUMBERS])), "Its own base values."),
        key("pools", NAMES, "Its pools; all by default."),
        key("abilities", NAMES, "Its abilities."),
        key("can_learn", NAMES, "Abilities that it has only after they were given to it."),
        key("gear", Shape::List(&Shape::Either(&[Shape::Text, Shape::Table(&PIECE)])), "Its gear."),
        key("statuses", NAMES, "Permanent statuses, whatever their duration."),
        IMMUNE,
        UNTARGETABLE,
        key("body", Shape::Number(0.0, 1e3), "Radius of its body in metres; reach and areas are measured to its edge."),
        key("policy", Shape::Text, "Its policy; without one, abilities are tried in order."),
        key("reward", AT_LEAST_0, "Experience for each standing enemy when it is defeated."),
        key("spends", NAMES, "What it spends its points on, repeated in this order."),
    ],
};

pub(in crate::rules) static PIECE: TableShape = TableShape {
    name: "piece",
    about: "A piece of gear that is worn by chance.",
    needs: &["piece"],
    keys: &[key("piece", Shape::Text, "The name."), key("chance", SHARE, "The chance.")],
};

pub(in crate::rules) static ENCOUNTER: TableShape = TableShape {
    name: "encounter",
    about: "A fight between sides.",
    needs: &["sides"],
    keys: &[
        ABOUT,
        DATA,
        key(
            "sides",
            Shape::ByName(&Shape::List(&Shape::Either(&[Shape::Text, Shape::Table(&MEMBER)]))),
            "Two or more sides with their members.",
        ),
        key(
            "distance",
            Shape::Number(0.0, MAX_METRES),
            "Distance in metres between two sides whose members have no positions.",
        ),
        key("time_limit", Shape::Number(0.001, MAX_TIME), "Maximum time in seconds."),
        key("at_limit", Shape::Text, "The side that wins at the time limit; nobody by default."),
        key("script", Shape::List(&Shape::Table(&MOMENT)), "Abilities that take effect at given times."),
    ],
};

pub(in crate::rules) static MEMBER: TableShape = TableShape {
    name: "member",
    about: "Combatants of one character.",
    needs: &["character"],
    keys: &[
        key("character", Shape::Text, "The name."),
        key("count", Shape::Whole(1, MAX_COMBATANTS), "The number."),
        key("at", Shape::Place, "Their position in metres."),
        key("spread", Shape::Number(0.0, MAX_METRES), "Distance between two of them in metres, in a row across."),
        key(
            "joins",
            Shape::Either(&[Shape::Number(0.001, MAX_TIME), Shape::Choice(&["called"])]),
            "Seconds after which they join, or `called`.",
        ),
        key("vital", Shape::Flag, "Their side loses as soon as one of them is defeated."),
        key("statuses", NAMES, "Additional initial statuses."),
        key("start", AMOUNTS, "Initial amounts of pools."),
    ],
};

pub(in crate::rules) static MOMENT: TableShape = TableShape {
    name: "moment",
    about: "An ability that takes effect without a use.",
    needs: &["at", "ability", "by"],
    keys: &[
        key("at", Shape::Number(0.0, MAX_TIME), "Time in seconds."),
        key("every", Shape::Number(0.001, MAX_TIME), "Interval in seconds."),
        key("times", Shape::Whole(1, 1_000_000), "Maximum number of times."),
        key("ability", Shape::Text, "The name."),
        key("by", Shape::Text, "The side or character that acts."),
    ],
};

pub(in crate::rules) static GAUNTLET: TableShape = TableShape {
    name: "gauntlet",
    about: "Encounters in a row with the same combatants.",
    needs: &["side", "encounters"],
    keys: &[
        ABOUT,
        DATA,
        key("side", Shape::Text, "The side that continues."),
        key("encounters", NAMES, "In order."),
        key("keeps", NAMES, "Pools that keep their amounts."),
        key("rests", AMOUNTS, "What they gain between encounters."),
        key("keeps_uses", Shape::Flag, "Limited uses stay used."),
        key("defeated", Shape::Choice(&["out", "back"]), "Whether the defeated return."),
    ],
};

pub(in crate::rules) static EXPECT: TableShape = TableShape {
    name: "expect",
    about: "What must stay true.",
    needs: &["that", "in"],
    keys: &[
        key("that", Shape::Text, "A measure: win_rate(keepers)."),
        key("in", Shape::Text, "The encounter."),
        key("between", Shape::List(&ANY_NUMBER), "The minimum and the maximum."),
        key("at_least", ANY_NUMBER, "The minimum."),
        key("at_most", ANY_NUMBER, "The maximum."),
        key("because", Shape::Text, "Shown when it fails."),
        key("trials", Shape::Whole(100, 10_000_000), "Initial number of fights; 250 by default."),
    ],
};
