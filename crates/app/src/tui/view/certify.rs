//! Certify: can I sign for it? Fields to fill in on the left, what the certificate will say on the right.

use super::parts::{Column, shorten};
use crate::tui::state::{App, Field, Lane};
use crate::tui::theme::Role;
use jurex_core::record::Record;
use jurex_core::rules::Outcome;
use jurex_core::units::size;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use std::path::PathBuf;

pub(crate) fn draw(app: &App, lane: &Lane, area: Rect, buffer: &mut Buffer) {
    let Some(record) = lane.record() else {
        let mut column = Column::new(area, buffer, app.theme);
        return column.sentence("There is no record yet.", Role::Faint);
    };
    let [head, body] = Layout::vertical([Constraint::Length(2), Constraint::Min(0)]).areas(area);
    Column::new(head, buffer, app.theme).question("Can I sign for it?");
    if area.width < 90 {
        let [form_area, says_area] = Layout::vertical([Constraint::Length(16), Constraint::Min(0)]).areas(body);
        form(app, lane, &mut Column::new(form_area, buffer, app.theme));
        return written(lane, &mut Column::new(says_area, buffer, app.theme));
    }
    let [form_area, _, says_area] =
        Layout::horizontal([Constraint::Percentage(48), Constraint::Length(3), Constraint::Min(0)]).areas(body);
    form(app, lane, &mut Column::new(form_area, buffer, app.theme));
    says(lane, record, &mut Column::new(says_area, buffer, app.theme));
}

fn form(app: &App, lane: &Lane, column: &mut Column<'_>) {
    column.heading("Fields that only people know");
    for (i, field) in Field::ALL.into_iter().enumerate() {
        let here = lane.form.focus == Some(i);
        let room = usize::from(column.width()).saturating_sub(24);
        let (value, role) = match (here, field.is_choice()) {
            (true, false) => (format!("{}▏", tail(lane.form.input.value(), room.saturating_sub(1))), Role::Act),
            (true, true) => (format!("{}   (Space changes it)", or_dash(&field.shown(&lane.papers))), Role::Act),
            (false, _) => (shorten(&or_line(&field.shown(&lane.papers)), room), Role::Text),
        };
        let mark = if here { "▸ " } else { "  " };
        column.line(Line::from(vec![
            Span::styled(format!("{mark}{:<21}", field.label()), app.theme.style(Role::Faint)),
            Span::styled(value, app.theme.style(role)),
        ]));
    }
}

fn or_dash(text: &str) -> String {
    if text.is_empty() { "-".into() } else { text.into() }
}

/// An empty field prints as a line to fill in by hand.
fn or_line(text: &str) -> String {
    if text.is_empty() { "▁▁▁▁▁▁▁▁▁▁▁▁".into() } else { text.into() }
}

/// The end of a long text, where the cursor is.
fn tail(text: &str, room: usize) -> String {
    let count = text.chars().count();
    text.chars().skip(count.saturating_sub(room)).collect()
}

fn says(lane: &Lane, record: &Record, column: &mut Column<'_>) {
    let evidence = record.evidence();
    let claim = record.claim();
    column.heading("What the certificate says");
    column.fact("job", record.job.as_str());
    let role = if claim.outcome() == Outcome::NotSanitized { Role::Fault } else { Role::Proved };
    column.fact_in("outcome", &claim.outcome().to_string(), role);
    column.fact("drive", &evidence.drive().name());
    column.fact("serial", evidence.drive().unit.serial.as_deref().unwrap_or("not told by the drive"));
    column.fact("method", &format!("{} ({})", record.method.title, record.method.notation));
    column.fact("verification", &record.method.verification.to_string());
    column.fact("written", &size(evidence.bytes_laid()));
    column.fact("read back", &size(evidence.bytes_read()));
    for reason in claim.reasons() {
        column.fact("because", &reason.sentence);
    }
    for limit in claim.limits() {
        column.fact("not covered", &limit.sentence);
    }
    column.fact("confidence", &record.confidence());
    column.fact("judged by", record.rule_set());
    if let Some(said) = crate::files::lacking_signs(record, &lane.papers) {
        column.sentence(&said, Role::Strong);
    }
    column.gap();
    written(lane, column);
}

fn written(lane: &Lane, column: &mut Column<'_>) {
    match &lane.written {
        None => column.sentence("Not written yet: Enter writes the PDF, the record and the drawings.", Role::Strong),
        Some(Ok(paths)) => {
            let folder = paths.first().and_then(|p| p.parent()).map(|f| f.display().to_string()).unwrap_or_default();
            column.heading("Written");
            column.fact("folder", &folder);
            let name = |p: &PathBuf| p.file_name().unwrap_or_default().to_string_lossy().into_owned();
            paths.iter().enumerate().for_each(|(i, p)| column.fact(if i == 0 { "files" } else { "" }, &name(p)));
        }
        Some(Err(why)) => column.sentence(&format!("✕ {why}"), Role::Strong),
    }
}
