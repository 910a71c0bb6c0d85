//! A range of sectors for the plan of a lane.

use super::{About, Answer, Screen};
use crate::tui::action::{Action, Place};
use crate::tui::lane::LaneId;
use crate::tui::state::State;
use crate::tui::widget::field::{Field, Typed};
use crate::tui::widget::panel::typed;
use jurex_core::text::capital;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The line in which it is typed.
pub(crate) struct RangeLine {
    lane: LaneId,
    field: Field,
}

impl RangeLine {
    /// For the plan of this lane.
    pub(crate) fn new(lane: LaneId) -> Self {
        Self { lane, field: Field::default() }
    }
}

impl Screen for RangeLine {
    fn places(&self, _: &State) -> Vec<Place> {
        vec![Place::Line]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> Answer {
        match action {
            Action::Take => {
                let Some(lane) = state.lanes.get_mut(self.lane) else { return Answer::back() };
                match lane.range_of(self.field.value()) {
                    Ok(range) => {
                        lane.draft.order.range = range;
                        lane.stage.drop_plan();
                        Answer::back()
                    }
                    Err(why) => {
                        state.notice = Some(format!("{}.", capital(&why.to_string())));
                        Answer::stay()
                    }
                }
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
        ("a range", ["Which sectors?", "First and last sector, or p1 for the first partition.", "Empty: the whole drive."])
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let question = "First and last sector, or p1 for the first partition; empty for the whole drive: ";
        let question = if area.width < 110 { "First and last sector, or p1; empty: all: " } else { question };
        typed(state.theme, question, &self.field, area, buffer);
    }
}
