//! From three questions to the outcome that is needed (SP 800-88, decision flow of the sanitization section).

use crate::outcome::Outcome;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// Confidentiality category of what the drive held (FIPS 199).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Sensitivity {
    /// Low impact.
    Low,
    /// Moderate impact.
    Moderate,
    /// High impact.
    High,
}

impl fmt::Display for Sensitivity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Sensitivity::Low => "low",
            Sensitivity::Moderate => "moderate",
            Sensitivity::High => "high",
        })
    }
}

/// The answers to the three questions.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Need {
    /// How sensitive is what it held?
    pub sensitivity: Sensitivity,
    /// Will the drive be used again?
    pub reuse: bool,
    /// Does it leave the organisation's control?
    pub leaves: bool,
}

impl Need {
    /// The outcome that these answers ask for.
    pub fn outcome(self) -> Outcome {
        use Sensitivity::*;
        match (self.sensitivity, self.reuse, self.leaves) {
            (Low, _, false) => Outcome::Clear,
            (Low, _, true) => Outcome::Purge,
            (Moderate | High, false, _) => Outcome::Destroy,
            (Moderate, true, false) => Outcome::Clear,
            (Moderate, true, true) => Outcome::Purge,
            (High, true, false) => Outcome::Purge,
            (High, true, true) => Outcome::Destroy,
        }
    }

    /// What is missing where a plan reaches that outcome; `None`: it is enough.
    pub fn shortfall(self, reaches: Outcome) -> Option<Shortfall> {
        let required = self.outcome();
        (reaches < required).then_some(Shortfall { required, reaches })
    }

    /// What is contradictory about the answers, in a sentence; `None` if nothing is.
    pub fn contradiction(self) -> Option<&'static str> {
        (self.outcome() == Outcome::Destroy && self.reuse).then_some(
            "These answers contradict one another: they ask for Destroy, and a destroyed drive can't be used again. \
             Either it is not reused, or it does not leave.",
        )
    }
}

/// Whether a drive that has reached this is done. Where nobody has said what is required it has to be sanitized all the same.
pub fn is_enough(reached: Outcome, required: Option<Outcome>) -> bool {
    reached != Outcome::NotSanitized && reached >= required.unwrap_or(Outcome::Clear)
}

/// A plan gives less than is required of the drive.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the plan gives {reaches}, less than the {required} that is required")]
pub struct Shortfall {
    /// What the answers ask for.
    pub required: Outcome,
    /// What the plan gives if nothing goes wrong.
    pub reaches: Outcome,
}

#[cfg(test)]
mod tests {
    use super::{Outcome::*, Sensitivity::*, *};

    #[test]
    fn every_answer_has_its_outcome() {
        let cases = [
            (Low, true, false, Clear),
            (Low, false, false, Clear),
            (Low, true, true, Purge),
            (Low, false, true, Purge),
            (Moderate, true, false, Clear),
            (Moderate, true, true, Purge),
            (Moderate, false, false, Destroy),
            (Moderate, false, true, Destroy),
            (High, true, false, Purge),
            (High, true, true, Destroy),
            (High, false, false, Destroy),
            (High, false, true, Destroy),
        ];
        for (sensitivity, reuse, leaves, outcome) in cases {
            assert_eq!(Need { sensitivity, reuse, leaves }.outcome(), outcome, "{sensitivity} reuse {reuse} leaves {leaves}");
        }
    }
}
