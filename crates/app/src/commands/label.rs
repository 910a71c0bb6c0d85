//! `jurex label`: labels to stick on drives.

use super::ledger::open;
use super::{say, say_json, seal};
use crate::cli::LabelArgs;
use crate::clock::wall;
use crate::config::Config;
use crate::exit::Failure;
use crate::files;
use crate::places::Places;
use crate::release::print_file;
use jurex_core::record::{BadJobId, JobId, Record};
use jurex_ledger::Ledger;
use jurex_report::{Label, LabelsError, labels_pdf};
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &LabelArgs) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let config = if asked.demo { Config::demo() } else { Config::read(&places.config_file())? };
    let ledger = open(&places, asked.demo)?;
    let records = match &asked.lot {
        Some(lot) => of_lot(lot, &ledger)?,
        None => asked.job.iter().map(|job| newest(job, &ledger)).collect::<Result<Vec<_>, Failure>>()?,
    };
    let seal = seal(&places, &config, crate::paper::house(&places)?, asked.demo);
    let key_id = seal.key().map(|key| key.public().id());
    let labels: Vec<Label> = records.iter().map(|r| Label::of(r, key_id.as_deref())).collect();
    let wrong = |e: LabelsError| match e {
        LabelsError::Label(e) => Failure::Use(format!("{e}. Nothing was written")),
        LabelsError::Pdf(e) => Failure::Defect(e.to_string()),
    };
    let pdf = labels_pdf(&labels, asked.size, asked.first.into(), wall()).map_err(wrong)?;
    let mut drawings = vec![];
    for (label, record) in labels.iter().zip(&records) {
        let svg = label.to_svg(asked.size).map_err(|e| wrong(LabelsError::Label(e)))?;
        drawings.push((record.job.to_string(), svg));
    }
    let written = match &asked.out {
        Some(out) => files::write_labels(out, &pdf, &drawings).map_err(|e| Failure::Use(e.to_string()))?,
        None => vec![],
    };
    let printed = asked.print.as_ref().map(|printer| print_file(&pdf, printer)).transpose();
    if asked.json {
        let each = |r: &Record| json!({ "job": r.job, "outcome": r.claim().outcome() });
        let jobs: Vec<_> = records.iter().map(each).collect();
        say_json(&json!({ "labels": jobs, "files": written, "printed": printed.as_ref().ok() }));
    } else {
        written.iter().for_each(|path| say(&path.display().to_string()));
    }
    match printed {
        Err(why) => Err(Failure::Less(format!("the labels were not printed: {why}"))),
        Ok(Some(said)) if !asked.json => {
            say(&said);
            Ok(ExitCode::SUCCESS)
        }
        Ok(_) => Ok(ExitCode::SUCCESS),
    }
}

/// The record of a job, which must be the newest on its drive: an older one says nothing of what the drive holds now.
fn newest(job: &str, ledger: &Ledger) -> Result<Record, Failure> {
    let job: JobId = job.parse().map_err(|e: BadJobId| Failure::Use(e.to_string()))?;
    let record = ledger.record(&job)?;
    let newest = ledger.known_by_job(&job)?.and_then(|known| known.jobs.last().map(|line| line.job.clone()));
    match newest.filter(|newest| *newest != job) {
        None => Ok(record),
        Some(newest) => Err(Failure::Less(format!(
            "job {job} is not the newest on its drive: {newest} is, and the label must be of that one. Nothing was written"
        ))),
    }
}

/// The newest record of every drive of a lot. A drive whose newest job has none gets no label.
fn of_lot(name: &str, ledger: &Ledger) -> Result<Vec<Record>, Failure> {
    let shown = jurex_core::text::printable(name.as_bytes());
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
