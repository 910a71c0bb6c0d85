//! The ledger page: all past work, found as one types, and the whole story of the chosen job.

mod view;

use super::drives::DrivesPage;
use super::{PlaceHelp, Screen, ScreenAnswer, ScreenEvent};
use crate::action::{Action, KeyPlace};
use crate::message::{AskLedger, Effect};
use crate::state::State;
use jurex_look::field::{Field, Typed};
use jurex_look::window;
use jurex_past::JobLine;
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
    lines: Vec<JobLine>,
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
        state.to_do.push(Effect::Ledger(AskLedger::Jobs(String::new(), None)));
        state.to_do.push(Effect::Ledger(AskLedger::Where(String::new())));
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

    fn chosen(&self) -> Option<&JobLine> {
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
            state.to_do.push(Effect::Ledger(AskLedger::Jobs(self.field.value().to_string(), before)));
        }
    }

    fn ask_for_story(&self, state: &mut State) {
        let known: Option<&JobId> = self.story.as_ref().map(|s| &s.job);
        if let Some(line) = self.chosen().filter(|l| known != Some(&l.job)) {
            state.to_do.push(Effect::Ledger(AskLedger::Story(line.job.clone())));
        }
    }

    fn take_jobs(&mut self, state: &mut State, asked: &str, before: Option<i64>, found: Result<&[JobLine], &String>) {
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
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        if self.in_story { vec![KeyPlace::LedgerStory, KeyPlace::Anywhere] } else { vec![KeyPlace::LedgerFind, KeyPlace::Typing] }
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

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        const PAGE: usize = 20;
        match action {
            Action::Back if self.in_story => self.in_story = false,
            Action::Back if !self.field.value().is_empty() => {
                self.field.clear();
                state.to_do.push(Effect::Ledger(AskLedger::Jobs(String::new(), None)));
            }
            Action::Back => return ScreenAnswer::back(),
            Action::SeeStory => self.in_story = true,
            Action::Where => return ScreenAnswer::push(DrivesPage::open(state)),
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
                return ScreenAnswer::to_do(job.map(|job| Effect::Ledger(AskLedger::WriteAgain(job))).into_iter().collect());
            }
            Action::ExportFound => {
                return ScreenAnswer::to_do(vec![Effect::Ledger(AskLedger::Export(self.field.value().to_string()))]);
            }
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn type_in(&mut self, state: &mut State, typed: &Typed<'_>) {
        if self.field.take(typed) {
            state.to_do.push(Effect::Ledger(AskLedger::Jobs(self.field.value().to_string(), None)));
        }
    }

    fn click(&mut self, state: &mut State, place: (u16, u16)) -> ScreenAnswer {
        if let Some(at) = view::line_at(state, self, place) {
            self.go(state, at);
        }
        ScreenAnswer::stay()
    }

    fn hear(&mut self, state: &mut State, heard: &ScreenEvent) -> bool {
        match heard {
            ScreenEvent::Jobs(asked, before, found) => self.take_jobs(state, asked, *before, found.as_deref()),
            ScreenEvent::Story(story) => self.story = Some(story.clone()),
            ScreenEvent::Where(asked, Ok(found)) if asked.is_empty() => {
                self.open = found.iter().filter_map(view::open_line).collect();
            }
            ScreenEvent::MethodsSaved
            | ScreenEvent::Policy(_)
            | ScreenEvent::SettingSaved
            | ScreenEvent::SettingNotSaved(_)
            | ScreenEvent::Where(..)
            | ScreenEvent::Machine(_) => return false,
        }
        true
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
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
