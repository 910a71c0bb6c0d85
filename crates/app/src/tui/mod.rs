//! The terminal interface: events change a state, and a view draws the state. Neither does any input or output; what is
//! to be done in the world leaves `update` as commands, which [`run`]'s loop carries out.

mod bytes;
mod keys;
mod lot;
mod methods;
mod runtime;
mod state;
#[cfg(test)]
mod tests;
mod theme;
mod update;
mod view;

pub(crate) use runtime::{Setup, run};
