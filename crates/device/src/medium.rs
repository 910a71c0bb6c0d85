//! The drive as the engine sees it: whole sectors in, whole sectors out, errors with their place.

mod port;
mod window;

pub use port::{Port, one_by_one};
pub use window::MediumWindow;

use crate::media::{Drive, Geometry};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::{Lba, Sectors};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::io::{self, Read, Seek, SeekFrom};

/// A drive that can be read and written in whole sectors. Real, simulated and faulty drives implement it alike.
pub trait Medium {
    /// Sizes, fixed while the medium is open.
    fn geometry(&self) -> Geometry;

    /// How sectors are reached.
    fn access(&self) -> Access;

    /// Who the drive is, asked of the drive itself now, not remembered from when it was opened.
    ///
    /// # Errors
    /// [`Cause::Gone`] if it no longer answers.
    fn identify(&mut self) -> Result<Drive, MediumError>;

    /// Fills `out`, a whole number of logical sectors, from `at` on, past every cache of the host.
    /// On an error none of `out` may be relied on.
    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError>;

    /// Writes whole sectors. They may be lost at a power cut until [`Medium::flush`] returns `Ok`.
    /// On an error any of them may or may not have been written.
    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError>;

    /// Empties the host's and the drive's own write caches onto the media.
    fn flush(&mut self) -> Result<(), MediumError>;

    /// Tells the drive that these sectors are unused, so that it may forget them. That is no erasure: what is read of them afterwards
    /// depends on the drive.
    ///
    /// # Errors
    /// The drive, or the way to it, has no such command.
    fn discard(&mut self, at: Sectors) -> Result<(), MediumError> {
        let why = io::Error::from(io::ErrorKind::Unsupported);
        Err(MediumError { op: Op::Discard, at: Some(at), cause: Cause::Refused(why) })
    }

    /// The way to the drive's own commands; `None`: there is none here (an image, a loop device).
    fn port(&mut self) -> Option<&mut dyn Port> {
        None
    }
}

/// How the sectors of an open drive are reached, as it truly is and not as it was meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Access {
    /// Whether every whole request goes past the system's cache to the device, or through it.
    pub way: AccessWay,
    /// Whether the system keeps every other program from opening the drive for itself.
    pub exclusive: bool,
}

impl Access {
    /// Direct and exclusive.
    pub const DIRECT: Self = Self { way: AccessWay::Direct, exclusive: true };

    /// In words.
    pub fn sentence(self) -> &'static str {
        match (self.way, self.exclusive) {
            (AccessWay::Direct, true) => "direct, exclusive",
            (AccessWay::Direct, false) => "direct, beside others",
            (AccessWay::Buffered, true) => "through the system's cache, exclusive",
            (AccessWay::Buffered, false) => "through the system's cache, beside others",
            (AccessWay::Unknown, _) => "not recorded",
        }
    }
}

/// The way that bytes take between drive and program.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum AccessWay {
    /// Past the system's cache.
    Direct,
    /// Through the system's cache, which was dropped before each reading.
    Buffered,
    /// Not recorded (records of version 1).
    Unknown,
}

/// What was being done when a medium failed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Op {
    /// Asking the drive who it is.
    Identify,
    /// Reading sectors.
    Read,
    /// Writing sectors.
    Write,
    /// Flushing caches.
    Flush,
    /// Telling it that sectors are unused.
    Discard,
    /// Sending a command of the drive's own.
    Command,
}

impl fmt::Display for Op {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Op::Identify => "identify the drive",
            Op::Read => "read",
            Op::Write => "write",
            Op::Flush => "flush the drive's cache",
            Op::Discard => "discard",
            Op::Command => "send the drive a command of its own",
        })
    }
}

/// A failed operation: what, where, why. Shown as "cannot write sectors 4096 to 6143".
#[derive(Debug, thiserror::Error)]
#[error("cannot {op}{}", .at.map(|at| format!(" {at}")).unwrap_or_default())]
pub struct MediumError {
    /// What was being done.
    pub op: Op,
    /// The sectors asked for, where the operation has any.
    pub at: Option<Sectors>,
    /// Why it failed.
    pub cause: Cause,
}

/// Why an operation failed: one variant for each decision of the engine.
#[derive(Debug)]
pub enum Cause {
    /// One or more of these sectors fail: narrow it down and go on.
    BadSector(io::Error),
    /// The drive no longer answers: end the job and say how far it came.
    Gone(io::Error),
    /// Nothing on this drive will work (no rights, misuse): end the job.
    Refused(io::Error),
}

impl Cause {
    /// The operating system's error behind it.
    pub fn os(&self) -> &io::Error {
        match self {
            Cause::BadSector(e) | Cause::Gone(e) | Cause::Refused(e) => e,
        }
    }
}

/// `Read` and `Seek` over a medium, for readers of partition tables. Read-only, and it stops after a budget of
/// sectors, so that a table whose entries point at each other cannot be walked for ever.
pub struct SectorReader<'m> {
    medium: &'m mut dyn Medium,
    position: u64,
    sector: AlignedBuffer,
    cached: Option<u64>,
    budget: u32,
    unread: Option<Lba>,
}

impl<'m> SectorReader<'m> {
    /// Reads `medium` from its start on; fails after `budget` sectors have been fetched.
    pub fn new(medium: &'m mut dyn Medium, budget: u32) -> Self {
        let sector = AlignedBuffer::new(medium.geometry().logical as usize);
        Self { medium, position: 0, sector, cached: None, budget, unread: None }
    }

    /// The medium's sizes.
    pub fn geometry(&self) -> Geometry {
        self.medium.geometry()
    }

    /// The first sector that the medium would not give: what a parser found wrong then says nothing of what is there.
    pub fn unread(&self) -> Option<Lba> {
        self.unread
    }

    fn fetch(&mut self, lba: u64) -> io::Result<()> {
        if self.cached == Some(lba) {
            return Ok(());
        }
        self.budget = self.budget.checked_sub(1).ok_or_else(|| io::Error::other("the table has too many entries"))?;
        self.cached = None;
        if let Err(e) = self.medium.read(Lba(lba), self.sector.bytes()) {
            self.unread.get_or_insert(Lba(lba));
            return Err(io::Error::other(e));
        }
        self.cached = Some(lba);
        Ok(())
    }
}

impl Read for SectorReader<'_> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let size = u64::from(self.medium.geometry().logical);
        if out.is_empty() || self.position >= self.medium.geometry().bytes() {
            return Ok(0);
        }
        self.fetch(self.position / size)?;
        let from = (self.position % size) as usize;
        let part = &self.sector.bytes()[from..];
        let n = part.len().min(out.len());
        out[..n].copy_from_slice(&part[..n]);
        self.position += n as u64;
        Ok(n)
    }
}

impl Seek for SectorReader<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::Current(by) => self.position.checked_add_signed(by),
            SeekFrom::End(by) => self.medium.geometry().bytes().checked_add_signed(by),
        };
        self.position = target.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "seek before the start"))?;
        Ok(self.position)
    }
}
