//! The configuration file: who works here, and how the screen looks. Everything in it may be left out.

use crate::disk::{read_plain, replace};
use crate::exit::Failure;
use jurex_device::media::Bus;
use jurex_documents::LabelSize;
use jurex_notice::Ways;
use jurex_pattern::method::{Catalogue, Method};
use jurex_sanitize::record::{Papers, Person, SecondLook};
use jurex_sanitize::rules::Edition;
use serde::Deserialize;
use std::path::{Path, PathBuf};
use toml_edit::DocumentMut;

/// `config.toml`.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Config {
    /// `dark`, `light` or `mono`.
    pub theme: Option<ThemeName>,
    /// Only drives that one of these names may be erased: path patterns (`/dev/sd?`), `bus:usb`, `port:*/usb1/1-2/*`. Not
    /// simulated ones.
    pub only: Vec<String>,
    /// The edition that outcomes are judged by: `rev1` or `rev2`.
    pub rules: Edition,
    /// Whether a drive's speed is sampled by reading when it is planned (true, unless said otherwise).
    pub sample_speed: Option<bool>,
    /// Above this temperature in degrees Celsius a job holds until the drive has cooled down; 0: never.
    pub hold_above_celsius: Option<i16>,
    /// Of a hundred drives of a lot, those that are drawn for a second check (20, unless said otherwise; 0: none).
    pub second_look_percent: Option<u8>,
    /// A file with the passphrase of the key that signs, where nobody can be asked for it.
    pub key_passphrase_file: Option<PathBuf>,
    /// A certificate of the organisation, PEM or PKCS#12: papers are signed with it so that PDF readers show that.
    pub pdf_certificate: Option<PathBuf>,
    /// Its private key in PEM, where that is not in the same file.
    pub pdf_key: Option<PathBuf>,
    /// A file with the passphrase of that key, if it is shut.
    pub pdf_passphrase_file: Option<PathBuf>,
    /// A file on another medium that is to hold the newest signed head of the ledger.
    pub head_file: Option<PathBuf>,
    /// Who elsewhere is told of ends and needs, and how: `[notice.mail]`, `[notice.webhook]`.
    pub notice: Ways,
    /// Whether a mark is left on drives that are erased as a whole (false, unless said otherwise).
    pub mark: bool,
    /// What labels are printed on: `62x29`, `89x36`, `a4-21` or `a4-24` (62x29, unless said otherwise).
    pub label_size: Option<LabelSize>,
    /// The printer that labels go to from the interface, as `lp` names it; `default`: the system's usual one. Not named: files only.
    pub label_printer: Option<String>,
    /// On a start medium: the keyboard layout (us, unless said otherwise).
    pub keyboard: Option<String>,
    /// On a start medium: the zone of the times that are shown, as Europe/Lisbon (UTC, unless said otherwise).
    pub zone: Option<String>,
    /// On a start medium: whether the hardware clock shows universal time (`utc`, unless said otherwise) or that of its zone (`local`).
    pub hardware_clock: HardwareClock,
    /// On a start medium: what becomes of the machine when a list is done (`stay`, unless said otherwise; `power-off`).
    pub after_list: AfterList,
    /// Whether the terminal rings and tells when a job ends (true, unless said otherwise).
    pub bell: Option<bool>,
    /// Methods of one's own, each a `[[method]]` with `name`, `title`, `passes` and perhaps `remark`.
    #[serde(rename = "method")]
    pub methods: Vec<Method>,
    /// Name of the bench, shown at the top.
    pub bench: String,
    /// Organisation, as printed.
    pub organisation: String,
    /// The lot in work.
    pub lot: String,
    /// Where its drives come from.
    pub source: String,
    /// Who sanitizes.
    pub technician: Person,
    /// Who validates.
    pub validator: Person,
}

/// How the screen looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, clap::ValueEnum)]
#[serde(rename_all = "lowercase")]
pub enum ThemeName {
    /// Light letters on a dark ground.
    Dark,
    /// Dark letters on a light ground.
    Light,
    /// No colours.
    Mono,
}

/// What the hardware clock shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum HardwareClock {
    /// Universal time.
    #[default]
    Utc,
    /// The time of the machine's zone.
    Local,
}

/// What becomes of the machine when a list is done.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum AfterList {
    /// It waits for a person.
    #[default]
    Stay,
    /// It switches itself off.
    PowerOff,
}

impl HardwareClock {
    /// Its word in the file.
    pub fn word(self) -> &'static str {
        match self {
            HardwareClock::Utc => "utc",
            HardwareClock::Local => "local",
        }
    }

    /// The other one.
    pub fn other(self) -> Self {
        match self {
            HardwareClock::Utc => HardwareClock::Local,
            HardwareClock::Local => HardwareClock::Utc,
        }
    }
}

impl AfterList {
    /// Its word in the file.
    pub fn word(self) -> &'static str {
        match self {
            AfterList::Stay => "stay",
            AfterList::PowerOff => "power-off",
        }
    }

    /// The other one.
    pub fn other(self) -> Self {
        match self {
            AfterList::Stay => AfterList::PowerOff,
            AfterList::PowerOff => AfterList::Stay,
        }
    }
}

impl ThemeName {
    /// The next one, in a circle.
    pub fn next(self) -> Self {
        match self {
            ThemeName::Dark => ThemeName::Light,
            ThemeName::Light => ThemeName::Mono,
            ThemeName::Mono => ThemeName::Dark,
        }
    }

    /// Its word in the file.
    pub fn word(self) -> &'static str {
        match self {
            ThemeName::Dark => "dark",
            ThemeName::Light => "light",
            ThemeName::Mono => "mono",
        }
    }
}

impl Config {
    /// Reads the file; a missing one is an empty one.
    pub fn read(path: &Path) -> Result<Self, Failure> {
        let unreadable = |e| Failure::Use(format!("cannot read the configuration {}: {e}", path.display()));
        let read = || read_plain(path, MAX_MIB).and_then(|bytes| String::from_utf8(bytes).map_err(std::io::Error::other));
        let text = match read() {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Self::default()),
            Err(e) => return Err(unreadable(e)),
        };
        let wrong = |e: ConfigError| Failure::Use(format!("the configuration {} is wrong: {e}", path.display()));
        Self::of_text(&text).map_err(wrong).map(|config| config.beside(path))
    }

    /// The same with paths that are not absolute in the folder of that file: where it was started from changes nothing.
    #[must_use]
    pub fn beside(mut self, file: &Path) -> Self {
        let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let own = [
            &mut self.key_passphrase_file,
            &mut self.pdf_certificate,
            &mut self.pdf_key,
            &mut self.pdf_passphrase_file,
            &mut self.head_file,
        ];
        own.into_iter().flatten().for_each(|path| *path = folder.join(&*path));
        self.notice.beside(folder);
        self
    }

    /// The configuration that a text is.
    ///
    /// # Errors
    /// What is wrong with it, and where.
    pub fn of_text(text: &str) -> Result<Self, ConfigError> {
        let config: Self = toml::from_str(text)?;
        config.check(text)?;
        Ok(config)
    }

    /// What TOML alone does not see.
    fn check(&self, text: &str) -> Result<(), ConfigError> {
        let has_only = text.parse::<DocumentMut>().is_ok_and(|d| d.contains_key("only"));
        if has_only && self.only.is_empty() {
            return Err(ConfigError::OnlyNothing);
        }
        for name in &self.only {
            check_only(name)?;
        }
        let names = [("keyboard", &self.keyboard), ("zone", &self.zone)];
        for (key, name) in names.into_iter().filter_map(|(key, name)| Some((key, name.as_deref()?))) {
            // The first process of a medium reads them too, and takes no other signs.
            if name.is_empty() || !name.chars().all(|c| c.is_ascii_alphanumeric() || "_+/-".contains(c)) {
                return Err(ConfigError::NoName(key, jurex_pattern::text::printable(name.as_bytes())));
            }
        }
        if let Some(percent) = self.second_look_percent.filter(|p| *p > 100) {
            return Err(ConfigError::NoShare(percent));
        }
        if let Some(limit) = self.hold_above_celsius.filter(|c| !(0..=120).contains(c)) {
            return Err(ConfigError::NoTemperature(limit));
        }
        if self.methods.len() > MAX_METHODS {
            return Err(ConfigError::TooManyMethods(self.methods.len()));
        }
        let of_people = [&self.technician, &self.validator].into_iter().flat_map(|p| p.texts());
        let texts = [&self.bench, &self.organisation, &self.lot, &self.source];
        if let Some(long) = of_people.chain(texts).find(|t| t.chars().count() > MAX_CHARS) {
            let shown = jurex_pattern::text::shorten(&jurex_pattern::text::printable(long.as_bytes()), 40);
            return Err(ConfigError::TooLong(shown));
        }
        Ok(())
    }

    /// How jobs are worked.
    pub fn habits(&self) -> JobDefaults {
        /// Warmer than drives are made for.
        const WARM: i16 = 70;
        let hold_above = Some(self.hold_above_celsius.unwrap_or(WARM)).filter(|limit| *limit > 0);
        JobDefaults { hold_above, second_percent: self.second_look_percent.unwrap_or(SecondLook::USUAL_PERCENT) }
    }

    /// What labels are printed on.
    pub fn label_size(&self) -> LabelSize {
        self.label_size.unwrap_or(LabelSize::Tape62x29)
    }

    /// The library and the methods of one's own.
    pub fn catalogue(&self) -> Result<Catalogue, Failure> {
        Catalogue::with(&self.methods).map_err(|e| Failure::Use(format!("the configuration's methods are wrong: {e}")))
    }

    /// The configuration of the demonstration.
    ///
    /// # Panics
    /// Never: a test reads it.
    pub fn demo() -> Self {
        Self::of_text(DEMO).expect("the demonstration's configuration is right")
    }

    /// The papers that a new job begins with.
    pub fn papers(&self) -> Papers {
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

/// The demonstration's configuration, as a file would hold it.
pub const DEMO: &str = r#"# The demonstration's settings: nothing here is used for real work.
bench = "Bench 2, Tern Quay workshop"
organisation = "Brackwater Weather Service"
lot = "BW-0417"
source = "Skerry Point station"

[technician]
name = "Ines Okafor-Lindqvist"
title = "media technician"
place = "Tern Quay workshop"
contact = "extension 214"

[validator]
name = "Tomasz Averill"
title = "records officer"
place = "Tern Quay workshop"
contact = "extension 207"
"#;

/// Longest text that a certificate has room for.
const MAX_CHARS: usize = 400;
/// Most methods of one's own.
const MAX_METHODS: usize = 1000;
/// Largest configuration file in mebibytes.
const MAX_MIB: u64 = 1;

/// What is wrong with a configuration, or why its file could not be changed.
#[derive(Debug, thiserror::Error)]
pub enum ConfigError {
    #[error("cannot read {}: {source}", file.display())]
    Read { file: PathBuf, source: std::io::Error },
    #[error("{} is not TOML, nothing was saved: {source}", file.display())]
    NotToml { file: PathBuf, source: toml_edit::TomlError },
    #[error("cannot write {}, it is as it was: {source}", file.display())]
    Write { file: PathBuf, source: std::io::Error },
    /// A key that is not known, or a value of another kind; the text names the line.
    #[error(transparent)]
    Wrong(#[from] toml::de::Error),
    #[error("the methods could not be written: {0}")]
    Methods(#[source] toml_edit::TomlError),
    #[error("`only` is empty, so that no drive may be erased: name drives in it, or leave it out")]
    OnlyNothing,
    #[error("`{0}` in `only` names no bus: they are {buses}", buses = Bus::ALL.map(Bus::word).join(", "))]
    NoBus(String),
    #[error("`{0}` in `only` is no path (/dev/sd?), no `bus:` and no `port:`")]
    NoDrive(String),
    #[error("`{0} = \"{1}\"` is no name of one: letters, digits, and _ + / -")]
    NoName(&'static str, String),
    /// The machine does not take it.
    #[error("{0}")]
    Machine(String),
    #[error("`second_look_percent = {0}` is no part of a hundred: 0 to 100")]
    NoShare(u8),
    #[error("`hold_above_celsius = {0}` is no temperature to hold a drive at: 1 to 120, or 0 for never")]
    NoTemperature(i16),
    #[error("`{0}` is no whole number of degrees")]
    NoNumber(String),
    #[error("{0} methods are too many: it may hold {MAX_METHODS}")]
    TooManyMethods(usize),
    #[error("\"{0}\" is longer than the {MAX_CHARS} characters that fit on a certificate")]
    TooLong(String),
}

/// Changes the configuration file by `change`; comments and all other keys stay. Of a file that is not there yet the text is
/// `at_first`. Gives what `change` gives.
///
/// # Errors
/// The file can't be read or written, or is not TOML, or what `change` objects to; it is then as it was before.
pub fn edit<T>(
    file: &Path,
    at_first: &str,
    change: impl FnOnce(&mut DocumentMut) -> Result<T, ConfigError>,
) -> Result<T, ConfigError> {
    let text = match crate::disk::read_small(file, 4 << 20) {
        Ok(text) => text,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => at_first.into(),
        Err(source) => return Err(ConfigError::Read { file: file.into(), source }),
    };
    let mut document: DocumentMut = text.parse().map_err(|source| ConfigError::NotToml { file: file.into(), source })?;
    let changed = change(&mut document)?;
    replace(file, &document.to_string()).map_err(|source| ConfigError::Write { file: file.into(), source })?;
    Ok(changed)
}

/// A name of the `only` list: `bus:` and a known word, `port:` and a pattern, or a path.
fn check_only(name: &str) -> Result<(), ConfigError> {
    let shown = jurex_pattern::text::printable(name.as_bytes());
    match name.split_once(':') {
        Some(("bus", word)) if Bus::ALL.iter().any(|b| b.word().eq_ignore_ascii_case(word)) => Ok(()),
        Some(("bus", _)) => Err(ConfigError::NoBus(shown)),
        Some(("port", pattern)) if !pattern.is_empty() => Ok(()),
        _ if name.starts_with('/') || name.starts_with('*') => Ok(()),
        _ => Err(ConfigError::NoDrive(shown)),
    }
}

/// What the settings say of every job.
#[derive(Clone, Copy, Debug)]
pub struct JobDefaults {
    /// Above this temperature in degrees Celsius the job holds.
    pub hold_above: Option<i16>,
    /// Of a hundred drives of a lot, those that are drawn for a second check.
    pub second_percent: u8,
}

impl JobDefaults {
    /// What the ledger notes of them.
    pub fn sentence(self) -> String {
        let hold = self.hold_above.map_or("Jobs hold at no temperature".to_string(), |c| format!("Jobs hold above {c} °C"));
        format!("{hold}; of a hundred drives of a lot {} are drawn for a second check.", self.second_percent)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_in_the_configuration_is_beside_its_file_wherever_one_stands() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("config.toml");
        let text = "head_file = \"heads/newest\"\npdf_key = \"/etc/keys/pdf.pem\"\n[notice.webhook]\nurl = \"https://x.example\"\n\
                    secret_file = \"hook.secret\"\n";
        std::fs::write(&file, text).unwrap();
        let config = Config::read(&file).unwrap();
        assert_eq!(config.head_file, Some(dir.path().join("heads/newest")));
        assert_eq!(config.pdf_key, Some("/etc/keys/pdf.pem".into()));
        assert_eq!(config.notice.webhook.unwrap().secret_file, Some(dir.path().join("hook.secret")));
    }

    #[test]
    fn what_toml_takes_and_nobody_can_mean_is_refused() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("config.toml");
        let read = |text: &str| {
            std::fs::write(&path, text).unwrap();
            Config::read(&path).map(|_| ()).map_err(|e| e.to_string())
        };
        for (text, says) in [
            ("only = []", "is empty"),
            ("only = [\"bus:usbb\"]", "names no bus"),
            ("only = [\"sdb\"]", "no path"),
            ("hold_above_celsius = -5", "no temperature"),
            ("second_look_percent = 101", "no part of a hundred"),
            ("zone = \"Europe/Lisbon; reboot\"", "no name"),
        ] {
            let said = read(text).unwrap_err();
            assert!(said.contains(says), "{said}");
        }
        let long = format!("organisation = \"{}\"", "x".repeat(3_000));
        assert!(read(&long).unwrap_err().contains("certificate"));
        assert!(read("only = [\"bus:USB\", \"/dev/sd?\", \"port:*/usb1/1-2/*\"]\nhold_above_celsius = 0").is_ok());
        let pipe = dir.path().join("pipe.toml");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        assert!(Config::read(&pipe).unwrap_err().to_string().contains("no plain file"), "a pipe must not hang");
    }

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
