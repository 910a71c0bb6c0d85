//! `jurex unlock`: takes the password away that a broken-off SECURITY ERASE UNIT has left.

use super::say;
use crate::bench;
use crate::cli::Unlock;
use crate::config::Config;
use crate::exit::Failure;
use crate::places::Places;
use jurex_core::erase::{UnlockError, unlock};
use jurex_core::guard::{Hindrance, Refusal};
use jurex_core::native::ata::erase::PASSWORD;
use std::process::ExitCode;

pub(crate) fn run(asked: &Unlock) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let config = Config::read(&places.config_file())?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let called = seen.drive.called();
    // It erases nothing; but a drive that somebody works on is not touched.
    let in_use = |h: &Hindrance| matches!(h, Hindrance::JobRunning | Hindrance::ErasesItself { .. } | Hindrance::NotListed);
    let hindrances: Vec<Hindrance> = seen.hindrances.iter().filter(|h| in_use(h)).cloned().collect();
    if !hindrances.is_empty() {
        return Err(Failure::Refused(format!("{called} is left as it is: {}", Refusal { hindrances })));
    }
    let mut drive = seen.open()?;
    let Some(port) = drive.medium().port() else {
        return Err(Failure::Refused(format!("{called} has no password: there is no way to a drive's own commands here")));
    };
    match unlock(port) {
        Ok(()) if seen.answers.security_enabled => {
            say(&format!("{called}: the password `{PASSWORD}` is taken away. Nothing was erased."));
            Ok(ExitCode::SUCCESS)
        }
        Ok(()) => {
            say(&format!("{called} has no password."));
            Ok(ExitCode::SUCCESS)
        }
        Err(UnlockError::Drive(why)) => Err(Failure::Refused(format!("{called}: {why}"))),
        Err(UnlockError::Medium(e)) => Err(Failure::Stopped(format!("{called} does not answer ({}). Nothing was erased", e.cause.os()))),
    }
}
