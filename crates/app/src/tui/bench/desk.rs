//! The desk: the step of the chosen drive, of which a part is shown where it is long.

use crate::tui::lane::{Lane, Step};
use crate::tui::state::State;
use crate::tui::step::{arm, bytes, certify, erase, look, plan, prove};
use crate::tui::theme::Role;
use crate::tui::widget::column::{Column, words};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::widgets::Widget;

pub(super) fn draw(state: &State, area: Rect, buffer: &mut Buffer) {
    let Some(lane) = state.lane() else {
        let said = if state.loading { "Looking for drives …" } else { "No drive was found. Attach one and start Jurex again." };
        words(said, state.theme.style(Role::Faint)).render(area, buffer);
        return;
    };
    if let Some(view) = lane.bytes_in_sight() {
        return bytes::view::draw(state, lane, view, area, buffer);
    }
    let (whole, used, focus) = whole_step(state, lane, area);
    if used <= area.height {
        return copy_rows(&whole, 0, used, area, buffer);
    }
    // One row says that there is more, above or below.
    let window = area.height.saturating_sub(1);
    let in_sight = |first: u16| focus.map_or(first, |row| first.clamp((row + 1).saturating_sub(window.max(1)), row));
    let first = in_sight(lane.scroll.min(used - window));
    copy_rows(&whole, first, window, area, buffer);
    let below = used - window - first;
    let said = match (first, below) {
        (0, below) => format!("… {below} more lines ↓ (PgDn)"),
        (above, 0) => format!("… {above} lines above ↑ (PgUp)"),
        (above, below) => format!("… {above} lines above ↑ (PgUp), {below} more lines ↓ (PgDn)"),
    };
    let last = Rect { y: area.bottom().saturating_sub(1), height: 1, ..area };
    words(said, state.theme.style(Role::Strong)).render(last, buffer);
}

/// A step is never longer than this.
const LONGEST: u16 = 200;

/// A step drawn as long as it needs, of which `area` shows a part; how many rows it has, and the one that is worked on.
fn whole_step(state: &State, lane: &Lane, area: Rect) -> (Buffer, u16, Option<u16>) {
    let mut whole = Buffer::empty(Rect::new(0, 0, area.width, LONGEST));
    whole.set_style(whole.area, state.theme.ground());
    let mut column = Column::new(whole.area, &mut whole, state.theme).showing(area.height);
    match lane.step {
        Step::Look => look::draw(state, lane, &mut column),
        Step::Plan => plan::view::draw(state, lane, &mut column),
        Step::Arm => arm::view::draw(state, lane, &mut column),
        Step::Erase => erase::draw(state, lane, &mut column),
        Step::Prove => prove::draw(state, lane, &mut column),
        Step::Certify => certify::view::draw(state, lane, &mut column),
    }
    let (used, focus) = (column.used(), column.focus);
    (whole, used, focus)
}

fn copy_rows(from: &Buffer, first: u16, rows: u16, area: Rect, buffer: &mut Buffer) {
    for y in 0..rows.min(area.height) {
        for x in 0..area.width {
            buffer[(area.x + x, area.y + y)] = from[(x, first + y)].clone();
        }
    }
}

/// The farthest that the present step can be scrolled on a desk of that size.
pub(super) fn most_scroll(state: &State, desk: Rect) -> u16 {
    let Some(lane) = state.lane() else { return 0 };
    let (_, used, _) = whole_step(state, lane, desk);
    if used <= desk.height { 0 } else { used - desk.height.saturating_sub(1) }
}
