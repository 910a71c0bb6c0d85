//! Jurex's terminal interface: events change a state, and screens draw the state. Neither does any input or output; what is to be
//! done in the world leaves [`app::App::update`] as commands, which [`run`]'s loop carries out.
//!
//! What does not live here: how a job is run and what vouches for it (jurex-station), and what follows from what was done (jurex-sanitize).
//!
//! ```
//! // How long the interface takes for a picture of so many lanes.
//! let took = jurex_tui::measure::frames(2, (100, 30), 3);
//! assert_eq!(took.len(), 3);
//! ```
#![forbid(unsafe_code)]
// What is public here is so for two crates of this project; a comment that says the name of a field again says nothing.
#![allow(missing_docs)]

mod action;
mod app;
mod bench;
mod desk;
mod file_erase;
mod frame;
mod lane;
pub mod measure;
mod message;
mod runtime;
mod screen;
mod state;
mod step;
#[cfg(test)]
mod tests;
mod tour;
mod update;
mod widget;

pub use jurex_look::watch::{WallView, watch};
pub use runtime::{Setup, run};
