//! `jurex certificate JOB` or `--lot LOT`: the files of past work, from the ledger.

use super::{lot, say, seal};
use crate::cli::Certificate;
use jurex_ledger::Ledger;
use jurex_past::PastError;
use jurex_sanitize::record::{JobId, Record};
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::files::{self, FileError, Issue};
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(wanted: &Certificate) -> Result<ExitCode, Failure> {
    if let Some(lot) = &wanted.lot {
        return of_lot(lot, &wanted.out, wanted.demo);
    }
    let job: JobId = wanted
        .job
        .as_deref()
        .unwrap_or_default()
        .parse()
        .map_err(|e: jurex_sanitize::record::BadJobId| Failure::Use(e.to_string()))?;
    let places = AppPaths::find()?;
    let record = find(&places, &job)?;
    if let Some(said) = record.other_rules() {
        super::remark(&format!("jurex: {said}"));
    }
    let config = Config::read(&places.config_file())?;
    let simulated = record.evidence().drive().simulated;
    let seal = seal(&places, &config, jurex_station::paper::house(&places)?, simulated);
    let ledger = places.ledger_for(simulated);
    // What the check finds altered is not printed over.
    Ledger::open_to_read(&ledger)?.verifications(&job)?;
    let issue = Issue { seal: &seal, print: seal.print(&ledger, &record) };
    let written = files::write_all(&wanted.out, &record, &issue).map_err(|e| file_failure(&e, &job))?;
    written.iter().for_each(|path| say(&path.display().to_string()));
    Ok(ExitCode::SUCCESS)
}

/// The papers of a whole lot: PDF, CSV, and JSON, signed where there is a key.
fn of_lot(name: &str, out: &Path, demo: bool) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = if demo { Config::demo() } else { Config::read(&places.config_file())? };
    let seal = seal(&places, &config, jurex_station::paper::house(&places)?, demo);
    let statement = lot::statement(name, &places, &config, demo)?;
    let tally = statement.tally();
    let written =
        files::write_lot(out, &statement, &seal).map_err(|e| Failure::Use(format!("{e}. The lot is safe in the ledger")))?;
    say(&format!("Lot {}: {}.", jurex_pattern::text::printable(name.as_bytes()), tally.sentence()));
    written.iter().for_each(|path| say(&path.display().to_string()));
    Ok(if tally.is_complete() { ExitCode::SUCCESS } else { ExitCode::from(3) })
}

fn file_failure(e: &FileError, job: &JobId) -> Failure {
    match e {
        FileError::Certificate(_) => Failure::Defect(e.to_string()),
        _ => Failure::Use(format!("{e}. The record of job {job} is safe in the ledger")),
    }
}

/// The job's record from the ledger of real work, else from the demonstration's.
fn find(places: &AppPaths, job: &JobId) -> Result<Record, Failure> {
    let ledger = places.ledger();
    let demo = places.demo_ledger();
    let mut missing = None;
    for path in [ledger.clone(), demo].into_iter().filter(|p| p.exists()) {
        match Ledger::open_to_read(&path)?.record(job) {
            Err(e @ PastError::NoJob { .. }) => missing = missing.or(Some(e)),
            found => return Ok(found?),
        }
    }
    Err(missing.unwrap_or(PastError::NoJob { job: job.clone(), path: ledger.display().to_string() }).into())
}
