//! Erase: is it going well?

use crate::tui::action::Action;
use crate::tui::lane::stage::Log;
use crate::tui::lane::{Lane, LaneState};
use crate::tui::screen::Answer;
use crate::tui::screen::question::Question;
use crate::tui::state::State;
use crate::tui::step::unfinished::cut_short;
use crate::tui::theme::Role;
use crate::tui::widget::column::Column;
use crate::tui::widget::{pace, strata};
use jurex_core::erase::{Activity, Wish};
use jurex_core::strata::Strata;
use jurex_core::text::capital;
use jurex_core::units::{duration, rate, si_size, size};
use ratatui::text::{Line, Span};

/// Why something can't be done with the job of this lane now.
pub(crate) fn why_not(lane: &Lane, action: Action) -> Option<&'static str> {
    let held = lane.state() == LaneState::Held;
    let (can, why) = match action {
        Action::GoOn => (held, "The job is not held."),
        Action::Hold => (lane.is_working() && !held, "Nothing is being worked on here that could be held."),
        Action::StopJob => (lane.is_working(), "No job is running on this drive."),
        Action::SeeProof => (!lane.is_working(), "The job is not over."),
        _ => (true, ""),
    };
    if can { None } else { Some(why) }
}

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> Answer {
    let Some(id) = state.selected else { return Answer::stay() };
    match action {
        Action::Hold => Answer::to_do(state.wish(id, Wish::Hold)),
        Action::GoOn => Answer::to_do(state.wish(id, Wish::GoOn)),
        Action::StopJob => Answer::push(Question::stop(id, state.now)),
        _ => Answer::stay(),
    }
}

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let Some(log) = lane.log() else { return column.sentence("Nothing is being erased.", Role::Faint) };
    column.question("Is it going well?");
    column.sentence(&now_sentence(lane, log), Role::Strong);
    if lane.over().is_some() {
        cut_short(lane, column);
    }
    column.gap();
    let contents = lane.look.known_contents();
    let drawing = Strata::of(log.progress.evidence(), &contents);
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
    column.gap();
    counters(log, column);
    column.gap();
    column.heading("Speed over position");
    let events_rows = (column.in_sight() / 3).clamp(3, 8);
    let place = column.take(column.in_sight().saturating_sub(events_rows + 2).clamp(8, 20));
    pace::draw(log.progress.evidence(), state.theme, place, column.buffer());
    column.gap();
    column.heading("What happened");
    events(state, lane, log, column);
}

fn now_sentence(lane: &Lane, log: &Log) -> String {
    let progress = &log.progress;
    let evidence = progress.evidence();
    let pass = evidence.passes().last().map(|p| p.pattern.to_string()).unwrap_or_default();
    let which = format!("pass {} of {} ({pass})", progress.pass(), progress.planned_passes());
    let (job, asked_for) = lane.work().map_or((None, None), |w| (w.job.as_ref(), w.asked_for));
    let job = job.or(lane.record().map(|r| &r.job)).map(|j| format!("Job {j}. ")).unwrap_or_default();
    let faults = progress.faults().map(|f| format!(" {f}.")).unwrap_or_default();
    let doing = match (lane.state(), lane.record()) {
        (_, Some(record)) => format!("{} Outcome: {}.", record.evidence().ended.sentence(), record.claim().outcome()),
        _ if asked_for == Some(Wish::Hold) => format!("Holding {which}: what is in flight comes to its end first."),
        _ if asked_for == Some(Wish::Stop) => format!("Stopping {which}: what is in flight comes to its end first."),
        (LaneState::Held, _) => format!("Held in {which}: nothing is being written."),
        (..) => match progress.activity() {
            Activity::Laying => format!("Laying {which}."),
            Activity::ReadingBack => format!("Reading back {which}."),
            activity => format!("{}.", capital(activity.word())),
        },
    };
    format!("{job}{doing}{faults}")
}

fn counters(log: &Log, column: &mut Column<'_>) {
    let progress = &log.progress;
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

fn events(state: &State, lane: &Lane, log: &Log, column: &mut Column<'_>) {
    if let Some(trouble) = lane.over().and_then(|over| over.end.ledger_trouble.as_ref()) {
        column.sentence(&format!("✕ {trouble}"), Role::Strong);
    }
    /// The last ones; all of them are in the ledger.
    const MOST: usize = 60;
    let told = log.told.iter().rev().filter_map(|(time, e)| Some((time, e.sentence()?)));
    for (time, sentence) in told.take(MOST) {
        let spans = vec![
            Span::styled(format!("{time}  "), state.theme.style(Role::Faint)),
            Span::styled(sentence, state.theme.style(Role::Text)),
        ];
        column.line(Line::from(spans));
    }
}
