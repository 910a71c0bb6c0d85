//! What was written, as leaves of the tree, in the order of writing; and whether what the ledger holds now is that.

use crate::tree::{Frontier, Hash, leaf};
use crate::{Ledger, LedgerError};
use rusqlite::{Transaction, TransactionBehavior, params};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// One thing that was written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "kind", deny_unknown_fields)]
pub enum Leaf {
    /// A job began.
    JobBegun {
        /// Its name.
        job: String,
        /// What its drive is called.
        drive: String,
        /// Its serial.
        serial: Option<String>,
        /// When.
        started: String,
    },
    /// A record was added.
    Record {
        /// Its job.
        job: String,
        /// When.
        made: String,
        /// SHA-256 of its text.
        record: String,
        /// Events of the job that were there.
        events: u64,
        /// SHA-256 over them.
        events_digest: String,
    },
    /// A second look was noted.
    Verification {
        /// The job that it is about.
        job: String,
        /// When.
        made: String,
        /// SHA-256 of its text.
        verification: String,
    },
}

/// How large the tree is, and its head.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Head {
    /// Leaves.
    pub size: u64,
    /// The head of the tree over them.
    pub root: Hash,
}

/// A head that was kept, with the note that it was signed in, if it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeptHead {
    /// The head.
    pub head: Head,
    /// The signed note.
    pub note: Option<String>,
}

fn hex(bytes: impl AsRef<[u8]>) -> String {
    jurex_core::text::hex::encode(bytes.as_ref())
}

fn digest(text: &str) -> String {
    hex(Sha256::digest(text.as_bytes()))
}

/// Begins a change that writes: it takes its turn at once, so that leaves come in the order of the tree.
pub(crate) fn change(ledger: &Ledger) -> rusqlite::Result<Transaction<'_>> {
    Transaction::new_unchecked(&ledger.connection, TransactionBehavior::Immediate)
}

/// Adds a leaf, as part of the change that writes what it is of.
pub(crate) fn append(change: &Transaction<'_>, entry: &Leaf) -> rusqlite::Result<()> {
    let json = serde_json::to_string(entry).expect("a leaf holds only texts and numbers");
    let (size, peaks): (i64, Vec<u8>) =
        change.query_row("SELECT size, peaks FROM frontier", [], |row| Ok((row.get(0)?, row.get(1)?)))?;
    // A frontier that somebody has spoiled is not mended here: the check says what does not fit.
    let mut tree = Frontier::from_bytes(size as u64, &peaks).unwrap_or_default();
    tree.append(leaf(json.as_bytes()));
    change.execute("INSERT INTO leaf (number, json) VALUES (?1, ?2)", params![size, json])?;
    change.execute("UPDATE frontier SET size = ?1, peaks = ?2", params![size + 1, tree.to_bytes()]).map(drop)
}

/// The leaf of a record with the events of its job so far.
pub(crate) fn of_record(change: &Transaction<'_>, job: &str, made: &str, json: &str) -> rusqlite::Result<Leaf> {
    let (events, events_digest) = events(change, job, u64::MAX)?;
    Ok(Leaf::Record { job: job.into(), made: made.into(), record: digest(json), events, events_digest })
}

/// The leaf of a second look.
pub(crate) fn of_verification(job: &str, made: &str, json: &str) -> Leaf {
    Leaf::Verification { job: job.into(), made: made.into(), verification: digest(json) }
}

/// Number and digest of the first so many events of a job.
fn events(connection: &rusqlite::Connection, job: &str, most: u64) -> rusqlite::Result<(u64, String)> {
    let all = "SELECT number, time, json FROM event WHERE job = ?1 ORDER BY number LIMIT ?2";
    let mut statement = connection.prepare_cached(all)?;
    let mut rows = statement.query(params![job, i64::try_from(most).unwrap_or(i64::MAX)])?;
    let (mut n, mut hash) = (0, Sha256::new());
    while let Some(row) = rows.next()? {
        let (number, time, json): (i64, String, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
        hash.update(format!("{number}\t{time}\t{json}\n"));
        n += 1;
    }
    Ok((n, hex(hash.finalize())))
}

/// Takes what an earlier version has written into the tree.
pub(crate) fn take_in(change: &Transaction<'_>) -> rusqlite::Result<()> {
    let mut all: Vec<(String, u8, Leaf)> = vec![];
    {
        let mut jobs = change.prepare("SELECT name, drive, serial, started FROM job ORDER BY started, name")?;
        let mut rows = jobs.query([])?;
        while let Some(row) = rows.next()? {
            let (job, drive, serial, started): (String, String, Option<String>, String) =
                (row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?);
            all.push((started.clone(), 0, Leaf::JobBegun { job, drive, serial, started }));
        }
        let mut records = change.prepare("SELECT job, made, json FROM record ORDER BY number")?;
        let mut rows = records.query([])?;
        while let Some(row) = rows.next()? {
            let (job, made, json): (String, String, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
            all.push((made.clone(), 1, of_record(change, &job, &made, &json)?));
        }
        let mut looks = change.prepare("SELECT job, made, json FROM verification ORDER BY number")?;
        let mut rows = looks.query([])?;
        while let Some(row) = rows.next()? {
            let (job, made, json): (String, String, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
            all.push((made.clone(), 2, of_verification(&job, &made, &json)));
        }
    }
    // By their times; of one time in the order in which they must have come.
    all.sort_by(|a, b| (&a.0, a.1).cmp(&(&b.0, b.1)));
    all.iter().try_for_each(|(.., entry)| append(change, entry))
}

/// What a check of the ledger has found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Checked {
    /// Leaves.
    pub leaves: u64,
    /// What does not fit, each in a sentence.
    pub wrong: Vec<String>,
}

/// Sentences that are told of one check; of more it is said that there are more.
const MOST_TOLD: usize = 40;

impl Checked {
    fn found(&mut self, sentence: String) {
        match self.wrong.len().cmp(&MOST_TOLD) {
            std::cmp::Ordering::Less => self.wrong.push(sentence),
            std::cmp::Ordering::Equal => self.wrong.push("There is more that does not fit.".into()),
            std::cmp::Ordering::Greater => {}
        }
    }
}

impl Ledger {
    /// The head of the tree as it is now.
    ///
    /// # Errors
    /// A damaged file.
    pub fn head(&self) -> Result<Head, LedgerError> {
        let (size, peaks): (i64, Vec<u8>) = self
            .connection
            .query_row("SELECT size, peaks FROM frontier", [], |row| Ok((row.get(0)?, row.get(1)?)))
            .map_err(|e| self.sql(e))?;
        let tree = Frontier::from_bytes(size as u64, &peaks).unwrap_or_default();
        Ok(Head { size: size as u64, root: tree.root() })
    }

    /// Keeps a head with the note in which it was signed.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep_head(&self, head: &Head, note: &str) -> Result<(), LedgerError> {
        let row = params![head.size as i64, hex(head.root), note];
        let insert = "INSERT OR IGNORE INTO head (size, root, note) VALUES (?1, ?2, ?3)";
        self.connection.execute(insert, row).map_err(|e| self.sql(e)).map(drop)
    }

    /// Every head that was kept, the oldest first. One whose root can't be read has none that fits.
    ///
    /// # Errors
    /// A damaged file.
    pub fn heads(&self) -> Result<Vec<KeptHead>, LedgerError> {
        let run = || -> rusqlite::Result<Vec<(i64, String, Option<String>)>> {
            let mut statement = self.connection.prepare("SELECT size, root, note FROM head ORDER BY size")?;
            statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?.collect()
        };
        let kept = |(size, root, note): (i64, String, Option<String>)| {
            let root = jurex_core::text::hex::decode(&root).and_then(|r| r.try_into().ok()).unwrap_or_default();
            KeptHead { head: Head { size: size as u64, root }, note }
        };
        Ok(run().map_err(|e| self.sql(e))?.into_iter().map(kept).collect())
    }

    /// Goes through everything that was ever written: whether it is there as it was, whether anything is there that was not written so,
    /// and whether the tree over it has these heads.
    ///
    /// # Errors
    /// A file that can't be read.
    pub fn check_chain(&self, heads: &[Head]) -> Result<Checked, LedgerError> {
        let mut checked = Checked::default();
        let mut run = || -> rusqlite::Result<()> {
            let mut seen = Seen::default();
            let mut tree = Frontier::default();
            let mut statement = self.connection.prepare("SELECT number, json FROM leaf ORDER BY number")?;
            let mut rows = statement.query([])?;
            let compare = |tree: &Frontier, checked: &mut Checked| {
                for head in heads.iter().filter(|h| h.size == tree.size() && h.root != tree.root()) {
                    let said = format!(
                        "The first {} entries are not those that the head of {} entries was made of: something before it was changed, taken away, or put in another order.",
                        head.size, head.size
                    );
                    checked.found(said);
                }
            };
            compare(&tree, &mut checked);
            while let Some(row) = rows.next()? {
                let (number, json): (i64, String) = (row.get(0)?, row.get(1)?);
                if number as u64 != tree.size() {
                    checked.found(format!("Entry {} is missing.", tree.size()));
                    return Ok(());
                }
                tree.append(leaf(json.as_bytes()));
                self.check_leaf(number as u64, &json, &mut seen, &mut checked)?;
                compare(&tree, &mut checked);
            }
            checked.leaves = tree.size();
            for head in heads.iter().filter(|h| h.size > tree.size()) {
                let said = format!(
                    "The ledger has {} entries, and had {} when its head was kept: the last ones are gone, or this is an earlier copy of the file.",
                    tree.size(),
                    head.size
                );
                checked.found(said);
            }
            let now: (i64, Vec<u8>) =
                self.connection.query_row("SELECT size, peaks FROM frontier", [], |row| Ok((row.get(0)?, row.get(1)?)))?;
            if now != (tree.size() as i64, tree.to_bytes()) {
                checked
                    .found("What is kept of the tree is not of these entries: entries were changed, added or taken away.".into());
            }
            self.check_rest(&seen, &mut checked)
        };
        run().map_err(|e| self.sql(e))?;
        Ok(checked)
    }

    /// Whether what a leaf says was written is there as it was.
    fn check_leaf(&self, number: u64, json: &str, seen: &mut Seen, checked: &mut Checked) -> rusqlite::Result<()> {
        match serde_json::from_str::<Leaf>(json) {
            Err(_) => checked.found(format!("Entry {number} has been altered: it can't be read.")),
            Ok(Leaf::JobBegun { job, drive, serial, started }) => {
                seen.jobs += 1;
                let there = "SELECT drive, serial, started FROM job WHERE name = ?1";
                let found: Vec<(String, Option<String>, String)> = self.rows(there, &job)?;
                match found.as_slice() {
                    [] => checked.found(format!("Job {job}, which began at {started} on {drive}, is gone.")),
                    [now] if *now == (drive.clone(), serial.clone(), started.clone()) => {}
                    [now, ..] => checked.found(format!(
                        "Job {job} began at {started} on {drive} (serial {}), and the ledger says now: at {} on {} (serial {}).",
                        serial.as_deref().unwrap_or("none"),
                        now.2,
                        now.0,
                        now.1.as_deref().unwrap_or("none")
                    )),
                }
            }
            Ok(Leaf::Record { job, made, record, events: count, events_digest }) => {
                let nth = seen.records.entry(job.clone()).or_default();
                let texts = self.texts("SELECT made, json FROM record WHERE job = ?1 ORDER BY number", &job)?;
                check_text("record", &job, &made, &record, texts.get(*nth), checked);
                *nth += 1;
                if events(&self.connection, &job, count)? != (count, events_digest) {
                    checked.found(format!("Of the {count} events of job {job} that were there when its record was made some are gone or were changed."));
                }
            }
            Ok(Leaf::Verification { job, made, verification }) => {
                let nth = seen.looks.entry(job.clone()).or_default();
                let texts = self.texts("SELECT made, json FROM verification WHERE job = ?1 ORDER BY number", &job)?;
                check_text("second look", &job, &made, &verification, texts.get(*nth), checked);
                *nth += 1;
            }
        }
        Ok(())
    }

    fn rows(&self, query: &str, job: &str) -> rusqlite::Result<Vec<(String, Option<String>, String)>> {
        let mut statement = self.connection.prepare_cached(query)?;
        statement.query_map([job], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?.collect()
    }

    fn texts(&self, query: &str, job: &str) -> rusqlite::Result<Vec<(String, String)>> {
        let mut statement = self.connection.prepare_cached(query)?;
        statement.query_map([job], |row| Ok((row.get(0)?, row.get(1)?)))?.collect()
    }

    /// What is there and was never written by a Jurex.
    fn check_rest(&self, seen: &Seen, checked: &mut Checked) -> rusqlite::Result<()> {
        let count = |query: &str| self.connection.query_row(query, [], |row| row.get::<_, i64>(0)).map(|n| n as u64);
        let all = |by_job: &std::collections::BTreeMap<String, usize>| by_job.values().sum::<usize>() as u64;
        let there = [
            ("job", count("SELECT count(*) FROM job")?, seen.jobs),
            ("record", count("SELECT count(*) FROM record")?, all(&seen.records)),
            ("second look", count("SELECT count(*) FROM verification")?, all(&seen.looks)),
        ];
        for (what, n, written) in there.into_iter().filter(|(_, n, written)| n > written) {
            let more = jurex_core::units::counted(n - written, what);
            checked.found(format!("{more} more than were ever written here: put in by other means."));
        }
        Ok(())
    }
}

fn check_text(what: &str, job: &str, made: &str, digest_then: &str, now: Option<&(String, String)>, checked: &mut Checked) {
    match now {
        None => checked.found(format!("The {what} of job {job} that was made at {made} is gone.")),
        Some((_, text)) if digest(text) != digest_then => {
            checked
                .found(format!("The {what} of job {job} that was made at {made} is not as it was written: it has been altered."));
        }
        Some((then, _)) if then != made => {
            checked.found(format!("The {what} of job {job} was made at {made}, and the ledger says now: at {then}."));
        }
        Some(_) => {}
    }
}

/// What the leaves so far have told of.
#[derive(Default)]
struct Seen {
    jobs: u64,
    records: std::collections::BTreeMap<String, usize>,
    looks: std::collections::BTreeMap<String, usize>,
}
