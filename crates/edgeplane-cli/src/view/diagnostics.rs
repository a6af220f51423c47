//! Draws diagnostics with the lines of the files to which they refer.

use std::io::Write;

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use edgeplane::text::{FileId, Label, Place, Severity};
use edgeplane::{Diagnostic, Sources};
use serde::Serialize;

use super::text;

/// The maximum number of diagnostics that are drawn.
const MOST: usize = 50;

/// Draws all diagnostics and a closing line.
pub(crate) fn draw(sources: &Sources, list: &[Diagnostic]) -> String {
    let renderer = Renderer::styled();
    // Errors come first if not all are drawn, because warnings do not prevent loading.
    let is_error = |diagnostic: &&Diagnostic| diagnostic.severity == Severity::Error;
    let shown: Vec<&Diagnostic> = if list.len() > MOST {
        list.iter().filter(is_error).chain(list.iter().filter(|one| !is_error(one))).take(MOST).collect()
    } else {
        list.iter().collect()
    };
    let mut drawn: Vec<String> =
        shown.iter().map(|diagnostic| renderer.render(&[group(sources, diagnostic)])).collect();
    let errors = list.iter().filter(is_error).count();
    if errors > 1 {
        drawn.push(format!("{errors} errors"));
    }
    if list.len() > MOST {
        drawn.push(format!("{} more are not shown; `check --format json` has them all", list.len() - MOST));
    }
    text::harmless(&drawn.join("\n\n")).into_owned()
}

/// Draws them on standard error.
pub(crate) fn report(sources: &Sources, list: &[Diagnostic]) {
    // If even standard error cannot be written, nothing can be done.
    let _ = writeln!(anstream::stderr(), "{}\n", draw(sources, list));
}

fn group<'a>(sources: &'a Sources, diagnostic: &'a Diagnostic) -> Group<'a> {
    let level = if diagnostic.severity == Severity::Error { Level::ERROR } else { Level::WARNING };
    let mut group = Group::with_title(level.primary_title(&diagnostic.message).id(diagnostic.code.name()));
    let mut files: Vec<FileId> = Vec::new();
    for label in &diagnostic.labels {
        if !files.contains(&label.span.file) {
            files.push(label.span.file);
        }
    }
    for id in files {
        let file = sources.file(id);
        let annotations =
            diagnostic.labels.iter().enumerate().filter(|(_, label)| label.span.file == id).map(|(index, label)| {
                let kind = if index == 0 { AnnotationKind::Primary } else { AnnotationKind::Context };
                kind.span(range(label, file.text().len())).label(&label.text)
            });
        group = group.element(Snippet::source(file.text()).path(file.name()).annotations(annotations));
    }
    match &diagnostic.help {
        Some(help) => group.element(Level::HELP.message(help)),
        None => group,
    }
}

fn range(label: &Label, length: usize) -> std::ops::Range<usize> {
    let start = (label.span.start as usize).min(length);
    start..(label.span.end as usize).clamp(start, length)
}

/// A diagnostic for programs.
#[derive(Serialize)]
pub(crate) struct Flat {
    code: &'static str,
    severity: Severity,
    message: String,
    help: Option<String>,
    places: Vec<FlatPlace>,
}

#[derive(Serialize)]
struct FlatPlace {
    #[serde(flatten)]
    place: Place,
    text: String,
}

pub(crate) fn flat(sources: &Sources, list: &[Diagnostic]) -> Vec<Flat> {
    let place = |label: &Label| FlatPlace { place: sources.place(label.span), text: label.text.clone() };
    let one = |diagnostic: &Diagnostic| Flat {
        code: diagnostic.code.name(),
        severity: diagnostic.severity,
        message: diagnostic.message.clone(),
        help: diagnostic.help.clone(),
        places: diagnostic.labels.iter().map(place).collect(),
    };
    list.iter().map(one).collect()
}

pub(crate) fn rows(list: &[Flat]) -> Vec<Vec<String>> {
    let header = ["file", "line", "column", "severity", "code", "message", "help"].map(str::to_owned).to_vec();
    let row = |flat: &Flat| {
        let place = flat.places.first().map(|place| &place.place);
        vec![
            place.map_or_else(String::new, |place| place.file.clone()),
            place.map_or_else(String::new, |place| place.line.to_string()),
            place.map_or_else(String::new, |place| place.column.to_string()),
            flat.severity.name().to_owned(),
            flat.code.to_owned(),
            flat.message.clone(),
            flat.help.clone().unwrap_or_default(),
        ]
    };
    std::iter::once(header).chain(list.iter().map(row)).collect()
}
