//! What the kernel's error numbers mean to a job.

use jurex_device::medium::Cause;
use rustix::io::Errno;
use std::io;
use std::time::Duration;

/// What lies behind an open medium, which decides what some errors mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Behind {
    /// A block device.
    Device,
    /// A regular file.
    File,
}

/// Whether the number says nothing of the drive: an interrupted call, or a system that is short of something now.
pub(crate) fn is_passing(error: &io::Error) -> bool {
    let passing = [Errno::INTR, Errno::AGAIN, Errno::NOMEM, Errno::CANCELED, Errno::NOBUFS];
    Errno::from_io_error(error).is_some_and(|e| passing.contains(&e))
}

/// Tries again, with growing pauses, while the error is one that passes. About two seconds in all.
pub(crate) fn patiently<T>(mut act: impl FnMut() -> io::Result<T>) -> io::Result<T> {
    const TRIES: u32 = 9;
    let mut pause = Duration::from_millis(4);
    for _ in 0..TRIES {
        match act() {
            Err(e) if is_passing(&e) => std::thread::sleep(pause),
            answer => return answer,
        }
        pause *= 2;
    }
    act()
}

/// The decision that follows from an error of a read, a write or a flush. `still_there` says whether the drive is there
/// with its size and the system still talks with it; it is asked only where the error number leaves it open.
pub(crate) fn cause(error: io::Error, behind: Behind, still_there: impl FnOnce() -> bool) -> Cause {
    let Some(errno) = Errno::from_io_error(&error) else { return Cause::Refused(error) };
    match errno {
        Errno::NODEV | Errno::NXIO | Errno::NOMEDIUM => Cause::Gone(error),
        // A pulled NVMe drive answers "no space" to a write, and so does storage beneath a device that is full; on a file
        // the number means a full disk.
        Errno::NOSPC if behind == Behind::Device => {
            if still_there() {
                let said = "the storage beneath this device is full; make room there and resume the job";
                Cause::Refused(io::Error::other(said))
            } else {
                Cause::Gone(io::Error::other("the kernel has no such device any more"))
            }
        }
        // NVMe says "no data" of a bad sector where others say "I/O error".
        Errno::IO | Errno::NODATA | Errno::REMOTEIO | Errno::ILSEQ | Errno::TIMEDOUT | Errno::BADMSG => {
            if still_there() {
                Cause::BadSector(error)
            } else {
                Cause::Gone(error)
            }
        }
        _ => Cause::Refused(error),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_number_leads_to_its_decision() {
        let decide = |errno: Errno, behind, there| cause(io::Error::from(errno), behind, || there);
        assert!(matches!(decide(Errno::IO, Behind::Device, true), Cause::BadSector(_)));
        assert!(matches!(decide(Errno::IO, Behind::Device, false), Cause::Gone(_)));
        assert!(matches!(decide(Errno::NODATA, Behind::Device, true), Cause::BadSector(_)));
        let pulled = decide(Errno::NOSPC, Behind::Device, false);
        assert!(matches!(&pulled, Cause::Gone(e) if !e.to_string().contains("space")), "nobody looks for a full disk then");
        let full = decide(Errno::NOSPC, Behind::Device, true);
        assert!(matches!(&full, Cause::Refused(e) if e.to_string().contains("beneath")), "the device is there");
        assert!(matches!(decide(Errno::NOSPC, Behind::File, true), Cause::Refused(_)));
        assert!(matches!(decide(Errno::ACCESS, Behind::Device, true), Cause::Refused(_)));
    }

    #[test]
    fn what_passes_is_tried_again_and_what_does_not_is_told_at_once() {
        let mut tries = 0;
        let done = patiently(|| {
            tries += 1;
            if tries < 4 { Err(Errno::INTR.into()) } else { Ok(tries) }
        });
        assert_eq!(done.unwrap(), 4);
        let mut tries = 0;
        let failed: io::Result<()> = patiently(|| {
            tries += 1;
            Err(Errno::IO.into())
        });
        assert!(failed.is_err() && tries == 1);
        assert!(patiently(|| -> io::Result<()> { Err(Errno::NOMEM.into()) }).is_err(), "not for ever");
    }
}
