//! A part of an open drive as a loop device, for programs that make file systems: whatever they write goes to that part of that drive,
//! which stays held for this process alone meanwhile.

use crate::ioctl;
use crate::medium::LinuxMedium;
use jurex_device::medium::Medium;
use jurex_pattern::units::Sectors;
use std::io;
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};

/// A loop device over a part of a drive, until it is dropped.
#[derive(Debug)]
pub struct LoopWindow {
    device: OwnedFd,
    path: PathBuf,
}

impl LoopWindow {
    /// Over these sectors of `medium`.
    ///
    /// # Errors
    /// No rights, no loop devices.
    pub fn over(medium: &LinuxMedium, at: Sectors) -> io::Result<Self> {
        let geometry = medium.geometry();
        let (offset, bytes) = (geometry.bytes_of(at.first.0), geometry.bytes_of(at.count));
        let (device, path) = ioctl::loop_attach(medium.file(), offset, bytes, geometry.logical)?;
        Ok(Self { device, path: path.into() })
    }

    /// The device.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

impl Drop for LoopWindow {
    fn drop(&mut self) {
        let _ = rustix::fs::fsync(&self.device);
        // One that is still open elsewhere lets go by itself when it is closed there.
        let _ = ioctl::loop_detach(&self.device);
    }
}
