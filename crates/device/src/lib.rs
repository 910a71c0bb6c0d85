//! What a drive is: its identity, class and sizes, the medium as something to read and write, the guard, the techniques,
//! and the bytes of commands and answers (ATA, SCSI, NVMe, MMC, TCG).
//!
//! What does not live here: system calls (jurex-linux carries commands out), what a technique is worth (jurex-sanitize),
//! and in which order commands are sent (jurex-engine).
//!
//! ```
//! use jurex_device::guard::check;
//! use jurex_device::media::{Bus, Drive, Geometry, MediaClass, Scope};
//!
//! let geometry = Geometry { logical: 512, physical: 4096, sectors: 1_000_000 };
//! let drive = Drive { simulated: true, ..Drive::bare("sim:1", Bus::Sata, MediaClass::Magnetic, "it says so", geometry) };
//! let cleared = check(Scope::WholeUnit, &[(drive, vec![])]).expect("nothing stands in its way");
//! assert!(cleared.label().matches("1000000"), "one without a serial is told by its sectors");
//! ```
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
