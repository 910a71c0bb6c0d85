//! A list of rows with values: up and down choose a row, left and right its value, Enter opens what has a page of its own.

use crate::column::{Column, shorten};
use crate::theme::StyleRole;
use ratatui::text::{Line, Span};

/// A row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ValueRow {
    /// What it is about.
    pub label: &'static str,
    /// What is chosen.
    pub value: String,
    /// Whether Enter opens a page or a line where it is chosen or typed.
    pub opens: bool,
}

/// Draws the rows; `here` is the one that the keys are on. Gives on which line each stands, counted from the column's top.
pub fn rows(list: &[ValueRow], here: Option<usize>, column: &mut Column<'_>) -> Vec<u16> {
    let theme = column.theme;
    let label = list.iter().map(|row| row.label.chars().count()).max().unwrap_or(0) + 2;
    let room = usize::from(column.width()).saturating_sub(label + 6);
    let mut places = vec![];
    for (n, row) in list.iter().enumerate() {
        let chosen = here == Some(n);
        if chosen {
            column.focus = Some(column.used());
        }
        places.push(column.used());
        // What stands about the value needs room too.
        const OPENS: &str = "   Enter";
        let shown = match (chosen, row.opens) {
            (true, true) => shorten(&row.value, (room + 4).saturating_sub(OPENS.len())) + OPENS,
            (true, false) => format!("‹ {} ›", shorten(&row.value, room)),
            (false, _) => shorten(&row.value, room),
        };
        let role = if chosen { StyleRole::Strong } else { StyleRole::Text };
        column.line(Line::from(vec![
            Span::styled(if chosen { "▸ " } else { "  " }, theme.style(StyleRole::Act)),
            Span::styled(format!("{:<label$}", row.label), theme.style(StyleRole::Faint)),
            Span::styled(shown, theme.style(role)),
        ]));
    }
    places
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::{Depth, Theme};
    use jurex_station::config::ThemeName;
    use ratatui::buffer::Buffer;
    use ratatui::layout::Rect;

    #[test]
    fn the_row_that_the_keys_are_on_says_what_they_do() {
        let area = Rect::new(0, 0, 40, 4);
        let mut buffer = Buffer::empty(area);
        let mut column = Column::new(area, &mut buffer, Theme::new(ThemeName::Mono, Depth::True));
        let row = |label, value: &str, opens| ValueRow { label, value: value.into(), opens };
        let list = [row("verification", "every sector", false), row("method", "One pass of zeros of a long name", true)];
        column.gap();
        assert_eq!(rows(&list, Some(1), &mut column), [1, 2]);
        assert_eq!(rows(&list[..1], Some(0), &mut column), [3]);
        assert_eq!(column.focus, Some(3));
        let line = |y| (0..40).map(|x| buffer[(x, y)].symbol()).collect::<String>();
        assert_eq!(line(1).trim_end(), "  verification  every sector");
        assert_eq!(line(2).trim_end(), "▸ method        One pass of zer…   Enter");
        assert_eq!(line(3).trim_end(), "▸ verification  ‹ every sector ›");
    }
}
