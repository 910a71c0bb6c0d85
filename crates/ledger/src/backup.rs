//! Copies of the ledger, made while others write to it, and put back.

use crate::{Ledger, LedgerError, make_private, sql};
use rusqlite::Connection;
use std::path::Path;

impl Ledger {
    /// Copies the ledger into a new file, while others may write to it. What jobs that were cut short need to go on is left out: it
    /// holds seeds, and would be of an earlier moment by the time that anybody used it.
    ///
    /// # Errors
    /// The file is there already, a full disk, no rights.
    pub fn backup(&self, to: &Path) -> Result<(), LedgerError> {
        let failed = |cause| LedgerError::Folder { path: to.display().to_string(), cause };
        if to.exists() {
            return Err(failed(std::io::ErrorKind::AlreadyExists.into()));
        }
        let folder = to.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        // Private from its first byte on, and there under its name only when it is whole.
        let work = tempfile::Builder::new().prefix(".jurex-").tempdir_in(folder).map_err(failed)?;
        let copy = work.path().join("ledger.sqlite3");
        self.connection.execute("VACUUM INTO ?1", [copy.display().to_string()]).map_err(|e| self.sql(e))?;
        make_private(&copy);
        let wipe = || -> rusqlite::Result<()> {
            let connection = Connection::open(&copy)?;
            connection.pragma_update(None, "secure_delete", true)?;
            connection.execute("DELETE FROM unfinished", [])?;
            connection.query_row("PRAGMA journal_mode = delete", [], |_| Ok(())).or(Ok(()))
        };
        wipe().map_err(|e| sql(&copy, e))?;
        std::fs::File::open(&copy).and_then(|f| f.sync_all()).map_err(failed)?;
        // A hard link is never made over a file that is there.
        std::fs::hard_link(&copy, to).map_err(failed)?;
        std::fs::File::open(folder).and_then(|f| f.sync_all()).map_err(failed)
    }
}
