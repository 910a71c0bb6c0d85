//! The operating system's drives: discovery from sysfs, guard facts from the kernel's tables, direct I/O.
//!
//! What does not live here: any decision. This crate brings facts and bytes; jurex-core judges. Unsafe code of the
//! project, where system calls need it, may live here and nowhere else; so far the safe wrappers of rustix suffice.
#![deny(unsafe_code)]

mod discover;
mod errors;
mod guard;
mod medium;
mod sysfs;

pub use discover::{FindError, Found, System};
pub use medium::{LinuxMedium, OpenError, open, peek};
