//! Jurex's commands: arguments are read, a service of the bench is called, and what came of it is said.
//!
//! What does not live here: how a job is run (jurex-station), the terminal interface (jurex-tui), and what a claim is (jurex-sanitize).
#![forbid(unsafe_code)]

mod cli;
mod commands;

use clap::{CommandFactory, Parser};
use jurex_station::exit;
use std::ffi::OsString;
use std::io::Write;
use std::process::ExitCode;

/// Commands and arguments, for the pages of the manual and the completions of shells.
pub fn arguments() -> clap::Command {
    cli::Arguments::command()
}

/// Keys and seeds are in memory: no picture of it may come onto a disk. (A limit of one byte, and not of none, keeps programs that collect
/// such pictures from getting them too; see core(5).)
fn no_core_dumps() {
    use rustix::process::{Resource, Rlimit, setrlimit};
    let _ = setrlimit(Resource::Core, Rlimit { current: Some(1), maximum: Some(1) });
}

/// Runs the program with these arguments, the first being its own name.
pub fn run(arguments: impl IntoIterator<Item = OsString>) -> ExitCode {
    no_core_dumps();
    let parsed = match cli::Arguments::try_parse_from(arguments) {
        Ok(parsed) => parsed,
        Err(e) => {
            // Help and version are answers, everything else is wrong use.
            let _ = e.print();
            return if e.use_stderr() { exit::WRONG_USE } else { ExitCode::SUCCESS };
        }
    };
    match commands::carry_out(parsed) {
        Ok(code) if code == ExitCode::SUCCESS => match commands::output_failed() {
            None => code,
            Some(why) => {
                let _ = writeln!(std::io::stderr(), "jurex: the output could not be written: {why}");
                exit::WRONG_USE
            }
        },
        Ok(code) => code,
        Err(failure) => {
            // The terminal may be gone by now.
            let _ = writeln!(std::io::stderr(), "jurex: {failure}");
            failure.code()
        }
    }
}
