//! The steps of the work on one drive: of each what it shows, and what its keys do.

pub(super) mod arm;
pub(super) mod bytes;
pub(super) mod certify;
pub(super) mod erase;
pub(super) mod look;
pub(super) mod plan;
pub(super) mod prove;
pub(super) mod release;
mod unfinished;
