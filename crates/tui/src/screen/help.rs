//! Help: what the place is for that lies beneath, and what its keys do.

use super::{PlaceHelp, Screen, ScreenAnswer};
use crate::action::{Action, Binding, KeyPlace};
use crate::state::State;
use crate::widget::keys::key_lines;
use jurex_look::column::Column;
use jurex_look::panel::panel;
use jurex_look::theme::StyleRole;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The help of one place.
pub(crate) struct Help {
    about: PlaceHelp,
    /// The keys that can be used there.
    keys: Vec<&'static Binding>,
}

impl Help {
    pub(crate) fn new(about: PlaceHelp, keys: Vec<&'static Binding>) -> Self {
        Self { about, keys }
    }
}

impl Screen for Help {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Help]
    }

    fn perform(&mut self, _: &mut State, action: Action) -> ScreenAnswer {
        if action == Action::Back { ScreenAnswer::back() } else { ScreenAnswer::stay() }
    }

    fn fills(&self) -> bool {
        false
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let inner = panel(state.theme, 116, 24, area, buffer);
        let mut column = Column::new(inner, buffer, state.theme);
        let (name, [question, words @ ..]) = &self.about;
        column.heading(&format!("Help for {name}"));
        column.sentence(question, StyleRole::Strong);
        for sentence in words {
            column.sentence(sentence, StyleRole::Text);
        }
        column.gap();
        column.heading("Keys");
        key_lines(&self.keys, &mut column);
    }
}
