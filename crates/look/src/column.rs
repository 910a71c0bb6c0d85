//! Small pieces that the steps are made of.

use crate::theme::{StyleRole, Theme};
pub use jurex_pattern::text::shorten;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};
use unicode_width::UnicodeWidthStr;

/// A pen that writes down a column, line by line, and stops at its end.
pub struct Column<'b> {
    area: Rect,
    buffer: &'b mut Buffer,
    pub theme: Theme,
    /// Where it began, and how many rows are in sight at once: what is below them is scrolled to.
    top: u16,
    visible: u16,
    /// The row that is worked on, counted from the top: it is kept in sight.
    pub focus: Option<u16>,
}

impl<'b> Column<'b> {
    pub fn new(area: Rect, buffer: &'b mut Buffer, theme: Theme) -> Self {
        Self { area, buffer, theme, top: area.y, visible: area.height, focus: None }
    }

    /// The same, of which only so many rows are in sight at once.
    pub fn showing(self, visible: u16) -> Self {
        Self { visible, ..self }
    }

    /// Rows that are written.
    pub fn used(&self) -> u16 {
        self.area.y - self.top
    }

    /// Rows in sight that are not written yet.
    pub fn in_sight(&self) -> u16 {
        self.visible.saturating_sub(self.used()).min(self.area.height)
    }

    /// Whether there is little room: what matters less is left out or shortened.
    pub fn is_short(&self) -> bool {
        self.visible < 24
    }

    /// Rows that are left.
    pub fn left(&self) -> u16 {
        self.area.height
    }

    /// Columns.
    pub fn width(&self) -> u16 {
        self.area.width
    }

    /// Takes the next `rows` rows, fewer at the end.
    pub fn take(&mut self, rows: u16) -> Rect {
        let rows = rows.min(self.area.height);
        let taken = Rect { height: rows, ..self.area };
        self.area.y += rows;
        self.area.height -= rows;
        taken
    }

    pub fn buffer(&mut self) -> &mut Buffer {
        self.buffer
    }

    /// All that is not written yet.
    pub fn rest(&self) -> Rect {
        self.area
    }

    pub fn gap(&mut self) {
        self.take(1);
    }

    /// One line, cut at the edge.
    pub fn line(&mut self, line: impl Into<Line<'b>>) {
        let area = self.take(1);
        line.into().render(area, self.buffer);
    }

    /// A sentence over as many lines as it needs.
    pub fn sentence(&mut self, text: &str, role: StyleRole) {
        let rows = wrapped_rows(text, self.width());
        let area = self.take(rows);
        Paragraph::new(text).style(self.theme.style(role)).wrap(Wrap { trim: true }).render(area, self.buffer);
    }

    /// Takes as many rows as `text` needs when it is set in by so many columns.
    pub fn indented(&mut self, text: &str, by: u16) -> Rect {
        let width = self.width().saturating_sub(by);
        let taken = self.take(wrapped_rows(text, width));
        Rect { x: taken.x + by.min(taken.width), width, ..taken }
    }

    /// The question that a step answers.
    pub fn question(&mut self, text: &'static str) {
        let style = self.theme.style(StyleRole::Strong);
        self.line(Line::styled(text, style));
        self.gap();
    }

    /// A heading with a line after it.
    pub fn heading(&mut self, text: &str) {
        let rest = usize::from(self.width()).saturating_sub(text.width() + 1);
        let (faint, rule) = (self.theme.style(StyleRole::Faint), self.theme.style(StyleRole::Line));
        self.line(Line::from(vec![Span::styled(text.to_string(), faint), Span::raw(" "), Span::styled("─".repeat(rest), rule)]));
    }

    /// A label and its value; a long value goes on under itself.
    pub fn fact(&mut self, label: &str, value: &str) {
        self.fact_in(label, value, StyleRole::Text);
    }

    pub fn fact_in(&mut self, label: &str, value: &str, role: StyleRole) {
        self.labelled(LABEL, label, value, role);
    }

    /// What happened at that time of day.
    pub fn event(&mut self, time: &str, what: &str) {
        self.labelled(time.width() as u16 + 2, time, what, StyleRole::Text);
    }

    fn labelled(&mut self, label_width: u16, label: &str, value: &str, role: StyleRole) {
        let label_width = label_width.min(self.width());
        let room = self.width() - label_width;
        let rows = wrapped_rows(value, room);
        let area = self.take(rows);
        if area.height == 0 {
            return;
        }
        let label_area = Rect { width: label_width, height: 1, ..area };
        Line::styled(label.to_string(), self.theme.style(StyleRole::Faint)).render(label_area, self.buffer);
        let value_area = Rect { x: area.x + label_width, width: room, ..area };
        Paragraph::new(value).style(self.theme.style(role)).wrap(Wrap { trim: true }).render(value_area, self.buffer);
    }
}

/// Columns that a fact's label takes.
const LABEL: u16 = 18;

fn wrapped_rows(text: &str, width: u16) -> u16 {
    let paragraph = Paragraph::new(text).wrap(Wrap { trim: true });
    (paragraph.line_count(width.max(1)) as u16).max(1)
}

/// The text in exactly so many columns: cut, or filled up with blanks.
pub fn fit(text: &str, room: usize) -> String {
    let shown = shorten(text, room);
    let blanks = room.saturating_sub(shown.width());
    shown + &" ".repeat(blanks)
}

/// Words of one style that leave the rest of their row alone, so that other words can share it.
pub fn words(text: impl Into<String>, style: Style) -> Line<'static> {
    Line::from(Span::styled(text.into(), style))
}

/// A bar of `width` cells, `share` of it full, in eighths of a cell.
pub fn bar(share: f64, width: usize) -> (String, String) {
    const PART: [char; 8] = [' ', '▏', '▎', '▍', '▌', '▋', '▊', '▉'];
    let eighths = (share.clamp(0.0, 1.0) * width as f64 * 8.0).floor() as usize;
    let mut full = "█".repeat(eighths / 8);
    let mut rest = width - eighths / 8;
    if !eighths.is_multiple_of(8) {
        full.push(PART[eighths % 8]);
        rest -= 1;
    }
    (full, "·".repeat(rest))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::Depth;

    #[test]
    fn a_long_text_is_cut_with_a_sign_and_never_wider_than_its_room() {
        assert_eq!([0, 1, 3, 6].map(|room| shorten("Tern Quay", room)), ["", "…", "Te…", "Tern …"]);
        assert_eq!(shorten("Tern", 4), "Tern");
        assert_eq!([0, 1, 2, 3, 4, 5, 6].map(|room| shorten("灯台の", room)), ["", "…", "…", "灯…", "灯…", "灯台…", "灯台の"]);
        assert!(
            (0..9).all(|room| fit("灯台の", room).width() == room),
            "whatever the letters, the next column begins in its place"
        );
        let mut buffer = Buffer::empty(Rect::new(0, 0, 30, 2));
        let mut column = Column::new(buffer.area, &mut buffer, Theme::new(jurex_station::config::ThemeName::Mono, Depth::True));
        column.sentence("one two three four five six seven eight nine ten eleven twelve", StyleRole::Text);
        column.fact("label", "value");
        assert_eq!(column.left(), 0, "a column stops at its end");
    }

    #[test]
    fn a_bar_is_always_as_wide_as_asked_and_never_full_before_the_end() {
        for n in 0..=100 {
            let (full, rest) = bar(f64::from(n) / 100.0, 13);
            assert_eq!(full.chars().count() + rest.chars().count(), 13);
            assert_eq!(rest.is_empty() && full.ends_with('█'), n == 100, "{n} of 100");
        }
    }
}
