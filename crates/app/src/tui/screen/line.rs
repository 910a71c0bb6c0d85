//! A line that is typed over the screen: which drive to find, or which range of sectors a plan covers.

use super::{Answer, Screen};
use crate::tui::action::{Action, Place};
use crate::tui::lane::LaneId;
use crate::tui::state::State;
use crate::tui::widget::field::{Field, Typed};
use crate::tui::widget::panel::typed;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The line.
pub(crate) struct TypedLine {
    asks: Asks,
    field: Field,
}

/// What is asked for.
enum Asks {
    /// A drive, by what it says of itself.
    Drive,
    /// A range of sectors for the plan of this lane.
    Range(LaneId),
}

impl TypedLine {
    /// Which drive?
    pub(crate) fn to_find() -> Self {
        Self { asks: Asks::Drive, field: Field::default() }
    }

    /// Which sectors for the plan of this lane?
    pub(crate) fn of_range(lane: LaneId) -> Self {
        Self { asks: Asks::Range(lane), field: Field::default() }
    }
}

impl Screen for TypedLine {
    fn places(&self, _: &State) -> Vec<Place> {
        vec![Place::Line]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> Answer {
        match (action, &self.asks) {
            (Action::Take, Asks::Drive) => state.find(self.field.value()),
            // What means no range stays, to be mended.
            (Action::Take, Asks::Range(lane)) if !take_range(state, *lane, self.field.value()) => return Answer::stay(),
            (Action::Take | Action::Back, _) => {}
            _ => return Answer::stay(),
        }
        Answer::back()
    }

    fn type_in(&mut self, _: &mut State, typed: &Typed<'_>) {
        self.field.take(typed);
    }

    fn fills(&self) -> bool {
        false
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let question = match self.asks {
            Asks::Drive => "Find a drive by serial, model or path: ",
            Asks::Range(_) if area.width < 110 => "First and last sector, or p1; empty: all: ",
            Asks::Range(_) => "First and last sector, or p1 for the first partition; empty for the whole drive: ",
        };
        typed(state.theme, question, &self.field, area, buffer);
    }
}

/// Takes the range for the plan of the lane, or says what is wrong with it. Gives whether it was taken.
fn take_range(state: &mut State, lane: LaneId, text: &str) -> bool {
    let Some(lane) = state.lanes.get_mut(lane) else { return true };
    match lane.range_of(text) {
        Ok(range) => {
            lane.draft.order.range = range;
            lane.stage.drop_plan();
            true
        }
        Err(why) => {
            state.refuse(&why);
            false
        }
    }
}
