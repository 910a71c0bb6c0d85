//! `jurex methods [NAME]`: the library of overwrite methods.

use super::say;
use crate::cli::Methods;
use crate::exit::Failure;
use jurex_core::method::{self, LIBRARY, Method};
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(methods: &Methods) -> Result<ExitCode, Failure> {
    match &methods.name {
        None if methods.json => say(&json!(LIBRARY).to_string()),
        None => table(),
        Some(name) => {
            let method = find(name)?;
            if methods.json { say(&json!(method).to_string()) } else { one(method) }
        }
    }
    Ok(ExitCode::SUCCESS)
}

/// The method of that name, or an error that offers the nearest ones.
pub(crate) fn find(name: &str) -> Result<&'static Method, Failure> {
    method::find(name).ok_or_else(|| {
        let nearest = method::nearest(name);
        let shown = jurex_core::text::printable(name.as_bytes());
        Failure::Use(format!("there is no method `{shown}`; the nearest are {}. Nothing was written", nearest[..3].join(", ")))
    })
}

fn table() {
    say(&format!("{:<20}{:<8}{:<22}{}", "NAME", "PASSES", "NOTATION", "SOURCE"));
    for m in &LIBRARY {
        let source = format!("{}, {}, {} ({})", m.issuer, m.document, m.year, m.status.sentence());
        say(&format!("{:<20}{:<8}{:<22}{source}", m.name, m.program().passes(), m.notation));
    }
}

fn one(m: &Method) {
    say(&format!("{} ({})", m.title, m.name));
    say(&format!("  source    {}, {}, {}", m.issuer, m.document, m.year));
    say(&format!("  status    {}", m.status.sentence()));
    say(&format!("  passes    {}, written {}", m.program().passes(), m.notation));
    let program = m.program();
    let rounds = program.passes() + 1;
    say(&format!("  costs     {rounds} rounds over the drive: {} to write, 1 to read back", program.passes()));
    say(&format!("  remark    {}", m.remark));
}
