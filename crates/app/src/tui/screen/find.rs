//! Finding a drive by what it says of itself.

use super::{About, Answer, Screen};
use crate::tui::action::{Action, Place};
use crate::tui::state::State;
use crate::tui::widget::field::{Field, Typed};
use crate::tui::widget::panel::typed;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The line in which it is typed.
#[derive(Default)]
pub(crate) struct FindLine {
    field: Field,
}

impl Screen for FindLine {
    fn places(&self, _: &State) -> Vec<Place> {
        vec![Place::Line]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> Answer {
        match action {
            Action::Take => {
                state.find(self.field.value());
                Answer::back()
            }
            Action::Back => Answer::back(),
            _ => Answer::stay(),
        }
    }

    fn type_in(&mut self, _: &mut State, typed: &Typed<'_>) {
        self.field.take(typed);
    }

    fn fills(&self) -> bool {
        false
    }

    fn about(&self, _: &State) -> About {
        (
            "finding a drive",
            ["Which drive?", "By its serial, its model or its path.", "The first one after the present drive is chosen."],
        )
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        typed(state.theme, "Find a drive by serial, model or path: ", &self.field, area, buffer);
    }
}
