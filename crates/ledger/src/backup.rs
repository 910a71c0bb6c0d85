//! Copies of the ledger, made while others write to it, and put back.

use crate::{Ledger, make_private, sql};
use jiff::Timestamp;
use jurex_past::{NotedSubject, PastError, TreeHead};
use rusqlite::Connection;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};

impl Ledger {
    /// Copies the ledger into a new file, while others may write to it. What jobs that were cut short need to go on is left out: it
    /// holds seeds, and would be of an earlier moment by the time that anybody used it.
    ///
    /// # Errors
    /// The file is there already, a full disk, no rights.
    pub fn backup(&self, to: &Path) -> Result<(), PastError> {
        let failed = |cause| PastError::Folder { path: to.display().to_string(), cause };
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
        // Never over a file that is there; sticks have file systems without hard links.
        tempfile::TempPath::try_from_path(&copy)
            .and_then(|copy| copy.persist_noclobber(to).map_err(|e| e.error))
            .map_err(failed)?;
        std::fs::File::open(folder).and_then(|f| f.sync_all()).map_err(failed)
    }

    /// Puts a copy in the place of the ledger at `path`, and notes that in it. The ledger that was there stays beside it under another
    /// name. Gives that name, if there was one.
    ///
    /// # Errors
    /// The copy is no ledger, or was touched; jobs are at work on the ledger; a full disk, no rights. Nothing is changed then.
    pub fn restore(copy: &Path, path: &Path, when: Timestamp) -> Result<Option<PathBuf>, PastError> {
        let failed = |of: &Path, cause| PastError::Folder { path: of.display().to_string(), cause };
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        std::fs::DirBuilder::new().recursive(true).mode(0o700).create(folder).map_err(|e| failed(folder, e))?;
        // Looked at as a whole before anything is moved.
        let work = tempfile::Builder::new().prefix(".jurex-").tempdir_in(folder).map_err(|e| failed(folder, e))?;
        let new = work.path().join("ledger.sqlite3");
        std::fs::copy(copy, &new).map_err(|e| failed(copy, e))?;
        let heads = {
            let ledger = Ledger::open(&new)?;
            let heads: Vec<TreeHead> = ledger.heads()?.into_iter().map(|k| k.head).collect();
            if let Some(wrong) = ledger.check_chain(&heads)?.wrong.into_iter().next() {
                return Err(PastError::CopyTouched { path: copy.display().to_string(), wrong });
            }
            ledger.head()?
        };
        let mut said = format!("Put back from a copy of {} entries.", heads.size);
        let mut replaced = None;
        if path.exists() {
            let head = Ledger::open(path).and_then(|old| old.close_for_good())?;
            said += &format!(" The ledger in its place had {} entries.", head.size);
            let name = format!("ledger-replaced-{}.sqlite3", when.strftime("%Y%m%dT%H%M%SZ"));
            let aside = folder.join(name);
            put_aside(path, &aside).map_err(|e| failed(&aside, e))?;
            replaced = Some((aside, head));
        }
        {
            let ledger = Ledger::open(&new)?;
            let root = replaced.as_ref().map(|(_, head)| jurex_pattern::text::hex::encode(&head.root));
            ledger.note_digest(NotedSubject::Restored, &said, root, when)?;
            ledger.close_for_good()?;
        }
        std::fs::File::open(&new).and_then(|f| f.sync_all()).map_err(|e| failed(&new, e))?;
        std::fs::rename(&new, path).map_err(|e| failed(path, e))?;
        std::fs::File::open(folder).and_then(|f| f.sync_all()).map_err(|e| failed(folder, e))?;
        Ok(replaced.map(|(aside, _)| aside))
    }

    /// Takes the ledger out of use: all that is written is in its one file, and nobody else has it open. Gives its head.
    fn close_for_good(self) -> Result<TreeHead, PastError> {
        let head = self.head()?;
        let run = || -> rusqlite::Result<()> {
            self.connection.busy_timeout(std::time::Duration::from_secs(2))?;
            self.connection.query_row("PRAGMA journal_mode = delete", [], |_| Ok(()))
        };
        run().map_err(|e| self.sql(e))?;
        Ok(head)
    }
}

/// Gives the file a second name, under which it stays when the first is given to another; never over a file that is there. Sticks have file
/// systems without hard links: there it is copied.
fn put_aside(path: &Path, aside: &Path) -> std::io::Result<()> {
    match std::fs::hard_link(path, aside) {
        Err(e) if e.kind() != std::io::ErrorKind::AlreadyExists => {
            let mut copy = std::fs::OpenOptions::new().write(true).create_new(true).open(aside)?;
            std::io::copy(&mut std::fs::File::open(path)?, &mut copy)?;
            make_private(aside);
            copy.sync_all()
        }
        done => done,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_put_aside_is_never_written_over() {
        let dir = tempfile::tempdir().unwrap();
        let (path, aside) = (dir.path().join("ledger"), dir.path().join("aside"));
        std::fs::write(&path, "new").unwrap();
        std::fs::write(&aside, "of an earlier time").unwrap();
        assert_eq!(put_aside(&path, &aside).unwrap_err().kind(), std::io::ErrorKind::AlreadyExists);
        assert_eq!(std::fs::read_to_string(&aside).unwrap(), "of an earlier time");
        std::fs::remove_file(&aside).unwrap();
        put_aside(&path, &aside).unwrap();
        assert_eq!(std::fs::read_to_string(&aside).unwrap(), "new");
    }
}
