//! The system calls that take structures: SG_IO and the NVMe admin command, which carry a drive's own commands, and those of block and
//! loop devices (`block`). Each has one safe function.
#![allow(unsafe_code, reason = "system calls that take a structure with pointers have no safe form")]

mod block;
mod files;
mod lease;

pub(crate) use block::{discard, loop_attach, loop_backing, loop_detach, reread_table};
pub(crate) use files::{
    FileExtent, block_of, block_size, btrfs_chunks, btrfs_device, ext4_empty_journal, extent, extents, free_space, generation,
    mapped_kinds, system_id, xfs_shares,
};
pub(crate) use lease::{hold_alone, is_held_alone, is_open_elsewhere};

use rustix::io::Errno;
use rustix::ioctl::{Ioctl, IoctlOutput, Opcode, Updater, ioctl, opcode};
use std::ffi::c_void;
use std::os::fd::AsFd;
use std::time::Duration;

/// `struct sg_io_hdr` of `scsi/sg.h`.
#[repr(C)]
struct SgIoHdr {
    interface_id: i32,
    dxfer_direction: i32,
    cmd_len: u8,
    mx_sb_len: u8,
    iovec_count: u16,
    dxfer_len: u32,
    dxferp: *mut c_void,
    cmdp: *const u8,
    sbp: *mut u8,
    timeout: u32,
    flags: u32,
    pack_id: i32,
    usr_ptr: *mut c_void,
    status: u8,
    masked_status: u8,
    msg_status: u8,
    sb_len_wr: u8,
    host_status: u16,
    driver_status: u16,
    resid: i32,
    duration: u32,
    info: u32,
}

#[cfg(target_pointer_width = "64")]
const _: () = assert!(size_of::<SgIoHdr>() == 88 && size_of::<NvmePassthru>() == 72);

const SG_DXFER_NONE: i32 = -1;
const SG_DXFER_TO_DEV: i32 = -2;
const SG_DXFER_FROM_DEV: i32 = -3;

/// How a SCSI command ended.
#[derive(Debug)]
pub(crate) struct ScsiEnd {
    /// SCSI status; 0 is good.
    pub(crate) status: u8,
    /// Sense data that came with it.
    pub(crate) sense: Vec<u8>,
    /// Bytes that came.
    pub(crate) received: usize,
    /// Whether the host adapter or driver failed it.
    pub(crate) host_failed: bool,
}

/// What travels with a command.
pub(crate) enum Travels<'d> {
    Nothing,
    FromDrive(&'d mut [u8]),
    ToDrive(&'d [u8]),
}

/// Sends a SCSI command that reads `data` (or transfers nothing, if that is empty) and waits for its end.
///
/// # Errors
/// `EINVAL`/`ENOTTY` if the device takes no SCSI commands, `EPERM` without rights, others of the kernel.
pub(crate) fn scsi_read(fd: impl AsFd, command: &[u8], data: &mut [u8], patience: Duration) -> Result<ScsiEnd, Errno> {
    let travels = if data.is_empty() { Travels::Nothing } else { Travels::FromDrive(data) };
    scsi_send(fd, command, travels, patience)
}

/// Sends a SCSI command and waits for its end.
///
/// # Errors
/// `EINVAL`/`ENOTTY` if the device takes no SCSI commands, `EPERM` without rights, others of the kernel.
pub(crate) fn scsi_send(fd: impl AsFd, command: &[u8], travels: Travels<'_>, patience: Duration) -> Result<ScsiEnd, Errno> {
    let mut sense = [0u8; 64];
    let (direction, len, data): (i32, usize, *mut c_void) = match travels {
        Travels::Nothing => (SG_DXFER_NONE, 0, std::ptr::null_mut()),
        Travels::FromDrive(data) => (SG_DXFER_FROM_DEV, data.len(), data.as_mut_ptr().cast()),
        Travels::ToDrive(data) => (SG_DXFER_TO_DEV, data.len(), data.as_ptr().cast_mut().cast()),
    };
    let mut header = SgIoHdr {
        interface_id: i32::from(b'S'),
        dxfer_direction: direction,
        cmd_len: command.len() as u8,
        mx_sb_len: sense.len() as u8,
        iovec_count: 0,
        dxfer_len: len as u32,
        dxferp: data,
        cmdp: command.as_ptr(),
        sbp: sense.as_mut_ptr(),
        timeout: milliseconds(patience),
        flags: 0,
        pack_id: 0,
        usr_ptr: std::ptr::null_mut(),
        status: 0,
        masked_status: 0,
        msg_status: 0,
        sb_len_wr: 0,
        host_status: 0,
        driver_status: 0,
        resid: 0,
        duration: 0,
        info: 0,
    };
    const SG_IO: Opcode = 0x2285;
    // SAFETY: SG_IO reads and writes one `sg_io_hdr` (its layout is asserted above). The kernel writes at most
    // `dxfer_len` bytes to `dxferp` (or, to the drive, only reads them) and `mx_sb_len` to `sbp`, and reads `cmd_len` from
    // `cmdp`; each pointer comes from a slice of that length which outlives the call, and the call returns only when the
    // command has ended.
    unsafe { ioctl(fd, Updater::<SG_IO, SgIoHdr>::new(&mut header)) }?;
    let received = len.saturating_sub(usize::try_from(header.resid).unwrap_or(0));
    // Driver status 8 only says that there is sense data.
    let host_failed = header.host_status != 0 || header.driver_status & !8 != 0;
    let sense = sense[..usize::from(header.sb_len_wr).min(64)].to_vec();
    Ok(ScsiEnd { status: header.status, sense, received, host_failed })
}

/// `struct nvme_passthru_cmd` of `linux/nvme_ioctl.h`.
#[repr(C)]
#[derive(Default)]
struct NvmePassthru {
    opcode: u8,
    flags: u8,
    rsvd1: u16,
    nsid: u32,
    cdw2: u32,
    cdw3: u32,
    metadata: u64,
    addr: u64,
    metadata_len: u32,
    data_len: u32,
    cdw10: u32,
    cdw11: u32,
    cdw12: u32,
    cdw13: u32,
    cdw14: u32,
    cdw15: u32,
    timeout_ms: u32,
    result: u32,
}

/// NVME_IOCTL_ADMIN_CMD. Its positive return value is the NVMe status, so it can't be a plain updater.
struct NvmeAdmin<'a>(&'a mut NvmePassthru);

// SAFETY: the opcode is that of the structure, `as_ptr` points to one such structure for as long as the call lasts, and
// the output is the plain return value.
unsafe impl Ioctl for NvmeAdmin<'_> {
    type Output = i32;
    const IS_MUTATING: bool = true;

    fn opcode(&self) -> Opcode {
        opcode::read_write::<NvmePassthru>(b'N', 0x41)
    }

    fn as_ptr(&mut self) -> *mut c_void {
        std::ptr::from_mut(self.0).cast()
    }

    unsafe fn output_from_ptr(out: IoctlOutput, _: *mut c_void) -> rustix::io::Result<i32> {
        Ok(out)
    }
}

/// A time as the kernel takes it: 49 days at most.
fn milliseconds(patience: Duration) -> u32 {
    u32::try_from(patience.as_millis()).unwrap_or(u32::MAX)
}

/// An NVMe admin command that reads.
#[derive(Clone, Copy, Debug)]
pub(crate) struct NvmeRead {
    /// Opcode.
    pub(crate) opcode: u8,
    /// Namespace, or all ones.
    pub(crate) namespace: u32,
    /// Command double word 10.
    pub(crate) cdw10: u32,
}

impl NvmeRead {
    /// Identify, the namespaces that are active on this controller.
    pub(crate) const ACTIVE_NAMESPACES: Self = Self { opcode: 6, namespace: 0, cdw10: 2 };
    /// Identify, the namespaces that exist in the subsystem, attached or not.
    pub(crate) const ALLOCATED_NAMESPACES: Self = Self { opcode: 6, namespace: 0, cdw10: 0x10 };

    /// Identify, one namespace's structure; `allocated`: also of one that is not attached.
    pub(crate) const fn namespace(number: u32, allocated: bool) -> Self {
        Self { opcode: 6, namespace: number, cdw10: if allocated { 0x11 } else { 0 } }
    }

    /// Identify, controller structure.
    pub(crate) const IDENTIFY_CONTROLLER: Self = Self { opcode: 6, namespace: 0, cdw10: 1 };
    /// Get Log Page, SMART / Health (02h), 512 bytes.
    pub(crate) const HEALTH_LOG: Self = Self { opcode: 2, namespace: u32::MAX, cdw10: 2 | 127 << 16 };
    /// Security Receive: TCG discovery (protocol 01h, ComID 0001h). Its length stands in CDW11.
    pub(crate) const TCG_DISCOVERY: Self = Self { opcode: 0x82, namespace: 0, cdw10: 0x0100_0100 };
    /// Get Log Page, sanitize status (81h), 32 bytes.
    pub(crate) const SANITIZE_STATUS: Self = Self { opcode: 2, namespace: u32::MAX, cdw10: 0x81 | 7 << 16 };
}

/// Sends an NVMe admin command that reads `data`, and gives its status (0 is good).
///
/// # Errors
/// `ENOTTY` if the device is not NVMe, `EACCES` without rights, others of the kernel.
pub(crate) fn nvme_read(fd: impl AsFd, command: NvmeRead, data: &mut [u8], patience: Duration) -> Result<i32, Errno> {
    // Security Receive has its length there; the other commands that are asked have nothing.
    let cdw11 = if command.opcode == NvmeRead::TCG_DISCOVERY.opcode { data.len() as u32 } else { 0 };
    nvme_send(fd, command, cdw11, data, patience)
}

/// Sends an NVMe admin command that reads `data`, or writes it where its opcode says so, or transfers nothing if that is empty,
/// and gives its status (0 is good).
///
/// # Errors
/// `ENOTTY` if the device is not NVMe, `EACCES` without rights, others of the kernel.
pub(crate) fn nvme_send(fd: impl AsFd, command: NvmeRead, cdw11: u32, data: &mut [u8], patience: Duration) -> Result<i32, Errno> {
    let mut passthru = NvmePassthru {
        opcode: command.opcode,
        nsid: command.namespace,
        addr: if data.is_empty() { 0 } else { data.as_mut_ptr() as u64 },
        data_len: data.len() as u32,
        cdw10: command.cdw10,
        cdw11,
        timeout_ms: milliseconds(patience),
        ..NvmePassthru::default()
    };
    // SAFETY: the kernel reads or writes at most `data_len` bytes at `addr`, which is a slice of that length that outlives the
    // call, and writes one `nvme_passthru_cmd` (its layout is asserted above).
    unsafe { ioctl(fd, NvmeAdmin(&mut passthru)) }
}

/// `struct mmc_ioc_cmd` of `linux/mmc/ioctl.h`.
#[repr(C)]
#[derive(Clone, Copy, Default)]
struct MmcCommand {
    write_flag: i32,
    is_acmd: i32,
    opcode: u32,
    arg: u32,
    response: [u32; 4],
    flags: u32,
    blksz: u32,
    blocks: u32,
    postsleep_min_us: u32,
    postsleep_max_us: u32,
    data_timeout_ns: u32,
    cmd_timeout_ms: u32,
    pad: u32,
    data_ptr: u64,
}

#[cfg(target_pointer_width = "64")]
const _: () = assert!(size_of::<MmcCommand>() == 72);

impl MmcCommand {
    /// Without data.
    fn new(index: u32, argument: u32, patience: Duration) -> Self {
        // R1 with the command class bits of `linux/mmc/core.h`: busy after it, or plain.
        const R1: u32 = 0x15 | 0x80 | 0x400;
        const R1_BUSY: u32 = 0x1d | 0x80 | 0x400;
        let flags = if matches!(index, 6 | 38) { R1_BUSY } else { R1 };
        Self { opcode: index, arg: argument, flags, cmd_timeout_ms: milliseconds(patience), ..Self::default() }
    }
}

/// `struct mmc_ioc_multi_cmd`, with room for as many as an erasure takes.
#[repr(C)]
struct MmcCommands {
    count: u64,
    commands: [MmcCommand; 3],
}

const _: () = assert!(size_of::<MmcCommands>() == 8 + 3 * 72);

/// A call with an opcode that tells the size of the head alone, while what follows it is read and written too.
struct MmcTogether<'c>(&'c mut MmcCommands);

// SAFETY: MMC_IOC_MULTI_CMD reads and writes the head and as many commands after it as that counts, which is never more than
// the structure has room for; the structure outlives the call.
unsafe impl Ioctl for MmcTogether<'_> {
    type Output = ();
    const IS_MUTATING: bool = true;

    fn opcode(&self) -> Opcode {
        opcode::read_write::<u64>(179, 1)
    }

    fn as_ptr(&mut self) -> *mut c_void {
        std::ptr::from_mut(self.0).cast()
    }

    unsafe fn output_from_ptr(_: IoctlOutput, _: *mut c_void) -> rustix::io::Result<()> {
        Ok(())
    }
}

/// Sends up to three MMC commands without data, each number, argument and patience, with nothing between them. Gives their card
/// statuses.
///
/// # Errors
/// `EINVAL` if they are more than three, others as of [`mmc_send`].
pub(crate) fn mmc_send_together(fd: impl AsFd, commands: &[(u32, u32, Duration)]) -> Result<Vec<u32>, Errno> {
    let mut together = MmcCommands { count: commands.len() as u64, commands: Default::default() };
    let room = together.commands.get_mut(..commands.len()).ok_or(Errno::INVAL)?;
    for (slot, (index, argument, patience)) in room.iter_mut().zip(commands) {
        *slot = MmcCommand::new(*index, *argument, *patience);
    }
    // SAFETY: as of `MmcTogether`.
    unsafe { ioctl(fd, MmcTogether(&mut together)) }?;
    Ok(together.commands[..commands.len()].iter().map(|c| c.response[0]).collect())
}

/// Sends an MMC command to the whole device, and gives its card status. It reads `data`, or transfers nothing if that is
/// empty.
///
/// # Errors
/// `ENOTTY` if the device takes none, `EPERM` without rights, others of the kernel and of the card.
pub(crate) fn mmc_send(fd: impl AsFd, index: u32, argument: u32, data: &mut [u8], patience: Duration) -> Result<u32, Errno> {
    const MMC_IOC_CMD: Opcode = opcode::read_write::<MmcCommand>(179, 0);
    const R1_WITH_DATA: u32 = 0x35 | 0x80 | 0x400;
    let mut command = MmcCommand::new(index, argument, patience);
    if !data.is_empty() {
        command.flags = R1_WITH_DATA;
        (command.blksz, command.blocks) = (512, (data.len() / 512) as u32);
        command.data_ptr = data.as_mut_ptr() as u64;
    }
    // SAFETY: MMC_IOC_CMD reads and writes one `mmc_ioc_cmd` (its layout is asserted above), and writes at most
    // `blksz * blocks` bytes to `data_ptr`, which is a slice of that length that outlives the call.
    unsafe { ioctl(fd, Updater::<MMC_IOC_CMD, MmcCommand>::new(&mut command)) }?;
    Ok(command.response[0])
}

/// A call of the kernel's self-encrypting drive interface. Its positive return value is the TCG status.
struct Opal<'a, const OPCODE: Opcode, T>(&'a mut T);

// SAFETY: the opcode is that of the structure, `as_ptr` points to one such structure for as long as the call lasts, and
// the output is the plain return value.
unsafe impl<const OPCODE: Opcode, T> Ioctl for Opal<'_, OPCODE, T> {
    type Output = i32;
    const IS_MUTATING: bool = true;

    fn opcode(&self) -> Opcode {
        OPCODE
    }

    fn as_ptr(&mut self) -> *mut c_void {
        std::ptr::from_mut(self.0).cast()
    }

    unsafe fn output_from_ptr(out: IoctlOutput, _: *mut c_void) -> rustix::io::Result<i32> {
        Ok(out)
    }
}

/// `struct opal_status` of `linux/sed-opal.h`.
#[repr(C)]
#[derive(Default)]
struct OpalStatus {
    flags: u32,
    reserved: u32,
}

/// `struct opal_key`.
#[repr(C)]
struct OpalKey {
    lr: u8,
    key_len: u8,
    align: [u8; 6],
    key: [u8; 256],
}

/// `struct opal_session_info`.
#[repr(C)]
struct OpalSession {
    sum: u32,
    who: u32,
    key: OpalKey,
}

const _: () = assert!(size_of::<OpalKey>() == 264 && size_of::<OpalSession>() == 272);

impl OpalKey {
    /// `EINVAL` where the text is too long for it.
    fn new(range: u8, text: &str) -> Result<Self, Errno> {
        let mut key = [0; 256];
        key.get_mut(..text.len()).ok_or(Errno::INVAL)?.copy_from_slice(text.as_bytes());
        let key_len = u8::try_from(text.len()).map_err(|_| Errno::INVAL)?;
        Ok(Self { lr: range, key_len, align: [0; 6], key })
    }
}

/// The drive's self-encrypting states, as the kernel's flags (IOC_OPAL_GET_STATUS).
///
/// # Errors
/// The drive, or this kernel, has no such interface.
pub(crate) fn opal_status(fd: impl AsFd) -> Result<u32, Errno> {
    const GET_STATUS: Opcode = opcode::read::<OpalStatus>(b'p', 236);
    let mut status = OpalStatus::default();
    // SAFETY: IOC_OPAL_GET_STATUS writes one `opal_status` through its pointer, which is to a local that outlives the call.
    unsafe { ioctl(fd, Updater::<GET_STATUS, OpalStatus>::new(&mut status)) }?;
    Ok(status.flags)
}

/// Reverts the drive by the PSID of its label (IOC_OPAL_PSID_REVERT_TPR); gives the TCG status, 0 if it did.
///
/// # Errors
/// The drive, or this kernel, has no such interface.
pub(crate) fn opal_revert(fd: impl AsFd, psid: &str) -> Result<i32, Errno> {
    const PSID_REVERT: Opcode = opcode::write::<OpalKey>(b'p', 232);
    let mut key = OpalKey::new(0, psid)?;
    // SAFETY: the call reads one `opal_key` (its layout is asserted above) through its pointer, which is to a local that
    // outlives it.
    unsafe { ioctl(fd, Opal::<PSID_REVERT, OpalKey>(&mut key)) }
}

/// Gives a locking range a new key (IOC_OPAL_SECURE_ERASE_LR) by the password of Admin1; gives the TCG status, 0 if it did.
///
/// # Errors
/// The drive, or this kernel, has no such interface.
pub(crate) fn opal_erase_range(fd: impl AsFd, range: u8, password: &str) -> Result<i32, Errno> {
    const SECURE_ERASE: Opcode = opcode::write::<OpalSession>(b'p', 231);
    // Who 0 is Admin1; not in single user mode.
    let mut session = OpalSession { sum: 0, who: 0, key: OpalKey::new(range, password)? };
    // SAFETY: the call reads one `opal_session_info` (its layout is asserted above) through its pointer, which is to a local
    // that outlives it.
    unsafe { ioctl(fd, Opal::<SECURE_ERASE, OpalSession>(&mut session)) }
}
