//! What is said of a job that was cut short, wherever a step of its drive is looked at.

use crate::lane::Lane;
use jurex_look::column::Column;
use jurex_look::theme::StyleRole;

/// What is said of a job that was cut short and can go on.
pub(crate) fn cut_short(lane: &Lane, column: &mut Column<'_>) {
    let Some(unfinished) = lane.unfinished.as_ref().filter(|_| !lane.is_working()) else { return };
    let (job, place) = (&unfinished.job, unfinished.checkpoint.place());
    let kept = unfinished.kept.strftime("%Y-%m-%d %H:%M UTC");
    column.sentence(
        &format!("Job {job} on this drive was cut short {place}; its place was kept {kept}. c goes on with it."),
        StyleRole::Strong,
    );
    column.gap();
}
