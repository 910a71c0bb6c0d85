//! Plan: the draft of a plan is changed, and fixed.

pub(crate) mod view;

use crate::action::Action;
use crate::lane::Lane;
use crate::message::Effect;
use crate::screen::ScreenAnswer;
use crate::screen::line::TypedLine;
use crate::screen::methods::MethodsPage;
use crate::screen::question::Question;
use crate::state::State;
use jurex_device::technique::Wants;
use jurex_look::need::next_sensitivity;
use jurex_sanitize::plan::SizeCheck;
use jurex_sanitize::rules::Technique;

/// Most rounds that the keys offer; the command line takes more.
const MAX_ROUNDS: u32 = 99;

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    let Some(id) = state.selected else { return ScreenAnswer::stay() };
    match action {
        Action::BeginAnew => {
            state.lanes[id].begin_anew();
            ScreenAnswer::to_do(vec![Effect::Look(id)])
        }
        Action::ChooseMethod => ScreenAnswer::push(MethodsPage::for_lane(state, id)),
        Action::EditPasses => ScreenAnswer::push(MethodsPage::for_passes(state, id)),
        Action::Range => ScreenAnswer::push(TypedLine::of_range(id)),
        Action::TakePlan if needs_psid(&state.lanes[id]) => ScreenAnswer::push(TypedLine::of_psid(id)),
        Action::TakePlan if asks_for_less(&state.lanes[id]) => ScreenAnswer::push(Question::less(id, state.now)),
        Action::TakePlan => ScreenAnswer::to_do(state.take_plan()),
        _ => {
            change_draft(&mut state.lanes[id], action);
            ScreenAnswer::stay()
        }
    }
}

/// Whether the way that is chosen needs the PSID of the label, and it was not typed yet.
fn needs_psid(lane: &Lane) -> bool {
    let ready = lane.foreseen().ways.iter().any(|w| w.technique == lane.draft.way && w.is_ready());
    ready && lane.draft.way.descriptor().wants == Some(Wants::Psid) && lane.draft.secret.is_none()
}

/// Whether it gives less than is required, and nobody has accepted that.
fn asks_for_less(lane: &Lane) -> bool {
    let ready = lane.foreseen().ways.iter().any(|w| w.technique == lane.draft.way && w.is_ready());
    ready && lane.shortfall().is_some() && !lane.draft.less_is_accepted
}

fn change_draft(lane: &mut Lane, action: Action) {
    match action {
        Action::Sensitivity => lane.draft.need.sensitivity = next_sensitivity(lane.draft.need.sensitivity),
        Action::Reuse => lane.draft.need.reuse = !lane.draft.need.reuse,
        Action::Leaves => lane.draft.need.leaves = !lane.draft.need.leaves,
        Action::WayAfter => lane.draft.choose_way(way_beside(lane, 1)),
        Action::WayBefore => lane.draft.choose_way(way_beside(lane, -1)),
        Action::ReadingBack => lane.draft.order.verification = lane.draft.order.verification.next(),
        Action::MoreRounds => lane.draft.order.rounds = (lane.draft.order.rounds + 1).min(MAX_ROUNDS),
        Action::FewerRounds => lane.draft.order.rounds = lane.draft.order.rounds.saturating_sub(1).max(1),
        Action::BlankPass => lane.draft.order.blank = !lane.draft.order.blank,
        Action::SizeCheck => {
            let (drive, check) = (&lane.seen.drive, &mut lane.draft.order.size_check);
            *check = match check.is_due(drive) {
                true => SizeCheck::No,
                false if SizeCheck::default().is_due(drive) => SizeCheck::default(),
                false => SizeCheck::Yes,
            };
        }
        Action::LeaveMark => lane.draft.order.marks = !lane.draft.order.marks,
        Action::SearchBoth => lane.draft.order.searches = !lane.draft.order.searches,
        Action::HiddenAreas => lane.draft.hidden = lane.draft.hidden.next(),
        Action::State => lane.draft.stated = !lane.draft.stated,
        _ => return,
    }
    // What was planned and accepted before is not what stands here now.
    lane.stage.drop_plan();
    lane.draft.less_is_accepted = false;
    lane.settle_way();
}

fn way_beside(lane: &Lane, by: isize) -> Technique {
    let ways = &lane.foreseen().ways;
    let here = ways.iter().position(|w| w.technique == lane.draft.way).unwrap_or(0) as isize;
    ways.get((here + by).rem_euclid(ways.len().max(1) as isize) as usize).map_or(Technique::Overwrite, |w| w.technique)
}
