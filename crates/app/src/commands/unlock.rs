//! `jurex unlock`: takes the password away that a broken-off SECURITY ERASE UNIT has left.

use super::say;
use crate::cli::Unlock;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use std::process::ExitCode;

pub(crate) fn run(asked: &Unlock) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    say(&seen.unlock()?);
    Ok(ExitCode::SUCCESS)
}
