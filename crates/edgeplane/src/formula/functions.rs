//! Built-in functions, and the two kinds of values.

/// The kind of a formula's value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// A finite number.
    Number,
    /// True or false.
    Truth,
}

impl Kind {
    /// With an article, for messages.
    pub fn what(self) -> &'static str {
        match self {
            Self::Number => "a number",
            Self::Truth => "a condition",
        }
    }
}

/// A built-in function.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Builtin {
    Min,
    Max,
    Clamp,
    Abs,
    Floor,
    Ceil,
    Round,
    Sqrt,
    Exp,
    Ln,
    Lerp,
    If,
    Roll,
    Between,
    Dice,
    Count,
    Has,
    Stacks,
    Tagged,
    Uses,
    Charges,
    Cooldown,
    Casting,
    Snapshot,
}

/// Its name.
struct Signature {
    builtin: Builtin,
    name: &'static str,
    arguments: &'static str,
    least: usize,
    most: usize,
    about: &'static str,
}

const MANY: usize = 16;

const TABLE: &[Signature] = &[
    sig(Builtin::Min, "min", "a, b, …", 2, MANY, "The minimum of 2 to 16 values."),
    sig(Builtin::Max, "max", "a, b, …", 2, MANY, "The maximum of 2 to 16 values."),
    sig(Builtin::Clamp, "clamp", "x, low, high", 3, 3, "x, limited to the range from low to high."),
    sig(Builtin::Abs, "abs", "x", 1, 1, "The absolute value."),
    sig(Builtin::Floor, "floor", "x", 1, 1, "Rounded down to a whole number."),
    sig(Builtin::Ceil, "ceil", "x", 1, 1, "Rounded up to a whole number."),
    sig(Builtin::Round, "round", "x", 1, 1, "Rounded to the nearest whole number; halves away from zero."),
    sig(Builtin::Sqrt, "sqrt", "x", 1, 1, "The square root."),
    sig(Builtin::Exp, "exp", "x", 1, 1, "e to the power of x."),
    sig(Builtin::Ln, "ln", "x", 1, 1, "The natural logarithm."),
    sig(Builtin::Lerp, "lerp", "a, b, share", 3, 3, "a + (b - a) × share."),
    sig(
        Builtin::If,
        "if",
        "condition, then, else",
        3,
        3,
        "One of two values; both are numbers or both are conditions.",
    ),
    sig(
        Builtin::Roll,
        "roll",
        "chance, streak = n",
        1,
        2,
        "A condition: true with this chance. With `streak`, at most n misses in a row.",
    ),
    sig(Builtin::Between, "between", "low, high", 2, 2, "A number drawn evenly between two bounds."),
    sig(Builtin::Dice, "dice", "number, sides", 2, 2, "The sum of `number` dice, each from 1 to `sides`."),
    sig(
        Builtin::Count,
        "count",
        "enemies | allies | others | everyone, metres",
        1,
        2,
        "The number of standing combatants, relative to the owner of the rule; with metres, within that distance.",
    ),
    sig(Builtin::Has, "has", "whom, status", 2, 2, "A condition: whether a combatant has a status."),
    sig(Builtin::Stacks, "stacks", "whom, status", 2, 2, "The stacks of a status on a combatant, over all instances."),
    sig(Builtin::Tagged, "tagged", "whom, tag", 2, 2, "A condition: whether a combatant has a status with a tag."),
    sig(Builtin::Uses, "uses", "whom, ability", 2, 2, "The remaining uses of a combatant's ability with `uses`."),
    sig(Builtin::Charges, "charges", "whom, ability", 2, 2, "The charges of a combatant's ability."),
    sig(
        Builtin::Cooldown,
        "cooldown",
        "whom, ability",
        2,
        2,
        "Seconds until the cooldown of a combatant's ability is over, otherwise 0.",
    ),
    sig(
        Builtin::Casting,
        "casting",
        "whom, ability",
        1,
        2,
        "A condition: whether a combatant casts or sustains any ability, or that one.",
    ),
    sig(Builtin::Snapshot, "snapshot", "x", 1, 1, "The value of x when the status was applied."),
];

const fn sig(
    builtin: Builtin,
    name: &'static str,
    arguments: &'static str,
    least: usize,
    most: usize,
    about: &'static str,
) -> Signature {
    Signature { builtin, name, arguments, least, most, about }
}

impl Builtin {
    /// The function with a name.
    pub fn named(name: &str) -> Option<Self> {
        TABLE.iter().find(|signature| signature.name == name).map(|signature| signature.builtin)
    }

    /// The names of all functions.
    pub fn names() -> impl Iterator<Item = &'static str> {
        TABLE.iter().map(|signature| signature.name)
    }

    fn signature(self) -> &'static Signature {
        // Every variant is in the table; a test checks this.
        TABLE.iter().find(|signature| signature.builtin == self).unwrap_or(&TABLE[0])
    }

    /// Its form with arguments: `clamp(x, low, high)`.
    pub fn usage(self) -> String {
        let signature = self.signature();
        format!("{}({})", signature.name, signature.arguments)
    }

    /// All of them, in the order of the reference.
    pub fn all() -> impl Iterator<Item = Self> {
        TABLE.iter().map(|signature| signature.builtin)
    }

    /// Its meaning, in one sentence.
    pub fn about(self) -> &'static str {
        self.signature().about
    }

    /// Whether it accepts a number of arguments.
    pub fn takes(self, arguments: usize) -> bool {
        let signature = self.signature();
        (signature.least..=signature.most).contains(&arguments)
    }
}
