//! What lies over the screen: help, questions, the search line.

use crate::tui::action::{self, Binding};
use crate::tui::screen::help;
use crate::tui::screen::palette::Palette;
use crate::tui::state::{App, Dialog};
use crate::tui::theme::Role;
use crate::tui::widget::column::{Column, shorten};
use crate::tui::widget::field::Field;
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
        Some(Dialog::Range(field)) => {
            let question = "First and last sector, or p1 for the first partition; empty for the whole drive: ";
            let question = if area.width < 110 { "First and last sector, or p1; empty: all: " } else { question };
            typed(app, question, field, area, buffer);
        }
        Some(Dialog::Find(field)) => typed(app, "Find a drive by serial, model or path: ", field, area, buffer),
        Some(Dialog::Palette(palette)) => offers(app, palette, area, buffer),
    }
}

/// A line that is being typed, above the bottom line.
fn typed(app: &App, question: &str, field: &Field, area: Rect, buffer: &mut Buffer) {
    let bottom = Rect { y: area.bottom().saturating_sub(2), height: 1, ..area };
    buffer.set_style(bottom, app.theme.raised());
    Clear.render(bottom, buffer);
    let room = usize::from(area.width).saturating_sub(question.chars().count() + 2);
    let question = Span::styled(format!(" {question}"), app.theme.style(Role::Faint));
    buffer.set_style(bottom, app.theme.raised());
    Line::from_iter(std::iter::once(question).chain(field.spans(app.theme, room, true))).render(bottom, buffer);
}

/// The palette: what is typed, and what it finds; of what can't be done now the reason.
fn offers(app: &App, palette: &Palette, area: Rect, buffer: &mut Buffer) {
    let inner = panel(app, 96, 26, area, buffer);
    let mut column = Column::new(inner, buffer, app.theme);
    let room = usize::from(column.width());
    let style = |role| app.theme.style(role);
    let prompt = Span::styled("Do what?  ", style(Role::Faint));
    column.line(Line::from_iter(std::iter::once(prompt).chain(palette.field.spans(app.theme, room.saturating_sub(10), true))));
    column.gap();
    let found = palette.found(app);
    if found.is_empty() {
        return column.sentence("Nothing has these letters.", Role::Faint);
    }
    let rows = usize::from(column.left()).saturating_sub(1).max(1);
    let first = palette.cursor.saturating_sub(rows.saturating_sub(1));
    for (at, offer) in found.iter().enumerate().skip(first).take(rows) {
        let here = at == palette.cursor;
        let role = match (here, &offer.why_not) {
            (true, _) => Role::Strong,
            (false, None) => Role::Text,
            (false, Some(_)) => Role::Faint,
        };
        let mark = if here { "▸ " } else { "  " };
        let why = offer.why_not.as_deref().unwrap_or_default();
        let name_room = (room / 2).clamp(20, 44);
        column.line(Line::from(vec![
            Span::styled(mark, style(Role::Act)),
            Span::styled(format!("{:<name_room$}", shorten(&offer.name, name_room - 1)), style(role)),
            Span::styled(format!("{:<10}", offer.binding.shown), style(Role::Act)),
            Span::styled(shorten(why, room.saturating_sub(name_room + 12)), style(Role::Faint)),
        ]));
    }
    if found.len() > first + rows {
        column.line(Line::styled(format!("  … {} more lines ↓", found.len() - first - rows), style(Role::Faint)));
    }
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
    key_lines(app, &action::usable(app), &mut column);
}

fn help(app: &App, area: Rect, buffer: &mut Buffer) {
    let inner = panel(app, 84, 22, area, buffer);
    let mut column = Column::new(inner, buffer, app.theme);
    let (name, about) = help::about_here(app);
    column.heading(&format!("Help for {name}"));
    column.sentence(about[0], Role::Strong);
    for words in &about[1..] {
        column.sentence(words, Role::Text);
    }
    column.gap();
    column.heading("Keys");
    key_lines(app, &action::usable_beneath(app), &mut column);
}

/// The keys with what they do, in as many columns as they need.
fn key_lines(app: &App, bindings: &[&Binding], column: &mut Column<'_>) {
    let shown: Vec<&&Binding> = bindings.iter().filter(|b| action::is_shown(b)).collect();
    let rows = usize::from(column.left()).max(1);
    let columns = shown.len().div_ceil(rows).clamp(1, 3);
    let width = usize::from(column.width()) / columns;
    for row in shown.chunks(columns) {
        column.line(Line::from_iter(row.iter().flat_map(|b| {
            let words = format!("{:<w$}", shorten(b.label, width.saturating_sub(13)), w = width.saturating_sub(12));
            [
                Span::styled(format!("  {:<10}", b.shown), app.theme.style(Role::Act)),
                Span::styled(words, app.theme.style(Role::Text)),
            ]
        })));
    }
}
