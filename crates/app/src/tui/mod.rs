//! The terminal interface: events change a state, and screens draw the state. Neither does any input or output; what is to be
//! done in the world leaves [`app::App::update`] as commands, which [`run`]'s loop carries out.

mod action;
mod app;
mod bench;
mod frame;
mod lane;
mod less;
pub mod measure;
mod message;
mod runtime;
mod screen;
mod state;
mod step;
#[cfg(test)]
mod tests;
mod theme;
mod update;
mod widget;

pub(crate) use runtime::{Setup, Watch, run, watch};
