//! What an object is, not what it is called: the guard goes by this.

use rustix::fs::{FileType, Stat, fstat, stat};
use std::os::fd::AsFd;
use std::path::Path;

/// What an object is, whatever paths lead to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum KernelObject {
    /// A block device by its number.
    Device(u64),
    /// A file by its file system's device number and its inode.
    File(u64, u64),
}

impl KernelObject {
    /// What the path leads to now. It may lead elsewhere a moment later: of what is open, [`Object::of`] is asked.
    pub(crate) fn at(path: &Path) -> Option<Self> {
        Some(Self::by(&stat(path).ok()?))
    }

    /// What is open.
    pub(crate) fn of(fd: impl AsFd) -> Option<Self> {
        Some(Self::by(&fstat(fd).ok()?))
    }

    pub(crate) fn by(status: &Stat) -> Self {
        if FileType::from_raw_mode(status.st_mode) == FileType::BlockDevice {
            KernelObject::Device(status.st_rdev)
        } else {
            KernelObject::File(status.st_dev, status.st_ino)
        }
    }
}
