//! The format of rulesets: every table with its keys, their values, and their meaning. Readers take their keys from
//! here, and so does the schema for completion and checks in editors.

mod doing;
mod fighting;
mod numbers;
mod parts;

pub(super) use doing::{
    ABILITY, ABILITY_AFTER, ABILITY_CHARGES, ABILITY_RELEASES, ABILITY_SHARED, ABILITY_SUSTAIN, ABILITY_TARGETS,
    PICK_LOWEST,
};
pub(super) use fighting::{
    CAUSE, CHARACTER, ENCOUNTER, EXPECT, GAUNTLET, GEAR, GEAR_SET, MEMBER, MOMENT, PIECE, POLICY, POLICY_GROUP,
    POLICY_MOVE, POLICY_USE, SET_STATUS, ZONE,
};
pub(super) use numbers::{
    ATTRIBUTE, CURVE, DAMAGE_TYPE, DIMINISH, FLOW, FUNCTION, HEAD, LEVELS, OWNED_STEP, POINT, POOL, STEP, THREAT,
};
pub(super) use parts::{BY_TAG, CASTS, EVERY, MODIFIER, STATUS, STATUS_FILTER, TRIGGER};

/// The value of a key.
#[derive(Clone, Copy, Debug)]
pub enum Shape {
    /// A text.
    Text,
    /// `true` or `false`.
    Flag,
    /// A number, or a text with a formula.
    Formula,
    /// A text with a formula that is true or false.
    Condition,
    /// A number between two bounds, or a text with a formula. A formula without variables must lie between them, too; what
    /// happens to a computed value beyond them depends on the key.
    FormulaWithin(f64, f64),
    /// A number between two bounds.
    Number(f64, f64),
    /// A whole number between two bounds.
    Whole(u32, u32),
    /// One of these words.
    Choice(&'static [&'static str]),
    /// Two numbers in metres.
    Place,
    /// A list of equal items.
    List(&'static Shape),
    /// A table whose keys are names chosen by the designer.
    ByName(&'static Shape),
    /// A table with known keys.
    Table(&'static TableShape),
    /// A table with any content, for the game.
    Anything,
    /// Any of these.
    Either(&'static [Shape]),
}

impl Shape {
    /// The bounds of the numbers that it takes, at any depth.
    pub(super) fn bounds(&self) -> Option<(f64, f64)> {
        match self {
            Self::FormulaWithin(least, most) | Self::Number(least, most) => Some((*least, *most)),
            Self::Whole(least, most) => Some((f64::from(*least), f64::from(*most))),
            Self::List(inner) | Self::ByName(inner) => inner.bounds(),
            Self::Either(shapes) => shapes.iter().find_map(Self::bounds),
            _ => None,
        }
    }
}

/// A formula for a time in seconds, a distance in metres, or a number of something.
pub(super) const AT_LEAST_0: Shape = Shape::FormulaWithin(0.0, f64::INFINITY);
/// The maximum number of combatants in an encounter.
pub(crate) const MAX_COMBATANTS: u32 = 1_000;
/// The maximum number of instances of a status, or of stacks with individual end times, on one combatant.
pub(crate) const MOST_KEPT_APART: u32 = 1_000;
/// The maximum time of an encounter: ten days, in seconds.
pub(super) const MAX_TIME: f64 = 10.0 * 86_400.0;
/// The maximum of a coordinate or of a distance, in metres.
pub(super) const MAX_METRES: f64 = 1e6;
/// The shortest interval, in seconds. A shorter one that is computed counts as this one.
pub(crate) const LEAST_PERIOD: f64 = 0.001;
/// A formula for an interval in seconds.
pub(super) const INTERVAL: Shape = Shape::FormulaWithin(LEAST_PERIOD, f64::INFINITY);
/// A formula for a share or a chance.
pub(super) const SHARE: Shape = Shape::FormulaWithin(0.0, 1.0);
/// A list of names.
pub(super) const NAMES: Shape = Shape::List(&Shape::Text);
/// Numbers by the name of an attribute, or by another name.
pub(super) const NUMBERS: Shape = Shape::ByName(&Shape::Formula);
/// Amounts by the name of a pool.
pub(super) const AMOUNTS: Shape = Shape::ByName(&AT_LEAST_0);
/// Any number of seconds or metres.
pub(super) const ANY_NUMBER: Shape = Shape::Number(f64::MIN, f64::MAX);

/// One key of a table.
#[derive(Clone, Copy, Debug)]
pub struct Key {
    /// The key.
    pub name: &'static str,
    /// Its value.
    pub takes: Shape,
    /// Its meaning, with its unit.
    pub about: &'static str,
}

pub(super) const fn key(name: &'static str, takes: Shape, about: &'static str) -> Key {
    Key { name, takes, about }
}

/// A table with known keys.
#[derive(Clone, Copy, Debug)]
pub struct TableShape {
    /// Its name in schemas.
    pub name: &'static str,
    /// Its meaning.
    pub about: &'static str,
    /// Required keys. Keys that a rule can inherit are not included.
    pub needs: &'static [&'static str],
    /// All its keys.
    pub keys: &'static [Key],
}

impl TableShape {
    /// The names of its keys.
    pub(super) fn names(&self) -> Vec<&'static str> {
        self.keys.iter().map(|key| key.name).collect()
    }
}

/// Every effect, each as a table whose first key names it.
pub fn effects() -> impl Iterator<Item = &'static TableShape> {
    let Shape::Either(shapes) = parts::EFFECT else { return [].iter().filter_map(table_of as fn(_) -> _) };
    shapes.iter().filter_map(table_of as fn(_) -> _)
}

fn table_of(shape: &'static Shape) -> Option<&'static TableShape> {
    match shape {
        Shape::Table(table) => Some(table),
        _ => None,
    }
}

/// A whole ruleset. Each file of a folder may contain any part of it.
pub static RULESET: TableShape = TableShape {
    name: "ruleset_file",
    about: "A ruleset, or a part of one.",
    needs: &[],
    keys: &[
        key("ruleset", Shape::Table(&HEAD), "Name and format."),
        key(
            "attributes",
            Shape::ByName(&Shape::Either(&[Shape::Formula, Shape::Table(&ATTRIBUTE)])),
            "The attributes of characters.",
        ),
        key("pools", Shape::ByName(&Shape::Table(&POOL)), "Amounts that are spent and regained: health, breath."),
        key("damage_types", Shape::ByName(&Shape::Table(&DAMAGE_TYPE)), "Kinds of damage."),
        key("hit_steps", Shape::List(&Shape::Table(&STEP)), "The steps of every hit, in order."),
        key("heal_steps", Shape::List(&Shape::Table(&STEP)), "The steps of every heal, in order."),
        key("curve", Shape::ByName(&Shape::Table(&CURVE)), "Functions given by points: name(x) in formulas."),
        key("formula", Shape::ByName(&Shape::Table(&FUNCTION)), "Formulas that others can call: name(a, b)."),
        key("status", Shape::ByName(&Shape::Table(&STATUS)), "Buffs, debuffs and other conditions of a combatant."),
        key(
            "diminish",
            Shape::ByName(&Shape::Table(&DIMINISH)),
            "Diminishing durations of repeated statuses with this tag.",
        ),
        key("ability", Shape::ByName(&Shape::Table(&ABILITY)), "Actions of combatants."),
        key("gear", Shape::ByName(&Shape::Table(&GEAR)), "Pieces of gear."),
        key("gear_set", Shape::ByName(&Shape::Table(&GEAR_SET)), "Statuses for wearing several pieces."),
        key("zone", Shape::ByName(&Shape::Table(&ZONE)), "Areas on the ground."),
        key("cause", Shape::ByName(&Shape::Table(&CAUSE)), "Effects brought about by the game."),
        key("policy", Shape::ByName(&Shape::Table(&POLICY)), "How combatants choose abilities."),
        key("threat", Shape::Table(&THREAT), "How threat grows."),
        key("levels", Shape::Table(&LEVELS), "Experience and levels."),
        key("point", Shape::ByName(&Shape::Table(&POINT)), "The effect of a spent point."),
        key("character", Shape::ByName(&Shape::Table(&CHARACTER)), "Combatants before a fight."),
        key("encounter", Shape::ByName(&Shape::Table(&ENCOUNTER)), "A fight between sides."),
        key("gauntlet", Shape::ByName(&Shape::Table(&GAUNTLET)), "Encounters in a row with the same combatants."),
        key("expect", Shape::List(&Shape::Table(&EXPECT)), "What must stay true; checked by `edgeplane verify`."),
        key("sheet", Shape::ByName(&Shape::Table(&numbers::SHEET)), "Values in a spreadsheet."),
    ],
};
