//! The stages that a plan is made of.

use crate::evidence::{Expect, StageKind};
use crate::media::Scope;
use crate::pattern::Pattern;
use crate::ranges::RangeSet;
use crate::rules::Technique;
use crate::sampling::Sampling;
use crate::units::Sectors;
use serde::{Deserialize, Serialize};

/// One stage of a treatment.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "stage")]
pub enum Stage {
    /// Hidden areas are made addressable.
    Lift(Lift),
    /// The drive erases itself.
    Own(OwnErase),
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
            Stage::Own(_) => StageKind::Own,
            Stage::Overwrite(_) => StageKind::Overwrite,
            Stage::Check(_) => StageKind::Check,
        }
    }
}

/// An overwriting, and the check that reads its last pass back: what that pass is to be read of becomes a stage of its own.
pub(super) fn overwriting(mut overwrite: Overwrite) -> Vec<Stage> {
    let of_last = overwrite.passes.last_mut().map_or(Reading::None, |p| std::mem::replace(&mut p.reading, Reading::None));
    let check = Check { reading: of_last, expect: Expect::LastPass };
    let check = (check.reading != Reading::None).then_some(Stage::Check(check));
    std::iter::once(Stage::Overwrite(overwrite)).chain(check).collect()
}

/// Making hidden areas addressable.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Lift {
    /// Whether the drive keeps its full size after the next power cycle.
    pub permanent: bool,
}

/// The drive's own erase command.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct OwnErase {
    /// Which one.
    pub technique: Technique,
    /// What it reaches.
    pub scope: Scope,
}

/// Writing passes.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
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
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Check {
    /// The places.
    pub reading: Reading,
    /// What should be there.
    pub expect: Expect,
}

/// What of a pass is read back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reading {
    /// Nothing.
    None,
    /// Every sector.
    Full,
    /// These places.
    Sampled(Sampling),
}

impl Reading {
    /// The places of `range` to read.
    pub fn places(&self, range: Sectors) -> RangeSet {
        match self {
            Reading::None => RangeSet::new(),
            Reading::Full => [range].into_iter().collect(),
            Reading::Sampled(sampling) => sampling.places(range),
        }
    }

    /// The places that were drawn, if they were.
    pub fn sampling(&self) -> Option<&Sampling> {
        match self {
            Reading::Sampled(sampling) => Some(sampling),
            Reading::None | Reading::Full => None,
        }
    }
}

/// A pass of a plan, every random choice made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedPass {
    /// What it lays down.
    pub pattern: Pattern,
    /// What of it is read back before the next pass is laid. That of the last pass is a [`Check`] of its own.
    pub reading: Reading,
    /// Whether it turns over every bit of the pass before it, by the method's design. A pair that only a draw has placed
    /// side by side is luck, and earns nothing.
    #[serde(default)]
    pub complement_of_before: bool,
}
