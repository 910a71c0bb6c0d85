//! What is erased of a file beside its contents: attributes, times, length, name.

use super::tree::{Id, id, status};
use jurex_file_erase::{NameRemoval, Names, lengths};
use rustix::fs::{
    AtFlags, RenameFlags, Timespec, Timestamps, XattrFlags, flistxattr, fremovexattr, fsetxattr, ftruncate, futimens, renameat,
    renameat_with, statat, unlinkat,
};
use rustix::io::Errno;
use std::ffi::{CString, OsStr, OsString};
use std::os::fd::AsFd;

/// Tries of another random name, where one is taken.
const TRIES: u32 = 64;

/// Writes over and removes the extended attributes of a file that are people's or programs' own; gives how many were, and how many could not be.
pub(crate) fn erase_attributes(fd: impl AsFd) -> (u32, u32) {
    let list = match attribute_names(&fd) {
        Ok(list) => list,
        // It has none, as its file system has none.
        Err(Errno::OPNOTSUPP) => return (0, 0),
        // It may have any number, and nobody can say which.
        Err(_) => return (0, 1),
    };
    let mut list = list.as_slice();
    let (mut erased, mut left) = (0, 0);
    while let Some(end) = list.iter().position(|b| *b == 0) {
        let (name, rest) = (&list[..end], &list[end + 1..]);
        list = rest;
        // Those of the system itself (labels, rights) hold nothing of the contents.
        if !(name.starts_with(b"user.") || name.starts_with(b"trusted.")) {
            continue;
        }
        let Ok(name) = CString::new(name) else { continue };
        let length = rustix::fs::fgetxattr(&fd, &name, &mut [0u8; 0]).unwrap_or(0);
        let blank = vec![0u8; length];
        let _ = fsetxattr(&fd, &name, &blank, XattrFlags::REPLACE);
        match fremovexattr(&fd, &name) {
            Ok(()) => erased += 1,
            Err(_) => left += 1,
        }
    }
    (erased, left)
}

/// The names of all attributes, each ended by a zero. Some file systems give more of them than others take.
fn attribute_names(fd: impl AsFd) -> Result<Vec<u8>, Errno> {
    let mut list = vec![0u8; 4096];
    loop {
        match flistxattr(&fd, list.as_mut_slice()) {
            Ok(length) => {
                list.truncate(length);
                return Ok(list);
            }
            Err(Errno::RANGE) if list.len() < (64 << 20) => list.resize(list.len() * 4, 0),
            Err(e) => return Err(e),
        }
    }
}

/// Sets the times of a file to the beginning of time as its file system knows it.
pub(crate) fn erase_times(fd: impl AsFd) {
    let zero = Timespec { tv_sec: 0, tv_nsec: 0 };
    // Some file systems know no times, and a file is as erased with one.
    let _ = futimens(fd, &Timestamps { last_access: zero, last_modification: zero });
}

/// Cuts a file to nothing.
pub(crate) fn erase_length(fd: impl AsFd) -> Result<(), Errno> {
    ftruncate(fd, 0)
}

/// A name on its way out.
pub(crate) struct Leaving {
    pub(crate) name: OsString,
    pub(crate) id: Id,
    /// Whether it was renamed at all.
    renamed: bool,
}

impl Leaving {
    pub(crate) fn new(name: &OsStr, id: Id) -> Self {
        Self { name: name.into(), id, renamed: false }
    }

    /// Renames it to a random name of so many bytes, and looks whether it is still what it was: what somebody has put in its place gets its
    /// name back.
    ///
    /// # Errors
    /// It is another one now, or could not be renamed.
    pub(crate) fn rename(&mut self, folder: impl AsFd, length: usize, names: &mut Names<'_>) -> Result<(), Errno> {
        for _ in 0..TRIES {
            let new = OsString::from(names.draw(length));
            match rename_new(&folder, &self.name, &new) {
                Err(Errno::EXIST) => continue,
                Err(e) => return Err(e),
                Ok(()) => {}
            }
            // Once it has a name that nobody else knows, it is looked at again only when it is removed.
            if self.renamed || status(&folder, &new).is_ok_and(|told| id(&told) == self.id) {
                (self.name, self.renamed) = (new, true);
                return Ok(());
            }
            let _ = rename_new(&folder, &new, &self.name);
            return Err(Errno::STALE);
        }
        // All names of that length are taken: it keeps the one that it has.
        Ok(())
    }

    /// Renames it to shorter and shorter names.
    pub(crate) fn shorten(&mut self, folder: impl AsFd, names: &mut Names<'_>) -> Result<(), Errno> {
        lengths(self.name.len()).into_iter().skip(1).try_for_each(|length| self.rename(&folder, length, names))
    }

    /// Removes it, if it still is what it was.
    pub(crate) fn remove(&self, folder: impl AsFd, is_folder: bool) -> Result<NameRemoval, Errno> {
        if !status(&folder, &self.name).is_ok_and(|told| id(&told) == self.id) {
            return Err(Errno::STALE);
        }
        unlinkat(&folder, &self.name, if is_folder { AtFlags::REMOVEDIR } else { AtFlags::empty() })?;
        Ok(if self.renamed { NameRemoval::Removed } else { NameRemoval::RemovedAsItWas })
    }

    /// Gives it the name back that it had.
    pub(crate) fn restore(&mut self, folder: impl AsFd, name: &OsStr) {
        if self.renamed && rename_new(&folder, &self.name, name).is_ok() {
            (self.name, self.renamed) = (name.into(), false);
        }
    }
}

/// Renames, and never over something else. Where the file system has no such call it is looked beforehand: the new names are random.
fn rename_new(folder: impl AsFd, from: &OsStr, to: &OsStr) -> Result<(), Errno> {
    match renameat_with(&folder, from, &folder, to, RenameFlags::NOREPLACE) {
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) => match statat(&folder, to, AtFlags::SYMLINK_NOFOLLOW) {
            Err(Errno::NOENT) => renameat(&folder, from, &folder, to),
            Ok(_) => Err(Errno::EXIST),
            Err(e) => Err(e),
        },
        how => how,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::Dice;
    use rustix::fs::{Mode, OFlags, open};

    #[test]
    fn a_name_is_renamed_and_removed_and_what_took_its_place_is_not_touched() {
        let dir = tempfile::tempdir().unwrap();
        let folder = open(dir.path(), OFlags::RDONLY | OFlags::DIRECTORY, Mode::empty()).unwrap();
        let at = |name: &str| dir.path().join(name);
        std::fs::write(at("secret-tides.csv"), "mine").unwrap();
        std::fs::write(at("other"), "theirs").unwrap();
        let told = |name: &str| id(&status(&folder, OsStr::new(name)).unwrap());
        let mut dice = Dice(5);
        let mut names = Names::new(&mut dice);
        let mut leaving = Leaving::new(OsStr::new("secret-tides.csv"), told("secret-tides.csv"));
        leaving.rename(&folder, 16, &mut names).unwrap();
        assert!(leaving.name.len() == 16 && at(leaving.name.to_str().unwrap()).exists());
        leaving.shorten(&folder, &mut names).unwrap();
        assert_eq!(leaving.name.len(), 4, "a quarter of sixteen");
        // Somebody exchanges it for a link to another file.
        let taken = at(leaving.name.to_str().unwrap());
        std::fs::rename(&taken, at("kept")).unwrap();
        std::os::unix::fs::symlink(at("other"), &taken).unwrap();
        assert_eq!(leaving.remove(&folder, false), Err(Errno::STALE));
        let mut first = Leaving::new(leaving.name.clone().as_os_str(), leaving.id);
        assert_eq!(first.rename(&folder, 4, &mut names), Err(Errno::STALE));
        assert!(std::fs::symlink_metadata(&taken).unwrap().is_symlink(), "it has its name back");
        assert_eq!(std::fs::read_to_string(at("other")).unwrap(), "theirs");
        std::fs::remove_file(&taken).unwrap();
        std::fs::rename(at("kept"), &taken).unwrap();
        assert_eq!(leaving.remove(&folder, false), Ok(NameRemoval::Removed));
        assert!(!taken.exists());
    }
}
