//! `[sheet.*]`: rules with values in a spreadsheet.
//!
//! A row is a rule, a column a path within it. The values are inserted into the same tree as those of the TOML files,
//! with the spans of their cells, so that upper layers need not know where a value was written.

use super::cells::{Cell, rows};
use super::diagnostic::{Code, Diagnostic, Diagnostics};
use super::document::{Document, Entry, Node, Table, Value};
use super::overrides::keys;
use super::source::{FileId, Sources, Span};

/// Sections whose rules can come from a sheet.
pub(crate) const SHEETS_OF: &[&str] = &["character", "ability", "status", "gear", "zone", "point", "curve"];

/// Reads every sheet that a document names.
pub(super) fn add_sheets(document: &mut Document, sources: &Sources, out: &mut Diagnostics) {
    let sheets = match document.root.get("sheet").map(|node| node.value.clone()) {
        Some(Value::Table(sheets)) => sheets.entries,
        _ => Vec::new(),
    };
    let mut unread: Vec<FileId> = sources.ids().filter(|id| is_sheet(sources.file(*id).name())).collect();
    for sheet in &sheets {
        if let Some((section, file)) = named(sheet, sources, out) {
            unread.retain(|other| *other != file);
            let rows = rows(sources, file);
            let Some((header, rows)) = rows.split_first() else { continue };
            match section.as_str() {
                "curve" => curves(document, header, rows, out),
                section => rules(document, section, header, rows, out),
            }
        }
    }
    for file in unread {
        let message = format!("no sheet names `{}`: it is not read", short_name(sources, file));
        let diagnostic = Diagnostic::warning(Code::UnreadSheet, Span { file, start: 0, end: 0 }, message);
        let help = format!("[sheet.some_name]\nfile = \"{}\"\nof = \"character\"", short_name(sources, file));
        out.push(diagnostic.help(help));
    }
}

/// The section and the file of a sheet.
fn named(sheet: &Entry, sources: &Sources, out: &mut Diagnostics) -> Option<(String, FileId)> {
    let path = format!("sheet.{}", sheet.key);
    let Value::Table(table) = &sheet.node.value else {
        let message = format!("`{path}` is {}; it takes a table", sheet.node.value.what());
        out.push(Diagnostic::at(Code::WrongType, sheet.node.span, message));
        return None;
    };
    const KEYS: [&str; 3] = ["about", "file", "of"];
    for entry in table.entries.iter().filter(|entry| !KEYS.contains(&entry.key.as_str())) {
        let message = format!("`{path}` has no key `{}`", entry.key);
        out.push(Diagnostic::at(Code::UnknownKey, entry.key_span, message).nearest(&entry.key, KEYS));
    }
    let text = |key: &str, example: &str, out: &mut Diagnostics| match table.get(key) {
        Some(Node { value: Value::Text(text, _), span }) => Some((text.clone(), *span)),
        Some(node) => {
            let message = format!("`{path}.{key}` is {}; it takes a text", node.value.what());
            out.push(Diagnostic::at(Code::WrongType, node.span, message));
            None
        }
        None => {
            let diagnostic = Diagnostic::at(Code::MissingKey, sheet.key_span, format!("`{path}` needs a key `{key}`"));
            out.push(diagnostic.help(format!("for example: {example}")));
            None
        }
    };
    let (file, of) = (text("file", "file = \"beasts.csv\"", out), text("of", "of = \"character\"", out));
    let ((file, file_span), (of, of_span)) = (file?, of?);
    if !SHEETS_OF.contains(&of.as_str()) {
        out.push(Diagnostic::not_one_of(of_span, &format!("{path}.of"), &of, SHEETS_OF));
        return None;
    }
    let sheets = || sources.ids().filter(|id| is_sheet(sources.file(*id).name()));
    let Some(found) = sheets().find(|id| ends_with(sources.file(*id).name(), &file)) else {
        let short: Vec<String> = sheets().map(|id| short_name(sources, id)).collect();
        let diagnostic = Diagnostic::at(Code::UnknownName, file_span, format!("the ruleset has no file `{file}`"));
        out.push(if short.is_empty() {
            diagnostic.help("sheets must be in the ruleset's folder or a subfolder")
        } else {
            diagnostic.nearest(&file, short.iter().map(String::as_str))
        });
        return None;
    };
    Some((of, found))
}

fn short_name(sources: &Sources, file: FileId) -> String {
    sources.file(file).name().rsplit(['/', '\\']).next().unwrap_or_default().to_owned()
}

/// Whether a source is a sheet and not TOML.
pub(super) fn is_sheet(name: &str) -> bool {
    name.ends_with(".csv")
}

fn ends_with(name: &str, file: &str) -> bool {
    let name = name.replace('\\', "/");
    name.strip_suffix(file).is_some_and(|before| before.is_empty() || before.ends_with('/'))
}

fn rules(document: &mut Document, section: &str, header: &[Cell], rows: &[Vec<Cell>], out: &mut Diagnostics) {
    if header.first().is_none_or(|cell| cell.text != "name") {
        let span = header.first().map(|cell| cell.span);
        let diagnostic =
            span.map(|span| Diagnostic::at(Code::MissingKey, span, "the first column of a sheet is `name`"));
        if let Some(diagnostic) = diagnostic {
            out.push(diagnostic);
        }
        return;
    }
    for row in rows {
        let [name, cells @ ..] = row.as_slice() else { continue };
        if name.text.is_empty() {
            out.push(Diagnostic::at(Code::MissingKey, name.span, "a row needs a name"));
            continue;
        }
        if cells.len() > header.len() - 1 {
            let cell = &cells[header.len() - 1];
            out.push(Diagnostic::at(Code::KeyConflict, cell.span, "this row has more cells than there are columns"));
        }
        let first = [section, name.text.as_str()];
        if let Err(diagnostic) = insert(&mut document.root, &first, name.span, Value::Table(Table::default())) {
            out.push(*diagnostic);
        }
        for (column, cell) in header[1..].iter().zip(cells).filter(|(_, cell)| !cell.text.is_empty()) {
            let path: Vec<&str> = first.into_iter().chain(keys(&column.text)).collect();
            let value = value_of(cell);
            if let Err(diagnostic) = insert(&mut document.root, &path, cell.span, value) {
                out.push(*diagnostic);
            }
        }
    }
}

/// A column of x values, then one for each curve.
fn curves(document: &mut Document, header: &[Cell], rows: &[Vec<Cell>], out: &mut Diagnostics) {
    for (index, column) in header.iter().enumerate().skip(1) {
        let point = |row: &Vec<Cell>| {
            let (x, y) = (row.first()?, row.get(index).filter(|cell| !cell.text.is_empty())?);
            let node = |cell: &Cell| Node { span: cell.span, value: value_of(cell) };
            Some(Node { span: y.span, value: Value::List(vec![node(x), node(y)]) })
        };
        let points = Value::List(rows.iter().filter_map(point).collect());
        let path = ["curve", column.text.as_str(), "points"];
        if let Err(diagnostic) = insert(&mut document.root, &path, column.span, points) {
            out.push(*diagnostic);
        }
    }
}

/// A number, a flag, a list, or any other TOML value; everything else is a text.
fn value_of(cell: &Cell) -> Value {
    match Document::value_in_cell(cell.span.file, cell) {
        Some(value) => value,
        None => Value::Text(cell.text.clone(), cell.map.clone()),
    }
}

/// Inserts a value where there is none yet; tables and lists on the way are created.
fn insert(table: &mut Table, path: &[&str], span: Span, value: Value) -> Result<(), Box<Diagnostic>> {
    let [key, rest @ ..] = path else { return Ok(()) };
    let Some(entry) = table.entry_mut(key) else {
        let node = Node { span, value: on_the_way(rest, span, value) };
        table.entries.push(Entry { key: (*key).to_owned(), key_span: span, node });
        return Ok(());
    };
    let first = entry.key_span;
    insert_below(&mut entry.node, key, first, rest, span, value)
}

fn insert_below(
    node: &mut Node,
    key: &str,
    first: Span,
    path: &[&str],
    span: Span,
    value: Value,
) -> Result<(), Box<Diagnostic>> {
    match (&mut node.value, path, value) {
        (Value::Table(inner), [_, ..], value) => insert(inner, path, span, value),
        // A rule with further keys in the files.
        (Value::Table(_), [], Value::Table(_)) => Ok(()),
        (Value::List(list), [index, rest @ ..], value) => {
            let count = list.len();
            match index.parse::<usize>() {
                Ok(index) if index < count => {
                    let first = list[index].span;
                    insert_below(&mut list[index], key, first, rest, span, value)
                }
                Ok(index) if index == count => {
                    list.push(Node { span, value: on_the_way(rest, span, value) });
                    Ok(())
                }
                _ => {
                    let message = format!("`{key}` is a list of {count}; it has no index `{index}`");
                    let help = "indices start at 0; the next index adds an element";
                    Err(Box::new(Diagnostic::at(Code::UnknownPath, span, message).help(help)))
                }
            }
        }
        _ => {
            let diagnostic = Diagnostic::at(Code::DuplicateName, span, format!("`{key}` is given twice"));
            Err(Box::new(diagnostic.saying("again here").label(first, "first given here")))
        }
    }
}

/// A value wrapped in everything that its path requires: a list where the path has 0, otherwise tables.
fn on_the_way(path: &[&str], span: Span, value: Value) -> Value {
    let [key, rest @ ..] = path else { return value };
    let node = Node { span, value: on_the_way(rest, span, value) };
    if *key == "0" {
        Value::List(vec![node])
    } else {
        let key = (*key).to_owned();
        Value::Table(Table { entries: vec![Entry { key, key_span: span, node }] })
    }
}
