//! The lots of a bench: which drives are expected. Each change of a list is a leaf of the tree.

use crate::chain::{self, Leaf};
use crate::index::Standing;
use crate::{Known, Ledger, LedgerError, Line};
use jiff::Timestamp;
use jurex_core::lot::{Item, Lot, OfLot, same_serial};
use jurex_core::proof::VerificationRecord;
use jurex_core::record::JobId;
use rusqlite::{OptionalExtension, params};
use std::collections::BTreeSet;

/// A lot with its jobs as they are now.
#[derive(Clone, Debug, PartialEq)]
pub struct LotNow {
    /// The lot.
    pub lot: Lot,
    /// Its jobs, the oldest first.
    pub jobs: Vec<OfLot>,
    /// All that is known of its drives, jobs of other lots with it.
    pub known: Vec<Known>,
}

impl LotNow {
    /// How every drive stands, those that were destroyed by what is stated of that. `here` are the serials of drives that are attached.
    pub fn items(&self, here: &[&str]) -> Vec<Item> {
        let mut items = self.lot.items(&self.jobs, here);
        for item in &mut items {
            let known = self.known.iter().find(|k| same_serial(&k.name, &item.serial));
            if let Some(release) = known.and_then(Known::destruction) {
                item.destroy(release.clone());
            }
            // What came in after the lot was closed is none of its business.
            let is_of_lot = |when: &Timestamp| self.lot.closed.is_none_or(|closed| *when <= closed);
            if item.job.is_some() && known.and_then(Known::came_back).is_some_and(|when| is_of_lot(&when)) {
                item.come_back();
            }
        }
        items
    }
}

impl Ledger {
    /// Keeps a lot as it is now, and what was done to it in a sentence.
    ///
    /// # Errors
    /// A full disk, no rights.
    pub fn keep_lot(&self, lot: &Lot, said: &str, when: Timestamp) -> Result<(), LedgerError> {
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
    pub fn lot(&self, name: &str) -> Result<Option<Lot>, LedgerError> {
        let one = || {
            self.connection.query_row("SELECT json FROM lot WHERE name = ?1", [name], |row| row.get::<_, String>(0)).optional()
        };
        Ok(one().map_err(|e| self.sql(e))?.and_then(|json| serde_json::from_str(&json).ok()))
    }

    /// Every lot, or those that are open; by name.
    ///
    /// # Errors
    /// A damaged file.
    pub fn lots(&self, only_open: bool) -> Result<Vec<Lot>, LedgerError> {
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
    pub fn lot_now(&self, lot: Lot) -> Result<LotNow, LedgerError> {
        let of = |line: Line| {
            let record = match line.standing {
                Standing::Recorded(record) => Some(record),
                Standing::NoRecord | Standing::NotBelieved(_) => None,
            };
            (line.job, line.serial, record)
        };
        let mut lines = self.of_lot(&lot.name)?;
        // What was done to an expected drive since then counts whatever lot it was done for, also where it has no record yet: a job
        // that was stopped must not hide behind an earlier one that was not.
        for expected in &lot.expected {
            let since = |line: &Line| line.started.parse::<Timestamp>().is_ok_and(|started| started >= lot.opened);
            lines.extend(self.of_serial(&expected.serial)?.into_iter().filter(since));
        }
        lines.sort_by_key(|line| line.number);
        lines.dedup_by_key(|line| line.number);
        let serials = lot.expected.iter().map(|e| e.serial.as_str()).chain(lines.iter().filter_map(|l| l.serial.as_deref()));
        let serials: BTreeSet<String> = serials.map(|s| s.trim().to_ascii_uppercase()).filter(|s| !s.is_empty()).collect();
        let known = serials.iter().filter_map(|s| self.known(s).transpose()).collect::<Result<Vec<_>, _>>()?;
        Ok(LotNow { jobs: lines.into_iter().map(of).collect(), known, lot })
    }

    /// The verification records of a job, the oldest first. What can't be used is left out.
    ///
    /// # Errors
    /// A damaged file.
    pub fn verifications(&self, job: &JobId) -> Result<Vec<VerificationRecord>, LedgerError> {
        let run = || -> rusqlite::Result<Vec<String>> {
            let mut all = self.connection.prepare_cached("SELECT json FROM verification WHERE job = ?1 ORDER BY number")?;
            all.query_map([job.as_str()], |row| row.get(0))?.collect()
        };
        let texts = run().map_err(|e| self.sql(e))?;
        Ok(texts.iter().filter_map(|json| VerificationRecord::from_json(json).ok()).collect())
    }
}
