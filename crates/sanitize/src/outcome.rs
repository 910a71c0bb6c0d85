//! What a treatment can earn.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// What a drive's treatment earned. Ordered from least to most.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// Stopped, failed, unproved or partial. Jurex's own value.
    NotSanitized,
    /// SP 800-88 Clear.
    Clear,
    /// SP 800-88 Purge.
    Purge,
    /// SP 800-88 Destroy.
    Destroy,
}

impl fmt::Display for Outcome {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Outcome::NotSanitized => "Not sanitized",
            Outcome::Clear => "Clear",
            Outcome::Purge => "Purge",
            Outcome::Destroy => "Destroy",
        })
    }
}
