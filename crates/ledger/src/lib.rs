//! The ledger: jobs, their events as they happen, and their records, in one SQLite file.
//!
//! What does not live here: any judgement. A record's claim is judged again by jurex-sanitize whenever it is read, so that
//! an altered ledger cannot claim more than its evidence. Records are added, never changed: the newest one counts.
//!
//! ```
//! use jurex_ledger::Ledger;
//! use jurex_past::PastWork;
//!
//! let folder = tempfile::tempdir()?;
//! let ledger = Ledger::open(&folder.path().join("ledger.sqlite3"))?;
//! let past: &dyn PastWork = &ledger;
//! assert!(past.find("lot:BW-0417", None, 10)?.is_empty());
//! assert_eq!(past.head()?.size, 0);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
#![forbid(unsafe_code)]

mod backup;
mod chain;
mod check;
mod format;
mod index;
mod lots;
mod past;
mod proof;
mod releases;
mod unfinished;
mod upgrade;

pub use check::Checked;
pub use unfinished::UnfinishedJob;

use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_disposition::proof::{Finding, VerificationRecord};
use jurex_engine::Event;
use jurex_past::{Leaf, PastError, StoreTrouble};
use jurex_sanitize::record::{BadRecord, JobId, Record};
use rusqlite::{Connection, ErrorCode, OpenFlags, OptionalExtension, params};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// An open ledger. Every worker opens its own; SQLite lets them take turns.
#[derive(Debug)]
pub struct Ledger {
    connection: Connection,
    path: PathBuf,
    /// The file's format: an older one where it can only be read.
    format: i64,
}

/// How long a writer waits for its turn. Two dozen jobs that end together on a slow disk need many a second of it, and what
/// is not written is lost.
const PATIENCE: Duration = Duration::from_secs(90);

fn trouble(code: Option<ErrorCode>) -> StoreTrouble {
    match code {
        Some(ErrorCode::DiskFull) => StoreTrouble::Full,
        Some(ErrorCode::ReadOnly | ErrorCode::PermissionDenied | ErrorCode::CannotOpen) => StoreTrouble::Unwritable,
        Some(ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt) => StoreTrouble::Damaged,
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => StoreTrouble::Busy,
        _ => StoreTrouble::Other,
    }
}

impl Ledger {
    /// Opens the ledger at `path`, making it and its folder if they are not there.
    ///
    /// # Errors
    /// No folder, no rights, a full disk, a damaged file, or one made by a newer version.
    pub fn open(path: &Path) -> Result<Self, PastError> {
        if let Some(folder) = path.parent() {
            let failed = |cause| PastError::Folder { path: folder.display().to_string(), cause };
            std::fs::DirBuilder::new().recursive(true).mode(0o700).create(folder).map_err(failed)?;
        }
        make_private(path);
        let path = path.to_path_buf();
        let connection = Connection::open(&path).map_err(|e| sql(&path, e))?;
        let mut ledger = Self { connection, path, format: format::KNOWN };
        ledger.prepare_patiently()?;
        ledger.cut_log();
        Ok(ledger)
    }

    /// Opens the ledger at `path` for reading only, also where nothing may be written.
    ///
    /// # Errors
    /// No ledger there, no rights, a damaged file, or one made by a newer version.
    pub fn open_to_read(path: &Path) -> Result<Self, PastError> {
        let failed = |e| sql(path, e);
        let open = |name: String, flags: OpenFlags| -> rusqlite::Result<(Connection, i64)> {
            let connection = Connection::open_with_flags(name, OpenFlags::SQLITE_OPEN_READ_ONLY | flags)?;
            connection.busy_timeout(PATIENCE)?;
            let found = connection.query_row("PRAGMA user_version", [], |row| row.get(0))?;
            Ok((connection, found))
        };
        let plain = path.display().to_string();
        // Where not even the log's index may be made, the file is read as one that nobody changes.
        let (connection, found) = open(plain.clone(), OpenFlags::empty())
            .or_else(|e| {
                let escaped = plain.replace('%', "%25").replace('?', "%3f").replace('#', "%23");
                let name = format!("file:{escaped}?immutable=1");
                open(name, OpenFlags::SQLITE_OPEN_URI).map_err(|_| e)
            })
            .map_err(failed)?;
        let known = format::KNOWN;
        if found > known {
            return Err(PastError::TooNew { path: plain, found, known });
        }
        Ok(Self { connection, path: path.to_path_buf(), format: found })
    }

    /// Several processes that make a new ledger at once get in each other's way for a moment; SQLite's own patience does
    /// not cover the change of its journal.
    fn prepare_patiently(&mut self) -> Result<(), PastError> {
        const TRIES: u32 = 100;
        for _ in 0..TRIES {
            match self.prepare() {
                Err(PastError::Store { trouble: StoreTrouble::Busy, .. }) => std::thread::sleep(Duration::from_millis(50)),
                done => return done,
            }
        }
        self.prepare()
    }

    /// Cuts the write-ahead log to nothing, so that no wiped seed stays in it. Another reader may keep it from being cut
    /// now; then it is tried again, and once more by whoever opens the ledger next.
    fn cut_log(&self) {
        // Nobody waits here for a reader that takes its time: a job that has ended is told so at once.
        let _ = self.connection.busy_timeout(Duration::from_millis(5));
        self.try_to_cut_log();
        let _ = self.connection.busy_timeout(PATIENCE);
    }

    fn try_to_cut_log(&self) {
        for _ in 0..5 {
            let refused = self.connection.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |row| row.get::<_, i64>(0));
            if refused == Ok(0) {
                return;
            }
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    fn prepare(&mut self) -> Result<(), PastError> {
        let path = self.path.clone();
        let run = || -> rusqlite::Result<i64> {
            self.connection.busy_timeout(PATIENCE)?;
            self.connection.pragma_update(None, "journal_mode", journal_for(file_system(&path)))?;
            // An event that was told must survive a power cut.
            self.connection.pragma_update(None, "synchronous", "full")?;
            self.connection.pragma_update(None, "foreign_keys", true)?;
            // A checkpoint holds seeds: once it is not needed they are wiped, not only unlinked.
            self.connection.pragma_update(None, "secure_delete", true)?;
            self.connection.query_row("PRAGMA user_version", [], |row| row.get(0))
        };
        let known = format::KNOWN;
        let found = run().map_err(|e| sql(&path, e))?;
        if found > known {
            return Err(PastError::TooNew { path: path.display().to_string(), found, known });
        }
        self.migrate().map_err(|e| sql(&path, e))
    }

    fn migrate(&mut self) -> rusqlite::Result<()> {
        let change = self.connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?;
        upgrade::bring_up_to_date(&change)?;
        change.commit()
    }

    fn sql(&self, cause: rusqlite::Error) -> PastError {
        sql(&self.path, cause)
    }

    /// Notes that a job begins.
    ///
    /// # Errors
    /// [`PastError::Exists`] if the name is taken.
    pub fn begin(&self, job: &JobId, drive: &Drive, started: Timestamp) -> Result<(), PastError> {
        let (drive, serial, started) = (drive.called(), drive.unit.serial.clone(), started.to_string());
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            put_job(&change, job.as_str(), &drive, serial.clone(), &started)?;
            change.commit()
        };
        match run() {
            Ok(_) => Ok(()),
            Err(e) if e.sqlite_error_code() == Some(ErrorCode::ConstraintViolation) => Err(PastError::Exists(job.clone())),
            Err(e) => Err(self.sql(e)),
        }
    }

    /// Adds many jobs with their records in one change, as a test or a measurement needs them.
    ///
    /// # Errors
    /// A full disk, no rights, a name that is taken.
    #[cfg(feature = "testing")]
    pub fn add_many(&self, records: impl Iterator<Item = Record>) -> Result<(), PastError> {
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            for record in records {
                let (job, drive) = (record.job.as_str(), record.evidence().drive());
                put_job(&change, job, &drive.called(), drive.unit.serial.clone(), &record.started.to_string())?;
                add(&change, &record, record.ended)?;
            }
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Notes an event of a job. Mere progress is not kept.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn tell(&self, job: &JobId, event: &Event, time: Timestamp) -> Result<(), PastError> {
        if matches!(event, Event::Advanced { .. } | Event::Searching { .. }) {
            return Ok(());
        }
        let json = serde_json::to_string(event).expect("an event holds only strings, numbers and lists");
        let insert = "INSERT INTO event (job, number, time, json)
            SELECT ?1, 1 + coalesce(max(number), 0), ?2, ?3 FROM event WHERE job = ?1";
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            change.prepare_cached(insert)?.execute(params![job.as_str(), time.to_string(), json])?;
            chain::note_uncovered(&change, job.as_str())?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Ends a job: adds its record and, unless it can go on, wipes what it would have needed for that, both or neither.
    /// Whatever fails, what is needed to make the record again stays.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn finish(&self, record: &Record, made: Timestamp) -> Result<(), PastError> {
        let goes_on = record.evidence().ended.can_go_on();
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            add(&change, record, made)?;
            if !goes_on {
                change.execute("DELETE FROM unfinished WHERE job = ?1", [record.job.as_str()])?;
            }
            change.commit()
        };
        run().map_err(|e| self.sql(e))?;
        if !goes_on {
            self.cut_log();
        }
        Ok(())
    }

    /// Adds the record of a job, beside any earlier one.
    ///
    /// # Errors
    /// A full disk, no rights, or a job that was never begun here.
    pub fn add_record(&self, record: &Record, made: Timestamp) -> Result<(), PastError> {
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            add(&change, record, made)?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// The newest record of a job, judged again.
    ///
    /// # Errors
    /// No such job, one that never ended, or a record that does not hold.
    pub fn record(&self, job: &JobId) -> Result<Record, PastError> {
        match self.newest_text(job)? {
            Some((json, leaf)) => {
                self.check_as_written(job, &json, leaf)?;
                let record =
                    Record::from_json(&json).and_then(|r| if r.job == *job { Ok(r) } else { Err(BadRecord::OtherJob(r.job)) });
                record.map_err(|cause| PastError::Record { job: job.clone(), cause })
            }
            None => Err(self.why_no_record(job)?),
        }
    }

    /// The text of a job's newest record, and the number of its leaf.
    pub(crate) fn newest_text(&self, job: &JobId) -> Result<Option<(String, Option<i64>)>, PastError> {
        let leaf = if self.format < format::WITH_INDEX { "NULL" } else { "leaf" };
        let newest = format!("SELECT json, {leaf} FROM record WHERE job = ?1 ORDER BY number DESC LIMIT 1");
        let run = || -> rusqlite::Result<_> {
            self.connection.prepare_cached(&newest)?.query_row([job.as_str()], |row| Ok((row.get(0)?, row.get(1)?))).optional()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Whether a record's text is the one that was written.
    fn check_as_written(&self, job: &JobId, json: &str, leaf: Option<i64>) -> Result<(), PastError> {
        if self.format < format::WITH_INDEX {
            return Ok(());
        }
        let run = || -> rusqlite::Result<Option<String>> {
            self.connection
                .prepare_cached("SELECT json FROM leaf WHERE number = ?1")?
                .query_row([leaf], |row| row.get(0))
                .optional()
        };
        let written = run().map_err(|e| self.sql(e))?.and_then(|leaf| serde_json::from_str::<Leaf>(&leaf).ok());
        match written {
            Some(Leaf::Record { job: of, record, .. }) if of == job.as_str() && record == chain::digest(json) => Ok(()),
            _ => Err(PastError::Altered(job.clone())),
        }
    }

    fn why_no_record(&self, job: &JobId) -> Result<PastError, PastError> {
        let begun: Option<(String, String)> = self
            .connection
            .query_row("SELECT drive, started FROM job WHERE name = ?1", [job.as_str()], |row| Ok((row.get(0)?, row.get(1)?)))
            .optional()
            .map_err(|e| self.sql(e))?;
        Ok(match begun {
            Some((drive, started)) => PastError::NeverEnded { job: job.clone(), drive, started },
            None => PastError::NoJob { job: job.clone(), path: self.path.display().to_string() },
        })
    }

    /// Adds the record of a second check of what a job has left. Of a job that is not of this ledger nothing is kept.
    ///
    /// # Errors
    /// It is not of what the ledger's own record of that job says; a full disk, no rights.
    pub fn add_verification(&self, job: &JobId, verification: &VerificationRecord, made: Timestamp) -> Result<(), PastError> {
        match self.record(job) {
            // Somebody else's record of it may say anything: this ledger's own is what is checked.
            Ok(record) => verification.has_standing(&record).map_err(|why| PastError::NoStanding { job: job.clone(), why })?,
            Err(PastError::NoJob { .. }) => return Ok(()),
            Err(e) => return Err(e),
        }
        let (confirmed, made, json) = (verification.finding() == Finding::Confirmed, made.to_string(), verification.to_json());
        let insert = "INSERT INTO verification (job, made, confirmed, json)
            SELECT ?1, ?2, ?3, ?4 WHERE EXISTS (SELECT 1 FROM job WHERE name = ?1)";
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            if change.execute(insert, params![job.as_str(), made, confirmed, json])? > 0 {
                chain::append(&change, &chain::of_verification(job.as_str(), &made, &json))?;
            }
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// The stored events of a job as JSON, with their times, in order.
    ///
    /// # Errors
    /// A damaged file.
    pub fn events(&self, job: &JobId) -> Result<Vec<(String, String)>, PastError> {
        let run = || -> rusqlite::Result<Vec<(String, String)>> {
            let mut statement = self.connection.prepare("SELECT time, json FROM event WHERE job = ?1 ORDER BY number")?;
            statement.query_map([job.as_str()], |row| Ok((row.get(0)?, row.get(1)?)))?.collect()
        };
        run().map_err(|e| self.sql(e))
    }
}

/// Adds a job that begins, with its leaf.
fn put_job(
    change: &rusqlite::Transaction<'_>,
    job: &str,
    drive: &str,
    serial: Option<String>,
    started: &str,
) -> rusqlite::Result<()> {
    let mut insert = change.prepare_cached("INSERT INTO job (name, drive, serial, started) VALUES (?1, ?2, ?3, ?4)")?;
    insert.execute(params![job, drive, serial, started])?;
    chain::append(change, &Leaf::JobBegun { job: job.into(), drive: drive.into(), serial, started: started.into() })?;
    index::take(change, job, None)?;
    releases::note_matter_of_job(change, job)
}

/// Adds a record, with its leaf.
fn add(change: &rusqlite::Transaction<'_>, record: &Record, made: Timestamp) -> rusqlite::Result<()> {
    let (job, made, json) = (record.job.as_str(), made.to_string(), record.to_json());
    let leaf = chain::append(change, &chain::of_record(change, job, &made, &json)?)?;
    let mut insert = change.prepare_cached("INSERT INTO record (job, made, json, leaf) VALUES (?1, ?2, ?3, ?4)")?;
    insert.execute(params![job, made, json, leaf])?;
    index::take(change, job, Some(record))?;
    releases::note_matter_of_job(change, job)
}

/// The kind of file system that a file lies on, as the kernel numbers them; `None`: it does not say.
fn file_system(path: &Path) -> Option<u64> {
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    rustix::fs::statfs(folder).ok().map(|s| s.f_type as u64)
}

/// The journal that is safe there. The write-ahead log needs memory that all programs share: over a network there is none, and two
/// machines with one log would spoil the ledger.
fn journal_for(file_system: Option<u64>) -> &'static str {
    /// NFS, SMB (three numbers), 9P, AFS, Ceph, and whatever a program provides (FUSE: it may be a network too).
    const SHARED: [u64; 9] =
        [0x6969, 0x517b, 0xff53_4d42, 0xfe53_4d42, 0x0102_1997, 0x5346_414f, 0x6b41_4653, 0x00c3_6400, 0x6573_5546];
    match file_system {
        Some(kind) if SHARED.contains(&(kind & 0xffff_ffff)) => "delete",
        _ => "wal",
    }
}

/// Makes the file for its owner alone before SQLite does; one that is there already is closed to others. Where that can't
/// be, SQLite says why the file can't be used.
fn make_private(path: &Path) {
    let private = std::fs::Permissions::from_mode(0o600);
    let _ = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(path);
    let _ = std::fs::set_permissions(path, private);
}

fn sql(path: &Path, cause: rusqlite::Error) -> PastError {
    PastError::Store { path: path.display().to_string(), trouble: trouble(cause.sqlite_error_code()), cause: cause.into() }
}

#[cfg(test)]
mod tests;
