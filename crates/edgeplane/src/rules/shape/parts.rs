//! Statuses, and the parts of rules: effects, modifiers, triggers.

use super::doing::{ABOUT, DATA, EXTENDS, TEMPLATE};
use super::numbers::OWNED_STEP;
use super::{AMOUNTS, AT_LEAST_0, INTERVAL, Key, MOST_KEPT_APART, NAMES, NUMBERS, SHARE, Shape, TableShape, key};

pub(super) const MODIFY: Key = key("modify", Shape::List(&A_MODIFIER), "Changes of attributes.");
pub(super) const TICKS: Key = key("every", Shape::Table(&EVERY), "Ticks.");
pub(super) const HIT_STEPS: Key = key("hit_steps", Shape::List(&A_STEP), "Steps that it adds to hits of its owner.");
pub(super) const ON: Key = key("on", Shape::List(&A_TRIGGER), "Triggers.");
pub(super) const IMMUNE: Key = key("immune", NAMES, "Tags of statuses that are not applied to its owner.");
pub(super) const BRINGS: Key = key("abilities", NAMES, "Abilities that it grants to its owner.");
pub(super) const UNTARGETABLE: Key =
    key("untargetable", Shape::Choice(&["enemies", "everyone"]), "Who cannot target it.");
pub(super) const EFFECTS: Shape = Shape::List(&EFFECT);

static A_MODIFIER: Shape = Shape::Table(&MODIFIER);
static A_STEP: Shape = Shape::Table(&OWNED_STEP);
static A_TRIGGER: Shape = Shape::Table(&TRIGGER);

pub(in crate::rules) static STATUS: TableShape = TableShape {
    name: "status",
    about: "A buff, a debuff or another condition of a combatant.",
    needs: &[],
    keys: &[
        ABOUT,
        DATA,
        EXTENDS,
        TEMPLATE,
        key("icon", Shape::Text, "The name under which a game finds its icon."),
        key("text", Shape::Text, "For players, with values in braces: slowed by {slow} %."),
        key("values", NUMBERS, "The values for the names in braces."),
        key("kind", Shape::Choice(&["buff", "debuff", "neutral"]), "Good or bad for its owner."),
        key("tags", NAMES, "For cleansing, immunity, triggers and formulas."),
        key("duration", AT_LEAST_0, "Seconds; inf for one that does not end by itself."),
        key("while", Shape::Condition, "It ends as soon as this is false."),
        key(
            "reapply",
            Shape::Choice(&["keep", "refresh", "extend", "replace", "strongest", "longest", "stack", "separate"]),
            "The effect of a further application while it lasts.",
        ),
        key("per", Shape::Choice(&["target", "caster"]), "One instance per target, or one per caster."),
        key("stack_timer", Shape::Choice(&["refresh", "keep", "each"]), "The effect of a further stack on the time."),
        key("max_stacks", Shape::Whole(1, 1_000_000), "Maximum number of stacks."),
        key("max_instances", Shape::Whole(1, MOST_KEPT_APART), "Maximum number of separate instances."),
        key("longest", AT_LEAST_0, "Maximum remaining seconds after an extension."),
        key("rank", Shape::Formula, "With `reapply = \"strongest\"`, the one with the higher rank is kept."),
        MODIFY,
        TICKS,
        HIT_STEPS,
        ON,
        key("forbids", NAMES, "act, move, or tags of abilities."),
        BRINGS,
        key("side", Shape::Choice(&["caster"]), "Its owner is on the side of the combatant that applied it."),
        UNTARGETABLE,
        key("interrupts", Shape::Flag, "It interrupts a cast when it is applied."),
        key("taunts", Shape::Flag, "Its owner picks the combatant that applied it first."),
        IMMUNE,
        key("resist", SHARE, "Chance that it is not applied."),
        key("hidden", Shape::Flag, "Not shown to players."),
        key("cleansable", Shape::Flag, "If false, it cannot be cleansed."),
        key("warn", Shape::Number(0.0, 1e6), "Seconds before its end at which it is announced."),
        key("at_max", EFFECTS, "Effects on reaching `max_stacks`."),
        key("consume", Shape::Flag, "The stacks are consumed then."),
    ],
};

pub(in crate::rules) static MODIFIER: TableShape = TableShape {
    name: "modifier",
    about: "A change of an attribute, of exactly one kind.",
    needs: &["attribute"],
    keys: &[
        key("attribute", Shape::Text, "The attribute, with or without a damage type: resist.silt."),
        key("add", Shape::Formula, "Added to the base."),
        key("percent", Shape::Formula, "A percentage of the base with all `add`."),
        key("times", Shape::Formula, "A factor."),
        key("at_least", Shape::Formula, "A minimum of the value."),
        key("at_most", Shape::Formula, "A maximum of the value."),
        key("set", Shape::Formula, "A fixed value; the latest is used."),
    ],
};

pub(in crate::rules) static EVERY: TableShape = TableShape {
    name: "every",
    about: "Ticks of a status.",
    needs: &[],
    keys: &[
        key("period", INTERVAL, "Seconds between ticks."),
        key("ticks", Shape::Whole(1, 100_000), "Number of ticks, evenly over the duration, instead of a period."),
        key("first_tick", Shape::Choice(&["later", "now"]), "`now`: one more at the start."),
        key("part_tick", Shape::Flag, "The rest of a period at the end gives a partial tick."),
        key("rhythm", Shape::Choice(&["keep", "restart"]), "`restart`: a renewal restarts the rhythm."),
        key("does", EFFECTS, "Effects of a tick."),
    ],
};

pub(in crate::rules) static TRIGGER: TableShape = TableShape {
    name: "trigger",
    about: "A reaction to an event.",
    needs: &["event", "does"],
    keys: &[
        key("event", Shape::Choice(EVENTS), "The event."),
        key(
            "of",
            Shape::Choice(&["self", "others", "allies", "enemies", "anyone"]),
            "Whose events, relative to the owner; self by default.",
        ),
        key("when", Shape::Condition, "Only if this is true."),
        key("chance", SHARE, "Only with this chance."),
        key("cooldown", AT_LEAST_0, "Seconds until it can trigger again."),
        key("uses", Shape::Whole(1, 1_000_000), "Maximum number of times, for each application."),
        key("does", EFFECTS, "Its effects."),
        key("status", Shape::Text, "Only for this status."),
        key(
            "reason",
            Shape::Choice(&[
                "expired",
                "cleansed",
                "replaced",
                "consumed",
                "condition_ended",
                "owner_defeated",
                "owner_left",
                "transferred",
            ]),
            "Only if a status ended for this reason.",
        ),
        key("ability", Shape::Text, "Only for this ability."),
        key("tag", Shape::Text, "Only for abilities, or statuses, with this tag."),
        key("stacks", Shape::Whole(1, 1_000_000), "The number of stacks to be reached."),
        key("pool", Shape::Text, "The pool that has to cross a share."),
        key("share", Shape::Number(0.0, 1.0), "That share."),
    ],
};

const EVENTS: &[&str] = &[
    "fight_began",
    "hit_dealt",
    "hit_taken",
    "hit_avoided",
    "hit_soaked",
    "heal_given",
    "heal_taken",
    "ability_used",
    "ability_unavailable",
    "interrupted",
    "gained",
    "renewed",
    "lost",
    "status_gained",
    "status_lost",
    "stacks_reached",
    "pool_below",
    "pool_above",
    "ally_defeated",
    "enemy_defeated",
    "defeated",
    "targeted",
];

pub(in crate::rules) static STATUS_FILTER: TableShape = TableShape {
    name: "status_filter",
    about: "Selects statuses of a combatant.",
    needs: &[],
    keys: &[
        key("kind", Shape::Choice(&["buff", "debuff", "neutral"]), "Of this kind."),
        key("tags", NAMES, "With one of these tags."),
        key(
            "count",
            Shape::Either(&[Shape::Choice(&["all"]), Shape::Whole(1, 1_000)]),
            "The maximum number; 1 by default.",
        ),
        key("pick", Shape::Choice(&["oldest", "newest", "longest"]), "Which are selected first."),
    ],
};

const TO: Key = key(
    "to",
    Shape::Choice(&["target", "caster", "owner", "other", "allies", "others", "enemies", "everyone"]),
    "The receiver.",
);
const WITHIN: Key = key("within", AT_LEAST_0, "For a side: only combatants within this many metres.");
const WHEN: Key = key("when", Shape::Condition, "Only if this is true.");
const CHANCE: Key = key("chance", SHARE, "Only with this chance.");
const SPREAD: Key = key("spread", SHARE, "The share by which it varies in both directions: 0.15.");
const SKIPS: Key = key("skips", SKIPPED, "Steps that it skips, or \"all\".");
/// Steps by name, or all of them.
pub(super) const SKIPPED: Shape = Shape::Either(&[NAMES, Shape::Choice(&["all"])]);
const TAGS: Key = key("tags", NAMES, "For steps with `tags`.");
const POOL: Key = key("pool", Shape::Text, "The pool that it changes; by default the one that defeats.");
const AMOUNT: Key = key("amount", AT_LEAST_0, "The amount.");
const STACKS: Key = key("stacks", AT_LEAST_0, "The number.");
const BY: Key = key("by", AT_LEAST_0, "Seconds.");
const WHICH: Shape = Shape::Either(&[Shape::Text, Shape::Table(&STATUS_FILTER)]);

/// One by its name, or all with a tag.
const NAME_OR_TAG: Shape = Shape::Either(&[Shape::Text, Shape::Table(&BY_TAG)]);

pub(in crate::rules) static BY_TAG: TableShape = TableShape {
    name: "by_tag",
    about: "All with a tag.",
    needs: &["tag"],
    keys: &[key("tag", Shape::Text, "The tag.")],
};

pub(in crate::rules) static CASTS: TableShape = TableShape {
    name: "casts",
    about: "Casts of an ability, or of all abilities with a tag.",
    needs: &[],
    keys: &[key("ability", Shape::Text, "The ability."), key("tag", Shape::Text, "The tag.")],
};

const fn effect(name: &'static str, about: &'static str, keys: &'static [Key]) -> TableShape {
    // The first key determines the effect.
    TableShape { name, about, needs: &[], keys }
}

macro_rules! effects {
    ($($name:ident: $about:literal, $takes:expr $(, $more:expr)*;)*) => {
        /// Each effect has one kind, named by its first key.
        pub(super) static EFFECT: Shape = Shape::Either(&[$(
            Shape::Table(&TableShape {
                needs: &[stringify!($name)],
                ..effect(concat!("effect_", stringify!($name)), $about,
                    &[key(stringify!($name), $takes, $about), $($more,)* WHEN, CHANCE])
            })
        ),*]);
    };
}

effects! {
    damage: "A hit.", AT_LEAST_0, SPREAD, key("type", Shape::Text, "Its damage type."), SKIPS, TAGS, POOL, TO, WITHIN;
    heal: "A heal.", AT_LEAST_0, SPREAD, SKIPS, TAGS, POOL, TO, WITHIN;
    restore: "Adds to a pool, without steps.", Shape::Text, AMOUNT, TO, WITHIN;
    drain: "Takes from a pool, without steps.", Shape::Text, AMOUNT, key("to_caster", AT_LEAST_0, "The share of it that the caster gains."), TO, WITHIN;
    apply: "Applies a status.", Shape::Text, STACKS, key("duration", AT_LEAST_0, "Seconds that replace its own duration."), TO, WITHIN;
    cleanse: "Removes statuses.", WHICH, TO, WITHIN;
    transfer: "Transfers statuses of the receiver to the caster.", WHICH, TO, WITHIN;
    consume: "Consumes stacks of a status.", NAME_OR_TAG, STACKS, TO, WITHIN;
    extend: "Extends a status.", NAME_OR_TAG, BY, TO, WITHIN;
    shorten: "Shortens a status.", NAME_OR_TAG, BY, TO, WITHIN;
    interrupt: "Interrupts a cast.", Shape::Either(&[Shape::Flag, Shape::Table(&CASTS)]), TO, WITHIN;
    push: "Moves the receiver this many metres away from the caster.", AT_LEAST_0, TO, WITHIN;
    pull: "Moves the receiver this many metres toward the caster.", AT_LEAST_0, TO, WITHIN;
    call: "Lets members of the encounter join that wait to be called.", Shape::Text, key("count", AT_LEAST_0, "The number.");
    zone: "Places a zone.", Shape::Text, TO, WITHIN;
    threat: "Raises the threat of the caster for the receiver.", Shape::Formula, TO, WITHIN;
    leap: "Moves the caster to within this many metres of the receiver.", AT_LEAST_0, TO, WITHIN;
    toggle: "Applies a status, or removes it if it is present.", Shape::Text, TO, WITHIN;
    win: "The caster's side wins.", Shape::Flag;
    wear: "Puts a piece of gear on.", Shape::Text, TO, WITHIN;
    take_off: "Takes a piece of gear off.", Shape::Text, TO, WITHIN;
    give: "Gives an ability.", Shape::Text, TO, WITHIN;
    revive: "Revives a defeated combatant.", AMOUNTS, TO, WITHIN;
    experience: "Gives experience.", AT_LEAST_0, TO, WITHIN;
    report: "Sends an event with numbers to the game.", Shape::Text, key("numbers", Shape::List(&Shape::Formula), "Up to four numbers of the event."), TO, WITHIN;
    take: "Takes abilities away.", NAME_OR_TAG, TO, WITHIN;
}
