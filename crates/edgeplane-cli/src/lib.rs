//! The command-line tool `edgeplane`: arguments in, tables and files out. What is computed is computed by the library
//! `edgeplane`. It is a library beside its binary only so that both libraries are built at once.

mod args;
mod command;
mod view;

use std::process::ExitCode;

use clap::Parser;

/// Reads the arguments, does what they say, and gives the exit code.
pub fn run() -> ExitCode {
    let args = args::Args::parse();
    match command::run(args) {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => {
            failure.report();
            ExitCode::from(failure.exit_code())
        }
    }
}
