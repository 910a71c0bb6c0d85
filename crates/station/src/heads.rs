//! The newest head of the ledger as it is kept beside it, and elsewhere: a ledger that was put back, emptied or exchanged does not follow
//! from it. Such a head is never replaced by the next job: both are kept, and a person is asked.

use crate::app_paths::AppPaths;
use crate::config::Config;
use crate::disk::{FEW_LINES, read_small, replace};
use jurex_past::{PastError, PastWork, TreeHead};
use jurex_pattern::text::shown_path;
use jurex_sign::{SignedHead, parse_unsigned_head};
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// Where the newest head is kept: beside the ledger, and where the settings say.
pub fn files(places: &AppPaths, config: &Config) -> Vec<PathBuf> {
    std::iter::once(places.newest_head()).chain(config.head_file.clone()).collect()
}

/// What a file that keeps the newest head says of the ledger.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum HeadOnFile {
    /// The ledger follows from it.
    Follows,
    /// No head is kept there yet.
    None,
    /// The ledger has signed heads, and this one is gone.
    Gone,
    /// It can't be read as a head.
    Unreadable(String),
    /// The ledger does not follow from it.
    Other(TreeHead),
}

impl HeadOnFile {
    /// What the file says.
    pub fn in_file(file: &Path, ledger: &dyn PastWork) -> Result<Self, PastError> {
        let text = match read_small(file, FEW_LINES) {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
                return Ok(if ledger.newest_head()?.is_some() { Self::Gone } else { Self::None });
            }
            Err(e) => return Ok(Self::Unreadable(e.to_string())),
        };
        let signed = || SignedHead::parse(&text).ok().map(|h| (h.size, h.root));
        let Some((size, root)) = parse_unsigned_head(&text).or_else(signed) else {
            return Ok(Self::Unreadable("it is no head of a ledger".into()));
        };
        let head = TreeHead { size, root };
        Ok(if ledger.follows_from(&head)? { Self::Follows } else { Self::Other(head) })
    }

    /// What a person must know of it; `None`: all is well.
    pub fn doubt(&self, file: &Path) -> Option<String> {
        let file = shown_path(file);
        match self {
            Self::Follows | Self::None => None,
            Self::Gone => Some(format!(
                "the head of the ledger that was kept in {file} is gone: whether the ledger is the one that it was cannot be told"
            )),
            Self::Unreadable(why) => Some(format!(
                "the head of the ledger in {file} can't be read ({why}): whether the ledger is the one that it was cannot be told"
            )),
            Self::Other(head) => Some(format!(
                "the ledger does not follow from the head of {} entries that is kept in {file}: it was put back, emptied or exchanged",
                head.size
            )),
        }
    }

    /// Whether the next head may take its place.
    fn gives_way(&self) -> bool {
        matches!(self, Self::Follows | Self::None | Self::Gone)
    }
}

/// What speaks against the ledger by the heads that are kept of it, each in a sentence.
pub fn doubts(files: &[PathBuf], ledger: &dyn PastWork) -> Vec<String> {
    let doubt = |file: &PathBuf| match HeadOnFile::in_file(file, ledger) {
        Ok(kept) => kept.doubt(file),
        Err(e) => Some(e.to_string()),
    };
    files.iter().filter_map(doubt).collect()
}

/// Keeps the head in these files. One from which the ledger does not follow stays where it is, and the new one is kept beside it, until a
/// person has looked (`jurex ledger head --take`). Gives what could not be done, and what speaks against the ledger.
pub fn keep(files: &[PathBuf], ledger: &dyn PastWork, text: &str) -> Vec<String> {
    let mut said = vec![];
    for file in files {
        let kept = HeadOnFile::in_file(file, ledger);
        let gives_way = kept.as_ref().is_ok_and(HeadOnFile::gives_way);
        match &kept {
            Ok(kept) => said.extend(kept.doubt(file)),
            Err(e) => said.push(e.to_string()),
        }
        let target = if gives_way { file.clone() } else { beside(file) };
        if let Err(e) = replace(&target, text) {
            said.push(format!("the head of the ledger is not kept in {}: {e}", shown_path(&target)));
        }
    }
    said
}

/// Where a head is kept that must not take the place of another one.
pub fn beside(file: &Path) -> PathBuf {
    let mut name: OsString = file.as_os_str().into();
    name.push(".now");
    name.into()
}

/// A person takes the ledger as it is: the heads from which it does not follow are kept under another name, and the ledger says so itself.
/// Gives what was done.
pub fn take(files: &[PathBuf], ledger: &dyn PastWork) -> Result<Vec<String>, std::io::Error> {
    let mut said = vec![];
    for file in files {
        let kept = HeadOnFile::in_file(file, ledger).map_err(std::io::Error::other)?;
        let Some(doubt) = kept.doubt(file) else { continue };
        if let HeadOnFile::Other(head) = &kept {
            ledger.note_taken(head, crate::clock::wall()).map_err(std::io::Error::other)?;
        }
        if file.exists() {
            let mut aside: OsString = file.as_os_str().into();
            aside.push(format!(".before-{}", crate::clock::wall().as_second()));
            std::fs::rename(crate::disk::replaceable(file)?, &aside)?;
            said.push(format!("kept: {}", shown_path(Path::new(&aside))));
        }
        let _ = std::fs::remove_file(beside(file));
        said.push(format!("taken as it is: {doubt}"));
    }
    Ok(said)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::wall;
    use jurex_ledger::Ledger;
    use jurex_past::NotedSubject;
    use jurex_sign::unsigned_head;

    fn ledger(dir: &Path, name: &str, entries: usize) -> Ledger {
        let ledger = Ledger::open(&dir.join(name)).unwrap();
        (0..entries).for_each(|n| ledger.note(NotedSubject::Key, &format!("{name}: entry {n}"), None, wall()).unwrap());
        ledger
    }

    fn head_of(ledger: &dyn PastWork) -> String {
        let head = ledger.head().unwrap();
        unsigned_head(head.size, &head.root)
    }

    #[test]
    fn a_ledger_that_was_put_back_emptied_or_exchanged_never_takes_the_place_of_the_head_that_tells_it() {
        let dir = tempfile::tempdir().unwrap();
        let files = vec![dir.path().join("ledger-head"), dir.path().join("elsewhere/head")];
        let long = ledger(dir.path(), "long", 5);
        assert_eq!(keep(&files, &long, &head_of(&long)), Vec::<String>::new());
        long.note(NotedSubject::Key, "one more", None, wall()).unwrap();
        assert_eq!(doubts(&files, &long), Vec::<String>::new(), "it has grown");
        let then = head_of(&long);
        assert_eq!(keep(&files, &long, &then), Vec::<String>::new());
        for other in [ledger(dir.path(), "short", 3), ledger(dir.path(), "another", 9), ledger(dir.path(), "empty", 0)] {
            let said = keep(&files, &other, &head_of(&other));
            assert!(said.len() == 2 && said.iter().all(|s| s.contains("does not follow from the head of 6 entries")), "{said:?}");
            for file in &files {
                assert_eq!(std::fs::read_to_string(file).unwrap(), then, "what tells it is still there");
                assert_eq!(std::fs::read_to_string(beside(file)).unwrap(), head_of(&other));
            }
        }
        // A person has looked, and takes it as it is: from then on it counts, and the ledger itself says so.
        let other = ledger(dir.path(), "another", 0);
        take(&files, &other).unwrap();
        assert_eq!(keep(&files, &other, &head_of(&other)), Vec::<String>::new());
        assert!(other.noted().unwrap().iter().any(|l| format!("{l:?}").contains("A person took the ledger as it is")));
        // `keep` reports a file that holds no head, or is no plain file, and leaves it alone.
        std::fs::write(&files[0], "nothing of the kind").unwrap();
        std::fs::remove_file(&files[1]).unwrap();
        std::os::unix::fs::symlink("/dev/full", &files[1]).unwrap();
        let said = keep(&files, &other, &head_of(&other));
        assert!(said.len() >= 2 && said[0].contains("can't be read") && said[1].contains("can't be read"), "{said:?}");
        assert!(std::fs::symlink_metadata(&files[1]).unwrap().is_symlink());
    }
}
