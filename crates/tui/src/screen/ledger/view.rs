//! The ledger page: what is looked for, the jobs that were found, and beside them the story of the chosen one.

use super::LedgerPage;
use crate::state::State;
use jurex_disposition::release::OpenItem;
use jurex_look::column::{Column, fit, shorten};
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_look::{pace, strata};
use jurex_past::{JobLine as Job, JobStatus, KnownDrive};
use jurex_sanitize::record::Record;
use jurex_sanitize::rules::Outcome;
use jurex_sanitize::strata::Strata;
use jurex_station::story::Story;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::Style;
use ratatui::text::{Line, Span};

/// Rows above the first job, the top line among them.
const ABOVE: u16 = 4;

/// Below this width list and story take turns.
const NARROW: u16 = 100;

/// The room of the list, and that of the story. Where it is narrow, each has all of it in turn.
fn sides(area: Rect) -> (Rect, Rect) {
    if area.width < NARROW {
        return (area, area);
    }
    let list = (area.width * 11 / 20).max(70);
    let [_, left, _, right, _] = Layout::horizontal([
        Constraint::Length(1),
        Constraint::Length(list),
        Constraint::Length(2),
        Constraint::Min(0),
        Constraint::Length(1),
    ])
    .areas(area);
    (left, right)
}

fn body(state: &State) -> Rect {
    Rect::new(0, 1, state.size.0, state.size.1.saturating_sub(2))
}

pub(super) fn draw(state: &State, page: &LedgerPage, area: Rect, buffer: &mut Buffer) {
    let (left, right) = sides(area);
    let narrow = area.width < NARROW;
    if !narrow {
        for y in left.top()..left.bottom() {
            buffer.set_string(left.right(), y, "│", state.theme.style(StyleRole::Line));
        }
    }
    if !narrow || !page.in_story {
        list(state, page, left, buffer);
        open(state, page, left, buffer);
    }
    if !narrow || page.in_story {
        window::draw(state.theme, right, Scroll::From(page.scroll), buffer, |column| story(state, page, column));
    }
}

/// The farthest that the story can be scrolled.
pub(super) fn most_scroll(state: &State, page: &LedgerPage) -> u16 {
    window::most_scroll(state.theme, sides(body(state)).1, |column| story(state, page, column))
}

/// A kind of what is still open in a line.
pub(super) fn open_line((under, known): &(Option<(OpenItem, u64)>, Vec<KnownDrive>)) -> Option<String> {
    let (matter, n) = under.as_ref()?;
    let names: Vec<&str> = known.iter().map(|k| k.name.as_str()).collect();
    Some(format!("{} ({n}): {}", matter.heading(), names.join(", ")))
}

/// Rows at the foot of the list for what is still open: none where there is no room for it.
fn open_rows(page: &LedgerPage, area: Rect) -> u16 {
    let rows = page.open.len() as u16 + 2;
    if page.open.is_empty() || area.height < 3 * rows { 0 } else { rows }
}

/// What is still open, at the foot of the list.
fn open(state: &State, page: &LedgerPage, area: Rect, buffer: &mut Buffer) {
    let rows = open_rows(page, area);
    let foot = Rect { y: area.bottom().saturating_sub(rows), height: rows, ..area };
    let mut column = Column::new(foot, buffer, state.theme);
    if rows > 0 {
        column.gap();
        column.heading("Needs attention (Tab tells more)");
        for line in &page.open {
            let shown = shorten(line, usize::from(column.width()));
            column.line(Line::styled(shown, state.theme.style(StyleRole::Text)));
        }
    }
}

/// Rows that the list has for jobs, and the first job that is shown.
fn shown(page: &LedgerPage, area: Rect) -> (usize, usize) {
    let rows = usize::from(area.height.saturating_sub(ABOVE + open_rows(page, area))).max(1);
    (rows, page.cursor.saturating_sub(rows.saturating_sub(3)))
}

/// The job at that place of the screen.
pub(super) fn line_at(state: &State, page: &LedgerPage, (x, y): (u16, u16)) -> Option<usize> {
    let (left, _) = sides(body(state));
    let (rows, first) = shown(page, left);
    let row = usize::from(y.checked_sub(left.y + ABOVE - 1)?);
    let at = first + row;
    (x < left.right() && row < rows && at < page.lines.len()).then_some(at)
}

fn list(state: &State, page: &LedgerPage, area: Rect, buffer: &mut Buffer) {
    let style = |role| state.theme.style(role);
    let mut column = Column::new(area, buffer, state.theme);
    column.question("What was done, and where is the proof?");
    let room = usize::from(column.width()).saturating_sub(12);
    let label = Span::styled("  find     ", style(StyleRole::Faint));
    let typed = page.field.spans(state.theme, room, !page.in_story);
    column.line(Line::from_iter(std::iter::once(label).chain(typed)));
    if let Some(problem) = &page.problem {
        return column.sentence(&format!("✕ {problem}"), StyleRole::Strong);
    }
    let width = usize::from(column.width());
    let head = Cells { began: "began".into(), drive: "drive".into(), serial: "serial".into(), lot: "lot".into() };
    let faint = style(StyleRole::Faint);
    column.line(Line::from_iter(head.spans(width, ("  ", faint), ("  outcome".into(), faint), faint)));
    if page.lines.is_empty() {
        let said = match page.answered.as_deref() {
            None => "Looking …",
            Some("") => "Nothing was erased yet: each job stands here from its beginning on.",
            Some(_) => "No job has all these words. Esc shows all of them again.",
        };
        return column.sentence(said, StyleRole::Text);
    }
    let (rows, first) = shown(page, area);
    for (at, job) in page.lines.iter().enumerate().skip(first).take(rows) {
        let (mark, role) = standing(&job.standing);
        let here = at == page.cursor;
        let pointer = (if here { "▸ " } else { "  " }, style(StyleRole::Act));
        let outcome = (format!("{mark} {}", job.standing.word()), style(role));
        let base = style(if here { StyleRole::Strong } else { StyleRole::Text });
        column.line(Line::from_iter(Cells::of(job).spans(width, pointer, outcome, base)));
    }
}

/// Columns of the list; what is left goes to the lot.
const BEGAN: usize = 17;
const DRIVE: usize = 23;
const SERIAL: usize = 15;
const OUTCOME: usize = 17;

/// What stands in a row beside pointer and outcome.
struct Cells {
    began: String,
    drive: String,
    serial: String,
    lot: String,
}

impl Cells {
    fn of(job: &Job) -> Self {
        let shown = |text: &str| jurex_pattern::text::printable(text.as_bytes());
        let record = job.standing.record();
        Self {
            began: job.started.chars().take(16).map(|c| if c == 'T' { ' ' } else { c }).collect(),
            drive: record.map_or_else(|| shown(&job.drive), |r| r.evidence().drive().name()),
            serial: shown(job.serial.as_deref().unwrap_or("-")),
            lot: record.map(|r| shown(&r.papers().lot)).unwrap_or_default(),
        }
    }

    fn spans(&self, width: usize, pointer: (&'static str, Style), outcome: (String, Style), base: Style) -> [Span<'static>; 4] {
        // What is cut short leaves a blank before its neighbour.
        let cell = |text: &str, room: usize| format!("{} ", fit(text, room - 1));
        let before = format!("{}{}{}", cell(&self.began, BEGAN), cell(&self.drive, DRIVE), cell(&self.serial, SERIAL));
        let rest = width.saturating_sub(2 + BEGAN + DRIVE + SERIAL + OUTCOME);
        [
            Span::styled(pointer.0, pointer.1),
            Span::styled(before, base),
            Span::styled(fit(&outcome.0, OUTCOME), outcome.1),
            Span::styled(fit(&self.lot, rest), base),
        ]
    }
}

/// Its sign and colour: both say the same.
fn standing(standing: &JobStatus) -> (&'static str, StyleRole) {
    match standing {
        JobStatus::Recorded(record) if record.claim().outcome() == Outcome::NotSanitized => ("✕", StyleRole::Fault),
        JobStatus::Recorded(_) => ("━", StyleRole::Proved),
        JobStatus::NoRecord => ("·", StyleRole::Faint),
        JobStatus::NotBelieved(_) => ("✕", StyleRole::Fault),
    }
}

fn story(state: &State, page: &LedgerPage, column: &mut Column<'_>) {
    let Some(story) = page.story() else {
        let said = if page.chosen().is_some() { "Looking …" } else { "" };
        return column.sentence(said, StyleRole::Faint);
    };
    match &story.record {
        Err(why) => column.sentence(&format!("✕ {why}."), StyleRole::Strong),
        Ok(record) => of_record(state, record, column),
    }
    events(story, column);
    for look in &story.looks {
        column.fact(
            "looked again",
            &format!("{} by {}, {}", look.finding(), name_of(&look.look.by.name), time(&look.look.ended.to_string())),
        );
    }
    for release in &story.releases {
        column.fact("released", &format!("{} ({})", release.act.sentence(), name_of(&release.by)));
    }
    if let Some(entry) = story.entry {
        column.fact("ledger", &format!("entry {entry}, under a signed head"));
    }
}

fn of_record(state: &State, record: &Record, column: &mut Column<'_>) {
    let (claim, papers, evidence) = (record.claim(), record.papers(), record.evidence());
    column.heading(record.job.as_str());
    let role = if claim.outcome() == Outcome::NotSanitized { StyleRole::Fault } else { StyleRole::Proved };
    column.fact_in("outcome", &claim.outcome().to_string(), role);
    column.fact("drive", &format!("{}, {}", evidence.drive().called(), evidence.drive().size()));
    column.fact("serial", evidence.drive().unit.serial().unwrap_or("not reported"));
    column.fact("method", &record.method.title);
    claim.reasons().iter().for_each(|r| column.fact("because", &r.sentence()));
    claim.limits().iter().for_each(|r| column.fact("not covered", &r.sentence()));
    column.fact("confidence", &record.confidence());
    let shown = |text: &str| jurex_pattern::text::printable(text.as_bytes());
    let known = [
        ("lot", &papers.lot),
        ("property", &papers.property_number),
        ("from", &papers.source),
        ("sanitized by", &papers.technician.name),
        ("validated by", &papers.validator.name),
        ("goes to", &papers.destination),
    ];
    known.into_iter().filter(|(_, text)| !text.is_empty()).for_each(|(label, text)| column.fact(label, &shown(text)));
    column.gap();
    let drawing = Strata::of(evidence, &record.before);
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
    if !evidence.passes().is_empty() {
        column.gap();
        let place = column.take(PACE);
        pace::draw(evidence, state.theme, place, column.buffer());
    }
    column.gap();
}

/// Rows of the chart of speed.
const PACE: u16 = 7;

fn name_of(name: &str) -> String {
    if name.trim().is_empty() { "somebody".into() } else { jurex_pattern::text::printable(name.as_bytes()) }
}

/// Hours, minutes and seconds of a time.
fn time(rfc3339: &str) -> String {
    rfc3339.chars().skip(11).take(8).collect()
}

fn events(story: &Story, column: &mut Column<'_>) {
    if !story.events.is_empty() {
        column.heading("What happened");
        story.events.iter().for_each(|(when, what)| column.event(&time(when), what));
        column.gap();
    }
}
