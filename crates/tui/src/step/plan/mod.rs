//! Plan: the draft of a plan is changed, and fixed.

pub(crate) mod view;

use crate::action::Action;
use crate::lane::rows::PlanRow;
use crate::lane::{Lane, LaneId};
use crate::message::Effect;
use crate::screen::ScreenAnswer;
use crate::screen::line::TypedLine;
use crate::screen::methods::MethodsPage;
use crate::screen::question::Question;
use crate::state::State;
use jurex_device::technique::Wants;

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    let Some(id) = state.selected else { return ScreenAnswer::stay() };
    match action {
        Action::BeginAnew => {
            state.lanes[id].begin_anew();
            ScreenAnswer::to_do(vec![Effect::Look(id)])
        }
        Action::ChangePlan => {
            let lane = &mut state.lanes[id];
            lane.plan_row = PlanRow::of(lane).first().copied();
            ScreenAnswer::stay()
        }
        Action::ToPlanRow(row) if row.opens() => open(state, id, row),
        Action::ToPlanRow(row) => {
            state.lanes[id].plan_row = Some(row);
            ScreenAnswer::stay()
        }
        Action::RowBefore | Action::RowAfter => {
            walk_rows(&mut state.lanes[id], action == Action::RowAfter);
            ScreenAnswer::stay()
        }
        Action::ValueBefore | Action::ValueAfter | Action::TakeValue => {
            let Some(row) = state.lanes[id].plan_row else { return ScreenAnswer::stay() };
            if action == Action::TakeValue && row.opens() {
                return open(state, id, row);
            }
            row.turn(&mut state.lanes[id], action != Action::ValueBefore);
            ScreenAnswer::stay()
        }
        Action::LeaveRows => {
            state.lanes[id].plan_row = None;
            ScreenAnswer::stay()
        }
        Action::TakePlan if needs_psid(&state.lanes[id]) => ScreenAnswer::push(TypedLine::of_psid(id)),
        Action::TakePlan if asks_for_less(&state.lanes[id]) => ScreenAnswer::push(Question::less(id, state.now)),
        Action::TakePlan => ScreenAnswer::to_do(state.take_plan()),
        _ => ScreenAnswer::stay(),
    }
}

/// Opens where the value of this row is chosen or typed.
fn open(state: &State, id: LaneId, row: PlanRow) -> ScreenAnswer {
    match row {
        PlanRow::Method => ScreenAnswer::push(MethodsPage::for_lane(state, id)),
        PlanRow::Passes => ScreenAnswer::push(MethodsPage::for_passes(state, id)),
        PlanRow::Range => ScreenAnswer::push(TypedLine::of_range(id)),
        _ => ScreenAnswer::stay(),
    }
}

/// The row above or below; a row that means nothing any more is left for the first.
fn walk_rows(lane: &mut Lane, down: bool) {
    let rows = PlanRow::of(lane);
    let here = lane.plan_row.and_then(|row| rows.iter().position(|r| *r == row));
    let last = rows.len().saturating_sub(1);
    let at = match (here, down) {
        (None, _) => 0,
        (Some(at), true) => (at + 1).min(last),
        (Some(at), false) => at.saturating_sub(1),
    };
    lane.plan_row = rows.get(at).copied();
}

fn can_be_taken(lane: &Lane) -> bool {
    lane.foreseen().chosen().is_some_and(|way| way.is_ready())
}

/// Whether the way that is chosen needs the PSID of the label, and it was not typed yet.
fn needs_psid(lane: &Lane) -> bool {
    can_be_taken(lane) && lane.draft.way.descriptor().wants == Some(Wants::Psid) && lane.draft.secret.is_none()
}

/// Whether it gives less than is required, and nobody has accepted that.
fn asks_for_less(lane: &Lane) -> bool {
    can_be_taken(lane) && lane.shortfall().is_some() && !lane.draft.less_is_accepted
}
