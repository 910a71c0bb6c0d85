//! Drives that are asked nothing now, since a job talks to them: a question in the middle of an erasure of their own would abort
//! it (SECURITY ERASE PREPARE and UNIT must follow one another), or make the kernel reset their link.

use std::collections::BTreeSet;
use std::sync::{Mutex, MutexGuard, PoisonError};

static QUIET: Mutex<BTreeSet<String>> = Mutex::new(BTreeSet::new());

fn all() -> MutexGuard<'static, BTreeSet<String>> {
    QUIET.lock().unwrap_or_else(PoisonError::into_inner)
}

/// As long as it lives, nobody else of this process asks the drive at that path.
#[derive(Debug)]
pub(crate) struct Quiet(String);

impl Quiet {
    pub(crate) fn about(path: &str) -> Self {
        all().insert(path.into());
        Self(path.into())
    }
}

impl Drop for Quiet {
    fn drop(&mut self) {
        all().remove(&self.0);
    }
}

/// Whether the drive at that path is to be left alone.
pub(crate) fn is_quiet(path: &str) -> bool {
    all().contains(path)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drive_is_left_alone_for_as_long_as_it_is_wanted() {
        let held = Quiet::about("/dev/quiet-test");
        assert!(is_quiet("/dev/quiet-test") && !is_quiet("/dev/other"));
        drop(held);
        assert!(!is_quiet("/dev/quiet-test"));
    }
}
