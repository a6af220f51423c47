//! Files and places in them. The only reader of the file system in the library.

use std::fs;
use std::path::{Path, PathBuf};

use super::diagnostic::{Code, Diagnostic};

/// Largest file that is read, in bytes. A ruleset is written by hand; what is larger is a mistake.
pub const MAX_FILE_BYTES: u64 = 4 << 20;
/// Most files in one ruleset folder.
pub const MAX_FILES: usize = 1_000;
const MAX_FOLDER_DEPTH: usize = 16;

/// One file among the [`Sources`] of a ruleset.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileId(pub(crate) u32);

/// A stretch of bytes in one file.
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
}

impl SourceFile {
    /// The name as a reader would type it: relative to where the ruleset was opened.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }
}

/// Where a [`Span`] begins, as people count: lines and columns from 1, columns in characters.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
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
    /// Sources of a single text, for tests and for rulesets that live in a program.
    pub fn from_text(name: impl Into<String>, text: impl Into<String>) -> Self {
        let mut sources = Self::default();
        sources.add(name, text);
        sources
    }

    /// Reads one `.toml` file, or every `.toml` and `.csv` file of a folder and the folders in it, in the
    /// order of their names.
    ///
    /// # Errors
    /// A diagnostic for every file that cannot be read, is not UTF-8 or is too large.
    pub fn read(path: &Path) -> Result<Self, Vec<Diagnostic>> {
        let mut wrong = Vec::new();
        let mut sources = Self::default();
        for file in list(path, &mut wrong) {
            match read_text(&file) {
                Ok(text) => {
                    sources.add(file.display().to_string(), text);
                }
                Err(diagnostic) => wrong.push(diagnostic),
            }
        }
        if wrong.is_empty() { Ok(sources) } else { Err(wrong) }
    }

    /// Adds a text under a name; returns how to speak of it.
    pub fn add(&mut self, name: impl Into<String>, text: impl Into<String>) -> FileId {
        let id = FileId(self.files.len() as u32);
        self.files.push(SourceFile { name: name.into(), text: text.into() });
        id
    }

    /// Every file, in the order in which it was added.
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

    /// Line and column where a span begins.
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

fn list(path: &Path, wrong: &mut Vec<Diagnostic>) -> Vec<PathBuf> {
    if path.is_file() {
        return vec![path.to_path_buf()];
    }
    let mut files = Vec::new();
    if let Err(error) = collect(path, 0, &mut files) {
        wrong.push(unreadable(path, &error));
        return files;
    }
    files.sort();
    if !files.iter().any(|file| file.extension().is_some_and(|ending| ending == "toml")) {
        files.clear();
        wrong.push(
            Diagnostic::new(Code::UnreadableFile, format!("`{}` holds no .toml file", path.display()))
                .help("a ruleset is a .toml file or a folder of them; `edgeplane new` writes one to start from"),
        );
    } else if files.len() > MAX_FILES {
        wrong.push(Diagnostic::new(
            Code::UnreadableFile,
            format!("`{}` holds {} files; at most {MAX_FILES} are read", path.display(), files.len()),
        ));
        files.clear();
    }
    files
}

fn collect(folder: &Path, depth: usize, files: &mut Vec<PathBuf>) -> std::io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() && depth < MAX_FOLDER_DEPTH {
            collect(&path, depth + 1, files)?;
        } else if path.extension().is_some_and(|ending| ending == "toml" || ending == "csv") {
            files.push(path);
        }
    }
    Ok(())
}

fn read_text(path: &Path) -> Result<String, Diagnostic> {
    let size = fs::metadata(path).map_err(|error| unreadable(path, &error))?.len();
    if size > MAX_FILE_BYTES {
        return Err(Diagnostic::new(
            Code::UnreadableFile,
            format!("`{}` is {size} bytes long; at most {MAX_FILE_BYTES} are read", path.display()),
        ));
    }
    let bytes = fs::read(path).map_err(|error| unreadable(path, &error))?;
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Diagnostic::new(Code::UnreadableFile, format!("`{}` is not UTF-8 text: byte {at} is wrong", path.display()))
            .help("save the file as UTF-8")
    })
}

fn unreadable(path: &Path, error: &std::io::Error) -> Diagnostic {
    Diagnostic::new(Code::UnreadableFile, format!("cannot read `{}`: {error}", path.display()))
}
