//! The screen of a round over a list, which nobody attends: how it goes, to be read from across the room.

use crate::afar::{self, DriveLine, Word};
use crate::terminal::TerminalScreen;
use crate::theme::{StyleRole, Theme};
use crate::tune::Tune;
use jurex_pattern::text::printable;
use jurex_station::config::ThemeName;
use jurex_station::exit::Failure;
use jurex_station::round::{EntryStatus, ListEntry, Round};
use jurex_station::stop::StopOnSignal;
use ratatui::Frame;
use ratatui::crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use ratatui::layout::{Constraint, Layout};
use ratatui::text::Line;
use ratatui::widgets::Widget;
use std::io::{IsTerminal, stdin, stdout};
use std::time::{Duration, Instant};

/// How the round is shown.
pub struct WallView {
    pub theme: Option<ThemeName>,
    pub bell: bool,
    /// Whether the machine goes off when all is done.
    pub switches_off: bool,
}

/// The machine goes off so long after the end, unless a key is pressed.
const OFF_AFTER: Duration = Duration::from_secs(60);
/// Who is needed is called again so often.
const CALL_EVERY: Duration = Duration::from_secs(30);

/// Shows the round until it is over and a key was pressed. Gives whether the machine is to go off.
pub fn watch(round: &mut Round, stop: &StopOnSignal, how: &WallView) -> Result<bool, Failure> {
    if !stdout().is_terminal() || !stdin().is_terminal() {
        return Err(Failure::Use("--screen needs a terminal; without one leave it out".into()));
    }
    let failed = |e: std::io::Error| Failure::Use(format!("the terminal can't be used: {e}"));
    let theme = Theme::of_environment(how.theme);
    let mut screen = TerminalScreen::open().map_err(failed)?;
    let mut view = View { theme, asks_to_stop: false, over_since: None, tune: Tune::default(), called: Instant::now() };
    loop {
        round.step(Duration::from_millis(100));
        if round.is_over() {
            view.over_since.get_or_insert_with(Instant::now);
        }
        if let Some(off) = view.turn(round, stop, how, &mut screen).map_err(failed)? {
            return Ok(off);
        }
    }
}

struct View {
    theme: Theme,
    /// Whether it was asked whether all jobs are to be stopped.
    asks_to_stop: bool,
    over_since: Option<Instant>,
    tune: Tune,
    called: Instant,
}

impl View {
    /// One picture, and the keys since the last one. Gives how it ends, if it does.
    fn turn(
        &mut self,
        round: &Round,
        stop: &StopOnSignal,
        how: &WallView,
        screen: &mut TerminalScreen,
    ) -> std::io::Result<Option<bool>> {
        screen.take_palette(self.theme)?;
        // Where something is left to be seen, the machine stays on and calls.
        let goes_off = how.switches_off && round.is_done();
        let left = self.over_since.filter(|_| goes_off).map(|since| OFF_AFTER.saturating_sub(since.elapsed()));
        if left.is_some_and(|left| left.is_zero()) || (stop.is_asked() && self.over_since.is_some()) {
            return Ok(Some(goes_off && !stop.is_asked()));
        }
        screen.terminal.draw(|frame| self.draw(round, left, frame))?;
        if how.bell && self.theme.palette().is_some() {
            let word = word(round);
            if word == Word::LookHere && self.called.elapsed() > CALL_EVERY {
                self.called = Instant::now();
                self.tune.again();
            }
            self.tune.play(word)?;
        }
        while event::poll(Duration::ZERO)? {
            if let Event::Key(key) = event::read()?
                && key.kind != KeyEventKind::Release
                && self.key(key, stop)
            {
                return Ok(Some(false));
            }
        }
        Ok(None)
    }

    /// Takes a key; gives whether the screen is left.
    fn key(&mut self, key: KeyEvent, stop: &StopOnSignal) -> bool {
        let stops =
            key.code == KeyCode::Char('x') || (key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL));
        match key.code {
            _ if self.over_since.is_some() => return true,
            KeyCode::Char('y') if self.asks_to_stop => stop.ask(),
            _ if stops => self.asks_to_stop = true,
            _ => self.asks_to_stop = false,
        }
        false
    }

    fn draw(&self, round: &Round, left: Option<Duration>, frame: &mut Frame<'_>) {
        let area = frame.area();
        let buffer = frame.buffer_mut();
        buffer.set_style(area, self.theme.ground());
        let [body, bottom] = Layout::vertical([Constraint::Min(0), Constraint::Length(1)]).areas(area);
        let lines: Vec<DriveLine> = round.entries().iter().map(line).collect();
        afar::draw(word(round), &round.sentence(), &lines, self.theme, body, buffer);
        buffer.set_style(bottom, self.theme.raised());
        let said = match (self.over_since, left) {
            (Some(_), Some(left)) => format!(" The machine goes off in {} s: any key keeps it on.", left.as_secs() + 1),
            (Some(_), None) => " It is over. Any key leaves this screen.".into(),
            (None, _) if self.asks_to_stop => {
                " Stop every job? A stopped drive is Not sanitized. y stops them, any other key lets them work.".into()
            }
            (None, _) => format!(" Only the listed drives are erased; {} left alone.   x stop", round.unlisted().len()),
        };
        Line::styled(said, self.theme.style(StyleRole::Strong)).render(bottom, buffer);
    }
}

/// The word for the round: DONE only when every line has come to the end that was wanted.
fn word(round: &Round) -> Word {
    let entries = round.entries();
    let looks = |e: &ListEntry| {
        !e.is_done() && matches!(e.stand, EntryStatus::Ended { .. } | EntryStatus::Before { .. } | EntryStatus::Refused(_))
    };
    if entries.iter().any(looks) {
        return Word::LookHere;
    }
    if !round.is_over() {
        let share = |e: &ListEntry| match e.stand {
            EntryStatus::Working { share, .. } => share,
            _ if e.is_done() => 1.0,
            _ => 0.0,
        };
        return Word::works(&entries.iter().map(share).collect::<Vec<_>>());
    }
    if round.is_done() { Word::Done } else { Word::LookHere }
}

fn line(entry: &ListEntry) -> DriveLine {
    let role = match &entry.stand {
        EntryStatus::Working { .. } => StyleRole::Laid,
        EntryStatus::NotSeen => StyleRole::Faint,
        _ if entry.is_done() => StyleRole::Proved,
        _ => StyleRole::Fault,
    };
    let share = if let EntryStatus::Working { share, .. } = entry.stand { Some(share) } else { None };
    DriveLine {
        name: entry.drive.clone().unwrap_or_default(),
        serial: printable(entry.listed.line.serial.as_bytes()),
        share,
        said: entry.sentence(),
        role,
    }
}
