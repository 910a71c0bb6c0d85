//! Leases on files (`fcntl`, F_SETLEASE): the kernel's own word on whether anybody else has a file open, whoever it is. It knows of
//! descriptors under way in a socket, of maps whose descriptor is closed, of loop devices, and of programs that /proc does not show.

use rustix::io::Errno;
use std::os::fd::{AsFd, AsRawFd};

/// `F_SETSIG` of `asm-generic/fcntl.h`.
const F_SETSIG: i32 = 10;

/// Whether anybody else has the file open that `fd` is open to: for writing, where `fd` is read-only, else for anything that the kernel
/// counts. `None`: the file system knows no leases, or the file is somebody else's. Nothing is left behind: the lease is given back at once.
///
/// # Errors
/// Others of the kernel.
pub(crate) fn is_open_elsewhere(fd: impl AsFd, writes: bool) -> Result<Option<bool>, Errno> {
    let open = hold(&fd, if writes { libc::F_WRLCK } else { libc::F_RDLCK })?;
    if open == Some(false) {
        set(&fd, libc::F_SETLEASE, libc::F_UNLCK)?;
    }
    Ok(open)
}

/// Takes a lease on a file that is open for writing and keeps it until `fd` is closed: whoever opens the file meanwhile waits, for as long as
/// the kernel lets one wait. `Some(true)`: somebody has it open already; `None`: there are no leases.
///
/// # Errors
/// Others of the kernel.
pub(crate) fn hold_alone(fd: impl AsFd) -> Result<Option<bool>, Errno> {
    hold(fd, libc::F_WRLCK)
}

/// Whether a lease that was taken is whole: nobody has opened the file since, nor waits to write to it.
pub(crate) fn is_held_alone(fd: impl AsFd) -> bool {
    // SAFETY: this command takes no argument that is looked at, and the descriptor is borrowed, so open, for as long as the call lasts.
    let held = unsafe { libc::fcntl(fd.as_fd().as_raw_fd(), libc::F_GETLEASE) };
    held == libc::F_WRLCK || held == libc::F_RDLCK
}

fn hold(fd: impl AsFd, kind: i32) -> Result<Option<bool>, Errno> {
    // Whoever opens the file while the lease is held makes the kernel send this signal; the usual one would end this program, and
    // this one is ignored unless somebody asks for it.
    match set(&fd, F_SETSIG, libc::SIGURG).and_then(|()| set(&fd, libc::F_SETLEASE, kind)) {
        Ok(()) => Ok(Some(false)),
        Err(Errno::AGAIN) => Ok(Some(true)),
        Err(Errno::INVAL | Errno::ACCESS | Errno::PERM | Errno::NOLCK | Errno::OPNOTSUPP | Errno::NOSYS) => Ok(None),
        Err(e) => Err(e),
    }
}

fn set(fd: impl AsFd, what: i32, to: i32) -> Result<(), Errno> {
    // SAFETY: both commands take one whole number and no pointer, and the descriptor is borrowed, so open, for as long as the call lasts.
    let answer = unsafe { libc::fcntl(fd.as_fd().as_raw_fd(), what, to) };
    if answer < 0 { Err(Errno::from_io_error(&std::io::Error::last_os_error()).unwrap_or(Errno::IO)) } else { Ok(()) }
}
