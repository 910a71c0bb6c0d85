//! The paper as it will print, before it is written: what the person signs.

use super::{PlaceHelp, Screen, ScreenAnswer};
use crate::action::{Action, KeyPlace};
use crate::state::State;
use jurex_documents::{House, PreviewLine, Print, preview};
use jurex_look::column::Column;
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_sanitize::record::Record;
use jurex_station::signing::house_at;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use ratatui::text::Line;

/// Columns in which no two columns of the paper run into one another.
const COLUMNS: u16 = 140;

/// The page.
pub(crate) struct PreviewPage {
    lines: Vec<PreviewLine>,
    scroll: u16,
}

impl PreviewPage {
    /// Of a record with the papers as they stand.
    pub(crate) fn of(record: &Record, house: &House, width: u16) -> Self {
        let print = Print { house: house_at(house, record.ended), ..Print::default() };
        let columns = COLUMNS.min(width.saturating_sub(2));
        Self { lines: preview(record, &print, columns.into()), scroll: 0 }
    }

    fn paint(&self, state: &State, column: &mut Column<'_>) {
        let width = usize::from(column.width().min(COLUMNS));
        let style = |role| state.theme.style(role);
        for line in &self.lines {
            match line {
                PreviewLine::Words { text, inverted: true, .. } => {
                    let across = format!("{text:<width$}");
                    column.line(Line::styled(across, style(StyleRole::Strong).add_modifier(Modifier::REVERSED)));
                }
                PreviewLine::Words { text, strong, .. } => {
                    column.line(Line::styled(text.clone(), style(if *strong { StyleRole::Strong } else { StyleRole::Text })));
                }
                PreviewLine::Rule => {
                    // Between the margins, as on the paper.
                    let margin = width * 94 / 1000;
                    let rule = format!("{}{}", " ".repeat(margin), "─".repeat(width - 2 * margin));
                    column.line(Line::styled(rule, style(StyleRole::Line)));
                }
                PreviewLine::EndOfPage(page, pages) => {
                    column.line(Line::styled(
                        format!("╌╌ end of page {page} of {pages} ").to_string() + &"╌".repeat(20),
                        style(StyleRole::Faint),
                    ));
                    column.gap();
                }
            }
        }
    }
}

impl Screen for PreviewPage {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Preview, KeyPlace::Anywhere]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        match action {
            Action::Back => return ScreenAnswer::back(),
            Action::ScrollUp | Action::ScrollDown => {
                let body = Rect::new(1, 1, state.size.0.saturating_sub(2), state.size.1.saturating_sub(2));
                let most = window::most_scroll(state.theme, body, |column| self.paint(state, column));
                self.scroll = window::scrolled(self.scroll, action == Action::ScrollDown, state.size.1, most);
            }
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "The paper",
            [
                "What will stand on the paper that I sign?",
                "Each word stands where it will print; drawings and the code are on the paper alone.",
                "The number in the ledger is added when the paper is written: its record is stored then.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
        window::draw(state.theme, area, Scroll::From(self.scroll), buffer, |column| self.paint(state, column));
    }
}
