//! Less than a drive, from what is asked to the record: for the commands and for the interface.

mod browse;
mod files;
mod free;
pub(crate) mod notes;

pub(crate) use browse::{Listed, Sums, Volume, list, sums, volumes};
pub(crate) use files::{FilesWish, Surveyed, erase, go_on, survey};
pub(crate) use free::{FreePlan, FreeWish, clean_up, fill, plan_free};

use jurex_linux::files::{FilesProgress, FillProgress};
use std::time::Duration;

/// What a name weighs beside the bytes of its file, in bytes: opening, renaming and removing take their time too.
const NAME: u64 = 256 << 10;

/// How far an erasure of files has come, from 0 to 1.
pub(crate) fn share(progress: &FilesProgress) -> f64 {
    let of = progress.of_bytes.saturating_add(progress.of_names.saturating_mul(NAME));
    let done = progress.bytes.saturating_add(progress.names.saturating_mul(NAME));
    (done as f64 / of.max(1) as f64).min(1.0)
}

/// How far a filling has come, from 0 to 1.
pub(crate) fn share_of_fill(progress: &FillProgress) -> f64 {
    (progress.bytes as f64 / progress.of_bytes.max(1) as f64).min(1.0)
}

/// The time that is left, once enough is done to tell.
pub(crate) fn left(share: f64, took: Duration) -> Option<Duration> {
    (share > 0.005 && took.as_secs_f64() > 0.5).then(|| took.mul_f64((1.0 - share) / share))
}

/// In large letters wherever it is reported.
pub(crate) const NO_SANITIZATION: &str = "THIS IS NOT A SANITIZATION OF THE DRIVE.";

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use jurex_core::less::{Asked, FileEvidence, Ground, Kind, LessRecord, Look, Name, Removal, Strip, Work};
    use jurex_core::record::Person;

    /// A record of two files of which one is proved and one lay elsewhere.
    pub(crate) fn record() -> LessRecord {
        let asked = Asked {
            job: "261126-4F7QZK".parse().unwrap(),
            tool: crate::work::this_tool(),
            by: Person::default(),
            started: jiff::Timestamp::UNIX_EPOCH,
            ended: jiff::Timestamp::UNIX_EPOCH,
            notation: "00".into(),
            passes: 1,
            went_on: 0,
        };
        let ground = Ground {
            kind: "xfs".into(),
            holds: String::new(),
            mount: "/srv/stations".into(),
            source: "/dev/sdb1".into(),
            options: vec![],
            block: 4096,
            bytes: 1 << 30,
            shares: Some(true),
            layers: vec![],
        };
        let mut file = FileEvidence::new(Name::Path("tide.csv".into()), Kind::File, 0, 4096);
        (file.before.mapped, file.read_back.right, file.passes, file.moved) = (4096, 4096, 1, Some(false));
        (file.look, file.removal) = (Look::Read { of: 4096, pattern: 4096, former: 0, unreadable: 0 }, Removal::Removed);
        let mut shared = FileEvidence { name: Name::Path("wind.csv".into()), ..file.clone() };
        shared.before.shared = 4096;
        let mut strip = Strip::new(1 << 30);
        strip.show(1 << 20, 1 << 24, jurex_core::less::Shown::Proved);
        let (roots, salt) = (vec![Name::Path("/srv/stations".into())], String::new());
        let work = Work::Files { roots, salt, keep_names: false, journals_emptied: vec![], files: vec![file, shared] };
        LessRecord::new(asked, vec![ground], work, vec![strip.runs()]).unwrap()
    }

    #[test]
    fn the_time_that_is_left_is_told_once_it_can_be() {
        assert_eq!(left(0.25, Duration::from_secs(10)), Some(Duration::from_secs(30)));
        assert_eq!(left(0.001, Duration::from_secs(10)), None);
        let progress = FilesProgress { names: 1, of_names: 2, bytes: 0, of_bytes: 0, folder: "/".into() };
        assert_eq!(share(&progress), 0.5);
    }
}
