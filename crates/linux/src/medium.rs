//! Block devices and image files as media: exclusive, direct, aligned.

use crate::discover::{System, image};
use crate::errors::{Behind, cause};
use jurex_core::media::{Bus, Drive, Geometry};
use jurex_core::medium::{Cause, Medium, MediumError, Op};
use jurex_core::units::{Lba, Sectors};
use rustix::fs::{Advice, FlockOperation, fadvise, flock, fstat};
use rustix::io::Errno;
use std::fs::{File, OpenOptions};
use std::io;
use std::os::unix::fs::{FileExt, OpenOptionsExt};
use std::path::Path;
use std::time::Duration;

/// An open drive or image.
#[derive(Debug)]
pub struct LinuxMedium {
    drive: Drive,
    behind: Behind,
    /// For stretches that direct I/O takes; `None` where the file system allows none.
    direct: Option<File>,
    /// For the odd ends that direct I/O does not take.
    cached: File,
    /// What direct I/O asks of offsets and lengths, in bytes.
    alignment: u64,
    system: System,
}

/// Why a drive could not be opened for erasing. Nothing has been written.
#[derive(Debug, thiserror::Error)]
pub enum OpenError {
    /// No rights.
    #[error("no permission to open {0}: run Jurex as root, or give this user the device")]
    Rights(String),
    /// Held by someone else.
    #[error("{0} is in use: another program holds it open for itself")]
    InUse(String),
    /// Locked by another job.
    #[error("{0} is in use: another Jurex is working on it")]
    JobRunning(String),
    /// It is not there any more.
    #[error("{0} went away before it could be opened")]
    Gone(String),
    /// Anything else.
    #[error("cannot open {path}: {cause}")]
    Other {
        /// The drive.
        path: String,
        /// The system's words.
        cause: io::Error,
    },
}

impl OpenError {
    fn of(path: &str, error: io::Error) -> Self {
        match Errno::from_io_error(&error) {
            Some(Errno::ACCESS | Errno::PERM) => Self::Rights(path.into()),
            Some(Errno::BUSY) => Self::InUse(path.into()),
            Some(Errno::NOENT | Errno::NODEV | Errno::NXIO | Errno::NOMEDIUM) => Self::Gone(path.into()),
            _ => Self::Other { path: path.into(), cause: error },
        }
    }
}

/// Opens `drive` for erasing: for this process alone (O_EXCL, and a lock that other Jurexes see) until it is dropped.
///
/// # Errors
/// No rights, in use, or gone.
pub fn open(drive: &Drive) -> Result<LinuxMedium, OpenError> {
    let medium = open_with(drive, true)?;
    lock(&medium.cached).map_err(|e| match e {
        Errno::WOULDBLOCK => OpenError::JobRunning(drive.path.clone()),
        e => OpenError::of(&drive.path, e.into()),
    })?;
    Ok(medium)
}

/// Takes the lock that tells other Jurexes of the job. Their guards look at it for a moment now and then, so a first
/// refusal is not believed.
fn lock(file: &File) -> Result<(), Errno> {
    for _ in 0..10 {
        match flock(file, FlockOperation::NonBlockingLockExclusive) {
            Err(Errno::WOULDBLOCK) => std::thread::sleep(Duration::from_millis(20)),
            answer => return answer,
        }
    }
    Err(Errno::WOULDBLOCK)
}

/// Opens `drive` for a look: read-only, beside whoever else uses it.
///
/// # Errors
/// No rights, or gone.
pub fn peek(drive: &Drive) -> Result<LinuxMedium, OpenError> {
    open_with(drive, false)
}

fn open_with(drive: &Drive, for_erasing: bool) -> Result<LinuxMedium, OpenError> {
    let behind = if drive.bus == Bus::File { Behind::File } else { Behind::Device };
    let flag = |flag: rustix::fs::OFlags| flag.bits() as i32;
    let exclusive = if for_erasing && behind == Behind::Device { flag(rustix::fs::OFlags::EXCL) } else { 0 };
    let open = |flags: i32| OpenOptions::new().read(true).write(for_erasing).custom_flags(flags).open(&drive.path);
    let cached = open(exclusive).map_err(|e| OpenError::of(&drive.path, e))?;
    // The exclusive claim belongs to the first descriptor; a second exclusive open by the same process would be refused.
    let direct = open(flag(rustix::fs::OFlags::DIRECT)).ok();
    let alignment = match behind {
        Behind::Device => u64::from(drive.geometry.logical),
        Behind::File => direct.as_ref().map_or(4096, file_alignment),
    };
    Ok(LinuxMedium { drive: drive.clone(), behind, direct, cached, alignment, system: System::default() })
}

/// What direct I/O on a file asks of offsets and lengths. Kernels that don't tell get the strictest in use.
fn file_alignment(file: &File) -> u64 {
    use rustix::fs::{AtFlags, StatxFlags, statx};
    let asked = statx(file, c"", AtFlags::EMPTY_PATH, StatxFlags::DIOALIGN);
    match asked {
        Ok(s) if s.stx_mask & StatxFlags::DIOALIGN.bits() != 0 && s.stx_dio_offset_align > 0 => s.stx_dio_offset_align.into(),
        _ => 4096,
    }
}

impl LinuxMedium {
    /// A second handle on the same open drive, for another thread.
    pub(crate) fn again(&self) -> io::Result<Self> {
        Ok(Self {
            drive: self.drive.clone(),
            behind: self.behind,
            direct: self.direct.as_ref().map(File::try_clone).transpose()?,
            cached: self.cached.try_clone()?,
            alignment: self.alignment,
            system: self.system.clone(),
        })
    }

    /// The descriptor for direct I/O, where there is one.
    pub(crate) fn direct(&self) -> Option<&File> {
        self.direct.as_ref()
    }

    /// Whether this stretch of bytes can be moved by direct I/O.
    pub(crate) fn is_direct(&self, offset: u64, len: usize) -> bool {
        self.direct_for(offset, len).is_some()
    }

    pub(crate) fn fail(&self, op: Op, at: Option<Sectors>, error: io::Error) -> MediumError {
        MediumError { op, at, cause: cause(error, self.behind, || self.still_there()) }
    }

    /// Who is behind the open descriptor: by the system's book, and, of a drive, by its own word.
    fn ask_again(&self) -> io::Result<Drive> {
        match self.behind {
            Behind::File => self.current(),
            Behind::Device => self.system.identify(fstat(&self.cached)?.st_rdev),
        }
    }

    /// Whether the drive still has its size, by the kernel's own book and without touching the media.
    fn still_there(&self) -> bool {
        self.current().is_ok_and(|d| d.geometry == self.drive.geometry)
    }

    /// The drive behind the open descriptor, as the kernel knows it now.
    fn current(&self) -> io::Result<Drive> {
        let status = fstat(&self.cached)?;
        match self.behind {
            Behind::File => Ok(image(Path::new(&self.drive.path), status.st_size as u64)),
            Behind::Device => Ok(self.system.drive(&self.system.device_dir(status.st_rdev)?)),
        }
    }

    /// The direct descriptor, if this stretch suits it.
    fn direct_for(&self, offset: u64, len: usize) -> Option<&File> {
        let suits = offset.is_multiple_of(self.alignment) && (len as u64).is_multiple_of(self.alignment);
        self.direct.as_ref().filter(|_| suits)
    }

    fn drop_cache(&self, offset: u64, len: usize) {
        // Advice only: a kernel that ignores it makes reading back weaker on such files, never wrong.
        let _ = fadvise(&self.cached, offset, std::num::NonZeroU64::new(len as u64), Advice::DontNeed);
    }

    fn stretch(&self, at: Lba, len: usize) -> Sectors {
        Sectors::new(at.0, len as u64 / u64::from(self.drive.geometry.logical))
    }
}

impl Medium for LinuxMedium {
    fn geometry(&self) -> Geometry {
        self.drive.geometry
    }

    fn identify(&mut self) -> Result<Drive, MediumError> {
        self.ask_again().map_err(|e| MediumError { op: Op::Identify, at: None, cause: Cause::Gone(e) })
    }

    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        let (stretch, offset) = (self.stretch(at, out.len()), self.drive.geometry.bytes_of(at.0));
        let read = match self.direct_for(offset, out.len()) {
            Some(direct) => direct.read_exact_at(out, offset),
            None => {
                self.drop_cache(offset, out.len());
                self.cached.read_exact_at(out, offset)
            }
        };
        read.map_err(|e| self.fail(Op::Read, Some(stretch), end_of_file_is_an_io_error(e)))
    }

    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
        let (stretch, offset) = (self.stretch(at, data.len()), self.drive.geometry.bytes_of(at.0));
        let written = match self.direct_for(offset, data.len()) {
            Some(direct) => direct.write_all_at(data, offset),
            None => self.cached.write_all_at(data, offset).and_then(|()| {
                self.cached.sync_data()?;
                self.drop_cache(offset, data.len());
                Ok(())
            }),
        };
        written.map_err(|e| self.fail(Op::Write, Some(stretch), end_of_file_is_an_io_error(e)))
    }

    fn flush(&mut self) -> Result<(), MediumError> {
        self.cached.sync_all().map_err(|e| self.fail(Op::Flush, None, e))
    }
}

/// A drive or file that has become shorter answers reads with "end of file", and writes past its end with "nothing
/// written": I/O errors both.
fn end_of_file_is_an_io_error(error: io::Error) -> io::Error {
    match error.kind() {
        io::ErrorKind::UnexpectedEof | io::ErrorKind::WriteZero => Errno::IO.into(),
        _ => error,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::FindError;
    use jurex_core::guard::Hindrance;
    use jurex_core::pattern::AlignedBuffer;
    use std::fs;

    fn image_of(bytes: u64) -> (tempfile::TempDir, std::path::PathBuf) {
        let dir = tempfile::tempdir_in(".").unwrap();
        let path = dir.path().join("drive.img");
        fs::write(&path, vec![0xab; bytes as usize]).unwrap();
        (dir, path)
    }

    #[test]
    fn odd_sizes_are_written_to_the_last_sector_and_not_beyond() {
        let (_dir, path) = image_of(512 * 21);
        let found = System::default().find(&path).unwrap();
        let mut medium = open(&found.drive).unwrap();
        let mut buffer = AlignedBuffer::new(512 * 21);
        buffer.bytes().fill(0x5a);
        medium.write(Lba(0), buffer.bytes()).unwrap();
        medium.write(Lba(20), &buffer.bytes()[..512]).unwrap();
        medium.flush().unwrap();
        buffer.bytes().fill(0);
        medium.read(Lba(0), buffer.bytes()).unwrap();
        assert!(buffer.bytes().iter().all(|b| *b == 0x5a));
        drop(medium);
        assert_eq!(fs::read(&path).unwrap(), vec![0x5a; 512 * 21]);
    }

    #[test]
    fn one_job_at_a_time_and_the_guard_sees_it() {
        let (_dir, path) = image_of(4096);
        let found = System::default().find(&path).unwrap();
        let _held = open(&found.drive).unwrap();
        assert!(matches!(open(&found.drive), Err(OpenError::JobRunning(_))));
        assert_eq!(System::default().find(&path).unwrap().hindrances, [Hindrance::JobRunning]);
    }

    #[test]
    fn an_image_that_is_cut_short_under_the_job_is_gone_not_bad() {
        let (_dir, path) = image_of(512 * 64);
        let mut medium = open(&System::default().find(&path).unwrap().drive).unwrap();
        fs::OpenOptions::new().write(true).open(&path).unwrap().set_len(512 * 8).unwrap();
        let mut buffer = AlignedBuffer::new(512 * 64);
        assert!(matches!(medium.read(Lba(0), buffer.bytes()).unwrap_err().cause, Cause::Gone(_)));
    }

    #[test]
    fn what_is_no_drive_is_told_apart() {
        let (dir, path) = image_of(700);
        let system = System::default();
        let said = |p: &Path| system.find(p).unwrap_err().to_string();
        assert!(
            said(&path).ends_with(
                "has 700 bytes, which is not a whole number of sectors; an image is a whole number of 512-byte sectors"
            )
        );
        fs::write(&path, [0; 100]).unwrap();
        assert!(said(&path).contains("shorter than a sector"));
        assert!(said(dir.path()).contains("is a folder"));
        assert!(matches!(system.find(Path::new("/dev/null")), Err(FindError::NotAMedium { .. })));
        assert!(matches!(system.find(Path::new("/nowhere")), Err(FindError::Unreachable { .. })));
    }
}
