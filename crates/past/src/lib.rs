//! The past, as whoever keeps it is asked for it: jobs, drives, lots, second checks ([`PastWork`]), and the tree over
//! everything that was written, with its heads and proofs.
//!
//! What does not live here: how it is kept. jurex-ledger keeps it in a file of a bench.
//!
//! ```
//! use jurex_past::tree::{Frontier, leaf};
//!
//! let mut tree = Frontier::default();
//! let before = tree.root();
//! tree.append(leaf(b"a record"));
//! assert_eq!(tree.size(), 1);
//! assert_ne!(tree.root(), before, "one hash changes with every byte of what was written");
//! ```
#![forbid(unsafe_code)]

mod drive;
mod error;
mod head;
mod job;
mod lot;
mod proof;
pub mod tree;
mod work;

pub use drive::KnownDrive;
pub use error::{PastError, StoreTrouble};
pub use head::{Leaf, NotedSubject, StoredHead, TreeHead};
pub use job::{Due, JobLine, JobStatus};
pub use lot::LotNow;
pub use proof::{BadProof, Inclusion};
pub use tree::Hash;
pub use work::PastWork;
