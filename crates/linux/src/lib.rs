//! The operating system's drives: discovery from sysfs, guard facts from the kernel's tables, direct I/O.
//!
//! What does not live here: any decision. This crate brings facts and bytes; jurex-sanitize judges. All unsafe code of the
//! project lives here: the commands to drives in `ioctl`, the queue of requests in `ring`.
//!
//! ```no_run
//! use jurex_linux::System;
//!
//! // What stands in the way of erasing each comes with it.
//! for drive in System::default().drives() {
//!     println!("{}: {:?}", drive.drive.called(), drive.hindrances);
//! }
//! ```
#![deny(unsafe_code)]

mod ask;
mod backend;
mod discover;
mod driverless;
mod errors;
pub mod files;
mod guard;
mod identity;
mod ioctl;
mod loops;
mod medium;
mod object;
mod open_handles;
mod port;
mod quiesce;
mod ring;
mod sysfs;
mod system;
mod threads;
mod views;
mod watch;

pub use ask::raw_pages;
pub use backend::{Carrying, backend};
pub use discover::{DiscoveredDrive, FindError};
pub use driverless::Undriven;
pub use loops::LoopWindow;
pub use medium::{LinuxMedium, OpenError, open, open_to_read, peek};
pub use system::{Asker, System};
pub use watch::DriveWatch;
