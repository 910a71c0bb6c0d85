//! JSON Schemas (draft 2020-12) of what is written: made from the very types that write it.

use jurex_disposition::lot::Statement;
use jurex_disposition::proof::VerificationRecord;
use jurex_disposition::release::Release;
use jurex_engine::Event;
use jurex_file_erase::LessRecord;
use jurex_sanitize::record::Record;
use schemars::JsonSchema;
use schemars::generate::SchemaSettings;
use serde_json::Value;

/// What there is a schema of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Written {
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

impl Written {
    /// The schema, as others check files with.
    pub fn schema(self) -> Value {
        match self {
            Written::Record => of::<Record>("record"),
            Written::Verification => of::<VerificationRecord>("verification"),
            Written::Event => of::<Event>("event"),
            Written::Lot => of::<Statement>("lot"),
            Written::Release => of::<Release>("release"),
            Written::Files => of::<LessRecord>("files"),
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
        for written in [Written::Record, Written::Verification, Written::Event, Written::Lot, Written::Release, Written::Files] {
            let schema = written.schema();
            assert_eq!(schema["$schema"], "https://json-schema.org/draft/2020-12/schema", "{written:?}");
            assert!(schema.to_string().contains("\"description\""), "{written:?}");
        }
        let record = Written::Record.schema();
        assert_eq!(record["additionalProperties"], false);
        assert!(record["required"].as_array().unwrap().contains(&"claim".into()));
    }
}
