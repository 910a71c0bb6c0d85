//! The settings page: who stands for the work, and how the program behaves. Each is checked and saved by itself.

mod view;

use super::{PlaceHelp, Screen, ScreenAnswer, ScreenEvent};
use crate::action::{Action, KeyPlace};
use crate::message::Effect;
use crate::state::State;
use jurex_look::field::{Field, Typed};
use jurex_station::settings::Setting;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Longest value that a setting's field takes.
const MAX_CHARS: usize = 400;

/// Settings that PgUp and PgDn go over.
const PAGE: usize = 8;

/// The page.
#[derive(Default)]
pub(crate) struct SettingsPage {
    /// Place among the settings.
    cursor: usize,
    /// The field, while a setting is being typed.
    input: Option<Field>,
    /// Why what was typed last was not saved.
    problem: Option<String>,
}

impl SettingsPage {
    /// The chosen setting.
    fn chosen(&self) -> Setting {
        Setting::ALL[self.cursor.min(Setting::ALL.len() - 1)]
    }
}

impl Screen for SettingsPage {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        match self.input {
            Some(_) => vec![KeyPlace::SettingsField, KeyPlace::Typing],
            None => vec![KeyPlace::Settings, KeyPlace::Anywhere],
        }
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let (setting, last) = (self.chosen(), Setting::ALL.len() - 1);
        let save = |value: String| ScreenAnswer::to_do(vec![Effect::SaveSetting(setting, value)]);
        match (action, self.input.as_ref()) {
            (Action::Back, Some(_)) => (self.input, self.problem) = (None, None),
            (Action::Back, None) => return ScreenAnswer::back(),
            (Action::RowBefore, None) => self.cursor = self.cursor.saturating_sub(1),
            (Action::RowAfter, None) => self.cursor = (self.cursor + 1).min(last),
            (Action::First, None) => self.cursor = 0,
            (Action::Last, None) => self.cursor = last,
            (Action::Take, Some(field)) => return save(field.value().to_string()),
            (Action::Take | Action::ValueAfter, None) if setting.is_choice() => return save(setting.next(&state.config)),
            (Action::ValueBefore, None) if setting.is_choice() => return save(setting.before(&state.config)),
            (Action::ScrollUp, None) => self.cursor = self.cursor.saturating_sub(PAGE),
            (Action::ScrollDown, None) => self.cursor = (self.cursor + PAGE).min(last),
            (Action::Take, None) => self.input = Some(Field::of(&setting.shown(&state.config)).taking(MAX_CHARS)),
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn type_in(&mut self, _: &mut State, typed: &Typed<'_>) {
        if let Some(field) = &mut self.input {
            field.take(typed);
        }
    }

    /// A setting was saved, or could not be: then what was typed stays as it is.
    fn hear(&mut self, _: &mut State, heard: &ScreenEvent) -> bool {
        match heard {
            ScreenEvent::SettingSaved => (self.input, self.problem) = (None, None),
            ScreenEvent::SettingNotSaved(why) => self.problem = Some(format!("Not saved: {why}.")),
            ScreenEvent::MethodsSaved
            | ScreenEvent::Policy(_)
            | ScreenEvent::Jobs(..)
            | ScreenEvent::Story(_)
            | ScreenEvent::Where(..)
            | ScreenEvent::Machine(_) => {
                return false;
            }
        }
        true
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "Settings",
            [
                "Who stands for the work, and how does Jurex behave here?",
                "Each setting is checked and saved by itself in config.toml; comments and other keys there stay.",
                "What belongs to a job that has begun stays as it was when it began.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        view::draw(state, self, area, buffer);
    }
}
