//! Writes files. A file is first written next to the old one and then renamed, so that there is always either the old
//! file or the new one. All files are checked before the work begins.

use std::fs;
use std::io::{Error, ErrorKind, Write};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use super::Failure;

/// Replaces a file, or creates it.
pub(crate) fn write(path: &Path, contents: impl AsRef<[u8]>) -> Result<(), Failure> {
    write_all(&[(path.to_path_buf(), contents)])
}

/// The same for several files: all of them or none.
pub(crate) fn write_all<T: AsRef<[u8]>>(files: &[(PathBuf, T)]) -> Result<(), Failure> {
    let mut ready = Vec::new();
    for (path, contents) in files {
        ready.push((path, aside(path, contents.as_ref()).map_err(|error| Failure::writing(path, &error))?));
    }
    let mut replaced: Vec<(PathBuf, Vec<u8>)> = Vec::new();
    for (path, file) in ready {
        let Some((target, file)) = file else { continue };
        let old = fs::read(&target).ok();
        if let Err(error) = file.persist(&target) {
            for (path, old) in replaced {
                write(&path, old)?;
            }
            return Err(Failure::writing(path, &error.error));
        }
        replaced.extend(old.map(|old| (target, old)));
    }
    Ok(())
}

/// Writes next to a file. Pipes and devices are written directly.
fn aside(path: &Path, contents: &[u8]) -> Result<Option<(PathBuf, NamedTempFile)>, Error> {
    // The target of a link is replaced, not the link.
    let target = fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf());
    let old = fs::metadata(&target).ok();
    if old.as_ref().is_some_and(|old| !old.is_file() && !old.is_dir()) {
        fs::OpenOptions::new().write(true).open(&target)?.write_all(contents)?;
        return Ok(None);
    }
    let file = beside(&target)?;
    // The file itself, because the temporary name is of no interest in an error.
    file.as_file().write_all(contents)?;
    file.as_file().sync_all()?;
    if let Some(old) = old {
        fs::set_permissions(file.path(), old.permissions())?;
    }
    Ok(Some((target, file)))
}

/// An empty file in the folder of another one, removed unless it replaces that one.
fn beside(target: &Path) -> Result<NamedTempFile, Error> {
    if target.is_dir() {
        return Err(Error::new(ErrorKind::IsADirectory, "it is a folder"));
    }
    if fs::metadata(target).is_ok_and(|old| old.permissions().readonly()) {
        return Err(Error::new(ErrorKind::PermissionDenied, "it is read-only"));
    }
    let folder = target.parent().filter(|parent| *parent != Path::new("")).unwrap_or(Path::new("."));
    if !folder.is_dir() {
        return Err(Error::new(ErrorKind::NotFound, format!("there is no folder `{}`", folder.display())));
    }
    let mut named = tempfile::Builder::new();
    named.prefix(".edgeplane-");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        // With the default permissions of the process for new files.
        named.permissions(fs::Permissions::from_mode(0o666));
    }
    // The error names the temporary file.
    named.tempfile_in(folder).map_err(|error| Error::from(error.kind()))
}

/// Checks the files that a command will write before it starts working: each can be written, and none is one of those
/// that it reads.
pub(super) fn check(outputs: &[&Path], inputs: &[&Path]) -> Result<(), Failure> {
    for path in outputs {
        let target = fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf());
        if fs::metadata(&target).is_ok_and(|old| !old.is_file() && !old.is_dir()) {
            continue;
        }
        beside(&target).map_err(|error| Failure::writing(path, &error))?;
        let reads = |input: &&Path| {
            let Ok(input) = fs::canonicalize(input) else { return false };
            let kind = target.extension().is_some_and(|kind| kind == "toml" || kind == "csv");
            target == input || (input.is_dir() && target.is_file() && kind && target.starts_with(&input))
        };
        if inputs.iter().any(reads) {
            let message = format!("`{}` is read by this command and would be overwritten", path.display());
            return Err(Failure::Message(format!("{message}; name another file")));
        }
    }
    Ok(())
}
