//! The steps of the work on one drive, one file each: what it shows, and what is its own of state and keys.

pub(super) mod arm;
pub(super) mod bytes;
pub(super) mod certify;
pub(super) mod erase;
pub(super) mod look;
pub(super) mod plan;
pub(super) mod prove;
