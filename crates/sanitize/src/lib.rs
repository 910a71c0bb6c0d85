//! What is needed, what is planned, what happened, and what follows from it: need, plan, evidence, rules and the record.
//! A claim is a function of the evidence ([`rules::judge`]), and nothing sets it.
//!
//! What does not live here: whoever works on a drive (jurex-engine), interfaces, SQL, system calls, clocks and sources of
//! randomness. Time and random bytes come in as arguments or through small traits.
//!
//! ```
//! use jurex_device::media::MediaClass;
//! use jurex_device::testing::{Fixed, test_drive};
//! use jurex_sanitize::plan::{Order, Plan};
//! use jurex_sanitize::rules::Outcome;
//!
//! let one_pass = Order::of_program("zeros", "00".parse().unwrap());
//! let plan = |class| Plan::new(&test_drive(class, 2000), &one_pass, &mut Fixed(0)).unwrap();
//! assert_eq!(plan(MediaClass::Magnetic).expected().outcome(), Outcome::Clear);
//! // A stick needs a pattern and its complement.
//! assert_eq!(plan(MediaClass::RemovableFlash).expected().outcome(), Outcome::NotSanitized);
//! ```
#![forbid(unsafe_code)]

pub mod contents;
pub mod digest;
pub mod draft;
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
