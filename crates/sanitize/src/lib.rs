//! What is needed, what is planned, what happened, and what follows from it: need, plan, evidence, rules and the record.
//! A claim is a function of the evidence ([`rules::judge`]), and nothing sets it.
//!
//! What does not live here: whoever works on a drive (jurex-engine), interfaces, SQL, system calls, clocks and sources of
//! randomness. Time and random bytes come in as arguments or through small traits.
#![forbid(unsafe_code)]

pub mod contents;
pub mod digest;
pub mod estimate;
pub mod evidence;
pub mod ladder;
pub mod need;
mod outcome;
pub mod pace;
pub mod plan;
pub mod policy;
pub mod probe_tag;
pub mod record;
pub mod residue;
pub mod rules;
pub mod sampling;
pub mod strata;
pub mod table;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
pub mod words;
pub mod work_order;
