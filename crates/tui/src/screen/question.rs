//! Questions that end work, or take less than is required. They are answered by a letter of their own, and deaf at first.

use super::{Screen, ScreenAnswer};
use crate::action::{self, Action, KeyPlace};
use crate::lane::LaneId;
use crate::message::Effect;
use crate::state::State;
use crate::widget::keys::key_lines;
use jurex_engine::Control;
use jurex_look::column::Column;
use jurex_look::panel::panel;
use jurex_look::theme::StyleRole;
use jurex_pattern::text::capital;
use jurex_pattern::units::counted;
use jurex_sanitize::ladder::what_to_do;
use jurex_station::machine::Ask;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::time::Duration;

/// A question is deaf for so long after it is asked: a scanner's burst of letters must not answer it.
const DEAF: Duration = Duration::from_millis(500);

/// A question, and when it was asked.
pub(crate) struct Question {
    ends: Ends,
    asked: Duration,
}

/// What a yes ends, or takes.
enum Ends {
    /// The job of this lane.
    Job(LaneId),
    /// All jobs, and the program.
    Program,
    /// What runs on this machine, for a while or for good.
    Machine(Ask),
    /// The hope that the plan of this lane gives what is required.
    Requirement(LaneId),
    /// The wait of these lanes for their papers and labels.
    Papers(Vec<LaneId>),
}

impl Question {
    /// Stop the job of this lane? Asked now.
    pub(crate) fn stop(lane: LaneId, now: Duration) -> Self {
        Self { ends: Ends::Job(lane), asked: now }
    }

    /// Stop all jobs and quit? Asked now.
    pub(crate) fn quit(now: Duration) -> Self {
        Self { ends: Ends::Program, asked: now }
    }

    /// Ask this of the machine? Asked now.
    pub(crate) fn machine(ask: Ask, now: Duration) -> Self {
        Self { ends: Ends::Machine(ask), asked: now }
    }

    /// Take less than is required of this lane's drive? Asked now.
    pub(crate) fn less(lane: LaneId, now: Duration) -> Self {
        Self { ends: Ends::Requirement(lane), asked: now }
    }

    /// Write the papers and labels of these lanes? Asked now.
    pub(crate) fn papers(lanes: Vec<LaneId>, now: Duration) -> Self {
        Self { ends: Ends::Papers(lanes), asked: now }
    }

    fn place(&self) -> KeyPlace {
        match self.ends {
            Ends::Job(_) => KeyPlace::StopQuestion,
            Ends::Program => KeyPlace::QuitQuestion,
            Ends::Machine(_) => KeyPlace::MachineQuestion,
            Ends::Requirement(_) => KeyPlace::LessQuestion,
            Ends::Papers(_) => KeyPlace::PapersQuestion,
        }
    }

    /// The question, and what a yes means.
    fn words(&self, state: &State) -> [String; 3] {
        match &self.ends {
            Ends::Job(lane) => {
                let drive = state.lanes.get(*lane).map(|l| l.seen.drive.called()).unwrap_or_default();
                [
                    format!("Stop erasing {drive}?"),
                    "A stopped drive is Not sanitized: part of it is overwritten, the rest still holds what was there.".into(),
                    "What was done so far is recorded. Stopping cannot be taken back.".into(),
                ]
            }
            Ends::Program => {
                let jobs = match state.working() {
                    0 => "Files or free space are still being worked on.".to_string(),
                    1 => "One drive is still being worked on.".to_string(),
                    n => format!("{n} drives are still being worked on."),
                };
                let unwritten = state.unwritten();
                if state.working() == 0 && !state.less.is_working() && unwritten > 0 {
                    let papers = if unwritten == 1 { "1 paper is".into() } else { format!("{unwritten} papers are") };
                    return [
                        format!("Quit? {papers} not written yet."),
                        "Their records are in the ledger: jurex certificate JOB --out DIR writes them later.".into(),
                        String::new(),
                    ];
                }
                if state.working() == 0 {
                    return [
                        format!("Quit? {jobs}"),
                        "Quitting stops the work. What was not reached is as it was.".into(),
                        "Files can be gone on with later; free space that was taken is given back.".into(),
                    ];
                }
                [
                    format!("Quit? {jobs}"),
                    "Quitting stops the work. A stopped drive is Not sanitized: part of it still holds what was there.".into(),
                    "What was done so far is recorded in the ledger.".into(),
                ]
            }
            Ends::Machine(ask) => machine_words(ask, state),
            Ends::Requirement(lane) => less_words(*lane, state),
            Ends::Papers(lanes) => papers_words(lanes, state),
        }
    }
}

/// What is required, what the plan gives, and what that means.
fn less_words(lane: LaneId, state: &State) -> [String; 3] {
    let Some((lane, short)) = state.lanes.get(lane).and_then(|l| Some((l, l.shortfall()?))) else { return Default::default() };
    let ways = &lane.foreseen().ways;
    let enough = ways.iter().find(|w| w.is_ready() && w.outcome() >= short.required);
    let instead = match enough {
        Some(way) => format!("{} would give {} on this drive.", capital(way.technique.name()), way.outcome()),
        None => {
            what_to_do(ways, short.required).unwrap_or_else(|| format!("Nothing on this drive gives {} now.", short.required))
        }
    };
    let who = lane.required_by();
    [
        format!("Take less than is required of {}?", lane.seen.drive.called()),
        format!("Required{who}: {}. This plan gives {}; its certificate will name both.", short.required, short.reaches),
        instead,
    ]
}

/// Which papers they will be, and whose names will stand on them.
fn papers_words(lanes: &[LaneId], state: &State) -> [String; 3] {
    let papers = lanes.iter().filter_map(|id| state.lanes.get(*id));
    let reports = papers.filter(|lane| lane.paper() == "report").count();
    let by = state.config.papers().technician.name;
    let who = if by.is_empty() {
        "Nobody's name is in the settings (F4): who sanitized stays a line to fill in by hand.".into()
    } else {
        format!("Sanitized by {by}, unless another name was filled in. Empty fields stay lines to fill in by hand.")
    };
    [
        format!("Write the papers of {}, and their labels?", counted(lanes.len() as u64, "drive")),
        format!(
            "{}, {} of drives that are Not sanitized.",
            counted((lanes.len() - reports) as u64, "certificate"),
            counted(reports as u64, "report")
        ),
        who,
    ]
}

/// What is asked of the machine, and what a yes means.
fn machine_words(ask: &Ask, state: &State) -> [String; 3] {
    let lost = if state.loses_records() {
        "THE RECORDS ARE IN MEMORY ALONE AND WILL BE LOST. Go back and carry them to a stick first."
    } else {
        "What was recorded is on its medium."
    };
    match ask {
        Ask::Sleep => [
            "Let the machine sleep for a few seconds?".into(),
            "Drives lose their power in sleep. After it, firmware that takes part leaves their security commands free; Jurex asks each drive anew.".into(),
            "Some machines do not wake up by themselves: press the power button once then. No job is running.".into(),
        ],
        Ask::Restart => ["Restart the machine?".into(), lost.into(), String::new()],
        _ => ["Switch the machine off?".into(), lost.into(), String::new()],
    }
}

impl Screen for Question {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![self.place()]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let hears = state.now >= self.asked + DEAF;
        match (action, &self.ends) {
            (Action::ConfirmStop, Ends::Job(lane)) if hears => ScreenAnswer::back().and(state.wish(*lane, Control::Stop)),
            (Action::ConfirmQuit, Ends::Program) if hears => ScreenAnswer::back().and(state.quit_now()),
            (Action::ConfirmMachine, Ends::Machine(ask)) if hears => ScreenAnswer::back().and(vec![Effect::Machine(ask.clone())]),
            (Action::AcceptLess, Ends::Requirement(lane)) if hears => {
                state.lanes[*lane].draft.less_is_accepted = true;
                ScreenAnswer::back().and(state.take_plan())
            }
            (Action::ConfirmWriteAll, Ends::Papers(lanes)) if hears => ScreenAnswer::back().and(state.write_all(lanes)),
            (Action::Back, _) => ScreenAnswer::back(),
            _ => ScreenAnswer::stay(),
        }
    }

    fn fills(&self) -> bool {
        false
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let inner = panel(state.theme, 72, 12, area, buffer);
        let mut column = Column::new(inner, buffer, state.theme);
        for (i, sentence) in self.words(state).iter().enumerate() {
            column.sentence(sentence, if i == 0 { StyleRole::Strong } else { StyleRole::Text });
            column.gap();
        }
        key_lines(&action::usable(&[self.place()], &|_| None), &mut column);
    }
}
