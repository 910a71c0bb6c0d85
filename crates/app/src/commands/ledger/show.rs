//! `jurex ledger show JOB`: a job's whole story.

use super::{say, say_json};
use crate::cli::LedgerShow;
use crate::exit::Failure;
use jurex_core::erase::Event;
use jurex_core::record::{BadJobId, JobId, Record};
use jurex_core::text::printable;
use jurex_ledger::{Ledger, LedgerError};
use serde_json::json;
use std::process::ExitCode;

pub(super) fn run(asked: &LedgerShow, ledger: &Ledger) -> Result<ExitCode, Failure> {
    let job: JobId = asked.job.parse().map_err(|e: BadJobId| Failure::Use(e.to_string()))?;
    let record = match ledger.record(&job) {
        Ok(record) => Some(record),
        Err(LedgerError::NeverEnded { .. }) => None,
        Err(e) => return Err(e.into()),
    };
    let looks = ledger.verifications(&job)?;
    if asked.json {
        let events: Vec<_> = ledger
            .events(&job)?
            .into_iter()
            .map(|(time, json)| json!({ "time": time, "event": serde_json::from_str::<serde_json::Value>(&json).ok() }))
            .collect();
        let whole = |json: String| serde_json::from_str::<serde_json::Value>(&json).ok();
        say_json(&json!({
            "job": job,
            "record": record.as_ref().and_then(|r| whole(r.to_json())),
            "digest": record.as_ref().map(Record::digest),
            "verifications": looks.iter().map(|v| whole(v.to_json())).collect::<Vec<_>>(),
            "events": events,
            "proof": ledger.inclusion(&job)?.map(|p| p.to_text()),
        }));
        return Ok(ExitCode::SUCCESS);
    }
    match &record {
        Some(record) => told(record),
        None => say(&format!("{job}: it was begun and never came to an end. It is Not sanitized.")),
    }
    for (time, sentence) in story(ledger, &job)? {
        say(&format!("  {time}  {sentence}"));
    }
    for look in &looks {
        let by = printable(look.look.by.name.as_bytes());
        say(&format!("  looked at again by {}: {}, {}", if by.is_empty() { "somebody" } else { &by }, look.finding(), look.look.ended));
    }
    if let Some(proof) = ledger.inclusion(&job)? {
        say(&format!("  it is entry {} of the ledger, under a signed head", proof.place + 1));
    }
    Ok(ExitCode::SUCCESS)
}

fn told(record: &Record) {
    let (drive, papers) = (record.evidence().drive(), record.papers());
    let shown = |text: &str| printable(text.as_bytes());
    say(&format!("{}: {}", record.job, record.claim().outcome()));
    let line = |what: &str, said: &str| {
        if !said.is_empty() {
            say(&format!("  {what:<11} {said}"));
        }
    };
    line("drive", &format!("{} (serial {}), {}", drive.called(), drive.unit.serial().unwrap_or("none"), drive.size()));
    line("method", &record.method.title);
    record.claim().reasons().iter().for_each(|r| line("because", &r.sentence));
    record.claim().limits().iter().for_each(|r| line("but", &r.sentence));
    line("proof", &record.confidence());
    line("lot", &shown(&papers.lot));
    line("property", &shown(&papers.property_number));
    line("from", &shown(&papers.source));
    line("sanitized", &shown(&papers.technician.name));
    line("validated", &shown(&papers.validator.name));
    line("goes to", &shown(&papers.destination));
    line("digest", &record.digest());
}

/// The events of a job in sentences, each with its time. What this version can't read is told as such.
pub(crate) fn story(ledger: &Ledger, job: &JobId) -> Result<Vec<(String, String)>, LedgerError> {
    let one = |(time, json): (String, String)| match serde_json::from_str::<Event>(&json) {
        Ok(event) => event.sentence().map(|s| (time, s)),
        Err(_) => Some((time, "Something happened that this version of Jurex can't read.".into())),
    };
    Ok(ledger.events(job)?.into_iter().filter_map(one).collect())
}
