//! What an object is, not what it is called: the guard goes by this.

use rustix::fs::{FileType, stat};
use std::path::Path;

/// What an object is, whatever paths lead to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum Object {
    /// A block device by its number.
    Device(u64),
    /// A file by its file system's device number and its inode.
    File(u64, u64),
}

impl Object {
    /// What the path leads to now.
    pub(crate) fn at(path: &Path) -> Option<Self> {
        let status = stat(path).ok()?;
        Some(if FileType::from_raw_mode(status.st_mode) == FileType::BlockDevice {
            Object::Device(status.st_rdev)
        } else {
            Object::File(status.st_dev, status.st_ino)
        })
    }
}
