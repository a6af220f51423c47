//! The TOML tree with a span on every key and value, merged over all files of a ruleset.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::cells::Cell;
use super::diagnostic::{Code, Diagnostic, Diagnostics};
use super::literal::TextMap;
use super::sheets::{add_sheets, is_sheet};
use super::source::{FileId, Sources, Span};

/// The maximum nesting of tables and arrays.
const MAX_DEPTH: usize = 32;

/// A value with its span.
#[derive(Clone, Debug)]
pub struct Node {
    /// The span.
    pub span: Span,
    /// The value.
    pub value: Value,
}

impl Node {
    /// The table, if it is one.
    pub(crate) fn table(&self) -> Option<&Table> {
        if let Value::Table(table) = &self.value { Some(table) } else { None }
    }

    /// The table for changes, if it is one.
    pub(crate) fn table_mut(&mut self) -> Option<&mut Table> {
        if let Value::Table(table) = &mut self.value { Some(table) } else { None }
    }
}

/// A TOML value.
#[derive(Clone, Debug)]
pub enum Value {
    /// A string, with a map from its characters to the file.
    Text(String, TextMap),
    /// An integer or a float, `inf` included.
    Number(f64),
    /// `true` or `false`.
    Flag(bool),
    /// A list.
    List(Vec<Node>),
    /// A table.
    Table(Table),
    /// A date or time, which no key accepts.
    Moment,
}

impl Value {
    /// The name of its type for messages.
    pub fn what(&self) -> &'static str {
        match self {
            Value::Text(..) => "a text",
            Value::Number(_) => "a number",
            Value::Flag(_) => "true or false",
            Value::List(_) => "a list",
            Value::Table(_) => "a table",
            Value::Moment => "a date or time",
        }
    }
}

/// A table in the order of the file.
#[derive(Clone, Debug, Default)]
pub struct Table {
    /// The keys with their values.
    pub entries: Vec<Entry>,
}

/// One key and its value.
#[derive(Clone, Debug)]
pub struct Entry {
    /// The key.
    pub key: String,
    /// The span of the key.
    pub key_span: Span,
    /// The value.
    pub node: Node,
}

impl Table {
    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&Node> {
        self.entries.iter().find(|entry| entry.key == key).map(|entry| &entry.node)
    }

    /// The entry of a key, for changes.
    pub fn entry_mut(&mut self, key: &str) -> Option<&mut Entry> {
        self.entries.iter_mut().find(|entry| entry.key == key)
    }
}

/// All files of a ruleset as one table.
#[derive(Clone, Debug, Default)]
pub struct Document {
    /// The merged top level.
    pub root: Table,
}

impl Document {
    /// Reads and merges all files. A file that is not TOML is reported and left out; names that it may declare are then
    /// not reported as missing.
    pub fn read(sources: &Sources, diagnostics: &mut Diagnostics) -> Self {
        let mut document = Self::default();
        for file in sources.ids().filter(|file| !is_sheet(sources.file(*file).name())) {
            let (table, errors) = DeTable::parse_recoverable(sources.file(file).text());
            // After a duplicate key the rest of the file is still readable; after any other error it is not.
            let (twice, broken): (Vec<_>, Vec<_>) = errors.iter().partition(|error| error.message() == "duplicate key");
            if let Some(error) = broken.first() {
                diagnostics.names_are_incomplete();
                diagnostics.push(syntax(file, sources, error));
                continue;
            }
            for error in twice {
                diagnostics.push(given_twice(file, sources, table.get_ref(), error));
            }
            let reader = Reader { file, text: sources.file(file).text(), base: 0 };
            let table = reader.table(table.get_ref(), 0, diagnostics);
            merge(&mut document.root, table, 0, diagnostics);
        }
        add_sheets(&mut document, sources, diagnostics);
        document
    }

    /// Every value with its path, in the order of the files.
    pub(crate) fn values(&self) -> Vec<(String, String)> {
        let mut values = Vec::new();
        for entry in &self.root.entries {
            flatten(&entry.node, &entry.key, &mut values);
        }
        values
    }

    /// Whether a text is a TOML value.
    pub(crate) fn is_value(text: &str) -> bool {
        DeValue::parse(text).is_ok_and(|value| !matches!(value.get_ref(), DeValue::Datetime(_)))
    }

    /// The TOML value of a cell, if it is one.
    pub(super) fn value_in_cell(file: FileId, cell: &Cell) -> Option<Value> {
        let value = DeValue::parse(&cell.text).ok()?;
        if matches!(value.get_ref(), DeValue::Datetime(_)) {
            return None;
        }
        let base = if cell.verbatim { cell.map.span(0..0).start } else { cell.span.start };
        let mut out = Diagnostics::default();
        let node = Reader { file, text: &cell.text, base }.node(&value, 0, &mut out);
        (!out.any_error()).then_some(node.value)
    }

    /// Reads a single TOML value, as given on a command line.
    pub(crate) fn read_value(sources: &Sources, file: FileId, diagnostics: &mut Diagnostics) -> Option<Node> {
        let text = sources.file(file).text();
        match DeValue::parse(text) {
            Ok(value) => Some(Reader { file, text, base: 0 }.node(&value, 0, diagnostics)),
            Err(_) => None,
        }
    }
}

fn flatten(node: &Node, path: &str, values: &mut Vec<(String, String)>) {
    let mut push = |text: String| values.push((path.to_owned(), text));
    match &node.value {
        Value::Text(text, _) => push(text.clone()),
        Value::Number(number) => push(number.to_string()),
        Value::Flag(flag) => push(flag.to_string()),
        Value::Moment => {}
        Value::List(list) => {
            list.iter().enumerate().for_each(|(index, item)| flatten(item, &format!("{path}.{index}"), values));
        }
        Value::Table(table) => {
            for entry in &table.entries {
                let key = if entry.key.contains('.') { format!("\"{}\"", entry.key) } else { entry.key.clone() };
                flatten(&entry.node, &format!("{path}.{key}"), values);
            }
        }
    }
}

fn syntax(file: FileId, sources: &Sources, error: &toml::de::Error) -> Diagnostic {
    let length = sources.file(file).text().len();
    let range = error.span().unwrap_or(0..0);
    let span = span_of(file, range.start.min(length)..range.end.min(length));
    let is_bare_word = ["must be quoted", "invalid boolean"].iter().any(|part| error.message().contains(part));
    let hint = if is_bare_word { "texts and formulas are in quotes, and numbers have no units; " } else { "" };
    Diagnostic::at(Code::Syntax, span, format!("this is not TOML: {}", error.message()))
        .help(format!("{hint}nothing else in this file was checked"))
}

/// The parser reports the position of the second key; the first is the nearest one of that name before it.
fn given_twice(file: FileId, sources: &Sources, table: &DeTable<'_>, error: &toml::de::Error) -> Diagnostic {
    let again = span_of(file, error.span().unwrap_or(0..0));
    let key = sources.text(again);
    let diagnostic = Diagnostic::at(Code::DuplicateName, again, format!("`{key}` is given twice")).saying("again here");
    let mut first = None;
    last_before(table, key, again.start as usize, &mut first);
    match first {
        Some(range) => diagnostic.label(span_of(file, range), "first given here"),
        None => diagnostic,
    }
}

fn last_before(table: &DeTable<'_>, key: &str, before: usize, found: &mut Option<Range<usize>>) {
    for (known, value) in table.iter() {
        let later = found.as_ref().is_none_or(|range| range.start < known.span().start);
        if known.get_ref() == key && known.span().start < before && later {
            *found = Some(known.span());
        }
        if let DeValue::Table(inner) = value.get_ref() {
            last_before(inner, key, before, found);
        }
    }
}

fn span_of(file: FileId, range: Range<usize>) -> Span {
    Span { file, start: range.start as u32, end: range.end as u32 }
}

/// Merges the top levels of two files. Sections such as `[attributes]` may be spread over files; a name within one may
/// be declared once.
fn merge(into: &mut Table, from: Table, depth: usize, diagnostics: &mut Diagnostics) {
    for entry in from.entries {
        let Some(present) = into.entry_mut(&entry.key) else {
            into.entries.push(entry);
            continue;
        };
        match (&mut present.node.value, entry.node.value) {
            (Value::Table(into), Value::Table(from)) if depth == 0 => merge(into, from, 1, diagnostics),
            // Expectations have no names and no order, so every file can contain its own.
            (Value::List(into), Value::List(from)) if depth == 0 && entry.key == "expect" => into.extend(from),
            _ => diagnostics.push(
                Diagnostic::at(Code::DuplicateName, entry.key_span, format!("`{}` is given twice", entry.key))
                    .saying("again here")
                    .label(present.key_span, "first given here"),
            ),
        }
    }
}

struct Reader<'a> {
    file: FileId,
    text: &'a str,
    /// The start of the text in its file.
    base: u32,
}

impl Reader<'_> {
    fn span(&self, range: Range<usize>) -> Span {
        let span = span_of(self.file, range);
        Span { start: span.start + self.base, end: span.end + self.base, ..span }
    }

    fn table(&self, table: &DeTable<'_>, depth: usize, diagnostics: &mut Diagnostics) -> Table {
        // The parser sorts keys by name; the order of the file is restored from their positions.
        let mut entries: Vec<_> = table.iter().collect();
        entries.sort_unstable_by_key(|(key, _)| key.span().start);
        let entries = entries.into_iter().map(|(key, value)| Entry {
            key: key.get_ref().to_string(),
            key_span: self.span(key.span()),
            node: self.node(value, depth + 1, diagnostics),
        });
        Table { entries: entries.collect() }
    }

    fn node(&self, value: &Spanned<DeValue<'_>>, depth: usize, diagnostics: &mut Diagnostics) -> Node {
        let span = self.span(value.span());
        if depth > MAX_DEPTH {
            diagnostics.push(Diagnostic::at(Code::TooMany, span, format!("more than {MAX_DEPTH} nested tables")));
            return Node { span, value: Value::Moment };
        }
        let number = |digits: Option<f64>, diagnostics: &mut Diagnostics| match digits {
            Some(number) if !number.is_nan() => Value::Number(number),
            _ => {
                diagnostics.push(Diagnostic::at(Code::BadValue, span, "this number is too large or not a number"));
                Value::Number(0.0)
            }
        };
        let value = match value.get_ref() {
            DeValue::String(text) => {
                let raw = &self.text[value.span()];
                Value::Text(text.to_string(), TextMap::of_literal(self.file, span.start, raw, text))
            }
            DeValue::Integer(digits) => {
                let parsed = i64::from_str_radix(digits.as_str(), digits.radix()).ok().map(|integer| integer as f64);
                number(parsed, diagnostics)
            }
            DeValue::Float(digits) => number(digits.as_str().parse().ok(), diagnostics),
            DeValue::Boolean(flag) => Value::Flag(*flag),
            DeValue::Datetime(_) => Value::Moment,
            DeValue::Array(list) => {
                Value::List(list.iter().map(|item| self.node(item, depth + 1, diagnostics)).collect())
            }
            DeValue::Table(table) => Value::Table(self.table(table, depth, diagnostics)),
        };
        Node { span, value }
    }
}
