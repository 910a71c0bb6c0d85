//! Commands of block and loop devices.

use rustix::fs::{Mode, OFlags, open};
use rustix::io::Errno;
use rustix::ioctl::{Ioctl, IoctlOutput, NoArg, Opcode, Updater, ioctl, opcode};
use std::ffi::c_void;
use std::os::fd::{AsFd, AsRawFd, OwnedFd};

/// Tells a block device that these bytes are unused (BLKDISCARD).
///
/// # Errors
/// `EOPNOTSUPP` if it has no such command, others of the kernel.
pub(crate) fn discard(fd: impl AsFd, first: u64, bytes: u64) -> Result<(), Errno> {
    const BLKDISCARD: Opcode = opcode::none(0x12, 119);
    let mut range = [first, bytes];
    // SAFETY: BLKDISCARD reads two u64 through its pointer, which is to a local that outlives the call.
    unsafe { ioctl(fd, Updater::<BLKDISCARD, [u64; 2]>::new(&mut range)) }
}

/// Lets the kernel read a device's partition table anew (BLKRRPART).
///
/// # Errors
/// `EBUSY` while a partition is open, others of the kernel.
pub(crate) fn reread_table(fd: impl AsFd) -> Result<(), Errno> {
    const BLKRRPART: Opcode = opcode::none(0x12, 95);
    // SAFETY: BLKRRPART takes no argument.
    unsafe { ioctl(fd, NoArg::<BLKRRPART>::new()) }
}

/// A command whose argument is a plain number and whose answer is one.
struct ByNumber<const OPCODE: Opcode>(usize);

// SAFETY: the argument of these commands (LOOP_CTL_GET_FREE, LOOP_CLR_FD) is a number that the kernel does not follow as a pointer.
unsafe impl<const OPCODE: Opcode> Ioctl for ByNumber<OPCODE> {
    type Output = i32;
    const IS_MUTATING: bool = false;

    fn opcode(&self) -> Opcode {
        OPCODE
    }

    fn as_ptr(&mut self) -> *mut c_void {
        std::ptr::without_provenance_mut(self.0)
    }

    unsafe fn output_from_ptr(answer: IoctlOutput, _: *mut c_void) -> rustix::io::Result<i32> {
        Ok(answer)
    }
}

/// Attaches a free loop device to a part of an open drive or file; gives the device and its path. Whatever is written to it goes there
/// and nowhere else.
///
/// # Errors
/// No rights, no loop devices, others of the kernel.
pub(crate) fn loop_attach(to: impl AsFd, offset: u64, bytes: u64, block_size: u32) -> Result<(OwnedFd, String), Errno> {
    const LOOP_CTL_GET_FREE: Opcode = 0x4C82;
    const LOOP_CONFIGURE: Opcode = 0x4C0A;
    /// The device lets go of the drive when nobody has it open any more (LO_FLAGS_AUTOCLEAR).
    const AUTOCLEAR: u32 = 4;
    let control = open("/dev/loop-control", OFlags::RDWR | OFlags::CLOEXEC, Mode::empty())?;
    for _ in 0..20 {
        // SAFETY: LOOP_CTL_GET_FREE takes no argument.
        let number = unsafe { ioctl(&control, ByNumber::<LOOP_CTL_GET_FREE>(0)) }?;
        let path = format!("/dev/loop{number}");
        let device = open(path.as_str(), OFlags::RDWR | OFlags::CLOEXEC, Mode::empty())?;
        let info = LoopInfo { offset, size_limit: bytes, flags: AUTOCLEAR, ..LoopInfo::NONE };
        let mut config = LoopConfig { fd: to.as_fd().as_raw_fd() as u32, block_size, info, reserved: [0; 8] };
        // SAFETY: LOOP_CONFIGURE reads one `loop_config` (its size is asserted above) through its pointer, which is to a local that
        // outlives the call.
        match unsafe { ioctl(&device, Updater::<LOOP_CONFIGURE, LoopConfig>::new(&mut config)) } {
            Ok(()) => return Ok((device, path)),
            // Another program has taken it meanwhile.
            Err(Errno::BUSY) => {}
            Err(e) => return Err(e),
        }
    }
    Err(Errno::BUSY)
}

/// Lets a loop device go.
pub(crate) fn loop_detach(device: impl AsFd) -> Result<(), Errno> {
    const LOOP_CLR_FD: Opcode = 0x4C01;
    // SAFETY: LOOP_CLR_FD takes no argument.
    unsafe { ioctl(device, ByNumber::<LOOP_CLR_FD>(0)) }.map(drop)
}

/// `struct loop_info64` of `linux/loop.h`, as far as it is used.
#[repr(C)]
struct LoopInfo {
    device: u64,
    inode: u64,
    rdevice: u64,
    offset: u64,
    size_limit: u64,
    number: u32,
    encryption: [u32; 2],
    flags: u32,
    rest: [u64; 22],
}

impl LoopInfo {
    const NONE: Self = Self {
        device: 0,
        inode: 0,
        rdevice: 0,
        offset: 0,
        size_limit: 0,
        number: 0,
        encryption: [0; 2],
        flags: 0,
        rest: [0; 22],
    };
}

/// `struct loop_config` of `linux/loop.h`.
#[repr(C)]
struct LoopConfig {
    fd: u32,
    block_size: u32,
    info: LoopInfo,
    reserved: [u64; 8],
}

const _: () = assert!(size_of::<LoopInfo>() == 232 && size_of::<LoopConfig>() == 304);

/// What a loop device is attached to (LOOP_GET_STATUS64), by the kernel's own word; `None` if it can't be asked.
pub(crate) fn loop_backing(device: &str) -> Option<crate::object::KernelObject> {
    use crate::object::KernelObject;
    const LOOP_GET_STATUS64: Opcode = 0x4C05;
    let fd = open(device, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty()).ok()?;
    let mut info = LoopInfo::NONE;
    // SAFETY: LOOP_GET_STATUS64 writes one `loop_info64` (its size is asserted above) through its pointer, which is to a
    // local that outlives the call.
    unsafe { ioctl(&fd, Updater::<LOOP_GET_STATUS64, LoopInfo>::new(&mut info)) }.ok()?;
    Some(if info.rdevice != 0 {
        KernelObject::Device(kernel_number(info.rdevice))
    } else {
        KernelObject::File(kernel_number(info.device), info.inode)
    })
}

/// A device number as the kernel encodes it in this structure (minor 7:0, major, minor 19:8), as the C library has it.
fn kernel_number(encoded: u64) -> u64 {
    let (major, minor) = ((encoded >> 8) & 0xfff, (encoded & 0xff) | ((encoded >> 12) & 0xf_ff00));
    rustix::fs::makedev(major as u32, minor as u32)
}
