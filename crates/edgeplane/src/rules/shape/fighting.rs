//! Characters, encounters and policies.

use super::doing::{ABOUT, DATA, EXTENDS, TEMPLATE};
use super::parts::{BRINGS, EFFECTS, HIT_STEPS, IMMUNE, MODIFY, ON, TICKS, UNTARGETABLE};
use super::{AMOUNTS, ANY_NUMBER, NAMES, Shape, TableShape, key};

pub(in crate::rules) static GEAR: TableShape = TableShape {
    name: "gear",
    about: "A piece that can be worn.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("slot", Shape::Text, "One piece for each slot; a piece without a slot takes up none."),
        key("set", Shape::Text, "The set that it belongs to."),
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
    about: "What several pieces give together.",
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
        key("stacks", Shape::Whole(1, 1_000_000), "How many stacks; one if it is not given."),
        key("duration", Shape::Formula, "Seconds from then on; as long as the pieces are worn if it is not given."),
    ],
};

pub(in crate::rules) static ZONE: TableShape = TableShape {
    name: "zone",
    about: "An area on the ground and what it does to those inside.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("radius", Shape::Formula, "Metres from its middle to its edge."),
        key("grows", Shape::Formula, "Metres by which its radius grows per second."),
        key("lasts", Shape::Formula, "Seconds; as long as the fight by default."),
        key("affects", Shape::Choice(&["allies", "enemies", "everyone"]), "Whom it affects, seen from its owner."),
        key("owner", Shape::Flag, "It affects its owner too."),
        key("carried", Shape::Flag, "It moves with the one around whom it was placed."),
        key("max_instances", Shape::Whole(1, 100), "Most at once of one owner; 1 by default."),
        key("tags", NAMES, "For policies that avoid it."),
        key("uses", Shape::Whole(1, 1_000_000), "It ends after so many entries."),
        key("apply", NAMES, "Statuses held by those inside."),
        key("enters", EFFECTS, "Effects on those who enter."),
        key("leaves", EFFECTS, "Effects on those who leave."),
    ],
};

pub(in crate::rules) static CAUSE: TableShape = TableShape {
    name: "cause",
    about: "Something that the game brings about by itself, such as a fall.",
    needs: &["does"],
    keys: &[ABOUT, DATA, key("does", EFFECTS, "Effects on whom the game names; `amount` is the number that it gives.")],
};

pub(in crate::rules) static POLICY: TableShape = TableShape {
    name: "policy",
    about: "How a combatant chooses.",
    needs: &["use"],
    keys: &[
        ABOUT,
        DATA,
        key("reaction", Shape::Number(0.0, 3_600.0), "Reaction time of an idle combatant, in seconds; 0 by default."),
        key("choose", Shape::Choice(&["first", "weighted", "random"]), "How one of the possible lines is chosen."),
        key(
            "target",
            Shape::Formula,
            "A score for targets; the highest is picked first by abilities with pick = \"policy\".",
        ),
        key(
            "move",
            Shape::Either(&[Shape::Choice(&["approach", "hold"]), Shape::Table(&POLICY_MOVE)]),
            "How it walks.",
        ),
        key("use", Shape::List(&POLICY_LINE), "Lines, the most important first."),
    ],
};

pub(in crate::rules) static POLICY_MOVE: TableShape = TableShape {
    name: "policy_move",
    about: "How it walks: what it keeps away from.",
    needs: &[],
    keys: &[
        key("keep_distance", Shape::Number(0.01, 10_000.0), "Metres that it keeps between itself and enemies."),
        key("avoid", NAMES, "Zones, by name or tag, that it steps out of and does not walk into."),
    ],
};

pub(in crate::rules) static POLICY_USE: TableShape = TableShape {
    name: "policy_use",
    about: "A line of a policy; a name alone is the ability without a condition.",
    needs: &[],
    keys: &[
        key("ability", Shape::Text, "The ability."),
        key("tag", Shape::Text, "Any ability with this tag, in the order in which a character lists them."),
        key("when", Shape::Formula, "The line applies only if this is true."),
        key("weight", Shape::Formula, "How likely it is chosen, compared with others."),
    ],
};

static POLICY_LINE: Shape = Shape::Either(&[Shape::Text, Shape::Table(&POLICY_USE), Shape::Table(&POLICY_GROUP)]);
static POLICY_CHOICE: Shape = Shape::Either(&[Shape::Text, Shape::Table(&POLICY_USE)]);

pub(in crate::rules) static POLICY_GROUP: TableShape = TableShape {
    name: "policy_group",
    about: "Lines of which chance chooses one of those that are possible.",
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
        key("attributes", Shape::ByName(&Shape::Either(&[Shape::Formula, AMOUNTS])), "Its own bases."),
        key("pools", NAMES, "The pools that it has."),
        key("abilities", NAMES, "What it can do."),
        key("can_learn", NAMES, "Abilities that it has only after they were given."),
        key("gear", Shape::List(&Shape::Either(&[Shape::Text, Shape::Table(&PIECE)])), "What it wears."),
        key("statuses", NAMES, "Statuses that it has for good, whatever their duration."),
        IMMUNE,
        UNTARGETABLE,
        key(
            "body",
            Shape::Number(0.0, 1e3),
            "Metres from its middle to its rim, to which reach and areas are measured.",
        ),
        key("policy", Shape::Text, "Its policy; without one, abilities are tried in order."),
        key("reward", Shape::Formula, "Experience for each enemy who stands when it is defeated."),
        key("spends", NAMES, "Points that it spends, one after the other, over and over."),
    ],
};

pub(in crate::rules) static PIECE: TableShape = TableShape {
    name: "piece",
    about: "A piece of gear that it wears by chance.",
    needs: &["piece"],
    keys: &[key("piece", Shape::Text, "The name."), key("chance", Shape::Formula, "How likely.")],
};

pub(in crate::rules) static ENCOUNTER: TableShape = TableShape {
    name: "encounter",
    about: "Who fights whom.",
    needs: &["sides"],
    keys: &[
        ABOUT,
        DATA,
        key(
            "sides",
            Shape::ByName(&Shape::List(&Shape::Either(&[Shape::Text, Shape::Table(&MEMBER)]))),
            "Two sides or more, each with its members.",
        ),
        key("distance", Shape::Number(0.0, 1e6), "Metres between two sides without places of their own."),
        key("time_limit", Shape::Number(0.001, 864_000.0), "Seconds after which it ends."),
        key("at_limit", Shape::Text, "The side that wins at the time limit; nobody by default."),
        key("script", Shape::List(&Shape::Table(&MOMENT)), "Abilities that take effect at given moments."),
    ],
};

pub(in crate::rules) static MEMBER: TableShape = TableShape {
    name: "member",
    about: "Combatants of one character.",
    needs: &["character"],
    keys: &[
        key("character", Shape::Text, "The name."),
        key("count", Shape::Whole(1, 1_000), "How many."),
        key("at", Shape::Place, "Where they stand, in metres."),
        key("spread", Shape::Number(0.0, 1e6), "Metres between two of them, in a row across."),
        key(
            "joins",
            Shape::Either(&[Shape::Number(0.001, 864_000.0), Shape::Choice(&["called"])]),
            "Seconds after which they join, or `called`.",
        ),
        key("vital", Shape::Flag, "Their side has lost as soon as one of them is defeated."),
        key("statuses", NAMES, "Statuses that are applied as they begin."),
        key("start", AMOUNTS, "Amounts in their pools as they begin."),
    ],
};

pub(in crate::rules) static MOMENT: TableShape = TableShape {
    name: "moment",
    about: "An ability that takes effect by itself.",
    needs: &["at", "ability", "by"],
    keys: &[
        key("at", Shape::Number(0.0, 864_000.0), "Seconds from the beginning."),
        key("every", Shape::Number(0.001, 864_000.0), "Seconds from one to the next."),
        key("times", Shape::Whole(1, 1_000_000), "How often."),
        key("ability", Shape::Text, "The name."),
        key("by", Shape::Text, "The side or character that acts."),
    ],
};

pub(in crate::rules) static GAUNTLET: TableShape = TableShape {
    name: "gauntlet",
    about: "Encounters one after the other, with the same combatants.",
    needs: &["side", "encounters"],
    keys: &[
        ABOUT,
        DATA,
        key("side", Shape::Text, "The side that goes from one to the next."),
        key("encounters", NAMES, "In order."),
        key("keeps", NAMES, "Pools that are not filled in between."),
        key("rests", AMOUNTS, "What they gain in between."),
        key("keeps_uses", Shape::Flag, "Limited uses are not renewed in between."),
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
        key("between", Shape::List(&ANY_NUMBER), "The least and the greatest value that are right."),
        key("at_least", ANY_NUMBER, "The least value that is right."),
        key("at_most", ANY_NUMBER, "The greatest value that is right."),
        key("because", Shape::Text, "Shown when it fails."),
        key("trials", Shape::Whole(100, 10_000_000), "Fights at first; 250 by default."),
    ],
};
