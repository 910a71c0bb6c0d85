//! Pieces that screens and steps are made of. They know nothing of drives' lanes or of one another's screens.

pub(super) mod afar;
pub(super) mod big;
pub(super) mod column;
pub(super) mod field;
pub(super) mod keys;
pub(super) mod need;
pub(super) mod pace;
pub(super) mod panel;
pub(super) mod preview;
pub(super) mod story;
pub(super) mod strata;
pub(super) mod window;
