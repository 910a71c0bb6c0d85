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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_list_in_a_persons_place_is_named_by_its_line_its_digest_and_who_approved_it() {
        let approval = Approval { sha256: "0123456789abcdef0123".into(), line: 4, approved_by: "Tomasz Averill".into() };
        assert_eq!(
            approval.sentence(),
            "Nobody typed its label: line 4 of a list (SHA-256 0123456789abcdef…), approved by Tomasz Averill, names its serial."
        );
    }
}
