//! Setting a value without editing a file: `character.lockhand.attributes.heft=16`.

use super::diagnostic::{Code, Diagnostic, Diagnostics};
use super::document::{Document, Entry, Node, Table, Value};
use super::source::{FileId, Sources, Span};

const ATTRIBUTES: &str = "attributes";

/// A value to be set at a path of a ruleset.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Override {
    /// Keys separated by dots. A number, or the `name` of an entry, selects an element of a list.
    pub path: String,
    /// A TOML value; anything else is taken as the text of a formula.
    pub value: String,
}

impl Override {
    /// Reads `path=value`; `None` without a `=` or a path.
    ///
    /// ```
    /// use edgeplane::text::Override;
    /// let set = Override::parse("ability.boathook.cooldown = 1.2").unwrap();
    /// assert_eq!((set.path.as_str(), set.value.as_str()), ("ability.boathook.cooldown", "1.2"));
    /// ```
    pub fn parse(text: &str) -> Option<Self> {
        let (path, value) = text.split_once('=')?;
        let (path, value) = (path.trim(), value.trim());
        (!path.is_empty() && !value.is_empty()).then(|| Self { path: path.to_owned(), value: value.to_owned() })
    }

    /// Sets the value in the document. The value becomes a source of its own, so that errors in it are shown in place.
    pub(crate) fn apply(&self, document: &mut Document, sources: &mut Sources, diagnostics: &mut Diagnostics) {
        let file = sources.add(format!("--set {}", self.path), self.value.clone());
        // A text that is not TOML is a formula whose quotes were removed by the shell.
        let node = Document::read_value(sources, file, diagnostics).unwrap_or_else(|| Node {
            span: whole(file, &self.value),
            value: Value::Text(self.value.clone(), super::TextMap::verbatim(file, 0)),
        });
        let keys: Vec<&str> = keys(&self.path);
        let placed = must_exist(&document.root, &keys).and_then(|()| {
            take_over(&mut document.root, &keys);
            place(&mut document.root, "", &keys, node)
        });
        if let Err(problem) = placed {
            let path_file = sources.add("--set", self.path.clone());
            diagnostics.push(problem.diagnostic(whole(path_file, &self.path)));
        }
    }
}

/// The value written at a path, if there is one.
pub(crate) fn find<'a>(document: &'a Document, path: &str) -> Option<&'a Node> {
    let keys = keys(path);
    let section = document.root.get(keys.first()?)?;
    look(section, &keys[1..])
}

/// The value that holds at a path: the written one, or else the one that the rule inherits.
pub(crate) fn find_inherited<'a>(document: &'a Document, path: &str) -> Option<&'a Node> {
    let keys = keys(path);
    let [section, name, rest @ ..] = keys.as_slice() else { return find(document, path) };
    for rule in lineage(&document.root, section, name) {
        let node = look_in(rule, rest);
        // Attributes are inherited one by one, any other key as a whole.
        if node.is_some() || rest.first().is_some_and(|key| rule.get(key).is_some() && !is_attributes(section, key)) {
            return node;
        }
    }
    match rest {
        [key, attribute @ ..] if is_attributes(section, key) => {
            let (name, attributes) = (attribute.join("."), document.root.get(ATTRIBUTES)?.table()?);
            // `resist.silt` has the base of the per-type attribute `resist`.
            let node = attributes.get(&name).or_else(|| attributes.get(name.split_once('.')?.0))?;
            node.table().map_or(Some(node), |table| table.get("base"))
        }
        _ => find(document, path),
    }
}

/// The attributes of a character are inherited one by one: from the character that it extends, and from `attributes`.
fn is_attributes(section: &str, key: &str) -> bool {
    section == "character" && key == ATTRIBUTES
}

/// A rule and those that it extends, nearest first; empty if there is no such rule.
fn lineage<'a>(root: &'a Table, section: &str, name: &str) -> impl Iterator<Item = &'a Table> {
    let rules = root.get(section).and_then(Node::table);
    let rule = move |name: &str| rules?.get(name)?.table();
    let parent = move |child: &&Table| match &child.get("extends")?.value {
        Value::Text(name, _) => rule(name),
        _ => None,
    };
    // Not for ever where rules extend each other in a circle, which is reported when they are read.
    std::iter::successors(rule(name), parent).take(rules.map_or(0, |rules| rules.entries.len()))
}

fn look_in<'a>(table: &'a Table, keys: &[&str]) -> Option<&'a Node> {
    let [key, rest @ ..] = keys else { return None };
    table.get(&keys.join(".")).or_else(|| look(table.get(key)?, rest))
}

fn look<'a>(node: &'a Node, keys: &[&str]) -> Option<&'a Node> {
    let [key, rest @ ..] = keys else { return Some(node) };
    match &node.value {
        Value::Table(table) => look_in(table, keys),
        Value::List(list) => {
            let index = key.parse().ok().filter(|index| *index < list.len());
            let index = index.or_else(|| list.iter().position(|item| name_of(item).as_deref() == Some(*key)))?;
            look(&list[index], rest)
        }
        // `grit = 8` is short for `grit = { base = 8 }`.
        Value::Number(_) | Value::Text(..) if rest.is_empty() && *key == "base" => Some(node),
        _ => None,
    }
}

fn whole(file: FileId, text: &str) -> Span {
    Span { file, start: 0, end: text.len() as u32 }
}

/// Splits at dots, except within quotes: `attributes."resist.silt"`.
pub(super) fn keys(path: &str) -> Vec<&str> {
    let mut quoted = false;
    path.split(|c: char| {
        quoted ^= c == '"';
        c == '.' && !quoted
    })
    .map(|key| key.trim().trim_matches('"'))
    .collect()
}

struct LeadsNowhere {
    key: String,
    known: Vec<String>,
}

impl LeadsNowhere {
    fn diagnostic(&self, span: Span) -> Diagnostic {
        Diagnostic::at(Code::UnknownPath, span, format!("the path has no entry `{}` here", self.key))
            .nearest(&self.key, self.known.iter().map(String::as_str))
    }
}

/// A value may add a key to a rule (which is then checked like any other) but never a rule: a misspelt name must not
/// silently become a new attribute that nothing reads.
fn must_exist(root: &Table, keys: &[&str]) -> Result<(), LeadsNowhere> {
    let missing = |key: &str, table: &Table| LeadsNowhere {
        key: key.to_owned(),
        known: table.entries.iter().map(|entry| entry.key.clone()).collect(),
    };
    let section = root.get(keys[0]).ok_or_else(|| missing(keys[0], root))?;
    match (&section.value, keys) {
        (Value::Table(table), [section, name, ..])
            if *section != "ruleset" && table.get(name).is_none() && table.get(&keys[1..].join(".")).is_none() =>
        {
            Err(missing(name, table))
        }
        _ => Ok(()),
    }
}

/// Gives a rule a copy of the key that it inherits, so that a value is set within what holds for it.
fn take_over(root: &mut Table, keys: &[&str]) {
    let [section, name, key, _, ..] = keys else { return };
    if is_attributes(section, key) {
        return;
    }
    let inherited = lineage(root, section, name).find_map(|rule| rule.get(key)).cloned();
    let own = root.entry_mut(section).and_then(|section| section.node.table_mut()?.entry_mut(name)?.node.table_mut());
    if let (Some(own), Some(inherited)) = (own, inherited)
        && own.get(key).is_none()
    {
        put(own, key, inherited);
    }
}

/// Sets a value in the table of a key.
fn place(table: &mut Table, of: &str, keys: &[&str], node: Node) -> Result<(), LeadsNowhere> {
    let [key, rest @ ..] = keys else { return Ok(()) };
    // A per-type attribute is written `"resist.silt"`: a key with a dot in it.
    let joined = keys.join(".");
    if rest.is_empty() || table.get(&joined).is_some() {
        put(table, &joined, node);
        return Ok(());
    }
    match table.entry_mut(key) {
        Some(entry) => return descend(&mut entry.node, key, rest, node),
        None if of == ATTRIBUTES => put(table, &joined, node),
        // A key that the rule does not have yet; an unknown one is reported when the rule is read.
        None => {
            let (span, mut new) = (node.span, Table::default());
            place(&mut new, key, rest, node)?;
            put(table, key, Node { span, value: Value::Table(new) });
        }
    }
    Ok(())
}

fn put(table: &mut Table, key: &str, node: Node) {
    match table.entry_mut(key) {
        Some(entry) => entry.node = node,
        None => table.entries.push(Entry { key: key.to_owned(), key_span: node.span, node }),
    }
}

fn descend(into: &mut Node, key: &str, rest: &[&str], node: Node) -> Result<(), LeadsNowhere> {
    match &mut into.value {
        Value::Table(table) => place(table, key, rest, node),
        Value::List(list) => {
            let names: Vec<String> =
                (0..list.len()).map(|i| i.to_string()).chain(list.iter().filter_map(name_of)).collect();
            let index = rest[0].parse().ok().filter(|i| *i < list.len());
            let index = index.or_else(|| list.iter().position(|item| name_of(item).as_deref() == Some(rest[0])));
            match (index, rest.len()) {
                (None, _) => Err(LeadsNowhere { key: rest[0].to_owned(), known: names }),
                (Some(index), 1) => {
                    list[index] = node;
                    Ok(())
                }
                (Some(index), _) => descend(&mut list[index], rest[0], &rest[1..], node),
            }
        }
        // `grit = 8` is short for `grit = { base = 8 }`, so `attributes.grit.min` goes into it.
        Value::Number(_) | Value::Text(..) => {
            let base = Entry { key: "base".to_owned(), key_span: into.span, node: into.clone() };
            let mut table = Table { entries: vec![base] };
            let placed = place(&mut table, key, rest, node);
            into.value = Value::Table(table);
            placed
        }
        _ => Err(LeadsNowhere { key: key.to_owned(), known: Vec::new() }),
    }
}

fn name_of(node: &Node) -> Option<String> {
    let Value::Table(table) = &node.value else { return None };
    match &table.get("name").or_else(|| table.get("ability"))?.value {
        Value::Text(name, _) => Some(name.clone()),
        _ => None,
    }
}
