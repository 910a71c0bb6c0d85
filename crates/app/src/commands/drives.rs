//! `jurex drives`: every drive of this machine.

use super::{remark, say, say_json};
use crate::cli::TableArgs;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{Bench, DriveSnapshot};
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use serde_json::{Value, json};
use std::process::ExitCode;

pub(crate) fn run(table: &TableArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let drives = Bench::machine(&config.only, &places).drives();
    if table.json {
        let all: Vec<Value> = drives.iter().map(as_json).collect();
        say_json(&json!(all));
        return Ok(ExitCode::SUCCESS);
    }
    if drives.is_empty() {
        say("No drive found.");
    }
    for row in columns(&drives) {
        say(&row);
    }
    jurex_linux::System::default().undriven().iter().for_each(|u| remark(&format!("jurex: {}", u.sentence())));
    Ok(ExitCode::SUCCESS)
}

/// The drive and the verdict on it as one JSON object.
pub(crate) fn as_json(seen: &DriveSnapshot) -> Value {
    let drive = &seen.drive;
    let verdict = match seen.verdict() {
        Ok(_) => json!({"may_be_erased": true}),
        Err(refusal) => {
            let sentences: Vec<String> = refusal.hindrances.iter().map(ToString::to_string).collect();
            json!({"may_be_erased": false, "hindrances": refusal.hindrances, "sentences": sentences})
        }
    };
    json!({
        "path": drive.path,
        "maker": drive.unit.maker,
        "model": drive.unit.model,
        "serial": drive.unit.serial,
        "firmware": drive.unit.firmware,
        "ids": drive.unit.ids,
        "class": drive.class,
        "class_basis": drive.class_basis,
        "bus": drive.bus,
        "protocol": drive.protocol,
        "port": drive.attachment.port,
        "bytes": drive.geometry.bytes().to_string(),
        "size": drive.size(),
        "sectors": drive.geometry.sectors.to_string(),
        "logical_sector": drive.geometry.logical,
        "physical_sector": drive.geometry.physical,
        "hidden_areas": drive.hidden,
        "hidden_asked": drive.hidden_asked,
        "elsewhere": drive.elsewhere,
        "bridge": seen.answers.bridge,
        "health": seen.answers.health,
        "own_erases": seen.answers.own_erases,
        "security_frozen": seen.answers.security_frozen,
        "security_locked": seen.answers.security_locked,
        "security_expired": seen.answers.security_expired,
        "notes": seen.answers.notes,
        "verdict": verdict,
    })
}

fn columns(drives: &[DriveSnapshot]) -> Vec<String> {
    let heading = ["PATH", "DRIVE", "SERIAL", "CLASS", "BUS", "SIZE", "MAY BE ERASED?"].map(String::from);
    let rows: Vec<[String; 7]> = std::iter::once(heading).chain(drives.iter().map(row)).collect();
    let width = |column: usize| rows.iter().map(|r| r[column].chars().count()).max().unwrap_or(0);
    let widths: Vec<usize> = (0..7).map(width).collect();
    let line = |row: &[String; 7]| {
        let cells: Vec<String> = row.iter().zip(&widths).map(|(cell, width)| format!("{cell:<width$}")).collect();
        cells.join("  ").trim_end().to_string()
    };
    rows.iter().map(line).collect()
}

fn row(seen: &DriveSnapshot) -> [String; 7] {
    let drive = &seen.drive;
    let verdict = match seen.verdict() {
        Ok(_) => "yes".to_string(),
        Err(refusal) => format!("no: {refusal}"),
    };
    [
        drive.shown_path(),
        drive.unit.name().unwrap_or_else(|| "-".into()),
        drive.unit.serial.clone().unwrap_or_else(|| "-".into()),
        drive.class.to_string(),
        drive.bus.to_string(),
        drive.size(),
        verdict,
    ]
}
