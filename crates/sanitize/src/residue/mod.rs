//! A search for leftovers: what a person could still use of what lies on a drive. It reads, counts, and keeps places and kinds,
//! never contents.

mod kinds;
mod leftovers;
mod report;
mod search;
mod tally;

pub use kinds::{BLOCK, KINDS, Kind};
pub use leftovers::{Left, Leftovers, before_and_after};
pub use report::{Residue, Verdict};
pub use search::{Places, Searched, SoFar, Tell, search};
pub use tally::{CHECKED, Find, PARTS, Shares, Tally};
