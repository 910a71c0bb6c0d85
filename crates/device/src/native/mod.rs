//! What drives say of themselves in their own languages: decoding of answers and the bytes of the commands that ask.
//!
//! Only bytes in, values out. Sending them is the operating system's crate's work. Nothing that a drive says is
//! trusted: pages may be short, garbage, or lies; every parser either gives checked values or says what is wrong.

pub mod ata;
pub mod command;
pub mod mmc;
pub mod nvme;
pub mod scsi;
pub mod tcg;

use crate::media::Protocol;
use crate::technique::{Family, Technique};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A page that can't be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PageError {
    /// Fewer bytes than the page has.
    #[error("the answer has {found} bytes, its page needs {needed}")]
    Short {
        /// What came.
        found: usize,
        /// What is needed.
        needed: usize,
    },
    /// The page's own checksum is wrong.
    #[error("the answer's checksum is wrong")]
    Checksum,
    /// It is another page than the one asked for.
    #[error("the answer is another page than the one asked for")]
    OtherPage,
    /// Nothing but one byte over and over.
    #[error("the answer is empty")]
    Empty,
}

pub(crate) fn need(page: &[u8], needed: usize) -> Result<(), PageError> {
    let Some(answer) = page.get(..needed) else { return Err(PageError::Short { found: page.len(), needed }) };
    if answer.iter().all(|b| *b == page[0]) { Err(PageError::Empty) } else { Ok(()) }
}

/// The descriptors of SCSI sense data in descriptor format (SPC-5, 4.4.2), each with its type and length before it. The last may
/// be cut short.
pub(crate) fn sense_descriptors(sense: &[u8]) -> impl Iterator<Item = &[u8]> {
    let mut rest = sense.get(8..).unwrap_or_default();
    std::iter::from_fn(move || {
        let [_, length, ..] = *rest else { return None };
        let (descriptor, after) = rest.split_at(rest.len().min(usize::from(length) + 2));
        rest = after;
        Some(descriptor)
    })
}

/// A text field; `None` if nothing printable is in it.
pub fn text_field(raw: &[u8]) -> Option<String> {
    let end = raw.iter().position(|b| *b == 0).unwrap_or(raw.len());
    Some(jurex_pattern::text::printable(&raw[..end])).filter(|t| !t.is_empty())
}

/// Age and health, as far as the drive tells. `None`: it does not tell.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Health {
    /// Hours under power.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub power_on_hours: Option<u64>,
    /// Sectors that were replaced by spare ones.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub reallocated: Option<u64>,
    /// Sectors that wait for replacement.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub pending: Option<u64>,
    /// Share of the promised life that is used, in percent; may exceed 100.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub wear_percent: Option<u8>,
    /// Temperature in degrees Celsius.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub celsius: Option<i16>,
    /// Whether these are numbers whose meaning each maker chooses, and no standard fixes.
    #[serde(default)]
    pub by_makers_count: bool,
}

impl Health {
    /// Whether it reports that all of its promised life is used.
    pub fn is_worn_out(&self) -> bool {
        self.wear_percent.is_some_and(|percent| percent >= 100)
    }

    /// Each thing that is known, in words.
    pub fn sentences(&self) -> Vec<String> {
        let said = |value: Option<u64>, words: &dyn Fn(u64) -> String| value.map(words);
        let anything = self.power_on_hours.or(self.reallocated).or(self.pending).is_some() || self.wear_percent.is_some();
        [
            said(self.power_on_hours, &|h| format!("{} under power", hours(h))),
            said(self.reallocated, &|n| format!("{} replaced", jurex_pattern::units::counted(n, "sector"))),
            said(self.pending, &|n| format!("{} waiting for replacement", jurex_pattern::units::counted(n, "sector"))),
            self.wear_percent.map(|p| format!("{p} % of its promised life used")),
            self.celsius.map(|c| format!("{c} °C")),
            (self.by_makers_count && anything).then(|| "by the maker's own count".into()),
        ]
        .into_iter()
        .flatten()
        .collect()
    }
}

/// Hours as people count them: `1 year 53 days (10 032 h)`.
fn hours(hours: u64) -> String {
    let (years, days) = (hours / 8760, hours / 24 % 365);
    let counted = jurex_pattern::units::counted;
    match (years, days) {
        (0, 0) => counted(hours, "hour"),
        (0, days) => format!("{} ({} h)", counted(days, "day"), jurex_pattern::units::grouped(hours)),
        (years, days) => {
            format!("{} {} ({} h)", counted(years, "year"), counted(days, "day"), jurex_pattern::units::grouped(hours))
        }
    }
}

/// An erase command that the drive itself says it has.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NativeErase {
    /// SANITIZE, block erase.
    SanitizeBlock,
    /// SANITIZE, overwrite.
    SanitizeOverwrite,
    /// SANITIZE, cryptographic.
    SanitizeCrypto,
    /// ATA SECURITY ERASE UNIT.
    SecurityErase,
    /// ATA SECURITY ERASE UNIT, enhanced.
    SecurityEraseEnhanced,
    /// NVMe Format NVM with user data erase.
    Format,
    /// NVMe Format NVM with cryptographic erase.
    FormatCrypto,
    /// eMMC erase, then SANITIZE_START.
    MmcSanitize,
    /// eMMC secure erase alone.
    MmcSecureErase,
    /// SD erase.
    SdErase,
    /// TCG Opal revert by PSID.
    TcgRevert,
    /// TCG Opal, a new key for every range, by the password of Admin1.
    TcgKeyChange,
}

impl NativeErase {
    /// Its name in the standard's words.
    pub fn name(self) -> &'static str {
        match self {
            NativeErase::SanitizeBlock => "SANITIZE block erase",
            NativeErase::SanitizeOverwrite => "SANITIZE overwrite",
            NativeErase::SanitizeCrypto => "SANITIZE crypto erase",
            NativeErase::SecurityErase => "SECURITY ERASE UNIT",
            NativeErase::SecurityEraseEnhanced => "SECURITY ERASE UNIT, enhanced",
            NativeErase::Format => "Format NVM with user data erase",
            NativeErase::FormatCrypto => "Format NVM with crypto erase",
            NativeErase::MmcSanitize => "erase and SANITIZE_START",
            NativeErase::MmcSecureErase => "secure erase (CMD38)",
            NativeErase::SdErase => "SD erase",
            NativeErase::TcgRevert => "TCG revert by PSID",
            NativeErase::TcgKeyChange => "TCG key change",
        }
    }

    /// The technique that it is in the rules.
    pub fn technique(self) -> Technique {
        match self {
            NativeErase::SanitizeBlock => Technique::SanitizeBlock,
            NativeErase::SanitizeOverwrite => Technique::SanitizeOverwrite,
            NativeErase::SanitizeCrypto => Technique::SanitizeCrypto,
            NativeErase::SecurityErase => Technique::SecurityErase,
            NativeErase::SecurityEraseEnhanced => Technique::SecurityEraseEnhanced,
            NativeErase::Format => Technique::Format,
            NativeErase::FormatCrypto => Technique::FormatCrypto,
            NativeErase::MmcSanitize => Technique::MmcSanitize,
            NativeErase::MmcSecureErase => Technique::MmcSecureErase,
            NativeErase::SdErase => Technique::SdErase,
            NativeErase::TcgRevert => Technique::TcgRevert,
            NativeErase::TcgKeyChange => Technique::TcgKeyChange,
        }
    }
}

impl Technique {
    /// As what a drive offers it; `None`: no drive has a command for it.
    pub const fn offered_as(self) -> Option<NativeErase> {
        match self {
            Technique::SanitizeBlock => Some(NativeErase::SanitizeBlock),
            Technique::SanitizeOverwrite => Some(NativeErase::SanitizeOverwrite),
            Technique::SanitizeCrypto => Some(NativeErase::SanitizeCrypto),
            Technique::SecurityErase => Some(NativeErase::SecurityErase),
            Technique::SecurityEraseEnhanced => Some(NativeErase::SecurityEraseEnhanced),
            Technique::Format => Some(NativeErase::Format),
            Technique::FormatCrypto => Some(NativeErase::FormatCrypto),
            Technique::MmcSanitize => Some(NativeErase::MmcSanitize),
            Technique::MmcSecureErase => Some(NativeErase::MmcSecureErase),
            Technique::SdErase => Some(NativeErase::SdErase),
            Technique::TcgRevert => Some(NativeErase::TcgRevert),
            Technique::TcgKeyChange => Some(NativeErase::TcgKeyChange),
            Technique::Overwrite | Technique::Discard | Technique::NewTable | Technique::Degauss | Technique::Destruction => None,
        }
    }

    /// Those that IDENTIFY DEVICE (ATA) or Identify Controller (NVMe) tells of.
    pub fn told_by_identify(protocol: Protocol) -> Vec<Technique> {
        let tells = |family: Family| match (family, protocol) {
            (Family::Sanitize(_), Protocol::Ata | Protocol::Nvme { .. }) => true,
            (Family::Security { .. }, Protocol::Ata) => true,
            (Family::Format { .. }, Protocol::Nvme { .. }) => true,
            (
                Family::Sanitize(_)
                | Family::Security { .. }
                | Family::Format { .. }
                | Family::Passes
                | Family::Host
                | Family::Mmc(_)
                | Family::Card
                | Family::Tcg(_)
                | Family::Hands,
                Protocol::Ata | Protocol::Nvme { .. } | Protocol::Scsi | Protocol::Mmc | Protocol::Block,
            ) => false,
        };
        Technique::ALL.into_iter().filter(|t| tells(t.descriptor().family)).collect()
    }
}

/// Whether a drive is at work on an erasure of its own, as it says itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "state")]
pub enum OwnState {
    /// It is not, and the last one did not fail.
    Idle,
    /// It is: it takes and gives no sector until it has come to the end, and nothing stops it, not even its power being taken.
    Running {
        /// How far it is, in parts of 65536, if it tells.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        progress: Option<u16>,
    },
    /// The last one failed: it takes and gives no sector until another one succeeds, or until it is let out of this state.
    Failed,
}

/// How far a drive is with an erasure of its own, in parts of 65536, as it says itself: `37 % done, by its own word`.
pub fn by_its_own_word(progress: u16) -> String {
    format!("{:.0} % done, as the drive reports", f64::from(progress) / 655.36)
}

/// How long a drive says that an erase command of its own takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct OwnTime {
    /// Which.
    pub erase: NativeErase,
    /// So many seconds.
    pub seconds: u64,
    /// Whether it says no more than "longer than that".
    #[serde(default)]
    pub at_least: bool,
}

/// Everything that a drive answered when it was asked, beyond what the operating system knows of it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Capabilities {
    /// Age and health.
    pub health: Health,
    /// Erase commands of its own.
    pub own_erases: Vec<NativeErase>,
    /// How long the drive itself says that its erase commands take.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub own_times: Vec<OwnTime>,
    /// Techniques of which it has told whether it offers them.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub asked: Vec<Technique>,
    /// Whether its security commands are frozen until its power is cycled.
    #[serde(default)]
    pub security_frozen: bool,
    /// Whether it is locked by a password: it takes and gives no sector.
    #[serde(default)]
    pub security_locked: bool,
    /// Whether it has a user password.
    #[serde(default)]
    pub security_enabled: bool,
    /// Whether so many wrong passwords were tried that it takes no more before its power is cycled.
    #[serde(default)]
    pub security_expired: bool,
    /// Whether it erases itself now; `None`: it does not tell.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub own_state: Option<OwnState>,
    /// Whether its SANITIZE commands are frozen until its power is cycled.
    #[serde(default)]
    pub sanitize_frozen: bool,
    /// Whether an erasing format of it is of every namespace at once.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub format_reaches_all: bool,
    /// How an embedded device is set to remove data, if it tells.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub removal: Option<mmc::Removal>,
    /// The bridge that stands before it, by name, where bridge and drive could be told apart.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub bridge: Option<String>,
    /// What could not be asked, why, and how it can be.
    pub notes: Vec<String>,
}

impl Capabilities {
    /// The drive's own erase commands in words, and whether they are frozen.
    pub fn own_erases_said(&self) -> String {
        let names: Vec<&str> = self.own_erases.iter().map(|e| e.name()).collect();
        let frozen = match (self.security_frozen, self.sanitize_frozen) {
            (true, true) => "; its security and SANITIZE commands are frozen until its power is taken away for ten seconds",
            (true, false) => "; its security commands are frozen until its power is taken away for ten seconds",
            (false, true) => "; its SANITIZE commands are frozen until its power is taken away for ten seconds",
            (false, false) => "",
        };
        format!("{}{frozen}", names.join(", "))
    }

    /// Whether the drive has told if it offers `technique`. Only then "it does not offer it" may be said.
    pub fn was_asked(&self, technique: Technique) -> bool {
        self.asked.contains(&technique)
    }
}
