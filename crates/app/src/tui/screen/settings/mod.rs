//! The settings page: who stands for the work, and how the program behaves. Each is checked and saved by itself.

pub(in crate::tui) mod view;

use crate::config::Config;
use crate::settings::Setting;
use crate::tui::action::Action;
use crate::tui::state::{App, Command, Page};
use crate::tui::widget::field::Field;
use jurex_core::record::Papers;
use jurex_core::text::capital;

/// Longest value that a setting's field takes.
const MOST_CHARS: usize = 400;

/// The page.
#[derive(Default)]
pub(crate) struct SettingsPage {
    /// Place among the settings.
    pub(crate) cursor: usize,
    /// The field, while a setting is being typed.
    pub(crate) input: Option<Field>,
    /// Why what was typed last was not saved.
    pub(crate) problem: Option<String>,
}

impl SettingsPage {
    /// The chosen setting.
    pub(crate) fn chosen(&self) -> Setting {
        Setting::ALL[self.cursor.min(Setting::ALL.len() - 1)]
    }
}

impl App {
    pub(in crate::tui) fn open_settings(&mut self) {
        self.page = Page::Settings(SettingsPage::default());
    }

    pub(in crate::tui) fn perform_on_settings(&mut self, action: Action) -> Vec<Command> {
        let Page::Settings(page) = &mut self.page else { return vec![] };
        let (setting, last) = (page.chosen(), Setting::ALL.len() - 1);
        match (action, page.input.as_ref()) {
            (Action::Back, Some(_)) => (page.input, page.problem) = (None, None),
            (Action::Back, None) => self.page = Page::Bench,
            (Action::RowBefore, None) => page.cursor = page.cursor.saturating_sub(1),
            (Action::RowAfter, None) => page.cursor = (page.cursor + 1).min(last),
            (Action::Take, Some(field)) => return vec![Command::SaveSetting(setting, field.value().to_string())],
            (Action::Take, None) if setting.is_choice() => {
                return vec![Command::SaveSetting(setting, setting.next(&self.config))];
            }
            (Action::Take, None) => page.input = Some(Field::of(&setting.shown(&self.config)).taking(MOST_CHARS)),
            _ => {}
        }
        vec![]
    }

    /// A setting was saved, or could not be: then what was typed stays as it is.
    pub(in crate::tui) fn setting_saved(&mut self, saved: Result<Box<Config>, String>) {
        let page = if let Page::Settings(page) = &mut self.page { Some(page) } else { None };
        match (saved, page) {
            (Ok(config), page) => {
                if let Some(page) = page {
                    (page.input, page.problem) = (None, None);
                }
                self.take_config(*config);
            }
            (Err(why), Some(page)) => page.problem = Some(format!("Not saved: {why}.")),
            (Err(why), None) => self.notice = Some(format!("{}.", capital(&why))),
        }
    }

    /// The settings hold from now on; what belongs to a job that has begun stays as it was.
    fn take_config(&mut self, config: Config) {
        if let Some(theme) = config.theme {
            self.theme = self.theme.named(theme);
        }
        let (papers, edition) = (config.papers(), config.rules);
        for lane in self.lanes.iter_mut().filter(|l| l.work.is_none()) {
            // What the person has answered already stays.
            lane.papers = Papers { backup: lane.papers.backup, ..papers.clone() };
            if lane.draft.order.edition != edition {
                lane.draft.order.edition = edition;
                lane.plan = None;
            }
        }
        self.config = config;
    }
}
