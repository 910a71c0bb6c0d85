//! The bench as it is seen from across the room: how all drives stand together, in one word.

use super::{PlaceHelp, Screen, ScreenAnswer};
use crate::action::{Action, KeyPlace};
use crate::lane::{Lane, LaneState};
use crate::state::State;
use jurex_disposition::lot::LotStatus;
use jurex_look::afar::{self, DriveLine, Word};
use jurex_look::theme::StyleRole;
use jurex_past::LotNow;
use jurex_pattern::units::{counted, duration};
use jurex_sanitize::rules::Outcome;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The page.
pub(crate) struct Afar;

impl Screen for Afar {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Afar, KeyPlace::Anywhere]
    }

    fn perform(&mut self, _: &mut State, action: Action) -> ScreenAnswer {
        if action == Action::Back { ScreenAnswer::back() } else { ScreenAnswer::stay() }
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "Wall view",
            [
                "How does it go, seen from across the room?",
                "LOOK HERE: a job has not ended as it was planned, is paused, or its drive went away. DONE: all that is expected is done.",
                "Jobs run whatever is on the screen; the console's speaker plays when the word changes.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let mut lanes: Vec<&Lane> = state.lanes.iter().filter(|l| l.has_job() || waits(l)).collect();
        // Who needs a person comes first.
        lanes.sort_by_key(|l| (!needs_a_look(l), !l.is_working(), l.has_job()));
        let lines: Vec<DriveLine> = lanes.into_iter().map(line).collect();
        afar::draw(word(state), &sentence(state), &lines, state.theme, area, buffer);
    }
}

/// Whether a lane's job has ended otherwise than it was planned, or waits for somebody in the middle.
fn needs_a_look(lane: &Lane) -> bool {
    let failed = lane.record().is_some_and(|r| !r.kept_its_plan() || r.claim().outcome() == Outcome::NotSanitized);
    failed || lane.state() == LaneState::Held || (lane.has_job() && lane.is_gone() && lane.record().is_none())
}

/// Whether a drive is there, may be erased, and nothing was done to it yet.
fn waits(lane: &Lane) -> bool {
    matches!(lane.state(), LaneState::Ready | LaneState::Planned | LaneState::Armed)
}

/// Drives that are waited for: those that are here, and those of open lots that are not.
fn still_to_do(state: &State) -> usize {
    let here: Vec<&str> = state.lanes.iter().filter_map(|l| l.seen.drive.unit.serial()).collect();
    let not_seen = |lot: &LotNow| lot.items(&here).iter().filter(|i| i.stand == LotStatus::NotSeen).count();
    state.lanes.iter().filter(|l| waits(l)).count() + state.lots.iter().map(not_seen).sum::<usize>()
}

/// The word for how all jobs stand.
pub(crate) fn word(state: &State) -> Word {
    let jobs: Vec<&Lane> = state.lanes.iter().filter(|l| l.has_job()).collect();
    if jobs.iter().any(|l| needs_a_look(l)) {
        return Word::LookHere;
    }
    let share = |l: &&Lane| l.work().filter(|_| l.is_working()).map_or(1.0, |w| w.log.progress.share());
    if jobs.is_empty() {
        Word::Waits
    } else if jobs.iter().any(|l| l.is_working()) {
        Word::works(&jobs.iter().map(share).collect::<Vec<_>>())
    } else {
        match still_to_do(state) {
            0 => Word::Done,
            n => Word::Wait(n),
        }
    }
}

fn sentence(state: &State) -> String {
    let left = state.lanes.iter().filter_map(|l| l.work()?.log.progress.time_left()).max();
    let working = state.working() as u64;
    let needing = state.lanes.iter().filter(|l| needs_a_look(l)).count() as u64;
    match (working, left) {
        _ if needing > 0 => {
            let wait = match still_to_do(state) {
                0 => String::new(),
                n => format!(" · {n} wait"),
            };
            format!("{} needs you first: see its lane{wait}", counted(needing, "drive"))
        }
        (0, _) => state.lot_said.clone().unwrap_or_default(),
        (n, None) => format!("{} at work", counted(n, "drive")),
        (n, Some(left)) => format!("{} at work, {} left", counted(n, "drive"), duration(left)),
    }
}

fn line(lane: &Lane) -> DriveLine {
    let drive = &lane.seen.drive;
    let serial = drive.unit.serial.clone().unwrap_or_default();
    let share = lane.work().filter(|_| lane.is_working()).map(|w| w.log.progress.share());
    let said = match lane.record() {
        Some(record) => record.claim().outcome().to_string(),
        None => lane.state().word().to_string(),
    };
    let role = match lane {
        _ if needs_a_look(lane) => StyleRole::Fault,
        _ if lane.is_working() => StyleRole::Laid,
        _ if waits(lane) => StyleRole::Faint,
        _ => StyleRole::Proved,
    };
    DriveLine { name: drive.name(), serial, share, said, role }
}
