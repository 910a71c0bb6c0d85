//! Readings of a drive beside its job, each on a thread of its own until its flag is down.

use super::FRAME;
use crate::lane::readings::Again;
use jurex_disposition::proof::{ExpectedContents, ReadingProgress, VerificationRecord};
use jurex_engine::{Control, JobControl};
use jurex_ledger::Ledger;
use jurex_sanitize::record::{JobId, Person, Record};
use jurex_sanitize::residue::{Residue, SearchProgress};
use jurex_sign::PrivateKey;
use jurex_station::bench::DriveSnapshot;
use jurex_station::files;
use jurex_station::readings;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Instant;

/// Hears how far a reading is, from 0.0 to 1.0.
type ReadingTell<'t> = &'t (dyn Fn(f64) + Sync);

/// Reads what that job has left once more, a new sample or all of it, and writes the verification record beside its papers.
pub(super) fn read_again(
    seen: &DriveSnapshot,
    record: &Record,
    all: bool,
    by: Person,
    out: &Path,
    key: Option<&PrivateKey>,
    (wanted, tell): (Arc<AtomicBool>, ReadingTell<'_>),
) -> Result<Again, String> {
    let expected = ExpectedContents::by_record(record).map_err(|e| format!("It can't be proved again: {e}."))?;
    let sampling = (!all).then(readings::new_sample);
    let now_and_then = Throttle::default();
    let mut tell = |progress: ReadingProgress| now_and_then.pass(|| tell(progress.done as f64 / progress.of.max(1) as f64));
    let mut control = WhileWanted(wanted);
    let proved = readings::prove(seen, Some(record), (expected, sampling), by, &mut control, &mut tell);
    let verification = proved.map_err(|e| format!("{e}."))?;
    let written = files::write_verification(out, record.job.as_str(), &verification.to_json(), key);
    let written = written.map(|mut paths| paths.swap_remove(0));
    Ok(Again::new(verification, written.map_err(|e| e.to_string())))
}

/// Reads a sample of a marked drive, and compares it with what the ledger's record of that job says.
pub(super) fn as_left(
    seen: &DriveSnapshot,
    job: &JobId,
    ledger: &Path,
    by: Person,
    (wanted, tell): (Arc<AtomicBool>, ReadingTell<'_>),
) -> Result<VerificationRecord, String> {
    let record = if ledger.exists() { Ledger::open_to_read(ledger).ok().and_then(|l| l.record(job).ok()) } else { None };
    let record = record.ok_or_else(|| {
        format!("The ledger here has no record of job {job}: how the drive was left is not known, and it was not read.")
    })?;
    let now_and_then = Throttle::default();
    let mut tell = |progress: ReadingProgress| now_and_then.pass(|| tell(progress.done as f64 / progress.of.max(1) as f64));
    let verification = readings::still_as_left(seen, &record, by, &mut WhileWanted(wanted), &mut tell);
    verification.map_err(|e| format!("{e}."))
}

/// Notes the check in the ledger; if that does not take it, what a person is to know of that.
pub(super) fn not_noted(ledger: &Path, verification: &VerificationRecord) -> Option<String> {
    let refused = readings::note_in_ledger(ledger, verification).err()?;
    Some(format!(
        "The ledger does not take this check ({refused}): it stands for itself, and no second check that is due is done by it."
    ))
}

/// Searches all of the drive for leftovers.
pub(super) fn search_left(
    seen: &DriveSnapshot,
    wanted: Arc<AtomicBool>,
    tell: &dyn Fn(SearchProgress),
) -> Result<Residue, String> {
    let now_and_then = Throttle::default();
    let mut told = |so_far: SearchProgress| now_and_then.pass(|| tell(so_far));
    readings::search_leftovers(seen, false, &mut WhileWanted(wanted), &mut told).map_err(|e| format!("{e}."))
}

/// A reading goes on for as long as its flag is up.
struct WhileWanted(Arc<AtomicBool>);

impl JobControl for WhileWanted {
    fn poll(&mut self) -> Option<Control> {
        (!self.0.load(Ordering::Relaxed)).then_some(Control::Stop)
    }

    fn wait(&mut self) -> Option<Control> {
        self.poll()
    }
}

/// Tells no more often than the screen is drawn.
#[derive(Default)]
struct Throttle(Mutex<Option<Instant>>);

impl Throttle {
    fn pass(&self, tell: impl FnOnce()) {
        let Ok(mut told) = self.0.lock() else { return };
        if told.is_none_or(|told| told.elapsed() > FRAME) {
            *told = Some(Instant::now());
            tell();
        }
    }
}
