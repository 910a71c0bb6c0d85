//! The lots of a bench: which drives are expected. Each change of a list is a leaf of the tree.

use crate::format::{IS_CHECK, JOB_OF_CHECK};
use crate::{Ledger, chain};
use jiff::Timestamp;
use jurex_disposition::lot::{Lot, serial_key};
use jurex_disposition::proof::{SecondCheck, VerificationRecord};
use jurex_past::{JobLine, JobStatus, Leaf, LotNow, PastError};
use jurex_sanitize::record::{JobId, Record};
use rusqlite::{OptionalExtension, params};
use std::collections::{BTreeMap, BTreeSet};

impl Ledger {
    /// Keeps a lot as it is now, and what was done to it in a sentence.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep_lot(&self, lot: &Lot, said: &str, when: Timestamp) -> Result<(), PastError> {
        let json = serde_json::to_string(lot).expect("a lot holds only texts and answers");
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            let keep =
                "INSERT INTO lot (name, open, json) VALUES (?1, ?2, ?3) ON CONFLICT (name) DO UPDATE SET open = ?2, json = ?3";
            change.execute(keep, params![lot.name, lot.closed.is_none(), json])?;
            let leaf =
                Leaf::Lot { lot: lot.name.clone(), when: when.to_string(), said: said.into(), digest: chain::digest(&json) };
            chain::append(&change, &leaf)?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// The lot of that name.
    ///
    /// # Errors
    /// A damaged file.
    pub fn lot(&self, name: &str) -> Result<Option<Lot>, PastError> {
        let one = || {
            self.connection.query_row("SELECT json FROM lot WHERE name = ?1", [name], |row| row.get::<_, String>(0)).optional()
        };
        Ok(one().map_err(|e| self.sql(e))?.and_then(|json| serde_json::from_str(&json).ok()))
    }

    /// Every lot, or those that are open; by name.
    ///
    /// # Errors
    /// A damaged file.
    pub fn lots(&self, only_open: bool) -> Result<Vec<Lot>, PastError> {
        self.can_search()?;
        let run = || -> rusqlite::Result<Vec<String>> {
            let mut all = self.connection.prepare("SELECT json FROM lot WHERE open OR NOT ?1 ORDER BY name")?;
            all.query_map([only_open], |row| row.get(0))?.collect()
        };
        Ok(run().map_err(|e| self.sql(e))?.iter().filter_map(|json| serde_json::from_str(json).ok()).collect())
    }

    /// A lot with its jobs, and those on its drives since it was opened.
    ///
    /// # Errors
    /// A damaged file.
    pub fn lot_now(&self, lot: Lot) -> Result<LotNow, PastError> {
        let of = |line: JobLine| {
            let record = match line.standing {
                JobStatus::Recorded(record) => Some(record),
                JobStatus::NoRecord | JobStatus::NotBelieved(_) => None,
            };
            (line.job, line.serial, record)
        };
        let mut lines = self.of_lot(&lot.name)?;
        // What was done to an expected drive since then counts whatever lot it was done for, also where it has no record yet: a job
        // that was stopped must not hide behind an earlier one that was not.
        for expected in &lot.expected {
            let since = |line: &JobLine| line.started.parse::<Timestamp>().is_ok_and(|started| started >= lot.opened);
            lines.extend(self.of_serial(&expected.serial)?.into_iter().filter(since));
        }
        lines.sort_by_key(|line| line.number);
        lines.dedup_by_key(|line| line.number);
        let serials = lot.expected.iter().map(|e| e.serial.as_str()).chain(lines.iter().filter_map(|l| l.serial.as_deref()));
        let serials: BTreeSet<String> = serials.filter_map(serial_key).collect();
        let known = serials.iter().filter_map(|s| self.known(s).transpose()).collect::<Result<Vec<_>, _>>()?;
        Ok(LotNow { jobs: lines.into_iter().map(of).collect(), known, lot })
    }

    /// The second checks of a job, the oldest first. What another version has written is left out.
    ///
    /// # Errors
    /// A damaged file, or they are not as they were written.
    pub fn verifications(&self, job: &JobId) -> Result<Vec<VerificationRecord>, PastError> {
        let written = self.written_checks_of(Some(job))?;
        if self.format >= crate::format::WITH_INDEX && !self.are_as_written(job, &written)? {
            return Err(PastError::AlteredChecks(job.clone()));
        }
        Ok(self.kept_checks(job)?.iter().filter_map(|json| VerificationRecord::from_json(json).ok()).collect())
    }

    fn kept_checks(&self, job: &JobId) -> Result<Vec<String>, PastError> {
        let run = || -> rusqlite::Result<Vec<String>> {
            let mut all = self.connection.prepare_cached("SELECT json FROM verification WHERE job = ?1 ORDER BY number")?;
            all.query_map([job.as_str()], |row| row.get(0))?.collect()
        };
        run().map_err(|e| self.sql(e))
    }

    /// How jobs stand by their second checks, from the texts alone. A job without a readable record is left out.
    ///
    /// # Errors
    /// A damaged file.
    pub fn second_checks(&self, jobs: &[JobId]) -> Result<Vec<(JobId, SecondCheck)>, PastError> {
        // All leaves are searched for them: once, and not for each job.
        let written = self.written_checks()?;
        let records = jobs.iter().filter_map(|job| Some((job.clone(), self.record(job).ok()?)));
        records.map(|(job, record)| Ok((job, self.second_check(&record, &written)?))).collect()
    }

    pub(crate) fn second_check(&self, record: &Record, written: &WrittenChecks) -> Result<SecondCheck, PastError> {
        let kept = self.kept_checks(&record.job)?;
        if self.format >= crate::format::WITH_INDEX && !self.are_as_written(&record.job, written)? {
            return Ok(SecondCheck::NotBelieved);
        }
        let mut checks = vec![];
        for json in &kept {
            match VerificationRecord::from_json(json) {
                Ok(check) => checks.push(check),
                Err(_) => return Ok(SecondCheck::NotBelieved),
            }
        }
        Ok(SecondCheck::of(record, &checks))
    }

    /// Whether the second checks that are kept of a job are those that were written.
    fn are_as_written(&self, job: &JobId, written: &WrittenChecks) -> Result<bool, PastError> {
        let mut there: Vec<String> = self.kept_checks(job)?.iter().map(|json| crate::chain::digest(json)).collect();
        let mut expected = written.get(job.as_str()).cloned().unwrap_or_default();
        there.sort();
        expected.sort();
        Ok(there == expected)
    }

    /// The digests of all second checks that were written, by their jobs.
    pub(crate) fn written_checks(&self) -> Result<WrittenChecks, PastError> {
        self.written_checks_of(None)
    }

    /// Of one job, or of all.
    fn written_checks_of(&self, job: Option<&JobId>) -> Result<WrittenChecks, PastError> {
        let mut written = WrittenChecks::new();
        if self.format < crate::format::WITH_INDEX {
            return Ok(written);
        }
        let run = || -> rusqlite::Result<Vec<String>> {
            let of_job = if job.is_some() { format!("AND {JOB_OF_CHECK} = ?1") } else { "AND ?1 IS NULL".into() };
            let all = format!("SELECT json FROM leaf WHERE {IS_CHECK} {of_job}");
            self.connection.prepare_cached(&all)?.query_map([job.map(JobId::as_str)], |row| row.get(0))?.collect()
        };
        for json in run().map_err(|e| self.sql(e))? {
            if let Ok(Leaf::Verification { job, verification, .. }) = serde_json::from_str(&json) {
                written.entry(job).or_default().push(verification);
            }
        }
        Ok(written)
    }
}

/// The digests of second checks that leaves tell of, by their jobs.
pub(crate) type WrittenChecks = BTreeMap<String, Vec<String>>;
