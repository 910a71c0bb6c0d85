//! A part of something that is longer than its room, with a row that says how much more there is.

use crate::column::{Column, words};
use crate::theme::{StyleRole, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::widgets::Widget;

/// Nothing is longer than this.
const LONGEST: u16 = 400;

/// How one gets to what is not in sight.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scroll {
    /// By PgUp and PgDn: from this line on.
    From(u16),
    /// By going there: the row that is worked on ([`Column::focus`]) is always in sight.
    Follows,
}

/// Draws what `paint` writes: all of it if there is room, else a part, in which the row is that it is at work on.
pub fn draw(theme: Theme, area: Rect, scroll: Scroll, buffer: &mut Buffer, paint: impl Fn(&mut Column<'_>)) {
    let (whole, used, focus) = whole(theme, area, &paint);
    if used <= area.height {
        return copy_rows(&whole, 0, used, area, buffer);
    }
    // One row says that there is more, above or below.
    let window = area.height.saturating_sub(1);
    let in_sight = |first: u16| focus.map_or(first, |row| first.clamp((row + 1).saturating_sub(window.max(1)), row));
    let (from, up, down) = match scroll {
        Scroll::From(line) => (line, " (PgUp)", " (PgDn)"),
        Scroll::Follows => (0, "", ""),
    };
    let first = in_sight(from.min(used - window)).min(used - window);
    copy_rows(&whole, first, window, area, buffer);
    let below = used.saturating_sub(window + first);
    let said = match (first, below) {
        (0, below) => format!("… {below} more lines ↓{down}"),
        (above, 0) => format!("… {above} lines above ↑{up}"),
        (above, below) => format!("… {above} lines above ↑{up}, {below} more lines ↓{down}"),
    };
    let last = Rect { y: area.bottom().saturating_sub(1), height: 1, ..area };
    words(said, theme.style(StyleRole::Strong)).render(last, buffer);
}

/// The first line that is shown after going half a screen of so many rows up or down, no farther than `most`.
pub fn scrolled(from: u16, down: bool, screen_rows: u16, most: u16) -> u16 {
    let by = (screen_rows / 2).max(1);
    if down { from.saturating_add(by).min(most) } else { from.min(most).saturating_sub(by) }
}

/// The farthest that it can be scrolled in that room.
pub fn most_scroll(theme: Theme, area: Rect, paint: impl Fn(&mut Column<'_>)) -> u16 {
    let (_, used, _) = whole(theme, area, &paint);
    if used <= area.height { 0 } else { used - area.height.saturating_sub(1) }
}

/// All of it, how many rows it has, and the one that is worked on.
fn whole(theme: Theme, area: Rect, paint: &dyn Fn(&mut Column<'_>)) -> (Buffer, u16, Option<u16>) {
    let painted = |rows: u16| {
        let mut whole = Buffer::empty(Rect::new(0, 0, area.width, rows));
        whole.set_style(whole.area, theme.ground());
        let mut column = Column::new(whole.area, &mut whole, theme).showing(area.height);
        paint(&mut column);
        let (used, focus) = (column.used(), column.focus);
        (whole, used, focus)
    };
    // Most of what is drawn is not much longer than its room, and every row costs time.
    let enough = area.height.saturating_add(40).min(LONGEST);
    let (whole, used, focus) = painted(enough);
    if used < enough { (whole, used, focus) } else { painted(LONGEST) }
}

fn copy_rows(from: &Buffer, first: u16, rows: u16, area: Rect, buffer: &mut Buffer) {
    for y in 0..rows.min(area.height) {
        for x in 0..area.width {
            buffer[(area.x + x, area.y + y)] = from[(x, first + y)].clone();
        }
    }
}
