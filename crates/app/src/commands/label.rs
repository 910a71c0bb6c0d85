//! `jurex label`: labels to stick on drives.

use super::ledger::open;
use super::{say, say_json, seal};
use crate::cli::LabelArgs;
use jurex_past::PastWork;
use jurex_sanitize::record::{BadJobId, JobId, Record};
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::release::Labels;
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &LabelArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = if asked.demo { Config::demo() } else { Config::read(&places.config_file())? };
    let ledger = open(&places, asked.demo)?;
    let seal = seal(&places, &config, jurex_station::paper::house(&places)?, asked.demo);
    let size = asked.size.unwrap_or(config.label_size());
    let labels = Labels { size, first: asked.first.into(), printer: asked.print.clone() };
    let made = match &asked.lot {
        Some(lot) => labels.of(&of_lot(lot, &ledger)?, &seal)?,
        None => {
            let parse = |job: &String| job.parse().map_err(|e: BadJobId| Failure::Use(e.to_string()));
            labels.of_jobs(&asked.job.iter().map(parse).collect::<Result<Vec<JobId>, Failure>>()?, &ledger, &seal)?
        }
    };
    let given = made.give_out(asked.out.as_deref())?;
    if asked.json {
        say_json(&json!({ "files": given.written, "printed": given.printed }));
    } else {
        given.written.iter().for_each(|path| say(&path.display().to_string()));
        given.printed.iter().for_each(|said| say(said));
    }
    Ok(ExitCode::SUCCESS)
}

/// The newest record of every drive of a lot. A drive whose newest job has none gets no label.
fn of_lot(name: &str, ledger: &dyn PastWork) -> Result<Vec<Record>, Failure> {
    let shown = jurex_pattern::text::printable(name.as_bytes());
    let lot = ledger.lot(name)?.ok_or_else(|| Failure::Use(format!("there is no lot {shown} (`jurex lot show` lists them)")))?;
    let now = ledger.lot_now(lot)?;
    // On what is destroyed nothing sticks.
    let whole = now.items(&[]).into_iter().filter(|item| item.destroyed.is_none());
    let records: Vec<Record> = whole.filter_map(|item| item.job?.1.map(|r| *r)).collect();
    if records.is_empty() {
        return Err(Failure::Less(format!("no drive of lot {shown} has a record yet: there is nothing to put on a label")));
    }
    Ok(records)
}
