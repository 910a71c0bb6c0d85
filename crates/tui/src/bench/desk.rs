//! The desk: the step of the chosen drive.

use crate::lane::{Lane, Step};
use crate::state::State;
use crate::step::{arm, bytes, certify, erase, look, plan, prove, release};
use jurex_look::column::{Column, words};
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::widgets::Widget;

pub(super) fn draw(state: &State, area: Rect, buffer: &mut Buffer) {
    let Some(lane) = state.lane() else {
        let said = match (state.loading, &state.machine) {
            (true, _) => "Looking for drives …",
            (false, None) => "No drive was found. Attach one: it comes by itself.",
            (false, Some(_)) => {
                "No drive was found. Attach one: it comes by itself. F8 tells whether a controller has no driver here."
            }
        };
        words(said, state.theme.style(StyleRole::Faint)).render(area, buffer);
        return;
    };
    match lane.bytes_in_sight() {
        Some(view) => bytes::view::draw(state, lane, view, area, buffer),
        None => window::draw(state.theme, area, Scroll::From(lane.scroll), buffer, |column| step(state, lane, column)),
    }
}

/// The farthest that the present step can be scrolled on a desk of that size.
pub(super) fn most_scroll(state: &State, desk: Rect) -> u16 {
    state.lane().map_or(0, |lane| window::most_scroll(state.theme, desk, |column| step(state, lane, column)))
}

fn step(state: &State, lane: &Lane, column: &mut Column<'_>) {
    match lane.step {
        Step::Look => look::draw(state, lane, column),
        Step::Plan => plan::view::draw(state, lane, column),
        Step::Arm => arm::view::draw(state, lane, column),
        Step::Erase => erase::draw(state, lane, column),
        Step::Prove => prove::draw(state, lane, column),
        Step::Certify => certify::view::draw(state, lane, column),
        Step::Release => release::view::draw(state, lane, column),
    }
}
