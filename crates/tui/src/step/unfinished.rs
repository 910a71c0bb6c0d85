//! What is to be done next, and what is said of a job that was cut short, wherever a step of its drive is looked at.

use crate::lane::{Lane, LaneState};
use jurex_look::column::Column;
use jurex_look::theme::StyleRole;
use jurex_sanitize::evidence::SizeEvidence;
use jurex_sanitize::need::{Need, is_enough};
use jurex_sanitize::rules::Outcome;

/// What is said of a job that was cut short and can go on.
pub(crate) fn cut_short(lane: &Lane, column: &mut Column<'_>) {
    let Some(unfinished) = lane.unfinished.as_ref().filter(|_| !lane.is_working()) else { return };
    let (job, place) = (&unfinished.job, unfinished.checkpoint.place());
    let kept = unfinished.kept.strftime("%Y-%m-%d %H:%M UTC");
    column.sentence(
        &format!("Job {job} on this drive was cut short {place}; its place was kept {kept}. c resumes it."),
        StyleRole::Strong,
    );
    column.gap();
}

/// What a person does next with this drive, with the key for it: one line.
pub(crate) fn next_step(lane: &Lane, column: &mut Column<'_>) {
    if let Some(next) = next_said(lane) {
        column.sentence(&format!("Next: {next}"), StyleRole::Act);
    }
}

fn next_said(lane: &Lane) -> Option<String> {
    if lane.is_working() || lane.is_armed() {
        return None;
    }
    let Some(record) = lane.record() else { return of_state(lane) };
    let (outcome, evidence) = (record.claim().outcome(), record.evidence());
    let required = record.papers().need.map(Need::outcome);
    Some(match outcome {
        _ if lane.is_gone() => "attach the drive again; its record is kept.".into(),
        Outcome::NotSanitized if lane.unfinished.is_some() => "c resumes the job where it stopped; r records another end.".into(),
        Outcome::NotSanitized if evidence.size().is_some_and(SizeEvidence::is_false) => {
            "r releases it for destruction. A drive that misstates its size cannot be certified.".into()
        }
        Outcome::NotSanitized => "← to Plan and try another technique, or r releases it for destruction.".into(),
        _ if !is_enough(outcome, required) => {
            "← to Plan and choose a technique that gives more, or r releases it for destruction.".into()
        }
        _ if !lane.is_written() => "→ to Certify; Enter writes its certificate.".into(),
        _ if lane.state() == LaneState::Released => return None,
        _ => "r releases it: stored, returned, handed over.".into(),
    })
}

/// What opens a drive that can't be erased as it stands, or warns of one that should not be used again.
fn of_state(lane: &Lane) -> Option<String> {
    let answers = &lane.seen.answers;
    if lane.is_gone() || !lane.look.answered {
        return None;
    }
    if lane.seen.can_be_unlocked() {
        return Some("u takes the password or the failure mode away; an erasure of its own does so too (Plan).".into());
    }
    if answers.security_frozen && lane.verdict.is_err() {
        return Some("take its power away for ten seconds: its firmware is frozen.".into());
    }
    if answers.health.is_worn_out() {
        return Some("→ to Plan; afterwards r releases it for destruction: it reports that it is worn out.".into());
    }
    lane.verdict.is_ok().then(|| "Enter plans its erasure.".into())
}
