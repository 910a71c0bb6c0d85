//! How the interface looks: themes, widgets that draw what they are given, forms, the terminal that they are drawn on, and the wall view
//! with its tones.
//!
//! What does not live here: the state of the interface, its keys and its screens (jurex-tui). Nothing here knows a lane.
//!
//! ```
//! assert_eq!(jurex_look::column::fit("Ferrant Meridian 500", 10).chars().count(), 10);
//! ```
#![forbid(unsafe_code)]
// What is public here is so for one crate of this project; a comment that says the name of a field again says nothing.
#![allow(missing_docs)]

pub mod afar;
pub mod big;
pub mod column;
pub mod field;
pub mod need;
pub mod pace;
pub mod panel;
pub mod preview;
pub mod release_form;
pub mod rows;
pub mod strata;
pub mod terminal;
pub mod theme;
pub mod tune;
pub mod watch;
pub mod window;
