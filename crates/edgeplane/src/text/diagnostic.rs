//! Diagnostics of a ruleset as plain data. Drawing them is a separate task.

use super::renamed::{renamed, synonyms};
use super::source::{Sources, Span};

/// The severity of a diagnostic.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "lowercase"))]
pub enum Severity {
    /// The ruleset cannot be loaded.
    Error,
    /// Valid but suspicious.
    Warning,
}

impl Severity {
    /// In a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
        }
    }
}

macro_rules! codes {
    ($($variant:ident $name:literal $about:literal;)*) => {
        /// A stable name for each kind of diagnostic. The table in this file is the only one.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code { $(#[doc = $about] $variant,)* }

        impl Code {
            /// Every code, in the order of the table.
            pub const ALL: &'static [Code] = &[$(Code::$variant,)*];

            /// The printed code; it never changes its meaning.
            pub fn name(self) -> &'static str {
                match self { $(Code::$variant => $name,)* }
            }

            /// One sentence on the meaning of the code.
            pub fn about(self) -> &'static str {
                match self { $(Code::$variant => $about,)* }
            }
        }
    };
}

codes! {
    UnreadableFile "unreadable-file" "A file or folder cannot be read, or is not UTF-8, or is too large.";
    Syntax "syntax" "The file is not TOML.";
    UnknownKey "unknown-key" "A key that is not known in this table.";
    MissingKey "missing-key" "A required key is missing.";
    WrongType "wrong-type" "A TOML value with a type that this key does not accept.";
    UnknownName "unknown-name" "A name that does not exist in the ruleset.";
    DuplicateName "duplicate-name" "A name is used twice.";
    BadName "bad-name" "A name that cannot be used in formulas, or is reserved.";
    BadValue "bad-value" "A value outside the range of its key.";
    KeyConflict "key-conflict" "Keys that exclude each other, or none of several of which one is required.";
    FormatVersion "format-version" "The ruleset is written for another version of the format.";
    UnknownPath "unknown-path" "A path of a value to be set does not exist.";
    FormulaSyntax "formula-syntax" "The formula cannot be read.";
    FormulaLimit "formula-limit" "The formula is too long, too deep or too large.";
    UnknownFunction "unknown-function" "A formula calls a function or curve that does not exist.";
    WrongArguments "wrong-arguments" "A function is called with the wrong number of arguments.";
    WrongKind "wrong-kind" "A number instead of a condition, or the other way round.";
    NotHere "not-here" "A name that exists but has no meaning in this context.";
    FormulaFault "formula-fault" "A formula of constants that has no finite value.";
    AttributeCycle "attribute-cycle" "Derived attributes that depend on each other in a circle.";
    FunctionCycle "function-cycle" "Formulas that call each other in a circle.";
    ExtendsCycle "extends-cycle" "Characters that extend each other in a circle.";
    BadCurve "bad-curve" "A curve whose points are missing or out of order.";
    MissingPool "missing-pool" "A character that lacks a pool that it needs.";
    TemplateUsed "template-used" "A template is put into a fight.";
    TooMany "too-many" "A limit is exceeded.";
    BadMeasure "bad-measure" "A measure that cannot be read, or that does not exist.";
    NoEffect "no-effect" "Warning: a key without effect.";
    NeverTicks "never-ticks" "Warning: a status whose period is longer than its duration, which nothing prolongs.";
    NeverFull "never-full" "Warning: a status that cannot reach a number of stacks.";
    ForbidsNothing "forbids-nothing" "Warning: a status forbids a tag that no ability has.";
    NeverApplied "never-applied" "Warning: a status that nothing applies.";
    NeverTriggers "never-triggers" "Warning: a trigger that never triggers.";
    ChanceAboveOne "chance-above-one" "Warning: a chance above 1.";
    NeverOpen "never-open" "Warning: an ability that requires another one which its owner lacks.";
    SharesNothing "shares-nothing" "Warning: a shared cooldown with only one ability.";
    NeverJoins "never-joins" "Warning: a member that is never called, or a call that nobody waits for.";
    Unused "unused" "Warning: an ability, a policy, a formula or a curve that nothing uses.";
    NeverAffordable "never-affordable" "Warning: an ability whose cost exceeds the caps of all its owners.";
    NeverChosen "never-chosen" "Warning: an ability that the policy of its owner does not use.";
    AmountAsShare "amount-as-share" "Warning: a share where an amount or a percentage is expected: a pool below 1, or `percent = 0.2`.";
    NowhereNear "nowhere-near" "Warning: a combatant that stays out of reach of all enemies.";
    NeverPlaced "never-placed" "Warning: a zone that nothing places.";
    HelpsEnemies "helps-enemies" "Warning: an ability that helps its targets, which are enemies by default.";
    UnreadSheet "unread-sheet" "Warning: a sheet in the folder that the ruleset does not name.";
    NeverSpent "never-spent" "Warning: a point that nobody buys.";
    NeverWorn "never-worn" "Warning: a piece of gear that nobody wears.";
    UnreadAttribute "unread-attribute" "Warning: an attribute that no formula reads.";
    FightFault "fight-fault" "A fight failed because of a formula without a value or an endless chain.";
}

#[cfg(feature = "serde")]
impl serde::Serialize for Code {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

/// A span, and a note on it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Label {
    /// The span.
    pub span: Span,
    /// The note; may be empty.
    pub text: String,
}

/// One diagnostic.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    /// Its kind.
    pub code: Code,
    /// Its severity.
    pub severity: Severity,
    /// What was found, in one sentence.
    pub message: String,
    /// The spans; the first is the main one. Empty if it refers to no place in a file.
    pub labels: Vec<Label>,
    /// What was probably meant, or what to do.
    pub help: Option<String>,
}

impl Diagnostic {
    /// An error without a span.
    pub fn new(code: Code, message: impl Into<String>) -> Self {
        Self { code, severity: Severity::Error, message: message.into(), labels: Vec::new(), help: None }
    }

    /// An error at a span.
    pub fn at(code: Code, span: Span, message: impl Into<String>) -> Self {
        Self::new(code, message).label(span, "")
    }

    /// A warning at a span.
    pub(crate) fn warning(code: Code, span: Span, message: impl Into<String>) -> Self {
        Self { severity: Severity::Warning, ..Self::at(code, span, message) }
    }

    /// Adds a span; the first one added is the main one.
    #[must_use]
    pub fn label(mut self, span: Span, text: impl Into<String>) -> Self {
        self.labels.push(Label { span, text: text.into() });
        self
    }

    /// Sets the note at the main span.
    #[must_use]
    pub fn saying(mut self, text: impl Into<String>) -> Self {
        if let Some(first) = self.labels.first_mut() {
            first.text = text.into();
        }
        self
    }

    /// Adds help.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// Adds "did you mean" help if a known name is near, otherwise the list of known names.
    #[must_use]
    #[inline(never)]
    pub fn nearest<'a>(self, found: &str, known: impl IntoIterator<Item = &'a str>) -> Self {
        let known: Vec<&str> = known.into_iter().collect();
        match suggestion(found, &known) {
            Some(help) => self.help(help),
            None if known.is_empty() => self,
            None => self.help(format!("known here: {}", listed(&known))),
        }
    }

    /// An unknown word where one of a few is expected. These are listed once: in the message if they fit into a line,
    /// otherwise as help if none is near.
    pub(crate) fn not_one_of(span: Span, path: &str, found: &str, known: &[&str]) -> Self {
        const FEW: usize = 8;
        let message = format!("`{path}` cannot be `{found}`");
        if known.len() > FEW {
            return Self::at(Code::BadValue, span, message).nearest(found, known.iter().copied());
        }
        let diagnostic = Self::at(Code::BadValue, span, format!("{message}; it is one of {}", listed(known)));
        match suggestion(found, known) {
            Some(help) => diagnostic.help(help),
            None => diagnostic,
        }
    }

    /// One line for logs and tests: `file:line:column code message`.
    pub fn line(&self, sources: &Sources) -> String {
        let code = self.code.name();
        match self.labels.first() {
            Some(label) => format!("{} {code}: {}", sources.place(label.span), self.message),
            None => format!("{code}: {}", self.message),
        }
    }
}

/// The probable meaning of an unknown name: a similarly spelt one, or the one that has replaced an old word of the
/// format.
pub(crate) fn suggestion(found: &str, known: &[&str]) -> Option<String> {
    match renamed(found, known) {
        Some(written) => Some(format!("`{found}` is now written `{written}`")),
        None => {
            let mut near = synonyms(found, known);
            if near.is_empty() {
                let one = meant(found, known).or_else(|| meant(without_number(found)?, known));
                near = one.map_or_else(|| of_one_family(found, known), |one| vec![one]);
            }
            let near: Vec<String> = near.iter().map(|name| format!("`{name}`")).collect();
            (!near.is_empty()).then(|| format!("did you mean {}?", near.join(" or ")))
        }
    }
}

/// The one name that was probably meant: first by meaning, then by spelling.
fn meant<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    let by_meaning = synonyms(found, known).first().copied().or_else(|| of_other_number(found, known));
    let by_spelling = by_meaning.or_else(|| nearest(found, known)).or_else(|| containing(found, known));
    by_spelling.or_else(|| of_one_stem(found, known)).or_else(|| part(found, known))
}

/// `team` for `team1`.
fn without_number(found: &str) -> Option<&str> {
    let word = found.trim_end_matches(|c: char| c.is_ascii_digit() || c == '_');
    Some(word).filter(|word| !word.is_empty() && word.len() < found.len())
}

/// The known name that differs only in number: `enemies` for `enemy`, `character` for `characters`.
fn of_other_number<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    fn singular(word: &str) -> String {
        match word.strip_suffix("ies") {
            Some(stem) => format!("{stem}y"),
            None => word
                .strip_suffix("es")
                .filter(|stem| stem.ends_with('s'))
                .or(word.strip_suffix('s'))
                .unwrap_or(word)
                .to_owned(),
        }
    }
    known.iter().find(|name| singular(name) == singular(found)).copied()
}

/// The only known name that is a part of the found one: `cost` for `mana_cost`.
fn part<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    let mut parts = known.iter().filter(|name| found.split('_').any(|part| part == **name));
    parts.next().filter(|_| parts.next().is_none()).copied()
}

/// The only known name that contains the found one: `time_limit` for `limit`.
fn containing<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    let mut having = known.iter().filter(|name| name.split('_').any(|part| part == found));
    having.next().filter(|_| having.next().is_none()).copied()
}

/// The only known name with the same beginning: `expect` for `expectation`, `modify` for `modifiers`.
fn of_one_stem<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    const STEM: usize = 5;
    let stem = found.get(..STEM)?;
    let mut alike = known.iter().filter(|name| name.starts_with(stem));
    alike.next().filter(|_| alike.next().is_none()).copied()
}

/// The few names that begin with the same word: `pool_below` and `pool_above` for `pool_falls`.
fn of_one_family<'a>(found: &str, known: &[&'a str]) -> Vec<&'a str> {
    const FEW: usize = 4;
    let Some((first, _)) = found.split_once('_') else { return Vec::new() };
    let alike = known.iter().filter(|name| name.split_once('_').is_some_and(|(word, _)| word == first));
    let alike: Vec<&str> = alike.copied().collect();
    if alike.len() > FEW { Vec::new() } else { alike }
}

/// The known name that `found` was probably meant to be.
pub fn nearest<'a>(found: &str, known: &[&'a str]) -> Option<&'a str> {
    let limit = (found.chars().count() / 3).max(1);
    known
        .iter()
        .map(|name| (strsim::damerau_levenshtein(found, name), *name))
        .filter(|(distance, name)| *distance <= limit || (found.len() >= 4 && name.starts_with(found)))
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, name)| name)
}

/// `a`, `b` and `c`; shortened if there are very many.
pub fn listed(names: &[&str]) -> String {
    const MOST: usize = 40;
    let mut text = names.iter().take(MOST).map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ");
    if names.len() > MOST {
        text.push_str(&format!(" and {} more", names.len() - MOST));
    }
    text
}

/// Collects diagnostics while a ruleset is read, so that all independent errors are reported at once.
#[derive(Debug, Default)]
pub struct Diagnostics {
    list: Vec<Diagnostic>,
    names_incomplete: bool,
    /// Spans shared by several rules.
    shared: Vec<Span>,
}

impl Diagnostics {
    /// Adds a diagnostic. Unknown names are dropped once a file could not be read at all, because the name may be
    /// declared in that file.
    pub fn push(&mut self, diagnostic: Diagnostic) {
        let follows = matches!(diagnostic.code, Code::UnknownName | Code::UnknownFunction | Code::UnknownPath);
        if !(follows && self.names_incomplete) {
            self.list.push(diagnostic);
        }
    }

    /// From now on names may be missing because their declaration is broken.
    pub fn names_are_incomplete(&mut self) {
        self.names_incomplete = true;
    }

    /// A span is read for several rules: its errors are reported once.
    pub fn share(&mut self, span: Span) {
        self.shared.push(span);
    }

    /// Whether anything that was pushed is an error.
    pub fn any_error(&self) -> bool {
        self.list.iter().any(|diagnostic| diagnostic.severity == Severity::Error)
    }

    /// All diagnostics in the order of the sources, without duplicates.
    pub fn finish(mut self) -> Vec<Diagnostic> {
        self.list.sort_by_key(|diagnostic| diagnostic.labels.first().map(|label| label.span));
        self.list.dedup();
        let shared = self.shared;
        let within = |span: &Span| {
            shared.iter().any(|one| one.file == span.file && one.start <= span.start && span.end <= one.end)
        };
        self.list.dedup_by_key(|diagnostic| {
            let span = diagnostic.labels.first().map(|label| label.span).filter(within);
            // Diagnostics outside shared spans have no duplicates.
            let apart = if span.is_some() { String::new() } else { format!("{diagnostic:?}") };
            (diagnostic.code, span, apart)
        });
        self.list
    }
}
