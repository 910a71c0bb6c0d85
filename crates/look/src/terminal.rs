//! The terminal in full-screen mode, and what comes from it.

use crate::theme::{OWN_PALETTE, Theme};
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture};
use ratatui::crossterm::execute;
use ratatui::crossterm::style::Print;
use ratatui::crossterm::terminal::{Clear, ClearType, EnterAlternateScreen, enable_raw_mode};
use ratatui::layout::Rect;
use ratatui::{DefaultTerminal, Terminal, TerminalOptions, Viewport};
use std::io::stdout;
use std::thread;

/// The terminal in full-screen mode; put back however this ends, after a panic too.
pub struct TerminalScreen {
    pub terminal: DefaultTerminal,
    /// Whether the terminal did not tell its size when it was opened, as serial lines do.
    unsized_terminal: bool,
    drawn_size: (u16, u16),
    /// The palette that the text console was given last.
    palette: Option<String>,
}

/// The terminal puts its title aside, and takes it up again (XTWINOPS 22 and 23).
const KEEP_TITLE: &str = "\x1b[22;0t";
const GIVE_TITLE_BACK: &str = "\x1b[23;0t";

/// What is assumed of a terminal that does not tell its size.
const ASSUMED: (u16, u16) = (80, 24);

/// The terminal's size; what is assumed, if it does not tell.
pub fn terminal_size() -> (u16, u16) {
    ratatui::crossterm::terminal::size().ok().filter(|size| is_a_screen(*size)).unwrap_or(ASSUMED)
}

/// Whether somebody may sit before a screen of that size. What tells 65535 columns and rows tells nothing, and asks for more memory than there is.
pub fn is_a_screen((width, height): (u16, u16)) -> bool {
    const MOST: u32 = 1 << 20;
    (1..=MOST).contains(&(u32::from(width) * u32::from(height)))
}

/// Whether somebody is there who lets a stopped program go on: a shell with job control above it, in its own session. Without one it would
/// stand still for good (on a bench's console, say).
pub fn can_be_suspended() -> bool {
    use rustix::process::{Pid, getpgid, getppid, getsid};
    let (Ok(group), Ok(session)) = (getpgid(None), getsid(None)) else { return false };
    let parent_of = |pid: Pid| -> Option<Pid> {
        let status = std::fs::read_to_string(format!("/proc/{}/stat", pid.as_raw_nonzero())).ok()?;
        // The name in brackets may hold anything; the parent stands behind the state.
        let parent = status.rsplit_once(')')?.1.split_whitespace().nth(1)?.parse().ok()?;
        Pid::from_raw(parent)
    };
    let mut above = getppid();
    while let Some(pid) = above {
        match (getpgid(Some(pid)), getsid(Some(pid))) {
            (Ok(its), Ok(of)) if its == group && of == session => above = parent_of(pid),
            (Ok(_), Ok(of)) => return of == session,
            _ => return false,
        }
    }
    false
}

impl TerminalScreen {
    pub fn open() -> std::io::Result<Self> {
        let unsized_terminal = !ratatui::crossterm::terminal::size().is_ok_and(is_a_screen);
        let terminal = if unsized_terminal {
            let viewport = Viewport::Fixed(Rect::new(0, 0, ASSUMED.0, ASSUMED.1));
            let terminal = ratatui::try_init_with_options(TerminalOptions { viewport })?;
            execute!(stdout(), EnterAlternateScreen)?;
            terminal
        } else {
            ratatui::try_init()?
        };
        // `try_init` has set a hook that puts the screen back. That is right for this thread; a worker's panic is
        // caught and told on the screen, which must stay as it is.
        let restoring = std::panic::take_hook();
        let interface = thread::current().id();
        std::panic::set_hook(Box::new(move |panic| {
            if thread::current().id() == interface {
                let _ = execute!(stdout(), DisableMouseCapture, DisableBracketedPaste);
                restoring(panic);
            } else {
                tracing::error!("{panic}");
            }
        }));
        execute!(stdout(), EnableMouseCapture, EnableBracketedPaste, Print(KEEP_TITLE))?;
        Ok(Self { terminal, unsized_terminal, drawn_size: ASSUMED, palette: None })
    }
}

impl TerminalScreen {
    /// A size that an unsized terminal tells later is taken all the same; one that is none is not.
    pub fn take_size(&mut self, size: (u16, u16)) -> std::io::Result<()> {
        if !self.unsized_terminal && !ratatui::crossterm::terminal::size().is_ok_and(is_a_screen) {
            self.unsized_terminal = true;
            self.begin_anew()?;
        }
        if !is_a_screen(size) {
            return Ok(());
        }
        if self.unsized_terminal && self.drawn_size != size {
            self.drawn_size = size;
            self.terminal.resize(Rect::new(0, 0, size.0, size.1))?;
        }
        Ok(())
    }
}

/// The terminal as the shell had it, but for its palette.
fn leave() {
    let _ = execute!(stdout(), DisableMouseCapture, DisableBracketedPaste, Print(GIVE_TITLE_BACK));
    ratatui::restore();
}

impl TerminalScreen {
    /// Leaves the screen to the shell, stops, and takes it again when the person has come back.
    pub fn suspend(&mut self) -> std::io::Result<()> {
        self.give_palette_back();
        leave();
        // This stops the process with all its threads; it goes on from here at `fg`.
        signal_hook::low_level::emulate_default_handler(signal_hook::consts::SIGTSTP)?;
        enable_raw_mode()?;
        execute!(
            stdout(),
            EnterAlternateScreen,
            Clear(ClearType::All),
            EnableMouseCapture,
            EnableBracketedPaste,
            Print(KEEP_TITLE)
        )?;
        self.begin_anew()
    }

    /// Gives the text console the palette of this theme, where it is another than it has: what is drawn already keeps its colours, so
    /// all of it is drawn anew.
    pub fn take_palette(&mut self, theme: Theme) -> std::io::Result<()> {
        let palette = theme.palette();
        if palette == self.palette {
            return Ok(());
        }
        if let Some(palette) = &palette {
            execute!(stdout(), Print(palette), Clear(ClearType::All))?;
        }
        self.palette = palette;
        self.begin_anew()
    }

    fn give_palette_back(&mut self) {
        if self.palette.take().is_some() {
            let _ = execute!(stdout(), Print(OWN_PALETTE));
        }
    }

    fn begin_anew(&mut self) -> std::io::Result<()> {
        // A new picture from nothing. `Terminal::clear` would ask the terminal for its cursor, and the answer would go to the
        // thread that reads the keys.
        let backend = CrosstermBackend::new(stdout());
        self.terminal = if self.unsized_terminal {
            let viewport = Viewport::Fixed(Rect::new(0, 0, self.drawn_size.0, self.drawn_size.1));
            Terminal::with_options(backend, TerminalOptions { viewport })?
        } else {
            Terminal::new(backend)?
        };
        Ok(())
    }
}

impl Drop for TerminalScreen {
    fn drop(&mut self) {
        self.give_palette_back();
        leave();
    }
}
