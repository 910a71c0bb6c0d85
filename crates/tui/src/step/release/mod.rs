//! Release: where does it go now?

pub(crate) mod view;

use crate::action::Action;
use crate::message::Effect;
use crate::screen::ScreenAnswer;
use crate::state::State;

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    match action {
        Action::ReleaseIt => ScreenAnswer::to_do(release(state)),
        Action::PrintLabel => {
            let job = state.lane().and_then(|l| l.job_for_label());
            ScreenAnswer::to_do(job.map(Effect::Label).into_iter().collect())
        }
        Action::ValueAfter | Action::ValueBefore => {
            if let Some(lane) = state.lane_mut().filter(|l| !l.release.is_busy) {
                lane.release.turn(action == Action::ValueAfter);
                lane.scroll = 0;
            }
            ScreenAnswer::stay()
        }
        Action::FieldAfter | Action::FieldBefore => {
            next_field(state, action == Action::FieldAfter);
            ScreenAnswer::stay()
        }
        Action::LeaveField => {
            state.leave_field();
            ScreenAnswer::stay()
        }
        _ => ScreenAnswer::stay(),
    }
}

fn next_field(state: &mut State, forwards: bool) {
    if let Some(lane) = state.lane_mut() {
        lane.release.next_field(forwards);
    }
}

/// Does what the form says.
fn release(state: &mut State) -> Vec<Effect> {
    if state.in_burst() {
        // The line end of a scanner: it goes on to the next field, and does nothing.
        next_field(state, true);
        state.notice = Some("Press Enter by itself to do it: this one came with what was typed.".into());
        return vec![];
    }
    state.leave_field();
    let by = state.config.technician.name.clone();
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    if lane.release.is_busy {
        return vec![];
    }
    match lane.release.wanted() {
        Err(why) => {
            lane.release.outcome = Some(Err(why));
            vec![]
        }
        Ok(wanted) => {
            (lane.release.is_busy, lane.release.outcome) = (true, None);
            vec![Effect::Release(id, Box::new(wanted), by)]
        }
    }
}
