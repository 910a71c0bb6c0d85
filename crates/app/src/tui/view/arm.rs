//! Arm: the last look. The drive as a label with the places to read from the drive itself left open.

use super::parts::{Column, words};
use crate::tui::state::{App, ArmStage, Lane};
use crate::tui::theme::Role;
use jurex_core::media::Label;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Widget};

pub(crate) fn draw(app: &App, lane: &Lane, area: Rect, buffer: &mut Buffer) {
    let mut column = Column::new(area, buffer, app.theme);
    column.question("Last look. Is this the drive in your hands?");
    if lane.work.is_some() {
        return column.sentence("This drive was armed, and its job has begun: see Erase.", Role::Text);
    }
    let Some(plan) = &lane.plan else { return column.sentence("There is no plan yet.", Role::Faint) };
    label(app, lane, &mut column);
    column.gap();
    column.sentence(
        &format!("Read {} from the drive itself, type or scan it, and press Enter.", lane.label().asks_for()),
        Role::Strong,
    );
    column.gap();
    if let Some(unfinished) = lane.unfinished.as_ref().filter(|_| lane.going_on) {
        let (job, place) = (&unfinished.job, unfinished.checkpoint.place());
        let said = format!("job {job}, cut short {place}: what was laid last is read again before it is trusted");
        column.fact_in("goes on with", &said, Role::Strong);
    }
    column.fact_in("what is lost", &plan.warning(), Role::Text);
    if let Some(contents) = &lane.contents {
        column.fact("on it now", &contents.sentence());
    }
    column.fact("method", &format!("{} ({})", plan.title(), plan.notation()));
    column.fact("it earns", &format!("{}, if nothing goes wrong", plan.expected().outcome()));
    column.fact("backed up?", &format!("{}   (Tab changes it; it is recorded)", lane.papers.backup));
    column.gap();
    if lane.arming.stage == ArmStage::Opening {
        column.sentence("The label is right. Opening the drive for this job alone …", Role::Act);
    }
    if let ArmStage::Counting(starts) = &lane.arming.stage {
        let left = starts.saturating_sub(app.now).as_secs_f64().ceil();
        column.sentence(&format!("The label is right. Writing begins in {left:.0} s. Any key stops it."), Role::Act);
    }
    for said in [&lane.arming.problem, &lane.not_started].into_iter().flatten() {
        column.sentence(&format!("✕ {said}"), Role::Strong);
    }
}

/// The drive's paper label, as far as it may be shown.
fn label(app: &App, lane: &Lane, column: &mut Column<'_>) {
    let drive = &lane.seen.drive;
    let area = column.take(9);
    let card = Rect { width: area.width.min(58), ..area };
    let style = |role| app.theme.style(role);
    let block = Block::bordered().border_type(BorderType::Plain).border_style(style(Role::Line));
    let inner = block.inner(card);
    block.render(card, column.buffer());
    let maker = drive.unit.maker.clone().unwrap_or_else(|| drive.bus.to_string());
    let mut lines = vec![
        words(format!("  {}", maker.to_uppercase()), style(Role::Strong)),
        words(format!("  {}", drive.unit.model.clone().unwrap_or_else(|| drive.shown_path())), style(Role::Text)),
        words(format!("  {}", drive.size()), style(Role::Text)),
        Line::raw(""),
    ];
    lines.push(blank_line(app, lane));
    lines.push(Line::raw(""));
    lines.push(words(format!("  {} · {} · {}", drive.class, drive.bus, drive.shown_path()), style(Role::Faint)));
    for (row, line) in lines.into_iter().enumerate().take(inner.height.into()) {
        line.render(Rect { y: inner.y + row as u16, height: 1, ..inner }, column.buffer());
    }
}

/// The serial with its last places open, filled with what is typed.
fn blank_line(app: &App, lane: &Lane) -> Line<'static> {
    let style = |role| app.theme.style(role);
    let typed = &lane.arming.typed;
    let (shown, places) = match lane.label() {
        Label::SerialEnding { start, ending } => (format!("  S/N  {start}"), ending.chars().count()),
        Label::SectorCount(_) => ("  sectors  ".into(), 12),
        Label::Place(place) => ("  place  ".into(), place.chars().count()),
    };
    let armed = lane.arming.stage != ArmStage::Asking;
    let filled = if armed { "✓ right".into() } else { typed.clone() };
    let open = if armed { 0 } else { places.saturating_sub(typed.chars().count()) };
    Line::from(vec![
        Span::styled(shown, style(Role::Text)),
        Span::styled(filled, style(Role::Act)),
        Span::styled("▁".repeat(open), style(Role::Act)),
    ])
}
