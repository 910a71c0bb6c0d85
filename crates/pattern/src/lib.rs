//! What is written, and where: sectors and their units, ranges of them, patterns, the language of passes, the library of methods.
//!
//! What does not live here: drives, what a drive answers, and what follows from having written. The bytes themselves are
//! made in jurex-keystream, which alone is tuned.
//!
//! ```
//! use jurex_pattern::notation::Program;
//!
//! let program: Program = "55 | ~ | random".parse()?;
//! assert_eq!(program.to_string(), "55 | ~ | random");
//! assert!("55 | nonsense".parse::<Program>().is_err());
//! # Ok::<(), jurex_pattern::notation::NotationError>(())
//! ```
#![forbid(unsafe_code)]

pub mod choice;
pub mod method;
pub mod notation;
pub mod pattern;
pub mod ranges;
pub mod text;
pub mod units;
