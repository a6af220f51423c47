//! The functions that every formula can call, and the two kinds of value.

/// What a formula gives.
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

/// How a function is called.
struct Signature {
    builtin: Builtin,
    name: &'static str,
    arguments: &'static str,
    least: usize,
    most: usize,
}

const MANY: usize = 16;

const TABLE: &[Signature] = &[
    sig(Builtin::Min, "min", "a, b, …", 2, MANY),
    sig(Builtin::Max, "max", "a, b, …", 2, MANY),
    sig(Builtin::Clamp, "clamp", "x, low, high", 3, 3),
    sig(Builtin::Abs, "abs", "x", 1, 1),
    sig(Builtin::Floor, "floor", "x", 1, 1),
    sig(Builtin::Ceil, "ceil", "x", 1, 1),
    sig(Builtin::Round, "round", "x", 1, 1),
    sig(Builtin::Sqrt, "sqrt", "x", 1, 1),
    sig(Builtin::Exp, "exp", "x", 1, 1),
    sig(Builtin::Ln, "ln", "x", 1, 1),
    sig(Builtin::Lerp, "lerp", "a, b, share", 3, 3),
    sig(Builtin::If, "if", "condition, then, else", 3, 3),
    sig(Builtin::Roll, "roll", "chance, streak = n", 1, 2),
    sig(Builtin::Between, "between", "low, high", 2, 2),
    sig(Builtin::Dice, "dice", "number, sides", 2, 2),
    sig(Builtin::Count, "count", "enemies | allies | others | everyone, metres", 1, 2),
    sig(Builtin::Has, "has", "whom, status", 2, 2),
    sig(Builtin::Stacks, "stacks", "whom, status", 2, 2),
    sig(Builtin::Tagged, "tagged", "whom, tag", 2, 2),
    sig(Builtin::Uses, "uses", "whom, ability", 2, 2),
    sig(Builtin::Charges, "charges", "whom, ability", 2, 2),
    sig(Builtin::Cooldown, "cooldown", "whom, ability", 2, 2),
    sig(Builtin::Casting, "casting", "whom, ability", 1, 2),
    sig(Builtin::Snapshot, "snapshot", "x", 1, 1),
];

const fn sig(builtin: Builtin, name: &'static str, arguments: &'static str, least: usize, most: usize) -> Signature {
    Signature { builtin, name, arguments, least, most }
}

impl Builtin {
    /// The function of a name.
    pub fn named(name: &str) -> Option<Self> {
        TABLE.iter().find(|signature| signature.name == name).map(|signature| signature.builtin)
    }

    /// Names of all functions.
    pub fn names() -> impl Iterator<Item = &'static str> {
        TABLE.iter().map(|signature| signature.name)
    }

    fn signature(self) -> &'static Signature {
        // Every variant stands in the table; a test walks them all.
        TABLE.iter().find(|signature| signature.builtin == self).unwrap_or(&TABLE[0])
    }

    /// How it is written with its arguments: `clamp(x, low, high)`.
    pub fn usage(self) -> String {
        let signature = self.signature();
        format!("{}({})", signature.name, signature.arguments)
    }

    /// Whether it takes so many arguments.
    pub fn takes(self, arguments: usize) -> bool {
        let signature = self.signature();
        (signature.least..=signature.most).contains(&arguments)
    }
}
