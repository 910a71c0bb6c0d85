//! Questions that end work. They are answered by a letter of their own, and deaf at first.

use super::{About, Answer, Screen};
use crate::tui::action::{self, Action, Place};
use crate::tui::lane::LaneId;
use crate::tui::state::State;
use crate::tui::theme::{Role, Theme};
use crate::tui::widget::column::Column;
use crate::tui::widget::keys::key_lines;
use crate::tui::widget::panel::panel;
use jurex_core::erase::Wish;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::time::Duration;

/// A question is deaf for so long after it is asked: a scanner's burst of letters must not answer it.
const DEAF: Duration = Duration::from_millis(500);

/// Stop the job of this lane?
pub(crate) struct StopQuestion {
    lane: LaneId,
    asked: Duration,
}

impl StopQuestion {
    /// Asked now.
    pub(crate) fn new(lane: LaneId, now: Duration) -> Self {
        Self { lane, asked: now }
    }
}

impl Screen for StopQuestion {
    fn places(&self, _: &State) -> Vec<Place> {
        vec![Place::StopQuestion]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> Answer {
        match action {
            Action::ConfirmStop if state.now >= self.asked + DEAF => Answer::back().and(state.wish(self.lane, Wish::Stop)),
            Action::Back => Answer::back(),
            _ => Answer::stay(),
        }
    }

    fn fills(&self) -> bool {
        false
    }

    fn about(&self, _: &State) -> About {
        ("Erase", ["Stop this job?", "A stopped drive is Not sanitized.", "Stopping cannot be taken back."])
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let drive = state.lanes.get(self.lane).map(|l| l.seen.drive.called()).unwrap_or_default();
        let words = [
            format!("Stop erasing {drive}?"),
            "A stopped drive is Not sanitized: part of it is overwritten, the rest still holds what was there.".into(),
            "What was done so far is recorded. Stopping cannot be taken back.".into(),
        ];
        question(state.theme, Place::StopQuestion, &words, area, buffer);
    }
}

/// Stop all jobs and quit?
pub(crate) struct QuitQuestion {
    asked: Duration,
}

impl QuitQuestion {
    /// Asked now.
    pub(crate) fn new(now: Duration) -> Self {
        Self { asked: now }
    }
}

impl Screen for QuitQuestion {
    fn places(&self, _: &State) -> Vec<Place> {
        vec![Place::QuitQuestion]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> Answer {
        match action {
            Action::ConfirmQuit if state.now >= self.asked + DEAF => Answer::back().and(state.quit_now()),
            Action::Back => Answer::back(),
            _ => Answer::stay(),
        }
    }

    fn fills(&self) -> bool {
        false
    }

    fn about(&self, _: &State) -> About {
        ("Jurex", ["Quit?", "Quitting stops the work.", "What was done so far is recorded in the ledger."])
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let jobs = match state.working() {
            1 => "One drive is still being worked on.".to_string(),
            n => format!("{n} drives are still being worked on."),
        };
        let words = [
            format!("Quit? {jobs}"),
            "Quitting stops the work. A stopped drive is Not sanitized: part of it still holds what was there.".into(),
            "What was done so far is recorded in the ledger.".into(),
        ];
        question(state.theme, Place::QuitQuestion, &words, area, buffer);
    }
}

fn question(theme: Theme, place: Place, words: &[String], area: Rect, buffer: &mut Buffer) {
    let inner = panel(theme, 72, 12, area, buffer);
    let mut column = Column::new(inner, buffer, theme);
    for (i, sentence) in words.iter().enumerate() {
        column.sentence(sentence, if i == 0 { Role::Strong } else { Role::Text });
        column.gap();
    }
    key_lines(&action::usable(&[place], &|_| None), &mut column);
}
