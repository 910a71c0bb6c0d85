//! The techniques of sanitizing a drive.

use serde::{Deserialize, Serialize};

/// A way of treating media.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Technique {
    /// Writing over every addressable sector.
    Overwrite,
    /// SANITIZE, overwrite.
    SanitizeOverwrite,
    /// SANITIZE, block erase.
    SanitizeBlock,
    /// SANITIZE, cryptographic.
    SanitizeCrypto,
    /// ATA SECURITY ERASE UNIT, enhanced.
    SecurityEraseEnhanced,
    /// ATA SECURITY ERASE UNIT.
    SecurityErase,
    /// NVMe Format NVM, user data erase.
    Format,
    /// NVMe Format NVM, cryptographic erase.
    FormatCrypto,
    /// eMMC secure erase, then SANITIZE_START.
    MmcSanitize,
    /// TCG revert, by PSID.
    TcgRevert,
    /// TCG key change on all locking ranges.
    TcgKeyChange,
    /// Discard, TRIM, UNMAP.
    Discard,
    /// A new partition table, a quick format.
    NewTable,
    /// Degaussing, a physical act.
    Degauss,
    /// Physical destruction.
    Destruction,
}

impl Technique {
    /// Every technique.
    pub const ALL: [Technique; 15] = [
        Technique::Overwrite,
        Technique::SanitizeOverwrite,
        Technique::SanitizeBlock,
        Technique::SanitizeCrypto,
        Technique::SecurityEraseEnhanced,
        Technique::SecurityErase,
        Technique::Format,
        Technique::FormatCrypto,
        Technique::MmcSanitize,
        Technique::TcgRevert,
        Technique::TcgKeyChange,
        Technique::Discard,
        Technique::NewTable,
        Technique::Degauss,
        Technique::Destruction,
    ];

    /// Whether it replaces a key, so that what lies on the media reads as noise afterwards, and not as one pattern.
    pub fn replaces_a_key(self) -> bool {
        match self {
            Technique::SanitizeCrypto | Technique::FormatCrypto | Technique::TcgRevert | Technique::TcgKeyChange => true,
            Technique::Overwrite
            | Technique::SanitizeOverwrite
            | Technique::SanitizeBlock
            | Technique::SecurityEraseEnhanced
            | Technique::SecurityErase
            | Technique::Format
            | Technique::MmcSanitize
            | Technique::Discard
            | Technique::NewTable
            | Technique::Degauss
            | Technique::Destruction => false,
        }
    }

    /// Its name in the standards' words.
    pub fn name(self) -> &'static str {
        match self {
            Technique::Overwrite => "overwrite",
            Technique::SanitizeOverwrite => "SANITIZE overwrite",
            Technique::SanitizeBlock => "SANITIZE block erase",
            Technique::SanitizeCrypto => "SANITIZE crypto erase",
            Technique::SecurityEraseEnhanced => "SECURITY ERASE UNIT, enhanced",
            Technique::SecurityErase => "SECURITY ERASE UNIT",
            Technique::Format => "Format NVM, user data erase",
            Technique::FormatCrypto => "Format NVM, crypto erase",
            Technique::MmcSanitize => "secure erase and SANITIZE_START",
            Technique::TcgRevert => "TCG revert by PSID",
            Technique::TcgKeyChange => "TCG key change, all ranges",
            Technique::Discard => "discard (TRIM, UNMAP)",
            Technique::NewTable => "new table or quick format",
            Technique::Degauss => "degaussing",
            Technique::Destruction => "physical destruction",
        }
    }

    /// Its name on the command line.
    pub fn slug(self) -> String {
        // A unit variant always serialises to its name.
        serde_json::to_value(self).ok().and_then(|v| v.as_str().map(str::to_string)).unwrap_or_default()
    }

    /// Whether people do it with their hands, and Jurex only records it.
    pub fn is_physical(self) -> bool {
        matches!(self, Technique::Degauss | Technique::Destruction)
    }
}
