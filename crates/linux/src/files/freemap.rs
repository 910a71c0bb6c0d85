//! What is free on a file system by its own word: told by the kernel (ext4, XFS), or read from its table (FAT).

use super::ground::{Mounted, node_of};
use crate::ioctl::free_space;
use jurex_file_erase::{FileSystemFamily, free_clusters};
use rustix::fs::{Mode, OFlags, fstatvfs, open};
use std::fs::File;
use std::os::fd::AsFd;
use std::os::unix::fs::FileExt;

/// How it is known what is free, in words, and the stretches, first byte and bytes; without places only their sum is known.
pub(crate) struct Free {
    pub(crate) by: &'static str,
    pub(crate) stretches: Vec<(u64, u64)>,
    pub(crate) bytes: u64,
    /// Whether the stretches are all of it.
    pub(crate) placed: bool,
}

/// What is free now.
///
/// # Errors
/// It can't even be counted.
pub(crate) fn free(fd: impl AsFd, mounted: &Mounted) -> std::io::Result<Free> {
    let told = match mounted.ground.system() {
        FileSystemFamily::Ext | FileSystemFamily::Xfs => {
            mounted.device.and_then(|d| free_space(&fd, d).ok()).map(|f| ("the file system's own map", f))
        }
        FileSystemFamily::Fat => {
            mounted.device.and_then(|d| of_fat(d).ok()).map(|f| ("the file allocation table on the device", f))
        }
        _ => None,
    };
    if let Some((by, stretches)) = told {
        let bytes = stretches.iter().map(|(_, bytes)| bytes).sum();
        return Ok(Free { by, stretches, bytes, placed: true });
    }
    let space = fstatvfs(fd)?;
    Ok(Free {
        by: "the file system's own count",
        stretches: vec![],
        bytes: space.f_bfree.saturating_mul(space.f_frsize),
        placed: false,
    })
}

fn of_fat(device: u64) -> std::io::Result<Vec<(u64, u64)>> {
    let node = node_of(device).ok_or_else(|| std::io::Error::other("the device has no node"))?;
    let file = File::from(open(&node, OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?);
    free_clusters(&mut |at, out| file.read_exact_at(out, at))
}
