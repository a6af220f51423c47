//! `edgeplane schema`: the format of rulesets for editors.

use super::{Failure, files, output};
use crate::args::SchemaArgs;
use crate::view::schema;

pub(crate) fn run(args: &SchemaArgs) -> Result<(), Failure> {
    let text = serde_json::to_string_pretty(&schema::draw()).map_err(|error| Failure::Message(error.to_string()))?;
    match &args.output {
        Some(path) => files::write(path, text + "\n"),
        None => output::print(&(text + "\n")),
    }
}
