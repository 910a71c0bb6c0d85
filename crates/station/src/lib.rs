//! One bench as services: its drives are found and guarded, jobs run and closed, papers written and signed, people told; its
//! settings, policies, methods and keys. [`service::JobService`] is the one way for a job, whoever asks for it.
//!
//! What does not live here: what a claim is (jurex-sanitize), how a drive is reached (jurex-linux, jurex-sim), where the past is kept
//! (jurex-ledger), and whatever talks with a person (jurex, jurex-tui).
//!
//! ```
//! use jurex_station::app_paths::AppPaths;
//!
//! let paths = AppPaths::all_in(std::path::Path::new("/srv/jurex"));
//! assert!(paths.ledger().starts_with("/srv/jurex") && paths.ledger() != paths.demo_ledger());
//! ```
#![forbid(unsafe_code)]
// What is public here is so for two crates of this project; a comment that says the name of a field again says nothing.
#![allow(missing_docs)]

pub mod app_paths;
pub mod bench;
pub mod beside;
pub mod clock;
pub mod config;
pub mod disk;
pub mod erasure_tag;
pub mod exit;
pub mod export;
pub mod file_erase;
pub mod files;
pub mod heads;
pub mod list;
pub mod lock;
pub mod machine;
pub mod methods;
pub mod notices;
pub mod order;
pub mod paper;
pub mod policies;
pub mod readings;
pub mod release;
pub mod round;
pub mod said;
pub mod schema;
pub mod service;
pub mod settings;
pub mod signing;
pub mod stop;
pub mod story;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
pub mod thermal;
pub mod work;

use jurex_sanitize::record::Tool;

/// The program, as records and statements name it.
pub fn this_tool() -> Tool {
    Tool { name: "Jurex".into(), version: env!("CARGO_PKG_VERSION").into() }
}
