//! The ledger: jobs, their events as they happen, and their records, in one SQLite file.
//!
//! What does not live here: any judgement. A record's claim is judged again by jurex-core whenever it is read, so that
//! an altered ledger cannot claim more than its evidence. Records are added, never changed: the newest one counts.
#![forbid(unsafe_code)]

mod chain;
mod tree;

pub use chain::{Checked, Head, KeptHead, Leaf};
pub use tree::Hash;

use jiff::Timestamp;
use jurex_core::contents::Contents;
use jurex_core::erase::{Checkpoint, Event};
use jurex_core::media::Drive;
use jurex_core::proof::{Finding, VerificationRecord};
use jurex_core::record::{BadRecord, JobId, Papers, Record, SecondLook};
use rusqlite::{Connection, ErrorCode, OpenFlags, OptionalExtension, params};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// An open ledger. Every worker opens its own; SQLite lets them take turns.
#[derive(Debug)]
pub struct Ledger {
    connection: Connection,
    path: PathBuf,
}

/// Why the ledger could not do something.
#[derive(Debug, thiserror::Error)]
pub enum LedgerError {
    /// The folder can't be made.
    #[error("cannot make the folder of the ledger, {path}: {cause}")]
    Folder {
        /// The folder.
        path: String,
        /// The system's words.
        cause: std::io::Error,
    },
    /// SQLite says no.
    #[error("the ledger {path} {}: {cause}", .cause.sqlite_error_code().map_or("failed", why))]
    Sql {
        /// The ledger's file.
        path: String,
        /// SQLite's words.
        cause: rusqlite::Error,
    },
    /// Made by a newer version.
    #[error("the ledger {path} was made by a newer version of Jurex (its format is {found}, this version knows {known})")]
    TooNew {
        /// The ledger's file.
        path: String,
        /// Its format.
        found: i64,
        /// The newest format known here.
        known: i64,
    },
    /// The same name twice: drawn again by the caller.
    #[error("there is a job {0} already")]
    Exists(JobId),
    /// No such job.
    #[error("there is no job {job} in the ledger {path}")]
    NoJob {
        /// The name asked for.
        job: JobId,
        /// The ledger's file.
        path: String,
    },
    /// The job was begun and never ended.
    #[error(
        "job {job} on {drive} was begun at {started} and never came to an end: it is Not sanitized, and there is no certificate for it"
    )]
    NeverEnded {
        /// The job.
        job: JobId,
        /// Its drive.
        drive: String,
        /// Its beginning.
        started: String,
    },
    /// The place where a job's checkpoints are kept is not there any more.
    #[error("the ledger {path} has no place any more for the checkpoints of job {job}: another job has taken it, or a person")]
    NoPlace {
        /// The job.
        job: JobId,
        /// The ledger's file.
        path: String,
    },
    /// What is stored is not a record, or contradicts itself.
    #[error("the ledger's record of job {job} cannot be used: {cause}")]
    Record {
        /// The job.
        job: JobId,
        /// What is wrong with it.
        cause: BadRecord,
    },
}

/// How long a writer waits for its turn. Two dozen jobs that end together on a slow disk need many a second of it, and what
/// is not written is lost.
const PATIENCE: Duration = Duration::from_secs(90);

fn why(code: ErrorCode) -> &'static str {
    match code {
        ErrorCode::DiskFull => "cannot grow, its disk is full",
        ErrorCode::ReadOnly | ErrorCode::PermissionDenied | ErrorCode::CannotOpen => "cannot be written",
        ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt => "is damaged",
        ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked => "is held by another program",
        _ => "failed",
    }
}

/// A job as the list shows it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// Its name.
    pub job: JobId,
    /// What its drive is called.
    pub drive: String,
    /// When it began, RFC 3339.
    pub started: String,
    /// Whether it came to an end.
    pub ended: bool,
}

/// Steps from one format to the next; the file's `user_version` counts those done.
const MIGRATIONS: [&str; 4] = [
    "
    CREATE TABLE job (
        name TEXT PRIMARY KEY,
        drive TEXT NOT NULL,
        serial TEXT,
        started TEXT NOT NULL
    ) STRICT;
    CREATE TABLE event (
        job TEXT NOT NULL REFERENCES job(name),
        number INTEGER NOT NULL,
        time TEXT NOT NULL,
        json TEXT NOT NULL,
        PRIMARY KEY (job, number)
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE record (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        job TEXT NOT NULL REFERENCES job(name),
        made TEXT NOT NULL,
        json TEXT NOT NULL
    ) STRICT;
    CREATE INDEX record_of_job ON record(job, number);
",
    "
    CREATE TABLE unfinished (
        job TEXT PRIMARY KEY REFERENCES job(name),
        before TEXT NOT NULL,
        papers TEXT NOT NULL,
        kept TEXT,
        checkpoint TEXT
    ) STRICT;
",
    "
    CREATE TABLE verification (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        job TEXT NOT NULL REFERENCES job(name),
        made TEXT NOT NULL,
        confirmed INTEGER NOT NULL,
        json TEXT NOT NULL
    ) STRICT;
",
    "
    CREATE TABLE leaf (
        number INTEGER PRIMARY KEY,
        json TEXT NOT NULL
    ) STRICT;
    CREATE TABLE frontier (
        size INTEGER NOT NULL,
        peaks BLOB NOT NULL
    ) STRICT;
    INSERT INTO frontier (size, peaks) VALUES (0, x'');
    CREATE TABLE head (
        size INTEGER PRIMARY KEY,
        root TEXT NOT NULL,
        note TEXT
    ) STRICT;
",
];

/// The format from which on everything that is written is a leaf of the tree.
const WITH_TREE: i64 = 4;

/// A job whose drive is to be looked at a second time.
#[derive(Clone, Debug)]
pub struct Due {
    /// Its record.
    pub record: Record,
    /// When it was looked at again and confirmed, RFC 3339; `None`: not yet.
    pub confirmed: Option<String>,
}

/// A job that did not come to its end, with all that it needs to go on.
#[derive(Clone, Debug)]
pub struct Unfinished {
    /// Its name.
    pub job: JobId,
    /// When it began.
    pub started: Timestamp,
    /// What was on the drive before.
    pub before: Contents,
    /// What people said of it.
    pub papers: Papers,
    /// When its place was kept last.
    pub kept: Timestamp,
    /// The place.
    pub checkpoint: Checkpoint,
}

impl Ledger {
    /// Opens the ledger at `path`, making it and its folder if they are not there.
    ///
    /// # Errors
    /// No folder, no rights, a full disk, a damaged file, or one made by a newer version.
    pub fn open(path: &Path) -> Result<Self, LedgerError> {
        if let Some(folder) = path.parent() {
            let failed = |cause| LedgerError::Folder { path: folder.display().to_string(), cause };
            std::fs::DirBuilder::new().recursive(true).mode(0o700).create(folder).map_err(failed)?;
        }
        make_private(path);
        let path = path.to_path_buf();
        let connection = Connection::open(&path).map_err(|e| sql(&path, e))?;
        let mut ledger = Self { connection, path };
        ledger.prepare_patiently()?;
        ledger.cut_log();
        Ok(ledger)
    }

    /// Opens the ledger at `path` for reading only, also where nothing may be written.
    ///
    /// # Errors
    /// No ledger there, no rights, a damaged file, or one made by a newer version.
    pub fn open_to_read(path: &Path) -> Result<Self, LedgerError> {
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
        let known = MIGRATIONS.len() as i64;
        if found > known {
            return Err(LedgerError::TooNew { path: plain, found, known });
        }
        Ok(Self { connection, path: path.to_path_buf() })
    }

    /// Several processes that make a new ledger at once get in each other's way for a moment; SQLite's own patience does
    /// not cover the change of its journal.
    fn prepare_patiently(&mut self) -> Result<(), LedgerError> {
        const TRIES: u32 = 100;
        for _ in 0..TRIES {
            match self.prepare() {
                Err(LedgerError::Sql { cause, .. }) if is_busy(&cause) => std::thread::sleep(Duration::from_millis(50)),
                done => return done,
            }
        }
        self.prepare()
    }

    /// Cuts the write-ahead log to nothing, so that no wiped seed stays in it. Another reader may keep it from being cut
    /// now; then it is tried again, and once more by whoever opens the ledger next.
    fn cut_log(&self) {
        for _ in 0..5 {
            let refused = self.connection.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |row| row.get::<_, i64>(0));
            if refused == Ok(0) {
                return;
            }
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    fn prepare(&mut self) -> Result<(), LedgerError> {
        let path = self.path.clone();
        let run = || -> rusqlite::Result<i64> {
            self.connection.busy_timeout(PATIENCE)?;
            self.connection.pragma_update(None, "journal_mode", "wal")?;
            // An event that was told must survive a power cut.
            self.connection.pragma_update(None, "synchronous", "full")?;
            self.connection.pragma_update(None, "foreign_keys", true)?;
            // A checkpoint holds seeds: once it is not needed they are wiped, not only unlinked.
            self.connection.pragma_update(None, "secure_delete", true)?;
            self.connection.query_row("PRAGMA user_version", [], |row| row.get(0))
        };
        let known = MIGRATIONS.len() as i64;
        let found = run().map_err(|e| sql(&path, e))?;
        if found > known {
            return Err(LedgerError::TooNew { path: path.display().to_string(), found, known });
        }
        self.migrate().map_err(|e| sql(&path, e))
    }

    fn migrate(&mut self) -> rusqlite::Result<()> {
        let change = self.connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?;
        let done: i64 = change.query_row("PRAGMA user_version", [], |row| row.get(0))?;
        for step in &MIGRATIONS[(done.max(0) as usize).min(MIGRATIONS.len())..] {
            change.execute_batch(step)?;
        }
        if done < WITH_TREE {
            chain::take_in(&change)?;
        }
        change.pragma_update(None, "user_version", MIGRATIONS.len() as i64)?;
        change.commit()
    }

    fn sql(&self, cause: rusqlite::Error) -> LedgerError {
        sql(&self.path, cause)
    }

    /// Notes that a job begins.
    ///
    /// # Errors
    /// [`LedgerError::Exists`] if the name is taken.
    pub fn begin(&self, job: &JobId, drive: &Drive, started: Timestamp) -> Result<(), LedgerError> {
        let (drive, serial, started) = (drive.called(), drive.unit.serial.clone(), started.to_string());
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            let row = params![job.as_str(), drive, serial, started];
            change.execute("INSERT INTO job (name, drive, serial, started) VALUES (?1, ?2, ?3, ?4)", row)?;
            let (drive, serial, started) = (drive.clone(), serial.clone(), started.clone());
            chain::append(&change, &Leaf::JobBegun { job: job.to_string(), drive, serial, started })?;
            change.commit()
        };
        match run() {
            Ok(_) => Ok(()),
            Err(e) if e.sqlite_error_code() == Some(ErrorCode::ConstraintViolation) => Err(LedgerError::Exists(job.clone())),
            Err(e) => Err(self.sql(e)),
        }
    }

    /// Notes an event of a job. Mere progress is not kept.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn tell(&self, job: &JobId, event: &Event, time: Timestamp) -> Result<(), LedgerError> {
        if matches!(event, Event::Advanced { .. } | Event::Searching { .. }) {
            return Ok(());
        }
        let json = serde_json::to_string(event).expect("an event holds only strings, numbers and lists");
        let insert = "INSERT INTO event (job, number, time, json)
            SELECT ?1, 1 + coalesce(max(number), 0), ?2, ?3 FROM event WHERE job = ?1";
        let mut statement = self.connection.prepare_cached(insert).map_err(|e| self.sql(e))?;
        statement.execute(params![job.as_str(), time.to_string(), json]).map_err(|e| self.sql(e)).map(drop)
    }

    /// Ends a job: adds its record and, unless it can go on, wipes what it would have needed for that, both or neither.
    /// Whatever fails, what is needed to make the record again stays.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn finish(&self, record: &Record, made: Timestamp) -> Result<(), LedgerError> {
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
    pub fn add_record(&self, record: &Record, made: Timestamp) -> Result<(), LedgerError> {
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            add(&change, record, made)?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Notes what a job needs to go on, beside its checkpoints. An earlier unfinished job of the same drive can't go on any
    /// more: this one writes over what it laid. A drive that only looks the same, at another place, keeps its own.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn can_go_on(&self, job: &JobId, drive: &Drive, before: &Contents, papers: &Papers) -> Result<(), LedgerError> {
        let is_this = |u: &Unfinished| {
            let of = u.checkpoint.drive();
            u.checkpoint.may_be_of(drive) && (of.path == drive.path || of.unit.is_surely(&drive.unit))
        };
        for earlier in self.unfinished()?.into_iter().filter(|u| u.job != *job && is_this(u)) {
            self.forget(&earlier.job)?;
        }
        self.wipe_unreadable()?;
        let json = |value: serde_json::Result<String>| value.expect("contents and papers hold only strings, numbers and lists");
        let row = params![job.as_str(), json(serde_json::to_string(before)), json(serde_json::to_string(papers))];
        let insert = "INSERT OR IGNORE INTO unfinished (job, before, papers) VALUES (?1, ?2, ?3)";
        self.connection.execute(insert, row).map_err(|e| self.sql(e)).map(drop)
    }

    /// Keeps what was found on the drive of a job before its first write, in place of what was noted before.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep_contents(&self, job: &JobId, before: &Contents) -> Result<(), LedgerError> {
        let json = serde_json::to_string(before).expect("contents hold only strings, numbers and lists");
        let update = "UPDATE unfinished SET before = ?2 WHERE job = ?1";
        self.connection.execute(update, params![job.as_str(), json]).map_err(|e| self.sql(e)).map(drop)
    }

    /// Keeps the newest checkpoint of a job in place of the one before it.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep(&self, job: &JobId, checkpoint: &Checkpoint, time: Timestamp) -> Result<(), LedgerError> {
        let update = "UPDATE unfinished SET kept = ?2, checkpoint = ?3 WHERE job = ?1";
        let mut statement = self.connection.prepare_cached(update).map_err(|e| self.sql(e))?;
        let row = params![job.as_str(), time.to_string(), checkpoint.to_json()];
        match statement.execute(row).map_err(|e| self.sql(e))? {
            0 => Err(LedgerError::NoPlace { job: job.clone(), path: self.path.display().to_string() }),
            _ => Ok(()),
        }
    }

    /// Wipes checkpoints that no version of this program can go on from any more: they hold seeds.
    fn wipe_unreadable(&self) -> Result<(), LedgerError> {
        let run = || -> rusqlite::Result<Vec<(String, String)>> {
            let mut statement = self.connection.prepare("SELECT job, checkpoint FROM unfinished WHERE checkpoint IS NOT NULL")?;
            statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?.collect()
        };
        let rows = run().map_err(|e| self.sql(e))?;
        for (job, _) in rows.iter().filter(|(_, checkpoint)| Checkpoint::from_json(checkpoint).is_err()) {
            self.forget_row(job)?;
        }
        Ok(())
    }

    /// Forgets how a job would go on, and wipes the seeds that were kept for that.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn forget(&self, job: &JobId) -> Result<(), LedgerError> {
        self.forget_row(job.as_str())
    }

    fn forget_row(&self, job: &str) -> Result<(), LedgerError> {
        let gone = self.connection.execute("DELETE FROM unfinished WHERE job = ?1", [job]).map_err(|e| self.sql(e))?;
        if gone > 0 {
            // The write-ahead log held them too.
            self.cut_log();
        }
        Ok(())
    }

    /// Every job that can go on, the newest first. What can't be read any more is left out.
    ///
    /// # Errors
    /// A damaged file.
    pub fn unfinished(&self) -> Result<Vec<Unfinished>, LedgerError> {
        self.unfinished_of(None)
    }

    /// Of one job, or of all.
    fn unfinished_of(&self, job: Option<&JobId>) -> Result<Vec<Unfinished>, LedgerError> {
        type Row = (String, String, String, String, String, String);
        let all = "SELECT job, started, before, papers, kept, checkpoint FROM unfinished JOIN job ON name = job
            WHERE checkpoint IS NOT NULL AND (?1 IS NULL OR job = ?1) ORDER BY kept DESC";
        let run = || -> rusqlite::Result<Vec<Row>> {
            let mut statement = self.connection.prepare(all)?;
            let row = |r: &rusqlite::Row<'_>| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?, r.get(5)?));
            statement.query_map([job.map(JobId::as_str)], row)?.collect()
        };
        let read = |(job, started, before, papers, kept, checkpoint): Row| {
            Some(Unfinished {
                job: job.parse().ok()?,
                started: started.parse().ok()?,
                before: serde_json::from_str(&before).ok()?,
                papers: serde_json::from_str(&papers).ok()?,
                kept: kept.parse().ok()?,
                checkpoint: Checkpoint::from_json(&checkpoint).ok()?,
            })
        };
        Ok(run().map_err(|e| self.sql(e))?.into_iter().filter_map(read).collect())
    }

    /// The job on this drive that can go on, if there is one: same serial, model and capacity, wherever it is attached; a
    /// drive without a serial at the same path.
    ///
    /// # Errors
    /// A damaged file.
    pub fn unfinished_on(&self, drive: &Drive) -> Result<Option<Unfinished>, LedgerError> {
        Ok(self.unfinished()?.into_iter().find(|u| u.checkpoint.may_be_of(drive)))
    }

    /// A job that can go on, as it stands now.
    ///
    /// # Errors
    /// A damaged file.
    pub fn unfinished_job(&self, job: &JobId) -> Result<Option<Unfinished>, LedgerError> {
        Ok(self.unfinished_of(Some(job))?.into_iter().next())
    }

    /// The newest record of a job, judged again.
    ///
    /// # Errors
    /// No such job, one that never ended, or a record that does not hold.
    pub fn record(&self, job: &JobId) -> Result<Record, LedgerError> {
        let newest = "SELECT json FROM record WHERE job = ?1 ORDER BY number DESC LIMIT 1";
        let json: Option<String> =
            self.connection.query_row(newest, [job.as_str()], |row| row.get(0)).optional().map_err(|e| self.sql(e))?;
        match json {
            Some(json) => {
                let record =
                    Record::from_json(&json).and_then(|r| if r.job == *job { Ok(r) } else { Err(BadRecord::OtherJob(r.job)) });
                record.map_err(|cause| LedgerError::Record { job: job.clone(), cause })
            }
            None => Err(self.why_no_record(job)?),
        }
    }

    fn why_no_record(&self, job: &JobId) -> Result<LedgerError, LedgerError> {
        let begun: Option<(String, String)> = self
            .connection
            .query_row("SELECT drive, started FROM job WHERE name = ?1", [job.as_str()], |row| Ok((row.get(0)?, row.get(1)?)))
            .optional()
            .map_err(|e| self.sql(e))?;
        Ok(match begun {
            Some((drive, started)) => LedgerError::NeverEnded { job: job.clone(), drive, started },
            None => LedgerError::NoJob { job: job.clone(), path: self.path.display().to_string() },
        })
    }

    /// Adds the record of a second look at what a job has left. Of a job that is not of this ledger nothing is kept.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn add_verification(&self, job: &JobId, verification: &VerificationRecord, made: Timestamp) -> Result<(), LedgerError> {
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

    /// The newest records of a lot's jobs, the oldest job first. What can't be used is left out.
    fn records_of_lot(&self, lot: Option<&str>) -> Result<Vec<Record>, LedgerError> {
        let newest = "SELECT json FROM record AS r JOIN job ON name = job
            WHERE number = (SELECT max(number) FROM record WHERE job = r.job)
            AND (?1 IS NULL OR coalesce(json_extract(json, '$.papers.lot'), '') = ?1) ORDER BY started, name";
        let run = || -> rusqlite::Result<Vec<String>> {
            let mut statement = self.connection.prepare(newest)?;
            statement.query_map([lot], |row| row.get(0))?.collect()
        };
        Ok(run().map_err(|e| self.sql(e))?.iter().filter_map(|json| Record::from_json(json).ok()).collect())
    }

    /// How many drives of that lot have earned something, and how many of them were drawn for a second look.
    ///
    /// # Errors
    /// A damaged file.
    pub fn drawn_of_lot(&self, lot: &str) -> Result<(u64, u64), LedgerError> {
        let looks: Vec<SecondLook> = self.records_of_lot(Some(lot))?.into_iter().filter_map(|r| r.second_look).collect();
        Ok((looks.len() as u64, looks.iter().filter(|l| l.is_due()).count() as u64))
    }

    /// The jobs whose drives were drawn for a second look, of that lot or of all.
    ///
    /// # Errors
    /// A damaged file.
    pub fn drawn(&self, lot: Option<&str>) -> Result<Vec<Due>, LedgerError> {
        let is_due = |r: &Record| r.second_look.as_ref().is_some_and(SecondLook::is_due);
        let last = "SELECT max(made) FROM verification WHERE job = ?1 AND confirmed";
        let mut drawn = vec![];
        for record in self.records_of_lot(lot)?.into_iter().filter(is_due) {
            let confirmed = self.connection.query_row(last, [record.job.as_str()], |row| row.get(0)).map_err(|e| self.sql(e))?;
            drawn.push(Due { record, confirmed });
        }
        Ok(drawn)
    }

    /// The stored events of a job as JSON, with their times, in order.
    ///
    /// # Errors
    /// A damaged file.
    pub fn events(&self, job: &JobId) -> Result<Vec<(String, String)>, LedgerError> {
        let run = || -> rusqlite::Result<Vec<(String, String)>> {
            let mut statement = self.connection.prepare("SELECT time, json FROM event WHERE job = ?1 ORDER BY number")?;
            statement.query_map([job.as_str()], |row| Ok((row.get(0)?, row.get(1)?)))?.collect()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Copies the ledger into a new file, while others may write to it. What jobs that were cut short need to go on is left out: it
    /// holds seeds, and would be of an earlier moment by the time that anybody used it.
    ///
    /// # Errors
    /// The file is there already, a full disk, no rights.
    pub fn backup(&self, to: &Path) -> Result<(), LedgerError> {
        let failed = |cause| LedgerError::Folder { path: to.display().to_string(), cause };
        if to.exists() {
            return Err(failed(std::io::ErrorKind::AlreadyExists.into()));
        }
        let folder = to.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        // Private from its first byte on, and there under its name only when it is whole.
        let work = tempfile::Builder::new().prefix(".jurex-").tempdir_in(folder).map_err(failed)?;
        let copy = work.path().join("ledger.sqlite3");
        self.connection.execute("VACUUM INTO ?1", [copy.display().to_string()]).map_err(|e| self.sql(e))?;
        make_private(&copy);
        let wipe = || -> rusqlite::Result<()> {
            let connection = Connection::open(&copy)?;
            connection.pragma_update(None, "secure_delete", true)?;
            connection.execute("DELETE FROM unfinished", [])?;
            connection.query_row("PRAGMA journal_mode = delete", [], |_| Ok(())).or(Ok(()))
        };
        wipe().map_err(|e| sql(&copy, e))?;
        std::fs::File::open(&copy).and_then(|f| f.sync_all()).map_err(failed)?;
        // A hard link is never made over a file that is there.
        std::fs::hard_link(&copy, to).map_err(failed)?;
        std::fs::File::open(folder).and_then(|f| f.sync_all()).map_err(failed)
    }

    /// The newest jobs, so many at most.
    ///
    /// # Errors
    /// A damaged file.
    pub fn newest(&self, most: u32) -> Result<Vec<Entry>, LedgerError> {
        Ok(self.jobs()?.into_iter().take(most as usize).collect())
    }

    /// Every job, newest first.
    ///
    /// # Errors
    /// A damaged file.
    pub fn jobs(&self) -> Result<Vec<Entry>, LedgerError> {
        let all =
            "SELECT name, drive, started, EXISTS (SELECT 1 FROM record WHERE job = name) FROM job ORDER BY started DESC, name";
        let run = || -> rusqlite::Result<Vec<(String, String, String, bool)>> {
            let mut statement = self.connection.prepare(all)?;
            statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)))?.collect()
        };
        let rows = run().map_err(|e| self.sql(e))?;
        let entry = |(name, drive, started, ended): (String, String, String, bool)| {
            Some(Entry { job: name.parse().ok()?, drive, started, ended })
        };
        Ok(rows.into_iter().filter_map(entry).collect())
    }
}

/// Adds a record, with its leaf.
fn add(change: &rusqlite::Transaction<'_>, record: &Record, made: Timestamp) -> rusqlite::Result<()> {
    let (job, made, json) = (record.job.as_str(), made.to_string(), record.to_json());
    change.execute("INSERT INTO record (job, made, json) VALUES (?1, ?2, ?3)", params![job, made, json])?;
    chain::append(change, &chain::of_record(change, job, &made, &json)?)
}

/// Makes the file for its owner alone before SQLite does; one that is there already is closed to others. Where that can't
/// be, SQLite says why the file can't be used.
fn make_private(path: &Path) {
    let private = std::fs::Permissions::from_mode(0o600);
    let _ = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(path);
    let _ = std::fs::set_permissions(path, private);
}

fn is_busy(cause: &rusqlite::Error) -> bool {
    matches!(cause.sqlite_error_code(), Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked))
}

fn sql(path: &Path, cause: rusqlite::Error) -> LedgerError {
    LedgerError::Sql { path: path.display().to_string(), cause }
}

#[cfg(test)]
mod tests;
