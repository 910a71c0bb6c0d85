//! The settings page: each setting with its value, and what the chosen one means.

use super::SettingsPage;
use crate::state::State;
use jurex_look::column::{Column, shorten};
use jurex_look::theme::StyleRole;
use jurex_station::settings::Setting;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

/// Columns of a setting's name.
const LABEL: usize = 24;

pub(super) fn draw(state: &State, page: &SettingsPage, area: Rect, buffer: &mut Buffer) {
    let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    let mut column = Column::new(area, buffer, state.theme);
    let style = |role| state.theme.style(role);
    column.question("Who stands for the work, and how does Jurex behave here?");
    // The sentences below always have their room.
    let rows = usize::from(column.left().saturating_sub(4)).max(1);
    let first = page.cursor.saturating_sub(rows.saturating_sub(1));
    let room = usize::from(column.width()).saturating_sub(LABEL + 3);
    for (at, setting) in Setting::ALL.into_iter().enumerate().skip(first).take(rows) {
        let here = at == page.cursor;
        let value = match &page.input {
            Some(field) if here => field.spans(state.theme, room, true),
            _ => vec![Span::styled(
                shorten(&shown(setting, state), room),
                style(if here { StyleRole::Strong } else { StyleRole::Text }),
            )],
        };
        let mark = Span::styled(if here { "▸ " } else { "  " }, style(StyleRole::Act));
        let label = Span::styled(format!("{:<LABEL$}", setting.label()), style(StyleRole::Faint));
        column.line(Line::from_iter([mark, label].into_iter().chain(value)));
    }
    let more = Setting::ALL.len().saturating_sub(first + rows);
    if more > 0 {
        column.line(Line::styled(format!("  … {more} more lines ↓"), style(StyleRole::Faint)));
    } else {
        column.gap();
    }
    match &page.problem {
        Some(problem) => column.sentence(&format!("✕ {problem}"), StyleRole::Strong),
        None => column.sentence(page.chosen().about(), StyleRole::Text),
    }
}

fn shown(setting: Setting, state: &State) -> String {
    match setting.shown(&state.config) {
        empty if empty.is_empty() => "-".into(),
        value => value,
    }
}
