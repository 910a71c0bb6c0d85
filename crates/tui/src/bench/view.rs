//! The bench drawn: lanes, strip of steps, desk; and what a click on it means.

use super::{desk, lanes};
use crate::lane::{LaneId, Step, StepStands};
use crate::state::State;
use crate::step::plan;
use jurex_look::column::words;
use jurex_look::theme::StyleRole;
use jurex_look::window;
use jurex_sanitize::rules::Technique;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Widget;

/// Where the parts of the screen are.
struct ScreenAreas {
    lanes: Option<Rect>,
    /// Which drive the desk is about, where no lane says it.
    drive: Option<Rect>,
    strip: Option<Rect>,
    desk: Option<Rect>,
}

fn places(state: &State, area: Rect) -> ScreenAreas {
    let with_strip = |desk: Rect, rows| {
        let [strip, desk] = Layout::vertical([Constraint::Length(rows), Constraint::Min(0)]).areas(desk);
        (Some(strip), Some(desk))
    };
    if !state.is_narrow() {
        let lanes_width = (area.width * 54 / 160).clamp(34, 54);
        let [lanes, _, desk, _] = Layout::horizontal([
            Constraint::Length(lanes_width),
            Constraint::Length(2),
            Constraint::Min(0),
            Constraint::Length(1),
        ])
        .areas(area);
        let (strip, desk) = with_strip(desk, 3);
        return ScreenAreas { lanes: Some(lanes), drive: None, strip, desk };
    }
    if state.lanes_in_front {
        return ScreenAreas { lanes: Some(area), drive: None, strip: None, desk: None };
    }
    let [_, desk, _] = Layout::horizontal([Constraint::Length(1), Constraint::Min(0), Constraint::Length(1)]).areas(area);
    let [drive, desk] = Layout::vertical([Constraint::Length(1), Constraint::Min(0)]).areas(desk);
    let (strip, desk) = with_strip(desk, 2);
    ScreenAreas { lanes: None, drive: Some(drive), strip, desk }
}

/// The room between top and bottom line.
fn room(state: &State) -> Rect {
    Rect::new(0, 1, state.size.0, state.size.1.saturating_sub(2))
}

/// Lanes and desk.
pub(super) fn draw(state: &State, area: Rect, buffer: &mut Buffer) {
    let places = places(state, area);
    if let Some(lanes) = places.lanes {
        lanes::draw(state, lanes, buffer);
        if places.desk.is_some() {
            divider(state, lanes, buffer);
        }
    }
    if let (Some(place), Some(lane)) = (places.drive, state.lane()) {
        lanes::draw_named(state, lane, place, buffer);
    }
    if let (Some(strip), Some(desk)) = (places.strip, places.desk) {
        step_strip(state, strip, buffer);
        desk::draw(state, desk, buffer);
    }
}

fn divider(state: &State, lanes: Rect, buffer: &mut Buffer) {
    for y in lanes.top()..lanes.bottom() {
        buffer.set_string(lanes.right(), y, "│", state.theme.style(StyleRole::Line));
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

fn step_strip(state: &State, area: Rect, buffer: &mut Buffer) {
    let Some(lane) = state.lane() else { return };
    for (step, slot) in strip_slots(area) {
        let (role, sign) = match lane.step_stands(step) {
            StepStands::Here => (StyleRole::Act, "◉"),
            StepStands::Done => (StyleRole::Text, "✓"),
            StepStands::Open => (StyleRole::Text, "○"),
            StepStands::Closed => (StyleRole::Faint, "·"),
        };
        let is_last = step.beside(1).is_none();
        let joined = if is_last { "" } else { " ─" };
        let rest = usize::from(slot.width).saturating_sub(step.name().len() + joined.chars().count());
        let line = if is_last { String::new() } else { format!("{joined}{} ", "─".repeat(rest.saturating_sub(1))) };
        let name = Span::styled(step.name(), state.theme.style(role));
        Line::from(vec![name, Span::styled(line, state.theme.style(StyleRole::Line))]).render(slot, buffer);
        let below = Rect { y: slot.y + 1, height: 1, x: slot.x + step.name().len() as u16 / 2, width: 2 };
        if area.height > 1 {
            words(sign, state.theme.style(role)).render(below, buffer);
        }
    }
}

/// Half a screen up or down in what the step shows.
pub(super) fn scroll(state: &mut State, down: bool) {
    let most = places(state, room(state)).desk.map_or(0, |desk| desk::most_scroll(state, desk));
    let rows = state.size.1;
    if let Some(lane) = state.lane_mut() {
        lane.scroll = window::scrolled(lane.scroll, down, rows, most);
    }
}

/// What the mouse is on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Hit {
    Lane(LaneId),
    Step(Step),
    Way(Technique),
}

/// What stands at that column and row.
pub(super) fn hit(state: &State, (x, y): (u16, u16)) -> Option<Hit> {
    let places = places(state, room(state));
    let inside = |area: &Rect| area.contains((x, y).into());
    if let Some(area) = places.lanes.filter(inside) {
        return lanes::lane_at(state, area, y).map(Hit::Lane);
    }
    if let Some(area) = places.strip.filter(inside) {
        return strip_slots(area).find(|(_, slot)| slot.contains((x, y).into())).map(|(step, _)| Hit::Step(step));
    }
    let desk = places.desk.filter(inside)?;
    let lane = state.lane().filter(|l| l.step == Step::Plan)?;
    plan::view::way_at(state, lane, desk, y).map(Hit::Way)
}
