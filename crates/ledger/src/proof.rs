//! That a record stands in the ledger: its leaf, and the way up from it to a signed head.

use crate::Ledger;
use jurex_past::tree::{self, Hash, climb};
use jurex_past::{Inclusion, PastError, StoredHead};
use jurex_sanitize::record::JobId;
use rusqlite::params;

impl Ledger {
    /// What proves that a job's newest record stands in the ledger: by the newest signed head that covers it. `None`: no head was
    /// signed since it was written.
    ///
    /// # Errors
    /// A damaged file.
    pub fn inclusion(&self, job: &JobId) -> Result<Option<Inclusion>, PastError> {
        let Some((_, Some(number))) = self.newest_text(job)? else { return Ok(None) };
        let covers = |k: &StoredHead| k.note.is_some() && k.head.size > number as u64;
        let Some(kept) = self.newest_head()?.filter(covers) else { return Ok(None) };
        let run = || -> rusqlite::Result<(String, Vec<Hash>)> {
            let leaf = self.connection.query_row("SELECT json FROM leaf WHERE number = ?1", [number], |row| row.get(0))?;
            let node = |level: u32, place: u64| {
                let mut kept = self.connection.prepare_cached("SELECT hash FROM node WHERE level = ?1 AND place = ?2")?;
                kept.query_row(params![level, place as i64], |row| row.get::<_, Hash>(0))
            };
            Ok((leaf, tree::path(&node, number as u64, kept.head.size)?))
        };
        let (leaf, path) = run().map_err(|e| self.sql(e))?;
        let leads = climb(tree::leaf(leaf.as_bytes()), number as u64, kept.head.size, &path) == Some(kept.head.root);
        // Of a tree that was touched nothing is proved.
        Ok(kept.note.filter(|_| leads).map(|note| Inclusion { leaf, place: number as u64, path, note }))
    }
}
