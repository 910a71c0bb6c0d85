//! The lanes: one a drive, always visible.

use crate::lane::{Lane, LaneId, LaneState, Presence, Step};
use crate::state::State;
use jurex_device::media::DriveLabel;
use jurex_engine::Activity;
use jurex_look::column::{bar, shorten, words};
use jurex_look::theme::{StyleRole, Theme};
use jurex_pattern::units::{duration, si_size};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Widget;
use std::time::Duration;
use unicode_width::UnicodeWidthStr;

/// Rows of a lane, with the blank one after it.
const TALL: u16 = 4;

fn rows_per_lane(state: &State, area: Rect) -> u16 {
    if state.lanes.len() as u16 * TALL <= area.height { TALL } else { 1 }
}

/// The first lane that is shown in the lanes' rows, so that the chosen one is in sight.
fn first_shown(state: &State, area: Rect) -> usize {
    let fit = usize::from(area.height / rows_per_lane(state, area)).max(1);
    state.selected.map_or(0, |id| state.lanes.place(id)).saturating_sub(fit - 1)
}

/// The lane at that row of the screen.
pub(crate) fn lane_at(state: &State, area: Rect, y: u16) -> Option<LaneId> {
    let (area, _) = lanes_and_summary(state, area);
    if y >= area.bottom() {
        return None;
    }
    let lane = first_shown(state, area) + usize::from((y - area.y) / rows_per_lane(state, area));
    state.lanes.at(lane)
}

/// The rows of the lanes and, where there are more lanes than rows, the last row, which sums them up.
fn lanes_and_summary(state: &State, area: Rect) -> (Rect, Option<Rect>) {
    if state.lanes.len() <= usize::from(area.height) {
        return (area, None);
    }
    let above = Rect { height: area.height.saturating_sub(1), ..area };
    (above, Some(Rect { y: above.bottom(), height: 1, ..area }))
}

/// Draws every lane, three rows each, or one where there are many.
pub(crate) fn draw(state: &State, area: Rect, buffer: &mut Buffer) {
    if state.lanes.is_empty() && state.loading {
        words(" Looking for drives …", state.theme.style(StyleRole::Faint)).render(area, buffer);
    }
    let (area, last) = lanes_and_summary(state, area);
    if let Some(row) = last {
        summary(state, row, buffer);
    }
    let (rows, first) = (rows_per_lane(state, area), first_shown(state, area));
    let used = state.lanes.len() as u16 * rows;
    if let Some(room) = area.height.checked_sub(used + 1).filter(|room| *room >= LEGEND_ROWS && !state.lanes.is_empty()) {
        let y = area.bottom() - LEGEND_ROWS.min(room);
        legend(state, Rect { y, height: LEGEND_ROWS, ..area }, buffer);
    }
    for (i, (id, lane)) in state.lanes.named().enumerate().skip(first) {
        let chosen = state.selected == Some(id);
        let y = area.y + (i - first) as u16 * rows;
        if y >= area.bottom() {
            break;
        }
        let slot = Rect { y, height: (rows - 1).max(1).min(area.bottom() - y), ..area };
        if chosen {
            buffer.set_style(slot, state.theme.raised());
        }
        match rows {
            1 => draw_short(state, lane, chosen, slot, buffer),
            _ => draw_tall(state, lane, chosen, slot, buffer),
        }
    }
}

/// Rows of the legend.
const LEGEND_ROWS: u16 = 4;

/// What the signs of lanes and steps mean, where there is room for it.
fn legend(state: &State, area: Rect, buffer: &mut Buffer) {
    use LaneState as S;
    let rows: [&[S]; 3] = [
        &[S::Ready, S::Guarded, S::Planned, S::Erasing],
        &[S::Held, S::Proving, S::Proved, S::Failed],
        &[S::Tagged, S::Released, S::Unknown],
    ];
    let faint = state.theme.style(StyleRole::Faint);
    for (n, states) in rows.into_iter().enumerate() {
        let signs = states.iter().flat_map(|of| {
            let (sign, role) = edge(*of);
            [Span::styled(format!("  {sign} "), state.theme.style(role)), Span::styled(of.word(), faint)]
        });
        Line::from_iter(signs).render(Rect { y: area.y + n as u16, height: 1, ..area }, buffer);
    }
    words("  steps: ✓ done  ◉ here  ○ open  · not yet", faint).render(Rect { y: area.y + 3, height: 1, ..area }, buffer);
}

/// Sums up the lanes in one row.
fn summary(state: &State, row: Rect, buffer: &mut Buffer) {
    let count = |of: &dyn Fn(&Lane) -> bool| state.lanes.iter().filter(|l| of(l)).count();
    let parts = [
        (count(&|l| l.is_working()), "at work"),
        (count(&Lane::needs_person), "need you"),
        (count(&|l| l.state() == LaneState::Held), "paused"),
        (count(&|l| l.state() == LaneState::Ready), "ready"),
        (count(&|l| l.state() == LaneState::Guarded), "guarded"),
    ];
    let said = tally([(state.lanes.len(), "drives")].into_iter().chain(parts));
    let room = usize::from(row.width).saturating_sub(2);
    words(format!("  {}", shorten(&said, room)), state.theme.style(StyleRole::Faint)).render(row, buffer);
}

/// Numbers with their words in one line; what there is none of is left out.
pub(crate) fn tally<'w>(parts: impl IntoIterator<Item = (usize, &'w str)>) -> String {
    let told = parts.into_iter().filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}"));
    told.collect::<Vec<_>>().join(" · ")
}

/// One row that names a drive: where no lane is in sight it stands over the step.
pub(crate) fn draw_named(state: &State, lane: &Lane, area: Rect, buffer: &mut Buffer) {
    let drive = &lane.seen.drive;
    let stands = lane.state();
    let right = format!("{} · {}", serial(lane), stands.word());
    let room = usize::from(area.width).saturating_sub(right.width() + 1);
    let name = shorten(&format!("{} {} · {}", number(lane), drive.name(), si_size(drive.geometry.bytes())), room);
    words(name, state.theme.style(StyleRole::Strong)).render(area, buffer);
    words(right, state.theme.style(edge(stands).1)).right_aligned().render(area, buffer);
}

/// Shape and role of a lane's left edge.
fn edge(state: LaneState) -> (&'static str, StyleRole) {
    match state {
        LaneState::Unknown => ("?", StyleRole::Guarded),
        LaneState::Guarded => ("⊘", StyleRole::Guarded),
        LaneState::Ready => ("│", StyleRole::Faint),
        LaneState::Planned | LaneState::Armed => ("┆", StyleRole::Text),
        LaneState::Erasing => ("▌", StyleRole::Laid),
        LaneState::Held => ("▖", StyleRole::Laid),
        LaneState::Proving => ("┃", StyleRole::Proved),
        LaneState::Proved => ("━", StyleRole::Proved),
        LaneState::Tagged => ("╍", StyleRole::Proved),
        LaneState::Released => ("┄", StyleRole::Faint),
        LaneState::Unproved | LaneState::Failed | LaneState::Gone => ("✕", StyleRole::Fault),
    }
}

fn draw_edge(state: &State, lane: &Lane, area: Rect, buffer: &mut Buffer) {
    // The edge of a lane that waits for the person goes on and off each second; nothing else on the screen does.
    if lane.needs_person() && state.now.as_millis() % 2000 >= 1000 {
        return;
    }
    let (shape, role) = edge(lane.state());
    for y in area.top()..area.bottom() {
        buffer.set_string(area.x, y, shape, state.theme.style(role));
    }
    if lane.is_picked {
        buffer.set_string(area.x + 1, area.y, "+", state.theme.style(StyleRole::Act));
    }
}

fn number(lane: &Lane) -> String {
    let path = &lane.seen.drive.path;
    path.strip_prefix("sim:").or_else(|| path.strip_prefix("/dev/")).unwrap_or(path).to_string()
}

fn draw_tall(state: &State, lane: &Lane, chosen: bool, area: Rect, buffer: &mut Buffer) {
    draw_edge(state, lane, area, buffer);
    let inner = Rect { x: area.x + 2, width: area.width.saturating_sub(3), ..area };
    let style = |role| state.theme.style(role);
    let drive = &lane.seen.drive;
    let roomy = inner.width >= 44;
    let what = if roomy { format!("{} · {}", drive.class, drive.bus) } else { drive.class.to_string() };
    let room = usize::from(inner.width).saturating_sub(what.width() + 1);
    let name = drive.unit.name().unwrap_or_else(|| drive.bus.to_string());
    let name = shorten(&format!("{} {name}", number(lane)), room);
    let row = |n: u16| Rect { y: area.y + n, height: 1, ..inner };
    words(name, style(if chosen { StyleRole::Strong } else { StyleRole::Text })).render(row(0), buffer);
    words(what, style(StyleRole::Faint)).right_aligned().render(row(0), buffer);
    if area.height > 1 {
        let size = if roomy { drive.size() } else { si_size(drive.geometry.bytes()) };
        words(size, style(StyleRole::Faint)).render(row(1), buffer);
        words(serial(lane), style(StyleRole::Faint)).right_aligned().render(row(1), buffer);
    }
    if area.height > 2 {
        state_line(state.theme, state.now, lane, usize::from(inner.width)).render(row(2), buffer);
    }
}

/// The serial's ending; hidden while this lane's label is asked for.
fn serial(lane: &Lane) -> String {
    match lane.label() {
        DriveLabel::SerialEnding { .. } | DriveLabel::Namespace { .. } if lane.step == Step::Arm && !lane.has_job() => {
            "serial hidden: read the drive".into()
        }
        DriveLabel::SerialEnding { .. } if lane.is_gone() && !lane.look.answered => String::new(),
        DriveLabel::SerialEnding { ending, .. } => format!("…serial ends {ending}"),
        DriveLabel::Namespace { ending, namespace, .. } => format!("…serial ends {ending}/{namespace}"),
        DriveLabel::SectorCount(_) => "no serial".into(),
        DriveLabel::Place(place) => format!("at {place}"),
    }
}

fn state_line(theme: Theme, now: Duration, lane: &Lane, width: usize) -> Line<'static> {
    let state = lane.state();
    let (_, role) = edge(state);
    let word = Span::styled(state.word(), theme.style(role));
    if let Some(work) = lane.work() {
        let progress = &work.log.progress;
        let left = progress.time_left().map(|d| format!("{} left", duration(d))).unwrap_or_default();
        let said = match progress.activity() {
            Activity::Laying | Activity::ReadingBack => {
                format!(" pass {} of {}  {left}", progress.pass(), progress.planned_passes())
            }
            Activity::Own => match progress.own_share() {
                Some(share) => format!(" itself, {:.0} % by its word", share * 100.0),
                None => " itself, can't be stopped".into(),
            },
            activity => format!(" {}", activity.word()),
        };
        let (full, rest) = bar(progress.share(), width.saturating_sub(said.width() + state.word().len() + 2).min(24));
        return Line::from(vec![
            word,
            Span::raw(" "),
            Span::styled(full, theme.style(role)),
            Span::styled(rest, theme.style(StyleRole::Line)),
            Span::styled(said, theme.style(StyleRole::Text)),
        ]);
    }
    if let Some(progress) = lane.waits_for_the_drive() {
        let how_far = progress.map(|p| format!(", {:.0} % by its word", f64::from(p) / 655.36)).unwrap_or_default();
        return Line::from(vec![word, Span::styled(format!(": still erases itself{how_far}"), theme.style(StyleRole::Text))]);
    }
    let presence = match &lane.presence {
        Presence::Here => String::new(),
        Presence::Appeared(at) => format!(", appeared {} ago", duration(now.saturating_sub(*at))),
        Presence::Gone(since) => format!(" since {since}"),
    };
    let told = match state {
        LaneState::Released => lane.release.known.as_ref().and_then(|k| Some(k.standing.as_ref()?.place.sentence())),
        LaneState::Tagged => lane
            .look
            .mark
            .as_ref()
            .and_then(|m| m.mark())
            .map(|m| format!("erased {}, {}, job {}", m.says.ended.strftime("%Y-%m-%d"), m.says.outcome, m.says.job)),
        _ => None,
    };
    let said = match (&lane.verdict, lane.record()) {
        _ if told.is_some() && !lane.needs_person() => format!(": {}", told.unwrap_or_default()),
        (_, Some(record)) => {
            let written = if lane.needs_person() { "not written" } else { "written" };
            let outcome = record.claim().outcome();
            if lane.second_look_is_due() && !lane.needs_person() {
                format!(": {outcome}, second check due")
            } else {
                format!(": {outcome}, {} {written}", lane.paper())
            }
        }
        (Err(_), _) if lane.is_gone() => String::new(),
        (Err(refusal), _) => format!(": {refusal}"),
        _ if lane.is_gone() => String::new(),
        // What is required comes first, then what is known of it, then what is on it.
        _ => {
            let required = Some(format!("{} required", lane.draft.need.outcome()));
            let contents = lane.look.contents.as_ref().map(|c| c.sentence());
            let parts: Vec<String> = required.into_iter().chain(lane.history()).chain(contents).collect();
            format!(": {}", parts.join("; "))
        }
    };
    let room = width.saturating_sub(state.word().len());
    let role = if lane.needs_person() { StyleRole::Strong } else { StyleRole::Faint };
    Line::from(vec![word, Span::styled(shorten(&format!("{presence}{said}"), room), theme.style(role))])
}

fn draw_short(state: &State, lane: &Lane, chosen: bool, area: Rect, buffer: &mut Buffer) {
    draw_edge(state, lane, area, buffer);
    let inner = Rect { x: area.x + 2, width: area.width.saturating_sub(3), ..area };
    let drive = &lane.seen.drive;
    let stands = lane.state();
    let share = lane.work().map(|w| bar(w.log.progress.share(), 8));
    let right = match share {
        Some((full, rest)) => format!("{full}{rest} {}", stands.word()),
        None => stands.word().to_string(),
    };
    let room = usize::from(inner.width).saturating_sub(right.width() + 1);
    // Two drives of one model are told apart by the end of the serial: it goes last.
    let ending = match lane.label() {
        DriveLabel::SerialEnding { .. } | DriveLabel::Namespace { .. } if lane.is_asked_for_its_label() => " …".into(),
        DriveLabel::SerialEnding { ending, .. } => format!(" …{ending}"),
        DriveLabel::Namespace { ending, namespace, .. } => format!(" …{ending}/{namespace}"),
        DriveLabel::Place(place) => format!(" {place}"),
        DriveLabel::SectorCount(_) => String::new(),
    };
    let long = format!("{} {}{ending}  {}", number(lane), drive.name(), si_size(drive.geometry.bytes()));
    let name = if long.width() <= room {
        long
    } else {
        let kept = room.saturating_sub(ending.width());
        format!("{}{}", shorten(&format!("{} {}", number(lane), drive.name()), kept), shorten(&ending, room))
    };
    words(shorten(&name, room), state.theme.style(if chosen { StyleRole::Strong } else { StyleRole::Text }))
        .render(inner, buffer);
    words(right, state.theme.style(edge(stands).1)).right_aligned().render(inner, buffer);
}
