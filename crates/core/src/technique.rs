//! The techniques of sanitizing a drive, and what must be true beside them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A way of treating media.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
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
    /// eMMC erase, then SANITIZE_START.
    MmcSanitize,
    /// eMMC secure erase alone.
    MmcSecureErase,
    /// SD erase (CMD32, CMD33, CMD38).
    SdErase,
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
    pub const ALL: [Technique; 17] = [
        Technique::Overwrite,
        Technique::SanitizeOverwrite,
        Technique::SanitizeBlock,
        Technique::SanitizeCrypto,
        Technique::SecurityEraseEnhanced,
        Technique::SecurityErase,
        Technique::Format,
        Technique::FormatCrypto,
        Technique::MmcSanitize,
        Technique::MmcSecureErase,
        Technique::SdErase,
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
            | Technique::MmcSecureErase
            | Technique::SdErase
            | Technique::Discard
            | Technique::NewTable
            | Technique::Degauss
            | Technique::Destruction => false,
        }
    }

    /// Whether what lies on the media afterwards is not known beforehand, so that it can only be compared with what was there:
    /// noise under a new key, or a pattern of the maker's own.
    pub fn leaves_unknown_bytes(self) -> bool {
        self.replaces_a_key() || self == Technique::SecurityEraseEnhanced
    }

    /// Whether it is a command of the drive's own, which Jurex sends and the drive carries out.
    pub fn is_own(self) -> bool {
        !self.is_physical() && !matches!(self, Technique::Overwrite | Technique::Discard | Technique::NewTable)
    }

    /// Whether it always reaches every namespace of the unit.
    pub fn reaches_whole_unit(self) -> bool {
        matches!(
            self,
            Technique::SanitizeBlock
                | Technique::SanitizeCrypto
                | Technique::SanitizeOverwrite
                | Technique::TcgRevert
                | Technique::TcgKeyChange
        )
    }

    /// Whether the drive carries it out by itself and goes on after a reset or a power cut, so that whoever waits for it may
    /// go away. The others keep the drive's port busy until they end.
    pub fn runs_by_itself(self) -> bool {
        matches!(self, Technique::SanitizeBlock | Technique::SanitizeCrypto | Technique::SanitizeOverwrite)
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
            Technique::MmcSanitize => "erase and SANITIZE_START",
            Technique::MmcSecureErase => "secure erase (CMD38)",
            Technique::SdErase => "SD erase",
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

/// What must also be true for a rule to hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Condition {
    /// A pass and right after it its complement were laid on every sector.
    ComplementPair,
    /// All that the drive ever held was encrypted under the replaced key.
    EncryptedFromStart,
    /// The key is as strong as the data needed.
    KeyStrength,
    /// No copy of the key is anywhere: not escrowed, backed up, or injected from outside.
    KeysNotEscrowed,
    /// The module that encrypts is trusted to do so.
    ModuleTrusted,
    /// The maker confirms what the drive's command does.
    MakerConfirms,
    /// The degausser is rated for the coercivity of this drive, which is neither hybrid nor heat-assisted.
    RatedDegausser,
}

impl Condition {
    /// Those that only a person can state, by name.
    pub const STATED: [Self; 6] = [
        Self::EncryptedFromStart,
        Self::KeyStrength,
        Self::KeysNotEscrowed,
        Self::ModuleTrusted,
        Self::MakerConfirms,
        Self::RatedDegausser,
    ];

    /// What is missing where it is not met.
    pub fn unmet(self) -> &'static str {
        match self {
            Condition::ComplementPair => "This media needs two passes, a pattern and then its complement; that was not laid.",
            Condition::EncryptedFromStart => {
                "It earns something only if all that the drive ever held was encrypted from the start, which is not known."
            }
            Condition::KeyStrength => {
                "It earns something only if the key is as strong as the data needed, which nobody has stated."
            }
            Condition::KeysNotEscrowed => {
                "It earns something only if no copy of the key is anywhere (escrowed, backed up, injected), which nobody has stated."
            }
            Condition::ModuleTrusted => "It earns something only if the encrypting module is trusted, which nobody has stated.",
            Condition::MakerConfirms => {
                "It earns something only if the maker confirms what the command does, which nobody has stated."
            }
            Condition::RatedDegausser => {
                "It earns something only if the degausser is rated for the coercivity of this drive, which nobody has stated."
            }
        }
    }

    /// Its name on the command line.
    pub fn slug(self) -> &'static str {
        match self {
            Condition::ComplementPair => "complement-pair",
            Condition::EncryptedFromStart => "encrypted-from-start",
            Condition::KeyStrength => "key-strength",
            Condition::KeysNotEscrowed => "keys-not-escrowed",
            Condition::ModuleTrusted => "module-trusted",
            Condition::MakerConfirms => "maker-confirms",
            Condition::RatedDegausser => "rated-degausser",
        }
    }

    /// What is stated with it, as a whole sentence.
    pub fn statement(self) -> &'static str {
        match self {
            Condition::ComplementPair => "A pass and its complement were laid.",
            Condition::EncryptedFromStart => "All that the drive ever held was encrypted from the start.",
            Condition::KeyStrength => "The key is as strong as the data needed.",
            Condition::KeysNotEscrowed => "No copy of the key is anywhere: not escrowed, backed up or injected from outside.",
            Condition::ModuleTrusted => "The encrypting module is trusted.",
            Condition::MakerConfirms => "The maker confirms what the command does.",
            Condition::RatedDegausser => "The degausser is rated for the coercivity of this drive.",
        }
    }
}
