//! What is read of a drive beside its job, as somebody follows it who may end it at any time: a second proof, whether it is still as a job
//! has left it, a search for residual data.

use crate::bench::DriveSnapshot;
use crate::files;
use crate::readings::{self, NowAndThen};
use jurex_disposition::proof::{ExpectedContents, ReadingProgress, VerificationRecord};
use jurex_engine::{Control, JobControl};
use jurex_ledger::Ledger;
use jurex_pattern::units::{Lba, grouped};
use jurex_sanitize::record::{JobId, Person, Record};
use jurex_sanitize::residue::{Residue, SearchProgress};
use jurex_sign::PrivateKey;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// One reading.
#[derive(Debug, Default)]
pub enum LaneReading<T> {
    /// Nobody has asked for it.
    #[default]
    NotAsked,
    /// It is under way: so much of it is done, from 0.0 to 1.0.
    Going(f64),
    /// It is over.
    Over(Box<T>),
    /// It could not be done.
    Failed(String),
}

/// A second proof.
#[derive(Debug)]
pub struct Again {
    pub verification: VerificationRecord,
    /// What it found, in sentences.
    pub said: Vec<String>,
    /// Where its record was written.
    pub written: Result<PathBuf, String>,
}

impl Again {
    pub fn new(verification: VerificationRecord, written: Result<PathBuf, String>) -> Self {
        Self { said: verification.sentences(), verification, written }
    }
}

/// What is wanted.
#[derive(Debug)]
pub enum WantedReading {
    /// What the job of that record has left, once more: a new sample, or (true) every sector.
    Again(Box<Record>, bool),
    /// A search for what a person could still use.
    Left,
    /// Whether the drive is still as this job, whose mark it carries, has left it.
    AsLeft(JobId),
    /// That the reading ends.
    End,
}

/// What is told of one.
#[derive(Debug)]
pub enum ReadingEvent {
    /// So much of it is done, from 0.0 to 1.0.
    On(f64),
    /// So much of a search is done, with so many finds.
    Searching(f64, u64),
    /// The job's proof was read again.
    Again(Result<Box<Again>, String>),
    /// The sample of a marked drive was read.
    AsLeft(Result<Box<VerificationRecord>, String>),
    /// A search for leftovers is over.
    Left(Result<Box<Residue>, String>),
}

/// All of a drive.
#[derive(Debug, Default)]
pub struct Readings {
    /// The job's proof, read again.
    pub again: LaneReading<Again>,
    /// Whether it is still as the job has left it whose mark it carries.
    pub as_left: LaneReading<VerificationRecord>,
    /// What is left on it.
    pub left: LaneReading<Residue>,
    /// Finds of the search that goes on.
    pub finds_so_far: u64,
    /// What a search found before the job, in a few words.
    pub left_before: Option<String>,
    /// The find whose bytes are looked at next.
    next_find: usize,
}

impl Readings {
    /// Whether one is under way.
    pub fn is_going(&self) -> bool {
        let going = [matches!(self.again, LaneReading::Going(_)), matches!(self.left, LaneReading::Going(_))];
        going.contains(&true) || matches!(self.as_left, LaneReading::Going(_))
    }

    /// Every find of the last search that has a place: what it is, and where.
    pub fn finds(&self) -> impl Iterator<Item = (&str, Lba)> {
        let residue = if let LaneReading::Over(residue) = &self.left { Some(residue) } else { None };
        residue.into_iter().flat_map(|r| &r.finds).flat_map(|f| f.places.iter().map(|at| (f.name.as_str(), *at)))
    }

    /// The find to look at now, with its number and how many there are; the next one each time, round and round.
    pub fn see_next(&mut self) -> Option<(String, Lba)> {
        let all = self.finds().count();
        let n = self.next_find % all.max(1);
        let (what, at) = self.finds().nth(n)?;
        let said = format!("{what}, {} of {all}: sector {}.", n + 1, grouped(at.0));
        self.next_find = n + 1;
        Some((said, at))
    }

    /// Takes what is told. Of a reading that nobody waits for any more nothing is.
    pub fn hear(&mut self, heard: ReadingEvent) {
        if let (ReadingEvent::AsLeft(_) | ReadingEvent::On(_), LaneReading::Going(done)) = (&heard, &mut self.as_left) {
            match heard {
                ReadingEvent::On(share) => *done = share,
                ReadingEvent::AsLeft(read) => self.as_left = read.map_or_else(LaneReading::Failed, LaneReading::Over),
                _ => {}
            }
            return;
        }
        match (heard, &mut self.again, &mut self.left) {
            (ReadingEvent::On(share), LaneReading::Going(done), _) => *done = share,
            (ReadingEvent::Searching(share, finds), _, LaneReading::Going(done)) => (*done, self.finds_so_far) = (share, finds),
            (ReadingEvent::Again(again), LaneReading::Going(_), _) => {
                self.again = again.map_or_else(LaneReading::Failed, LaneReading::Over);
            }
            (ReadingEvent::Left(left), _, LaneReading::Going(_)) => {
                self.left = left.map_or_else(LaneReading::Failed, LaneReading::Over);
                self.next_find = 0;
            }
            _ => {}
        }
    }

    /// A job begins: what was found is what was there before.
    pub fn job_begins(&mut self) {
        if let LaneReading::Over(residue) = std::mem::take(&mut self.left) {
            self.left_before = Some(residue.summary());
        }
        (self.again, self.as_left) = (LaneReading::NotAsked, LaneReading::NotAsked);
    }
}

/// Hears how far a reading is, from 0.0 to 1.0.
type ReadingTell<'t> = &'t dyn Fn(f64);

/// Reads what that job has left once more, a new sample or all of it, and writes the verification record beside its papers.
pub fn read_again(
    seen: &DriveSnapshot,
    record: &Record,
    all: bool,
    by: Person,
    out: &Path,
    key: Option<&PrivateKey>,
    (wanted, tell): (Arc<AtomicBool>, ReadingTell<'_>),
) -> Result<Again, String> {
    let expected = ExpectedContents::by_record(record).map_err(|e| format!("It can't be verified again: {e}."))?;
    let sampling = (!all).then(readings::new_sample);
    let mut now_and_then = NowAndThen::default();
    let mut tell = |progress: ReadingProgress| now_and_then.tell(|| tell(progress.share()));
    let mut control = WhileWanted(wanted);
    let proved = readings::prove(seen, Some(record), (expected, sampling), by, &mut control, &mut tell);
    let verification = proved.map_err(|e| format!("{e}."))?;
    let written = files::write_verification(out, record.job.as_str(), &verification.to_json(), key);
    let written = written.map(|mut paths| paths.swap_remove(0));
    Ok(Again::new(verification, written.map_err(|e| e.to_string())))
}

/// Reads a sample of a marked drive, and compares it with what the ledger's record of that job says.
pub fn as_left(
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
    let mut now_and_then = NowAndThen::default();
    let mut tell = |progress: ReadingProgress| now_and_then.tell(|| tell(progress.share()));
    let verification = readings::still_as_left(seen, &record, by, &mut WhileWanted(wanted), &mut tell);
    verification.map_err(|e| format!("{e}."))
}

/// Notes the check in the ledger; if that does not take it, what a person is to know of that.
pub fn not_noted(ledger: &Path, verification: &VerificationRecord) -> Option<String> {
    let refused = readings::note_in_ledger(ledger, verification).err()?;
    Some(format!(
        "The ledger does not take this check ({refused}): it stands for itself, and no second check that is due is done by it."
    ))
}

/// Searches all of the drive for leftovers.
pub fn search_left(seen: &DriveSnapshot, wanted: Arc<AtomicBool>, tell: &dyn Fn(SearchProgress)) -> Result<Residue, String> {
    let mut now_and_then = NowAndThen::default();
    let mut told = |so_far: SearchProgress| now_and_then.tell(|| tell(so_far));
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
