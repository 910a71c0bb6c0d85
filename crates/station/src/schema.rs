//! JSON Schemas (draft 2020-12) of what is written: made from the very types that write it.

use jurex_disposition::lot::Statement;
use jurex_disposition::proof::VerificationRecord;
use jurex_disposition::release::Release;
use jurex_engine::Event;
use jurex_file_erase::FileEraseRecord;
use jurex_sanitize::record::{JobId, Record};
use jurex_sanitize::rules::{Claim, Outcome};
use schemars::JsonSchema;
use schemars::generate::SchemaSettings;
use serde::Serialize;
use serde_json::Value;
use std::path::PathBuf;

/// What there is a schema of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DocumentKind {
    /// `JOB.record.json`.
    Record,
    /// `JOB.verification.json`.
    Verification,
    /// One line of `--json` while a job runs.
    Event,
    /// `LOT.lot.json`.
    Lot,
    /// `JOB.release.json`.
    Release,
    /// `JOB.files.json`.
    Files,
}

impl DocumentKind {
    /// The schema, as others check files with.
    pub fn schema(self) -> Value {
        match self {
            DocumentKind::Record => of::<Record>("record"),
            DocumentKind::Verification => of::<VerificationRecord>("verification"),
            DocumentKind::Event => of::<ToldLine<'_>>("event"),
            DocumentKind::Lot => of::<Statement>("lot"),
            DocumentKind::Release => of::<Release>("release"),
            DocumentKind::Files => of::<FileEraseRecord>("files"),
        }
    }
}

/// A line of `jurex erase --json`: the job that begins, every event of it, and what came of it.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub enum ToldLine<'l> {
    /// The first line.
    Begins(JobBegins<'l>),
    /// An event.
    Event(&'l Event),
    /// The last line.
    Result(JobResult<'l>),
}

/// The first line: which job it is.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(tag = "event", rename = "job")]
pub struct JobBegins<'l> {
    /// Its name.
    pub job: &'l str,
    /// The drive, as it was named.
    pub drive: &'l str,
    /// The outcome that the plan gives if all goes well.
    pub planned: Outcome,
}

/// The last line: what came of it.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(tag = "event", rename = "result")]
pub struct JobResult<'l> {
    /// The job.
    pub job: &'l JobId,
    /// What was reached.
    pub outcome: Outcome,
    /// What was planned.
    pub planned: Outcome,
    /// Whether the job finished, was verified, and reached at least what was planned.
    pub kept_its_plan: bool,
    /// What follows from its evidence.
    pub claim: &'l Claim,
    /// What came of the erasure tag that was to be left; `null`: none was.
    pub mark: Option<&'l str>,
    /// The files that were written; `null`: they were not.
    pub files: Option<&'l [PathBuf]>,
}

fn of<T: JsonSchema>(name: &str) -> Value {
    // As it is written, not as it may be read: older forms are read too.
    let mut schema = SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>();
    schema.insert("title".into(), format!("jurex {name}").into());
    schema.to_value()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_schema_names_its_draft_and_says_what_its_fields_are() {
        for written in [
            DocumentKind::Record,
            DocumentKind::Verification,
            DocumentKind::Event,
            DocumentKind::Lot,
            DocumentKind::Release,
            DocumentKind::Files,
        ] {
            let schema = written.schema();
            assert_eq!(schema["$schema"], "https://json-schema.org/draft/2020-12/schema", "{written:?}");
            assert!(schema.to_string().contains("\"description\""), "{written:?}");
        }
        let record = DocumentKind::Record.schema();
        assert_eq!(record["additionalProperties"], false);
        assert!(record["required"].as_array().unwrap().contains(&"claim".into()));
    }
}
