//! Arm: the label check.

pub(crate) mod view;

use crate::action::Action;
use crate::lane::Step;
use crate::lane::papers::next_backup;
use crate::lane::stage::LaneStage;
use crate::message::{Effect, Start};
use crate::screen::ScreenAnswer;
use crate::state::State;
use jurex_pattern::text::capital;
use jurex_sanitize::plan::ArmError;
use jurex_station::machine::USUAL_KEYBOARD;
use jurex_station::service::Requirement;

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    match action {
        Action::CheckLabel => ScreenAnswer::to_do(check_label(state)),
        Action::BackedUp => {
            if let Some(lane) = state.lane_mut() {
                lane.papers.backup = next_backup(lane.papers.backup);
            }
            ScreenAnswer::stay()
        }
        Action::LeaveArm if state.lane().is_some_and(|l| l.waits_for_the_drive().is_some()) => {
            ScreenAnswer::to_do(state.stop_countdown())
        }
        Action::LeaveArm => ScreenAnswer::to_do(state.go_to(Step::Plan)),
        _ => ScreenAnswer::stay(),
    }
}

/// Where the keyboard has a layout of its own: a scanner that is set to another one types other letters.
fn scanner(state: &State) -> &'static str {
    let other = state.machine.as_ref().is_some_and(|m| m.keyboard() != USUAL_KEYBOARD);
    if other { " If a scanner typed it: it must be set to the layout of the keyboard (F8)." } else { "" }
}

/// Checks the label. If it is right, the drive is opened for this process alone, and the countdown begins once it is.
fn check_label(state: &mut State) -> Vec<Effect> {
    let (Some(id), Some(lane)) = (state.selected, state.lane()) else { return vec![] };
    let LaneStage::Planned(planned) = &lane.stage else { return vec![] };
    let intent = planned.from.as_ref().map_or_else(|| planned.plan.intent(), |from| from.checkpoint.intent());
    let cleared = match lane.seen.verdict_on(intent) {
        Ok(cleared) => cleared,
        Err(refusal) => {
            let said = format!("This drive is guarded: {refusal}. Nothing was written.");
            if let LaneStage::Planned(planned) = &mut state.lanes[id].stage {
                planned.problem = Some(said);
            }
            return vec![];
        }
    };
    let typed = planned.typed.value().to_string();
    let secret = lane.draft.secret.clone();
    let checked = planned.plan.arm(&cleared, &typed).map(|armed| armed.with_secret(secret));
    let problem = match &checked {
        Ok(_) => None,
        Err(e @ ArmError::WrongLabel { .. }) => {
            Some(format!("{}. Nothing was written.{}{}", capital(&e.to_string()), whose(state, &typed), scanner(state)))
        }
        Err(e) => Some(format!("{}. Nothing was written.", capital(&e.to_string()))),
    };
    let lane = &mut state.lanes[id];
    lane.scroll = 0;
    let LaneStage::Planned(planned) = &mut lane.stage else { return vec![] };
    planned.typed.clear();
    planned.problem = problem;
    let Ok(armed) = checked else { return vec![] };
    let from = planned.from.clone();
    lane.stage.arm();
    // It goes to the drive, and is kept nowhere.
    lane.draft.secret = None;
    lane.papers.need = Some(lane.draft.need);
    vec![Effect::Open(Box::new(Start {
        lane: id,
        armed,
        before: lane.look.known_contents().into_owned(),
        papers: lane.papers.clone(),
        requirement: Requirement::of(lane.draft.less_is_accepted),
        from,
        sample_at: lane.look.sample.as_ref().map(|s| s.at),
    }))]
}

/// Which other drive a wrong answer would have named.
fn whose(state: &State, typed: &str) -> String {
    let other = state.lanes.named().find(|(id, l)| Some(*id) != state.selected && l.label().matches(typed));
    match other {
        Some((_, lane)) => format!(" That is the label of {}.", lane.seen.drive.called()),
        None => " It is the label of no drive on this bench.".into(),
    }
}
