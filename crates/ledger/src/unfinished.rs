//! Jobs that did not come to their end, with what they need to go on. Their checkpoints hold seeds: they are wiped when they are not
//! needed any more, and are no part of the tree.

use crate::Ledger;
use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_engine::Checkpoint;
use jurex_past::PastError;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::record::{JobId, Papers};
use rusqlite::params;

/// A job that did not come to its end, with all that it needs to go on.
#[derive(Clone, Debug)]
pub struct UnfinishedJob {
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
    /// Notes what a job needs to go on, beside its checkpoints. An earlier unfinished job of the same drive can't go on any
    /// more: this one writes over what it laid. A drive that only looks the same, at another place, keeps its own.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn can_go_on(&self, job: &JobId, drive: &Drive, before: &Contents, papers: &Papers) -> Result<(), PastError> {
        let is_this = |u: &UnfinishedJob| {
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
    pub fn keep_contents(&self, job: &JobId, before: &Contents) -> Result<(), PastError> {
        let json = serde_json::to_string(before).expect("contents hold only strings, numbers and lists");
        let update = "UPDATE unfinished SET before = ?2 WHERE job = ?1";
        let run = || -> rusqlite::Result<()> {
            let change = crate::chain::change(self)?;
            if change.execute(update, params![job.as_str(), json])? > 0 {
                crate::chain::note_uncovered(&change, job.as_str())?;
            }
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Keeps the newest checkpoint of a job in place of the one before it.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep(&self, job: &JobId, checkpoint: &Checkpoint, time: Timestamp) -> Result<(), PastError> {
        let update = "UPDATE unfinished SET kept = ?2, checkpoint = ?3 WHERE job = ?1";
        let mut statement = self.connection.prepare_cached(update).map_err(|e| self.sql(e))?;
        let row = params![job.as_str(), time.to_string(), checkpoint.to_json()];
        match statement.execute(row).map_err(|e| self.sql(e))? {
            0 => Err(PastError::NoPlace { job: job.clone(), path: self.path.display().to_string() }),
            _ => Ok(()),
        }
    }

    /// Wipes checkpoints that no version of this program can go on from any more: they hold seeds.
    fn wipe_unreadable(&self) -> Result<(), PastError> {
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
    pub fn forget(&self, job: &JobId) -> Result<(), PastError> {
        self.forget_row(job.as_str())
    }

    fn forget_row(&self, job: &str) -> Result<(), PastError> {
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
    pub fn unfinished(&self) -> Result<Vec<UnfinishedJob>, PastError> {
        self.unfinished_of(None)
    }

    /// Of one job, or of all.
    fn unfinished_of(&self, job: Option<&JobId>) -> Result<Vec<UnfinishedJob>, PastError> {
        type Row = (String, String, String, String, String, String);
        let all = "SELECT job, started, before, papers, kept, checkpoint FROM unfinished JOIN job ON name = job
            WHERE checkpoint IS NOT NULL AND (?1 IS NULL OR job = ?1) ORDER BY kept DESC";
        let run = || -> rusqlite::Result<Vec<Row>> {
            let mut statement = self.connection.prepare(all)?;
            let row = |r: &rusqlite::Row<'_>| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?, r.get(5)?));
            statement.query_map([job.map(JobId::as_str)], row)?.collect()
        };
        let read = |(job, started, before, papers, kept, checkpoint): Row| {
            Some(UnfinishedJob {
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
    pub fn unfinished_on(&self, drive: &Drive) -> Result<Option<UnfinishedJob>, PastError> {
        Ok(self.unfinished()?.into_iter().find(|u| u.checkpoint.may_be_of(drive)))
    }

    /// A job that can go on, as it stands now.
    ///
    /// # Errors
    /// A damaged file.
    pub fn unfinished_job(&self, job: &JobId) -> Result<Option<UnfinishedJob>, PastError> {
        Ok(self.unfinished_of(Some(job))?.into_iter().next())
    }
}
