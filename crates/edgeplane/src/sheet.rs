//! Rules as spreadsheets, and back into the files.

use std::collections::BTreeMap;

use crate::error::Error;
use crate::game::Game;
use crate::text::{
    Code, Diagnostic, Document, Node, Place, SHEETS_OF, Sources, Span, Table, Value, overrides, sheet_cells,
};

/// A value that a spreadsheet changes.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
pub struct SheetChange {
    /// Its path.
    pub path: String,
    /// As it was.
    pub before: String,
    /// As it is now.
    pub after: String,
    /// Where it stands.
    #[serde(flatten)]
    pub place: Place,
}

/// What a spreadsheet changes, and the files as they would be then.
#[derive(Clone, Debug)]
pub struct SheetChanges {
    /// The values, row by row.
    pub changes: Vec<SheetChange>,
    /// Names and texts of the files that change.
    pub files: Vec<(String, String)>,
}

impl Game {
    /// A section of the ruleset as rows of a spreadsheet: the header first, then each rule with its name and what it says under
    /// each column. Without columns, all that any of them says in one value. Cells of what a rule does not say are empty.
    ///
    /// # Errors
    /// [`Error::Unknown`] for a section that is no list of rules.
    pub fn sheet(&self, section: &str, columns: &[String]) -> Result<Vec<Vec<String>>, Error> {
        let (document, sources) = self.written();
        let rules = rules_of(&document, section)?;
        let mut all = columns.to_vec();
        if columns.is_empty() {
            for (_, node) in &rules {
                leaves(node, "", &mut |path, _| {
                    if !all.iter().any(|known| known == path) {
                        all.push(path.to_owned());
                    }
                });
            }
        }
        let header = std::iter::once("name".to_owned()).chain(all.iter().cloned()).collect();
        let row = |(name, _): &(&str, &Node)| {
            let cell = |column: &String| {
                let node = overrides::find(&document, &format!("{section}.{name}.{column}"));
                node.and_then(|node| told(node, &sources)).unwrap_or_default()
            };
            std::iter::once((*name).to_owned()).chain(all.iter().map(cell)).collect()
        };
        Ok(std::iter::once(header).chain(rules.iter().map(row)).collect())
    }

    /// Takes the values of a spreadsheet back to where they stand in the files. Nothing else in the files moves: not a comment, not a
    /// blank. Empty cells say nothing.
    ///
    /// # Errors
    /// [`Error::Ruleset`] for cells of which nothing stands in the files, and for a ruleset that would not be sound any more; nothing
    /// is written here, so nothing is lost.
    pub fn take_sheet(&self, section: &str, name: &str, csv: &str) -> Result<SheetChanges, Error> {
        let (document, mut sources) = self.written();
        rules_of(&document, section)?;
        let file = sources.add(name, csv);
        let (mut wrong, mut changes, mut edits) =
            (Vec::new(), Vec::new(), BTreeMap::<usize, Vec<(Span, String)>>::new());
        let rows = sheet_cells(&sources, file);
        let Some((header, rows)) = rows.split_first() else {
            return Ok(SheetChanges { changes, files: Vec::new() });
        };
        for row in rows {
            let Some((rule, _)) = row.first() else { continue };
            for ((column, _), (text, span)) in header.iter().zip(row).skip(1).filter(|(_, (text, _))| !text.is_empty())
            {
                let path = format!("{section}.{rule}.{column}");
                let Some((node, before)) =
                    overrides::find(&document, &path).and_then(|node| Some((node, told(node, &sources)?)))
                else {
                    let message = format!("nothing stands at `{path}` in the files");
                    let help = "a sheet changes what is there; what is new is written into the files first";
                    wrong.push(Diagnostic::at(Code::UnknownPath, *span, message).help(help));
                    continue;
                };
                if before == *text || same_number(&before, text) {
                    continue;
                }
                let index = sources.ids().position(|id| id == node.span.file).unwrap_or_default();
                let target = sources.file(node.span.file).name();
                edits.entry(index).or_default().push((node.span, literal(text, target)));
                changes.push(SheetChange { path, before, after: text.clone(), place: sources.place(node.span) });
            }
        }
        if !wrong.is_empty() {
            return Err(Error::Ruleset { sources, diagnostics: wrong });
        }
        let (mut edited, mut files) = (Sources::default(), Vec::new());
        for (index, file) in self.sources().files().iter().enumerate() {
            let mut text = file.text().to_owned();
            let mut here = edits.remove(&index).unwrap_or_default();
            here.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
            for (span, literal) in &here {
                text.replace_range(span.start as usize..span.end as usize, literal);
            }
            if !here.is_empty() {
                files.push((file.name().to_owned(), text.clone()));
            }
            edited.add(file.name(), text);
        }
        Self::from_sources(edited, &[])?;
        Ok(SheetChanges { changes, files })
    }
}

fn rules_of<'a>(document: &'a Document, section: &str) -> Result<Vec<(&'a str, &'a Node)>, Error> {
    if !SHEETS_OF.contains(&section) {
        let known = SHEETS_OF.iter().map(|name| (*name).to_owned()).collect();
        return Err(Error::Unknown { what: "section for sheets", name: section.to_owned(), known });
    }
    let Some(Value::Table(table)) = document.root.get(section).map(|node| &node.value) else { return Ok(Vec::new()) };
    Ok(table.entries.iter().map(|entry| (entry.key.as_str(), &entry.node)).collect())
}

/// Every value below a node that fits into a cell, with its path.
fn leaves<'a>(node: &'a Node, path: &str, visit: &mut impl FnMut(&str, &'a Node)) {
    let join = |key: &str| if path.is_empty() { key.to_owned() } else { format!("{path}.{key}") };
    match &node.value {
        Value::Table(Table { entries }) => {
            for entry in entries {
                let key = if entry.key.contains('.') { format!("\"{}\"", entry.key) } else { entry.key.clone() };
                leaves(&entry.node, &join(&key), visit);
            }
        }
        Value::List(list) if list.iter().any(|item| matches!(item.value, Value::Table(_))) => {
            list.iter().enumerate().for_each(|(index, item)| leaves(item, &join(&index.to_string()), visit));
        }
        Value::Moment => {}
        _ => visit(path, node),
    }
}

/// A value as a cell shows it.
fn told(node: &Node, sources: &Sources) -> Option<String> {
    match &node.value {
        Value::Text(text, _) => Some(text.clone()),
        Value::Number(_) | Value::Flag(_) | Value::List(_) => Some(sources.text(node.span).trim().to_owned()),
        Value::Table(_) | Value::Moment => None,
    }
}

/// A spreadsheet writes 0.10 as 0.1.
fn same_number(before: &str, after: &str) -> bool {
    matches!((before.parse::<f64>(), after.parse::<f64>()), (Ok(a), Ok(b)) if a == b)
}

/// A cell's text as a value in a file.
fn literal(text: &str, file: &str) -> String {
    let escaped = |text: &str| text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n").replace('\r', "");
    if file.ends_with(".csv") {
        let quoted = text.contains([',', '"', '\n']);
        if quoted { format!("\"{}\"", text.replace('"', "\"\"")) } else { text.to_owned() }
    } else if Document::is_value(text) {
        text.to_owned()
    } else {
        format!("\"{}\"", escaped(text))
    }
}
