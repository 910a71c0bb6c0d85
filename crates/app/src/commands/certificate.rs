//! `jurex certificate JOB`: the files of a past job, from the ledger.

use super::{say, signing_key};
use crate::cli::Certificate;
use crate::config::Config;
use crate::exit::Failure;
use crate::files::{self, FileError};
use crate::places::Places;
use jurex_core::record::{JobId, Record};
use jurex_ledger::{Ledger, LedgerError};
use std::process::ExitCode;

pub(crate) fn run(wanted: &Certificate) -> Result<ExitCode, Failure> {
    let job: JobId = wanted.job.parse().map_err(|e: jurex_core::record::BadJobId| Failure::Use(e.to_string()))?;
    let places = Places::find()?;
    let record = find(&places, &job)?;
    if let Some(said) = record.other_rules() {
        super::remark(&format!("jurex: {said}"));
    }
    let config = Config::read(&places.config_file())?;
    let key = if record.evidence().drive().simulated { None } else { signing_key(&places, &config) };
    let written = files::write_all(&wanted.out, &record, key.as_ref()).map_err(|e| file_failure(&e, &job))?;
    written.iter().for_each(|path| say(&path.display().to_string()));
    Ok(ExitCode::SUCCESS)
}

fn file_failure(e: &FileError, job: &JobId) -> Failure {
    match e {
        FileError::Certificate(_) => Failure::Defect(e.to_string()),
        _ => Failure::Use(format!("{e}. The record of job {job} is safe in the ledger")),
    }
}

/// The job's record from the ledger of real work, else from the demonstration's.
fn find(places: &Places, job: &JobId) -> Result<Record, Failure> {
    let ledger = places.ledger();
    let demo = places.demo_ledger();
    let mut missing = None;
    for path in [ledger.clone(), demo].into_iter().filter(|p| p.exists()) {
        match Ledger::open_to_read(&path)?.record(job) {
            Err(e @ LedgerError::NoJob { .. }) => missing = missing.or(Some(e)),
            found => return Ok(found?),
        }
    }
    Err(missing.unwrap_or(LedgerError::NoJob { job: job.clone(), path: ledger.display().to_string() }).into())
}
