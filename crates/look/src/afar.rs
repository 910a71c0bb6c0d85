//! How the bench stands, for somebody across the room: one word, a bar, and a line for each drive.

use crate::big;
use crate::column::{bar, fit, shorten, words};
use crate::theme::{StyleRole, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Widget;

/// The word.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Word {
    /// Nothing has begun.
    Waits,
    /// At work, so many parts of a hundred.
    Works(u8),
    /// All that was begun has come to the end that was wanted, and so many drives wait.
    Wait(usize),
    /// All that is expected has come to the end that was wanted.
    Done,
    /// Somebody is needed.
    LookHere,
}

impl Word {
    /// At work, by how far each drive is. Never a hundred before all have ended.
    pub fn works(shares: &[f64]) -> Self {
        let share = shares.iter().sum::<f64>() / shares.len().max(1) as f64;
        Word::Works((share * 100.0).floor().clamp(0.0, 99.0) as u8)
    }

    fn text(self) -> String {
        match self {
            Word::Waits => "READY".into(),
            Word::Works(percent) => format!("{percent}%"),
            Word::Wait(n) => format!("{n} WAIT"),
            Word::Done => "DONE".into(),
            Word::LookHere => "LOOK HERE".into(),
        }
    }

    fn role(self) -> StyleRole {
        match self {
            Word::Waits => StyleRole::Faint,
            Word::Wait(_) => StyleRole::Strong,
            Word::Works(_) => StyleRole::Laid,
            Word::Done => StyleRole::Proved,
            Word::LookHere => StyleRole::Fault,
        }
    }

    /// What a console's speaker plays when it comes to this: tones with their milliseconds. Nothing while all goes well.
    pub fn tones(self) -> &'static [(u16, u16)] {
        match self {
            // What was begun is over: somebody can go on.
            Word::Done | Word::Wait(_) => &[(523, 180), (659, 180), (784, 360)],
            Word::LookHere => &[(880, 250), (440, 250), (880, 250), (440, 500)],
            Word::Waits | Word::Works(_) => &[],
        }
    }
}

/// A drive's line.
#[derive(Clone, Debug, PartialEq)]
pub struct DriveLine {
    pub name: String,
    pub serial: String,
    /// How far it is, where it is at work.
    pub share: Option<f64>,
    pub said: String,
    pub role: StyleRole,
}

/// Columns of a name, of a serial, and of a bar.
const COLUMNS: (usize, usize, usize) = (28, 22, 24);

/// Draws it all.
pub fn draw(word: Word, sentence: &str, drives: &[DriveLine], theme: Theme, area: Rect, buffer: &mut Buffer) {
    // The drives have their rows, but never more than a third of the screen: the word is what is seen from afar.
    let rows = (drives.len() as u16 + 1).min(area.height / 3);
    let [large, said, lines] =
        Layout::vertical([Constraint::Min(0), Constraint::Length(2), Constraint::Length(rows)]).areas(area);
    let inset =
        Rect { x: large.x + 2, width: large.width.saturating_sub(4), y: large.y + 1, height: large.height.saturating_sub(2) };
    big::draw(&word.text(), theme.style(word.role()), inset, buffer);
    words(shorten(sentence, usize::from(said.width)), theme.style(StyleRole::Strong)).centered().render(said, buffer);
    for (row, drive) in lines.rows().zip(drives) {
        draw_line(drive, theme, row, buffer);
    }
    if drives.len() > usize::from(rows) {
        let last = Rect { y: lines.bottom().saturating_sub(1), height: 1, ..lines };
        let more = drives.len() + 1 - usize::from(rows);
        words(fit(&format!("  … and {more} more"), usize::from(last.width)), theme.style(StyleRole::Faint)).render(last, buffer);
    }
}

fn draw_line(drive: &DriveLine, theme: Theme, row: Rect, buffer: &mut Buffer) {
    let (name, serial, wide) = if row.width < 110 { (20, 0, 10) } else { COLUMNS };
    let style = |role| theme.style(role);
    let shape = match drive.role {
        StyleRole::Proved => "✓",
        StyleRole::Fault => "✕",
        StyleRole::Laid => "▌",
        _ => "·",
    };
    let (full, rest) = drive.share.map_or((String::new(), " ".repeat(wide)), |share| bar(share, wide));
    let spans = [
        Span::styled(format!("  {shape} "), style(drive.role)),
        Span::styled(fit(&drive.name, name), style(StyleRole::Text)),
        Span::styled(fit(&drive.serial, serial), style(StyleRole::Faint)),
        Span::styled(format!(" {full}"), style(StyleRole::Laid)),
        Span::styled(format!("{rest}  "), style(StyleRole::Line)),
        Span::styled(shorten(&drive.said, usize::from(row.width).saturating_sub(name + serial + wide + 8)), style(drive.role)),
    ];
    Line::from_iter(spans).render(row, buffer);
}
