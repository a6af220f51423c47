//! Rules as spreadsheets: export, and import into the files.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::error::Error;
use crate::game::Game;
use crate::text::{
    Code, Diagnostic, Document, FileId, Node, Place, SHEETS_OF, Sources, Span, Table, Value, overrides, sheet_cells,
};

/// A value changed by a spreadsheet.
#[derive(Clone, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct SheetChange {
    /// Its path.
    pub path: String,
    /// The old value.
    pub before: String,
    /// The new value.
    pub after: String,
    /// Its file and line.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub place: Place,
}

/// The changes of a spreadsheet, and the files with these changes.
#[derive(Clone, Debug)]
pub struct SheetChanges {
    /// The values, row by row.
    pub changes: Vec<SheetChange>,
    /// Paths and texts of the files that change.
    pub files: Vec<(PathBuf, String)>,
}

impl Game {
    /// A section of the ruleset as rows of a spreadsheet: the header, then each rule with its name and its value for
    /// each column. Without columns, all values of all rules are included. Cells without a value are empty.
    ///
    /// Curves are side by side: a column of x values, then one for each curve.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let rows = game.sheet("ability", &["cooldown".to_owned(), "reach".to_owned()])?;
    /// assert_eq!(rows[0], ["name", "cooldown", "reach"]);
    /// assert_eq!(rows[1], ["sickle", "2", "2"]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`] for a section that is not a list of rules, and for a column that none of its rules has.
    pub fn sheet(&self, section: &str, columns: &[String]) -> Result<Vec<Vec<String>>, Error> {
        let (document, sources) = self.written();
        let rules = rules_of(&document, section)?;
        if section == "curve" {
            if let Some(name) = columns.iter().find(|column| !rules.iter().any(|(name, _)| name == column)) {
                let known = rules.iter().map(|(name, _)| (*name).to_owned()).collect();
                return Err(Error::Unknown { what: "curve", name: name.clone(), known });
            }
            return Ok(curves(&rules, columns, &sources));
        }
        let mut known: Vec<String> = Vec::new();
        for (_, node) in &rules {
            leaves(node, "", &mut |path, _| {
                if !known.iter().any(|known| known == path) {
                    known.push(path.to_owned());
                }
            });
        }
        if let Some(name) = columns.iter().find(|column| !known.contains(column)) {
            return Err(Error::Unknown { what: "column", name: name.clone(), known });
        }
        let all = if columns.is_empty() { known } else { columns.to_vec() };
        let header = std::iter::once("name".to_owned()).chain(all.iter().cloned()).collect();
        let row = |(name, _): &(&str, &Node)| {
            let cell = |column: &String| {
                let node = overrides::find(&document, &format!("{section}.{name}.{column}"));
                node.and_then(|node| written(node, &sources)).unwrap_or_default()
            };
            std::iter::once((*name).to_owned()).chain(all.iter().map(cell)).collect()
        };
        Ok(std::iter::once(header).chain(rules.iter().map(row)).collect())
    }

    /// Writes the values of a spreadsheet to their places in the files. Comments, order and blanks stay as they are.
    /// Empty cells are ignored.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let changes = game.take_sheet("ability", "abilities.csv", "name,cooldown\nsickle,2.5\n")?;
    /// assert_eq!((changes.changes.len(), changes.files.len()), (1, 1));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Ruleset`] for cells whose values have no place in the files, and for a ruleset that would become
    /// invalid; nothing is written here, so nothing is lost.
    pub fn take_sheet(&self, section: &str, name: &str, csv: &str) -> Result<SheetChanges, Error> {
        let (document, mut sources) = self.written();
        let rules = rules_of(&document, section)?;
        let file = sources.add(name, csv);
        let mut wrong = Vec::new();
        let cells = sheet_cells(&sources, file);
        let mut taking =
            Taking { sources: &sources, changes: Vec::new(), edits: BTreeMap::new(), said: BTreeMap::new() };
        let (header, rows) = match cells.split_first() {
            Some((header, rows)) if is_header(section, header) => (header.as_slice(), rows),
            Some((header, _)) => {
                wrong.push(no_header(section, header));
                (&[][..], &[][..])
            }
            None => return Err(Error::Ruleset { diagnostics: vec![empty(name)], sources }),
        };
        for row in rows {
            let Some((first, _)) = row.first() else { continue };
            let said = header.iter().zip(row).skip(1).filter(|(_, (text, _))| !text.is_empty());
            for ((column, _), (text, span)) in said {
                let (path, node) = if section == "curve" {
                    (format!("curve.{column} at {first}"), value_at(&rules, column, first))
                } else {
                    let path = format!("{section}.{first}.{column}");
                    let node = overrides::find(&document, &path);
                    (path, node)
                };
                wrong.extend(taking.take(&path, node, text, *span).err());
            }
        }
        let Taking { changes, edits, .. } = taking;
        if !wrong.is_empty() {
            return Err(Error::Ruleset { sources, diagnostics: wrong });
        }
        let (edited, files) = self.edited(edits);
        Self::from_sources(edited, &[])?;
        Ok(SheetChanges { changes, files })
    }

    /// All files with their edits, and those that change.
    fn edited(&self, mut edits: Edits) -> (Sources, Vec<(PathBuf, String)>) {
        let (mut edited, mut files) = (Sources::default(), Vec::new());
        for (index, file) in self.sources().files().iter().enumerate() {
            let mut text = file.text().to_owned();
            let mut here = edits.remove(&index).unwrap_or_default();
            // From the end, so that positions before an edit remain valid.
            here.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
            for (span, literal) in &here {
                text.replace_range(span.start as usize..span.end as usize, literal);
            }
            if !here.is_empty() {
                let path = file.path().map_or_else(|| PathBuf::from(file.name()), Path::to_path_buf);
                files.push((path, text.clone()));
            }
            edited.add(file.name(), text);
        }
        (edited, files)
    }
}

/// The replacements, by the number of the file.
type Edits = BTreeMap<usize, Vec<(Span, String)>>;

/// Values on their way from a spreadsheet into the files.
struct Taking<'a> {
    sources: &'a Sources,
    changes: Vec<SheetChange>,
    edits: Edits,
    /// The values set by cells so far, and their cells.
    said: BTreeMap<(FileId, u32), (Span, String)>,
}

impl Taking<'_> {
    /// Records a cell that differs from the value in the files.
    fn take(&mut self, path: &str, node: Option<&Node>, text: &str, cell: Span) -> Result<(), Diagnostic> {
        let Some((node, before)) = node.and_then(|node| Some((node, written(node, self.sources)?))) else {
            let message = format!("the files have no value at `{path}`");
            let help = "a sheet can only change existing values; add new ones to the files first";
            return Err(Diagnostic::at(Code::UnknownPath, cell, message).help(help));
        };
        let place = (node.span.file, node.span.start);
        if let Some((first, said)) = self.said.get(&place) {
            if said == text || same_number(said, text) {
                return Ok(());
            }
            let message = format!("two cells have different values for `{path}`: `{said}` and `{text}`");
            return Err(Diagnostic::at(Code::DuplicateName, cell, message).label(*first, "first said here"));
        }
        self.said.insert(place, (cell, text.to_owned()));
        if before.trim() == text || same_number(&before, text) {
            return Ok(());
        }
        let index = self.sources.ids().position(|id| id == node.span.file).unwrap_or_default();
        let target = self.sources.file(node.span.file).name();
        self.edits.entry(index).or_default().push((node.span, literal(text, target)));
        let place = self.sources.place(node.span);
        self.changes.push(SheetChange { path: path.to_owned(), before, after: text.to_owned(), place });
        Ok(())
    }
}

/// Whether a first row names columns: the kind of rules, and at least one more.
fn is_header(section: &str, header: &[(String, Span)]) -> bool {
    header.len() > 1 && header.first().is_some_and(|(first, _)| first == first_column(section))
}

fn first_column(section: &str) -> &'static str {
    if section == "curve" { "at" } else { "name" }
}

fn no_header(section: &str, header: &[(String, Span)]) -> Diagnostic {
    let wanted = first_column(section);
    let found: Vec<&str> = header.iter().map(|(text, _)| text.as_str()).collect();
    let message = format!("the first row must begin with `{wanted}` and name the columns; it is `{}`", found.join(","));
    let diagnostic = Diagnostic::new(Code::MissingKey, message);
    let diagnostic = match header.first() {
        Some((_, span)) => diagnostic.label(*span, ""),
        None => diagnostic,
    };
    if header.iter().any(|(text, _)| text.contains(';') || text.contains('\t')) {
        return diagnostic.help("cells are separated by commas: save the sheet as comma-separated values");
    }
    diagnostic.help(format!("`edgeplane sheet RULESET {section} --format csv` writes a sheet that can be imported"))
}

fn empty(name: &str) -> Diagnostic {
    Diagnostic::new(Code::MissingKey, format!("`{name}` holds no row"))
}

/// The points of a curve.
fn points(node: &Node) -> Vec<(&Node, &Node)> {
    let Value::Table(table) = &node.value else { return Vec::new() };
    let Some(Value::List(points)) = table.get("points").map(|node| &node.value) else { return Vec::new() };
    let pair = |node| match node {
        &Node { value: Value::List(ref pair), .. } => Some((pair.first()?, pair.get(1)?)),
        _ => None,
    };
    points.iter().filter_map(pair).collect()
}

/// The value of a curve at a given x value.
fn value_at<'a>(rules: &[(&str, &'a Node)], curve: &str, place: &str) -> Option<&'a Node> {
    let (_, node) = rules.iter().find(|(name, _)| *name == curve)?;
    let at = place.parse::<f64>().ok()?;
    points(node).into_iter().find(|(x, _)| number(x) == Some(at)).map(|(_, y)| y)
}

fn number(node: &Node) -> Option<f64> {
    if let Value::Number(number) = node.value { Some(number) } else { None }
}

fn curves(rules: &[(&str, &Node)], columns: &[String], sources: &Sources) -> Vec<Vec<String>> {
    let wanted = |name: &str| columns.is_empty() || columns.iter().any(|column| column == name);
    let curves: Vec<_> =
        rules.iter().filter(|(name, _)| wanted(name)).map(|(name, node)| (*name, points(node))).collect();
    let mut places: Vec<f64> = curves.iter().flat_map(|(_, points)| points).filter_map(|(x, _)| number(x)).collect();
    places.sort_by(f64::total_cmp);
    places.dedup();
    let header = std::iter::once("at").chain(curves.iter().map(|(name, _)| *name)).map(str::to_owned).collect();
    let row = |place: f64| {
        let cell = |(_, points): &(&str, Vec<(&Node, &Node)>)| {
            let found = points.iter().find(|(x, _)| number(x) == Some(place));
            found.and_then(|(_, y)| written(y, sources)).unwrap_or_default()
        };
        std::iter::once(place.to_string()).chain(curves.iter().map(cell)).collect()
    };
    std::iter::once(header).chain(places.into_iter().map(row)).collect()
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

/// A value as shown in a cell.
fn written(node: &Node, sources: &Sources) -> Option<String> {
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

/// The text of a cell as a value in a file.
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
