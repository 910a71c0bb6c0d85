//! Arm: the last look. The drive as a label with the places to read from the drive itself left open.

use crate::tui::state::{App, ArmStage, Lane};
use crate::tui::theme::Role;
use crate::tui::widget::column::{Column, words};
use jurex_core::media::Label;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Widget};

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(app: &App, lane: &Lane, column: &mut Column<'_>) {
    column.question("Last look. Is this the drive in your hands?");
    if lane.work.is_some() {
        return column.sentence("This drive was armed, and its job has begun: see Erase.", Role::Text);
    }
    let Some(plan) = &lane.plan else { return column.sentence("There is no plan yet.", Role::Faint) };
    label(app, lane, column);
    if !column.is_short() {
        column.gap();
    }
    column.sentence(
        &format!("Read {} from the drive itself, type or scan it, and press Enter.", lane.label().asks_for()),
        Role::Strong,
    );
    how_it_stands(app, lane, column);
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
}

/// The countdown, or why there is none: right under what was typed, so that it is in sight on every screen.
fn how_it_stands(app: &App, lane: &Lane, column: &mut Column<'_>) {
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
    let short = column.is_short();
    let area = column.take(if short { 7 } else { 9 });
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
    ];
    let gap = (!short).then(|| Line::raw(""));
    lines.extend(gap.clone());
    lines.push(blank_line(app, lane));
    lines.extend(gap);
    lines.push(words(format!("  {} · {} · {}", drive.class, drive.bus, drive.shown_path()), style(Role::Faint)));
    for (row, line) in lines.into_iter().enumerate().take(inner.height.into()) {
        line.render(Rect { y: inner.y + row as u16, height: 1, ..inner }, column.buffer());
    }
}

/// Columns that what is typed has.
const FIELD_ROOM: usize = 30;

/// The serial with its last places open, filled with what is typed.
fn blank_line(app: &App, lane: &Lane) -> Line<'static> {
    let style = |role| app.theme.style(role);
    let typed = lane.arming.typed.value();
    let (shown, places) = match lane.label() {
        Label::SerialEnding { start, ending } => (format!("  S/N  {start}"), ending.chars().count()),
        Label::SectorCount(_) => ("  sectors  ".into(), 12),
        Label::Place(place) => ("  place  ".into(), place.chars().count()),
    };
    let armed = lane.arming.stage != ArmStage::Asking;
    let mut spans = vec![Span::styled(shown, style(Role::Text))];
    if armed {
        spans.push(Span::styled("✓ right", style(Role::Act)));
        return Line::from(spans);
    }
    let open = places.saturating_sub(typed.chars().count() + 1);
    spans.extend(lane.arming.typed.spans(app.theme, FIELD_ROOM, true));
    spans.push(Span::styled("▁".repeat(open), style(Role::Act)));
    Line::from(spans)
}
