//! Certify: can I sign for it? Fields to fill in on the left, what the certificate will say on the right.

use crate::lane::Lane;
use crate::lane::papers::{Form, PaperField};
use crate::lane::stage::{Over, WrittenPapers};
use crate::state::State;
use jurex_look::column::{Column, shorten};
use jurex_look::theme::StyleRole;
use jurex_pattern::units::size;
use jurex_sanitize::rules::Outcome;
use ratatui::layout::{Constraint, Layout};
use ratatui::text::{Line, Span};
use std::path::PathBuf;

/// Draws the step into a column that is as long as it needs; where it is wide, form and paper side by side.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let Some(over) = lane.over() else { return column.sentence("There is no record yet.", StyleRole::Faint) };
    let Over { form: fields, written: files, .. } = over;
    column.question("Can I sign for it?");
    if column.width() < 90 {
        written(files.as_ref(), &state.signs, column);
        column.gap();
        form(state, lane, fields, column);
        column.gap();
        return says(lane, over, column);
    }
    let rest = column.rest();
    let [form_area, _, says_area] =
        Layout::horizontal([Constraint::Percentage(48), Constraint::Length(3), Constraint::Min(0)]).areas(rest);
    let mut left = Column::new(form_area, column.buffer(), state.theme);
    form(state, lane, fields, &mut left);
    let (left_used, focus) = (left.used(), left.focus);
    let mut right = Column::new(says_area, column.buffer(), state.theme);
    says(lane, over, &mut right);
    right.gap();
    written(files.as_ref(), &state.signs, &mut right);
    let used = right.used().max(left_used);
    column.focus = focus.map(|row| column.used() + row);
    column.take(used);
}

fn form(state: &State, lane: &Lane, form: &Form, column: &mut Column<'_>) {
    column.heading("Fields that only people know");
    for (i, field) in PaperField::ALL.into_iter().enumerate() {
        let here = form.focus == Some(i);
        if here {
            column.focus = Some(column.used());
        }
        let room = usize::from(column.width()).saturating_sub(24);
        let styled = |text: String, role| vec![Span::styled(text, state.theme.style(role))];
        let value = match (here, field.is_choice()) {
            (true, false) => form.input.spans(state.theme, room, true),
            (true, true) => styled(format!("{}   (Space changes it)", or_dash(&field.shown(&lane.papers))), StyleRole::Act),
            (false, _) => styled(shorten(&or_line(&field.shown(&lane.papers)), room), StyleRole::Text),
        };
        let mark = if here { "▸ " } else { "  " };
        let label = Span::styled(format!("{mark}{:<21}", field.label()), state.theme.style(StyleRole::Faint));
        column.line(Line::from_iter(std::iter::once(label).chain(value)));
    }
}

fn or_dash(text: &str) -> String {
    if text.is_empty() { "-".into() } else { text.into() }
}

/// An empty field prints as a line to fill in by hand.
fn or_line(text: &str) -> String {
    if text.is_empty() { "▁▁▁▁▁▁▁▁▁▁▁▁".into() } else { text.into() }
}

fn says(lane: &Lane, over: &Over, column: &mut Column<'_>) {
    let record = &over.end.record;
    let evidence = record.evidence();
    let claim = record.claim();
    column.heading(&format!("What the {} says", lane.paper()));
    column.fact("job", record.job.as_str());
    let role = if claim.outcome() == Outcome::NotSanitized { StyleRole::Fault } else { StyleRole::Proved };
    column.fact_in("outcome", &claim.outcome().to_string(), role);
    column.fact("drive", &evidence.drive().name());
    column.fact("serial", evidence.drive().unit.serial.as_deref().unwrap_or("not reported"));
    let notation = match record.method.notation.as_str() {
        "" => String::new(),
        notation => format!(" ({notation})"),
    };
    column.fact("method", &format!("{}{notation}", record.method.title));
    column.fact("verification", &record.method.verification.to_string());
    column.fact("written", &size(evidence.bytes_laid()));
    column.fact("read back", &size(evidence.bytes_read()));
    for reason in claim.reasons() {
        column.fact("because", &reason.sentence());
    }
    for limit in claim.limits() {
        column.fact("not covered", &limit.sentence());
    }
    column.fact("confidence", &over.confidence);
    column.fact("judged by", record.rule_set());
    if let Some(said) = jurex_station::files::lacking_signs(&lane.papers) {
        column.sentence(&format!("✕ {}.", jurex_pattern::text::capital(&said)), StyleRole::Fault);
    }
}

fn written(written: Option<&WrittenPapers>, signs: &str, column: &mut Column<'_>) {
    match written {
        None => {
            column.sentence("Not written yet: Enter writes the PDF, the record and the drawings.", StyleRole::Strong);
            if !signs.is_empty() {
                column.sentence(signs, StyleRole::Text);
            }
        }
        Some(Ok(paths)) => {
            let folder = paths.first().and_then(|p| p.parent()).map(|f| f.display().to_string()).unwrap_or_default();
            column.heading("Written");
            column.fact("folder", &folder);
            if !signs.is_empty() {
                column.fact("signature", signs);
            }
            let name = |p: &PathBuf| p.file_name().unwrap_or_default().to_string_lossy().into_owned();
            paths.iter().enumerate().for_each(|(i, p)| column.fact(if i == 0 { "files" } else { "" }, &name(p)));
        }
        Some(Err(why)) => column.sentence(&format!("✕ {why}"), StyleRole::Strong),
    }
}
