//! `jurex schema NAME`: the JSON Schema of what is written.

use super::say;
use crate::cli::{Schema, SchemaOf};
use jurex_station::exit::Failure;
use jurex_station::schema::Written;
use std::process::ExitCode;

/// That of `jurex plan --json`, which is made for reading and not from one type.
const PLAN: &str = include_str!("../../../../docs/plan.schema.json");

pub(crate) fn run(asked: &Schema) -> Result<ExitCode, Failure> {
    let written = match asked.of {
        SchemaOf::Plan => {
            say(PLAN.trim_end());
            return Ok(ExitCode::SUCCESS);
        }
        SchemaOf::Record => Written::Record,
        SchemaOf::Event => Written::Event,
        SchemaOf::Verification => Written::Verification,
        SchemaOf::Lot => Written::Lot,
        SchemaOf::Release => Written::Release,
        SchemaOf::Files => Written::Files,
    };
    let text = serde_json::to_string_pretty(&written.schema()).map_err(|e| Failure::Defect(e.to_string()))?;
    say(&text);
    Ok(ExitCode::SUCCESS)
}
