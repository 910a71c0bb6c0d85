//! What was written, as leaves of the tree, in the order of writing; and whether what the ledger holds now is that.

use crate::format::{ABOUT, WITH_EVENTS};
use crate::index::Indexed;
use crate::tree::{Frontier, Hash, leaf};
use crate::{Ledger, LedgerError};
use jiff::Timestamp;
use jurex_core::erase::Checkpoint;
use jurex_core::record::{BadRecord, Record};
use rusqlite::{OptionalExtension, Transaction, TransactionBehavior, params};
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
    /// Events of a job that no record covers: of one that has none, or that came after it.
    Events {
        /// The job.
        job: String,
        /// When they were counted.
        when: String,
        /// Events of the job that were there.
        events: u64,
        /// SHA-256 over them.
        events_digest: String,
        /// SHA-256 of what it needs to go on beside its checkpoint: what was on the drive, and what people said of it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        going_on: Option<String>,
    },
    /// A list of expected drives was made, changed or closed.
    Lot {
        /// The lot's name.
        lot: String,
        /// When.
        when: String,
        /// What was done, in a sentence.
        said: String,
        /// SHA-256 of its text.
        digest: String,
    },
    /// It was noted what became of a drive.
    Release {
        /// Its serial; empty: it has none.
        serial: String,
        /// When.
        when: String,
        /// SHA-256 of the statement.
        release: String,
    },
    /// Something else that matters happened; all that is kept of it is this.
    Noted {
        /// What it is about.
        about: About,
        /// When.
        when: String,
        /// What happened, in a sentence.
        said: String,
        /// SHA-256 of what it is about, where there is a text of it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        digest: Option<String>,
    },
}

/// What else than jobs the ledger notes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum About {
    /// A key was made, retired or trusted.
    Key,
    /// The settings that decide what is done and claimed.
    Settings,
    /// Records were given out.
    Export,
    /// The ledger itself was put back from a copy.
    Restored,
}

impl About {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            About::Key => "key",
            About::Settings => "settings",
            About::Export => "export",
            About::Restored => "restored",
        }
    }
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

pub(crate) fn digest(text: &str) -> String {
    hex(Sha256::digest(text.as_bytes()))
}

/// Begins a change that writes: it takes its turn at once, so that leaves come in the order of the tree.
pub(crate) fn change(ledger: &Ledger) -> rusqlite::Result<Transaction<'_>> {
    Transaction::new_unchecked(&ledger.connection, TransactionBehavior::Immediate)
}

/// Adds a leaf, as part of the change that writes what it is of. Gives its number.
pub(crate) fn append(change: &Transaction<'_>, entry: &Leaf) -> rusqlite::Result<i64> {
    let json = serde_json::to_string(entry).expect("a leaf holds only texts and numbers");
    let (size, peaks): (i64, Vec<u8>) =
        change.query_row("SELECT size, peaks FROM frontier", [], |row| Ok((row.get(0)?, row.get(1)?)))?;
    // A frontier that somebody has spoiled is not mended here: the check says what does not fit.
    let mut tree = Frontier::from_bytes(size as u64, &peaks).unwrap_or_default();
    keep_made(change, size, &tree.append(leaf(json.as_bytes())))?;
    change.prepare_cached("INSERT INTO leaf (number, json) VALUES (?1, ?2)")?.execute(params![size, json])?;
    let mut grown = change.prepare_cached("UPDATE frontier SET size = ?1, peaks = ?2")?;
    grown.execute(params![size + 1, tree.to_bytes()])?;
    Ok(size)
}

/// Keeps the heads of the perfect parts that have come about with a leaf.
fn keep_made(change: &Transaction<'_>, number: i64, made: &[Hash]) -> rusqlite::Result<()> {
    let mut insert = change.prepare_cached("INSERT OR REPLACE INTO node (level, place, hash) VALUES (?1, ?2, ?3)")?;
    for (level, hash) in made.iter().enumerate() {
        insert.execute(params![level as i64, number >> level, hash])?;
    }
    Ok(())
}

/// Makes the nodes of a tree that an earlier version has kept without them, and tells each record its leaf.
pub(crate) fn keep_nodes(change: &Transaction<'_>) -> rusqlite::Result<()> {
    let mut tree = Frontier::default();
    let mut nth = std::collections::BTreeMap::<String, i64>::new();
    let mut leaves = change.prepare("SELECT number, json FROM leaf ORDER BY number")?;
    let mut rows = leaves.query([])?;
    while let Some(row) = rows.next()? {
        let (number, json): (i64, String) = (row.get(0)?, row.get(1)?);
        keep_made(change, number, &tree.append(leaf(json.as_bytes())))?;
        if let Ok(Leaf::Record { job, .. }) = serde_json::from_str(&json) {
            let n = nth.entry(job.clone()).or_default();
            let of = "SELECT number FROM record WHERE job = ?2 ORDER BY number LIMIT 1 OFFSET ?3";
            let tell = format!("UPDATE record SET leaf = ?1 WHERE number = ({of})");
            change.prepare_cached(&tell)?.execute(params![number, job, *n])?;
            *n += 1;
        }
    }
    Ok(())
}

/// The leaf of a record with the events of its job so far.
pub(crate) fn of_record(change: &Transaction<'_>, job: &str, made: &str, json: &str) -> rusqlite::Result<Leaf> {
    let (events, events_digest) = events(change, job, u64::MAX)?;
    change.prepare_cached("DELETE FROM uncovered WHERE job = ?1")?.execute([job])?;
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

/// What an unfinished job needs to go on beside its checkpoint, as a digest; `None`: it is not unfinished.
fn going_on(connection: &rusqlite::Connection, job: &str) -> rusqlite::Result<Option<String>> {
    let of = "SELECT before, papers FROM unfinished WHERE job = ?1";
    let both = connection
        .prepare_cached(of)?
        .query_row([job], |row| Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?)))
        .optional()?;
    Ok(both.map(|(before, papers)| digest(&format!("{before}\n{papers}"))))
}

/// Notes that events of a job are there that no entry covers yet.
pub(crate) fn note_uncovered(connection: &rusqlite::Connection, job: &str) -> rusqlite::Result<()> {
    connection.prepare_cached("INSERT OR IGNORE INTO uncovered (job) VALUES (?1)")?.execute([job]).map(drop)
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
    all.iter().try_for_each(|(.., entry)| append(change, entry).map(drop))
}

/// What a check of the ledger has found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Checked {
    /// Leaves.
    pub leaves: u64,
    /// What does not fit, each in a sentence.
    pub wrong: Vec<String>,
    /// Jobs with events that no entry covers yet: the next head does.
    pub uncovered: u64,
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

    /// The head that the tree had when it had so many leaves, by what is kept of it; `None`: it has fewer, or that is not kept.
    ///
    /// # Errors
    /// A damaged file.
    pub fn root_at(&self, size: u64) -> Result<Option<Hash>, LedgerError> {
        if size > self.head()?.size {
            return Ok(None);
        }
        if size == 0 {
            return Ok(Some(Frontier::default().root()));
        }
        let run = || -> rusqlite::Result<Hash> {
            let node = |level: u32, place: u64| {
                let mut kept = self.connection.prepare_cached("SELECT hash FROM node WHERE level = ?1 AND place = ?2")?;
                kept.query_row(params![level, place as i64], |row| row.get::<_, Hash>(0))
            };
            crate::tree::head_of(&node, 0, size)
        };
        run().optional().map_err(|e| self.sql(e))
    }

    /// Whether the ledger follows from a head that was kept of it: its entries then are its first ones now, or it was put back from a copy
    /// in place of that one, or taken as it is by a person, and says so itself.
    ///
    /// # Errors
    /// A damaged file.
    pub fn follows_from(&self, head: &Head) -> Result<bool, LedgerError> {
        if self.root_at(head.size)? == Some(head.root) {
            return Ok(true);
        }
        let root = hex(head.root);
        let says_so = |l: &Leaf| matches!(l, Leaf::Noted { about: About::Restored, digest: Some(of), .. } if *of == root);
        Ok(self.noted()?.iter().any(says_so))
    }

    /// Whether a record was added after the last thing that was noted of a key: after each of those a head is signed.
    ///
    /// # Errors
    /// A damaged file.
    pub fn has_records_since_a_key(&self) -> Result<bool, LedgerError> {
        let since =
            format!("SELECT EXISTS (SELECT 1 FROM record WHERE leaf > (SELECT max(number) FROM leaf WHERE {ABOUT} = 'key'))");
        let run = || self.connection.query_row(&since, [], |row| row.get(0));
        run().map_err(|e| self.sql(e))
    }

    /// Makes entries of the events that no record covers, so that the next head covers them too: of jobs that have none, that work still, or
    /// to which something was noted afterwards.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn cover_events(&self, when: Timestamp) -> Result<(), LedgerError> {
        let run = || -> rusqlite::Result<()> {
            let any = self.connection.query_row("SELECT EXISTS (SELECT 1 FROM uncovered)", [], |row| row.get::<_, bool>(0))?;
            if !any {
                return Ok(());
            }
            let change = change(self)?;
            let jobs: Vec<String> = change
                .prepare("SELECT job FROM uncovered ORDER BY job")?
                .query_map([], |row| row.get(0))?
                .collect::<Result<_, _>>()?;
            for job in jobs {
                let (events, events_digest) = events(&change, &job, u64::MAX)?;
                let going_on = going_on(&change, &job)?;
                append(&change, &Leaf::Events { job, when: when.to_string(), events, events_digest, going_on })?;
            }
            change.execute("DELETE FROM uncovered", [])?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// Notes that a person takes the ledger as it is, though it does not follow from a head that was kept of it.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn note_taken(&self, instead_of: &Head, when: Timestamp) -> Result<(), LedgerError> {
        let said = format!(
            "A person took the ledger as it is, though it does not follow from the head of {} entries that was kept of it.",
            instead_of.size
        );
        self.note_digest(About::Restored, &said, Some(hex(instead_of.root)), when)
    }

    /// Notes something that matters beside jobs.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn note(&self, about: About, said: &str, of: Option<&str>, when: Timestamp) -> Result<(), LedgerError> {
        self.note_digest(about, said, of.map(digest), when)
    }

    /// The same, with a digest that is known.
    pub(crate) fn note_digest(
        &self,
        about: About,
        said: &str,
        digest: Option<String>,
        when: Timestamp,
    ) -> Result<(), LedgerError> {
        let noted = Leaf::Noted { about, when: when.to_string(), said: said.into(), digest };
        let run = || -> rusqlite::Result<()> {
            let change = change(self)?;
            append(&change, &noted)?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// The last thing that was noted about something.
    fn last_noted(&self, about: About) -> rusqlite::Result<Option<Leaf>> {
        let last = format!("SELECT json FROM leaf WHERE {ABOUT} = ?1 ORDER BY number DESC LIMIT 1");
        let json: Option<String> = self.connection.query_row(&last, [about.word()], |row| row.get(0)).optional()?;
        Ok(json.and_then(|json| serde_json::from_str(&json).ok()))
    }

    /// Notes the settings by which jobs are worked, if they are others than those that were noted last.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn note_settings(&self, text: &str, when: Timestamp) -> Result<(), LedgerError> {
        match self.last_noted(About::Settings).map_err(|e| self.sql(e))? {
            Some(Leaf::Noted { digest: Some(then), .. }) if then == digest(text) => Ok(()),
            _ => self.note(About::Settings, text, Some(text), when),
        }
    }

    /// Everything beside jobs that was noted, the oldest first: about what, when, and what.
    ///
    /// # Errors
    /// A damaged file.
    pub fn noted(&self) -> Result<Vec<Leaf>, LedgerError> {
        let run = || -> rusqlite::Result<Vec<String>> {
            let all = format!("SELECT json FROM leaf WHERE {ABOUT} IS NOT NULL ORDER BY number");
            self.connection.prepare(&all)?.query_map([], |row| row.get(0))?.collect()
        };
        Ok(run().map_err(|e| self.sql(e))?.iter().filter_map(|json| serde_json::from_str(json).ok()).collect())
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

    /// Every head that was kept, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    pub fn heads(&self) -> Result<Vec<KeptHead>, LedgerError> {
        let run = || -> rusqlite::Result<Vec<(i64, String, Option<String>)>> {
            let mut statement = self.connection.prepare("SELECT size, root, note FROM head ORDER BY size")?;
            statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?.collect()
        };
        Ok(run().map_err(|e| self.sql(e))?.into_iter().map(kept_head).collect())
    }

    /// The newest head that was signed.
    ///
    /// # Errors
    /// A damaged file.
    pub fn newest_head(&self) -> Result<Option<KeptHead>, LedgerError> {
        let newest = "SELECT size, root, note FROM head WHERE note IS NOT NULL ORDER BY size DESC LIMIT 1";
        let run = || self.connection.query_row(newest, [], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?))).optional();
        Ok(run().map_err(|e| self.sql(e))?.map(kept_head))
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
                self.check_nodes(number, &tree.append(leaf(json.as_bytes())), &mut checked)?;
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
            self.check_rest(&seen, &mut checked)?;
            self.check_events(&seen, &mut checked)?;
            self.check_schema(&mut checked)?;
            self.check_index(&mut checked)
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
                let all = "SELECT made, json, leaf FROM record WHERE job = ?1 ORDER BY number";
                let row = |row: &rusqlite::Row<'_>| Ok(((row.get(0)?, row.get(1)?), row.get(2)?));
                let rows: Vec<((String, String), Option<i64>)> =
                    self.connection.prepare_cached(all)?.query_map([&job], row)?.collect::<rusqlite::Result<_>>()?;
                let now = rows.get(*nth);
                check_text("record", &job, &made, &record, now.map(|(text, _)| text), checked);
                if now.is_some_and(|(_, leaf)| *leaf != Some(number as i64)) {
                    checked.found(format!(
                        "The record of job {job} that was made at {made} names another entry than its own, {number}."
                    ));
                }
                *nth += 1;
                if events(&self.connection, &job, count)? != (count, events_digest) {
                    checked.found(format!("Of the {count} events of job {job} that were there when its record was made some are gone or were changed."));
                }
                seen.covers(job, count, None);
            }
            Ok(Leaf::Events { job, when, events: count, events_digest, going_on }) => {
                if events(&self.connection, &job, count)? != (count, events_digest) {
                    checked.found(format!(
                        "Of the {count} events of job {job} that were there at {when} some are gone or were changed."
                    ));
                }
                seen.covers(job, count, going_on);
            }
            Ok(Leaf::Verification { job, made, verification }) => {
                let nth = seen.looks.entry(job.clone()).or_default();
                let texts = self.texts("SELECT made, json FROM verification WHERE job = ?1 ORDER BY number", &job)?;
                check_text("second look", &job, &made, &verification, texts.get(*nth), checked);
                *nth += 1;
            }
            Ok(Leaf::Lot { lot, digest, .. }) => drop(seen.lots.insert(lot, digest)),
            Ok(Leaf::Release { serial, when, release }) => {
                seen.releases += 1;
                let there = "SELECT serial, made, json FROM release WHERE number = ?1";
                let now: Option<(String, String, String)> = self
                    .connection
                    .prepare_cached(there)?
                    .query_row([seen.releases as i64], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))
                    .optional()?;
                match now {
                    None => checked.found(format!("What was noted at {when} of the drive with serial {serial} is gone.")),
                    Some((s, made, json)) if s != serial || made != when || digest(&json) != release => checked.found(format!(
                        "What was noted at {when} of the drive with serial {serial} is not as it was written: it has been altered."
                    )),
                    Some(_) => {}
                }
            }
            // All that is kept of it stands in the leaf.
            Ok(Leaf::Noted { .. }) => {}
        }
        Ok(())
    }

    /// Whether the tree's inner heads are those of its leaves: papers are proved by them.
    fn check_nodes(&self, number: i64, made: &[Hash], checked: &mut Checked) -> rusqlite::Result<()> {
        let mut kept = self.connection.prepare_cached("SELECT hash FROM node WHERE level = ?1 AND place = ?2")?;
        for (level, hash) in made.iter().enumerate() {
            let there: Option<Vec<u8>> = kept.query_row(params![level as i64, number >> level], |row| row.get(0)).optional()?;
            if there.as_deref() != Some(hash.as_slice()) {
                checked.found(format!("What is kept of the tree above entry {number} is not of its entries."));
                break;
            }
        }
        Ok(())
    }

    /// Whether every job is found by what stands in its record, and its record holds.
    fn check_index(&self, checked: &mut Checked) -> rusqlite::Result<()> {
        let all = "SELECT name, drive, serial, started, (SELECT json FROM record WHERE job = name ORDER BY number DESC LIMIT 1) FROM job";
        let mut statement = self.connection.prepare(all)?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let (job, json): (String, Option<String>) = (row.get(0)?, row.get(4)?);
            let record = json.as_deref().map(Record::from_json);
            match &record {
                // The rules, or the format, are of another version: nobody has touched it, and the index is of that version.
                Some(Err(
                    BadRecord::ClaimDoesNotFollow { same_rules: false, .. }
                    | BadRecord::OtherFormat(_)
                    | BadRecord::OtherRules(_),
                )) => continue,
                Some(Err(why)) => checked.found(format!("The record of job {job} can't be believed: {why}.")),
                None | Some(Ok(_)) => {}
            }
            let record = record.and_then(Result::ok);
            let indexed = Indexed::of((&job, &row.get::<_, String>(1)?, row.get(2)?, &row.get::<_, String>(3)?), record.as_ref());
            if !indexed.is_found(&self.connection)? {
                checked.found(format!("Job {job} is not found by what stands in its record: what the list goes by was changed."));
            }
        }
        let count =
            |table: &str| self.connection.query_row(&format!("SELECT count(*) FROM {table}"), [], |row| row.get::<_, i64>(0));
        if count("entry")? != count("job")? {
            checked.found("The list of jobs is not that of the jobs that are there.".into());
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
            ("statement of what became of a drive", count("SELECT count(*) FROM release")?, seen.releases),
        ];
        for (what, n, written) in there.into_iter().filter(|(_, n, written)| n > written) {
            let more = jurex_core::units::counted(n - written, what);
            checked.found(format!("{more} more than were ever written here: put in by other means."));
        }
        for name in crate::releases::wrong_matters(&self.connection)? {
            checked
                .found(format!("What the list says is to be seen to of drive {name} does not follow from what happened to it."));
        }
        self.check_lots(seen, checked)
    }

    /// Whether every event is one that an entry covers, or that waits to be covered; and whether jobs would go on with what they began with.
    fn check_events(&self, seen: &Seen, checked: &mut Checked) -> rusqlite::Result<()> {
        if self.format < WITH_EVENTS {
            return Ok(());
        }
        let waits: std::collections::BTreeSet<String> =
            self.connection.prepare("SELECT job FROM uncovered")?.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
        checked.uncovered = waits.len() as u64;
        let mut all = self.connection.prepare("SELECT job, count(*) FROM event GROUP BY job")?;
        let mut rows = all.query([])?;
        while let Some(row) = rows.next()? {
            let (job, n): (String, i64) = (row.get(0)?, row.get(1)?);
            let covered = seen.covered.get(&job).map_or(0, |(n, _)| *n);
            if n as u64 > covered && !waits.contains(&job) {
                let more = jurex_core::units::counted(n as u64 - covered, "event");
                checked.found(format!("Job {job} has {more} more than any entry tells of: put in by other means."));
            }
        }
        for (job, (_, then)) in seen.covered.iter().filter(|(job, _)| !waits.contains(*job)) {
            if let (Some(then), Some(now)) = (then, going_on(&self.connection, job)?)
                && *then != now
            {
                checked.found(format!(
                    "What job {job} would go on with (what was on its drive, what people said of it) is not as it was written."
                ));
            }
        }
        self.check_checkpoints(checked)
    }

    /// Whether each checkpoint is of the drive that its job began on. One that can't be read is of another version, and goes nowhere.
    fn check_checkpoints(&self, checked: &mut Checked) -> rusqlite::Result<()> {
        let all = "SELECT job, serial, checkpoint FROM unfinished LEFT JOIN job ON name = job WHERE checkpoint IS NOT NULL";
        let mut all = self.connection.prepare(all)?;
        let mut rows = all.query([])?;
        while let Some(row) = rows.next()? {
            let (job, serial, text): (String, Option<String>, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
            let Ok(checkpoint) = Checkpoint::from_json(&text) else { continue };
            if checkpoint.drive().unit.serial() != serial.as_deref() {
                checked.found(format!("What is kept of unfinished job {job} is of another drive than the one that it began on."));
            }
        }
        Ok(())
    }

    /// Whether the file is made of what this version makes, and of nothing else: a trigger could change what is written.
    fn check_schema(&self, checked: &mut Checked) -> rusqlite::Result<()> {
        if self.format != crate::format::KNOWN {
            return Ok(());
        }
        let (now, fresh) = (crate::format::schema(&self.connection)?, crate::format::fresh_schema()?);
        for [kind, name, table, _] in now.difference(&fresh) {
            checked.found(format!("The file holds a {kind} called {name}, of {table}, that no Jurex has made so."));
        }
        for [kind, name, ..] in fresh.difference(&now) {
            checked.found(format!("The {kind} {name} of the file is gone, or is another."));
        }
        Ok(())
    }

    /// Whether every list of expected drives is the one that was kept last.
    fn check_lots(&self, seen: &Seen, checked: &mut Checked) -> rusqlite::Result<()> {
        let mut statement = self.connection.prepare("SELECT name, json FROM lot ORDER BY name")?;
        let there: std::collections::BTreeMap<String, String> =
            statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?.collect::<rusqlite::Result<_>>()?;
        for (lot, then) in &seen.lots {
            match there.get(lot) {
                None => checked.found(format!("Lot {lot} is gone.")),
                Some(json) if digest(json) != *then => {
                    checked.found(format!("The list of lot {lot} is not as it was written: it has been altered."));
                }
                Some(_) => {}
            }
        }
        let closed = "SELECT name FROM lot WHERE open <> (iif(json_valid(json), json_extract(json, '$.closed'), NULL) IS NULL)";
        let mut wrong = self.connection.prepare(closed)?;
        let wrong: Vec<String> = wrong.query_map([], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
        for lot in wrong {
            checked.found(format!("Lot {lot} is listed as open or closed, and its list says the other."));
        }
        for lot in there.keys().filter(|lot| !seen.lots.contains_key(*lot)) {
            checked.found(format!("Lot {lot} was put in by other means."));
        }
        Ok(())
    }
}

/// One whose root can't be read has none that fits.
fn kept_head((size, root, note): (i64, String, Option<String>)) -> KeptHead {
    let root = jurex_core::text::hex::decode(&root).and_then(|r| r.try_into().ok()).unwrap_or_default();
    KeptHead { head: Head { size: size as u64, root }, note }
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

impl Seen {
    fn covers(&mut self, job: String, events: u64, going_on: Option<String>) {
        let covered = self.covered.entry(job).or_default();
        *covered = (events.max(covered.0), going_on);
    }
}

/// What the leaves so far have told of.
#[derive(Default)]
struct Seen {
    jobs: u64,
    releases: u64,
    records: std::collections::BTreeMap<String, usize>,
    looks: std::collections::BTreeMap<String, usize>,
    /// Of each job the events that entries tell of, and what it would go on with.
    covered: std::collections::BTreeMap<String, (u64, Option<String>)>,
    /// Digests of the lots as they were kept last.
    lots: std::collections::BTreeMap<String, String>,
}
