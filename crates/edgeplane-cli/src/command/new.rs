//! `edgeplane new`: a small ruleset to start from.

use std::fs;
use std::path::Path;

use super::{Failure, files, output};
use crate::args::NewArgs;
use crate::view::text;

pub(crate) fn run(args: &NewArgs) -> Result<(), Failure> {
    let folder = &args.folder;
    let taken = fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_some()) || folder.is_file();
    if taken {
        return Err(Failure::Message(format!("`{}` exists already; nothing was written", folder.display())));
    }
    write(folder, "ruleset.toml", edgeplane::example_text())?;
    let shown = folder.display();
    output::print(&format!(
        "{} holds a small ruleset: two characters, three abilities, two encounters.\n\n  \
         edgeplane check {shown}\n  edgeplane explain {shown} lockhand\n  \
         edgeplane fight {shown} duel --trace\n  edgeplane trials {shown} duel\n",
        text::bold(&folder.join("ruleset.toml").display().to_string())
    ))
}

/// Writes a file, creating folders as needed.
pub(crate) fn write(folder: &Path, name: &str, contents: &str) -> Result<(), Failure> {
    let path = folder.join(name);
    let parent = path.parent().unwrap_or(folder);
    fs::create_dir_all(parent).map_err(|error| Failure::writing(parent, &error))?;
    files::write(&path, contents)
}
