//! Arm: the last look. The drive as a label with the places to read from the drive itself left open.

use crate::lane::Lane;
use crate::lane::stage::{Arming, LaneStage, Planned};
use crate::state::State;
use jurex_device::media::DriveLabel;
use jurex_device::native::by_its_own_word;
use jurex_look::column::{Column, words};
use jurex_look::field::Field;
use jurex_look::theme::StyleRole;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Widget};

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    column.question("Last look. Is this the drive in your hands?");
    let planned = match &lane.stage {
        LaneStage::Idle => return column.sentence("There is no plan yet.", StyleRole::Faint),
        LaneStage::Planned(planned) | LaneStage::Arming(planned, _) => planned,
        LaneStage::Working(_) | LaneStage::Over(_) => {
            return column.sentence("This drive was armed, and its job has begun: see Erase.", StyleRole::Text);
        }
    };
    let plan = &planned.plan;
    label(state, lane, planned, column);
    if !column.is_short() {
        column.gap();
    }
    column.sentence(
        &format!("Read {} from the drive itself, type or scan it, and press Enter.", lane.label().asks_for()),
        StyleRole::Strong,
    );
    how_it_stands(state, lane, planned, column);
    column.gap();
    if let Some(unfinished) = &planned.from {
        let (job, place) = (&unfinished.job, unfinished.checkpoint.place());
        let first = match plan.own_erase() {
            Some(_) if unfinished.checkpoint.evidence().overwrite().is_none() => {
                "the drive is asked what became of it before anything is sent"
            }
            _ => "what was written last is read again before it is trusted",
        };
        let said = format!("job {job}, cut short {place}: {first}");
        column.fact_in("resumes", &said, StyleRole::Strong);
    }
    column.fact_in("what is lost", &plan.warning(), StyleRole::Text);
    if let Some(contents) = &lane.look.contents {
        column.fact("on it now", &contents.sentence());
    }
    let notation = if plan.notation().is_empty() { String::new() } else { format!(" ({})", plan.notation()) };
    column.fact("method", &format!("{}{notation}", plan.title()));
    if plan.lift().is_some() {
        column.fact("hidden areas", lane.draft.hidden.sentence());
    }
    let (required, gives) = (lane.draft.need.outcome(), plan.expected().outcome());
    if planned.from.is_none() && gives < required {
        let by = lane.required_by();
        column.fact_in("required", &format!("{required}{by}"), StyleRole::Strong);
        column.fact_in(
            "result",
            &format!("✕ {gives} if all goes well: less than is required, and accepted so"),
            StyleRole::Fault,
        );
    } else {
        column.fact("required", &required.to_string());
        column.fact("result", &format!("{gives} if all goes well"));
    }
    column.fact("backed up?", &format!("{}   (Tab changes it; it is recorded)", lane.papers.backup));
}

/// The countdown, or why there is none: right under what was typed, so that it is in sight on every screen.
fn how_it_stands(state: &State, lane: &Lane, planned: &Planned, column: &mut Column<'_>) {
    match &lane.stage {
        LaneStage::Arming(_, Arming::Opening) => {
            column.sentence("The label is right. Opening the drive for this job alone …", StyleRole::Act);
        }
        LaneStage::Arming(_, Arming::DriveAtWork(progress)) => {
            let how_far = progress.map(|p| format!(": {}", by_its_own_word(p))).unwrap_or_default();
            let said = format!(
                "The label is right. The drive is still at work on the erasure that this job began{how_far}. It is opened when that is over, and the job resumes; Esc leaves it at work."
            );
            column.sentence(&said, StyleRole::Act);
        }
        LaneStage::Arming(_, Arming::Counting(starts)) => {
            let left = starts.saturating_sub(state.now).as_secs_f64().ceil();
            let what = match (&planned.from, planned.plan.own_erase()) {
                (Some(_), _) => "The resumed job",
                (None, Some(_)) => "The drive's own erasure",
                (None, None) => "Writing",
            };
            column.sentence(&format!("The label is right. {what} begins in {left:.0} s. Any key stops it."), StyleRole::Act);
        }
        LaneStage::Idle | LaneStage::Planned(_) | LaneStage::Working(_) | LaneStage::Over(_) => {}
    }
    if let Some(problem) = &planned.problem {
        column.sentence(&format!("✕ {problem}"), StyleRole::Strong);
    }
}

/// The drive's paper label, as far as it may be shown.
fn label(state: &State, lane: &Lane, planned: &Planned, column: &mut Column<'_>) {
    let drive = &lane.seen.drive;
    let short = column.is_short();
    let area = column.take(if short { 7 } else { 9 });
    let card = Rect { width: area.width.min(58), ..area };
    let style = |role| state.theme.style(role);
    let block = Block::bordered().border_type(BorderType::Plain).border_style(style(StyleRole::Line));
    let inner = block.inner(card);
    block.render(card, column.buffer());
    let maker = drive.unit.maker.clone().unwrap_or_else(|| drive.bus.to_string());
    let mut lines = vec![
        words(format!("  {}", maker.to_uppercase()), style(StyleRole::Strong)),
        words(format!("  {}", drive.unit.model.clone().unwrap_or_else(|| drive.shown_path())), style(StyleRole::Text)),
        words(format!("  {}", drive.label_size_said()), style(StyleRole::Text)),
    ];
    let gap = (!short).then(|| Line::raw(""));
    lines.extend(gap.clone());
    lines.push(blank_line(state, lane, &planned.typed));
    lines.extend(gap);
    lines.push(words(format!("  {} · {} · {}", drive.class, drive.bus, drive.shown_path()), style(StyleRole::Faint)));
    for (row, line) in lines.into_iter().enumerate().take(inner.height.into()) {
        line.render(Rect { y: inner.y + row as u16, height: 1, ..inner }, column.buffer());
    }
}

/// Columns that what is typed has.
const FIELD_ROOM: usize = 30;

/// The serial with its last places open, filled with what is typed.
fn blank_line(state: &State, lane: &Lane, typed: &Field) -> Line<'static> {
    let style = |role| state.theme.style(role);
    let (shown, places) = match lane.label() {
        DriveLabel::SerialEnding { start, ending } => (format!("  S/N  {start}"), ending.chars().count()),
        DriveLabel::Namespace { start, ending, namespace } => {
            (format!("  S/N/namespace  {start}"), ending.chars().count() + 1 + namespace.to_string().len())
        }
        DriveLabel::SectorCount(_) => ("  sectors  ".into(), 12),
        DriveLabel::Place(place) => ("  place  ".into(), place.chars().count()),
    };
    let mut spans = vec![Span::styled(shown, style(StyleRole::Text))];
    if lane.is_armed() {
        let counts = match &lane.stage {
            LaneStage::Arming(_, Arming::Counting(starts)) => {
                format!("   begins in {:.0} s", starts.saturating_sub(state.now).as_secs_f64().ceil())
            }
            _ => String::new(),
        };
        spans.push(Span::styled(format!("✓ right{counts}"), style(StyleRole::Act)));
        return Line::from(spans);
    }
    let open = places.saturating_sub(typed.value().chars().count() + 1);
    spans.extend(typed.spans(state.theme, FIELD_ROOM, true));
    spans.push(Span::styled("▁".repeat(open), style(StyleRole::Act)));
    Line::from(spans)
}
