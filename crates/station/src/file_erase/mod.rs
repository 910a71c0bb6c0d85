//! Less than a drive, from what is asked to the record: for the commands and for the interface.

mod browse;
mod files;
mod free;
pub mod made_up;
pub mod notes;

pub use browse::{FolderEntry, MountedVolume, Sums, list, sums, volumes};
pub use files::{FilesWish, Surveyed, erase, go_on, survey};
pub use free::{FreePlan, FreeWish, clean_up, fill, plan_free};

use jurex_linux::files::{FilesProgress, FillProgress};
use std::time::Duration;

/// What a name weighs beside the bytes of its file, in bytes: opening, renaming and removing take their time too.
const NAME: u64 = 256 << 10;

/// How far an erasure of files has come, from 0 to 1.
pub fn share(progress: &FilesProgress) -> f64 {
    let of = progress.of_bytes.saturating_add(progress.of_names.saturating_mul(NAME));
    let done = progress.bytes.saturating_add(progress.names.saturating_mul(NAME));
    (done as f64 / of.max(1) as f64).min(1.0)
}

/// How far a filling has come, from 0 to 1.
pub fn share_of_fill(progress: &FillProgress) -> f64 {
    (progress.bytes as f64 / progress.of_bytes.max(1) as f64).min(1.0)
}

/// The time that is left, once enough is done to tell.
pub fn left(share: f64, took: Duration) -> Option<Duration> {
    (share > 0.005 && took.as_secs_f64() > 0.5).then(|| took.mul_f64((1.0 - share) / share))
}

/// In large letters wherever it is reported.
pub const NO_SANITIZATION: &str = "THIS IS NOT A SANITIZATION OF THE DRIVE.";

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_time_that_is_left_is_told_once_it_can_be() {
        assert_eq!(left(0.25, Duration::from_secs(10)), Some(Duration::from_secs(30)));
        assert_eq!(left(0.001, Duration::from_secs(10)), None);
        let progress = FilesProgress { names: 1, of_names: 2, bytes: 0, of_bytes: 0, folder: "/".into() };
        assert_eq!(share(&progress), 0.5);
    }
}
