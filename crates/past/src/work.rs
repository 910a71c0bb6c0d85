//! What is asked of the past, and what is added to it, whoever keeps it: a bench's own ledger, or one of many benches.

use crate::tree::Hash;
use crate::{Due, Inclusion, JobLine, KnownDrive, Leaf, LotNow, NotedSubject, PastError, StoredHead, TreeHead};
use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_disposition::lot::Lot;
use jurex_disposition::proof::{SecondCheck, VerificationRecord};
use jurex_disposition::release::{OpenItem, Release};
use jurex_engine::Event;
use jurex_sanitize::record::{JobId, Record};

/// The work that was done before: jobs, drives, lots, second checks, and the tree over all of it. Records are added, never
/// changed, and their claims judged again whenever they are read.
///
/// Nothing here says how it is kept.
pub trait PastWork {
    // Finding jobs.

    /// The newest jobs in which all that is typed appears (nothing typed: of all), so many at most, and only those older than `before`.
    /// Their records are judged again.
    ///
    /// # Errors
    /// A damaged file.
    fn find(&self, typed: &str, before: Option<i64>, most: u32) -> Result<Vec<JobLine>, PastError>;

    /// The jobs of a lot, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    fn of_lot(&self, lot: &str) -> Result<Vec<JobLine>, PastError>;

    /// The jobs on drives of that serial, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    fn of_serial(&self, serial: &str) -> Result<Vec<JobLine>, PastError>;

    /// The newest record of a job, judged again.
    ///
    /// # Errors
    /// No such job, one that never ended, or a record that does not hold.
    fn record(&self, job: &JobId) -> Result<Record, PastError>;

    /// The stored events of a job as JSON, with their times, in order.
    ///
    /// # Errors
    /// A damaged file.
    fn events(&self, job: &JobId) -> Result<Vec<(String, String)>, PastError>;

    // Drives.

    /// All that is known of the drive of that serial; of none without one, of a job in brackets. `None`: nothing is.
    ///
    /// # Errors
    /// A damaged file.
    fn known(&self, name: &str) -> Result<Option<KnownDrive>, PastError>;

    /// The same of the drive that a job was on.
    ///
    /// # Errors
    /// A damaged file.
    fn known_by_job(&self, job: &JobId) -> Result<Option<KnownDrive>, PastError>;

    /// The same of a drive by its serial, or, where it tells none, by a job on it. `None`: nothing is known, or it has neither.
    ///
    /// # Errors
    /// A damaged file.
    fn known_of(&self, serial: Option<&str>, job: Option<&JobId>) -> Result<Option<KnownDrive>, PastError>;

    /// Serials that begin or end so, at most so many.
    ///
    /// # Errors
    /// A damaged file.
    fn serials_like(&self, typed: &str, most: u32) -> Result<Vec<String>, PastError>;

    /// What was noted of the drive of that job, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    fn releases_of(&self, name: &str) -> Result<Vec<Release>, PastError>;

    /// The drives that still need somebody, so many at most of each kind, the longest waiting first; and how many there are.
    ///
    /// # Errors
    /// A damaged file.
    fn open_matters(&self, most: u32) -> Result<Vec<(OpenItem, u64, Vec<KnownDrive>)>, PastError>;

    /// The same of one kind.
    ///
    /// # Errors
    /// A damaged file.
    fn open_of(&self, matter: OpenItem, most: u32) -> Result<(u64, Vec<KnownDrive>), PastError>;

    // Lots.

    /// Every lot, or those that are open; by name.
    ///
    /// # Errors
    /// A damaged file.
    fn lots(&self, only_open: bool) -> Result<Vec<Lot>, PastError>;

    /// The lot of that name.
    ///
    /// # Errors
    /// A damaged file.
    fn lot(&self, name: &str) -> Result<Option<Lot>, PastError>;

    /// A lot with its jobs, and those on its drives since it was opened.
    ///
    /// # Errors
    /// A damaged file.
    fn lot_now(&self, lot: Lot) -> Result<LotNow, PastError>;

    // Second checks.

    /// The jobs whose drives were drawn for a second look, of that lot or of all.
    ///
    /// # Errors
    /// A damaged file.
    fn drawn(&self, lot: Option<&str>) -> Result<Vec<Due>, PastError>;

    /// How many drives of that lot have earned something, and how many of them were drawn for a second look.
    ///
    /// # Errors
    /// A damaged file.
    fn drawn_of_lot(&self, lot: &str) -> Result<(u64, u64), PastError>;

    /// The second checks of a job, the oldest first. What another version has written is left out.
    ///
    /// # Errors
    /// A damaged file, or they are not as they were written.
    fn verifications(&self, job: &JobId) -> Result<Vec<VerificationRecord>, PastError>;

    /// How jobs stand by their second checks, from the texts alone. A job without a readable record is left out.
    ///
    /// # Errors
    /// A damaged file.
    fn second_checks(&self, jobs: &[JobId]) -> Result<Vec<(JobId, SecondCheck)>, PastError>;

    // Adding.

    /// Notes that a job begins.
    ///
    /// # Errors
    /// [`PastError::Exists`] if the name is taken.
    fn begin(&self, job: &JobId, drive: &Drive, started: Timestamp) -> Result<(), PastError>;

    /// Notes an event of a job. Mere progress is not kept.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn tell(&self, job: &JobId, event: &Event, time: Timestamp) -> Result<(), PastError>;

    /// Ends a job: adds its record and, unless it can go on, wipes what it would have needed for that, both or neither.
    /// Whatever fails, what is needed to make the record again stays.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn finish(&self, record: &Record, made: Timestamp) -> Result<(), PastError>;

    /// Adds the record of a job, beside any earlier one.
    ///
    /// # Errors
    /// A full disk, no rights, or a job that was never begun here.
    fn add_record(&self, record: &Record, made: Timestamp) -> Result<(), PastError>;

    /// Adds the record of a second check of what a job has left. Of a job that is not of this ledger nothing is kept.
    ///
    /// # Errors
    /// It is not of what the ledger's own record of that job says; a full disk, no rights.
    fn add_verification(&self, job: &JobId, verification: &VerificationRecord, made: Timestamp) -> Result<(), PastError>;

    /// Keeps a lot as it is now, and what was done to it in a sentence.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn keep_lot(&self, lot: &Lot, said: &str, when: Timestamp) -> Result<(), PastError>;

    /// Notes what became of a drive.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn keep_release(&self, release: &Release) -> Result<(), PastError>;

    /// Notes something that matters beside jobs.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn note(&self, about: NotedSubject, said: &str, of: Option<&str>, when: Timestamp) -> Result<(), PastError>;

    /// Notes the settings by which jobs are worked, if they are others than those that were noted last.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn note_settings(&self, text: &str, when: Timestamp) -> Result<(), PastError>;

    // The tree.

    /// The head of the tree as it is now.
    ///
    /// # Errors
    /// A damaged file.
    fn head(&self) -> Result<TreeHead, PastError>;

    /// The head that the tree had when it had so many leaves, by what is kept of it; `None`: it has fewer, or that is not kept.
    ///
    /// # Errors
    /// A damaged file.
    fn root_at(&self, size: u64) -> Result<Option<Hash>, PastError>;

    /// Whether the ledger follows from a head that was kept of it: its entries then are its first ones now, or it was put back from a copy
    /// in place of that one, or taken as it is by a person, and says so itself.
    ///
    /// # Errors
    /// A damaged file.
    fn follows_from(&self, head: &TreeHead) -> Result<bool, PastError>;

    /// Whether a record was added after the last thing that was noted of a key: after each of those a head is signed.
    ///
    /// # Errors
    /// A damaged file.
    fn has_records_since_a_key(&self) -> Result<bool, PastError>;

    /// Makes entries of the events that no record covers, so that the next head covers them too: of jobs that have none, that work still, or
    /// to which something was noted afterwards.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn cover_events(&self, when: Timestamp) -> Result<(), PastError>;

    /// Notes that a person takes the ledger as it is, though it does not follow from a head that was kept of it.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn note_taken(&self, instead_of: &TreeHead, when: Timestamp) -> Result<(), PastError>;

    /// Everything beside jobs that was noted, the oldest first: about what, when, and what.
    ///
    /// # Errors
    /// A damaged file.
    fn noted(&self) -> Result<Vec<Leaf>, PastError>;

    /// Keeps a head with the note in which it was signed.
    ///
    /// # Errors
    /// A full disk, no rights.
    fn keep_head(&self, head: &TreeHead, note: &str) -> Result<(), PastError>;

    /// Every head that was kept, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    fn heads(&self) -> Result<Vec<StoredHead>, PastError>;

    /// The newest head that was signed.
    ///
    /// # Errors
    /// A damaged file.
    fn newest_head(&self) -> Result<Option<StoredHead>, PastError>;

    /// What proves that a job's newest record stands in the ledger: by the newest signed head that covers it. `None`: no head was
    /// signed since it was written.
    ///
    /// # Errors
    /// A damaged file.
    fn inclusion(&self, job: &JobId) -> Result<Option<Inclusion>, PastError>;
}
