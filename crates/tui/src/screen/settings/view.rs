//! The settings page: what the chosen setting means, and every setting with its value, group by group.

use super::SettingsPage;
use crate::state::State;
use jurex_look::column::Column;
use jurex_look::rows::{ValueRow, rows};
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_station::settings::Setting;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};

/// Rows above the list: the question, and what the chosen setting means.
const ABOVE: u16 = 5;

pub(super) fn draw(state: &State, page: &SettingsPage, area: Rect, buffer: &mut Buffer) {
    let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    let [head, list] = Layout::vertical([Constraint::Length(ABOVE), Constraint::Min(0)]).areas(area);
    let mut column = Column::new(head, buffer, state.theme);
    column.question("Who stands for the work, and how does Jurex behave here?");
    match &page.problem {
        Some(problem) => column.sentence(&format!("✕ {problem}"), StyleRole::Strong),
        None => column.sentence(page.chosen().about(), StyleRole::Text),
    }
    window::draw(state.theme, list, Scroll::Follows, buffer, |column| groups(state, page, column));
}

fn groups(state: &State, page: &SettingsPage, column: &mut Column<'_>) {
    let mut first = 0;
    for group in Setting::ALL.chunk_by(|a, b| a.group() == b.group()) {
        column.heading(group[0].group().heading());
        let here = page.cursor.checked_sub(first).filter(|at| *at < group.len());
        let list: Vec<ValueRow> = group.iter().map(|setting| row(*setting, state)).collect();
        match (&page.input, here) {
            // What is typed stands in the place of its row.
            (Some(field), Some(at)) => {
                rows(&list[..at], None, column);
                column.focus = Some(column.used());
                let room = usize::from(column.width()).saturating_sub(26);
                let label = Span::styled(format!("▸ {:<22}", group[at].label()), state.theme.style(StyleRole::Faint));
                column.line(Line::from_iter(std::iter::once(label).chain(field.spans(state.theme, room, true))));
                rows(&list[at + 1..], None, column);
            }
            _ => drop(rows(&list, here, column)),
        }
        column.gap();
        first += group.len();
    }
}

fn row(setting: Setting, state: &State) -> ValueRow {
    let value = match setting.shown(&state.config) {
        empty if empty.is_empty() => format!("({})", setting.unset()),
        value => value,
    };
    ValueRow { label: setting.label(), value, opens: !setting.is_choice() }
}
