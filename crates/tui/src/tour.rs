//! The guided tour of the demonstration: at each step one line that says what to look at, and which key goes on.

use crate::lane::stage::LaneStage;
use crate::lane::{Lane, LaneId, Step};
use crate::message::Effect;
use crate::state::State;

/// The drive that the tour erases: a memory card, quickly done and easily found.
const PATH: &str = "sim:7";

fn drive(state: &State) -> Option<LaneId> {
    state.lanes.find(|lane| lane.seen.drive.path == PATH)
}

/// Why no tour can begin now.
pub(crate) fn why_not(state: &State) -> Option<String> {
    let busy = drive(state).is_none_or(|id| state.lanes[id].is_working() || state.lanes[id].is_armed());
    (!state.is_demo || busy).then(|| "The tour is of the demonstration, with its memory card: start jurex demo.".into())
}

/// Begins with the card, at Look.
pub(crate) fn begin(state: &mut State) -> Vec<Effect> {
    let Some(id) = drive(state).filter(|_| why_not(state).is_none()) else { return vec![] };
    (state.tour, state.touched) = (true, true);
    state.select(id);
    state.lanes[id].stage.leave_job();
    state.go_to(Step::Look)
}

/// What the tour says now; `None`: there is none, or its drive is not in sight.
pub(crate) fn line(state: &State) -> Option<String> {
    let lane = state.lane().filter(|_| state.tour)?;
    if lane.seen.drive.path != PATH {
        return Some("Tour: the memory card waits (/ finds it by R90C2Y). Esc ends the tour.".into());
    }
    let (number, said) = step(lane);
    Some(format!("Tour {number}/7: {said}"))
}

fn step(lane: &Lane) -> (u8, &'static str) {
    let written = lane.is_written();
    match (lane.step, &lane.stage) {
        (Step::Look, _) => (1, "the verdict stands on top, then the label to compare. Enter leads on."),
        (Step::Plan, _) => (2, "the large line: what is required, what reaches it, how long it takes. Enter takes the plan."),
        (Step::Arm, LaneStage::Arming(..)) => (3, "five seconds are left to change your mind. Wait, or press any key to stop."),
        (Step::Arm, _) => (3, "type the end of the serial number as it is on the card: R90C2Y. Then Enter."),
        (Step::Erase, LaneStage::Working(_)) => {
            (4, "solid is written, the bar above it is read back and right. It takes less than a minute.")
        }
        (Step::Erase, _) => (4, "the job has ended. Enter shows what is verified."),
        (Step::Prove, _) => (5, "the first line is the outcome with its reason. Enter goes to the certificate."),
        (Step::Certify, _) if !written => (6, "on the right is what the certificate will say. Enter writes it."),
        (Step::Certify, _) => (6, "the certificate is written, in the folder named here: open the PDF. Enter leads on."),
        (Step::Release, _) => (7, "where does the card go? l makes its label. That was all: Esc ends the tour."),
    }
}
