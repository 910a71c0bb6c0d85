//! The greeting of a first start: where am I, and what do I press first?

use super::{Screen, ScreenAnswer};
use crate::action::{Action, KeyPlace};
use crate::state::State;
use crate::tour;
use jurex_look::column::Column;
use jurex_look::panel::panel;
use jurex_look::theme::StyleRole;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The greeting. It comes once, and again when it is asked for.
pub(crate) struct Greeting;

impl Screen for Greeting {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Greeting]
    }

    fn why_not(&self, state: &State, action: Action) -> Option<String> {
        tour::why_not(state).filter(|_| action == Action::Tour)
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        match action {
            Action::Tour => ScreenAnswer::back().and(tour::begin(state)),
            Action::Back => ScreenAnswer::back(),
            _ => ScreenAnswer::stay(),
        }
    }

    fn fills(&self) -> bool {
        false
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let inner = panel(state.theme, 76, 20, area, buffer);
        let mut column = Column::new(inner, buffer, state.theme);
        let (where_am_i, first) = if state.is_demo {
            (
                "This is the demonstration: ten simulated drives on a made-up bench. No drive of this machine is opened.",
                "Enter begins the guided tour: three minutes, and a certificate at its end. Esc: look around by yourself.",
            )
        } else {
            (
                "This is the bench: every drive of this machine. Nothing is written before you type the end of a drive's serial number.",
                "Esc begins. To try everything without a drive: quit (q) and start jurex demo, which has a guided tour.",
            )
        };
        column.question("Welcome to Jurex.");
        column.sentence(where_am_i, StyleRole::Strong);
        column.gap();
        column.sentence("On the left: the drives, each in its lane. ↑ and ↓ choose one.", StyleRole::Text);
        column.sentence(
            "On the right: its seven steps, Look, Plan, Arm, Erase, Prove, Certify, Release. Enter leads on, ← leads back.",
            StyleRole::Text,
        );
        column.sentence(
            "The last line names the keys that matter here, ? all of them; Ctrl-P finds anything by its name.",
            StyleRole::Text,
        );
        column.gap();
        column.sentence(first, StyleRole::Act);
    }
}
