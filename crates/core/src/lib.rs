//! The job of Jurex itself: media, patterns, methods and their notation, guard, plan, erase engine,
//! verification, outcome rules and the record.
//!
//! What does not live here: interfaces, SQL, system calls, clocks and sources of randomness. Time and
//! random bytes come in as arguments or through small traits, so everything here can be tested step by step.
#![forbid(unsafe_code)]

pub mod beacon;
pub mod bytes;
pub mod contents;
pub mod digest;
pub mod erase;
pub mod estimate;
pub mod evidence;
pub mod guard;
pub mod ladder;
pub mod less;
pub mod lot;
pub mod mark;
pub mod media;
pub mod medium;
pub mod method;
pub mod native;
pub mod need;
pub mod notation;
pub mod orders;
mod outcome;
pub mod pace;
pub mod pattern;
pub mod plan;
pub mod policy;
pub mod proof;
pub mod ranges;
pub mod record;
pub mod release;
pub mod residue;
pub mod rules;
pub mod sampling;
pub mod schema;
pub mod start_medium;
pub mod strata;
mod table;
pub mod tag;
pub mod technique;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
pub mod text;
pub mod units;
