//! The command-line tool `edgeplane`.

fn main() -> std::process::ExitCode {
    edgeplane_cli::run()
}
