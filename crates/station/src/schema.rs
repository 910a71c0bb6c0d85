//! JSON Schemas (draft 2020-12) of what is written: made from the very types that write it.

use jurex_disposition::lot::Statement;
use jurex_disposition::proof::VerificationRecord;
use jurex_disposition::release::Release;
use jurex_engine::Event;
use jurex_file_erase::FileEraseRecord;
use jurex_sanitize::record::Record;
use schemars::JsonSchema;
use schemars::generate::SchemaSettings;
use serde_json::Value;

/// What there is a schema of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DocumentKind {
    /// `JOB.record.json`.
    Record,
    /// `JOB.verification.json`.
    Verification,
    /// One event of a job, without what the command adds to each line.
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
            DocumentKind::Event => of::<Event>("event"),
            DocumentKind::Lot => of::<Statement>("lot"),
            DocumentKind::Release => of::<Release>("release"),
            DocumentKind::Files => of::<FileEraseRecord>("files"),
        }
    }
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
