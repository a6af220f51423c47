//! Reads tables key by key; after an error, reading continues.

use super::shape::{self, TableShape};
use crate::formula::{Expr, ExprKind, Unary, parse};
use crate::text::diagnostic::suggestion;
use crate::text::{Code, Diagnostic, Diagnostics, Entry, Node, Span, Table, TextMap, Value};

/// A word with its span: a referenced name, or a tag.
#[derive(Clone, Debug)]
pub struct Word {
    /// The word.
    pub text: String,
    /// Its span.
    pub span: Span,
}

/// A reference to abilities or statuses.
#[derive(Clone, Debug)]
pub enum Selector {
    /// The one with this name.
    Name(Word),
    /// All with this tag.
    Tag(Word),
}

impl Selector {
    /// The name or the tag.
    pub fn word(&self) -> &Word {
        match self {
            Self::Name(word) | Self::Tag(word) => word,
        }
    }
}

/// A number or a formula.
#[derive(Clone, Debug)]
pub struct Formula {
    /// The path of this value in the ruleset: `ability.boathook.cooldown`.
    pub path: String,
    /// As written; the digits for a plain number.
    pub text: String,
    /// The tree.
    pub expr: Expr,
    /// The span of the value in the file.
    pub span: Span,
    map: TextMap,
    /// The bounds of its value, if its key has some.
    pub(crate) bounds: Option<(f64, f64)>,
    /// The range of the text, for a part of another formula.
    part: Option<std::ops::Range<u32>>,
}

impl Formula {
    /// A constant that is in no file: the default of a key.
    pub(crate) fn constant(value: f64, path: String, span: Span) -> Self {
        let text = value.to_string();
        let kind = ExprKind::Number { value, percent: false };
        let expr = Expr { kind, range: 0..text.len() as u32 };
        Self { path, text, expr, span, map: TextMap::whole(span), bounds: None, part: None }
    }

    /// A part of this formula as a separate one.
    pub(crate) fn part(&self, expr: Expr) -> Self {
        Self { part: Some(expr.range.clone()), expr, bounds: None, ..self.clone() }
    }

    /// Whether it is a part of another formula: the argument of `snapshot(…)`.
    pub fn is_part(&self) -> bool {
        self.part.is_some()
    }

    /// As written; for a part of another formula, only that part.
    pub fn written(&self) -> &str {
        &self.text[self.range()]
    }

    /// Its range in `text`.
    pub(crate) fn range(&self) -> std::ops::Range<usize> {
        self.part.as_ref().map_or(0..self.text.len(), |part| part.start as usize..part.end as usize)
    }

    /// The span of a part of this formula in the file.
    pub fn place(&self, range: std::ops::Range<u32>) -> Span {
        self.map.span(range)
    }

    /// The value, if it is a plain number.
    pub fn as_number(&self) -> Option<f64> {
        match &self.expr.kind {
            ExprKind::Number { value, .. } => Some(*value),
            ExprKind::Unary(Unary::Negate, inner) => match inner.kind {
                ExprKind::Number { value, .. } => Some(-value),
                _ => None,
            },
            _ => None,
        }
    }
}

/// A declared name with its rule.
#[derive(Clone, Debug)]
pub struct Named<T> {
    /// The name.
    pub name: String,
    /// The span of its declaration.
    pub span: Span,
    /// Its rule.
    pub rule: T,
}

/// A table with known keys.
pub(super) struct Fields<'a> {
    table: &'a Table,
    pub(super) span: Span,
    pub(super) path: String,
    shape: &'static TableShape,
    /// Its unknown keys.
    unknown: Vec<&'a str>,
}

impl<'a> Fields<'a> {
    /// Opens a table and reports every key that is not in its shape.
    pub(super) fn open(node: &'a Node, path: &str, shape: &'static TableShape, out: &mut Diagnostics) -> Option<Self> {
        Self::open_some(node, path, shape, |_| true, out)
    }

    /// Opens the table of a rule after inheritance has been resolved: the remaining keys are its own.
    pub(super) fn open_own(
        node: &'a Node,
        path: &str,
        shape: &'static TableShape,
        out: &mut Diagnostics,
    ) -> Option<Self> {
        Self::open_some(node, path, shape, |key| !["extends", "template"].contains(&key), out)
    }

    /// Opens a table in which only some keys of its shape have a meaning.
    pub(super) fn open_some(
        node: &'a Node,
        path: &str,
        shape: &'static TableShape,
        has_meaning: impl Fn(&str) -> bool,
        out: &mut Diagnostics,
    ) -> Option<Self> {
        let keys: Vec<&str> = shape.names().into_iter().filter(|key| has_meaning(key)).collect();
        let Value::Table(table) = &node.value else {
            out.push(wrong_type(node, "a table", path));
            return None;
        };
        let mut unknown = Vec::new();
        for entry in &table.entries {
            if !keys.contains(&entry.key.as_str()) {
                unknown.push(entry.key.as_str());
                let message = format!("`{}` has no key `{}`", path, entry.key);
                let diagnostic = Diagnostic::at(Code::UnknownKey, entry.key_span, message);
                out.push(match misplaced(entry, &keys) {
                    Some(help) => diagnostic.help(help),
                    None => diagnostic.nearest(&entry.key, keys.iter().copied()),
                });
            }
        }
        Some(Self { table, span: node.span, path: path.to_owned(), shape, unknown })
    }

    /// The same table under another path.
    pub(super) fn renamed(self, path: String) -> Self {
        Self { path, ..self }
    }

    /// Whether no unknown key was reported. One may be a misspelling of a key that is missing.
    pub(super) fn all_known(&self) -> bool {
        self.unknown.is_empty()
    }

    pub(super) fn get(&self, key: &str) -> Option<&'a Node> {
        self.table.get(key)
    }

    pub(super) fn path_of(&self, key: &str) -> String {
        format!("{}.{key}", self.path)
    }

    /// Reports a missing key, unless an unknown key is probably a misspelling of it, which has been reported.
    pub(super) fn missing(&self, key: &str, example: &str, out: &mut Diagnostics) {
        if self.unknown.iter().any(|found| suggestion(found, &[key]).is_some()) {
            return;
        }
        let message = format!("`{}` needs a key `{key}`", self.path);
        out.push(Diagnostic::at(Code::MissingKey, self.span, message).help(format!("for example: {example}")));
    }

    pub(super) fn text(&self, key: &str, out: &mut Diagnostics) -> Option<Word> {
        let node = self.get(key)?;
        word(node, &self.path_of(key), out)
    }

    /// A name, or `{ tag = "…" }`.
    pub(super) fn selector(&self, key: &str, out: &mut Diagnostics) -> Option<Selector> {
        let node = self.get(key)?;
        let Value::Table(_) = node.value else { return self.text(key, out).map(Selector::Name) };
        let inner = Fields::open(node, &self.path_of(key), &shape::BY_TAG, out)?;
        if inner.get("tag").is_none() {
            inner.missing("tag", "{ tag = \"fire\" }", out);
        }
        inner.text("tag", out).map(Selector::Tag)
    }

    /// The name under a key, or the tag under `tag`, but not both.
    pub(super) fn name_or_tag(&self, key: &str, out: &mut Diagnostics) -> Option<Selector> {
        if let (Some(_), Some(tag)) = (self.get(key), self.get("tag")) {
            let message = format!("`{}` has both `{key}` and `tag`", self.path);
            out.push(Diagnostic::at(Code::KeyConflict, tag.span, message).help("name one, or select by tag"));
        }
        self.text(key, out).map(Selector::Name).or_else(|| self.text("tag", out).map(Selector::Tag))
    }

    pub(super) fn about(&self, out: &mut Diagnostics) -> String {
        self.text("about", out).map(|word| word.text).unwrap_or_default()
    }

    pub(super) fn flag(&self, key: &str, out: &mut Diagnostics) -> bool {
        match self.get(key) {
            Some(Node { value: Value::Flag(flag), .. }) => *flag,
            Some(node) => {
                out.push(wrong_type(node, "true or false", &self.path_of(key)));
                false
            }
            None => false,
        }
    }

    pub(super) fn formula(&self, key: &str, out: &mut Diagnostics) -> Option<Formula> {
        let bounds = self.bounds(key);
        formula(self.get(key)?, self.path_of(key), out).map(|formula| Formula { bounds, ..formula })
    }

    /// A table of formulas whose keys are names: a cost by pool.
    pub(super) fn amounts(&self, key: &str, takes: &str, out: &mut Diagnostics) -> Vec<(Word, Formula)> {
        let Some(node) = self.get(key) else { return Vec::new() };
        let path = self.path_of(key);
        let Value::Table(table) = &node.value else {
            out.push(wrong_type(node, takes, &path));
            return Vec::new();
        };
        let bounds = self.bounds(key);
        let mut read = |entry: &Entry| {
            let amount = formula(&entry.node, format!("{path}.{}", entry.key), out)?;
            Some((Word { text: entry.key.clone(), span: entry.key_span }, Formula { bounds, ..amount }))
        };
        table.entries.iter().filter_map(&mut read).collect()
    }

    /// The bounds of the numbers under a key.
    fn bounds(&self, key: &str) -> Option<(f64, f64)> {
        self.shape.keys.iter().find(|known| known.name == key).and_then(|known| known.takes.bounds())
    }

    /// A plain number within the bounds of its key; not a formula.
    pub(super) fn number(&self, key: &str, out: &mut Diagnostics) -> Option<f64> {
        let node = self.get(key)?;
        let (least, most) = self.bounds(key).unwrap_or((f64::MIN, f64::MAX));
        match node.value {
            Value::Number(number) if (least..=most).contains(&number) => Some(number),
            Value::Number(number) => {
                let message = format!("`{}` is {number}; it must be from {least} to {most}", self.path_of(key));
                out.push(Diagnostic::at(Code::BadValue, node.span, message));
                None
            }
            _ => {
                out.push(wrong_type(node, "a number", &self.path_of(key)));
                None
            }
        }
    }

    /// A whole number within the bounds of its key.
    pub(super) fn whole(&self, key: &str, out: &mut Diagnostics) -> Option<u32> {
        let number = self.number(key, out)?;
        if number.fract() != 0.0 {
            let span = self.get(key).map_or(self.span, |node| node.span);
            out.push(Diagnostic::at(Code::BadValue, span, format!("`{}` must be a whole number", self.path_of(key))));
            return None;
        }
        Some(number as u32)
    }

    /// A list of words. A single word is not accepted, so that missing brackets are not guessed.
    pub(super) fn words(&self, key: &str, out: &mut Diagnostics) -> Option<Vec<Word>> {
        words(self.get(key)?, &self.path_of(key), out)
    }

    /// One of a few words, given as (word, meaning).
    pub(super) fn choice<T: Copy>(&self, key: &str, choices: &[(&str, T)], out: &mut Diagnostics) -> Option<T> {
        let found = self.text(key, out)?;
        choose(&found, &self.path_of(key), choices, out)
    }
}

/// Where something belongs that was written as a key of its own: a section, an effect, the targets of a policy line, or
/// an attribute.
fn misplaced(entry: &Entry, keys: &[&str]) -> Option<String> {
    let key = entry.key.as_str();
    // `ability.fire.does = …` below the head of another table.
    if entry.node.table().is_some() && shape::RULESET.names().contains(&key) {
        return Some(format!("`{key}` is a section, and this key is within another table: write `[{key}.…]`"));
    }
    // Only a line of a policy has a weight, and only a character has abilities that it can learn.
    if keys.contains(&"weight") && ["target", "targets", "pick"].contains(&key) {
        return Some("an ability picks its own targets: `targets = { pick = … }`".to_owned());
    }
    if keys.contains(&"can_learn") && matches!(entry.node.value, Value::Number(_)) && suggestion(key, keys).is_none() {
        return Some(format!("attributes of a character are in `attributes = {{ {key} = … }}`"));
    }
    let list = ["does", "every", "enters"].into_iter().find(|list| keys.contains(list))?;
    let effect = super::effects::is_effect(key).then(|| format!("[{{ {key} = … }}]"))?;
    Some(match list {
        "does" => format!("write `does = {effect}`"),
        "every" => format!("write `every = {{ period = 1, does = {effect} }}`"),
        _ => format!("write `enters = {effect}`, or `apply` a status that ticks"),
    })
}

/// A list of words.
pub(super) fn words(node: &Node, path: &str, out: &mut Diagnostics) -> Option<Vec<Word>> {
    if let (Value::Table(_), true) = (&node.value, path.contains('.')) {
        out.push(wrong_type(node, "a list of names", path));
        return None;
    }
    let items = list(node, path, out)?;
    Some(items.iter().filter_map(|item| word(item, path, out)).collect())
}

pub(super) fn choose<T: Copy>(found: &Word, path: &str, choices: &[(&str, T)], out: &mut Diagnostics) -> Option<T> {
    let choice = choices.iter().find(|(name, _)| *name == found.text).map(|(_, meaning)| *meaning);
    if choice.is_none() {
        let names: Vec<&str> = choices.iter().map(|(name, _)| *name).collect();
        out.push(Diagnostic::not_one_of(found.span, path, &found.text, &names));
    }
    choice
}

pub(super) fn wrong_type(node: &Node, wanted: &str, path: &str) -> Diagnostic {
    Diagnostic::at(Code::WrongType, node.span, format!("`{path}` is {}; it takes {wanted}", node.value.what()))
}

pub(super) fn word(node: &Node, path: &str, out: &mut Diagnostics) -> Option<Word> {
    match &node.value {
        Value::Text(text, _) => Some(Word { text: text.clone(), span: node.span }),
        _ => {
            out.push(wrong_type(node, "a text", path));
            None
        }
    }
}

pub(super) fn list<'a>(node: &'a Node, path: &str, out: &mut Diagnostics) -> Option<&'a [Node]> {
    match &node.value {
        Value::List(list) => Some(list),
        _ => {
            let is_section = matches!(node.value, Value::Table(_)) && !path.contains('.');
            let help = if is_section {
                format!("write each of them under `[[{path}]]`; none has a name in brackets")
            } else {
                "put it in brackets: `[ … ]`".to_owned()
            };
            out.push(wrong_type(node, "a list", path).help(help));
            None
        }
    }
}

/// Reads a number or the text of a formula.
pub(super) fn formula(node: &Node, path: String, out: &mut Diagnostics) -> Option<Formula> {
    match &node.value {
        Value::Number(value) => Some(Formula::constant(*value, path, node.span)),
        Value::Text(text, map) => match parse(text) {
            Ok(expr) => {
                let (text, map) = (text.clone(), map.clone());
                Some(Formula { path, text, expr, span: node.span, map, bounds: None, part: None })
            }
            Err(error) => {
                let code = if error.limit { Code::FormulaLimit } else { Code::FormulaSyntax };
                let mut diagnostic = Diagnostic::at(code, map.span(error.range), error.message);
                diagnostic.help = error.help;
                out.push(diagnostic);
                None
            }
        },
        _ => {
            let diagnostic = wrong_type(node, "a number or a formula", &path);
            out.push(match &node.value {
                Value::List(_) => diagnostic.help("a random number in a range is `between(low, high)`"),
                _ => diagnostic,
            });
            None
        }
    }
}

/// The entries of a section such as `[attributes]` or `[ability.*]`, whose keys are names chosen by the designer. Names
/// that cannot be written in formulas are reported.
pub(super) fn section<'a>(root: &'a Table, key: &str, out: &mut Diagnostics) -> &'a [Entry] {
    let Some(node) = root.get(key) else { return &[] };
    let Value::Table(table) = &node.value else {
        out.push(wrong_type(node, "a table", key).help(format!("each of them has its name as a key: `[{key}.…]`")));
        out.names_are_incomplete();
        return &[];
    };
    let in_formulas = ["attributes", "pools", "curve", "formula"].contains(&key);
    for entry in &table.entries {
        if in_formulas || !RESERVED.contains(&entry.key.as_str()) {
            check_name(&entry.key, entry.key_span, out);
        }
    }
    &table.entries
}

/// Words with a meaning in formulas, which cannot be names.
pub(crate) const RESERVED: &[&str] = &[
    "and",
    "or",
    "not",
    "true",
    "false",
    "self",
    "caster",
    "target",
    "amount",
    "hit",
    "now",
    "distance",
    "angle",
    "threat",
    "order",
    "level",
    "stacks",
    "tick",
    "ticks",
    "elapsed",
    "remaining",
];

pub(super) fn check_name(name: &str, span: Span, out: &mut Diagnostics) {
    let mut letters = name.chars();
    let starts_well = letters.next().is_some_and(|c| c.is_alphabetic() || c == '_');
    if !starts_well || !letters.all(|c| c.is_alphanumeric() || c == '_') {
        let message = format!("`{name}` cannot be a name: it could not be used in formulas");
        out.push(
            Diagnostic::at(Code::BadName, span, message)
                .help("names consist of letters, digits and `_`, and begin with a letter"),
        );
    } else if RESERVED.contains(&name) {
        let message = format!("`{name}` cannot be a name: it has a meaning in formulas");
        out.push(Diagnostic::at(Code::BadName, span, message));
    }
}
