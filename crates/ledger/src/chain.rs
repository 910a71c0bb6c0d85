//! What was written, as leaves of the tree, in the order of writing; and whether what the ledger holds now is that.

use crate::Ledger;
use crate::format::ABOUT;
use jiff::Timestamp;
use jurex_past::tree::{self, Frontier, Hash, leaf};
use jurex_past::{Leaf, NotedSubject, PastError, StoredHead, TreeHead};
use rusqlite::{OptionalExtension, Transaction, TransactionBehavior, params};
use sha2::{Digest, Sha256};

pub(crate) fn hex(bytes: impl AsRef<[u8]>) -> String {
    jurex_pattern::text::hex::encode(bytes.as_ref())
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
pub(crate) fn events(connection: &rusqlite::Connection, job: &str, most: u64) -> rusqlite::Result<(u64, String)> {
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
pub(crate) fn going_on(connection: &rusqlite::Connection, job: &str) -> rusqlite::Result<Option<String>> {
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
pub(crate) fn migrate(change: &Transaction<'_>) -> rusqlite::Result<()> {
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

impl Ledger {
    /// The head of the tree as it is now.
    ///
    /// # Errors
    /// A damaged file.
    pub fn head(&self) -> Result<TreeHead, PastError> {
        let (size, peaks): (i64, Vec<u8>) = self
            .connection
            .query_row("SELECT size, peaks FROM frontier", [], |row| Ok((row.get(0)?, row.get(1)?)))
            .map_err(|e| self.sql(e))?;
        let tree = Frontier::from_bytes(size as u64, &peaks).unwrap_or_default();
        Ok(TreeHead { size: size as u64, root: tree.root() })
    }

    /// The head that the tree had when it had so many leaves, by what is kept of it; `None`: it has fewer, or that is not kept.
    ///
    /// # Errors
    /// A damaged file.
    pub fn root_at(&self, size: u64) -> Result<Option<Hash>, PastError> {
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
            tree::head_of(&node, 0, size)
        };
        run().optional().map_err(|e| self.sql(e))
    }

    /// Whether the ledger follows from a head that was kept of it: its entries then are its first ones now, or it was put back from a copy
    /// in place of that one, or taken as it is by a person, and says so itself.
    ///
    /// # Errors
    /// A damaged file.
    pub fn follows_from(&self, head: &TreeHead) -> Result<bool, PastError> {
        if self.root_at(head.size)? == Some(head.root) {
            return Ok(true);
        }
        let root = hex(head.root);
        let says_so = |l: &Leaf| matches!(l, Leaf::Noted { about: NotedSubject::Restored, digest: Some(of), .. } if *of == root);
        Ok(self.noted()?.iter().any(says_so))
    }

    /// Whether a record was added after the last thing that was noted of a key: after each of those a head is signed.
    ///
    /// # Errors
    /// A damaged file.
    pub fn has_records_since_a_key(&self) -> Result<bool, PastError> {
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
    pub fn cover_events(&self, when: Timestamp) -> Result<(), PastError> {
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
    pub fn note_taken(&self, instead_of: &TreeHead, when: Timestamp) -> Result<(), PastError> {
        let said = format!(
            "A person took the ledger as it is, though it does not follow from the head of {} entries that was kept of it.",
            instead_of.size
        );
        self.note_digest(NotedSubject::Restored, &said, Some(hex(instead_of.root)), when)
    }

    /// Notes something that matters beside jobs.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn note(&self, about: NotedSubject, said: &str, of: Option<&str>, when: Timestamp) -> Result<(), PastError> {
        self.note_digest(about, said, of.map(digest), when)
    }

    /// The same, with a digest that is known.
    pub(crate) fn note_digest(
        &self,
        about: NotedSubject,
        said: &str,
        digest: Option<String>,
        when: Timestamp,
    ) -> Result<(), PastError> {
        let noted = Leaf::Noted { about, when: when.to_string(), said: said.into(), digest };
        let run = || -> rusqlite::Result<()> {
            let change = change(self)?;
            append(&change, &noted)?;
            change.commit()
        };
        run().map_err(|e| self.sql(e))
    }

    /// The last thing that was noted about something.
    fn last_noted(&self, about: NotedSubject) -> rusqlite::Result<Option<Leaf>> {
        let last = format!("SELECT json FROM leaf WHERE {ABOUT} = ?1 ORDER BY number DESC LIMIT 1");
        let json: Option<String> = self.connection.query_row(&last, [about.word()], |row| row.get(0)).optional()?;
        Ok(json.and_then(|json| serde_json::from_str(&json).ok()))
    }

    /// Notes the settings by which jobs are worked, if they are others than those that were noted last.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn note_settings(&self, text: &str, when: Timestamp) -> Result<(), PastError> {
        match self.last_noted(NotedSubject::Settings).map_err(|e| self.sql(e))? {
            Some(Leaf::Noted { digest: Some(then), .. }) if then == digest(text) => Ok(()),
            _ => self.note(NotedSubject::Settings, text, Some(text), when),
        }
    }

    /// Everything beside jobs that was noted, the oldest first: about what, when, and what.
    ///
    /// # Errors
    /// A damaged file.
    pub fn noted(&self) -> Result<Vec<Leaf>, PastError> {
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
    pub fn keep_head(&self, head: &TreeHead, note: &str) -> Result<(), PastError> {
        let row = params![head.size as i64, hex(head.root), note];
        let insert = "INSERT OR IGNORE INTO head (size, root, note) VALUES (?1, ?2, ?3)";
        self.connection.execute(insert, row).map_err(|e| self.sql(e)).map(drop)
    }

    /// Every head that was kept, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    pub fn heads(&self) -> Result<Vec<StoredHead>, PastError> {
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
    pub fn newest_head(&self) -> Result<Option<StoredHead>, PastError> {
        let newest = "SELECT size, root, note FROM head WHERE note IS NOT NULL ORDER BY size DESC LIMIT 1";
        let run = || self.connection.query_row(newest, [], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?))).optional();
        Ok(run().map_err(|e| self.sql(e))?.map(kept_head))
    }
}

/// One whose root can't be read has none that fits.
fn kept_head((size, root, note): (i64, String, Option<String>)) -> StoredHead {
    let root = jurex_pattern::text::hex::decode(&root).and_then(|r| r.try_into().ok()).unwrap_or_default();
    StoredHead { head: TreeHead { size: size as u64, root }, note }
}
