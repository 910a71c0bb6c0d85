//! A search for leftovers: what a person could still use of what lies on a drive. It reads, counts, and keeps places and kinds,
//! never contents.

mod kinds;
mod leftovers;
mod report;
mod search;
mod tally;

pub use kinds::{BLOCK, FindKind, KINDS};
pub use leftovers::{LeftoverSummary, Leftovers, before_and_after, before_and_after_said};
pub use report::{Residue, ResidueVerdict};
pub use search::{SearchPlaces, SearchProgress, Searched};
pub use tally::{CHECKED, Find, PARTS, Shares, Tally};
