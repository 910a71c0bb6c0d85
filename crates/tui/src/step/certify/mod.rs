//! Certify: the fields that only people know, and writing the paper.

pub(crate) mod view;

use crate::action::Action;
use crate::lane::Step;
use crate::lane::stage::LaneStage;
use crate::message::Effect;
use crate::screen::ScreenAnswer;
use crate::screen::preview::PreviewPage;
use crate::state::State;
use jurex_pattern::text::shown_path;

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    match action {
        Action::SeePaper => return see(state),
        Action::WriteCertificate => return ScreenAnswer::to_do(write(state)),
        Action::FieldAfter | Action::FieldBefore => next_field(state, action == Action::FieldAfter),
        Action::LeaveField => state.leave_field(),
        _ => {}
    }
    ScreenAnswer::stay()
}

/// The paper as it will print with the fields as they stand.
fn see(state: &mut State) -> ScreenAnswer {
    state.leave_field();
    let page = state.lane().and_then(|lane| {
        let record = lane.over()?.end.record.clone().with_papers(lane.papers.clone());
        Some(PreviewPage::of(&record, &state.house, state.size.0))
    });
    page.map_or_else(ScreenAnswer::stay, ScreenAnswer::push)
}

fn next_field(state: &mut State, forwards: bool) {
    if let Some(lane) = state.lane_mut() {
        lane.next_field(forwards);
    }
}

/// Writes the paper with the fields as they stand.
fn write(state: &mut State) -> Vec<Effect> {
    if state.in_burst() {
        // The line end of a scanner or a paste: it goes on to the next field, and writes nothing.
        next_field(state, true);
        state.notice = Some("Press Enter by itself to write the paper: this one came with what was typed.".into());
        return vec![];
    }
    state.leave_field();
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    let LaneStage::Over(over) = &mut lane.stage else { return vec![] };
    if let Some(Ok(paths)) = over.written.as_ref().filter(|_| over.papers_written.as_ref() == Some(&lane.papers)) {
        let folder = paths.first().and_then(|p| p.parent()).map(shown_path).unwrap_or_default();
        state.notice =
            Some(format!("This paper is written already, in {folder}. Change a field there to write another beside it."));
        return state.go_to(Step::Release);
    }
    over.papers_written = Some(lane.papers.clone());
    let record = over.end.record.clone().with_papers(lane.papers.clone());
    vec![Effect::Write(id, Box::new(record))]
}
