//! What comes from the terminal.

use crate::message::Message;
use crossbeam_channel::Sender;
use jurex_look::terminal::is_a_screen;
use ratatui::crossterm::event::{self, Event as TerminalEvent};
use std::thread;
use std::time::Instant;

/// Sends on what the terminal tells, with the time since `start` at which it came, until it is lost.
pub fn read_terminal(start: Instant, sender: Sender<Message>) {
    thread::spawn(move || {
        while let Ok(event) = event::read() {
            let message = match event {
                TerminalEvent::Key(key) => Message::Key(key),
                TerminalEvent::Mouse(mouse) => Message::Mouse(mouse),
                TerminalEvent::Paste(text) => Message::Pasted(text),
                TerminalEvent::Resize(width, height) if is_a_screen((width, height)) => Message::Resized(width, height),
                _ => continue,
            };
            if sender.send(Message::At(start.elapsed())).and_then(|()| sender.send(message)).is_err() {
                return;
            }
        }
        let _ = sender.send(Message::TerminalLost);
    });
}
