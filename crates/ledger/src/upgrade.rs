//! Brings a file of an earlier format up to date.

use crate::format::{KNOWN, MIGRATIONS, WITH_INDEX, WITH_RELEASES, WITH_TREE};
use crate::{chain, index, releases};
use rusqlite::Transaction;

/// Takes all steps that are still to be taken.
pub(crate) fn bring_up_to_date(change: &Transaction<'_>) -> rusqlite::Result<()> {
    let done: i64 = change.query_row("PRAGMA user_version", [], |row| row.get(0))?;
    for step in &MIGRATIONS[(done.max(0) as usize).min(MIGRATIONS.len())..] {
        change.execute_batch(step)?;
    }
    if done < WITH_TREE {
        chain::migrate(change)?;
    }
    if done < WITH_INDEX {
        chain::keep_nodes(change)?;
        index::migrate(change)?;
    }
    if done < WITH_RELEASES {
        releases::migrate(change)?;
    }
    change.pragma_update(None, "user_version", KNOWN)
}
