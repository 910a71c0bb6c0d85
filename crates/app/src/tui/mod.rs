//! The terminal interface: events change a state, and a view draws the state. Neither does any input or output; what is
//! to be done in the world leaves `update` as commands, which [`run`]'s loop carries out.

mod action;
mod bytes;
mod field;
mod help;
mod lot;
pub mod measure;
mod methods;
mod palette;
mod perform;
mod runtime;
mod settings;
mod state;
#[cfg(test)]
mod tests;
mod theme;
mod update;
mod view;

pub(crate) use runtime::{Setup, run};
