//! What is read back and compared, as people choose it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// Which passes are read back. The last one always is, and each that the method marks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhichPasses {
    /// The last one and those that are marked.
    Last,
    /// Every pass.
    Every,
}

/// How much of a pass is read back.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum HowMuch {
    /// Every sector.
    Full,
    /// A representative sample, drawn anew for each reading (SP 800-88 Rev. 1, 4.7).
    Sampled,
}

/// What is read back and compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
pub enum Verification {
    /// Nothing: the outcome stays unproved.
    None,
    /// So much of these passes.
    Read(HowMuch, WhichPasses),
}

impl Default for Verification {
    fn default() -> Self {
        Self::FULL
    }
}

impl Verification {
    /// Every sector of the last pass, and of each pass that the method marks.
    pub const FULL: Self = Self::Read(HowMuch::Full, WhichPasses::Last);
    /// A sample of the last pass, and of each pass that the method marks.
    pub const SAMPLED: Self = Self::Read(HowMuch::Sampled, WhichPasses::Last);
    /// Every choice.
    pub const ALL: [Self; 5] = [
        Self::FULL,
        Self::SAMPLED,
        Self::Read(HowMuch::Full, WhichPasses::Every),
        Self::Read(HowMuch::Sampled, WhichPasses::Every),
        Self::None,
    ];

    /// Its short name.
    pub fn name(self) -> &'static str {
        match self {
            Verification::None => "none",
            Verification::Read(HowMuch::Full, WhichPasses::Last) => "full",
            Verification::Read(HowMuch::Sampled, WhichPasses::Last) => "sampled",
            Verification::Read(HowMuch::Full, WhichPasses::Every) => "full-every-pass",
            Verification::Read(HowMuch::Sampled, WhichPasses::Every) => "sampled-every-pass",
        }
    }

    /// What is read, in a few words.
    pub fn short(self) -> &'static str {
        match self {
            Verification::None => "nothing",
            Verification::Read(HowMuch::Full, WhichPasses::Last) => "all of the last pass",
            Verification::Read(HowMuch::Sampled, WhichPasses::Last) => "a tenth of the last pass",
            Verification::Read(HowMuch::Full, WhichPasses::Every) => "all of every pass",
            Verification::Read(HowMuch::Sampled, WhichPasses::Every) => "a tenth of every pass",
        }
    }

    /// The next choice or the one before, round and round.
    pub fn beside(self, forwards: bool) -> Self {
        jurex_pattern::choice::beside(&Self::ALL, self, forwards)
    }
}

/// A word that names no verification.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is no verification: choose {names}", names = Verification::ALL.map(Verification::name).join(", "))]
pub struct BadVerification(String);

impl std::str::FromStr for Verification {
    type Err = BadVerification;

    fn from_str(text: &str) -> Result<Self, BadVerification> {
        Self::ALL.into_iter().find(|v| v.name() == text).ok_or_else(|| BadVerification(text.into()))
    }
}

impl TryFrom<String> for Verification {
    type Error = BadVerification;

    fn try_from(text: String) -> Result<Self, BadVerification> {
        text.parse()
    }
}

impl From<Verification> for String {
    fn from(v: Verification) -> String {
        v.name().into()
    }
}

impl fmt::Display for Verification {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Verification::Read(HowMuch::Full, WhichPasses::Last) => {
                "full: every sector of the last pass is read back and compared"
            }
            Verification::Read(HowMuch::Sampled, WhichPasses::Last) => {
                "sampled: a tenth of the last pass, at places drawn for this job, is read back and compared"
            }
            Verification::Read(HowMuch::Full, WhichPasses::Every) => {
                "full, every pass: every sector is read back after each pass"
            }
            Verification::Read(HowMuch::Sampled, WhichPasses::Every) => {
                "sampled, every pass: a tenth is read back after each pass, at places drawn for each"
            }
            Verification::None => "none: nothing is read back",
        })
    }
}
