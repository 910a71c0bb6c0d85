//! The settings that can be changed from within: each is one key of `config.toml`, whose comments and other keys stay.

use crate::config::{self, Config, ConfigError, ThemeName};
use jurex_sanitize::rules::Edition;
use std::path::PathBuf;
use toml_edit::{Array, DocumentMut, Item, Table, value};

/// A setting.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Setting {
    Bench,
    Organisation,
    Lot,
    Source,
    Of(PersonRole, PersonField),
    Theme,
    Bell,
    Rules,
    HeatLimit,
    SecondLook,
    SampleSpeed,
    Mark,
    LabelPrinter,
    Only,
    Keyboard,
    Zone,
    HardwareClock,
    AfterList,
}

/// What settings belong to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SettingGroup {
    /// Who stands for the work.
    People,
    /// This bench, and how it behaves.
    Bench,
    /// How outcomes are judged and looked at again.
    Rules,
    /// What is printed.
    Papers,
    /// A machine that was started from a medium.
    Machine,
}

impl SettingGroup {
    /// Its heading.
    pub fn heading(self) -> &'static str {
        match self {
            SettingGroup::People => "People",
            SettingGroup::Bench => "Bench",
            SettingGroup::Rules => "Rules",
            SettingGroup::Papers => "Papers",
            SettingGroup::Machine => "Machine (started from a medium)",
        }
    }
}

/// A person who stands for the work.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PersonRole {
    Technician,
    Validator,
}

/// What is told of a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PersonField {
    Name,
    Title,
    Organisation,
    Place,
    Contact,
}

impl Setting {
    /// Every one, in the order of the page, group by group.
    pub const ALL: [Setting; 27] = [
        Setting::Of(PersonRole::Technician, PersonField::Name),
        Setting::Of(PersonRole::Technician, PersonField::Title),
        Setting::Of(PersonRole::Technician, PersonField::Organisation),
        Setting::Of(PersonRole::Technician, PersonField::Place),
        Setting::Of(PersonRole::Technician, PersonField::Contact),
        Setting::Of(PersonRole::Validator, PersonField::Name),
        Setting::Of(PersonRole::Validator, PersonField::Title),
        Setting::Of(PersonRole::Validator, PersonField::Organisation),
        Setting::Of(PersonRole::Validator, PersonField::Place),
        Setting::Of(PersonRole::Validator, PersonField::Contact),
        Setting::Bench,
        Setting::Lot,
        Setting::Source,
        Setting::Only,
        Setting::HeatLimit,
        Setting::SampleSpeed,
        Setting::Bell,
        Setting::Theme,
        Setting::Rules,
        Setting::SecondLook,
        Setting::Mark,
        Setting::Organisation,
        Setting::LabelPrinter,
        Setting::Keyboard,
        Setting::Zone,
        Setting::HardwareClock,
        Setting::AfterList,
    ];

    /// What it belongs to.
    pub fn group(self) -> SettingGroup {
        match self {
            Setting::Of(..) => SettingGroup::People,
            Setting::Bench
            | Setting::Lot
            | Setting::Source
            | Setting::Only
            | Setting::HeatLimit
            | Setting::SampleSpeed
            | Setting::Bell
            | Setting::Theme => SettingGroup::Bench,
            Setting::Rules | Setting::SecondLook | Setting::Mark => SettingGroup::Rules,
            Setting::Organisation | Setting::LabelPrinter => SettingGroup::Papers,
            Setting::Keyboard | Setting::Zone | Setting::HardwareClock | Setting::AfterList => SettingGroup::Machine,
        }
    }

    /// What holds as long as nothing is set.
    pub fn unset(self) -> &'static str {
        match self {
            Setting::Of(_, PersonField::Organisation) => "that of the papers",
            Setting::HeatLimit => "70",
            Setting::SecondLook => "20",
            Setting::LabelPrinter => "none: labels are files",
            Setting::Only => "all drives",
            Setting::Keyboard => "us",
            Setting::Zone => "UTC",
            _ => "not set",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Setting::Of(PersonRole::Technician, PersonField::Name) => "sanitized by",
            Setting::Of(PersonRole::Validator, PersonField::Name) => "validated by",
            Setting::Of(_, PersonField::Title) => "  title",
            Setting::Of(_, PersonField::Organisation) => "  organisation",
            Setting::Of(_, PersonField::Place) => "  place",
            Setting::Of(_, PersonField::Contact) => "  contact",
            Setting::Organisation => "organisation",
            Setting::Lot => "lot",
            Setting::Source => "source of its drives",
            Setting::Bench => "name of the bench",
            Setting::Theme => "look of the screen",
            Setting::Bell => "bell at a job's end",
            Setting::Rules => "rules",
            Setting::HeatLimit => "pauses above, °C",
            Setting::SecondLook => "second checks, %",
            Setting::SampleSpeed => "samples speed",
            Setting::Mark => "leaves erasure tag",
            Setting::LabelPrinter => "printer of labels",
            Setting::Only => "only these drives",
            Setting::Keyboard => "keyboard",
            Setting::Zone => "zone",
            Setting::HardwareClock => "hardware clock",
            Setting::AfterList => "when a list is done",
        }
    }

    /// What it means, in one sentence.
    pub fn about(self) -> &'static str {
        match self {
            Setting::Of(_, PersonField::Organisation) => "Only if it is another than that of the papers.",
            Setting::Of(PersonRole::Technician, _) => "Who erases: stands on every paper of jobs that begin from now on.",
            Setting::Of(PersonRole::Validator, _) => "Who checks the work: stands on every paper of jobs that begin from now on.",
            Setting::Organisation => "The organisation that the papers are in the name of.",
            Setting::Lot => "The lot in work: shown at the top, and on every paper.",
            Setting::Source => "Where the drives of the lot come from.",
            Setting::Bench => "Shown at the top.",
            Setting::Theme => "dark, light or mono.",
            Setting::Bell => "Whether the terminal rings when a job ends.",
            Setting::Rules => "The edition of SP 800-88 that new plans are judged by.",
            Setting::HeatLimit => "A job is paused while its drive is warmer than this; 0: never.",
            Setting::SecondLook => "Of a hundred drives of a lot so many are drawn for a second check; 0: none.",
            Setting::SampleSpeed => "Whether a drive that is to be planned is read for a second, to tell its time.",
            Setting::Mark => {
                "Whether an erasure tag is left in an erased drive's first and last sectors: a page that says what was done."
            }
            Setting::LabelPrinter => {
                "As lp names it, or default for the system's usual one; without one, labels are only written as files."
            }
            Setting::Only => "Names of the drives that may be erased, with blanks between: /dev/sd?, bus:usb, port:*/usb1/*.",
            Setting::Keyboard => {
                "Started from a medium: the keyboard layout, as de or fr; a scanner must be set to the same one."
            }
            Setting::Zone => {
                "Started from a medium: the zone of the times that are shown, as Europe/Lisbon. Records hold universal time."
            }
            Setting::HardwareClock => "Started from a medium: whether the machine's clock shows utc or local time.",
            Setting::AfterList => "Started from a medium: stay, or power-off, when every line of an unattended list is done.",
        }
    }

    /// Whether Enter turns it through a few values instead of opening a field.
    pub fn is_choice(self) -> bool {
        matches!(
            self,
            Setting::Theme
                | Setting::Bell
                | Setting::Rules
                | Setting::SampleSpeed
                | Setting::Mark
                | Setting::HardwareClock
                | Setting::AfterList
        )
    }

    /// Its value as it is shown and typed.
    pub fn shown(self, config: &Config) -> String {
        let yes_no = |on: bool| if on { "yes".to_string() } else { "no".into() };
        match self {
            Setting::Bench => config.bench.clone(),
            Setting::Organisation => config.organisation.clone(),
            Setting::Lot => config.lot.clone(),
            Setting::Source => config.source.clone(),
            Setting::Of(who, what) => {
                let person = if who == PersonRole::Technician { &config.technician } else { &config.validator };
                let text = match what {
                    PersonField::Name => &person.name,
                    PersonField::Title => &person.title,
                    PersonField::Organisation => &person.organisation,
                    PersonField::Place => &person.place,
                    PersonField::Contact => &person.contact,
                };
                text.clone()
            }
            Setting::Theme => config.theme.unwrap_or(ThemeName::Dark).word().into(),
            Setting::Bell => yes_no(config.bell.unwrap_or(true)),
            Setting::Rules => rules_word(config.rules).into(),
            Setting::SecondLook => config.second_look_percent.map(|p| p.to_string()).unwrap_or_default(),
            Setting::HeatLimit => config.hold_above_celsius.map(|c| c.to_string()).unwrap_or_default(),
            Setting::SampleSpeed => yes_no(config.sample_speed.unwrap_or(true)),
            Setting::Mark => yes_no(config.mark),
            Setting::LabelPrinter => config.label_printer.clone().unwrap_or_default(),
            Setting::Only => config.only.join(" "),
            Setting::Keyboard => config.keyboard.clone().unwrap_or_default(),
            Setting::Zone => config.zone.clone().unwrap_or_default(),
            Setting::HardwareClock => config.hardware_clock.word().into(),
            Setting::AfterList => config.after_list.word().into(),
        }
    }

    /// The value that follows the present one, of a choice.
    pub fn next(self, config: &Config) -> String {
        let other = |yes: bool| if yes { "no".to_string() } else { "yes".into() };
        match self {
            Setting::Theme => config.theme.unwrap_or(ThemeName::Dark).next().word().into(),
            Setting::Bell => other(config.bell.unwrap_or(true)),
            Setting::SampleSpeed => other(config.sample_speed.unwrap_or(true)),
            Setting::Mark => other(config.mark),
            Setting::Rules => rules_word(if config.rules == Edition::Rev1 { Edition::Rev2 } else { Edition::Rev1 }).into(),
            Setting::HardwareClock => config.hardware_clock.other().word().into(),
            Setting::AfterList => config.after_list.other().word().into(),
            other => other.shown(config),
        }
    }

    /// The value before the present one, of a choice.
    pub fn before(self, config: &Config) -> String {
        match self {
            // Of three; all others have two.
            Setting::Theme => config.theme.unwrap_or(ThemeName::Dark).next().next().word().into(),
            other => other.next(config),
        }
    }

    /// The table and the key that it has in the file.
    fn key(self) -> (Option<&'static str>, &'static str) {
        match self {
            Setting::Bench => (None, "bench"),
            Setting::Organisation => (None, "organisation"),
            Setting::Lot => (None, "lot"),
            Setting::Source => (None, "source"),
            Setting::Of(who, what) => {
                let table = if who == PersonRole::Technician { "technician" } else { "validator" };
                let key = match what {
                    PersonField::Name => "name",
                    PersonField::Title => "title",
                    PersonField::Organisation => "organisation",
                    PersonField::Place => "place",
                    PersonField::Contact => "contact",
                };
                (Some(table), key)
            }
            Setting::Theme => (None, "theme"),
            Setting::Bell => (None, "bell"),
            Setting::Rules => (None, "rules"),
            Setting::SecondLook => (None, "second_look_percent"),
            Setting::HeatLimit => (None, "hold_above_celsius"),
            Setting::SampleSpeed => (None, "sample_speed"),
            Setting::Mark => (None, "mark"),
            Setting::LabelPrinter => (None, "label_printer"),
            Setting::Only => (None, "only"),
            Setting::Keyboard => (None, "keyboard"),
            Setting::Zone => (None, "zone"),
            Setting::HardwareClock => (None, "hardware_clock"),
            Setting::AfterList => (None, "after_list"),
        }
    }

    /// The value for the file; `None`: the key is left out.
    fn item(self, text: &str) -> Result<Option<Item>, ConfigError> {
        let text = text.trim();
        Ok(match self {
            _ if text.is_empty() => None,
            Setting::Bell | Setting::SampleSpeed | Setting::Mark => Some(value(text == "yes")),
            Setting::HeatLimit | Setting::SecondLook => {
                let limit: i64 = text.parse().map_err(|_| ConfigError::NoNumber(text.into()))?;
                Some(value(limit))
            }
            Setting::Only => Some(value(text.split_whitespace().collect::<Array>())),
            _ => Some(value(text)),
        })
    }
}

fn rules_word(edition: Edition) -> &'static str {
    match edition {
        Edition::Rev1 => "rev1",
        Edition::Rev2 => "rev2",
    }
}

/// The file that settings are saved in.
#[derive(Clone, Debug)]
pub struct SettingsFile {
    pub path: PathBuf,
    /// What stands in it before it is there.
    pub at_first: &'static str,
}

/// Changes one setting of the file, and gives the whole configuration as it is then. Comments and all other keys stay. What
/// would not be read again is not written.
///
/// # Errors
/// The file can't be read or written, is not TOML, or would be wrong; it is then as it was before.
pub fn save(to: &SettingsFile, setting: Setting, text: &str) -> Result<Config, ConfigError> {
    let item = setting.item(text)?;
    config::edit(&to.path, to.at_first, |document| {
        put(document, setting.key(), item);
        Ok(Config::of_text(&document.to_string())?.beside(&to.path))
    })
}

fn put(document: &mut DocumentMut, (table, key): (Option<&str>, &str), item: Option<Item>) {
    let table = match table {
        None => document.as_table_mut(),
        Some(name) => {
            let inner = document.entry(name).or_insert_with(|| Item::Table(Table::new()));
            match inner.as_table_mut() {
                Some(table) => table,
                // `technician = { name = … }` on one line: it becomes a table of its own.
                None => {
                    *inner = inner
                        .as_inline_table()
                        .map_or_else(|| Item::Table(Table::new()), |t| Item::Table(t.clone().into_table()));
                    inner.as_table_mut().expect("it was made a table right here")
                }
            }
        }
    };
    match item {
        // The comment after a value stays with its key.
        Some(new) => match (table.get_mut(key).and_then(Item::as_value_mut), new.as_value()) {
            (Some(old), Some(value)) => {
                let decor = old.decor().clone();
                *old = value.clone();
                *old.decor_mut() = decor;
            }
            _ => {
                table.insert(key, new);
            }
        },
        None => {
            table.remove(key);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_setting_is_changed_in_place_and_everything_else_stays() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("config.toml");
        let file = SettingsFile { path: path.clone(), at_first: "" };
        let text = "# Bench by the window\nlot = \"BW-0411\" # the spring lot\ntechnician = { name = \"Ines\" }\n\n[[method]]\n\
                    name = \"quay\"\ntitle = \"Quay\"\npasses = \"00?\"\n";
        std::fs::write(&path, text).unwrap();
        let config = save(&file, Setting::Lot, "BW-0417").unwrap();
        assert_eq!((config.lot.as_str(), config.methods.len()), ("BW-0417", 1));
        let config = save(&file, Setting::Of(PersonRole::Technician, PersonField::Title), "media technician").unwrap();
        assert_eq!((config.technician.name.as_str(), config.technician.title.as_str()), ("Ines", "media technician"));
        save(&file, Setting::Bell, "no").unwrap();
        save(&file, Setting::Only, "/dev/sd? bus:usb").unwrap();
        let now = std::fs::read_to_string(&path).unwrap();
        assert!(now.contains("# Bench by the window") && now.contains("\"BW-0417\" # the spring lot"), "{now}");
        assert!(now.contains("bell = false") && now.contains("only = [\"/dev/sd?\", \"bus:usb\"]"), "{now}");
        for (setting, wrong) in
            [(Setting::HeatLimit, "warm"), (Setting::HeatLimit, "900"), (Setting::SecondLook, "101"), (Setting::Only, "sdb")]
        {
            assert!(save(&file, setting, wrong).is_err(), "{wrong}");
            assert_eq!(std::fs::read_to_string(&path).unwrap(), now, "what is wrong changes nothing");
        }
        let config = save(&file, Setting::Only, " ").unwrap();
        assert!(config.only.is_empty() && !std::fs::read_to_string(&path).unwrap().contains("only"));
    }

    #[test]
    fn every_setting_is_read_back_as_it_was_typed() {
        let dir = tempfile::tempdir().unwrap();
        let file = SettingsFile { path: dir.path().join("new/config.toml"), at_first: "" };
        for setting in Setting::ALL {
            let before = Config::default();
            let typed = match setting {
                Setting::HeatLimit | Setting::SecondLook => "55".to_string(),
                Setting::Only => "bus:usb".into(),
                Setting::Keyboard => "de-ch".into(),
                Setting::Zone => "Europe/Lisbon".into(),
                s if s.is_choice() => s.next(&before),
                _ => "Tern Quay".into(),
            };
            let config = save(&file, setting, &typed).unwrap();
            assert_eq!(setting.shown(&config), typed, "{setting:?}");
        }
    }
}
