//! The way to a drive's own commands through the kernel: SG_IO, the NVMe and MMC command calls, the self-encrypting drive
//! calls.

use crate::ioctl::{
    NvmeRead, Travels, mmc_send, mmc_send_together, nvme_send, opal_erase_range, opal_revert, opal_status, scsi_send,
};
use crate::sysfs::{entries, name};
use jurex_device::medium::{Cause, MediumError, Op};
use jurex_device::medium::{Port, one_by_one};
use jurex_device::native::command::{Answer, Command, Data, Image, OpalCall};
use rustix::fs::{Mode, OFlags, open};
use rustix::io::Errno;
use std::fs::File;
use std::io;
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// A drive's port, beside its open block device.
#[derive(Debug)]
pub(crate) struct LinuxPort {
    /// The node of its commands (`sg`), or the block device itself.
    commands: OwnedFd,
    /// The block device: the NVMe, MMC and self-encrypting drive calls are made on it.
    device: File,
    /// Its directory in sysfs.
    dir: PathBuf,
}

/// A way to the drive's commands. Opening the disk itself may hang for as long as the drive is at work on itself; the node of
/// its commands (`sg`) opens at once.
pub(crate) fn open_commands(path: &str, dir: &Path, flags: OFlags) -> rustix::io::Result<OwnedFd> {
    let flags = flags | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let generic = entries(&dir.join("device/scsi_generic")).first().map(|node| format!("/dev/{}", name(node)));
    match generic.map(|node| open(node.as_str(), flags, Mode::empty())) {
        Some(Ok(fd)) => Ok(fd),
        Some(Err(_)) | None => open(path, flags, Mode::empty()),
    }
}

impl LinuxPort {
    /// Beside `device`, which is open for the job at `path` and stands in sysfs at `dir`.
    pub(crate) fn new(path: &str, dir: &Path, device: &File) -> io::Result<Self> {
        let commands = open_commands(path, dir, OFlags::RDWR)?;
        Ok(Self { commands, device: device.try_clone()?, dir: dir.into() })
    }

    pub(crate) fn again(&self) -> io::Result<Self> {
        Ok(Self { commands: self.commands.try_clone()?, device: self.device.try_clone()?, dir: self.dir.clone() })
    }

    fn scsi(&self, cdb: &[u8], data: &Data, patience: Duration) -> Result<Answer, Errno> {
        let mut room = vec![0; if let Data::In(len) = data { *len } else { 0 }];
        let travels = match data {
            Data::None => Travels::Nothing,
            Data::In(_) => Travels::FromDrive(&mut room),
            Data::Out(sent) | Data::Secret(sent) => Travels::ToDrive(sent),
        };
        let end = scsi_send(&self.commands, cdb, travels, patience)?;
        room.truncate(end.received);
        // The host's own failure: the link was reset, or its time was over. What became of the command is not known.
        if end.host_failed && end.sense.is_empty() {
            return Ok(Answer::Lost { why: "the system gave up waiting, or the link was reset".into() });
        }
        Ok(Answer::Scsi { status: end.status, sense: end.sense, data: room })
    }

    fn nvme(
        &self,
        (opcode, namespace): (u8, u32),
        (cdw10, cdw11): (u32, u32),
        data: &Data,
        patience: Duration,
    ) -> Result<Answer, Errno> {
        // Which way they go is said by the opcode's two lowest bits.
        let mut room = match data {
            Data::None => vec![],
            Data::In(len) => vec![0; *len],
            Data::Out(sent) | Data::Secret(sent) => sent.clone(),
        };
        let command = NvmeRead { opcode, namespace, cdw10 };
        match nvme_send(&self.device, command, cdw11, &mut room, patience) {
            Ok(status) => {
                let data = if matches!(data, Data::In(_)) { room } else { vec![] };
                Ok(Answer::Nvme { status: (status & 0x7ff) as u16, data })
            }
            // The controller was reset since the time was over, or is being reset now.
            Err(Errno::INTR | Errno::AGAIN | Errno::TIMEDOUT) => {
                Ok(Answer::Lost { why: "the system gave up waiting and reset the controller".into() })
            }
            Err(e) => Err(e),
        }
    }

    fn mmc(&self, index: u32, argument: u32, data: &Data, patience: Duration) -> Result<Answer, Errno> {
        let mut room = vec![0; if let Data::In(len) = data { *len } else { 0 }];
        match mmc_send(&self.device, index, argument, &mut room, patience) {
            Ok(response) => Ok(Answer::Mmc { response, data: room }),
            Err(Errno::TIMEDOUT) => Ok(card_is_silent()),
            Err(e) => Err(e),
        }
    }

    /// Commands without data in one call, so that the kernel sends nothing between them.
    fn mmc_together(&self, commands: &[(u32, u32, Duration)]) -> Result<Vec<Answer>, Errno> {
        match mmc_send_together(&self.device, commands) {
            Ok(responses) => Ok(up_to_the_first_error(responses)),
            Err(Errno::TIMEDOUT) => Ok(vec![card_is_silent()]),
            Err(e) => Err(e),
        }
    }

    fn opal(&self, call: &OpalCall) -> Result<Answer, Errno> {
        let status = match call {
            OpalCall::Status => return opal_flags(&self.device).map(|flags| Answer::Opal { status: 0, flags }),
            OpalCall::RevertByPsid(psid) => opal_revert(&self.device, psid)?,
            OpalCall::EraseRange { range, password } => opal_erase_range(&self.device, *range, password)?,
        };
        Ok(Answer::Opal { status: u32::try_from(status).unwrap_or(u32::MAX), flags: 0 })
    }
}

fn card_is_silent() -> Answer {
    Answer::Lost { why: "the card did not become ready in time".into() }
}

/// The answers of commands that went out as one: all of them, or those up to the first that did not end well.
fn up_to_the_first_error(responses: Vec<u32>) -> Vec<Answer> {
    let mut answers: Vec<Answer> = responses.into_iter().map(|response| Answer::Mmc { response, data: vec![] }).collect();
    let bad = answers.iter().position(|a| !a.is_good());
    answers.truncate(bad.map_or(answers.len(), |at| at + 1));
    answers
}

/// Number, argument and patience of an MMC command without data.
fn mmc_without_data(command: &Command) -> Option<(u32, u32, Duration)> {
    match command.image {
        Image::Mmc { index, argument } if command.data == Data::None => Some((index, argument, command.patience)),
        _ => None,
    }
}

fn not_sent(error: Errno) -> MediumError {
    let cause = match error {
        Errno::NODEV | Errno::NXIO => Cause::Gone(error.into()),
        error => Cause::Refused(error.into()),
    };
    MediumError { op: Op::Command, at: None, cause }
}

/// The drive's self-encrypting states; 0 where drive or kernel do not have them.
fn opal_flags(device: &File) -> Result<u32, Errno> {
    /// What some kernels answer in place of "not supported" (ENOTSUPP, of the kernel's own numbers).
    const NOT_SUPPORTED_INSIDE: i32 = 524;
    match opal_status(device) {
        Err(Errno::OPNOTSUPP | Errno::NOTTY | Errno::INVAL) => Ok(0),
        Err(e) if e.raw_os_error() == NOT_SUPPORTED_INSIDE => Ok(0),
        answer => answer,
    }
}

impl Port for LinuxPort {
    fn send(&mut self, command: &Command) -> Result<Answer, MediumError> {
        let answer = match &command.image {
            Image::Scsi(cdb) => self.scsi(cdb, &command.data, command.patience),
            Image::Nvme { opcode, namespace, cdw10, cdw11 } => {
                self.nvme((*opcode, *namespace), (*cdw10, *cdw11), &command.data, command.patience)
            }
            Image::Mmc { index, argument } => self.mmc(*index, *argument, &command.data, command.patience),
            Image::Opal(call) => self.opal(call),
        };
        answer.map_err(not_sent)
    }

    fn send_together(&mut self, commands: &[Command]) -> Result<Vec<Answer>, MediumError> {
        let of_mmc: Option<Vec<_>> = commands.iter().map(mmc_without_data).collect();
        match of_mmc {
            Some(of_mmc) if of_mmc.len() > 1 => self.mmc_together(&of_mmc).map_err(not_sent),
            _ => one_by_one(commands, |command| self.send(command)),
        }
    }

    fn rescan(&mut self) -> Result<(), MediumError> {
        rescan(&self.dir).map_err(|e| MediumError { op: Op::Command, at: None, cause: Cause::Refused(e) })
    }
}

/// Lets the kernel read a drive's capacity anew, where it has a file for that. The first read after it may meet UNIT ATTENTION,
/// which the kernel itself repeats.
pub(crate) fn rescan(dir: &Path) -> io::Result<()> {
    let file = ["device/rescan", "device/rescan_controller"].into_iter().map(|f| dir.join(f)).find(|f| f.exists());
    file.map_or(Ok(()), |file| std::fs::write(file, "1"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::native::mmc::{EraseKind, MmcFamily, erase_all, send_ext_csd};

    fn files(dir: &Path, names: &[&str]) {
        for name in names {
            let file = dir.join(name);
            std::fs::create_dir_all(file.parent().unwrap()).unwrap();
            std::fs::write(file, "").unwrap();
        }
    }

    #[test]
    fn a_changed_capacity_is_looked_at_anew_where_the_kernel_has_a_file_for_it() {
        let dir = tempfile::tempdir().unwrap();
        rescan(dir.path()).unwrap();
        files(dir.path(), &["device/rescan_controller"]);
        rescan(dir.path()).unwrap();
        assert_eq!(std::fs::read_to_string(dir.path().join("device/rescan_controller")).unwrap(), "1");
        files(dir.path(), &["device/rescan"]);
        rescan(dir.path()).unwrap();
        assert_eq!(std::fs::read_to_string(dir.path().join("device/rescan")).unwrap(), "1");
    }

    #[test]
    fn commands_go_by_the_node_beside_the_disk_and_else_by_the_disk() {
        let dir = tempfile::tempdir().unwrap();
        files(dir.path(), &["disk"]);
        let disk = dir.path().join("disk");
        let node = |fd: OwnedFd| rustix::fs::fstat(fd).unwrap().st_rdev;
        let by_disk = open_commands(disk.to_str().unwrap(), dir.path(), OFlags::RDONLY).unwrap();
        assert_eq!(node(by_disk), 0, "a plain file");
        // A node that is not there, or may not be opened, is no reason to give up.
        files(dir.path(), &["device/scsi_generic/sg-that-is-not-there/dev"]);
        assert!(open_commands(disk.to_str().unwrap(), dir.path(), OFlags::RDONLY).is_ok());
        files(dir.path(), &["null/device/scsi_generic/null/dev"]);
        let by_node = open_commands(disk.to_str().unwrap(), &dir.path().join("null"), OFlags::RDONLY).unwrap();
        assert_ne!(node(by_node), 0, "the node of that name in /dev");
        assert!(open_commands("/nowhere", &dir.path().join("none"), OFlags::RDONLY).is_err());
    }

    #[test]
    fn several_commands_end_with_the_first_that_did_not_end_well() {
        let good = |responses: &[u32]| up_to_the_first_error(responses.to_vec()).iter().map(Answer::is_good).collect::<Vec<_>>();
        assert_eq!(good(&[0x900, 0x900, 0x900]), [true, true, true]);
        assert_eq!(good(&[0x900, 0x900 | 1 << 28, 0x900]), [true, false], "what came after an erase sequence error is no answer");
        let erase = erase_all(MmcFamily::Sd, 64, EraseKind::Plain);
        assert!(erase.iter().all(|c| mmc_without_data(c).is_some()) && mmc_without_data(&send_ext_csd()).is_none());
    }

    #[test]
    fn what_could_not_be_sent_says_whether_the_drive_is_gone() {
        let gone = |e| matches!(not_sent(e).cause, Cause::Gone(_));
        assert!(gone(Errno::NODEV) && gone(Errno::NXIO) && !gone(Errno::PERM) && !gone(Errno::NOTTY));
        // No block device answers these calls.
        let dir = tempfile::tempdir().unwrap();
        files(dir.path(), &["disk"]);
        let path = dir.path().join("disk");
        let device = File::options().read(true).write(true).open(&path).unwrap();
        let mut port = LinuxPort::new(path.to_str().unwrap(), dir.path(), &device).unwrap();
        let erase = erase_all(MmcFamily::Sd, 64, EraseKind::Plain);
        for answer in [port.send(&erase[0]).map(|_| ()), port.send_together(&erase).map(|_| ())] {
            assert!(matches!(answer.unwrap_err(), MediumError { op: Op::Command, cause: Cause::Refused(_), .. }));
        }
        let scsi = jurex_device::native::scsi::test_unit_ready();
        assert!(port.again().unwrap().send(&scsi).is_err() && port.send_together(&[scsi]).is_err());
    }
}
