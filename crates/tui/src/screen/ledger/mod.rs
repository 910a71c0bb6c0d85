//! The ledger page: all past work, found as one types, and the whole story of the chosen job.

mod view;

use super::drives::DrivesPage;
use super::{About, Answer, Heard, Screen};
use crate::action::{Action, Place};
use crate::message::{AskLedger, Command};
use crate::state::State;
use crate::widget::field::{Field, Typed};
use crate::widget::window;
use jurex_past::Line;
use jurex_sanitize::record::JobId;
use jurex_station::story::Story;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Jobs that are asked for at once.
pub(crate) const AT_ONCE: u32 = 100;

/// The page.
pub(crate) struct LedgerPage {
    /// What is looked for.
    field: Field,
    /// What the lines are the answer to; `None`: nothing was answered yet.
    answered: Option<String>,
    lines: Vec<Line>,
    /// Whether older ones may be found.
    has_more: bool,
    cursor: usize,
    story: Option<Box<Story>>,
    /// Whether the story has the keys, and letters do something with it.
    in_story: bool,
    scroll: u16,
    /// Why nothing can be found, if it can't.
    problem: Option<String>,
    /// What is still open, a line for each kind: how many drives, and the first ones by their serials.
    open: Vec<String>,
}

impl LedgerPage {
    /// With all past work; asks for it.
    pub(crate) fn open(state: &mut State) -> Self {
        state.to_do.push(Command::Ledger(AskLedger::Jobs(String::new(), None)));
        state.to_do.push(Command::Ledger(AskLedger::Where(String::new())));
        Self {
            field: Field::default(),
            answered: None,
            lines: vec![],
            has_more: false,
            cursor: 0,
            story: None,
            in_story: false,
            scroll: 0,
            problem: None,
            open: vec![],
        }
    }

    fn chosen(&self) -> Option<&Line> {
        self.lines.get(self.cursor)
    }

    /// The story of the chosen job, once it has come.
    fn story(&self) -> Option<&Story> {
        self.story.as_deref().filter(|s| self.chosen().is_some_and(|l| l.job == s.job))
    }

    fn go(&mut self, state: &mut State, to: usize) {
        self.cursor = to.min(self.lines.len().saturating_sub(1));
        self.scroll = 0;
        self.ask_for_story(state);
        // Near the end of what is known more is asked for.
        if self.has_more && self.cursor + 20 > self.lines.len() {
            self.has_more = false;
            let before = self.lines.last().map(|l| l.number);
            state.to_do.push(Command::Ledger(AskLedger::Jobs(self.field.value().to_string(), before)));
        }
    }

    fn ask_for_story(&self, state: &mut State) {
        let known: Option<&JobId> = self.story.as_ref().map(|s| &s.job);
        if let Some(line) = self.chosen().filter(|l| known != Some(&l.job)) {
            state.to_do.push(Command::Ledger(AskLedger::Story(line.job.clone())));
        }
    }

    fn take_jobs(&mut self, state: &mut State, asked: &str, before: Option<i64>, found: Result<&[Line], &String>) {
        // What was typed since then has been asked for too.
        if asked != self.field.value() {
            return;
        }
        match found {
            Err(why) => self.problem = Some(why.clone()),
            Ok(lines) => {
                self.problem = None;
                if before.is_none() {
                    self.lines.clear();
                    (self.cursor, self.scroll) = (0, 0);
                }
                self.lines.extend_from_slice(lines);
                self.has_more = lines.len() as u32 == AT_ONCE;
                self.answered = Some(asked.to_string());
                self.ask_for_story(state);
            }
        }
    }
}

impl Screen for LedgerPage {
    fn places(&self, _: &State) -> Vec<Place> {
        if self.in_story { vec![Place::LedgerStory, Place::Anywhere] } else { vec![Place::LedgerFind, Place::Typing] }
    }

    fn why_not(&self, _: &State, action: Action) -> Option<String> {
        let why = match action {
            Action::SeeStory if self.chosen().is_none() => "There is no job to tell of.",
            Action::WriteAgain if self.story().is_none_or(|s| s.record.is_err()) => {
                "There is no record that a paper could be written of."
            }
            Action::ExportFound if self.lines.is_empty() => "There is nothing to write.",
            _ => return None,
        };
        Some(why.into())
    }

    fn perform(&mut self, state: &mut State, action: Action) -> Answer {
        const PAGE: usize = 20;
        match action {
            Action::Back if self.in_story => self.in_story = false,
            Action::Back if !self.field.value().is_empty() => {
                self.field.clear();
                state.to_do.push(Command::Ledger(AskLedger::Jobs(String::new(), None)));
            }
            Action::Back => return Answer::back(),
            Action::SeeStory => self.in_story = true,
            Action::Where => return Answer::push(DrivesPage::open(state)),
            Action::RowBefore => self.go(state, self.cursor.saturating_sub(1)),
            Action::RowAfter => self.go(state, self.cursor + 1),
            Action::PageBefore => self.go(state, self.cursor.saturating_sub(PAGE)),
            Action::PageAfter => self.go(state, self.cursor + PAGE),
            Action::ScrollUp | Action::ScrollDown => {
                let (down, most) = (action == Action::ScrollDown, view::most_scroll(state, self));
                self.scroll = window::scrolled(self.scroll, down, state.size.1, most);
            }
            Action::WriteAgain => {
                let job = self.chosen().map(|l| l.job.clone());
                return Answer::to_do(job.map(|job| Command::Ledger(AskLedger::WriteAgain(job))).into_iter().collect());
            }
            Action::ExportFound => {
                return Answer::to_do(vec![Command::Ledger(AskLedger::Export(self.field.value().to_string()))]);
            }
            _ => {}
        }
        Answer::stay()
    }

    fn type_in(&mut self, state: &mut State, typed: &Typed<'_>) {
        if self.field.take(typed) {
            state.to_do.push(Command::Ledger(AskLedger::Jobs(self.field.value().to_string(), None)));
        }
    }

    fn click(&mut self, state: &mut State, place: (u16, u16)) -> Answer {
        if let Some(at) = view::line_at(state, self, place) {
            self.go(state, at);
        }
        Answer::stay()
    }

    fn hear(&mut self, state: &mut State, heard: &Heard) -> bool {
        match heard {
            Heard::Jobs(asked, before, found) => self.take_jobs(state, asked, *before, found.as_deref()),
            Heard::Story(story) => self.story = Some(story.clone()),
            Heard::Where(asked, Ok(found)) if asked.is_empty() => self.open = found.iter().filter_map(view::open_line).collect(),
            Heard::MethodsSaved
            | Heard::Policy(_)
            | Heard::SettingSaved
            | Heard::SettingNotSaved(_)
            | Heard::Where(..)
            | Heard::Machine(_) => return false,
        }
        true
    }

    fn about(&self, _: &State) -> Option<About> {
        Some((
            "Ledger",
            [
                "What was done, when, by whom, and where is the proof?",
                "Every word that is typed must appear: serial, drive, lot, person, outcome, date, property number. lot:BW-0417 looks only in that field.",
                "What is shown of a job comes from its record, which is judged again each time; the ledger can't claim more than its evidence.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        view::draw(state, self, area, buffer);
    }
}
