//! The frame: top line, lanes, desk with its steps, bottom line.

use super::{dialogs, lanes, lot, methods, settings};
use crate::tui::action::{self, Binding};
use crate::tui::state::{App, Lane, LaneState, Page, Step};
use crate::tui::step::{arm, bytes, certify, erase, look, plan, prove};
use crate::tui::theme::Role;
use crate::tui::widget::column::{Column, shorten, words};
use jurex_core::rules::Technique;
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};
use unicode_width::UnicodeWidthStr;

const SMALLEST: (u16, u16) = (80, 24);

/// Where the parts of the screen are.
struct Places {
    top: Rect,
    lanes: Option<Rect>,
    /// Which drive the desk is about, where no lane says it.
    drive: Option<Rect>,
    strip: Option<Rect>,
    desk: Option<Rect>,
    bottom: Rect,
}

fn places(app: &App, area: Rect) -> Places {
    let [top, body, bottom] = Layout::vertical([Constraint::Length(1), Constraint::Min(0), Constraint::Length(1)]).areas(area);
    let with_strip = |desk: Rect, rows| {
        let [strip, desk] = Layout::vertical([Constraint::Length(rows), Constraint::Min(0)]).areas(desk);
        (Some(strip), Some(desk))
    };
    if !app.is_narrow() {
        let lanes_width = (area.width * 54 / 160).clamp(34, 54);
        let [lanes, _, desk, _] = Layout::horizontal([
            Constraint::Length(lanes_width),
            Constraint::Length(2),
            Constraint::Min(0),
            Constraint::Length(1),
        ])
        .areas(body);
        let (strip, desk) = with_strip(desk, 3);
        return Places { top, lanes: Some(lanes), drive: None, strip, desk, bottom };
    }
    if app.lanes_in_front {
        return Places { top, lanes: Some(body), drive: None, strip: None, desk: None, bottom };
    }
    let [_, desk, _] = Layout::horizontal([Constraint::Length(1), Constraint::Min(0), Constraint::Length(1)]).areas(body);
    let [drive, desk] = Layout::vertical([Constraint::Length(1), Constraint::Min(0)]).areas(desk);
    let (strip, desk) = with_strip(desk, 2);
    Places { top, lanes: None, drive: Some(drive), strip, desk, bottom }
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
        Page::Methods(page) => methods::view::draw(app, page, whole, buffer),
        Page::Lot(page) => lot::view::draw(app, page, whole, buffer),
        Page::Settings(page) => settings::view::draw(app, page, whole, buffer),
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
    if let (Some(place), Some(lane)) = (places.drive, app.lane()) {
        lanes::draw_named(app, lane, place, buffer);
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
    let status = format!("{}   {} ", counts(app), app.time_of_day);
    let mut left = vec![Span::styled(" jurex", style(Role::Strong))];
    let mut room = usize::from(area.width).saturating_sub(6 + 3 + status.width());
    let lot = if app.config.lot.is_empty() { String::new() } else { format!("lot {}", app.config.lot) };
    // The lot matters most, the name of the bench least: what has no room is left out whole.
    let known = [app.config.bench.as_str(), lot.as_str(), app.config.technician.name.as_str()];
    let mut fits = [false; 3];
    for at in [1, 2, 0] {
        let needs = known[at].width() + 3;
        if !known[at].is_empty() && needs <= room {
            (fits[at], room) = (true, room - needs);
        }
    }
    let shown = known.into_iter().zip(fits).filter(|(_, fits)| *fits);
    left.extend(shown.map(|(w, _)| Span::styled(format!("   {w}"), style(Role::Text))));
    Line::from(left).render(area, buffer);
    words(status, style(Role::Text)).right_aligned().render(area, buffer);
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
    lanes::tally([(erasing, "at work"), (needs, need_word), (proved, "proved")])
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
    if let Some(view) = lane.bytes_in_sight() {
        return bytes::view::draw(app, lane, view, area, buffer);
    }
    let (whole, used, focus) = whole_step(app, lane, area);
    if used <= area.height {
        return copy_rows(&whole, 0, used, area, buffer);
    }
    // One row says that there is more, above or below.
    let window = area.height.saturating_sub(1);
    let in_sight = |first: u16| focus.map_or(first, |row| first.clamp((row + 1).saturating_sub(window.max(1)), row));
    let first = in_sight(lane.scroll.min(used - window));
    copy_rows(&whole, first, window, area, buffer);
    let below = used - window - first;
    let said = match (first, below) {
        (0, below) => format!("… {below} more lines ↓ (PgDn)"),
        (above, 0) => format!("… {above} lines above ↑ (PgUp)"),
        (above, below) => format!("… {above} lines above ↑ (PgUp), {below} more lines ↓ (PgDn)"),
    };
    let last = Rect { y: area.bottom().saturating_sub(1), height: 1, ..area };
    words(said, app.theme.style(Role::Strong)).render(last, buffer);
}

/// A step is never longer than this.
const LONGEST: u16 = 200;

/// A step drawn as long as it needs, of which `area` shows a part; how many rows it has, and the one that is worked on.
fn whole_step(app: &App, lane: &Lane, area: Rect) -> (Buffer, u16, Option<u16>) {
    let mut whole = Buffer::empty(Rect::new(0, 0, area.width, LONGEST));
    whole.set_style(whole.area, app.theme.ground());
    let mut column = Column::new(whole.area, &mut whole, app.theme).showing(area.height);
    match lane.step {
        Step::Look => look::draw(app, lane, &mut column),
        Step::Plan => plan::draw(app, lane, &mut column),
        Step::Arm => arm::draw(app, lane, &mut column),
        Step::Erase => erase::draw(app, lane, &mut column),
        Step::Prove => prove::draw(app, lane, &mut column),
        Step::Certify => certify::draw(app, lane, &mut column),
    }
    let (used, focus) = (column.used(), column.focus);
    (whole, used, focus)
}

fn copy_rows(from: &Buffer, first: u16, rows: u16, area: Rect, buffer: &mut Buffer) {
    for y in 0..rows.min(area.height) {
        for x in 0..area.width {
            buffer[(area.x + x, area.y + y)] = from[(x, first + y)].clone();
        }
    }
}

/// The farthest that the present step can be scrolled.
pub(crate) fn most_scroll(app: &App) -> u16 {
    let places = places(app, Rect::new(0, 0, app.size.0, app.size.1));
    let (Some(desk), Some(lane)) = (places.desk, app.lane()) else { return 0 };
    let (_, used, _) = whole_step(app, lane, desk);
    if used <= desk.height { 0 } else { used - desk.height.saturating_sub(1) }
}

fn bottom_line(app: &App, area: Rect, buffer: &mut Buffer) {
    buffer.set_style(area, app.theme.raised());
    let room = usize::from(area.width).saturating_sub(2);
    if let Some(notice) = &app.notice {
        words(format!(" {}", shorten(notice, room)), app.theme.style(Role::Strong)).render(area, buffer);
        return;
    }
    let mut spans = vec![];
    for binding in fitting(app, room) {
        spans.push(Span::styled(format!(" {}", binding.shown), app.theme.style(Role::Act)));
        spans.push(Span::styled(format!(" {}  ", binding.label), app.theme.style(Role::Text)));
    }
    Line::from(spans).render(area, buffer);
}

/// The bindings that the bottom line has room for, in the table's order; those that matter less go first.
fn fitting(app: &App, mut room: usize) -> Vec<&'static Binding> {
    let mut usable: Vec<&Binding> = action::usable(app).into_iter().filter(|b| action::is_shown(b)).collect();
    let mut known: Vec<&str> = vec![];
    // Of two bindings for one key the innermost is meant.
    usable.retain(|b| {
        let new = !known.contains(&b.shown);
        known.push(b.shown);
        new
    });
    let mut by_rank: Vec<(usize, &Binding)> = usable.iter().copied().enumerate().collect();
    by_rank.sort_by_key(|(_, b)| b.rank);
    let mut fits: Vec<(usize, &Binding)> = vec![];
    for (at, binding) in by_rank {
        let Some(rest) = room.checked_sub(binding.shown.width() + binding.label.width() + 4) else { break };
        room = rest;
        fits.push((at, binding));
    }
    fits.sort_by_key(|(at, _)| *at);
    fits.into_iter().map(|(_, b)| b).collect()
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
