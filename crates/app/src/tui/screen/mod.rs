//! What fills the screen or lies over it: the frame with its lanes, the pages beside the bench, questions and the palette.

pub(super) mod dialogs;
pub(super) mod frame;
pub(super) mod help;
pub(super) mod lanes;
pub(super) mod lot;
pub(super) mod methods;
pub(super) mod palette;
pub(super) mod settings;
