//! The command-line tool `edgeplane`: arguments, tables and files. All computation is in the library `edgeplane`. It is
//! a library with a small binary only so that both libraries are compiled at the same time.

mod args;
mod command;
mod view;

use std::process::ExitCode;

use clap::Parser;

/// Parses the arguments, runs the command, and returns the exit code.
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
