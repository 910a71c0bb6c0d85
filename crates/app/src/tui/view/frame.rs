//! The frame: top line, lanes, desk with its steps, bottom line.

use super::parts::{shorten, words};
use super::{arm, certify, dialogs, erase, lanes, look, lot, methods, plan, prove};
use crate::tui::keys;
use crate::tui::state::{App, LaneState, Page, Step};
use crate::tui::theme::Role;
use jurex_core::rules::Technique;
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};

const SMALLEST: (u16, u16) = (80, 24);

/// Whether lanes and desk take turns on this screen.
pub(crate) fn is_narrow((width, height): (u16, u16)) -> bool {
    width < 100 || height < 30
}

/// Where the parts of the screen are.
struct Places {
    top: Rect,
    lanes: Option<Rect>,
    strip: Option<Rect>,
    desk: Option<Rect>,
    bottom: Rect,
}

fn places(app: &App, area: Rect) -> Places {
    let [top, body, bottom] = Layout::vertical([Constraint::Length(1), Constraint::Min(0), Constraint::Length(1)]).areas(area);
    let with_strip = |desk: Rect| {
        let [strip, desk] = Layout::vertical([Constraint::Length(3), Constraint::Min(0)]).areas(desk);
        (Some(strip), Some(desk))
    };
    if !is_narrow((area.width, area.height)) {
        let lanes_width = (area.width * 54 / 160).clamp(34, 54);
        let [lanes, _, desk, _] = Layout::horizontal([
            Constraint::Length(lanes_width),
            Constraint::Length(2),
            Constraint::Min(0),
            Constraint::Length(1),
        ])
        .areas(body);
        let (strip, desk) = with_strip(desk);
        return Places { top, lanes: Some(lanes), strip, desk, bottom };
    }
    if app.lanes_in_front {
        return Places { top, lanes: Some(body), strip: None, desk: None, bottom };
    }
    let [_, desk, _] = Layout::horizontal([Constraint::Length(1), Constraint::Min(0), Constraint::Length(1)]).areas(body);
    let (strip, desk) = with_strip(desk);
    Places { top, lanes: None, strip, desk, bottom }
}

/// Draws everything.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>) {
    let area = frame.area();
    let buffer = frame.buffer_mut();
    buffer.set_style(area, app.theme.ground());
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        return too_small(app, area, buffer);
    }
    let places = places(app, area);
    top_line(app, places.top, buffer);
    let whole = Rect { y: area.y + 1, height: area.height.saturating_sub(2), ..area };
    match &app.page {
        Page::Bench => bench(app, &places, buffer),
        Page::Methods(page) => methods::draw(app, page, whole, buffer),
        Page::Lot(page) => lot::draw(app, page, whole, buffer),
    }
    bottom_line(app, places.bottom, buffer);
    dialogs::draw(app, area, buffer);
}

/// Lanes and desk.
fn bench(app: &App, places: &Places, buffer: &mut Buffer) {
    if let Some(lanes) = places.lanes {
        lanes::draw(app, lanes, buffer);
        if places.desk.is_some() {
            divider(app, lanes, buffer);
        }
    }
    if let (Some(strip), Some(desk)) = (places.strip, places.desk) {
        step_strip(app, strip, buffer);
        draw_desk(app, desk, buffer);
    }
}

fn too_small(app: &App, area: Rect, buffer: &mut Buffer) {
    let (width, height) = SMALLEST;
    let working = match app.working() {
        0 => String::new(),
        1 => " One drive is being worked on; it goes on meanwhile.".into(),
        n => format!(" {n} drives are being worked on; they go on meanwhile."),
    };
    let said =
        format!("Jurex needs {width} columns and {height} rows; this terminal has {} and {}.{working}", area.width, area.height);
    Paragraph::new(said).wrap(Wrap { trim: true }).render(area, buffer);
}

fn top_line(app: &App, area: Rect, buffer: &mut Buffer) {
    buffer.set_style(area, app.theme.raised());
    let style = |role| app.theme.style(role);
    let mut left = vec![Span::styled(" jurex", style(Role::Strong))];
    let lot = if app.papers.lot.is_empty() { String::new() } else { format!("lot {}", app.papers.lot) };
    let known = [app.bench.as_str(), lot.as_str(), app.papers.technician.name.as_str()];
    let room = if area.width < 120 { 2 } else { 3 };
    left.extend(
        known.into_iter().filter(|w| !w.is_empty()).take(room).map(|w| Span::styled(format!("   {w}"), style(Role::Text))),
    );
    Line::from(left).render(area, buffer);
    words(format!("{}   {} ", counts(app), app.time_of_day), style(Role::Text)).right_aligned().render(area, buffer);
}

/// What the terminal's title says: how the lanes stand, and how long the longest job still takes.
pub(crate) fn title(app: &App) -> String {
    let working = app.lanes.iter().filter(|l| l.is_working()).filter_map(|l| l.work.as_ref());
    // Rounded up to minutes: a title that changes every second is restless.
    let minutes = |d: std::time::Duration| d.as_secs().div_ceil(60);
    let left = working.filter_map(|w| w.progress.time_left()).max().map(|d| format!("{} min left", minutes(d)));
    let counts = Some(counts(app)).filter(|c| !c.is_empty());
    ["jurex".to_string()].into_iter().chain(counts).chain(left).collect::<Vec<_>>().join(" · ")
}

fn counts(app: &App) -> String {
    let count = |of: &dyn Fn(LaneState) -> bool| app.lanes.iter().filter(|l| of(l.state())).count();
    let erasing = count(&|s| matches!(s, LaneState::Erasing | LaneState::Proving | LaneState::Held));
    let needs = app.lanes.iter().filter(|l| l.needs_person()).count();
    let proved = count(&|s| s == LaneState::Proved);
    let need_word = if needs == 1 { "needs you" } else { "need you" };
    [(erasing, "at work"), (needs, need_word), (proved, "proved")]
        .into_iter()
        .filter(|(n, _)| *n > 0)
        .map(|(n, word)| format!("{n} {word}"))
        .collect::<Vec<_>>()
        .join(" · ")
}

fn divider(app: &App, lanes: Rect, buffer: &mut Buffer) {
    for y in lanes.top()..lanes.bottom() {
        buffer.set_string(lanes.right(), y, "│", app.theme.style(Role::Line));
    }
}

/// Columns that one step's name has in the strip.
fn strip_slots(area: Rect) -> impl Iterator<Item = (Step, Rect)> {
    let slot = area.width / Step::ALL.len() as u16;
    Step::ALL.into_iter().enumerate().map(move |(i, step)| {
        let x = area.x + i as u16 * slot;
        (step, Rect { x, width: slot, height: 2.min(area.height), ..area })
    })
}

fn step_strip(app: &App, area: Rect, buffer: &mut Buffer) {
    let Some(lane) = app.lane() else { return };
    for (step, slot) in strip_slots(area) {
        let here = step == lane.step;
        let open = lane.missing(step).is_none();
        let role = match (here, open) {
            (true, _) => Role::Act,
            (false, true) => Role::Text,
            (false, false) => Role::Faint,
        };
        let mark = match (here, open) {
            (true, _) => "◉",
            (false, true) => "●",
            (false, false) => "○",
        };
        let joined = if step == Step::Certify { "" } else { " ─" };
        let rest = usize::from(slot.width).saturating_sub(step.name().len() + joined.chars().count());
        let line =
            if step == Step::Certify { String::new() } else { format!("{joined}{} ", "─".repeat(rest.saturating_sub(1))) };
        let name = Span::styled(step.name(), app.theme.style(role));
        Line::from(vec![name, Span::styled(line, app.theme.style(Role::Line))]).render(slot, buffer);
        let below = Rect { y: slot.y + 1, height: 1, x: slot.x + step.name().len() as u16 / 2, width: 2 };
        if area.height > 1 {
            words(mark, app.theme.style(role)).render(below, buffer);
        }
    }
}

fn draw_desk(app: &App, area: Rect, buffer: &mut Buffer) {
    let Some(lane) = app.lane() else {
        let said = if app.loading { "Looking for drives …" } else { "No drive was found. Attach one and start Jurex again." };
        words(said, app.theme.style(Role::Faint)).render(area, buffer);
        return;
    };
    match lane.step {
        Step::Look => look::draw(app, lane, area, buffer),
        Step::Plan => plan::draw(app, lane, area, buffer),
        Step::Arm => arm::draw(app, lane, area, buffer),
        Step::Erase => erase::draw(app, lane, area, buffer),
        Step::Prove => prove::draw(app, lane, area, buffer),
        Step::Certify => certify::draw(app, lane, area, buffer),
    }
}

fn bottom_line(app: &App, area: Rect, buffer: &mut Buffer) {
    buffer.set_style(area, app.theme.raised());
    let room = usize::from(area.width).saturating_sub(2);
    if let Some(notice) = &app.notice {
        words(format!(" {}", shorten(notice, room)), app.theme.style(Role::Strong)).render(area, buffer);
        return;
    }
    let mut spans = vec![Span::raw(" ")];
    let mut used = 1;
    for (i, (key, words)) in keys::hints(app).into_iter().enumerate() {
        let separator = if i == 0 { "" } else { "   " };
        let width = separator.len() + key.chars().count() + 1 + words.len();
        if used + width > room {
            break;
        }
        used += width;
        spans.push(Span::styled(format!("{separator}{key}"), app.theme.style(Role::Act)));
        spans.push(Span::styled(format!(" {words}"), app.theme.style(Role::Text)));
    }
    Line::from(spans).render(area, buffer);
}

/// What the mouse is on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Hit {
    Lane(usize),
    Step(Step),
    Way(Technique),
}

/// What stands at that column and row.
pub(crate) fn hit(app: &App, (x, y): (u16, u16)) -> Option<Hit> {
    let places = places(app, Rect::new(0, 0, app.size.0, app.size.1));
    let inside = |area: &Rect| area.contains((x, y).into());
    if let Some(area) = places.lanes.filter(inside) {
        return lanes::lane_at(app, area, y).map(Hit::Lane);
    }
    if let Some(area) = places.strip.filter(inside) {
        return strip_slots(area).find(|(_, slot)| slot.contains((x, y).into())).map(|(step, _)| Hit::Step(step));
    }
    let desk = places.desk.filter(inside)?;
    let lane = app.lane().filter(|l| l.step == Step::Plan)?;
    plan::way_at(lane, desk, y).map(Hit::Way)
}
