//! The paper of a job: its fields go to the ledger with the record, and its files to the folder.

use crate::clock::wall;
use crate::files::{self, FileError};
use crate::signing::{Signing, sign_the_head};
use jurex_core::record::{JobId, Record};
use jurex_ledger::{Ledger, LedgerError};
use std::path::{Path, PathBuf};

/// Why a paper is not written, or not wholly.
#[derive(Debug, thiserror::Error)]
pub(crate) enum PaperError {
    #[error("{0}.")]
    Folder(#[source] FileError),
    #[error("{source}. The record is in the ledger: make room and press Enter again, or run jurex certificate {job} --out DIR.")]
    Files { job: JobId, source: FileError },
    #[error("{source}. These fields are not in the ledger either ({ledger}): make room and press Enter again.")]
    Nothing { source: FileError, ledger: Box<LedgerError> },
    #[error("{0}. The files are written, but these fields are not in the ledger.")]
    Ledger(#[source] LedgerError),
}

/// Adds the record with its papers to the ledger, then writes the files.
///
/// # Errors
/// What is not written, and where the record is.
pub(crate) fn write(record: &Record, ledger: &Path, out: &Path, signing: Option<&Signing>) -> Result<Vec<PathBuf>, PaperError> {
    files::check_folder(out).map_err(PaperError::Folder)?;
    let name = files::name_after_going_on(out, &record.job);
    let stored = Ledger::open(ledger).and_then(|l| l.add_record(record, wall()));
    let (key, unsigned) = signing.map_or((None, None), |signing| signing.key(false));
    key.iter().filter(|_| stored.is_ok()).for_each(|key| sign_the_head(ledger, key));
    if let Some(why) = unsigned {
        tracing::warn!("job {}: {why}", record.job);
    }
    match (files::write_as(out, &name, record, key.as_ref()), stored) {
        (Ok(written), Ok(_)) => Ok(written),
        (Ok(_), Err(ledger)) => Err(PaperError::Ledger(ledger)),
        (Err(source), Ok(_)) => Err(PaperError::Files { job: record.job.clone(), source }),
        (Err(source), Err(ledger)) => Err(PaperError::Nothing { source, ledger: Box::new(ledger) }),
    }
}
