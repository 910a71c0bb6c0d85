//! Whether the file is what was ever written to it: every entry, the tree over them, and whatever is there beside them.

use crate::Ledger;
use crate::chain::{digest, events, going_on};
use crate::format::WITH_EVENTS;
use crate::index::Indexed;
use jurex_engine::Checkpoint;
use jurex_past::tree::{Frontier, Hash, leaf};
use jurex_past::{Leaf, PastError, TreeHead};
use jurex_sanitize::record::{BadRecord, Record};
use rusqlite::{OptionalExtension, params};

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
const MAX_TOLD: usize = 40;

impl Checked {
    fn found(&mut self, sentence: String) {
        match self.wrong.len().cmp(&MAX_TOLD) {
            std::cmp::Ordering::Less => self.wrong.push(sentence),
            std::cmp::Ordering::Equal => self.wrong.push("There is more that does not fit.".into()),
            std::cmp::Ordering::Greater => {}
        }
    }
}

impl Ledger {
    /// Goes through everything that was ever written: whether it is there as it was, whether anything is there that was not written so,
    /// and whether the tree over it has these heads.
    ///
    /// # Errors
    /// A file that can't be read.
    pub fn check_chain(&self, heads: &[TreeHead]) -> Result<Checked, PastError> {
        let mut checked = Checked::default();
        let mut run = || -> rusqlite::Result<()> {
            let mut seen = SeenLeaves::default();
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
    fn check_leaf(&self, number: u64, json: &str, seen: &mut SeenLeaves, checked: &mut Checked) -> rusqlite::Result<()> {
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
                check_text("second check", &job, &made, &verification, texts.get(*nth), checked);
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
    fn check_rest(&self, seen: &SeenLeaves, checked: &mut Checked) -> rusqlite::Result<()> {
        let count = |query: &str| self.connection.query_row(query, [], |row| row.get::<_, i64>(0)).map(|n| n as u64);
        let all = |by_job: &std::collections::BTreeMap<String, usize>| by_job.values().sum::<usize>() as u64;
        let there = [
            ("job", count("SELECT count(*) FROM job")?, seen.jobs),
            ("record", count("SELECT count(*) FROM record")?, all(&seen.records)),
            ("second check", count("SELECT count(*) FROM verification")?, all(&seen.looks)),
            ("statement of what became of a drive", count("SELECT count(*) FROM release")?, seen.releases),
        ];
        for (what, n, written) in there.into_iter().filter(|(_, n, written)| n > written) {
            let more = jurex_pattern::units::counted(n - written, what);
            checked.found(format!("{more} more than were ever written here: put in by other means."));
        }
        for name in crate::releases::wrong_matters(&self.connection)? {
            checked
                .found(format!("What the list says must be decided of drive {name} does not follow from what happened to it."));
        }
        self.check_lots(seen, checked)
    }

    /// Whether every event is one that an entry covers, or that waits to be covered; and whether jobs would go on with what they began with.
    fn check_events(&self, seen: &SeenLeaves, checked: &mut Checked) -> rusqlite::Result<()> {
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
                let more = jurex_pattern::units::counted(n as u64 - covered, "event");
                checked.found(format!("Job {job} has {more} more than any entry tells of: put in by other means."));
            }
        }
        for (job, (_, then)) in seen.covered.iter().filter(|(job, _)| !waits.contains(*job)) {
            if let (Some(then), Some(now)) = (then, going_on(&self.connection, job)?)
                && *then != now
            {
                checked.found(format!(
                    "What job {job} would resume with (what was on its drive, what people said of it) is not as it was written."
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
    fn check_lots(&self, seen: &SeenLeaves, checked: &mut Checked) -> rusqlite::Result<()> {
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

impl SeenLeaves {
    fn covers(&mut self, job: String, events: u64, going_on: Option<String>) {
        let covered = self.covered.entry(job).or_default();
        *covered = (events.max(covered.0), going_on);
    }
}

/// What the leaves so far have told of.
#[derive(Default)]
struct SeenLeaves {
    jobs: u64,
    releases: u64,
    records: std::collections::BTreeMap<String, usize>,
    looks: std::collections::BTreeMap<String, usize>,
    /// Of each job the events that entries tell of, and what it would go on with.
    covered: std::collections::BTreeMap<String, (u64, Option<String>)>,
    /// Digests of the lots as they were kept last.
    lots: std::collections::BTreeMap<String, String>,
}
