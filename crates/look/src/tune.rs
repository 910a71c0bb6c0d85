//! What a console's speaker plays when the word for the whole bench changes. Only Linux's own text console plays tones.

use crate::afar::Word;
use ratatui::crossterm::execute;
use ratatui::crossterm::style::Print;
use std::io::stdout;
use std::time::{Duration, Instant};

/// The tones that are still to be played. They are sent between pictures: none falls into the middle of one.
#[derive(Default)]
pub struct Tune {
    last: Option<Word>,
    left: &'static [(u16, u16)],
    next_at: Option<Instant>,
}

impl Tune {
    /// Plays on; begins anew where the word has changed.
    pub fn play(&mut self, word: Word) -> std::io::Result<()> {
        let same = |last: Word| std::mem::discriminant(&last) == std::mem::discriminant(&word);
        if !self.last.is_some_and(same) {
            // What stood so at the start is no news.
            (self.left, self.next_at) = (if self.last.is_some() { word.tones() } else { &[] }, None);
        }
        self.last = Some(word);
        if self.next_at.is_some_and(|at| Instant::now() < at) {
            return Ok(());
        }
        let Some(((hertz, millis), rest)) = self.left.split_first() else { return Ok(()) };
        (self.left, self.next_at) = (rest, Some(Instant::now() + Duration::from_millis(u64::from(*millis) + 60)));
        execute!(stdout(), Print(tone(*hertz, *millis)))
    }

    /// Plays it once more.
    pub fn again(&mut self) {
        self.left = self.last.map_or(&[], Word::tones);
    }
}

/// Sets the bell's pitch and length, and rings it (console_codes: CSI 10 and CSI 11).
fn tone(hertz: u16, millis: u16) -> String {
    format!("\x1b[10;{hertz}]\x1b[11;{millis}]\x07")
}
