//! Files and spans.

use std::path::{Path, PathBuf};

/// One file among the [`Sources`] of a ruleset.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileId(pub(crate) u32);

/// A range of bytes in one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Span {
    /// The file.
    pub file: FileId,
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

/// A file's name and text.
#[derive(Clone, Debug)]
pub struct SourceFile {
    name: String,
    text: String,
    /// The path from which it was read; `None` for a given text.
    path: Option<PathBuf>,
}

impl SourceFile {
    /// The name as a user would type it: relative to the opened ruleset.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The path from which it was read, of which its name may be only a part; `None` for a given text.
    pub fn path(&self) -> Option<&Path> {
        self.path.as_deref()
    }
}

/// The start of a [`Span`] for people: lines and columns from 1, columns in characters.
#[derive(Clone, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Place {
    /// File name.
    pub file: String,
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}

impl std::fmt::Display for Place {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}:{}", self.file, self.line, self.column)
    }
}

/// All files of one ruleset.
///
/// ```
/// use edgeplane::Sources;
/// let sources = Sources::from_text("duel.toml", "[attributes]\nheft = 10\n");
/// assert_eq!(sources.files().len(), 1);
/// ```
#[derive(Clone, Debug, Default)]
pub struct Sources {
    files: Vec<SourceFile>,
}

impl Sources {
    /// Sources of a single text, for tests and for rulesets embedded in a program.
    pub fn from_text(name: impl Into<String>, text: impl Into<String>) -> Self {
        let mut sources = Self::default();
        sources.add(name, text);
        sources
    }

    /// Adds the text of a file that has been read.
    #[cfg(feature = "files")]
    pub(super) fn add_file(&mut self, path: PathBuf, text: String) {
        let name = path.display().to_string();
        self.files.push(SourceFile { name, text, path: Some(path) });
    }

    /// Adds a text under a name; returns its id.
    pub fn add(&mut self, name: impl Into<String>, text: impl Into<String>) -> FileId {
        let id = FileId(self.files.len() as u32);
        self.files.push(SourceFile { name: name.into(), text: text.into(), path: None });
        id
    }

    /// Every file, in the order of addition.
    pub fn files(&self) -> &[SourceFile] {
        &self.files
    }

    /// Every file's id.
    pub fn ids(&self) -> impl Iterator<Item = FileId> + use<> {
        (0..self.files.len() as u32).map(FileId)
    }

    /// One file.
    pub fn file(&self, id: FileId) -> &SourceFile {
        &self.files[id.0 as usize]
    }

    /// The text under a span.
    pub fn text(&self, span: Span) -> &str {
        self.file(span.file).text.get(span.start as usize..span.end as usize).unwrap_or_default()
    }

    /// The line and column of the start of a span.
    pub fn place(&self, span: Span) -> Place {
        let file = self.file(span.file);
        let mut start = (span.start as usize).min(file.text.len());
        while !file.text.is_char_boundary(start) {
            start -= 1;
        }
        let before = &file.text[..start];
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        Place {
            file: file.name.clone(),
            line: before.matches('\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
        }
    }
}
