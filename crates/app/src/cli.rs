//! Arguments, as the commands' contract names them.

use crate::config::ThemeName;
use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

/// Overwrites every addressable sector of a drive, verifies it, and reports it to NIST SP 800-88.
///
/// Without a command: the terminal interface on this machine's drives. Nothing is ever erased by default.
#[derive(Debug, Parser)]
#[command(name = "jurex", version, max_term_width = 100)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
    /// How the interface looks (default: the configuration's, else dark)
    #[arg(long, value_enum, global = true)]
    pub(crate) theme: Option<ThemeName>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// The interface on a simulated bench, to learn and to try
    Demo(Demo),
    /// Every drive of this machine, with the guard's verdict
    Drives(Table),
    /// One drive: identity, contents, ways to sanitize it
    Look(Look),
    /// The library of methods, or one of them
    Methods(Methods),
    /// Plan, check, erase, verify, and write record and certificate
    Erase(Box<Erase>),
    /// Write the files of a past job again
    Certificate(Certificate),
    #[command(hide = true)]
    Plan(Later),
    #[command(hide = true)]
    Prove(Later),
    #[command(hide = true)]
    Residue(Later),
    #[command(hide = true)]
    Ledger(Later),
    #[command(hide = true)]
    Check(Later),
}

/// A command of the contract that is still to come: it takes anything and says so.
#[derive(Debug, Args)]
#[command(disable_help_flag = true)]
pub(crate) struct Later {
    #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
    pub(crate) rest: Vec<String>,
}

#[derive(Debug, Args)]
pub(crate) struct Table {
    /// One JSON document instead of a table
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// No screen: erase every drive that the guard lets through, and write every certificate
    #[arg(long, requires = "out")]
    pub(crate) unattended: bool,
    /// Folder for records and certificates (in the interface: jurex-certificates, if not given)
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct Look {
    /// A block device, an image file, or sim:BAY
    pub(crate) drive: String,
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// Read in a long-short rhythm for so many seconds, so that the drive's light can be found; nothing is written
    #[arg(long, value_name = "SECONDS", conflicts_with = "json", value_parser = clap::value_parser!(u64).range(1..=3600))]
    pub(crate) beacon: Option<u64>,
}

#[derive(Debug, Args)]
pub(crate) struct Methods {
    /// Name of a method
    pub(crate) name: Option<String>,
    /// One JSON document instead of a table
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Verify {
    /// Every sector of the last pass, and of each pass marked with `?`
    Full,
    #[value(hide = true)]
    Sampled,
    /// Nothing: the outcome stays unproved
    None,
}

#[derive(Debug, Args)]
pub(crate) struct Erase {
    /// A block device, an image file, or sim:BAY
    pub(crate) drive: String,
    /// A method of the library (see `jurex methods`)
    #[arg(long, value_name = "NAME", conflicts_with_all = ["passes", "way"])]
    pub(crate) method: Option<String>,
    /// Passes of your own, for example '00 | ~ | random?'
    #[arg(long, value_name = "NOTATION", conflicts_with = "way")]
    pub(crate) passes: Option<String>,
    #[arg(long, hide = true, value_name = "NAME")]
    pub(crate) way: Option<String>,
    /// The last six characters of the drive's serial number, read from the drive itself; of a drive or image without
    /// one, its exact number of sectors
    #[arg(long, value_name = "TEXT")]
    pub(crate) label_check: String,
    /// Folder for the record and the certificate
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
    /// What is read back and compared
    #[arg(long, value_enum, default_value = "full")]
    pub(crate) verify: Verify,
    /// First sector of a range (a range never sanitizes the drive)
    #[arg(long, value_name = "LBA", requires = "to")]
    pub(crate) from: Option<u64>,
    /// Last sector of a range
    #[arg(long, value_name = "LBA", requires = "from")]
    pub(crate) to: Option<u64>,
    /// How often a failing sector is tried again
    #[arg(long, value_name = "N", default_value_t = jurex_core::plan::Order::RETRIES, value_parser = clap::value_parser!(u32).range(0..=100))]
    pub(crate) retries: u32,
    #[arg(long, hide = true)]
    pub(crate) resume: bool,
    /// One JSON event a line
    #[arg(long)]
    pub(crate) json: bool,
    /// No progress lines
    #[arg(long)]
    pub(crate) quiet: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Certificate {
    /// Name of the job, as 261123-4F7QZK
    pub(crate) job: String,
    /// Folder for the files
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn help_lists_what_is_built_and_nothing_else() {
        Arguments::command().debug_assert();
        let help = Arguments::command().render_long_help().to_string();
        let listed = |name: &str| help.lines().any(|l| l.trim_start().starts_with(&format!("{name} ")));
        assert!(["demo", "drives", "look", "methods", "erase", "certificate"].iter().all(|n| listed(n)));
        assert!(["plan", "prove", "residue", "ledger", "check"].iter().all(|n| !listed(n)));
        let erase = Arguments::command().find_subcommand_mut("erase").unwrap().render_long_help().to_string();
        assert!(!["--way", "--resume", "sampled"].iter().any(|n| erase.contains(n)), "{erase}");
    }
}
