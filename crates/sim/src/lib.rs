//! Simulated drives that ship with the product: they hold true bytes, answer the same sector I/O as real drives, keep
//! a physical truth that the host cannot see (a flash drive's spare cells), and fail where a script says so.
//!
//! What does not live here: the engine, and anything that decides what a drive has earned.
//!
//! ```
//! use jurex_device::medium::Medium;
//! use jurex_sim::{Pacing, SimBench};
//!
//! let bench = SimBench::new(Pacing::Unpaced);
//! let drive = bench.bay(1).expect("the first bay is taken").drive.open().unwrap().identify().unwrap();
//! assert!(drive.simulated);
//! ```
#![forbid(unsafe_code)]

mod bench;
mod contents;
mod counterfeit;
mod drive;
mod own;
mod speed;
mod store;

pub use bench::{Bay, SimBench, record_of_bay_10};
pub use counterfeit::{Beyond, Counterfeit};
pub use drive::{CellKind, Fault, Laboratory, SimDrive, SimMedium, SimNamespace};
pub use own::{BlockEraseLeaves, Hiding, Lie, Nature};
pub use speed::{Pacing, SpeedShape};
