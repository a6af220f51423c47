//! Rulesets in files and folders. The only reader of the file system in the library.

use std::collections::BTreeSet;
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};

use super::diagnostic::{Code, Diagnostic};
use super::source::Sources;

/// The maximum size of a file in bytes. Rulesets are written by hand; a larger file is a mistake.
pub const MAX_FILE_BYTES: u64 = 4 << 20;
/// The maximum number of files in a ruleset folder.
pub const MAX_FILES: usize = 1_000;
const MAX_FOLDER_DEPTH: usize = 16;

impl Sources {
    /// Reads one `.toml` file, or every `.toml` and `.csv` file of a folder and its subfolders, in the order of their
    /// names.
    ///
    /// # Errors
    /// Returns a diagnostic for every file that cannot be read, is not UTF-8 or is too large.
    pub fn read(path: &Path) -> Result<Self, Vec<Diagnostic>> {
        let mut wrong = Vec::new();
        let mut sources = Self::default();
        for file in list(path, &mut wrong) {
            match read_text(&file) {
                Ok(text) => sources.add_file(file, text),
                Err(diagnostic) => wrong.push(diagnostic),
            }
        }
        if wrong.is_empty() { Ok(sources) } else { Err(wrong) }
    }
}

fn list(path: &Path, wrong: &mut Vec<Diagnostic>) -> Vec<PathBuf> {
    if path.is_file() {
        return vec![path.to_path_buf()];
    }
    let mut found = Found::default();
    if let Err(diagnostic) = found.collect(path, 0) {
        wrong.push(diagnostic);
        return Vec::new();
    }
    let mut files = found.files;
    files.sort();
    if !files.iter().any(|file| file.extension().is_some_and(|ending| ending == "toml")) {
        files.clear();
        wrong.push(
            Diagnostic::new(Code::UnreadableFile, format!("`{}` contains no .toml file", path.display()))
                .help("a ruleset is a .toml file or a folder of them; `edgeplane new` writes one to start from"),
        );
    } else if files.len() > MAX_FILES {
        wrong.push(Diagnostic::new(
            Code::UnreadableFile,
            format!("`{}` contains more than {MAX_FILES} files, which is the maximum", path.display()),
        ));
        files.clear();
    }
    files
}

/// The files of a ruleset's folder.
#[derive(Default)]
struct Found {
    files: Vec<PathBuf>,
    /// Folders already visited, by their real paths: links can form a cycle.
    folders: BTreeSet<PathBuf>,
}

impl Found {
    /// Hidden files and folders are skipped: editors and version control use them.
    fn collect(&mut self, folder: &Path, depth: usize) -> Result<(), Diagnostic> {
        let failed = |error: std::io::Error| unreadable(folder, &error);
        if !self.folders.insert(fs::canonicalize(folder).map_err(failed)?) {
            return Ok(());
        }
        if depth > MAX_FOLDER_DEPTH {
            let message =
                format!("`{}` is nested more than {MAX_FOLDER_DEPTH} folders deep and is not read", folder.display());
            return Err(Diagnostic::new(Code::UnreadableFile, message).help("use fewer nested folders"));
        }
        for entry in fs::read_dir(folder).map_err(failed)? {
            let entry = entry.map_err(failed)?;
            let path = entry.path();
            if entry.file_name().as_encoded_bytes().starts_with(b".") {
                continue;
            }
            if path.is_dir() {
                self.collect(&path, depth + 1)?;
            } else if path.extension().is_some_and(|ending| ending == "toml" || ending == "csv") {
                self.files.push(path);
            }
            if self.files.len() > MAX_FILES {
                return Ok(());
            }
        }
        Ok(())
    }
}

fn read_text(path: &Path) -> Result<String, Diagnostic> {
    let failed = |error: std::io::Error| unreadable(path, &error);
    // Reading something that is not a regular file may block or never end.
    if !fs::metadata(path).map_err(failed)?.is_file() {
        return Err(Diagnostic::new(Code::UnreadableFile, format!("`{}` is not a regular file", path.display())));
    }
    let mut bytes = Vec::new();
    let file = fs::File::open(path).map_err(failed)?;
    file.take(MAX_FILE_BYTES + 1).read_to_end(&mut bytes).map_err(failed)?;
    if bytes.len() as u64 > MAX_FILE_BYTES {
        let message = format!("`{}` is too large: at most {MAX_FILE_BYTES} bytes are allowed", path.display());
        return Err(Diagnostic::new(Code::UnreadableFile, message));
    }
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Diagnostic::new(Code::UnreadableFile, format!("`{}` is not UTF-8 text: byte {at} is wrong", path.display()))
            .help("save the file as UTF-8")
    })
}

fn unreadable(path: &Path, error: &std::io::Error) -> Diagnostic {
    Diagnostic::new(Code::UnreadableFile, format!("cannot read `{}`: {error}", path.display()))
}
