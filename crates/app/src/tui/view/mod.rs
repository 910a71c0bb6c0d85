//! Draws the state. Every screen comes from the state alone.

mod arm;
mod bytes;
mod certify;
mod dialogs;
mod erase;
mod frame;
mod lanes;
mod look;
mod lot;
mod methods;
mod pace;
mod parts;
mod plan;
mod prove;
mod settings;
mod strata;

pub(crate) use frame::{Hit, draw, hit, most_scroll, title};
pub(crate) use methods::method_at;
