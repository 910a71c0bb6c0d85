//! One line of text that is typed: letters, a cursor, pasted text, and room that is counted in columns.

use crate::theme::{StyleRole, Theme};
use jurex_pattern::text::printable;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use ratatui::style::Modifier;
use ratatui::text::Span;
use tui_input::backend::crossterm::EventHandler;
use tui_input::{Input, InputRequest};
use unicode_width::UnicodeWidthChar;

/// Longest text that a field takes, in characters.
pub const MAX_CHARS: usize = 200;

/// What comes into a field.
#[derive(Clone, Copy, Debug)]
pub enum Typed<'t> {
    /// A key: a letter, or one that moves or deletes.
    Key(KeyEvent),
    /// Pasted text: it is taken on one line, and without anything that a terminal would obey.
    Pasted(&'t str),
}

/// The line.
#[derive(Clone, Debug)]
pub struct Field {
    input: Input,
    most: usize,
}

impl Default for Field {
    fn default() -> Self {
        Self::of("")
    }
}

impl PartialEq for Field {
    fn eq(&self, other: &Self) -> bool {
        self.value() == other.value()
    }
}

impl Field {
    /// A field that holds this already, with the cursor after it.
    pub fn of(text: &str) -> Self {
        Self { input: Input::new(text.into()), most: MAX_CHARS }
    }

    /// The same, which takes so many characters.
    pub fn taking(self, most: usize) -> Self {
        Self { most, ..self }
    }

    pub fn value(&self) -> &str {
        self.input.value()
    }

    pub fn clear(&mut self) {
        self.input.reset();
    }

    /// Takes what is typed at the cursor. Gives whether the text is another now.
    pub fn take(&mut self, typed: &Typed<'_>) -> bool {
        let room = self.most.saturating_sub(self.value().chars().count());
        match typed {
            Typed::Key(KeyEvent { code: KeyCode::Char(c), .. }) if room == 0 || c.is_control() => false,
            Typed::Key(key) => self.input.handle_event(&Event::Key(*key)).is_some_and(|change| change.value),
            Typed::Pasted(text) => {
                let line: Vec<char> = printable(text.as_bytes()).chars().take(room).collect();
                for c in &line {
                    self.input.handle(InputRequest::InsertChar(*c));
                }
                !line.is_empty()
            }
        }
    }

    /// What of it is in sight in `room` columns, the cursor among it, marked where the field takes the keys.
    pub fn spans(&self, theme: Theme, room: usize, takes_keys: bool) -> Vec<Span<'static>> {
        let style = theme.style(if takes_keys { StyleRole::Act } else { StyleRole::Text });
        let chars = self.chars(takes_keys);
        let (cursor, width) = (self.input.cursor(), |c: &char| c.width().unwrap_or(0));
        let mut spans = vec![];
        let mut left = room;
        for (at, c) in chars.iter().enumerate().skip(self.first_shown(room, takes_keys)) {
            let Some(rest) = left.checked_sub(width(c)) else { break };
            left = rest;
            let here = takes_keys && at == cursor;
            spans.push(Span::styled(c.to_string(), if here { style.add_modifier(Modifier::REVERSED) } else { style }));
        }
        spans
    }

    /// The first character in sight: as much before the cursor as fits beside it.
    pub fn first_shown(&self, room: usize, takes_keys: bool) -> usize {
        let chars = self.chars(takes_keys);
        let width = |c: &char| c.width().unwrap_or(0);
        let mut first = if takes_keys { self.input.cursor().min(chars.len().saturating_sub(1)) } else { 0 };
        let mut used = chars.get(first).map_or(0, width);
        while first > 0 && used + width(&chars[first - 1]) <= room {
            first -= 1;
            used += width(&chars[first]);
        }
        first
    }

    /// The text, with a place for the cursor after it.
    fn chars(&self, takes_keys: bool) -> Vec<char> {
        self.value().chars().chain(takes_keys.then_some(' ')).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::Depth;
    use jurex_station::config::ThemeName;
    use ratatui::crossterm::event::KeyModifiers;

    fn shown(field: &Field, room: usize) -> String {
        field.spans(Theme::new(ThemeName::Mono, Depth::True), room, true).iter().map(|s| s.content.to_string()).collect()
    }

    #[test]
    fn wide_letters_take_two_columns_and_the_cursor_stays_in_sight() {
        let mut field = Field::of("灯台の記録簿 7");
        for room in 1..20 {
            let width: usize = shown(&field, room).chars().map(|c| c.width().unwrap()).sum();
            assert!(width <= room, "{room}: {width}");
            assert!(shown(&field, room).ends_with(' '), "the cursor stands after the text");
        }
        assert_eq!(shown(&field, 6), "簿 7 ");
        for _ in 0..8 {
            field.take(&Typed::Key(KeyEvent::new(KeyCode::Left, KeyModifiers::NONE)));
        }
        assert_eq!(shown(&field, 6), "灯台の");
        field.take(&Typed::Pasted("a\u{1b}[2J\nb"));
        assert!(field.value().starts_with('a') && !field.value().contains(['\u{1b}', '\n']), "{:?}", field.value());
    }

    #[test]
    fn a_full_field_takes_no_more() {
        let mut field = Field::of("").taking(3);
        field.take(&Typed::Pasted("12345"));
        assert!(!field.take(&Typed::Key(KeyEvent::new(KeyCode::Char('6'), KeyModifiers::NONE))));
        assert_eq!(field.value(), "123");
    }
}
