//! Erase: is it going well?

use crate::action::Action;
use crate::lane::stage::Log;
use crate::lane::{Lane, LaneState};
use crate::screen::ScreenAnswer;
use crate::screen::question::Question;
use crate::state::State;
use crate::step::unfinished::{cut_short, next_step};
use jurex_device::native::ata::erase::PASSWORD;
use jurex_engine::{Activity, Control};
use jurex_look::column::Column;
use jurex_look::theme::StyleRole;
use jurex_look::{pace, strata};
use jurex_pattern::text::capital;
use jurex_pattern::units::{duration, rate, si_size, size};
use jurex_sanitize::evidence::NativeEvidence;
use jurex_sanitize::strata::Strata;

/// Why something can't be done with the job of this lane now.
pub(crate) fn why_not(lane: &Lane, action: Action) -> Option<&'static str> {
    let held = lane.state() == LaneState::Held;
    let (can, why) = match action {
        Action::GoOn => (held, "The job is not paused."),
        Action::Hold => {
            (lane.is_working() && !held && !erases_itself(lane), "Nothing is being worked on here that could be paused.")
        }
        Action::StopJob if erases_itself(lane) && !goes_on_alone(lane) => {
            (false, "This drive can't be stopped: the job ends when the drive does.")
        }
        Action::StopJob => (lane.is_working(), "No job is running on this drive."),
        Action::SeeProof => (!lane.is_working(), "The job is not over."),
        _ => (true, ""),
    };
    if can { None } else { Some(why) }
}

/// Whether the drive is at work on itself now.
fn erases_itself(lane: &Lane) -> bool {
    lane.work().is_some_and(|w| w.log.progress.activity() == Activity::Own)
}

/// Whether a drive that is at work on itself goes on without a job that waits for it.
fn goes_on_alone(lane: &Lane) -> bool {
    lane.plan().and_then(|p| p.own_erase()).is_some_and(|own| own.technique.runs_by_itself())
}

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    let Some(id) = state.selected else { return ScreenAnswer::stay() };
    match action {
        Action::Hold => ScreenAnswer::to_do(state.wish(id, Control::Hold)),
        Action::GoOn => ScreenAnswer::to_do(state.wish(id, Control::GoOn)),
        Action::StopJob => ScreenAnswer::push(Question::stop(id, state.now)),
        _ => ScreenAnswer::stay(),
    }
}

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let Some(log) = lane.log() else { return column.sentence("Nothing is being erased.", StyleRole::Faint) };
    column.question("Is it going well?");
    column.sentence(&now_sentence(lane, log), StyleRole::Strong);
    how_far(state, log, column);
    if lane.over().is_some() {
        next_step(lane, column);
        cut_short(lane, column);
    }
    column.gap();
    let contents = lane.look.known_contents();
    let drawing = Strata::of(log.progress.evidence(), &contents);
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
    column.gap();
    if let Some(own) = log.progress.evidence().own() {
        by_itself(lane, log, own, column);
        column.gap();
    }
    counters(log, column);
    column.gap();
    // Of what the drive does itself it tells no speed, and none is invented.
    if !log.progress.evidence().passes().is_empty() || log.progress.evidence().own().is_none() {
        column.heading("Speed over position");
        let events_rows = (column.in_sight() / 3).clamp(3, 8);
        let place = column.take(column.in_sight().saturating_sub(events_rows + 2).clamp(8, 20));
        pace::draw(log.progress.evidence(), state.theme, place, column.buffer());
        column.gap();
    }
    column.heading("What happened");
    events(lane, log, column);
}

/// How much is done, and at what time of day it will be over.
fn how_far(state: &State, log: &Log, column: &mut Column<'_>) {
    let progress = &log.progress;
    // How far a drive is that erases itself it alone knows, if it tells: that stands with what else it says.
    if progress.is_over() || progress.activity() == Activity::Own {
        return;
    }
    // Never a hundred before the end.
    let percent = (progress.share() * 100.0).floor().clamp(0.0, 99.0);
    let when = progress
        .time_left()
        .map_or_else(String::new, |left| format!(", done at about {} (in {})", state.time_after(left), duration(left)));
    column.sentence(&format!("{percent:.0} %{when}"), StyleRole::Act);
}

fn now_sentence(lane: &Lane, log: &Log) -> String {
    let progress = &log.progress;
    let evidence = progress.evidence();
    let pass = evidence.passes().last().map(|p| p.pattern.to_string()).unwrap_or_default();
    let which = match progress.activity() {
        Activity::Laying | Activity::ReadingBack => {
            format!("pass {} of {} ({pass})", progress.pass(), progress.planned_passes())
        }
        activity => activity.word().to_string(),
    };
    let (job, asked_for) = lane.work().map_or((None, None), |w| (w.job.as_ref(), w.asked_for));
    let job = job.or(lane.record().map(|r| &r.job)).map(|j| format!("Job {j}. ")).unwrap_or_default();
    let faults = progress.faults().map(|f| format!(" {f}.")).unwrap_or_default();
    let doing = match (lane.state(), lane.record()) {
        (_, Some(record)) => format!("{} Outcome: {}.", record.evidence().ended.sentence(), record.claim().outcome()),
        _ if asked_for == Some(Control::Hold) => format!("Pausing {which}: what is in flight comes to its end first."),
        _ if asked_for == Some(Control::Stop) => format!("Stopping {which}: what is in flight comes to its end first."),
        (LaneState::Held, _) => format!("Paused in {which}: nothing is being written."),
        (..) => match progress.activity() {
            Activity::Laying => format!("Writing {which}."),
            Activity::ReadingBack => format!("Verifying {which}."),
            Activity::Own => "The drive erases itself.".into(),
            activity => format!("{}.", capital(activity.word())),
        },
    };
    format!("{job}{doing}{faults}")
}

/// The drive's own erasure: what it says, what was sent, and whether anything stops it.
fn by_itself(lane: &Lane, log: &Log, own: &NativeEvidence, column: &mut Column<'_>) {
    let progress = &log.progress;
    column.heading("By the drive itself");
    column.fact("command", own.technique.name());
    let working = lane.is_working() && progress.activity() == Activity::Own;
    let said = match (own.completed, &own.failure, progress.own_progress_said()) {
        (true, ..) => "it reports an end without error".to_string(),
        (_, Some(why), _) => why.clone(),
        (.., Some(how_far)) if working => how_far,
        _ if working && own.sent > 0 => "it is at work; it does not tell how far it is".into(),
        _ if own.sent == 0 => "nothing was sent yet".into(),
        _ => "it was at work when it was last heard of".into(),
    };
    column.fact_in("it says", &said, StyleRole::Strong);
    if working {
        let stop = if own.technique.runs_by_itself() {
            "Nothing stops it, not even its power being taken. The job may be left (x): the drive continues by itself, and the resumed job asks it first."
        } else {
            "It can't be stopped, and the drive answers nothing until it ends. Leave its power on."
        };
        column.fact("stopping", stop);
    }
    let told = lane.seen.answers.own_times.iter().find(|t| t.erase.technique() == own.technique);
    let told = told.map_or_else(
        || "not reported".into(),
        |t| {
            format!(
                "{}{}, as the drive reports",
                if t.at_least { "more than " } else { "" },
                duration(std::time::Duration::from_secs(t.seconds))
            )
        },
    );
    column.fact("takes", &told);
    if own.may_have_left_a_password() && !working {
        let said = format!(
            "it may have kept the password `{PASSWORD}`: resuming the job, or `jurex unlock {}`, takes it away",
            lane.seen.drive.shown_path()
        );
        column.fact_in("password", &said, StyleRole::Strong);
    }
    const SHOWN: usize = 6;
    let from = own.commands.len().saturating_sub(SHOWN);
    for (n, sent) in own.commands[from..].iter().enumerate() {
        let status = if sent.status.is_empty() { "…" } else { &sent.status };
        column.fact(if n == 0 { "sent, answered" } else { "" }, &format!("{} → {status}", sent.command));
    }
}

fn counters(log: &Log, column: &mut Column<'_>) {
    let progress = &log.progress;
    let evidence = progress.evidence();
    let sector = u64::from(evidence.drive().geometry.logical);
    let (done, all) = progress.work();
    let (now, mean) = progress.speeds();
    let speed = |s: Option<f64>| s.map(rate).unwrap_or_else(|| "-".into());
    let left = if progress.is_over() { "none".into() } else { progress.time_left().map(duration).unwrap_or_else(|| "-".into()) };
    if !evidence.passes().is_empty() || evidence.own().is_none() {
        column.fact("written", &size(evidence.bytes_laid()));
    }
    if evidence.bytes_read() > 0 || progress.activity() != Activity::Own {
        column.fact("read back", &size(evidence.bytes_read()));
    }
    if progress.activity() == Activity::Own && !progress.is_over() {
        return column.fact("faults", &progress.faults().unwrap_or_else(|| "none so far".into()));
    }
    column.fact("work done", &format!("{} of {} to write and read", si_size(done * sector), si_size(all * sector)));
    column.fact("speed", &format!("{} now, {} on average", speed(now), speed(mean)));
    column.fact("time left", &left);
    column.fact("faults", &progress.faults().unwrap_or_else(|| "none so far".into()));
}

fn events(lane: &Lane, log: &Log, column: &mut Column<'_>) {
    if let Some(trouble) = lane.over().and_then(|over| over.end.ledger_trouble.as_ref()) {
        column.sentence(&format!("✕ {trouble}"), StyleRole::Strong);
    }
    /// The last ones; all of them are in the ledger.
    const MOST: usize = 60;
    let told = log.told.iter().rev().filter_map(|(time, e)| Some((time, e.sentence()?)));
    for (time, sentence) in told.take(MOST) {
        column.event(time, &sentence);
    }
}
