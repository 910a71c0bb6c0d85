//! What lies over the screen: help, questions, the search line.

use super::parts::Column;
use crate::tui::keys;
use crate::tui::state::{App, Dialog};
use crate::tui::theme::Role;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Clear, Widget};

pub(crate) fn draw(app: &App, area: Rect, buffer: &mut Buffer) {
    match &app.dialog {
        None => {}
        Some(Dialog::Help) => help(app, area, buffer),
        Some(Dialog::Stop(_)) => {
            let drive = app.lane().map(|l| l.seen.drive.called()).unwrap_or_default();
            let words = [
                format!("Stop erasing {drive}?"),
                "A stopped drive is Not sanitized: part of it is overwritten, the rest still holds what was there.".into(),
                "What was done so far is recorded. Stopping cannot be taken back.".into(),
            ];
            question(app, &words, area, buffer);
        }
        Some(Dialog::Quit(_)) => {
            let jobs = match app.working() {
                1 => "One drive is still being worked on.".to_string(),
                n => format!("{n} drives are still being worked on."),
            };
            let words = [
                format!("Quit? {jobs}"),
                "Quitting stops the work. A stopped drive is Not sanitized: part of it still holds what was there.".into(),
                "What was done so far is recorded in the ledger.".into(),
            ];
            question(app, &words, area, buffer);
        }
        Some(Dialog::Range(text)) => {
            let question = "First and last sector, or p1 for the first partition; empty for the whole drive: ";
            typed(app, question, text, area, buffer);
        }
        Some(Dialog::Find(text)) => typed(app, "Find a drive by serial, model or path: ", text, area, buffer),
    }
}

/// A line that is being typed, above the bottom line.
fn typed(app: &App, question: &str, text: &str, area: Rect, buffer: &mut Buffer) {
    let bottom = Rect { y: area.bottom().saturating_sub(2), height: 1, ..area };
    buffer.set_style(bottom, app.theme.raised());
    Clear.render(bottom, buffer);
    let line = Line::from(vec![
        Span::styled(format!(" {question}"), app.theme.style(Role::Faint)),
        Span::styled(format!("{text}▏"), app.theme.style(Role::Act)),
    ]);
    buffer.set_style(bottom, app.theme.raised());
    line.render(bottom, buffer);
}

fn panel(app: &App, width: u16, height: u16, area: Rect, buffer: &mut Buffer) -> Rect {
    let (width, height) = (width.min(area.width.saturating_sub(2)), height.min(area.height.saturating_sub(2)));
    let place = Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 2, width, height };
    Clear.render(place, buffer);
    buffer.set_style(place, app.theme.ground());
    buffer.set_style(place, app.theme.raised());
    let block = Block::bordered().border_style(app.theme.style(Role::Faint));
    let inner = block.inner(place);
    block.render(place, buffer);
    Rect { x: inner.x + 2, width: inner.width.saturating_sub(4), y: inner.y + 1, height: inner.height.saturating_sub(1) }
}

fn question(app: &App, words: &[String], area: Rect, buffer: &mut Buffer) {
    let inner = panel(app, 72, 12, area, buffer);
    let mut column = Column::new(inner, buffer, app.theme);
    for (i, sentence) in words.iter().enumerate() {
        column.sentence(sentence, if i == 0 { Role::Strong } else { Role::Text });
        column.gap();
    }
    key_lines(app, keys::hints(app), &mut column);
}

fn help(app: &App, area: Rect, buffer: &mut Buffer) {
    let inner = panel(app, 84, 22, area, buffer);
    let mut column = Column::new(inner, buffer, app.theme);
    let (name, about) = keys::about_here(app);
    column.heading(&format!("Help for {name}"));
    column.sentence(about[0], Role::Strong);
    for words in &about[1..] {
        column.sentence(words, Role::Text);
    }
    column.gap();
    column.heading("Keys");
    key_lines(app, keys::hints_without_dialog(app), &mut column);
}

fn key_lines(app: &App, hints: Vec<keys::Hint>, column: &mut Column<'_>) {
    for (key, words) in hints {
        column.line(Line::from(vec![
            Span::styled(format!("  {key:<10}"), app.theme.style(Role::Act)),
            Span::styled(words, app.theme.style(Role::Text)),
        ]));
    }
}
