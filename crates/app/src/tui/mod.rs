//! The terminal interface: events change a state, and a view draws the state. Neither does any input or output; what is
//! to be done in the world leaves `update` as commands, which [`run`]'s loop carries out.

mod action;
pub mod measure;
mod perform;
mod runtime;
mod screen;
mod state;
mod step;
#[cfg(test)]
mod tests;
mod theme;
mod update;
mod widget;

pub(crate) use runtime::{Setup, run};
