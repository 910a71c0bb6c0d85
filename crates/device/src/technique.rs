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

/// What the program knows of a technique but for its rules.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Descriptor {
    /// Its name in the standards' words.
    pub name: &'static str,
    /// Who carries it out, in which language of commands.
    pub family: Family,
    /// What it reaches.
    pub reach: Reach,
    /// What reads back afterwards: by that it is proved.
    pub leaves: Leaves,
    /// What must be typed from the drive's label or be known.
    pub wants: Option<Wants>,
    /// Whether it writes all of the media once.
    pub wears: bool,
    /// Whether it can be sent to a drive that is locked.
    pub through_a_lock: bool,
}

impl Descriptor {
    const fn wearing(self) -> Self {
        Self { wears: true, ..self }
    }
}

/// Who carries a technique out, in which language of commands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Family {
    /// Jurex lays passes.
    Passes,
    /// The host tells the drive that nothing is wanted any more.
    Host,
    /// SANITIZE on ATA, SCSI and NVMe.
    Sanitize(SanitizeKind),
    /// The ATA security feature set.
    Security {
        /// Enhanced: replaced sectors too, by a pattern of the maker's.
        enhanced: bool,
    },
    /// NVMe Format NVM.
    Format {
        /// Its key is replaced.
        crypto: bool,
    },
    /// eMMC.
    Mmc(MmcWay),
    /// An SD card's own erase.
    Card,
    /// TCG.
    Tcg(TcgWay),
    /// People do it.
    Hands,
}

/// A sanitize operation.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SanitizeKind {
    /// One pass of zeros over everything.
    Overwrite,
    /// Every block is erased.
    Block,
    /// The key is replaced.
    Crypto,
}

/// How an eMMC device erases itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MmcWay {
    /// Erased (securely where the device has that), trimmed, SANITIZE_START.
    Sanitize,
    /// Secure erase alone.
    SecureErase,
}

/// How a TCG drive's keys are replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TcgWay {
    /// All of them, with its settings, by the PSID.
    Revert,
    /// Those of its locking ranges, by the administrator.
    KeyChange,
}

/// What a technique reaches.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reach {
    /// What can be addressed, and what the command reaches beside it.
    Addressed,
    /// Namespaces: one, or all of the controller, as that says.
    Namespaces,
    /// Every namespace of the unit.
    Unit,
    /// The user area alone: neither boot and general-purpose areas nor a card's protected one.
    UserArea,
    /// The media itself.
    Media,
}

/// What reads back after a technique.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Leaves {
    /// The last pass.
    WhatWasLaid,
    /// Zeros.
    Zeros,
    /// One byte over and over, the same everywhere.
    Blank,
    /// Noise: what was there, under another key.
    NewKey,
    /// A pattern of the maker's own.
    MakersPattern,
    /// Nothing that would be known.
    Unsaid,
}

/// What a technique wants beside the label check.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wants {
    /// The PSID that is printed on the label.
    Psid,
    /// The password of Admin1.
    AdminPassword,
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

    /// Everything that the program knows of it but its rules: who adds a technique writes this, and the compiler names the rest.
    pub const fn descriptor(self) -> Descriptor {
        use Family::{Card, Format, Hands, Host, Mmc, Passes, Sanitize, Security, Tcg};
        use Leaves::{Blank, MakersPattern, NewKey, Unsaid, WhatWasLaid, Zeros};
        use Reach::{Addressed, Media, Namespaces, Unit, UserArea};
        const fn of(name: &'static str, family: Family, reach: Reach, leaves: Leaves) -> Descriptor {
            Descriptor { name, family, reach, leaves, wants: None, wears: false, through_a_lock: false }
        }
        match self {
            Self::Overwrite => of("overwrite", Passes, Addressed, WhatWasLaid).wearing(),
            Self::SanitizeOverwrite => of("SANITIZE overwrite", Sanitize(SanitizeKind::Overwrite), Unit, Zeros).wearing(),
            Self::SanitizeBlock => of("SANITIZE block erase", Sanitize(SanitizeKind::Block), Unit, Blank).wearing(),
            Self::SanitizeCrypto => of("SANITIZE crypto erase", Sanitize(SanitizeKind::Crypto), Unit, NewKey),
            Self::SecurityEraseEnhanced => {
                of("SECURITY ERASE UNIT, enhanced", Security { enhanced: true }, Addressed, MakersPattern).wearing()
            }
            Self::SecurityErase => of("SECURITY ERASE UNIT", Security { enhanced: false }, Addressed, Blank).wearing(),
            Self::Format => of("Format NVM, user data erase", Format { crypto: false }, Namespaces, Blank).wearing(),
            Self::FormatCrypto => of("Format NVM, crypto erase", Format { crypto: true }, Namespaces, NewKey),
            Self::MmcSanitize => of("erase and SANITIZE_START", Mmc(MmcWay::Sanitize), Addressed, Blank).wearing(),
            Self::MmcSecureErase => of("secure erase (CMD38)", Mmc(MmcWay::SecureErase), UserArea, Blank).wearing(),
            Self::SdErase => of("SD erase", Card, UserArea, Blank).wearing(),
            Self::TcgRevert => {
                let revert = of("TCG revert by PSID", Tcg(TcgWay::Revert), Unit, NewKey);
                Descriptor { wants: Some(Wants::Psid), through_a_lock: true, ..revert }
            }
            Self::TcgKeyChange => {
                let change = of("TCG key change, all ranges", Tcg(TcgWay::KeyChange), Unit, NewKey);
                Descriptor { wants: Some(Wants::AdminPassword), ..change }
            }
            Self::Discard => of("discard (TRIM, UNMAP)", Host, Addressed, Unsaid),
            Self::NewTable => of("new table or quick format", Host, Addressed, Unsaid),
            Self::Degauss => of("degaussing", Hands, Media, Unsaid),
            Self::Destruction => of("physical destruction", Hands, Media, Unsaid),
        }
    }

    /// Whether it replaces a key, so that what lies on the media reads as noise afterwards, and not as one pattern.
    pub fn replaces_a_key(self) -> bool {
        self.descriptor().leaves == Leaves::NewKey
    }

    /// Whether what lies on the media afterwards is not known beforehand, so that it can only be compared with what was there:
    /// noise under a new key, or a pattern of the maker's own.
    pub fn leaves_unknown_bytes(self) -> bool {
        match self.descriptor().leaves {
            Leaves::NewKey | Leaves::MakersPattern => true,
            Leaves::WhatWasLaid | Leaves::Zeros | Leaves::Blank | Leaves::Unsaid => false,
        }
    }

    /// Whether it is a command of the drive's own, which Jurex sends and the drive carries out.
    pub fn is_own(self) -> bool {
        match self.descriptor().family {
            Family::Sanitize(_)
            | Family::Security { .. }
            | Family::Format { .. }
            | Family::Mmc(_)
            | Family::Card
            | Family::Tcg(_) => true,
            Family::Passes | Family::Host | Family::Hands => false,
        }
    }

    /// Whether it always reaches every namespace of the unit.
    pub fn reaches_whole_unit(self) -> bool {
        self.descriptor().reach == Reach::Unit
    }

    /// Whether the drive carries it out by itself and goes on after a reset or a power cut, so that whoever waits for it may
    /// go away. The others keep the drive's port busy until they end.
    pub fn runs_by_itself(self) -> bool {
        matches!(self.descriptor().family, Family::Sanitize(_))
    }

    /// Whether it goes by the password of the ATA security feature set.
    pub fn is_security(self) -> bool {
        matches!(self.descriptor().family, Family::Security { .. })
    }

    /// Its name in the standards' words.
    pub fn name(self) -> &'static str {
        self.descriptor().name
    }

    /// Its name on the command line.
    pub fn slug(self) -> String {
        jurex_pattern::text::serde_name(self)
    }

    /// Whether people do it with their hands, and Jurex only records it.
    pub fn is_physical(self) -> bool {
        self.descriptor().family == Family::Hands
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
    /// Every condition.
    pub const ALL: [Condition; 7] = [
        Condition::ComplementPair,
        Condition::EncryptedFromStart,
        Condition::KeyStrength,
        Condition::KeysNotEscrowed,
        Condition::ModuleTrusted,
        Condition::MakerConfirms,
        Condition::RatedDegausser,
    ];

    /// Those that only a person can state, by name.
    pub const STATED: [Self; 6] = [
        Self::EncryptedFromStart,
        Self::KeyStrength,
        Self::KeysNotEscrowed,
        Self::ModuleTrusted,
        Self::MakerConfirms,
        Self::RatedDegausser,
    ];

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
            Condition::ComplementPair => "A pass and its complement were written.",
            Condition::EncryptedFromStart => "All that the drive ever held was encrypted from the start.",
            Condition::KeyStrength => "The key is as strong as the data needed.",
            Condition::KeysNotEscrowed => "No copy of the key is anywhere: not escrowed, backed up or injected from outside.",
            Condition::ModuleTrusted => "The encrypting module is trusted.",
            Condition::MakerConfirms => "The maker confirms what the command does.",
            Condition::RatedDegausser => "The degausser is rated for the coercivity of this drive.",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::native::NativeErase;
    use std::collections::BTreeSet;

    #[test]
    fn every_technique_is_in_the_list_once_and_those_of_drives_have_the_command_that_they_are_offered_by() {
        let names: BTreeSet<&str> = Technique::ALL.iter().map(|t| t.name()).collect();
        let slugs: BTreeSet<String> = Technique::ALL.iter().map(|t| t.slug()).collect();
        assert_eq!((names.len(), slugs.len()), (Technique::ALL.len(), Technique::ALL.len()));
        let mut offered: BTreeSet<String> = BTreeSet::new();
        for technique in Technique::ALL {
            let by = technique.offered_as();
            assert_eq!(by.map(NativeErase::technique), technique.is_own().then_some(technique), "{technique:?}");
            assert_eq!(by.is_some(), technique.is_own());
            offered.extend(by.map(|by| format!("{by:?}")));
            // What is proved by comparing with what was there can't be blank, and the other way round.
            let leaves = technique.descriptor().leaves;
            assert!(!technique.replaces_a_key() || technique.leaves_unknown_bytes());
            assert_eq!(technique.is_own(), !matches!(leaves, Leaves::WhatWasLaid | Leaves::Unsaid), "{technique:?}");
        }
        assert_eq!(offered.len(), 12);
        // The list is written by hand; the schema is made from the type.
        let schema = serde_json::to_value(schemars::schema_for!(Technique)).unwrap();
        assert_eq!(schema["oneOf"].as_array().map(Vec::len), Some(Technique::ALL.len()), "{schema}");
    }
}
