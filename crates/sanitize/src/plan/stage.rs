//! The stages that a plan is made of.

use super::order::Order;
use crate::digest::Salt;
use crate::evidence::{Expect, StageKind};
use crate::rules::Technique;
use crate::sampling::Sampling;
use jurex_device::media::{Drive, MediaClass, Scope};
use jurex_device::native::mmc::Removal;
use jurex_pattern::notation::Entropy;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One stage of a treatment.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "stage")]
pub enum Stage {
    /// Hidden areas are made addressable.
    Lift(UnhideOrder),
    /// It is found out whether the drive is as large as it says.
    Measure(Measure),
    /// The drive erases itself.
    Own(PlannedErase),
    /// Passes are laid over sectors.
    Overwrite(Overwrite),
    /// Sectors are read and compared.
    Check(Check),
}

impl Stage {
    /// Its kind.
    pub fn kind(&self) -> StageKind {
        match self {
            Stage::Lift(_) => StageKind::Lift,
            Stage::Measure(_) => StageKind::Measure,
            Stage::Own(_) => StageKind::Own,
            Stage::Overwrite(_) => StageKind::Overwrite,
            Stage::Check(_) => StageKind::Check,
        }
    }
}

/// The stages of an order to overwrite, with every random choice made. No place is read twice by the same draw.
pub(super) fn overwriting_of(order: &Order, entropy: &mut dyn Entropy) -> Vec<Stage> {
    let passes = order.resolve(entropy);
    let (range, retries, faults_allowed) = (order.range, order.retries, order.faults_allowed);
    overwriting(Overwrite { passes, range, retries, faults_allowed })
}

/// An overwriting, and the check that reads its last pass back: what that pass is to be read of becomes a stage of its own.
pub(super) fn overwriting(mut overwrite: Overwrite) -> Vec<Stage> {
    let of_last =
        overwrite.passes.last_mut().map_or(PlannedReading::None, |p| std::mem::replace(&mut p.reading, PlannedReading::None));
    let check = Check { reading: of_last, expect: Expect::LastPass, salt: None };
    let check = (check.reading != PlannedReading::None).then_some(Stage::Check(check));
    std::iter::once(Stage::Overwrite(overwrite)).chain(check).collect()
}

/// Making hidden areas addressable.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct UnhideOrder {
    /// Whether the drive keeps its full size after the next power cycle.
    pub permanent: bool,
    /// Whether a device configuration overlay is taken off too: that restores every setting of the maker, not only the size.
    #[serde(default)]
    pub configuration: bool,
}

/// Finding out whether the drive is as large as it says: sectors all over it are tagged and read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Measure {
    /// What tells a tagged sector from all others, and its address: a keystream.
    pub tags: Pattern,
}

impl Measure {
    /// With tags of its own.
    pub(super) fn drawn(entropy: &mut dyn Entropy) -> Stage {
        let mut key = [0; 16];
        entropy.fill(&mut key);
        Stage::Measure(Self { tags: Pattern::random(key) })
    }
}

/// Whether it is found out first how large a drive truly is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SizeCheck {
    /// Where drives are sold that say more than they hold: of removable flash.
    #[default]
    WhereItMatters,
    /// In any case.
    Yes,
    /// No.
    No,
}

impl SizeCheck {
    /// Whether it is done on that drive.
    pub fn is_due(self, drive: &Drive) -> bool {
        match self {
            SizeCheck::WhereItMatters => drive.class == MediaClass::RemovableFlash,
            SizeCheck::Yes => true,
            SizeCheck::No => false,
        }
    }
}

/// The drive's own erase command.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PlannedErase {
    /// Which one.
    pub technique: Technique,
    /// What it reaches.
    pub scope: Scope,
    /// The namespace that the drive is, if it is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub namespace: Option<u32>,
    /// How the drive was set to remove data when it was asked for the plan, if it is an embedded device and told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removal: Option<Removal>,
}

/// What opens a drive's own erasure to whoever stands before it: the PSID of its label, or the password of Admin1. It is never
/// written anywhere, and never printed.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret(String);

impl Secret {
    /// As it was typed or scanned: a PSID stands on labels in groups.
    pub fn psid(typed: &str) -> Self {
        Self(typed.chars().filter(|c| !c.is_whitespace() && *c != '-').collect())
    }

    /// A password, as it is.
    pub fn password(typed: &str) -> Self {
        Self(typed.into())
    }

    /// The text that goes to the drive.
    pub fn text(&self) -> &str {
        &self.0
    }
}

impl std::fmt::Debug for Secret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("..")
    }
}

/// Writing passes.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Overwrite {
    /// The passes, in order.
    pub passes: Vec<PlannedPass>,
    /// The sectors to cover; `None`: the whole drive, as large as the stages before have left it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub range: Option<Sectors>,
    /// Tries of a failing sector after the first.
    pub retries: u32,
    /// Bad places after which the drive is given up.
    pub faults_allowed: u64,
}

/// Reading and comparing, as an act of its own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Check {
    /// The places.
    pub reading: PlannedReading,
    /// What should be there.
    pub expect: Expect,
    /// What the places are digested with beforehand, where they are compared with themselves.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub salt: Option<Salt>,
}

/// What of a pass is read back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PlannedReading {
    /// Nothing.
    None,
    /// Every sector.
    Full,
    /// These places.
    Sampled(Sampling),
}

impl PlannedReading {
    /// The places of `range` to read.
    pub fn places(&self, range: Sectors) -> RangeSet {
        match self {
            PlannedReading::None => RangeSet::new(),
            PlannedReading::Full => [range].into_iter().collect(),
            PlannedReading::Sampled(sampling) => sampling.places(range),
        }
    }

    /// The places that were drawn, if they were.
    pub fn sampling(&self) -> Option<&Sampling> {
        match self {
            PlannedReading::Sampled(sampling) => Some(sampling),
            PlannedReading::None | PlannedReading::Full => None,
        }
    }
}

/// A pass of a plan, every random choice made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PlannedPass {
    /// What it lays down.
    pub pattern: Pattern,
    /// What of it is read back before the next pass is laid. That of the last pass is a [`Check`] of its own.
    pub reading: PlannedReading,
    /// Whether it turns over every bit of the pass before it, by the method's design. A pair that only a draw has placed
    /// side by side is luck, and earns nothing.
    #[serde(default)]
    pub complement_of_before: bool,
}
