//! Pieces that screens and steps are made of and that know lanes or keys. Those that know neither are in jurex-look.

pub(super) mod keys;
pub(super) mod story;
