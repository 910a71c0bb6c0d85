//! The paper of a job: its fields go to the ledger with the record, and its files to the folder.

use crate::app_paths::AppPaths;
use crate::clock::wall;
use crate::disk;
use crate::exit::Failure;
use crate::files::{self, FileError, Issue};
use crate::signing::Signer;
use jurex_documents::House;
use jurex_ledger::Ledger;
use jurex_past::PastError;
use jurex_pattern::text::shown_path;
use jurex_sanitize::record::{JobId, Record};
use std::path::{Path, PathBuf};

/// Why a paper is not written, or not wholly.
#[derive(Debug, thiserror::Error)]
pub enum PaperError {
    #[error("{0}.")]
    Folder(#[source] FileError),
    #[error("Nothing was written: {0}, and press Enter again. The record of the job is in the ledger.")]
    Signs(String),
    #[error("{source}. The record is in the ledger: make room and press Enter again, or run jurex certificate {job} --out DIR.")]
    Files { job: JobId, source: FileError },
    #[error("{source}. These fields are not in the ledger either ({ledger}): make room and press Enter again.")]
    Nothing { source: FileError, ledger: Box<PastError> },
    #[error("{0}. The files are written, but these fields are not in the ledger.")]
    Ledger(#[source] PastError),
}

/// Adds the record with its papers to the ledger, then writes the files.
///
/// # Errors
/// What is not written, and where the record is.
pub fn write(record: &Record, ledger: &Path, out: &Path, seal: &Signer) -> Result<Vec<PathBuf>, PaperError> {
    if let Some(said) = files::lacking_signs(record.papers()) {
        return Err(PaperError::Signs(said));
    }
    files::check_folder(out).map_err(PaperError::Folder)?;
    let name = files::name_after_going_on(out, &record.job);
    let stored = Ledger::open(ledger).and_then(|l| l.add_record(record, wall()));
    if stored.is_ok() {
        seal.close(ledger);
    }
    let issue = Issue { seal, print: seal.print(ledger, record) };
    match (files::write_as(out, &name, record, &issue), stored) {
        (Ok(written), Ok(_)) => Ok(written),
        (Ok(_), Err(ledger)) => Err(PaperError::Ledger(ledger)),
        (Err(source), Ok(_)) => Err(PaperError::Files { job: record.job.clone(), source }),
        (Err(source), Err(ledger)) => Err(PaperError::Nothing { source, ledger: Box::new(ledger) }),
    }
}

/// How the organisation's papers look: `certificate.toml` beside the settings, with the files that it names beside it.
pub fn house(places: &AppPaths) -> Result<House, Failure> {
    let file = places.certificate_file();
    let text = match disk::read_small(&file, 1 << 20) {
        Ok(text) => text,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(House::default()),
        Err(e) => return Err(Failure::Use(format!("cannot read {}: {e}", shown_path(&file)))),
    };
    let folder = file.parent().unwrap_or(Path::new(".")).to_path_buf();
    let read = |name: &str| disk::read_bounded(&folder.join(name), 8 << 20);
    House::from_toml(&text, read).map_err(|e| Failure::Use(format!("{} is wrong: {e}", shown_path(&file))))
}
