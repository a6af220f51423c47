//! `edgeplane reference`: all keys, effects, events, functions or measures, on one page.

use super::{Failure, files, output};
use crate::args::ReferenceArgs;
use crate::view::reference;

pub(crate) fn run(args: &ReferenceArgs) -> Result<(), Failure> {
    let text = reference::page(args.page);
    match &args.output {
        Some(path) => files::write(path, text),
        None => output::print(&text),
    }
}
