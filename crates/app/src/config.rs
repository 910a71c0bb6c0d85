//! The configuration file: who works here, and how the screen looks. Everything in it may be left out.

use crate::exit::Failure;
use jurex_core::method::{Catalogue, Method};
use jurex_core::record::{Papers, Person};
use jurex_core::rules::Edition;
use serde::Deserialize;
use std::path::Path;

/// `config.toml`.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct Config {
    /// `dark`, `light` or `mono`.
    pub(crate) theme: Option<ThemeName>,
    /// Only drives that one of these names may be erased: path patterns (`/dev/sd?`), `bus:usb`, `port:*/usb1/1-2/*`.
    pub(crate) only: Vec<String>,
    /// The edition that outcomes are judged by: `rev1` or `rev2`.
    pub(crate) rules: Edition,
    /// Whether a drive's speed is sampled by reading when it is planned (true, unless said otherwise).
    pub(crate) sample_speed: Option<bool>,
    /// Above this temperature in degrees Celsius a job holds until the drive has cooled down; 0: never.
    pub(crate) hold_above_celsius: Option<i16>,
    /// Whether the terminal rings and tells when a job ends (true, unless said otherwise).
    pub(crate) bell: Option<bool>,
    /// Methods of one's own, each a `[[method]]` with `name`, `title`, `passes` and perhaps `remark`.
    #[serde(rename = "method")]
    pub(crate) methods: Vec<Method>,
    /// Name of the bench, shown at the top.
    pub(crate) bench: String,
    /// Organisation, as printed.
    pub(crate) organisation: String,
    /// The lot in work.
    pub(crate) lot: String,
    /// Where its drives come from.
    pub(crate) source: String,
    /// Who sanitizes.
    pub(crate) technician: Person,
    /// Who validates.
    pub(crate) validator: Person,
}

/// How the screen looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, clap::ValueEnum)]
#[serde(rename_all = "lowercase")]
pub(crate) enum ThemeName {
    /// Light letters on a dark ground.
    Dark,
    /// Dark letters on a light ground.
    Light,
    /// No colours.
    Mono,
}

impl Config {
    /// Reads the file; a missing one is an empty one.
    pub(crate) fn read(path: &Path) -> Result<Self, Failure> {
        let text = match std::fs::read_to_string(path) {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Self::default()),
            Err(e) => return Err(Failure::Use(format!("cannot read the configuration {}: {e}", path.display()))),
        };
        let wrong = |e: toml::de::Error| Failure::Use(format!("the configuration {} is wrong: {e}", path.display()));
        toml::from_str(&text).map_err(wrong)
    }

    /// The temperature above which a job holds.
    pub(crate) fn hold_above(&self) -> Option<i16> {
        /// Warmer than drives are made for.
        const USUAL: i16 = 70;
        Some(self.hold_above_celsius.unwrap_or(USUAL)).filter(|limit| *limit > 0)
    }

    /// The library and the methods of one's own.
    pub(crate) fn catalogue(&self) -> Result<Catalogue, Failure> {
        Catalogue::with(&self.methods).map_err(|e| Failure::Use(format!("the configuration's methods are wrong: {e}")))
    }

    /// The configuration of the demonstration.
    pub(crate) fn demo() -> Self {
        let person = |name: &str, title: &str, contact: &str| Person {
            name: name.into(),
            title: title.into(),
            place: "Tern Quay workshop".into(),
            contact: contact.into(),
        };
        Self {
            rules: Edition::default(),
            sample_speed: None,
            hold_above_celsius: None,
            bell: None,
            methods: vec![],
            theme: None,
            only: vec![],
            bench: "Bench 2, Tern Quay workshop".into(),
            organisation: "Brackwater Weather Service".into(),
            lot: "BW-0417".into(),
            source: "Skerry Point station".into(),
            technician: person("Ines Okafor-Lindqvist", "media technician", "extension 214"),
            validator: person("Tomasz Averill", "records officer", "extension 207"),
        }
    }

    /// The papers that a new job begins with.
    pub(crate) fn papers(&self) -> Papers {
        Papers {
            organisation: self.organisation.clone(),
            lot: self.lot.clone(),
            source: self.source.clone(),
            technician: self.technician.clone(),
            validator: self.validator.clone(),
            ..Papers::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mistake_is_named_with_its_line() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("config.toml");
        assert!(Config::read(&path).is_ok(), "a missing file is an empty one");
        std::fs::write(&path, "bench = \"2\"\ncolour = \"dark\"\n").unwrap();
        let said = Config::read(&path).unwrap_err().to_string();
        assert!(said.contains("line 2") && said.contains("colour"), "{said}");
    }
}
