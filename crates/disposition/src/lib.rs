//! What comes after an erasure: the tag that is written on a drive, looking again later, where a drive goes, destruction,
//! and the lots that drives come in.
//!
//! What does not live here: where these are kept (jurex-ledger) and how they are printed (jurex-documents).
#![forbid(unsafe_code)]

pub mod erasure_tag;
pub mod lot;
pub mod proof;
pub mod release;
pub mod start_medium;
