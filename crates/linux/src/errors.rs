//! What the kernel's error numbers mean to a job.

use jurex_core::medium::Cause;
use rustix::io::Errno;
use std::io;

/// What lies behind an open medium, which decides what some errors mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Behind {
    /// A block device.
    Device,
    /// A regular file.
    File,
}

/// The decision that follows from an error of a read, a write or a flush. `still_there` says whether the drive still
/// answers with its size; it is asked only where the error number leaves it open.
pub(crate) fn cause(error: io::Error, behind: Behind, still_there: impl FnOnce() -> bool) -> Cause {
    let Some(errno) = Errno::from_io_error(&error) else { return Cause::Refused(error) };
    match errno {
        Errno::NODEV | Errno::NXIO | Errno::NOMEDIUM => Cause::Gone(error),
        // A pulled NVMe drive answers "no space" to a write; on a file the same number means a full disk.
        Errno::NOSPC if behind == Behind::Device => Cause::Gone(io::Error::other("the kernel has no such device any more")),
        // NVMe says "no data" of a bad sector where others say "I/O error".
        Errno::IO | Errno::NODATA | Errno::REMOTEIO | Errno::ILSEQ | Errno::TIMEDOUT | Errno::BADMSG => match still_there() {
            true => Cause::BadSector(error),
            false => Cause::Gone(error),
        },
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
        let pulled = decide(Errno::NOSPC, Behind::Device, true);
        assert!(matches!(&pulled, Cause::Gone(e) if !e.to_string().contains("space")), "nobody looks for a full disk then");
        assert!(matches!(decide(Errno::NOSPC, Behind::File, true), Cause::Refused(_)));
        assert!(matches!(decide(Errno::ACCESS, Behind::Device, true), Cause::Refused(_)));
    }
}
