//! The command-line tool `edgeplane`: arguments in, tables and files out. What is computed is
//! computed by the library `edgeplane`.

mod args;
mod command;
mod view;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    let args = args::Args::parse();
    match command::run(args) {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => {
            failure.report();
            ExitCode::from(failure.exit_code())
        }
    }
}
