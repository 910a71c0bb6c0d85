//! The frame that every screen stands in: top line and bottom line, and what the terminal's title says.

use crate::action::{self, Binding};
use crate::bench::tally;
use crate::lane::LaneState;
use crate::state::State;
use jurex_look::column::{shorten, words};
use jurex_look::theme::StyleRole;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Clear, Paragraph, Widget, Wrap};
use unicode_width::UnicodeWidthStr;

/// The smallest terminal that has room for everything that matters: columns and rows.
pub(super) const SMALLEST: (u16, u16) = (80, 24);

pub(super) fn too_small(state: &State, area: Rect, buffer: &mut Buffer) {
    let (width, height) = SMALLEST;
    let working = match state.working() {
        0 => String::new(),
        1 => " One drive is being worked on, meanwhile too.".into(),
        n => format!(" {n} drives are being worked on, meanwhile too."),
    };
    let said =
        format!("Jurex needs {width} columns and {height} rows; this terminal has {} and {}.{working}", area.width, area.height);
    Paragraph::new(said).wrap(Wrap { trim: true }).render(area, buffer);
}

pub(super) fn top_line(state: &State, area: Rect, buffer: &mut Buffer) {
    buffer.set_style(area, state.theme.raised());
    let style = |role| state.theme.style(role);
    let lost = if state.loses_records() { "RECORDS IN MEMORY ALONE (F8)   " } else { "" };
    let status = format!("{lost}{}   {} ", counts(state), state.time_of_day);
    let mut left = vec![Span::styled(" jurex", style(StyleRole::Strong))];
    let mut room = usize::from(area.width).saturating_sub(6 + 3 + status.width());
    let alone = || if state.config.lot.is_empty() { String::new() } else { format!("lot {}", state.config.lot) };
    let lot = state.lot_said.clone().unwrap_or_else(alone);
    // The lot matters most, the name of the bench least: what has no room is left out whole.
    let known = [state.config.bench.as_str(), lot.as_str(), state.config.technician.name.as_str()];
    let mut fits = [false; 3];
    for at in [1, 2, 0] {
        let needs = known[at].width() + 3;
        if !known[at].is_empty() && needs <= room {
            (fits[at], room) = (true, room - needs);
        }
    }
    let shown = known.into_iter().zip(fits).filter(|(_, fits)| *fits);
    left.extend(shown.map(|(w, _)| Span::styled(format!("   {w}"), style(StyleRole::Text))));
    Line::from(left).render(area, buffer);
    words(status, style(StyleRole::Text)).right_aligned().render(area, buffer);
}

/// What the terminal's title says: how the lanes stand, and how long the longest job still takes.
pub(crate) fn title(state: &State) -> String {
    let working = state.lanes.iter().filter_map(|l| l.work());
    // Rounded up to minutes: a title that changes every second is restless.
    let minutes = |d: std::time::Duration| d.as_secs().div_ceil(60);
    let left = working.filter_map(|w| w.log.progress.time_left()).max().map(|d| format!("{} min left", minutes(d)));
    let counts = Some(counts(state)).filter(|c| !c.is_empty());
    ["jurex".to_string()].into_iter().chain(counts).chain(left).collect::<Vec<_>>().join(" · ")
}

fn counts(state: &State) -> String {
    let count = |of: &dyn Fn(LaneState) -> bool| state.lanes.iter().filter(|l| of(l.state())).count();
    let erasing = count(&|s| matches!(s, LaneState::Erasing | LaneState::Proving | LaneState::Held));
    let needs = state.lanes.iter().filter(|l| l.needs_person()).count();
    let proved = count(&|s| s == LaneState::Proved);
    let need_word = if needs == 1 { "needs you" } else { "need you" };
    let waits = usize::from(state.notices_wait.is_some());
    tally([(erasing, "at work"), (needs, need_word), (proved, "verified"), (waits, "notices wait")])
}

/// What the keys do here; or what was just refused or done.
pub(super) fn bottom_line(state: &State, usable: Vec<&'static Binding>, area: Rect, buffer: &mut Buffer) {
    buffer.set_style(area, state.theme.raised());
    let room = usize::from(area.width).saturating_sub(2);
    if let Some(notice) = &state.notice {
        words(format!(" {}", shorten(notice, room)), state.theme.style(StyleRole::Strong)).render(area, buffer);
        return;
    }
    let mut spans = vec![];
    for binding in fitting(usable, room) {
        spans.push(Span::styled(format!(" {}", binding.shown), state.theme.style(StyleRole::Act)));
        spans.push(Span::styled(format!(" {}  ", binding.label), state.theme.style(StyleRole::Text)));
    }
    Line::from(spans).render(area, buffer);
}

/// What the guided tour says, over the last row of the body.
pub(super) fn tour_line(state: &State, said: &str, body: Rect, buffer: &mut Buffer) {
    let row = Rect { y: body.bottom().saturating_sub(1), height: 1.min(body.height), ..body };
    Clear.render(row, buffer);
    buffer.set_style(row, state.theme.raised());
    let room = usize::from(row.width).saturating_sub(4);
    words(format!(" ▸ {}", shorten(said, room)), state.theme.style(StyleRole::Act)).render(row, buffer);
}

/// The bindings that the bottom line has room for, in the table's order; those that matter less go first.
fn fitting(usable: Vec<&'static Binding>, mut room: usize) -> Vec<&'static Binding> {
    let mut usable: Vec<&Binding> = usable.into_iter().filter(|b| action::is_shown(b)).collect();
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
