//! The program: arguments in, an exit code out.
#![forbid(unsafe_code)]

fn main() -> std::process::ExitCode {
    jurex::run(std::env::args_os())
}
