//! What lies over the screen: a panel in its middle, and a line that is typed at its foot.

use crate::field::Field;
use crate::theme::{StyleRole, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Clear, Widget};

/// A line that is being typed, above the bottom line.
pub fn typed(theme: Theme, question: &str, field: &Field, area: Rect, buffer: &mut Buffer) {
    let bottom = Rect { y: area.bottom().saturating_sub(2), height: 1, ..area };
    buffer.set_style(bottom, theme.raised());
    Clear.render(bottom, buffer);
    let room = usize::from(area.width).saturating_sub(question.chars().count() + 2);
    let question = Span::styled(format!(" {question}"), theme.style(StyleRole::Faint));
    buffer.set_style(bottom, theme.raised());
    Line::from_iter(std::iter::once(question).chain(field.spans(theme, room, true))).render(bottom, buffer);
}

/// A panel of at most that size in the middle of the screen; gives the room inside it.
pub fn panel(theme: Theme, width: u16, height: u16, area: Rect, buffer: &mut Buffer) -> Rect {
    let (width, height) = (width.min(area.width.saturating_sub(2)), height.min(area.height.saturating_sub(2)));
    let place = Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 2, width, height };
    Clear.render(place, buffer);
    buffer.set_style(place, theme.ground());
    buffer.set_style(place, theme.raised());
    let block = Block::bordered().border_style(theme.style(StyleRole::Faint));
    let inner = block.inner(place);
    block.render(place, buffer);
    Rect { x: inner.x + 2, width: inner.width.saturating_sub(4), y: inner.y + 1, height: inner.height.saturating_sub(1) }
}
