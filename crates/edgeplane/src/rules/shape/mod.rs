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
pub(super) use parts::{EVERY, STATUS, STATUS_FILTER};

/// The value of a key.
#[derive(Clone, Copy, Debug)]
pub enum Shape {
    /// A text.
    Text,
    /// `true` or `false`.
    Flag,
    /// A number, or a text with a formula.
    Formula,
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

/// A list of names.
pub(super) const NAMES: Shape = Shape::List(&Shape::Text);
/// Amounts by the name of a pool or an attribute.
pub(super) const AMOUNTS: Shape = Shape::ByName(&Shape::Formula);
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

/// The keys of a rule after inheritance has been resolved: the remaining ones are its own.
pub(super) fn own(shape: &TableShape) -> Vec<&'static str> {
    shape.names().into_iter().filter(|name| !["extends", "template"].contains(name)).collect()
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
