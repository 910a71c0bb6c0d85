//! What was done and what was read back: the only thing that a claim is computed from.

use crate::media::Drive;
use crate::pace::Pace;
use crate::pattern::Pattern;
use crate::ranges::RangeSet;
use crate::sampling::Sampling;
use crate::units::Sectors;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

/// How a job came to its end.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "how")]
pub enum Ended {
    /// Every pass ran, and what was to be read back was read back.
    Finished,
    /// A person or a signal stopped it.
    Stopped,
    /// The drive no longer answered.
    Gone {
        /// The operating system's words.
        error: String,
    },
    /// So many places failed that the drive was given up.
    GivenUp {
        /// Number of places that failed.
        #[serde(with = "crate::text::u64_string")]
        faults: u64,
    },
    /// The drive or the system refused to go on.
    Refused {
        /// The operating system's words.
        error: String,
    },
}

impl Ended {
    /// The end in one sentence.
    pub fn sentence(&self) -> String {
        match self {
            Ended::Finished => "The job ran to its end.".into(),
            Ended::Stopped => "The job was stopped before its end.".into(),
            Ended::Gone { error } => format!("The drive went away before the end ({error})."),
            Ended::GivenUp { faults } => {
                format!(
                    "The drive is failing: after {} bad places it was given up before the end.",
                    crate::units::grouped(*faults)
                )
            }
            Ended::Refused { error } => format!("The drive refused to go on before the end ({error})."),
        }
    }
}

/// Reading a pass back and comparing it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ReadBack {
    /// The places that were to be read; `None`: every sector.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub sampling: Option<Sampling>,
    /// Sectors that were read, right or wrong.
    pub read: RangeSet,
    /// Sectors that were read and were not as laid.
    pub wrong: RangeSet,
    /// Sectors that could not be read.
    pub unreadable: RangeSet,
}

/// One pass: what was laid and what of it was read back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PassEvidence {
    /// What it laid.
    pub pattern: Pattern,
    /// Sectors that the drive accepted.
    pub laid: RangeSet,
    /// Sectors that it did not.
    pub unwritable: RangeSet,
    /// Sectors that took long, but were written or read.
    #[serde(skip_serializing_if = "RangeSet::is_empty", default)]
    pub slow: RangeSet,
    /// Whether the caches were flushed after the last write.
    pub flushed: bool,
    /// The reading back, if any was begun.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub read_back: Option<ReadBack>,
    /// When the first write was asked for.
    pub started: Timestamp,
    /// When the pass, with its reading back, was over.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended: Option<Timestamp>,
    /// Speed of the writing over position.
    pub pace: Pace,
}

/// Everything that a claim may rest on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Evidence {
    /// The drive.
    pub drive: Drive,
    /// The sectors that the job was to cover.
    pub range: Sectors,
    /// Passes in the order in which they were begun.
    pub passes: Vec<PassEvidence>,
    /// Number of passes that were planned.
    pub planned_passes: u32,
    /// How it ended.
    pub ended: Ended,
}

impl Evidence {
    /// Whether every addressable sector was to be covered.
    pub fn is_whole(&self) -> bool {
        self.range == self.drive.geometry.whole()
    }

    /// Bytes that the drive accepted, over all passes.
    pub fn bytes_laid(&self) -> u64 {
        self.drive.geometry.bytes_of(self.passes.iter().map(|p| p.laid.count()).sum())
    }

    /// Bytes that were read back, over all passes.
    pub fn bytes_read(&self) -> u64 {
        self.drive.geometry.bytes_of(self.read_backs().map(|r| r.read.count()).sum())
    }

    /// Every reading back.
    pub fn read_backs(&self) -> impl Iterator<Item = &ReadBack> {
        self.passes.iter().filter_map(|p| p.read_back.as_ref())
    }

    /// Sectors that any pass could not write.
    pub fn unwritable(&self) -> RangeSet {
        union(self.passes.iter().map(|p| &p.unwritable))
    }

    /// Sectors that could not be read back after any pass.
    pub fn unreadable(&self) -> RangeSet {
        union(self.read_backs().map(|r| &r.unreadable))
    }

    /// Sectors that were read back wrong after any pass.
    pub fn wrong(&self) -> RangeSet {
        union(self.read_backs().map(|r| &r.wrong))
    }
}

fn union<'a>(sets: impl Iterator<Item = &'a RangeSet>) -> RangeSet {
    sets.fold(RangeSet::new(), |mut all, set| {
        all.extend(set);
        all
    })
}
