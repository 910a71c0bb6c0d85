//! What comes after an erasure: the tag that is written on a drive, looking again later, where a drive goes, destruction,
//! and the lots that drives come in.
//!
//! What does not live here: where these are kept (jurex-ledger) and how they are printed (jurex-documents).
//!
//! ```
//! use jurex_disposition::release::{Destruction, judge_destruction};
//! use jurex_sanitize::rules::{Edition, Media, Outcome};
//!
//! let disintegrated = |mm: f64| -> Destruction {
//!     serde_json::from_value(serde_json::json!({"how": "disintegrated", "particle_mm": mm, "by": "Ines Okafor-Lindqvist"})).unwrap()
//! };
//! let earned = |mm| judge_destruction(Edition::Rev2, Media::SolidStateNvme, &disintegrated(mm)).outcome();
//! assert_eq!((earned(1.5), earned(20.0)), (Outcome::Destroy, Outcome::NotSanitized));
//! ```
#![forbid(unsafe_code)]

pub mod erasure_tag;
pub mod lot;
pub mod proof;
pub mod release;
pub mod start_medium;
