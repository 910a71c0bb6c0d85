//! What is written, and where: sectors and their units, ranges of them, patterns, the language of passes, the library of methods.
//!
//! What does not live here: drives, what a drive answers, and what follows from having written. The bytes themselves are
//! made in jurex-keystream, which alone is tuned.
#![forbid(unsafe_code)]

pub mod method;
pub mod notation;
pub mod pattern;
pub mod ranges;
pub mod text;
pub mod units;
