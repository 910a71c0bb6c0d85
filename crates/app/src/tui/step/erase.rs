//! Erase: is it going well?

use crate::tui::state::{App, Lane, LaneState, Work};
use crate::tui::theme::Role;
use crate::tui::widget::column::Column;
use crate::tui::widget::{pace, strata};
use jurex_core::erase::{Activity, Wish};
use jurex_core::strata::Strata;
use jurex_core::units::{duration, rate, si_size, size};
use ratatui::text::{Line, Span};

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(app: &App, lane: &Lane, column: &mut Column<'_>) {
    let Some(work) = &lane.work else { return column.sentence("Nothing is being erased.", Role::Faint) };
    column.question("Is it going well?");
    column.sentence(&now_sentence(lane, work), Role::Strong);
    if work.end.is_some() {
        super::plan::cut_short(lane, column);
    }
    column.gap();
    let contents = lane.contents.clone().unwrap_or_default();
    let drawing = Strata::of(work.progress.evidence(), &contents);
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, app.theme, place, column.buffer());
    column.gap();
    counters(work, column);
    column.gap();
    column.heading("Speed over position");
    let events_rows = (column.in_sight() / 3).clamp(3, 8);
    let place = column.take(column.in_sight().saturating_sub(events_rows + 2).clamp(8, 20));
    pace::draw(work.progress.evidence(), app.theme, place, column.buffer());
    column.gap();
    column.heading("What happened");
    events(app, work, column);
}

fn now_sentence(lane: &Lane, work: &Work) -> String {
    let progress = &work.progress;
    let evidence = progress.evidence();
    let pass = evidence.passes().last().map(|p| p.pattern.to_string()).unwrap_or_default();
    let which = format!("pass {} of {} ({pass})", progress.pass(), progress.planned_passes());
    let job = work.job.as_ref().map(|j| format!("Job {j}. ")).unwrap_or_default();
    let faults = progress.faults().map(|f| format!(" {f}.")).unwrap_or_default();
    let doing = match (lane.state(), &work.end) {
        (_, Some(end)) => format!("{} Outcome: {}.", end.record.evidence().ended.sentence(), end.record.claim().outcome()),
        _ if lane.asked_for == Some(Wish::Hold) => format!("Holding {which}: what is in flight comes to its end first."),
        _ if lane.asked_for == Some(Wish::Stop) => format!("Stopping {which}: what is in flight comes to its end first."),
        (LaneState::Held, _) => format!("Held in {which}: nothing is being written."),
        (..) => match progress.activity() {
            Activity::Laying => format!("Laying {which}."),
            Activity::ReadingBack => format!("Reading back {which}."),
        },
    };
    format!("{job}{doing}{faults}")
}

fn counters(work: &Work, column: &mut Column<'_>) {
    let progress = &work.progress;
    let evidence = progress.evidence();
    let sector = u64::from(evidence.drive().geometry.logical);
    let (done, all) = progress.work();
    let (now, mean) = progress.speeds();
    let speed = |s: Option<f64>| s.map(rate).unwrap_or_else(|| "-".into());
    let left = if progress.is_over() { "none".into() } else { progress.time_left().map(duration).unwrap_or_else(|| "-".into()) };
    column.fact("written", &size(evidence.bytes_laid()));
    column.fact("read back", &size(evidence.bytes_read()));
    column.fact("work done", &format!("{} of {} to write and read", si_size(done * sector), si_size(all * sector)));
    column.fact("speed", &format!("{} now, {} on average", speed(now), speed(mean)));
    column.fact("time left", &left);
    column.fact("faults", &progress.faults().unwrap_or_else(|| "none so far".into()));
}

fn events(app: &App, work: &Work, column: &mut Column<'_>) {
    if let Some(trouble) = work.end.as_ref().and_then(|e| e.ledger_trouble.as_ref()) {
        column.sentence(&format!("✕ {trouble}"), Role::Strong);
    }
    /// The last ones; all of them are in the ledger.
    const MOST: usize = 60;
    let told = work.told.iter().rev().filter_map(|(time, e)| Some((time, e.sentence()?)));
    for (time, sentence) in told.take(MOST) {
        let spans = vec![
            Span::styled(format!("{time}  "), app.theme.style(Role::Faint)),
            Span::styled(sentence, app.theme.style(Role::Text)),
        ];
        column.line(Line::from(spans));
    }
}
