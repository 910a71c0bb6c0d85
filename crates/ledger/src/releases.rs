//! What became of drives: statements, kept as they were made; and which drives still need somebody, as a list that is made from all that
//! the ledger knows of each.

use crate::{Ledger, chain, format};
use jiff::Timestamp;
use jurex_disposition::release::{DriveStatus, JobSeen, OpenItem, Release};
use jurex_past::{JobLine, JobStatus as JobStanding, KnownDrive, Leaf, PastError};
use jurex_pattern::text::serde_name;
use jurex_sanitize::record::JobId;
use jurex_sanitize::rules::Outcome;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::Deserialize;

/// By what a drive is found: its serial; one without is known by its job alone.
fn name_of(serial: Option<&str>, job: Option<&str>) -> String {
    match serial.map(str::trim).filter(|s| !s.is_empty()) {
        Some(serial) => serial.into(),
        None => format!("({})", job.unwrap_or_default()),
    }
}

/// The job that stands for a drive without a serial.
fn job_of(name: &str) -> Option<&str> {
    name.strip_prefix('(')?.strip_suffix(')')
}

impl Ledger {
    /// Notes what became of a drive.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep_release(&self, release: &Release) -> Result<(), PastError> {
        let (json, made) = (release.to_json(), release.made.to_string());
        let serial = release.drive.unit.serial().unwrap_or_default();
        let job = release.job.as_ref().map(JobId::as_str);
        let run = || -> rusqlite::Result<()> {
            let change = chain::change(self)?;
            let number: i64 = change.query_row("SELECT 1 + coalesce(max(number), 0) FROM release", [], |row| row.get(0))?;
            let insert = "INSERT INTO release (number, serial, job, made, json) VALUES (?1, ?2, ?3, ?4, ?5)";
            change.execute(insert, params![number, serial, job, made, json])?;
            let leaf = Leaf::Release { serial: serial.into(), when: made.clone(), release: chain::digest(&json) };
            chain::append(&change, &leaf)?;
            note_matter(&change, &name_of(Some(serial), job))?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    fn can_release(&self) -> Result<(), PastError> {
        let old = self.format < format::WITH_RELEASES;
        if old { Err(PastError::TooOld(self.path.display().to_string())) } else { Ok(()) }
    }

    /// What was noted of the drive of that job, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    pub fn releases_of(&self, name: &str) -> Result<Vec<Release>, PastError> {
        self.can_release()?;
        let texts = releases(&self.connection, name).map_err(|e| self.sql(e))?;
        Ok(texts.iter().filter_map(|json| Release::from_json(json).ok()).collect())
    }

    /// All that is known of the drive of that serial; of none without one, of a job in brackets. `None`: nothing is.
    ///
    /// # Errors
    /// A damaged file.
    pub fn known(&self, name: &str) -> Result<Option<KnownDrive>, PastError> {
        let name = name.trim();
        let releases = self.releases_of(name)?;
        let jobs = match job_of(name) {
            Some(job) => self.find(&format!("job:{job}"), None, 1)?.into_iter().filter(|l| l.job.as_str() == job).collect(),
            None => self.of_serial(name)?,
        };
        if jobs.is_empty() && releases.is_empty() {
            return Ok(None);
        }
        let seen = |line: &JobLine| {
            let ended = match &line.standing {
                JobStanding::Recorded(record) => Some((record.ended, record.claim().outcome())),
                JobStanding::NoRecord => None,
                // What can't be believed has earned nothing.
                JobStanding::NotBelieved(_) => Some((line.started.parse().unwrap_or_default(), Outcome::NotSanitized)),
            };
            JobSeen { job: line.job.clone(), began: line.started.parse().unwrap_or_default(), ended }
        };
        let standing = DriveStatus::of(&jobs.iter().map(seen).collect::<Vec<_>>(), &releases);
        Ok(Some(KnownDrive { name: name.into(), jobs, releases, standing }))
    }

    /// The same of the drive that a job was on.
    ///
    /// # Errors
    /// A damaged file.
    pub fn known_by_job(&self, job: &JobId) -> Result<Option<KnownDrive>, PastError> {
        let of = "SELECT serial FROM job WHERE name = ?1";
        let serial = self.connection.query_row(of, [job.as_str()], |row| row.get::<_, Option<String>>(0)).optional();
        match serial.map_err(|e| self.sql(e))? {
            None => Ok(None),
            Some(serial) => self.known(&name_of(serial.as_deref(), Some(job.as_str()))),
        }
    }

    /// The same of a drive by its serial, or, where it tells none, by a job on it. `None`: nothing is known, or it has neither.
    ///
    /// # Errors
    /// A damaged file.
    pub fn known_of(&self, serial: Option<&str>, job: Option<&JobId>) -> Result<Option<KnownDrive>, PastError> {
        match (serial, job) {
            (Some(serial), _) => self.known(serial),
            (None, Some(job)) => self.known_by_job(job),
            (None, None) => Ok(None),
        }
    }

    /// Serials that begin or end so, at most so many.
    ///
    /// # Errors
    /// A damaged file.
    pub fn serials_like(&self, typed: &str, most: u32) -> Result<Vec<String>, PastError> {
        self.can_release()?;
        let like = "SELECT DISTINCT serial FROM (
                SELECT serial FROM entry WHERE serial IS NOT NULL UNION SELECT serial FROM release WHERE serial <> ''
            ) WHERE instr(upper(serial), upper(?1)) > 0 ORDER BY serial LIMIT ?2";
        let run = || -> rusqlite::Result<Vec<String>> {
            self.connection.prepare_cached(like)?.query_map(params![typed.trim(), most], |row| row.get(0))?.collect()
        };
        run().map_err(|e| self.sql(e))
    }

    /// The drives that still need somebody, so many at most of each kind, the longest waiting first; and how many there are.
    ///
    /// # Errors
    /// A damaged file.
    pub fn open_matters(&self, most: u32) -> Result<Vec<(OpenItem, u64, Vec<KnownDrive>)>, PastError> {
        let mut all = vec![];
        for matter in OpenItem::ALL {
            let (n, known) = self.open_of(matter, most)?;
            if n > 0 {
                all.push((matter, n, known));
            }
        }
        Ok(all)
    }

    /// The same of one kind.
    ///
    /// # Errors
    /// A damaged file.
    pub fn open_of(&self, matter: OpenItem, most: u32) -> Result<(u64, Vec<KnownDrive>), PastError> {
        self.can_release()?;
        let run = || -> rusqlite::Result<(i64, Vec<String>)> {
            let count = "SELECT count(*) FROM matter WHERE matter = ?1";
            let first = "SELECT name FROM matter WHERE matter = ?1 ORDER BY since, name LIMIT ?2";
            let n = self.connection.prepare_cached(count)?.query_row([serde_name(matter)], |row| row.get(0))?;
            let mut first = self.connection.prepare_cached(first)?;
            let names = first.query_map(params![serde_name(matter), most], |row| row.get(0))?;
            Ok((n, names.collect::<rusqlite::Result<_>>()?))
        };
        let (n, names) = run().map_err(|e| self.sql(e))?;
        let known = names.iter().filter_map(|name| self.known(name).transpose()).collect::<Result<_, _>>()?;
        Ok((n as u64, known))
    }
}

fn releases(connection: &Connection, name: &str) -> rusqlite::Result<Vec<String>> {
    let (query, by) = match job_of(name) {
        Some(job) => ("SELECT json FROM release WHERE serial = '' AND job = ?1 ORDER BY number", job),
        None => ("SELECT json FROM release WHERE serial = ?1 ORDER BY number", name),
    };
    let mut statement = connection.prepare_cached(query)?;
    statement.query_map([by], |row| row.get(0))?.collect()
}

/// What of a record tells how its drive stands. It is only a list that is made by it: what is shown of a drive is judged again.
#[derive(Deserialize)]
struct ToldRecord {
    ended: Timestamp,
    claim: ToldClaim,
}

#[derive(Deserialize)]
struct ToldClaim {
    outcome: Outcome,
}

/// What is still to be seen to of a drive, and since when.
fn matter_of(connection: &Connection, name: &str) -> rusqlite::Result<Option<(String, String)>> {
    let newest = "(SELECT json FROM record WHERE job = name ORDER BY number DESC LIMIT 1)";
    let (query, by) = match job_of(name) {
        Some(job) => (format!("SELECT name, started, {newest} FROM job WHERE name = ?1"), job),
        None => (
            format!(
                "SELECT name, job.started, {newest} FROM entry JOIN job ON name = entry.job WHERE entry.serial = ?1 ORDER BY number"
            ),
            name,
        ),
    };
    let mut statement = connection.prepare_cached(&query)?;
    let mut rows = statement.query([by])?;
    let mut jobs = vec![];
    while let Some(row) = rows.next()? {
        let (job, started, json): (String, String, Option<String>) = (row.get(0)?, row.get(1)?, row.get(2)?);
        let (Ok(job), Ok(began)) = (job.parse::<JobId>(), started.parse::<Timestamp>()) else { continue };
        let told = json.and_then(|json| serde_json::from_str::<ToldRecord>(&json).ok());
        jobs.push(JobSeen { job, began, ended: told.map(|t| (t.ended, t.claim.outcome)) });
    }
    let releases: Vec<Release> = releases(connection, name)?.iter().filter_map(|json| Release::from_json(json).ok()).collect();
    let standing = DriveStatus::of(&jobs, &releases);
    Ok(standing.and_then(|s| Some((serde_name(s.matter()?), s.since.to_string()))))
}

/// Keeps what is to be seen to of a drive as it stands now, as part of the change that has changed it.
pub(crate) fn note_matter(change: &Transaction<'_>, name: &str) -> rusqlite::Result<()> {
    change.prepare_cached("DELETE FROM matter WHERE name = ?1")?.execute([name])?;
    if let Some((matter, since)) = matter_of(change, name)? {
        let insert = "INSERT INTO matter (name, matter, since) VALUES (?1, ?2, ?3)";
        change.prepare_cached(insert)?.execute(params![name, matter, since])?;
    }
    Ok(())
}

/// The same of the drive of a job.
pub(crate) fn note_matter_of_job(change: &Transaction<'_>, job: &str) -> rusqlite::Result<()> {
    let of = "SELECT serial FROM job WHERE name = ?1";
    let serial: Option<String> = change.prepare_cached(of)?.query_row([job], |row| row.get(0))?;
    note_matter(change, &name_of(serial.as_deref(), Some(job)))
}

/// Every drive by its name.
fn names(connection: &Connection) -> rusqlite::Result<std::collections::BTreeSet<String>> {
    let all = "SELECT serial, name FROM job UNION ALL SELECT serial, job FROM release";
    let mut statement = connection.prepare(all)?;
    let rows = statement.query_map([], |row| Ok((row.get::<_, Option<String>>(0)?, row.get::<_, Option<String>>(1)?)))?;
    rows.map(|row| row.map(|(serial, job)| name_of(serial.as_deref(), job.as_deref()).to_ascii_uppercase())).collect()
}

/// Takes in the drives of a ledger that an earlier version has kept.
pub(crate) fn migrate(change: &Transaction<'_>) -> rusqlite::Result<()> {
    names(change)?.iter().try_for_each(|name| note_matter(change, name))
}

/// The drives whose open matters are not what follows from the rest of the ledger.
pub(crate) fn wrong_matters(connection: &Connection) -> rusqlite::Result<Vec<String>> {
    let kept = "SELECT matter, since FROM matter WHERE name = ?1";
    let mut wrong = vec![];
    let names = names(connection)?;
    for name in &names {
        let now: Option<(String, String)> =
            connection.prepare_cached(kept)?.query_row([name], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
        if now != matter_of(connection, name)? {
            wrong.push(name.clone());
        }
    }
    let mut statement = connection.prepare("SELECT name FROM matter")?;
    let others = statement.query_map([], |row| row.get::<_, String>(0))?.collect::<rusqlite::Result<Vec<_>>>()?;
    wrong.extend(others.into_iter().filter(|name| !names.contains(&name.to_ascii_uppercase())));
    Ok(wrong)
}
