//! Block devices and image files as media: exclusive, direct, aligned.

use crate::discover::image;
use crate::errors::{Behind, cause, patiently};
use crate::guard::Uses;
use crate::ioctl::is_open_elsewhere;
use crate::object::KernelObject;
use crate::port::LinuxPort;
use crate::quiesce::Quiet;
use crate::system::System;
use jurex_device::guard::{Blocker, Refusal};
use jurex_device::media::{Bus, Drive, Geometry};
use jurex_device::medium::Port;
use jurex_device::medium::{Access, AccessWay, Cause, Medium, MediumError, Op};
use jurex_device::native::command::{Answer, Command};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::{Lba, Sectors};
use rustix::fs::{Advice, FileType, FlockOperation, OFlags, fadvise, fcntl_getfl, fcntl_setfl, flock, fstat};
use rustix::io::Errno;
use std::fs::{File, OpenOptions};
use std::io::{self, Seek, SeekFrom};
use std::os::fd::AsRawFd;
use std::os::unix::fs::{FileExt, OpenOptionsExt};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
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
    /// Whether the kernel keeps everyone else from opening it for themselves.
    exclusive: bool,
    /// Number of sectors now: lifting hidden ones makes the drive larger while it is open, for every handle on it.
    sectors: Arc<AtomicU64>,
    /// Whether the system has no size of it: of a drive whose own erasure has failed only its own word tells one.
    size_by_its_own_word: bool,
    /// The way to its own commands, once it was asked for.
    port: Option<LinuxPort>,
    /// Nobody else asks the drive once its port was opened.
    quiet: Option<Quiet>,
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
    /// What was opened under its name is something else.
    #[error("{0} is not what it was when it was looked at: its name leads to something else now")]
    Another(String),
    /// Something uses what was opened.
    #[error("{path} may not be used: {refusal}")]
    Hindered {
        /// The drive.
        path: String,
        /// By what.
        refusal: Refusal,
    },
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

/// Opens `drive` for erasing: for this process alone (O_EXCL, and a lock that other Jurexes see) until it is dropped. What is open then is
/// asked once more who it is and what it is used for, whatever its name leads to by now.
///
/// # Errors
/// No rights, in use, gone, or something else under its name.
pub fn open(system: &System, drive: &Drive) -> Result<LinuxMedium, OpenError> {
    open_with(system, drive, Purpose::Erase)
}

/// Opens `drive` for proving: read-only, and for this process alone, as for erasing.
///
/// # Errors
/// As [`open`].
pub fn open_to_read(system: &System, drive: &Drive) -> Result<LinuxMedium, OpenError> {
    open_with(system, drive, Purpose::Prove)
}

/// What a drive is opened for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Purpose {
    /// It is written, by nobody else.
    Erase,
    /// It is read, and nobody else writes to it meanwhile.
    Prove,
    /// It is read, beside whoever uses it.
    Look,
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
/// No rights, gone, or something else under its name.
pub fn peek(system: &System, drive: &Drive) -> Result<LinuxMedium, OpenError> {
    open_with(system, drive, Purpose::Look)
}

fn open_with(system: &System, drive: &Drive, purpose: Purpose) -> Result<LinuxMedium, OpenError> {
    let behind = if drive.bus == Bus::File { Behind::File } else { Behind::Device };
    let flag = |flag: OFlags| flag.bits() as i32;
    let for_one = purpose != Purpose::Look && behind == Behind::Device;
    let exclusive = if for_one { flag(OFlags::EXCL) } else { 0 };
    // What was put in a file's place meanwhile must not keep this program waiting, nor lead elsewhere.
    let of_file = if behind == Behind::File { flag(OFlags::NONBLOCK | OFlags::NOFOLLOW) } else { 0 };
    let writes = purpose == Purpose::Erase;
    let open = |path: &Path, flags: i32| OpenOptions::new().read(true).write(writes).custom_flags(flags).open(path);
    let failed = |e| OpenError::of(&drive.shown_path(), e);
    let cached = open(drive.file_path(), exclusive | of_file | flag(OFlags::NOCTTY)).map_err(failed)?;
    if of_file != 0 {
        // Only opening may not wait; reading and writing may.
        let flags = fcntl_getfl(&cached).map_err(|e| failed(e.into()))?;
        fcntl_setfl(&cached, flags - OFlags::NONBLOCK).map_err(|e| failed(e.into()))?;
    }
    let now = what_is_open(system, drive, &cached).map_err(failed)?;
    if !now.as_ref().is_some_and(|now| is_still(drive, now)) {
        return Err(OpenError::Another(drive.shown_path()));
    }
    if purpose != Purpose::Look {
        lock(&cached).map_err(|e| match e {
            Errno::WOULDBLOCK => OpenError::JobRunning(drive.shown_path()),
            e => OpenError::of(&drive.shown_path(), e.into()),
        })?;
        hindrances_of_open(system, drive, &cached, purpose)?;
    }
    let direct = open_direct(&cached, behind, |path| open(path, flag(rustix::fs::OFlags::DIRECT))).map_err(failed)?;
    let size_by_its_own_word = behind == Behind::Device && (&cached).seek(SeekFrom::End(0)).map_err(failed)? == 0;
    let alignment = match behind {
        Behind::Device => u64::from(drive.geometry.logical),
        Behind::File => direct.as_ref().map_or(4096, file_alignment),
    };
    Ok(LinuxMedium {
        drive: drive.clone(),
        behind,
        direct,
        cached,
        alignment,
        exclusive: exclusive != 0,
        sectors: Arc::new(AtomicU64::new(drive.geometry.sectors)),
        size_by_its_own_word,
        port: None,
        quiet: None,
        system: system.clone(),
    })
}

/// What lies behind an open descriptor, by the system's book; `None`: it is of another kind than the drive was.
fn what_is_open(system: &System, drive: &Drive, opened: &File) -> io::Result<Option<Drive>> {
    let status = fstat(opened)?;
    match (FileType::from_raw_mode(status.st_mode), drive.bus == Bus::File) {
        (FileType::RegularFile, true) => Ok(Some(image(drive.file_path(), opened, &status))),
        (FileType::BlockDevice, false) => Ok(Some(system.drive(&system.device_dir(status.st_rdev)?))),
        _ => Ok(None),
    }
}

/// Whether what is open is what was looked at: the same file, or the same device in the same attachment.
fn is_still(looked_at: &Drive, now: &Drive) -> bool {
    let same = |a: &Option<String>, b: &Option<String>| a.is_none() || b.is_none() || a == b;
    looked_at.path == now.path && same(&looked_at.attachment.instance, &now.attachment.instance)
}

/// What stands in the way of the purpose by what is open, and not by what its name led to a moment ago.
fn hindrances_of_open(system: &System, drive: &Drive, opened: &File, purpose: Purpose) -> Result<(), OpenError> {
    let failed = |e: Errno| OpenError::of(&drive.shown_path(), e.into());
    let uses = Uses::read(system);
    let mut hindrances = if drive.bus == Bus::File {
        let mut found = uses.of_held_image(opened, drive.file_path());
        if found.is_empty() && is_open_elsewhere_too(opened, purpose).map_err(failed)? {
            found.push(Blocker::OpenUnseen);
        }
        found
    } else {
        let number = fstat(opened).map_err(failed)?.st_rdev;
        let dir = system.device_dir(number).map_err(|e| OpenError::of(&drive.shown_path(), e))?;
        uses.of_held_drive(&dir, drive)
    };
    hindrances.retain(|h| purpose == Purpose::Erase || h.hinders_reading());
    if hindrances.is_empty() {
        Ok(())
    } else {
        Err(OpenError::Hindered { path: drive.shown_path(), refusal: Refusal { hindrances } })
    }
}

/// Whether somebody whom no table shows has the file open. Who looks at it for a moment is no use of it, and this program's own looks are none.
fn is_open_elsewhere_too(opened: &File, purpose: Purpose) -> Result<bool, Errno> {
    for _ in 0..10 {
        let own = crate::open_handles::own_descriptors(opened);
        if own > 1 || is_open_elsewhere(opened, purpose == Purpose::Erase)? != Some(true) {
            return Ok(false);
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    Ok(true)
}

/// The descriptor for direct I/O: opened through the first one, so that both are surely of one object, whatever has been
/// put at the path meanwhile. `None` only where a file system allows no direct I/O; a device always does, and a failure
/// there is a failure.
fn open_direct(first: &File, behind: Behind, open: impl FnOnce(&Path) -> io::Result<File>) -> io::Result<Option<File>> {
    let opened = open(Path::new(&format!("/proc/self/fd/{}", first.as_raw_fd())));
    let direct = match opened {
        Err(e) if behind == Behind::File && Errno::from_io_error(&e) == Some(Errno::INVAL) => return Ok(None),
        opened => opened?,
    };
    let (a, b) = (fstat(first)?, fstat(&direct)?);
    if (a.st_dev, a.st_ino, a.st_rdev) == (b.st_dev, b.st_ino, b.st_rdev) {
        Ok(Some(direct))
    } else {
        Err(io::Error::other("two openings led to two different objects"))
    }
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
    /// The descriptor past the system's cache, where there is one.
    pub(crate) fn file(&self) -> &File {
        self.direct.as_ref().unwrap_or(&self.cached)
    }

    /// Lets the kernel read its partition table anew, so that its partitions are there under their names.
    ///
    /// # Errors
    /// A partition is in use, or it is a file.
    pub fn reread_table(&self) -> io::Result<()> {
        crate::ioctl::reread_table(&self.cached).map_err(io::Error::from)
    }

    /// A second handle on the same open drive, for another thread.
    pub(crate) fn again(&self) -> io::Result<Self> {
        Ok(Self {
            drive: self.drive.clone(),
            behind: self.behind,
            direct: self.direct.as_ref().map(File::try_clone).transpose()?,
            cached: self.cached.try_clone()?,
            alignment: self.alignment,
            exclusive: self.exclusive,
            sectors: self.sectors.clone(),
            size_by_its_own_word: self.size_by_its_own_word,
            port: self.port.as_ref().map(LinuxPort::again).transpose()?,
            quiet: None,
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

    /// Whether the drive is still there, by the kernel's own book and without touching the media: the same attachment, with
    /// its size, and not put offline. A drive whose link was lost keeps its entry there for a while.
    fn still_there(&self) -> bool {
        let known = Drive { geometry: self.geometry(), ..self.drive.clone() };
        self.is_online() && self.current().is_ok_and(|d| d.same_as(&known) || d.is_same_attachment(&known))
    }

    fn is_online(&self) -> bool {
        let dir = fstat(&self.cached).map_err(io::Error::from).and_then(|s| self.system.device_dir(s.st_rdev));
        self.behind == Behind::File || dir.is_ok_and(|dir| state_is_online(&dir.join("device")))
    }

    /// The drive behind the open descriptor, as the kernel knows it now.
    fn current(&self) -> io::Result<Drive> {
        let status = fstat(&self.cached)?;
        match self.behind {
            // One that was unlinked or replaced under the job is not what a person would find under that name: it is another then.
            Behind::File => {
                let path = self.drive.file_path();
                let there = rustix::fs::open(path, OFlags::PATH | OFlags::CLOEXEC, rustix::fs::Mode::empty())?;
                let found = fstat(&there)?;
                if KernelObject::by(&found) == KernelObject::by(&status) {
                    Ok(image(path, &self.cached, &status))
                } else {
                    Ok(image(path, &there, &found))
                }
            }
            Behind::Device => {
                let now = self.system.drive(&self.system.device_dir(status.st_rdev)?);
                let no_size_still = self.size_by_its_own_word && now.geometry.sectors == 0;
                Ok(if no_size_still { Drive { geometry: self.geometry(), ..now } } else { now })
            }
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

/// What the kernel says of a SCSI or NVMe device in its `state` attribute. Other devices have none.
fn state_is_online(device: &Path) -> bool {
    let state = crate::sysfs::text(device, "state").unwrap_or_default();
    !matches!(state.as_str(), "offline" | "transport-offline" | "cancel" | "deleted" | "deleting" | "dead")
}

impl Medium for LinuxMedium {
    fn geometry(&self) -> Geometry {
        Geometry { sectors: self.sectors.load(Ordering::Relaxed), ..self.drive.geometry }
    }

    fn access(&self) -> Access {
        let way = if self.direct.is_some() { AccessWay::Direct } else { AccessWay::Buffered };
        Access { way, exclusive: self.exclusive }
    }

    fn identify(&mut self) -> Result<Drive, MediumError> {
        self.ask_again().map_err(|e| MediumError { op: Op::Identify, at: None, cause: Cause::Gone(e) })
    }

    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        let (stretch, offset) = (self.stretch(at, out.len()), self.drive.geometry.bytes_of(at.0));
        let read = patiently(|| match self.direct_for(offset, out.len()) {
            Some(direct) => reachable(out, |out| direct.read_exact_at(out, offset)),
            None => {
                self.drop_cache(offset, out.len());
                self.cached.read_exact_at(out, offset)
            }
        });
        read.map_err(|e| self.fail(Op::Read, Some(stretch), end_of_file_is_an_io_error(e)))
    }

    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
        let (stretch, offset) = (self.stretch(at, data.len()), self.drive.geometry.bytes_of(at.0));
        let written = patiently(|| match self.direct_for(offset, data.len()) {
            Some(direct) => {
                let written = direct.write_all_at(data, offset);
                match written {
                    Err(e) if is_out_of_reach(&e, data) => {
                        let mut copy = AlignedBuffer::new(data.len());
                        copy.bytes().copy_from_slice(data);
                        direct.write_all_at(copy.bytes(), offset)
                    }
                    written => written,
                }
            }
            None => self.cached.write_all_at(data, offset).and_then(|()| {
                self.cached.sync_data()?;
                self.drop_cache(offset, data.len());
                Ok(())
            }),
        });
        written.map_err(|e| self.fail(Op::Write, Some(stretch), end_of_file_is_an_io_error(e)))
    }

    fn discard(&mut self, at: Sectors) -> Result<(), MediumError> {
        use rustix::fs::{FallocateFlags, fallocate};
        let geometry = self.geometry();
        let (first, bytes) = (geometry.bytes_of(at.first.0), geometry.bytes_of(at.count));
        let done = match self.behind {
            Behind::Device => crate::ioctl::discard(&self.cached, first, bytes),
            Behind::File => fallocate(&self.cached, FallocateFlags::PUNCH_HOLE | FallocateFlags::KEEP_SIZE, first, bytes),
        };
        done.map_err(|e| self.fail(Op::Discard, Some(at), e.into()))
    }

    fn flush(&mut self) -> Result<(), MediumError> {
        patiently(|| self.cached.sync_all()).map_err(|e| self.fail(Op::Flush, None, e))
    }

    fn port(&mut self) -> Option<&mut dyn Port> {
        (self.behind == Behind::Device).then_some(self)
    }
}

impl LinuxMedium {
    /// The way to its commands, opened when it is first wanted.
    fn own_port(&mut self) -> Result<&mut LinuxPort, MediumError> {
        let refused = |e: io::Error| MediumError { op: Op::Command, at: None, cause: Cause::Refused(e) };
        if self.port.is_none() {
            let device = fstat(&self.cached).map_err(|e| refused(e.into()))?.st_rdev;
            let dir = self.system.device_dir(device).map_err(refused)?;
            self.quiet = Some(Quiet::about(&self.drive.path));
            self.port = Some(LinuxPort::new(&self.drive.path, &dir, &self.cached).map_err(refused)?);
        }
        self.port.as_mut().ok_or_else(|| refused(io::Error::other("no port")))
    }
}

impl Port for LinuxMedium {
    fn send(&mut self, command: &Command) -> Result<Answer, MediumError> {
        self.own_port()?.send(command)
    }

    fn send_together(&mut self, commands: &[Command]) -> Result<Vec<Answer>, MediumError> {
        self.own_port()?.send_together(commands)
    }

    fn rescan(&mut self) -> Result<(), MediumError> {
        self.own_port()?.rescan()?;
        let now = self.current().map_err(|e| MediumError { op: Op::Command, at: None, cause: Cause::Gone(e) })?;
        self.sectors.store(now.geometry.sectors, Ordering::Relaxed);
        Ok(())
    }
}

/// Whether a controller may have refused only where these bytes lie in memory.
fn is_out_of_reach(error: &io::Error, bytes: &[u8]) -> bool {
    Errno::from_io_error(error) == Some(Errno::INVAL) && !(bytes.as_ptr() as usize).is_multiple_of(AlignedBuffer::ALIGNMENT)
}

/// Reads into `out`, by way of memory that any controller reaches where it can't reach that.
fn reachable(out: &mut [u8], read: impl Fn(&mut [u8]) -> io::Result<()>) -> io::Result<()> {
    match read(out) {
        Err(e) if is_out_of_reach(&e, out) => {
            let mut copy = AlignedBuffer::new(out.len());
            read(copy.bytes())?;
            out.copy_from_slice(copy.bytes());
            Ok(())
        }
        done => done,
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
        let mut medium = open(&System::default(), &found.drive).unwrap();
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
        let _held = open(&System::default(), &found.drive).unwrap();
        assert!(matches!(open(&System::default(), &found.drive), Err(OpenError::JobRunning(_))));
        assert_eq!(System::default().find(&path).unwrap().hindrances, [Blocker::JobRunning]);
    }

    #[test]
    fn an_image_that_is_cut_short_under_the_job_is_gone_not_bad() {
        let (_dir, path) = image_of(512 * 64);
        let mut medium = open(&System::default(), &System::default().find(&path).unwrap().drive).unwrap();
        fs::OpenOptions::new().write(true).open(&path).unwrap().set_len(512 * 8).unwrap();
        let mut buffer = AlignedBuffer::new(512 * 64);
        assert!(matches!(medium.read(Lba(0), buffer.bytes()).unwrap_err().cause, Cause::Gone(_)));
    }

    #[test]
    fn an_image_that_was_replaced_under_the_job_is_another() {
        let (dir, path) = image_of(512 * 64);
        let drive = System::default().find(&path).unwrap().drive;
        let mut medium = open(&System::default(), &drive).unwrap();
        assert!(medium.identify().unwrap().same_as(&drive));
        let other = dir.path().join("other.img");
        fs::write(&other, vec![0; 512 * 64]).unwrap();
        fs::rename(&other, &path).unwrap();
        assert!(!medium.identify().unwrap().same_as(&drive));
        fs::remove_file(&path).unwrap();
        assert!(medium.identify().is_err());
    }

    #[test]
    fn how_sectors_are_reached_is_told_as_it_is() {
        let (_dir, path) = image_of(512 * 64);
        let medium = open(&System::default(), &System::default().find(&path).unwrap().drive).unwrap();
        assert_eq!(medium.access(), Access { way: AccessWay::Direct, exclusive: false });
        // The second descriptor is of the first one's object, though the path leads elsewhere by now.
        fs::rename(&path, path.with_extension("moved")).unwrap();
        fs::write(&path, vec![0; 512 * 64]).unwrap();
        let inode = |f: &File| fstat(f).unwrap().st_ino;
        let again =
            open_direct(&medium.cached, Behind::File, |p| OpenOptions::new().read(true).write(true).open(p)).unwrap().unwrap();
        assert_eq!(inode(&again), inode(&medium.cached));
    }

    #[test]
    fn a_device_that_the_kernel_put_offline_is_not_there() {
        let dir = tempfile::tempdir().unwrap();
        assert!(state_is_online(dir.path()), "devices without a state");
        for (state, online) in
            [("running", true), ("live", true), ("offline", false), ("transport-offline", false), ("dead", false)]
        {
            fs::write(dir.path().join("state"), format!("{state}\n")).unwrap();
            assert_eq!(state_is_online(dir.path()), online, "{state}");
        }
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
