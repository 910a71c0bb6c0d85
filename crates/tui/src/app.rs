//! The interface as a whole: messages change the shared state or go to the screens, which lie on one another in a stack.

use super::action::{self, Action, Binding, KeyPlace, Meaning};
use super::bench::BenchScreen;
use super::frame;
use super::message::{Effect, FromLedger, Message};
use super::screen::drives::DrivesPage;
use super::screen::greeting::Greeting;
use super::screen::help::Help;
use super::screen::palette::Palette;
use super::screen::question::Question;
use super::screen::{Screen, ScreenAnswer, ScreenContext, ScreenEvent, Transition};
use super::state::State;
use super::tour;
use jurex_look::field::Typed;
use jurex_look::theme::Theme;
use jurex_station::config::Config;
use jurex_station::machine::Ask;
use ratatui::Frame;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyEventKind, MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Constraint, Layout};

/// The shared state, and the screens from the lowest to the one that takes the keys.
pub(crate) struct App {
    pub(crate) state: State,
    /// The bench, which never goes, and what lies over it.
    bench: BenchScreen,
    above: Vec<Box<dyn Screen>>,
}

impl App {
    pub(crate) fn new(theme: Theme, config: Config) -> Self {
        Self { state: State::new(theme, config), bench: BenchScreen, above: vec![] }
    }

    /// Greets whoever starts it for the first time.
    pub(crate) fn greet(&mut self) {
        self.above.push(Box::new(Greeting));
    }

    /// What lies over the bench.
    #[cfg(test)]
    pub(crate) fn above_mut(&mut self) -> &mut Vec<Box<dyn Screen>> {
        &mut self.above
    }

    /// The screen that takes the keys, with the state.
    fn top(&mut self) -> (&mut dyn Screen, &mut State) {
        match self.above.last_mut() {
            Some(screen) => (screen.as_mut(), &mut self.state),
            None => (&mut self.bench, &mut self.state),
        }
    }

    fn shown(&self) -> &dyn Screen {
        self.above.last().map_or(&self.bench as &dyn Screen, AsRef::as_ref)
    }

    /// Takes one event.
    pub(crate) fn update(&mut self, message: Message) -> Vec<Effect> {
        let mut commands = self.take(message);
        if self.state.quitting {
            // Nothing is asked any more.
            self.above.retain(|screen| screen.fills());
        }
        self.bench.refresh(&mut self.state);
        for screen in &mut self.above {
            screen.refresh(&mut self.state);
        }
        commands.append(&mut self.state.to_do);
        commands
    }

    fn take(&mut self, message: Message) -> Vec<Effect> {
        match message {
            Message::Key(key) if key.kind != KeyEventKind::Release => return self.key(key),
            Message::Key(_) => {}
            Message::At(time) => self.state.now = self.state.now.max(time),
            Message::Mouse(mouse) => return self.mouse(mouse),
            Message::Pasted(text) => self.paste(&text),
            Message::Catalogue(Ok((catalogue, said))) => {
                (self.state.catalogue, self.state.notice) = (catalogue, Some(said));
                self.tell(&ScreenEvent::MethodsSaved);
            }
            Message::Policy(Ok(policy)) => {
                self.tell(&ScreenEvent::Policy(policy));
            }
            Message::Policies(Ok((names, said))) => (self.state.policies, self.state.notice) = (names, Some(said)),
            Message::Setting(Ok(config)) => {
                self.state.take_config(*config);
                self.tell(&ScreenEvent::SettingSaved);
            }
            Message::Setting(Err(why)) => {
                if !self.tell(&ScreenEvent::SettingNotSaved(why.to_string())) {
                    self.state.refuse(&why);
                }
            }
            Message::Machine(ask, said) => {
                if matches!((&ask, &said), (Ask::Carry(_), Ok(_))) {
                    self.state.has_records = false;
                }
                if !self.tell(&ScreenEvent::Machine(said.clone())) {
                    self.state.notice = Some(said.unwrap_or_else(|why| why));
                }
            }
            Message::Ledger(FromLedger::Jobs(asked, before, found)) => drop(self.tell(&ScreenEvent::Jobs(asked, before, found))),
            Message::Ledger(FromLedger::Story(story)) => drop(self.tell(&ScreenEvent::Story(story))),
            Message::Ledger(FromLedger::Lots(lots)) => self.state.take_lots(lots),
            Message::Ledger(FromLedger::Where(asked, found)) => drop(self.tell(&ScreenEvent::Where(asked, found))),
            Message::Ledger(FromLedger::Known(lane, known)) => {
                if let Some(lane) = self.state.lanes.get_mut(lane) {
                    lane.look.asked_ledger = true;
                    lane.release.known = known;
                }
            }
            Message::Notices(wait) => {
                // Told once when it comes up; at the top for as long as it lasts.
                if wait.is_some() && self.state.notices_wait.is_none() {
                    self.state.notice.clone_from(&wait);
                }
                self.state.notices_wait = wait;
            }
            Message::Catalogue(Err(why)) => self.state.refuse(&why),
            Message::Policy(Err(why)) => self.state.refuse(&why),
            Message::Policies(Err(why)) => self.state.notice = Some(format!("The policy was not saved: {why}.")),
            Message::Page(lane, first, page) => self.state.page(lane, first, page),
            Message::Searching(lane, at) => self.state.searching(lane, at),
            Message::Searched(lane, found) => return self.state.searched(lane, found),
            of_the_world => return self.state.take(of_the_world),
        }
        vec![]
    }

    /// Tells the screens what was done in the world, the uppermost first. Gives whether one of them waited for it.
    fn tell(&mut self, heard: &ScreenEvent) -> bool {
        let state = &mut self.state;
        self.above.iter_mut().rev().any(|screen| screen.hear(state, heard))
    }

    /// Where one is, from the innermost place outwards.
    fn places(&self) -> Vec<KeyPlace> {
        if self.state.is_counting() { vec![KeyPlace::Countdown] } else { self.shown().places(&self.state) }
    }

    fn why_not(&self, action: Action) -> Option<String> {
        self.shown().why_not(&self.state, action)
    }

    /// The bindings that can be used now.
    pub(crate) fn usable(&self) -> Vec<&'static Binding> {
        action::usable(&self.places(), &|action| self.why_not(action))
    }

    fn key(&mut self, key: KeyEvent) -> Vec<Effect> {
        (self.state.notice, self.state.touched) = (None, true);
        let commands = self.mean(key);
        if matches!(key.code, KeyCode::Char(_)) {
            self.state.last_letter = Some(self.state.now);
        }
        commands
    }

    fn mean(&mut self, key: KeyEvent) -> Vec<Effect> {
        if self.state.is_counting() {
            return self.state.stop_countdown();
        }
        if self.state.off_at.take().is_some() {
            self.state.switches_off_after = false;
            self.state.notice = Some("The machine stays on.".into());
            return vec![];
        }
        match action::meaning(&self.places(), &|action| self.why_not(action), key) {
            Meaning::Does(action) => return self.perform(action),
            Meaning::Refused(why) => self.state.notice = Some(why),
            Meaning::Typed => self.type_in(&Typed::Key(key)),
            Meaning::Nothing => {}
        }
        vec![]
    }

    /// Pasted text goes into the field that takes letters, on one line, and does nothing else.
    fn paste(&mut self, text: &str) {
        self.state.notice = None;
        if action::is_text(&self.places()) {
            self.type_in(&Typed::Pasted(text));
        }
    }

    fn type_in(&mut self, typed: &Typed<'_>) {
        let (screen, state) = self.top();
        screen.type_in(state, typed);
    }

    /// Does what is asked for, wherever it was asked: by a key, or from the palette.
    fn perform(&mut self, action: Action) -> Vec<Effect> {
        match action {
            Action::Suspend => return vec![Effect::Suspend],
            Action::Quit => return self.ask_to_quit(),
            // Over a question or a line that is typed nothing else is opened.
            Action::Help => {
                if let Some(about) = self.shown().about(&self.state) {
                    self.above.push(Box::new(Help::new(about, self.usable())));
                }
            }
            Action::Palette if self.shown().fills() => {
                let palette = Palette::over(self.shown(), &self.state);
                self.above.push(Box::new(palette));
            }
            Action::Palette => {}
            // From any screen; over a question or a line that is typed nothing else is opened.
            Action::Where if self.shown().fills() => {
                let page = DrivesPage::open(&mut self.state);
                self.above.push(Box::new(page));
            }
            Action::Where => {}
            Action::NextTheme => self.state.theme = self.state.theme.next(),
            Action::StopCountdown => return self.state.stop_countdown(),
            _ => {
                let (screen, state) = self.top();
                let answer = screen.perform(state, action);
                return self.follow(answer);
            }
        }
        vec![]
    }

    /// What a screen answered happens to the stack.
    fn follow(&mut self, answer: ScreenAnswer) -> Vec<Effect> {
        let ScreenAnswer { turn, mut commands } = answer;
        match turn {
            Transition::Stay => {}
            Transition::Push(screen) => self.above.push(screen),
            Transition::Back(given) => {
                self.above.pop();
                match given {
                    None => {}
                    Some(ScreenContext::Offer(step, action)) => {
                        commands.extend(step.map(|step| self.state.go_to(step)).unwrap_or_default());
                        // After the walk it may stand otherwise.
                        match self.why_not(action) {
                            None => commands.extend(self.perform(action)),
                            Some(why) => self.state.notice = Some(why),
                        }
                    }
                    Some(given) => {
                        let (screen, state) = self.top();
                        let answer = screen.take(state, given);
                        commands.extend(self.follow(answer));
                    }
                }
            }
        }
        commands
    }

    /// Quits at once where nothing is at work; else asks. A question that is asked already is what answers.
    fn ask_to_quit(&mut self) -> Vec<Effect> {
        if !self.state.is_busy() && self.state.unwritten() == 0 {
            return self.state.quit_now();
        }
        if self.shown().places(&self.state) != [KeyPlace::QuitQuestion] {
            self.above.push(Box::new(Question::quit(self.state.now)));
        }
        vec![]
    }

    fn mouse(&mut self, mouse: MouseEvent) -> Vec<Effect> {
        match mouse.kind {
            // A click is a key too: it stops a countdown, and answers no question.
            MouseEventKind::Down(_) if self.state.is_counting() => self.state.stop_countdown(),
            MouseEventKind::Down(MouseButton::Left) => {
                let (screen, state) = self.top();
                let answer = screen.click(state, (mouse.column, mouse.row));
                self.follow(answer)
            }
            MouseEventKind::ScrollDown | MouseEventKind::ScrollUp if self.above.is_empty() => {
                let down = mouse.kind == MouseEventKind::ScrollDown;
                self.perform(if down { Action::ScrollDown } else { Action::ScrollUp })
            }
            _ => vec![],
        }
    }

    /// Draws everything.
    pub(crate) fn draw(&self, frame: &mut Frame<'_>) {
        let (area, state) = (frame.area(), &self.state);
        let buffer = frame.buffer_mut();
        buffer.set_style(area, state.theme.ground());
        if area.width < frame::SMALLEST.0 || area.height < frame::SMALLEST.1 {
            return frame::too_small(state, area, buffer);
        }
        let [top, body, bottom] =
            Layout::vertical([Constraint::Length(1), Constraint::Min(0), Constraint::Length(1)]).areas(area);
        frame::top_line(state, top, buffer);
        // What lies beneath the uppermost screen that fills the room is not seen.
        let filling = self.above.iter().rposition(|screen| screen.fills());
        match filling {
            Some(at) => self.above[at].draw(state, body, buffer),
            None => self.bench.draw(state, body, buffer),
        }
        frame::bottom_line(state, self.usable(), bottom, buffer);
        if let Some(said) = tour::line(state).filter(|_| self.above.is_empty()) {
            frame::tour_line(state, &said, body, buffer);
        }
        for over in &self.above[filling.map_or(0, |at| at + 1)..] {
            over.draw(state, area, buffer);
        }
    }
}
