//! `jurex schema NAME`: the JSON Schema of what is written.

use super::say;
use crate::cli::{Schema, SchemaOf};
use jurex_station::exit::Failure;
use jurex_station::schema::DocumentKind;
use std::process::ExitCode;

/// That of `jurex plan --json`, which is made for reading and not from one type.
const PLAN: &str = include_str!("../../../../docs/plan.schema.json");

pub(crate) fn run(asked: &Schema) -> Result<ExitCode, Failure> {
    let written = match asked.of {
        SchemaOf::Plan => {
            say(PLAN.trim_end());
            return Ok(ExitCode::SUCCESS);
        }
        SchemaOf::Record => DocumentKind::Record,
        SchemaOf::Event => DocumentKind::Event,
        SchemaOf::Verification => DocumentKind::Verification,
        SchemaOf::Lot => DocumentKind::Lot,
        SchemaOf::Release => DocumentKind::Release,
        SchemaOf::Files => DocumentKind::Files,
    };
    let text = serde_json::to_string_pretty(&written.schema()).map_err(|e| Failure::Defect(e.to_string()))?;
    say(&text);
    Ok(ExitCode::SUCCESS)
}
