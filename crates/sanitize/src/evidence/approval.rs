//! A list in place of a person at the label check.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The list that stood for a person's look at the label, as records name it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Approval {
    /// SHA-256 of the list's bytes, in hexadecimal.
    pub sha256: String,
    /// The line that names the drive, from 1.
    pub line: u64,
    /// Who approved it, as the line says.
    pub approved_by: String,
}

impl Approval {
    /// Who stood for the label check, in a sentence.
    pub fn sentence(&self) -> String {
        format!(
            "Nobody typed its label: line {} of a list (SHA-256 {}…), approved by {}, names its serial.",
            self.line,
            self.sha256.get(..16).unwrap_or(&self.sha256),
            self.approved_by
        )
    }
}
