//! What a drive is: its identity, class and sizes, the medium as something to read and write, the guard, the techniques,
//! and the bytes of commands and answers (ATA, SCSI, NVMe, MMC, TCG).
//!
//! What does not live here: system calls (jurex-linux carries commands out), what a technique is worth (jurex-sanitize),
//! and in which order commands are sent (jurex-engine).
#![forbid(unsafe_code)]

pub mod beacon;
pub mod bytes;
pub mod guard;
pub mod media;
pub mod medium;
pub mod native;
pub mod technique;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
