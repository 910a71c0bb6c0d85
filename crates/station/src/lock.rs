//! Tells whether another Jurex uses the same ledger now.

use std::fs::{File, OpenOptions, TryLockError};
use std::path::Path;

fn file(ledger: &Path) -> Option<File> {
    let path = ledger.with_extension("lock");
    std::fs::create_dir_all(path.parent()?).ok()?;
    OpenOptions::new().create(true).truncate(false).write(true).open(path).ok()
}

/// Held while this is the only one; `None` if another one runs, or that can't be told.
pub fn alone(ledger: &Path) -> Option<File> {
    let file = file(ledger)?;
    match file.try_lock() {
        Ok(()) => Some(file),
        Err(TryLockError::WouldBlock | TryLockError::Error(_)) => None,
    }
}

/// Held while this one runs.
pub fn shared(ledger: &Path) -> Option<File> {
    let file = file(ledger)?;
    file.lock_shared().ok()?;
    Some(file)
}
